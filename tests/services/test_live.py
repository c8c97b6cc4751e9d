"""The live pan: what probes send, alarms, simulated boils against the truth, a practice pan."""

import socket
import threading
from dataclasses import replace
from datetime import timedelta

from lumbrel.devices import lines
from lumbrel.devices.lines import LineSource, UnreadableLine
from lumbrel.listen import listen, simulated_source, source_of
from lumbrel.practice.debrief import debrief
from lumbrel.practice.faults import FAULTS
from lumbrel.practice.session import PracticePan
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.day import entries as day_entries
from lumbrel.services.pan import alarms
from lumbrel.services.pan import board as boards
from lumbrel.services.pan.evidence import gather
from lumbrel.services.probes import intake
from lumbrel.services.stations import slip
from lumbrel.store import alarms as alarm_store
from lumbrel.store import probes
from lumbrel.store import samples as samples_store
from lumbrel.store.db import opened
from lumbrel.store.kitchen import load_kitchen, save_kitchen
from tests.support.boils import SimulatedBoil
from tests.support.kitchen import NOON, KitchenCase


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
        sent = self.take(
            (1, float("nan")), (2, 85.0), (3, 60.0), (4, 160.0), (9e4, 60.0), (5, 60.2), at=6
        )
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
        ):
            self.assertAlmostEqual(lines.parse(line).celsius, celsius, delta=0.001)
        self.assertIsNone(lines.parse(b"# a comment\n"))
        self.assertIsNone(lines.parse(b"\n"))
        self.assertEqual(lines.parse(b"2026-03-18T12:00:00Z 99.5").at, NOON)
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
        source = source_of(f"127.0.0.1:{server.getsockname()[1]}", "", 0, "")
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

        listen(self.path, "probe-1", simulated_source(1000), stop, now)
        kept = samples_store.samples(self.db, "probe-1", NOON, NOON + timedelta(minutes=5))
        self.assertGreater(len(kept), 10)
        self.assertTrue(all(85 < sample.value < 115 for sample in kept))

    def test_a_pipe_is_read_to_its_end(self) -> None:
        path = self.folder / "pipe"
        path.write_bytes(b"98.0\n#\nbad line\n98.5\n")
        source = LineSource(lines.pipe(path))
        said = [sample and sample.celsius for sample in source.samples()]
        self.assertEqual((said, source.unreadable), ([98.0, None, 98.5], 1))
        with self.assertRaisesRegex(ValueError, "HOST:PORT"):
            source_of("nowhere", "", 0, "")


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
        said = [
            row for row in slip.lines(contexts.load(self.db, code, NOON)) if "Alarm" in row.title
        ]
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
        self.put(code, "refractometer", 61, reading="67.2", sample="20 C", reading_confirmed="1")
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
        save_kitchen(self.db, replace(kitchen, alarms={"near_minutes": 1, "near_k": 3.0}))
        self.assertIn("near", self.ring(code, 16))

    def test_a_pan_that_runs_low_calls(self) -> None:
        shallow = {"amount": "9 kg", "amount_confirmed": "1", "vessel_confirmed": "1"}
        code = self.take_in(vessel="finisher-1", **shallow)
        self.put(code, "boiling", 5)
        self.assertNotIn("low", self.ring(code, 6))
        self.put(code, "refractometer", 25, reading="63", sample="20 C")
        self.assertIn("low", self.ring(code, 25))

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
        self.assertAlmostEqual(100 * 13.5 / word.estimate.brix, board.mass_kg, delta=0.2)
        line = slip.lines(contexts.load(self.db, code, NOON))[-1]
        self.assertEqual(line.title, "Dipstick 96\u00a0mm")


class AgainstTheTruth(KitchenCase):
    def test_simulated_boils(self) -> None:
        told, drawn, dropped = [], [], []
        for seed in range(24):
            boil = SimulatedBoil(seed)
            told.append(boil.told_at_a_third())
            (dropped if seed % 2 else drawn).append(boil.drawn_brix(bool(seed % 2)))
        self.assertGreaterEqual(sum(t.close for t in told), 22)
        self.assertGreaterEqual(sum(t.covered for t in told), 19)
        self.assertLessEqual(sum(abs(b - 66.9) > 1.0 for b in drawn), 1)
        self.assertLessEqual(sum(abs(b - 66.9) > 0.5 for b in dropped), 1)

    def test_a_misread_take_in_or_a_sagging_burner_does_not_spoil_the_draw(self) -> None:
        for seed in range(6):
            boil = SimulatedBoil(seed, misread_brix=(-3.0, 3.0, 0.0)[seed % 3])
            boil.told_at_a_third()
            if seed % 3 == 2:
                boil.heat *= 0.7
                boil.pot.efficiency *= 0.7
            self.assertAlmostEqual(boil.drawn_brix(bool(seed % 2)), 66.9, delta=1.0)

    def test_of_two_that_contradict_each_other_the_boil_tells_which(self) -> None:
        boil = SimulatedBoil(58)
        boil.told_at_a_third()
        boil.run(66.2)
        boil.read_hydrometer()
        board = boil.board()
        self.assertFalse(board.joint.agree)
        self.assertEqual(board.odd, "Probe 1")
        self.assertAlmostEqual(board.believed.brix, boil.pot.brix, delta=0.6)
        self.assertAlmostEqual(boil.drawn_brix(False), 66.9, delta=1.0)

    def test_a_thermometer_bent_since_its_boil_is_noticed_before_any_other_speaks(self) -> None:
        for seed, bent in ((1, 0.0), (2, 0.0), (1, 1.1), (2, -1.1)):
            boil = SimulatedBoil(seed)
            boil.offset += bent
            for left in (0.9, 0.8, 0.7, 0.6, 0.5):
                boil.run(boil.brix_with_water_left(left))
                if not (board := boil.board()).joint.agree:
                    break
            self.assertEqual(board.joint.agree, bent == 0.0)
        self.assertIsNone(board.believed)
        self.assertEqual([v.label for v in board.voices], ["Probe 1", "Mass balance"])
        self.assertIn("boil", board.cause.cause + board.cause.settle)
        boil.read_hydrometer()
        board = boil.board()
        self.assertEqual((board.odd, board.verdict.call.value), ("Probe 1", "disagree"))
        self.assertAlmostEqual(board.believed.brix, boil.pot.brix, delta=1.0)

    def test_what_was_cold_in_between_is_no_boil(self) -> None:
        boil = SimulatedBoil(67)
        boil.told_at_a_third()
        self.assertAlmostEqual(boil.board().balance.brix, boil.pot.brix, delta=0.5)

    def test_of_thin_syrup_a_thermometer_far_off_misleads_nobody(self) -> None:
        boil = SimulatedBoil(15)
        boil.run(boil.brix_with_water_left(0.6))
        self.assertAlmostEqual(boil.board().believed.brix, boil.pot.brix, delta=1.0)

    def test_what_is_put_in_stops_the_boil_for_a_while(self) -> None:
        for seed in (5, 17, 20):
            boil = SimulatedBoil(seed)
            boil.run(boil.brix_with_water_left(0.6))
            boil.read_hydrometer()
            pot, put = boil.pot, 0.2 * boil.pot.mass_kg
            thin = 0.8 * pot.brix
            boil.put("added", mass=f"{put:.3f} kg", brix=f"{thin:.2f}", temperature="40 C")
            boil.solids += put * thin / 100
            pot.temperature_c = (pot.temperature_c * pot.mass_kg + 40 * put) / (pot.mass_kg + put)
            pot.mass_kg += put
            pot.brix = 100 * boil.solids / pot.mass_kg
            for _ in range(5):
                boil.run(99, 240)
                self.assertAlmostEqual(boil.board().believed.brix, pot.brix, delta=1.2)

    def test_a_sagging_burner_is_said_and_the_minutes_follow(self) -> None:
        boil = SimulatedBoil(1000)
        boil.run(boil.brix_with_water_left(0.6))
        boil.read_hydrometer()
        boil.heat *= 0.6
        boil.pot.efficiency *= 0.6
        sagged = boil.at
        while not boil.board().evidence.changes:
            boil.run(99, 30)
            self.assertLess(boil.at - sagged, timedelta(minutes=15))
        change = boil.board().evidence.changes[-1]
        self.assertLess(change.percent, -15)
        self.assertLess(abs((change.at - sagged) / timedelta(minutes=1)), 5)


class Practice(KitchenCase):
    def play(self, *faults: str, answer_foam: bool = True) -> tuple[PracticePan, object]:
        session = PracticePan(60, faults, 7)
        self.addCleanup(session.stop)
        with opened(session.database) as db:
            at = session._last
            while True:
                at += timedelta(seconds=30)
                session.advance(db, at)
                board = boards.board(db, session.code, at)
                if board.verdict.call.value in ("draw_now", "over"):
                    break
                if "foam" in session.began and answer_foam:
                    slip.put(db, session.code, "foam", {"defoamer": "oil", "id": "foam-once-1"}, at)
                self.assertLess(at, session._last + timedelta(hours=3))
            with self.assertRaises(NotFound):
                debrief(db, session, at)
            slip.put(db, session.code, "draw", {"mass_confirmed": "1"}, at)
            return session, debrief(db, session, at)

    def test_an_honest_pan_is_drawn_well_and_a_false_thermometer_is_not(self) -> None:
        _, honest = self.play()
        self.assertAlmostEqual(honest.true_brix, 66.9, delta=1.2)
        self.assertEqual(honest.hidden, [])
        _, false = self.play("thermometer")
        self.assertLess(false.true_brix, honest.true_brix - 2)
        self.assertLess(false.water_kg, 0)
        self.assertLess(false.minutes_off, 0)
        self.assertEqual([h.fault.key for h in false.hidden], ["thermometer"])

    def test_foam_that_is_not_answered_takes_its_share(self) -> None:
        calm, _ = self.play("foam")
        lost, told = self.play("foam", answer_foam=False)
        self.assertEqual((calm.boiled_over, lost.boiled_over), (False, True))
        self.assertIn("over the rim", told.hidden[0].noticed)

    def test_every_fault_is_told(self) -> None:
        session, told = self.play(*(f.key for f in FAULTS))
        self.assertEqual(len(told.hidden), len(FAULTS))
        self.assertTrue(all(h.began and h.fault.sooner for h in told.hidden))
        words = session.look("cup").words
        self.assertRegex(words, r"floats at \d\d\.\d.*says \d\d\d?\.\d")
        self.assertIn("prism", session.look("drop").words)
        self.assertEqual(probes.troubles(self.db, "probe-1", NOON), [])
