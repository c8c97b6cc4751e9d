"""The command line: serve, demo, listen, compute, export, import, replay, backup, restore, check."""

import argparse
import gc
import os
import sys
from collections.abc import Callable
from importlib import import_module
from pathlib import Path

from lumbrel import __version__

DEFAULT_DATA = Path(os.environ.get("LUMBREL_DATA", "data"))
Run = Callable[[argparse.Namespace], int]


def main(argv: list[str] | None = None) -> int:
    """Run a command; returns the exit code."""
    arguments = _parser().parse_args(argv)
    try:
        return int(arguments.run(arguments) or 0)
    except Exception as error:
        code = _code_of(error)
        if code is None:
            raise
        print(f"lumbrel: {error}", file=sys.stderr)
        return code


def _code_of(error: Exception) -> int | None:
    """The exit code of an error that is a sentence for a person; None for any other. What it takes
    to tell is loaded only now: a command starts the quicker."""
    import sqlite3

    from lumbrel.services.kitchen.safekeeping import Refused
    from lumbrel.store.db import NoRecord
    from lumbrel.store.safe import InUse

    if isinstance(error, Refused | NoRecord | InUse):
        return 2
    return 1 if isinstance(error, OSError | sqlite3.Error) else None


def _later(module: str, name: str) -> Run:
    """A command whose module is loaded when it runs."""

    def run(arguments: argparse.Namespace) -> int:
        command: Run = getattr(import_module(f"lumbrel.commands.{module}"), name)
        return command(arguments)

    return run


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="lumbrel", description=__doc__)
    parser.add_argument("--version", action="version", version=__version__)
    commands = parser.add_subparsers(required=True, metavar="command")

    def command(name: str, run: Run, text: str, data: bool = True) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=text, description=text)
        sub.set_defaults(run=run)
        if data:
            sub.add_argument("--data", type=Path, default=DEFAULT_DATA, help="data folder")
        return sub

    for name, text in (
        ("serve", "serve your own kitchen"),
        ("demo", "serve the Cinderpool demonstration"),
    ):
        sub = command(name, _later("serving", name), text)
        sub.add_argument("--port", type=int, default=8000)
        sub.add_argument("--host", default="127.0.0.1")
        _add_log_level(sub)
        if name == "demo":
            sub.add_argument("--fresh", action="store_true", help="start over")
            sub.add_argument("--frozen", action="store_true", help="stop the kitchen's clock")
            sub.set_defaults(data=Path("demo-data"))
    _add_listen(
        command(
            "listen",
            _later("listening", "listen"),
            "take a probe's readings from a serial port, pipe or TCP",
        )
    )
    _add_compute(
        command("compute", _later("computing", "compute"), "one calculation of the API", data=False)
    )
    text = "a batch as CSV, JSON or a boil to be played again; without one the whole logbook"
    sub = command("export", _later("records", "export"), text)
    sub.add_argument("batch", nargs="?", help="the batch; the whole logbook if left out")
    sub.add_argument("--format", choices=("csv", "json", "replay"), default="json")
    sub.add_argument(
        "--out", type=Path, help="a file that is not there yet; standard output if left out"
    )
    sub = command("import", _later("records", "take_in"), "take a whole logbook in")
    sub.add_argument("file", type=Path)
    sub.add_argument("--preview", action="store_true", help="only say what it would bring")
    sub = command("replay", _later("replaying", "replay"), "play a boil again", data=False)
    sub.add_argument("file", type=Path, nargs="?", help="JSON lines; standard input if left out")
    sub = command("backup", _later("records", "backup"), "a verified copy, taken while it runs")
    sub.add_argument("file", type=Path)
    sub = command("restore", _later("records", "restore"), "put a backup in place of the record")
    sub.add_argument("file", type=Path)
    sub = command("check", _later("records", "check"), "check the record, or a backup")
    sub.add_argument("file", type=Path, nargs="?", help="a backup; the record if left out")
    return parser


def _add_log_level(sub: argparse.ArgumentParser) -> None:
    levels = ("debug", "info", "warning", "error")
    sub.add_argument("--log-level", choices=levels, default="info", help="what is logged")


def _add_listen(sub: argparse.ArgumentParser) -> None:
    sub.add_argument("probe", help="name or id of the registered thermometer")
    sub.add_argument("--tcp", default="", metavar="HOST:PORT")
    sub.add_argument("--serial", default="", metavar="DEVICE")
    sub.add_argument("--baud", type=int, default=9600)
    sub.add_argument("--pipe", default="", metavar="PATH")
    sub.add_argument("--simulated", action="store_true", help="a simulated probe, to try it out")
    _add_log_level(sub)


def _add_compute(sub: argparse.ArgumentParser) -> None:
    sub.add_argument("calculation", nargs="?", help="as in /api/..., for example finish-point")
    sub.add_argument("given", nargs="*", metavar="name=value", help="in SI, as the API takes them")
    sub.add_argument("--json", action="store_true", help="print JSON, working included")


def run() -> None:
    """Run as a process of its own. A sum is printed and done: no plugins are looked for, nothing is
    collected, and the interpreter is not taken down in order, which would take as long as the sum."""
    only_a_sum = sys.argv[1:2] == ["compute"]
    if only_a_sum:
        os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "1")
        gc.disable()
    code = main()
    if only_a_sum:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)
    sys.exit(code)


if __name__ == "__main__":
    run()
