"""A record made by version 0.1, with a line of every kind: it opens, and says what it said then."""

import html
import json
import re
import shutil
import sqlite3
import tempfile
import unittest
from datetime import UTC, datetime
from pathlib import Path
from unittest.mock import patch

from fastapi.testclient import TestClient
from pydantic import ValidationError

from lumbrel.services.base import facts
from lumbrel.services.base.facts import read_facts
from lumbrel.services.base.form import was_confirmed
from lumbrel.services.kitchen import safekeeping
from lumbrel.services.record.kept import ready
from lumbrel.store import instruments as store
from lumbrel.store import safe
from lumbrel.store.db import opened
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.settings import Settings

EARLIER = Path(__file__).parent.parent / "data" / "record-0.1"
LATER = Path(__file__).parent.parent / "data" / "later-lines.jsonl"
"""A line of each kind, or with each field, that came with version 0.3 or later, as it is written."""
PRINTED = datetime(2026, 3, 19, 13, 5, tzinfo=UTC)
CODES = ("26-001", "26-002", "26-003", "26-004")
LINES = "SELECT id, kind, facts, typed, at, noted_at, supersedes, why, initials FROM "


def cells(page: str) -> str:
    """The rows of a printed slip as text."""
    body = page.split("<tbody>", 1)[1].split("</tbody>", 1)[0]
    rows = [re.findall(r"<td>(.*?)</td>", row, re.S) for row in re.split(r"<tr\b", body)[1:]]
    texts = [[html.unescape(re.sub(r"<[^>]+>", "", cell)).split() for cell in row] for row in rows]
    return "".join(" | ".join(" ".join(cell) for cell in row) + "\n" for row in texts)


def to_a_billionth(text: str) -> str:
    """A text whose figures have no more decimals than a solver is asked for."""
    return re.sub(r"\d+\.\d{9,}", lambda match: f"{float(match[0]):.8f}", text)


class EarlierRecord(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.path = Path(shutil.copy(EARLIER / "record.sqlite3", self.folder))
        self.before = self._lines("entry")
        app = create_app(Settings(database=self.path, clock=lambda: PRINTED, refresh_seconds=0))
        self.client = self.enterContext(
            TestClient(app, base_url="http://127.0.0.1", raise_server_exceptions=False)
        )

    def _lines(self, table: str) -> list[tuple[str, ...]]:
        db = sqlite3.connect(self.path)
        try:
            return db.execute(LINES + table).fetchall()
        finally:
            db.close()

    def test_slips_and_exports_are_what_they_were(self) -> None:
        for code in CODES:
            with self.subTest(code):
                slip = self.client.get(f"/batch/{code}/slip").text
                self.assertEqual(cells(slip), (EARLIER / f"{code}.txt").read_text("utf-8"))
                for form in ("json", "csv"):
                    export = self.client.get(f"/batch/{code}.{form}").content.decode()
                    before = (EARLIER / f"{code}.{form}").read_bytes().decode()
                    self.assertEqual(to_a_billionth(export), to_a_billionth(before))

    def test_every_line_opens_its_working_and_its_correction(self) -> None:
        opened_pages = 0
        for code in CODES:
            slip = self.client.get(f"/pan/{code}").text
            pages = set(re.findall(rf'"(/(?:batch|working/slip)/{code}/[^"]+)"', slip))
            for page in pages:
                told = self.client.get(page)
                self.assertEqual(told.status_code, 200, page)
                if page.startswith("/working"):
                    (correct,) = re.findall(rf'"(/batch/{code}/correct/[^"]+)"', told.text)
                    self.assertEqual(self.client.get(correct).status_code, 200, correct)
                opened_pages += 2 if page.startswith("/working") else 1
        self.assertGreater(opened_pages, 50)

    def test_it_is_kept_as_it_was_before_it_is_brought_over(self) -> None:
        other = Path(self.enterContext(tempfile.TemporaryDirectory()))
        path = Path(shutil.copy(EARLIER / "record.sqlite3", other / "lumbrel.sqlite3"))
        kept = safekeeping.keep_before(path)
        self.assertRegex(kept.name, r"^lumbrel-before-\d+-of-\d+\.sqlite3$")
        self.assertEqual(kept.stat().st_mode & 0o777, 0o600)
        self.assertIsNone(safekeeping.keep_before(path))
        with opened(path) as db:
            ready(db)
        self.assertIsNone(safekeeping.keep_before(path))
        now = sqlite3.connect(path).execute("PRAGMA user_version").fetchone()
        was = sqlite3.connect(kept).execute("PRAGMA user_version").fetchone()
        self.assertGreater(now, was)
        self.assertEqual(safekeeping.check(kept).problems, [])
        # Where there is no room for it nothing is brought over.
        again = Path(shutil.copy(EARLIER / "record.sqlite3", other / "again.sqlite3"))
        kept.unlink()
        full = patch.object(safe, "copy", side_effect=OSError("No space left"))
        with full, self.assertRaises(safekeeping.WouldLose):
            safekeeping.keep_before(again)
        self.assertEqual(list((other / "backups").iterdir()), [])

    def test_opening_it_rewrites_no_line(self) -> None:
        for page in ("/", "/day", "/shelf", "/kitchen", *(f"/pan/{code}" for code in CODES)):
            self.assertEqual(self.client.get(page).status_code, 200, page)
        self.assertEqual(self._lines("line WHERE about = 'batch' AND kind <> 'first'"), self.before)

    def test_it_holds_a_line_and_an_instrument_of_every_kind(self) -> None:
        kinds = {kind for _, kind, *_ in self.before}
        later = [json.loads(line) for line in LATER.read_text("utf-8").splitlines()]
        self.assertEqual(kinds | {line["kind"] for line in later}, set(facts.KINDS))
        for line in later:
            read = read_facts(line["kind"], line["version"], line["facts"])
            self.assertEqual(read.written(), line["facts"])
        with opened(self.path) as db:
            details = store.instruments(db)
        self.assertEqual(
            {i.kind for i in details},
            {"thermometer", "hydrometer", "refractometer", "barometer", "vial", "reference"},
        )
        stem = next(i for i in details if getattr(i.detail, "hot_mark", None))
        self.assertEqual(
            (stem.detail.glass, stem.detail.baume, stem.detail.hot_mark.true_brix),
            ("borosilicate", True, 66.9),
        )

    def test_what_a_line_keeps_is_read_and_written_back_unchanged(self) -> None:
        for line_id, kind, written, typed, *_ in self.before:
            kept = read_facts(kind, 1, json.loads(written)).written()
            self.assertEqual({k: kept[k] for k in json.loads(written)}, json.loads(written), line_id)
            self.assertEqual(was_confirmed(json.loads(typed)), "_is_so" in typed, line_id)

    def test_a_field_that_no_version_knows_is_refused(self) -> None:
        with self.assertRaises(ValidationError):
            read_facts("foam", 1, {"defoamer": "butter", "allergen": "milk", "colour": "blue"})

    def test_an_older_version_is_read_as_the_next(self) -> None:
        renamed = {("foam", 0): lambda old: {"defoamer": old["with"], "allergen": ""}}
        with patch.dict(facts.UPCAST, renamed):
            read = read_facts("foam", 0, {"with": "vegetable oil"})
        self.assertEqual(read.defoamer, "vegetable oil")
