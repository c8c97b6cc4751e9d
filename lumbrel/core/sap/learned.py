"""What a woodlot's own record teaches of its runs.

Several forecasts are made of each day: by the woods that its days are likest (`woods.py`), by a regression on degree-hours, by
its mean, and by its last day. Each counts by how well it would have done on this woodlot's own days, told of none but the
days before; how far days lay from what they said together is how wide the range is.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cached_property
from itertools import pairwise
from math import sqrt

import numpy as np

from lumbrel.core.physics.boil_curve import Floats
from lumbrel.core.sap import woods
from lumbrel.core.sap.running import BEST_L, HIGH, LOW, Day, Expected, Weather, forecast_sigma_k

BEST_WEIGHS = 1.5
"""What any woodlot gives counts like so many of this one's days."""
STRAYS, STRAYS_L = 0.35, 0.12
"""A day strays from its wood by so much of what it gives, and of the best day."""
COUNTS = 0.7
"""A day's news counts for so much of itself: the days beside it say the same."""
FEW_DAYS = 6.0
"""The forecasts count evenly, as at first, like so many days."""
FIRST_SHARES = (0.6, 0.2, 0.05, 0.15)
"""Of the woods, the regression, the mean, and the last day, before any has done well or badly."""
NEAR, NEAR_WEIGHS = np.array([2.0, 2.5]), 1.5
"""How near nights and days must be to tell of each other, K; what the woods say counts like so many of them."""
STEADY, FADES = 1.0, 0.9
"""How a season goes: so many good days are held for the usual, and a day counts so much less each day after."""
SHARPER = 6.0
"""A forecast that is twice as far off counts for so many powers of a half."""
STEADY_DAYS = 25.0
"""How well it did counts half after so many days."""
FEATURES, RIDGE = 4, 3.0
"""Of the regression: a day's figures, and how firmly their weights are held to nought."""
LAST_FADES = 0.7
"""What the last day says counts for so much less each day ahead."""
EARLIER_COUNTS = 0.35
"""A day of another season counts for so much."""
SPREAD_AT_FIRST, FIRST_WEIGHS = (-0.75, 0.8), 5
LEAST_L, LEAST_SHARE = 0.12, 0.45
"""Of the scatter: of the best day, and of what is expected."""
FROM_SHARE = 0.03
PATHS = 60


@dataclass(frozen=True, kw_only=True)
class _Known:
    """What is known of a woodlot after the last of its days.

    Attributes:
        shares: how likely each wood is; scales: the best day of each, L a tap.
        slopes: of the regression.
        counts: how much each forecast counts; said: what the simple ones say of any day to come.
        factor: how the last days went against the woods; off: how far each day lay from them, L a tap.
        together: what all of them would have said of each day.
    """

    shares: Floats
    scales: Floats
    slopes: Floats
    counts: Floats
    said: Floats
    factor: float
    off: Floats
    together: Floats


class Learned:
    """What a woodlot's days have taught.

    Args:
        days: in any order, at most a few hundred: the newest are enough.
        birch: whether it runs by warmth, not by frost.
    """

    def __init__(self, days: Sequence[Day] = (), birch: bool = False) -> None:
        self._birch = birch
        self.every = tuple(sorted(days, key=lambda day: day.day))
        told = [i for i, day in enumerate(self.every) if day.litres_per_tap is not None]
        self.days = tuple(self.every[i] for i in told)
        self._litres = np.array([d.litres_per_tap for d in self.days], dtype=float)
        self._trust = np.array([1 / max(d.days, 1) for d in self.days])
        self._tapped = {d.day.year: d.day for d in reversed(self.days)}
        runs, self._run = self._in_woods()
        self._runs = runs[told]
        weather = [d.weather for d in self.days]
        self._places = np.array(weather, dtype=float).reshape(-1, 2)
        self._hours = _features(woods.simple_hours(weather)) if weather else np.zeros((0, FEATURES))

    def _age(self, on: date) -> float:
        """How old its holes are, days."""
        return float(max((on - self._tapped.get(on.year, on)).days, 0))

    def _in_woods(self) -> tuple[Floats, woods.Run]:
        """What each wood makes of every day, anew where days are missing; and how it stands after the last."""
        ends = [i + 1 for i, (a, b) in enumerate(pairwise(self.every)) if (b.day - a.day).days > 1]
        rows, run = [np.zeros((0, woods.WOODS))], woods.begun()
        for start, end in pairwise([0, *ends, len(self.every)] if self.every else [0]):
            spell = self.every[start:end]
            ages = tuple(self._age(d.day) for d in spell)
            gives, run = woods.made_of(tuple(d.weather for d in spell), ages, self._birch)
            rows.append(gives)
        return np.concatenate(rows), run

    @cached_property
    def _known(self) -> _Known:
        runs, litres, trust = self._runs, self._litres, self._trust
        years = np.array([d.day.year for d in self.days])
        weigh = trust[:, None] / (STRAYS_L**2 + (STRAYS * runs) ** 2)
        first = BEST_WEIGHS / (STRAYS_L**2 + STRAYS**2)
        gave = _before(weigh * runs * litres[:, None], years) + first * BEST_L
        could = _before(weigh * runs * runs, years) + first
        scales = gave / could
        off = litres[:, None] / scales[:-1] - runs
        news = -0.5 * off**2 / (STRAYS_L**2 + (STRAYS * runs) ** 2) - np.log(scales[:-1])
        news -= 0.5 * np.log(STRAYS_L**2 + (STRAYS * runs) ** 2)
        likely = COUNTS * _before(trust[:, None] * news, years)
        shares = np.exp(likely - likely.max(axis=1, keepdims=True))
        shares /= shares.sum(axis=1, keepdims=True)
        slopes = self._regressed(years)
        ends = np.vstack([runs, np.zeros((1, woods.WOODS))])
        by_woods = (shares * scales * ends).sum(axis=1)
        factors, off = self._own(by_woods)
        near = np.tril(self._near(self._places), -1)
        like = factors * by_woods
        like[:-1] = np.maximum(like[:-1] + near @ off / (NEAR_WEIGHS + near.sum(axis=1)), 0.0)
        by_hours = np.maximum((slopes * np.vstack([self._hours, np.zeros((1, FEATURES))])).sum(axis=1), 0.0)
        weights = _before(trust, years)
        means = (_before(trust * litres, years) + BEST_WEIGHS * BEST_L / 4) / (weights + BEST_WEIGHS)
        last = np.concatenate([means[:1], litres])
        said = np.stack([like, by_hours, means, last], axis=1)
        counts = self._counted(said, litres, trust)
        return _Known(
            shares=shares[-1],
            scales=scales[-1],
            slopes=slopes[-1],
            counts=counts[-1],
            said=said[-1],
            factor=float(factors[-1]),
            off=off,
            together=(counts * said).sum(axis=1)[:-1],
        )

    def _regressed(self, years: Floats) -> Floats:
        """A regression of the days before each on their degree-hours."""
        hours, litres, trust = self._hours, self._litres, self._trust
        squares = _before(trust[:, None, None] * hours[:, :, None] * hours[:, None, :], years)
        products = _before(trust[:, None] * hours * litres[:, None], years)
        held = RIDGE * np.diag([0.3, *[1.0] * (FEATURES - 1)])
        return np.asarray(np.linalg.solve(squares + held, products[..., None])[..., 0])

    def _own(self, by_woods: Floats) -> tuple[Floats, Floats]:
        """How the last days went against the woods, before each day and after the last; and how far each day then lay
        from them."""
        factors, steady = np.ones(len(by_woods)), STEADY * BEST_L / 2
        gave = could = steady
        for i, (day, litres) in enumerate(zip(self.days, self._litres, strict=True)):
            if i and day.day.year != self.days[i - 1].day.year:
                gave = could = steady
            factors[i] = gave / could
            gave = FADES * gave + (1 - FADES) * steady + litres
            could = FADES * could + (1 - FADES) * steady + by_woods[i]
        factors[-1] = gave / could
        return factors, self._litres - factors[:-1] * by_woods[:-1]

    def _near(self, places: Floats) -> Floats:
        """How near days are to this woodlot's own, by their nights and days: a row each."""
        apart = (places[:, None] - self._places[None]) / NEAR
        return np.asarray(np.exp(-0.5 * (apart**2).sum(axis=2)) * self._trust)

    def _counted(self, said: Floats, litres: Floats, trust: Floats) -> Floats:
        """How much each forecast counts on each day, by how well it did on those before."""
        off = np.abs(said[:-1] - litres[:, None]) * trust[:, None]
        faded = np.zeros((len(litres) + 1, said.shape[1] + 1))
        keep = 0.5 ** (1 / STEADY_DAYS)
        for i in range(len(litres)):
            faded[i + 1, :-1] = keep * faded[i, :-1] + off[i]
            faded[i + 1, -1] = keep * faded[i, -1] + trust[i]
        losses, weight = faded[:, :-1], faded[:, -1:]
        even = losses.mean(axis=1, keepdims=True) / np.maximum(weight, 1e-9)
        typical = (losses + FEW_DAYS * even + 1e-3) / (weight + FEW_DAYS)
        shares = np.array(FIRST_SHARES) * (typical / typical.min(axis=1, keepdims=True)) ** -SHARPER
        return np.asarray(shares / shares.sum(axis=1, keepdims=True))

    @property
    def best_l(self) -> float:
        """Litres from a tap on the best day."""
        return float(self._known.shares @ self._known.scales)

    @cached_property
    def _spread(self) -> tuple[float, float]:
        """The ends of how far days lie from what was said of them, in scatters."""
        said = self._known.together
        ran = (said >= FROM_SHARE * self.best_l) & (self._trust == 1.0)
        found = ((self._litres - said) / self._scatter(said))[ran]
        weight = len(found) / (len(found) + FIRST_WEIGHS)
        low, high = np.quantile(found, (LOW, HIGH)) if len(found) else SPREAD_AT_FIRST
        first_low, first_high = SPREAD_AT_FIRST
        return weight * float(low) + (1 - weight) * first_low, weight * float(high) + (
            1 - weight
        ) * first_high

    def _scatter(self, said: Floats) -> Floats:
        return np.asarray(np.sqrt((LEAST_L * self.best_l) ** 2 + (LEAST_SHARE * said) ** 2))

    def ahead(self, first: date, weather: Sequence[Weather]) -> list[Expected]:
        """What a tap gives on each of the days to come.

        Args:
            first: of them; the weather up to it is the woodlot's own days.
            weather: forecast for it and the days after it.
        """
        if not weather:
            return []
        known = self._known
        gone = (first - self.days[-1].day).days - 1 if self.days else 0
        # How the last season went, and its last day, say nothing of this one.
        goes_on = bool(self.days) and self.days[-1].day.year == first.year
        factor = known.factor if goes_on else 1.0
        paths, by_woods = self._paths(first, weather)
        found = []
        for i in range(len(weather)):
            hours = _features(woods.simple_hours(paths[i]))
            by_hours = float(np.maximum(hours @ known.slopes, 0.0).mean())
            near = self._near(np.array(paths[i]))
            like = factor * by_woods[i] + near @ known.off / (NEAR_WEIGHS + near.sum(axis=1))
            like = np.maximum(like, 0.0)
            said = np.array([like.mean(), by_hours, *known.said[2:]])
            counts = known.counts * np.array([1, 1, 1, LAST_FADES ** (gone + i)])
            expected = float(counts @ said / counts.sum())
            wider = float(like.std()) * float(counts[0] / counts.sum())
            found.append(self._expected(expected, wider))
        return found

    def _expected(self, expected: float, wider: float) -> Expected:
        if expected < 1e-3:
            return Expected(0.0, 0.0, 0.0)
        low_z, high_z = self._spread
        scatter = float(self._scatter(np.array(expected)))
        low = expected - sqrt((min(low_z, 0.0) * scatter) ** 2 + (1.28 * wider) ** 2)
        high = expected + sqrt((max(high_z, 0.0) * scatter) ** 2 + (1.28 * wider) ** 2)
        return Expected(expected, max(low, 0.0), high)

    def _paths(self, first: date, weather: Sequence[Weather]) -> tuple[list[list[Weather]], Floats]:
        """The weather as it may come, and what woods that are likely make of it, L a tap."""
        rng = np.random.default_rng(first.toordinal())
        shares, scales = self._known.shares, self._known.scales
        which = np.searchsorted(np.cumsum(shares), (np.arange(PATHS) + 0.5) / PATHS).clip(0, woods.WOODS - 1)
        fresh = not self.every or (first - self.every[-1].day).days > 1
        run = woods.begun() if fresh else self._run
        run = woods.Run(run.stored[which], run.warmed[which])
        before = np.full(PATHS, weather[0].day_c if fresh else self.every[-1].weather.day_c)
        drift, paths, rows = rng.standard_normal(PATHS), [], []
        for i, one in enumerate(weather):
            sigma = forecast_sigma_k(i)
            drift = 0.8 * drift + 0.6 * rng.standard_normal(PATHS)
            days = one.day_c + sigma * (0.85 * drift + 0.5 * rng.standard_normal(PATHS))
            nights = np.minimum(one.night_c + sigma * (0.85 * drift + 0.5 * rng.standard_normal(PATHS)), days)
            hours = woods.degree_hours(nights, days, before)
            run, gives = woods.day_of(run, hours, self._age(first + timedelta(days=i)), self._birch, which)
            paths.append([Weather(*pair) for pair in zip(nights.tolist(), days.tolist(), strict=True)])
            rows.append(gives * scales[which])
            before = days
        return paths, np.array(rows)


def _features(hours: Floats) -> Floats:
    """What a day is regressed on: one, degree-hours over and under, and both together."""
    over, under = hours[:, 0], hours[:, 1]
    return np.stack([np.ones(len(hours)), over, under, np.minimum(over, 4) * np.minimum(under, 3)], axis=1)


def _before(news: Floats, years: Floats) -> Floats:
    """Sums of what came before each day, and after the last; another season's days count for less."""
    found = np.zeros((len(news) + 1, *news.shape[1:]))
    earlier: Floats | float = 0.0
    for i, one in enumerate(news):
        if i and years[i] != years[i - 1]:
            earlier = found[i].copy()
            found[i] = EARLIER_COUNTS * earlier
        found[i + 1] = found[i] + one
    return found
