"""What each kind of line of the sap book keeps: one frozen model a kind, as on a slip."""

from typing import Annotated, Literal

from lumbrel.services.base.asked import Quantity, Words
from lumbrel.services.base.facts import Facts
from lumbrel.words import _


class GirthFacts(Facts):
    """The girth of a tree at breast height."""

    kind: Literal["girth"] = "girth"
    girth_mm: float
    year: int


class TappedFacts(Facts):
    """A hole was drilled: where, how deep, under which rule."""

    kind: Literal["tapped"] = "tapped"
    season: int
    bearing_deg: float
    height_mm: float
    hole_mm: float
    depth_mm: float
    girth_mm: float
    """Round the trunk then; 0 where nobody measured it."""
    rule: dict[str, float | str]


class OldHoleFacts(Facts):
    """A hole of an earlier year, noted when the tree was first looked at."""

    kind: Literal["old_hole"] = "old_hole"
    season: int
    bearing_deg: float
    height_mm: float


class TapsPulledFacts(Facts):
    """All taps of a tree were pulled at the end of a season."""

    kind: Literal["taps_pulled"] = "taps_pulled"
    season: int
    left: Literal["open", "plugged", "green"]
    """Left open, plugged with seasoned wood of the same kind, or with green."""


class ClosedFacts(Facts):
    """A hole was seen to have closed."""

    kind: Literal["closed"] = "closed"
    hole: str
    """The id of its line."""
    year: int


class GatheredFacts(Facts):
    """Sap was gathered. Mass and solids are what was left once ice was thrown off."""

    kind: Literal["gathered"] = "gathered"
    litres: float
    """As they came from the trees, ice and all."""
    mass_kg: float
    brix: float
    sigma_brix: float
    by: Literal["refractometer", "hydrometer", "told", "usual"]
    temperature_c: float
    clarity: Literal["clear", "cloudy", "yellow", "ropy"]
    taps: float
    days: tuple[tuple[str, float, float], ...]
    """The days it ran on, each with its litres and kg of solids."""
    trees: tuple[tuple[str, float, float], ...]
    """By tree, litres and kg of solids, where it was gathered by tree."""
    used: float
    """Of its life when it came in."""
    ice_kg: float
    ice_brix: float
    tank_id: str = ""
    """The tank it went into; empty where it went into none."""


class MovedFacts(Facts):
    """Sap was pumped into another tank."""

    kind: Literal["moved"] = "moved"
    litres: float
    to_tank: str


class OutFacts(Facts):
    """Sap left a tank, but not for a pan."""

    kind: Literal["out"] = "out"
    litres: float
    reason: Literal["cloudy", "ropy", "sour", "old", "spilt", "given", "drunk"]


class IceOffFacts(Facts):
    """Ice was lifted off a tank."""

    kind: Literal["ice_off"] = "ice_off"
    ice_kg: float
    ice_brix: float


class WarmFacts(Facts):
    """How warm a tank's sap was."""

    kind: Literal["warm"] = "warm"
    temperature_c: Annotated[
        float,
        Quantity(
            of="temperature",
            label=_("Temperature"),
            low=-20,
            high=45,
            sentence=_("The sap temperature must be between −20 and 45 °C (−4 and 113 °F)."),
        ),
    ]


class WeatherFacts(Facts):
    """Nights and days, forecast or measured, degC."""

    kind: Literal["weather"] = "weather"
    measured: bool
    source: Literal["typed", "csv", "calendar", "station"]
    days: tuple[tuple[str, float, float], ...]


class BudsFacts(Facts):
    """The buds swelled: what runs from now on tastes of it."""

    kind: Literal["buds"] = "buds"
    season: int


class GearFacts(Facts):
    """A thing of the season's list was done."""

    kind: Literal["gear"] = "gear"
    season: int
    task: str
    sanitiser: Annotated[str, Words(label=_("With"), limit=60)] = ""
