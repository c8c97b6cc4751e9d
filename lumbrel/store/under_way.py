"""What is under way beside a record, noted so that whoever starts next knows what was cut off.

A note is a file beside the record, locked for as long as whoever wrote it lives; it goes when the work
is done. One that nobody holds any more is of work that was cut off.
"""

import fcntl
import json
import os
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from uuid import uuid4

MARK = ".under-way-"


@dataclass
class Note:
    """What is, or was, under way."""

    file: Path
    what: str
    paths: dict[str, Path]
    """The files that it is about, by what they are to it."""
    begun: bool
    """Whether it came to the steps that must be finished once they are begun."""

    def begin(self) -> None:
        """From here on it must be finished."""
        self.begun = True
        with self.file.open("ab") as file:
            file.write(b"begun\n")
            file.flush()
            os.fsync(file.fileno())

    def done(self) -> None:
        """It came to its end, or was undone."""
        self.file.unlink(missing_ok=True)
        settled(self.file.parent)


@contextmanager
def noted(record: Path, what: str, **paths: Path) -> Iterator[Note]:
    """Note beside a record what is under way, for the block.

    Raises:
        OSError: it cannot be noted.
    """
    file = record.with_name(f"{record.name}{MARK}{what}-{uuid4().hex[:8]}")
    note = Note(file, what, paths, begun=False)
    handle = os.open(file, os.O_RDWR | os.O_CREAT | os.O_EXCL, 0o600)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX)
        written = {name: str(path.resolve()) for name, path in paths.items()}
        os.write(handle, json.dumps({"what": what, "paths": written}).encode() + b"\n")
        os.fsync(handle)
        settled(file.parent)
        yield note
    except BaseException:
        # What is refused was undone by whoever refused it, but for what must be finished.
        if not note.begun:
            note.done()
        raise
    else:
        note.done()
    finally:
        os.close(handle)


def cut_off(record: Path) -> list[Note]:
    """The notes beside a record that nobody holds any more."""
    return [
        note
        for file in sorted(record.parent.glob(f"{record.name}{MARK}*"))
        if (note := _read(file)) is not None
    ]


def _read(file: Path) -> Note | None:
    """A note that nobody holds; None while somebody does."""
    with suppress(FileNotFoundError), file.open("rb") as held:
        try:
            fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            return None
        first, *more = held.read().split(b"\n")
        try:
            said = json.loads(first)
        except ValueError:
            # Cut off before it was written: nothing was begun.
            return Note(file, "", {}, begun=False)
        paths = {name: Path(path) for name, path in said["paths"].items()}
        return Note(file, said["what"], paths, begun=b"begun" in more)
    return None


def settled(folder: Path) -> None:
    """Make sure that the names in a folder are on the disk."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
