"""Each instrument as corrections use it: as made, as checked, as its own pairs taught."""

from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import partial
from sqlite3 import Connection

from lumbrel.core.bench import hydrometer
from lumbrel.core.bench.hydrometer import HotMark, Hydrometer
from lumbrel.core.bench.scale_check import ScaleError, error_at
from lumbrel.core.errors import OutOfRange
from lumbrel.services.base.cache import cache_of, record_key
from lumbrel.services.base.entry import Entry, of_row, with_facts
from lumbrel.services.base.facts import HydrometerFacts
from lumbrel.services.day.checks import scale_checks
from lumbrel.services.day.facts import ScaleCheckFacts
from lumbrel.store import book, kept_use, record
from lumbrel.store.instruments import Detail, HydrometerDetail, Instrument

SYRUP_BRIX = 66.9
MOST_CURVES, MOST_PAIRS = 256, 600
MOSTLY_HEXOSES = 0.1
"""Under it the lighter hexoses move a stem by less than it can be read to."""
FOR_EVER = datetime(9999, 1, 1, tzinfo=UTC)
PAIRS_NEEDED, LAST_PAIRS = 2, 60
"""A curve is taught by so many pairs at least, and by the last so many: a stem grows a crust, and
is cleaned."""


@dataclass(frozen=True, kw_only=True)
class ToldPair:
    """One draw read hot at the pan and cold later, by the same stem."""

    batch_code: str
    at: datetime
    hot_brix: float
    hot_c: float
    cold_brix: float
    cold_c: float
    true_brix: float
    computed_brix: float
    """Where the stem should have floated hot, by computation."""

    @property
    def departs_by(self) -> float:
        """How far the hot reading stood from the computed mark, Brix on the stem."""
        return self.hot_brix - self.computed_brix


@dataclass(frozen=True)
class OwnCurve:
    """What hot and cold pairs teach of a hydrometer; used from the second pair on."""

    pairs: list[ToldPair]
    shift: float
    spread: float | None

    @property
    def used(self) -> bool:
        """Whether corrections use it."""
        return len(self.pairs) >= PAIRS_NEEDED and self.spread is not None


def as_made(detail: HydrometerDetail) -> Hydrometer:
    """A hydrometer by its scale, glass and printed hot mark alone."""
    plain = Hydrometer(detail.calibration_temperature_c, detail.glass)
    mark = detail.hot_mark
    if mark is None:
        return plain
    return hydrometer.with_hot_mark(plain, HotMark(mark.reading_brix, mark.temperature_c, mark.true_brix))


def own_curve(db: Connection, instrument: Instrument[HydrometerDetail], at: datetime = FOR_EVER) -> OwnCurve:
    """The curve a hydrometer's own hot and cold pairs taught up to a moment.

    A pair is one draw: read hot at it or after it (what still boils is thinner), and cold later,
    with nothing put in between. It teaches from its cold reading on.
    """
    wrong_by = scale_error(db, instrument, SYRUP_BRIX, at)
    known = tuple(kept_use.pairs(db, instrument.id, at, LAST_PAIRS))
    key = (record_key(db), known, instrument.id, instrument.detail, wrong_by)
    shelf = cache_of(db).shelf("curves", MOST_CURVES)
    return shelf.get(key, lambda: _learn(db, instrument, known, wrong_by))


def _learn(
    db: Connection,
    instrument: Instrument[HydrometerDetail],
    known: tuple[kept_use.Pair, ...],
    wrong_by: float,
) -> OwnCurve:
    made = as_made(instrument.detail)
    plain = replace(made, shift=1.0, offset_brix=wrong_by)
    plain_shift = made.shift
    shelf, of = cache_of(db).shelf("pairs", MOST_PAIRS), record_key(db)
    told = [shelf.get((of, plain, one), partial(_told, db, plain, one)) for one in reversed(known)]
    pairs = [pair for pair in told if pair is not None]
    if len(pairs) < PAIRS_NEEDED:
        return OwnCurve(pairs, plain_shift, None)
    shift, spread = hydrometer.shift_from_pairs(
        plain, [(p.hot_brix, p.hot_c, p.cold_brix, p.cold_c) for p in pairs]
    )
    if not 0.5 <= shift <= 2.0:
        return OwnCurve(pairs, plain_shift, None)
    return OwnCurve(pairs, shift, spread)


def _told(db: Connection, plain: Hydrometer, one: kept_use.Pair) -> ToldPair | None:
    """What a pair says; None where the plain curve says nothing of it."""
    hot_line, cold_line = _line(db, one.hot_id), _line(db, one.cold_id)
    hot, cold = hot_line.facts, cold_line.facts
    batch = record.batch_by(db, id=hot_line.batch_id)
    assert batch is not None
    try:
        true = plain.correct(cold.reading_brix, cold.cup_c)
        computed = plain.mark(true, hot.cup_c)
    except OutOfRange:
        return None
    return ToldPair(
        batch_code=batch.code,
        at=hot_line.at,
        hot_brix=hot.reading_brix,
        hot_c=hot.cup_c,
        cold_brix=cold.reading_brix,
        cold_c=cold.cup_c,
        true_brix=true,
        computed_brix=computed,
    )


def _line(db: Connection, entry_id: str) -> Entry[HydrometerFacts]:
    row = book.by_id(db, entry_id)
    line = with_facts(of_row(row), (HydrometerFacts,)) if row else None
    assert line is not None
    return line


def hydrometer_of(
    db: Connection,
    instrument: Instrument[HydrometerDetail],
    at: datetime = FOR_EVER,
    invert_fraction: float = 0.0,
) -> Hydrometer:
    """The hydrometer as corrections use it: its own learnt curve once there is one, and the
    error of its scale as checks up to a moment found it; in syrup of mostly hexoses it floats
    lower."""
    learnt = own_curve(db, instrument, at)
    made = as_made(instrument.detail)
    return replace(
        made,
        shift=learnt.shift if learnt.used else made.shift,
        offset_brix=scale_error(db, instrument, SYRUP_BRIX, at),
        invert_fraction=invert_fraction if invert_fraction >= MOSTLY_HEXOSES else 0.0,
    )


def scale_error(db: Connection, instrument: Instrument[Detail], brix: float, at: datetime) -> float:
    """What an instrument shows too much near a density, by the newest check of each kind."""
    newest: dict[float, ScaleError] = {}
    for check in scale_checks(db, instrument.id, at):
        newest.setdefault(
            round(check.facts.true_value), ScaleError(check.facts.true_value, check.facts.error)
        )
    return error_at(list(newest.values()), brix)


def taught_between(
    db: Connection, instrument: Instrument[HydrometerDetail], at: datetime
) -> tuple[datetime, datetime]:
    """Between which moments around one nothing new taught a hydrometer: no pair, no check."""
    pair_before, pair_after = kept_use.pair_around(db, instrument.id, at)
    check_before, check_after = book.around(db, ScaleCheckFacts.key(), instrument.id, at)
    return max(pair_before, check_before), min(pair_after, check_after)
