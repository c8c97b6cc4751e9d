"""Readings that the boil as it was until then hardly allows are asked about before they are
believed: misread by a line, or by ten, or from the wrong scale."""

from dataclasses import dataclass
from math import hypot, sqrt
from typing import Any

from lumbrel.core.bench.thermometer import typed_sigma_k
from lumbrel.core.errors import OutOfRange
from lumbrel.core.physics import sucrose
from lumbrel.core.units import KINDS
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import Corrected
from lumbrel.services.base.dip import dip
from lumbrel.services.base.entry import preview
from lumbrel.services.base.facts import (
    DrawFacts,
    PartDrawFacts,
    SignFacts,
    TakeInFacts,
    ThermometerFacts,
    WeighedFacts,
)
from lumbrel.services.base.form import Form
from lumbrel.services.bench.correct import Corrector
from lumbrel.services.day.pressure import pressure_by
from lumbrel.services.day.thermometers import DEFAULT_BOIL_BY, thermometer_today
from lumbrel.services.pan import signs, weighed
from lumbrel.services.pan.evidence import BoilEvidence, gather
from lumbrel.store.instruments import ThermometerDetail, with_detail
from lumbrel.words import _, bare, number

CANNOT_BE_SIGMAS, DOUBTFUL_SIGMAS, BETTER_SIGMAS = 3.5, 2.2, 1.6
MISREAD_BY = (5.0, 10.0)
"""How far the eye slips: from one numbered line to the next, or over it."""
SIGN_SIGMAS = 2.5
LEAST_BRIX = 35.0
"""Below it a boiling temperature says too little of what is in the pan."""


@dataclass(frozen=True)
class ReadingExpected:
    """What a reading was to be, in the unit it is read in, and give or take what."""

    read: float
    expected: float
    sigma: float
    unit: str

    @property
    def apart(self) -> float:
        """Read less expected."""
        return self.read - self.expected

    @property
    def doubtful(self) -> str:
        """Why it is asked about; empty when it is not."""
        sigmas = abs(self.apart) / self.sigma
        by = next(
            (
                step
                for step in MISREAD_BY
                if sigmas > DOUBTFUL_SIGMAS
                and abs(abs(self.apart) - step) < min(BETTER_SIGMAS * self.sigma, 0.45 * step)
            ),
            None,
        )
        if by is not None:
            return _("Misread by {by}?", by=bare(by))
        return _("Misread, or the wrong line?") if sigmas > CANNOT_BE_SIGMAS else ""


def since_the_last(form: Form, context: BatchContext, facts: Any) -> None:
    """Ask about a reading that the boil as it was until then hardly allows."""
    if context.left_at or context.first(TakeInFacts) is None:
        return
    at = dip(form, context.now)
    if at is None:
        at = form.time_of_day("at", context.now)
    part = context.last(PartDrawFacts)
    if part and at < part.at:
        form.ask("reading", _("It would be from before the last part was drawn. Is it?"))
    new = Corrector.of(context).correct(preview(facts, at))
    try:
        seen = gather(context)
    except OutOfRange:
        return
    if new.below_scale:
        _bound(form, seen, new)
        return
    known = _of_heat(context, seen, new) if isinstance(facts, ThermometerFacts) else _of_cup(seen, new)
    why = known.doubtful if known else ""
    if known and why:
        form.ask(
            "reading",
            _(
                "By all that was read before it should be near {expected}{unit}, give or take "
                "{sigma}; this says {read}. {why}",
                expected=number(known.expected, 1),
                unit=known.unit,
                sigma=number(1.64 * known.sigma, 1),
                read=number(known.read, 1),
                why=why,
            ),
        )


def weighed_against_others(form: Form, context: BatchContext, facts: Any) -> None:
    """Ask about a mass that the boil as it was until then hardly allows."""
    if context.first(DrawFacts) or context.first(TakeInFacts) is None:
        return
    entry = preview(facts, dip(form, context.now) or context.now)
    cupful = isinstance(facts, WeighedFacts)
    new = (weighed.corrected_cupful if cupful else weighed.corrected_scale)(context, entry)
    try:
        known = _of_cup(gather(context), new)
    except OutOfRange:
        return
    if known and abs(known.apart) > CANNOT_BE_SIGMAS * known.sigma:
        form.ask(
            "mass",
            _(
                "By all that was read before it should be near {expected} Brix; this would be "
                "{read}. Is it the syrup alone, and the right {value}?",
                expected=number(known.expected, 1),
                read=number(known.read, 1),
                value=_("cup") if cupful else _("empty vessel"),
            ),
        )


def sign_against_others(form: Form, context: BatchContext, facts: SignFacts) -> None:
    """Ask about a sign that all the instruments contradict."""
    if context.first(DrawFacts) or context.first(TakeInFacts) is None:
        return
    try:
        seen = gather(context)
    except OutOfRange:
        return
    new = signs.corrected(context, preview(facts, context.now))
    minute = _minute(seen, new)
    near, sigma = seen.fitted.brix_at(minute), seen.fitted.sigma_brix_at(minute)
    said = new.bound_brix if new.brix is None else new.brix
    known = signs.KNOWN[facts.sign]
    assert said is not None
    apart = near - said if known.bound else abs(near - said)
    if apart > SIGN_SIGMAS * hypot(known.sigma_brix, sigma):
        form.ask(
            "sign",
            _(
                "By all that was read it is near {near} Brix; this sign is seen near {said}. Is that right?",
                near=number(near, 1),
                said=number(said, 1),
            ),
        )


def _minute(seen: BoilEvidence, reading: Corrected) -> float:
    return max(seen.minute(reading.at), 0.0)


def _of_cup(seen: BoilEvidence, reading: Corrected) -> ReadingExpected | None:
    """A stem's or a prism's reading, in Brix."""
    if reading.brix is None:
        return None
    minute, fitted = _minute(seen, reading), seen.fitted
    expected = fitted.brix_at(minute)
    sigmas = fitted.apart(minute, reading.brix, reading.sigma_brix, reading.minute_sigma)
    # In Brix, as far as it is wide on the side of the reading.
    sigma = abs(reading.brix - expected) / max(abs(sigmas), 0.1)
    return ReadingExpected(reading.brix, expected, max(sigma, reading.sigma_brix), _(" Brix"))


def _of_heat(context: BatchContext, seen: BoilEvidence, reading: Corrected) -> ReadingExpected | None:
    """A thermometer's, as it shows it, in the kitchen's unit."""
    glass = with_detail(reading.instrument, ThermometerDetail)
    boil_by = context.batch.methods.get("boil_by", DEFAULT_BOIL_BY)
    pressure = pressure_by(context.db, context.kitchen, reading.at, boil_by)
    if glass is None or pressure is None or seen.minute(reading.at) < 0:
        return None
    minute = _minute(seen, reading)
    brix, path = seen.fitted.brix_at(minute), seen.fitted.sigma_brix_at(minute)
    if brix < LEAST_BRIX or isinstance(reading.facts, ThermometerFacts) is False:
        return None
    assert isinstance(reading.facts, ThermometerFacts)
    today = thermometer_today(context.db, glass, pressure, reading.at, boil_by)
    invert = context.invert_fraction
    true = sucrose.boiling_point_c(brix, pressure.pa, invert)
    slope = sucrose.boiling_slope_k_per_brix(brix, pressure.pa, invert)
    shift = context.boil_shift
    level = hypot(today.sigma_k, sucrose.syrup_sigma_k(brix, invert, shift.sigma_k))
    own = typed_sigma_k(glass.detail.sort, glass.detail.resolution_k)
    offset = dict(seen.fitted.shared).get(glass.id)
    learnt = 0.0 if offset is None else offset * today.sigma_k
    sigma = sqrt(own**2 + (0.5 * level) ** 2 if offset is not None else own**2 + level**2)
    unit = KINDS["temperature"].unit(context.kitchen.units.get("temperature", ""))
    fahrenheit = unit.symbol == "°F"
    scale, zero = (1.8, 32.0) if fahrenheit else (1.0, 0.0)
    shown = today.calibration.indicated_c(true + shift.k) + learnt
    return ReadingExpected(
        read=reading.facts.reading_c * scale + zero,
        expected=shown * scale + zero,
        sigma=hypot(sigma, slope * path) * scale,
        unit=f" {unit.symbol}",
    )


def _bound(form: Form, seen: BoilEvidence, reading: Corrected) -> None:
    """A stem that does not float where it should."""
    assert reading.bound_brix is not None
    minute = _minute(seen, reading)
    expected, sigma = seen.fitted.brix_at(minute), hypot(seen.fitted.sigma_brix_at(minute), 0.6)
    if expected - reading.bound_brix > CANNOT_BE_SIGMAS * sigma:
        form.ask(
            "reading",
            _(
                "By all that was read before it is near {expected} Brix, where the stem floats. Does "
                "it touch the bottom or the wall of the cup?",
                expected=number(expected, 1),
            ),
        )
