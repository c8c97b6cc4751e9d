"""The record itself: out and in, backed up, restored, checked."""

import argparse
import sys
from datetime import UTC, datetime
from sqlite3 import Connection

from lumbrel.commands.say import refuse
from lumbrel.commands.serving import RECORD


def export(arguments: argparse.Namespace) -> int:
    """A batch as CSV, JSON or a boil to be played again; without one the whole logbook."""
    from lumbrel.services.base.form import NotFound
    from lumbrel.services.record.kept import ready
    from lumbrel.store.db import opened

    record = arguments.data / RECORD
    if not record.exists():
        return refuse(f"there is no record in {arguments.data}")
    with opened(record) as db:
        ready(db)
        try:
            written = _written(db, arguments.batch, arguments.format)
        except NotFound as error:
            return refuse(error)
    if arguments.out is not None:
        with arguments.out.open("xb") as file:
            file.write(written)
    else:
        _print(written)
    return 0


def _print(written: bytes) -> None:
    """To standard output as it is, whatever stands there."""
    buffer = getattr(sys.stdout, "buffer", None)
    if buffer is None:
        sys.stdout.write(written.decode("utf-8", "replace"))
    else:
        buffer.write(written)
        buffer.flush()


def _written(db: Connection, code: str | None, form: str) -> bytes:
    from lumbrel.exchange import batch_files, logbook, replay_out
    from lumbrel.services.base import batch as contexts
    from lumbrel.services.base.form import NotFound

    if code is None:
        if form == "replay":
            raise NotFound("a boil is of one batch: say which")
        return logbook.as_csv_zip(db) if form == "csv" else logbook.as_json(db).encode()
    batch = contexts.load(db, code, datetime.now(UTC))
    as_text = {
        "csv": batch_files.as_csv,
        "json": batch_files.as_json,
        "replay": replay_out.as_replay,
    }
    return as_text[form](batch).encode()


def take_in(arguments: argparse.Namespace) -> int:
    """Take a logbook in, or batches of it; or say what they would bring."""
    from lumbrel.exchange import logbook, logbook_in, some_batches
    from lumbrel.services.kitchen import restoring
    from lumbrel.services.record.kept import ready
    from lumbrel.store.db import opened

    try:
        text = arguments.file.read_text(encoding="utf-8")
    except UnicodeDecodeError:
        return refuse(f"{arguments.file} is no logbook: it is not text in UTF-8.")
    arguments.data.mkdir(mode=0o700, parents=True, exist_ok=True)
    record = arguments.data / RECORD
    with restoring.importing(record, arguments.file), opened(record) as db:
        ready(db)
        try:
            if arguments.batch:
                coming = some_batches.take_in(db, text, arguments.batch, preview=arguments.preview)
            else:
                coming = logbook_in.take_in(db, text, preview=arguments.preview)
        except logbook.NotTaken as error:
            return refuse(f"{error} Nothing was written.")
    print(f"{'It would bring' if arguments.preview else 'Taken in'}: {coming}.")
    return 0


def backup(arguments: argparse.Namespace) -> int:
    """A verified copy of the record, taken while it is in use."""
    from lumbrel.services.kitchen import safekeeping

    contents = safekeeping.backup(arguments.data / RECORD, arguments.file)
    print(f"Backed up to {arguments.file}: {contents}.")
    return 0


def restore(arguments: argparse.Namespace) -> int:
    """Put a backup in the record's place."""
    from lumbrel.services.kitchen import restoring

    now = datetime.now(UTC)
    contents, replaced = restoring.restore(arguments.data / RECORD, arguments.file, now)
    print(f"Restored from {arguments.file}: {contents}.")
    if replaced:
        print(f"The record before it is now {replaced}.")
    return 0


def rebuild(arguments: argparse.Namespace) -> int:
    """Make all that is kept besides the lines anew, and say what was not as they say."""
    from lumbrel.services.kitchen import safekeeping
    from lumbrel.store.safe import InUse

    record = arguments.data / RECORD
    try:
        wrong = safekeeping.rebuild(record)
    except (safekeeping.WouldLose, InUse) as error:
        return refuse(error)
    for one in wrong:
        print(f"put right: {one}")
    print("All that is kept was made anew from the lines.")
    return 0


def check(arguments: argparse.Namespace) -> int:
    """Check a record, or a backup, and say what is in it."""
    from lumbrel.services.kitchen import safekeeping

    record = arguments.file or arguments.data / RECORD
    checked = safekeeping.check(record)
    if checked.contents is not None:
        print(f"{record}: {checked.contents}.")
    for problem in checked.problems:
        print(f"lumbrel: {problem}", file=sys.stderr)
    print("The record is damaged." if checked.problems else "The record is sound.")
    return 1 if checked.problems else 0
