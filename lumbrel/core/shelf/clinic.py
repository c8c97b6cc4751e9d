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
from lumbrel.words import _, joined, n_, number

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
    whole = sum(weight for weight, _cause, _why in weighed)
    found = [FlawCause(weight / whole, one.words, because, one.next_time) for weight, one, because in weighed]
    return sorted(found, key=lambda cause: -cause.share)


def _under(figures: LotFigures, brix: float) -> float:
    """The chance that it is thinner than so much."""
    return 0.5 * (1 + erf((brix - figures.brix) / (figures.sigma_brix * sqrt(2))))


def _thin(figures: LotFigures) -> tuple[float, str]:
    read = _("read cold") if figures.cold else _("as it was drawn, never read cold")
    return _under(figures, KEEPS_BRIX), _(
        "{brix} ± {sigma} Brix, {read}",
        brix=number(figures.brix, 1),
        sigma=number(figures.sigma_brix, 1),
        read=read,
    )


def _dense(figures: LotFigures) -> tuple[float, str]:
    read = _("read cold") if figures.cold else _("as it was drawn, never read cold")
    said = _(
        "{brix} ± {sigma} Brix, {read}",
        brix=number(figures.brix, 1),
        sigma=number(figures.sigma_brix, 1),
        read=read,
    )
    return 1 - _under(figures, CRYSTALS_BRIX), said


def _never_read(figures: LotFigures) -> tuple[float, str]:
    if figures.cold:
        return 0.0, _("it was read cold")
    return 0.6, _("no cold check was recorded")


def _filled_cold(figures: LotFigures) -> tuple[float, str]:
    if figures.coldest_fill_c is None:
        return 0.4, _("the filling temperature was not recorded")
    under = COLDEST_FILL_C - figures.coldest_fill_c
    share = min(max(0.5 + under / 6, 0.0), 1.0) if under > -3 else 0.0
    return share, _(
        "its coldest jar was filled at {coldest_fill} °C", coldest_fill=number(figures.coldest_fill_c, 0)
    )


def _lids(figures: LotFigures) -> tuple[float, str]:
    if figures.unsealed is None:
        return 0.4, _("the lids were not checked the next day")
    if figures.unsealed:
        return 0.9, _("{unsealed} lids had not sealed the next day", unsealed=figures.unsealed)
    return 0.1, _("all lids had sealed the next day")


def _not_turned(figures: LotFigures) -> tuple[float, str]:
    if figures.turned:
        return 0.05, _("the jars were turned over")
    return 0.5, _("turning over was not recorded")


def _niter(figures: LotFigures) -> tuple[float, str]:
    hot = (figures.hottest_fill_c or 0.0) > NEW_NITER_C
    share = min(0.35 * figures.reheats + (0.6 if hot else 0.0), 1.0)
    heat = (
        _("filled at up to {hottest_fill} °C", hottest_fill=number(figures.hottest_fill_c, 0))
        if figures.hottest_fill_c
        else ""
    )
    times = (
        n_("heated again once", "heated again {count} times", figures.reheats)
        if figures.reheats
        else _("never heated again")
    )
    return share, joined(", ", (part for part in (times, heat) if part))


def _filter(figures: LotFigures) -> tuple[float, str]:
    if not figures.filtered:
        return 1.0, _("it was not filtered")
    if figures.clarity in ("hazy", "cloudy"):
        return 0.9, _("it came through {clarity}", clarity=figures.clarity)
    if figures.filter_c is not None and figures.filter_c < COLD_FILTER_C:
        return 0.7, _("it was filtered at {filter} °C", filter=number(figures.filter_c, 0))
    if figures.clarity == "clear":
        return 0.1, _("it came through clear")
    return 0.3, _("clarity not recorded")


def _kept(figures: LotFigures) -> tuple[float, str]:
    return 0.5, _("the figures do not tell")


_THIN = KnownFlaw(3.0, _("It was too thin"), _("Read it cold the next day, before it is sold."), _thin)
_COLD = KnownFlaw(
    2.0,
    _("It was filled too cold"),
    _("Fill from 82 to 88 °C, and put the kettle back in time."),
    _filled_cold,
)
_LID = KnownFlaw(
    1.5, _("The lid leaked"), _("Wipe the rim, use each lid once, press it the next day."), _lids
)
_TURNED = KnownFlaw(
    0.7,
    _("The lid was never hot"),
    _("Turn each jar over at once, so that its lid is heated too."),
    _not_turned,
)
COMPLAINTS: dict[str, tuple[str, str, tuple[KnownFlaw[LotFigures], ...]]] = {
    "thin": (
        _("thin or watery"),
        _(
            "Read it cold. Under 66 Brix it is boiled on, hot-packed anew and eaten soon, or "
            "used in the kitchen."
        ),
        (
            _THIN,
            KnownFlaw(1.0, _("Its density was not known"), _("Read it cold the next day."), _never_read),
            KnownFlaw(0.5, _("Water came in: wet jars, steam"), _("Drain jars, keep steam off."), _kept),
        ),
    ),
    "mould": (
        _("mouldy"),
        _(
            "Discard it, and never sell it: moulds can leave toxins that boiling does not "
            "destroy. Some skim, boil, filter and jar again for themselves; it is written down "
            "either way."
        ),
        (
            _THIN,
            _COLD,
            _LID,
            _TURNED,
            KnownFlaw(0.8, _("It was opened and kept warm"), _("Once opened it belongs in the cold."), _kept),
        ),
    ),
    "crystals": (
        _("full of crystals"),
        _(
            "It is good to eat. Set the jar in hot water until they are gone; thin the rest of "
            "the draw by what its slip says."
        ),
        (
            KnownFlaw(3.0, _("It is too dense"), _("Draw sooner, put water back and read again."), _dense),
            KnownFlaw(0.8, _("It was kept very cold"), _("Store it cool, not freezing."), _kept),
        ),
    ),
    "cloud": (
        _("cloudy"),
        _(
            "It is good to eat. Let it settle and pour it off, or filter it again hot; it is "
            "sold for processing only."
        ),
        (
            KnownFlaw(2.5, _("The filter let it through"), _("Filter hot, twice where it is hazy."), _filter),
            KnownFlaw(1.5, _("New niter formed after the filter"), _("Under 93 °C, few reheats."), _niter),
            KnownFlaw(0.4, _("It begins to ferment"), _("See whether it fizzes when opened."), _thin),
        ),
    ),
    "ferment": (
        _("fizzing or sour"),
        _("Discard it, and open others of the draw carefully: it may have built up pressure."),
        (_THIN, _COLD, _LID),
    ),
    "leak": (
        _("leaking or bulging"),
        _("Do not eat of a jar that bulges or fizzes. One that only seeped is refrigerated and used first."),
        (
            _LID,
            _TURNED,
            _COLD,
            KnownFlaw(0.6, _("Filled to the brim, or a chipped rim"), _("Leave a finger of room."), _kept),
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
        known = joined(", ", COMPLAINTS)
        raise OutOfRange(_("Say what is wrong with it: {known}.", known=known), "complaint")
    return ranked(COMPLAINTS[complaint][2], figures)
