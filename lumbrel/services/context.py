"""What every service needs of a batch: loaded once, passed down."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core import units
from lumbrel.core.pan.target import DEFAULT_INVERT_FRACTION
from lumbrel.core.pan.vessel import Vessel
from lumbrel.services.readings import Corrector
from lumbrel.services.typed import NotFound, local_time
from lumbrel.store import record
from lumbrel.store.instruments import Instrument, instruments
from lumbrel.store.kitchen import Kitchen, VesselRow, Woodlot, load_kitchen, vessels, woodlots
from lumbrel.store.record import Batch, Entry


@dataclass(frozen=True)
class BatchContext:
    """A batch with its slip, vessel, woodlot and the kitchen's settings, at a moment."""

    db: Connection
    now: datetime
    kitchen: Kitchen
    batch: Batch
    entries: list[Entry]
    vessel: VesselRow
    woodlot: Woodlot

    @property
    def standing(self) -> list[Entry]:
        """The slip without what was amended or struck."""
        return [e for e in self.entries if not e.superseded and e.kind != "struck"]

    def of_kind(self, *kinds: str) -> list[Entry]:
        """Standing entries of some kinds, oldest first."""
        return [e for e in self.standing if e.kind in kinds]

    def first(self, kind: str) -> Entry | None:
        """The first standing entry of a kind."""
        return next(iter(self.of_kind(kind)), None)

    @property
    def invert_fraction(self) -> float:
        """Share of hexoses in the solids of this kind of sugar."""
        return DEFAULT_INVERT_FRACTION[self.batch.sugar_kind]

    @property
    def geometry(self) -> Vessel:
        """The vessel as core knows it."""
        return Vessel(self.vessel.shape, self.vessel.sizes_mm)

    @property
    def probe(self) -> Instrument | None:
        """The probe that stands in this vessel."""
        probes = instruments(self.db, "thermometer")
        return next((i for i in probes if i.vessel_id == self.vessel.id), None)

    def corrector(self) -> Corrector:
        """Corrects this batch's readings, by the schools it was opened under."""
        return Corrector(self.db, self.kitchen, self.batch.sugar_kind, self.batch.schools)

    def show(self, value: float | None, kind: str, decimals: int | None = None) -> str:
        """A value in the kitchen's unit of its kind."""
        unit = self.kitchen.units.get(kind, "")
        return units.show(value, kind, unit, decimals, both=self.kitchen.both_units)

    def clock(self, at: datetime) -> str:
        """A moment as HH:MM in the kitchen."""
        return local_time(at, self.kitchen).strftime("%H:%M")


def load(db: Connection, code: str, now: datetime) -> BatchContext:
    """A batch by its code.

    Raises:
        NotFound: there is no such batch.
    """
    batch = record.batch_by(db, code=code)
    if batch is None:
        raise NotFound(
            f"There is no batch {code[:20]}. The shelf and the kitchen list all there are."
        )
    return of(db, batch, now)


def of(db: Connection, batch: Batch, now: datetime) -> BatchContext:
    """A batch already at hand, with all that belongs to it."""
    vessel = next(v for v in vessels(db) if v.id == batch.vessel_id)
    woodlot = next(w for w in woodlots(db) if w.id == batch.woodlot_id)
    slip = record.entries(db, batch.id)
    return BatchContext(db, now, load_kitchen(db), batch, slip, vessel, woodlot)
