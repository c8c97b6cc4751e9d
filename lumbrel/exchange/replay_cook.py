"""A candy pot in a replayed log: it is begun as a page begins it, and its lines are a page's lines."""

from datetime import datetime
from math import isfinite
from sqlite3 import Connection

from lumbrel.core.candy.bath import HORIZON_MIN
from lumbrel.core.candy.confections import confections
from lumbrel.core.candy.stirring import WORKED
from lumbrel.core.errors import OutOfRange
from lumbrel.core.physics.sucrose import MAX_DENSITY_BRIX, density_kg_m3
from lumbrel.core.units.typed import parse
from lumbrel.exchange.replay_record import WOODLOT, vessel_named
from lumbrel.exchange.replay_words import (
    COOK_KEYS,
    LINE_KEYS,
    OK,
    Answer,
    Line,
    Unfit,
    confirmed_of,
    text_of,
)
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.facts import CookFacts
from lumbrel.services.candy import begin
from lumbrel.services.candy.alarms import STIR_AHEAD_MIN
from lumbrel.services.candy.cook import POT
from lumbrel.services.candy.off_fire import CoolingPot
from lumbrel.services.candy.on_fire import Boiling
from lumbrel.services.candy.pot import CookBoard, pot_of
from lumbrel.store.kitchen import load_kitchen
from lumbrel.words import _

SCORCHES_K = 4.0
NOTHING: Answer = {"temperature_c": None, "minutes_left": None, "low": None, "high": None, "never": None}
SAID = {"heat": "wait", "boil": "wait", "near": "soon", "off": "off_the_fire", "over": "over"}


def cook(db: Connection, line: Line, now: datetime) -> tuple[str, Answer]:
    """Begin a cook; its code, and where it comes off and is stirred, as its thermometer shows it."""
    known = [piece.key for piece in confections()]
    if line.get("confection") not in known:
        raise Unfit(confection=_("A confection is one of {known}.", known=", ".join(known)))
    for key in ("amount_typed", "brix_typed"):
        text_of(line, key)
    fields = {
        "vessel": vessel_named(db, line, "pot"),
        "piece": str(line["confection"]),
        "by": "syrup",
        # Whatever it holds: one pot of it is cooked.
        "pot": f"{POT.high:g} L",
        "syrup": _mass_typed(db, line),
        "brix": str(line["brix_typed"]),
        "bath": "bench",
        "woodlot": WOODLOT.id,
    }
    if line.get("stir_typed") is not None:
        fields["stir"] = str(line["stir_typed"])
    code = begin.begin(db, now, fields | confirmed_of(line, COOK_KEYS))
    board = pot_of(contexts.load(db, code, now))
    stir_c = board.cook.stir_c if board.cook.piece in WORKED else None
    return code, OK | {
        "batch": code,
        "mark_c": board.shown_c(board.mark_c),
        "stir_c": None if stir_c is None else board.shown_c(stir_c),
    }


def _mass_typed(db: Connection, line: Line) -> str:
    """A mass as it was typed, or what a volume at 20 degC weighs."""
    typed, units = str(line["amount_typed"]), load_kitchen(db).units
    try:
        parse(typed, "mass", units["mass"])
    except OutOfRange as no_mass:
        try:
            litres = parse(typed, "volume", units["volume"]).value
        except OutOfRange:
            raise Unfit(amount_typed=no_mass.sentence) from no_mass
        brix = parse(str(line["brix_typed"]), "brix").value
        known = min(max(brix, 0.0), MAX_DENSITY_BRIX)
        return f"{litres * density_kg_m3(known, 20.0) / 1000:.9f} kg"
    return typed


def fields_of(kind: str, given: dict[str, str]) -> dict[str, str]:
    """A line of a cook with the form's own names; where nobody said, it stands on the bench, or in the water told of."""
    names = LINE_KEYS.get(kind, {})
    fields = {names.get(key, key): text for key, text in given.items()}
    if kind in ("cooked", "bath"):
        fields.setdefault("bath", "water" if fields.get("litres") or fields.get("running") else "bench")
    return fields


def is_cook(context: contexts.BatchContext) -> bool:
    """Whether a batch is a cook."""
    return context.first(CookFacts) is not None


def last_read(context: contexts.BatchContext) -> dict[str, str]:
    """What the pot showed last, as it is taken off by it; nothing where nobody read it."""
    board = pot_of(context)
    shown = board.boiling.shown if board.boiling else ()
    return {"pot": f"{board.shown_c(shown[-1].true_c):.9f} C"} if shown else {}


def pot_said(context: contexts.BatchContext) -> Answer:
    """How a cook stands, every key always there."""
    board = pot_of(context)
    said = _boiling(board, board.boiling) if board.boiling else dict(NOTHING)
    if board.cooling:
        said = _cooling(board, board.cooling)
    elif not board.boiling:
        said |= {"phase": "stirring", "call": "wait" if board.call == "stir" else "turns"}
    return OK | {"pot": said}


def _boiling(board: CookBoard, seen: Boiling) -> Answer:
    above = seen.shown_now_k if seen.shown_now_k is not None else seen.above_now_k
    true_c = None if above is None else board.water_c + above
    if true_c is None and seen.shown:
        true_c = seen.shown[-1].true_c
    call = SAID[board.call]
    if call == "over" and above is not None and above >= board.cook.above_water_k + SCORCHES_K:
        call = "scorches"
    left = seen.left
    return (
        NOTHING
        | _minutes(*(seen.heating_minutes + one for one in (left.minutes, left.low, left.high)))
        | {
            "phase": "heating" if seen.above_now_k is None else "boiling",
            "temperature_c": None if true_c is None else board.shown_c(true_c),
            "call": call,
        }
    )


def _cooling(board: CookBoard, seen: CoolingPot) -> Answer:
    """`never` is none where it rests by the clock."""
    now_c, ready = seen.now_c, seen.ready
    call = "stir_now" if ready else "soon" if seen.minutes[0] <= STIR_AHEAD_MIN else "wait"
    return {
        "phase": "cooling",
        "temperature_c": None if now_c is None else board.shown_c(now_c),
        **_minutes(*((0.0, 0.0, 0.0) if ready else seen.minutes)),
        "never": 0.0 if seen.rest_ends else seen.never,
        "call": call,
    }


def _minutes(left: float, low: float, high: float) -> Answer:
    return {
        "minutes_left": left if isfinite(left) else None,
        # What is likely never there is not there within six hours.
        "low": min(low, HORIZON_MIN),
        "high": high if isfinite(high) else None,
    }
