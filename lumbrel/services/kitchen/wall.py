"""What a screen on the wall shows: every vessel at work in one word and two numbers, and what is due next."""

from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.errors import OutOfRange
from lumbrel.services.base import batch as contexts
from lumbrel.services.candy.pot import CookBoard, pot_of
from lumbrel.services.kitchen.overview import due_cold_checks, due_next_day
from lumbrel.services.pan.board import FAR_MINUTES, Board, boards
from lumbrel.services.pan.coach import coach
from lumbrel.services.stations import STATIONS, waiting
from lumbrel.store.record import Batch
from lumbrel.words import _

LOUD = ("draw_now", "over", "off", "ready", "late", "pour", "watch")
POT_WORDS = {
    "heat": _("Heating up"),
    "boil": _("Keep boiling"),
    "near": _("Nearly there"),
    "off": _("Take it off"),
    "over": _("Over"),
    "cool": _("Do not disturb"),
    "ready": _("Stir or pour now"),
    "stir": _("Stir"),
    "watch": _("It may turn"),
    "pour": _("Pour it now"),
    "late": _("It sets now"),
}
MOST_WAITING = 4


@dataclass(frozen=True, kw_only=True)
class Pane:
    """One vessel at work."""

    where: str
    code: str
    word: str
    call: str
    brix: float | None = None
    """Believed density; of a pot nothing is said of it."""
    shown_c: float | None = None
    """What a pot's thermometer shows."""
    minutes: float | None = None
    """Left of what it is at; None for nobody knows."""
    next: str = ""
    look_at: datetime | None = None
    """When a pan wants to be looked at next."""

    @property
    def loud(self) -> bool:
        """Whether somebody is wanted there now."""
        return self.call in LOUD


@dataclass(frozen=True, kw_only=True)
class Wall:
    """What stands on the wall."""

    now: datetime
    panes: list[Pane]
    waits: list[tuple[str, str]]
    """What waits for somebody: what is to be done, and with which batch."""


def wall(db: Connection, now: datetime) -> Wall:
    """Every vessel at work, the one that is done first in front, and what waits."""
    queue = waiting(db)
    panes = [_of_pan(board) for board in boards(db, queue["pan"], now)]
    panes += _of_pots(db, queue["candy"], now)
    panes.sort(key=lambda pane: (not pane.loud, FAR_MINUTES if pane.minutes is None else pane.minutes))
    return Wall(now=now, panes=panes, waits=_waits(db, queue, now)[:MOST_WAITING])


def _of_pan(board: Board) -> Pane:
    heating = board.heating_minutes > 0
    left = board.minutes_left + board.heating_minutes
    return Pane(
        where=board.context.vessel.name,
        code=board.context.batch.code,
        word=board.headline,
        call="heat" if heating else board.verdict.call.value,
        brix=board.believed.brix if board.believed else None,
        minutes=left if left < FAR_MINUTES else None,
        next=board.questions[0].sentence if board.questions else _coached(board),
        look_at=board.next_check_at,
    )


def _of_pots(db: Connection, cooks: list[Batch], now: datetime) -> list[Pane]:
    found = []
    for batch in cooks:
        with suppress(OutOfRange):
            found.append(_of_pot(pot_of(contexts.of(db, batch, now))))
    return found


def _of_pot(pot: CookBoard) -> Pane:
    shown = minutes = None
    if pot.boiling is not None:
        minutes = pot.boiling.minutes
        if pot.boiling.shown_now_k is not None:
            shown = pot.shown_c(pot.water_c + pot.boiling.shown_now_k)
    elif pot.cooling is not None:
        minutes = pot.cooling.minutes[0]
        shown = None if pot.cooling.now_c is None else pot.shown_c(pot.cooling.now_c)
    return Pane(
        where=pot.context.vessel.name,
        code=pot.context.batch.code,
        word=_("Off the scale") if pot.off_scale else POT_WORDS.get(pot.call, pot.piece.full_name),
        call=pot.call,
        shown_c=shown,
        minutes=None if minutes is None or minutes >= FAR_MINUTES else minutes,
        next=_next_of(pot),
    )


def _next_of(pot: CookBoard) -> str:
    """What it is, and what is to be seen or left alone."""
    name = pot.piece.full_name
    if pot.off_scale:
        return _("Take it off the fire. Put no water in: it would spit.")
    if pot.stage == "stir":
        return f"{name}. {pot.sees}"
    return _("{name}: no spoon, no jolt.", name=name) if pot.call == "cool" else f"{name}."


def _waits(db: Connection, queue: dict[str, list[Batch]], now: datetime) -> list[tuple[str, str]]:
    at_work = ("pan", "candy")
    titles = {station.key: station.title for station in STATIONS}
    found = [
        (titles[key], batch.code) for key, batches in queue.items() for batch in batches if key not in at_work
    ]
    found += [(_("Cold check"), batch.code) for batch in due_cold_checks(db, now)]
    found += [(_("Lids and clarity"), batch.code) for batch in due_next_day(db, now)]
    return found


def _coached(board: Board) -> str:
    """What to do next, read from across the room."""
    told = coach(board)
    if told.away_minutes == 0 and not board.kills_the_heat:
        return _("Stay with it. {do}", do=told.do)
    return told.do
