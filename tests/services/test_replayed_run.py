"""A woodlot played from outside, line by line."""

import json
import unittest
from datetime import date, timedelta
from typing import Any

from lumbrel.exchange.replay import Replay
from tests.worlds.woods import Woodlot


class ReplayedRun(unittest.TestCase):
    def setUp(self) -> None:
        self.replay = Replay()
        self.addCleanup(self.replay.close)
        self.do(date(2026, 2, 24), 6, "kitchen", elevation_m=300, units="metric")
        lot = {"name": "L", "sugar_kind": "maple", "tree": "sugar maple", "taps": 100}
        self.assertTrue(self.do(date(2026, 2, 24), 6, "woodlot", **lot)["ok"])

    def do(self, day: date, hour: int, what: str, **line: Any) -> dict[str, Any]:
        return self.replay.answer(json.dumps({"do": what, "at": f"{day}T{hour:02d}:00:00+00:00", **line}))

    def weather(self, today: date, on: date, night_c: float, day_c: float, measured: bool) -> dict[str, Any]:
        said = {"date": on.isoformat(), "night_c": night_c, "day_c": day_c, "measured": measured}
        return self.do(today, 18, "weather", **said)

    def test_a_season_is_told_a_week_ahead(self) -> None:
        lot, off, last = Woodlot("played"), 0.0, 0.0
        season = list(lot.season(2026, 36))
        for i, one in enumerate(season[:-5]):
            self.assertTrue(self.weather(one.day, one.day, one.night_c, one.day_c, True)["ok"])
            told = {"woodlot": "L", "litres": round(100 * one.litres, 1), "taps": 100}
            self.assertTrue(self.do(one.day, 18, "gathered", **told)["ok"], told)
            for ahead in range(1, 6):
                self.weather(one.day, season[i + ahead].day, *lot.forecast(season[i + ahead], ahead), False)
            days = self.do(one.day, 20, "forecast", woodlot="L")["days"]
            self.assertEqual(
                [day["date"] for day in days], [str(one.day + timedelta(days=d)) for d in range(6)]
            )
            for day in days:
                self.assertTrue(0 <= day["low"] <= day["litres"] <= day["high"], day)
            if i > 6:
                off += abs(days[1]["litres"] - 100 * season[i + 1].litres)
                last += abs(100 * one.litres - 100 * season[i + 1].litres)
        self.assertLess(off, 0.9 * last)

    def test_what_cannot_be_is_said_and_what_is_missing_is_passed_over(self) -> None:
        today = date(2026, 3, 2)
        for what, key, line in (
            ("gathered", "woodlot", {"woodlot": "M", "litres": 3, "taps": 4}),
            ("gathered", "litres", {"woodlot": "L", "litres": -3, "taps": 4}),
            ("gathered", "taps", {"woodlot": "L", "litres": 3, "taps": 0}),
            ("forecast", "woodlot", {"woodlot": "M"}),
            ("weather", "night_c", {"date": "2026-03-02", "night_c": 5, "day_c": 1}),
            ("weather", "date", {"date": "soon", "night_c": -5, "day_c": 1}),
            ("woodlot", "name", {"name": "L", "taps": 3}),
            ("woodlot", "sugar_kind", {"name": "N", "sugar_kind": "oak", "taps": 3}),
        ):
            self.assertIn(key, self.do(today, 8, what, **line)["errors"], (what, line))
        self.assertEqual(self.do(today, 8, "forecast", woodlot="L")["days"], [])
        for gone in range(6):
            day = today + timedelta(days=gone)
            self.weather(day, day, -4, 6, True)
            self.assertTrue(self.do(day, 18, "gathered", woodlot="L", litres=0, taps=100)["ok"])
        # Nothing is known of a week; then a day's forecast comes.
        later = today + timedelta(days=13)
        self.weather(later, later + timedelta(days=2), -4, 6, False)
        (only,) = self.do(later, 20, "forecast", woodlot="L")["days"]
        self.assertEqual(only["date"], str(later + timedelta(days=2)))
        self.assertLess(only["litres"], 60, "it never gave anything")


if __name__ == "__main__":
    unittest.main()
