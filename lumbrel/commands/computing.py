"""One calculation of the API, without a server."""

import argparse
import json
import os
import sys
from typing import TYPE_CHECKING, Any

from lumbrel.commands.say import refuse
from lumbrel.words import _

if TYPE_CHECKING:
    from lumbrel.services.base.calculation import Answer


def compute(arguments: argparse.Namespace) -> int:
    """Compute one calculation, or list them all."""
    # Lumbrel has no plugins of Pydantic's, and to look for some reads every package that is installed.
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
    from pydantic import ValidationError

    from lumbrel.core.errors import OutOfRange
    from lumbrel.services.base.calculation import calculation_named

    calculation = calculation_named(arguments.calculation or "")
    if calculation is None:
        return _list(asked=arguments.calculation is not None)
    unnamed = next((pair for pair in arguments.given if "=" not in pair), None)
    if unnamed is not None:
        return refuse(_("write name=value, not {unnamed}", unnamed=repr(unnamed)))
    try:
        answer = calculation.run(calculation.request.model_validate(_given(arguments.given)))
    except OutOfRange as error:
        return refuse(error.sentence)
    except ValidationError as error:
        for one in error.errors():
            place = ".".join(str(part) for part in one["loc"])
            print(_("lumbrel: {place}: {one}", place=place, one=one["msg"]), file=sys.stderr)
        return 2
    if arguments.json:
        print(answer.model_dump_json(indent=2))
    else:
        _print_answer(answer)
    return 0


def _list(*, asked: bool) -> int:
    from lumbrel.services.stations import CALCULATIONS

    for calculation in CALCULATIONS:
        names = ", ".join(calculation.request.model_fields)
        print(f"{calculation.name:24} {calculation.summary}\n{'':24} {names}")
    return 2 if asked else 0


def _given(pairs: list[str]) -> dict[str, Any]:
    """What was written as name=value: JSON where it reads as such, else text."""
    given: dict[str, Any] = {}
    for pair in pairs:
        name, _any, text = pair.partition("=")
        try:
            given[name] = json.loads(text)
        except ValueError:
            given[name] = text
    return given


def _print_answer(answer: "Answer") -> None:
    for name, value in answer.model_dump(exclude={"working"}).items():
        print(f"{name} = {value}")
    for step in answer.working:
        value = f"{step.value:.4f}" if isinstance(step.value, float) else step.value
        source = f"  ({step.source})" if step.source else ""
        print(f"    {step.label}: {value} {step.unit}{source}")
