"""How the disk that a record lies on stands: a full one stops writing, not reading, and is said."""

import shutil
from dataclasses import dataclass
from pathlib import Path

from lumbrel.words import _

FULL_BYTES, LOW_BYTES = 2 * 2**20, 100 * 2**20
"""With less than the first left a line may not find room; below the second it is time to make some."""


@dataclass(frozen=True)
class Disk:
    """A disk."""

    folder: Path
    free_bytes: int

    @property
    def is_full(self) -> bool:
        """Whether nothing can be written any more."""
        return self.free_bytes < FULL_BYTES

    @property
    def said(self) -> str:
        """What is wrong with it, in a sentence; empty when all is well."""
        if self.is_full:
            return _(
                "The disk that holds {folder} is full. Nothing can be saved until there is room on "
                "it; everything can still be read.",
                folder=self.folder,
            )
        if self.free_bytes < LOW_BYTES:
            left = f"{self.free_bytes / 2**20:.0f} MB"
            return _(
                "The disk that holds {folder} has {left} left. Make room on it soon.",
                folder=self.folder,
                left=left,
            )
        return ""


def disk_of(record: Path) -> Disk:
    """The disk of a record; one that cannot be asked is not full."""
    folder = record.resolve().parent
    try:
        return Disk(folder, shutil.disk_usage(folder).free)
    except OSError:
        return Disk(folder, LOW_BYTES)
