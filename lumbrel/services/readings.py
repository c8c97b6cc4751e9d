"""From the raw lines of a slip to corrected evidence. Raw is kept; corrected is computed here."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime
from functools import partial
from sqlite3 import Connection
from typing import Any

from lumbrel.core.bench import causes as possible
from lumbrel.core.bench import hydrometer, refractometer, thermometer
from lumbrel.core.bench.causes import Cause
from lumbrel.core.bench.evidence import Estimate
from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.target import DEFAULT_INVERT_FRACTION
from lumbrel.core.physics import sucrose
from lumbrel.services import day
from lumbrel.services.air import Pressure, pressure_by
from lumbrel.services.bench.curves import HOT_FROM_C, SYRUP_BRIX, hydrometer_of, scale_error
from lumbrel.store.instruments import Instrument, instruments
from lumbrel.store.kitchen import Kitchen
from lumbrel.store.record import Entry

READING_KINDS = ("hydrometer", "refractometer", "thermometer")
OWN_THERMOMETER_SIGMA_K = 0.05


def _parts(sigma: float, known: tuple[str, float], rest: str) -> tuple[tuple[str, float], ...]:
    """A sigma as a known part and what is left of it in squares."""
    left = max(sigma**2 - known[1] ** 2, 0.0) ** 0.5
    return (known, (rest, left)) if left > 0.01 else (known,)


@dataclass(frozen=True)
class Corrected:
    """A reading with what it says of density: its own sigma and the part shared with others of
    the same instrument. `brix` is None when it says nothing, and `refusal` says why."""

    entry_id: str
    at: datetime
    kind: str
    instrument: Instrument
    brix: float | None
    sigma_brix: float
    own_sigma_brix: float
    shared_sigma_brix: float
    steps: tuple[tuple[str, float | str | None, str, str], ...]
    """Working: label, value, kind of quantity (or unit), source."""
    facts: dict[str, Any]
    refusal: str = ""
    below_scale: bool = False
    budget: tuple[tuple[str, float], ...] = ()
    """Parts of the sigma, Brix; their squares add up to its square."""
    causes: Callable[[], list[Cause]] = list
    """What could explain it, should it be the odd one out; the most plausible first."""

    @property
    def estimate(self) -> Estimate | None:
        """As evidence, or None when it says nothing of density."""
        if self.brix is None:
            return None
        return Estimate(self.instrument.name, self.brix, self.sigma_brix)


class Corrector:
    """Corrects the readings of one batch; looks instruments and pressures up once."""

    def __init__(
        self, db: Connection, kitchen: Kitchen, sugar_kind: str, schools: dict[str, str]
    ) -> None:
        self._db, self._kitchen = db, kitchen
        self._boil_by = schools.get("boil_by", day.DEFAULT_BOIL_BY)
        self._by_printed_mark = schools.get("hot_mark") == "printed"
        self.invert_fraction = DEFAULT_INVERT_FRACTION[sugar_kind]
        self._instruments = {i.id: i for i in instruments(db, retired=True)}
        self._hydrometers: dict[str, Hydrometer] = {}

    def _hydrometer_of(self, instrument: Instrument, at: datetime) -> Hydrometer:
        """As corrections use it, its learnt curve looked up once."""
        if instrument.id not in self._hydrometers:
            self._hydrometers[instrument.id] = hydrometer_of(self._db, instrument)
        error = scale_error(self._db, instrument, SYRUP_BRIX, at)
        return replace(self._hydrometers[instrument.id], offset_brix=error)

    def correct(self, entry: Entry) -> Corrected:
        """Correct one reading of the slip with what was known at its time."""
        instrument = self._instruments[entry.facts["instrument_id"]]
        if entry.kind == "hydrometer":
            return self._hydrometer(entry, instrument)
        if entry.kind == "refractometer":
            return self._refractometer(entry, instrument)
        return self.thermometer(
            entry.id, entry.at, instrument, entry.facts["reading_c"], entry.facts
        )

    def _hydrometer(self, entry: Entry, instrument: Instrument) -> Corrected:
        facts = entry.facts
        floats_at, cup = facts["reading_brix"], facts["cup_c"]
        steps: list[tuple[str, float | str | None, str, str]] = [
            ("stem floats at", floats_at, "brix", "below the scale" if facts.get("below_scale") else "as read"),
            ("cup", cup, "temperature", "assumed" if facts.get("cup_assumed") else "as read"),
        ]  # fmt: skip
        assumed = bool(facts.get("cup_assumed"))
        try:
            own = self._hydrometer_of(instrument, entry.at)
            said = hydrometer.estimate(own, floats_at, cup, not assumed)
        except OutOfRange as error:
            return self._refused(entry, instrument, error.sentence)
        mark = instrument.detail.get("hot_mark")
        if self._by_printed_mark and mark and cup >= HOT_FROM_C:
            return self._by_mark(entry, instrument, mark)
        if own.offset_brix:
            steps.append(
                (
                    "its scale shows too much by",
                    own.offset_brix,
                    "brix",
                    "checked in a known solution",
                )
            )
        steps += [
            ("scale true at", own.calibration_temperature_c, "temperature", own.glass),
            (
                "of the computed shift",
                own.shift,
                "",
                "its own pairs or hot mark" if own.shift != 1 else "as computed",
            ),
            ("corrected by", said.brix - floats_at, "brix", "buoyancy, ICUMSA SPS-4"),
            ("density", said.brix, "brix", ""),
            ("one sigma", said.sigma_brix, "brix", "0.2 cold, 0.5 hot, 0.8 with the cup assumed"),
        ]
        if facts.get("below_scale"):
            return Corrected(
                entry.id, entry.at, "hydrometer", instrument, None, 0, 0, 0, tuple(steps), facts,
                f"Does not float yet: under {said.brix:.1f} Brix.", True,
            )  # fmt: skip
        sigma = said.sigma_brix
        return Corrected(
            entry.id, entry.at, "hydrometer", instrument, said.brix, sigma, sigma, 0.0,
            tuple(steps), facts,
            budget=_parts(sigma, ("the stem and the eye", hydrometer.COLD_SIGMA),
                          "the cup, assumed" if assumed else "the cup's heat"),
            causes=partial(possible.of_hydrometer, own, floats_at, cup, assumed),
        )  # fmt: skip

    def _by_mark(self, entry: Entry, instrument: Instrument, mark: dict[str, float]) -> Corrected:
        """A hot reading as the school of the printed mark takes it: whatever the cup's heat."""
        floats_at = entry.facts["reading_brix"]
        brix = mark["true_brix"] + floats_at - mark["reading_brix"]
        sigma = hydrometer.ASSUMED_CUP_SIGMA
        steps = (
            ("stem floats at", floats_at, "brix", "as read"),
            ("printed hot mark", mark["reading_brix"], "brix", f"stands for {mark['true_brix']:g}"),
            (
                "density",
                brix,
                "brix",
                "the school of the printed mark: the cup's heat is not asked",
            ),
            ("one sigma", sigma, "brix", "as with an assumed cup"),
        )
        return Corrected(
            entry.id, entry.at, "hydrometer", instrument, brix, sigma, sigma, 0.0, steps,
            entry.facts, budget=_parts(sigma, ("the stem and the eye", hydrometer.COLD_SIGMA),
                                       "the cup, not asked"),
            causes=partial(
                possible.of_hydrometer, Hydrometer(), floats_at, entry.facts["cup_c"], True
            ),
        )  # fmt: skip

    def _refractometer(self, entry: Entry, instrument: Instrument) -> Corrected:
        facts = entry.facts
        shown, sample = facts["reading_brix"], facts["sample_c"]
        compensated = bool(facts.get("compensated"))
        invert = self.invert_fraction * shown
        hot_drop = bool(facts.get("hot_drop"))
        zero = scale_error(self._db, instrument, shown, entry.at)
        try:
            said = refractometer.estimate(shown, sample, compensated, invert, hot_drop, zero)
            correction = refractometer.temperature_correction(shown, sample)
        except OutOfRange as error:
            return self._refused(entry, instrument, error.sentence)
        source = "compensated by the instrument" if compensated else "table of 1936"
        steps = (
            ("prism shows", shown, "brix", "as read"),
            ("sample", sample, "temperature", "as read"),
            ("for temperature", 0.0 if compensated else correction, "brix", source),
            *((("shows too much by", zero, "brix", "checked with water or a known solution"),) if zero else ()),
            ("for invert sugar", refractometer.INVERT_BRIX_PER_PERCENT * invert, "brix", "0.022 for each percent"),
            ("density", said.brix, "brix", ""),
            ("one sigma", said.sigma_brix, "brix", "0.5 for a hot drop, else 0.2"),
        )  # fmt: skip
        sigma = said.sigma_brix
        return Corrected(
            entry.id, entry.at, "refractometer", instrument, said.brix, sigma, sigma, 0.0, steps,
            facts,
            budget=_parts(sigma, ("the prism and the eye", refractometer.SIGMA), "a drop put on hot"),
            causes=partial(possible.of_refractometer, shown, sample, compensated, hot_drop),
        )  # fmt: skip

    def thermometer(
        self,
        entry_id: str,
        at: datetime,
        instrument: Instrument,
        reading_c: float,
        facts: dict[str, Any],
    ) -> Corrected:
        """What a boiling temperature says, typed or from a probe."""
        pressure = pressure_by(self._db, self._kitchen, at, self._boil_by)
        if pressure is None:
            return self._no_word(
                entry_id, at, instrument, facts,
                "Without a pressure or an elevation a temperature says nothing of density.",
            )  # fmt: skip
        today = day.thermometer_today(self._db, instrument, pressure, at, self._boil_by)
        return self.thermometer_with(today, pressure, entry_id, at, reading_c, facts)

    def thermometer_with(
        self,
        today: day.ThermometerToday,
        pressure: Pressure,
        entry_id: str,
        at: datetime,
        reading_c: float,
        facts: dict[str, Any],
    ) -> Corrected:
        """The same, with the thermometer's state at hand (a probe sends one each second)."""
        true = today.calibration.true_c(reading_c)
        try:
            said = thermometer.estimate(true, today.sigma_k, pressure.pa, self.invert_fraction)
        except OutOfRange as error:
            refusal = "Not boiling yet." if true < pressure.boil_c else error.sentence
            return self._no_word(entry_id, at, today.instrument, facts, refusal)
        slope = sucrose.boiling_slope_k_per_brix(
            max(said.brix, 0.1), pressure.pa, self.invert_fraction
        )
        own = said.sigma_brix * OWN_THERMOMETER_SIGMA_K / today.sigma_k
        shared = (said.sigma_brix**2 - min(own, said.sigma_brix) ** 2) ** 0.5
        steps = (
            ("shows", reading_c, "temperature", "as read"),
            ("reads high by", today.calibration.offset_k, "difference", "test boil" if today.tested else "no test boil"),
            ("true", true, "temperature", ""),
            ("water boils at", pressure.boil_c, "temperature", f"{pressure.basis}, IAPWS-IF97"),
            ("one sigma", today.sigma_k, "difference", ""),
            ("density", said.brix, "brix", "Norrish water activity"),
            ("one sigma of it", said.sigma_brix, "brix", "through the slope of the boil"),
        )  # fmt: skip
        return Corrected(
            entry_id, at, "thermometer", today.instrument, said.brix, said.sigma_brix,
            max(own, 0.02), shared, steps, facts,
            budget=self._thermometer_budget(said.brix, said.sigma_brix, today, at),
            causes=partial(possible.of_thermometer, not today.tested, bool(today.stale), slope),
        )  # fmt: skip

    @staticmethod
    def _thermometer_budget(
        brix: float, sigma_brix: float, today: day.ThermometerToday, at: datetime
    ) -> tuple[tuple[str, float], ...]:
        """The parts in kelvin share the sigma in Brix by their squares."""
        curve = sucrose.boiling_sigma_k(brix)
        drift = 0.0
        if today.boil:
            hours = (at - today.boil.at).total_seconds() / 3600
            drift = thermometer.drift_sigma_k(max(hours, 0.0), today.pressure_change_pa)
        drift = min(drift, today.sigma_k)
        own = (today.sigma_k**2 - drift**2) ** 0.5
        whole = (own**2 + drift**2 + curve**2) ** 0.5
        name = "the thermometer" if today.tested else "the thermometer, never tested"
        parts = ((name, own), ("the air since its test boil", drift), ("the boiling curve", curve))
        return tuple((label, sigma_brix * k / whole) for label, k in parts if k > 0)

    def _refused(self, entry: Entry, instrument: Instrument, why: str) -> Corrected:
        return Corrected(
            entry.id, entry.at, entry.kind, instrument, None, 0, 0, 0, (), entry.facts, why
        )

    def _no_word(
        self, entry_id: str, at: datetime, instrument: Instrument, facts: dict[str, Any], why: str
    ) -> Corrected:
        return Corrected(entry_id, at, "thermometer", instrument, None, 0, 0, 0, (), facts, why)
