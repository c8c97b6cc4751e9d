"""Refusals as the API gives them: a list of {loc, msg}, each msg a sentence."""

from typing import Any

from fastapi.exceptions import RequestValidationError
from pydantic import BaseModel

from lumbrel.core.errors import OutOfRange


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
    name = str(one["loc"][-1]) if len(one["loc"]) > 1 else "The body"
    kind, context = one["type"], one.get("ctx") or {}
    if kind == "missing":
        return "Send a JSON body." if name == "The body" else f"Give {name}."
    if kind == "extra_forbidden":
        return f"{name} is not known here; see /api/docs for what is."
    if kind == "finite_number":
        return f"{name} must be a finite number."
    if kind.startswith(("float", "int")) or kind == "decimal_parsing":
        return f"{name} must be a number in SI, without its unit."
    if kind.startswith("bool"):
        return f"{name} must be true or false."
    if kind == "literal_error":
        return f"{name} must be {context.get('expected', 'one of the documented words')}."
    if kind == "value_error":
        return str(context.get("error", "The value does not fit."))
    if kind == "greater_than":
        return f"{name} must be above {context.get('gt')}."
    if kind in ("too_short", "too_long"):
        bound = context.get("min_length", context.get("max_length"))
        word = "least" if kind == "too_short" else "most"
        return f"{name} must hold at {word} {bound}."
    if kind == "json_invalid":
        return "The body must be JSON."
    return f"{name}: {one['msg'][:1].lower()}{one['msg'][1:].rstrip('.')}."
