"""A logbook that comes in."""

import base64
import json
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from sqlite3 import Connection, IntegrityError, InterfaceError, ProgrammingError
from typing import Any, get_args

from pydantic import ValidationError

from lumbrel.exchange import earlier
from lumbrel.exchange.logbook import (
    BY_NAME,
    FORMAT,
    JPEG,
    TABLES,
    VERSION,
    Logbook,
    NotTaken,
    Positions,
    SamplesOf,
    Table,
    rows,
    settings_of,
    tables_of,
)
from lumbrel.services.base.facts import read_facts
from lumbrel.services.record import kept, says
from lumbrel.store import photographs
from lumbrel.store.db import moment, roll_back
from lumbrel.store.kitchen import hold_settings
from lumbrel.store.registered import FIRST, Registered, enter
from lumbrel.store.samples import PUT_ONCE, thinned_until

MOVES_ON = {
    "alarm": ("acknowledged_at", "acknowledged_by"),
    "sample_trouble": ("count", "last_at"),
}
"""What of a row may have gone on since it was written out; the first column says how far."""


@dataclass
class Coming:
    """What an import brings, or would bring: rows that are new, and rows that are there already."""

    new: Counter[str] = field(default_factory=Counter)
    known: Counter[str] = field(default_factory=Counter)
    since: str | None = None
    """The earliest moment of lines that come to others, and that readings here may rest on."""

    def __str__(self) -> str:
        named = ("batch", "line", "instrument", "vessel", "woodlot", "sample")
        new = ", ".join(f"{self.new[n]} of {n}" for n in named if self.new[n]) or "nothing"
        return (
            f"{sum(self.new.values())} rows are new ({new}), {sum(self.known.values())} are known"
        )


def take_in(db: Connection, text: str, *, preview: bool = False) -> Coming:
    """Take a logbook in: all of it, or with what stands in its way nothing. The same again brings
    nothing. Into a kitchen that has settings only a logbook of the same kitchen comes.

    Args:
        preview: only say what it would bring.
    Raises:
        NotTaken: it is no logbook, of a newer version, or contradicts what is in the record.
    """
    return put(db, read(text), preview=preview)


def put(
    db: Connection,
    logbook: Logbook,
    *,
    preview: bool = False,
    positions: Positions | None = None,
    verify: Callable[[], None] = lambda: None,
) -> Coming:
    """Put a logbook into a record, all of it or nothing: what is there already stays as it is, what is
    new comes, then all that follows is made anew and looked over.

    Args:
        preview: only say what it would bring.
        positions: where the rows stand in the whole logbook, of which this is a part.
        verify: looks at the record as it would be, and raises NotTaken.
    """
    coming = Coming()
    positions = positions or positions_in(logbook)
    db.execute("BEGIN IMMEDIATE")
    db.execute("PRAGMA defer_foreign_keys = ON")
    try:
        _write(db, logbook, coming, positions)
        pictures = [] if photographs.folder_of(db) is None else _pictures(db, logbook, coming)
        if coming.new:
            kept.rebuild(db)
            if coming.since is not None:
                says.say_all_since(db, moment(coming.since))
            _is_sound(db)
            verify()
        for picture in () if preview else pictures:
            # Beside the record, before its lines are: one too many does no harm.
            photographs.put(db, picture)
    except (IntegrityError, InterfaceError, ProgrammingError, kept.Unsound) as error:
        roll_back(db)
        raise NotTaken(f"It contradicts what is in the record: {error}.") from error
    except BaseException:
        roll_back(db)
        raise
    db.execute("ROLLBACK" if preview else "COMMIT")
    return coming


def positions_in(logbook: Logbook) -> Positions:
    """Where each row stands: a row that comes later, after others of its logbook, comes in between."""
    tables = logbook.tables.model_dump()
    return {
        table.name: {row["id"]: n for n, row in enumerate(tables[table.name], start=1)}
        for table in TABLES
        if table.order == "rowid" and table.key == ("id",)
    }


def _is_sound(db: Connection) -> None:
    """Look over what an import made of a record, before it is kept."""
    short = db.execute("SELECT parcel_id FROM stock WHERE packs < 0").fetchone()
    if short:
        raise NotTaken(f"More would have left {short['parcel_id']} than was packed.")


def read(text: str) -> Logbook:
    """A logbook from its text.

    Raises:
        NotTaken: it is none, cut off, or of a newer version.
    """
    try:
        written = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise NotTaken(f"It is no JSON document, or cut off: {error}.") from error
    if not isinstance(written, dict) or written.get("format") != FORMAT:
        raise NotTaken("It is no logbook of Lumbrel's.")
    if isinstance(written.get("version"), int) and written["version"] > VERSION:
        raise NotTaken("It was written by a newer Lumbrel; take it in with that one.")
    try:
        if written.get("version") in range(1, VERSION):
            written = written | {
                "version": VERSION,
                "tables": earlier.brought_up(written, tables_of),
            }
        logbook = Logbook.model_validate(written)
        for line in logbook.tables.line:
            read_facts(line.kind, line.version, line.facts)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(part) for part in first["loc"])
        raise NotTaken(f"{place}: {first['msg']}.") from error
    except ValueError as error:
        raise NotTaken(f"{error}.") from error
    return logbook


def _write(db: Connection, logbook: Logbook, coming: Coming, positions: Positions) -> None:
    tables = logbook.tables.model_dump()
    here = list(rows(db, BY_NAME["line"]))
    if not _same_kitchen(settings_of(here), settings_of(tables["line"])):
        raise NotTaken(
            "This kitchen has settings of its own, under which that logbook's figures would be"
            " others. Take it into an empty data folder."
        )
    for table in TABLES:
        defaults = _defaults(db, table)
        for written in tables[table.name]:
            # What a column that came later holds of a row that was written before.
            row = {**{c: d for c, d in defaults.items() if d is not None}, **written}
            if set(row) != set(defaults):
                raise NotTaken(f"{table.name}: its columns are {', '.join(sorted(defaults))}.")
            first = table.name == "line" and row["kind"] == FIRST
            name = row["about"] if first else table.name
            if _known(db, table, row, coming, counted=name):
                continue
            if first and row["about"] in get_args(Registered):
                enter(db, row["about"], row["about_id"], row["facts"].get("state", {}))
            _insert(db, table, row, positions.get(table.name, {}).get(str(row.get("id"))))
            coming.new[name] += 1
            if here and table.name == "line" and not first:
                coming.since = min(coming.since or row["at"], row["at"], _at_of_old(db, row))
    hold_settings(db)
    for device in logbook.samples:
        _put_samples(db, device, coming)


def _at_of_old(db: Connection, row: dict[str, Any]) -> str:
    """The moment of the line that one corrects or strikes; its own, where it does neither."""
    old = db.execute("SELECT at FROM line WHERE id = ?", (row["supersedes"],)).fetchone()
    return str(old["at"]) if old else str(row["at"])


def _defaults(db: Connection, table: Table) -> dict[str, Any]:
    """The columns of a table, each with what it holds where nothing is said; None where that must be."""
    found: dict[str, Any] = {}
    for column in db.execute(f"PRAGMA table_info({table.name})"):
        if column["name"] == table.place:
            continue
        said = column["dflt_value"]
        value = None if said is None else db.execute(f"SELECT {said}").fetchone()[0]
        found[column["name"]] = (
            json.loads(value) if value and column["name"] in table.json else value
        )
    return found


def _same_kitchen(mine: list[dict[str, Any]], brought: list[dict[str, Any]]) -> bool:
    """Whether the settings brought go on from this kitchen's, or these from those: what either says
    of its past stays as it was."""
    shared = min(len(mine), len(brought))
    return not mine or (shared > 0 and mine[:shared] == brought[:shared])


def _known(
    db: Connection,
    table: Table,
    row: dict[str, Any],
    coming: Coming,
    *,
    counted: str,
) -> bool:
    """Whether a row is here already; what may have gone on of it does.

    Args:
        counted: as what it is counted.
    Raises:
        NotTaken: another one is.
    """
    moves = MOVES_ON.get(table.name, ())
    where = " AND ".join(f"{column} = ?" for column in table.key)
    stored = _stored(table, row)
    key = [stored[column] for column in table.key]
    known = db.execute(f"SELECT * FROM {table.name} WHERE {where}", key).fetchone()
    if known is None:
        return False
    there = dict(known)
    for column in table.json:
        there[column] = json.loads(there[column])
    if any(there[column] != row[column] for column in row if column not in moves):
        named = ", ".join(str(part) for part in key)
        raise NotTaken(f"The {table.name} {named} is here already, and is another one.")
    if _went_on(table.name, there, row):
        changes = ", ".join(f"{column} = ?" for column in moves)
        values = [row[column] for column in moves]
        db.execute(f"UPDATE {table.name} SET {changes} WHERE {where}", [*values, *key])
        coming.new[counted] += 1
    else:
        coming.known[counted] += 1
    return True


def _went_on(table: str, there: dict[str, Any], row: dict[str, Any]) -> bool:
    """Whether what comes is further on than what is there."""
    if table not in MOVES_ON:
        return False
    first = MOVES_ON[table][0]
    return row[first] is not None and (there[first] is None or there[first] < row[first])


def _stored(table: Table, row: dict[str, Any]) -> dict[str, Any]:
    """A row as its columns hold it."""
    return {c: json.dumps(value) if c in table.json else value for c, value in row.items()}


def _insert(db: Connection, table: Table, row: dict[str, Any], position: int | None) -> None:
    """Put a new row where it stands in its logbook, so that the order of lines of one moment, and of a
    list, is the one of home however they came; where that place is taken, after all others."""
    stored, name = _stored(table, row), table.name
    if position is not None:
        taken = db.execute(f"SELECT 1 FROM {name} WHERE rowid = ?", (position,)).fetchone()
        stored = stored if taken else {"rowid": position, **stored}
    marks = ", ".join("?" * len(stored))
    db.execute(f"INSERT INTO {name} ({', '.join(stored)}) VALUES ({marks})", [*stored.values()])


def _pictures(db: Connection, logbook: Logbook, coming: Coming) -> list[bytes]:
    """The photographs that are not here yet."""
    new = []
    for photograph in logbook.photographs:
        try:
            content = base64.b64decode(photograph.jpeg, validate=True)
        except ValueError:
            content = b""
        if not content.startswith(JPEG) or photographs.hash_of(content) != photograph.hash:
            raise NotTaken(f"The photograph {photograph.hash[:12]} is damaged.")
        if photographs.find(db, photograph.hash) is None:
            new.append(content)
            coming.new["photograph"] += 1
        else:
            coming.known["photograph"] += 1
    return new


def _put_samples(db: Connection, device: SamplesOf, coming: Coming) -> None:
    lengths = {len(device.at), len(device.value), len(device.spread), len(device.count)}
    number = db.execute(
        "SELECT number FROM device WHERE instrument_id = ?", (device.instrument_id,)
    ).fetchone()
    if len(lengths) != 1 or number is None:
        raise NotTaken(f"samples: those of {device.instrument_id} do not fit together.")
    until = thinned_until(db, number["number"])
    rows = zip(device.at, device.value, device.spread, device.count, strict=True)
    # What became means here is not brought again as it was before.
    wanted = [row for row in rows if row[0] >= until or row[3] is not None]
    cursor = db.executemany(PUT_ONCE, [(number["number"], *row) for row in wanted])
    coming.new["sample"] += cursor.rowcount
    coming.known["sample"] += len(device.at) - cursor.rowcount
    if not coming.new["sample"]:
        del coming.new["sample"]
