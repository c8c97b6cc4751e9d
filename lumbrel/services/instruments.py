"""Each instrument as its owner knows it: its history, its own curve, whether to trust it today."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from sqlite3 import Connection

from lumbrel.core.bench import hydrometer, refractometer
from lumbrel.core.bench.hydrometer import HotMark, Hydrometer
from lumbrel.core.errors import OutOfRange
from lumbrel.core.physics import sucrose, water
from lumbrel.services.typed import Form
from lumbrel.store import batches
from lumbrel.store import day as day_store
from lumbrel.store.kitchen import Instrument, load_kitchen

HOT_FROM_C = 50.0
SAME_DRAW = timedelta(seconds=30)
PAIRS_NEEDED = 2
MAX_ICE_K = 8.0


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


def own_curve(db: Connection, instrument: Instrument) -> OwnCurve:
    """The curve a hydrometer's own hot and cold pairs teach.

    A pair is one draw: read hot at it or after it (what still boils is thinner), and cold later,
    with nothing put in between.
    """
    plain = replace(as_made(instrument), shift=1.0)
    pairs = []
    for code, hot, cold in batches.hot_and_cold(
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
    made = as_made(instrument).shift
    if len(pairs) < PAIRS_NEEDED:
        return OwnCurve(pairs, made, None)
    shift, spread = hydrometer.shift_from_pairs(
        plain, [(p.hot_brix, p.hot_c, p.cold_brix, p.cold_c) for p in pairs]
    )
    if not 0.5 <= shift <= 2.0:
        return OwnCurve(pairs, made, None)
    return OwnCurve(pairs, shift, spread)


def hydrometer_of(db: Connection, instrument: Instrument) -> Hydrometer:
    """The hydrometer as corrections use it: its own learnt curve once there is one."""
    learnt = own_curve(db, instrument)
    made = as_made(instrument)
    return replace(made, shift=learnt.shift) if learnt.used else made


def take_ice_point(
    db: Connection, instrument: Instrument, now: datetime, fields: dict[str, str]
) -> None:
    """Take what a thermometer shows in melting ice.

    Raises:
        BadInput: not a temperature, or one that melting ice cannot give.
    """
    form = Form(fields, load_kitchen(db))
    reading = form.between(
        "ice", "temperature", -MAX_ICE_K, MAX_ICE_K,
        "Melting ice is 0 °C (32 °F); a thermometer within 8 K of that can be used. For "
        "Fahrenheit type F behind the number.",
    )  # fmt: skip
    form.check()
    assert reading is not None
    point = day_store.IcePoint(form.client_id(), now, instrument.id, fields["ice"].strip(), reading)
    day_store.add_ice_point(db, point)


@dataclass(frozen=True)
class Offset:
    """A test boil: how far the thermometer read from the truth that day."""

    at: datetime
    offset_k: float
    sigma_k: float


@dataclass(frozen=True)
class Profile:
    """An instrument's page."""

    instrument: Instrument
    readings: int
    last_used: datetime | None
    curve: OwnCurve | None
    offsets: list[Offset]
    verdict: str
    good: bool
    ice: day_store.IcePoint | None = None


def profile(db: Connection, instrument: Instrument, now: datetime) -> Profile:
    """Everything an instrument's page says."""
    used = [
        e for e in batches.standing_of_kind(db, instrument.kind, limit=100_000)
        if e.facts.get("instrument_id") == instrument.id
    ]  # fmt: skip
    last = used[0].at if used else None
    curve, offsets = None, []
    if instrument.kind == "hydrometer":
        curve = own_curve(db, instrument)
        verdict, good = _trust_hydrometer(curve)
    elif instrument.kind == "thermometer":
        offsets = _offsets(db, instrument, now)
        verdict, good = _trust_thermometer(offsets, now)
    elif instrument.kind == "refractometer":
        verdict, good = (
            "Show it a drop of water now and then: it must read 0 at its temperature.",
            True,
        )
    else:
        sample = day_store.latest_sample(db, instrument.id, now)
        good = sample is not None and now - sample.at < timedelta(hours=1)
        verdict = "It reports." if good else "It has not reported for an hour."
    ice = day_store.latest_ice_point(db, instrument.id, now)
    return Profile(instrument, len(used), last, curve, offsets, verdict, good, ice)


def _trust_hydrometer(curve: OwnCurve) -> tuple[str, bool]:
    count = len(curve.pairs)
    if curve.used:
        bend = "as computed" if abs(curve.shift - 1) < 0.02 else (
            f"{100 * abs(1 - curve.shift):.0f} % {'less' if curve.shift < 1 else 'more'} than computed"
        )  # fmt: skip
        return f"{count} hot and cold pairs taught its own curve: it shifts with heat {bend}.", True
    if count == 1:
        return "One hot and cold pair so far; from the second on its own curve is used.", True
    return (
        "Its curve is computed. Read one draw hot at the pan and cold next day, twice, and it "
        "teaches its own."
    ), True


def _offsets(db: Connection, instrument: Instrument, now: datetime) -> list[Offset]:
    return [
        Offset(
            b.at, b.reading_c - water.boiling_point_c(b.station_pressure_pa),
            b.pressure_sigma_pa * 0.028 / 100,
        )
        for b in reversed(day_store.test_boils(db, instrument.id, now))
    ]  # fmt: skip


def _trust_thermometer(offsets: list[Offset], now: datetime) -> tuple[str, bool]:
    if not offsets:
        return "It has never been in boiling water here: its marks may be 1 K out.", False
    age = now - offsets[-1].at
    if age > timedelta(hours=12):
        hours = age / timedelta(hours=1)
        old = f"{hours:.0f} hours" if hours < 48 else f"{hours / 24:.0f} days"
        return f"Its last test boil is {old} old. Boil again before you trust it.", False
    return "It was in boiling water today.", True


@dataclass(frozen=True)
class Solution:
    """A sugar solution to check an instrument with: one kilogram of it, and what it must show."""

    brix: float
    sugar_kg: float
    water_kg: float
    density_kg_m3: float
    shows_brix: float
    """On the instrument at room temperature, 20 degC, without compensation."""


def check_solutions(
    own: Hydrometer | None, low_brix: float = 0.0, high_brix: float = 85.0
) -> list[Solution]:
    """Solutions of 20, 50 and 66 Brix that the scale can show, and where it must stand.

    Args:
        own: the hydrometer; None for a refractometer, which shows them as they are.
        low_brix, high_brix: ends of the instrument's scale.
    """
    solutions = []
    for brix in (20.0, 50.0, 66.0):
        shows = brix if own is None else own.mark(brix, 20.0)
        density = sucrose.density_kg_m3(brix, 20.0)
        if low_brix <= shows <= high_brix:
            solutions.append(Solution(brix, brix / 100, 1 - brix / 100, density, shows))
    return solutions


@dataclass(frozen=True)
class Card:
    """A reference card: one figure for each row and column, in core's units."""

    row_kind: str
    column_kind: str
    rows: list[float]
    columns: list[float]
    cells: list[list[float | None]]


def hydrometer_card(own: Hydrometer) -> Card:
    """Marks to look for at each cup temperature, for the floor, the target and the ceiling."""
    rows = [15.0, 20.0, *[40.0 + 5 * i for i in range(13)]]
    columns = [66.0, 66.9, 67.5, 68.9]
    return Card(
        "temperature", "brix", rows, columns, _cells(rows, columns, lambda t, w: own.mark(w, t))
    )


def refractometer_card() -> Card:
    """What to add to a reading at each sample temperature."""
    rows = [float(t) for t in range(10, 31, 2)]
    columns = [8.0, 25.0, 45.0, 60.0, 67.0]
    return Card(
        "temperature", "brix", rows, columns,
        _cells(rows, columns, lambda t, r: refractometer.temperature_correction(r, t)),
    )  # fmt: skip


def _cells(
    rows: list[float], columns: list[float], figure: Callable[[float, float], float]
) -> list[list[float | None]]:
    def one(row: float, column: float) -> float | None:
        try:
            return figure(row, column)
        except OutOfRange:
            return None

    return [[one(row, column) for column in columns] for row in rows]
