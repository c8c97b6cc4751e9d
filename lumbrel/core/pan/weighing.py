"""The course of a weight under a boil: what came or went at once, and when nothing boiled off."""

from collections.abc import Sequence
from itertools import pairwise
from statistics import median
from typing import NamedTuple

STEP_KG, STEP_SHARE, STEP_RATES = 0.12, 0.015, 2.0
"""A change at once is at least so much, such a share of all, and so many times what boils off meanwhile."""
GIVEN_BACK_MINUTES, GIVEN_BACK = 6.0, 0.25
"""What leaned on it and was taken off again so soon, within such a share, was no change."""
STALL_MINUTES, STALLS, GOES_ON = 4.0, 0.3, 0.5
"""Over so long less than that share of the usual boils off, until it is that share again."""
LEAST_LOSS_KG = 0.08
"""What does not weigh more over a stall's time cannot be told from nothing."""
LONGEST_GAP_MINUTES = 5.0


class Weight(NamedTuple):
    """What a scale showed at a minute, kg."""

    minute: float
    kg: float


class WeightStep(NamedTuple):
    """What came (above 0) or went at once, kg, between two minutes."""

    before: float
    after: float
    kg: float


class Course(NamedTuple):
    """The course of a weight.

    Attributes:
        steps: what came or went, oldest first.
        leant: whiles in which something leaned on the scale.
        stalls: whiles in which nothing boiled off; the last may have no end yet.
        kg_per_min: what boils off usually; 0 where nothing did yet.
        undecided_from: since when so much less is there that some of it may be gone, or it boils harder: the next two
            minutes tell. None where nothing is open.
    """

    steps: list[WeightStep]
    leant: list[tuple[float, float]]
    stalls: list[tuple[float, float | None]]
    kg_per_min: float
    undecided_from: float | None = None


def course(weights: Sequence[Weight]) -> Course:
    """The course of a weight, about one a minute.

    Args:
        weights: of the vessel with what is in it, less the empty vessel, kg above 0; oldest first.
    """
    usual = _usual(weights)
    found, undecided = _steps(weights, usual)
    steps, leant = _without_what_leant(_merged(found))
    return Course(steps, leant, _stalls(_flat(weights, steps), usual), usual, undecided)


def _steps(weights: Sequence[Weight], usual: float) -> tuple[list[WeightStep], float | None]:
    """What came or went at once, and since when that is undecided: what boils so hard from there on is no step."""
    pairs = list(pairwise(weights))
    falls = [(a.kg - b.kg) / (b.minute - a.minute) for a, b in pairs]
    found, undecided = [], None
    for i, (a, b) in enumerate(pairs):
        step, after = _step(a, b, usual), falls[i + 1 : i + 3]
        if step and step.kg < 0 and len(after) < 2:
            undecided = a.minute if undecided is None else undecided
            continue
        if step and step.kg < 0:
            step = _step(a, b, max(usual, min(after)))
        if step:
            found.append(step)
    return found, undecided


def _usual(weights: Sequence[Weight]) -> float:
    """What boils off, kg/min, in the middle of all whiles in which anything does; 0 where nothing did yet."""
    found, j = [], 0
    for i, now in enumerate(weights):
        while j < i and now.minute - weights[j + 1].minute >= STALL_MINUTES - 0.01:
            j += 1
        minutes = now.minute - weights[j].minute
        lost = weights[j].kg - now.kg
        if minutes >= STALL_MINUTES - 0.01 and lost > LEAST_LOSS_KG / 2:
            found.append(lost / minutes)
    return median(found) if found else 0.0


def _step(a: Weight, b: Weight, usual: float) -> WeightStep | None:
    gap = b.minute - a.minute
    change = b.kg - a.kg + usual * gap
    least = max(STEP_KG, STEP_SHARE * a.kg, STEP_RATES * usual * gap)
    return (
        WeightStep(a.minute, b.minute, change) if gap <= LONGEST_GAP_MINUTES and abs(change) > least else None
    )


def _merged(steps: list[WeightStep]) -> list[WeightStep]:
    """Steps of one sign, one behind the other, are one."""
    found: list[WeightStep] = []
    for step in steps:
        last = found[-1] if found else None
        if last and last.after == step.before and last.kg * step.kg > 0:
            found[-1] = WeightStep(last.before, step.after, last.kg + step.kg)
        else:
            found.append(step)
    return found


def _without_what_leant(steps: list[WeightStep]) -> tuple[list[WeightStep], list[tuple[float, float]]]:
    kept: list[WeightStep] = []
    leant = []
    for step in steps:
        last = kept[-1] if kept else None
        if (
            last
            and step.before - last.after <= GIVEN_BACK_MINUTES
            and abs(step.kg + last.kg) <= GIVEN_BACK * abs(last.kg)
        ):
            kept.pop()
            leant.append((last.before, step.after))
        else:
            kept.append(step)
    return kept, leant


def _flat(weights: Sequence[Weight], steps: list[WeightStep]) -> list[Weight]:
    """The weights as if nothing had come or gone at once, without those in the middle of it."""
    return [
        Weight(one.minute, one.kg - sum(step.kg for step in steps if step.after <= one.minute))
        for one in weights
        if not any(step.before < one.minute < step.after for step in steps)
    ]


def _stalls(flat: list[Weight], usual: float) -> list[tuple[float, float | None]]:
    if usual * STALL_MINUTES < LEAST_LOSS_KG:
        return []
    found: list[tuple[float, float | None]] = []
    boiled, open_since = False, None
    for i, now in enumerate(flat):
        then = next(
            (one for one in reversed(flat[:i]) if now.minute - one.minute >= STALL_MINUTES - 0.01), None
        )
        if then is None:
            continue
        share = (then.kg - now.kg) / ((now.minute - then.minute) * usual)
        boiled = boiled or share > GOES_ON
        if open_since is None and boiled and share < STALLS:
            open_since = then.minute
        elif open_since is not None and share > GOES_ON:
            # Half of the usual over so long: it went on in the middle of it.
            found.append((open_since, (then.minute + now.minute) / 2))
            open_since = None
    if open_since is not None:
        found.append((open_since, None))
    return found
