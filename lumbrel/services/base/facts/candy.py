"""What happens in a candy pot."""

from typing import Annotated, Literal

from lumbrel.core.candy.bath import BATHS
from lumbrel.core.candy.clinic import FLAWS
from lumbrel.services.base.asked import Choice, Quantity, Unseen, Words, YesNo
from lumbrel.services.base.facts.kind import Facts
from lumbrel.services.base.facts.opened import BathKey
from lumbrel.services.base.facts.readings import ReadingFacts
from lumbrel.words import _


class PotFacts(ReadingFacts):
    """What a thermometer showed in the candy pot, on the fire or off it; truly, and where water boiled."""

    kind: Literal["pot"] = "pot"
    reading_c: float
    true_c: float
    water_c: float


class ColdWaterFacts(Facts):
    """What a drop of the boil did in cold water, and where water boiled then."""

    kind: Literal["cold_water"] = "cold_water"
    sign: Literal["thread", "soft_ball", "firm_ball", "hard_ball", "soft_crack", "hard_crack"]
    water_c: float


class CookedFacts(Facts):
    """The pot came off the fire: how hot it was, by what, and what of solids that leaves."""

    kind: Literal["cooked"] = "cooked"
    reached_c: float
    above_water_k: float
    brix: float
    sigma_brix: float
    mass_kg: float
    by: Literal["pot", "sign", "arithmetic"]
    rate_kg_per_min: float | None = None
    bath: BathKey = "bench"
    around_c: float | None = None
    """Of the bath, when somebody read it."""
    litres: float | None = None
    """Of the bath, of ice with its water; when somebody said."""
    running: bool = False


class BathFacts(Facts):
    """The pot was put somewhere else to cool, or its water was changed."""

    kind: Literal["bath"] = "bath"
    bath: Annotated[
        BathKey,
        Choice(
            label=_("Cooling"),
            options={key: bath.name for key, bath in BATHS.items()},
            missing=_("Choose where it cools."),
        ),
    ]
    around_c: Annotated[
        float | None,
        Quantity(
            of="temperature",
            label=_("Bath temperature"),
            low=-15,
            high=40,
            required=False,
            sentence=_("The bath temperature must be between −15 and 40 °C (5 and 104 °F)."),
        ),
    ] = None
    litres: Annotated[
        float | None,
        Quantity(
            of="volume",
            label=_("Water in the bath"),
            low=0.5,
            high=500,
            required=False,
            sentence=_("A bath holds 0.5 to 500 L: without water it is the bench."),
        ),
    ] = None
    running: Annotated[bool, YesNo(label=_("Water runs through it"))] = False


class StirFacts(Facts):
    """Stirring began, or what is not stirred was poured: how warm it was, by a reading or its cooling; and
    how fast it had cooled, as the record learns it."""

    kind: Literal["stir"] = "stir"
    temperature_c: float | None = None
    by: Literal["pot", "cooling", ""] = ""
    rate_per_min: float | None = None
    """Of earlier versions: as 13 kg would cool there."""
    film: float | None = None
    """W/m2K from the pot's wall, as far as its readings knew it."""
    litres: float | None = None
    """Of its bath, as far as somebody said or its readings knew."""


class TurnedFacts(Facts):
    """It turned: it clouded, or lost its gloss, or was dry."""

    kind: Literal["turned"] = "turned"


class MadeFacts(Facts):
    """Moulded, jarred, sieved or rolled: packs of so many grams each under a lot code."""

    kind: Literal["made"] = "made"
    lot: str
    packs: tuple[tuple[float, int], ...]
    """Grams and how many."""
    made_kg: float
    left_kg: float
    """What stayed in the pot, or was lost: the arithmetic's mass less what was made."""
    brix: float
    weighed: bool = False


Flaw = Literal[
    "soft", "hard", "weeps", "grainy", "in_pot", "parted", "never", "scorched", "sticky_snow", "bloom"
]


SCORES = {str(n): str(n) for n in range(1, 6)}
TEXTURES = {
    "-2": _("much too soft"),
    "-1": _("a little soft"),
    "0": _("right"),
    "1": _("a little hard"),
    "2": _("much too hard"),
}


class ScoredFacts(Facts):
    """How it came out: too soft (-2) to too hard (2), coarse (1) to smooth (5), poor (1) to fine (5)."""

    kind: Literal["scored"] = "scored"
    texture: Annotated[
        int, Choice(label=_("Texture"), options=TEXTURES, missing=_("Say how firm it came out."))
    ]
    grain: Annotated[int | None, Choice(label=_("Grain, 1 sandy to 5 smooth"), options=SCORES)] = None
    taste: Annotated[
        int,
        Choice(
            label=_("Taste, 1 poor to 5 fine"),
            options=SCORES,
            missing=_("The taste goes from 1, poor, to 5, fine."),
        ),
    ]
    flaw: Annotated[Flaw | None, Choice(label=_("What is wrong"), options=FLAWS, none=_("nothing"))] = None
    note: Annotated[str, Words(label=_("note"), limit=200)] = ""
    photo: Annotated[str | None, Unseen(hint="the hash of its photograph")] = None


class InvertFacts(Facts):
    """Invert sugar by a glucose meter: what it showed of one part of syrup in so many of the dilution, and
    what that is, percent of the syrup."""

    kind: Literal["invert"] = "invert"
    reading_mg_dl: float
    dilution: float
    percent: float
    sigma_percent: float
