"""A logbook that comes in."""

import base64
import json
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from sqlite3 import Connection, IntegrityError, InterfaceError, ProgrammingError
from typing import Any, BinaryIO, get_args

from lumbrel.exchange.logbook import JPEG, TABLES, NotTaken, Table, settings_in
from lumbrel.exchange.source import PHOTOGRAPHS, SAMPLES, LogbookSource, source_of
from lumbrel.services.base.progress import Progress
from lumbrel.services.record import kept, says
from lumbrel.store import photographs
from lumbrel.store.db import moment, roll_back
from lumbrel.store.kitchen import SETTING, hold_settings
from lumbrel.store.registered import FIRST, Registered, enter
from lumbrel.store.samples import PUT_ONCE, thinned_until
from lumbrel.words import _

MOVES_ON = {"alarm": ("acknowledged_at", "acknowledged_by"), "sample_trouble": ("count", "last_at")}
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
        return _(
            "{values} rows are new ({new}), {values_2} are known",
            values=sum(self.new.values()),
            new=new,
            values_2=sum(self.known.values()),
        )


def take_in(
    db: Connection, document: str | BinaryIO, *, preview: bool = False, progress: Progress | None = None
) -> Coming:
    """Take a logbook in: all of it, or with what stands in its way nothing. The same again brings
    nothing. Into a kitchen that has settings only a logbook of the same kitchen comes.

    Args:
        document: its text, or a file of it, of which no more is held than is being read.
        preview: only say what it would bring.
    Raises:
        NotTaken: it is no logbook, of a newer version, or contradicts what is in the record.
    """
    with source_of(document) as source:
        return put(db, source, preview=preview, progress=progress)


def put(
    db: Connection,
    source: LogbookSource,
    *,
    preview: bool = False,
    verify: Callable[[], None] = lambda: None,
    progress: Progress | None = None,
) -> Coming:
    """Put a logbook into a record, all of it or nothing: what is there already stays as it is, what is
    new comes, then all that follows is made anew and looked over.

    Args:
        preview: only say what it would bring.
        verify: looks at the record as it would be, and raises NotTaken.
    """
    coming, steps = Coming(), progress or Progress()
    brought: list[str] = []
    db.execute("BEGIN IMMEDIATE")
    db.execute("PRAGMA defer_foreign_keys = ON")
    try:
        steps.of(source.count(), "Read")
        _write(db, source, coming, steps)
        if photographs.folder_of(db) is not None:
            for photograph in steps.counted(source.rows(PHOTOGRAPHS)):
                _put_picture(db, photograph[1], coming, None if preview else brought)
        if coming.new:
            steps.of(1, _("Made anew"))
            kept.rebuild(db, steps)
            if coming.since is not None:
                says.say_all_since(db, moment(coming.since))
            _is_sound(db)
            verify()
        db.execute("ROLLBACK" if preview else "COMMIT")
    except BaseException as error:
        roll_back(db)
        photographs.let_go(db, brought)
        if isinstance(error, REFUSED):
            raise NotTaken(_("It contradicts what is in the record: {error}.", error=error)) from error
        raise
    return coming


REFUSED = (IntegrityError, InterfaceError, ProgrammingError, RecursionError, kept.Unsound)
"""What an import ends in that fits no record."""


def _is_sound(db: Connection) -> None:
    """Look over what an import made of a record, before it is kept."""
    short = db.execute("SELECT parcel_id FROM stock WHERE packs < 0").fetchone()
    if short:
        raise NotTaken(_("More would have left {short} than was packed.", short=short["parcel_id"]))


def _write(db: Connection, source: LogbookSource, coming: Coming, steps: Progress) -> None:
    settings = _Settings(settings_in(db))
    has_lines = db.execute("SELECT 1 FROM line").fetchone() is not None
    for table in TABLES:
        defaults = _defaults(db, table)
        for position, written in steps.counted(source.rows(table.name)):
            # What a column that came later holds of a row that was written before.
            row = {**{c: d for c, d in defaults.items() if d is not None}, **written}
            if set(row) != set(defaults):
                raise NotTaken(
                    _(
                        "{table}: its columns are {defaults}.",
                        table=table.name,
                        defaults=", ".join(sorted(defaults)),
                    )
                )
            if row.get("kind") == SETTING:
                settings.go_on(row)
            is_new = _put_row(db, table, row, position, coming)
            if is_new and has_lines and table.name == "line" and row["kind"] != FIRST:
                coming.since = min(coming.since or row["at"], row["at"], _at_of_old(db, row))
    settings.end()
    hold_settings(db)
    for _any, device in steps.counted(source.rows(SAMPLES)):
        _put_samples(db, device, coming)


def _put_row(db: Connection, table: Table, row: dict[str, Any], position: int | None, coming: Coming) -> bool:
    """Put a row in, if it is not here already; whether it was put."""
    first = table.name == "line" and row["kind"] == FIRST
    name = row["about"] if first else table.name
    if _known(db, table, row, coming, counted=name):
        return False
    if first and row["about"] in get_args(Registered):
        enter(db, row["about"], row["about_id"], row["facts"].get("state", {}))
    _insert(db, table, row, position)
    coming.new[name] += 1
    return True


class _Settings:
    """Holds the settings that come against those of a kitchen: either go on from the others, since what one says
    of its past stays as it was."""

    def __init__(self, mine: list[dict[str, Any]]) -> None:
        self._mine, self._brought = mine, 0

    def go_on(self, row: dict[str, Any]) -> None:
        """The next of those that come."""
        if self._brought < len(self._mine) and row != self._mine[self._brought]:
            raise NotTaken(OTHER_KITCHEN)
        self._brought += 1

    def end(self) -> None:
        """No more come."""
        if self._mine and not self._brought:
            raise NotTaken(OTHER_KITCHEN)


OTHER_KITCHEN = _(
    "This kitchen has settings of its own, under which that logbook's figures would be "
    "others. Take it into an empty data folder."
)


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
        found[column["name"]] = json.loads(value) if value and column["name"] in table.json else value
    return found


def _known(db: Connection, table: Table, row: dict[str, Any], coming: Coming, *, counted: str) -> bool:
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
        raise NotTaken(
            _("The {table} {named} is here already, and is another one.", table=table.name, named=named)
        )
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
    if position is not None and table.order == "rowid":
        taken = db.execute(f"SELECT 1 FROM {name} WHERE rowid = ?", (position,)).fetchone()
        stored = stored if taken else {"rowid": position, **stored}
    marks = ", ".join("?" * len(stored))
    db.execute(f"INSERT INTO {name} ({', '.join(stored)}) VALUES ({marks})", [*stored.values()])


def _put_picture(
    db: Connection, photograph: dict[str, Any], coming: Coming, brought: list[str] | None
) -> None:
    """Put a photograph beside the record, before its lines are: one too many does no harm.

    Args:
        brought: those that came so far; None, where none is to come.
    """
    name = photograph["hash"]
    try:
        content = base64.b64decode(photograph["jpeg"], validate=True)
    except ValueError:
        content = b""
    if not content.startswith(JPEG) or photographs.hash_of(content) != name:
        raise NotTaken(_("The photograph {name} is damaged.", name=name[:12]))
    if photographs.find(db, name) is not None:
        coming.known["photograph"] += 1
        return
    coming.new["photograph"] += 1
    if brought is not None:
        brought.append(name)
        photographs.put(db, content)


def _put_samples(db: Connection, sent: dict[str, Any], coming: Coming) -> None:
    columns = [sent[name] for name in ("at", "value", "spread", "count")]
    number = db.execute(
        "SELECT number FROM device WHERE instrument_id = ?", (sent["instrument_id"],)
    ).fetchone()
    if len({len(column) for column in columns}) != 1 or number is None:
        raise NotTaken(_("samples: those of {sent} do not fit together.", sent=sent["instrument_id"]))
    until = thinned_until(db, number["number"])
    # What became means here is not brought again as it was before.
    wanted = [row for row in zip(*columns, strict=True) if row[0] >= until or row[3] is not None]
    cursor = db.executemany(PUT_ONCE, [(number["number"], *row) for row in wanted])
    coming.new["sample"] += cursor.rowcount
    coming.known["sample"] += len(columns[0]) - cursor.rowcount
    if not coming.new["sample"]:
        del coming.new["sample"]
