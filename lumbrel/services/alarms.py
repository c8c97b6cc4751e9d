"""What calls a person to the pan, when it is raised, and who answered."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from sqlite3 import Connection

from lumbrel.core.pan.target import PRE_FILTER_ABOVE_WATER_K
from lumbrel.core.pan.verdict import Call
from lumbrel.core.pan.vessel import LOWEST_SAFE_DEPTH_MM
from lumbrel.core.physics import sucrose
from lumbrel.services.pan import Board
from lumbrel.services.typed import NotFound
from lumbrel.store import alarms as store
from lumbrel.store import record
from lumbrel.store.alarms import Alarm
from lumbrel.store.db import transaction
from lumbrel.store.kitchen import Kitchen
from lumbrel.store.record import Entry

NEAR_MINUTES = 5.0
SILENT = timedelta(seconds=45)
HEADLINES = {
    "strain": "Strain it now", "foam": "Foam zone", "low": "The pan runs low",
    "near": "Nearly done", "finish": "Draw now", "over": "Over", "silent": "The probe is silent",
    "pressure": "The pressure has moved",
}  # fmt: skip


@dataclass(frozen=True)
class Due:
    """A cause that holds now."""

    kind: str
    words: str


def near_minutes(kitchen: Kitchen) -> float:
    """How many minutes ahead of the finish a kitchen wants to be called."""
    return kitchen.alarms.get("near_minutes", NEAR_MINUTES)


def due(board: Board) -> list[Due]:
    """Every cause for an alarm that holds now, the gravest last."""
    context, now = board.context, board.context.now
    found = []
    boiling = board.heating_minutes == 0
    believed = board.believed or board.joint
    boil = board.pressure.boil_c if board.pressure else None
    if boiling and board.pressure and boil is not None and not context.first("strained"):
        at = sucrose.boiling_point_c(
            min(believed.brix, 90), board.pressure.pa, context.invert_fraction
        )
        if at - boil >= PRE_FILTER_ABOVE_WATER_K:
            found.append(Due("strain", "Thin enough still: strain it once, then boil on."))
    if board.foam:
        found.append(Due("foam", "Foam climbs in seconds from here on. Defoamer at hand."))
    seen = board.evidence
    if seen.probe and seen.probe_samples and seen.probe_samples[-1].at < now - timedelta(minutes=3):
        quiet = True
    else:
        quiet = bool(
            (seen.probe and seen.probe_samples and not seen.probe_now)
            or (seen.probe_now and now - seen.probe_now.at > SILENT)
        )
    if quiet and seen.probe:
        found.append(
            Due("silent", f"{seen.probe.name} has sent nothing for a while: look at its wire.")
        )
    stale = board.thermometer.stale if board.thermometer else ""
    if "pressure" in stale:
        found.append(Due("pressure", f"{stale} Put it in boiling water again."))
    ahead = near_minutes(context.kitchen)
    ahead_k = context.kitchen.alarms.get("near_k", 0.0)
    close = ahead_k > 0 and _to_go_k(board) <= ahead_k
    near = boiling and ahead > 0 and (board.minutes_left <= ahead or close)
    if near and board.verdict.call not in (Call.DRAW_NOW, Call.OVER):
        words = f"About {board.minutes_left:.0f} minutes to the mark. Stay with it."
        found.append(Due("near", words))
    if boiling and board.depth_now_mm is not None and board.depth_now_mm < LOWEST_SAFE_DEPTH_MM:
        deep = context.show(board.depth_now_mm, "depth")
        found.append(Due("low", f"About {deep} left in the pan. Kill the heat, then put some in."))
    if boiling and board.verdict.call is Call.DRAW_NOW:
        found.append(Due("finish", f"{believed.brix:.1f} Brix. Kill the heat and draw off."))
    if boiling and board.stop_first:
        found.append(
            Due("finish", "One says it is done, the other does not. Kill the heat, then settle it.")
        )
    if boiling and board.verdict.call is Call.OVER:
        found.append(Due("over", f"{believed.brix:.1f} Brix, past the target. Kill the heat."))
    return found


def _to_go_k(board: Board) -> float:
    """Kelvin from what the probe shows to the draw mark; far when either is not known."""
    now = board.evidence.probe_now
    if now is None or board.draw_shown_c is None:
        return 999.0
    return board.draw_shown_c - now.value


def watch(db: Connection, board: Board) -> list[Alarm]:
    """Raise what is due and was not raised yet; returns what rings in this batch."""
    batch, now = board.context.batch, board.context.now
    if board.context.first("draw"):
        return [a for a in store.of_batch(db, batch.id) if a.acknowledged_at is None]
    wanted = due(board)
    known = store.of_batch(db, batch.id)
    new = [cause for cause in wanted if not _raised_already(cause.kind, known, board)]
    if new:
        with transaction(db):
            known = store.of_batch(db, batch.id)
            for cause in new:
                if not _raised_already(cause.kind, known, board):
                    store.raise_alarm(db, batch.id, cause.kind, now, cause.words)
        known = store.of_batch(db, batch.id)
    return [a for a in known if a.acknowledged_at is None]


def _raised_already(kind: str, known: list[Alarm], board: Board) -> bool:
    """Most are raised once a batch; silence and a moved pressure each time they begin anew."""
    last = next((a for a in reversed(known) if a.kind == kind), None)
    if last is None:
        return False
    if last.acknowledged_at is None:
        return True
    if kind == "silent" and board.evidence.probe_samples:
        return last.raised_at > board.evidence.probe_samples[-1].at
    if kind == "pressure" and board.thermometer and board.thermometer.boil:
        return last.raised_at > board.thermometer.boil.at
    return True


def acknowledge(db: Connection, alarm_id: int, by: str, now: datetime) -> Alarm:
    """Answer an alarm: it stops ringing everywhere, and the slip says who and when.

    Raises:
        NotFound: there is no such alarm.
    """
    with transaction(db):
        found = store.alarm(db, alarm_id)
        if found is None:
            raise NotFound("There is no such alarm.")
        if store.acknowledge(db, alarm_id, now, by.strip()[:8]):
            facts = {
                "alarm": found.kind, "words": found.words, "raised_at": found.raised_at.isoformat(),
            }  # fmt: skip
            record.add_entry(
                db,
                Entry(
                    f"alarm-{found.batch_id}-{alarm_id}", found.batch_id, "alarm", now, now, {},
                    facts, initials=by.strip()[:8],
                ),
            )  # fmt: skip
    return found
