"""The one way to a database: connect, migrate, and write in a transaction."""

import re
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from importlib.resources import files
from pathlib import Path

BUSY_TIMEOUT_MS = 5000


class Link(sqlite3.Connection):
    """A connection that carries what its application keeps between looks at the record."""

    cache: object = None


def connect(path: Path | str, cache: object = None) -> sqlite3.Connection:
    """Open a database: WAL, full synchronisation, foreign keys, a busy timeout."""
    connection = sqlite3.connect(path, isolation_level=None, check_same_thread=False, factory=Link)
    connection.cache = cache
    connection.row_factory = sqlite3.Row
    connection.execute(f"PRAGMA busy_timeout = {BUSY_TIMEOUT_MS}")
    connection.execute("PRAGMA journal_mode = WAL")
    connection.execute("PRAGMA synchronous = FULL")
    connection.execute("PRAGMA foreign_keys = ON")
    return connection


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
    connection.execute("BEGIN IMMEDIATE")
    try:
        yield connection
    except BaseException:
        connection.execute("ROLLBACK")
        raise
    connection.execute("COMMIT")


def migrate(connection: sqlite3.Connection) -> list[str]:
    """Apply the numbered migrations that this database has not had yet, each atomically.

    Returns:
        The names of those applied now.
    """
    connection.execute(
        "CREATE TABLE IF NOT EXISTS migration (name TEXT PRIMARY KEY, applied_at TEXT NOT NULL) STRICT"
    )
    done = {row["name"] for row in connection.execute("SELECT name FROM migration")}
    applied = []
    scripts = files("lumbrel.store").joinpath("migrations").iterdir()
    for script in sorted(scripts, key=lambda file: file.name):
        if not script.name.endswith(".sql") or script.name in done:
            continue
        _apply(connection, script.name, script.read_text(encoding="utf-8"))
        applied.append(script.name)
    return applied


def _apply(connection: sqlite3.Connection, name: str, script: str) -> None:
    """One migration. A table may be rebuilt in it, so references are checked at its end only."""
    connection.execute("PRAGMA foreign_keys = OFF")
    try:
        with transaction(connection):
            for statement in _statements(script):
                connection.execute(statement)
            if connection.execute("PRAGMA foreign_key_check").fetchone():
                raise ValueError(f"migration {name} leaves a reference that leads nowhere")
            connection.execute(
                "INSERT INTO migration VALUES (?, ?)", (name, instant(datetime.now(UTC)))
            )
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
        raise ValueError("a migration ends in the middle of a statement")


def instant(moment: datetime) -> str:
    """A moment as it is stored: UTC, milliseconds, sortable as text."""
    return (
        moment.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%S.") + f"{moment.microsecond // 1000:03d}Z"
    )


def moment(text: str) -> datetime:
    """A stored moment as an aware datetime."""
    return datetime.fromisoformat(text.replace("Z", "+00:00"))
