"""The one way a line comes on to a slip, with all that is kept besides the lines."""

from collections import defaultdict
from datetime import datetime
from sqlite3 import Connection
from typing import Any

from lumbrel.services.base import batch as contexts
from lumbrel.services.base import book as book_of_all
from lumbrel.services.base import said, standing
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.burned import burn_seen
from lumbrel.services.base.cooked import cook_seen
from lumbrel.services.base.entry import Entry, slip_of
from lumbrel.services.base.facts import (
    ColourFacts,
    Facts,
    FedFacts,
    JarFacts,
    MadeFacts,
    PartDrawFacts,
    ReadingFacts,
    ScoredFacts,
    TakeInFacts,
)
from lumbrel.services.base.filtered import filter_seen
from lumbrel.services.base.form import BadInput
from lumbrel.services.base.progress import Progress
from lumbrel.services.bench.boil_shift import shift_of
from lumbrel.services.bench.cold_check import cold_check
from lumbrel.services.bench.hot_and_cold import pairs_of
from lumbrel.services.bench.promises import promise_of
from lumbrel.services.day.facts import PressureFacts
from lumbrel.services.record import says, sums
from lumbrel.services.record.flows import NotPacked, deliveries, moved_by, takes_jars
from lumbrel.services.record.lots import keep_lots
from lumbrel.services.record.moved import Moved, moves
from lumbrel.services.record.shares import settle
from lumbrel.store import book, cooks, flow, flowed, kept, kept_use, photographs, record, sap
from lumbrel.store.db import KEPT_TABLES, lines_stand, make_kept_tables, migrate, transaction
from lumbrel.store.instruments import BarometerDetail, instruments_of
from lumbrel.store.kept import Standing
from lumbrel.store.kept_use import Pair, Use
from lumbrel.store.kitchen import SETTING, Kitchen, hold_settings, load_kitchen, save_kitchen
from lumbrel.store.record import Batch
from lumbrel.store.registered import ALWAYS, KIND, hold, hold_all
from lumbrel.words import _

KEPT_VERSION = 15
"""Grows when what is kept, or how it follows from the lines, changes."""


class Unsound(ValueError):
    """Lines from which nothing can follow; the message says why."""


def write(db: Connection, entry: Entry[Facts]) -> bool:
    """Put a line on its slip with what it moves, and keep up to date what follows from it. Runs
    inside the writer's transaction. Returns False, and writes nothing, when it is there already.

    Raises:
        BadInput: jars would be missing that have left the shelf already, or amounts do not add up
            and nobody has said that it is so.
    """
    batch = record.batch_by(db, id=entry.batch_id)
    assert batch is not None
    if not book.add(db, entry.row()):
        return False
    if isinstance(entry.facts, ColourFacts | ScoredFacts) and entry.facts.photo:
        _keep_photograph(db, entry.facts.photo)
    slip = slip_of(db, batch.id)
    lines = standing.current(slip)
    before = flow.flows_of_line(db, entry.supersedes) if entry.supersedes else []
    touched = set()
    if moves(db, batch, entry, lines):
        moved = Moved(db)
        moved.keep(batch, slip)
        moved.keep_what_rests_on(batch.id)
        touched = moved.touched
    sums.ask(db, entry, touched, before)
    learned = keep(db, batch, lines)
    says.say_by(db, batch, slip, entry)
    _keep_taught(db, batch, lines)
    for pair in learned:
        # What a stem learns of itself holds for whatever else it read from then on, noted already or not.
        follow(db, pair.cold_at, pair.instrument_id)
    _keep_below(db, batch, touched)
    return True


def _keep_photograph(db: Connection, name: str) -> None:
    """It is there before its line is: what comes to nothing then is a file too many, not one missing."""
    if not photographs.keep(db, name):
        raise BadInput({"photo": _("That photograph is no longer available. Choose it again.")})


def keep(db: Connection, batch: Batch, lines: standing.Slip) -> set[Pair]:
    """Keep up to date what follows from the lines of one slip alone.

    Returns:
        The hot and cold pairs that came or went.
    """
    stands = _standing_of(lines)
    kept.keep_standing(db, batch.id, None if standing.is_called_off(lines) else stands)
    learned = kept_use.keep_pairs(db, batch.id, [] if standing.is_called_off(lines) else pairs_of(lines))
    kept_use.keep_uses(db, batch.id, _uses(lines))
    gone = standing.is_called_off(lines)
    _keep_colour(db, batch, lines, gone)
    kept.keep_filter(db, batch.id, None if gone else filter_seen(lines))
    cooks.keep(db, batch.id, None if gone else cook_seen(lines))
    sap.keep_draws(db, batch.id, [] if gone else _from_tanks(lines))
    sap.keep_burn(db, batch.id, None if gone else burn_seen(lines))
    return learned


def _keep_taught(db: Connection, batch: Batch, lines: standing.Slip) -> None:
    """What a draw taught once it was read cold; it rests on how its instruments were checked."""
    draw = standing.drawn(lines)
    if draw is None or standing.is_called_off(lines):
        kept.keep_promise(db, batch.id, None)
        kept.keep_shift(db, batch.id, None)
        return
    cold = cold_check(db, load_kitchen(db), batch, lines, draw)
    kept.keep_promise(db, batch.id, promise_of(draw, cold))
    kept.keep_shift(db, batch.id, shift_of(batch, lines, draw, cold))


def follow(db: Connection, since: datetime, instrument_id: str = "") -> None:
    """Keep up to date what rests on how an instrument stood, or on the air, from an earlier moment on: once
    something is said of it anew, in the same transaction."""
    says.say_anew(db, since, instrument_id)
    _teach_anew(db, since, instrument_id)


def follow_vessel(db: Connection, since: datetime, vessel_id: str) -> None:
    """Keep up to date what depths say by a vessel's shape, from an earlier moment on."""
    says.say_anew(db, since, vessel_id=vessel_id)


def _teach_anew(db: Connection, since: datetime, instrument_id: str = "") -> None:
    for batch_id in kept.drawn_since(db, since, instrument_id):
        batch = record.batch_by(db, id=batch_id)
        assert batch is not None
        _keep_taught(db, batch, standing.current(slip_of(db, batch_id)))


def _follow_line(db: Connection, line: Entry[Facts]) -> None:
    if line.kind == SETTING:
        hold_settings(db)
    if line.kind == KIND:
        hold(db, line.about, line.about_id)
    barometers = {one.id for one in instruments_of(db, BarometerDetail)}
    if line.about == "instrument" and line.about_id not in barometers:
        follow(db, line.at, line.about_id)
    elif line.about == "instrument" or line.kind in (PressureFacts.key(), SETTING):
        follow(db, line.at)
    elif line.about == "vessel":
        follow_vessel(db, line.at, line.about_id)


book_of_all.followed_by(_follow_line)


def _standing_of(lines: standing.Slip) -> Standing:
    """Where a batch stands, by its lines."""
    taken, draw = standing.taken_in(lines), standing.drawn(lines)
    off, gone_on = draw or standing.off_the_fire(lines), standing.left_the_fire(lines)
    left = off or gone_on
    drawn = off or (gone_on if standing.of_kind(lines, PartDrawFacts) else None)
    return Standing(
        vessel_id=taken.facts.vessel_id,
        taken_at=taken.at,
        drawn_at=drawn.at if drawn else None,
        left_at=left.at if left else None,
        rate_kg_per_min=left.facts.rate_kg_per_min if left else None,
        strays=draw.facts.strays if draw else None,
        waits=standing.waits_for(lines),
    )


def _keep_colour(db: Connection, batch: Batch, lines: standing.Slip, gone: bool) -> None:
    graded = [] if gone else standing.of_kind(lines, ColourFacts)
    at = graded[-1].at if graded else batch.opened_at
    light = graded[-1].facts.transmittance_10mm_percent if graded else None
    kept.keep_colour(db, batch.id, standing.taken_in(lines).at.year, at, light)


def _from_tanks(lines: standing.Slip) -> list[sap.Drawn]:
    return [
        (line.id, tank.tank_id, line.at, tank.mass_kg, tank.brix)
        for line in lines
        if isinstance(line.facts, TakeInFacts | FedFacts)
        for tank in line.facts.tanks
    ]


def _uses(lines: standing.Slip) -> list[Use]:
    read: dict[str, list[Entry[Any]]] = defaultdict(list)
    for line in lines:
        if isinstance(line.facts, ReadingFacts):
            read[line.facts.instrument_id].append(line)
    return [Use(i, len(found), max(e.at for e in found)) for i, found in read.items()]


def _keep_below(db: Connection, batch: Batch, touched: set[str]) -> None:
    """Keep up to date what follows from what flowed: whose sugar it is, and the lots."""
    looked_at = settle(db, touched)
    owners = {batch.id}
    for parcel_id in looked_at:
        parcel = flow.parcel(db, parcel_id)
        if parcel is not None and parcel.kind in (flow.LOT, flow.CONFECTION) and parcel.batch_id:
            owners.add(parcel.batch_id)
    kitchen = load_kitchen(db)
    for owner in owners:
        found = batch if owner == batch.id else record.batch_by(db, id=owner)
        assert found is not None
        keep_lots(db, kitchen, found)


def ready(db: Connection) -> None:
    """Bring a record to what this version expects: its tables, and what is kept besides its lines.

    Raises:
        NoRecord: the file is another program's, or a newer version's.
    """
    migrate(db)
    kitchen = load_kitchen(db)
    if not kitchen.time_zone and kitchen != Kitchen():
        with transaction(db):
            save_kitchen(db, kitchen, ALWAYS)
    known = db.execute("SELECT kept_version FROM nature").fetchone()["kept_version"]
    if known < KEPT_VERSION:
        with transaction(db):
            make_kept_tables(db)
            rebuild(db)
            db.execute("UPDATE nature SET kept_version = ?", (KEPT_VERSION,))


def rebuild(db: Connection, progress: Progress | None = None) -> None:
    """Make anew, from the lines alone, all that is kept besides them; in a transaction that is open.

    Raises:
        Unsound: nothing can follow from its lines.
    """
    with lines_stand(db):
        _rebuild(db, progress or Progress())


def _rebuild(db: Connection, progress: Progress) -> None:
    db.execute("PRAGMA defer_foreign_keys = ON")
    for table in reversed(KEPT_TABLES):
        db.execute(f"DELETE FROM {table}")
    hold_all(db)
    hold_settings(db)
    try:
        packed = _rebuild_slips(db, progress)
    except NotPacked as error:
        raise Unsound(str(error)) from error
    if flowed.runs_in_a_circle(db):
        raise Unsound(_("what was poured comes back to where it came from"))
    for parcel_id, kind in flow.parcel_kinds(db).items():
        if kind in (flow.LOT, flow.CONFECTION):
            kept.keep_stock(db, parcel_id)
        if kind in (flow.DELIVERY, flow.CHARGE):
            settle(db, {parcel_id})
    kitchen = load_kitchen(db)
    for batch in packed:
        keep_lots(db, kitchen, batch)
    sap.rebuild(db)
    for batch_id in said.unsaid(db):
        said.say(context_of(db, batch_id), said.speaks)


def _rebuild_slips(db: Connection, progress: Progress) -> list[Batch]:
    """What follows from each slip, and what its lines moved: that of jars of a later batch at the end, since
    they weigh what they weighed when they were packed.

    Returns:
        The batches of which something was packed.
    """
    packed, delivered = [], {}
    of_later: list[tuple[Batch, Entry[Any], list[Entry[Any]]]] = []
    batches = record.batch_ids(db)
    progress.of(len(batches))
    for batch_id in progress.counted(batches):
        batch = record.batch_by(db, id=batch_id)
        assert batch is not None
        slip = slip_of(db, batch_id)
        lines = standing.current(slip)
        learned = keep(db, batch, lines)
        _keep_taught(db, batch, lines)
        for pair in learned:
            _teach_anew(db, pair.cold_at, pair.instrument_id)
        delivered[batch_id] = (batch.code, deliveries(batch, slip, lines))
        counts: standing.Slip = [] if standing.is_called_off(lines) else lines
        for line in sorted(counts, key=lambda one: takes_jars(one.facts)):
            try:
                flow.add_flows(db, line.id, moved_by(db, batch, line, lines))
            except NotPacked:
                of_later.append((batch, line, lines))
        if standing.of_kind(lines, JarFacts, MadeFacts):
            packed.append(batch)
    for batch, line, lines in of_later:
        flow.add_flows(db, line.id, moved_by(db, batch, line, lines))
    for batch_id, (code, codes) in delivered.items():
        flow.keep_parcels(db, batch_id, code, codes)
    return packed


def context_of(db: Connection, batch_id: str) -> BatchContext:
    batch = record.batch_by(db, id=batch_id)
    assert batch is not None
    slip = slip_of(db, batch_id)
    return contexts.of(db, batch, max(line.noted_at for line in slip), slip)
