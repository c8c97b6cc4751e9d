"""Refusals as the API gives them: a list of {loc, msg}, each msg a sentence."""

from typing import Any

from fastapi.exceptions import RequestValidationError
from pydantic import BaseModel

from lumbrel.core.errors import OutOfRange
from lumbrel.words import _


class Refusal(BaseModel):
    """What is wrong, and where."""

    loc: list[str | int]
    msg: str


class Refused(BaseModel):
    """Why nothing was computed or written: each `msg` is a sentence that says what is allowed."""

    detail: list[Refusal]


def out_of_range(error: OutOfRange) -> list[dict[str, Any]]:
    """A refusal of core."""
    return [{"loc": ["body", error.field] if error.field else ["body"], "msg": error.sentence}]


def sentences(error: RequestValidationError) -> list[dict[str, Any]]:
    """What did not fit the request, in sentences."""
    return [{"loc": list(one["loc"]), "msg": _sentence(one)} for one in error.errors()]


def _sentence(one: dict[str, Any]) -> str:
    name = str(one["loc"][-1]) if len(one["loc"]) > 1 else _("The body")
    kind, context = one["type"], one.get("ctx") or {}
    if kind == "missing":
        return _("Send a JSON body.") if name == _("The body") else _("Give {name}.", name=name)
    if kind == "extra_forbidden":
        return _("{name} is not known here; see /api/docs for what is.", name=name)
    if kind == "finite_number":
        return _("{name} must be a finite number.", name=name)
    if kind.startswith(("float", "int")) or kind == "decimal_parsing":
        return _("{name} must be a number in SI, without its unit.", name=name)
    if kind.startswith("bool"):
        return _("{name} must be true or false.", name=name)
    if kind == "literal_error":
        return _(
            "{name} must be {get}.", name=name, get=context.get("expected", "one of the documented words")
        )
    if kind == "value_error":
        return str(context.get("error", _("The value does not fit.")))
    if kind == "greater_than":
        return _("{name} must be above {get}.", name=name, get=context.get("gt"))
    if kind in ("too_short", "too_long"):
        bound = context.get("min_length", context.get("max_length"))
        word = _("least") if kind == "too_short" else _("most")
        return _("{name} must hold at {word} {bound}.", name=name, word=word, bound=bound)
    if kind == "json_invalid":
        return _("The body must be JSON.")
    return f"{name}: {one['msg'][:1].lower()}{one['msg'][1:].rstrip('.')}."
