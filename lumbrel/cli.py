"""The command line: serve, demo, listen, compute, export, backup, restore, check."""

import argparse
import contextlib
import json
import os
import shutil
import sqlite3
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lumbrel import __version__

if TYPE_CHECKING:
    from lumbrel.services.base.calculation import Answer

DEFAULT_DATA = Path(os.environ.get("LUMBREL_DATA", "data"))


def main(argv: list[str] | None = None) -> int:
    """Run a command; returns the exit code."""
    parser = _parser()
    arguments = parser.parse_args(argv)
    try:
        return int(arguments.run(arguments) or 0)
    except (OSError, sqlite3.Error) as error:
        print(f"lumbrel: {error}", file=sys.stderr)
        return 1


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="lumbrel", description=__doc__)
    parser.add_argument("--version", action="version", version=__version__)
    commands = parser.add_subparsers(required=True, metavar="command")

    def command(name: str, run: Any, text: str, data: bool = True) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=text, description=text)
        sub.set_defaults(run=run)
        if data:
            sub.add_argument("--data", type=Path, default=DEFAULT_DATA, help="data folder")
        return sub

    for name, run, text in (
        ("serve", _serve, "serve your own kitchen"),
        ("demo", _demo, "serve the Cinderpool demonstration"),
    ):
        sub = command(name, run, text)
        sub.add_argument("--port", type=int, default=8000)
        sub.add_argument("--host", default="127.0.0.1")
        if name == "demo":
            sub.add_argument("--fresh", action="store_true", help="start over")
            sub.add_argument("--frozen", action="store_true", help="stop the kitchen's clock")
            sub.set_defaults(data=Path("demo-data"))
    sub = command("listen", _listen, "take a probe's readings from a serial port, pipe or TCP")
    sub.add_argument("probe", help="name or id of the registered thermometer")
    sub.add_argument("--tcp", default="", metavar="HOST:PORT")
    sub.add_argument("--serial", default="", metavar="DEVICE")
    sub.add_argument("--baud", type=int, default=9600)
    sub.add_argument("--pipe", default="", metavar="PATH")
    sub.add_argument("--simulated", action="store_true", help="a simulated probe, to try it out")
    sub = command("compute", _compute, "one calculation of the API, offline", data=False)
    sub.add_argument("calculation", nargs="?", help="as in /api/..., for example finish-point")
    sub.add_argument("given", nargs="*", metavar="name=value", help="in SI, as the API takes them")
    sub.add_argument("--json", action="store_true", help="print JSON, working included")
    sub = command("export", _export, "a batch as CSV or JSON")
    sub.add_argument("batch")
    sub.add_argument("--format", choices=("csv", "json"), default="json")
    sub = command("backup", _backup, "a consistent copy of the record, taken while it runs")
    sub.add_argument("file", type=Path)
    sub = command("restore", _restore, "put a backup in place of the record")
    sub.add_argument("file", type=Path)
    command("check", _check, "check the record's integrity")
    return parser


def _database(arguments: argparse.Namespace) -> Path:
    path: Path = arguments.data / "lumbrel.sqlite3"
    return path


def _serve(arguments: argparse.Namespace) -> int:
    from lumbrel.web.shell.settings import Settings

    arguments.data.mkdir(parents=True, exist_ok=True)
    return _run(Settings(_database(arguments), allowed_hosts=_hosts(arguments.host)), arguments)


def _demo(arguments: argparse.Namespace) -> int:
    from lumbrel import demo
    from lumbrel.web.shell.settings import Settings

    path = demo.database(arguments.data)
    if arguments.fresh:
        for old in arguments.data.glob("lumbrel.sqlite3*"):
            old.unlink()
    if not path.exists():
        print("Making the Cinderpool season ...", flush=True)
        demo.make(path)
    clock = demo.clock(path, arguments.frozen)
    live = None if arguments.frozen else demo.LiveVessel(path, clock)
    if live:
        live.start()
    settings = Settings(
        path,
        clock,
        _hosts(arguments.host),
        demo=True,
        refresh_seconds=0 if arguments.frozen else 1.0,
    )
    try:
        return _run(settings, arguments)
    finally:
        if live:
            live.stop()


def _listen(arguments: argparse.Namespace) -> int:
    import threading

    from lumbrel.devices.protocols import ProbeSource
    from lumbrel.listen import listen, simulated_source, source_of
    from lumbrel.services.record.kept import ready
    from lumbrel.store.db import opened
    from lumbrel.store.instruments import ThermometerDetail, instruments_of

    try:
        source: ProbeSource = (
            simulated_source()
            if arguments.simulated
            else source_of(arguments.tcp, arguments.serial, arguments.baud, arguments.pipe)
        )
    except ValueError as error:
        print(f"lumbrel: {error}", file=sys.stderr)
        return 2
    with opened(_database(arguments)) as db:
        ready(db)
        known = instruments_of(db, ThermometerDetail)
    probe = next((i for i in known if arguments.probe in (i.id, i.name)), None)
    if probe is None:
        names = ", ".join(i.name for i in known) or "none yet"
        print(f"lumbrel: no such thermometer; registered: {names}", file=sys.stderr)
        return 2
    try:
        listen(_database(arguments), probe.id, source, threading.Event())
    except KeyboardInterrupt:
        print("Stopped listening.")
    return 0


def _hosts(host: str) -> tuple[str, ...]:
    return tuple({"127.0.0.1", "localhost", "[::1]", host})


def _run(settings: Any, arguments: argparse.Namespace) -> int:
    import uvicorn

    from lumbrel.web.shell.app import create_app
    from lumbrel.web.shell.server import Server

    print(f"Lumbrel is at http://{arguments.host}:{arguments.port}/", flush=True)
    app = create_app(settings)
    config = uvicorn.Config(
        app,
        host=arguments.host,
        port=arguments.port,
        log_level="warning",
        timeout_graceful_shutdown=2,
        access_log=False,
    )
    with contextlib.suppress(KeyboardInterrupt):
        Server(app, config).run()
    return 0


def _compute(arguments: argparse.Namespace) -> int:
    from pydantic import ValidationError

    from lumbrel.core.errors import OutOfRange
    from lumbrel.services.stations import CALCULATIONS

    by_name = {calculation.name: calculation for calculation in CALCULATIONS}
    if arguments.calculation not in by_name:
        for calculation in CALCULATIONS:
            names = ", ".join(calculation.request.model_fields)
            print(f"{calculation.name:24} {calculation.summary}\n{'':24} {names}")
        return 0 if arguments.calculation is None else 2
    calculation = by_name[arguments.calculation]
    unnamed = next((pair for pair in arguments.given if "=" not in pair), None)
    if unnamed is not None:
        print(f"lumbrel: write name=value, not {unnamed!r}", file=sys.stderr)
        return 2
    try:
        answer = calculation.run(calculation.request.model_validate(_given(arguments.given)))
    except OutOfRange as error:
        print(f"lumbrel: {error.sentence}", file=sys.stderr)
        return 2
    except ValidationError as error:
        for one in error.errors():
            place = ".".join(str(part) for part in one["loc"])
            print(f"lumbrel: {place}: {one['msg']}", file=sys.stderr)
        return 2
    if arguments.json:
        print(answer.model_dump_json(indent=2))
    else:
        _print_answer(answer)
    return 0


def _given(pairs: list[str]) -> dict[str, Any]:
    """What was written as name=value: JSON where it reads as such, else text."""
    given: dict[str, Any] = {}
    for pair in pairs:
        name, _, text = pair.partition("=")
        try:
            given[name] = json.loads(text)
        except ValueError:
            given[name] = text
    return given


def _print_answer(answer: "Answer") -> None:
    for name, value in answer.model_dump(exclude={"working"}).items():
        print(f"{name} = {value}")
    for step in answer.working:
        value = f"{step.value:.4f}" if isinstance(step.value, float) else step.value
        source = f"  ({step.source})" if step.source else ""
        print(f"    {step.label}: {value} {step.unit}{source}")


def _export(arguments: argparse.Namespace) -> int:
    from datetime import UTC, datetime

    from lumbrel.exchange import batch_files
    from lumbrel.services.base import batch as contexts
    from lumbrel.services.base.form import NotFound
    from lumbrel.store.db import opened

    path = _database(arguments)
    if not path.exists():
        print(f"lumbrel: there is no record in {arguments.data}", file=sys.stderr)
        return 2
    with opened(path) as db:
        try:
            batch = contexts.load(db, arguments.batch, datetime.now(UTC))
        except NotFound as error:
            print(f"lumbrel: {error}", file=sys.stderr)
            return 2
        as_text = batch_files.as_csv if arguments.format == "csv" else batch_files.as_json
        sys.stdout.write(as_text(batch))
    return 0


def _backup(arguments: argparse.Namespace) -> int:
    from lumbrel.store.db import opened

    unfinished = arguments.file.with_name(arguments.file.name + ".part")
    with opened(_database(arguments)) as db:
        copy = sqlite3.connect(unfinished)
        try:
            db.backup(copy)
        finally:
            copy.close()
    unfinished.replace(arguments.file)
    print(f"Backed up to {arguments.file}")
    return 0


def _restore(arguments: argparse.Namespace) -> int:
    if not _sound(arguments.file):
        print(
            f"lumbrel: {arguments.file} is not a sound record; nothing was changed", file=sys.stderr
        )
        return 2
    path = _database(arguments)
    arguments.data.mkdir(parents=True, exist_ok=True)
    unfinished = path.with_name("restoring.sqlite3")
    shutil.copyfile(arguments.file, unfinished)
    for side in ("-wal", "-shm"):
        path.with_name(path.name + side).unlink(missing_ok=True)
    unfinished.replace(path)
    print(f"Restored from {arguments.file}")
    return 0


def _check(arguments: argparse.Namespace) -> int:
    sound = _sound(_database(arguments))
    print("The record is sound." if sound else "The record is damaged or missing.")
    return 0 if sound else 1


def _sound(path: Path) -> bool:
    if not path.exists():
        return False
    try:
        db = sqlite3.connect(f"file:{path}?mode=ro", uri=True)
        try:
            return (
                db.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
                and not db.execute("PRAGMA foreign_key_check").fetchall()
                and bool(db.execute("SELECT 1 FROM migration").fetchone())
            )
        finally:
            db.close()
    except sqlite3.Error:
        return False


if __name__ == "__main__":
    sys.exit(main())
