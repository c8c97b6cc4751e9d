"""Each instrument as corrections use it: as made, as checked, as its own pairs taught."""

from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from sqlite3 import Connection

from lumbrel.core.bench import hydrometer
from lumbrel.core.bench.hydrometer import HotMark, Hydrometer
from lumbrel.core.bench.scale_check import ScaleError, error_at
from lumbrel.core.errors import OutOfRange
from lumbrel.services.bench import hot_and_cold
from lumbrel.services.memo import record_key, slip_state
from lumbrel.store import day as day_store
from lumbrel.store.instruments import Instrument

SYRUP_BRIX = 66.9
FOR_EVER = datetime(9999, 1, 1, tzinfo=UTC)
HOT_FROM_C = 50.0
SAME_DRAW = timedelta(seconds=30)
PAIRS_NEEDED = 2


@dataclass(frozen=True)
class Pair:
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

    pairs: list[Pair]
    shift: float
    spread: float | None

    @property
    def used(self) -> bool:
        """Whether corrections use it."""
        return len(self.pairs) >= PAIRS_NEEDED and self.spread is not None


def as_made(instrument: Instrument) -> Hydrometer:
    """A hydrometer by its scale, glass and printed hot mark alone."""
    detail = instrument.detail
    plain = Hydrometer(
        float(detail.get("calibration_temperature_c", hydrometer.SIXTY_F_C)),
        str(detail.get("glass", "soda-lime")),
    )
    mark = detail.get("hot_mark")
    if not mark:
        return plain
    return hydrometer.with_hot_mark(
        plain, HotMark(mark["reading_brix"], mark["temperature_c"], mark["true_brix"])
    )


def own_curve(db: Connection, instrument: Instrument, at: datetime = FOR_EVER) -> OwnCurve:
    """The curve a hydrometer's own hot and cold pairs teach.

    A pair is one draw: read hot at it or after it (what still boils is thinner), and cold later,
    with nothing put in between.
    """
    key = (record_key(db), slip_state(db), instrument.id, str(instrument.detail))
    wrong_by = scale_error(db, instrument, SYRUP_BRIX, at)
    known = _learnt.get((*key, wrong_by)) if key[0] else None
    if known is None:
        known = _learn(db, instrument, wrong_by)
        if len(_learnt) >= MOST_CURVES:
            _learnt.clear()
        _learnt[(*key, wrong_by)] = known
    return known


MOST_CURVES = 64
_learnt: dict[tuple[str, int, str, str, float], OwnCurve] = {}
"""Curves as they stood at a state of the slips: reading every pair anew costs more than all else."""


def _learn(db: Connection, instrument: Instrument, wrong_by: float) -> OwnCurve:
    made = as_made(instrument)
    plain = replace(made, shift=1.0, offset_brix=wrong_by)
    plain_shift = made.shift
    pairs = []
    for code, hot, cold in hot_and_cold.hot_and_cold(
        db, instrument.id, HOT_FROM_C, hydrometer.COLD_CUP_C, SAME_DRAW
    ):
        try:
            true = plain.correct(cold.facts["reading_brix"], cold.facts["cup_c"])
            computed = plain.mark(true, hot.facts["cup_c"])
        except OutOfRange:
            continue
        pairs.append(
            Pair(
                code, hot.at, hot.facts["reading_brix"], hot.facts["cup_c"],
                cold.facts["reading_brix"], cold.facts["cup_c"], true, computed,
            )
        )  # fmt: skip
    if len(pairs) < PAIRS_NEEDED:
        return OwnCurve(pairs, plain_shift, None)
    shift, spread = hydrometer.shift_from_pairs(
        plain, [(p.hot_brix, p.hot_c, p.cold_brix, p.cold_c) for p in pairs]
    )
    if not 0.5 <= shift <= 2.0:
        return OwnCurve(pairs, plain_shift, None)
    return OwnCurve(pairs, shift, spread)


def hydrometer_of(db: Connection, instrument: Instrument, at: datetime = FOR_EVER) -> Hydrometer:
    """The hydrometer as corrections use it: its own learnt curve once there is one, and the
    error of its scale as checks up to a moment found it."""
    learnt = own_curve(db, instrument, at)
    made = as_made(instrument)
    return replace(
        made,
        shift=learnt.shift if learnt.used else made.shift,
        offset_brix=scale_error(db, instrument, SYRUP_BRIX, at),
    )


def scale_error(db: Connection, instrument: Instrument, brix: float, at: datetime) -> float:
    """What an instrument shows too much near a density, by the newest check of each kind."""
    newest: dict[float, ScaleError] = {}
    for check in day_store.scale_checks(db, instrument.id, at):
        newest.setdefault(round(check.true_value), ScaleError(check.true_value, check.error))
    return error_at(list(newest.values()), brix)
