"""A real server on loopback, in this process, for browser tests and pictures."""

import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

import uvicorn

from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.server import Server
from lumbrel.web.shell.settings import Settings


@contextmanager
def served(settings: Settings) -> Iterator[str]:
    """Serve on a free port; yields the address."""
    listener = socket.socket(proto=socket.IPPROTO_TCP)
    listener.bind(("127.0.0.1", 0))
    app = create_app(settings)
    config = uvicorn.Config(app, log_level="error", access_log=False, timeout_graceful_shutdown=1)
    server = Server(app, config)
    thread = threading.Thread(target=server.run, kwargs={"sockets": [listener]}, daemon=True)
    thread.start()
    deadline = time.monotonic() + 10
    while not server.started and time.monotonic() < deadline:
        time.sleep(0.02)
    try:
        yield f"http://127.0.0.1:{listener.getsockname()[1]}"
    finally:
        server.should_exit = True
        thread.join(timeout=5)
