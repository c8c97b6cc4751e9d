"""What every calculation is made of: a request, an answer with its working, a function."""

import inspect
from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from pathlib import Path
from typing import Annotated, Any, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, create_model, field_validator

from lumbrel import services
from lumbrel.words import _


class Request(BaseModel):
    """SI in, names with their units; unknown names and NaN are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, defer_build=True)

    @field_validator("*")
    @classmethod
    def _of_a_size_that_can_be_meant(cls, value: Any) -> Any:
        if isinstance(value, float) and abs(value) > 1e7:
            raise ValueError(_("Numbers must be between -10 000 000 and 10 000 000."))
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
    summary: str


C = TypeVar("C", bound=Callable[..., Answer])
_MADE = "calculation"


def calculation(name: str) -> Callable[[C], C]:
    """Make a calculation of a function: what it takes by name is the request, each with its kind and what it
    is when nobody gives it; what it says of itself is its documentation. (Where two take the same, they take
    it whole, as a `request`.) The API and the command line find it where it stands, in a room's
    `calculations.py`.

    Args:
        name: its path under /api/.
    """

    def made(function: C) -> C:
        said = inspect.cleandoc(function.__doc__ or "")
        whole = function.__annotations__.get("request")
        request = whole or _request_of(function, said)
        taken = tuple(request.model_fields)

        def run(given: Request) -> Answer:
            if whole:
                return function(given)
            return function(**{one: getattr(given, one) for one in taken})

        answer = function.__annotations__["return"]
        summary = said.splitlines()[0]
        setattr(function, _MADE, Calculation(name, request, answer, run, summary))
        return function

    return made


def _request_of(function: Callable[..., Answer], said: str) -> type[Request]:
    fields: dict[str, Any] = {
        one.name: (one.annotation, ... if one.default is one.empty else one.default)
        for one in inspect.signature(function).parameters.values()
    }
    title = "".join(word.capitalize() for word in function.__name__.split("_"))
    return create_model(f"{title}Request", __base__=Request, __doc__=said, **fields)


def rooms() -> list[Path]:
    folders = (Path(folder) for folder in services.__path__)
    return sorted(found for folder in folders for found in folder.glob("*/*calculations.py"))


def calculations_in(room: Path) -> list[Calculation]:
    """The calculations that a room makes, in its order."""
    module = import_module(f"{services.__name__}.{room.parent.name}.{room.stem}")
    return [getattr(one, _MADE) for one in vars(module).values() if hasattr(one, _MADE)]


def calculation_named(name: str) -> Calculation | None:
    """A calculation by its name. Only the room that it is in is loaded, so that it answers at once."""
    for room in rooms():
        if f'@calculation("{name}")' in room.read_text("utf-8"):
            return next((one for one in calculations_in(room) if one.name == name), None)
    return None


def step(label: str, value: float | str | None, unit: str = "", source: str = "") -> WorkingStep:
    """A line of working; spelled short because there are many."""
    return WorkingStep.model_construct(label=label, value=value, unit=unit, source=source)


StationPressure = Annotated[float, Field(description="Pressure at the pan, hPa, 500 to 1100")]
InvertFraction = Annotated[
    float, Field(description="Share of the solids that is hexoses, 0 to 1 (birch 0.90)")
]
Glass = Literal["soda-lime", "borosilicate"]

IF97 = _("IAPWS-IF97 region 4")
MARGULES = _("Margules water activity, two constants")
ICUMSA_DENSITY = _("ICUMSA SPS-4")
TABLE_1936 = _("International Temperature Correction Table, 1936")
MASS_BALANCE = _("solids conserved")
