"""A candy pot played from outside, line by line."""

import base64
import json
import random
import unittest
from typing import Any

from lumbrel.exchange.replay import Replay
from tests.worlds.baths import cool
from tests.worlds.photographs import BLANK, SAMPLE, under


class ReplayedPot(unittest.TestCase):
    def setUp(self) -> None:
        self.replay = Replay()
        self.addCleanup(self.replay.close)
        self.do(0, "kitchen", elevation_m=400, units="metric")
        self.do(0, "vessel", name="P", shape="round", sizes_mm=[240])
        self.do(0, "instrument", kind="thermometer", name="D", sort="digital", resolution_k=0.1)
        self.do(0, "pressure", basis="station", typed="965 hPa")
        self.do(0, "test_boil", thermometer="D", typed="99.1 C")

    def do(self, minute: float, what: str, **line: Any) -> dict[str, Any]:
        seconds = round(60 * minute)
        at = f"2026-03-14T{10 + seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}+00:00"
        return self.replay.answer(json.dumps({"do": what, "at": at, **line}))

    def line(self, minute: float, kind: str, **fields: str) -> dict[str, Any]:
        sent = {"kind": kind, "fields": fields}
        said = self.do(minute, "line", **sent)
        return self.do(minute, "line", **sent, confirm=list(said["asks"])) if said.get("asks") else said

    def read(self, minute: float, shown_c: float) -> dict[str, Any]:
        self.assertTrue(self.line(minute, "pot", instrument="D", reading=f"{shown_c:.1f} C")["ok"], shown_c)
        return self.pot(minute + 0.1)

    def pot(self, minute: float) -> dict[str, Any]:
        return self.do(minute, "ask")["pot"]

    def begin(self, confection: str, **other: str) -> dict[str, Any]:
        line = {"pot": "P", "confection": confection, "amount_typed": "2 L", "brix_typed": "66.9", **other}
        return self.do(1, "cook", **line)

    def test_from_the_fire_to_the_spoon(self) -> None:
        self.assertIn("cream", self.begin("fudge")["errors"]["confection"])
        begun = self.begin("cream", stir_typed="38 C")
        self.assertAlmostEqual(begun["stir_c"], 38.0, delta=1.0)
        self.assertEqual(self.pot(2)["phase"], "heating")
        for minute, shown_c in ((14, 103.8), (18, 105.5), (22, 108.0)):
            said = self.read(minute, shown_c)
        self.assertEqual((said["phase"], said["never"]), ("boiling", None))
        self.assertLessEqual(said["low"], said["minutes_left"])
        self.assertEqual(self.read(26, begun["mark_c"])["call"], "off_the_fire")
        for wrong, told in (
            ("bath_litres", {"bath": "water", "bath_litres": "0"}),
            ("bath_litres", {"bath": "bench", "bath_litres": "4"}),
            ("running", {"bath": "ice", "running": "1"}),
            ("bath_temperature", {"bath": "water", "bath_temperature": "80 C"}),
        ):
            self.assertIn(wrong, self.line(26.2, "cooked", **told)["errors"], told)
        self.assertTrue(self.line(26.2, "cooked", bath_litres="10", bath_temperature="12 C")["ok"])
        cools = self.pot(27)
        self.assertEqual((cools["phase"], cools["call"]), ("cooling", "wait"))
        self.line(30, "bath", bath="ice", bath_litres="10")
        self.line(34, "bath", bath="bench")
        self.assertLess(self.read(36, 60.0)["temperature_c"], 62)
        self.line(37, "bath", bath="ice", bath_litres="10")
        self.assertEqual(self.read(45, 37.5)["call"], "stir_now")
        self.assertTrue(self.line(45.5, "stir")["ok"])
        self.assertEqual(self.pot(46)["call"], "wait")
        self.assertEqual(self.pot(60) | {"phase": "stirring", "call": "turns"}, self.pot(60))

    def test_what_warms_slowly_boils_slowly(self) -> None:
        left = []
        for pace in (1, 3):
            self.do(0, "anew")
            self.setUp()
            self.begin("cream")
            for minute, shown_c in ((2, 25.0), (2 + 6 * pace, 75.0)):
                self.read(minute, shown_c)
            left.append(self.read(3 + 11 * pace, 103.8)["minutes_left"])
        self.assertGreater(left[1] / left[0], 2.2)

    def test_far_beyond_its_mark_every_reading_is_taken(self) -> None:
        mark_c = self.begin("hard-drops")["mark_c"]
        calls = []
        for step in range(14):
            beyond = -2.0 + step
            calls.append((beyond, self.read(20 + step, mark_c + beyond)["call"]))
        for beyond, call in calls:
            if beyond <= -1.5:
                self.assertNotIn(call, ("over", "scorches"), beyond)
            if beyond >= 1:
                self.assertEqual(call, "scorches" if beyond >= 4 else "over", beyond)

    def test_a_photograph_is_judged_as_a_page_judges_it(self) -> None:
        made = under(random.Random(3), 60.0, "window")
        (x, y, w, h), (a, b, c, d) = BLANK, SAMPLE
        line = {
            "path_mm": made.path_mm,
            "blank_box": [x, y, x + w, y + h],
            "sample_box": [a, b, a + c, b + d],
        }
        image = base64.b64encode(made.picture).decode()
        said = self.do(1, "photograph", **line, image=image)
        self.assertLess(abs(said["transmittance_10mm_percent"] - 60), 3 * said["uncertainty_percent"])
        self.assertAlmostEqual(sum(said["chances"].values()), 1.0)
        self.assertIn(len(said["said"]), (1, 2))
        for key, wrong in (
            ("image", {"image": "no picture"}),
            ("image", {"image": base64.b64encode(b"GIF89a").decode()}),
            ("sample_box", {"sample_box": [0.9, 0.1, 1.4, 0.5]}),
            ("sample_box", {"sample_box": line["blank_box"]}),
            ("blank_box", {"blank_box": "left"}),
            ("path_mm", {"path_mm": 0}),
        ):
            self.assertIn(
                key, self.do(1, "photograph", **({**line, "image": image} | wrong))["errors"], wrong
            )

    def test_pots_of_another_world_cool_as_they_are_said_to(self) -> None:
        held = looks = 0
        for seed in range(60, 66):
            self.do(0, "anew")
            self.setUp()
            bath = ("water", "ice", "bench")[seed % 3]
            pot = cool(seed, bath, 86.0 if bath == "bench" else 40.0, dial=False)
            self.begin("cream", stir_typed=f"{86 if bath == 'bench' else 40} C")
            self.read(20, pot.hot_c)
            told = {"bath_litres": f"{pot.pot.litres:.0f}"} if bath != "bench" else {}
            self.line(20.1, "cooked", bath=bath, **told)
            wait = min(pot.there_at, 60.0)
            for minute, shown_c in pot.readings:
                if minute < wait / 2:
                    self.read(20.1 + minute, shown_c)
            said, left = self.pot(20.1 + wait / 2), pot.there_at - wait / 2
            held += said["low"] <= left and (said["high"] is None or left <= said["high"])
            self.assertEqual(said["high"] is None, said["never"] > 0.05)
            looks += 1
        self.assertGreaterEqual(held, looks - 2)


if __name__ == "__main__":
    unittest.main()
