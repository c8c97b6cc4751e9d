"""Confections: what the boil leaves, how much of it turns to crystal, and how fine."""

from dataclasses import dataclass
from functools import lru_cache

from lumbrel.core.data import load_rows
from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.physics import sucrose, water
from lumbrel.words import _

POT_LOSS_FRACTION = 0.04
BURN_HAZARD_C = 115.0
FOAM_TO_ABOVE_WATER_K = 9.0
"""Up to there foam climbs most: a thicker boil bursts its bubbles."""


@dataclass(frozen=True, kw_only=True)
class Confection:
    """One confection as the trade works it; temperatures above water in K."""

    key: str
    name: str
    sort: str
    low_above_water_k: float
    high_above_water_k: float
    cool_to_c: float | None
    cool_from_c: float | None
    invert_min_percent: float | None
    invert_max_percent: float | None
    handling: str
    lay_out: str
    """What is at hand before the fire is lit, besides defoamer and cold water."""
    work_min: float
    """Minutes with both hands in it: stirring and moulding, pouring, sieving."""
    wrap: str
    good_for: str
    keeps_days: int
    """So many at the most, for a date on a label."""
    label_en: str
    label_fr: str
    """What it is called on a label, without its kind of sugar."""

    @property
    def on_snow(self) -> bool:
        """Whether it is poured on snow."""
        return self.key.startswith("snow")

    @property
    def full_name(self) -> str:
        """Name with its sort, as 'Snow taffy, soft'."""
        full = ", ".join((self.name, self.sort))
        return _(full) if self.sort else self.name

    @property
    def middle_above_water_k(self) -> float:
        """Middle of the boil, K above water."""
        return (self.low_above_water_k + self.high_above_water_k) / 2


@lru_cache(maxsize=1)
def confections() -> tuple[Confection, ...]:
    """All confections of the shipped table (data/confections.csv), by rising boil."""

    def number(text: str) -> float | None:
        return float(text) if text else None

    return tuple(
        Confection(
            key=row["key"],
            name=_(row["name"]),
            sort=_(row["sort"]),
            low_above_water_k=float(row["low_f"]) / 1.8,
            high_above_water_k=float(row["high_f"]) / 1.8,
            cool_to_c=number(row["cool_to_c"]),
            cool_from_c=number(row["cool_from_c"]),
            invert_min_percent=number(row["invert_min_percent"]),
            invert_max_percent=number(row["invert_max_percent"]),
            handling=_(row["handling"]),
            lay_out=_(row["lay_out"]),
            work_min=float(row["work_min"]),
            wrap=_(row["wrap"]),
            good_for=_(row["good_for"]),
            keeps_days=int(row["keeps_days"]),
            label_en=row["label_en"],
            label_fr=row["label_fr"],
        )
        for row in load_rows("confections.csv")
    )


def confection(key: str) -> Confection:
    """The confection of that key.

    Raises:
        KeyError: there is none.
    """
    return {one.key: one for one in confections()}[key]


def solids_brix(above_water_k: float, station_pressure_pa: float, invert_fraction: float = 0.0) -> float:
    """Solids left by a boil so far above water, percent by mass.

    Args:
        above_water_k: K, 0 to 60.
        station_pressure_pa: Pa, 50000 to 110000.
        invert_fraction: 0 to 1.
    Raises:
        OutOfRange: a value lies outside its range, or no syrup boils so hot.
    Uncertainty: 0.5 at 82 to 86 Brix, 1 above.
    Example: +13.889 K (25 degF) at 101325 Pa, pure: 85.14.
    """
    require_between(above_water_k, 0.0, 60.0, field="above_water_c", what=_("The boil above water"), unit="K")
    boil = water.boiling_point_c(sucrose.require_station_pressure(station_pressure_pa))
    return sucrose.brix_from_boiling_point(boil + above_water_k, station_pressure_pa, invert_fraction)


def crystal_fraction(brix: float, temperature_c: float) -> float:
    """Share of the finished piece that is crystal at a temperature, 0 to 1.

    Args:
        brix: 0 to 99.9.
        temperature_c: degC, 0 to 100.
    Source: mass balance with Vavrinecz's solubility; pure sucrose.
    """
    require_between(brix, 0.0, 99.9, field="brix", what=_("Brix"), unit=_("percent by mass"))
    saturated = sucrose.solubility_percent(temperature_c) / 100
    return max((brix / 100 - saturated) / (1 - saturated), 0.0)


def supersaturation(brix: float, temperature_c: float) -> float:
    """How far over saturation when stirring starts; higher gives finer grain.

    Args:
        brix: 0 to 99.9.
        temperature_c: degC, 0 to 100.
    """
    require_between(brix, 0.0, 99.9, field="brix", what=_("Brix"), unit=_("percent by mass"))
    saturated = sucrose.solubility_percent(temperature_c) / 100
    w = brix / 100
    return (w / (1 - w)) / (saturated / (1 - saturated))


def mass_out_kg(
    syrup_kg: float, syrup_brix: float, final_brix: float, loss: float = POT_LOSS_FRACTION
) -> float:
    """Confection from a charge of syrup, less what stays in the pot, kg.

    Args:
        syrup_kg: above 0.
        syrup_brix: 1 to 97, below the final one.
        final_brix: 1 to 99.
        loss: share left in the pot, 0 to 0.5 (0.04 at first).
    """
    if not 0 < syrup_kg <= 10_000:
        raise OutOfRange(_("The syrup must weigh above 0 and at most 10 000 kg."), "syrup_kg")
    require_between(
        syrup_brix, 1.0, 97.0, field="syrup_brix", what=_("The syrup's Brix"), unit=_("percent by mass")
    )
    require_between(
        final_brix, syrup_brix, 99.0, field="final_brix", what=_("The final solids"), unit="percent"
    )
    require_between(loss, 0.0, 0.5, field="loss", what=_("What stays in the pot"), unit="")
    return syrup_kg * syrup_brix / final_brix * (1 - loss)


def invert_percent_from_glucose_meter(reading_mg_dl: float, dilution: float = 10.0) -> float:
    """Invert sugar of a syrup from a blood-glucose meter on the diluted syrup, percent.

    Args:
        reading_mg_dl: what the meter shows, 0 to 600.
        dilution: parts of diluted sample to one of syrup, by mass, 1 to 100.
    Source: the home test: glucose g per 100 g = mg/dL / 1000 x dilution; invert is twice that.
    """
    require_between(
        reading_mg_dl, 0.0, 600.0, field="reading_mg_dl", what=_("The meter's reading"), unit="mg/dL"
    )
    require_between(dilution, 1.0, 100.0, field="dilution", what=_("The dilution"), unit="")
    return 2 * reading_mg_dl / 1000 * dilution
