"""Simulated boils and a practice pan against what they really were."""

from datetime import timedelta

from lumbrel.practice.debrief import debrief
from lumbrel.practice.faults import FAULTS
from lumbrel.practice.session import PracticePan
from lumbrel.services.base.form import NotFound
from lumbrel.services.pan import board as boards
from lumbrel.services.stations import slip
from lumbrel.store import probes
from lumbrel.store.db import opened
from tests.support.kitchen import NOON, KitchenCase
from tests.worlds.boils import SimulatedBoil


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
        boil.offset += 1.3
        for left in (0.7, 0.4):
            boil.run(boil.brix_with_water_left(left))
            boil.read_hydrometer()
        board = boil.board()
        self.assertFalse(board.joint.agree)
        self.assertEqual(board.odd, "Probe 1")
        self.assertAlmostEqual(board.believed.brix, boil.pot.brix, delta=0.6)
        self.assertAlmostEqual(boil.drawn_brix(False), 66.9, delta=1.2)

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
        self.assertAlmostEqual(boil.board().balance.brix, boil.pot.brix, delta=0.6)

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
    def test_the_debrief_says_when_the_page_asked(self) -> None:
        for fault in ("out", "topped"):
            _, told = self.play(fault)
            self.assertRegex(told.hidden[0].noticed, r"asked (1 min |2 min )?\d+ s later, and nobody")
            self.assertGreater(told.true_brix, 65.0)

    def test_a_cup_in_the_wrong_unit_and_a_small_pot_are_played(self) -> None:
        session = PracticePan(60, ("unit", "small"), 7)
        self.addCleanup(session.stop)
        with opened(session.database) as db:
            begun = session._last
            session.advance(db, begun + timedelta(minutes=12))
            self.assertRegex(session.look("cup").words, r"thermometer says [12]\d\d\.$")
            board = boards.board(db, session.code, begun + timedelta(minutes=12))
            self.assertEqual((board.context.vessel.name, board.evidence.probe_now), ("Small pot", None))

    def play(
        self, *faults: str, answer_foam: bool = True, late_minutes: int = 0
    ) -> tuple[PracticePan, object]:
        session = PracticePan(60, faults, 7)
        self.addCleanup(session.stop)
        with opened(session.database) as db:
            at = began = session._last
            while True:
                at += timedelta(seconds=30)
                session.advance(db, at)
                board = boards.board(db, session.code, at)
                if board.verdict.call.value in ("draw_now", "over"):
                    break
                if "foam" in session.began and answer_foam:
                    slip.put(db, session.code, "foam", {"defoamer": "oil", "id": "foam-once-1"}, at)
                self.assertLess(at, began + timedelta(hours=3), "it is never called done")
            with self.assertRaises(NotFound):
                debrief(db, session, at)
            at += timedelta(minutes=late_minutes)
            session.advance(db, at)
            slip.put(db, session.code, "draw", {"mass_confirmed": "1"}, at)
            return session, debrief(db, session, at)

    def test_an_honest_pan_is_drawn_well_and_a_false_thermometer_is_not(self) -> None:
        _, honest = self.play()
        self.assertAlmostEqual(honest.true_brix, 66.9, delta=1.2)
        self.assertEqual(honest.hidden, [])
        _, false = self.play("thermometer")
        # The sugar that was taken in and the time bear the probe out no more: it is nearly caught.
        self.assertLess(abs(false.true_brix - 66.9), 2.5)
        self.assertEqual([h.fault.key for h in false.hidden], ["thermometer"])

    def test_who_draws_late_hears_by_how_much(self) -> None:
        _, at_once = self.play()
        _, late = self.play(late_minutes=6)
        self.assertAlmostEqual(late.minutes_off - at_once.minutes_off, 6.0, delta=0.6)
        self.assertGreater(late.true_brix, at_once.true_brix + 2)
        self.assertGreater(late.water_kg, at_once.water_kg)

    def test_once_it_is_drawn_its_kettle_cools_and_is_emptied(self) -> None:
        pan, _told = self.play()
        self.assertEqual([what for what, _words in pan.looks], ["cup", "drop"])
        left = []
        with opened(pan.database) as db:
            for minute in (1, 6, 11):
                at = pan._last + timedelta(minutes=5)
                pan.advance(db, at)
                shown = float(pan.look("kettle").words.split()[3])
                self.assertAlmostEqual(shown, pan.kettle.at_c, delta=1.0)
                fields = {"id": f"jar-{minute}", "fill": "85 C", "lot": pan.code, "size_1": "500 ml"}
                slip.put(db, pan.code, "jar", fields | {"count_1": "4", "fill_confirmed": "1"}, at)
                left.append((pan.kettle.at_c, pan.kettle.kg))
            self.assertEqual([what for what, _words in pan.looks], ["kettle"])
            self.assertEqual(left, sorted(left, reverse=True))
            self.assertAlmostEqual(left[1][1] - left[2][1], 2.65, delta=0.05)
            slip.put(db, pan.code, "reheat", {"id": "reheat-1"}, at)
            pan.advance(db, at + timedelta(minutes=1))
            self.assertGreater(pan.kettle.at_c, left[2][0] + 2)

    def test_foam_that_is_not_answered_takes_its_share(self) -> None:
        calm, _ = self.play("foam")
        lost, told = self.play("foam", answer_foam=False)
        self.assertEqual((calm.boiled_over, lost.boiled_over), (False, True))
        self.assertIn("over the rim", told.hidden[0].noticed)

    def test_every_fault_is_told(self) -> None:
        # In a small pot no probe stands, and nobody here reads a cup.
        hidden = [f.key for f in FAULTS if f.key not in ("small", "unit")]
        session, told = self.play(*hidden)
        self.assertEqual(len(told.hidden), len(hidden))
        self.assertTrue(all(h.began and h.fault.sooner for h in told.hidden))
        words = session.look("cup").words
        self.assertRegex(words, r"floats at \d\d\.\d.*says \d\d\d?\.\d")
        self.assertIn("prism", session.look("drop").words)
        self.assertEqual(probes.troubles(self.db, "probe-1", NOON), [])
