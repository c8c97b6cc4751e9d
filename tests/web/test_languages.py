"""Whatever page: nothing on it is left behind in English, and nothing of a language goes into the record."""

import json
import re
import sqlite3
import tempfile
import unittest
from collections import defaultdict
from pathlib import Path
from shutil import rmtree

from fastapi.testclient import TestClient

from lumbrel import demo, web
from lumbrel.store.db import connect
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.settings import Settings
from lumbrel.web.shell.tongue import LANGUAGE_COOKIE
from lumbrel.words import LANGUAGES, PSEUDO, speaking
from tests.support import crawl
from tests.support.kitchen import season_copy

WORD = re.compile(r"[A-Za-zÀ-ÿ]{2,}")
SAME = {
    *(one.name for one in LANGUAGES.values()),
    "Lumbrel",
    "Esc",
    "abc",
    "kbd",
    "CSV",
    "JSON",
    "PDF",
    "SVG",
    "ICUMSA",
    "SHA",
}
UNITS = re.compile(
    r"(?<![A-Za-z])(?:imp )?(?:°[CF]|K|kg|g|mg/dL|lb|fl oz|oz|L|ml|gal|qt|mm|cm|m|in|ft|hPa|inHg|mmHg|h|min|s|kWh|kW|°?Bx|nm)(?![A-Za-z])"
)
TYPED = {
    "/working/slip/{code}/{entry_id}": "what was typed is told as it was typed",
    "/line/{line}": "what was typed is in its field as it was typed",
    "/batch/{code}/correct/{entry_id}": "what was typed is in its field as it was typed",
    "/jar/{code}/labels": "a label has languages of its own",
    "/candy": "what a cook is begun with is sent on as it was typed",
    "/colour/{code}/meter": "what the meter shows is in its field",
}
LOOSE = re.compile(r"\S+ [.,](?=\s|$)|\( | \)|,,|: \.|, \.", re.M)
"""What stands apart from the word that it belongs to."""
VALUELESS = re.compile(r"<option(?![^>]*\bvalue=)")
CHOSEN = re.compile(r"<(option|input|button)\b([^>]*)>")
TICKING = ("0:00",)
"""A stopwatch is no hour of the day."""
POINTED = re.compile(r"\d\.\d|\b\d\d?:\d\d\b|\d[ap]m\b")


class Languages(unittest.TestCase):
    def setUp(self) -> None:
        folder = Path(tempfile.mkdtemp())
        self.addCleanup(rmtree, folder)
        self.path = season_copy(folder)
        clock = demo.clock(self.path, frozen=True)
        self.app = create_app(Settings(database=self.path, clock=clock, demo=True, refresh_seconds=0))

    def client(self, language: str = "", **headers: str) -> TestClient:
        cookies = {LANGUAGE_COOKIE: language} if language else {}
        return TestClient(self.app, base_url="http://127.0.0.1", cookies=cookies, headers=headers)

    def names(self) -> re.Pattern[str]:
        """What the kitchen named itself, and what was noted in words."""
        found: set[str] = set()

        def walk(value: object) -> None:
            if isinstance(value, dict):
                for one in value.values():
                    walk(one)
            elif isinstance(value, list):
                for one in value:
                    walk(one)
            elif isinstance(value, str) and (re.search(r"[A-Z0-9]", value) or " " in value):
                found.add(value)

        db = sqlite3.connect(self.path)
        for (facts,) in db.execute("SELECT facts FROM line"):
            walk(json.loads(facts))
        for table in ("vessel", "woodlot", "instrument", "tank", "tree", "kitchen", "batch"):
            for row in db.execute(f"SELECT * FROM {table}"):
                for cell in row:
                    walk(cell if not isinstance(cell, str) or not cell.startswith("{") else "")
        found |= {row[0] for row in db.execute("SELECT DISTINCT initials FROM line")}
        db.close()
        each = sorted((one for one in found if len(one) > 1), key=len, reverse=True)
        return re.compile("|".join(rf"(?<!\w){re.escape(one)}(?!\w)" for one in each))

    def test_no_sentence_of_any_page_is_left_behind(self) -> None:
        names, found, seen = self.names(), defaultdict(set), set()
        with self.client(PSEUDO.key) as client:
            for path, answer in crawl.pages(client):
                route = crawl.route_of("GET", path)
                if "text/html" not in answer.headers.get("content-type", "") or route in TYPED:
                    continue
                seen.add(route)
                depth = 0
                for text in crawl.said(answer.text):
                    plain = ""
                    for sign in text:
                        depth = max(depth + (sign == "⟦") - (sign == "⟧"), 0)
                        plain += " " if depth or sign == "⟧" else sign
                    if WORD.search(plain):
                        plain = UNITS.sub(" ", names.sub(" ", plain))
                        found[route] |= set(WORD.findall(plain)) - {
                            word for same in SAME for word in WORD.findall(same)
                        }
        self.assertEqual({route: words for route, words in found.items() if words}, {})
        self.assertGreater(len(seen), 40)

    def test_what_a_form_sends_is_in_no_language(self) -> None:
        found, seen = set(), 0
        with self.client(PSEUDO.key) as client:
            for path, answer in crawl.pages(client):
                for tag, attributes in CHOSEN.findall(answer.text):
                    seen += 1
                    value = re.search(r'\bvalue="([^"]*)"', attributes)
                    if value and "⟦" in value[1] and 'type="text"' not in attributes:
                        found.add((crawl.route_of("GET", path), tag, attributes.strip()))
        self.assertEqual(found, set())
        # An option without a value sends what it says.
        templates = (Path(web.__file__).parent).rglob("*.html")
        self.assertEqual([one.name for one in templates if VALUELESS.search(one.read_text())], [])
        self.assertGreater(seen, 500)

    def test_a_french_page_says_so_and_writes_its_numbers_and_hours_in_french(self) -> None:
        found, seen = {}, set()
        with self.client("fr-CA") as client:
            for path, answer in crawl.pages(client, each=1):
                route = crawl.route_of("GET", path)
                if "text/html" not in answer.headers.get("content-type", ""):
                    continue
                seen.add(route)
                self.assertIn('<html lang="fr-CA">', answer.text)
                if route in TYPED:
                    continue
                shown = [text for text in crawl.said(answer.text) if text.strip() not in TICKING]
                wrong = [text for text in shown if POINTED.search(text)]
                wrong += LOOSE.findall(crawl.flat(answer.text))
                # A sentence's own tags are tags, wherever it was joined to others.
                wrong += re.findall(r"&lt;/?[a-z]+", answer.text)
                found |= {route: wrong} if wrong else {}
                self.assertNotRegex(answer.text, r'\s(?:x|y|x1|y1|cx|cy|r|width|height)="-?\d+,\d', route)
        self.assertEqual(found, {})
        self.assertGreater(len(seen), 35)

    def test_a_device_has_a_language_of_its_own_else_the_kitchens_else_the_browsers(self) -> None:
        asks = {"accept-language": "fr"}
        with self.client() as client:
            self.assertIn('<html lang="en-CA">', client.get("/").text)
            self.assertIn('<html lang="fr-CA">', client.get("/", headers=asks).text)
            form = crawl.forms(client.get("/kitchen").text)
            sent = next(one for one in form if one.action.startswith("/kitchen?"))
            client.post(sent.action, data=sent.fields | {"unit_language": "en-US"})
            self.assertIn('<html lang="en-US">', client.get("/", headers=asks).text)
            self.assertIn(">Color</", client.get("/shelf", headers=asks).text.replace("\n", ""))
            answer = client.post(
                "/language", data={"language": "fr-CA", "to": "/pan/26-058"}, follow_redirects=False
            )
            self.assertEqual((answer.status_code, answer.headers["location"]), (303, "/pan/26-058"))
            self.assertIn("Continuez la cuisson", client.get("/pan/26-058").text)
            wrong = client.post("/take-in", data={"id": "0" * 12}).text
            self.assertIn("Choisissez ", wrong)
            self.assertNotIn("Choose ", wrong)
            client.post("/language", data={"language": "tlh", "to": "//elsewhere"})
            self.assertIn('<html lang="en-US">', client.get("/").text)

    def test_a_program_is_answered_as_it_asks(self) -> None:
        with self.client("fr-CA") as client:
            for header, words in (("", "must be"), ("fr-CA", "doit"), ("en-US", "must be")):
                client.cookies.clear()
                headers = {"accept-language": header} if header else {}
                told = client.post(
                    "/api/jar/volume",
                    json={"brix": 400, "fill_temperature_c": 90, "volume_l": 1},
                    headers=headers,
                )
                self.assertIn(words, told.text)

    def test_nothing_that_is_kept_is_in_a_language(self) -> None:
        folder = Path(tempfile.mkdtemp())
        self.addCleanup(rmtree, folder)
        with speaking(PSEUDO):
            demo.make(folder / "other.db")

        def rows(path: Path) -> dict[str, list[str]]:
            db = connect(path)
            tables = [
                row["name"] for row in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
            ]
            found = {
                table: sorted(repr(tuple(row)) for row in db.execute(f'SELECT * FROM "{table}"'))
                for table in tables
                if table != "migration"
            }
            db.close()
            return found

        self.assertEqual(rows(folder / "other.db"), rows(self.path))
