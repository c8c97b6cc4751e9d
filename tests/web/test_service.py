"""Lumbrel as a service: its unit, and what the system's manager hears of it."""

import os
import shutil
import socket
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from lumbrel.commands.service import NAME, USERS
from tests.support.safe import run

MANAGER = """#!/bin/sh
echo "$@" >> "$HOME/said"
case "$*" in *enable*) exit "${FAILS:-0}";; esac
"""


class Service(unittest.TestCase):
    def setUp(self) -> None:
        self.home = Path(self.enterContext(tempfile.TemporaryDirectory()))
        program = self.home / "systemctl"
        program.write_text(MANAGER)
        program.chmod(0o755)
        path = f"{self.home}:{os.environ['PATH']}"
        self.enterContext(mock.patch.dict(os.environ, {"HOME": str(self.home), "PATH": path}))
        self.data = self.home / 'my 100% "own" kitchen'
        self.file = self.home / USERS / NAME

    def do(self, *words: str) -> tuple[int, str, str]:
        return run("service", *words, "--data", str(self.data))

    def said(self) -> list[str]:
        return (self.home / "said").read_text().splitlines()

    def test_it_is_installed_and_taken_away(self) -> None:
        self.assertEqual(self.do("status")[0], 3)
        self.assertEqual(self.do("uninstall")[0], 2)
        done, shown, _any = self.do("install", "--dry-run")
        self.assertEqual((done, self.file.exists(), self.data.exists()), (0, False, False))
        for _twice in range(2):
            done, text, _any = self.do("install", "--port", "8000")
            self.assertEqual(done, 0)
        self.assertIn("http://127.0.0.1:8000/", text)
        self.assertEqual(shown.split("\n", 1)[1], self.file.read_text())
        self.assertIn("--user enable --now lumbrel.service", self.said())
        # Where nobody could get in it would not start, again and again.
        done, _any, why = self.do("install", "--lan")
        self.assertEqual((done, "passphrase" in why), (2, True))
        self.assertEqual(self.do("uninstall")[0], 0)
        self.assertEqual((self.file.exists(), self.data.exists()), (False, True))
        with mock.patch.dict(os.environ, {"FAILS": "1"}):
            self.assertEqual(self.do("install")[0], 2)

    def test_the_manager_takes_the_unit_and_finds_it_closed(self) -> None:
        analyze = shutil.which("systemd-analyze")
        for which in ((), ("--machine",)):
            text = self.do("install", "--dry-run", *which)[1].split("\n", 1)[1]
            self.assertIn('my 100%% \\"own\\" kitchen', text)
            self.assertIn("NoNewPrivileges=yes", text)
            self.assertNotIn("ProtectSystem=strict", text, "backups go to other disks too")
            if analyze is None:
                continue
            unit = self.home / NAME
            unit.write_text(text)
            for words in (("verify",), ("security", "--offline=true", "--threshold=49")):
                done = subprocess.run([analyze, *words, str(unit)], capture_output=True, text=True)
                self.assertEqual(done.returncode, 0, (which, words, done.stderr, done.stdout[-300:]))

    def test_the_manager_hears_that_it_answers(self) -> None:
        manager = self.enterContext(socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM))
        manager.bind(str(self.home / "notify"))
        manager.settimeout(30)
        told = {"NOTIFY_SOCKET": str(self.home / "notify"), "WATCHDOG_USEC": "600000"}
        program = Path(sys.prefix) / "bin" / "lumbrel"
        server = subprocess.Popen(
            [program, "serve", "--data", self.data, "--port", "0"],
            env=os.environ | told,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        try:
            heard = [manager.recv(100).decode() for _any in range(3)]
        finally:
            server.terminate()
            server.wait(timeout=20)
        self.assertEqual(heard, ["READY=1", "WATCHDOG=1", "WATCHDOG=1"])


if __name__ == "__main__":
    unittest.main()
