"""The record itself: out and in, backed up, restored, checked."""

import argparse
import sys
from datetime import UTC, datetime

from lumbrel.commands.say import refuse
from lumbrel.commands.serving import RECORD


def export(arguments: argparse.Namespace) -> int:
    """A batch as CSV, JSON or a boil to be played again."""
    from lumbrel.exchange import batch_files, replay_out
    from lumbrel.services.base import batch as contexts
    from lumbrel.services.base.form import NotFound
    from lumbrel.services.record.kept import ready
    from lumbrel.store.db import opened

    record = arguments.data / RECORD
    if not record.exists():
        return refuse(f"there is no record in {arguments.data}")
    with opened(record) as db:
        ready(db)
        try:
            batch = contexts.load(db, arguments.batch, datetime.now(UTC))
        except NotFound as error:
            return refuse(error)
        written = {
            "csv": batch_files.as_csv,
            "json": batch_files.as_json,
            "replay": replay_out.as_replay,
        }
        sys.stdout.write(written[arguments.format](batch))
    return 0


def backup(arguments: argparse.Namespace) -> int:
    """A verified copy of the record, taken while it is in use."""
    from lumbrel.services.kitchen import safekeeping

    contents = safekeeping.backup(arguments.data / RECORD, arguments.file)
    print(f"Backed up to {arguments.file}: {contents}.")
    return 0


def restore(arguments: argparse.Namespace) -> int:
    """Put a backup in the record's place."""
    from lumbrel.services.kitchen import safekeeping

    now = datetime.now(UTC)
    contents, replaced = safekeeping.restore(arguments.data / RECORD, arguments.file, now)
    print(f"Restored from {arguments.file}: {contents}.")
    if replaced:
        print(f"The record before it is now {replaced}.")
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
