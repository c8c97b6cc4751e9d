"""A broker in a process of its own, for tests, and addresses that are told things; whoever waits for them."""

import json
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import paho.mqtt.client as mqtt
from argon2 import PasswordHasher
from paho.mqtt.enums import CallbackAPIVersion

from lumbrel.services.access.certificates import Authority
from lumbrel.services.base.form import Form
from lumbrel.store.kitchen import load_kitchen
from tests.support.kitchen import KitchenCase

SERVES = """
import asyncio, json, sys
from amqtt.broker import Broker
loop = asyncio.new_event_loop()
asyncio.set_event_loop(loop)
loop.run_until_complete(Broker(json.loads(sys.argv[1]), loop=loop).start())
loop.run_forever()
"""


def free_port() -> int:
    """A port that nobody has."""
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])


class TestBroker:
    """A broker on this machine's loopback.

    Args:
        folder: where its keys and passwords lie.
        password: of the user "board"; empty: it lets everybody in.
        tls: whether it is spoken to under TLS; `authority` is then its PEM file.
    """

    __test__ = False

    def __init__(self, folder: Path, password: str = "", tls: bool = False) -> None:
        self.port, self.authority = free_port(), folder / "authority.pem"
        listener: dict[str, Any] = {"type": "tcp", "bind": f"127.0.0.1:{self.port}"}
        if tls:
            now = datetime.now(UTC)
            authority = Authority(folder, now)
            self.authority.write_bytes(authority.pem)
            leaf = authority.certify([], ["127.0.0.1"], now)
            listener |= {"ssl": True, "certfile": str(leaf.chain), "keyfile": str(leaf.key)}
        plugins: dict[str, Any] = {
            "amqtt.plugins.authentication.AnonymousAuthPlugin": {"allow_anonymous": True}
        }
        if password:
            (folder / "users").write_text(f"board:{PasswordHasher().hash(password)}\n")
            plugins = {
                "amqtt.plugins.authentication.FileAuthPlugin": {"password_file": str(folder / "users")}
            }
        config = {"listeners": {"default": listener}, "plugins": plugins}
        # A process of its own: one that is gone is gone at once.
        words = [sys.executable, "-c", SERVES, json.dumps(config)]
        self._process = subprocess.Popen(words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        ends = time.monotonic() + 20
        while time.monotonic() < ends:
            with suppress(OSError), socket.create_connection(("127.0.0.1", self.port), 1):
                return
            time.sleep(0.05)
        raise TimeoutError("the broker never answered")

    def stop(self) -> None:
        """End it."""
        self._process.kill()
        self._process.wait(10)


class House:
    """Somebody else at a broker: says things there, and hears what is said."""

    def __init__(self, port: int) -> None:
        self.heard: dict[str, str] = {}
        self.client = mqtt.Client(CallbackAPIVersion.VERSION2)
        self.client.on_message = self._hear
        self.client.on_connect = lambda client, *_any: client.subscribe("#")
        self.client.connect("127.0.0.1", port)
        self.client.loop_start()

    def _hear(self, _client: Any, _userdata: Any, message: mqtt.MQTTMessage) -> None:
        self.heard[message.topic] = bytes(message.payload).decode()

    def say(self, topic: str, said: str, *, retain: bool = False) -> None:
        """Say something."""
        self.client.publish(topic, said, retain=retain)

    def stop(self) -> None:
        """Go."""
        self.client.disconnect()
        self.client.loop_stop()


def hooks(take: Callable[[dict[str, str], bytes], int]) -> tuple[str, Callable[[], None]]:
    """An address that is told things: what it answers is up to `take`; and how it is ended."""
    from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

    class Handler(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            body = self.rfile.read(int(self.headers["content-length"]))
            self.send_response(take({k.lower(): v for k, v in self.headers.items()}, body))
            self.end_headers()

        def log_message(self, *_any: object) -> None:
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()

    def end() -> None:
        server.shutdown()
        server.server_close()

    return f"http://127.0.0.1:{server.server_address[1]}/ring", end


class Waits(KitchenCase):
    """Waits for what happens in other threads."""

    def until(self, holds: Callable[[], object], seconds: float = 12) -> None:
        """Until something holds, or fail."""
        ends = time.monotonic() + seconds
        while not holds():
            self.assertLess(time.monotonic(), ends, "it never was so")
            time.sleep(0.05)

    def form(self, **fields: str) -> Form:
        """A form as it is sent."""
        return Form(fields, load_kitchen(self.db))
