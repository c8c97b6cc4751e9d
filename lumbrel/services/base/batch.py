"""What every service needs of a batch: loaded once, passed down."""

from collections.abc import Callable, Hashable
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import cached_property
from sqlite3 import Connection
from typing import Any, TypeVar, cast

from lumbrel.core import units
from lumbrel.core.pan.boil_shift import Shift
from lumbrel.core.pan.target import DEFAULT_INVERT_FRACTION
from lumbrel.core.pan.vessel import Vessel
from lumbrel.core.physics.sucrose import real_sigma_k
from lumbrel.services.base import standing
from lumbrel.services.base.entry import Entry, F, slip_of
from lumbrel.services.base.facts import DrawFacts, Facts, OpenedFacts, PouredFacts, TakeInFacts
from lumbrel.services.base.form import Form, NotFound, day_and_time, local_time
from lumbrel.store import record
from lumbrel.store.instruments import D, Detail, Instrument, ThermometerDetail, instruments, with_detail
from lumbrel.store.kitchen import Kitchen, VesselRow, Woodlot, load_kitchen, vessels, woodlots
from lumbrel.store.record import Batch
from lumbrel.words import _

T = TypeVar("T")


@dataclass(frozen=True, kw_only=True)
class BatchContext:
    """A batch with its slip, vessel, woodlot and the kitchen's settings, at a moment."""

    db: Connection
    now: datetime
    kitchen: Kitchen
    batch: Batch
    entries: list[Entry[Facts]]
    vessel: VesselRow
    woodlots: tuple[Woodlot, ...]
    """Whose sap it is, the one that brought most first."""
    corrects: Entry[Facts] | None = None
    """The line that is put right, while it is; it stands no more in `entries`."""
    later: tuple[Entry[Facts], ...] = ()
    """What came after that line."""
    worked_out: dict[Hashable, Any] = field(default_factory=dict, init=False, repr=False, compare=False)
    """What `once` keeps."""

    def once(self, name: Hashable, work_out: Callable[[], T]) -> T:
        """What follows from the batch as it stands at this moment, worked out once however often it is asked
        for."""
        if name not in self.worked_out:
            self.worked_out[name] = work_out()
        return cast(T, self.worked_out[name])

    @cached_property
    def current(self) -> list[Entry[Facts]]:
        """The slip without what was corrected or struck."""
        return standing.current(self.entries)

    def then(self, at: datetime, corrects: Entry[Facts]) -> "BatchContext":
        """As it stood at a moment without one line: what whoever puts that line right goes by."""
        own = [e for e in self.entries if e.id != corrects.id]
        by_then = [e for e in own if e.at <= at or isinstance(e.facts, OpenedFacts)]
        later = tuple(e for e in own if e.at > at and not isinstance(e.facts, OpenedFacts))
        return replace(self, now=at, entries=by_then, corrects=corrects, later=later)

    @property
    def whole(self) -> list[Entry[Facts]]:
        """The standing lines, those too that came after a line that is put right."""
        return [*self.current, *standing.current(self.later)]

    def of_kind(self, *kinds: type[F]) -> list[Entry[F]]:
        """Standing lines of some kinds, oldest first."""
        return list(self.once(kinds, lambda: standing.of_kind(self.current, *kinds)))

    @property
    def woodlot(self) -> Woodlot:
        """The woodlot that brought most of it."""
        return self.woodlots[0]

    @property
    def whose(self) -> str:
        """The woodlots in words."""
        return " + ".join(woodlot.name for woodlot in self.woodlots)

    @property
    def drawn(self) -> Entry[DrawFacts] | None:
        """The draw that emptied the vessel."""
        return standing.drawn(self.current)

    @property
    def poured_away(self) -> Entry[PouredFacts] | None:
        """The line with which all that was left went into another batch."""
        return standing.poured_away(self.current)

    @property
    def poured_out_of_the_pan(self) -> list[Entry[PouredFacts]]:
        """Parts that went from its vessel into another; what its kettle gave was drawn before."""
        return [e for e in self.of_kind(PouredFacts) if e.facts.stage == "charge"]

    @property
    def called_off(self) -> bool:
        """Whether it was opened by mistake."""
        return standing.is_called_off(self.current)

    @property
    def left_at(self) -> datetime | None:
        """When the vessel was emptied, or came off the fire: drawn off, poured into another, cooked."""
        gone = self.drawn or self.poured_away or standing.off_the_fire(self.current)
        return gone.at if gone else None

    def first(self, kind: type[F]) -> Entry[F] | None:
        """The first current line of a kind."""
        return next(iter(self.of_kind(kind)), None)

    def last(self, kind: type[F]) -> Entry[F] | None:
        """The last current line of a kind."""
        return next(reversed(self.of_kind(kind)), None)

    @property
    def is_cook(self) -> bool:
        """Whether it is a confection that is cooked, not syrup that is finished."""
        return standing.is_cook(self.current)

    @property
    def taken_in(self) -> Entry[OpenedFacts]:
        """The take-in, or the beginning of a cook, as it was corrected last; every batch has one."""
        return standing.taken_in(self.current)

    @property
    def channels(self) -> int:
        """Of a continuous pan; 0 where it boils down as a whole."""
        facts = self.taken_in.facts
        return facts.channels if isinstance(facts, TakeInFacts) else 0

    @property
    def of_sap(self) -> bool:
        """Whether its fire was lit on sap: it is fed and stoked, and may be poured on."""
        facts = self.taken_in.facts
        return isinstance(facts, TakeInFacts) and bool(facts.tanks or facts.channels)

    @property
    def invert_fraction(self) -> float:
        """Share of hexoses in the solids of this kind of sugar."""
        return DEFAULT_INVERT_FRACTION[self.batch.sugar_kind]

    @cached_property
    def boil_shift(self) -> Shift:
        """How far this woodlot's syrup boils off the curve, as was known at the take-in."""
        known = self.taken_in.facts.learnt
        if known is None:
            return Shift(0.0, real_sigma_k(self.invert_fraction), 0)
        return Shift(known.shift_k, known.shift_sigma_k, known.draws)

    @property
    def geometry(self) -> Vessel:
        """The vessel as core knows it."""
        return self.geometry_at(self.now)

    def geometry_at(self, at: datetime) -> Vessel:
        """The vessel as it was registered when a depth was read, or something was taken in."""
        then = self.vessel.as_of(at)
        return Vessel(then.shape, then.sizes_mm)

    @cached_property
    def instruments(self) -> list[Instrument[Detail]]:
        """Every instrument of the kitchen, retired ones included, as it was at the batch's moment."""
        at = self.left_at or self.now
        return [one.as_of(at) for one in instruments(self.db, retired=True)]

    def instruments_of(self, detail: type[D]) -> list[Instrument[D]]:
        """Instruments of one kind in use at the batch's moment, in the order they were
        registered."""
        in_use = (i for i in self.instruments if i.in_use(self.left_at or self.now))
        return [found for i in in_use if (found := with_detail(i, detail))]

    @property
    def probe(self) -> Instrument[ThermometerDetail] | None:
        """The probe that stands in this vessel."""
        probes = self.instruments_of(ThermometerDetail)
        return next((i for i in probes if i.vessel_id == self.vessel.id), None)

    def require(self, form: Form, sentence: str, *kinds: type[Facts]) -> bool:
        """Whether a line of one of these kinds is on the slip; noted on the form if not."""
        if not self.of_kind(*kinds):
            form.errors["kind"] = sentence
            return False
        return True

    def show(self, value: float | None, kind: str, decimals: int | None = None) -> str:
        """A value in the kitchen's unit of its kind."""
        unit = self.kitchen.units.get(kind, "")
        return units.show(value, kind, unit, decimals, both=self.kitchen.both_units)

    def clock(self, at: datetime) -> str:
        """A moment as the kitchen reads the clock."""
        return units.clock(local_time(at, self.kitchen), self.kitchen.clock)

    def day_and_time(self, at: datetime) -> str:
        """A moment with its day, as 14 March 2026, 14:25."""
        return day_and_time(at, self.kitchen)


def load(db: Connection, code: str, now: datetime) -> BatchContext:
    """A batch by its code.

    Raises:
        NotFound: there is no such batch.
    """
    batch = record.batch_by(db, code=code)
    if batch is None:
        raise NotFound(
            _("There is no batch {code}. The shelf and the kitchen list all there are.", code=code[:20])
        )
    return of(db, batch, now)


def of(db: Connection, batch: Batch, now: datetime, slip: list[Entry[Facts]] | None = None) -> BatchContext:
    """A batch already at hand, with all that belongs to it.

    Args:
        slip: its lines, where they are at hand too.
    """
    entries = slip_of(db, batch.id) if slip is None else slip
    taken = standing.taken_in(standing.current(entries))
    lots = {w.id: w for w in woodlots(db)}
    brought = sorted(taken.facts.parts, key=lambda part: -part.mass_kg * part.brix)
    whose = dict.fromkeys(p.woodlot_id for p in brought) or {batch.woodlot_id: None}
    # Where the take-in was corrected, vessel, kind of sugar and woodlot are those of now.
    held = replace(
        batch,
        vessel_id=taken.facts.vessel_id,
        sugar_kind=taken.facts.sugar_kind,
        woodlot_id=next(iter(whose)),
        opened_at=taken.at,
    )
    context = BatchContext(
        db=db,
        now=now,
        kitchen=load_kitchen(db),
        batch=held,
        entries=entries,
        vessel=next(v for v in vessels(db) if v.id == held.vessel_id),
        woodlots=tuple(lots[woodlot_id] for woodlot_id in whose),
    )
    return replace(context, vessel=context.vessel.as_of(context.left_at or now))
