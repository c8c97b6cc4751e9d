"""What a slip shows of its filter."""

from datetime import timedelta
from itertools import pairwise

from lumbrel.core.filter.flow import MEDIA, PULL_AT, Passed, running, syrup_viscosity
from lumbrel.services.base import standing
from lumbrel.services.base.facts import FilterFacts, PassedFacts, PulledFacts
from lumbrel.store.kept import FilterSeen

RATE_LEARNT_FROM = 3


def passes(lines: standing.Slip) -> list[Passed]:
    """What was noted of the run: litres that had passed and layers that were pulled, from the first
    note on, which is its beginning."""
    notes = standing.of_kind(lines, PassedFacts, PulledFacts)
    if not notes:
        return []
    begin, litres, pulled = notes[0].at, 0.0, 0
    found = []
    for note in notes:
        if isinstance(note.facts, PassedFacts):
            litres = max(note.facts.litres, litres)
        else:
            pulled += 1
        found.append(Passed((note.at - begin) / timedelta(minutes=1), litres, pulled))
    return found


def filter_seen(lines: standing.Slip) -> FilterSeen | None:
    """What a filtered batch teaches of its medium; None before it was filtered."""
    done = standing.of_kind(lines, FilterFacts)
    if not done:
        return None
    facts = done[0].facts
    seen, medium = passes(lines), MEDIA.get(facts.method)
    losses = [e.facts.loss_kg for e in done if e.facts.loss_kg is not None]
    rate = layer = None
    if medium is not None and len(seen) >= RATE_LEARNT_FROM:
        viscosity = syrup_viscosity(facts.brix or 66.9, facts.temperature_c)
        rate = running(medium, seen, viscosity).rate_l_min
        pulled = [b.litres for a, b in pairwise(seen) if b.pulled > a.pulled]
        layer = pulled[0] / PULL_AT if pulled and pulled[0] > 0 else None
    return FilterSeen(
        method=facts.method,
        filtered_at=done[0].at,
        loss_kg=sum(losses) if losses else None,
        rate_l_min=rate,
        passes_l=layer,
    )
