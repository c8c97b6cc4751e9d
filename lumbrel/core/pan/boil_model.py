"""A boil in a kitchen: what is believed of its path from everything that was read.

Solids stay and water goes, so the mass says the density. The rate is a level for each setting of
the burner, as a logarithm, which makes it positive whatever is read; a burner strays from its
level for minutes at a time, with a memory. Readings of one instrument share an error; all
thermometers share those of the boiling curve, whose height and steepness are known only so well.
A reading belongs to the moment of its dip, which is known only so well too. And one wild reading
must not bend the boil: the loss forgives.

Everything is fitted at once by Gauss and Newton, as the most likely path; its covariance says how
sure that is.
"""

from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache
from math import erfc, exp, hypot, log, pi, sqrt

from lumbrel.core.pan.boil_lines import Density, Heat
from lumbrel.core.pan.boil_path import BoilPath
from lumbrel.core.pan.boil_problem import STRAYS_ALIKE, KnownBefore, Problem

MOST_REMEMBERED = 256
CHANGE_GAIN, CHANGE_ODDS = 9.0, 5.0
"""A change of the burner that nobody noted is worth its parameter from so much chi-squared on; that it
was one is so unlikely beforehand, as the logarithm of the odds."""
MOST_CHANGES = 4


def fit_boil(known: KnownBefore, densities: Sequence[Density], heat: Sequence[Heat], now: float) -> BoilPath:
    """The most likely path of a boil up to now, and how sure it is.

    Args:
        known: of the boil before any reading.
        densities, heat: what was read, oldest first.
        now: minutes since the boil-off began.
    Source: maximum a posteriori by Gauss and Newton; Student's t for each reading's own error.
    """
    return _fitted(known, tuple(densities), tuple(heat), now)


@lru_cache(MOST_REMEMBERED)
def _fitted(
    known: KnownBefore, densities: tuple[Density, ...], heat: tuple[Heat, ...], now: float
) -> BoilPath:
    """The same evidence is fitted once: an old boil is looked at again and again."""
    read = [d for d in densities if not d.bound]
    path = _path(known, read, heat, now)
    edges = _edges(path, densities)
    if edges:
        path = _path(known, [*read, *edges], heat, now)
    weights = iter(path.density_weights)
    return replace(
        path,
        cost=path.cost + _outside(path, densities),
        density_weights=tuple(1.0 if d.bound else next(weights) for d in densities),
    )


def _outside(path: BoilPath, densities: Sequence[Density]) -> float:
    """Twice the negative logarithm of how likely all bounds but the newest of each instrument are; what
    nobody read right is forgiven at last."""
    newest = {d.shared: d for d in densities if d.bound}
    cost = 0.0
    for one in densities:
        if one.bound and one is not newest[one.shared]:
            whole = hypot(one.sigma_brix, one.shared_sigma_brix, path.sigma_brix_at(one.minute))
            inside = (one.brix - path.brix_at(one.minute)) / whole
            cost -= 2 * log(max(0.5 * erfc(-inside / sqrt(2)), MISREAD_SHARE))
    return cost


def _edges(path: BoilPath, densities: Sequence[Density]) -> list[Density]:
    """What the newest bound of each instrument comes to: the path as it was without it, with what lies
    beyond the bound cut off, has another middle and another width, and a reading that would make the
    same of it stands for the bound."""
    newest = {d.shared: d for d in densities if d.bound}
    edges = []
    for one in newest.values():
        brix, sigma = path.brix_at(one.minute), path.sigma_brix_at(one.minute)
        doubt = hypot(
            one.sigma_brix, one.shared_sigma_brix, one.minute_sigma * path.rise_brix_per_min(one.minute)
        )
        # In water to a kilogram of sugar, which is what is nearly normal.
        mass, width, edge = 100 / brix, 100 * sigma / brix**2, 100 / one.brix
        whole = hypot(width, 100 * doubt / one.brix**2)
        inside = (mass - edge) / whole
        if inside > CLEAR_SIGMAS or width <= 0:
            continue
        lean = _lean(inside)
        middle = mass + lean * width**2 / whole
        narrowed = width**2 * (1 - lean * (lean + inside) * (width / whole) ** 2)
        precision = max(1 / narrowed - 1 / width**2, 1e-9)
        there = (middle / narrowed - mass / width**2) / precision
        thin = min(max(100 / max(there, 1.0), LEAST_EDGE_BRIX), one.brix)
        own = precision**-0.5 * thin**2 / 100
        edges.append(Density(one.minute, thin, max(own, one.sigma_brix / 2)))
    return edges


def _lean(inside: float) -> float:
    """By how many sigmas the mean of a normal curve moves when it is cut off so many sigmas under its
    middle."""
    if inside < -8:
        return -inside + 1 / -inside
    return exp(-0.5 * inside**2) / sqrt(2 * pi) / (0.5 * erfc(-inside / sqrt(2)))


MISREAD_SHARE = 0.002
"""So likely a stem is said not to float that does."""
CLEAR_SIGMAS, LEAST_EDGE_BRIX = 2.5, 3.0
"""So far inside a bound, it says nothing; an edge that means less Brix means that little."""


def _path(known: KnownBefore, densities: Sequence[Density], heat: tuple[Heat, ...], now: float) -> BoilPath:
    turned = sorted(t for t in known.turned if 0 < t < now)
    for _ in range(MOST_CHANGES + 1):
        problem = Problem(replace(known, turned=tuple(turned)), densities, heat, now)
        found = problem.solve()
        change = problem.unnoted_change(found)
        if change is None or change.gain < CHANGE_GAIN or len(turned) >= MOST_CHANGES:
            break
        turned = sorted([*turned, change.minute])
    strays = problem.strays_seen(found)
    if not STRAYS_ALIKE[0] < strays / known.strays < STRAYS_ALIKE[1]:
        problem = Problem(replace(known, turned=tuple(turned), strays=strays), densities, heat, now)
        found = problem.solve()
    path = problem.path(found, strays)
    if change is None or change.gain >= CHANGE_GAIN:
        return path
    chance = 1 / (1 + exp(CHANGE_ODDS - change.gain / 2))
    return replace(path, may_have_changed=(chance, change.by))
