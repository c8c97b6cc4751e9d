"""The sap pages: a way in from nothing, what was typed stays, nothing too large is read."""

import html
from datetime import timedelta

from fastapi.testclient import TestClient

from lumbrel.services.kitchen.settings import use_units
from lumbrel.services.sap import contents
from lumbrel.store import sap as store
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.settings import Settings
from tests.support.kitchen import NOON, KitchenCase


class SapPages(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.at = NOON
        app = create_app(Settings(database=self.path, clock=lambda: self.at))
        self.client = self.enterContext(
            TestClient(app, base_url="http://127.0.0.1", follow_redirects=False)
        )

    def said(self, path: str, status: int = 200, **fields: str) -> str:
        """What a page says; posted when there are fields."""
        answer = self.client.post(path, data=fields) if fields else self.client.get(path)
        self.assertEqual(answer.status_code, status, (path, answer.text[-600:]))
        return " ".join(html.unescape(answer.text).split())

    def test_every_page_answers_before_anything_is_there(self) -> None:
        self.assertIn("Before the kitchen", self.said("/sap"))
        for path in (
            "gather",
            "weather",
            "gear",
            "rule",
            "boil",
            "woodlot/upper-fold",
            "walk/upper-fold",
            "season/2026",
            "season/2026.csv",
            "due.ics",
        ):
            self.said(f"/sap/{path}")
        for path in (
            "tree/none",
            "tank/none",
            "woodlot/none",
            "walk/none",
            "season/12",
            "fire/26-999",
        ):
            self.said(f"/sap/{path}", 404)
        self.said("/sap/season/abc", 422)

    def test_what_was_typed_stays_and_the_sentence_stands_beside_it(self) -> None:
        tree = {"name": "7", "tree": "sugar maple", "girth": "8 m"}
        page = self.said("/sap/woodlot/upper-fold", 422, **tree)
        self.assertIn('value="8 m"', page)
        self.assertIn("between 20 and 600 cm", page)
        self.said("/sap/woodlot/upper-fold", 303, **(tree | {"girth": "150 cm"}))
        path = f"/sap/tree/{store.trees(self.db, 'upper-fold')[0].id}"
        self.assertIn("here first", self.said(path))
        use_units(self.db, "us", NOON)
        self.assertIn("0.31 in, 1.77 in deep", self.said(path).replace("\u00a0", " "))
        use_units(self.db, "metric", NOON)
        page = self.said(path, 422, what="tap", bearing="north", height="1.2 m")
        self.assertIn("compass point", page)
        self.assertIn('value="north"', page)
        self.said(path, 303, what="tap", bearing="S", height="1.2 m")
        self.said(path, 404, what="paint")
        tank = {"name": "Tank", "capacity": "0", "place": "outside"}
        self.assertIn("between 1 and 100 000 L", self.said("/sap/tanks", 422, **tank))
        self.said("/sap/tanks", 303, **(tank | {"capacity": "200 L"}))
        at = f"/sap/tank/{store.tanks(self.db)[0].id}"
        self.assertIn("between −20 and 45", self.said(at, 422, what="warm", temperature="80 C"))
        self.said(at, 404, what="paint")
        sap = {
            "woodlot": "upper-fold",
            "litres": "60",
            "brix": "12",
            "brix_by": "told",
            "clarity": "clear",
        }
        page = self.said("/sap/gather", 422, **sap)
        self.assertIn("between 0.1 and 10 Brix", page)
        self.assertIn('value="12"', page)
        sap |= {"brix": "2.1", "tank": store.tanks(self.db)[0].id, "id": "gathered-01"}
        for _ in range(2):
            self.said("/sap/gather", 303, **sap)
        self.assertAlmostEqual(contents.views(self.db, NOON)[0].content.litres, 60.0, delta=0.2)
        self.at += timedelta(minutes=5)
        self.assertIn("60 L", self.said("/sap"))
        self.assertIn(
            "more than was in it", self.said(at, 422, what="out", litres="90", reason="sour")
        )

    def test_a_calendar_of_twenty_megabytes_is_not_read(self) -> None:
        for size in (700_000, 20 * 1024 * 1024):
            sent = {"file": ("forecast.ics", b"BEGIN:VCALENDAR\r\n" + b"x" * size, "text/calendar")}
            answer = self.client.post("/sap/weather", data={"from": "file"}, files=sent)
            self.assertIn(answer.status_code, (413, 422))
            self.assertRegex(html.unescape(answer.text), "at most (512 KB|12 MB)")
        small = {"file": ("a.csv", b"date,night,high\n2026-03-19,-4,6\n", "text/csv")}
        answer = self.client.post("/sap/weather", data={"from": "file"}, files=small)
        self.assertEqual(answer.status_code, 303)
