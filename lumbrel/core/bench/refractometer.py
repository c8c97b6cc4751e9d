"""The refractometer: a drop on a prism, true at 20 degC.

Source: International Temperature Correction Table of 1936
(data/refractometer-temperature-correction.csv), interpolated smoothly both ways.
"""

from functools import lru_cache

from lumbrel.core.bench.evidence import Estimate
from lumbrel.core.data import load_rows
from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.numeric import MonotoneCubic
from lumbrel.words import _, number

INVERT_BRIX_PER_PERCENT = 0.022
SIGMA, HOT_DROP_SIGMA = 0.2, 0.5
COLDEST_DROP_C, WARMEST_DROP_C = 10, 30


@lru_cache(maxsize=1)
def _rows_by_temperature() -> tuple[MonotoneCubic, ...]:
    rows = load_rows("refractometer-temperature-correction.csv")
    readings = [float(name) for name in rows[0] if name != "temperature_c"]
    return tuple(
        MonotoneCubic(readings, [float(row[f"{reading:g}"]) for reading in readings]) for row in rows
    )


def temperature_correction(reading_brix: float, sample_temperature_c: float) -> float:
    """What to add to a reading for the sample's temperature, Brix.

    Args:
        reading_brix: 0 to 85 (the table's last column, 70, serves above it).
        sample_temperature_c: degC, 10 to 30.
    Raises:
        OutOfRange: a value lies outside its range; the sample must come to temperature.
    Uncertainty: 0.01.
    """
    require_between(
        reading_brix, 0.0, 85.0, field="reading_brix", what=_("The refractometer reading"), unit=_("Brix")
    )
    if not COLDEST_DROP_C <= sample_temperature_c <= WARMEST_DROP_C:
        raise OutOfRange(
            _(
                "Let the sample come to between 10 and 30 °C on the closed prism and read again: at "
                "{sample_temperature_c} °C a refractometer has no number.",
                sample_temperature_c=number(sample_temperature_c, 1),
            ),
            "sample_temperature_c",
        )
    rows = _rows_by_temperature()
    column = min(reading_brix, 70.0)
    below = min(int(sample_temperature_c) - COLDEST_DROP_C, len(rows) - 2)
    first, last = max(below - 1, 0), min(below + 2, len(rows) - 1)
    temperatures = [float(COLDEST_DROP_C + i) for i in range(first, last + 1)]
    curve = MonotoneCubic(temperatures, [rows[i](column) for i in range(first, last + 1)])
    return curve(sample_temperature_c)


def correct(
    reading_brix: float,
    sample_temperature_c: float,
    automatic_compensation: bool = False,
    invert_percent: float = 0.0,
    zero_brix: float = 0.0,
) -> float:
    """True Brix from a refractometer reading.

    Args:
        reading_brix: 0 to 85.
        sample_temperature_c: degC, 10 to 30, compensated or not.
        automatic_compensation: True when the instrument corrects for temperature itself.
        invert_percent: invert sugar in the sample, percent by mass, 0 to 85; each percent
            reads 0.022 Brix low.
        zero_brix: what the instrument shows on water; taken off the reading. -2 to 2.
    Raises:
        OutOfRange: a value lies outside its range.
    Uncertainty: 0.2 Brix with the temperature right, 0.5 for a hot drop (see `sigma`).
    """
    require_between(invert_percent, 0.0, 85.0, field="invert_percent", what=_("Invert sugar"), unit="percent")
    require_between(zero_brix, -2.0, 2.0, field="zero_brix", what=_("The zero error"), unit=_("Brix"))
    correction = temperature_correction(reading_brix, sample_temperature_c)
    if automatic_compensation:
        correction = 0.0
    return reading_brix - zero_brix + correction + INVERT_BRIX_PER_PERCENT * invert_percent


def sigma(hot_drop: bool = False) -> float:
    """One sigma, Brix: 0.2, or 0.5 for a hot drop left to cool on the prism (it dries)."""
    return HOT_DROP_SIGMA if hot_drop else SIGMA


def estimate(
    reading_brix: float,
    sample_temperature_c: float,
    automatic_compensation: bool = False,
    invert_percent: float = 0.0,
    hot_drop: bool = False,
    zero_brix: float = 0.0,
) -> Estimate:
    """A reading as evidence: its corrected Brix and sigma. Errors as `correct`."""
    brix = correct(reading_brix, sample_temperature_c, automatic_compensation, invert_percent, zero_brix)
    return Estimate("refractometer", brix, sigma(hot_drop))
