"""Woodlots in a replayed log: their weather, what was gathered, and what is expected."""

from datetime import date, datetime, timedelta
from sqlite3 import Connection
from uuid import uuid4

from lumbrel.core.pan.target import SUGAR_KINDS
from lumbrel.exchange.replay_words import KEYS, OK, Answer, Line, Unfit, confirmed_of, number_of, text_of
from lumbrel.services.base.form import local_time
from lumbrel.services.sap import gathered_sap, runs, weather
from lumbrel.store import sap_weather
from lumbrel.store.db import transaction
from lumbrel.store.kitchen import Woodlot, add_woodlot, load_kitchen, woodlots
from lumbrel.words import _


def woodlot(db: Connection, line: Line) -> Answer:
    """Register a woodlot; how many taps it has is told again with what they give."""
    name, kind = text_of(line, "name"), str(line.get("sugar_kind", "maple"))
    if kind not in SUGAR_KINDS:
        raise Unfit(sugar_kind=_("A woodlot's sugar is one of {known}.", known=", ".join(SUGAR_KINDS)))
    number_of(line, "taps", 1, 20_000, 1)
    if any(one.name == name for one in woodlots(db)):
        raise Unfit(name=_("There is a woodlot called {name} already.", name=name))
    with transaction(db):
        add_woodlot(db, Woodlot(str(uuid4()), name, kind))
    return OK


def said_of_weather(db: Connection, line: Line, now: datetime) -> Answer:
    """A night and its day, for all woodlots."""
    night, day = (number_of(line, key, -60, 60) for key in ("night_c", "day_c"))
    fields = {"first": text_of(line, "date"), "night_0": f"{night:.6f} C", "day_0": f"{day:.6f} C"}
    weather.typed(db, fields | ({"measured": "1"} if line.get("measured") else {}), now)
    return OK


def gathered(db: Connection, line: Line, now: datetime) -> Answer:
    """What was gathered of a woodlot, or that nothing was there."""
    litres, taps = number_of(line, "litres", 0, 100_000), number_of(line, "taps", 1, 20_000)
    fields = {
        "woodlot": _named(db, line).id,
        "litres": f"{litres:.6f} L",
        "taps": f"{taps:.0f}",
        "clarity": "clear",
        "brix_by": "usual",
    }
    gathered_sap.gather(db, fields | confirmed_of(line, KEYS["gathered"]), now)
    return OK


def forecast(db: Connection, line: Line, now: datetime, taps: dict[str, float]) -> Answer:
    """What a woodlot gives on each day that has weather and is not over.

    Args:
        taps: of each woodlot, as they were told last.
    """
    lot = _named(db, line)
    today = local_time(now, load_kitchen(db)).date()
    known = sap_weather.known(db, today - timedelta(days=1), today + timedelta(days=FARTHEST_DAYS))
    last = max((day for day in known if day >= today), default=None)
    if last is None:
        return OK | {"days": []}
    days = [today + timedelta(days=i) for i in range((last - today).days + 1)]
    expected, _any = runs.expected_of(db, lot, days, known)
    all_of = taps.get(lot.name, 1.0)
    return OK | {"days": [_day(on, one.litres, one.low, one.high, all_of) for on, one in expected.items()]}


FARTHEST_DAYS = 14


def _day(on: date, litres: float, low: float, high: float, taps: float) -> Answer:
    return {"date": on.isoformat(), "litres": litres * taps, "low": low * taps, "high": high * taps}


def _named(db: Connection, line: Line) -> Woodlot:
    known = {one.name: one for one in woodlots(db)}
    name = line.get("woodlot")
    if name not in known:
        raise Unfit(woodlot=_("Name a woodlot; there are {known}.", known=", ".join(known)))
    return known[str(name)]
