"""A named pipe, or any file that grows."""

from argparse import Namespace
from pathlib import Path

from lumbrel.devices.lines import LineSource
from lumbrel.devices.wires import wire
from lumbrel.words import _


@wire("pipe", "PATH", _("a named pipe, or a file that grows"))
def pipe(arguments: Namespace) -> LineSource:
    """What comes through it."""
    return LineSource(lambda: Path(arguments.pipe).open("rb"))
