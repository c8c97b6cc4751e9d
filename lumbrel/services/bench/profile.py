"""An instrument's page: its history, its curve, and whether to trust it today."""

from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from sqlite3 import Connection

from lumbrel.core.bench import refractometer, thermometer
from lumbrel.core.physics import water
from lumbrel.services.bench import checks, curves
from lumbrel.services.bench.curves import OwnCurve
from lumbrel.store import day as day_store
from lumbrel.store import record
from lumbrel.store import samples as samples_store
from lumbrel.store.instruments import Instrument


@dataclass(frozen=True)
class Offset:
    """A test boil: how far the thermometer read from the truth that day."""

    at: datetime
    offset_k: float
    sigma_k: float


@dataclass(frozen=True)
class Curve:
    """An instrument's own curve, beside the plain one when it departs from it."""

    title: str
    x_kind: str
    """A kind of quantity, or "hours" before now."""
    y_kind: str
    own: list[tuple[float, float]]
    plain: list[tuple[float, float]]
    least_span: float


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
    checks: list[day_store.ScaleCheck] = field(default_factory=list)
    last_checked: datetime | None = None
    scale_error: float = 0.0
    """What corrections take off near syrup, Brix."""
    picture: Curve | None = None


def profile(db: Connection, instrument: Instrument, now: datetime) -> Profile:
    """Everything an instrument's page says."""
    used = [
        e for e in record.standing_of_kind(db, instrument.kind, limit=100_000)
        if e.facts.get("instrument_id") == instrument.id
    ]  # fmt: skip
    last = used[0].at if used else None
    own, offsets = None, []
    known = day_store.scale_checks(db, instrument.id, now)
    checked = checks.last_check(db, instrument, now)
    error = 0.0
    if instrument.kind == "hydrometer":
        own = curves.own_curve(db, instrument, now)
        error = curves.scale_error(db, instrument, curves.SYRUP_BRIX, now)
        verdict, good = _trust_hydrometer(own)
    elif instrument.kind == "thermometer":
        offsets = _offsets(db, instrument, now)
        verdict, good = _trust_thermometer(offsets, now)
    elif instrument.kind == "refractometer":
        error = curves.scale_error(db, instrument, curves.SYRUP_BRIX, now)
        verdict, good = _trust_refractometer(known, error)
    elif instrument.kind == "barometer":
        verdict, good = _trust_barometer(db, instrument, known, now)
    elif instrument.kind == "vial":
        verdict, good = "Its path turns what is seen into what 10 mm would show.", True
    else:
        verdict, good = _trust_reference(checked)
    old = checks.check_is_old(db, instrument, now)
    if old and instrument.kind != "thermometer":
        verdict, good = f"{old} Check it again before you trust it.", False
    elif error:
        verdict += f" Its scale shows {abs(error):.1f} Brix too {'much' if error > 0 else 'little'}; that is taken off."
    ice = day_store.latest_ice_point(db, instrument.id, now)
    return Profile(
        instrument, len(used), last, own, offsets, verdict, good, ice, known, checked, error,
        _picture(db, instrument, now),
    )  # fmt: skip


def _trust_refractometer(known: list[day_store.ScaleCheck], error: float) -> tuple[str, bool]:
    if not known:
        return "Show it a drop of water: it must read 0 at its temperature.", True
    if error:
        return "Checked.", True
    return "Checked: it shows what it should.", True


def _trust_barometer(
    db: Connection, instrument: Instrument, known: list[day_store.ScaleCheck], now: datetime
) -> tuple[str, bool]:
    shows = "the pressure here" if instrument.detail.get("shows") != "sea-level" else (
        "the pressure brought down to sea level; the kitchen’s height is taken off"
    )  # fmt: skip
    sample = samples_store.latest_sample(db, instrument.id, now)
    if sample is None:
        return f"It shows {shows}. Type it at the day check.", True
    if now - sample.at < timedelta(hours=1):
        return f"It reports. It shows {shows}.", True
    return "It has not reported for an hour.", False


def _trust_reference(made: datetime | None) -> tuple[str, bool]:
    if made is None:
        return (
            "Colours fade: note when it was made, and hold it against a new one each season.",
            True,
        )
    return "Less than a year old: its colours hold.", True


def _picture(db: Connection, instrument: Instrument, now: datetime) -> Curve | None:
    """An instrument's own curve, with the plain one where there is something to compare."""
    if instrument.kind == "hydrometer":
        own = curves.hydrometer_of(db, instrument, now)
        plain = replace(own, shift=1.0, offset_brix=0.0)
        cups = [15.0 + 5 * i for i in range(18)]
        return Curve(
            "Where it floats in syrup of 66.9, by the cup’s temperature", "temperature", "brix",
            [(t, own.mark(66.9, t)) for t in cups],
            [(t, plain.mark(66.9, t)) for t in cups] if own != plain else [], 2.0,
        )  # fmt: skip
    if instrument.kind == "refractometer":
        drops = [float(t) for t in range(10, 31)]
        error = curves.scale_error(db, instrument, curves.SYRUP_BRIX, now)
        own_c = instrument.detail.get("compensated")
        add = [0.0 if own_c else refractometer.temperature_correction(66.9, t) for t in drops]
        return Curve(
            "What to add to a reading of 66.9, by the drop’s temperature", "temperature", "brix",
            [(t, v - error) for t, v in zip(drops, add, strict=True)],
            list(zip(drops, add, strict=True)) if error else [], 0.5,
        )  # fmt: skip
    if instrument.kind == "thermometer":
        return _departure(db, instrument, now)
    if instrument.kind == "barometer":
        samples = samples_store.minute_samples(db, instrument.id, now - timedelta(hours=48), now)
        points = [
            ((s.at - now) / timedelta(hours=1), s.value / 100) for s in samples[::5] or samples
        ]
        return (
            Curve("The last two days", "hours", "pressure", points, [], 5.0)
            if len(points) > 1
            else None
        )
    return None


def _departure(db: Connection, instrument: Instrument, now: datetime) -> Curve | None:
    boils = day_store.test_boils(db, instrument.id, now, 1)
    if not boils:
        return None
    ice = day_store.latest_ice_point(db, instrument.id, now)
    held = thermometer.calibrate(
        boils[0].reading_c, boils[0].station_pressure_pa, str(instrument.detail.get("sort", "digital")),
        ice.reading_c if ice else None,
    )  # fmt: skip
    span = [0.0, held.at_c, 150.0] if held.slope else [90.0, held.at_c, 125.0]
    return Curve(
        "How far it reads from the truth, by temperature", "temperature", "difference",
        [(t, held.indicated_c(t) - t) for t in span], [(t, 0.0) for t in span], 1.0,
    )  # fmt: skip


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
