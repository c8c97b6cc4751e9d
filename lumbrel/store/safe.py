"""A record in safe hands: who has it open, whether it is sound, a copy that is the same."""

import contextlib
import fcntl
import os
import shutil
import sqlite3
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from lumbrel.store.db import NoRecord, connect, newest_version, recognise
from lumbrel.words import _

SERVING, IN_USE = ".serving", ".in-use"


class InUse(Exception):
    """Somebody else has the record; the message says who may."""


@contextmanager
def held(record: Path, *, alone: bool) -> Iterator[None]:
    """Have a record while the block runs.

    Args:
        alone: as the one server of it; otherwise beside it, as a listening probe does.
    Raises:
        InUse: another server has it, or it is being restored.
    """
    with _lock(
        record, IN_USE, fcntl.LOCK_SH, _("It is being restored or imported into. Wait until that is done.")
    ):
        if not alone:
            yield
            return
        why = _("Lumbrel is serving it already. One record has one server: open that one's page.")
        with _lock(record, SERVING, fcntl.LOCK_EX, why):
            yield


@contextmanager
def nobody_has(record: Path) -> Iterator[None]:
    """Make sure that nobody has a record open while the block runs.

    Raises:
        InUse: it is being served, or a probe is listened to.
    """
    why = _("It is being served, or a probe is listened to. Stop that first.")
    with _lock(record, IN_USE, fcntl.LOCK_EX, why):
        yield


@contextmanager
def _lock(record: Path, what: str, how: int, why: str) -> Iterator[None]:
    file = record.with_name(record.name + what)
    # The lock goes with the process, however it ends; the file stays, and is harmless.
    handle = os.open(file, os.O_RDWR | os.O_CREAT, 0o600)
    try:
        try:
            fcntl.flock(handle, how | fcntl.LOCK_NB)
        except BlockingIOError:
            raise InUse(_("The record {record} cannot be had. {why}", record=record, why=why)) from None
        yield
    finally:
        os.close(handle)


@dataclass(frozen=True, kw_only=True)
class Contents:
    """What is in a record, in counts."""

    is_a: str
    version: int
    batches: int
    lines: int
    lots: int
    samples: int
    newest: str
    """When its newest line is from; empty when there is none."""

    def __str__(self) -> str:
        newest = f", the newest of {self.newest[:16].replace('T', ' ')} UTC" if self.newest else ""
        kind = {"own": "a kitchen's record", "demo": "a demonstration", "practice": "practice"}
        return (
            f"{kind[self.is_a]}: {self.batches} batches with {self.lines} lines{newest}; "
            f"{self.lots} lots, {self.samples} samples"
        )


def only_read(record: Path, unchanging: bool = False) -> sqlite3.Connection:
    """A connection that writes nothing, not even how the file is kept."""
    how = "?mode=ro&immutable=1" if unchanging else "?mode=ro"
    return sqlite3.connect(record.resolve().as_uri() + how, uri=True)


def has_table(db: sqlite3.Connection, name: str) -> bool:
    """Whether a record, maybe of an earlier version, has a table."""
    return bool(db.execute("SELECT 1 FROM sqlite_schema WHERE name = ?", (name,)).fetchone())


def half_written(record: Path) -> bool:
    """Whether a write to a record was cut off before there was a log beside it."""
    return record.exists() and record.with_name(record.name + "-journal").exists()


def roll_back(record: Path) -> None:
    """Undo what was cut off in the middle, as SQLite does for whoever may write."""
    if half_written(record):
        with contextlib.suppress(sqlite3.Error), contextlib.closing(sqlite3.connect(record)) as db:
            db.execute("SELECT count(*) FROM sqlite_schema").fetchone()


def problems(record: Path) -> list[str]:
    """What is wrong with a record, in sentences; it may lie on read-only media, and is not changed."""
    if not record.is_file():
        return [_("There is no record at {record}.", record=record)]
    db = only_read(record)
    try:
        return _problems(db)
    except sqlite3.Error as error:
        # Without a place for the write-ahead log's index only an unchanging file can be read.
        db.close()
        db = only_read(record, unchanging=True)
        try:
            return _problems(db)
        except sqlite3.Error:
            return [_("It is damaged, or no record at all: {error}.", error=error)]
    finally:
        db.close()


def _problems(db: sqlite3.Connection) -> list[str]:
    try:
        version = recognise(db, newest_version())
    except NoRecord as error:
        return [str(error)]
    if not has_table(db, "migration"):
        return [_("It is an empty file, not a record.")]
    found = [row[0] for row in db.execute("PRAGMA integrity_check") if row[0] != "ok"]
    dangling = len(db.execute("PRAGMA foreign_key_check").fetchall())
    if dangling:
        found.append(_("{dangling} references lead nowhere.", dangling=dangling))
    if not found and version == 0 and not db.execute("SELECT 1 FROM migration").fetchone():
        found.append(_("It was never finished."))
    return found


def contents(db: sqlite3.Connection) -> Contents:
    """What is in an open record, counted."""

    def count(table: str) -> int:
        return int(db.execute(f"SELECT count(*) FROM {table}").fetchone()[0])

    newest = db.execute("SELECT max(at) FROM line WHERE about = 'batch'").fetchone()[0]
    return Contents(
        is_a=nature(db),
        version=int(db.execute("PRAGMA user_version").fetchone()[0]),
        batches=count("batch"),
        lines=count("line WHERE about = 'batch' AND kind <> 'first'"),
        lots=count("lot_now"),
        samples=count("sample"),
        newest=newest or "",
    )


def nature(db: sqlite3.Connection) -> str:
    """Whether a record is a kitchen's own, the demonstration, or a practice pan; also one of an
    earlier version, which is left as it is.

    Raises:
        NoRecord: the file is another program's, or a newer version's.
    """
    recognise(db, newest_version())
    tables = {row[0] for row in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    if "nature" not in tables:
        asked = "SELECT EXISTS (SELECT 1 FROM demo_state)"
        is_demo = "demo_state" in tables and db.execute(asked).fetchone()[0]
        return "demo" if is_demo else "own"
    return str(db.execute("SELECT is_a FROM nature").fetchone()[0])


def set_nature(db: sqlite3.Connection, is_a: str) -> None:
    """Say what a record is."""
    db.execute("UPDATE nature SET is_a = ?", (is_a,))


def copy(record: Path, to: Path) -> None:
    """A consistent copy of a record while it is in use; never over a file that is there.

    Raises:
        FileExistsError: there is a file of that name.
    """
    with to.open("xb"):
        pass
    try:
        source, target = sqlite3.connect(record), sqlite3.connect(to)
        try:
            source.backup(target)
            # A copy stands alone: without a log beside it, it can be read from anywhere.
            target.execute("PRAGMA journal_mode = DELETE")
        finally:
            source.close()
            target.close()
    except BaseException:
        to.unlink(missing_ok=True)
        raise


@contextmanager
def working_copy(record: Path) -> Iterator[sqlite3.Connection]:
    """A record's copy that may be written in, and is thrown away."""
    with tempfile.TemporaryDirectory() as folder:
        here = Path(folder) / "copy.sqlite3"
        shutil.copyfile(record, here)
        for side in ("-wal",):
            log = record.with_name(record.name + side)
            if log.exists():
                shutil.copyfile(log, here.with_name(here.name + side))
        db = connect(here)
        try:
            yield db
        finally:
            db.close()
