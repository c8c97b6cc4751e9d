"""The command line: serve, demo, listen, service, compute, export, import, replay, backup, restore, rebuild,
check, doctor, addresses."""

import argparse
import gc
import os
import sys
from collections.abc import Callable, Iterable
from importlib import import_module
from pathlib import Path
from typing import Any

from lumbrel import __version__
from lumbrel.words import Language, _, asked_for, speaking

DEFAULT_DATA = Path(os.environ.get("LUMBREL_DATA", "data"))
STOPPED = 130
"""The exit code of what was stopped at the keyboard."""
Run = Callable[[argparse.Namespace], int]


def main(argv: list[str] | None = None) -> int:
    """Run a command in the terminal's language; returns the exit code."""
    with speaking(_terminals()):
        return _main(sys.argv[1:] if argv is None else argv)


def _terminals() -> Language:
    """The language that the terminal is set to, as other commands go by it."""
    named = (os.environ.get(name) for name in ("LC_ALL", "LC_MESSAGES", "LANG"))
    return asked_for(next(filter(None, named), ""))


def _main(words: list[str]) -> int:
    arguments = _parser(words[0] if words else "").parse_args(words)
    # Whatever is written is for its owner's eyes only.
    os.umask(0o077)
    try:
        if "data" in arguments:
            _recover(arguments.data)
        return int(arguments.run(arguments) or 0)
    except KeyboardInterrupt:
        print(_("lumbrel: stopped; nothing is half-written in the record"), file=sys.stderr)
        return STOPPED
    except Exception as error:
        code = _code_of(error)
        if code is None:
            raise
        print(_("lumbrel: {error}", error=error), file=sys.stderr)
        return code


def _recover(data: Path) -> None:
    """Say what was cut off beside the record, and what became of it; make a full disk readable."""
    from lumbrel.commands.serving import RECORD
    from lumbrel.services.kitchen import restoring, safekeeping

    safekeeping.keep_a_reserve(data / RECORD, make=False)
    for said in restoring.recover(data / RECORD):
        print(_("lumbrel: {said}", said=said), file=sys.stderr)


def _code_of(error: Exception) -> int | None:
    """The exit code of an error that is a sentence for a person; None for any other. What it takes
    to tell is loaded only now: a command starts the quicker."""
    import sqlite3

    from lumbrel.services.kitchen.safekeeping import WouldLose
    from lumbrel.store.db import NoRecord
    from lumbrel.store.safe import InUse

    if isinstance(error, WouldLose | NoRecord | InUse):
        return 2
    return 1 if isinstance(error, OSError | sqlite3.Error) else None


def _later(module: str, name: str) -> Run:
    """A command whose module is loaded when it runs."""

    def run(arguments: argparse.Namespace) -> int:
        command: Run = getattr(import_module(f"lumbrel.commands.{module}"), name)
        return command(arguments)

    return run


class _Help(argparse.HelpFormatter):
    """Help told in the language that is spoken; argparse by itself would format its English."""

    def add_usage(
        self,
        usage: str | None,
        actions: Iterable[argparse.Action],
        groups: Iterable[argparse._MutuallyExclusiveGroup],
        prefix: str | None = None,
    ) -> None:
        """The line of how to call it."""
        super().add_usage(usage, actions, groups, str(_("usage: ")) if prefix is None else prefix)

    def start_section(self, heading: str | None) -> None:
        """A part of the help under its name."""
        super().start_section(str(heading))

    def add_text(self, text: str | None) -> None:
        """A paragraph."""
        super().add_text(text and str(text))

    def _get_help_string(self, action: argparse.Action) -> str | None:
        return action.help and str(action.help)


class _Parser(argparse.ArgumentParser):
    """A command's words, with its own help."""

    def __init__(self, **more: Any) -> None:
        super().__init__(formatter_class=_Help, add_help=False, **more)
        self._positionals.title, self._optionals.title = _("arguments"), _("options")
        self.add_argument("-h", "--help", action="help", help=_("show this help"))


def _parser(wanted: str = "") -> argparse.ArgumentParser:
    """The parser: of one command when it is named, since to build them all takes a while."""
    parser = _Parser(prog="lumbrel", description=_("The syrup finisher’s bench, from the command line."))
    parser.add_argument("--version", action="version", version=__version__, help=_("show the version"))
    commands = parser.add_subparsers(required=True, metavar="command")
    for name, (run, text, add) in COMMANDS.items():
        if wanted in COMMANDS and name != wanted:
            continue
        sub = commands.add_parser(name, help=text, description=text)
        sub.set_defaults(run=run)
        if name not in WITHOUT_A_RECORD:
            sub.add_argument("--data", type=Path, default=DEFAULT_DATA, help=_("data folder"))
        add(sub)
    return parser


def _add_serve(sub: argparse.ArgumentParser) -> None:
    sub.add_argument("--port", type=int, default=8000, help=_("8000 if left out"))
    sub.add_argument("--host", default="127.0.0.1", help=_("another one: as --lan, on it only"))
    sub.add_argument("--lan", action="store_true", help=_("open to the kitchen's network, encrypted"))
    sub.add_argument("--lan-port", type=int, default=0, help=_("8443 if left out"))
    sub.add_argument("--plain", action="store_true", help=_("with --lan: without encryption"))
    sub.add_argument("--proxied", default="", metavar="NAME", help=_("behind a proxy of that name"))
    sub.add_argument("--passphrase-file", type=Path, help=_("take the passphrase from its first line"))
    _add_log_level(sub)


def _add_demo(sub: argparse.ArgumentParser) -> None:
    _add_serve(sub)
    sub.add_argument("--fresh", action="store_true", help=_("start over"))
    sub.add_argument("--frozen", action="store_true", help=_("stop the kitchen's clock"))
    sub.set_defaults(data=Path("demo-data"))


def _add_export(sub: argparse.ArgumentParser) -> None:
    sub.add_argument("batch", nargs="?", help=_("the batch; the whole logbook if left out"))
    sub.add_argument("--format", choices=("csv", "json", "replay"), default="json")
    sub.add_argument("--out", type=Path, help=_("a new file; standard output if left out"))


def _add_import(sub: argparse.ArgumentParser) -> None:
    _add_file(sub)
    sub.add_argument("--preview", action="store_true", help=_("only say what it would bring"))
    sub.add_argument(
        "--batch",
        action="append",
        metavar="CODE",
        help=_("only this batch, with what its figures rest on; may be given again"),
    )


def _add_replay(sub: argparse.ArgumentParser) -> None:
    sub.add_argument("file", type=Path, nargs="?", help=_("JSON lines; standard input if left out"))


def _add_file(sub: argparse.ArgumentParser) -> None:
    sub.add_argument("file", type=Path)


def _add_restore(sub: argparse.ArgumentParser) -> None:
    sub.add_argument("file", type=Path, nargs="?", help=_("a backup; without one those that there are"))


def _add_no_more(_sub: argparse.ArgumentParser) -> None:
    """It takes nothing more."""


def _add_check(sub: argparse.ArgumentParser) -> None:
    sub.add_argument("file", type=Path, nargs="?", help=_("a backup; the record if left out"))


def _add_log_level(sub: argparse.ArgumentParser) -> None:
    levels = ("debug", "info", "warning", "error")
    sub.add_argument("--log-level", choices=levels, default="info", help=_("what is logged"))


def _add_listen(sub: argparse.ArgumentParser) -> None:
    from lumbrel.devices.wires import options

    sub.add_argument("probe", help=_("name or id of the registered thermometer"))
    options(sub)
    _add_log_level(sub)


def _add_service(sub: argparse.ArgumentParser) -> None:
    sub.add_argument("what", choices=("install", "uninstall", "status"))
    sub.add_argument("--port", type=int, default=8000, help=_("8000 if left out"))
    sub.add_argument("--lan", action="store_true", help=_("open to the kitchen's network, encrypted"))
    sub.add_argument("--machine", action="store_true", help=_("of the machine, not of this user"))
    sub.add_argument("--dry-run", action="store_true", help=_("only show what would be written"))


def _add_doctor(sub: argparse.ArgumentParser) -> None:
    sub.add_argument("--port", type=int, default=8000, help=_("8000 if left out"))


def _add_compute(sub: argparse.ArgumentParser) -> None:
    sub.add_argument("calculation", nargs="?", help=_("as in /api/..., for example finish-point"))
    sub.add_argument("given", nargs="*", metavar="name=value", help=_("in SI, as the API takes them"))
    sub.add_argument("--json", action="store_true", help=_("print JSON, working included"))


Add = Callable[[argparse.ArgumentParser], None]
COMMANDS: dict[str, tuple[Run, str, Add]] = {
    "serve": (_later("serving", "serve"), _("serve your own kitchen"), _add_serve),
    "demo": (_later("serving", "demo"), _("serve the Cinderpool demonstration"), _add_demo),
    "listen": (
        _later("listening", "listen"),
        _("take a probe's readings from a serial port, a pipe, TCP"),
        _add_listen,
    ),
    "service": (
        _later("service", "service"),
        _("start it by itself, also after a power cut"),
        _add_service,
    ),
    "compute": (_later("computing", "compute"), _("one calculation of the API, offline"), _add_compute),
    "export": (
        _later("records", "export"),
        _("a batch as CSV, JSON or a boil to be played again; without one the whole logbook"),
        _add_export,
    ),
    "import": (_later("records", "take_in"), _("take a logbook in, or batches of it"), _add_import),
    "replay": (_later("replaying", "replay"), _("play a boil again"), _add_replay),
    "backup": (_later("records", "backup"), _("a verified copy, taken while it runs"), _add_file),
    "restore": (_later("records", "restore"), _("put a backup in place of the record"), _add_restore),
    "rebuild": (_later("records", "rebuild"), _("make anew what follows from the lines"), _add_no_more),
    "check": (_later("records", "check"), _("check the record, or a backup"), _add_check),
    "doctor": (_later("doctor", "doctor"), _("what is wrong with this machine, and what to do"), _add_doctor),
    "addresses": (
        _later("serving", "addresses"),
        _("every address, with who may read it and who may write to it"),
        _add_no_more,
    ),
}
WITHOUT_A_RECORD = ("compute", "replay", "addresses")


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
