"""What a take-in may hold."""

from sqlite3 import Connection
from typing import Literal

from lumbrel.services.base.form import Bounds
from lumbrel.store.kitchen import VesselRow, vessels
from lumbrel.words import _

Measure = Literal["mass", "volume", "depth"]
MOST_PARTS = 4
TURNS = 6
LIMITS: dict[Measure, tuple[float, float, str]] = {
    "mass": (0.2, 5000.0, "kg"),
    "volume": (0.2, 5000.0, "L"),
    "depth": (1.0, 2000.0, "mm"),
}
BRIX = Bounds("brix", "brix", 1, 75, _("Near-syrup has between 1 and 75 Brix; concentrate 8 and up."))
TEMPERATURE = Bounds(
    "temperature",
    "temperature",
    0,
    110,
    _("The near-syrup temperature must be between 0 and 110 °C (32 and 230 °F)."),
)
TARGET = Bounds(
    "target", "brix", 60, 75, _("The target must be between 60 and 75 Brix; syrup is 66.0 to 68.9.")
)
NEAR_SYRUP = Bounds(
    "target",
    "brix",
    20,
    75,
    _("A boil-down ends between 20 and 75 Brix: near-syrup is 50 to 60, syrup 66.0 to 68.9."),
)
SAP = Bounds("brix", "brix", 0.1, 30, _("Sap must hold between 0.1 and 30 Brix."))
BOIL_DOWN = "boil_down"
"""Of a form: sap that is boiled down to near-syrup, fed as it boils."""
STEM = Bounds(
    "brix", "stem", 0.1, 85, _("A stem reads above 0 and at most 85 Brix; type Be behind Baumé degrees.")
)
SAMPLE = Bounds(
    "sample",
    "temperature",
    10,
    30,
    _("A drop has a number between 10 and 30 °C (50 and 86 °F) only: let it come to temperature."),
)
SAP_SENTENCE = _("Enter the raw sap used in all, between 0.5 L and 100 000 L.")
SAP_VOLUME = Bounds("raw_sap", "volume", 0.5, 100_000, SAP_SENTENCE)
SAP_MASS = Bounds("raw_sap", "mass", 0.5, 100_000, SAP_SENTENCE)


def finishers(db: Connection) -> list[VesselRow]:
    """The vessels that near-syrup is finished in."""
    return [v for v in vessels(db) if v.purpose == "finisher"]
