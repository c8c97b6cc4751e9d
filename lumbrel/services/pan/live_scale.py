"""What a scale under the pan says by itself: the mass in it, weighed as it boils away, and what came or went."""

from datetime import datetime, timedelta
from math import hypot
from typing import NamedTuple

from lumbrel.core.bench.causes import Cause
from lumbrel.core.pan.weighing import Course, Weight, WeightStep, course
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import Corrected
from lumbrel.services.base.facts import PartDrawFacts, PutInFacts, ScaleFacts
from lumbrel.services.pan.dipstick import solids_sigma
from lumbrel.services.pan.unsaid import SAID_WITHIN, ScaleTold, TakenOut, answered
from lumbrel.services.pan.weighed import (
    CANDIED_BRIX,
    FOAM_KG,
    SCALE_KG,
    SCALE_SHARE,
    TAKE_IN_SHARE,
    THINNEST_BRIX,
    steps_of,
)
from lumbrel.store import samples as samples_store
from lumbrel.store.instruments import Instrument, ScaleDetail
from lumbrel.store.samples import Sample
from lumbrel.words import _

MOST_POINTS = 12
AROUND_TAKE_IN = timedelta(minutes=10)
LIGHTER_KG = 0.05
"""By so much a vessel may seem to weigh less than nothing."""
EMPTIED = 0.9
"""What weighs less than this share of its sugar alone is not the vessel with what is in it."""
A_MINUTE = timedelta(minutes=1)
UNREST_BRIX = 0.3
"""One sigma of what a boil does that no course of it knows: what clings, foams and drips back."""


def told(context: BatchContext) -> ScaleTold:
    """What the scale under a batch's vessel told since the take-in."""
    return context.once("its scale", lambda: _told(context))


def _told(context: BatchContext) -> ScaleTold:
    scales = context.instruments_of(ScaleDetail)
    scale = next((one for one in scales if one.vessel_id == context.vessel.id), None)
    if scale is None or context.channels:
        return ScaleTold()
    empty = _empty_kg(context, scale)
    if empty is None:
        return ScaleTold()
    since, until = context.taken_in.at, context.left_at or context.now
    each = [
        Sample(one.at, one.value - empty.kg)
        for one in samples_store.minute_means(context.db, scale.id, since, until)
    ]
    seen = course([Weight((one.at - since) / A_MINUTE, max(one.value, 0.001)) for one in each])
    return _Reader(context, scale, empty, each, seen).read()


class _Reader:
    """Reads a weight's course beside the slip.

    Args:
        each: about one a minute, kg without the empty vessel.
    """

    def __init__(
        self,
        context: BatchContext,
        scale: Instrument[ScaleDetail],
        empty: "Empty",
        each: list[Sample],
        seen: Course,
    ) -> None:
        self._context, self._scale, self._empty, self._each = context, scale, empty, each
        self._seen, self._since = seen, context.taken_in.at
        self._shifts: list[tuple[datetime, float]] = []
        """Changes of which somebody said that nothing came or went."""
        self._hidden = [(self._at(a), self._at(b)) for a, b in seen.leant]
        if seen.undecided_from is not None:
            self._hidden.append((self._at(seen.undecided_from), context.now + A_MINUTE))
        self._ends: datetime | None = None
        self._taken: list[TakenOut] = []
        self._weighed: dict[str, TakenOut] = {}
        """Draws that a line notes, by its id, as the scale weighed them."""
        self._came: list[tuple[datetime, float]] = []

    def read(self) -> ScaleTold:
        """All that it tells."""
        for step in self._seen.steps:
            self._hear(step)
        points = [one for one in self._each if self._counts(one.at)]
        readings = [one for point in _some(points) if (one := self._said(point))]
        # Of what was drawn its mass is known best here, its density by all that was believed then.
        drawn = {e.id: e.facts.brix for e in self._context.of_kind(PartDrawFacts)}
        weighed = {key: one._replace(brix=drawn[key]) for key, one in self._weighed.items()}
        return ScaleTold(readings, self._taken, self._came, self._stalls(), weighed)

    def _at(self, minute: float) -> datetime:
        return self._since + timedelta(minutes=minute)

    def _hear(self, step: WeightStep) -> None:
        """What a change at once was."""
        before, after = self._at(step.before), self._at(step.after)
        kinds = PutInFacts if step.kg > 0 else PartDrawFacts
        lines = [e for e in self._context.of_kind(kinds) if abs(e.at - after) <= SAID_WITHIN]
        moments = [e.at for e in lines]
        if lines:
            self._hidden.append((min(before, *moments), max(after, *moments) + A_MINUTE))
            if step.kg < 0 and len(lines) == 1:
                # It was weighed sharper here than where it was poured.
                self._weighed |= {lines[0].id: self._gone(step, before, after)}
        elif answered(self._context, "put_in" if step.kg > 0 else "taken_out", after) is False:
            self._shifts.append((after, step.kg))
        elif step.kg > 0:
            self._came.append((after, step.kg))
            self._ends = min(self._ends or before, before)
        else:
            self._hidden.append((before, after))
            self._taken.append(self._gone(step, before, after))

    def _gone(self, step: WeightStep, before: datetime, after: datetime) -> TakenOut:
        """What went, at the density that it had."""
        mass, solids = max(self._mass(before), 0.001), self._solids(before)
        return TakenOut(after, min(-step.kg, EMPTIED * mass), min(100 * solids / mass, CANDIED_BRIX))

    def _mass(self, at: datetime) -> float:
        last = [one for one in self._each if one.at <= at][-1:]
        return last[0].value - self._shift(at) if last else 0.0

    def _shift(self, at: datetime) -> float:
        return sum(kg for since, kg in self._shifts if since <= at)

    def _solids(self, at: datetime) -> float:
        """Solids in the vessel at a moment, kg."""
        facts = self._context.taken_in.facts
        solids = facts.mass_kg * facts.brix / 100
        put = [(e.at, e.facts.mass_kg * e.facts.brix / 100) for e in self._context.of_kind(PutInFacts)]
        noted = self._context.of_kind(PartDrawFacts)
        drawn = [(e.at, -e.facts.mass_kg * e.facts.brix / 100) for e in noted if e.id not in self._weighed]
        taken = [(t.at, -t.mass_kg * t.brix / 100) for t in (*self._taken, *self._weighed.values())]
        return max(solids + sum(kg for when, kg in (*put, *drawn, *taken) if when <= at), 0.001)

    def _counts(self, at: datetime) -> bool:
        """Whether what it showed then says something of density."""
        return (self._ends is None or at <= self._ends) and not any(a < at < b for a, b in self._hidden)

    def _stalls(self) -> list[tuple[datetime, datetime]]:
        until = self._context.left_at or self._context.now
        found = []
        for began, ended in self._seen.stalls:
            since = self._at(began)
            if answered(self._context, "heat_off", since) is not False:
                found.append((since, self._at(ended) if ended is not None else until + timedelta(days=1)))
        return found

    def _said(self, one: Sample) -> Corrected | None:
        context = self._context
        mass, solids = one.value - self._shift(one.at), self._solids(one.at)
        brix = 100 * solids / mass if mass > EMPTIED * solids else 100.0
        if not THINNEST_BRIX <= brix < CANDIED_BRIX:
            return None
        own = hypot(brix * hypot(SCALE_KG, FOAM_KG) / mass, UNREST_BRIX)
        # What is off in the empty vessel's weight counts the more the less is left in it.
        shared = brix * hypot(TAKE_IN_SHARE, SCALE_SHARE, self._empty.sigma_kg / mass)
        sugar = brix * solids_sigma(context)
        sigma = hypot(own, shared, sugar)
        return Corrected(
            entry_id="",
            at=one.at,
            kind=ScaleFacts.key(),
            instrument=self._scale,
            brix=brix,
            sigma_brix=sigma,
            own_sigma_brix=own,
            shared_sigma_brix=shared,
            by_solids=True,
            steps=steps_of(mass + self._empty.kg, self._empty.kg, solids, sigma),
            budget=((_("the scale"), own), (_("the take-in"), hypot(shared, sugar))),
            causes=_causes,
        )


def _some(each: list[Sample]) -> list[Sample]:
    """Some of them, the same at each look but for the newest."""
    step = 1
    while len(each) > step * MOST_POINTS:
        step *= 2
    return [one for one in each[:-1] if int(one.at.timestamp() // 60) % step == 0] + each[-1:]


class Empty(NamedTuple):
    """What a scale shows for the empty vessel, kg, and one sigma of that."""

    kg: float
    sigma_kg: float


def _empty_kg(context: BatchContext, scale: Instrument[ScaleDetail]) -> Empty | None:
    """As somebody said, else by what was taken in; None where nobody knows."""
    if last := context.last(ScaleFacts):
        return Empty(last.facts.empty_kg, SCALE_KG)
    taken = context.taken_in
    near = samples_store.samples(
        context.db, scale.id, taken.at - AROUND_TAKE_IN, min(taken.at + AROUND_TAKE_IN, context.now)
    )
    if not near:
        return None
    then = min(near, key=lambda one: abs(one.at - taken.at))
    empty = then.value - taken.facts.mass_kg
    doubt = TAKE_IN_SHARE * taken.facts.mass_kg
    return Empty(max(empty, 0.0), doubt) if empty >= -max(LIGHTER_KG, doubt) else None


def _causes() -> list[Cause]:
    return [
        Cause(
            "empty",
            _("something leans on the scale, or something was put in and not recorded"),
            _("Take off what leans on it; note what was put in or taken out."),
            -60.0,
            60.0,
        )
    ]
