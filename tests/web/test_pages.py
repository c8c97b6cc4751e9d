"""Pages: what was typed stays, nothing is half-written, other sites and big bodies are refused."""

import html
import re
import sqlite3
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import replace
from datetime import timedelta
from typing import Any
from unittest import mock

from fastapi.testclient import TestClient

from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.exchange import logbook
from lumbrel.services.base import batch as contexts
from lumbrel.services.base import progress as progress_of
from lumbrel.services.base.progress import Progress
from lumbrel.store.db import opened
from lumbrel.store.kitchen import load_kitchen, save_kitchen
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.security import MAX_BODY_BYTES
from lumbrel.web.shell.settings import Settings
from tests.support.kitchen import NOON, KitchenCase, struck_as_before

HOST = "http://127.0.0.1"
TAKEN = {
    "vessel": "finisher-1",
    "sugar_kind": "maple",
    "woodlot": "tern-lot",
    "amount_by": "mass",
    "amount": "30",
    "brix": "45",
    "temperature": "50",
}


class Pages(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.at = NOON
        app = create_app(Settings(database=self.path, clock=lambda: self.at))
        self.client = self.enterContext(
            TestClient(app, base_url=HOST, follow_redirects=False, raise_server_exceptions=False)
        )

    def rows(self) -> int:
        tables = ("line", "batch", "vessel", "instrument", "parcel", "flow")
        count = sqlite3.connect(self.path)
        total = sum(count.execute(f"SELECT count(*) FROM {t}").fetchone()[0] for t in tables)
        count.close()
        return total

    def test_a_vessel_is_changed_on_its_page_and_says_what_it_was(self) -> None:
        page, typed = "/kitchen/vessel/finisher-2", {"name": "Finisher 2", "shape": "measured"}
        wrong = self.client.post(page, data=typed | {"measures": "20 mm, 3 L"})
        self.assertEqual(wrong.status_code, 422)
        self.assertIn('value="20 mm, 3 L"', wrong.text)
        right = self.client.post(page, data=typed | {"measures": "20 mm = 3 L, 80 mm = 13 L"})
        self.assertEqual(right.status_code, 303)
        said = re.sub(r"<[^>]*>|\s+", " ", self.client.get(page).text)
        said = re.sub(r"\s+", " ", html.unescape(said))
        self.assertIn("round, 450 mm, at first", said)
        self.assertIn("measured at 2 depths, since 18 March 2026", said)
        self.assertEqual(self.client.get("/kitchen/vessel/bath-tub").status_code, 404)

    def test_both_units_are_shown_on_request_and_never_in_a_field(self) -> None:
        settings = load_kitchen(self.db)
        save_kitchen(self.db, replace(settings, both_units=True), NOON)
        code = self.take_in()
        self.put(code, "hydrometer", 40, reading="50", cup="90 C", reading_confirmed="1")
        for path, said in (
            ("/day", "98.6\u00a0°C"),
            (f"/pan/{code}", "90.0\u00a0°C (194.0\u00a0°F)"),
            (f"/batch/{code}/slip", "90.0\u00a0°C (194.0\u00a0°F)"),
            (f"/batch/{code}.csv", "(194.0\u00a0°F)"),
        ):
            self.assertIn(said, self.client.get(path).text)
        for path in ("/kitchen", "/day", "/candy?piece=cream", "/take-in"):
            values = re.findall(r'<input id="[^"]*"[^>]* value="([^"]*)"', self.client.get(path).text)
            self.assertTrue(values)
            self.assertFalse([value for value in values if "(" in value])

    def test_a_cup_is_read_at_the_take_in(self) -> None:
        page = self.client.get("/take-in").text
        self.assertIn('value="hydrometer"', page)
        sent = {"brix_by": "hydrometer", "brix": "40.2", "cup": "88 C"}
        code = self.take_in(vessel="finisher-1", **sent)
        batch = contexts.load(self.db, code, NOON)
        self.assertAlmostEqual(batch.taken_in.facts.brix, Hydrometer().correct(40.2, 88.0), places=6)
        for wrong, words in (
            ({"cup": ""}, "Enter the temperature"),
            ({"brix": "72"}, "1 and 75 Brix"),
        ):
            taken = {**TAKEN, "vessel": "finisher-2", **sent, **wrong}
            answer = self.client.post("/take-in", data=taken)
            self.assertEqual(answer.status_code, 422)
            self.assertTrue(words in answer.text, words)

    def test_syrup_out_of_its_band_is_told_wherever_it_goes_on(self) -> None:
        for drop, words in (("70.5", "too dense"), ("64.0", "too thin"), ("67.4", None)):
            self.setUp()
            code = self.take_in()
            self.put(code, "draw", 60, mass="19.9 kg", mass_confirmed="1")
            fields = {"reading": drop, "sample": "20 C", "reading_confirmed": "1"}
            self.put(code, "refractometer", 70, **fields)
            pages = [f"/filter/{code}", f"/colour/{code}", f"/jar/{code}", f"/jar/{code}/labels"]
            jars = {"fill": "86 C", "lot": "J", "size_1": "500 ml", "count_1": "20"}
            self.put(code, "jar", 80, **jars, count_1_confirmed="1", size_1_confirmed="1")
            for path in (*pages, "/shelf/J", "/shelf"):
                said = self.client.get(path)
                self.assertEqual(said.status_code, 200)
                found = [w for w in ("too dense", "too thin") if w in said.text]
                self.assertEqual(found, [words] if words else [], (drop, path))

    def test_what_is_wrong_with_a_batch_goes_along_until_a_later_line_says_otherwise(self) -> None:
        code = self.take_in()
        self.put(code, "boiling", 15)
        self.put(code, "draw", 80, mass="19 kg", mass_confirmed="1", kind_confirmed="1")
        self.put(code, "filter", 85, method="layers", temperature="90 C", clarity="cloudy")
        self.put(
            code, "jar", 90, felt="1", fill="95", lot=code, size_1="500 ml", count_1="28", fill_confirmed="1"
        )
        cloudy, felt, cold = "It is not clear yet", "Filled by feel", "never read cold"
        everywhere = [f"/{room}/{code}" for room in ("filter", "colour", "jar", "shelf")] + [
            f"/jar/{code}/labels"
        ]

        def told(words: str) -> list[bool]:
            return [words in self.client.get(page).text for page in everywhere]

        self.assertEqual((told(cloudy), told(felt), told(cold)), ([True] * 5, [True] * 5, [False] * 5))
        self.at += timedelta(hours=40)
        self.assertEqual(told(cold), [True] * 5)
        self.put(code, "refractometer", 2400, reading="66.8", sample="20 C", reading_confirmed="1")
        self.put(code, "checked", 2401, unsealed="0", clarity="clear")
        self.at += timedelta(hours=2)
        self.assertEqual((told(cloudy), told(felt), told(cold)), ([False] * 5, [True] * 5, [False] * 5))

    def test_bad_input_keeps_what_was_typed_and_writes_nothing(self) -> None:
        code = self.take_in()
        taken = TAKEN
        before = self.rows()
        for path, fields, expected in (
            ("/day/test-boil", {"thermometer": "dial-a", "reading": "219"}, "other unit"),
            ("/day/test-boil", {"thermometer": "dial-a", "reading": "hot"}, "Type a number"),
            ("/day/pressure", {"basis": "station", "pressure": "1008"}, "reduced to sea level"),
            ("/day/pressure", {"basis": "station", "pressure": "7 gal"}, "not a unit of pressure"),
            ("/day/pressure", {"basis": "elevation", "elevation": "99999"}, "Elevation must"),
            ("/take-in", taken | {"amount": "-3 gal"}, "must be between"),
            ("/take-in", taken | {"brix": "0"}, "between 1 and 75"),
            ("/take-in", taken | {"brix": "100"}, "between 1 and 75"),
            ("/take-in", taken | {"temperature": "219"}, "Was it 219\u202f°F? Then type 219 F"),
            ("/take-in", taken | {"woodlot": "nowhere"}, "Choose the woodlot"),
            ("/take-in", taken | {"amount": "2 kg"}, "scorches"),
            (f"/pan/{code}/slip/hydrometer", {"reading": "60"}, "Type the cup"),
            (f"/pan/{code}/slip/hydrometer", {"reading": "60", "cup": "219"}, "between 0 and 108"),
            (f"/pan/{code}/slip/hydrometer", {"reading": "30", "cup": "90"}, "runs from 45 to 75"),
            (
                f"/pan/{code}/slip/refractometer",
                {"reading": "66", "sample": "60"},
                "come to temperature",
            ),
            (f"/pan/{code}/slip/thermometer", {"reading": "219"}, "Then type 219 F"),
            (f"/pan/{code}/slip/foam", {"defoamer": "soap"}, "decides the allergens"),
            (f"/pan/{code}/slip/added", {"mass": "-1 kg", "brix": "0"}, "must be between 0.01 and"),
            (f"/pan/{code}/slip/draw", {}, "would ferment"),
            ("/kitchen/setup", {"elevation": "as high as a crow"}, "not an elevation"),
            ("/kitchen", {"name": "", "target": "90"}, "66.0, the usual legal minimum"),
            (
                "/kitchen/add/vessel",
                {"name": "P", "shape": "round", "diameter": "5"},
                "20 mm and 10 m",
            ),
        ):
            with self.subTest(path, fields=fields):
                self.at = NOON + timedelta(minutes=30)
                answer = self.client.post(path, data=fields)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(expected, answer.text)
                for value in ("-3 gal", "hot", "7 gal"):
                    if value in fields.values():
                        self.assertIn(f'value="{value}"', answer.text)
        self.assertEqual(self.rows(), before)

    def test_a_question_is_answered_by_saying_so(self) -> None:
        code = self.take_in()
        fields = {"reading": "30", "cup": "90"}
        self.assertEqual(self.client.post(f"/pan/{code}/slip/hydrometer", data=fields).status_code, 422)
        said = fields | {"reading_confirmed": "1"}
        self.assertEqual(self.client.post(f"/pan/{code}/slip/hydrometer", data=said).status_code, 303)

    def test_a_double_tap_writes_once(self) -> None:
        code = self.take_in()
        for _ in range(3):
            self.client.post(f"/pan/{code}/slip/note", data={"id": "tap-00000001", "text": "a"})
        self.assertEqual(len(contexts.load(self.db, code, NOON).entries), 2)

    def test_what_is_typed_is_never_markup(self) -> None:
        code = self.take_in(woodlot="", new_woodlot="<script>alert(1)</script>")
        self.client.post(f"/pan/{code}/slip/note", data={"text": "<img src=x onerror=alert(2)>"})
        page = self.client.get(f"/pan/{code}").text
        self.assertIn("&lt;img src=x", page)
        self.assertNotIn("<img src=x", page)
        self.assertNotIn("<script>alert", page + self.client.get("/").text)
        odd = self.client.get("/shelf", params={"q": "'; <script>"})
        self.assertEqual(odd.status_code, 200)
        self.assertNotIn("'; <script>", odd.text)

    def test_unknown_things_get_a_sentence(self) -> None:
        for path in (
            "/pan/26-999",
            "/shelf/'; <script>",
            "/jar/x/labels",
            "/batch/x.json",
            "/nowhere",
            "/batch/x/amend/y",
            "/pan/26-999/stream",
        ):
            answer = self.client.get(path)
            self.assertEqual(answer.status_code, 404, path)
            self.assertIn("Nothing was written", answer.text)
        self.assertEqual(self.client.post("/pan/26-999/slip/note", data={"text": "a"}).status_code, 404)
        self.assertEqual(self.client.delete("/day").status_code, 405)

    def test_what_is_long_says_how_far_it_is_and_is_cut_off_when_it_is_stopped(self) -> None:
        self.assertEqual(self.client.get("/kitchen/errand/mine").status_code, 404)
        self.assertEqual(self.client.post("/kitchen/errand/mine/stop").status_code, 404)
        heard: list[dict[str, Any]] = []
        told_of, whole = "/kitchen/errand/mine", logbook.parts

        def parts(db: sqlite3.Connection, progress: Progress) -> Iterator[str]:
            progress.of(4000)
            yield "{"
            for done in range(4):
                progress.step(1000)
                heard.append(self.client.get(told_of).json())
                if done == 1 and "stopped" in told_of:
                    self.assertEqual(self.client.post(f"{told_of}/stop").status_code, 303)
            yield "}"

        with (
            mock.patch.object(logbook, "parts", parts),
            mock.patch.object(progress_of, "TOLD_EVERY_S", 0),
        ):
            self.assertEqual(self.client.get("/kitchen/logbook.json?errand=mine").text, "{}")
            self.assertIn("Written 1000 of 4000 (25 %), ", heard[0]["said"])
            self.assertEqual([one["share"] for one in heard], [0.25, 0.5, 0.75, 1.0])
            end = self.client.get(told_of).json()
            self.assertEqual((end["said"], end["over"]), (progress_of.WRITTEN, True))
            told_of = "/kitchen/errand/stopped"
            with suppress(AssertionError):
                # A client that is told of no end.
                cut = self.client.get("/kitchen/logbook.json?errand=stopped")
                self.assertNotEqual(cut.text, "{}")
        end = self.client.get(told_of).json()
        self.assertEqual((end["said"], end["over"]), (progress_of.NOT_WHOLE, True))
        self.assertEqual(len(heard), 6, "nothing more was written")
        self.assertEqual(self.client.post(f"{told_of}/stop").status_code, 303, "again is harmless")
        for n in range(progress_of.MOST_ERRANDS):
            self.client.get(f"/kitchen/logbook.zip?errand={n}")
        self.assertEqual(self.client.get(told_of).status_code, 404)
        with opened(self.path) as db:
            self.assertEqual(self.client.get("/kitchen/logbook.json").text, "".join(whole(db)))

    def test_security(self) -> None:
        self.assertEqual(self.client.get("/", headers={"host": "evil.example"}).status_code, 400)
        for headers in (
            {"origin": "http://evil.example"},
            {"origin": "null"},
            {"sec-fetch-site": "cross-site"},
        ):
            answer = self.client.post("/kitchen/example", headers=headers)
            self.assertEqual(answer.status_code, 403, headers)
        same = {"origin": HOST, "sec-fetch-site": "same-origin"}
        self.assertEqual(self.client.post("/kitchen/example", headers=same).status_code, 303)
        policy = self.client.get("/day").headers["content-security-policy"]
        self.assertIn("script-src 'self';", policy)
        self.assertNotIn("unsafe", policy)

    def test_bodies_are_bounded(self) -> None:
        big = b"text=" + b"a" * 10_000_000

        def pieces():
            yield from (big[i : i + 65536] for i in range(0, len(big), 65536))

        code = self.take_in()
        form = {"content-type": "application/x-www-form-urlencoded"}
        for content in (big, pieces()):
            answer = self.client.post(f"/pan/{code}/slip/note", content=content, headers=form)
            self.assertEqual(answer.status_code, 413)
            self.assertIn(f"{MAX_BODY_BYTES // 1024} KB", answer.text)
        many = "&".join(f"f{i}=1" for i in range(500))
        answer = self.client.post(f"/pan/{code}/slip/note", content=many, headers=form)
        self.assertEqual(answer.status_code, 400)
        self.assertEqual(len(contexts.load(self.db, code, NOON).entries), 1)

    def test_units_are_the_kitchens_choice_everywhere(self) -> None:
        fields = {"name": "K", "elevation": "1371 ft", "target": "66.9", "margin": "0"}
        units = {
            "temperature": "F",
            "difference": "F",
            "pressure": "inHg",
            "elevation": "ft",
            "depth": "in",
            "mass": "lb",
            "volume": "gal",
            "jar": "floz",
        }
        fields |= {f"unit_{kind}": unit for kind, unit in units.items()}
        self.assertEqual(self.client.post("/kitchen", data=fields).status_code, 303)
        code = self.take_in(amount="66.1 lb", temperature="140")
        page = self.client.get(f"/pan/{code}").text
        self.assertIn("Took in 66.1\u00a0lb", page)
        self.assertIn("at 140.0\u00a0°F", page)
        self.assertIn("209.5", self.client.get("/day").text)
        # A colour class is told through 10 mm wherever one lives.
        self.put(code, "draw", 80, mass="19 kg", mass_confirmed="1", kind_confirmed="1")
        self.assertIn("10\u00a0mm", self.client.get(f"/colour/{code}").text)

    def test_every_id_is_once_on_its_page_and_every_label_its_own(self) -> None:
        code = self.take_in()
        self.put(code, "boiling", 15)
        pages = ("/kitchen", "/day", "/take-in", f"/pan/{code}", f"/pan/{code}?entry=event")
        stem = ("/kitchen/instrument/long-stem", "/kitchen/instrument/dial-a", "/practice", "/")
        for path in (*pages, *stem, "/candy", "/shelf", "/kitchen/methods"):
            text = self.client.get(path).text
            ids = re.findall(r'\sid="([^"]*)"', text)
            self.assertEqual(sorted(ids), sorted(set(ids)), path)
            fields = re.findall(r'<(?:input|select)\b[^>]*\sid="([^"]*)"', text)
            for named in re.findall(r'<label for="([^"]*)"', text):
                self.assertIn(named, fields, path)
            for described in re.findall(r'aria-describedby="([^"]*)"', text):
                self.assertIn(described, ids, path)

    def test_a_lot_opens_though_its_draw_was_struck(self) -> None:
        code = self.take_in()
        self.put(code, "boiling", 15)
        self.put(code, "refractometer", 85, reading="66.9", sample="20 C")
        draw = self.put(code, "draw", 85)
        self.put(code, "jar", 95, fill="85 C", lot="A1", size_1="500 ml", count_1="20")
        self.at = NOON + timedelta(hours=2)
        self.assertEqual(self.client.get("/shelf/A1").status_code, 200)
        page = self.client.get(f"/batch/{code}/correct/{draw.id}").text
        action = re.search(r'action="([^"]*strike[^"]*)"', page)[1]
        refused = self.client.post(action, data={"why": "wrong pan"})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("Strike that line first", html.unescape(refused.text))
        struck_as_before(self.db, draw)
        for path in ("/shelf/A1", "/shelf", f"/batch/{code}.json"):
            self.assertEqual(self.client.get(path).status_code, 200, path)

    def test_who_is_believed_stands_beside_the_figure(self) -> None:
        code = self.take_in()
        self.put(code, "boiling", 15)
        self.at = NOON + timedelta(minutes=60)
        self.put(code, "refractometer", 58, reading="58", sample="20 C")
        self.put(code, "hydrometer", 59, reading="51.1", cup="90 C")
        self.put(code, "hydrometer", 60, reading="60.1", cup="90 C", reading_confirmed="1")
        text = re.sub(r"\s+", " ", re.sub(r"<[^>]+>", "", self.client.get(f"/pan/{code}").text))
        self.assertRegex(text, r"Brix by the others, ± [\d.]+ · (target|draw at) 6\d\.\d")
        self.assertRegex(text, r"minutes left, \d+ to \d+ · \d\d:\d\d")
        self.assertRegex(text, r"as of 13:00:00")
