"""What calls a person to the candy pot."""

from sqlite3 import Connection

from lumbrel.core.units import in_minutes
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import Facts
from lumbrel.services.candy.on_fire import NEAR_K
from lumbrel.services.candy.pot import CookBoard
from lumbrel.services.pan.alarms import CauseNow, near_minutes, raise_new, wanted
from lumbrel.store import alarms as store
from lumbrel.store.alarms import Alarm
from lumbrel.words import _

STIR_AHEAD_MIN = 2.0
POUR_AT_SHARE = 0.5
RINGS_BELOW_MM = 12.0
"""A candy pot often stands lower than a pan may: its page says so, and only this is worth an alarm."""


def due(board: CookBoard) -> list[CauseNow]:
    """Every cause for an alarm that holds now, the gravest last."""
    if board.stage == "boil":
        return _on_the_fire(board)
    if board.stage == "cool":
        return _cooling(board)
    if board.stage == "stir":
        return [CauseNow("turn", board.sees)] if board.call == "watch" else []
    if board.stage == "pour" and not board.on_snow:
        left = board.holds_left_min
        if left <= POUR_AT_SHARE * board.holds_min:
            return [CauseNow("pour", _("It sets in the pot from now on: pour or mould it."))]
    return []


def _on_the_fire(board: CookBoard) -> list[CauseNow]:
    seen, call, found = board.boiling, board.call, []
    assert seen is not None
    shown = board.context.show(board.shown_c(board.mark_c), "temperature")
    if board.low and (board.depth_mm or 0.0) < RINGS_BELOW_MM:
        found.append(CauseNow("low", board.low))
    if board.foam:
        found.append(CauseNow("foam", _("Foam climbs in seconds from here on. Defoamer at hand.")))
    ahead = near_minutes(board.context.kitchen)
    close = seen.above_now_k is not None and (
        board.cook.above_water_k - seen.above_now_k <= NEAR_K or seen.left.minutes <= ahead
    )
    if close and call not in ("off", "over"):
        found.append(
            CauseNow(
                "near",
                _(
                    "About {minutes} to {shown}. Stay with it.",
                    minutes=in_minutes(seen.left.minutes),
                    shown=shown,
                ),
            )
        )
    if call == "off":
        found.append(CauseNow("off", _("{shown}: kill the heat, and lift the pot off.", shown=shown)))
    if call == "over":
        past = _("Past {shown}. Kill the heat.", shown=shown)
        beyond = _("Off the scale: take it off the fire. Put no water in.")
        found.append(CauseNow("over", beyond if board.off_scale else past))
    return found


def _cooling(board: CookBoard) -> list[CauseNow]:
    cooling = board.cooling
    assert cooling is not None
    pours = board.turn is None
    to = "" if cooling.to_c is None else board.context.show(board.shown_c(cooling.to_c), "temperature")
    if cooling.ready:
        words = _("It has rested: pour it.") if cooling.to_c is None else _("It is down to {to}.", to=to)
        return [CauseNow("pour_now" if pours else "stir", words)]
    if cooling.minutes[0] <= STIR_AHEAD_MIN:
        return [
            CauseNow(
                "stir_near", _("Two minutes: lay out spoon, moulds or jars, and a second pair of hands.")
            )
        ]
    return []


def watch(db: Connection, board: CookBoard) -> list[Alarm]:
    """Raise what is due and was not raised yet; returns what rings in this cook."""
    return raise_new(db, board.context.batch.id, wanted(board.context, due(board)), board.context.now)


def quiet(db: Connection, entry: Entry[Facts]) -> None:
    """A step that is taken answers what called for it."""
    for alarm in store.of_batch(db, entry.batch_id):
        if alarm.acknowledged_at is None:
            store.acknowledge(db, alarm.id, entry.at, entry.initials)
