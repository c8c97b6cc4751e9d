"""The live pan: what probes send, and what calls."""

import socket
import threading
from argparse import Namespace
from dataclasses import replace
from datetime import timedelta

from lumbrel.devices import lines
from lumbrel.devices.lines import UnreadableLine
from lumbrel.devices.wires import chosen
from lumbrel.devices.wires.simulated_pan import pan
from lumbrel.listen import listen
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.day import entries as day_entries
from lumbrel.services.kitchen.alarm_choices import alarm_choices, choose_alarms
from lumbrel.services.kitchen.settings import save_settings
from lumbrel.services.kitchen.wall import wall
from lumbrel.services.pan import alarms
from lumbrel.services.pan import board as boards
from lumbrel.services.pan.alarms import CauseNow
from lumbrel.services.pan.evidence import gather
from lumbrel.services.probes import intake
from lumbrel.services.stations import slip
from lumbrel.store import alarms as alarm_store
from lumbrel.store import samples as samples_store
from lumbrel.store.instruments import BarometerDetail, Instrument, add_instrument
from lumbrel.store.kitchen import load_kitchen, save_kitchen
from tests.support.kitchen import NOON, KitchenCase


def on_wire(**named: str) -> Namespace:
    """As the command line reads what is typed."""
    return Namespace(**{"tcp": "", "serial": "", "pipe": "", "simulated": False, **named})


class Intake(KitchenCase):
    def take(self, *samples: tuple[float, float], at: float = 0) -> intake.Taken:
        sent = [(NOON + timedelta(seconds=s), value) for s, value in samples]
        return intake.take(self.db, "probe-1", sent, NOON + timedelta(seconds=at))

    def test_late_doubled_and_a_thousand_at_once(self) -> None:
        self.assertEqual(self.take((-5, 99.0), (-7, 98.9), (-5, 99.0)).kept, 2)
        again = self.take((-7, 98.9), (-3, 99.1))
        self.assertEqual((again.kept, again.known), (1, 1))
        many = [(s / 10, 99.0 + s / 1000) for s in range(1000)]
        self.assertEqual(self.take(*many, at=100).kept, 1000)
        with self.assertRaises(NotFound):
            intake.take(self.db, "long-stem", [], NOON)

    def test_what_is_not_believed_is_counted_and_breaks_nothing(self) -> None:
        code = self.take_in(vessel="finisher-1")
        sent = self.take((1, float("nan")), (2, 85.0), (3, 60.0), (4, 160.0), (9e4, 60.0), (5, 60.2), at=6)
        self.assertEqual((sent.kept, sum(sent.refused.values())), (2, 4))
        seen = gather(contexts.load(self.db, code, NOON + timedelta(seconds=6)))
        self.assertEqual(sum(t.count for t in seen.troubles), 4)
        self.assertEqual(seen.probe_now.value, 60.2)

    def test_tokens_open_for_their_own_probe_until_the_next(self) -> None:
        first = intake.new_token(self.db, "probe-1", NOON)
        self.assertEqual(intake.holder(self.db, first), "probe-1")
        second = intake.new_token(self.db, "probe-1", NOON)
        self.assertIsNone(intake.holder(self.db, first))
        self.assertEqual(intake.holder(self.db, second), "probe-1")
        self.assertIsNone(intake.holder(self.db, second + "x"))
        kept = self.db.execute("SELECT hash FROM device_token").fetchall()
        self.assertFalse(any(second in row["hash"] for row in kept))


class Lines(KitchenCase):
    def test_a_line_as_it_may_come(self) -> None:
        for line, celsius in (
            (b"103.42\n", 103.42),
            (b"218.2 F\r\n", 103.444),
            (b"t=103,4 C", 103.4),
            (b"2026-03-18T12:00:00Z 99.5", 99.5),
            ("98.1 \u00b0C".encode(), 98.1),
            (b"-3", -3.0),
            (b"2026-03-18T12:00:00Z,212,F,ok", 100.0),
            (b"probe 1;98,2;C", 98.2),
            (b"98.1\t12", 98.1),
            (b'{"n": 4, "temperature_f": 212}', 100.0),
            (b'{"t": 212, "unit": "degF"}', 100.0),
            (b'{"value": 98.4}', 98.4),
        ):
            self.assertAlmostEqual(lines.parse(line).celsius, celsius, delta=0.001)
        self.assertIsNone(lines.parse(b"# a comment\n"))
        self.assertIsNone(lines.parse(b"\n"))
        self.assertEqual(lines.parse(b"2026-03-18T12:00:00Z 99.5").at, NOON)
        for line in (b'{"on": true}', b"[98]", b"{", b"a,b"):
            with self.assertRaises(UnreadableLine):
                lines.parse(line)
        named = [
            bool(lines.parse(line).values[0].unit)
            for line in (b"98 C", b"98", b'{"t": 98}', b'{"temperature_c": 98}')
        ]
        self.assertEqual(named, [True, False, False, True])
        for line in (b"\xff\xfe\x00", b"hot", b"1" * 300, b"2026-99-99T12:00:00Z 5", b"5 K"):
            with self.assertRaises(UnreadableLine):
                lines.parse(line)

    def test_over_tcp_into_the_record(self) -> None:
        server = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(server.close)
        stop = threading.Event()

        def serve() -> None:
            wire, _ = server.accept()
            wire.sendall(b"98.0\nrubbish\x00\n98.1 C\n\xff\xfe\n208.9 F\n")
            stop.set()
            wire.close()

        thread = threading.Thread(target=serve)
        thread.start()
        ticks = iter(range(1000))
        source = chosen(on_wire(tcp=f"127.0.0.1:{server.getsockname()[1]}"))
        listen(self.path, "probe-1", source, stop, lambda: NOON + timedelta(seconds=next(ticks)))
        thread.join()
        kept = samples_store.samples(self.db, "probe-1", NOON, NOON + timedelta(minutes=5))
        self.assertGreaterEqual(len(kept), 1)
        self.assertEqual(kept[0].value, 98.0)

    def test_a_simulated_probe_through_the_same_door(self) -> None:
        stop, count = threading.Event(), 0

        def now():
            nonlocal count
            count += 1
            if count > 40:
                stop.set()
            return NOON + timedelta(seconds=count)

        listen(self.path, "probe-1", pan(1000), stop, now)
        kept = samples_store.samples(self.db, "probe-1", NOON, NOON + timedelta(minutes=5))
        self.assertGreater(len(kept), 10)
        self.assertTrue(all(85 < sample.value < 115 for sample in kept))

    def test_a_pipe_is_read_to_its_end(self) -> None:
        path = self.folder / "pipe"
        path.write_bytes(b"98.0\n#\nbad line\n98.5\n")
        source = chosen(on_wire(pipe=str(path)))
        said = [sample and sample.celsius for sample in source.samples()]
        self.assertEqual((said, source.unreadable), ([98.0, None, 98.5], 1))
        with self.assertRaisesRegex(ValueError, "HOST:PORT"):
            chosen(on_wire(tcp="nowhere"))
        with self.assertRaisesRegex(ValueError, "--pipe, --serial, --simulated or --tcp"):
            chosen(on_wire())


class Calls(KitchenCase):
    def ring(self, code: str, minutes: float) -> list[str]:
        board = boards.board(self.db, code, NOON + timedelta(minutes=minutes))
        return [alarm.kind for alarm in alarms.watch(self.db, board)]

    def test_raised_once_and_answered_on_the_slip(self) -> None:
        code = self.take_in()
        self.put(code, "boiling", 15)
        self.put(code, "refractometer", 60, reading="58", sample="20 C")
        self.assertEqual(self.ring(code, 60), ["strain", "foam"])
        self.assertEqual(self.ring(code, 61), ["strain", "foam"])
        first = alarm_store.ringing(self.db)[0]
        alarms.acknowledge(self.db, first.id, "AB", NOON + timedelta(minutes=62))
        alarms.acknowledge(self.db, first.id, "CD", NOON + timedelta(minutes=63))
        self.assertEqual(self.ring(code, 63), ["foam"])
        self.assertEqual([a.kind for a in alarm_store.ringing(self.db)], ["foam"])
        said = [row for row in slip.lines(contexts.load(self.db, code, NOON)) if "Alarm" in row.title]
        self.assertEqual([row.detail for row in said], ["rang 13:00, answered by AB"])
        self.put(code, "refractometer", 78, reading="66.8", sample="20 C")
        self.assertIn("finish", self.ring(code, 78))
        self.put(code, "draw", 79)
        self.assertNotIn("over", self.ring(code, 90))
        with self.assertRaises(NotFound):
            alarms.acknowledge(self.db, 999, "", NOON)

    def test_a_silent_probe_calls_each_time_it_falls_silent(self) -> None:
        code = self.take_in(vessel="finisher-1")
        day_entries.test_boil(self.db, NOON, {"thermometer": "probe-1", "reading": "98.6"})
        for start in (1, 20):
            at = [NOON + timedelta(minutes=start + i / 6) for i in range(12)]
            intake.take(self.db, "probe-1", [(t, 70.0) for t in at], at[-1])
            self.assertNotIn("silent", self.ring(code, start + 2))
            self.assertIn("silent", self.ring(code, start + 6))
            for alarm in alarm_store.ringing(self.db):
                alarms.acknowledge(self.db, alarm.id, "", at[-1])

    def test_when_nobody_can_tell_who_is_right_the_heat_goes_off_first(self) -> None:
        code = self.take_in()
        day_entries.test_boil(self.db, NOON, {"thermometer": "dial-a", "reading": "98.6"})
        self.put(code, "boiling", 15)
        self.put(code, "thermometer", 60, instrument="dial-a", reading="101.2 C")
        self.put(code, "refractometer", 61, reading="69.2", sample="20 C", reading_confirmed="1")
        board = boards.board(self.db, code, NOON + timedelta(minutes=61))
        self.assertEqual((board.verdict.call.value, board.believed), ("disagree", None))
        self.assertTrue(board.stop_first)
        self.assertIn("finish", self.ring(code, 61))

    def test_it_calls_ahead_of_the_mark_and_past_it(self) -> None:
        code = self.take_in()
        self.put(code, "boiling", 15)
        self.put(code, "refractometer", 60, reading="58", sample="20 C")
        self.assertNotIn("near", self.ring(code, 60))
        self.put(code, "refractometer", 76, reading="65", sample="20 C")
        board = boards.board(self.db, code, NOON + timedelta(minutes=76))
        self.assertTrue(0 < board.minutes_left <= alarms.NEAR_MINUTES, board.minutes_left)
        self.assertIn("near", self.ring(code, 76))
        late = self.take_in(vessel="finisher-1")
        self.put(late, "boiling", 15)
        self.put(late, "refractometer", 90, reading="69.2", sample="20 C")
        self.assertIn("over", self.ring(late, 90))

    def test_it_calls_so_many_kelvin_ahead_where_the_kitchen_wants_it(self) -> None:
        code = self.take_in(vessel="finisher-1")
        day_entries.test_boil(self.db, NOON, {"thermometer": "probe-1", "reading": "98.6"})
        self.put(code, "boiling", 15)
        at = NOON + timedelta(minutes=16)
        intake.take(self.db, "probe-1", [(at, 101.2)], at)
        self.assertNotIn("near", self.ring(code, 16))
        kitchen = load_kitchen(self.db)
        save_kitchen(self.db, replace(kitchen, alarms={"near_minutes": 1, "near_k": 3.0}), NOON)
        self.assertIn("near", self.ring(code, 16))

    def test_a_pan_that_runs_low_calls(self) -> None:
        shallow = {"amount": "9 kg", "amount_confirmed": "1", "vessel_confirmed": "1"}
        code = self.take_in(vessel="finisher-1", **shallow)
        self.put(code, "boiling", 5)
        self.assertNotIn("low", self.ring(code, 6))
        self.put(code, "refractometer", 25, reading="63", sample="20 C")
        self.assertIn("low", self.ring(code, 25))

    def test_a_moved_pressure_calls_each_time_it_moves(self) -> None:
        barometer = Instrument(id="barometer", name="Barometer", detail=BarometerDetail(shows="station"))
        add_instrument(self.db, barometer)
        code = self.take_in()
        self.put(code, "boiling", 10)
        for minutes, pa, reading, moved in (
            (0, 96600.0, "98.7", 96000.0),
            (60, 96000.0, "98.5", 95300.0),
        ):
            self._send(barometer, minutes, pa)
            at = NOON + timedelta(minutes=minutes + 1)
            day_entries.test_boil(self.db, at, {"thermometer": "dial-a", "reading": reading})
            self.assertNotIn("pressure", self.ring(code, minutes + 2))
            self._send(barometer, minutes + 20, moved)
            self.assertIn("pressure", self.ring(code, minutes + 21))
            for alarm in alarm_store.ringing(self.db):
                alarms.acknowledge(self.db, alarm.id, "", NOON + timedelta(minutes=minutes + 22))

    def _send(self, barometer: Instrument, minutes: float, pa: float) -> None:
        at = NOON + timedelta(minutes=minutes)
        samples_store.add_samples(self.db, barometer.id, [samples_store.Sample(at, pa)])

    def test_an_alarm_of_one_batch_is_not_anothers(self) -> None:
        first, second = self.take_in(), self.take_in(vessel="finisher-1")
        self.put(first, "boiling", 15)
        self.put(first, "refractometer", 60, reading="58", sample="20 C")
        self.assertEqual(self.ring(first, 60), ["strain", "foam"])
        self.assertEqual(self.ring(second, 1), [])

    def test_a_dip_is_evidence(self) -> None:
        code = self.take_in(vessel="finisher-1")
        self.put(code, "boiling", 15)
        with self.assertRaisesRegex(BadInput, "cannot be"):
            self.put(code, "depth", 40, depth="4 mm")
        self.put(code, "depth", 40, depth="96 mm")
        board = boards.board(self.db, code, NOON + timedelta(minutes=40))
        word = board.evidence.words[0]
        self.assertEqual((word.reading.kind, word.estimate.label), ("depth", "Dipstick"))
        self.assertAlmostEqual(100 * 13.5 / word.estimate.brix, board.mass_kg, delta=0.4)
        line = slip.lines(contexts.load(self.db, code, NOON))[-1]
        self.assertEqual(line.title, "Dipstick 96\u00a0mm")


class Chosen(KitchenCase):
    def test_an_alarm_put_off_for_a_vessel_does_not_ring_there(self) -> None:
        every = alarm_choices(self.db)
        ticked = {one.kind: "1" for one in every}
        self.assertTrue(all(one.on and not one.exceptions for one in every))
        choose_alarms(self.db, ticked | {"foam finisher-2": "1"}, NOON)
        (excepted,) = [one for one in alarm_choices(self.db) if one.exceptions]
        self.assertEqual((excepted.kind, [v.id for v in excepted.exceptions]), ("foam", ["finisher-2"]))
        rung = {}
        for vessel in ("finisher-1", "finisher-2"):
            code = self.take_in(vessel=vessel, brix="52")
            self.put(code, "boiling", 5)
            seen = boards.board(self.db, code, NOON + timedelta(minutes=8))
            self.assertTrue(seen.foam)
            rung[vessel] = {alarm.kind for alarm in alarms.watch(self.db, seen)}
        self.assertIn("foam", rung["finisher-1"])
        self.assertEqual(rung["finisher-1"] - {"foam"}, rung["finisher-2"])
        kitchen = load_kitchen(self.db)
        self.assertEqual(alarms.put_off(kitchen, "finisher-2"), ["Foam zone"])
        # The kitchen's other settings leave it as it was chosen.
        fields = {"name": "Mine", "target": "66.9", "margin": "0", "near_minutes": "7"}
        save_settings(self.db, fields, NOON)
        kitchen = load_kitchen(self.db)
        self.assertEqual(alarms.put_off(kitchen, "finisher-2"), ["Foam zone"])
        choose_alarms(self.db, {}, NOON)
        self.assertEqual(alarms.near_minutes(load_kitchen(self.db)), 7.0)

    def test_a_pot_whose_alarms_are_off_is_silent(self) -> None:
        found = [CauseNow("foam", "Foam climbs."), CauseNow("off", "At the mark.")]
        code = self.take_in()
        context = contexts.load(self.db, code, NOON)
        self.assertEqual(alarms.wanted(context, found), found)
        choose_alarms(self.db, {}, NOON)
        self.assertEqual(alarms.wanted(contexts.load(self.db, code, NOON), found), found[1:])


class OnTheWall(KitchenCase):
    def test_who_is_wanted_stands_in_front(self) -> None:
        self.assertEqual(wall(self.db, NOON).panes, [])
        slow = self.take_in(vessel="finisher-1")
        quick = self.take_in(brix="66.5", brix_confirmed="1")
        for code in (slow, quick):
            self.put(code, "boiling", 1)
        self.put(quick, "refractometer", 4, instrument="hand-prism", reading="67", sample="20 C")
        seen = wall(self.db, NOON + timedelta(minutes=4.2))
        self.assertEqual([pane.code for pane in seen.panes], [quick, slow])
        self.assertTrue(seen.panes[0].loud)
        self.assertIn("Kill the heat", seen.panes[0].next)
        self.assertEqual(seen.panes[1].word, "Keep boiling")
        self.put(quick, "draw", 5)
        later = wall(self.db, NOON + timedelta(minutes=6))
        self.assertEqual(([p.code for p in later.panes], later.waits), ([slow], [("Filter", quick)]))
