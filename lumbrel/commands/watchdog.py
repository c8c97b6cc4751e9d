"""What the system's manager is told of a server it runs: that it answers, and again and again that it still does."""

import logging
import os
import socket
import threading
import urllib.request

LOG = logging.getLogger("lumbrel.serve")
ASKED_FOR_S = 10.0


def tell(words: str) -> None:
    """Tell the manager something; where none listens, nobody."""
    address = os.environ.get("NOTIFY_SOCKET", "")
    if not address:
        return
    with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as manager:
        manager.connect(f"\0{address[1:]}" if address.startswith("@") else address)
        manager.sendall(words.encode())


def watch(host: str, port: int, stop: threading.Event) -> None:
    """Tell the manager as often as it wants that the server answers: what does not is started anew."""
    wanted_us = os.environ.get("WATCHDOG_USEC", "")
    if not os.environ.get("NOTIFY_SOCKET") or not wanted_us.isdigit():
        return
    named = f"[{host}]" if ":" in host else host

    def run() -> None:
        while not stop.wait(int(wanted_us) / 1e6 / 3):
            try:
                with urllib.request.urlopen(f"http://{named}:{port}/healthz", timeout=ASKED_FOR_S) as answer:
                    if answer.status == 200:
                        tell("WATCHDOG=1")
            except OSError as error:
                LOG.warning("it does not answer (%s)", error)

    threading.Thread(target=run, name="watchdog", daemon=True).start()
