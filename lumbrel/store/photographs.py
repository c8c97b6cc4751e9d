"""Photographs beside the record, each under the hash of what is in it: never changed, never twice."""

import os
import re
import shutil
from collections.abc import Iterator
from contextlib import suppress
from hashlib import sha256
from pathlib import Path
from sqlite3 import Connection

from lumbrel.store.under_way import settled
from lumbrel.words import _

HASH = re.compile(r"[0-9a-f]{64}")
BESIDE, DRAFTS = ".photographs", "drafts"
MOST_DRAFTS = 40
"""Photographs that were looked at and not put on a slip; the oldest of more go."""


class NoPlace(Exception):
    """A record in memory has nothing beside it."""


def beside(record: Path) -> Path:
    return record.with_name(record.name + BESIDE)


def folder_of(db: Connection) -> Path | None:
    """Where those of an open record are; None for one in memory."""
    file = next((row[2] for row in db.execute("PRAGMA database_list") if row[1] == "main"), "")
    return beside(Path(file)) if file else None


def move(source: Path, target: Path) -> None:
    """Let a record's photographs follow it to another name; again is harmless."""
    here, there = beside(source), beside(target)
    if here.is_dir() and there.is_dir():
        for file in [found for found in here.rglob("*") if found.is_file()]:
            to = there / file.relative_to(here)
            to.parent.mkdir(mode=0o700, exist_ok=True)
            file.replace(to)
        shutil.rmtree(here)
    elif here.is_dir():
        here.replace(there)


def let_go_of_parts(record: Path) -> None:
    """Those that were cut off while they were written."""
    for part in beside(record).rglob("*.part"):
        part.unlink(missing_ok=True)


def _durable(target: Path, content: bytes) -> None:
    """Write a file so that it is there whole or not at all, also after the power fails."""
    target.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
    part = target.with_suffix(".part")
    with part.open("wb") as file:
        file.write(content)
        file.flush()
        os.fsync(file.fileno())
    part.replace(target)
    settled(target.parent)


def hash_of(content: bytes) -> str:
    """The name of a photograph."""
    return sha256(content).hexdigest()


def draft(db: Connection, content: bytes) -> str:
    """Put a photograph down to be looked at; it stays only if a line takes it.

    Returns:
        Its hash.
    Raises:
        NoPlace: the record is in memory.
    """
    folder = folder_of(db)
    if folder is None:
        raise NoPlace(_("There is no place for photographs here."))
    name = hash_of(content)
    if not (folder / _file(name)).exists():
        _durable(folder / DRAFTS / _file(name), content)
        _clear(folder / DRAFTS)
    return name


def _clear(drafts: Path) -> None:
    """Let the oldest drafts go, when there are too many."""
    found = sorted(drafts.glob("*.jpg"), key=lambda file: file.stat().st_mtime)
    for old in found[:-MOST_DRAFTS]:
        old.unlink(missing_ok=True)


def _file(name: str) -> str:
    return f"{name}.jpg"


def find(db: Connection, name: str) -> bytes | None:
    """A photograph by its hash, kept or a draft; None where there is none, or it is damaged."""
    folder = folder_of(db)
    if folder is None or not HASH.fullmatch(name):
        return None
    for place in (folder, folder / DRAFTS):
        with suppress(FileNotFoundError):
            content = (place / _file(name)).read_bytes()
            return content if hash_of(content) == name else None
    return None


def keep(db: Connection, name: str) -> bool:
    """Keep a draft, for a line that was made from it. Again is harmless. False where there is none."""
    folder = folder_of(db)
    if folder is None or not HASH.fullmatch(name):
        return False
    if not (folder / _file(name)).exists():
        content = find(db, name)
        if content is None:
            return False
        _durable(folder / _file(name), content)
    (folder / DRAFTS / _file(name)).unlink(missing_ok=True)
    return True


def put(db: Connection, content: bytes) -> None:
    """Keep a photograph that comes with a logbook."""
    folder = folder_of(db)
    if folder is None:
        raise NoPlace(_("There is no place for photographs here."))
    target = folder / _file(hash_of(content))
    if not target.exists():
        _durable(target, content)


def let_go(db: Connection, names: list[str]) -> None:
    """Let photographs go that came with a logbook which was not taken in."""
    folder = folder_of(db)
    if folder is not None:
        for name in names:
            (folder / _file(name)).unlink(missing_ok=True)


def named(db: Connection) -> Iterator[str]:
    """The hashes that lines of the record name, in order."""
    rows = db.execute(
        "SELECT DISTINCT facts ->> 'photo' AS name FROM line WHERE kind IN ('colour', 'scored') "
        "AND facts ->> 'photo' IS NOT NULL ORDER BY name"
    )
    for row in rows:
        yield str(row["name"])


def missing(folder: Path, names: list[str]) -> list[str]:
    """Those that are not in a folder, or are damaged there."""

    def sound(name: str) -> bool:
        file = folder / _file(name)
        return file.is_file() and hash_of(file.read_bytes()) == name

    return [name for name in names if not sound(name)]


def copy(names: list[str], source: Path, target: Path, *, link: bool) -> None:
    """Put photographs of one record beside another.

    Args:
        link: let both have one file where the disk allows it: they never change, but what damages one
            then damages the other.
    """
    for name in names:
        there, here = source / _file(name), target / _file(name)
        if here.exists() or not there.is_file():
            continue
        target.mkdir(mode=0o700, parents=True, exist_ok=True)
        part = here.with_suffix(".part")
        part.unlink(missing_ok=True)
        if not (link and _linked(there, part)):
            shutil.copyfile(there, part)
        part.replace(here)


def _linked(there: Path, here: Path) -> bool:
    try:
        here.hardlink_to(there)
    except OSError:
        return False
    return True
