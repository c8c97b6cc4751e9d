"""Single batches of a logbook, taken into the record of another kitchen.

With a batch comes what its figures rest on: the batches it was mixed with, those that taught its
instruments, their checks, the air of those days and what probes sent. It comes only where it says
the same as at home, and where nothing that is there already says anything else.
"""

import json
from collections import defaultdict
from collections.abc import Iterable, Iterator
from contextlib import closing
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from sqlite3 import Connection, Row
from typing import Any, BinaryIO

from lumbrel.exchange import logbook, logbook_in
from lumbrel.exchange.logbook import BY_NAME, NotTaken
from lumbrel.exchange.logbook_in import Coming
from lumbrel.exchange.source import PHOTOGRAPHS, SAMPLES, LogbookSource, Placed, source_of
from lumbrel.services.base import batch as contexts
from lumbrel.services.base import said
from lumbrel.services.base.progress import Progress
from lumbrel.services.record import kept
from lumbrel.store import record
from lumbrel.store.db import ASIDE, connect, instant, milliseconds, moment
from lumbrel.store.kitchen import SETTING
from lumbrel.store.registered import FIRST, KIND
from lumbrel.words import _

AIR_BEFORE = timedelta(days=7)
"""How long before a batch its kitchen's pressure and its probes are brought from."""
Rows = list[dict[str, Any]]
Figures = dict[str, list[tuple[Any, ...]]]


def take_in(
    db: Connection,
    document: str | BinaryIO,
    codes: Iterable[str],
    *,
    preview: bool = False,
    progress: Progress | None = None,
) -> Coming:
    """Take batches of a logbook in, with what their figures rest on: all of it or nothing.

    Args:
        document: the logbook, its text or a file of it.
        codes: of the batches, in the logbook.
        preview: only say what would be brought.
    Raises:
        NotTaken: it is no logbook, has no such batch, contradicts what is in the record, or figures
            would be others, of what comes or of what is there.
    """
    with source_of(document) as whole, closing(connect(ASIDE)) as home:
        kept.ready(home)
        logbook_in.put(home, whole, progress=progress)
        ids = _with_what_they_rest_on(home, codes)
        chosen = Chosen(home, whole, ids, logbook.settings_in(db))
        at_home = _figures(home, ids)
        there = _later(db, chosen)
        before = _figures(db, there)

        def verify() -> None:
            _same(at_home, _figures(db, ids), _("In this kitchen {} would say something else."))
            _same(before, _figures(db, there), _("Batch {} of this kitchen would say something else."))

        return logbook_in.put(db, chosen, preview=preview, verify=verify, progress=progress)


def _with_what_they_rest_on(home: Connection, codes: Iterable[str]) -> list[str]:
    """The ids of batches, of those whose sugar is in them or has theirs, and of those that taught
    their instruments before."""
    found: list[str] = []
    ahead = []
    for code in codes:
        batch = record.batch_by(home, code=code)
        if batch is None:
            raise NotTaken(_("The logbook has no batch {code}.", code=code))
        ahead.append(batch.id)
    while ahead:
        batch_id = ahead.pop()
        if batch_id not in found:
            found.append(batch_id)
            ahead += _mixed_with(home, batch_id) + _taught_by(home, batch_id)
    return found


def _mixed_with(home: Connection, batch_id: str) -> list[str]:
    rows = home.execute(
        """SELECT DISTINCT other.batch_id AS id FROM parcel AS mine
           JOIN flow ON mine.id IN (source_id, target_id)
           JOIN parcel AS other ON other.id IN (source_id, target_id)
           WHERE mine.batch_id = ? AND other.batch_id IS NOT NULL""",
        (batch_id,),
    )
    return [row["id"] for row in rows]


def _taught_by(home: Connection, batch_id: str) -> list[str]:
    rows = home.execute(
        """SELECT DISTINCT pair.batch_id AS id FROM used
           JOIN pair ON pair.instrument_id = used.instrument_id AND pair.cold_at <= used.last_at
           WHERE used.batch_id = ?""",
        (batch_id,),
    )
    return [row["id"] for row in rows]


@dataclass(frozen=True)
class _Span:
    """From some days before the first line to the last."""

    since: str
    until: str

    def holds(self, row: Row) -> bool:
        return bool(self.since <= row["at"] <= self.until)


def _span(entries: Rows) -> _Span:
    moments = sorted(row["at"] for row in entries if row["kind"] != FIRST)
    return _Span(instant(moment(moments[0]) - AIR_BEFORE), moments[-1])


class Chosen:
    """What of a logbook belongs to some of its batches. It comes under the settings of the kitchen it comes to,
    where that has any.

    Args:
        home: a record that the whole logbook was put into.
        ids: of the batches.
        settings: the lines that set something, of the kitchen it comes to.
    """

    def __init__(self, home: Connection, whole: LogbookSource, ids: list[str], settings: Rows) -> None:
        self._home, self._whole, self._settings = home, whole, settings
        self._batches = json.dumps(ids)
        mine = f"WHERE about = 'batch' AND about_id IN {IN}"
        self.slips = list(logbook.rows(home, BY_NAME["line"], mine, [self._batches]))
        self.span = _span(self.slips)
        own, kept_things = _things(home, self.slips)
        self._lines = json.dumps(sorted(_with_checks(home, self.span, own, kept_things)))

    def count(self) -> int:
        """Not known before it is read."""
        return 0

    def rows(self, name: str) -> Placed:
        """As of any source."""
        if name == "line":
            yield from ((None, row) for row in self._settings)
            also = f"OR kind = '{SETTING}'" if not self._settings else f"AND kind <> '{SETTING}'"
            yield from self._of(name, f"WHERE id IN {IN} {also}", self._lines)
        elif name == "said":
            slips = f"(SELECT id FROM line WHERE about = 'batch' AND about_id IN {IN})"
            yield from self._of(name, f"WHERE line_id IN {slips}", self._batches)
        elif name == "kept_run":
            yield from self._of(name, f"WHERE batch_id IN {IN}", self._batches)
        elif name == SAMPLES:
            yield from ((None, one) for one in self._sent())
        elif name == PHOTOGRAPHS:
            named = {row["facts"].get("photo") for row in self.slips}
            yield from (one for one in self._whole.rows(name) if one[1]["hash"] in named)
        # Alarms have rung, and what a probe sent in vain says nothing of a batch.

    def _of(self, name: str, where: str, given: str) -> Placed:
        table = BY_NAME[name]
        place = "rowid" if table.order == "rowid" else "NULL"
        places = self._home.execute(
            f"SELECT {place} FROM {name} {where} ORDER BY {table.order}", [given]
        ).fetchall()
        found = logbook.rows(self._home, table, where, [given])
        yield from zip((place[0] for place in places), found, strict=True)

    def _sent(self) -> Iterator[dict[str, Any]]:
        """What the instruments sent meanwhile."""
        low, high = (milliseconds(moment(at)) for at in (self.span.since, self.span.until))
        known = {
            row["about_id"]
            for row in self._home.execute(
                f"SELECT about_id FROM line WHERE kind = '{FIRST}' AND about = 'instrument' AND id IN {IN}",
                [self._lines],
            )
        }
        for one in logbook.samples_of(self._home, low, high):
            if one["instrument_id"] in known:
                yield one


IN = "(SELECT value FROM json_each(?))"
"""Of a list that is given as JSON."""


def _things(home: Connection, slips: Rows) -> tuple[set[str], set[str]]:
    """What the slips rest on: the ids of their own lines and of the sap's, and of woodlots, vessels, instruments
    and trees that are named, with those of the tanks."""
    first = {what: _firsts(home, what) for what in ("woodlot", "vessel", "instrument", "tree")}
    tanks, sap = _tanks_with_sap(home, slips)
    trees = _named(first["tree"], sap)
    named = [slips, sap, [first["tree"][key] for key in trees]]
    woodlots, vessels = _named(first["woodlot"], *named), _named(first["vessel"], *named)
    read = _named(first["instrument"], *named)
    stood = _where_they_stood(home)
    instruments = {
        key
        for key, row in first["instrument"].items()
        if key in read or stood[key] & vessels or row["facts"]["state"]["kind"] == "barometer"
    }
    vessels |= {vessel for key in instruments for vessel in stood[key]}
    return _ids(slips) | _ids(sap), vessels | instruments | woodlots | trees | tanks


def _ids(rows: Rows) -> set[str]:
    return {row["id"] for row in rows}


def _where_they_stood(home: Connection) -> dict[str, set[str]]:
    """By instrument, every vessel that it ever stood in."""
    stood: dict[str, set[str]] = defaultdict(set)
    where = f"WHERE about = 'instrument' AND kind IN ('{FIRST}', '{KIND}')"
    for row in logbook.rows(home, BY_NAME["line"], where):
        stood[row["about_id"]] |= {row["facts"]["state"].get("vessel_id")} - {None}
    return stood


def _firsts(home: Connection, what: str) -> dict[str, dict[str, Any]]:
    """By id, what things of a sort were registered as at first."""
    rows = logbook.rows(home, BY_NAME["line"], f"WHERE kind = '{FIRST}' AND about = ?", [what])
    return {row["about_id"]: row for row in rows}


def _tanks_with_sap(home: Connection, slips: Rows) -> tuple[set[str], Rows]:
    """The tanks that gave sap and those it was pumped from; all that ever came into those and left."""
    tanks = _named(_firsts(home, "tank"), slips)
    where = f"WHERE about <> 'batch' AND (about_id IN {IN} OR facts ->> 'tank_id' IN {IN})"
    while True:
        given = [json.dumps(sorted(tanks))] * 2
        mine = list(logbook.rows(home, BY_NAME["line"], where, given))
        pumped = {row["facts"]["to_tank"] for row in mine if row["kind"] == "moved"}
        if pumped <= tanks:
            return tanks, mine
        tanks |= pumped


AIR = "pressure"
"""The kind of line about the kitchen that figures rest on."""


def _with_checks(home: Connection, span: _Span, own: set[str], things: set[str]) -> set[str]:
    """The ids of lines that come: those of the slips and of the sap, what things are, of what says how the
    instruments stood all that came before, of the air that of those days; and whatever corrects or strikes any
    of it."""
    wanted = set()
    for row in home.execute("SELECT id, kind, about, about_id, at FROM line"):
        what_it_is = row["kind"] in (FIRST, KIND)
        if row["id"] in own:
            wanted.add(row["id"])
        elif row["kind"] == AIR and row["about"] == "kitchen":
            wanted |= {row["id"]} if span.holds(row) else set()
        elif row["about_id"] in things and (what_it_is or row["about"] in ("vessel", "instrument")):
            early = row["about"] != "instrument" or row["at"] <= span.until
            wanted |= {row["id"]} if what_it_is or early else set()
    others = home.execute("SELECT id, supersedes FROM line WHERE supersedes IS NOT NULL").fetchall()
    before = -1
    while len(wanted) > before:
        before = len(wanted)
        wanted |= {row["id"] for row in others if row["supersedes"] in wanted}
        wanted |= {row["supersedes"] for row in others if row["id"] in wanted}
    return wanted


def _named(things: Iterable[str], *by: Rows) -> set[str]:
    """Those ids that are named in rows."""
    text = json.dumps(by)
    return {key for key in things if json.dumps(key) in text}


def _later(db: Connection, chosen: Chosen) -> list[str]:
    """The ids of a kitchen's batches that what comes could say something of."""
    coming = {row["about_id"] for row in chosen.slips}
    rows = db.execute("SELECT id FROM batch WHERE opened_at >= ?", (chosen.span.since,))
    return [row["id"] for row in rows if row["id"] not in coming]


def _figures(db: Connection, ids: Iterable[str]) -> Figures:
    """What the lines of batches say by today's formulas, by the batch's code, with nothing remembered from
    before."""
    db.cache = None  # type: ignore[attr-defined]
    found: Figures = {}
    for batch_id in ids:
        batch = record.batch_by(db, id=batch_id)
        assert batch is not None
        context = contexts.load(db, batch.code, datetime.now(UTC))
        read = ((entry, said.today(context, entry)) for entry in context.entries)
        found[batch.code] = [
            (entry.id, entry.superseded, one and (one.brix, one.sigma_brix)) for entry, one in read
        ]
    return found


def _same(before: Figures, after: Figures, sentence: str) -> None:
    for code, figures in before.items():
        if after.get(code) != figures:
            raise NotTaken(
                sentence.format(code) + _(" Take the whole logbook into an empty data folder instead.")
            )
