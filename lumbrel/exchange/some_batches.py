"""Single batches of a logbook, taken into the record of another kitchen.

With a batch comes what its figures rest on: the batches it was mixed with, those that taught its
instruments, their checks, the air of those days and what probes sent. It comes only where it says
the same as at home, and where nothing that is there already says anything else.
"""

import json
from collections import defaultdict
from collections.abc import Iterable
from contextlib import closing
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from sqlite3 import Connection
from typing import Any

from lumbrel.exchange import logbook, logbook_in
from lumbrel.exchange.logbook import Logbook, NotTaken
from lumbrel.exchange.logbook_in import Coming
from lumbrel.services.base import batch as contexts
from lumbrel.services.base import said
from lumbrel.services.record import kept
from lumbrel.store import record
from lumbrel.store.db import connect, instant, moment
from lumbrel.store.kitchen import SETTING
from lumbrel.store.registered import FIRST, KIND

AIR_BEFORE = timedelta(days=7)
"""How long before a batch its kitchen's pressure and its probes are brought from."""
Rows = list[dict[str, Any]]
Figures = dict[str, list[tuple[Any, ...]]]


def take_in(db: Connection, text: str, codes: Iterable[str], *, preview: bool = False) -> Coming:
    """Take batches of a logbook in, with what their figures rest on: all of it or nothing.

    Args:
        codes: of the batches, in the logbook.
        preview: only say what would be brought.
    Raises:
        NotTaken: it is no logbook, has no such batch, contradicts what is in the record, or figures
            would be others, of what comes or of what is there.
    """
    whole = logbook_in.read(text)
    with closing(connect(":memory:")) as home:
        kept.ready(home)
        logbook_in.put(home, whole)
        ids = _with_what_they_rest_on(home, codes)
        here = list(logbook.rows(db, logbook.BY_NAME["line"]))
        chosen = _only(whole, ids, logbook.settings_of(here))
        at_home = _figures(home, ids)
        there = _later(db, chosen)
        before = _figures(db, there)

        def verify() -> None:
            _same(at_home, _figures(db, ids), "In this kitchen {} would say something else.")
            _same(before, _figures(db, there), "Batch {} of this kitchen would say something else.")

        positions = logbook_in.positions_in(whole)
        return logbook_in.put(db, chosen, preview=preview, positions=positions, verify=verify)


def _with_what_they_rest_on(home: Connection, codes: Iterable[str]) -> list[str]:
    """The ids of batches, of those whose sugar is in them or has theirs, and of those that taught
    their instruments before."""
    found: list[str] = []
    ahead = []
    for code in codes:
        batch = record.batch_by(home, code=code)
        if batch is None:
            raise NotTaken(f"The logbook has no batch {code}.")
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

    def holds(self, row: dict[str, Any]) -> bool:
        return bool(self.since <= row["at"] <= self.until)


def _span(entries: Rows) -> _Span:
    moments = sorted(row["at"] for row in entries if row["kind"] != FIRST)
    return _Span(instant(moment(moments[0]) - AIR_BEFORE), moments[-1])


def _only(whole: Logbook, ids: list[str], settings: Rows) -> Logbook:
    """What of a logbook belongs to some of its batches. It comes under the settings of the kitchen
    it comes to, where that has any."""
    tables = whole.tables.model_dump()
    every = tables["line"]
    slips = _keep_slips(tables, set(ids))
    _keep_things(tables, slips)
    span = _span(slips)
    _keep_checks(tables, span, every)
    own = settings or logbook.settings_of(every)
    tables["line"] = [*own, *(row for row in tables["line"] if row["kind"] != SETTING)]
    instruments = _firsts(tables["line"], "instrument").keys()
    sent = (_sent(one.model_dump(), span) for one in whole.samples)
    samples = [one for one in sent if one["at"] and one["instrument_id"] in instruments]
    named = {row["facts"].get("photo") for row in slips}
    pictures = [one for one in whole.photographs if one.hash in named]
    written = whole.model_dump(exclude={"tables", "samples", "photographs"})
    return Logbook.model_validate(
        {**written, "tables": tables, "samples": samples, "photographs": pictures}
    )


def _ids(rows: Rows) -> set[str]:
    return {row["id"] for row in rows}


def _keep_slips(tables: dict[str, Rows], batches: set[str]) -> Rows:
    """The batches, and their lines."""
    tables["kept_run"] = [row for row in tables["kept_run"] if row["batch_id"] in batches]
    slips = [
        row for row in tables["line"] if row["about"] == "batch" and row["about_id"] in batches
    ]
    told = _ids(slips)
    tables["said"] = [row for row in tables["said"] if row["line_id"] in told]
    # Alarms have rung, and what a probe sent in vain says nothing of a batch.
    tables["alarm"] = tables["sample_trouble"] = []
    return slips


def _keep_things(tables: dict[str, Rows], slips: Rows) -> None:
    """Woodlots, vessels and instruments that are named, and what spoke of them unasked."""
    others = [row for row in tables["line"] if row["about"] != "batch"]
    first = {what: _firsts(others, what) for what in ("woodlot", "vessel", "instrument", "tree")}
    tanks, sap = _tanks_with_sap(others, slips)
    trees = _named(first["tree"], sap)
    named = [slips, sap, [first["tree"][key] for key in trees]]
    woodlots, vessels = _named(first["woodlot"], *named), _named(first["vessel"], *named)
    read = _named(first["instrument"], *named)
    stood = _where_they_stood(others)
    instruments = {
        key
        for key, row in first["instrument"].items()
        if key in read or stood[key] & vessels or row["facts"]["state"]["kind"] == "barometer"
    }
    vessels |= {vessel for key in instruments for vessel in stood[key]}
    own, kept = _ids(slips) | _ids(sap), vessels | instruments | woodlots | trees | tanks
    tables["line"] = [
        row
        for row in tables["line"]
        if row["id"] in own or row["kind"] == AIR or (row["about_id"] in kept and _is_of(row))
    ]


def _where_they_stood(rows: Rows) -> dict[str, set[str]]:
    """By instrument, every vessel that it ever stood in."""
    stood: dict[str, set[str]] = defaultdict(set)
    for row in rows:
        if row["about"] == "instrument" and row["kind"] in (FIRST, KIND):
            stood[row["about_id"]] |= {row["facts"]["state"].get("vessel_id")} - {None}
    return stood


def _is_of(row: dict[str, Any]) -> bool:
    """Whether a line about a thing comes with it: of tanks, trees and woodlots only what they are."""
    return row["about"] in ("vessel", "instrument") or row["kind"] in (FIRST, KIND)


def _firsts(rows: Rows, what: str) -> dict[str, dict[str, Any]]:
    """By id, what things of a sort were registered as at first."""
    return {row["about_id"]: row for row in rows if row["kind"] == FIRST and row["about"] == what}


def _tanks_with_sap(others: Rows, slips: Rows) -> tuple[set[str], Rows]:
    """The tanks that gave sap and those it was pumped from; all that ever came into those and left."""
    tanks = _named(_firsts(others, "tank"), slips)
    while True:
        mine = [
            row
            for row in others
            if row["about_id"] in tanks or row["facts"].get("tank_id") in tanks
        ]
        pumped = {row["facts"]["to_tank"] for row in mine if row["kind"] == "moved"}
        if pumped <= tanks:
            return tanks, mine
        tanks |= pumped


AIR = "pressure"
"""The kind of line about the kitchen that figures rest on."""


def _keep_checks(tables: dict[str, Rows], span: _Span, every: Rows) -> None:
    """Of what says how the instruments stood all that came before; of the air, that of those days; and
    whatever corrects or strikes any of it.

    Args:
        every: all lines of the logbook.
    """
    wanted = {
        row["id"]
        for row in tables["line"]
        if row["about"] not in ("instrument", "kitchen")
        or row["kind"] in (FIRST, KIND)
        or (row["at"] <= span.until if row["about"] == "instrument" else span.holds(row))
    }
    before = -1
    while len(wanted) > before:
        before = len(wanted)
        wanted |= {row["id"] for row in every if row["supersedes"] in wanted}
        wanted |= {row["supersedes"] for row in every if row["id"] in wanted} - {None}
    tables["line"] = [row for row in every if row["id"] in wanted]


def _named(things: Iterable[str], *by: Rows) -> set[str]:
    """Those ids that are named in rows."""
    text = json.dumps(by)
    return {key for key in things if json.dumps(key) in text}


def _sent(device: dict[str, Any], span: _Span) -> dict[str, Any]:
    low, high = (moment(text).timestamp() * 1000 for text in (span.since, span.until))
    inside = [i for i, at in enumerate(device["at"]) if low <= at <= high]
    columns = ("at", "value", "spread", "count")
    return device | {column: [device[column][i] for i in inside] for column in columns}


def _later(db: Connection, chosen: Logbook) -> list[str]:
    """The ids of a kitchen's batches that what comes could say something of."""
    slips = [row.model_dump() for row in chosen.tables.line if row.about == "batch"]
    since = _span(slips).since
    coming = {row["about_id"] for row in slips}
    rows = db.execute("SELECT id FROM batch WHERE opened_at >= ?", (since,))
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
                sentence.format(code) + " Take the whole logbook into an empty data folder instead."
            )
