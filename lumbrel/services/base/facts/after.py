"""What happens to syrup after the draw: filter, colour, kettle, jars, shelf."""

from typing import Annotated, Literal

from lumbrel.core.filter.flow import MEDIA
from lumbrel.services.base.asked import Choice, Quantity, Words
from lumbrel.services.base.facts.kind import Facts
from lumbrel.words import _

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
    litres: Annotated[
        float,
        Quantity(of="volume", label=_("Volume through so far"), low=0, high=5000, required=False, big=True),
    ] = 0.0
    method: Annotated[
        str,
        Choice(
            label=_("Filter"),
            options={key: medium.name for key, medium in MEDIA.items()},
            missing=_("Choose what it runs through."),
        ),
    ]


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


class KettleFacts(Facts):
    """What the kettle showed, off the fire."""

    kind: Literal["kettle"] = "kettle"
    temperature_c: Annotated[
        float,
        Quantity(
            of="temperature",
            name="kettle",
            label=_("kettle temperature"),
            low=30,
            high=115,
            big=True,
            sentence=_("The kettle temperature must be between 30 and 115 °C (86 and 239 °F)."),
        ),
    ]
    probe: str | None = None
    """The probe that was put into the kettle, and tells its temperature from here on."""


class ReheatFacts(Facts):
    """The kettle went back on the fire."""

    kind: Literal["reheat"] = "reheat"


class PackedFacts(Facts):
    """Nothing more of it is packed."""

    kind: Literal["packed"] = "packed"


STANDS = {"clear": _("clear"), "hazy": _("a little hazy"), "cloudy": _("cloudy, or sediment")}


class CheckedFacts(Facts):
    """The jars a day later: how many lids did not seal, and how clear it is."""

    kind: Literal["checked"] = "checked"
    unsealed: Annotated[
        int,
        Quantity(
            of="count",
            label=_("lids that did not seal"),
            hint=_("press the middle: a sealed lid gives nothing"),
            low=0,
            high=10_000,
        ),
    ]
    clarity: Annotated[
        Clarity,
        Choice(
            label=_("Clarity in the jar"), options=STANDS, missing=_("Say how clear it stands in the jar.")
        ),
    ]
    note: Annotated[str, Words(label=_("Note"), limit=200)] = ""


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
