"""What was read, before it is known what it says of density."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from lumbrel.core.bench.evidence import Estimate
from lumbrel.services.base.corrected import Corrected, ReadingStep
from lumbrel.services.base.facts import Facts
from lumbrel.store.instruments import Detail, Instrument


@dataclass(frozen=True, kw_only=True)
class AsRead:
    """What was read, whoever read it: a line of the slip, or a probe at a moment."""

    entry_id: str
    at: datetime
    instrument: Instrument[Detail]
    facts: Facts | None
    minute_sigma: float = 0.0

    def says(self, said: Estimate, steps: Sequence[ReadingStep], **more: Any) -> Corrected:
        """The reading as evidence; all of its sigma its own unless told otherwise."""
        own = {"own_sigma_brix": said.sigma_brix, **more}
        return Corrected(
            entry_id=self.entry_id,
            at=self.at,
            kind=self.instrument.kind,
            instrument=self.instrument,
            brix=said.brix,
            sigma_brix=said.sigma_brix,
            steps=tuple(steps),
            facts=self.facts,
            minute_sigma=self.minute_sigma,
            **own,
        )

    def says_nothing(
        self, why: str, steps: Sequence[ReadingStep] = (), under_brix: float | None = None
    ) -> Corrected:
        """The reading when it says nothing of density, and why."""
        return Corrected(
            entry_id=self.entry_id,
            at=self.at,
            kind=self.instrument.kind,
            instrument=self.instrument,
            steps=tuple(steps),
            facts=self.facts,
            refusal=why,
            minute_sigma=self.minute_sigma,
            below_scale=under_brix is not None,
            bound_brix=under_brix,
        )
