"""What devices measure, and the units that they name."""

from typing import NamedTuple

from lumbrel.core.units.kinds import KINDS, scale, tidy

TEMPERATURE, PRESSURE, MASS = "temperature", "pressure", "mass"
STORED = {TEMPERATURE: "degC", PRESSURE: "Pa", MASS: "kg"}
"""As samples are kept."""
_MORE = {"kPa": (PRESSURE, "kPa"), "Pa": (PRESSURE, "Pa")}
UNITS: dict[str, tuple[str, str]] = _MORE | {
    one.key: (quantity, one.pint) for quantity in STORED for one in KINDS[quantity].units
}
"""By key, what it measures and how it is reckoned."""
_SPELLED = {
    "c": "C",
    "celsius": "C",
    "f": "F",
    "fahrenheit": "F",
    "mbar": "hPa",
    "mb": "hPa",
    "torr": "mmHg",
    "lbs": "lb",
    **{key.lower(): key for key in UNITS},
}
KEYS = {
    "temperature_c": (TEMPERATURE, "C"),
    "temperature_f": (TEMPERATURE, "F"),
    "temperature": (TEMPERATURE, ""),
    "temp": (TEMPERATURE, ""),
    "t": (TEMPERATURE, ""),
    "pressure_hpa": (PRESSURE, "hPa"),
    "pressure_pa": (PRESSURE, "Pa"),
    "pressure": (PRESSURE, ""),
    "mass_kg": (MASS, "kg"),
    "weight_kg": (MASS, "kg"),
    "mass_g": (MASS, "g"),
    "weight_g": (MASS, "g"),
    "weight": (MASS, ""),
    "mass": (MASS, ""),
    "value": ("", ""),
}
"""Of an object: what a key says, and the unit that it names. Of each quantity the first that is there counts."""
_PRESSURES = {
    "hPa": (800, 1100),
    "kPa": (80, 110),
    "Pa": (8e4, 1.1e5),
    "inHg": (23.6, 32.5),
    "mmHg": (600, 825),
}
"""Where air pressure lies in each: they do not overlap."""


class Value(NamedTuple):
    """A number, the unit that it named, and what it is of where it named that alone."""

    number: float
    unit: str = ""
    about: str = ""

    @property
    def quantity(self) -> str:
        """What it measures; empty where nobody says."""
        return UNITS[self.unit][0] if self.unit else self.about

    def inside(self) -> float:
        """As it is kept: degC, Pa, kg."""
        quantity, unit = UNITS[self.unit]
        times, plus = scale(unit, STORED[quantity])
        return self.number if times == 1 and not plus else tidy(self.number * times + plus)


def unit_of(text: str) -> str | None:
    """The unit that was spelled so; empty for none, None for one in which nothing here is measured."""
    plain = text.strip().lower().removeprefix("°").removeprefix("deg").strip()
    return _SPELLED.get(plain) if plain else ""


def pressure_unit(number: float) -> str:
    """In which unit so much is the pressure of air; empty where in none."""
    return next((unit for unit, (low, high) in _PRESSURES.items() if low <= number <= high), "")
