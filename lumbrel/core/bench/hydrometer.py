"""The hydrometer: it floats where the syrup it displaces weighs what it weighs.

Source: buoyancy with the density of sucrose solutions (ICUMSA SPS-4) and the cubical
expansion of the glass.
"""

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from math import hypot, sqrt

from lumbrel.core.bench.evidence import Estimate
from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.numeric import solve
from lumbrel.core.physics import baume, sucrose
from lumbrel.words import _, bare, number

SIXTY_F_C = baume.SIXTY_F_C
GLASS_EXPANSION_PER_K = {"soda-lime": 25e-6, "borosilicate": 10e-6}
COLD_SIGMA, HOT_SIGMA, ASSUMED_CUP_SIGMA = 0.2, 0.5, 0.8
COLD_CUP_C = (10.0, 30.0)
LIGHTER_HEXOSES, LIGHTER_SIGMA = 0.0211, 0.0084
"""Hexoses are lighter than sucrose at the same percent: a stem in birch (invert 0.90) reads 1.25 Brix
low at 66, give or take 0.5; as shares of the density for an invert fraction of one."""


@dataclass(frozen=True)
class HotMark:
    """A mark printed on the stem for hot syrup: reads `reading_brix` at `temperature_c` when
    the syrup is `true_brix`."""

    reading_brix: float
    temperature_c: float
    true_brix: float


@dataclass(frozen=True)
class Hydrometer:
    """A Brix hydrometer.

    Args:
        calibration_temperature_c: where its scale is true, degC, 0 to 40 (60 degF usual).
        glass: "soda-lime" or "borosilicate".
        shift: how much of the computed shift with temperature this instrument shows; 1 by
            default, from its hot mark or its own hot and cold pairs otherwise.
        offset_brix: how much too much its scale shows, found in a known solution; -5 to 5.
        invert_fraction: of the solids that it floats in, 0 to 1; 0 leaves it out of account.
    """

    calibration_temperature_c: float = SIXTY_F_C
    glass: str = "soda-lime"
    shift: float = 1.0
    offset_brix: float = 0.0
    invert_fraction: float = 0.0

    def __post_init__(self) -> None:
        require_between(
            self.calibration_temperature_c,
            0.0,
            40.0,
            field="calibration_temperature_c",
            what=_("The temperature at which the scale is true"),
            unit="°C",
        )
        if self.glass not in GLASS_EXPANSION_PER_K:
            raise OutOfRange(_("The glass must be soda-lime or borosilicate."), "glass")
        require_between(
            self.offset_brix, -5.0, 5.0, field="offset_brix", what=_("A scale's error"), unit=_("Brix")
        )

    def mark(self, brix: float, cup_temperature_c: float) -> float:
        """Where it floats in syrup of `brix` at the cup's temperature, Brix on the stem.

        Args:
            brix: true density, 0 to 85.
            cup_temperature_c: degC, 0 to 100.
        Raises:
            OutOfRange: a value lies outside its range, or the mark would lie off any scale.
        Uncertainty: 0.05 Brix of computation; what a reader makes of it, see `sigma`.
        """
        heavy = brix * (1 - LIGHTER_HEXOSES * self.invert_fraction)
        bent = self.shift * (heavy - self._computed_mark(heavy, cup_temperature_c))
        return heavy - bent + self.offset_brix

    def correct(self, reading_brix: float, cup_temperature_c: float) -> float:
        """True Brix from a reading at the cup's temperature; inverse of `mark`.

        Args:
            reading_brix: where the stem floats, Brix, 0 to 85.
            cup_temperature_c: degC, 0 to 100.
        Raises:
            OutOfRange: a value lies outside its range.
        """
        require_between(
            reading_brix, 0.0, 85.0, field="reading_brix", what=_("The hydrometer reading"), unit=_("Brix")
        )
        require_between(
            cup_temperature_c,
            0.0,
            100.0,
            field="cup_temperature_c",
            what=_("The cup's temperature"),
            unit="°C",
        )
        heavy = self._as_sucrose(reading_brix, cup_temperature_c)
        return heavy / (1 - LIGHTER_HEXOSES * self.invert_fraction)

    def _as_sucrose(self, reading_brix: float, cup_temperature_c: float) -> float:
        """The Brix of a sucrose solution in which it floats so, 0 to 85."""
        if self.shift == 1.0:
            plain = reading_brix - self.offset_brix
            density = sucrose.density_kg_m3(plain, self.calibration_temperature_c)
            return sucrose.brix_from_density(
                density / self._glass_factor(cup_temperature_c), cup_temperature_c
            )
        with suppress(OutOfRange):
            return self._bent(reading_brix - self.offset_brix, cup_temperature_c)
        pure = replace(self, invert_fraction=0.0)
        # Close to an end of the scale a secant may step over it; a bracket does not.
        try:
            return solve(
                lambda w: pure.mark(w, cup_temperature_c) - reading_brix, *self._span(cup_temperature_c)
            )
        except ValueError as error:
            raise OutOfRange(
                _(
                    "A reading of {reading_brix} at {cup_temperature_c} °C would be no syrup between 0 "
                    "and 85 Brix.",
                    reading_brix=bare(reading_brix),
                    cup_temperature_c=number(cup_temperature_c, 1),
                ),
                "reading_brix",
            ) from error

    def _bent(self, reading_brix: float, temperature_c: float) -> float:
        """True Brix of a stem with a curve of its own: by secants on where a plain stem would
        float, a path so nearly straight that three or four steps do."""

        def plain(floats_at: float) -> float:
            density = sucrose.density_kg_m3(floats_at, self.calibration_temperature_c)
            return sucrose.brix_from_density(density / self._glass_factor(temperature_c), temperature_c)

        def apart(floats_at: float, true: float) -> float:
            return true - self.shift * (true - floats_at) - reading_brix

        before = min(max(reading_brix, 0.0), 85.0)
        true = plain(before)
        gap, here = apart(before, true), before
        step = -gap / max(self.shift, 0.5)
        for _any in range(60):
            here = before + step
            true = plain(here)
            next_gap = apart(here, true)
            if abs(next_gap) < 1e-10 or next_gap == gap:
                return true
            step = -next_gap * (here - before) / (next_gap - gap)
            before, gap = here, next_gap
        raise OutOfRange(_("No syrup floats it there."), "reading_brix")

    def _span(self, temperature_c: float) -> tuple[float, float]:
        """True Brix for which the computed mark stays on a scale of 0 to 85."""
        factor = self._glass_factor(temperature_c)
        calibrated = self.calibration_temperature_c
        lightest = sucrose.density_kg_m3(0.0, calibrated) / factor
        heaviest = sucrose.density_kg_m3(85.0, calibrated) / factor
        low = (
            0.0
            if lightest <= sucrose.density_kg_m3(0.0, temperature_c)
            else sucrose.brix_from_density(lightest, temperature_c)
        )
        high = (
            85.0
            if heaviest >= sucrose.density_kg_m3(85.0, temperature_c)
            else sucrose.brix_from_density(heaviest, temperature_c)
        )
        return low + 1e-6, high - 1e-6

    def _glass_factor(self, temperature_c: float) -> float:
        expansion = GLASS_EXPANSION_PER_K[self.glass]
        return 1 + expansion * (temperature_c - self.calibration_temperature_c)

    def _computed_mark(self, brix: float, temperature_c: float) -> float:
        require_between(
            temperature_c, 0.0, 100.0, field="cup_temperature_c", what=_("The cup's temperature"), unit="°C"
        )
        density = sucrose.density_kg_m3(brix, temperature_c) * self._glass_factor(temperature_c)
        try:
            return sucrose.brix_from_density(density, self.calibration_temperature_c)
        except OutOfRange as error:
            raise OutOfRange(
                _(
                    "{brix} Brix at {temperature_c} °C floats off the end of any scale between 0 and 85.",
                    brix=number(brix, 1),
                    temperature_c=number(temperature_c, 0),
                ),
                "target_brix",
            ) from error


def with_hot_mark(hydrometer: Hydrometer, mark: HotMark) -> Hydrometer:
    """The same hydrometer, its shift with temperature scaled to its printed hot mark.

    Args:
        mark: reading and true Brix 0 to 85, temperature 50 to 100 degC.
    Raises:
        OutOfRange: the mark is out of range, or its shift is not within half to twice the
            computed one.
    """
    require_between(
        mark.temperature_c, 50.0, 100.0, field="hot_mark", what=_("A hot mark's temperature"), unit="°C"
    )
    require_between(
        mark.true_brix, 0.0, 85.0, field="hot_mark", what=_("A hot mark's true density"), unit=_("Brix")
    )
    require_between(
        mark.reading_brix, 0.0, 85.0, field="hot_mark", what=_("A hot mark's reading"), unit=_("Brix")
    )
    plain = replace(hydrometer, shift=1.0)
    computed = mark.true_brix - plain.mark(mark.true_brix, mark.temperature_c)
    shift = (mark.true_brix - mark.reading_brix) / computed
    if not 0.5 <= shift <= 2.0:
        raise OutOfRange(
            _(
                "A mark of {reading} for {true} Brix at {temperature} °C cannot be right: computed, "
                "it stands at {true_2}.",
                reading=bare(mark.reading_brix),
                true=bare(mark.true_brix),
                temperature=number(mark.temperature_c, 0),
                true_2=number(mark.true_brix - computed, 1),
            ),
            "hot_mark",
        )
    return replace(hydrometer, shift=shift)


def shift_from_pairs(
    hydrometer: Hydrometer, pairs: Sequence[tuple[float, float, float, float]]
) -> tuple[float, float]:
    """An instrument's own shift from hot and cold readings of the same draws.

    Args:
        pairs: at least two of (hot reading, hot cup degC, cold reading, cold cup degC).
    Returns:
        The least-squares shift and its standard error.
    Raises:
        OutOfRange: fewer than two pairs, or a reading out of range.
    """
    if len(pairs) < 2:
        raise OutOfRange(_("A hydrometer's own curve needs two hot and cold pairs."), "pairs")
    plain = replace(hydrometer, shift=1.0)
    shifts = []
    for hot, hot_c, cold, cold_c in pairs:
        true = plain.correct(cold, cold_c)
        shifts.append((true - plain.mark(true, hot_c), true - hot))
    square = sum(x * x for x, _any in shifts)
    shift = sum(x * y for x, y in shifts) / square
    residual = sum((y - shift * x) ** 2 for x, y in shifts) / (len(shifts) - 1)
    return shift, sqrt(residual / square)


def sigma(cup_temperature_c: float, measured: bool = True, cup_sigma_k: float = 0.0) -> float:
    """One sigma of a corrected hydrometer reading, Brix.

    Args:
        cup_temperature_c: degC, 0 to 100.
        measured: False when the cup's temperature was assumed.
        cup_sigma_k: uncertainty of the cup's temperature, K, 0 to 50; adds 0.1 per 5 K.
    """
    require_between(cup_sigma_k, 0.0, 50.0, field="cup_sigma_k", what=_("The cup's uncertainty"), unit="K")
    cold = COLD_CUP_C[0] <= cup_temperature_c <= COLD_CUP_C[1]
    base = (COLD_SIGMA if cold else HOT_SIGMA) if measured else ASSUMED_CUP_SIGMA
    return base + 0.1 * cup_sigma_k / 5


def estimate(
    hydrometer: Hydrometer, reading_brix: float, cup_temperature_c: float, measured: bool = True
) -> Estimate:
    """A reading as evidence: its corrected Brix and sigma. Errors as `Hydrometer.correct`."""
    brix = hydrometer.correct(reading_brix, cup_temperature_c)
    lighter = LIGHTER_SIGMA * hydrometer.invert_fraction * brix
    return Estimate("hydrometer", brix, hypot(sigma(cup_temperature_c, measured), lighter))
