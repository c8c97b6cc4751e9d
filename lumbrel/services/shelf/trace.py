"""Where a parcel came from and what came of it, in figures."""

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from sqlite3 import Connection
from typing import Any

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import DrawnFacts, JarFacts, PutInFacts
from lumbrel.services.base.form import NotFound
from lumbrel.services.day.checks import scale_checks, test_boils
from lumbrel.services.pan.drawn import after_draw
from lumbrel.services.record.flows import SAID_OF_REASON
from lumbrel.services.record.shares import Mixer, Solids, in_order, in_two_rounds
from lumbrel.store import flow, flowed, kept_use
from lumbrel.store.flow import KINDS, Flowed, Parcel
from lumbrel.store.instruments import Detail, Instrument, instruments
from lumbrel.store.kitchen import woodlots
from lumbrel.words import _

WOODLOT = "woodlot"


@dataclass(frozen=True, kw_only=True)
class ParcelLink:
    """A parcel above or below: what came into it in all, and what of that is in the other."""

    kind: str
    code: str
    at: datetime | None
    mass_kg: float
    brix: float
    solids_kg: float
    share: float
    """Above: its share of the traced parcel's sugar. Below: what part of the traced parcel's sugar
    it took."""


@dataclass(frozen=True)
class LeftKitchen:
    """What of a parcel left the kitchen, or is missing, and why."""

    reason: str
    solids_kg: float
    share: float
    packs: int


@dataclass(frozen=True, kw_only=True)
class Vouched:
    """An instrument that was read for it, and how it had been checked."""

    instrument: str
    kind: str
    readings: int
    last_read_at: datetime
    checked_at: datetime | None


@dataclass(frozen=True, kw_only=True)
class Traced:
    """A parcel with all that went into it and all that came of it."""

    kind: str
    code: str
    at: datetime | None
    mass_kg: float
    brix: float
    solids_kg: float
    came_from: list[ParcelLink]
    """Nearest first, woodlots last."""
    went_into: list[ParcelLink]
    left: list[LeftKitchen]
    vouched: list[Vouched]
    also: list[str]
    """Other kinds of parcel under the same code."""


def flows_of(db: Connection, code: str, kind: str = "") -> Traced:
    """Trace a parcel both ways by its code; a woodlot by its name.

    Args:
        kind: which of several that bear the same code; the one nearest to the customer if empty.
    Raises:
        NotFound: nothing is known under that code.
    """
    named = flow.parcels_called(db, code)
    chosen = next((p for p in named if kind in ("", p.kind)), None)
    if chosen is None:
        return _of_woodlot(db, code, kind)
    above = flowed.above(db, chosen.id)
    below = flowed.below(db, chosen.id)
    return _traced(db, chosen, above, below, [p.kind for p in named if p.kind != chosen.kind])


def _traced(db: Connection, chosen: Parcel, above: set[str], below: set[str], also: list[str]) -> Traced:
    into = flowed.flows_into(db, chosen.id)
    solids, mass = _sums(into)
    labels = _through(db, chosen.id, above)
    went, left = _below(db, {chosen.id}, below)
    links = _links(db, labels, solids)
    return Traced(
        kind=chosen.kind,
        code=chosen.code,
        at=chosen.opened_at,
        mass_kg=mass,
        brix=100 * solids / mass if mass else 0.0,
        solids_kg=solids,
        came_from=[*links, *_whose(db, into, solids)],
        went_into=_links(db, went, solids, up=False),
        left=_left(left, solids),
        vouched=_vouched(db, above),
        also=also,
    )


def _sums(flows: Iterable[Flowed]) -> tuple[float, float]:
    every = [one.flow for one in flows]
    return sum(f.solids_kg for f in every), sum(f.mass_kg for f in every)


def _through(db: Connection, target: str, above: set[str]) -> Solids:
    """How much sugar came to a parcel through each one above it. A label is the way it came."""

    def from_elsewhere(one: Flowed, mixer: Mixer) -> Solids:
        source, goal, kg = one.flow.source_id, one.flow.target_id, one.flow.solids_kg
        if not kg:
            return {}
        if source is not None:
            return {f"{way}|{source}": part for way, part in mixer.take(source, kg).items()}
        assert goal is not None
        parcel = flow.parcel(db, goal)
        begins = parcel is not None and parcel.woodlot_id is not None
        return {"": kg} if begins else mixer.like(goal, kg)

    _any, mixer = in_two_rounds(in_order(db, above), from_elsewhere)
    through: Solids = defaultdict(float)
    for way, kg in mixer.came[target].items():
        for parcel_id in filter(None, way.split("|")):
            through[parcel_id] += kg
    return dict(through)


def _below(db: Connection, sources: set[str], below: set[str]) -> tuple[Solids, dict[str, Any]]:
    """By parcel below, how much of the sources' sugar it took; and what left, by reason."""
    moved = in_order(db, below)

    def from_elsewhere(one: Flowed, mixer: Mixer) -> Solids | None:
        source = one.flow.source_id
        if source in sources:
            return {"of it": one.flow.solids_kg}
        if source in below:
            return None
        if one.flow.target_id in sources:
            return {}
        return {"other": one.flow.solids_kg} if one.flow.solids_kg else {}

    carried, mixer = in_two_rounds(moved, from_elsewhere)
    took = {p: labels.get("of it", 0.0) for p, labels in mixer.came.items() if p not in sources}
    left: dict[str, Any] = defaultdict(lambda: [0.0, 0])
    for one in moved:
        if one.flow.target_id is None:
            part = carried[one.entry_id, one.line].get("of it", 0.0)
            reason = SAID_OF_REASON.get(one.flow.reason, one.flow.reason)
            left[reason][0] += part
            left[reason][1] += one.flow.packs or 0
    return {p: kg for p, kg in took.items() if kg > 0}, left


def _links(db: Connection, solids: Solids, whole: float, *, up: bool = True) -> list[ParcelLink]:
    found = []
    for parcel_id, kg in solids.items():
        parcel = flow.parcel(db, parcel_id)
        assert parcel is not None
        came, mass = _sums(flowed.flows_into(db, parcel_id))
        found.append(
            ParcelLink(
                kind=parcel.kind,
                code=parcel.code,
                at=parcel.opened_at,
                mass_kg=mass,
                brix=100 * came / mass if mass else 0.0,
                solids_kg=kg,
                share=kg / whole if whole else 0.0,
            )
        )
    way = -1 if up else 1
    return sorted(found, key=lambda link: (way * KINDS.index(link.kind), link.at, link.code))


def _whose(db: Connection, into: list[Flowed], whole: float) -> list[ParcelLink]:
    """The woodlots whose sugar came into a parcel."""
    names = {w.id: w.name for w in woodlots(db)}
    solids: Solids = defaultdict(float)
    for one in into:
        for woodlot, kg in flow.shares(db, one.entry_id, one.line).items():
            solids[woodlot] += kg
    return [
        ParcelLink(
            kind=WOODLOT,
            code=names[woodlot],
            at=None,
            mass_kg=0.0,
            brix=0.0,
            solids_kg=kg,
            share=kg / whole if whole else 0.0,
        )
        for woodlot, kg in sorted(solids.items(), key=lambda pair: -pair[1])
    ]


def _left(left: dict[str, Any], whole: float) -> list[LeftKitchen]:
    return [
        LeftKitchen(reason, kg, kg / whole if whole else 0.0, packs)
        for reason, (kg, packs) in left.items()
        if kg > 0
    ]


def _vouched(db: Connection, above: set[str]) -> list[Vouched]:
    """The instruments that were read for the batches a parcel came from."""
    batches = {p.batch_id for i in above if (p := flow.parcel(db, i)) and p.batch_id}
    uses = [use for batch_id in batches for use in kept_use.uses_of(db, batch_id)]
    known = {i.id: i for i in instruments(db, retired=True)}
    found = []
    for instrument_id in dict.fromkeys(use.instrument_id for use in uses):
        mine = [use for use in uses if use.instrument_id == instrument_id]
        last = max(use.last_at for use in mine)
        one = known[instrument_id].as_of(last)
        found.append(
            Vouched(
                instrument=one.name,
                kind=one.kind,
                readings=sum(use.times for use in mine),
                last_read_at=last,
                checked_at=_checked(db, one, last),
            )
        )
    return sorted(found, key=lambda v: v.instrument)


def _checked(db: Connection, instrument: Instrument[Detail], until: datetime) -> datetime | None:
    boils = [boil.at for boil in test_boils(db, instrument.id, until, 1)]
    checks = [check.at for check in scale_checks(db, instrument.id, until, 1)]
    return max([*boils, *checks], default=None)


def _of_woodlot(db: Connection, name: str, kind: str) -> Traced:
    """What came of all that a woodlot delivered in its last season."""
    wanted = name.strip().lower()
    found = next((w for w in woodlots(db) if wanted in (w.name.lower(), w.id.lower())), None)
    if found is None or kind not in ("", WOODLOT):
        raise NotFound(_("Nothing is known under the code {name}.", name=name[:40]))
    newest = flow.newest_delivery(db, found.id)
    year = newest.opened_at.year if newest else 1
    since, until = datetime(year, 1, 1, tzinfo=UTC), datetime(year + 1, 1, 1, tzinfo=UTC)
    sources = {p.id for p in flow.parcels_of_woodlot(db, found.id, since, until)}
    into = [one for p in sources for one in flowed.flows_into(db, p)]
    solids, mass = _sums(into)
    below = {one for p in sources for one in flowed.below(db, p)}
    went, left = _below(db, sources, below)
    return Traced(
        kind=WOODLOT,
        code=found.name,
        at=newest.opened_at if newest else None,
        mass_kg=mass,
        brix=100 * solids / mass if mass else 0.0,
        solids_kg=solids,
        came_from=[],
        went_into=_links(db, went, solids, up=False),
        left=_left(left, solids),
        vouched=[],
        also=[],
    )


def summary(context: BatchContext) -> dict[str, Any]:
    """The figures of a batch that stand on its page and in its export."""
    taken = context.taken_in.facts
    facts: dict[str, Any] = {
        "taken_in_kg": taken.mass_kg,
        "taken_in_brix": taken.brix,
        "drawn_kg": None,
        "final_brix": None,
        "yield_percent": None,
    }
    if context.of_kind(DrawnFacts):
        after = after_draw(context)
        facts["drawn_kg"], facts["final_brix"] = after.mass_kg, after.brix
        jarred = sum(e.facts.mass_kg for e in context.of_kind(JarFacts))
        if jarred:
            solids = taken.mass_kg * taken.brix
            solids += sum(e.facts.mass_kg * e.facts.brix for e in context.of_kind(PutInFacts))
            facts["yield_percent"] = 100 * jarred * after.brix / solids
    return facts
