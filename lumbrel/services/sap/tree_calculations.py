"""Where a trunk is tapped: by itself, since it loads more than all other sums of the sap."""

from typing import Annotated, Literal

from pydantic import Field

from lumbrel.core.errors import require_between
from lumbrel.core.sap import growth
from lumbrel.core.sap import trunk as trunks
from lumbrel.services.base.calculation import Answer, Request, calculation, step
from lumbrel.words import _

TRADE = _("trade practice")


class HoleRequest(Request):
    """An old hole."""

    bearing_deg: float
    height_mm: float
    years_ago: Annotated[int, Field(ge=0, le=200)]


class PlaceAnswer(Request):
    """A free place."""

    bearing_deg: float
    height_mm: float


class TrunkAnswer(Answer):
    """This year's places, and for how many seasons it is tapped until it is full (null: over forty)."""

    taps_borne: int
    places: list[PlaceAnswer]
    seasons_until_full: int | None


THIS_YEAR = 3000
"""Any: only how long ago a hole was drilled counts."""


@calculation("sap/trunk")
def sap_trunk(
    *,
    girth_mm: float,
    holes: Annotated[tuple[HoleRequest, ...], Field(max_length=120)] = (),
    taps: Literal["conservative", "small", "older"] = "conservative",
    beside_mm: float = 300.0,
    growth_mm_a_year: float = trunks.GROWTH_MM_A_YEAR,
) -> TrunkAnswer:
    """Where a trunk is tapped this year.

    A trunk with its old holes, and the rule it is tapped by.
    """
    require_between(beside_mm, 50, 1000, field="beside_mm", what=_("The distance"), unit="mm")
    require_between(growth_mm_a_year, 0.1, 20, field="growth_mm_a_year", what=_("The growth"), unit="mm")
    rule = trunks.Rule(taps=taps, beside_mm=beside_mm)
    drilled = []
    for hole in holes:
        at = trunks.require_place(hole.bearing_deg, hole.height_mm)
        drilled.append(trunks.Hole(at.bearing_deg, at.height_mm, THIS_YEAR - hole.years_ago))
    trunk = trunks.Trunk(girth_mm, THIS_YEAR, tuple(drilled), growth_mm_a_year)
    bears, found = trunks.taps_borne(girth_mm, rule), trunks.places(trunk, rule)
    working = [
        step("through", trunks.through_mm(girth_mm), "mm", _("girth over pi")),
        step("bears", float(bears), "taps", TRADE),
        step(_("kept clear beside each old hole"), rule.beside_mm, "mm", TRADE),
        step(_("and up and down"), rule.above_mm, "mm", TRADE),
    ]
    return TrunkAnswer(
        taps_borne=bears,
        places=[PlaceAnswer(bearing_deg=p.bearing_deg, height_mm=p.height_mm) for p in found],
        seasons_until_full=growth.years_until_full(trunk, rule),
        working=working,
    )
