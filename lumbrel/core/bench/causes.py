"""Why an instrument stands alone: the most plausible cause that is large enough, and the one
measurement that would settle it."""

from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass
from math import sqrt

from lumbrel.core.bench import refractometer, thermometer
from lumbrel.core.bench.hydrometer import SIXTY_F_C, Hydrometer
from lumbrel.core.errors import OutOfRange
from lumbrel.words import _

CUP_COULD_BE_C = (10.0, 100.0)
"""An assumed cup may have been anything: a hot sample read against the cold mark is common."""
CUP_MOVES_K = 6.0
"""How far a cup's temperature is typically out when it was measured."""
STALE_K = 0.6
"""What a day's weather moves the boil."""
DRIED_DROP_BRIX = 3.0
MISREAD_BRIX = (1.0, 5.0, 10.0)
"""A line, a numbered line, or the ten."""
LOOSE_SIGMAS = 1.0


@dataclass(frozen=True)
class Cause:
    """A sentence for what is likely wrong, one for what would settle it.

    Args:
        low_brix, high_brix: how far it can have moved the reading from the truth.

    """

    key: str
    cause: str
    settle: str
    low_brix: float
    high_brix: float

    def explains(self, apart_brix: float, sigma_brix: float) -> bool:
        """Whether it is large enough, and in the right direction, give or take the doubt."""
        slack = LOOSE_SIGMAS * sigma_brix
        return self.low_brix - slack <= apart_brix <= self.high_brix + slack


def of_hydrometer(own: Hydrometer, reading_brix: float, cup_c: float, cup_assumed: bool) -> list[Cause]:
    """What can put a hydrometer reading wrong, the most plausible first.

    Args:
        own: the stem as corrections use it.
        reading_brix, cup_c: as read.
        cup_assumed: whether the cup's temperature was assumed.
    """
    causes = []
    with suppress(OutOfRange):  # causes that the correction does not reach are not told
        for cause in _of_cup(own, reading_brix, cup_c, cup_assumed):
            causes.append(cause)
    return [*causes, *_misread(_("Read the stem again at eye level, at the flat of the surface."))]


def _of_cup(own: Hydrometer, reading_brix: float, cup_c: float, cup_assumed: bool) -> Iterator[Cause]:
    """What a wrong temperature does, the most plausible first."""

    def if_cup(at_c: float) -> float:
        """How far the corrected value is out when the cup really stood at `at_c`."""
        held = min(max(at_c, 0.0), 100.0)
        return own.correct(reading_brix, cup_c) - own.correct(reading_brix, held)

    coldest, hottest = CUP_COULD_BE_C
    if cup_assumed:
        yield Cause(
            key="cup-assumed",
            cause=_("the cup's temperature was assumed, not measured"),
            settle=_("Read the hydrometer again with a thermometer in the cup."),
            low_brix=if_cup(hottest),
            high_brix=if_cup(coldest),
        )
    yield _other_calibration(own, reading_brix, cup_c)
    together = _("Read stem and cup temperature together, at eye level.")
    yield Cause(
        key="cup-cooled",
        cause=_("the cup cooled after its temperature was read"),
        settle=together,
        low_brix=0.0,
        high_brix=if_cup(cup_c - CUP_MOVES_K),
    )
    yield Cause(
        key="cup-hotter",
        cause=_("the cup was hotter than typed: its thermometer had not come up"),
        settle=together,
        low_brix=if_cup(cup_c + CUP_MOVES_K),
        high_brix=0.0,
    )


def _other_calibration(own: Hydrometer, reading_brix: float, cup_c: float) -> Cause:
    other_c = 20.0 if abs(own.calibration_temperature_c - SIXTY_F_C) < 1 else SIXTY_F_C
    other = Hydrometer(other_c, own.glass, own.shift, own.offset_brix)
    moved = own.correct(reading_brix, cup_c) - other.correct(reading_brix, cup_c)
    return Cause(
        key="calibration",
        cause=_("its scale is true at another temperature than it was registered for"),
        settle=_("Look on the stem for the temperature its scale is true at."),
        low_brix=min(moved, 0.0),
        high_brix=max(moved, 0.0),
    )


def of_thermometer(untested: bool, stale: bool, slope_k_per_brix: float) -> list[Cause]:
    """What can put a boiling temperature wrong, the most plausible first.

    Args:
        untested, stale: whether it has no test boil, or one too old for the air since.
        slope_k_per_brix: of the boil at this density, above 0.
    """
    causes = []
    if untested:
        out = 2 * thermometer.UNTESTED_SIGMA_K / slope_k_per_brix
        causes.append(
            Cause(
                "untested",
                _("this thermometer has had no test boil"),
                _("Put it in rapidly boiling water now."),
                -out,
                out,
            )
        )
    if stale:
        out = STALE_K / slope_k_per_brix
        causes.append(
            Cause(
                "stale",
                _("its test boil is old, or the pressure has moved since"),
                _("Put it in rapidly boiling water again."),
                -out,
                out,
            )
        )
    far = 10 / slope_k_per_brix
    return [
        *causes,
        Cause(
            "touches",
            _("the tip touches the hot metal"),
            _("Hang it freely in the middle of the boil."),
            0.5,
            far,
        ),
        Cause(
            "shallow",
            _("the tip is not deep enough in the boil"),
            _("Hang it freely in the middle of the boil."),
            -far,
            -0.5,
        ),
    ]


def of_refractometer(reading_brix: float, sample_c: float, compensated: bool, hot_drop: bool) -> list[Cause]:
    """What can put a refractometer reading wrong, the most plausible first.

    Args:
        reading_brix, sample_c: as read.
        compensated: as it was noted.
        hot_drop: whether the drop was put on hot.
    """
    dried = Cause(
        "dried",
        _("the hot drop dried on the prism and reads high")
        if hot_drop
        else _("the drop dried on the prism and reads high"),
        _("Cool a covered sample to room temperature and read that."),
        0.0,
        DRIED_DROP_BRIX,
    )
    try:
        correction = refractometer.temperature_correction(reading_brix, sample_c)
    except OutOfRange:
        correction = 0.0
    moved = -correction if compensated else correction
    state = _("on") if compensated else _("off")
    switch = Cause(
        "compensation",
        _("compensation was noted as {state}, and it is not", state=state),
        _("Read a drop of water: compensated or not, it must show 0 at its temperature."),
        min(moved, 0.0),
        max(moved, 0.0),
    )
    ordered = [dried, switch] if hot_drop else [switch, dried]
    return [*ordered, *_misread(_("Wipe the prism and read a fresh drop."))]


def _misread(settle: str) -> list[Cause]:
    found = []
    for by in MISREAD_BRIX:
        word = {1.0: _("a line"), 5.0: _("a numbered line"), 10.0: _("ten")}[by]
        for sign in (1, -1):
            found.append(
                Cause("misread", _("it was misread by {word}", word=word), settle, sign * by, sign * by)
            )
    return found


def likely(
    causes: Sequence[Cause], apart_brix: float, sigma_brix: float, others_sigma_brix: float = 0.0
) -> Cause:
    """The first cause that is large enough for the gap; of the misreadings the nearest.

    Args:
        causes: the most plausible first, as `of_hydrometer` and the others give them.
        apart_brix: the reading less what the others say.
        sigma_brix, others_sigma_brix: one sigma of each.
    """
    sigma = sqrt(sigma_brix**2 + others_sigma_brix**2)
    for cause in causes:
        useful = abs(cause.low_brix) + abs(cause.high_brix) >= 0.2
        if cause.key != "misread" and useful and cause.explains(apart_brix, sigma):
            return cause
    return min(causes, key=lambda c: _beyond(c, apart_brix))


def _beyond(cause: Cause, apart_brix: float) -> float:
    """How far the gap lies outside what a cause can do."""
    return max(cause.low_brix - apart_brix, apart_brix - cause.high_brix, 0.0)
