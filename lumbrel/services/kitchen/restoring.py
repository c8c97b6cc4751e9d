"""A record put back from its copy, and one left half-way."""

import contextlib
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

from lumbrel.services.kitchen.safekeeping import (
    BACKUP,
    IMPORT,
    RESTORE,
    WouldLose,
    bring_photographs,
    check,
    clear_away,
)
from lumbrel.store import photographs, safe, under_way
from lumbrel.store.safe import Contents
from lumbrel.words import _, joined

UNFINISHED = "restoring.sqlite3"
"""What a restore makes beside the record, before it takes its place."""


def restore(record: Path, file: Path, now: datetime) -> tuple[Contents, Path | None]:
    """Put a backup in the place of a record; what it replaces is kept beside it.

    Returns:
        What was restored, and where the record before is now; None if there was none.
    Raises:
        WouldLose: the backup is not sound.
        InUse: the record is being served.
    """
    if record.exists() and file.exists() and file.samefile(record):
        raise WouldLose(_("That is the record itself; nothing was changed."))
    verified = check(file)
    if verified.problems or verified.contents is None:
        why = joined(" ", verified.problems)
        raise WouldLose(_("{file} was not restored and nothing was changed: {why}", file=file, why=why))
    record.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
    aside = record.with_name(f"lumbrel-replaced-{now:%Y-%m-%d-%H%M%S}.sqlite3")
    unfinished = record.with_name(UNFINISHED)
    with (
        safe.nobody_has(record),
        under_way.noted(record, RESTORE, file=file, aside=aside, unfinished=unfinished) as note,
    ):
        try:
            clear_away(unfinished)
            safe.copy(file, unfinished)
            bring_photographs(file, unfinished, link=False)
        except BaseException:
            clear_away(unfinished)
            raise
        replaced = record.exists()
        note.begin()
        _put_in_place(record, unfinished, aside)
    return verified.contents, aside if replaced else None


def _put_in_place(record: Path, unfinished: Path, aside: Path) -> None:
    """Move a record aside, with what its log holds, sound or not, and another into its place. Begun and
    cut off anywhere, the same again finishes it."""
    if unfinished.exists():
        for side in ("", "-wal", "-shm"):
            part = record.with_name(record.name + side)
            if part.exists():
                part.replace(aside.with_name(aside.name + side))
        photographs.move(record, aside)
        unfinished.replace(record)
    photographs.move(unfinished, record)
    under_way.settled(record.parent)


@contextlib.contextmanager
def importing(record: Path, file: Path) -> Iterator[None]:
    """Have a record alone for an import.

    Raises:
        InUse: it is being served, or restored.
        WouldLose: there is none, though there was.
    """
    refuse_emptiness(record)
    with safe.nobody_has(record), under_way.noted(record, IMPORT, file=file):
        yield


def refuse_emptiness(record: Path) -> None:
    """No empty kitchen is opened where a full one was.

    Raises:
        WouldLose: there is no record, but there are others beside it, or what belonged to one.
    """
    if record.exists() or not record.parent.is_dir():
        return
    found = [
        *record.parent.glob("lumbrel-replaced-*.sqlite3"),
        *record.parent.glob(f"{record.name}*.photographs"),
        *record.parent.glob(f"{record.name}-wal"),
        *record.parent.glob(UNFINISHED),
        *sorted((record.parent / "backups").glob("lumbrel-*.sqlite3"))[-1:],
    ]
    if found:
        lie = ", ".join(str(file.relative_to(record.parent)) for file in found)
        raise WouldLose(
            _(
                "There is no {record} in {parent}, but what is left of one is: {lie}. Put a backup "
                "or a replaced record in its place with lumbrel restore FILE, or begin an empty "
                "kitchen in another folder.",
                record=record.name,
                parent=record.parent,
                lie=lie,
            )
        )


def recover(record: Path) -> list[str]:
    """Finish or undo what was cut off beside a record, and let go of what it left.

    Returns:
        What was done, in sentences.
    """
    if not under_way.cut_off(record) and not safe.half_written(record):
        return []
    try:
        with safe.nobody_has(record):
            said = [_recovered(record, note) for note in under_way.cut_off(record)]
            safe.roll_back(record)
            return said
    except safe.InUse:
        # Whoever has it opened it whole; the rest can wait until they are done.
        return []


def _recovered(record: Path, note: under_way.Note) -> str:
    """Finish or undo one."""
    paths = note.paths
    said = _("Something was cut off before it began; the record is as it was.")
    if note.what == RESTORE:
        if note.begun:
            _put_in_place(record, paths["unfinished"], paths["aside"])
            said = _("Restoring {paths} had been cut off, and was finished now.", paths=paths["file"])
            if paths["aside"].exists():
                said += _(" The record before it is {paths}.", paths=paths["aside"])
        else:
            clear_away(paths["unfinished"])
            said = _(
                "Restoring {paths} was cut off before it began; the record is as it was.", paths=paths["file"]
            )
    elif note.what == BACKUP:
        to = paths["to"]
        whole = to.exists() and to.stat().st_size > 0
        if not whole:
            clear_away(to)
        clear_away(paths["unfinished"])
        said = _("The backup {to} ", to=to) + (
            _("was made, and is whole.") if whole else _("was cut off; what there was of it is gone.")
        )
    elif note.what == IMPORT:
        photographs.let_go_of_parts(record)
        said = _(
            "Importing {paths} was cut off: it came whole or not at all. Import it again; what "
            "is there already does not come twice.",
            paths=paths["file"],
        )
    note.done()
    return said
