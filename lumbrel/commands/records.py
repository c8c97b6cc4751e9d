"""The record itself: out and in, backed up, restored, checked."""

import argparse
import sys
from collections.abc import Iterable
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from sqlite3 import Connection

from lumbrel.commands.say import progress_of, refuse
from lumbrel.commands.serving import RECORD
from lumbrel.words import _


def export(arguments: argparse.Namespace) -> int:
    """A batch as CSV, JSON or a boil to be played again; without one the whole logbook."""
    from lumbrel.services.base.form import NotFound
    from lumbrel.services.kitchen.safekeeping import keep_before
    from lumbrel.services.record.kept import ready
    from lumbrel.store.db import opened

    record = arguments.data / RECORD
    if not record.exists():
        return refuse(_("there is no record in {data}", data=arguments.data))
    keep_before(record)
    with opened(record) as db:
        ready(db)
        try:
            parts = _written(db, arguments.batch, arguments.format)
        except NotFound as error:
            return refuse(error)
        if arguments.out is None:
            return _print(parts)
        return _into(arguments.out, parts)


def _print(parts: Iterable[bytes]) -> int:
    """To standard output as it is, whatever stands there."""
    buffer = getattr(sys.stdout, "buffer", None)
    for part in parts:
        if buffer is None:
            sys.stdout.write(part.decode("utf-8", "replace"))
        else:
            buffer.write(part)
    if buffer is not None:
        buffer.flush()
    return 0


def _into(out: Path, parts: Iterable[bytes]) -> int:
    """Into a new file; one that was not written to its end goes."""
    with out.open("xb") as file:
        try:
            file.writelines(parts)
        except BaseException:
            out.unlink(missing_ok=True)
            raise
    return 0


def _written(db: Connection, code: str | None, form: str) -> Iterable[bytes]:
    from lumbrel.exchange import batch_files, logbook, replay_out
    from lumbrel.services.base import batch as contexts
    from lumbrel.services.base.form import NotFound

    if code is None:
        if form == "replay":
            raise NotFound(_("a boil is of one batch: say which"))
        progress = progress_of(_("Written"))
        if form == "csv":
            return logbook.csv_zip_parts(db, progress)
        return (part.encode() for part in logbook.parts(db, progress))
    batch = contexts.load(db, code, datetime.now(UTC))
    as_text = {"csv": batch_files.as_csv, "json": batch_files.as_json, "replay": replay_out.as_replay}
    return [as_text[form](batch).encode()]


def take_in(arguments: argparse.Namespace) -> int:
    """Take a logbook in, or batches of it; or say what they would bring."""
    from lumbrel.exchange import logbook, logbook_in, some_batches
    from lumbrel.services.kitchen import restoring, safekeeping
    from lumbrel.services.record.kept import ready
    from lumbrel.store.db import opened

    arguments.data.mkdir(mode=0o700, parents=True, exist_ok=True)
    record = arguments.data / RECORD
    safekeeping.keep_before(record)
    take_in = logbook_in.take_in
    if arguments.batch:
        take_in = partial(some_batches.take_in, codes=arguments.batch)
    with arguments.file.open("rb") as file, restoring.importing(record, arguments.file), opened(record) as db:
        ready(db)
        try:
            coming = take_in(db, file, preview=arguments.preview, progress=progress_of(_("Read")))
        except logbook.NotTaken as error:
            return refuse(_("{error} Nothing was written.", error=error))
    print(
        _("It would bring: {coming}.", coming=coming)
        if arguments.preview
        else _("Taken in: {coming}.", coming=coming)
    )
    return 0


def backup(arguments: argparse.Namespace) -> int:
    """A verified copy of the record, taken while it is in use."""
    from lumbrel.services.kitchen import safekeeping

    contents = safekeeping.backup(arguments.data / RECORD, arguments.file)
    print(_("Backed up to {file}: {contents}.", file=arguments.file, contents=contents))
    return 0


def restore(arguments: argparse.Namespace) -> int:
    """Put a backup in the record's place; without one, say which there are."""
    from lumbrel.services.kitchen import elsewhere, restoring

    if arguments.file is None:
        lines = [f"{file}: {what}" for file, what in elsewhere.found(arguments.data, arguments.data / RECORD)]
        print("\n".join(lines) or _("No backup was found."))
        return 0 if lines else 1
    now = datetime.now(UTC)
    contents, replaced = restoring.restore(arguments.data / RECORD, arguments.file, now)
    print(_("Restored from {file}: {contents}.", file=arguments.file, contents=contents))
    if replaced:
        print(_("The record before it is now {replaced}.", replaced=replaced))
    return 0


def rebuild(arguments: argparse.Namespace) -> int:
    """Make all that is kept besides the lines anew, and say what was not as they say."""
    from lumbrel.services.kitchen import safekeeping
    from lumbrel.store.safe import InUse

    record = arguments.data / RECORD
    try:
        wrong = safekeeping.rebuild(record, progress_of(_("Made anew")))
    except (safekeeping.WouldLose, InUse) as error:
        return refuse(error)
    for one in wrong:
        print(_("repaired: {one}", one=one))
    print(_("All that is kept was made anew from the lines."))
    return 0


def check(arguments: argparse.Namespace) -> int:
    """Check a record, or a backup, and say what is in it."""
    from lumbrel.services.kitchen import safekeeping

    record = arguments.file or arguments.data / RECORD
    checked = safekeeping.check(record, progress_of(_("Checked")))
    if checked.contents is not None:
        print(f"{record}: {checked.contents}.")
    for problem in checked.problems:
        print(_("lumbrel: {problem}", problem=problem), file=sys.stderr)
    print(_("The record is damaged.") if checked.problems else _("The record is sound."))
    return 1 if checked.problems else 0
