"""The command line: files out, backups that restore, damage that is noticed."""

import asyncio
import contextlib
import io
import json
import re
import socket
import sqlite3
from datetime import timedelta
from pathlib import Path
from unittest import mock

from lumbrel import cli, demo
from lumbrel.commands.serving import listener
from lumbrel.exchange.logbook import inert
from lumbrel.services.base import batch as contexts
from lumbrel.store.db import connect
from lumbrel.words import PSEUDO
from tests.support.kitchen import NOON, KitchenCase, season_copy
from tests.support.safe import run


class CommandLine(KitchenCase):
    def data(self) -> tuple[str, str]:
        return "--data", str(self.folder)

    def test_export(self) -> None:
        code = self.take_in()
        done, text, _ = run("export", code, *self.data())
        self.assertEqual((done, json.loads(text)["batch"]), (0, code))
        done, text, _ = run("export", code, "--format", "csv", *self.data())
        self.assertTrue(text.startswith("batch,time,noted"))
        self.assertEqual(run("export", "26-777", *self.data())[0], 2)
        self.assertEqual(run("export", code, "--data", str(self.folder / "no"))[0], 2)

    def test_a_spreadsheet_runs_nothing(self) -> None:
        for cell in ("=1+1", "+1", "-1", "@x", "\tx"):
            self.assertEqual(inert(cell), "'" + cell)
        self.assertEqual(inert("66.9"), "66.9")
        code = self.take_in()
        self.put(code, "note", 5, text="=HYPERLINK(1)")
        self.assertIn("'=HYPERLINK", run("export", code, "--format", "csv", *self.data())[1])

    def test_it_leaves_the_machine_with_a_passphrase_only(self) -> None:
        self.db.close()
        file = self.folder / "words"
        for how in (["--lan"], ["--host", "0.0.0.0"], ["--proxied", "syrup.example"]):
            with (
                mock.patch("sys.stdin", io.StringIO()),
                mock.patch("lumbrel.web.shell.server.Server.run"),
            ):
                done, _, said = run("serve", *how, "--port", "0", *self.data())
            self.assertEqual(done, 2, how)
            self.assertIn("only with a passphrase", said)
        for text, wanted in (("abc\n", "at least 10 characters"), (None, "cannot be read")):
            if text:
                file.write_text(text)
            else:
                file.unlink()
            words = ("serve", "--lan", "--passphrase-file", str(file), *self.data())
            done, _, said = run(*words)
            self.assertEqual(done, 2)
            self.assertIn(wanted, said)
        self.db = connect(self.path)
        self.addCleanup(self.db.close)

    def test_backup_and_restore(self) -> None:
        first = self.take_in()
        copy = str(self.folder / "copy.sqlite3")
        self.assertEqual(run("backup", copy, *self.data())[0], 0)
        self.put(first, "note", 5, text="after the backup")
        self.db.close()
        self.assertEqual(run("restore", copy, *self.data())[0], 0)
        self.db = connect(self.path)
        self.addCleanup(self.db.close)
        self.assertEqual(len(contexts.load(self.db, first, NOON).entries), 1)
        self.assertEqual(run("check", *self.data())[0], 0)

    def test_damage_is_noticed_and_nothing_replaced(self) -> None:
        bad = self.folder / "bad.sqlite3"
        bad.write_bytes(b"not a record at all" * 100)
        code, _, complaint = run("restore", str(bad), *self.data())
        self.assertEqual(code, 2)
        self.assertIn("nothing was changed", complaint)
        self.assertEqual(run("check", *self.data())[0], 0)
        with contextlib.closing(sqlite3.connect(self.folder / "other.sqlite3")) as empty:
            empty.execute("CREATE TABLE t (x)")
        self.assertEqual(run("restore", str(self.folder / "other.sqlite3"), *self.data())[0], 2)

    def test_it_speaks_as_the_terminal_does(self) -> None:
        left, bare = {}, re.compile(r"⟦[^⟧]*⟧|\blumbrel\b|[A-Z_]{3,}|-\S+|\{.*?\}|[\w./]*=\w+|\.\.\.", re.S)
        with mock.patch("lumbrel.cli.asked_for", lambda _named: PSEUDO):
            for name in ("", *cli.COMMANDS):
                out = io.StringIO()
                with contextlib.redirect_stdout(out), self.assertRaises(SystemExit):
                    cli.main([*([name] if name else []), "--help"])
                known = {*cli.COMMANDS, "file", "batch", "probe", "calculation", "given", "command"}
                words = set(re.findall(r"[a-z]{3,}", bare.sub(" ", out.getvalue()))) - known
                left |= {name: words} if words else {}
        self.assertEqual(left, {})
        with mock.patch.dict("os.environ", {"LC_ALL": "fr_CA.UTF-8"}):
            self.assertIn("pas de registre", run("check", "--data", str(self.folder / "no"))[2])

    def test_compute_explains_itself(self) -> None:
        code, text, _ = run("compute")
        self.assertEqual(code, 0)
        self.assertIn("hydrometer/correct", text)
        self.assertEqual(run("compute", "nothing")[0], 2)
        code, text, _ = run("compute", "finish-point", "station_pressure_hpa=957")
        self.assertIn("Margules", text)
        self.assertEqual(run("compute", "finish-point", "957")[0], 2)
        self.assertIn("station_pressure_hpa", run("compute", "finish-point")[2])


class DemoResumes(KitchenCase):
    def test_small_answers_go_out_at_once(self) -> None:
        """The event loop does not delay what it writes on a socket that is named as TCP."""
        with listener("127.0.0.1") as bound:
            bound.bind(("127.0.0.1", 0))
            bound.listen()
            with socket.create_connection(bound.getsockname()), bound.accept()[0] as came:
                transport = asyncio.run(self._served(came))
        self.assertTrue(transport)

    @staticmethod
    async def _served(came: socket.socket) -> int:
        loop = asyncio.get_running_loop()
        came.setblocking(False)
        transport, _ = await loop.connect_accepted_socket(asyncio.Protocol, came)
        there = transport.get_extra_info("socket")
        delays_nothing: int = there.getsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY)
        transport.abort()
        return delays_nothing

    def test_the_clock_stands_still_while_it_is_off(self) -> None:
        path = season_copy(Path(self.folder) / "demo")
        clock = demo.clock(path, frozen=True)
        vessel = demo.LiveVessel(path, demo.clock(path))
        vessel.start()
        vessel._stop_event.wait(2.5)
        vessel.stop()
        again = demo.clock(path, frozen=True)
        self.assertGreater(again(), clock())
        self.assertLess(again() - clock(), timedelta(seconds=10))
