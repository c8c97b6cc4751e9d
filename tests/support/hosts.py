"""A second host on a wire of its own to this machine: a network namespace, gone with its test."""

import contextlib
import itertools
import os
import shutil
import socket
import subprocess
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from playwright.sync_api import Browser

from tests.support.browser import ARGUMENTS

SECONDS = 20
IP = shutil.which("ip", path=f"{os.environ.get('PATH', '')}:/usr/sbin:/sbin") or "ip"
CAN = os.geteuid() == 0 and Path(IP).exists()
"""Only who administers a machine makes hosts on it."""
HOSTS = itertools.count()


@dataclass(frozen=True)
class OtherHost:
    """The other end of the wire."""

    name: str
    address: str
    """This machine's, as the other host calls it."""

    def command(self, *words: str) -> list[str]:
        """A command as it is run on the other host."""
        return [IP, "netns", "exec", self.name, *words]

    def run(self, *words: str) -> str:
        """Run a command there; returns what it prints."""
        done = subprocess.run(
            self.command(*words), check=True, capture_output=True, text=True, timeout=SECONDS
        )
        return done.stdout

    def wire(self, state: str) -> None:
        """Pull the wire (`down`), or put it back (`up`)."""
        _ip("-n", self.name, "link", "set", "wire", state)

    def also_is(self, count: int) -> list[str]:
        """Give it so many addresses more, as if there were as many hosts."""
        net = self.address.rpartition(".")[0]
        more = [f"{net}.{20 + n}" for n in range(count)]
        for address in more:
            _ip("-n", self.name, "addr", "add", f"{address}/24", "dev", "wire")
        return more

    @contextlib.contextmanager
    def chromium(self, beside: Browser) -> Iterator[Browser]:
        """A browser on the other host, driven as the one beside it. It takes the kitchen's
        certificate for trusted."""
        with tempfile.TemporaryDirectory() as folder:
            script = Path(folder) / "chromium"
            words = " ".join(self.command("/usr/bin/chromium"))
            script.write_text(f'#!/bin/sh\nexec {words} "$@"\n')
            script.chmod(0o700)
            browser = beside.browser_type.launch(
                executable_path=script, args=[*ARGUMENTS, "--ignore-certificate-errors"]
            )
            try:
                yield browser
            finally:
                browser.close()


@contextlib.contextmanager
def other_host() -> Iterator[OtherHost]:
    """A host for the block."""
    number = (os.getpid() + next(HOSTS)) % 250 + 1
    name, near, net = f"lumbrel-{number}", f"lumbrel{number}", f"10.213.{number}"
    _ip("netns", "add", name)
    try:
        _ip("link", "add", near, "type", "veth", "peer", "name", "wire", "netns", name)
        # No address comes later by itself: a browser gives up what it is at when one does.
        _ip("link", "set", near, "addrgenmode", "none")
        _ip("-n", name, "link", "set", "wire", "addrgenmode", "none")
        _ip("addr", "add", f"{net}.1/24", "dev", near)
        _ip("link", "set", near, "up")
        _ip("-n", name, "addr", "add", f"{net}.2/24", "dev", "wire")
        _ip("-n", name, "link", "set", "lo", "up")
        _ip("-n", name, "link", "set", "wire", "up")
        yield OtherHost(name, f"{net}.1")
    finally:
        # The wire goes with its far end, but not at once.
        _ip("link", "del", near)
        _ip("netns", "del", name)


def free_port() -> int:
    """A port that nobody has now."""
    with socket.socket() as held:
        held.bind(("", 0))
        return int(held.getsockname()[1])


def _ip(*words: str) -> None:
    subprocess.run([IP, *words], check=True, capture_output=True, timeout=SECONDS)
