"""Readings that no boil could have reached are asked about before they are believed."""

from math import hypot
from typing import Any

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import preview
from lumbrel.services.base.facts import DrawFacts, TakeInFacts
from lumbrel.services.base.form import Form
from lumbrel.services.bench.correct import Corrector
from lumbrel.services.pan.evidence import gather

CANNOT_BE_SIGMAS, SLACK_BRIX = 5.0, 1.0


def since_the_last(form: Form, context: BatchContext, facts: Any) -> None:
    """Ask about a reading that no boil could have reached since the last one."""
    if context.first(DrawFacts) or context.first(TakeInFacts) is None:
        return
    new = Corrector.of(context).correct(preview(facts, context.now))
    earlier = [w for w in gather(context).words if w.reading.kind != "thermometer"]
    if new.brix is None or not earlier:
        return
    last = max(earlier, key=lambda word: word.reading.at)
    said = last.estimate
    doubt = hypot(new.sigma_brix, said.sigma_brix)
    if abs(new.brix - said.brix) > CANNOT_BE_SIGMAS * doubt + SLACK_BRIX:
        ago = max((context.now - last.reading.at).total_seconds() / 60, 0)
        form.ask(
            "reading",
            f"That would be {new.brix:.1f} Brix. By {said.label} {ago:.0f} minutes ago it "
            f"should be near {said.brix:.1f} now, and no boil goes so far in that time. "
            "Misread by a line or by ten?",
        )
