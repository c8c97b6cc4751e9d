"""The one way to a database: connect, migrate, and write in a transaction."""

import json
import re
import sqlite3
from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager, nullcontext
from datetime import UTC, datetime, timedelta
from importlib.resources import files
from pathlib import Path
from typing import Any, TypeVar, cast

from lumbrel.store.guards import guard
from lumbrel.store.turns import Turns, turns_of
from lumbrel.words import _

T = TypeVar("T")
IN_MEMORY = ":memory:"
ASIDE = ""
"""A database in a file that nobody sees, which goes when it is closed."""
_KEPT = files("lumbrel.store").joinpath("kept.sql").read_text(encoding="utf-8")
KEPT_TABLES = tuple(re.findall(r"CREATE TABLE (\w+)", _KEPT))
"""What follows from the lines, and is dropped and made anew, never migrated."""
BUSY_TIMEOUT_MS = 5000
MOST_REMEMBERED = 80
"""So many things a connection remembers of what it read."""
APPLICATION_ID = 0x4C4D424C
"""In the file's header: it is a record of Lumbrel's."""


class IdReused(Exception):
    """An id that came before, with another content."""


class NoRecord(Exception):
    """A file that this version cannot open as a record; the message says why."""


class Link(sqlite3.Connection):
    """A connection that carries what its application keeps between looks at the record, and knows
    who else of this process writes to it."""

    cache: object = None
    turns: Turns | None = None
    lent = False
    """Whether it is lent for a look: what lines said at its beginning is what they say all through it."""
    looked_at: tuple[int, int] = (-1, -1)
    line = -1
    """The newest line when it was looked at."""
    standing: dict[Hashable, Any] | None = None
    """What was read of lines inside a transaction to which none comes."""
    seen: dict[Hashable, Any]
    """What was read since the record was another: a page asks for the kitchen a score of times."""

    def begin_look(self) -> None:
        """Begin a look: what is remembered of lines stays, where no line came since the one before."""
        self.lent = True
        now = (self.total_changes, _pragma(self, "data_version"))
        if self.looked_at == now:
            return
        line = self.execute("SELECT max(seq) FROM line").fetchone()[0] or 0
        if self.line != line:
            self.seen = {}
        self.looked_at, self.line = now, line


def connect(path: Path | str, cache: object = None) -> Link:
    """Open a database: WAL, full synchronisation, foreign keys, a busy timeout."""
    connection = sqlite3.connect(path, isolation_level=None, check_same_thread=False, factory=Link)
    connection.cache = cache
    connection.turns = turns_of(path) if str(path) not in (IN_MEMORY, ASIDE) else None
    connection.row_factory = sqlite3.Row
    connection.execute(f"PRAGMA busy_timeout = {BUSY_TIMEOUT_MS}")
    connection.execute("PRAGMA journal_mode = WAL")
    connection.execute("PRAGMA synchronous = FULL")
    connection.execute("PRAGMA foreign_keys = ON")
    # What is sorted aside needs no room on a disk that may be full.
    connection.execute("PRAGMA temp_store = MEMORY")
    # A row put in another's place is deleted first: the triggers that forbid it shall see that.
    connection.execute("PRAGMA recursive_triggers = ON")
    return connection


def once(db: sqlite3.Connection, name: Hashable, read: Callable[[], T], *, of_lines: bool = False) -> T:
    """What a connection read of lines, and of what is kept of them, under a name, as long as nothing was written
    by it or by any other. What is read in the middle of a write may be taken back, and is not remembered.

    Args:
        of_lines: of lines alone, which inside of `lines_stand` are what they are.
    """
    if not isinstance(db, Link):
        return read()
    if db.in_transaction:
        if db.standing is None or not of_lines:
            return read()
        seen = db.standing
    else:
        version = db.looked_at[1] if db.lent else _pragma(db, "data_version")
        now = (db.total_changes, version)
        if db.looked_at != now:
            db.looked_at, db.seen = now, {}
        seen = db.seen
    found = seen.pop(name) if name in seen else read()
    while len(seen) >= MOST_REMEMBERED:
        # The one used longest ago: who walks a long list keeps what is asked for again and again.
        seen.pop(next(iter(seen)))
    seen[name] = found
    return cast(T, found)


@contextmanager
def lines_stand(db: sqlite3.Connection) -> Iterator[None]:
    """To the record no line comes in the block, though it writes what is kept besides them."""
    if not isinstance(db, Link) or db.standing is not None:
        yield
        return
    db.standing = {}
    try:
        yield
    finally:
        db.standing = None


@contextmanager
def opened(path: Path | str, cache: object = None) -> Iterator[sqlite3.Connection]:
    """A connection that is closed at the end of the block."""
    connection = connect(path, cache)
    try:
        yield connection
    finally:
        connection.close()


@contextmanager
def transaction(connection: sqlite3.Connection) -> Iterator[sqlite3.Connection]:
    """All or nothing: the block's writes are committed together or not at all."""
    turns = getattr(connection, "turns", None)
    with turns.turn(BUSY_TIMEOUT_MS / 1000) if turns else nullcontext():
        connection.execute("BEGIN IMMEDIATE")
        try:
            yield connection
            connection.execute("COMMIT")
        except BaseException:
            roll_back(connection)
            raise


@contextmanager
def as_it_stands(connection: sqlite3.Connection) -> Iterator[None]:
    """One moment of the record for all that the block reads, whatever is written meanwhile."""
    if connection.in_transaction:
        yield
        return
    connection.execute("BEGIN")
    try:
        yield
    finally:
        roll_back(connection)


def roll_back(connection: sqlite3.Connection) -> None:
    """Undo what a transaction did; on a full disk SQLite has done so already."""
    if connection.in_transaction:
        connection.execute("ROLLBACK")


def migrate(connection: sqlite3.Connection, until: int | None = None) -> list[str]:
    """Apply the numbered migrations that this database has not had yet, each atomically.

    Args:
        until: the version to stop at, to see a record as an earlier Lumbrel had it; else the newest.
    Returns:
        The names of those applied now.
    Raises:
        NoRecord: the file is another program's, or a newer version's.
    """
    known = _scripts()
    recognise(connection, len(known))
    connection.execute(
        "CREATE TABLE IF NOT EXISTS migration (name TEXT PRIMARY KEY, applied_at TEXT NOT NULL) STRICT"
    )
    done = {row["name"] for row in connection.execute("SELECT name FROM migration")}
    known = dict(list(known.items())[:until])
    # A number as text, to the last of its digits.
    connection.create_function("exact", 1, repr, deterministic=True)
    connection.create_function("as_json", -1, _as_json, deterministic=True)
    connection.create_function("first_state", 2, _first_state, deterministic=True)
    applied = []
    for version, (name, script) in enumerate(known.items(), start=1):
        if name not in done:
            _apply(connection, name, script, version)
            applied.append(name)
    if applied or _pragma(connection, "user_version") != len(known):
        with transaction(connection):
            guard(connection, KEPT_TABLES)
            _numbered(connection, len(known))
    return applied


def _as_json(*named: Any) -> str:
    """Names and values by turns, to the last digit."""
    return json.dumps(dict(zip(named[::2], named[1::2], strict=True)))


def _first_state(row: str, noted: str) -> str:
    """What something was at first: its row, with what was noted of it as having been so always.

    Args:
        noted: the facts of those lines, in their order.
    """
    state = json.loads(row)
    for facts in reversed(json.loads(noted)):
        state |= facts["state"]
    return json.dumps({"state": state})


def make_kept_tables(connection: sqlite3.Connection) -> None:
    """Drop all that is kept besides the lines, and make its tables anew, empty; and the guards of all
    others."""
    connection.execute("PRAGMA defer_foreign_keys = ON")
    for table in reversed(KEPT_TABLES):
        connection.execute(f"DROP TABLE IF EXISTS {table}")
    for statement in _statements(_KEPT):
        connection.execute(statement)
    guard(connection, KEPT_TABLES)


def _numbered(connection: sqlite3.Connection, version: int) -> None:
    connection.execute(f"PRAGMA application_id = {APPLICATION_ID}")
    connection.execute(f"PRAGMA user_version = {version}")


def _scripts() -> dict[str, str]:
    """The migrations by name, in their order."""
    folder = files("lumbrel.store").joinpath("migrations").iterdir()
    found = sorted((f for f in folder if f.name.endswith(".sql")), key=lambda file: file.name)
    return {file.name: file.read_text(encoding="utf-8") for file in found}


def newest_version() -> int:
    """The version of a record's tables that this program writes."""
    return len(_scripts())


def recognise(connection: sqlite3.Connection, newest: int) -> int:
    """The version of a record's tables; 0 for an empty file.

    Raises:
        NoRecord: the file is another program's, or a newer version's.
    """
    try:
        owner = _pragma(connection, "application_id")
        version = _pragma(connection, "user_version")
        tables = {row[0] for row in connection.execute("SELECT name FROM sqlite_schema")}
    except sqlite3.DatabaseError as error:
        raise NoRecord(_("This file is no record of Lumbrel: {error}.", error=error)) from error
    if owner not in (0, APPLICATION_ID) or (tables and "migration" not in tables):
        raise NoRecord(_("This file is a database of another program, not a record of Lumbrel."))
    if version > newest:
        raise NoRecord(
            _(
                "This record was written by a newer Lumbrel (its tables are of version {version}, "
                "this one knows {newest}). Install that version, or restore a backup made by this "
                "one.",
                version=version,
                newest=newest,
            )
        )
    return version


def _pragma(connection: sqlite3.Connection, name: str) -> int:
    return int(connection.execute(f"PRAGMA {name}").fetchone()[0])


def _apply(connection: sqlite3.Connection, name: str, script: str, version: int) -> None:
    """One migration. A table may be rebuilt in it, so references are checked at its end only; the
    record has its version with it, so that no earlier one opens what is half-way."""
    connection.execute("PRAGMA foreign_keys = OFF")
    try:
        with transaction(connection):
            for statement in _statements(script):
                connection.execute(statement)
            if connection.execute("PRAGMA foreign_key_check").fetchone():
                raise ValueError(_("migration {name} leaves a reference that leads nowhere", name=name))
            connection.execute("INSERT INTO migration VALUES (?, ?)", (name, instant(datetime.now(UTC))))
            _numbered(connection, version)
    finally:
        connection.execute("PRAGMA foreign_keys = ON")


def _statements(script: str) -> Iterator[str]:
    """Statements of a script one by one, so that each runs inside the open transaction."""
    pending = ""
    for line in script.splitlines(keepends=True):
        pending += line
        if sqlite3.complete_statement(pending):
            yield pending
            pending = ""
    if re.sub(r"--[^\n]*", "", pending).strip():
        raise ValueError(_("a migration ends in the middle of a statement"))


def insert_once(
    connection: sqlite3.Connection, table: str, row: dict[str, Any], same: tuple[str, ...]
) -> bool:
    """Write a row under its client-made id; the same again writes nothing and is False.

    Args:
        same: the columns that were typed, by which a second send is known from another write.
    Raises:
        IdReused: the id is there with another content.
    """
    known = connection.execute(f"SELECT * FROM {table} WHERE id = ?", (row["id"],)).fetchone()
    if known is not None:
        if any(known[name] != row[name] for name in same):
            raise IdReused(
                _(
                    "Something else was written under this form's id before; nothing was written now. "
                    "Open the page anew and send it again."
                )
            )
        return False
    marks = ", ".join("?" * len(row))
    connection.execute(f"INSERT INTO {table} ({', '.join(row)}) VALUES ({marks})", list(row.values()))
    return True


def instant(moment: datetime) -> str:
    """A moment as it is stored: UTC, milliseconds, sortable as text."""
    return moment.astimezone(UTC).isoformat(timespec="milliseconds")[:23] + "Z"


def moment(text: str) -> datetime:
    """A stored moment as an aware datetime."""
    return datetime.fromisoformat(text)


EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
BEFORE_ALL, AFTER_ALL = datetime(1, 1, 1, tzinfo=UTC), datetime(9999, 12, 31, tzinfo=UTC)


def milliseconds(at: datetime) -> int:
    """A moment as devices' samples are stored: milliseconds since 1970, as `instant` cuts them."""
    return (at - EPOCH) // timedelta(milliseconds=1)


def of_milliseconds(stored: int) -> datetime:
    """A sample's stored moment as an aware datetime."""
    return EPOCH + timedelta(milliseconds=stored)
