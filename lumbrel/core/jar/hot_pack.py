"""Jars filled hot: what a hot litre is cold, and whether it is hot enough to keep."""

from enum import StrEnum
from math import floor

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.pan.vessel import hot_volume_ratio
from lumbrel.core.physics import sucrose
from lumbrel.words import _

COLDEST_FILL_C, HOTTEST_FILL_C, NEW_NITER_C = 82.0, 88.0, 93.0


class HotPack(StrEnum):
    """Whether a fill temperature keeps the syrup."""

    TOO_COLD = _("too cold")
    RIGHT = "right"
    WARM = _("warmer than needed")
    NEW_NITER = _("new niter forms")


def hot_pack(fill_temperature_c: float) -> HotPack:
    """Judge a fill temperature: 82 to 88 degC is right; above 93 new niter forms.

    Args:
        fill_temperature_c: degC, 0 to 115.
    """
    require_between(fill_temperature_c, 0.0, 115.0, field="fill_temperature_c", what=_("The fill"), unit="°C")
    if fill_temperature_c < COLDEST_FILL_C:
        return HotPack.TOO_COLD
    if fill_temperature_c <= HOTTEST_FILL_C:
        return HotPack.RIGHT
    return HotPack.WARM if fill_temperature_c <= NEW_NITER_C else HotPack.NEW_NITER


def fill_volume_l(brix: float, fill_temperature_c: float, volume_l: float) -> float:
    """Volume to fill hot so that `volume_l` stands in the jar at 20 degC, litres.

    Args:
        brix: 0 to 85.
        fill_temperature_c: degC, 0 to 100.
        volume_l: at 20 degC, above 0 to 10000.
    Raises:
        OutOfRange: a value lies outside its range.
    """
    _require_volume(volume_l)
    require_between(
        fill_temperature_c, 0.0, 100.0, field="fill_temperature_c", what=_("The fill temperature"), unit="°C"
    )
    return volume_l * hot_volume_ratio(brix, fill_temperature_c)


def mass_kg(brix: float, volume_l: float) -> float:
    """Mass of a volume at 20 degC, kg.

    Args:
        brix: 0 to 85.
        volume_l: at 20 degC, above 0 to 10000.
    """
    _require_volume(volume_l)
    return sucrose.density_kg_m3(brix, 20.0) * volume_l / 1000


def jars_from(batch_kg: float, brix: float, jar_l: float) -> int:
    """Whole jars that a mass of syrup fills, at 20 degC.

    Args:
        batch_kg: above 0.
        brix: 0 to 85.
        jar_l: content of one jar, above 0 to 10000.
    """
    return floor(batch_kg / mass_kg(brix, jar_l) + 1e-9)


def _require_volume(volume_l: float) -> None:
    if not 0 < volume_l <= 10_000:
        raise OutOfRange(_("The volume must be above 0 and at most 10 000 L."), "volume_l")
