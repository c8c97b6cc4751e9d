"""Who may call from the network: a file of its own beside the record, never in a backup or an export
of it.

It holds no secret that would let anybody in: of passphrase, sessions and pairing codes only hashes.
"""

import os
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from threading import RLock

from lumbrel.store.db import NoRecord, instant, moment, roll_back
from lumbrel.store.rows import mapper
from lumbrel.words import _

VERSION = 1
APPLICATION_ID = 0x4C4D4241
MOST_TRIES_KEPT = 500
SCHEMA = """
CREATE TABLE passphrase (
  only INTEGER PRIMARY KEY CHECK (only = 1), hash TEXT NOT NULL, set_at TEXT NOT NULL
) STRICT;
CREATE TABLE device (
  id TEXT PRIMARY KEY, name TEXT NOT NULL, initials TEXT NOT NULL,
  role TEXT NOT NULL CHECK (role IN ('owner', 'finisher', 'looker')),
  paired_at TEXT NOT NULL, seen_at TEXT NOT NULL, seen_from TEXT NOT NULL, put_out_at TEXT
) STRICT;
CREATE TABLE session (
  hash TEXT PRIMARY KEY, device_id TEXT NOT NULL REFERENCES device,
  began_at TEXT NOT NULL, ends_at TEXT NOT NULL
) STRICT;
CREATE INDEX session_of ON session (device_id);
CREATE TABLE pairing (
  hash TEXT PRIMARY KEY, role TEXT NOT NULL CHECK (role IN ('owner', 'finisher', 'looker')),
  made_at TEXT NOT NULL, ends_at TEXT NOT NULL, used_at TEXT
) STRICT;
CREATE TABLE wrong_try (
  number INTEGER PRIMARY KEY, at TEXT NOT NULL, origin TEXT NOT NULL, what TEXT NOT NULL
) STRICT;
CREATE INDEX wrong_try_at ON wrong_try (at);
CREATE TABLE opening (
  only INTEGER PRIMARY KEY CHECK (only = 1), is_open INTEGER NOT NULL, plain INTEGER NOT NULL
) STRICT;
"""


@dataclass(frozen=True, kw_only=True)
class Device:
    """A phone, tablet or computer that was paired."""

    id: str
    name: str
    initials: str
    role: str
    """owner, finisher or looker."""
    paired_at: datetime
    seen_at: datetime
    seen_from: str
    put_out_at: datetime | None = None


@dataclass(frozen=True)
class PairingRow:
    """A code that lets one device in, once."""

    role: str
    ends_at: datetime
    used: bool


@dataclass(frozen=True)
class WrongTry:
    """A passphrase or code that was wrong."""

    at: datetime
    origin: str
    what: str


class AccessFile:
    """The file, through one connection: one server has it, and takes turns within itself.

    Args:
        path: where it is; made, for its owner's eyes only, where it is missing.
    Raises:
        NoRecord: it is something else, or of a newer version.
    """

    def __init__(self, path: Path) -> None:
        path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        os.close(os.open(path, os.O_RDWR | os.O_CREAT, 0o600))
        path.chmod(0o600)
        self._db = sqlite3.connect(path, isolation_level=None, check_same_thread=False)
        self._db.row_factory = sqlite3.Row
        self._turn = RLock()
        self._db.execute("PRAGMA synchronous = FULL")
        self._db.execute("PRAGMA foreign_keys = ON")
        owner = self._db.execute("PRAGMA application_id").fetchone()[0]
        version = self._db.execute("PRAGMA user_version").fetchone()[0]
        if version == 0 and owner == 0:
            self._db.executescript(
                f"BEGIN; {SCHEMA} PRAGMA application_id = {APPLICATION_ID}; "
                f"PRAGMA user_version = {VERSION}; COMMIT;"
            )
        elif owner != APPLICATION_ID or version > VERSION:
            self._db.close()
            raise NoRecord(_("{path} is not this version's list of devices. Move it away first.", path=path))

    def close(self) -> None:
        """Let the file go."""
        with self._turn:
            self._db.close()

    @contextmanager
    def turn(self) -> Iterator[sqlite3.Connection]:
        """All or nothing, one after the other."""
        with self._turn:
            self._db.execute("BEGIN IMMEDIATE")
            try:
                yield self._db
                self._db.execute("COMMIT")
            except BaseException:
                roll_back(self._db)
                raise


def passphrase_hash(db: sqlite3.Connection) -> str | None:
    """The passphrase's hash; None while none was chosen."""
    row = db.execute("SELECT hash FROM passphrase").fetchone()
    return row["hash"] if row else None


def keep_passphrase(db: sqlite3.Connection, hashed: str, at: datetime) -> None:
    """Keep a passphrase's hash in place of the one before."""
    db.execute("INSERT OR REPLACE INTO passphrase VALUES (1, ?, ?)", (hashed, instant(at)))


def add_device(db: sqlite3.Connection, device: Device) -> None:
    """Add a paired device."""
    db.execute(
        "INSERT INTO device VALUES (?, ?, ?, ?, ?, ?, ?, NULL)",
        (
            device.id,
            device.name,
            device.initials,
            device.role,
            instant(device.paired_at),
            instant(device.seen_at),
            device.seen_from,
        ),
    )


def change_device(db: sqlite3.Connection, device_id: str, name: str, initials: str, role: str) -> None:
    """Name a device anew, or give it another role."""
    db.execute(
        "UPDATE device SET name = ?, initials = ?, role = ? WHERE id = ?", (name, initials, role, device_id)
    )


def put_out(db: sqlite3.Connection, device_id: str, at: datetime) -> None:
    """End a device's sessions; it stays listed as put out."""
    db.execute(
        "UPDATE device SET put_out_at = ? WHERE id = ? AND put_out_at IS NULL", (instant(at), device_id)
    )
    db.execute("DELETE FROM session WHERE device_id = ?", (device_id,))


def seen(db: sqlite3.Connection, device_id: str, at: datetime, origin: str) -> None:
    """Note when a device was seen, and where."""
    db.execute("UPDATE device SET seen_at = ?, seen_from = ? WHERE id = ?", (instant(at), origin, device_id))


_device = mapper(Device)


def devices(db: sqlite3.Connection, *, put_out_too: int = 0) -> list[Device]:
    """The devices that are in, the first paired first; then so many of those last put out."""
    inside = db.execute("SELECT * FROM device WHERE put_out_at IS NULL ORDER BY paired_at")
    out = db.execute(
        "SELECT * FROM device WHERE put_out_at IS NOT NULL ORDER BY put_out_at DESC LIMIT ?", (put_out_too,)
    )
    return [_device(row) for row in (*inside, *out)]


def add_session(db: sqlite3.Connection, hashed: str, device_id: str, began: datetime, ends: datetime) -> None:
    """Begin a session of a device."""
    db.execute("INSERT INTO session VALUES (?, ?, ?, ?)", (hashed, device_id, instant(began), instant(ends)))


def sessions(db: sqlite3.Connection, now: datetime) -> list[tuple[str, str, datetime]]:
    """Each session that runs: its hash, its device, when it ends."""
    rows = db.execute("SELECT hash, device_id, ends_at FROM session WHERE ends_at > ?", (instant(now),))
    return [(row["hash"], row["device_id"], moment(row["ends_at"])) for row in rows]


def forget_ended(db: sqlite3.Connection, now: datetime) -> None:
    """Forget the sessions that ended."""
    db.execute("DELETE FROM session WHERE ends_at <= ?", (instant(now),))


def add_pairing(db: sqlite3.Connection, hashed: str, role: str, made: datetime, ends: datetime) -> None:
    """Keep a pairing code's hash. Those that ended long ago are forgotten."""
    db.execute("DELETE FROM pairing WHERE ends_at < ?", (instant(made - (ends - made) * 12),))
    db.execute("INSERT INTO pairing VALUES (?, ?, ?, ?, NULL)", (hashed, role, instant(made), instant(ends)))


def end_pairings(db: sqlite3.Connection, now: datetime) -> None:
    """No code that was not used yet works from now on."""
    db.execute("UPDATE pairing SET ends_at = ? WHERE ends_at > ?", (instant(now), instant(now)))


def pairing(db: sqlite3.Connection, hashed: str) -> PairingRow | None:
    """What a pairing code's hash stands for."""
    row = db.execute("SELECT * FROM pairing WHERE hash = ?", (hashed,)).fetchone()
    if row is None:
        return None
    return PairingRow(row["role"], moment(row["ends_at"]), row["used_at"] is not None)


def use_pairing(db: sqlite3.Connection, hashed: str, at: datetime) -> None:
    """A pairing code was used; it works no more."""
    db.execute("UPDATE pairing SET used_at = ? WHERE hash = ?", (instant(at), hashed))


def note_wrong_try(db: sqlite3.Connection, at: datetime, origin: str, what: str) -> None:
    """Note a wrong try; the newest few hundred are kept."""
    db.execute("INSERT INTO wrong_try (at, origin, what) VALUES (?, ?, ?)", (instant(at), origin, what))
    db.execute(
        "DELETE FROM wrong_try WHERE number <= (SELECT max(number) FROM wrong_try) - ?", (MOST_TRIES_KEPT,)
    )


def wrong_tries(db: sqlite3.Connection, since: datetime) -> list[WrongTry]:
    """Wrong tries since a moment, the newest first."""
    rows = db.execute("SELECT * FROM wrong_try WHERE at >= ? ORDER BY number DESC", (instant(since),))
    return [WrongTry(moment(row["at"]), row["origin"], row["what"]) for row in rows]


def keep_opening(db: sqlite3.Connection, *, is_open: bool, plain: bool) -> None:
    """Whether the kitchen is open to the network, so that a restart leaves it as it was."""
    db.execute("INSERT OR REPLACE INTO opening VALUES (1, ?, ?)", (int(is_open), int(plain)))


def opening(db: sqlite3.Connection) -> tuple[bool, bool]:
    """Whether the kitchen was left open to the network, and whether without encryption."""
    row = db.execute("SELECT is_open, plain FROM opening").fetchone()
    return (bool(row["is_open"]), bool(row["plain"])) if row else (False, False)
