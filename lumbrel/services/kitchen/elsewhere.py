"""Backups on another disk: a stick or a share that is filled when it is there, and named when it has not been."""

import os
import sqlite3
from collections.abc import Iterator
from contextlib import closing
from datetime import datetime, timedelta
from pathlib import Path

from lumbrel.services.base.form import BadInput, Form
from lumbrel.services.kitchen.safekeeping import back_up_today
from lumbrel.store import elsewhere as store
from lumbrel.store import safe
from lumbrel.store.db import opened, transaction
from lumbrel.store.elsewhere import Folder
from lumbrel.words import _, number

MARK = "lumbrel-backups-here"
"""Lies in the folder: where another disk is not there, its empty place has none, and nothing is written into that."""
TOO_LONG = timedelta(days=7)


def name_folder(db: sqlite3.Connection, form: Form, record: Path, now: datetime) -> None:
    """Name the folder; empty names none.

    Raises:
        BadInput: it is no folder that can be written to, or it is on the record's own side.
    """
    typed = form.text("folder")
    path = Path(typed) if typed else None
    if path:
        if not path.is_absolute() or not path.is_dir() or not os.access(path, os.W_OK | os.X_OK):
            raise BadInput(
                {"folder": _("Name a folder that is there and can be written to, as /media/stick.")}
            )
        if record.resolve().parent in (path.resolve(), *path.resolve().parents):
            raise BadInput({"folder": _("That is the kitchen’s own folder. Name one on another disk.")})
        (path / MARK).touch()
    with transaction(db):
        store.name_folder(db, path, now)


def fill(record: Path, now: datetime) -> bool:
    """Fill the folder with the backup of the day, where it is there and has none; whether it did.

    Raises:
        WouldLose: the record is not sound.
        OSError: the other disk does not take it.
    """
    with opened(record) as db:
        folder = store.second_folder(db)
        if folder is None or not (folder.path / MARK).is_file():
            return False
        if not back_up_today(record, folder.path, now, thorough=True):
            return False
        with transaction(db):
            store.filled(db, now)
        return True


def said_of(folder: Folder | None, now: datetime) -> str:
    """What is wrong with it, in a sentence; empty when all is well, or nobody named one."""
    if folder is None or now - (folder.filled_at or folder.since) <= TOO_LONG:
        return ""
    if folder.filled_at is None:
        return _("{folder} was never filled: plug that disk in.", folder=folder.path)
    days = number((now - folder.filled_at).days, 0)
    return _("{folder} was not filled for {days} days: plug that disk in.", folder=folder.path, days=days)


def found(data: Path, record: Path) -> Iterator[tuple[Path, str]]:
    """The backups that a kitchen has, newest first, each with what is in it."""
    places = [data / "backups", data]
    if record.exists():
        with closing(safe.only_read(record)) as db:
            db.row_factory = sqlite3.Row
            if safe.has_table(db, "elsewhere"):
                second = store.second_folder(db)
                places += [second.path] if second else []
    files = {file for place in places for file in place.glob("lumbrel-*.sqlite3")}
    for file in sorted(files, key=lambda one: one.stat().st_mtime, reverse=True):
        try:
            with closing(safe.only_read(file, unchanging=True)) as db:
                yield file, str(safe.contents(db))
        except sqlite3.Error:
            yield file, _("it cannot be read")
