"""From the raw lines of a slip to corrected evidence. Raw is kept; corrected is computed here."""

from collections.abc import Callable, Hashable, Sequence
from datetime import datetime, timedelta
from functools import partial
from math import hypot
from sqlite3 import Connection

from lumbrel.core.bench import causes as possible
from lumbrel.core.bench import hydrometer, refractometer, thermometer
from lumbrel.core.bench.evidence import Estimate
from lumbrel.core.bench.hydrometer import LIGHTER_SIGMA, Hydrometer
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.boil_shift import Shift
from lumbrel.core.pan.target import DEFAULT_INVERT_FRACTION
from lumbrel.core.physics import sucrose
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.cache import cache_of
from lumbrel.services.base.corrected import Corrected, ReadingStep
from lumbrel.services.base.dip import LOOKED_AFTER, SIGMA_MINUTES, TYPED_AFTER
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import HydrometerFacts, ReadingFacts, RefractometerFacts, ThermometerFacts
from lumbrel.services.base.said import as_said
from lumbrel.services.bench.as_read import AsRead
from lumbrel.services.bench.correct_steps import (
    hydrometer_steps,
    parts_of,
    thermometer_budget,
    thermometer_steps,
)
from lumbrel.services.bench.curves import hydrometer_of, scale_error, taught_between
from lumbrel.services.bench.hot_and_cold import HOT_FROM_C
from lumbrel.services.day.pressure import Pressure, pressure_by
from lumbrel.services.day.thermometers import DEFAULT_BOIL_BY, ThermometerToday, thermometer_today
from lumbrel.store.instruments import (
    Detail,
    HydrometerDetail,
    Instrument,
    PrintedMark,
    ThermometerDetail,
    with_detail,
)
from lumbrel.store.kitchen import Kitchen
from lumbrel.words import _, bare, number

OWN_THERMOMETER_SIGMA_K = 0.05
STEM_SHARED_SIGMA, PRISM_SHARED_SIGMA = 0.2, 0.08
"""What all readings of one stem, or one prism, are off by together."""
MOST_CORRECTED = 4096
STEM_AND_EYE = (_("the stem and the eye"), hydrometer.COLD_SIGMA)
PRISM_AND_EYE = (_("the prism and the eye"), refractometer.SIGMA)


class Corrector:
    """Corrects the readings of one batch; looks instruments and pressures up once."""

    def __init__(
        self,
        db: Connection,
        kitchen: Kitchen,
        *,
        sugar_kind: str,
        methods: dict[str, str],
        instruments: Sequence[Instrument[Detail]],
        shift: Shift | None = None,
    ) -> None:
        self._db, self._kitchen = db, kitchen
        self._boil_by = methods.get("boil_by", DEFAULT_BOIL_BY)
        self._by_printed_mark = methods.get("hot_mark") == "printed"
        self.invert_fraction = DEFAULT_INVERT_FRACTION[sugar_kind]
        self._shift = shift or Shift(0.0, sucrose.real_sigma_k(self.invert_fraction), 0)
        self._instruments = {i.id: i for i in instruments}
        self._said: dict[str, Corrected] = {}
        self._stems: dict[Hashable, list[tuple[datetime, datetime, Hydrometer]]] = {}

    @classmethod
    def of(cls, context: BatchContext) -> "Corrector":
        """For a batch, by the methods it was opened under."""
        return context.once(
            "corrector",
            lambda: cls(
                context.db,
                context.kitchen,
                sugar_kind=context.batch.sugar_kind,
                methods=context.batch.methods,
                instruments=context.instruments,
                shift=context.boil_shift,
            ),
        )

    def correct(self, entry: Entry[ReadingFacts]) -> Corrected:
        """One reading of the slip, as it was said."""
        found = self._said.get(entry.id)
        if found is None:
            found = as_said(self._db, self.today(entry))
            if entry.id:
                self._said[entry.id] = found
        return found

    def today(self, entry: Entry[ReadingFacts]) -> Corrected:
        """Correct one reading by today's formulas, with what was known at its time."""
        facts = entry.facts
        instrument = self._instruments[facts.instrument_id].as_of(entry.at)
        after = LOOKED_AFTER if isinstance(facts, ThermometerFacts) else TYPED_AFTER
        at = entry.at - (after if facts.dated == "typed" else timedelta(0))
        reading = AsRead(
            entry_id=entry.id,
            at=at,
            instrument=instrument,
            facts=facts,
            minute_sigma=SIGMA_MINUTES[facts.dated],
        )
        if isinstance(facts, HydrometerFacts):
            return self._hydrometer(reading, facts)
        if isinstance(facts, RefractometerFacts):
            return self._refractometer(reading, facts)
        assert isinstance(facts, ThermometerFacts)
        return self._thermometer(reading, facts.reading_c)

    def probe(self, today: ThermometerToday, pressure: Pressure, at: datetime, shown_c: float) -> Corrected:
        """What a probe in the boil says at a moment of that day."""
        reading = AsRead(entry_id="", at=at, instrument=today.instrument, facts=None)
        return self._by_boil(reading, today, pressure, shown_c)

    def _hydrometer_of(self, instrument: Instrument[HydrometerDetail], at: datetime) -> Hydrometer:
        """As corrections use it at a moment, looked up once for as long as nothing new taught it."""
        known = self._stems.setdefault((instrument.id, instrument.detail), [])
        for since, until, own in known:
            if since <= at < until:
                return own
        since, until = taught_between(self._db, instrument, at)
        own = hydrometer_of(self._db, instrument, at, self.invert_fraction)
        known.append((since, until, own))
        return own

    def _hydrometer(self, reading: AsRead, facts: HydrometerFacts) -> Corrected:
        instrument = with_detail(reading.instrument, HydrometerDetail)
        assert instrument is not None
        try:
            own = self._hydrometer_of(instrument, reading.at)
        except OutOfRange as error:
            return reading.says_nothing(error.sentence)
        mark = instrument.detail.hot_mark if self._by_printed_mark else None
        return self._remembered((reading, own, mark), lambda: self._by_stem(reading, facts, own, mark))

    def _remembered(self, rests_on: Hashable, correct: Callable[[], Corrected]) -> Corrected:
        """A correction made once, for as long as nothing that it rests on is another."""
        key = (rests_on, self.invert_fraction, self._shift)
        return cache_of(self._db).shelf("corrected", MOST_CORRECTED).get(key, correct)

    @classmethod
    def _by_stem(
        cls, reading: AsRead, facts: HydrometerFacts, own: Hydrometer, mark: PrintedMark | None
    ) -> Corrected:
        floats_at, cup = facts.reading_brix, facts.cup_c
        try:
            said = hydrometer.estimate(own, floats_at, cup, not facts.cup_assumed)
        except OutOfRange as error:
            return reading.says_nothing(error.sentence)
        if mark and cup >= HOT_FROM_C:
            return cls._by_mark(reading, facts, mark)
        steps = hydrometer_steps(own, facts, said)
        if facts.below_scale:
            why = _("Does not float yet: under {brix} Brix.", brix=number(said.brix, 1))
            return reading.says_nothing(why, steps, said.brix)
        rest = _("the cup, assumed") if facts.cup_assumed else _("the cup's heat")
        # Hexoses are lighter by an amount that is one for the whole boil.
        lighter = LIGHTER_SIGMA * own.invert_fraction * said.brix
        own_sigma = max(said.sigma_brix**2 - lighter**2, 0.0) ** 0.5
        shared = hypot(min(STEM_SHARED_SIGMA, 0.5 * own_sigma), lighter)
        return reading.says(
            said,
            steps,
            own_sigma_brix=(said.sigma_brix**2 - shared**2) ** 0.5,
            shared_sigma_brix=shared,
            budget=parts_of(said.sigma_brix, STEM_AND_EYE, rest),
            causes=partial(possible.of_hydrometer, own, floats_at, cup, facts.cup_assumed),
        )

    @staticmethod
    def _by_mark(reading: AsRead, facts: HydrometerFacts, mark: PrintedMark) -> Corrected:
        """A hot reading as the method of the printed mark takes it: whatever the cup's heat."""
        sigma = hydrometer.ASSUMED_CUP_SIGMA
        brix = mark.true_brix + facts.reading_brix - mark.reading_brix
        means = _("stands for {true}", true=bare(mark.true_brix))
        why = _("the method of the printed mark: the cup's heat is not asked")
        steps = (
            ReadingStep(_("stem floats at"), facts.reading_brix, "brix", _("as read")),
            ReadingStep(_("printed hot mark"), mark.reading_brix, "brix", means),
            ReadingStep("density", brix, "brix", why),
            ReadingStep(_("one sigma"), sigma, "brix", _("as with an assumed cup")),
        )
        return reading.says(
            Estimate(reading.instrument.name, brix, sigma),
            steps,
            budget=parts_of(sigma, STEM_AND_EYE, _("the cup, not asked")),
            causes=partial(possible.of_hydrometer, Hydrometer(), facts.reading_brix, facts.cup_c, True),
        )

    def _refractometer(self, reading: AsRead, facts: RefractometerFacts) -> Corrected:
        zero = scale_error(self._db, reading.instrument, facts.reading_brix, reading.at)
        return self._remembered((reading, zero), lambda: self._by_drop(reading, facts, zero))

    def _by_drop(self, reading: AsRead, facts: RefractometerFacts, zero: float) -> Corrected:
        shown, sample = facts.reading_brix, facts.sample_c
        invert = self.invert_fraction * shown
        try:
            said = refractometer.estimate(
                shown,
                sample,
                facts.compensated,
                invert_percent=invert,
                hot_drop=facts.hot_drop,
                zero_brix=zero,
            )
            correction = refractometer.temperature_correction(shown, sample)
        except OutOfRange as error:
            return reading.says_nothing(error.sentence)
        by, source = correction, _("table of 1936")
        if facts.compensated:
            by, source = 0.0, _("compensated by the instrument")
        checked = _("checked with water or a known solution")
        inverted = refractometer.INVERT_BRIX_PER_PERCENT * invert
        steps = (
            ReadingStep(_("prism shows"), shown, "brix", _("as read")),
            ReadingStep("sample", sample, "temperature", _("as read")),
            ReadingStep(_("for temperature"), by, "brix", source),
            *([ReadingStep(_("shows too much by"), zero, "brix", checked)] if zero else ()),
            ReadingStep(_("for invert sugar"), inverted, "brix", _("0.022 for each percent")),
            ReadingStep("density", said.brix, "brix"),
            ReadingStep(_("one sigma"), said.sigma_brix, "brix", _("0.5 for a hot drop, else 0.2")),
        )
        shared = PRISM_SHARED_SIGMA
        return reading.says(
            said,
            steps,
            own_sigma_brix=(said.sigma_brix**2 - shared**2) ** 0.5,
            shared_sigma_brix=shared,
            budget=parts_of(said.sigma_brix, PRISM_AND_EYE, _("a drop put on hot")),
            causes=partial(possible.of_refractometer, shown, sample, facts.compensated, facts.hot_drop),
        )

    def _thermometer(self, reading: AsRead, shown_c: float) -> Corrected:
        """What a boiling temperature says, typed or from a probe."""
        pressure = pressure_by(self._db, self._kitchen, reading.at, self._boil_by)
        if pressure is None:
            return reading.says_nothing(
                _(
                    "Set the pressure or the elevation first: a boiling temperature gives a density only "
                    "with one of them."
                )
            )
        glass = with_detail(reading.instrument, ThermometerDetail)
        assert glass is not None
        today = thermometer_today(self._db, glass, pressure, reading.at, self._boil_by)
        return self._remembered(
            (reading, today, pressure), lambda: self._by_boil(reading, today, pressure, shown_c)
        )

    def _by_boil(
        self, reading: AsRead, today: ThermometerToday, pressure: Pressure, shown_c: float
    ) -> Corrected:
        shift, invert = self._shift, self.invert_fraction
        true = today.calibration.true_c(shown_c)
        try:
            said = thermometer.estimate(
                max(true - shift.k, min(true, pressure.boil_c)),
                today.sigma_k,
                pressure.pa,
                invert,
                shift.sigma_k,
            )
        except OutOfRange as error:
            below = true < pressure.boil_c
            return reading.says_nothing(_("Not boiling yet.") if below else error.sentence)
        slope = sucrose.boiling_slope_k_per_brix(max(said.brix, 0.1), pressure.pa, invert)
        own = said.sigma_brix * OWN_THERMOMETER_SIGMA_K / today.sigma_k
        shared = (said.sigma_brix**2 - min(own, said.sigma_brix) ** 2) ** 0.5
        named = Estimate(reading.instrument.name, said.brix, said.sigma_brix)
        return reading.says(
            named,
            thermometer_steps(today, pressure, shown_c, said, shift),
            shown_c=shown_c,
            own_sigma_brix=max(own, 0.02),
            shared_sigma_brix=shared,
            budget=thermometer_budget(
                said, today, reading.at, sucrose.syrup_sigma_k(said.brix, invert, shift.sigma_k)
            ),
            causes=partial(possible.of_thermometer, not today.tested, bool(today.stale), slope),
        )


def today(context: BatchContext, entry: Entry[ReadingFacts]) -> Corrected:
    """A reading of a slip by today's formulas."""
    return Corrector.of(context).today(entry)
