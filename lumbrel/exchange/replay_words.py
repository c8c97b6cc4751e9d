"""What stands in a line of a replayed log."""

from datetime import UTC, datetime
from math import isfinite
from typing import Any

from lumbrel.services.base import batch as contexts
from lumbrel.services.base.facts import Learnt
from lumbrel.services.base.form import CONFIRMED, BadInput
from lumbrel.services.jar.kettle import kettle_of
from lumbrel.services.pan.board import Board
from lumbrel.services.pan.promise import promise
from lumbrel.services.record import sums
from lumbrel.words import _, bare

Line = dict[str, Any]
Answer = dict[str, Any]
OK: Answer = {"ok": True}


class Unfit(Exception):
    """A line that cannot be taken; `errors` says at which of its keys, and why."""

    def __init__(self, **errors: str) -> None:
        super().__init__("; ".join(errors.values()))
        self.errors = errors


PRESSURE_KEYS = {"pressure": "typed", "basis": "basis", "elevation": "line"}
BOIL_KEYS = {"reading": "typed", "thermometer": "thermometer"}
TAKE_IN_KEYS = {
    "amount": "amount_typed",
    "brix": "brix_typed",
    "raw_sap": "raw_sap_typed",
    "tree": "tree",
    "temperature": "temperature_typed",
    "vessel": "vessel",
    "sugar_kind": "sugar_kind",
    sums.SUMS: "line",
}
COOK_KEYS = {
    "vessel": "pot",
    "piece": "confection",
    "syrup": "amount_typed",
    "pot_mass": "amount_typed",
    "brix": "brix_typed",
    "stir": "stir_typed",
}
INSTRUMENT_KEYS = {
    "resolution": "resolution_k",
    "true_at": "true_at_c",
    "stands_in": "in_vessel",
    "name": "name",
    "sort": "sort",
    "low": "low",
    "high": "high",
    "glass": "glass",
    "shows": "shows",
}
LINE_KEYS = {
    "pot": {"reading": "pot"},
    "cooked": {"bath_litres": "litres", "bath_temperature": "around"},
    "bath": {"bath_litres": "litres", "bath_temperature": "around"},
}
"""By the kind of a cook's line, the keys that a log has and the form's own names."""
KEYS = {
    "pressure": PRESSURE_KEYS,
    "test_boil": BOIL_KEYS,
    "take_in": TAKE_IN_KEYS,
    "cook": COOK_KEYS,
    "weather": {"first": "date", "night_0": "night_c", "day_0": "day_c"},
    "gathered": {"litres": "litres", "taps": "taps", "woodlot": "woodlot"},
    "instrument": INSTRUMENT_KEYS,
}
"""By what is done, the form's fields and the keys they were sent under."""


def refused_of(errors: dict[str, str], asks: dict[str, str] | None = None) -> Answer:
    return {"ok": False, "errors": errors, "asks": asks or {}}


def named_of(bad: BadInput, line: Line) -> tuple[dict[str, str], dict[str, str]]:
    """What stood in the way, under the keys that were sent."""
    names = KEYS.get(str(line["do"]))
    given = line.get("fields") if isinstance(line.get("fields"), dict) else {}

    own = {field: sent for sent, field in LINE_KEYS.get(str(line.get("kind")), {}).items()}

    def key_of(field: str) -> str:
        if names is not None:
            return names.get(field, "line")
        field = own.get(field, field)
        return field if field in (given or {}) or field == "at" else _asked(field)

    errors = {key_of(field): text for field, text in bad.errors.items()}
    return errors, {key_of(field): text for field, text in bad.asks.items()}


def _asked(field: str) -> str:
    """A field of a line that was left out keeps its name, so that it can be given or confirmed."""
    return "line" if field in ("kind", "why", sums.SUMS) else field


def is_number(value: object) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and isfinite(value)


def number_of(line: Line, key: str, low: float, high: float, default: float | None = None) -> float:
    value = line.get(key, default)
    if not isinstance(value, int | float) or not is_number(value) or not low <= value <= high:
        raise Unfit(
            **{key: _("{key} is a number between {low} and {high}.", key=key, low=bare(low), high=bare(high))}
        )
    return float(value)


def text_of(line: Line, key: str) -> str:
    value = line.get(key)
    if not isinstance(value, str) or not value.strip():
        raise Unfit(**{key: f"{key} is a text."})
    return value.strip()


def with_unit(line: Line, key: str, unit: str) -> str:
    """A number as a person would type it, with its unit; empty when it was not given."""
    value = line.get(key)
    if value is None:
        return ""
    if not is_number(value):
        raise Unfit(**{key: f"{key} is a number."})
    return f"{value:.9f} {unit}".strip()


def moment_of(text: object, key: str) -> datetime:
    sentence = _("Write a moment in ISO 8601 with its zone, as 2026-03-14T19:00:00+00:00.")
    try:
        at = datetime.fromisoformat(str(text))
        if at.tzinfo is None:
            raise Unfit(**{key: sentence})
        return at.astimezone(UTC)
    except (ValueError, OverflowError) as error:
        raise Unfit(**{key: sentence}) from error


def said_of(context: contexts.BatchContext, board: Board) -> Answer:
    """What the board says, every key always there."""
    believed = board.believed
    boiled = board.evidence.fitted.rate_kg_per_min
    left = board.minutes_left + board.heating_minutes
    known_left = left < NEVER_MINUTES
    high = board.high_left
    return OK | {
        "call": board.verdict.call.value,
        "brix": believed.brix if believed else None,
        "sigma_brix": believed.sigma_brix if believed else None,
        "minutes_left": left if known_left else None,
        "low": min(board.low_left + board.heating_minutes, left) if known_left else None,
        "high": max(high + board.heating_minutes, left) if high is not None else None,
        "next_check_at": board.next_check_at.isoformat(),
        "draw_mark_c": board.draw_shown_c,
        "odd_one_out": board.odd or None,
        "kill_the_heat": context.drawn is None and board.stop_first and _settled_by_another(board),
        "promise_brix": promise(board).within_brix,
        "water_to_go_kg": board.verdict.water_kg,
        "kettle": _kettle(context),
        "rate_kg_per_min": boiled if boiled > 0 else LEAST_RATE_KG_PER_MIN,
        "by": [
            {"label": one.label, "brix": one.brix, "sigma_brix": one.sigma_brix}
            for one in (board.voices if believed else [])
        ],
        "questions": [{"key": one.key, "sentence": one.sentence} for one in board.questions],
    }


def _kettle(context: contexts.BatchContext) -> Answer | None:
    """The kettle of a drawn batch, until it is too cold for jars; all of it null before it was read."""
    now = kettle_of(context)
    if now is None:
        return None
    left = now.minutes_left
    return {
        "temperature_c": now.fire.now_c,
        "minutes_left": left if left is None or isfinite(left) else None,
        "low": now.low,
        "high": now.high,
        "jars": now.in_this_heat if now.filled else None,
    }


NEVER_MINUTES, LEAST_RATE_KG_PER_MIN = 5000.0, 1e-3


def _settled_by_another(board: Board) -> bool:
    """Whether somebody else than a thermometer in the boil could settle it."""
    return board.unlooked or any(word.reading.kind != "thermometer" for word in board.evidence.words)


US_UNITS = {
    "temperature": "F",
    "difference": "F",
    "pressure": "inHg",
    "elevation": "ft",
    "depth": "in",
    "mass": "lb",
    "volume": "gal",
    "jar": "floz",
}


def learnt_of(line: Line) -> Learnt | None:
    """What earlier boils had taught, where a line brings it along."""
    if line.get("learnt") is None:
        return None
    try:
        return Learnt.model_validate(line["learnt"])
    except ValueError as error:
        raise Unfit(
            learnt=_("What was learnt has strays, shift_k, shift_sigma_k and draws, as numbers.")
        ) from error


def confirmed_of(line: Line, names: dict[str, str]) -> dict[str, str]:
    """The form's own ticks for the keys that a line confirms."""
    keys = line.get("confirm", [])
    if not isinstance(keys, list):
        raise Unfit(confirm=_("Confirm a list of keys."))
    fields = {sent: field for field, sent in names.items()}
    return {f"{fields.get(str(key), str(key))}{CONFIRMED}": "1" for key in keys}
