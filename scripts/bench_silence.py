"""What strangers who say nothing cost the others: from a second host in a network namespace, 1,100
connections are held open, first without and then with a handshake, against a server that may open 1,024
files; meanwhile the machine's own page, a paired device's page and two probes.

    bench_silence.py            3 minutes, as an administrator
"""

import contextlib
import http.client
import json
import select
import socket
import ssl
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.parse
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

HELD, HELD_SECONDS, FILES = 1100, 60.0, 1024
PROBES = 2


def _trusting() -> ssl.SSLContext:
    made = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    made.check_hostname, made.verify_mode = False, ssl.CERT_NONE
    return made


def silent(address: str, port: str, how: str, seconds: str) -> None:
    """On the other host: hold so many connections that say nothing; each that is ended is made anew."""
    until, held, made = time.monotonic() + float(seconds), [], 0
    context = _trusting()
    poll = select.poll()
    by_file: dict[int, socket.socket] = {}
    while time.monotonic() < until:
        while len(held) < HELD and time.monotonic() < until:
            with contextlib.suppress(OSError):
                one = socket.create_connection((address, int(port)), 3)
                if how == "tls":
                    one = context.wrap_socket(one)
                held.append(one)
                by_file[one.fileno()] = one
                poll.register(one, select.POLLIN)
                made += 1
            if made % 50 == 0:
                break
        for file, _ in poll.poll(100):
            poll.unregister(file)
            ended = by_file.pop(file)
            held.remove(ended)
            ended.close()
    print(json.dumps({"made": made}))


def others(address: str, port: str, code: str, tokens: str, seconds: str) -> None:
    """On the other host: a device that is let in and looks at a page, and two probes that send."""
    until = time.monotonic() + float(seconds)
    took: list[float] = []
    acknowledged: list[list[str]] = []
    lost = [0]

    def connect() -> http.client.HTTPConnection:
        return http.client.HTTPSConnection(address, int(port), timeout=10, context=_trusting())

    def looks() -> None:
        body = urllib.parse.urlencode({"code": code, "name": "phone", "initials": "AB"})
        form = {"Content-Type": "application/x-www-form-urlencoded"}
        wire = connect()
        wire.request("POST", "/enter", body, form)
        answer = wire.getresponse()
        answer.read()
        cookie = (answer.getheader("set-cookie") or "").partition(";")[0]
        while time.monotonic() < until:
            begun = time.monotonic()
            for _ in range(5):
                with contextlib.suppress(OSError, http.client.HTTPException):
                    wire = connect()
                    wire.request("GET", "/wall", headers={"Cookie": cookie})
                    answer = wire.getresponse()
                    answer.read()
                    assert answer.status == 200, answer.status
                    break
            took.append(time.monotonic() - begun)
            time.sleep(0.5)

    def sends(token: str) -> None:
        head = {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
        wire = connect()
        while time.monotonic() < until:
            at = datetime.now(UTC).isoformat(timespec="milliseconds")
            body = json.dumps({"samples": [{"temperature_c": 101.0, "at": at}]})
            for _ in range(10):
                try:
                    wire.request("POST", "/api/probes/samples", body, head)
                    answer = wire.getresponse()
                    if answer.status == 200 and json.loads(answer.read())["kept"] == 1:
                        acknowledged.append([token, at])
                        break
                except (OSError, http.client.HTTPException):
                    wire = connect()
                    time.sleep(0.2)
            else:
                lost[0] += 1
            time.sleep(1)

    _all(looks, *(lambda token=token: sends(token) for token in tokens.split(",")))
    print(json.dumps({"took": took, "acknowledged": acknowledged, "lost": lost[0]}))


def _all(*jobs: Callable[[], None]) -> None:
    threads = [threading.Thread(target=job) for job in jobs]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()


def _own_page(at: int, seconds: float) -> list[float]:
    """How long the machine's own first page takes, again and again."""
    took, until = [], time.monotonic() + seconds
    while time.monotonic() < until:
        begun = time.monotonic()
        wire = http.client.HTTPConnection("127.0.0.1", at, timeout=90)
        wire.request("GET", "/")
        wire.getresponse().read()
        took.append(time.monotonic() - begun)
        time.sleep(0.3)
    return took


def _p95(took: list[float]) -> float:
    return statistics.quantiles(took, n=20)[-1]


def measures() -> list[tuple[str, float, float]]:
    """Name, value and upper bound; nothing for who may not make a second host."""
    from lumbrel.services.access.roles import FINISHER
    from lumbrel.store.db import opened
    from scripts.bench_network import Served, code_of
    from tests.support.hosts import CAN, other_host

    if not CAN:
        return []
    found: list[tuple[str, float, float]] = []
    for how in ("tcp", "tls"):
        with other_host() as host, tempfile.TemporaryDirectory() as scratch:
            folder = Path(scratch) / how
            served = Served(folder, host, most_files=FILES)
            script = [sys.executable, "-m", "scripts.bench_silence"]
            where = [host.address, str(served.lan_port)]
            held = host.command(*script, "silent", *where, how, str(HELD_SECONDS))
            code, tokens = code_of(served.at, FINISHER), ",".join(served.tokens[:PROBES])
            looked = host.command(*script, "others", *where, code, tokens, str(HELD_SECONDS - 5))
            logged = folder / "lumbrel.log"
            before = len(logged.read_text("utf-8").splitlines())
            strangers = subprocess.Popen(held, stdout=subprocess.PIPE, text=True)
            time.sleep(3)
            beside = subprocess.Popen(looked, stdout=subprocess.PIPE, text=True)
            own = _own_page(served.kitchen.port, HELD_SECONDS - 5)
            told = json.loads(beside.communicate(timeout=90)[0])
            made = json.loads(strangers.communicate(timeout=90)[0])["made"]
            served.kitchen.kill(15)
            lines = len(logged.read_text("utf-8").splitlines()) - before
            with opened(folder / "lumbrel.sqlite3") as db:
                known = db.execute("SELECT count(*) FROM sample").fetchone()[0]
        lost = told["lost"] + len(told["acknowledged"]) - known
        name = f"{HELD} silent {how.upper()} ({made} made in all)"
        found += [
            (f"{name}: s of the machine's own page, p95 of {len(own)}", _p95(own), 1.0),
            (
                f"{name}: s of a device's page, p95 of {len(told['took'])}",
                _p95(told["took"]),
                3.0,
            ),
            (f"{name}: samples lost of {len(told['acknowledged'])}", float(lost), 0.0),
            (f"{name}: lines logged", float(lines), 30.0),
        ]
    return found


if __name__ == "__main__":
    if sys.argv[1:2] == ["silent"]:
        silent(*sys.argv[2:])
    elif sys.argv[1:2] == ["others"]:
        others(*sys.argv[2:])
    else:
        for what, value, bound in measures():
            print(f"{'ok  ' if value <= bound else 'MISS'} {value:9.3f} (at most {bound:g})  {what}")
