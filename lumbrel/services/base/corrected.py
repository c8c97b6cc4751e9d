"""A reading as evidence: what it says of density, how sure it is, and why."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

from lumbrel.core.bench.causes import Cause
from lumbrel.core.bench.evidence import Estimate
from lumbrel.services.base.facts import (
    Facts,
    HydrometerFacts,
    ReadingFacts,
    RefractometerFacts,
    ThermometerFacts,
)
from lumbrel.store.instruments import Detail, Instrument

READINGS: tuple[type[ReadingFacts], ...] = (HydrometerFacts, RefractometerFacts, ThermometerFacts)
"""What instruments are read for: the kinds of line that say something of density."""


class ReadingStep(NamedTuple):
    """One step from the raw reading to the density: value, its kind of quantity, where it is from."""

    label: str
    value: float | str | None
    kind: str = ""
    source: str = ""


@dataclass(frozen=True, kw_only=True)
class Corrected:
    """A reading with what it says of density: its own sigma and the part shared with others of
    the same instrument. `brix` is None when it says nothing, and `refusal` says why."""

    entry_id: str
    at: datetime
    kind: str
    instrument: Instrument[Detail]
    brix: float | None = None
    sigma_brix: float = 0
    minute_sigma: float = 0.25
    """How well its moment is known."""
    own_sigma_brix: float = 0
    shared_sigma_brix: float = 0
    shares: str = ""
    """With which readings it shares that; empty: with those of its instrument."""
    by_solids: bool = False
    """Read as a mass: what the take-in's solids are off by, it is off by too."""
    steps: tuple[ReadingStep, ...] = ()
    """Working: label, value, kind of quantity (or unit), source."""
    facts: Facts | None = None
    """The line it was read from; None for a probe that speaks by itself."""
    refusal: str = ""
    below_scale: bool = False
    bound_brix: float | None = None
    """The density that it is surely under, when it does not float yet."""
    shown_c: float | None = None
    """What a thermometer showed."""
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
