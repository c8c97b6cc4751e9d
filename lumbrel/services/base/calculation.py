"""What every calculation is made of: a request, an answer with its working, a function."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator


class Request(BaseModel):
    """SI in, names with their units; unknown names and NaN are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, defer_build=True)

    @field_validator("*")
    @classmethod
    def _of_a_size_that_can_be_meant(cls, value: Any) -> Any:
        if isinstance(value, float) and abs(value) > 1e7:
            raise ValueError("Numbers must lie between -10 000 000 and 10 000 000.")
        return value


class WorkingStep(BaseModel):
    """One line of how a figure came about."""

    model_config = ConfigDict(defer_build=True)

    label: str
    value: float | str | None
    unit: str = ""
    source: str = ""


class Answer(BaseModel):
    """Every answer carries its working."""

    model_config = ConfigDict(defer_build=True)

    working: list[WorkingStep]


@dataclass(frozen=True)
class Calculation:
    """A calculation: its path under /api/ and its name on the command line."""

    name: str
    request: type[Request]
    answer: type[Answer]
    run: Callable[[Any], Answer]

    @property
    def summary(self) -> str:
        """First line of what the function says of itself."""
        return (self.run.__doc__ or "").strip().splitlines()[0]


def step(label: str, value: float | str | None, unit: str = "", source: str = "") -> WorkingStep:
    """A line of working; spelled short because there are many."""
    return WorkingStep.model_construct(label=label, value=value, unit=unit, source=source)


StationPressure = Annotated[float, Field(description="Pressure at the pan, hPa, 500 to 1100")]
InvertFraction = Annotated[
    float, Field(description="Share of the solids that is hexoses, 0 to 1 (birch 0.90)")
]
Glass = Literal["soda-lime", "borosilicate"]

IF97 = "IAPWS-IF97 region 4"
MARGULES = "Margules water activity, two constants"
ICUMSA_DENSITY = "ICUMSA SPS-4"
TABLE_1936 = "International Temperature Correction Table, 1936"
MASS_BALANCE = "solids conserved"
