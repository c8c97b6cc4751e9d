"""What nobody wrote down at the pan: found, asked about by name, answered by one press."""

from dataclasses import replace
from datetime import datetime, timedelta
from math import exp
from typing import Any

from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.core.pan.probe_trace import Fall, ProbeTrace
from lumbrel.core.pan.vessel import Vessel
from lumbrel.core.physics import air, sucrose
from lumbrel.exchange.replay import Replay
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.form import BadInput
from lumbrel.services.day import entries as day_entries
from lumbrel.services.kitchen.change import set_fire
from lumbrel.services.pan import board as boards
from lumbrel.services.pan.board import Board
from lumbrel.services.pan.question import Question, Reply
from lumbrel.services.pan.rate import learned_rate
from lumbrel.services.pan.run import boil_of
from lumbrel.services.probes import intake
from lumbrel.services.stations import slip
from lumbrel.store.instruments import BarometerDetail, Instrument, add_instrument
from lumbrel.store.kitchen import load_kitchen, save_kitchen, vessels
from lumbrel.store.registered import change
from lumbrel.store.samples import Sample, add_samples
from tests.support.kitchen import NOON, KitchenCase
from tests.worlds.rough import PROBE_STEM, STEM, Kitchen


def falls(*shown: float, every_s: float = 5.0) -> list[Fall]:
    """What a trace finds of a probe that shows so much every few seconds."""
    trace = ProbeTrace()
    for i, value in enumerate(shown):
        trace.add(i * every_s, value)
    return trace.falls()


class OffTheBoil(KitchenCase):
    BOILS = [102.0 + 0.002 * i for i in range(120)]

    def test_a_fire_that_goes_out_falls_and_comes_back_as_hot(self) -> None:
        cools = [self.BOILS[-1] - 0.25 * i for i in range(60)]
        warms = [cools[-1] + 0.5 * i for i in range(30)]
        (still,) = falls(*self.BOILS, *cools)
        self.assertIsNone(still.ended)
        self.assertAlmostEqual(still.began, 600, delta=30)
        (slow,) = falls(*self.BOILS, *(self.BOILS[-1] - 0.1 * i for i in range(30)))
        self.assertAlmostEqual(slow.began, 600, delta=30)
        (over,) = falls(*self.BOILS, *cools, *warms, *[102.25] * 40)
        assert over.ended is not None
        self.assertAlmostEqual(over.ended, 1050, delta=45)
        self.assertAlmostEqual(over.to_c, 102.2, delta=0.2)
        self.assertAlmostEqual(over.low_c, cools[-1], delta=0.8)

    def test_what_was_put_in_comes_back_colder(self) -> None:
        cold = [92.0 + min(0.5 * i, 9.0) for i in range(60)]
        (fell,) = falls(*self.BOILS, *cold)
        self.assertAlmostEqual(fell.to_c, 101.0, delta=0.3)

    def test_a_splash_a_drift_and_a_warming_pan_are_no_fall(self) -> None:
        splashed = list(self.BOILS)
        for i in (40, 41, 42, 80, 81):
            splashed[i] -= 3.0
        self.assertEqual(falls(*splashed), [])
        long_splash = [v - 2.5 * (60 <= i < 66) for i, v in enumerate(self.BOILS)]
        self.assertEqual(falls(*long_splash), [])
        self.assertEqual(falls(*(102 - 0.001 * i for i in range(400))), [])
        self.assertEqual(falls(*(20 + 0.2 * i for i in range(400))), [])


class Asked(KitchenCase):
    """One boil with a probe in it, whose fire goes out after an hour."""

    def setUp(self) -> None:
        super().setUp()
        self.out_at, self.at_once = 60.0, False
        self.code = self.take_in(vessel="finisher-1", temperature="95 C")
        day_entries.test_boil(self.db, NOON, {"thermometer": "probe-1", "reading": "98.6"})
        self.put(self.code, "boiling", 2)
        self.sent_to = 0.0

    def shows(self, minute: float) -> float:
        """What boils there, until the fire goes out."""
        boiled = min(minute, self.out_at)
        brix = 30 * 45 / (30 - 0.12 * max(boiled - 2, 0))
        boils = sucrose.boiling_point_c(brix, air.pressure_at_elevation_pa(418), 0.01)
        if minute <= self.out_at:
            return boils
        if self.at_once:
            return min(70 + 6 * (minute - self.out_at), boils - 1.0)
        return 20 + (boils - 20) * exp(-(minute - self.out_at) / 22)

    def until(self, minute: float) -> Board:
        """The board at a minute, the probe having sent until then."""
        at = NOON + timedelta(minutes=minute)
        seconds = range(int(self.sent_to * 60), int(minute * 60), 10)
        sent = [(NOON + timedelta(seconds=s), self.shows(s / 60)) for s in seconds]
        for i in range(0, len(sent), 500):
            intake.take(self.db, "probe-1", sent[i : i + 500], at)
        self.sent_to = minute
        return boards.board(self.db, self.code, at)

    def press(self, question: Question, label: str, minute: float, **more: str) -> Any:
        """Answer a question by one of its buttons."""
        reply: Reply = next(r for r in question.replies if label in r.label)
        return self.put(self.code, reply.kind, minute, **dict(reply.fields), **more)

    def test_the_fire_out_is_asked_about_and_nothing_boils_off_meanwhile(self) -> None:
        before = self.until(59.5)
        self.assertEqual((before.questions, before.not_boiling), ([], None))
        out = self.until(62.5)
        (asked,) = out.questions
        self.assertEqual((asked.key, out.headline), ("heat_off", "Not boiling"))
        self.assertAlmostEqual((asked.at - NOON) / timedelta(minutes=1), 60, delta=0.6)
        later = self.until(75)
        self.assertAlmostEqual(later.balance.brix, before.balance.brix, delta=0.5)
        self.assertAlmostEqual(later.minutes_left, out.minutes_left, delta=2)
        self.press(asked, "went out", 75.1)
        said = self.until(75.2)
        self.assertEqual((said.questions, said.headline), ([], "Not boiling"))
        self.assertFalse(contexts.load(self.db, self.code, NOON).current[-1].facts.on)

    def test_a_fall_at_once_asks_what_was_put_in_or_whether_the_probe_is_out(self) -> None:
        self.at_once = True
        (asked,) = self.until(62.5).questions
        self.assertEqual((asked.key, len(asked.replies)), ("put_in", 4))
        back = self.until(72)
        self.assertEqual([q.key for q in back.questions], ["put_in"])
        self.assertLess(back.balance.brix, 58.0)
        self.press(asked, "something was put in", 72.1)
        self.assertEqual(self.until(72.3).questions, [])
        self.assertLess(self.until(74).balance.brix, 58.5)

    def test_a_yes_that_the_next_reading_refutes_is_asked_about_in_its_turn(self) -> None:
        code = self.take_in(vessel="finisher-2", temperature="95 C")
        self.put(code, "boiling", 2)

        def drop(minute: float) -> None:
            brix = 30 * 45 / (30 - 0.14 * (minute - 2))
            read = {"reading": f"{brix:.1f}", "sample": "20 C", "reading_confirmed": "1"}
            self.put(code, "refractometer", minute, **read)

        for minute in (20, 30, 40):
            drop(minute)
        self.put(code, "heat", 41, on="0")
        drop(55)
        board = boards.board(self.db, code, NOON + timedelta(minutes=55.5))
        self.assertEqual(board.questions[0].key, "relit")
        self.code = code
        self.press(board.questions[0], "boils again", 56)
        board = boards.board(self.db, code, NOON + timedelta(minutes=56.5))
        self.assertNotIn("relit", [q.key for q in board.questions])

    def test_a_stem_whose_cups_are_all_off_alike_is_left_out_by_one_press(self) -> None:
        code = self.take_in(vessel="finisher-2", temperature="95 C")
        self.put(code, "boiling", 2)
        for minute in (30, 38, 46, 54):
            brix = 30 * 45 / (30 - 0.14 * (minute - 2))
            drop = {"reading": f"{brix:.1f}", "sample": "20 C", "reading_confirmed": "1"}
            self.put(code, "refractometer", minute, **drop)
            floats = Hydrometer().mark(brix, 92.0) + 3.4
            cup = {"reading": f"{floats:.1f}", "cup": "92 C", "reading_confirmed": "1"}
            self.put(code, "hydrometer", minute + 1, **cup)
        now = NOON + timedelta(minutes=56)
        before = boards.board(self.db, code, now)
        asked = next(q for q in before.questions if q.key == "scale_slipped")
        self.code = code
        self.press(asked, "leave it out", 56)
        after = boards.board(self.db, code, now)
        self.assertEqual([w.reading.kind for w in after.evidence.words], ["refractometer"])
        self.assertAlmostEqual(after.balance.brix, 30 * 45 / (30 - 0.14 * 54), delta=0.4)
        self.assertEqual(after.questions, [])

    def test_neither_is_an_answer_too(self) -> None:
        self.code = self.take_in(vessel="finisher-2", temperature="95 C")
        self.put(self.code, "boiling", 2)
        for minute, brix in ((20, 49.1), (32, 52.3), (41, 62.0), (43, 63.3)):
            read = {"reading": f"{brix}", "sample": "20 C", "reading_confirmed": "1"}
            self.put(self.code, "refractometer", minute, **read)
        at = NOON + timedelta(minutes=43.3)
        (asked,) = boards.board(self.db, self.code, at).questions
        self.assertEqual(asked.key, "taken_out")
        self.press(asked, "Neither", 43.3)
        keys = [q.key for q in boards.board(self.db, self.code, at).questions]
        self.assertNotIn("taken_out", keys)

    def test_nothing_is_done_while_it_is_asked_about(self) -> None:
        self.out_at = 85.0
        self.assertGreater(self.until(84.8).balance.brix, 66.9)
        held = self.until(87)
        self.assertEqual((held.questions[0].key, held.verdict.call.value), ("heat_off", "check_again"))
        self.press(held.questions[0], "went out", 87.1)
        self.assertIn(self.until(87.2).verdict.call.value, ("draw_now", "over"))

    def test_no_is_an_answer_and_two_people_do_not_answer_one_thing(self) -> None:
        (asked,) = self.until(63).questions
        self.press(asked, "out of the pan", 63.1, initials="KL", id="the-answer-1")
        self.assertEqual(self.until(63.3).questions, [])
        again = self.press(asked, "out of the pan", 63.1, initials="KL", id="the-answer-1")
        self.assertEqual(again.id, "the-answer-1")
        with self.assertRaises(BadInput) as refused:
            self.press(asked, "it boils", 63.4, initials="MM")
        self.assertIn("KL answered that", refused.exception.errors["kind"])
        line = next(e for e in contexts.load(self.db, self.code, NOON).current[::-1])
        slip.strike(
            self.db,
            self.code,
            {"supersedes": line.id, "why": "it did go out"},
            NOON + timedelta(hours=2),
        )
        self.assertEqual([q.key for q in self.until(64).questions], ["heat_off"])

    def keys(self, minute: float) -> dict[str, Question]:
        """What is asked at a minute."""
        return {one.key: one for one in self.until(minute).questions}

    def test_a_reading_of_the_pan_beside_it_is_named_and_struck(self) -> None:
        other = self.take_in(NOON + timedelta(minutes=40), brix="63", vessel="finisher-2")
        self.put(other, "boiling", 42)
        self.until(48)
        wrong = {"reading": "63.6", "sample": "20 C", "reading_confirmed": "1"}
        line = self.put(self.code, "refractometer", 48, **wrong)
        asked = self.keys(48.2)["other_vessel"]
        self.assertIn("Finisher 2", asked.sentence)
        fields = dict(next(r for r in asked.replies if r.kind == "strike").fields)
        self.assertEqual(fields["supersedes"], line.id)
        slip.strike(self.db, self.code, fields, NOON + timedelta(minutes=49))
        self.assertEqual(self.keys(49.2), {})

    def test_a_cup_that_was_kept_in_the_wrong_unit_is_put_right_by_one_press(self) -> None:
        kitchen = load_kitchen(self.db)
        units = {**kitchen.units, "temperature": "F"}
        save_kitchen(self.db, replace(kitchen, units=units), NOON + timedelta(minutes=1))
        boils = self.until(50)
        floats = Hydrometer().mark(boils.balance.brix, 95.0)
        typed = {"reading": f"{floats:.1f}", "cup": "95", "dipped_ago": "60 s"}
        with self.assertRaises(BadInput) as refused:
            self.put(self.code, "hydrometer", 50, **typed)
        self.assertIn("°C? Then type 95 C", refused.exception.asks["cup"])
        kept = typed | {"cup_confirmed": "1", "reading_confirmed": "1"}
        self.put(self.code, "hydrometer", 50, **kept)
        asked = self.keys(50.2)["unit"]
        fixed = self.press(asked, "Yes, it was 95", 50.3, reading_confirmed="1")
        self.assertEqual(fixed.at, NOON + timedelta(minutes=49))
        self.assertEqual(self.keys(50.5), {})
        now = self.until(50.6)
        self.assertAlmostEqual(now.evidence.words[0].estimate.brix, boils.balance.brix, delta=1.0)

    def test_air_that_moved_asks_for_boiling_water(self) -> None:
        detail = BarometerDetail(shows="station")
        add_instrument(self.db, Instrument(id="glass", name="Barometer", detail=detail))
        pa = air.pressure_at_elevation_pa(418)
        for minute, fell in ((1, 0), (20, 0), (30, 450)):
            at = NOON + timedelta(minutes=minute)
            add_samples(self.db, "glass", [Sample(at, pa - fell)])
            if minute == 1:
                day_entries.test_boil(self.db, at, {"thermometer": "probe-1", "reading": "98.6"})
        self.assertEqual(self.keys(21), {})
        self.assertIn("fallen 4.5", self.keys(30.2)["boil_again"].why)

    def test_what_was_weighed_at_a_draw_is_a_bigger_share_of_what_is_left(self) -> None:
        self.until(40)
        self.put(self.code, "part_draw", 40, mass="13 kg", mass_confirmed="1")
        boil = boil_of(contexts.load(self.db, self.code, NOON + timedelta(minutes=41)))
        ((at, sigma),) = boil.turned_sigmas
        self.assertEqual(at, NOON + timedelta(minutes=40))
        self.assertAlmostEqual(sigma, 0.03 * 25 / 12, delta=0.015)

    def test_an_answer_must_be_one(self) -> None:
        for fields in ({"question": "why"}, {}, {"question": "unit", "instrument": "no-such"}):
            with self.assertRaises(BadInput):
                self.put(self.code, "answered", 5, **fields)

    def test_lit_again_where_it_never_was_out_is_asked_about(self) -> None:
        self.until(30)
        with self.assertRaises(BadInput) as asked:
            self.put(self.code, "heat", 30, on="1")
        self.assertIn("was not off", asked.exception.asks["on"])
        self.put(self.code, "heat", 31, on="0")
        self.put(self.code, "heat", 33, on="1")

    def test_who_did_not_look_for_long_kills_the_heat_first(self) -> None:
        code = self.take_in(vessel="finisher-2", temperature="95 C")
        self.put(code, "boiling", 2)
        self.put(code, "refractometer", 50, reading="61.5", sample="20 C", reading_confirmed="1")
        soon = boards.board(self.db, code, NOON + timedelta(minutes=51))
        self.assertFalse(soon.unlooked)
        late = boards.board(self.db, code, NOON + timedelta(minutes=50 + 2 * soon.minutes_left))
        self.assertIn(late.verdict.call.value, ("check_again", "over"))
        worst = next(
            b
            for b in (boards.board(self.db, code, NOON + timedelta(minutes=50 + m / 2)) for m in range(60))
            if b.verdict.call.value != "keep_boiling" and b.low_left < 0.5
        )
        self.assertEqual(worst.verdict.call.value, "check_again")

    def test_a_vessel_is_asked_once_what_it_stands_on(self) -> None:
        context = contexts.load(self.db, self.code, NOON + timedelta(minutes=5))
        before = learned_rate(self.db, context.vessel, NOON)
        set_fire(self.db, context, {"fire": "fluted"}, NOON + timedelta(minutes=5))
        set_fire(self.db, context, {"fire": "fluted"}, NOON + timedelta(minutes=6))
        vessel = next(v for v in vessels(self.db) if v.id == "finisher-1")
        after = learned_rate(self.db, vessel, NOON)
        self.assertGreater(after.kg_per_min, 1.8 * before.kg_per_min)
        self.assertEqual(len(vessel.history), 2)
        earlier = learned_rate(self.db, vessel, NOON - timedelta(days=1))
        self.assertEqual(earlier, before)
        # As it was noted before vessels had a fire.
        when = {"since": NOON - timedelta(days=9), "noted_at": NOON - timedelta(days=9)}
        change(self.db, "vessel", "finisher-2", {"name": "Finisher 2"}, **when)
        other = contexts.load(self.db, self.take_in(), NOON)
        set_fire(self.db, other, {"fire": "steam"}, NOON)
        second = next(v for v in vessels(self.db) if v.id == "finisher-2")
        self.assertEqual([second.as_of(NOON - timedelta(days=d)).fire for d in (20, 5, 0)], ["", "", "steam"])
        with self.assertRaises(BadInput):
            set_fire(self.db, context, {"fire": "sun"}, NOON)


class TheSecondWorld(KitchenCase):
    def test_each_thing_is_asked_about_by_name_and_nothing_is_called_done(self) -> None:
        for seed, equipment, scene, keys in (
            (41, PROBE_STEM, "fire_out", {"heat_off", "relit"}),
            (41, PROBE_STEM, "topped_up", {"put_in"}),
            (42, STEM, "topped_up", {"put_in"}),
            (41, PROBE_STEM, "part_taken", {"taken_out"}),
            (42, PROBE_STEM, "drifts", {"probe_drifts"}),
        ):
            with self.subTest(scene=scene, equipment=equipment):
                one = Kitchen(seed, equipment, scene).play()
                self.assertLessEqual(keys, set(one.asked_at), one.log)
                self.assertGreater(one.at_call, 65.0, one.log)
                self.assertEqual(one.named, set())
                if one.happened_at is not None:
                    soonest = min(one.asked_at[key] for key in keys) - one.happened_at
                    self.assertLess(soonest, 3.0 if scene == "fire_out" else 20.0)

    def test_a_bare_number_is_asked_about_with_the_other_unit_named(self) -> None:
        for scene in ("unit_f", "unit_c"):
            one = Kitchen(43, STEM, scene).play()
            self.assertEqual((one.unit_typed, one.unit_asked), (1, 1), one.log)

    def test_a_look_is_half_way_to_the_low_end_and_silence_never_passes_the_mark(self) -> None:
        for seed in (44, 45):
            one = Kitchen(seed, STEM).play()
            self.assertEqual((one.burnt_silence, one.late_keeps), (False, 0), one.log)
            self.assertLessEqual(one.late_looks, 0.05 * one.looks, one.log)

    def test_birch_lightens_every_cup_alike(self) -> None:
        code = self.take_in(sugar_kind="birch", woodlot="birch-row")
        self.put(code, "boiling", 5)
        self.put(code, "hydrometer", 40, reading="52", cup="92 C", reading_confirmed="1")
        board = boards.board(self.db, code, NOON + timedelta(minutes=41))
        (reading,) = board.evidence.readings
        self.assertGreater(reading.shared_sigma_brix, 0.45)
        self.assertAlmostEqual(
            reading.own_sigma_brix**2 + reading.shared_sigma_brix**2,
            reading.sigma_brix**2,
            delta=0.02,
        )


class Priors(KitchenCase):
    def test_what_stands_over_which_fire(self) -> None:
        pot, pan = Vessel("round", (220.0,)), Vessel("rectangular", (600.0, 400.0))
        self.assertGreater(pot.usual_boil_off()[0] / pot.bottom_area_m2(), 1.2)
        self.assertAlmostEqual(pan.usual_boil_off()[0], 0.75 * 0.24, delta=1e-9)
        for fire, (low, high) in {
            "stove": (1.3, 2.8),
            "flat": (0.5, 1.2),
            "fluted": (1.2, 2.5),
            "steam": (3.0, 8.0),
        }.items():
            rate, _ = pan.usual_boil_off(fire)
            self.assertTrue(low < rate / 0.24 < high, fire)


class Replayed(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.replay = Replay()
        self.addCleanup(lambda: self.replay.close())

    def say(self, **line: Any) -> Any:
        import json

        return self.replay.answer(json.dumps(line))

    def begin(self, at: datetime, units: str) -> None:
        when = at.isoformat()
        self.say(do="kitchen", at=when, elevation_m=300, units=units, target_brix=66.9)
        self.say(do="vessel", name="Pan", shape="rectangular", sizes_mm=[600, 400])
        self.say(do="instrument", kind="hydrometer", name="Stem", low=45, high=75)
        taken = self.say(
            do="take_in",
            at=when,
            vessel="Pan",
            sugar_kind="maple",
            amount_typed="30 kg",
            brix_typed="50",
            temperature_typed="90 C",
        )
        self.assertTrue(taken["ok"], taken)

    def cup(self, text: str, minute: float) -> Any:
        at = (NOON + timedelta(minutes=minute)).isoformat()
        fields = {"instrument": "Stem", "reading": "50", "cup": text, "dipped_at": at}
        return self.say(do="line", at=at, kind="hydrometer", fields=fields)

    def test_a_strike_of_what_was_never_put_is_explained_and_a_record_begins_anew(self) -> None:
        self.assertIn("line", self.say(do="strike", kind="hydrometer", at=NOON.isoformat())["errors"])
        self.begin(NOON, "metric")
        refused = self.say(do="strike", kind="hydrometer")
        self.assertIn("stands on the slip", refused["errors"]["kind"])
        self.assertTrue(self.cup("92 C", 40)["ok"])
        with_it = self.say(do="ask")
        self.assertEqual(with_it["questions"], [])
        self.assertTrue(self.cup("91 C", 42)["ok"])
        self.assertTrue(self.say(do="strike", kind="hydrometer")["ok"])
        (left,) = contexts.load(self.replay._db, "26-001", NOON).current[1:]
        self.assertEqual(left.facts.cup_c, 92.0)
        self.assertTrue(self.say(do="strike", kind="hydrometer")["ok"])
        self.assertEqual([v["label"] for v in self.say(do="ask")["by"]], ["Mass balance"])
        self.assertIn("errors", self.say(do="strike", kind="take_in"))
        self.assertTrue(self.say(do="anew")["ok"])
        self.assertIn("line", self.say(do="ask", at=NOON.isoformat())["errors"])
        self.begin(NOON - timedelta(days=400), "us")

    def test_what_a_moment_allows_decides_which_unit_is_asked_about(self) -> None:
        for units, text, meant in (
            ("us", "95", "°C"),
            ("us", "12", ""),
            ("metric", "180", "°F"),
            ("metric", "203", "°F"),
            ("metric", "92", None),
            ("us", "198", None),
            ("us", "95 F", None),
        ):
            self.say(do="anew")
            self.begin(NOON, units)
            answer = self.cup(text, 40)
            said = {**answer.get("errors", {}), **answer.get("asks", {})}
            if meant is None:
                self.assertNotIn("Was it", said.get("cup", ""), (units, text))
            else:
                self.assertFalse(answer["ok"])
                self.assertIn(meant, said["cup"])
        self.assertIn("12", said.get("cup", "12"))
