"""The example's vessels, woodlots and instruments, loaded by one press into an empty kitchen."""

from dataclasses import replace
from datetime import datetime
from sqlite3 import Connection

from lumbrel.store.db import transaction
from lumbrel.store.instruments import (
    SIXTY_F_C,
    Detail,
    HydrometerDetail,
    Instrument,
    RefractometerDetail,
    ThermometerDetail,
    add_instrument,
)
from lumbrel.store.kitchen import VesselRow, Woodlot, add_vessel, add_woodlot, load_kitchen, save_kitchen
from lumbrel.words import _

EXAMPLE_VESSELS = (
    VesselRow(id="finisher-1", name=_("Finisher 1"), shape="rectangular", sizes_mm=(600.0, 400.0)),
    VesselRow(id="finisher-2", name=_("Finisher 2"), shape="round", sizes_mm=(450.0,)),
    VesselRow(id="candy-pot", name=_("Candy pot"), shape="round", sizes_mm=(280.0,), purpose="candy"),
)
EXAMPLE_WOODLOTS = (
    Woodlot("upper-fold", _("Upper Fold")),
    Woodlot("tern-lot", _("Tern Lot")),
    Woodlot("north-kiln", _("North Kiln")),
    Woodlot("old-quarry", _("Old Quarry")),
    Woodlot("birch-row", _("Birch Row"), "birch"),
)
EXAMPLE_INSTRUMENTS: tuple[Instrument[Detail], ...] = (
    Instrument(
        id="probe-1", name=_("Probe 1"), detail=ThermometerDetail(sort="digital"), vessel_id="finisher-1"
    ),
    Instrument(id="dial-a", name=_("Dial A"), detail=ThermometerDetail(sort="dial")),
    Instrument(
        id="long-stem",
        name=_("Long stem"),
        detail=HydrometerDetail(
            scale_low_brix=45.0, scale_high_brix=75.0, glass="soda-lime", calibration_temperature_c=SIXTY_F_C
        ),
    ),
    Instrument(
        id="hand-prism",
        name=_("Hand prism"),
        detail=RefractometerDetail(range_low_brix=0.0, range_high_brix=80.0, compensated=False),
    ),
)
EXAMPLE_ELEVATION_M = 418.0


def load_example(db: Connection, now: datetime) -> None:
    """Equip an empty kitchen with the example's vessels, woodlots and instruments."""
    with transaction(db):
        kitchen = load_kitchen(db)
        save_kitchen(
            db, replace(kitchen, name=_("Cinderpool Finishing Kitchen"), elevation_m=EXAMPLE_ELEVATION_M), now
        )
        for vessel in EXAMPLE_VESSELS:
            add_vessel(db, vessel)
        for woodlot in EXAMPLE_WOODLOTS:
            add_woodlot(db, woodlot)
        for instrument in EXAMPLE_INSTRUMENTS:
            add_instrument(db, instrument)
