"""Whatever page, paper, hint or label: what a kitchen reads is in its own units, on its own clock."""

import re
import shutil
import tempfile
import unittest
from datetime import UTC, datetime
from pathlib import Path

from fastapi.testclient import TestClient

from lumbrel import demo
from lumbrel.core.errors import OutOfRange
from lumbrel.core.units import parse, said, show, span_of
from lumbrel.services.base.form import BadInput, Form
from lumbrel.services.kitchen.settings import UNIT_PRESETS, use_units
from lumbrel.store.db import connect
from lumbrel.store.kitchen import Kitchen
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.settings import Settings
from tests.support import crawl
from tests.support.kitchen import season_copy

US = UNIT_PRESETS["us"]
METRIC = re.compile(
    r"(?<![\w.])(?<!through )[−-]?\d[\d.,]*[ \u00a0](?:°?C|K|kg|g|L|ml|mm|cm|hPa|m³|m²|m)(?![\w²³/])"
    r"|\d{4}-\d\d-\d\d|\b\d\d?:\d\d(?::\d\d)?\b(?!:|[ \u00a0][ap]m)|A4"
)
POUNDS = re.compile(
    r"(?<![\w.])[−-]?\d[\d.,/]*[ \u00a0](?:°?F|lb|oz|fl oz|gal|qt|ft|inHg)(?![\w])|\b\d\d?:\d\d[ \u00a0][ap]m"
)
AS_IT_IS = {
    "/jar/{code}/labels": "both systems stand on a label, and its days read alike in any language",
    "/working/slip/{code}/{entry_id}": "what was typed is told as it was typed",
    "/batch/{code}/correct/{entry_id}": "what was typed is told as it was typed",
    "/kitchen": "papers are chosen here",
    "/kitchen/methods": "schools of the trade have figures in their names",
    "/working/methods/{code}": "schools of the trade have figures in their names",
    "/line/{line}": "what was typed is in its field as it was typed",
    "/day": "schools of the trade have figures in their names",
    "/colour/{code}": "a vial's path is 10 mm by its own standard",
    "/colour/{code}/meter": "a vial's path is 10 mm by its own standard",
}
STOPWATCH = ("0:00",)


class OwnUnits(unittest.TestCase):
    def foreign(self, preset: str, wrong: re.Pattern[str]) -> dict[str, list[str]]:
        folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, folder)
        path = season_copy(folder)
        clock = demo.clock(path, frozen=True)
        db = connect(path)
        use_units(db, preset, clock())
        db.close()
        app = create_app(Settings(database=path, clock=clock, demo=True, refresh_seconds=0))
        found: dict[str, list[str]] = {}
        seen = set()
        with TestClient(app, base_url="http://127.0.0.1") as client:
            for path_, answer in crawl.pages(client, each=1):
                route = crawl.route_of("GET", path_)
                if route in AS_IT_IS or "text/html" not in answer.headers.get("content-type", ""):
                    continue
                seen.add(route)
                for text in crawl.said(answer.text):
                    near = [text[max(m.start() - 30, 0) : m.end() + 20] for m in wrong.finditer(text)]
                    strange = [one for one in near if not one.endswith(STOPWATCH)]
                    if strange:
                        found.setdefault(route, []).extend(strange)
        self.assertGreater(len(seen), 35)
        return found

    def test_an_american_kitchen_meets_no_metric_unit_and_no_clock_of_24_hours(self) -> None:
        self.assertEqual(self.foreign("us", METRIC), {})

    def test_a_metric_kitchen_meets_no_pound_and_no_afternoon(self) -> None:
        self.assertEqual(self.foreign("metric", POUNDS), {})


class Said(unittest.TestCase):
    def test_a_sentence_is_told_in_the_chosen_units_and_allows_what_it_says(self) -> None:
        for text, told in (
            ("between −10 and 40 °C (14 and 104 °F).", "between 14 and 104 °F."),
            ("Above 115 °C it burns", "Above 239 °F it burns"),
            ("between 1 and 100 000 L.", "between 0.27 and 26,000 gal."),
            ("between 0.05 and 500 kg", "between 0.12 and 1,100 lb"),
            ("8 mm (5/16 in)", "5/16 in"),
            ("1.3 m up", "4.3 ft up"),
            ("62 % through 10 mm", "62 % through 10 mm"),
            ("0.75 kg/m² of 8 m²", "0.75 kg/m² of 8 m²"),
        ):
            with self.subTest(text):
                self.assertEqual(said(text, US), told)
                self.assertEqual(said(told, US), told, "told twice it is the same")
        self.assertEqual(said("0 to 40 °C (32 and 104 °F)", {}), "0 to 40 °C")

    def test_little_is_told_in_little_units_and_a_bigger_unit_more_finely(self) -> None:
        for value, kind, unit, decimals, told in (
            (0.4, "volume", "gal", 0, "0.42 qt"),
            (0.05, "volume", "gal", 1, "1.7 fl oz"),
            (0.04, "mass", "lb", 1, "1.4 oz"),
            (0.04, "mass", "kg", 1, "40 g"),
            (0.0, "volume", "gal", 0, "0.0 gal"),
            (40.0, "depth", "in", 0, "1.57 in"),
            (3.0, "volume", "gal", 0, "0.8 gal"),
        ):
            text = show(value, kind, unit, decimals)
            with self.subTest(told):
                self.assertEqual(text.replace("\u00a0", " "), told)
                self.assertAlmostEqual(parse(text, kind).value, value, delta=0.01 * value + 0.02)

    def test_a_refusal_gives_an_example_in_the_unit_that_is_asked_for(self) -> None:
        for unit, example in (("F", "219.4 F"), ("C", "104.1 C")):
            with self.assertRaisesRegex(OutOfRange, f"for example {example}"):
                parse("hot", "temperature", unit)


class Clock(unittest.TestCase):
    now = datetime(2026, 4, 18, 14, 25, tzinfo=UTC)

    def at(self, text: str, clock: str = "12") -> datetime:
        units = {"clock": clock}
        form = Form({"at": text}, Kitchen(time_zone="UTC", units=units))
        found = form.time_of_day("at", self.now)
        form.check()
        return found

    def test_a_time_on_either_clock_is_the_newest_it_can_mean(self) -> None:
        for text, clock, hour, day in (
            ("2:20 pm", "12", 14, 18),
            ("2:20 pm", "24", 14, 18),
            ("2:20", "12", 14, 18),
            ("2:20", "24", 2, 18),
            ("2:30", "12", 2, 18),
            ("12:10 am", "12", 0, 18),
            ("12:10", "12", 12, 18),
            ("02:20:00", "12", 2, 18),
            ("9:00 p.m.", "12", 21, 17),
            ("yesterday 3:00 pm", "12", 15, 17),
            ("Apr 16, 3:05 am", "12", 3, 16),
            ("16 April 2026, 15:05", "24", 15, 16),
            ("2026-04-16 15:05", "12", 15, 16),
        ):
            with self.subTest(text, clock=clock):
                found = self.at(text, clock)
                self.assertEqual((found.hour, found.day), (hour, day))
        for text in ("13:00 pm", "25:00", "next week 3:00", "3 pm in May"):
            with self.subTest(text), self.assertRaises(BadInput):
                self.at(text)

    def test_a_day_in_words(self) -> None:
        today = self.now.date()
        for text, key, first, last in (
            ("April 16", "12", "2026-04-16", "2026-04-16"),
            ("16 apr 2025", "24", "2025-04-16", "2025-04-16"),
            ("May", "", "2025-05-01", "2025-05-31"),
            ("Feb 2026", "", "2026-02-01", "2026-02-28"),
            ("2026-03", "", "2026-03-01", "2026-03-31"),
            ("4/2/2026", "12", "2026-04-02", "2026-04-02"),
            ("4/2/2026", "24", "2026-02-04", "2026-02-04"),
            ("yesterday", "", "2026-04-17", "2026-04-17"),
        ):
            with self.subTest(text, key=key):
                span = span_of(text, today, key)
                assert span
                self.assertEqual([day.isoformat() for day in span], [first, last])
        for text in ("ma", "Feb 30", "13/13/2026", "soon", "2026-02-31", "Mar 3 4"):
            self.assertIsNone(span_of(text, today), text)
