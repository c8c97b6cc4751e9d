"""What is plugged in, from a terminal that pretends to be a port into the record."""

import queue
import threading
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import mock

from lumbrel.devices.lines import ProbeSample, a_temperature
from lumbrel.devices.pretend import PretendProbe
from lumbrel.devices.wires import one_wire, serial_port
from lumbrel.services.base.form import BadInput, Form, NotFound
from lumbrel.services.probes.ear import SourceSeen
from lumbrel.services.probes.ears import Ears
from lumbrel.services.probes.follow import follow
from lumbrel.store import samples as samples_store
from lumbrel.store import sources
from lumbrel.store.db import opened
from lumbrel.store.kitchen import load_kitchen
from tests.support.kitchen import KitchenCase


class Scripted:
    """Shows what it is told to."""

    def __init__(self) -> None:
        self.told: queue.Queue[float | None] = queue.Queue()

    def samples(self) -> Iterator[ProbeSample]:
        while (celsius := self.told.get()) is not None:
            yield a_temperature(celsius)


class Listening(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.began = datetime.now(UTC) - timedelta(seconds=1)
        self.ears = Ears(lambda: opened(self.path), lambda: datetime.now(UTC))
        self.ears.start()
        self.addCleanup(self.ears.stop)
        self.shows = Scripted()
        self.probe = PretendProbe(self.shows, "Pretend probe")
        self.addCleanup(self.probe.end)
        self.addCleanup(self.shows.told.put, None)

    def until(self, holds: Callable[[], object]) -> None:
        ends = time.monotonic() + 10
        while not holds():
            self.assertLess(time.monotonic(), ends, "it never was so")
            time.sleep(0.05)

    def seen(self) -> SourceSeen:
        return next(one for one in self.ears.look(self.db) if one.where[1] == self.probe.address)

    def number(self) -> float | None:
        shown = self.seen().value
        return shown.number if shown else None

    def use(self, **fields: str) -> None:
        sent = {"wire": "serial", "address": self.probe.address, "instrument": "probe-1"} | fields
        self.ears.use(self.db, Form(sent, load_kitchen(self.db)), datetime.now(UTC))

    def kept(self) -> list[float]:
        now = datetime.now(UTC) + timedelta(seconds=5)
        return [one.value for one in samples_store.samples(self.db, "probe-1", self.began, now)]

    def shown(self, celsius: float) -> None:
        self.shows.told.put(celsius)
        self.until(lambda: self.number() == celsius)

    def test_what_is_looked_at_is_in_no_record_until_it_is_used(self) -> None:
        self.shown(21.5)
        self.assertEqual((self.seen().used_as, self.kept()), ("", []))
        self.use()
        self.shown(22.5)
        self.until(lambda: self.kept() == [22.5])
        self.assertTrue(self.seen().rises)
        where = {"wire": "serial", "address": self.probe.address, "quantity": "temperature"}
        form = Form(where, load_kitchen(self.db))
        self.ears.leave(self.db, form)
        self.shown(23.0)
        self.assertEqual((self.kept(), sources.plugs(self.db)), ([22.5], []))

    def test_pulled_out_and_put_back_it_goes_on(self) -> None:
        """Each time under another terminal; what was sent while it was in is in the record, nothing is left over."""
        self.shown(20.0)
        self.use()
        files, threads = len(list(Path("/proc/self/fd").iterdir())), threading.active_count()
        for some in range(4):
            self.probe.pull()
            self.until(lambda: self.seen().said or self.number())
            self.probe.put_in()
            for step in (0.1, 0.2):
                self.shown(round(20 + some + step, 1))
        want = [round(20 + some + step, 1) for some in range(4) for step in (0.1, 0.2)]
        self.until(lambda: self.kept() == want)
        self.assertLessEqual(len(list(Path("/proc/self/fd").iterdir())), files + 1)
        self.assertEqual(threading.active_count(), threads)

    def test_what_was_used_is_listened_to_after_a_restart(self) -> None:
        self.shown(20.0)
        self.use()
        self.ears.stop()
        self.ears = Ears(lambda: opened(self.path), lambda: datetime.now(UTC))
        self.ears.start()
        self.addCleanup(self.ears.stop)
        self.shows.told.put(24.0)
        self.until(lambda: self.kept() == [24.0])

    def test_an_ear_that_failed_is_made_anew(self) -> None:
        self.shown(20.0)
        self.use()
        unforeseen = mock.patch("lumbrel.services.probes.ear.keep", side_effect=ValueError)
        with unforeseen, mock.patch("threading.excepthook"):
            self.shows.told.put(21.0)
            self.until(lambda: self.number() is None)
        self.shows.told.put(22.0)
        self.until(lambda: 22.0 in self.kept())

    def test_a_line_without_a_unit_is_asked_for_it(self) -> None:
        with mock.patch("lumbrel.devices.pretend.LINE", "{:.2f}\n"):
            self.shown(71.6)
            self.assertTrue(self.seen().doubtful)
            with self.assertRaises(BadInput) as refused:
                self.use()
            self.assertEqual(list(refused.exception.errors), ["unit"])
            self.use(unit="F")
            self.shows.told.put(212.0)
            self.until(lambda: self.kept())
        self.assertAlmostEqual(self.kept()[0], 100.0)
        with self.assertRaises(NotFound):
            self.use(address="nowhere")
        with self.assertRaises(NotFound):
            self.use(instrument="nobody")

    def test_noise_is_said_and_counts_as_nothing(self) -> None:
        with mock.patch("lumbrel.devices.pretend.LINE", "\\x00\\x7f{:.0f}?!\n"):
            for _any in range(6):
                self.shows.told.put(1.0)
            self.until(lambda: "nothing that can be read" in self.seen().said)
        self.assertIsNone(self.number())

    def test_two_lines_are_never_of_one_moment(self) -> None:
        self.ears.stop()
        still = datetime.now(UTC)
        self.ears = Ears(lambda: opened(self.path), lambda: still)
        self.addCleanup(self.ears.stop)
        self.shown(20.0)
        self.use()
        for celsius in (20.1, 20.2, 20.3):
            self.shows.told.put(celsius)
        self.until(lambda: self.kept() == [20.1, 20.2, 20.3])

    def test_noise_is_tried_at_another_speed(self) -> None:
        tried = []

        class Port:
            in_waiting = 9

            def __init__(self, _device: str, baud: int, **_more: object) -> None:
                tried.append(baud)

            def read(self, _many: int) -> bytes:
                return b"21.5 C\n" if tried[-1] == 115_200 else b"\x80\x01\n"

            def close(self) -> None:
                pass

        stop = threading.Event()
        source = serial_port.HeardPort(self.probe.address, stop)
        with mock.patch("serial.Serial", Port):
            follow(source, lambda sample: stop.set() if sample else None, stop, longest_s=0.1)
        self.assertEqual(tried, [9600, 115_200])

    def test_a_1_wire_thermometer_of_the_kernel(self) -> None:
        bus = self.folder / "w1"
        (bus / "28-0001").mkdir(parents=True)
        (bus / "28-0001" / "temperature").write_text("21062\n")
        with mock.patch.object(one_wire, "TREE", bus), mock.patch.object(one_wire, "EVERY_S", 0.05):
            where = ("onewire", "28-0001")
            self.until(lambda: any(s.where == where and s.inside == 21.062 for s in self.ears.look(self.db)))
            Path(bus / "28-0001" / "temperature").unlink()
            self.until(lambda: all(s.where != where for s in self.ears.look(self.db)))
