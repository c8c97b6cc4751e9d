"""Backups by hand and by themselves, restoring one, checking a record's promises."""

import contextlib
import re
import shutil
import sqlite3
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from lumbrel.services.record import kept
from lumbrel.store import photographs, safe
from lumbrel.store.db import opened
from lumbrel.store.safe import Contents

KEPT_DAYS = 14
AUTOMATIC = re.compile(r"lumbrel-(\d{4}-\d\d-\d\d)\.sqlite3")


class Refused(Exception):
    """What was asked for would lose or mislead; the message says why, and nothing was done."""


@dataclass(frozen=True)
class Checked:
    """A record that was checked: what is in it, and what is wrong with it."""

    contents: Contents | None
    problems: list[str]


def check(record: Path) -> Checked:
    """Check a record: the file, its references, and that all it keeps is what its lines say.

    It is not changed; a record of an earlier version is checked as it would be after it is opened.
    """
    found = safe.problems(record)
    if found:
        return Checked(None, found)
    try:
        with safe.working_copy(record) as db:
            before = db.execute("PRAGMA user_version").fetchone()[0]
            kept.ready(db)
            wrong = kept.differences(db) if before else []
            return Checked(safe.contents(db), wrong + _photographs(db, record))
    except (sqlite3.Error, ValueError, AssertionError, StopIteration) as error:
        return Checked(None, [f"Its lines cannot be read: {error or type(error).__name__}."])


def _photographs(db: sqlite3.Connection, record: Path) -> list[str]:
    """What is wrong with the photographs beside a record."""
    gone = photographs.missing(photographs.beside(record), list(photographs.named(db)))
    return [f"{len(gone)} photographs are missing or damaged, {gone[0]} first."] if gone else []


def _names(record: Path) -> list[str]:
    with contextlib.closing(safe.only_read(record, unchanging=True)) as db:
        db.row_factory = sqlite3.Row
        return list(photographs.named(db))


def _bring_photographs(source: Path, target: Path, *, link: bool) -> None:
    """Those that a copy of a record names, from beside the one to beside the other."""
    photographs.copy(
        _names(target), photographs.beside(source), photographs.beside(target), link=link
    )


def backup(record: Path, to: Path, *, thorough: bool = True) -> Contents:
    """A copy of a record, verified; it may be in use.

    Args:
        thorough: also check that all the copy keeps is what its lines say.
    Raises:
        Refused: there is no record, it is not sound, or a file of that name is there.
    """
    found = safe.problems(record)
    if found:
        raise Refused(f"Nothing was backed up: {' '.join(found)}")
    if to.exists():
        raise Refused(
            f"{to} is there already, and no backup is written over another. Name a new one."
        )
    unfinished = to.with_name(to.name + ".part")
    unfinished.unlink(missing_ok=True)
    safe.copy(record, unfinished)
    try:
        # Those of every day share their files with the record; one made by hand stands alone.
        _bring_photographs(record, unfinished, link=not thorough)
        verified = check(unfinished) if thorough else _quickly(unfinished)
        if verified.problems or verified.contents is None:
            raise Refused(f"The copy is not sound and was not kept: {' '.join(verified.problems)}")
        # A link fails where a file is there; to rename would write over it.
        to.hardlink_to(unfinished)
        _bring_photographs(unfinished, to, link=True)
    except FileExistsError:
        raise Refused(f"{to} is there already, and no backup is written over another.") from None
    finally:
        unfinished.unlink(missing_ok=True)
        shutil.rmtree(photographs.beside(unfinished), ignore_errors=True)
    return verified.contents


def _quickly(copy: Path) -> Checked:
    found = safe.problems(copy)
    if found:
        return Checked(None, found)
    with opened(copy) as db:
        return Checked(safe.contents(db), [])


def restore(record: Path, file: Path, now: datetime) -> tuple[Contents, Path | None]:
    """Put a backup in the place of a record; what it replaces is kept beside it.

    Returns:
        What was restored, and where the record before is now; None if there was none.
    Raises:
        Refused: the backup is not sound.
        InUse: the record is being served.
    """
    if record.exists() and file.exists() and file.samefile(record):
        raise Refused("That is the record itself; nothing was changed.")
    verified = check(file)
    if verified.problems or verified.contents is None:
        why = " ".join(verified.problems)
        raise Refused(f"{file} was not restored and nothing was changed: {why}")
    record.parent.mkdir(parents=True, exist_ok=True)
    with safe.nobody_has(record):
        unfinished = record.with_name("restoring.sqlite3")
        unfinished.unlink(missing_ok=True)
        safe.copy(file, unfinished)
        replaced = _put_aside(record, now)
        names = _names(unfinished)
        photographs.copy(names, photographs.beside(file), photographs.beside(record), link=False)
        unfinished.replace(record)
    return verified.contents, replaced


def _put_aside(record: Path, now: datetime) -> Path | None:
    """Keep the record that is to be replaced, with what its log holds, sound or not."""
    if not record.exists():
        return None
    aside = record.with_name(f"lumbrel-replaced-{now:%Y-%m-%d-%H%M%S}.sqlite3")
    for side in ("", "-wal", "-shm"):
        part = record.with_name(record.name + side)
        if part.exists():
            part.replace(aside.with_name(aside.name + side))
    if photographs.beside(record).is_dir():
        photographs.beside(record).replace(photographs.beside(aside))
    return aside


@dataclass(frozen=True)
class Backups:
    """The automatic backups: where they are, and how many of when."""

    folder: Path
    days: list[str]
    """Newest first."""


def automatic(folder: Path) -> Backups:
    """The automatic backups in a folder."""
    names = folder.glob("lumbrel-*.sqlite3") if folder.is_dir() else []
    days = [match[1] for name in names if (match := AUTOMATIC.fullmatch(name.name))]
    return Backups(folder, sorted(days, reverse=True))


def back_up_today(record: Path, folder: Path, now: datetime) -> bool:
    """The backup of the day, if it is not made yet; older ones go, the last fourteen and one a month
    stay. False when there was one.

    Raises:
        Refused: the record is not sound; the older backups stay as they are.
    """
    today = f"{now:%Y-%m-%d}"
    if today in automatic(folder).days:
        return False
    folder.mkdir(parents=True, exist_ok=True)
    backup(record, folder / f"lumbrel-{today}.sqlite3", thorough=False)
    for day in superfluous(automatic(folder).days):
        old = folder / f"lumbrel-{day}.sqlite3"
        old.unlink(missing_ok=True)
        shutil.rmtree(photographs.beside(old), ignore_errors=True)
    return True


def superfluous(days: list[str]) -> list[str]:
    """The automatic backups that need not stay: all but the last fourteen and the first of each
    month."""
    ordered = sorted(days, reverse=True)
    first_of_month: dict[str, str] = {}
    for day in ordered:
        first_of_month[day[:7]] = day
    stay = {*ordered[:KEPT_DAYS], *first_of_month.values()}
    return [day for day in ordered if day not in stay]
