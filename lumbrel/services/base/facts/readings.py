"""What is read at the pan: what says something of density, and what measures an amount."""

from typing import Annotated, Literal

from lumbrel.services.base.asked import Quantity
from lumbrel.services.base.facts.kind import Facts
from lumbrel.words import _


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
            of="depth",
            label=_("Depth of the syrup"),
            hint=_("on the boil, from the floor"),
            low=3,
            high=2000,
            big=True,
        ),
    ]


class WeighedFacts(Facts):
    """What a cupful weighed, and how much it was: by a measure, or by the water that the cup holds."""

    kind: Literal["weighed"] = "weighed"
    mass_kg: Annotated[
        float,
        Quantity(
            of="mass",
            label=_("Weight of the syrup"),
            hint=_("without the cup, 331 g"),
            low=0.02,
            high=20,
            sentence=_("The weight must be between 20 g and 20 kg. Enter it as 331 g or 11.7 oz."),
        ),
    ]
    volume_l: Annotated[
        float,
        Quantity(
            of="volume",
            label=_("Cup volume"),
            hint=_("as 250 ml; its water is three times sharper"),
            low=0.02,
            high=20,
            required=False,
            sentence=_("The cup volume must be between 20 ml and 20 L. Enter it as 250 ml or 1 cup."),
        ),
    ]
    temperature_c: Annotated[
        float,
        Quantity(
            of="temperature",
            label=_("temperature"),
            hint=_("of the cupful"),
            low=0,
            high=108,
            sentence=_("The temperature must be between 0 and 108 °C (32 and 226 °F)."),
        ),
    ]
    water_kg: Annotated[
        float | None,
        Quantity(
            of="mass",
            label=_("or weight full of water"),
            hint=_("the same cup, to the same line"),
            low=0.02,
            high=20,
            required=False,
            sentence=_("The weight of water that fills the cup must be between 20 g and 20 kg."),
        ),
    ] = None
    """What the cup holds of water, when that is how its volume is known."""
    dated: Literal["", "dip", "typed"] = ""


class ScaleFacts(Facts):
    """What a scale under the vessel showed, and what the vessel weighs empty."""

    kind: Literal["scale"] = "scale"
    mass_kg: Annotated[
        float,
        Quantity(
            of="mass",
            label=_("Weight on the scale"),
            hint=_("with the vessel on it"),
            low=0.05,
            high=5000,
            sentence=_("The weight on the scale must be between 50 g and 5000 kg."),
        ),
    ]
    empty_kg: Annotated[
        float,
        Quantity(
            of="mass",
            label=_("Weight of the empty vessel"),
            hint=_("0 when tared; empty: as last time"),
            low=0,
            high=2000,
            required=False,
            sentence=_("The empty vessel must weigh 2000 kg or less. Enter 0 if the scale is tared."),
        ),
    ] = 0.0
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
