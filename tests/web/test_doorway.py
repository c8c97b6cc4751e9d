"""Who is taken in, and how long somebody may say nothing: over real sockets, with short patience."""

import logging
import resource
import socket
import ssl
import tempfile
import threading
import time
import unittest
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from unittest import mock

import uvicorn
from starlette.types import Receive, Scope, Send

from lumbrel.commands.say import Seldom
from lumbrel.services.access.certificates import Authority
from lumbrel.web.shell import doorway, patience
from lumbrel.web.shell.doorway import Room, vouch_for
from lumbrel.web.shell.server import LimitedServer
from tests.support.hosts import free_port

SHORT = {
    "FIRST_HEADER_SECONDS": 0.4,
    "WHOLE_HEAD_SECONDS": 0.6,
    "IDLE_SECONDS": 1.0,
    "BODY_SECONDS": 0.6,
    "LEAST_BYTES_PER_SECOND": 50_000,
}
ENDLESS = 4.0
"""Seconds after which a connection counts as one that is never ended."""

GET = b"GET /%s HTTP/1.1\r\nHost: x\r\n\r\n"
ROOM = Room(most=12, of_an_address=10, guests=6, guests_of_an_address=4)


async def answers(scope: Scope, receive: Receive, send: Send) -> None:
    """Reads what comes, vouches for whoever asks for /known, and says how much it was."""
    if scope["path"] == "/known":
        vouch_for(scope)
    length, more = 0, True
    while more:
        message = await receive()
        if message["type"] == "http.disconnect":
            return
        length += len(message.get("body", b""))
        more = message.get("more_body", False)
    said = b"%d bytes" % length
    size = (b"content-length", b"%d" % len(said))
    await send({"type": "http.response.start", "status": 200, "headers": [size]})
    await send({"type": "http.response.body", "body": said})


class Doors(unittest.TestCase):
    def setUp(self) -> None:
        self.enterContext(mock.patch.multiple(patience, **SHORT))
        self.enterContext(mock.patch.object(doorway, "HANDSHAKE_SECONDS", 0.4))
        self.open: list[socket.socket] = []
        self.addCleanup(lambda: [one.close() for one in self.open])

    @contextmanager
    def door(self, room: Room = ROOM, tls: ssl.SSLContext | None = None) -> Iterator[None]:
        self.port = free_port()
        listening = socket.socket(proto=socket.IPPROTO_TCP)
        listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        listening.bind(("0.0.0.0", self.port))
        more = {"ssl_context_factory": lambda *_: tls} if tls else {}
        config = uvicorn.Config(answers, lifespan="off", log_config=None, timeout_keep_alive=1, **more)
        self.server = LimitedServer(config, room)
        thread = threading.Thread(target=self.server.run, kwargs={"sockets": [listening]})
        thread.start()
        while not self.server.started:
            time.sleep(0.01)
        try:
            yield
        finally:
            self.server.should_exit = True
            thread.join(10)
            self.assertFalse(thread.is_alive())

    def call(self, own: str = "127.0.0.1", said: bytes = b"") -> socket.socket:
        made = socket.create_connection(("127.0.0.1", self.port), 5, source_address=(own, 0))
        self.open.append(made)
        made.sendall(said)
        return made

    def answer(self, made: socket.socket, said: bytes = b"") -> bytes:
        """What comes back; nothing where the connection was ended."""
        came = b""
        try:
            made.settimeout(5)
            made.sendall(said)
            while b" bytes" not in came and (more := made.recv(1000)):
                came += more
        except OSError:
            return b""
        return came

    def lasts(self, made: socket.socket, drip: bytes = b"") -> float:
        """Seconds until a connection is ended, while it drips."""
        made.settimeout(0.05)
        begun = time.monotonic()
        while time.monotonic() - begun < ENDLESS:
            try:
                if drip:
                    made.sendall(drip)
                if not made.recv(1000):
                    break
            except TimeoutError:
                continue
            except OSError:
                break
        return time.monotonic() - begun

    def ends_after(self, seconds: float, lasted: float) -> None:
        """Not before its time; and it does end, however busy the machine is."""
        self.assertGreater(lasted, seconds - 0.2)
        self.assertLess(lasted, ENDLESS)

    def test_who_says_nothing_or_too_little_is_ended_in_time(self) -> None:
        post = b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 100000\r\n\r\n"
        with self.door():
            for what, said, drip, seconds in (
                ("says nothing", b"", b"", 0.4),
                ("begins", b"GET / HT", b"", 0.6),
                ("drips a head", b"GET / HTTP/1.1\r\nX: ", b"x", 0.6),
                ("drips a body", post, b"x", 0.6),
            ):
                with self.subTest(what):
                    self.ends_after(seconds, self.lasts(self.call(said=said), drip))
            for what, drip, seconds in (("is idle", b"", 1.0), ("drips its next head", b"x", 0.6)):
                with self.subTest(what):
                    served = self.call()
                    self.assertIn(b"200 OK", self.answer(served, GET % b""))
                    self.ends_after(seconds, self.lasts(served, drip))
            self.assertEqual(len(self.server._doorway._inside), 0)

    def test_a_body_that_comes_at_a_fair_pace_is_read_whole(self) -> None:
        with self.door():
            made = self.call(said=b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 360000\r\n\r\n")
            for _ in range(12):
                made.sendall(bytes(30_000))
                time.sleep(0.11)
            self.assertIn(b"360000 bytes", self.answer(made))
            # It is idle now, not late with a body.
            time.sleep(0.7)
            self.assertIn(b"0 bytes", self.answer(made, GET % b""))

    def test_the_guest_that_has_been_silent_longest_goes_and_who_is_known_stays(self) -> None:
        with self.door(), self.assertLogs("lumbrel.connections", "WARNING"):
            known = self.call()
            self.assertIn(b"200", self.answer(known, GET % b"known"))
            silent = [self.call() for _ in range(5)]
            time.sleep(0.1)
            self.assertEqual(self.answer(silent[0], GET % b""), b"")
            for one in (known, silent[1], silent[4]):
                self.assertIn(b"200", self.answer(one, GET % b""))

    def test_an_address_with_many_leaves_room_for_others(self) -> None:
        with self.door():
            of_one = [self.call("127.0.0.2") for _ in range(4)]
            of_others = [self.call(f"127.0.0.{n}") for n in (3, 4, 5)]
            time.sleep(0.1)
            self.assertEqual(self.answer(of_one[0], GET % b""), b"", "six guests are all there are")
            for one in of_others:
                self.assertIn(b"200", self.answer(one, GET % b""))

    def test_the_known_are_bounded_too_and_those_that_are_answered_stay(self) -> None:
        head = b"POST /known HTTP/1.1\r\nHost: x\r\nContent-Length: 5\r\n\r\n"
        with self.door(), mock.patch.object(patience, "BODY_SECONDS", 9.0):
            idle = []
            for _ in range(10):
                idle.append(self.call("127.0.0.2"))
                self.assertIn(b"200", self.answer(idle[-1], GET % b"known"))
            one_more = self.call("127.0.0.2")
            self.assertIn(b"200", self.answer(one_more, GET % b"known"))
            self.assertEqual(self.answer(idle[0], GET % b"known"), b"", "the oldest that is idle")
            busy = []
            for n in (3, 3, 3, 3, 3, 3, 4, 4, 4, 4, 4, 4):
                busy.append(self.call(f"127.0.0.{n}", head))
                time.sleep(0.05)
            self.assertEqual(self.answer(self.call("127.0.0.5"), GET % b"known"), b"")
            for one in busy:
                self.assertIn(b"5 bytes", self.answer(one, b"12345"))

    def test_a_handshake_that_does_not_end_is_ended(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            now = datetime.now(UTC)
            own = Authority(Path(folder), now).certify([], ["127.0.0.1"], now)
            tls = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
            tls.load_cert_chain(own.chain, own.key)
        anybody = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
        anybody.check_hostname, anybody.verify_mode = False, ssl.CERT_NONE
        with self.door(tls=tls):
            self.assertAlmostEqual(self.lasts(self.call()), 0.4, delta=0.3)
            self.enterContext(mock.patch.object(doorway, "HANDSHAKE_SECONDS", 9.0))
            silent = [self.call() for _ in range(9)]
            self.assertLess(self.lasts(silent[0]), 0.5, "too many shake hands")
            sealed = anybody.wrap_socket(self.call())
            self.open.append(sealed)
            self.assertIn(b"200", self.answer(sealed, GET % b""))

    def test_running_out_of_files_spins_not_and_passes(self) -> None:
        wide = Room(most=400, of_an_address=400, guests=400, guests_of_an_address=400)
        soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
        self.addCleanup(resource.setrlimit, resource.RLIMIT_NOFILE, (soft, hard))
        calls = [socket.socket() for _ in range(120)]
        self.open += calls
        with self.door(wide), self.assertLogs("lumbrel.connections", "WARNING") as told:
            resource.setrlimit(resource.RLIMIT_NOFILE, (self.next_file() + 25, hard))
            began = time.process_time()
            for one in calls:
                one.connect(("127.0.0.1", self.port))
            time.sleep(1.0)
            self.assertLess(time.process_time() - began, 0.6)
            self.assertIn(b"200", self.answer(calls[-1], GET % b""))
            resource.setrlimit(resource.RLIMIT_NOFILE, (soft, hard))
        seldom = Seldom()
        written = [record for record in told.records if seldom.filter(record)]
        self.assertLessEqual(len(written), 2, "a line of each place a minute")

    def next_file(self) -> int:
        """The number that the next open file gets."""
        with Path("/dev/null").open() as file:
            return file.fileno()

    def test_the_machines_own_door_keeps_its_share(self) -> None:
        for limit in (256, 1024, 100_000):
            asked = mock.patch("resource.getrlimit", lambda _, limit=limit: (limit, limit))
            with asked, mock.patch("resource.setrlimit"):
                most = doorway.room_for_the_network().most
            if limit >= 1024:
                self.assertGreater(most, 200)
                self.assertLess(most + doorway.MOST_HERE + doorway.FILES_ELSEWHERE, limit)
            self.assertGreaterEqual(most, 16)


class TestSeldom(unittest.TestCase):
    def test_a_flood_is_a_line_a_minute_and_says_how_much_it_was(self) -> None:
        seldom, written = Seldom(), []
        for second in range(180):
            for name in ("lumbrel.connections", "lumbrel.web"):
                line = logging.LogRecord(name, logging.WARNING, "x.py", 7, "full", None, None)
                line.created = 1000.0 + second
                for _ in ("to the screen", "to the file"):
                    if seldom.filter(line):
                        written.append(line.getMessage() if "conn" in name else "web")
        self.assertEqual(written.count("web"), 360)
        many = "full (and 59 more like it)"
        self.assertEqual([w for w in written if w != "web"], ["full"] * 2 + [many] * 4)
