"""What is said of the evidence."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from lumbrel.core.bench.evidence import Estimate
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.boil_path import BoilPath
from lumbrel.services.base.corrected import Corrected
from lumbrel.services.pan.run import Boil

STILL_SPEAKS = timedelta(minutes=30)


@dataclass(frozen=True)
class Word:
    """One instrument's newest reading, carried along the fitted path to now."""

    reading: Corrected
    estimate: Estimate
    live: bool = False


@dataclass(frozen=True)
class BurnerChange:
    """The rate of boiling off changed, as the temperature shows it."""

    at: datetime
    before_kg_per_min: float
    after_kg_per_min: float

    @property
    def percent(self) -> float:
        """By how much, percent of what it was."""
        before = self.before_kg_per_min
        return 100 * (self.after_kg_per_min - before) / before if before > 0 else 0.0


def changes_said(fitted: BoilPath, start: datetime) -> list[BurnerChange]:
    """Each change with the mean rates on both sides of it."""
    said = []
    bounds = (0.0, *fitted.changed_at, max(fitted.followed_to, *fitted.changed_at, 0.0) + 1.0)
    for before, at, after in zip(bounds, bounds[1:], bounds[2:], strict=False):
        rates = [(fitted.burnt_kg(b) - fitted.burnt_kg(a)) / (b - a) for a, b in ((before, at), (at, after))]
        said.append(BurnerChange(start + timedelta(minutes=at), rates[0], rates[1]))
    return said


def tells(reading: Corrected) -> bool:
    """Whether a reading says anything of density: a boil hardly above water's does not."""
    return reading.brix is not None and 5 <= reading.brix <= 96 and reading.sigma_brix < 20


def words_of(fitted: BoilPath, readings: list[Corrected], live: Corrected | None, boil: Boil) -> list[Word]:
    """The newest word of each instrument; an old one is carried along the fitted path."""
    newest: dict[str, tuple[Corrected, bool]] = {}
    for reading in readings:
        if reading.brix is not None and boil.until - reading.at <= STILL_SPEAKS:
            newest[reading.instrument.id] = (reading, False)
    if live is not None and live.brix is not None:
        newest[live.instrument.id] = (live, True)
    words = []
    for reading, is_live in newest.values():
        said = word_said(fitted, reading, is_live, boil) if tells(reading) else None
        if said:
            words.append(Word(reading, said, is_live))
    return words


def word_said(fitted: BoilPath, reading: Corrected, is_live: bool, boil: Boil) -> Estimate | None:
    """What a reading says of now; None when it cannot be carried along so far."""
    assert reading.brix is not None
    brix, sigma = reading.brix, reading.sigma_brix
    if not is_live:
        try:
            then, now = boil.minute(reading.at), boil.minute(boil.until)
            brix, sigma = fitted.carried(brix, sigma, then, now)
        except (OutOfRange, ZeroDivisionError):
            return None
    name = reading.instrument.name
    return Estimate(name, min(max(brix, 0.2), 96.9), min(max(sigma, 0.05), 50.0))
