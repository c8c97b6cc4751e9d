"""A folder into which a data logger writes: what it adds to its newest file is read line by line."""

import threading
from argparse import Namespace
from collections.abc import Generator, Sequence
from pathlib import Path

from lumbrel.devices.lines import LinesAwaited, LineSource
from lumbrel.devices.wires import Listened, Nearby, wire
from lumbrel.words import _

SUFFIXES = (".csv", ".txt", ".log", ".tsv")
EVERY_S = 1.0
MOST_AT_ONCE = 65_536
NO_FOLDER = _("There is no such folder on this machine.")


def newest(folder: Path) -> Path | None:
    """The file that was written last; None where there is none."""
    files = [one for one in folder.iterdir() if one.suffix.lower() in SUFFIXES]
    return max(files, key=lambda one: (one.stat().st_mtime_ns, one.name), default=None)


def nearby(named: Sequence[str]) -> list[Nearby]:
    """The folders that somebody named."""
    return [Nearby(one, _("Files in {folder}", folder=one)) for one in named]


def at(address: str, stop: threading.Event) -> LineSource:
    """What is added from now on, also in files that are newer."""
    folder = Path(address)

    def connect() -> LinesAwaited:
        if not folder.is_dir():
            raise OSError(NO_FOLDER)
        added = _added(folder, stop)
        return LinesAwaited(lambda: next(added, b""), added.close, stop)

    return LineSource(connect)


def _added(folder: Path, stop: threading.Event) -> Generator[bytes | None, None, None]:
    """What was added, bit by bit; None while nothing was. What stood there before is not new."""
    file = newest(folder)
    place = file.stat().st_size if file else 0
    while not stop.wait(EVERY_S):
        if not folder.is_dir():
            raise OSError(NO_FOLDER)
        now = newest(folder)
        if now is not None and now != file:
            # The end of the old one is read first.
            if file and file.exists() and (rest := _read(file, place)):
                yield rest + b"\n"
            file, place = now, 0
        more = _read(file, place) if file and file.exists() else b""
        place += len(more)
        yield more or None


def _read(file: Path, place: int) -> bytes:
    with file.open("rb") as stream:
        stream.seek(place)
        return stream.read(MOST_AT_ONCE)


@wire("folder", "PATH", _("a folder into which a logger writes files"), heard=Listened(nearby, at, 180.0))
def folder(arguments: Namespace) -> LineSource:
    """What is added there."""
    return at(arguments.folder, threading.Event())
