"""A confection that went wrong: what most likely made it so, by that cook's own figures, and what can be
saved of it.

As for jars the shares are a ranking and no measurement: each cause begins with how often confectioners
find it, and weighs the more the more the cook's figures point to it.
"""

from dataclasses import dataclass

from lumbrel.core.candy.confections import Confection
from lumbrel.core.candy.setting import NEVER_PERCENT
from lumbrel.core.errors import OutOfRange
from lumbrel.core.shelf.clinic import FlawCause, KnownFlaw, ranked
from lumbrel.words import _, bare, joined, number

NEAR_K, FAR_K = 0.8, 2.5
"""From the mark: a boil that is as it was meant, and one that is another confection's."""
NEAR_STIR_K, FAR_STIR_K = 2.0, 10.0
REMELT_BRIX = 75.0
"""So thin a piece dissolves whole when it is heated with water."""


@dataclass(frozen=True, kw_only=True)
class CookFigures:
    """What is known of a cook.

    Args:
        piece: what it was meant to be.
        above_k: how far above water it was taken off, K; `mark_k` where it was meant to be.
        stir_c: where stirring began, degC, and `wanted_stir_c`; None where it was not stirred, or nobody
            knows.
        stirred_min, usual_min: minutes of stirring, and what is usual.
        waited_min: from the turn until it was poured; `holds_min` how long it can be.
        invert_percent, invert_sigma: of the syrup.
        brix: solids of the boil; serving_c where it is kept.
    """

    piece: Confection
    above_k: float
    mark_k: float
    brix: float
    stir_c: float | None = None
    wanted_stir_c: float | None = None
    stirred_min: float | None = None
    usual_min: float | None = None
    waited_min: float | None = None
    holds_min: float | None = None
    invert_percent: float = 1.0
    invert_sigma: float = 0.7
    foamed: bool = False


def _towards(value: float, near: float, far: float) -> float:
    """0 up to near, 1 from far on."""
    return min(max((value - near) / (far - near), 0.0), 1.0)


def _off(figures: CookFigures) -> str:
    apart = figures.above_k - figures.mark_k
    if abs(apart) < 0.25:
        return _("it was taken off at its mark")
    told = number(abs(apart), 1)
    if apart > 0:
        return _("it was taken off {told} K over its mark", told=told)
    return _("it was taken off {told} K under its mark", told=told)


def _underboiled(figures: CookFigures) -> tuple[float, str]:
    return _towards(figures.mark_k - figures.above_k, 0.0, FAR_K), _off(figures)


def _overboiled(figures: CookFigures) -> tuple[float, str]:
    return _towards(figures.above_k - figures.mark_k, 0.0, FAR_K), _off(figures)


def _invert(figures: CookFigures) -> tuple[float, str]:
    most = figures.piece.invert_max_percent or NEVER_PERCENT
    said = _(
        "the syrup had {invert} ± {invert_sigma} % of invert sugar",
        invert=number(figures.invert_percent, 1),
        invert_sigma=number(figures.invert_sigma, 1),
    )
    return _towards(figures.invert_percent + figures.invert_sigma, most * 0.7, NEVER_PERCENT), said


def _little_invert(figures: CookFigures) -> tuple[float, str]:
    least = figures.piece.invert_min_percent or 0.5
    said = _(
        "the syrup had {invert} ± {invert_sigma} % of invert sugar",
        invert=number(figures.invert_percent, 1),
        invert_sigma=number(figures.invert_sigma, 1),
    )
    return _towards(least - figures.invert_percent + figures.invert_sigma, 0.2, 1.0), said


def _stirred_hot(figures: CookFigures) -> tuple[float, str]:
    if figures.stir_c is None or figures.wanted_stir_c is None:
        return 0.3, _("the temperature at the first stir was not recorded")
    early = figures.stir_c - figures.wanted_stir_c
    said = _(
        "stirring began at {stir} °C, {wanted_stir} was wanted",
        stir=number(figures.stir_c, 0),
        wanted_stir=number(figures.wanted_stir_c, 0),
    )
    return _towards(early, NEAR_STIR_K, FAR_STIR_K), said


def _stirred_cold(figures: CookFigures) -> tuple[float, str]:
    if figures.stir_c is None or figures.wanted_stir_c is None:
        return 0.2, _("the temperature at the first stir was not recorded")
    late = figures.wanted_stir_c - figures.stir_c
    said = _(
        "stirring began at {stir} °C, {wanted_stir} was wanted",
        stir=number(figures.stir_c, 0),
        wanted_stir=number(figures.wanted_stir_c, 0),
    )
    return _towards(late, NEAR_STIR_K, FAR_STIR_K), said


def _stirred_short(figures: CookFigures) -> tuple[float, str]:
    if figures.stirred_min is None or not figures.usual_min:
        return 0.3, _("the time of stirring was not recorded")
    said = _(
        "it was stirred {stirred_min} min, {usual_min} are usual",
        stirred_min=number(figures.stirred_min, 0),
        usual_min=number(figures.usual_min, 0),
    )
    return _towards(1 - figures.stirred_min / figures.usual_min, 0.1, 0.6), said


def _stirred_long(figures: CookFigures) -> tuple[float, str]:
    if figures.waited_min is not None and figures.holds_min:
        said = _(
            "{waited_min} min from the turn to the moulds, {holds_min} are time",
            waited_min=number(figures.waited_min, 1),
            holds_min=bare(figures.holds_min),
        )
        return _towards(figures.waited_min / figures.holds_min, 0.8, 2.0), said
    return 0.4, _("the rest after the turn was not recorded")


def _disturbed(figures: CookFigures) -> tuple[float, str]:
    return 0.5, _("a jolt, a spoon or a crystal on the wall seeds it; the figures do not tell")


def _untold(figures: CookFigures) -> tuple[float, str]:
    return 0.5, _("the figures do not tell")


def _stored(figures: CookFigures) -> tuple[float, str]:
    return 0.5, _("how it was kept the figures do not tell")


def _foam(figures: CookFigures) -> tuple[float, str]:
    if figures.foamed:
        return 0.4, _("foam was knocked down")
    return 0.2, _("no foam was noted")


_UNDER = KnownFlaw(3.0, _("It was boiled too little"), _("Boil to the mark of today."), _underboiled)
_OVER = KnownFlaw(3.0, _("It was boiled too far"), _("Take it off sooner: a hot pot boils on."), _overboiled)
_INVERT = KnownFlaw(
    2.5,
    _("Too much invert sugar"),
    _("Take an early, light lot; measure it first with a glucose meter."),
    _invert,
)
_HOT = KnownFlaw(
    2.5, _("Stirred too warm"), _("Leave it alone until it is as cold as its point."), _stirred_hot
)
_COLD = KnownFlaw(
    1.5, _("Stirred too cold"), _("Begin as soon as it has come down to its point."), _stirred_cold
)
_SHORT = KnownFlaw(1.5, _("Stirred too little"), _("Stir until it turns, not by the clock."), _stirred_short)
_LONG = KnownFlaw(
    2.5, _("It stood too long after it turned"), _("Moulds laid out before; half a pot."), _stirred_long
)
_JOLT = KnownFlaw(
    1.2, _("Disturbed while it cooled"), _("Wipe the walls, set it down, walk away."), _disturbed
)
_DAMP = KnownFlaw(
    1.5, _("It drew water from the air, or dried out"), _("Wrap it tightly; keep it cool."), _stored
)

COMPLAINTS: dict[str, tuple[str, str, tuple[KnownFlaw[CookFigures], ...]]] = {
    "soft": (
        _("too soft"),
        _("Melt it again with water and boil it to the mark; nothing is lost but time and colour."),
        (_UNDER, _INVERT, _SHORT, _HOT),
    ),
    "hard": (
        _("too hard or crumbling"),
        _("Melt it again with water and boil it to the mark."),
        (_OVER, _LONG, KnownFlaw(0.6, _("It dried out"), _("Wrap it, keep it cool."), _stored)),
    ),
    "weeps": (
        _("weeping syrup"),
        _("Good to eat: pour the syrup off, or stir it in again. Melted anew it is boiled further."),
        (_UNDER, _HOT, _SHORT, _DAMP),
    ),
    "grainy": (
        _("grainy, sandy"),
        _("Melt it again with water until not one crystal is left, then cool it colder."),
        (
            _HOT,
            _JOLT,
            KnownFlaw(1.0, _("Stirred in fits"), _("Stir steadily."), _untold),
            _OVER._replace(often=0.7),
        ),
    ),
    "in_pot": (
        _("set in the pot"),
        _("Put water on it, warm it until it runs, and boil it to the mark again."),
        (
            _LONG,
            _OVER,
            _COLD,
            KnownFlaw(0.8, _("Too little invert sugar"), _("A darker lot."), _little_invert),
        ),
    ),
    "parted": (
        _("separated into syrup and sugar"),
        _("Stir it again, or melt it with water and begin anew."),
        (_SHORT, _UNDER, _HOT, _DAMP),
    ),
    "never": (
        _("does not set"),
        _(
            "With so much invert sugar nothing sets it: pour it on snow, or use it as a sauce. "
            "If it was only boiled too little, boil it on."
        ),
        (_INVERT, _UNDER, _SHORT),
    ),
    "scorched": (
        _("scorched"),
        _("Nothing takes the taste away: discard it, and soak the pot."),
        (
            KnownFlaw(2.5, _("Too much fire under a low pot"), _("Less fire near the mark."), _untold),
            _OVER,
            KnownFlaw(0.8, _("Foam burnt on the wall"), _("Wipe the wall down with a wet brush."), _foam),
        ),
    ),
    "sticky_snow": (
        _("sticky on the snow"),
        _("Boil the rest a degree or two further; what is poured is good to eat."),
        (_UNDER, KnownFlaw(1.0, _("Poured too hot, or on loose snow"), _("Pack it; let it rest."), _untold)),
    ),
    "bloom": (
        _("white spots or bloom later"),
        _("Good to eat: it is sugar that grew from the syrup left in it, or that dried out."),
        (_DAMP, _UNDER, KnownFlaw(1.0, _("Moulded too warm"), _("Mould cooler."), _stirred_hot)),
    ),
}
FLAWS = {key: words for key, (words, _any, _other) in COMPLAINTS.items()}
"""By complaint: its words, what can be saved, and what may be behind it."""


def likely_causes(complaint: str, figures: CookFigures) -> list[FlawCause]:
    """What may have made a confection so, the likeliest first; the shares add up to 1.

    Args:
        complaint: a key of `COMPLAINTS`.
        figures: of the cook.
    Raises:
        OutOfRange: there is no such complaint.
    """
    if complaint not in COMPLAINTS:
        known = joined(", ", (words for words, _any, _other in COMPLAINTS.values()))
        raise OutOfRange(_("Say what is wrong with it: {known}.", known=known), "complaint")
    return ranked(COMPLAINTS[complaint][2], figures)


def remelt_water_kg(mass_kg: float, brix: float) -> float:
    """Water to melt a failed confection with, so that not one crystal is left.

    Args:
        mass_kg: of the confection, above 0.
        brix: its solids.
    Source: solids are conserved; at 75 Brix all of it dissolves by 70 degC.
    """
    return max(mass_kg * (brix / REMELT_BRIX - 1), 0.0)
