"""Disks that are small enough to be filled."""

import os
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path


@contextmanager
def small_disk(megabytes: int = 4) -> Iterator[Path | None]:
    """A file system of its own, gone with the block; None for who may not make one."""
    folder = Path(tempfile.mkdtemp())
    words = ["mount", "-t", "tmpfs", "-o", f"size={megabytes}m", "lumbrel-small", str(folder)]
    may = os.geteuid() == 0 and not subprocess.run(words, check=False, capture_output=True).returncode
    try:
        yield folder if may else None
    finally:
        if may:
            subprocess.run(["umount", "-l", str(folder)], check=True)
        folder.rmdir()


def fill(folder: Path) -> Path:
    """Fill a disk to its last byte; the file that does it."""
    ballast = folder / "ballast"
    with ballast.open("wb", buffering=0) as file, suppress(OSError):
        while file.write(bytes(4096)):
            pass
    return ballast
