"""The season's list: gear washed and sanitised before it, pulled, cleaned and stored after it."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from sqlite3 import Connection

from lumbrel.services.base import book
from lumbrel.services.base.asked import typed_of
from lumbrel.services.base.book import Draft
from lumbrel.services.base.entry import Entry, newest
from lumbrel.services.base.form import Form
from lumbrel.services.sap import trees
from lumbrel.services.sap.facts import GearFacts
from lumbrel.store.book import KITCHEN
from lumbrel.store.kitchen import load_kitchen
from lumbrel.words import _

BEFORE = {
    "washed": _("taps, buckets, lines and tanks washed"),
    "sanitised": _("sanitised"),
    "rinsed": _("rinsed, where the sanitiser says so"),
    "bit": _("drill bit sharp and clean, flag at the depth"),
    "lids": _("lids whole"),
    "food_grade": _("everything that touches sap is food grade: no old solder, no old valves"),
    "ladders": _("ladders and drill batteries checked"),
}
AFTER = {
    "pulled": _("all taps pulled"),
    "cleaned": _("gear cleaned while it is wet"),
    "dried": _("dried and stored away from mice"),
    "lines": _("lines drained and plugged"),
}
TASKS = BEFORE | AFTER


@dataclass(frozen=True)
class GearList:
    """The list of a season, with when each was done and its line."""

    season: int
    done: dict[str, Entry[GearFacts]]

    @property
    def left_before(self) -> int:
        """So many things are open before the season."""
        return sum(key not in self.done for key in BEFORE)


def gear(db: Connection, now: datetime) -> GearList:
    """The list of the season at hand."""
    season = trees.season_of(now, load_kitchen(db))
    since = datetime(season - 1, 7, 1, tzinfo=UTC)
    lines = newest(db, GearFacts, since=since, until=now, limit=500)
    done = {line.facts.task: line for line in lines if line.facts.season == season}
    return GearList(season, done)


def tick(db: Connection, fields: Mapping[str, str], now: datetime) -> None:
    """Note that a thing of the list was done."""

    def read(form: Form, at: datetime) -> list[Draft]:
        task = form.choice("task", TASKS, _("Choose a thing of the list."))
        if not task:
            return []
        season = trees.season_of(at, form.kitchen)
        facts = GearFacts(season=season, task=task, **typed_of(GearFacts, form))
        return [Draft(facts, KITCHEN, KITCHEN)]

    book.write(db, fields, now, read)
