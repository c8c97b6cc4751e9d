"""A broker in a thread of its own, for tests."""

import asyncio
import logging
import socket
import threading
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import paho.mqtt.client as mqtt
from amqtt.broker import Broker
from argon2 import PasswordHasher
from paho.mqtt.enums import CallbackAPIVersion

from lumbrel.services.access.certificates import Authority

logging.getLogger("amqtt").setLevel(logging.CRITICAL)
logging.getLogger("transitions").setLevel(logging.CRITICAL)


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
        self._config = {"listeners": {"default": listener}, "plugins": plugins}
        self._loop = asyncio.new_event_loop()
        self._broker: Broker | None = None
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._up = threading.Event()
        self._thread.start()
        self._up.wait(10)

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        self._broker = Broker(self._config, loop=self._loop)
        self._loop.run_until_complete(self._broker.start())
        self._up.set()
        self._loop.run_forever()

    def stop(self) -> None:
        """End it."""
        if self._thread.is_alive() and self._broker:
            asyncio.run_coroutine_threadsafe(self._broker.shutdown(), self._loop).result(10)
            self._loop.call_soon_threadsafe(self._loop.stop)
            self._thread.join(5)


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
