"""Stirring: how long until it turns, what is to be seen on the way, and how long it can be poured then."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import exp, log, sqrt
from typing import NamedTuple

from lumbrel.core.errors import OutOfRange
from lumbrel.words import _

NINETY = 1.645
ONE_COOK, LEAST_SHARED = 0.3, 0.3
"""One sigma of the logarithm: of two cooks of one confection, stirred alike; and of one kitchen from another."""


class See(NamedTuple):
    """What is to be seen, from so much of the way to the turn on."""

    share: float
    looks: str


@dataclass(frozen=True, kw_only=True)
class Stirred:
    """How a confection is worked once it is cool enough: minutes of stirring until it turns, from and to;
    how long it can be poured or pressed after that, minutes; and what is to be seen."""

    low_min: float
    high_min: float
    holds_min: float
    does: str
    sees: tuple[See, ...]
    turns: str
    """What the turn is, for who waits for it."""


_SUGAR = (
    See(0.0, _("Glossy, and it runs off the spoon in a ribbon.")),
    See(0.35, _("It grows paler and thicker.")),
    See(0.7, _("The spoon begins to drag, the gloss dulls: have the moulds at hand.")),
)
WORKED: dict[str, Stirred] = {
    "cream": Stirred(
        low_min=6.0,
        high_min=20.0,
        holds_min=6.0,
        does=_("Stir slowly and steadily, and scrape the cold bottom in."),
        sees=(
            See(0.0, _("Stiff and glossy, dark as it was: it hardly moves.")),
            See(0.3, _("It grows thinner under the spoon, and lighter.")),
            See(0.7, _("Streaks stay behind the spoon, the gloss goes.")),
        ),
        turns=_("the gloss is gone and it is pale and smooth"),
    ),
    "stirred-sugar": Stirred(
        low_min=3.0,
        high_min=5.0,
        holds_min=2.0,
        does=_("Stir briskly to the texture of soft fudge."),
        sees=_SUGAR,
        turns=_("it holds the spoon's track like soft fudge"),
    ),
    "moulded-sugar-soft": Stirred(
        low_min=2.0,
        high_min=6.0,
        holds_min=1.0,
        does=_("Scrape the cold bottom in first, then stir steadily."),
        sees=_SUGAR,
        turns=_("it just clouds and still runs"),
    ),
    "moulded-sugar-firm": Stirred(
        low_min=1.5,
        high_min=4.5,
        holds_min=0.75,
        does=_("Scrape the cold bottom in first, then stir steadily."),
        sees=_SUGAR,
        turns=_("it just clouds and still runs"),
    ),
    "granulated-sugar": Stirred(
        low_min=4.0,
        high_min=11.0,
        holds_min=10.0,
        does=_("Stir at once and all the time, with a long spoon."),
        sees=(
            See(0.0, _("It foams and climbs a little: stir it down.")),
            See(0.4, _("It thickens like wet sand. A burst of steam comes: keep face and arms away.")),
            See(0.75, _("Lumps form and fall apart: stir through, to the last damp one.")),
        ),
        turns=_("it is dry, grains that run"),
    ),
}
"""By confection; made-up beginnings by the trade's word, learned from what is noted."""
REST_MIN = 5.0
"""Taffy rests so long before it is poured."""
ON_SNOW_MIN = 0.5
"""And lies so long on the snow before it is rolled."""
POURS_FOR_MIN = 4.0
"""Drops and taffy can be poured so long."""


@dataclass(frozen=True)
class Turn:
    """When it will turn: minutes of stirring, expected and 5 and 95 % limits, and how many cooks taught
    it."""

    minutes: float
    low: float
    high: float
    learned_from: int

    @staticmethod
    def all_sees(key: str) -> tuple[See, ...]:
        """Everything that is to be seen on the way."""
        return WORKED[key].sees

    def see(self, key: str, minutes: float) -> str:
        """What is to be seen after so many minutes."""
        sees = WORKED[key].sees
        share = minutes / self.minutes
        return [one.looks for one in sees if one.share <= share][-1]


def turn(key: str, before: Sequence[float] = ()) -> Turn:
    """When a confection turns.

    Args:
        key: of one that is stirred.
        before: how many minutes earlier cooks of it were stirred, each above 0.
    Raises:
        OutOfRange: it is not stirred.
    Source: what the trade says of it, and this kitchen's own cooks, on the logarithm.
    """
    if key not in WORKED:
        raise OutOfRange(_("This one is not stirred."), "kind")
    worked = WORKED[key]
    middle = (log(worked.low_min) + log(worked.high_min)) / 2
    wide = (log(worked.high_min) - log(worked.low_min)) / (2 * NINETY)
    # What all cooks of this kitchen share is known no better than the trade's band at first.
    shared = max(wide**2 - ONE_COOK**2, LEAST_SHARED**2)
    seen = [log(minutes) for minutes in before if minutes > 0]
    weight = len(seen) / ONE_COOK**2
    known = 1 / (1 / shared + weight)
    mean = known * (middle / shared + sum(seen) / ONE_COOK**2)
    sigma = sqrt(known + ONE_COOK**2)
    return Turn(exp(mean), exp(mean - NINETY * sigma), exp(mean + NINETY * sigma), len(seen))
