"""What happens at the pan besides readings, until the draw."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict

from lumbrel.services.base.asked import Choice, Quantity, Words, YesNo
from lumbrel.services.base.facts.kind import Facts, FromTank, Part
from lumbrel.words import _


class BoilingFacts(Facts):
    """It began to boil off."""

    kind: Literal["boiling"] = "boiling"


class HeatFacts(Facts):
    """The heat was put off, or on again."""

    kind: Literal["heat"] = "heat"
    on: Annotated[bool, YesNo(label=_("on again"))]


QuestionKey = Literal[
    "heat_off",
    "relit",
    "put_in",
    "taken_out",
    "unit",
    "other_vessel",
    "probe_drifts",
    "scale_slipped",
    "misread",
    "boil_again",
]
"""What a boil may be asked about."""


class AnsweredFacts(Facts):
    """Somebody answered what was asked about a moment of the boil, which is the line's."""

    kind: Literal["answered"] = "answered"
    question: QuestionKey
    yes: bool
    instrument_id: str = ""


class BurnerFacts(Facts):
    """The burner was turned, or the fire stoked: from here on it gives another heat."""

    kind: Literal["burner"] = "burner"


SignKey = Literal["drops", "foam", "two_drops", "sheet", "cold_plate"]
SIGNS: dict[SignKey, str] = {
    "drops": _("Single drops run off"),
    "foam": _("Foam climbs, bubbles turn small"),
    "two_drops": _("Two drops join and hang"),
    "sheet": _("A sheet breaks off"),
    "cold_plate": _("Thick as honey on a cold plate"),
}


class SignFacts(Facts):
    """What was seen: a reading with a wide band."""

    kind: Literal["sign"] = "sign"
    sign: Annotated[
        SignKey, Choice(label=_("What you see"), options=SIGNS, missing=_("Press the sign that you see."))
    ]
    dated: Literal["", "dip", "typed"] = ""


class StrainedFacts(Facts):
    """It was strained once, while thin."""

    kind: Literal["strained"] = "strained"


class FoamFacts(Facts):
    """Foam was knocked down; an allergen goes on to the label."""

    kind: Literal["foam"] = "foam"
    defoamer: str
    allergen: str


class PutInFacts(Facts):
    """Something came into a vessel or kettle that is at work."""

    mass_kg: float
    brix: float
    temperature_c: float | None = None
    woodlot_id: str = ""
    """Near-syrup of another woodlot than the batch's."""
    from_batch_id: str = ""
    """Poured in from another pan, or, once both are drawn, from another kettle."""
    from_lot: str = ""
    """Jars of a lot were opened into the kettle."""
    jars: tuple[tuple[float, int], ...] = ()
    parts: tuple[Part, ...] = ()
    """What came from which woodlot, where it is of several."""


class AddedFacts(PutInFacts):
    """Near-syrup, thinner syrup, or water at 0 Brix was put in."""

    kind: Literal["added"] = "added"
    mass_kg: Annotated[
        float,
        Quantity(
            of="mass",
            label=_("Amount put in"),
            low=0.01,
            high=5000,
            big=True,
            sentence=_("The amount put in must be between 0.01 and 5000 kg."),
        ),
    ]
    brix: Annotated[
        float,
        Quantity(
            of="brix",
            label=_("Brix"),
            hint=_("0 for water"),
            low=0,
            high=85,
            big=True,
            sentence=_("The Brix of what was put in must be between 0 (water) and 85."),
        ),
    ]
    temperature_c: Annotated[
        float | None,
        Quantity(
            of="temperature",
            label=_("temperature"),
            hint=_("empty: as what was taken in"),
            low=0,
            high=120,
            required=False,
            sentence=_("The temperature of what was put in must be between 0 and 120 °C (32 and 248 °F)."),
        ),
    ] = None


class FedFacts(PutInFacts):
    """Sap was let into a pan from a tank."""

    kind: Literal["fed"] = "fed"
    tanks: tuple[FromTank, ...]


class FuelFacts(Facts):
    """Fuel was put on, or is gone from the gas bottle: how much, in the measure it is sold by."""

    kind: Literal["fuel"] = "fuel"
    fuel: Literal["hardwood", "softwood", "propane", "electricity"]
    measure: str
    amount: float
    mj: float
    setup: Literal["open", "blocks", "arch", "burner", "plate"]


STEPS = {
    "warming": _("sap set to warm in the other pan"),
    "together": _("pans poured together"),
    "banked": _("banked for the night"),
    "on_again": _("lit again"),
}


class StageFacts(Facts):
    """A step of a boil-down."""

    kind: Literal["stage"] = "stage"
    step: Annotated[
        Literal["warming", "together", "banked", "on_again"],
        Choice(label=_("Step"), options=STEPS, missing=_("Choose what was done.")),
    ]


class NoteFacts(Facts):
    """Something worth keeping."""

    kind: Literal["note"] = "note"
    text: Annotated[
        str,
        Words(
            label=_("Note"), hint=_("bubbles, sheeting, taste ..."), missing=_("Type what is worth keeping.")
        ),
    ]


class DrawnFacts(Facts):
    """What was drawn off, with the figures it was decided on."""

    brix: float
    sigma_brix: float
    target_brix: float
    mass_kg: float
    weighed: bool
    call: str


class BoilFacts(BaseModel):
    """The boil at a draw: above water's, with one sigma, at a pressure."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    rise_k: float
    rise_sigma_k: float
    pressure_pa: float
    carry_over_fraction: float
    """Of the mass that the hot vessel boils off afterwards, as it was held then."""


class DrawFacts(DrawnFacts):
    """All that was in the vessel was drawn off."""

    kind: Literal["draw"] = "draw"
    chi2_per_dof: float
    rate_kg_per_min: float | None
    promise_brix: float | None = None
    """How near the target it was said to land."""
    strays: float | None = None
    """By how much of its rate the burner strayed, so far as the boil showed it."""
    boil: BoilFacts | None = None
    """At what temperature it was drawn; None where no thermometer told."""


class PartDrawFacts(DrawnFacts):
    """A part was drawn off; what is left goes on boiling."""

    kind: Literal["part_draw"] = "part_draw"


class PouredFacts(Facts):
    """It, or a part of it, was poured into another batch's pan, or its kettle. The line over there
    names this one."""

    kind: Literal["poured"] = "poured"
    stage: Literal["charge", "bulk"]
    into_batch_id: str
    mass_kg: float
    brix: float
    all_of_it: bool
    rate_kg_per_min: float | None = None
    """How fast it boiled off from first to last, when all of it left the fire."""


class CalledOffFacts(Facts):
    """The batch was opened by mistake: its vessel is free, and nothing it moved counts."""

    kind: Literal["called_off"] = "called_off"


class AlarmFacts(Facts):
    """An alarm was answered; `raised_at` is ISO 8601."""

    kind: Literal["alarm"] = "alarm"
    alarm: str
    words: str
    raised_at: str
