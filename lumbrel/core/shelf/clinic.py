"""A jar that came back with something wrong: what most likely made it so, by that lot's own figures.

Each cause begins with how often finishers find it behind the complaint, and weighs the more the more the
lot's figures point to it: so thin, filled so cold, heated again so often, filtered so. The shares are a
ranking and no measurement; the look at the jar decides.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from math import erf, sqrt
from typing import Generic, NamedTuple, TypeVar

from lumbrel.core.errors import OutOfRange
from lumbrel.core.jar.hot_pack import COLDEST_FILL_C, NEW_NITER_C

KEEPS_BRIX, CRYSTALS_BRIX = 66.0, 67.5
"""Thinner than that it ferments and moulds; denser, crystals grow in the cold."""
COLD_FILTER_C = 80.0


@dataclass(frozen=True, kw_only=True)
class LotFigures:
    """What is known of a lot.

    Args:
        brix, sigma_brix: of the syrup; `cold` when it was read cold.
        coldest_fill_c, hottest_fill_c: of its jars; None when nobody knows.
        reheats: how often its kettle went back on the fire.
        filtered: whether it was; `clarity` as it came through, `filter_c` how hot it was.
        unsealed: lids that did not seal, of those looked at the next day; None when nobody looked.
        turned: whether the jars were turned over.
    """

    brix: float
    sigma_brix: float
    cold: bool
    coldest_fill_c: float | None = None
    hottest_fill_c: float | None = None
    reheats: int = 0
    filtered: bool = True
    clarity: str = ""
    filter_c: float | None = None
    unsealed: int | None = None
    turned: bool = False


class FlawCause(NamedTuple):
    """What may have made it so: its share of the weight, words, what of the figures says so, and what to
    do about it next time."""

    share: float
    words: str
    because: str
    next_time: str


F = TypeVar("F")


class KnownFlaw(NamedTuple, Generic[F]):
    """A cause behind a complaint: how often, what in the figures speaks for it (0 to 1) and in which
    words."""

    often: float
    words: str
    next_time: str
    speaks: Callable[[F], tuple[float, str]]


def ranked(known: Sequence[KnownFlaw[F]], figures: F) -> list[FlawCause]:
    """Causes by how often they are behind it and how much the figures speak for them, the likeliest
    first; the shares add up to 1."""
    weighed = []
    for cause in known:
        speaks, because = cause.speaks(figures)
        weighed.append((cause.often * max(speaks, 0.01), cause, because))
    whole = sum(weight for weight, _, _ in weighed)
    found = [
        FlawCause(weight / whole, one.words, because, one.next_time)
        for weight, one, because in weighed
    ]
    return sorted(found, key=lambda cause: -cause.share)


def _under(figures: LotFigures, brix: float) -> float:
    """The chance that it is thinner than so much."""
    return 0.5 * (1 + erf((brix - figures.brix) / (figures.sigma_brix * sqrt(2))))


def _thin(figures: LotFigures) -> tuple[float, str]:
    read = "read cold" if figures.cold else "as it was drawn, never read cold"
    return _under(
        figures, KEEPS_BRIX
    ), f"{figures.brix:.1f} ± {figures.sigma_brix:.1f} Brix, {read}"


def _dense(figures: LotFigures) -> tuple[float, str]:
    read = "read cold" if figures.cold else "as it was drawn, never read cold"
    said = f"{figures.brix:.1f} ± {figures.sigma_brix:.1f} Brix, {read}"
    return 1 - _under(figures, CRYSTALS_BRIX), said


def _never_read(figures: LotFigures) -> tuple[float, str]:
    if figures.cold:
        return 0.0, "it was read cold"
    return 0.6, "no cold check was recorded"


def _filled_cold(figures: LotFigures) -> tuple[float, str]:
    if figures.coldest_fill_c is None:
        return 0.4, "the filling temperature was not recorded"
    under = COLDEST_FILL_C - figures.coldest_fill_c
    share = min(max(0.5 + under / 6, 0.0), 1.0) if under > -3 else 0.0
    return share, f"its coldest jar was filled at {figures.coldest_fill_c:.0f} °C"


def _lids(figures: LotFigures) -> tuple[float, str]:
    if figures.unsealed is None:
        return 0.4, "the lids were not checked the next day"
    if figures.unsealed:
        return 0.9, f"{figures.unsealed} lids had not sealed the next day"
    return 0.1, "all lids had sealed the next day"


def _not_turned(figures: LotFigures) -> tuple[float, str]:
    if figures.turned:
        return 0.05, "the jars were turned over"
    return 0.5, "turning over was not recorded"


def _niter(figures: LotFigures) -> tuple[float, str]:
    hot = (figures.hottest_fill_c or 0.0) > NEW_NITER_C
    share = min(0.35 * figures.reheats + (0.6 if hot else 0.0), 1.0)
    heat = f"filled at up to {figures.hottest_fill_c:.0f} °C" if figures.hottest_fill_c else ""
    times = f"heated again {figures.reheats} times" if figures.reheats else "never heated again"
    times = times.replace("1 times", "once") if figures.reheats == 1 else times
    return share, ", ".join(part for part in (times, heat) if part)


def _filter(figures: LotFigures) -> tuple[float, str]:
    if not figures.filtered:
        return 1.0, "it was not filtered"
    if figures.clarity in ("hazy", "cloudy"):
        return 0.9, f"it came through {figures.clarity}"
    if figures.filter_c is not None and figures.filter_c < COLD_FILTER_C:
        return 0.7, f"it was filtered at {figures.filter_c:.0f} °C"
    if figures.clarity == "clear":
        return 0.1, "it came through clear"
    return 0.3, "clarity not recorded"


def _kept(figures: LotFigures) -> tuple[float, str]:
    return 0.5, "the figures do not tell"


_THIN = KnownFlaw(3.0, "It was too thin", "Read it cold the next day, before it is sold.", _thin)
_COLD = KnownFlaw(
    2.0,
    "It was filled too cold",
    "Fill from 82 to 88 °C, and put the kettle back in time.",
    _filled_cold,
)
_LID = KnownFlaw(
    1.5, "The lid leaked", "Wipe the rim, use each lid once, press it the next day.", _lids
)
_TURNED = KnownFlaw(
    0.7,
    "The lid was never hot",
    "Turn each jar over at once, so that its lid is heated too.",
    _not_turned,
)
COMPLAINTS: dict[str, tuple[str, str, tuple[KnownFlaw[LotFigures], ...]]] = {
    "thin": (
        "thin or watery",
        "Read it cold. Under 66 Brix it is boiled on, hot-packed anew and eaten soon, or used in the "
        "kitchen.",
        (
            _THIN,
            KnownFlaw(1.0, "Its density was not known", "Read it cold the next day.", _never_read),
            KnownFlaw(0.5, "Water came in: wet jars, steam", "Drain jars, keep steam off.", _kept),
        ),
    ),
    "mould": (
        "mouldy",
        "Discard it, and never sell it: moulds can leave toxins that boiling does not destroy. Some "
        "skim, boil, filter and jar again for themselves; it is written down either way.",
        (
            _THIN,
            _COLD,
            _LID,
            _TURNED,
            KnownFlaw(
                0.8, "It was opened and kept warm", "Once opened it belongs in the cold.", _kept
            ),
        ),
    ),
    "crystals": (
        "full of crystals",
        "It is good to eat. Set the jar in hot water until they are gone; thin the rest of the draw by "
        "what its slip says.",
        (
            KnownFlaw(
                3.0, "It is too dense", "Draw sooner, put water back and read again.", _dense
            ),
            KnownFlaw(0.8, "It was kept very cold", "Store it cool, not freezing.", _kept),
        ),
    ),
    "cloud": (
        "cloudy",
        "It is good to eat. Let it settle and pour it off, or filter it again hot; it is sold for "
        "processing only.",
        (
            KnownFlaw(
                2.5, "The filter let it through", "Filter hot, twice where it is hazy.", _filter
            ),
            KnownFlaw(
                1.5, "New niter formed after the filter", "Under 93 °C, few reheats.", _niter
            ),
            KnownFlaw(0.4, "It begins to ferment", "See whether it fizzes when opened.", _thin),
        ),
    ),
    "ferment": (
        "fizzing or sour",
        "Discard it, and open others of the draw carefully: it may have built up pressure.",
        (_THIN, _COLD, _LID),
    ),
    "leak": (
        "leaking or bulging",
        "Do not eat of a jar that bulges or fizzes. One that only seeped is refrigerated and used first.",
        (
            _LID,
            _TURNED,
            _COLD,
            KnownFlaw(
                0.6, "Filled to the brim, or a chipped rim", "Leave a finger of room.", _kept
            ),
        ),
    ),
}
"""By complaint: its words, what to do with the jar, and what may be behind it."""


def likely_causes(complaint: str, figures: LotFigures) -> list[FlawCause]:
    """What may have made a jar so, the likeliest first; the shares add up to 1.

    Args:
        complaint: a key of `COMPLAINTS`.
        figures: of the lot.
    Raises:
        OutOfRange: there is no such complaint.
    """
    if complaint not in COMPLAINTS:
        known = ", ".join(COMPLAINTS)
        raise OutOfRange(f"Say what is wrong with it: {known}.", "complaint")
    return ranked(COMPLAINTS[complaint][2], figures)
