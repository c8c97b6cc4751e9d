"""What each kind of line keeps: one frozen model a kind, with a version.

A line's facts are written once and never again. Fields may be added with a default; where the
meaning of a field changes, the kind's `VERSION` grows and `UPCAST` says how an older line is read.
Their JSON Schemas are what exports are published with.
"""

from collections.abc import Callable
from typing import Annotated, Any, ClassVar, Literal

from pydantic import BaseModel, ConfigDict

from lumbrel.services.base.asked import Choice, Quantity, Text

KINDS: dict[str, type["Facts"]] = {}
"""Every kind of line that is declared, by its key."""


class Facts(BaseModel):
    """What a line was understood or decided to say, in SI. A model that says its kind declares it."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    VERSION: ClassVar[int] = 1
    kind: str

    @classmethod
    def __pydantic_init_subclass__(cls, **_more: Any) -> None:
        if "kind" in cls.__annotations__:
            if cls.key() in KINDS:
                raise TypeError(f"{cls.key()} is the kind of {KINDS[cls.key()].__name__} already")
            KINDS[cls.key()] = cls

    @classmethod
    def key(cls) -> str:
        """The kind of line it is of, as the record names it."""
        return str(cls.model_fields["kind"].default)

    def written(self) -> dict[str, Any]:
        """As the record keeps them: what was given, without the kind."""
        return self.model_dump(mode="json", exclude={"kind"}, exclude_unset=True)


class UnreadFacts(Facts):
    """What a line keeps that this Lumbrel cannot read; it is shown as it was typed."""

    given: dict[str, Any]

    def written(self) -> dict[str, Any]:
        """As the record keeps them."""
        return self.given


class Part(BaseModel):
    """What one woodlot brought to a take-in."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    woodlot_id: str
    mass_kg: float
    brix: float


class FromTank(BaseModel):
    """Sap that a tank gave."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    tank_id: str
    mass_kg: float
    brix: float


class Learnt(BaseModel):
    """What earlier boils had taught when a batch was taken in: by how much its vessel's burner strays;
    how much hotter its woodlot's syrup boils, how well that is known, and by how many draws."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    strays: float
    shift_k: float
    shift_sigma_k: float
    draws: int


class TakeInFacts(Facts):
    """Near-syrup came into a vessel. `brix` is corrected, `brix_read` as it was told or read."""

    kind: Literal["take_in"] = "take_in"
    mass_kg: float
    brix: float
    temperature_c: float
    amount_by: Literal["mass", "volume", "depth"]
    amount: float
    brix_read: float
    target_brix: float
    water_kg: float
    vessel_id: str
    sugar_kind: str
    brix_sigma: float | None = None
    """Given when nobody measured it: then `brix` is a guess, from the sap or from nothing."""
    sap_kg: float | None = None
    """All the raw sap that it came from."""
    tree: str = ""
    learnt: Learnt | None = None
    """None when nothing was taught before."""
    parts: tuple[Part, ...] = ()
    """What came from which woodlot; left out, all of it from the woodlot the batch names."""
    tanks: tuple[FromTank, ...] = ()
    """Sap for a boil-down, from the tanks that gave it."""
    from_batch_id: str = ""
    """It was poured on from the pan of a boil-down, or from what was drawn of it."""
    from_stage: Literal["charge", "bulk"] = "charge"
    """Whether that came from its pan, all of it, or from its kettle."""
    channels: int = 0
    """Of a continuous pan, that sap runs through one after the other; 0 where it boils down as a whole."""
    setup: str = ""
    """Over what fire a boil-down was lit."""
    fuel: str = ""
    """And what burns in it."""


BathKey = Literal["bench", "water", "ice"]


class CookFacts(Facts):
    """Syrup came into a candy pot, to be cooked to a confection. `target_brix` are the solids that its
    boil leaves; the mark is `above_water_k` above boiling water."""

    kind: Literal["cook"] = "cook"
    mass_kg: float
    brix: float
    temperature_c: float
    target_brix: float
    water_kg: float
    vessel_id: str
    sugar_kind: str
    brix_sigma: float | None = None
    learnt: Learnt | None = None
    parts: tuple[Part, ...] = ()
    """Of syrup that comes from a woodlot: what came from which."""
    piece: str
    above_water_k: float
    stir_c: float | None = None
    """Where stirring begins, or where it is poured; None where it rests and is poured."""
    serving_c: float = 20.0
    bath: BathKey = "bench"
    invert_percent: float
    invert_sigma: float
    loss: float
    """Share of the confection that stays in this pot, as it was held then."""
    from_lot: str = ""
    """Jars of a lot were opened into the pot."""
    jars: tuple[tuple[float, int], ...] = ()
    rest_kg: float = 0.0
    """What of those jars was not put in."""
    pieces: int | None = None
    each_kg: float | None = None


OpenedFacts = TakeInFacts | CookFacts
"""What a batch begins with."""


class ReadingFacts(Facts):
    """What an instrument showed. `dated` says whose moment the line's is: that of the dip, or of
    typing it, some time later; empty on lines of before this was asked."""

    instrument_id: str
    dated: Literal["", "dip", "typed"] = ""


class HydrometerFacts(ReadingFacts):
    """Where the stem floated; below its scale `reading_brix` is the scale's lowest mark."""

    kind: Literal["hydrometer"] = "hydrometer"
    reading_brix: float
    cup_c: float
    cup_assumed: bool = False
    below_scale: bool = False
    cup_by: str = ""


class RefractometerFacts(ReadingFacts):
    """What a drop on the prism showed."""

    kind: Literal["refractometer"] = "refractometer"
    reading_brix: float
    sample_c: float
    compensated: bool = False
    hot_drop: bool = False


class ThermometerFacts(ReadingFacts):
    """What a thermometer showed in the boil."""

    kind: Literal["thermometer"] = "thermometer"
    reading_c: float


class DepthFacts(Facts):
    """How deep the boil stood."""

    kind: Literal["depth"] = "depth"
    depth_mm: Annotated[
        float,
        Quantity(
            of="depth", label="deep", hint="on the boil, from the floor", low=3, high=2000, big=True
        ),
    ]


class WeighedFacts(Facts):
    """What a cupful weighed, and how much it was: by a measure, or by the water that the cup holds."""

    kind: Literal["weighed"] = "weighed"
    mass_kg: float
    volume_l: float
    temperature_c: float
    water_kg: float | None = None
    """What the cup holds of water, when that is how its volume is known."""
    dated: Literal["", "dip", "typed"] = ""


class ScaleFacts(Facts):
    """What a scale under the vessel showed, and what the vessel weighs empty."""

    kind: Literal["scale"] = "scale"
    mass_kg: float
    empty_kg: float = 0.0
    dated: Literal["", "dip", "typed"] = ""


class MeasuredFacts(Facts):
    """How much syrup there was after the draw, and how much there should have been, as known then."""

    kind: Literal["measured"] = "measured"
    amount_by: Literal["mass", "volume"]
    amount: float
    heat_c: float | None = None
    """How warm it was, when a volume was measured."""
    mass_kg: float
    expected_kg: float
    share: float
    sigma_share: float


class BoilingFacts(Facts):
    """It began to boil off."""

    kind: Literal["boiling"] = "boiling"


class HeatFacts(Facts):
    """The heat was put off, or on again."""

    kind: Literal["heat"] = "heat"
    on: bool


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


class SignFacts(Facts):
    """What was seen: a reading with a wide band."""

    kind: Literal["sign"] = "sign"
    sign: SignKey
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


class StageFacts(Facts):
    """A step of a boil-down."""

    kind: Literal["stage"] = "stage"
    step: Literal["warming", "together", "banked", "on_again"]


class NoteFacts(Facts):
    """Something worth keeping."""

    kind: Literal["note"] = "note"
    text: Annotated[
        str,
        Text(
            label="Note",
            hint="bubbles, sheeting, taste ...",
            missing="Type what is worth keeping.",
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


Clarity = Literal["clear", "hazy", "cloudy"]


class FilterFacts(Facts):
    """Filtered hot. `loss_kg` stayed in the filter, when it was weighed before and after."""

    kind: Literal["filter"] = "filter"
    method: str
    temperature_c: float
    twice: bool
    out_kg: float | None = None
    loss_kg: float | None = None
    brix: float | None = None
    clarity: Clarity | None = None


class PassedFacts(Facts):
    """So much had passed the filter."""

    kind: Literal["passed"] = "passed"
    litres: float
    method: str


class PulledFacts(Facts):
    """A layer was pulled, or a filter changed: it was blind."""

    kind: Literal["pulled"] = "pulled"


Taste = Literal["delicate", "rich", "robust", "strong"]
Box = tuple[float, float, float, float]
"""A box on a picture: left, top, width and height as shares of the picture's."""


class ColourFacts(Facts):
    """The colour class by a meter (with its transmittance), by eye (with what it was held to), by a
    photograph (with the boxes on blank and sample), or by the arithmetic of a blend."""

    kind: Literal["colour"] = "colour"
    by: Literal["meter", "eye", "photo", "blend"]
    flaws: tuple[str, ...]
    for_processing: bool
    transmittance_percent: float | None = None
    path_mm: float | None = None
    transmittance_10mm_percent: float | None = None
    grade: str
    chances: dict[str, float] | None = None
    vial: str = ""
    reference: str = ""
    blank_percent: float | None = None
    """What the meter read of the blank, when it was not set to 100."""
    between: tuple[float | None, float | None] | None = None
    """By eye: the references it lay between, percent through 10 mm; the same twice when it was alike."""
    transmittance_limits: tuple[float, float] | None = None
    photo: str | None = None
    """The hash of the photograph it was judged by."""
    blank_box: Box | None = None
    sample_box: Box | None = None
    sigma_points: float | None = None
    """How well a photograph tells it, points of transmittance."""
    taste: Taste | None = None


class JarFacts(Facts):
    """Jars filled: content in ml at 20 degC and count of each size."""

    kind: Literal["jar"] = "jar"
    fill_c: float
    lot: str
    jars: tuple[tuple[float, int], ...]
    brix: float
    target_brix: float
    hot_pack: str
    mass_kg: float
    more_left: bool = False
    """Whether more of the same is to be packed later."""
    fill_by: Literal["", "kettle", "felt"] = ""
    """Whose word the fill temperature is: typed, the kettle's cooling, or a hand's and an eye's."""
    care: tuple[str, ...] = ()
    """What was done to the jars: preheated, turned."""


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


class BathFacts(Facts):
    """The pot was put somewhere else to cool, or its water was changed."""

    kind: Literal["bath"] = "bath"
    bath: BathKey
    around_c: float | None = None


class StirFacts(Facts):
    """Stirring began, or what is not stirred was poured: how warm it was, by a reading or its cooling; and
    how fast it had cooled, as the record learns it."""

    kind: Literal["stir"] = "stir"
    temperature_c: float | None = None
    by: Literal["pot", "cooling", ""] = ""
    rate_per_min: float | None = None
    """As 13 kg would cool there."""


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
    "soft",
    "hard",
    "weeps",
    "grainy",
    "in_pot",
    "parted",
    "never",
    "scorched",
    "sticky_snow",
    "bloom",
]


class ScoredFacts(Facts):
    """How it came out: too soft (-2) to too hard (2), coarse (1) to smooth (5), poor (1) to fine (5)."""

    kind: Literal["scored"] = "scored"
    texture: int
    grain: int | None = None
    taste: int
    flaw: Flaw | None = None
    note: str = ""
    photo: str | None = None
    """The hash of its photograph."""


class InvertFacts(Facts):
    """Invert sugar by a glucose meter: what it showed of one part of syrup in so many of the dilution, and
    what that is, percent of the syrup."""

    kind: Literal["invert"] = "invert"
    reading_mg_dl: float
    dilution: float
    percent: float
    sigma_percent: float


class KettleFacts(Facts):
    """What the kettle showed, off the fire."""

    kind: Literal["kettle"] = "kettle"
    temperature_c: float
    probe: str | None = None
    """The probe that was put into the kettle, and tells its temperature from here on."""


class ReheatFacts(Facts):
    """The kettle went back on the fire."""

    kind: Literal["reheat"] = "reheat"


class PackedFacts(Facts):
    """Nothing more of it is packed."""

    kind: Literal["packed"] = "packed"


STANDS = {"clear": "clear", "hazy": "a little hazy", "cloudy": "cloudy, or sediment"}


class CheckedFacts(Facts):
    """The jars a day later: how many lids did not seal, and how clear it is."""

    kind: Literal["checked"] = "checked"
    unsealed: Annotated[
        int,
        Quantity(
            of="count",
            label="lids that did not seal",
            hint="press the middle: a sealed lid gives nothing",
            low=0,
            high=10_000,
        ),
    ]
    clarity: Annotated[
        Clarity,
        Choice(label="It stands", options=STANDS, missing="Say how clear it stands in the jar."),
    ]
    note: Annotated[str, Text(label="worth keeping", limit=200)] = ""


OutReason = Literal["sold", "woodlot", "given", "used", "broken", "spoiled", "other"]


class TakenOutFacts(Facts):
    """Jars left the shelf. `woodlot_id` when they are a woodlot's own share."""

    kind: Literal["taken_out"] = "taken_out"
    lot: str
    jars: tuple[tuple[float, int], ...]
    brix: float
    reason: OutReason
    note: str = ""
    woodlot_id: str = ""


class CameBackFacts(Facts):
    """Jars came back to the shelf."""

    kind: Literal["came_back"] = "came_back"
    lot: str
    jars: tuple[tuple[float, int], ...]
    brix: float
    note: str = ""
    complaint: str = ""
    """What was wrong with them; empty when nothing was."""


class CalledOffFacts(Facts):
    """The batch was opened by mistake: its vessel is free, and nothing it moved counts."""

    kind: Literal["called_off"] = "called_off"


class AlarmFacts(Facts):
    """An alarm was answered; `raised_at` is ISO 8601."""

    kind: Literal["alarm"] = "alarm"
    alarm: str
    words: str
    raised_at: str


class StruckFacts(Facts):
    """The line it supersedes was struck."""

    kind: Literal["struck"] = "struck"


UPCAST: dict[tuple[str, int], Callable[[dict[str, Any]], dict[str, Any]]] = {}
"""How facts of an older version are read as the next one, by kind and version."""


def read_facts(kind: str, version: int, written: dict[str, Any]) -> Facts:
    """Facts as the record keeps them, whatever version of their kind they were written in.

    A kind that this Lumbrel does not have, of a newer version or of a station that is no more, is kept
    as it is.

    Raises:
        pydantic.ValidationError: not the fields of its kind.
    """
    while (kind, version) in UPCAST:
        written = UPCAST[kind, version](written)
        version += 1
    known = KINDS.get(kind)
    if known is None or version > known.VERSION:
        return UnreadFacts(kind=kind, given=written)
    return known.model_validate({"kind": kind, **written})


def schemas() -> dict[str, Any]:
    """The JSON Schema of what each kind of line keeps, by kind."""
    return {kind: KINDS[kind].model_json_schema() for kind in sorted(KINDS)}
