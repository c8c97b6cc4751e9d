"""An instrument's page: its history, its curve, and whether to trust it today."""

from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from sqlite3 import Connection

from lumbrel.core.bench import refractometer, thermometer
from lumbrel.services.base.entry import Entry
from lumbrel.services.bench import checks, curves
from lumbrel.services.bench.curves import OwnCurve
from lumbrel.services.day.checks import ice_point, scale_checks, test_boils
from lumbrel.services.day.facts import IcePointFacts, ScaleCheckFacts
from lumbrel.services.day.thermometers import shows_too_much
from lumbrel.store import kept_use
from lumbrel.store import samples as samples_store
from lumbrel.store.instruments import (
    BarometerDetail,
    Detail,
    HydrometerDetail,
    Instrument,
    RefractometerDetail,
    ThermometerDetail,
    with_detail,
)
from lumbrel.words import _, bare, number

LAST_BOILS = 60
"""So many test boils of a thermometer are drawn."""


@dataclass(frozen=True)
class Offset:
    """A test boil: how far the thermometer read from the truth that day."""

    at: datetime
    offset_k: float
    sigma_k: float


@dataclass(frozen=True, kw_only=True)
class Curve:
    """An instrument's own curve, beside the plain one when it departs from it."""

    title: str
    x_kind: str
    """A kind of quantity, or "hours" before now."""
    y_kind: str
    own: list[tuple[float, float]]
    plain: list[tuple[float, float]]
    least_span: float


@dataclass(frozen=True, kw_only=True)
class Profile:
    """An instrument's page."""

    instrument: Instrument[Detail]
    readings: int
    last_used: datetime | None
    curve: OwnCurve | None
    offsets: list[Offset]
    verdict: str
    good: bool
    ice: Entry[IcePointFacts] | None = None
    checks: list[Entry[ScaleCheckFacts]] = field(default_factory=list)
    last_checked: datetime | None = None
    scale_error: float = 0.0
    """What corrections take off near syrup, Brix."""
    picture: Curve | None = None


Verdict = tuple[str, bool]
"""What is said of an instrument today, and whether that is good."""


def profile(db: Connection, instrument: Instrument[Detail], now: datetime) -> Profile:
    """Everything an instrument's page says."""
    times, last_used = kept_use.times_used(db, instrument.id)
    known = scale_checks(db, instrument.id, now)
    stem = with_detail(instrument, HydrometerDetail)
    glass = with_detail(instrument, ThermometerDetail)
    error = 0.0
    if isinstance(instrument.detail, HydrometerDetail | RefractometerDetail):
        error = curves.scale_error(db, instrument, curves.SYRUP_BRIX, now)
    verdict, good = _verdict(db, instrument, now, error)
    return Profile(
        instrument=instrument,
        readings=times,
        last_used=last_used,
        curve=curves.own_curve(db, stem, now) if stem else None,
        offsets=_offsets(db, glass, now) if glass else [],
        verdict=verdict,
        good=good,
        ice=ice_point(db, instrument.id, now),
        checks=known,
        last_checked=checks.last_check(db, instrument, now),
        scale_error=error,
        picture=_picture(db, instrument, now),
    )


def _verdict(db: Connection, instrument: Instrument[Detail], now: datetime, error: float) -> Verdict:
    """Whether to trust it today: its own kind's word, unless its last check is too old."""
    glass = with_detail(instrument, ThermometerDetail)
    if glass:
        return _trust_thermometer(_offsets(db, glass, now), now)
    old = checks.check_is_old(db, instrument, now)
    if old:
        return _("{old} Check it again before you trust it.", old=old), False
    verdict, good = _trust(db, instrument, now, error)
    if error:
        way = _("much") if error > 0 else _("little")
        verdict += _(
            " Its scale shows {error} Brix too {way}; that is taken off.",
            error=number(abs(error), 1),
            way=way,
        )
    return verdict, good


def _trust(db: Connection, instrument: Instrument[Detail], now: datetime, error: float) -> Verdict:
    if stem := with_detail(instrument, HydrometerDetail):
        return _trust_hydrometer(curves.own_curve(db, stem, now))
    if with_detail(instrument, RefractometerDetail):
        return _trust_refractometer(scale_checks(db, instrument.id, now), error)
    if barometer := with_detail(instrument, BarometerDetail):
        return _trust_barometer(db, barometer, now)
    if instrument.kind == "scale":
        return _(
            "What it shows is taken where a weight is asked for, and counts while a pan on it boils."
        ), True
    if instrument.kind == "vial":
        return _("Its path turns what is seen into what 10 mm would show."), True
    return _trust_reference(checks.last_check(db, instrument, now))


def _trust_refractometer(known: list[Entry[ScaleCheckFacts]], error: float) -> Verdict:
    if not known:
        return _("Show it a drop of water: it must read 0 at its temperature."), True
    if error:
        return _("Checked."), True
    return _("Checked: it shows what it should."), True


def _trust_barometer(db: Connection, instrument: Instrument[BarometerDetail], now: datetime) -> Verdict:
    shows = _("the pressure here")
    if instrument.detail.shows == "sea-level":
        shows = _("the pressure brought down to sea level; the kitchen’s height is taken off")
    sample = samples_store.latest_sample(db, instrument.id, now)
    if sample is None:
        return _("It shows {shows}. Type it at the day check.", shows=shows), True
    if now - sample.at < timedelta(hours=1):
        return _("It reports. It shows {shows}.", shows=shows), True
    return _("It has not reported for an hour."), False


def _trust_reference(made: datetime | None) -> Verdict:
    if made is None:
        return (_("Colours fade: note when it was made, and hold it against a new one each season."), True)
    return _("Less than a year old: its colours hold."), True


def _picture(db: Connection, instrument: Instrument[Detail], now: datetime) -> Curve | None:
    """An instrument's own curve, with the plain one where there is something to compare."""
    if stem := with_detail(instrument, HydrometerDetail):
        return _floats(db, stem, now)
    if prism := with_detail(instrument, RefractometerDetail):
        return _drops(db, prism, now)
    if glass := with_detail(instrument, ThermometerDetail):
        return _departure(db, glass, now)
    if instrument.kind == "barometer":
        return _two_days(db, instrument, now)
    return None


def _floats(db: Connection, stem: Instrument[HydrometerDetail], now: datetime) -> Curve:
    own = curves.hydrometer_of(db, stem, now)
    plain = replace(own, shift=1.0, offset_brix=0.0)
    cups = [15.0 + 5 * i for i in range(18)]
    syrup = curves.SYRUP_BRIX
    return Curve(
        title=_("Where it floats in syrup of {syrup}, by the cup’s temperature", syrup=bare(syrup)),
        x_kind="temperature",
        y_kind="brix",
        own=[(t, own.mark(syrup, t)) for t in cups],
        plain=[(t, plain.mark(syrup, t)) for t in cups] if own != plain else [],
        least_span=2.0,
    )


def _drops(db: Connection, prism: Instrument[RefractometerDetail], now: datetime) -> Curve:
    drops = [float(t) for t in range(10, 31)]
    syrup = curves.SYRUP_BRIX
    error = curves.scale_error(db, prism, syrup, now)
    by_itself = prism.detail.compensated
    add = [0.0 if by_itself else refractometer.temperature_correction(syrup, t) for t in drops]
    return Curve(
        title=_("What to add to a reading of {syrup}, by the drop’s temperature", syrup=bare(syrup)),
        x_kind="temperature",
        y_kind="brix",
        own=[(t, v - error) for t, v in zip(drops, add, strict=True)],
        plain=list(zip(drops, add, strict=True)) if error else [],
        least_span=0.5,
    )


def _two_days(db: Connection, barometer: Instrument[Detail], now: datetime) -> Curve | None:
    samples = samples_store.minute_samples(db, barometer.id, now - timedelta(hours=48), now)
    points = [((s.at - now) / timedelta(hours=1), s.value / 100) for s in samples[::5] or samples]
    if len(points) < 2:
        return None
    return Curve(
        title=_("The last two days"), x_kind="hours", y_kind="pressure", own=points, plain=[], least_span=5.0
    )


def _departure(db: Connection, instrument: Instrument[ThermometerDetail], now: datetime) -> Curve | None:
    boils = test_boils(db, instrument.id, now, 1)
    if not boils:
        return None
    ice = ice_point(db, instrument.id, now)
    held = thermometer.calibrate(
        boils[0].facts.reading_c,
        boils[0].facts.station_pressure_pa,
        instrument.detail.sort,
        ice.facts.reading_c if ice else None,
    )
    span = [0.0, held.at_c, 150.0] if held.slope else [90.0, held.at_c, 125.0]
    return Curve(
        title=_("How far it reads from the truth, by temperature"),
        x_kind="temperature",
        y_kind="difference",
        own=[(t, held.indicated_c(t) - t) for t in span],
        plain=[(t, 0.0) for t in span],
        least_span=1.0,
    )


def _trust_hydrometer(curve: OwnCurve) -> Verdict:
    count = len(curve.pairs)
    if curve.used:
        bend = _("as computed")
        if abs(curve.shift - 1) >= 0.02:
            way = _("less") if curve.shift < 1 else _("more")
            bend = _(
                "{percent} % {way} than computed", percent=number(100 * abs(1 - curve.shift), 0), way=way
            )
        return _(
            "{count} hot and cold pairs taught its own curve: it shifts with heat {bend}.",
            count=count,
            bend=bend,
        ), True
    if count == 1:
        return _("One hot and cold pair so far; from the second on its own curve is used."), True
    return (
        _(
            "Its curve is computed. Read one draw hot at the pan and cold next day, twice, and "
            "it teaches its own."
        )
    ), True


def _offsets(db: Connection, instrument: Instrument[ThermometerDetail], now: datetime) -> list[Offset]:
    return [
        Offset(b.at, shows_too_much(b), b.facts.pressure_sigma_pa * thermometer.BOIL_SHIFT_K_PER_PA)
        for b in reversed(test_boils(db, instrument.id, now, LAST_BOILS))
    ]


def _trust_thermometer(offsets: list[Offset], now: datetime) -> Verdict:
    if not offsets:
        return _("This thermometer has no test boil here yet: its marks may be 1 K off."), False
    age = now - offsets[-1].at
    if age > timedelta(hours=12):
        hours = age / timedelta(hours=1)
        old = (
            _("{hours} hours", hours=number(hours, 0))
            if hours < 48
            else _("{hours} days", hours=number(hours / 24, 0))
        )
        return _("Its last test boil is {old} old. Repeat the test boil before you trust it.", old=old), False
    return _("It was in boiling water today."), True
