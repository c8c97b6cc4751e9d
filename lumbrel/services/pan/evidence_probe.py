"""What the live probe tells of a boil."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from lumbrel.core.pan.boil_lines import Heat
from lumbrel.core.pan.probe_trace import Fall
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import Corrected
from lumbrel.services.bench.correct import Corrector
from lumbrel.services.day.pressure import Pressure, pressure_by
from lumbrel.services.day.thermometers import DEFAULT_BOIL_BY, ThermometerToday, thermometer_today
from lumbrel.services.pan import heats, run
from lumbrel.services.pan.probe_points import RunPoint, RunTold, told_of
from lumbrel.services.pan.run import Boil, FirstAt
from lumbrel.services.pan.unsaid import Away
from lumbrel.store.instruments import Instrument, ThermometerDetail
from lumbrel.store.samples import Sample
from lumbrel.words import _

PROBE_SPEAKS = timedelta(minutes=2)


def live_heat(context: BatchContext, told: "Told", probe: "ProbeSays", boil: Boil) -> list[Heat]:
    """What the probe's run says while it boiled."""
    if told.today is None or told.run is None:
        return []
    return run.heat_of(context, told.today, told.run, probe.boiling, boil.start)


@dataclass(frozen=True, kw_only=True)
class Told:
    """What the probe in the vessel sent."""

    instrument: Instrument[ThermometerDetail] | None = None
    run: RunTold | None = None
    today: ThermometerToday | None = None
    pressure: Pressure | None = None
    first_at: FirstAt | None = None
    """When it first was so hot, by its true temperature, degC."""
    speaks: bool = False

    @property
    def points(self) -> list[RunPoint]:
        return self.run.points if self.run else []

    @property
    def falls(self) -> Sequence[Fall]:
        """When it left the boil."""
        return self.run.falls if self.run else ()

    @property
    def newest(self) -> Sample | None:
        """What it sent last."""
        return self.run.newest if self.run else None


def live_of(context: BatchContext) -> Told:
    return context.once(_("its probe"), lambda: _live_of(context))


def _live_of(context: BatchContext) -> Told:
    probe = context.probe
    if probe is None:
        return Told()
    boil_by = context.batch.methods.get("boil_by", DEFAULT_BOIL_BY)
    until = context.left_at or context.now
    told = told_of(context, probe.id, until)
    pressure = pressure_by(context.db, context.kitchen, until, boil_by)
    if pressure is None or not told.points:
        return Told(instrument=probe, run=told)
    today = thermometer_today(context.db, probe, pressure, until, boil_by)
    held, newest = today.calibration, told.newest
    speaks = newest is not None and until - newest.at <= PROBE_SPEAKS
    return Told(
        instrument=probe,
        run=told,
        today=today,
        pressure=pressure,
        first_at=lambda true_c: told.first_at(held.indicated_c(true_c)),
        speaks=speaks,
    )


@dataclass(frozen=True, kw_only=True)
class ProbeSays:
    """What the probe in the vessel says: its run, and its word of now."""

    instrument: Instrument[ThermometerDetail] | None = None
    points: list[RunPoint] = field(default_factory=list)
    boiling: list[RunPoint] = field(default_factory=list)
    """Those in which it boiled all the while."""
    now: Sample | None = None
    reading: Corrected | None = None
    """Its word on the density; None while it says nothing of it."""


def probe_of(context: BatchContext, boil: Boil, told: Told, gone: Sequence[Away]) -> ProbeSays:
    probe, newest = told.instrument, told.newest
    if probe is None:
        return ProbeSays()
    until = boil.until
    whiles = [(a, b) for a, b in boil.unsettled if a <= until]
    ended = max((b for _any, b in whiles), default=boil.start)
    speaks = newest is not None and until - newest.at <= PROBE_SPEAKS and newest.at >= context.taken_in.at
    settled = until >= ended + heats.PROBE_SETTLES
    return ProbeSays(
        instrument=probe,
        points=told.points,
        boiling=heats.settled(told.points, boil.start, boil.unsettled),
        now=newest if speaks else None,
        reading=_word_of(context, told) if speaks and settled else None,
    )


def _word_of(context: BatchContext, told: Told) -> Corrected | None:
    """What a probe's newest sample says of density."""
    if told.newest is None or told.today is None or told.pressure is None:
        return None
    newest = told.newest
    return Corrector.of(context).probe(told.today, told.pressure, newest.at, newest.value)


def brix_of(context: BatchContext, told: "Told", at: datetime, shown_c: float) -> float | None:
    """What a probe says of density that showed so much."""
    if told.today is None or told.pressure is None:
        return None
    return Corrector.of(context).probe(told.today, told.pressure, at, shown_c).brix
