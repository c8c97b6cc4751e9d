"""Pretend devices: a thermometer and a scale behind terminals of this machine's own, read as serial ports are."""

import os
import threading
import tty
from contextlib import suppress

from lumbrel.devices.lines import ProbeSample
from lumbrel.devices.protocols import ProbeSource
from lumbrel.words import _

LINE, WEIGHS = "{:.2f} C\n", "ST,GS,{:+9.3f} kg\r\n"
POT_KG = 3.2
"""Of the pot on the pretend scale."""
PORTS: dict[str, tuple[str, str]] = {}
"""What pretends to be plugged in, by its address: the terminal that it has got, and what it calls itself."""


class PretendProbe:
    """A thermometer that writes lines into a terminal that others open; at first it is plugged in.

    Args:
        source: what it shows; it ends with it.
        name: what it calls itself.
    """

    called = _("Pretend probe")

    def __init__(self, source: ProbeSource, name: str = "") -> None:
        self._source, self._name = source, name or str(self.called)
        self._lock = threading.Lock()
        self._ends: tuple[int, int] | None = None
        self._over = threading.Event()
        self.address = f"pretend-{id(self):x}"
        self.put_in()
        self._thread = threading.Thread(target=self._run, name="pretend", daemon=True)
        self._thread.start()

    def put_in(self) -> None:
        """Plug it in: each time it gets another terminal."""
        with self._lock:
            ours, theirs = os.openpty()
            tty.setraw(theirs)
            os.set_blocking(ours, False)
            self._ends = ours, theirs
            PORTS[self.address] = os.ttyname(theirs), self._name

    def pull(self) -> None:
        """Pull it out."""
        with self._lock:
            PORTS.pop(self.address, None)
            for end in self._ends or ():
                os.close(end)
            self._ends = None

    def end(self) -> None:
        """Pull it out for good."""
        self._over.set()
        self._thread.join(timeout=3)
        self.pull()

    def _run(self) -> None:
        for sample in self._source.samples():
            if self._over.is_set():
                return
            with self._lock:
                if self._ends and sample:
                    # What nobody reads in time is lost, as on a wire.
                    with suppress(BlockingIOError):
                        os.write(self._ends[0], self._line(sample).encode())

    def _line(self, sample: ProbeSample) -> str:
        """What it writes of it."""
        return LINE.format(sample.celsius)


class PretendScale(PretendProbe):
    """A scale under a pan, which writes what it shows as scales do."""

    called = _("Pretend scale")

    def _line(self, sample: ProbeSample) -> str:
        return WEIGHS.format((sample.of("mass") or 0.0) + POT_KG)
