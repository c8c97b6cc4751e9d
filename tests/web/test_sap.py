"""The sap pages: a way in from nothing, what was typed stays, nothing too large is read."""

import html
import re
from datetime import timedelta

from fastapi.testclient import TestClient

from lumbrel.services.base.entry import newest
from lumbrel.services.kitchen.settings import use_units
from lumbrel.services.sap import gathered_sap, played, tanks
from lumbrel.services.sap.facts import GatheredFacts
from lumbrel.services.take_in import opening
from lumbrel.store import sap as store
from lumbrel.store.kitchen import VesselRow, add_vessel
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.settings import Settings
from tests.support import crawl
from tests.support.kitchen import NOON, KitchenCase

TREE = {"id": "tree-0077", "name": "77", "tree": "red maple", "girth": "90 cm"}


class SapPages(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.at = NOON
        app = create_app(Settings(database=self.path, clock=lambda: self.at))
        self.client = self.enterContext(TestClient(app, base_url="http://127.0.0.1", follow_redirects=False))

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
        self.assertAlmostEqual(played.views(self.db, NOON)[0].content.litres, 60.0, delta=0.2)
        self.at += timedelta(minutes=5)
        self.assertIn("60 L", self.said("/sap"))
        self.assertIn("more than was in it", self.said(at, 422, what="out", litres="90", reason="sour"))

    def test_a_continuous_pan_says_what_is_wrong_where_it_is(self) -> None:
        arch = VesselRow(id="arch", name="Arch", shape="rectangular", sizes_mm=(1000.0, 600.0))
        add_vessel(self.db, arch)
        given = {"name": "Milk tank", "capacity": "900 L", "place": "outside"}
        tank = tanks.add_tank(self.db, given, NOON)
        came = {"litres": "400 L", "brix": "2.2", "taps": "200", "clarity": "clear", "tank": tank}
        came |= {"woodlot": "upper-fold", "brix_by": "told"}
        gathered_sap.gather(self.db, came, NOON)
        plan = self.said("/sap/boil?continuous=1&channels=99&pan_arch=1")
        self.assertIn("1 to 12 channels", plan)
        self.assertIn('value="99"', plan)
        self.assertIn("An alarm calls you to each draw", self.said("/sap/boil?continuous=1&pan_arch=1"))
        lit = {"tank": tank, "vessel": "arch", "fill": "24 L", "continuous": "1", "target": "66.9"}
        self.assertIn("1 to 12 channels", self.said("/sap/boil", 422, **lit, channels="x"))
        self.said("/sap/boil", 303, **lit, channels="6")
        code = "26-001"
        self.said(f"/pan/{code}/slip/boiling", 303, id="boils-0001")
        self.at += timedelta(hours=4)
        pan = self.said(f"/pan/{code}")
        self.assertIn("Brix at the draw-off", pan)
        self.assertIn("Never leave an open fire", pan)
        wrong = self.said(f"/pan/{code}/slip/part_draw", 422, litres="9000 L")
        self.assertIn('value="9000 L"', wrong)
        self.assertIn("between 0.05 and 2000 L", wrong)
        self.said(f"/pan/{code}/slip/part_draw", 303, litres="0.6 L", brix="67")
        fed = self.said(f"/sap/fire/{code}/fed", 422, tank=tank, tank_holds="500 L")
        self.assertIn("must be less", fed)
        self.assertIn('value="500 L"', fed)
        self.assertIn("1 draw", self.said(f"/sap/fire/{code}"))
        self.assertIn("more must have run in", self.said(f"/sap/fire/{code}"))
        for path in ("density", "minutes", "cup", "heat"):
            self.said(f"/working/pan/{code}/{path}")
        self.said(f"/working/pan/{code}/water", 404)
        self.assertIn("A continuous pan", self.said(f"/pan/{code}/slip/draw", 422, mass=""))
        # Once it is poured on, what was drawn of it is proved on its page.
        on = {"vessel": "finisher-2", "brix": "10", "amount_confirmed": "1", "id": "on-000001"}
        self.said(f"/sap/fire/{code}/on", 303, **on)
        self.at += timedelta(hours=18)
        self.assertIn("Cold check", self.said("/"))
        self.assertIn("Hydrometer reading", self.said(f"/pan/{code}?entry=hydrometer"))
        wrong = self.said(f"/pan/{code}/slip/hydrometer", 422, reading="66", cup="200 C")
        self.assertIn('value="200 C"', wrong)
        cold = {"instrument": "long-stem", "reading": "66.8", "cup": "20 C", "id": "cold-00001"}
        self.said(f"/pan/{code}/slip/hydrometer", 303, **cold)
        self.assertNotIn(f"batch {code}: read it", self.said("/"))

    def test_near_syrup_waits_at_the_take_in(self) -> None:
        self.said("/take-in/near/26-999", 404, vessel="finisher-1")
        fields = {"vessel": "finisher-2", "sugar_kind": "maple", "woodlot": "upper-fold"}
        fields |= {"amount_by": "mass", "amount": "30 kg", "brix": "28", "temperature": "90 C"}
        opening.open_batch(self.db, NOON, fields | {"target": "55", "boil_down": "1"})
        self.said("/pan/26-001/slip/boiling", 303, id="boils-0001")
        self.at += timedelta(minutes=120)
        self.said("/pan/26-001/slip/draw", 303, mass="15 kg", mass_confirmed="1")
        drawn = self.said("/pan/26-001")
        self.assertIn("Start a batch with it", drawn)
        self.assertNotIn("ferments", drawn)
        page = self.said("/take-in")
        self.assertIn("Near-syrup at hand", page)
        self.assertIn("drawn of", page)
        self.assertIn("2 free, 1 drawn", page)
        self.assertIn("<b>Intake</b> <span>batch 26-001", self.said("/"))
        wrong = self.said("/take-in/near/26-001", 422, vessel="finisher-1", brix="99")
        self.assertIn('value="99"', wrong)
        self.assertIn("between 5 and 80 Brix", wrong)
        self.said("/take-in/near/26-001", 303, vessel="finisher-1", id="near-00001")
        self.assertNotIn("Near-syrup at hand", self.said("/take-in"))

    def test_a_calendar_of_twenty_megabytes_is_not_read(self) -> None:
        for size in (700_000, 20 * 1024 * 1024):
            sent = {"file": ("forecast.ics", b"BEGIN:VCALENDAR\r\n" + b"x" * size, "text/calendar")}
            answer = self.client.post("/sap/weather", data={"from": "file"}, files=sent)
            self.assertIn(answer.status_code, (413, 422))
            self.assertRegex(html.unescape(answer.text), "at most (512 KB|12 MB)")
        small = {"file": ("a.csv", b"date,night,high\n2026-03-19,-4,6\n", "text/csv")}
        answer = self.client.post("/sap/weather", data={"from": "file"}, files=small)
        self.assertEqual(answer.status_code, 303)

    def gathered(self, **more: str) -> str:
        """Where a collection leads to."""
        sap = {
            "woodlot": "upper-fold",
            "litres": "60",
            "taps": "20",
            "brix": "2.1",
            "brix_by": "told",
            "clarity": "clear",
            "tank": "pails",
        }
        answer = self.client.post("/sap/gather", data=sap | more)
        self.assertEqual(answer.status_code, 303)
        return answer.headers["location"]

    def test_what_was_saved_is_said_for_a_while_and_undone_by_one_press(self) -> None:
        leads = self.gathered(id="saved-0001")
        page = self.said(leads)
        self.assertTrue("Saved: 60.0 L of sap at 2.1 °Bx (Upper Fold, Pails), 12:00" in page)
        undo = next(f for f in crawl.forms(page) if f.fields.get("back"))
        answer = self.client.post(undo.action, data=undo.fields)
        self.assertEqual((answer.status_code, answer.headers["location"]), (303, "/sap"))
        self.assertEqual(newest(self.db, GatheredFacts, "upper-fold", limit=9), [])
        self.assertFalse("Saved: " in self.said(leads), "it was undone")
        leads = self.gathered(id="saved-0002")
        self.at += timedelta(minutes=20)
        self.assertFalse("Saved: " in self.said(leads), "an old address says nothing")
        self.assertFalse("Saved: " in self.said("/sap?saved=no-such-line"))
        away = {"id": "struck-0002", "back": "//elsewhere.example/"}
        answer = self.client.post("/line/saved-0002/strike", data=away)
        self.assertEqual(answer.headers["location"], "/sap/tank/pails")

    def test_every_kind_of_line_says_what_was_saved(self) -> None:
        self.gathered(id="kinds-0001")
        tree = {"id": "kinds-tree", "name": "7", "tree": "sugar maple", "girth": "150 cm"}
        self.said("/sap/woodlot/upper-fold", 303, **tree)
        own = f"/sap/tree/{store.trees(self.db, 'upper-fold')[0].id}"
        tank = "/sap/tank/pails"
        hole = {"what": "old", "year": "2024", "bearing": "N", "height": "1.1 m"}
        tap = {"what": "tap", "bearing": "S", "height": "1.2 m"}
        for number, (path, fields, words) in enumerate(
            (
                (tank, {"what": "warm", "temperature": "3 C"}, "sap temperature 3.0"),
                (tank, {"what": "ice", "ice": "2 kg"}, "2.0 kg of ice lifted off"),
                (tank, {"what": "out", "litres": "4", "reason": "spilt"}, "taken out, spilt"),
                (own, {"what": "girth", "girth": "152 cm"}, "girth 152 cm"),
                (own, tap, "a tap, 1200 mm up (Upper Fold, tree 7)"),
                (own, hole, "an old hole"),
                (own, {"what": "pull", "left": "open"}, "all taps pulled"),
                ("/sap/gear", {"task": "washed"}, "taps, buckets, lines and tanks washed"),
                ("/sap/woodlot/upper-fold", {"what": "buds"}, "buds swell in 2026"),
                ("/sap/weather", {"night_0": "-4", "day_0": "6"}, "nights and days"),
            )
        ):
            self.at += timedelta(minutes=1)
            sent = {"id": f"kinds-1{number:03d}", **fields}
            answer = self.client.post(path, data=sent)
            with self.subTest(words):
                self.assertEqual(answer.status_code, 303, answer.text[-300:])
                page = self.said(answer.headers["location"])
                said = page.partition("Saved: ")[2][:120]
                self.assertIn(words, said)

    def test_what_a_form_needs_is_marked_and_a_refusal_has_the_focus(self) -> None:
        page = self.client.get("/sap/gather?woodlot=tern-lot").text
        field = re.search(r'<input[^>]*name="taps"[^>]*>', page)
        assert field
        self.assertIn("aria-required", field[0])
        sap = {"woodlot": "tern-lot", "litres": "60", "brix": "2", "brix_by": "told"}
        refused = self.client.post("/sap/gather", data=sap | {"clarity": "clear"})
        focused = re.findall(r"<input[^>]*\bautofocus\b[^>]*>", refused.text)
        self.assertEqual([re.search(r'name="(\w+)"', one)[1] for one in focused], ["taps"])

    def test_a_list_a_new_name_and_retiring_on_their_pages(self) -> None:
        path = "/sap/woodlot/upper-fold"
        sent = {"what": "list", "tree": "sugar maple", "list": ""}
        file = {"file": ("trees.csv", b"1-3\n4, 120 cm\n", "text/csv")}
        answer = self.client.post(path, data=sent, files=file)
        self.assertIn("?added=4", answer.headers["location"])
        self.assertIn("Registered: 4 trees", self.said(answer.headers["location"]))
        page = self.said(path, 422, **(sent | {"list": "9\n9"}))
        self.assertIn("Line 2: 9 stands in the list twice", page)
        self.assertTrue("9\n9</textarea>" in self.client.post(path, data=sent | {"list": "9\n9"}).text)
        self.assertIn("?added=1&tree=", self.client.post(path, data=TREE).headers["location"])
        self.gathered(id="named-0001")
        self.assertIn("from Upper Fold", self.said("/sap/tank/pails"))
        rename = "/sap/register/woodlot/upper-fold"
        self.assertIn("another woodlot’s", self.said(rename, 422, name="Tern Lot"))
        self.said(rename, 303, name="High Fold")
        self.assertIn("High Fold", self.said("/sap"))
        self.assertIn("from High Fold", self.said("/sap/tank/pails"))
        self.said(rename, 303, retired="1")
        self.assertNotIn("High Fold", self.said("/sap/gather"))
        self.assertIn("High Fold", self.said("/kitchen"))
        self.said("/sap/register/bucket/x", 404, name="X")
        self.said("/sap/register/tree/none", 404, name="X")
