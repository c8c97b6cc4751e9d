"""Syrup through a filter: how fast it runs, when a layer is blind, what is left behind.

A layer lets the less through the more it holds back: its flow falls in a straight line with what has
passed, to nothing when it is blind. The thicker the syrup the slower, by its viscosity. How fast a
medium runs and how much it passes is learned; what is held at first is what finishers reckon with.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import exp, log, sqrt
from typing import NamedTuple

from lumbrel.core.errors import OutOfRange
from lumbrel.core.physics.viscosity import DENSEST_BRIX, viscosity_mpa_s
from lumbrel.words import _, number

AT_MPA_S = 10.0
"""Flows are told for syrup so thick: 66.9 Brix at 85 degC."""
PULL_AT = 0.8
"""Of what a layer passes in all: from there on it hardly runs, and is pulled."""
RATE_SIGMA, PASSES_SIGMA, SEEN_SIGMA = 0.7, 0.5, 0.2
"""One sigma of the logarithm: of a medium's rate and of what a layer passes, before anything was seen;
and of what one note of it tells."""


class Medium(NamedTuple):
    """A way to filter: its name, litres a minute through it new, litres that a layer passes until it is
    blind, how many layers may be pulled, and what stays in it, kg."""

    name: str
    rate_l_min: float
    passes_l: float
    layers: int
    loss_kg: float


MEDIA: dict[str, Medium] = {
    "layers": Medium(_("light layers and a heavy one"), 1.6, 7.0, 4, 0.35),
    "felt": Medium(_("felt and paper"), 0.9, 9.0, 2, 0.45),
    "press": Medium(_("filter press"), 5.0, 60.0, 1, 0.7),
    "paper": Medium(_("coffee filters, changed again and again"), 0.06, 0.5, 20, 0.02),
}


class Passed(NamedTuple):
    """So many litres had passed the filter, and so many layers were pulled, after so many minutes."""

    minute: float
    litres: float
    pulled: int


@dataclass(frozen=True, kw_only=True)
class FilterRunning:
    """A filter while it runs.

    Attributes:
        rate_l_min: a new layer's, at AT_MPA_S; `sigma` of its logarithm.
        passes_l: of a layer until it is blind.
        since_l: what has passed the layer on top.
        layers_left: how many lie under it that may still be pulled to.
    """

    rate_l_min: float
    sigma: float
    passes_l: float
    since_l: float
    layers_left: int

    @property
    def blind(self) -> float:
        """How far the layer on top is blind, 0 to 1."""
        return min(self.since_l / self.passes_l, 1.0)

    def flow_l_min(self, viscosity: float) -> float:
        """How fast it runs now, L/min."""
        return self.rate_l_min * AT_MPA_S / viscosity * max(1 - self.blind, 0.02)

    def minutes_for(self, litres: float, viscosity: float) -> float:
        """How long so much takes, each layer pulled when it is due; infinite when they do not last."""
        rate, minutes = self.rate_l_min * AT_MPA_S / viscosity, 0.0
        since, left, to_go = self.since_l, self.layers_left, litres
        most = PULL_AT * self.passes_l
        while to_go > 1e-9:
            room = max(most - since, 0.0)
            if room <= 1e-9:
                if left == 0:
                    return float("inf")
                since, left = 0.0, left - 1
                continue
            now = min(room, to_go)
            # The flow falls in a straight line with what has passed.
            ends = 1 - (since + now) / self.passes_l
            minutes += self.passes_l / rate * log((1 - since / self.passes_l) / ends)
            since, to_go = since + now, to_go - now
        return minutes

    @property
    def until_pulled_l(self) -> float:
        """Litres until the layer on top is to be pulled."""
        return max(PULL_AT * self.passes_l - self.since_l, 0.0)


def running(
    medium: Medium,
    seen: Sequence[Passed],
    viscosity: float,
    *,
    earlier_rates: Sequence[float] = (),
    earlier_passes: Sequence[float] = (),
) -> FilterRunning:
    """A filter as what was noted of it tells.

    Args:
        medium: which.
        seen: notes of this run, oldest first.
        viscosity: of the syrup, mPa s.
        earlier_rates, earlier_passes: what earlier runs of the medium showed, L/min at AT_MPA_S and L.
    """
    rate, rate_sigma = _learnt(medium.rate_l_min, RATE_SIGMA, earlier_rates)
    pulled_at = [b.litres for a, b in pairwise(seen) if b.pulled > a.pulled]
    begun = [0.0, *pulled_at[:-1]]
    passed = [(end - start) / PULL_AT for start, end in zip(begun, pulled_at, strict=False) if end > start]
    passes, _any = _learnt(medium.passes_l, PASSES_SIGMA, [*earlier_passes, *passed])
    shown = []
    for a, b in pairwise(seen):
        minutes, litres = b.minute - a.minute, b.litres - a.litres
        if minutes > 0.2 and litres > 0:
            since = a.litres - max((x for x in [0.0, *pulled_at] if x <= a.litres), default=0.0)
            mean = max(1 - (since + litres / 2) / passes, 0.1)
            shown.append(litres / minutes * viscosity / AT_MPA_S / mean)
    rate, rate_sigma = _learnt(rate, rate_sigma, shown)
    last = seen[-1] if seen else Passed(0.0, 0.0, 0)
    on_top = last.litres - (pulled_at[-1] if pulled_at else 0.0)
    return FilterRunning(
        rate_l_min=rate,
        sigma=rate_sigma,
        passes_l=passes,
        since_l=max(on_top, 0.0),
        layers_left=max(medium.layers - 1 - last.pulled, 0),
    )


def _learnt(before: float, sigma: float, seen: Sequence[float]) -> tuple[float, float]:
    """A positive quantity from what was held of it and what was seen, by logarithms."""
    weight, whole = sigma**-2, sigma**-2 * log(before)
    for one in seen:
        if one > 0:
            weight, whole = weight + SEEN_SIGMA**-2, whole + SEEN_SIGMA**-2 * log(one)
    return exp(whole / weight), sqrt(1 / weight)


def syrup_viscosity(brix: float, temperature_c: float) -> float:
    """Of what is filtered, held within what is tabulated, mPa s."""
    return viscosity_mpa_s(min(max(brix, 0.0), DENSEST_BRIX), min(max(temperature_c, 0.0), 110.0))


def loss_kg(medium: Medium, earlier_kg: Sequence[float]) -> float:
    """What stays in a filter, kg: as its last runs showed; what is reckoned with counts like one."""
    return (medium.loss_kg + sum(earlier_kg)) / (1 + len(earlier_kg))


def require_loss(in_kg: float, out_kg: float) -> float:
    """What stayed in a filter, kg.

    Raises:
        OutOfRange: it would have given more than it took.
    """
    if out_kg > in_kg * 1.02 + 0.02:
        raise OutOfRange(
            _(
                "A filter gives no more than it takes: {in_kg} kg went in, {out_kg} kg came out. "
                "Weigh the kettle without its own weight.",
                in_kg=number(in_kg, 2),
                out_kg=number(out_kg, 2),
            ),
            "out",
        )
    return max(in_kg - out_kg, 0.0)
