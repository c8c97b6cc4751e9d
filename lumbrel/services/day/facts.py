"""What is noted of the air and of an instrument held against something known."""

from typing import Literal

from lumbrel.services.base.facts import Facts


class PressureFacts(Facts):
    """A pressure as a person gave it, understood as the one at the pan."""

    kind: Literal["pressure"] = "pressure"
    basis: Literal["station", "forecast", "elevation"]
    station_pressure_pa: float


class TestBoilFacts(Facts):
    """A thermometer's reading in boiling water, with the pressure it was judged by."""

    kind: Literal["test_boil"] = "test_boil"
    reading_c: float
    station_pressure_pa: float
    pressure_sigma_pa: float
    basis: str


class IcePointFacts(Facts):
    """A thermometer's reading in melting ice."""

    kind: Literal["ice_point"] = "ice_point"
    reading_c: float


class ScaleCheckFacts(Facts):
    """An instrument held against something known: `error` is what it showed too much, in Brix, or Pa for
    a barometer."""

    kind: Literal["scale_check"] = "scale_check"
    against: Literal["water", "solution", "reference"]
    true_value: float
    error: float
