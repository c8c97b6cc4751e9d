"""Every line can be opened, corrected or struck: those of slips, and those about instruments, the air, sap."""

import re
import unittest
from dataclasses import replace
from datetime import timedelta
from functools import partial
from math import isclose
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from fastapi.testclient import TestClient

from lumbrel.exchange import logbook, logbook_in
from lumbrel.services.base.entry import Entry, newest, of_row
from lumbrel.services.base.facts import OpenedFacts, StruckFacts
from lumbrel.services.base.form import local_time
from lumbrel.services.bench import checks as bench_checks
from lumbrel.services.bench import curves
from lumbrel.services.day import entries as day_entries
from lumbrel.services.day import ladder
from lumbrel.services.day.checks import ice_point, scale_checks, test_boils
from lumbrel.services.day.pressure import pressure_at
from lumbrel.services.kitchen.change import edit_vessel, instrument_of, vessel_of
from lumbrel.services.record.compared import differences
from lumbrel.services.record.kept import ready
from lumbrel.services.record.settings import RegisteredFacts, SettingFacts, last_set
from lumbrel.services.sap import tanks
from lumbrel.services.stations import book, is_kind, slip
from lumbrel.store import book as books
from lumbrel.store.db import connect, opened
from lumbrel.store.instruments import instruments, retire_instrument
from lumbrel.store.kitchen import load_kitchen, save_kitchen
from lumbrel.store.registered import change
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.render import has_fields
from lumbrel.web.shell.settings import Settings
from tests.support import crawl
from tests.support.kitchen import NOON, KitchenCase, season_copy
from tests.support.records import AFTERNOON

WRONG = r'<strong class="(?:wrong|asked)">([^<]*)'
SET_ANEW = ("setting", "registered", "weather")
"""Kinds of which what is said last counts: they are said anew, or struck."""
BY_WHAT_IS_KNOWN_NOW = ("used", "learnt", "fed temperature_c")
"""What a line keeps of weather and of earlier draws, which may be known better when it is put right."""


def alike(key: str, one: Any, other: Any) -> bool:
    """Whether two lines say the same; their densities may move with those that other lines give."""
    if isinstance(one, dict):
        return one.keys() == other.keys() and all(
            alike(f"{key.split()[0]} {name}", one[name], other[name]) for name in one
        )
    if isinstance(one, list):
        return len(one) == len(other) and all(map(partial(alike, key), one, other))
    if key.endswith(BY_WHAT_IS_KNOWN_NOW):
        return True
    if isinstance(one, float):
        return isclose(one, other, rel_tol=0.005)
    return bool(one == other)


class EveryKind(unittest.TestCase):
    """In the demonstration's record, which has nearly every kind of line."""

    def setUp(self) -> None:
        path = season_copy(Path(self.enterContext(TemporaryDirectory())))
        self.db = self.enterContext(opened(path))
        app = create_app(Settings(database=path, clock=lambda: AFTERNOON, refresh_seconds=0))
        self.client = self.enterContext(
            TestClient(app, base_url="http://127.0.0.1", raise_server_exceptions=False)
        )
        self.codes = dict(self.db.execute("SELECT id, code FROM batch").fetchall())
        self.lines: dict[str, Entry] = {}
        for row in self.db.execute(
            "SELECT line.*, 0 AS superseded FROM line WHERE kind <> 'first' AND NOT EXISTS"
            " (SELECT 1 FROM line AS later WHERE later.supersedes = line.id)"
        ):
            line = of_row(books.line_of(row))
            self.lines.setdefault(f"{line.about} {line.kind}", line)

    def address(self, line: Entry) -> str:
        if line.about == "batch":
            return f"/batch/{self.codes[line.about_id]}/correct/{line.id}"
        return f"/line/{line.id}"

    def test_each_opens_and_is_sent_again_as_it_was_typed(self) -> None:
        tried = set()
        for key, line in self.lines.items():
            if isinstance(line.facts, StruckFacts) or books.superseding(self.db, line.id):
                continue
            with self.subTest(key):
                page = self.client.get(self.address(line))
                self.assertEqual(page.status_code, 200)
                forms = [f for f in crawl.forms(page.text) if "/correct" in f.action]
                offered = line.about == "batch" and has_fields(line.kind) and not slip.fixed(line)
                self.assertTrue(forms or not offered)
                for form in forms:
                    sent = form.fields | {"why": "as it was"}
                    for _ in range(2):  # what is asked is confirmed
                        answer = self.client.post(form.action, data=sent, follow_redirects=False)
                        sent |= dict.fromkeys(re.findall(r'name="(\w+_confirmed)"', answer.text), "1")
                    tried.add(key)
                    self.assertEqual(answer.status_code, 303, re.findall(WRONG, answer.text))
                    new = books.superseding(self.db, line.id)
                    self.assertTrue(alike(line.kind, new.facts, line.row().facts), new.facts)
        self.assertGreater(len(tried), 12)
        self.assertEqual(differences(self.db), [])

    def test_the_last_of_a_tank_that_was_let_in_is_put_right_from_what_was_left_then(self) -> None:
        rows = self.db.execute(
            "SELECT line.*, 0 AS superseded FROM line WHERE kind = 'fed' ORDER BY at LIMIT 7"
        )
        fed = [of_row(books.line_of(row)) for row in rows]
        last = max(fed[:6], key=lambda line: line.at)
        form = next(
            form
            for form in crawl.forms(self.client.get(self.address(last)).text)
            if "/correct" in form.action
        )
        sent = form.fields | {"why": "as it was"}
        self.assertEqual(self.client.post(form.action, data=sent, follow_redirects=False).status_code, 303)
        new = books.superseding(self.db, last.id)
        self.assertTrue(alike("fed", new.facts, last.row().facts), new.facts)

    def test_each_that_is_moved_to_before_all_others_is_taken_or_refused(self) -> None:
        tried = 0
        for key, line in self.lines.items():
            with self.subTest(key):
                page = self.client.get(self.address(line)).text
                for form in (f for f in crawl.forms(page) if "/correct" in f.action):
                    sent = form.fields | {"why": "a test", "at": "2026-01-02 08:00"}
                    for _ in range(2):
                        answer = self.client.post(form.action, data=sent, follow_redirects=False)
                        sent |= dict.fromkeys(re.findall(r'name="(\w+_confirmed)"', answer.text), "1")
                    self.assertIn(answer.status_code, (303, 422, 409))
                    tried += 1
        self.assertGreater(tried, 25)
        self.assertEqual(differences(self.db), [])

    def test_each_that_is_about_no_batch_is_moved_to_when_it_was(self) -> None:
        moved = set()
        for key, line in self.lines.items():
            kind = line.kind not in ("struck", *SET_ANEW) and line.about != "batch"
            if not kind:
                continue
            with self.subTest(key):
                at = line.at.replace(second=0, microsecond=0) - timedelta(minutes=3)
                local = local_time(at, load_kitchen(self.db))
                form = next(
                    form
                    for form in crawl.forms(self.client.get(self.address(line)).text)
                    if "/correct" in form.action
                )
                sent = form.fields | {"why": "the clock", "at": f"{local:%Y-%m-%d %H:%M}"}
                for _ in range(2):  # what is asked is confirmed
                    answer = self.client.post(form.action, data=sent, follow_redirects=False)
                    sent |= dict.fromkeys(re.findall(r'name="(\w+_confirmed)"', answer.text), "1")
                if "more than was in it" in answer.text:
                    continue
                self.assertEqual(answer.status_code, 303, answer.text)
                new = books.superseding(self.db, line.id)
                self.assertEqual((new.kind, new.at), (line.kind, at))
                self.assertTrue(alike(line.kind, new.facts, line.row().facts), new.facts)
                moved.add(key)
        self.assertGreater(len(moved), 8, moved)
        self.assertEqual(differences(self.db), [])

    def test_each_that_is_about_no_batch_is_struck_and_shown_as_struck(self) -> None:
        struck = 0
        for key, line in self.lines.items():
            if line.about == "batch" or isinstance(line.facts, StruckFacts):
                continue
            with self.subTest(key):
                data = {"id": f"struck-{line.id}"[:60], "why": "a test", "initials": "MT"}
                answer = self.client.post(f"/line/{line.id}/strike", data=data, follow_redirects=False)
                if answer.status_code == 422:
                    self.assertIn("more than was in it", answer.text)
                    continue
                struck += 1
                self.assertEqual(answer.status_code, 303)
                self.assertEqual(self.client.get(answer.headers["location"]).status_code, 200)
                page = self.client.get(f"/line/{line.id}").text
                self.assertIn("it counts no more", page)
                self.assertIn("Reason: a test. By MT.", re.sub(r"\s+", " ", page))
                again = self.client.post(f"/line/{line.id}/strike", data={"id": "another-0001"})
                self.assertEqual(again.status_code, 409, "somebody was first")
        self.assertGreater(struck, 6)
        self.assertEqual(differences(self.db), [])


class Checks(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.at = NOON
        app = create_app(Settings(database=self.path, clock=lambda: self.at, refresh_seconds=0))
        self.client = self.enterContext(TestClient(app, base_url="http://127.0.0.1"))

    def boil(self, reading: str, **more: str) -> str:
        fields = {"thermometer": "dial-a", "reading": reading, **more}
        answer = self.client.post("/day/test-boil", data=fields, follow_redirects=False)
        return "" if answer.status_code == 303 else answer.text

    def mark(self) -> float:
        day = ladder.today(self.db, self.at, "dial-a")
        return next(rung.shown_c for rung in day.rungs if rung.key == "water")

    def again(self, code: str, line_id: str, **other: str) -> Entry:
        """A line of a slip, sent again by its page's form with something else in it."""
        page = self.client.get(f"/batch/{code}/correct/{line_id}").text
        form = next(form for form in crawl.forms(page) if "/correct" in form.action)
        sent = form.fields | {"why": "misread"} | other
        answer = self.client.post(form.action, data=sent, follow_redirects=False)
        self.assertEqual(answer.status_code, 303, re.findall(WRONG, answer.text))
        return of_row(books.by_id(self.db, sent["id"]))

    def test_what_was_drawn_keeps_what_was_believed_then(self) -> None:
        code, sure = self.take_in(), {"sample": "20 C", "reading_confirmed": "1"}
        drop = self.put(code, "refractometer", 55, reading="66.9", **sure)
        drawn = self.put(code, "draw", 60, mass="18 kg", mass_confirmed="1").facts
        self.at = NOON + timedelta(minutes=70)
        self.again(code, drop.id, reading="62.1", reading_confirmed="1")
        line = next(e for e in newest(self.db, type(drawn), limit=1))
        new = self.again(code, line.id, mass="17 kg").facts
        self.assertEqual(new, drawn.model_copy(update={"mass_kg": 17.0}))

    def test_what_was_put_in_of_another_woodlot_stays_its(self) -> None:
        code = self.take_in()
        more = {"mass": "2 kg", "brix": "50", "woodlot": "upper-fold"}
        line = self.put(code, "added", 10, **more)
        self.assertEqual(line.facts.woodlot_id, "upper-fold")
        self.at = NOON + timedelta(minutes=20)
        new = self.again(code, line.id, mass="2.5 kg").facts
        self.assertEqual(new, line.facts.model_copy(update={"mass_kg": 2.5}))

    def test_a_boil_is_held_against_the_air_and_its_own_history(self) -> None:
        here = pressure_at(self.db, load_kitchen(self.db), self.at).boil_c
        self.assertIn("full boil", self.boil(f"{here + 1.6:.2f}"))
        self.assertEqual(self.boil(f"{here + 1.4:.2f}"), "")
        self.assertEqual(self.boil(f"{here + 2.6:.2f}"), "", "by its history it shows 1.4 high")
        self.at += timedelta(days=1)
        self.assertIn("earlier test boils", self.boil(f"{here - 0.2:.2f}"))
        self.assertEqual(self.boil(f"{here - 0.2:.2f}", reading_confirmed="1"), "")

    def test_a_mistyped_boil_is_corrected_and_struck_and_the_marks_follow(self) -> None:
        self.boil("99.1 C", id="boil-0001")
        self.boil("101.9 C", id="boil-0002", reading_confirmed="1", initials="MT")
        self.assertAlmostEqual(self.mark(), 100.5, delta=0.05)
        wrong = self.client.post(
            "/line/boil-0002/correct", data={"thermometer": "dial-a", "reading": "99.3 C"}
        )
        self.assertEqual((wrong.status_code, "Say why" in wrong.text), (422, True))
        right = {"thermometer": "dial-a", "reading": "99.3 C", "why": "read 101", "id": "boil-0003"}
        for _ in range(2):
            self.assertEqual(self.client.post("/line/boil-0002/correct", data=right).status_code, 200)
        self.assertAlmostEqual(self.mark(), 99.2, delta=0.05)
        kept = [line.id for line in test_boils(self.db, "dial-a", self.at)]
        self.assertEqual(kept, ["boil-0003", "boil-0001"])
        self.assertIn("The line that stands", self.client.get("/line/boil-0002").text)
        gone = self.client.post("/line/boil-0002/correct", data=right | {"id": "boil-0004"})
        self.assertEqual(gone.status_code, 409)
        self.assertIn("it counts no more", gone.text)
        other_kind = {"basis": "station", "pressure": "950 hPa", "supersedes": "boil-0003"}
        answer = self.client.post("/day/pressure", data=other_kind | {"why": "no", "id": "air-00001"})
        self.assertEqual(answer.status_code, 404)
        self.assertIsNone(books.by_id(self.db, "air-00001"))
        self.client.post("/line/boil-0003/strike", data={"id": "struck-0003"})
        self.assertAlmostEqual(self.mark(), 99.1, delta=0.05)
        self.assertEqual(self.client.get("/line/struck-0003").status_code, 404)
        again = self.client.post("/line/struck-0003/strike", data={"id": "struck-0004"})
        self.assertEqual(again.status_code, 404, "a strike is not struck")

    def test_pressure_ice_and_scale_are_put_right_the_same_way(self) -> None:
        stem = next(i for i in instruments(self.db) if i.kind == "refractometer")
        glass = next(i for i in instruments(self.db) if i.id == "dial-a")
        checked = {"against": "water", "reading": "0.9", "temperature": "20 C", "compensated": "1"}
        day_entries.set_pressure(
            self.db, NOON, {"basis": "station", "pressure": "940 hPa", "id": "air-00001"}
        )
        bench_checks.take_ice_point(self.db, glass, NOON, {"ice": "2 C", "id": "ice-00001"})
        bench_checks.take_scale_check(self.db, stem, NOON, checked | {"id": "check-0001"})
        error = curves.scale_error(self.db, stem, 0.0, NOON)
        self.assertGreater(error, 0.8)
        for line, fields in (
            ("air-00001", {"basis": "station", "pressure": "960 hPa"}),
            ("ice-00001", {"ice": "0.5 C"}),
            ("check-0001", checked | {"reading": "0.3"}),
        ):
            sent = fields | {"why": "misread", "id": f"{line}-b"}
            self.assertEqual(self.client.post(f"/line/{line}/correct", data=sent).status_code, 200, line)
        self.assertEqual(pressure_at(self.db, load_kitchen(self.db), NOON).pa, 96_000)
        self.assertEqual(ice_point(self.db, "dial-a", NOON).facts.reading_c, 0.5)
        self.assertLess(curves.scale_error(self.db, stem, 0.0, NOON), error - 0.5)
        for line in ("air-00001-b", "ice-00001-b", "check-0001-b"):
            self.client.post(f"/line/{line}/strike", data={"id": f"{line}-s"})
        self.assertNotEqual(pressure_at(self.db, load_kitchen(self.db), NOON).pa, 96_000)
        self.assertIsNone(ice_point(self.db, "dial-a", NOON))
        self.assertEqual(scale_checks(self.db, stem.id, NOON), [])

    def test_a_line_nobody_can_read_any_more_is_shown_as_it_was_typed(self) -> None:
        code = self.take_in()
        batch = self.db.execute("SELECT id FROM batch").fetchone()["id"]
        for number, (about, about_id, kind, facts) in enumerate(
            (
                ("batch", batch, "steam_pan", {"kpa": 40}),
                ("batch", batch, "note", {"nonsense": 1}),
                ("instrument", "dial-a", "x_rayed", {}),
            )
        ):
            row = books.LineRow(
                id=f"strange-{number}",
                kind=kind,
                about=about,
                about_id=about_id,
                at=NOON,
                noted_at=NOON,
                typed={"what": f"typed {number}"},
                facts=facts,
            )
            self.assertTrue(books.add(self.db, row))
        self.assertFalse(is_kind("steam_pan"))
        slip = self.client.get(f"/pan/{code}").text
        self.assertIn("typed 0", slip)
        self.assertIn("typed 1", slip)
        own = self.client.get("/kitchen/instrument/dial-a").text
        self.assertIn("which this Lumbrel cannot read", own)
        self.assertIn("typed 2", self.client.get("/line/strange-2").text)
        self.assertEqual(book.shown(self.db, "strange-2").kind, None)
        self.assertFalse(isinstance(of_row(books.by_id(self.db, "strange-0")).facts, OpenedFacts))

    def test_what_is_said_late_of_an_earlier_moment_is_kept_up(self) -> None:
        """Whatever says something of the past leaves what is kept as the lines say."""
        stem = {"reading_confirmed": "1", "at_confirmed": "1"}
        codes = []
        for number in range(3):
            codes.append(self.take_in(NOON + timedelta(hours=3 * number)))
            minute = 180 * number
            self.put(
                codes[-1],
                "draw",
                minute + 60,
                mass_confirmed="1",
                kind_confirmed="1",
                draw_confirmed="1",
            )
            self.put(codes[-1], "hydrometer", minute + 62, reading="59", cup="95 C", **stem)
        for code, typed in zip(reversed(codes), ("", "09:00", "08:00"), strict=True):
            late = {"at": f"2026-03-19 {typed}"} if typed else {}
            self.put(code, "hydrometer", 1440, reading="66.5", cup="30 C", **stem, **late)
        self.assertEqual(differences(self.db), [])
        self.at = NOON + timedelta(days=3)
        since = {"at": "2026-03-17 08:00"}
        self.boil("99.9 C", id="late-boil-1", **since)
        air = {"basis": "station", "pressure": "930 hPa", "id": "late-air-01"} | since
        self.client.post("/day/pressure", data=air)
        long_stem = next(i for i in instruments(self.db) if i.kind == "hydrometer")
        check = {"against": "solution", "brix": "60", "reading": "61", "temperature": "20 C"}
        checked = f"/kitchen/instrument/{long_stem.id}/check"
        self.client.post(checked, data=check | since | {"id": "late-check-1"})
        for line in ("late-boil-1", "late-air-01", "late-check-1"):
            self.assertEqual(books.by_id(self.db, line).at.day, 17, line)
            self.assertEqual(differences(self.db), [], line)
            self.client.post(f"/line/{line}/strike", data={"id": f"{line}-struck"})
            self.assertEqual(differences(self.db), [], line)

    def test_what_a_line_brought_with_it_goes_with_it(self) -> None:
        """An elevation typed with the air is the kitchen's; corrected it was so since then."""
        before = load_kitchen(self.db)
        typed = {"basis": "elevation", "elevation": "900 m", "id": "height-0001"}
        self.client.post("/day/pressure", data=typed)
        self.assertEqual(load_kitchen(self.db).elevation_m, 900.0)
        noted = self.at
        self.at += timedelta(hours=5)
        again = {**typed, "elevation": "400 m", "id": "height-0002", "why": "slip of the thumb"}
        self.client.post("/line/height-0001/correct", data=again)
        self.client.post("/line/height-0001/correct", data=again)
        here = load_kitchen(self.db)
        self.assertEqual((here.elevation_m, here.elevation_at(noted)), (400.0, 400.0))
        self.assertEqual(differences(self.db), [])
        said = self.client.get("/line/height-0001+elevation_m")
        self.assertIn("Struck", said.text)
        self.assertIn("slip of the thumb", said.text)
        self.client.post("/line/height-0002/strike", data={"id": "height-0003"})
        self.assertEqual(load_kitchen(self.db), before)
        self.assertEqual(differences(self.db), [])
        refused = self.client.post("/day/pressure", data=typed | {"id": "x+elevation_m"})
        self.assertNotIn("x+elevation_m", [row["id"] for row in books.newest(self.db, "setting", limit=9)])
        self.assertLess(refused.status_code, 500)

    def test_sap_that_was_mistyped_is_corrected_and_the_tank_follows(self) -> None:
        self.client.post(
            "/sap/tanks",
            data={"id": "tank-0001", "name": "Crate", "capacity": "500 L", "place": "outside"},
        )
        sap = {
            "woodlot": "north-kiln",
            "taps": "40",
            "brix_by": "told",
            "brix": "2",
            "tank": "tank-0001",
        }
        sap |= {
            "clarity": "clear",
            "temperature": "4 C",
            "litres_confirmed": "1",
            "brix_confirmed": "1",
        }
        self.assertIn("now, if left empty", self.client.get("/sap/gather").text)
        self.client.post("/sap/gather", data=sap | {"id": "gathered-1", "litres": "300 L"})
        tank = {"what": "warm", "temperature": "14 C", "id": "warm-00001"}
        self.client.post("/sap/tank/tank-0001", data=tank)
        out = {"what": "out", "litres": "200 L", "reason": "sour", "id": "out-000001"}
        self.client.post("/sap/tank/tank-0001", data=out)

        def litres() -> float:
            return tanks.view(self.db, "tank-0001", self.at).content.litres

        self.assertAlmostEqual(litres(), 100, delta=1)
        for line, wrong in (
            ("gathered-1", {**sap, "litres": "150 L"}),
            ("out-000001", {"litres": "350 L", "reason": "sour"}),
        ):
            refused = self.client.post(f"/line/{line}/correct", data=wrong | {"id": "refused-1", "why": "x"})
            self.assertIn("more than was in it", refused.text, line)
        for line, right, left in (
            ("gathered-1", {**sap, "litres": "330 L"}, 130),
            ("out-000001", {"litres": "20 L", "reason": "spilt"}, 310),
            ("warm-00001", {"temperature": "4 C"}, 310),
        ):
            page = self.client.get(f"/line/{line}").text
            self.assertIn("Correct it", page)
            self.assertNotIn("now, if left empty", page)
            sent = right | {"id": f"{line}-b", "why": "misread", "initials": "MT"}
            for _ in range(2):
                answer = self.client.post(f"/line/{line}/correct", data=sent)
                self.assertEqual(answer.status_code, 200)
            self.assertAlmostEqual(litres(), left, delta=1, msg=line)
        self.assertEqual(books.by_id(self.db, "warm-00001-b").initials, "MT")
        self.client.post(
            "/sap/tanks",
            data={"id": "tank-0002", "name": "Vat", "capacity": "200 L", "place": "outside"},
        )
        every = {"what": "out", "all": "1", "litres": "", "reason": "sour", "id": "out-000002"}
        self.client.post("/sap/tank/tank-0001", data=every)
        self.assertAlmostEqual(litres(), 0, delta=1)
        why = every | {"reason": "given", "why": "not sour", "id": "out-000003"}
        self.client.post("/line/out-000002/correct", data=why)
        self.assertAlmostEqual(books.by_id(self.db, "out-000003").facts["litres"], 310, delta=1)
        self.client.post("/line/out-000003/strike", data={"id": "out-000004", "why": "not yet"})
        over = {"what": "move", "litres": "90 L", "to": "tank-0002", "id": "moved-00001"}
        self.client.post("/sap/tank/tank-0001", data=over)
        self.assertAlmostEqual(litres(), 220, delta=1)
        self.assertIn("Correct it", self.client.get("/line/moved-00001").text)
        less = {"litres": "60 L", "to": "tank-0002", "id": "moved-00002", "why": "misread"}
        self.client.post("/line/moved-00001/correct", data=less)
        self.assertAlmostEqual(litres(), 250, delta=1)
        self.client.post("/sap/register/tank/tank-0001", data={"name": "Trough"})
        page = self.client.get("/sap/tank/tank-0001").text
        self.assertIn("/line/moved-00002", page)
        self.assertIn("tank named Trough", page)
        self.assertEqual(differences(self.db), [])

    def test_what_is_said_to_have_been_so_for_longer_is_noted_once_and_alone(self) -> None:
        before = self.at
        self.at += timedelta(days=2)
        here = replace(load_kitchen(self.db), elevation_m=900.0)
        save_kitchen(self.db, here, self.at)
        self.assertNotEqual(load_kitchen(self.db).elevation_at(before), 900.0)
        for noted in (1, 0):
            lines = self.db.execute("SELECT count(*) FROM line").fetchone()[0]
            save_kitchen(self.db, load_kitchen(self.db), self.at, before - timedelta(days=1))
            now = self.db.execute("SELECT count(*) FROM line").fetchone()[0]
            self.assertEqual(now - lines, noted)
            self.assertEqual(load_kitchen(self.db).elevation_at(before), 900.0)

    def test_a_kitchen_set_up_lists_what_was_chosen(self) -> None:
        listed = {line.facts.name for line in last_set(self.db, 20)}
        self.assertIn("elevation_m", listed)
        self.assertFalse(listed & {"logo", "labels", "toll_percent", "both_units"})
        self.at += timedelta(hours=1)
        for toll in (20.0, 0.0):
            save_kitchen(self.db, replace(load_kitchen(self.db), toll_percent=toll), self.at)
        self.assertEqual([line.facts.value for line in last_set(self.db, 2)], [0.0, 20.0])

    def test_what_was_set_or_registered_is_struck_and_is_as_it_was_before(self) -> None:
        here = load_kitchen(self.db)
        self.at += timedelta(hours=1)
        save_kitchen(self.db, replace(here, elevation_m=900.0, toll_percent=20.0), self.at)
        set_to = {line.facts.name: line.id for line in newest(self.db, SettingFacts, limit=2)}
        self.assertEqual(load_kitchen(self.db).elevation_m, 900.0)
        page = self.client.get("/kitchen").text
        self.assertRegex(page, "elevation: 900\\sm")
        edit_vessel(self.db, "finisher-2", WIDER | {"initials": "MT"}, self.at)
        retire_instrument(self.db, "long-stem", self.at)
        self.assertEqual(vessel_of(self.db, "finisher-2").name, "Wide pan")
        changes = {line.id: line.about_id for line in newest(self.db, RegisteredFacts, since=self.at)}
        self.assertEqual(sorted(changes.values()), ["finisher-2", "long-stem"])
        self.assertIn("Wide pan", self.client.get("/kitchen/vessel/finisher-2").text)
        for number, line in enumerate([*set_to.values(), *changes]):
            answer = self.client.post(f"/line/{line}/strike", data={"id": f"struck-000{number}"})
            self.assertEqual(answer.status_code, 200)
            self.assertEqual(differences(self.db), [])
        self.assertEqual(load_kitchen(self.db), here)
        self.assertEqual(vessel_of(self.db, "finisher-2").name, "Finisher 2")
        self.assertIsNone(instrument_of(self.db, "long-stem").retired_at)
        text = logbook.as_json(self.db)
        other = connect(":memory:")
        self.addCleanup(other.close)
        ready(other)
        logbook_in.take_in(other, text)
        self.assertEqual((logbook.as_json(other), load_kitchen(other)), (text, here))

    def test_a_state_is_known_with_all_that_was_changed_before_it(self) -> None:
        for day, state in (
            (1, {"name": "One"}),
            (2, {"vessel_id": "finisher-2"}),
            (3, {"name": "Two"}),
        ):
            at = NOON + timedelta(days=day)
            change(self.db, "instrument", "probe-1", state, since=at, noted_at=at)
        probe = instrument_of(self.db, "probe-1")
        known = [probe.as_of(NOON + timedelta(days=day, hours=1)) for day in range(4)]
        self.assertEqual([one.name for one in known], ["Probe 1", "One", "One", "Two"])
        self.assertEqual({one.vessel_id for one in known[2:]}, {"finisher-2"})
        self.assertNotEqual(known[0].vessel_id, "finisher-2")


WIDER = {"name": "Wide pan", "shape": "round", "diameter": "900 mm", "fire": ""}
