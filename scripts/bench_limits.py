"""What limits the wait of a candy pot in its bath: the best that can be said by who knows the laws of both worlds of
`tests/worlds/baths.py`, how widely all in them is drawn, and the size of all noise, but not the pot.

Run by itself: `python -m scripts.bench_limits`. It takes an hour.
"""

import sys
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise
from math import inf, pi
from pathlib import Path
from statistics import NormalDist, fmean
from unittest.mock import patch

import numpy as np

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from lumbrel.core import likely  # noqa: E402
from lumbrel.core.numeric import outlook  # noqa: E402
from lumbrel.core.physics.boil_curve import Floats  # noqa: E402
from lumbrel.worlds.bath import FILM_W, FRESH_C, LITRES  # noqa: E402
from tests.worlds.baths import SIX_HOURS, Cooled, cool  # noqa: E402

STEP_S, SEEDS = 12.0, range(800, 825)
SURE = {"DRAWS": 2500, "PASSES": 20, "LEAST": 0.02, "ENOUGH": 0.05}
"""More draws than a page has time for."""
UNKNOWNS = 15
STEEL_KJ, SHELLS = 0.5, 3
QUANTILE = np.array([NormalDist().cdf(z / 100) for z in range(-600, 601)])


def between(z: Floats, low: float, high: float) -> Floats:
    """Evenly drawn, of a normal draw."""
    share: Floats = np.interp(z, np.arange(-600, 601) / 100, QUANTILE)
    return low + (high - low) * share


@dataclass(frozen=True, kw_only=True)
class Observed:
    """A pot of a world, as far as somebody at it knows; `told` of its water."""

    pot: Cooled
    bath: str
    dial: bool
    told: bool

    def cools(self, z: Floats, plain: bool, minutes: float) -> Floats:
        """What its thermometer shows of each drawn pot, a column each step."""
        kg, ice_bath = self.pot.pot.kg, self.bath == "ice"
        wide = between(z[:, 1], 0.9, 1.7) * (kg / 1380 * 4 / pi) ** (1 / 3)
        wall_m2 = kg / 1380 * 4 / wide + pi * wide**2 / 4
        heat = kg * between(z[:, 2], 2.4, 2.8) + STEEL_KJ * (0.5 + 0.25 * kg)
        room, lag, thick = between(z[:, 3], 14, 27), between(z[:, 4], 2, 6), between(z[:, 5], 0, 0.6)
        bend, melts, to_room = (
            between(z[:, 6 + i], *wide) for i, wide in enumerate(((0, 0.2), (150, 500), (0.5, 2.5)))
        )
        litres = np.full(len(z), self.pot.pot.litres) if self.told else between(z[:, 9], *LITRES)
        water = np.full(len(z), self.pot.bath_c) if self.told else between(z[:, 10], *FRESH_C[self.bath])
        film, ice = between(z[:, 11], *FILM_W[self.bath]), litres * between(z[:, 12], 0.25, 0.7) * ice_bath
        shells = [between(z[:, 0], 109, 122)] * (1 if plain else SHELLS)
        core = shown = shells[-1]
        follows, found = -np.expm1(-STEP_S / between(z[:, 13], 10, 50)), [shown]
        for _any in range(int(minutes * 60 / STEP_S) + 1):
            over = shells[0] - water
            bent = 1.0 if plain else (np.maximum(over, 0.5) / 50) ** bend
            lost = np.minimum(
                film * bent * wall_m2 * over / 1000 * STEP_S, 0.5 * heat / len(shells) * np.abs(over)
            )
            cold = np.clip((80 - shells[-1]) / 60, 0.0, 1.0)
            share = STEP_S / 60 / lag * (SHELLS - 1) * 1.5 / (1 + thick * cold)
            flows = [share * (after - before) for before, after in pairwise(shells)]
            shells = [
                shell
                + (flows[i] if i < len(flows) else 0)
                - (flows[i - 1] if i else lost * len(shells) / heat)
                for i, shell in enumerate(shells)
            ]
            core = core + (shells[0] - core) * STEP_S / 60 / lag if plain else shells[-1]
            melted = (
                lost if plain else melts * np.maximum(ice, 0) ** 0.67 * np.maximum(water, 0) / 1000 * STEP_S
            )
            melted = np.minimum(melted, 334 * np.maximum(ice, 0)) if ice_bath else 0.0 * lost
            kj_per_k = 4.19 * (litres if plain else np.maximum(litres - 0.9 * ice, 0.3))
            ice = ice - melted / 334
            gone = 0.0 if plain else to_room * (water - room) / 1000 * STEP_S
            water = water + (lost - melted - gone) / kj_per_k
            shown = shown + (core - shown) * follows
            found.append(shown)
        return np.stack(found, axis=1)

    def there(self, to_c: float, now: float) -> tuple[Floats, Floats]:
        """When it is as cold by all that was read until now: drawn minutes and their weights."""
        read = np.array([(0.0, self.pot.hot_c), *(one for one in self.pot.readings if one[0] <= now)])
        off, noise = (0.3, 0.3) if self.dial else (0.1, 0.1)
        place = np.minimum((read[:, 0] * 60 / STEP_S).astype(int), int(read[-1, 0] * 60 / STEP_S))
        part = read[:, 0] * 60 / STEP_S - place
        found, minutes = [], []
        for plain in (False, True):

            def misses(z: Floats, plain: bool = plain) -> Floats:
                paths = self.cools(z, plain, float(read[-1, 0])) + off * z[:, 14:]
                missed: Floats = (
                    paths[:, place] * (1 - part) + paths[:, place + 1] * part - read[:, 1]
                ) / noise
                return missed

            with patch.multiple(likely, **SURE):
                found.append(likely.after(np.zeros(UNKNOWNS), np.ones(UNKNOWNS), misses))
            cold = self.cools(found[-1][0], plain, now + SIX_HOURS) + off * found[-1][0][:, 14:] <= to_c
            minutes.append(np.where(cold.any(axis=1), np.argmax(cold, axis=1) * STEP_S / 60, inf))
        weights = likely.together(found)[1]
        times = np.concatenate(minutes)
        weights = weights * (times > now)
        return times, weights / weights.sum()


def looks(bath: str, to_c: float, dial: bool, told: bool) -> Iterator[tuple[bool, bool, bool, bool]]:
    """Of each look: whether it gets there, is within 15 %, has an open end, is never there by more than half."""
    for seed in SEEDS:
        pot = cool(seed, bath, to_c, dial=dial)
        wait = min(pot.there_at, 60.0)
        for now in (wait / 3, wait / 2):
            times, weights = Observed(pot=pot, bath=bath, dial=dial, told=told).there(to_c, now)
            expected, _low, high = outlook(times, weights, 0.15)
            never = float(weights[~np.isfinite(times)].sum())
            yield (
                pot.there_at < inf,
                abs(expected - pot.there_at) <= 0.15 * pot.there_at,
                high == inf,
                never >= 0.5,
            )


def main() -> None:
    """Say all of it."""
    for bath, to_c in (("ice", 24.0), ("water", 38.0), ("water", 24.0)):
        for told in (False, True):
            for dial in (False, True):
                found = list(looks(bath, to_c, dial, told))
                there, never = [one for one in found if one[0]], [one for one in found if not one[0]]
                print(
                    f"{bath} to {to_c:.0f}, {'dial' if dial else 'probe'}, {'told' if told else 'not told'} of its "
                    f"water: within 15 % {fmean(one[1] for one in there):.2f}, open {fmean(o[2] for o in there):.2f}; "
                    f"never said of {sum(one[3] for one in never)} of {len(never)}, "
                    f"falsely of {sum(one[3] for one in there)} of {len(there)}",
                    flush=True,
                )


if __name__ == "__main__":
    main()
