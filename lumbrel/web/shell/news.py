"""What an open page is told: a board's figures as it shows them, and what rings."""

import json
from datetime import datetime
from sqlite3 import Connection
from typing import Any

from lumbrel.services.base import batch as contexts
from lumbrel.services.candy.pot import CookBoard
from lumbrel.services.pan.alarms import HEADLINES
from lumbrel.services.pan.board import FAR_MINUTES, Board
from lumbrel.store import alarms as alarm_store
from lumbrel.store import record
from lumbrel.store.alarms import Alarm
from lumbrel.web.shell.display import Display
from lumbrel.words import kept as kept_words
from lumbrel.words import language, spoken


class News:
    """What a page is told, in the language of each that hears it.

    Args:
        told: empty where nothing follows any more.
    """

    def __init__(self, told: dict[str, Any]) -> None:
        self._told = told
        self._said: dict[str, str] = {}

    def __bool__(self) -> bool:
        """Whether it tells anything."""
        return bool(self._told)

    def __str__(self) -> str:
        """As it is sent, in the language that is spoken; put together once for each."""
        key = language().key
        if key not in self._said:
            self._said[key] = json.dumps(spoken(self._told), ensure_ascii=False)
        return self._said[key]


NOTHING_MORE = News({})


def ring_news(db: Connection, alarms: list[Alarm], now: datetime) -> list[dict[str, Any]]:
    """Alarms that ring, in words for the whole screen."""
    found = []
    for alarm in alarms:
        batch = record.batch_by(db, id=alarm.batch_id)
        if batch is None:
            continue
        context = contexts.of(db, batch, now)
        found.append(
            {
                "id": alarm.id,
                "kind": alarm.kind,
                "words": kept_words(alarm.words),
                "code": batch.code,
                "headline": HEADLINES.get(alarm.kind, alarm.kind),
                "where": context.vessel.name,
                "at": context.clock(alarm.raised_at),
            }
        )
    return found


def answered_news(db: Connection, ring: dict[str, Any]) -> dict[str, Any]:
    """Who answered an alarm that rang."""
    alarm = alarm_store.alarm(db, ring["id"])
    by = alarm.acknowledged_by if alarm else ""
    return {"id": ring["id"], "by": by, "headline": ring["headline"], "where": ring["where"]}


def news_of(board: Board) -> dict[str, Any]:
    """A board's figures as the page shows them."""
    context, show = board.context, Display(board.context.kitchen)
    seen, heating = board.evidence, board.heating_minutes
    left = board.minutes_left + heating
    probe = seen.probe_now
    return {
        "code": context.batch.code,
        "entries": len(context.entries),
        "clock": show.ticking(context.now),
        "told": show.clock(context.now, seconds=True),
        "call": board.verdict.call.value,
        "headline": board.headline,
        "questions": [{"key": one.key, "sentence": one.sentence} for one in board.questions],
        "brix": show.brix(board.believed.brix) if board.believed else "?",
        "minutes": show.minutes(left if left < FAR_MINUTES else None),
        "probe": show(probe.value, "temperature") if probe else "",
        "sample": probe.at.isoformat() if probe else "",
    }


def cook_news(board: CookBoard) -> dict[str, Any]:
    """A candy pot's figures as its page shows them."""
    context, show = board.context, Display(board.context.kitchen)
    seen, cooling = board.boiling, board.cooling
    shown: float | None = None
    minutes: float | None = None
    sample = ""
    if seen is not None:
        minutes = seen.minutes
        if seen.shown_now_k is not None:
            shown = board.shown_c(board.water_c + seen.shown_now_k)
        sample = seen.shown[-1].at.isoformat() if seen.live else ""
    elif cooling is not None:
        minutes = cooling.minutes[0]
        shown = None if cooling.now_c is None else board.shown_c(cooling.now_c)
        sample = cooling.shown[-1].at.isoformat() if cooling.live else ""
    return {
        "code": context.batch.code,
        "entries": len(context.entries),
        "clock": show.ticking(context.now),
        "told": show.clock(context.now, seconds=True),
        "call": f"{board.stage} {board.call}",
        "shown": show(shown, "temperature", symbol=False) if shown is not None else "–",
        "minutes": show.minutes(minutes if minutes is not None and minutes < FAR_MINUTES else None),
        "stirred": show.stopwatch(board.stirred_min),
        "holds": show.stopwatch(max(board.holds_left_min, 0.0)),
        "sees": board.sees,
        "sample": sample,
    }
