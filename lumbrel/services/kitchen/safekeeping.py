"""Backups by hand and by themselves, restoring one, checking a record's promises."""

import contextlib
import logging
import os
import re
import shutil
import sqlite3
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from lumbrel.services.base.progress import Progress
from lumbrel.services.record import compared, kept
from lumbrel.store import photographs, safe, under_way
from lumbrel.store.db import newest_version, opened, recognise
from lumbrel.store.disk import disk_of
from lumbrel.store.safe import Contents
from lumbrel.words import _, joined

LOG = logging.getLogger("lumbrel.backup")
KEPT_DAYS = 14
BACKUP, RESTORE, IMPORT = "backup", "restore", "import"
RESERVE_BYTES = 512 * 1024
AUTOMATIC = re.compile(r"lumbrel-(\d{4}-\d\d-\d\d)\.sqlite3")


class WouldLose(Exception):
    """What was asked for would lose or mislead; the message says why, and nothing was done."""


@dataclass(frozen=True)
class Checked:
    """A record that was checked: what is in it, and what is wrong with it."""

    contents: Contents | None
    problems: list[str]


def check(record: Path, progress: Progress | None = None) -> Checked:
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
            wrong = compared.differences(db, progress) if before else []
            return Checked(safe.contents(db), wrong + _photographs(db, record))
    except (sqlite3.Error, ValueError, AssertionError, StopIteration) as error:
        return Checked(None, [_("Its lines cannot be read: {error}.", error=error or type(error).__name__)])


def rebuild(record: Path, progress: Progress | None = None) -> list[str]:
    """Make anew, from its lines alone, all that a record keeps besides them; in one transaction.

    Returns:
        What was not as the lines say.
    Raises:
        WouldLose: there is no sound file, or nothing can follow from its lines.
        InUse: it is being served, or a probe is listened to.
    """
    found = safe.problems(record)
    if found:
        raise WouldLose(joined(" ", found))
    keep_before(record)
    with safe.nobody_has(record), opened(record) as db:
        kept.ready(db)
        try:
            return compared.put_right(db, progress)
        except kept.Unsound as error:
            raise WouldLose(_("{error}; nothing was changed.", error=error)) from error


def _photographs(db: sqlite3.Connection, record: Path) -> list[str]:
    """What is wrong with the photographs beside a record."""
    gone = photographs.missing(photographs.beside(record), list(photographs.named(db)))
    return (
        [_("{count} photographs are missing or damaged, {gone} first.", count=len(gone), gone=gone[0])]
        if gone
        else []
    )


def _names(record: Path) -> list[str]:
    with contextlib.closing(safe.only_read(record, unchanging=True)) as db:
        db.row_factory = sqlite3.Row
        return list(photographs.named(db))


def bring_photographs(source: Path, target: Path, *, link: bool) -> None:
    """Those that a copy of a record names, from beside the one to beside the other."""
    photographs.copy(_names(target), photographs.beside(source), photographs.beside(target), link=link)


def backup(record: Path, to: Path, *, thorough: bool = True) -> Contents:
    """A copy of a record, verified; it may be in use.

    Args:
        thorough: also check that all the copy keeps is what its lines say.
    Raises:
        WouldLose: there is no record, it is not sound, or a file of that name is there.
        InUse: the record is being restored or imported into.
    """
    found = safe.problems(record)
    if found:
        raise WouldLose(_("Nothing was backed up: {found}", found=joined(" ", found)))
    if to.exists():
        raise WouldLose(
            _("{to} is there already, and no backup is written over another. Name a new one.", to=to)
        )
    unfinished = to.with_name(to.name + ".part")
    with safe.held(record, alone=False), contextlib.ExitStack() as stack:
        with contextlib.suppress(OSError):
            # From a full disk to another one it goes without; then only what is killed is left over.
            stack.enter_context(under_way.noted(record, BACKUP, to=to, unfinished=unfinished))
        try:
            clear_away(unfinished)
            safe.copy(record, unfinished)
            # Those of every day share their files with the record; one made by hand stands alone.
            bring_photographs(record, unfinished, link=not thorough)
            verified = check(unfinished) if thorough else _quickly(unfinished)
            if verified.problems or verified.contents is None:
                why = joined(" ", verified.problems)
                raise WouldLose(_("The copy is not sound and was not kept: {why}", why=why))
            # A name is had only by whoever makes it; what is renamed to it then writes over nothing.
            to.touch(mode=0o600, exist_ok=False)
            try:
                photographs.move(unfinished, to)
                unfinished.replace(to)
            except BaseException:
                clear_away(to)
                raise
            under_way.settled(to.parent)
        except FileExistsError:
            raise WouldLose(
                _("{to} is there already, and no backup is written over another.", to=to)
            ) from None
        finally:
            clear_away(unfinished)
    return verified.contents


def keep_before(record: Path) -> Path | None:
    """Back up a record of an earlier version before this one brings it over; where that is done, or need not be, nothing
    happens.

    Raises:
        WouldLose: it cannot be backed up.
    """
    if not record.exists():
        return None
    with contextlib.closing(safe.only_read(record)) as db:
        recognise(db, newest_version())
        # The first versions did not number their tables.
        known = safe.has_table(db, "migration")
        version = db.execute("SELECT count(*) FROM migration").fetchone()[0] if known else 0
    if not 0 < version < newest_version():
        return None
    folder = record.parent / "backups"
    kept_as = folder / f"lumbrel-before-{newest_version()}-of-{version}.sqlite3"
    if kept_as.exists():
        return None
    unfinished = kept_as.with_name(kept_as.name + ".part")
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        clear_away(unfinished)
        safe.copy(record, unfinished)
        if found := safe.problems(unfinished):
            raise WouldLose(_("Nothing was brought over: {found}", found=joined(" ", found)))
        beside = photographs.beside(record)
        if beside.is_dir():
            # All of them: which it names, only a later version could tell.
            shutil.copytree(beside, photographs.beside(unfinished), copy_function=os.link)
        unfinished.chmod(0o600)
        photographs.move(unfinished, kept_as)
        unfinished.replace(kept_as)
    except (OSError, sqlite3.Error) as error:
        raise WouldLose(
            _(
                "The record is of an earlier version, and could not be backed up before it is brought over: {error}. "
                "Make room, or back it up by hand.",
                error=error,
            )
        ) from error
    finally:
        clear_away(unfinished)
    LOG.info("the record of an earlier version is kept as %s", kept_as)
    return kept_as


def clear_away(unfinished: Path) -> None:
    """Let go of a copy that came to nothing, with what lies beside it."""
    for side in ("", "-wal", "-shm", "-journal"):
        unfinished.with_name(unfinished.name + side).unlink(missing_ok=True)
    shutil.rmtree(photographs.beside(unfinished), ignore_errors=True)


def _quickly(copy: Path) -> Checked:
    found = safe.problems(copy)
    if found:
        return Checked(None, found)
    with opened(copy) as db:
        return Checked(safe.contents(db), [])


def keep_a_reserve(record: Path, *, make: bool = True) -> None:
    """Keep a little room on the disk, to be let go when it is full: to read a record takes some too.

    Args:
        make: where there is room and none is kept.
    """
    reserve = record.with_name(f"{record.name}.reserve")
    if disk_of(record).is_full:
        reserve.unlink(missing_ok=True)
    elif make and not reserve.exists():
        with contextlib.suppress(OSError):
            # What is random no file system stores smaller than it is.
            reserve.write_bytes(os.urandom(RESERVE_BYTES))


def for_its_owner_only(record: Path) -> None:
    """Let nobody else of this machine read what earlier versions wrote for everybody."""
    folder, backups = record.parent, record.parent / "backups"
    own = [*folder.glob(f"{record.name}*"), *folder.glob("lumbrel.log*")]
    own += [*folder.glob("lumbrel-replaced-*"), *backups.glob("lumbrel-*")]
    own += [other for other in (backups, folder / "access") if other.is_dir()]
    if set(folder.iterdir()) <= set(own):
        own.append(folder)
    for path in own:
        with contextlib.suppress(PermissionError):
            # Who serves another one's record leaves that to its owner.
            path.chmod(0o700 if path.is_dir() else 0o600)
    photographs.let_go_of_parts(record)


@dataclass(frozen=True)
class Backups:
    """The automatic backups: where they are, and how many of when."""

    folder: Path
    days: list[str]
    """Newest first."""


def automatic(folder: Path) -> Backups:
    names = folder.glob("lumbrel-*.sqlite3") if folder.is_dir() else []
    days = [match[1] for name in names if (match := AUTOMATIC.fullmatch(name.name))]
    return Backups(folder, sorted(days, reverse=True))


def back_up_today(record: Path, folder: Path, now: datetime, *, thorough: bool = False) -> bool:
    """The backup of the day, if it is not made yet; older ones go, the last fourteen and one a month
    stay. False when there was one.

    Args:
        thorough: it stands alone, sharing no file with the record.
    Raises:
        WouldLose: the record is not sound; the older backups stay as they are.
    """
    today = f"{now:%Y-%m-%d}"
    if today in automatic(folder).days:
        return False
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    for leftover in folder.glob("lumbrel-*.sqlite3.part"):
        clear_away(leftover)
    backup(record, folder / f"lumbrel-{today}.sqlite3", thorough=thorough)
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
