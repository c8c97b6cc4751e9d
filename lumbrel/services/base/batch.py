"""What every service needs of a batch: loaded once, passed down."""

from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from sqlite3 import Connection

from lumbrel.core import units
from lumbrel.core.pan.target import DEFAULT_INVERT_FRACTION
from lumbrel.core.pan.vessel import Vessel
from lumbrel.services.base.entry import Entry, F, of_row, with_facts
from lumbrel.services.base.facts import Facts, StruckFacts, TakeInFacts
from lumbrel.services.base.form import Form, NotFound, local_time
from lumbrel.store import record
from lumbrel.store.instruments import (
    D,
    Detail,
    Instrument,
    ThermometerDetail,
    instruments,
    with_detail,
)
from lumbrel.store.kitchen import Kitchen, VesselRow, Woodlot, load_kitchen, vessels, woodlots
from lumbrel.store.record import Batch


@dataclass(frozen=True, kw_only=True)
class BatchContext:
    """A batch with its slip, vessel, woodlot and the kitchen's settings, at a moment."""

    db: Connection
    now: datetime
    kitchen: Kitchen
    batch: Batch
    entries: list[Entry[Facts]]
    vessel: VesselRow
    woodlot: Woodlot

    @property
    def current(self) -> list[Entry[Facts]]:
        """The slip without what was corrected or struck."""
        return [
            e for e in self.entries if not e.superseded and not isinstance(e.facts, StruckFacts)
        ]

    def of_kind(self, *kinds: type[F]) -> list[Entry[F]]:
        """Standing lines of some kinds, oldest first."""
        return [found for e in self.current if (found := with_facts(e, kinds))]

    def first(self, kind: type[F]) -> Entry[F] | None:
        """The first current line of a kind."""
        return next(iter(self.of_kind(kind)), None)

    def last(self, kind: type[F]) -> Entry[F] | None:
        """The last current line of a kind."""
        return next(reversed(self.of_kind(kind)), None)

    @property
    def taken_in(self) -> Entry[TakeInFacts]:
        """The take-in, as it was corrected last; every batch has one."""
        entry = self.first(TakeInFacts)
        assert entry is not None
        return entry

    @property
    def invert_fraction(self) -> float:
        """Share of hexoses in the solids of this kind of sugar."""
        return DEFAULT_INVERT_FRACTION[self.batch.sugar_kind]

    @property
    def geometry(self) -> Vessel:
        """The vessel as core knows it."""
        return Vessel(self.vessel.shape, self.vessel.sizes_mm)

    @cached_property
    def instruments(self) -> list[Instrument[Detail]]:
        """Every instrument of the kitchen, retired ones included."""
        return instruments(self.db, retired=True)

    def instruments_of(self, detail: type[D]) -> list[Instrument[D]]:
        """Instruments of one kind in use, in the order they were registered."""
        in_use = (i for i in self.instruments if i.retired_at is None)
        return [found for i in in_use if (found := with_detail(i, detail))]

    @property
    def probe(self) -> Instrument[ThermometerDetail] | None:
        """The probe that stands in this vessel."""
        probes = self.instruments_of(ThermometerDetail)
        return next((i for i in probes if i.vessel_id == self.vessel.id), None)

    def require(self, form: Form, kind: type[Facts], sentence: str) -> None:
        """Note on a form that a line of a kind must be on the slip first."""
        if self.first(kind) is None:
            form.errors["kind"] = sentence

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
    return BatchContext(
        db=db,
        now=now,
        kitchen=load_kitchen(db),
        batch=batch,
        entries=[of_row(row) for row in record.entries(db, batch.id)],
        vessel=vessel,
        woodlot=woodlot,
    )
