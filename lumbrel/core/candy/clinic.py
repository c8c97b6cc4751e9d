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
        return "it was taken off at its mark"
    return f"it was taken off {abs(apart):.1f} K {'over' if apart > 0 else 'under'} its mark"


def _underboiled(figures: CookFigures) -> tuple[float, str]:
    return _towards(figures.mark_k - figures.above_k, 0.0, FAR_K), _off(figures)


def _overboiled(figures: CookFigures) -> tuple[float, str]:
    return _towards(figures.above_k - figures.mark_k, 0.0, FAR_K), _off(figures)


def _invert(figures: CookFigures) -> tuple[float, str]:
    most = figures.piece.invert_max_percent or NEVER_PERCENT
    said = (
        f"the syrup had {figures.invert_percent:.1f} ± {figures.invert_sigma:.1f} % of invert sugar"
    )
    return _towards(figures.invert_percent + figures.invert_sigma, most * 0.7, NEVER_PERCENT), said


def _little_invert(figures: CookFigures) -> tuple[float, str]:
    least = figures.piece.invert_min_percent or 0.5
    said = (
        f"the syrup had {figures.invert_percent:.1f} ± {figures.invert_sigma:.1f} % of invert sugar"
    )
    return _towards(least - figures.invert_percent + figures.invert_sigma, 0.2, 1.0), said


def _stirred_hot(figures: CookFigures) -> tuple[float, str]:
    if figures.stir_c is None or figures.wanted_stir_c is None:
        return 0.3, "the temperature at the first stir was not recorded"
    early = figures.stir_c - figures.wanted_stir_c
    said = f"stirring began at {figures.stir_c:.0f} °C, {figures.wanted_stir_c:.0f} was wanted"
    return _towards(early, NEAR_STIR_K, FAR_STIR_K), said


def _stirred_cold(figures: CookFigures) -> tuple[float, str]:
    if figures.stir_c is None or figures.wanted_stir_c is None:
        return 0.2, "the temperature at the first stir was not recorded"
    late = figures.wanted_stir_c - figures.stir_c
    said = f"stirring began at {figures.stir_c:.0f} °C, {figures.wanted_stir_c:.0f} was wanted"
    return _towards(late, NEAR_STIR_K, FAR_STIR_K), said


def _stirred_short(figures: CookFigures) -> tuple[float, str]:
    if figures.stirred_min is None or not figures.usual_min:
        return 0.3, "the time of stirring was not recorded"
    said = f"it was stirred {figures.stirred_min:.0f} min, {figures.usual_min:.0f} are usual"
    return _towards(1 - figures.stirred_min / figures.usual_min, 0.1, 0.6), said


def _stirred_long(figures: CookFigures) -> tuple[float, str]:
    if figures.waited_min is not None and figures.holds_min:
        said = f"{figures.waited_min:.1f} min from the turn to the moulds, {figures.holds_min:g} are time"
        return _towards(figures.waited_min / figures.holds_min, 0.8, 2.0), said
    return 0.4, "the rest after the turn was not recorded"


def _disturbed(figures: CookFigures) -> tuple[float, str]:
    return 0.5, "a jolt, a spoon or a crystal on the wall seeds it; the figures do not tell"


def _untold(figures: CookFigures) -> tuple[float, str]:
    return 0.5, "the figures do not tell"


def _stored(figures: CookFigures) -> tuple[float, str]:
    return 0.5, "how it was kept the figures do not tell"


def _foam(figures: CookFigures) -> tuple[float, str]:
    if figures.foamed:
        return 0.4, "foam was knocked down"
    return 0.2, "no foam was noted"


_UNDER = KnownFlaw(3.0, "It was boiled too little", "Boil to the mark of today.", _underboiled)
_OVER = KnownFlaw(
    3.0, "It was boiled too far", "Take it off sooner: a hot pot boils on.", _overboiled
)
_INVERT = KnownFlaw(
    2.5,
    "Too much invert sugar",
    "Take an early, light lot; measure it first with a glucose meter.",
    _invert,
)
_HOT = KnownFlaw(
    2.5, "Stirred too warm", "Leave it alone until it is as cold as its point.", _stirred_hot
)
_COLD = KnownFlaw(
    1.5, "Stirred too cold", "Begin as soon as it has come down to its point.", _stirred_cold
)
_SHORT = KnownFlaw(
    1.5, "Stirred too little", "Stir until it turns, not by the clock.", _stirred_short
)
_LONG = KnownFlaw(
    2.5, "It stood too long after it turned", "Moulds laid out before; half a pot.", _stirred_long
)
_JOLT = KnownFlaw(
    1.2, "Disturbed while it cooled", "Wipe the walls, set it down, walk away.", _disturbed
)
_DAMP = KnownFlaw(
    1.5, "It drew water from the air, or dried out", "Wrap it tightly; keep it cool.", _stored
)

COMPLAINTS: dict[str, tuple[str, str, tuple[KnownFlaw[CookFigures], ...]]] = {
    "soft": (
        "too soft",
        "Melt it again with water and boil it to the mark; nothing is lost but time and colour.",
        (_UNDER, _INVERT, _SHORT, _HOT),
    ),
    "hard": (
        "too hard or crumbling",
        "Melt it again with water and boil it to the mark.",
        (_OVER, _LONG, KnownFlaw(0.6, "It dried out", "Wrap it, keep it cool.", _stored)),
    ),
    "weeps": (
        "weeping syrup",
        "Good to eat: pour the syrup off, or stir it in again. Melted anew it is boiled further.",
        (_UNDER, _HOT, _SHORT, _DAMP),
    ),
    "grainy": (
        "grainy, sandy",
        "Melt it again with water until not one crystal is left, then cool it colder.",
        (
            _HOT,
            _JOLT,
            KnownFlaw(1.0, "Stirred in fits", "Stir steadily.", _untold),
            _OVER._replace(often=0.7),
        ),
    ),
    "in_pot": (
        "set in the pot",
        "Put water on it, warm it until it runs, and boil it to the mark again.",
        (
            _LONG,
            _OVER,
            _COLD,
            KnownFlaw(0.8, "Too little invert sugar", "A darker lot.", _little_invert),
        ),
    ),
    "parted": (
        "separated into syrup and sugar",
        "Stir it again, or melt it with water and begin anew.",
        (_SHORT, _UNDER, _HOT, _DAMP),
    ),
    "never": (
        "does not set",
        "With so much invert sugar nothing sets it: pour it on snow, or use it as a sauce. If it was only "
        "boiled too little, boil it on.",
        (_INVERT, _UNDER, _SHORT),
    ),
    "scorched": (
        "scorched",
        "Nothing takes the taste away: discard it, and soak the pot.",
        (
            KnownFlaw(2.5, "Too much fire under a low pot", "Less fire near the mark.", _untold),
            _OVER,
            KnownFlaw(0.8, "Foam burnt on the wall", "Wipe the wall down with a wet brush.", _foam),
        ),
    ),
    "sticky_snow": (
        "sticky on the snow",
        "Boil the rest a degree or two further; what is poured is good to eat.",
        (
            _UNDER,
            KnownFlaw(1.0, "Poured too hot, or on loose snow", "Pack it; let it rest.", _untold),
        ),
    ),
    "bloom": (
        "white spots or bloom later",
        "Good to eat: it is sugar that grew from the syrup left in it, or that dried out.",
        (_DAMP, _UNDER, KnownFlaw(1.0, "Moulded too warm", "Mould cooler.", _stirred_hot)),
    ),
}
FLAWS = {key: words for key, (words, _, _) in COMPLAINTS.items()}
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
        known = ", ".join(words for words, _, _ in COMPLAINTS.values())
        raise OutOfRange(f"Say what is wrong with it: {known}.", "complaint")
    return ranked(COMPLAINTS[complaint][2], figures)


def remelt_water_kg(mass_kg: float, brix: float) -> float:
    """Water to melt a failed confection with, so that not one crystal is left.

    Args:
        mass_kg: of the confection, above 0.
        brix: its solids.
    Source: solids are conserved; at 75 Brix all of it dissolves by 70 degC.
    """
    return max(mass_kg * (brix / REMELT_BRIX - 1), 0.0)
