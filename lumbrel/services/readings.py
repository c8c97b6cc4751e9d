"""From the raw lines of a slip to corrected evidence. Raw is kept; corrected is computed here."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection
from typing import Any

from lumbrel.core.bench import hydrometer, refractometer, thermometer
from lumbrel.core.bench.causes import Circumstances
from lumbrel.core.bench.evidence import Estimate
from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.core.errors import OutOfRange
from lumbrel.core.finishing.target import DEFAULT_INVERT_FRACTION
from lumbrel.services import day
from lumbrel.services.air import Pressure, pressure_at
from lumbrel.services.instruments import hydrometer_of
from lumbrel.store.batches import Entry
from lumbrel.store.kitchen import Instrument, Kitchen, instruments

READING_KINDS = ("hydrometer", "refractometer", "thermometer")
OWN_THERMOMETER_SIGMA_K = 0.05


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
    stale: bool = False
    untested: bool = False

    def circumstances(self, too_high: bool) -> Circumstances:
        """What could explain it, should it be the odd one out."""
        return Circumstances(
            self.kind, too_high, bool(self.facts.get("cup_assumed")), self.stale, self.untested,
            bool(self.facts.get("hot_drop")), bool(self.facts.get("compensated")),
        )  # fmt: skip

    @property
    def estimate(self) -> Estimate | None:
        """As evidence, or None when it says nothing of density."""
        if self.brix is None:
            return None
        return Estimate(self.instrument.name, self.brix, self.sigma_brix)


class Corrector:
    """Corrects the readings of one batch; looks instruments and pressures up once."""

    def __init__(self, db: Connection, kitchen: Kitchen, sugar_kind: str) -> None:
        self._db, self._kitchen = db, kitchen
        self.invert_fraction = DEFAULT_INVERT_FRACTION[sugar_kind]
        self._instruments = {i.id: i for i in instruments(db, retired=True)}
        self._hydrometers: dict[str, Hydrometer] = {}

    def _hydrometer_of(self, instrument: Instrument) -> Hydrometer:
        """As corrections use it, its learnt curve looked up once."""
        if instrument.id not in self._hydrometers:
            self._hydrometers[instrument.id] = hydrometer_of(self._db, instrument)
        return self._hydrometers[instrument.id]

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
        try:
            own = self._hydrometer_of(instrument)
            said = hydrometer.estimate(own, floats_at, cup, not facts.get("cup_assumed"))
        except OutOfRange as error:
            return self._refused(entry, instrument, error.sentence)
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
        )  # fmt: skip

    def _refractometer(self, entry: Entry, instrument: Instrument) -> Corrected:
        facts = entry.facts
        shown, sample = facts["reading_brix"], facts["sample_c"]
        compensated = bool(facts.get("compensated"))
        invert = self.invert_fraction * shown
        try:
            said = refractometer.estimate(
                shown, sample, compensated, invert, bool(facts.get("hot_drop"))
            )
            correction = refractometer.temperature_correction(shown, sample)
        except OutOfRange as error:
            return self._refused(entry, instrument, error.sentence)
        source = "compensated by the instrument" if compensated else "table of 1936"
        steps = (
            ("prism shows", shown, "brix", "as read"),
            ("sample", sample, "temperature", "as read"),
            ("for temperature", 0.0 if compensated else correction, "brix", source),
            ("for invert sugar", refractometer.INVERT_BRIX_PER_PERCENT * invert, "brix", "0.022 for each percent"),
            ("density", said.brix, "brix", ""),
            ("one sigma", said.sigma_brix, "brix", "0.5 for a hot drop, else 0.2"),
        )  # fmt: skip
        sigma = said.sigma_brix
        return Corrected(
            entry.id, entry.at, "refractometer", instrument, said.brix, sigma, sigma, 0.0, steps,
            facts,
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
        pressure = pressure_at(self._db, self._kitchen, at)
        if pressure is None:
            return self._no_word(
                entry_id, at, instrument, facts,
                "Without a pressure or an elevation a temperature says nothing of density.",
            )  # fmt: skip
        today = day.thermometer_today(self._db, instrument, pressure, at)
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
            max(own, 0.02), shared, steps, facts, "", False, bool(today.stale), not today.tested,
        )  # fmt: skip

    def _refused(self, entry: Entry, instrument: Instrument, why: str) -> Corrected:
        return Corrected(
            entry.id, entry.at, entry.kind, instrument, None, 0, 0, 0, (), entry.facts, why
        )

    def _no_word(
        self, entry_id: str, at: datetime, instrument: Instrument, facts: dict[str, Any], why: str
    ) -> Corrected:
        return Corrected(entry_id, at, "thermometer", instrument, None, 0, 0, 0, (), facts, why)
