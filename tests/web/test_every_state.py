"""A batch in every state it can be in: each page of it answers, and each form takes or refuses."""

import re
from dataclasses import replace
from datetime import timedelta
from typing import Any
from unittest import mock

from fastapi.testclient import TestClient

from lumbrel.core.errors import OutOfRange
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.entry import slip_of
from lumbrel.services.base.form import CONFIRMED, BadInput
from lumbrel.services.candy import alarms, begin
from lumbrel.services.candy.pot import pot_of
from lumbrel.services.record.compared import differences
from lumbrel.services.stations import STATIONS, slip
from lumbrel.store import record
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.settings import Settings
from lumbrel.web.shell.who_may import addresses
from tests.support.kitchen import NOON, KitchenCase

BOIL = {"amount": "22 kg", "brix": "60"}
WHY = {"why": "by mistake"}
PAN: tuple[tuple[str, list[tuple[str, dict[str, str]]]], ...] = (
    ("taken in", []),
    ("read", [("hydrometer", {"reading": "50", "cup": "90 C"})]),
    ("it boils", [("boiling", {})]),
    ("a part drawn", [("part_draw", {"mass": "5 kg", "brix": "66"})]),
    ("called off", [("called_off", WHY)]),
    ("called off while it boils", [("boiling", {}), ("called_off", WHY)]),
    ("drawn", [("draw", {"mass": "19 kg"})]),
    ("drawn and struck", [("draw", {"mass": "19 kg"}), ("strike", {})]),
    ("strained", [("draw", {"mass": "19 kg"}), ("strained", {})]),
    (
        "graded",
        [
            ("draw", {"mass": "19 kg"}),
            ("colour", {"by": "meter", "transmittance": "60", "path": "10 mm"}),
        ],
    ),
    ("jarred", [("draw", {"mass": "19 kg"}), ("jar", {"count_1": "28"})]),
    (
        "jarred and sold",
        [
            ("draw", {"mass": "19 kg"}),
            ("jar", {"count_1": "20"}),
            ("taken_out", {"count_1": "20", "reason": "sold"}),
        ],
    ),
    (
        "packed and struck",
        [("draw", {"mass": "19 kg"}), ("jar", {"count_1": "20"}), ("strike", {})],
    ),
)
READ = ("pot", {"pot": "112 C", "instrument": "dial-a"})
POT: tuple[tuple[str, list[tuple[str, dict[str, str]]]], ...] = (
    ("begun", []),
    ("called off", [("called_off", WHY)]),
    ("read", [("pot", {"pot": "104 C", "instrument": "dial-a"})]),
    ("off the fire", [READ, ("cooked", {"bath": "water"})]),
    ("off and struck", [READ, ("cooked", {"bath": "water"}), ("strike", {})]),
    ("stirred", [READ, ("cooked", {"bath": "water"}), ("stir", {}), ("turned", {})]),
    ("made", [READ, ("cooked", {"bath": "water"}), ("made", {"grams_1": "25 g", "count_1": "40"})]),
    ("nothing made", [READ, ("cooked", {"bath": "water"}), ("made", {"nothing": "1"})]),
    (
        "scored",
        [
            READ,
            ("cooked", {"bath": "water"}),
            ("made", {"grams_1": "25 g", "count_1": "40"}),
            ("scored", {"texture": "0", "taste": "5", "grain": "4"}),
        ],
    ),
    (
        "made and sold",
        [
            READ,
            ("cooked", {"bath": "water"}),
            ("made", {"grams_1": "25 g", "count_1": "40"}),
            ("taken_out", {"size_1": "25 g", "count_1": "40", "reason": "sold"}),
        ],
    ),
)


class EveryState(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.now = NOON
        app = create_app(Settings(database=self.path, clock=lambda: self.now, refresh_seconds=0))
        self.client = self.enterContext(
            TestClient(
                app,
                base_url="http://127.0.0.1",
                follow_redirects=False,
                raise_server_exceptions=False,
            )
        )

    def bring(self, code: str, lines: list[tuple[str, dict[str, str]]]) -> None:
        """Put lines on a slip, confirming whatever is asked."""
        usual = {
            "lot": code,
            "size_1": "500 ml",
            "fill": "86 C",
            "temperature": "90 C",
        }
        for kind, fields in lines:
            self.now += timedelta(minutes=9)
            newest = self.slip(code)[-1].id
            sent = {**usual, **fields}
            for _ in range(5):
                try:
                    if kind == "strike":
                        slip.strike(self.db, code, {"supersedes": newest, **WHY}, self.now)
                    else:
                        slip.put(self.db, code, kind, sent, self.now)
                    break
                except BadInput as bad:
                    self.assertEqual(bad.errors, {}, (kind, bad))
                    sent |= {name + CONFIRMED: "1" for name in bad.asks}
            else:
                raise AssertionError("asked for ever")

    def slip(self, code: str) -> list[Any]:
        """The lines of a batch."""
        batch = record.batch_by(self.db, code=code)
        assert batch is not None
        return slip_of(self.db, batch.id)

    def look(self, code: str, state: str) -> None:
        """Every address of the application that is of a batch, a lot or a line of it."""
        entries = [one.id for one in self.slip(code)]
        for one in addresses():
            address, reads, writes = one.path, one.reads, one.writes
            if not re.search(r"\{(code|lot)(:path)?\}", address) or address.startswith("/live"):
                continue
            path = re.sub(r"\{(code|lot)(:path)?\}", code, address)
            # Of the lines the first and the newest two: those between were the newest of a state before.
            looked_at = dict.fromkeys((entries[0], *entries[-2:]))
            for entry in looked_at if "{entry_id}" in path else entries[:1]:
                where = path.replace("{entry_id}", entry)
                if reads:
                    where_read = re.sub(r"\{(figure|name)\}", "brix", where)
                    answer = self.client.get(where_read)
                    self.assertIn(answer.status_code, (200, 303, 404, 422), (state, where_read))
                    self.assertNotRegex(answer.text, r"\bNone\b|\bnan\b", (state, where_read))
                if writes and "strike" not in where:
                    for kind in self.kinds(where) if "{kind}" in where else ("",):
                        there = where.replace("{kind}", kind)
                        answer = self.client.post(there, data={"reading": "-", "mass": "-"})
                        self.assertIn(answer.status_code, (200, 303, 404, 409, 422), (state, there))

    @staticmethod
    def kinds(address: str) -> list[str]:
        """The kinds of line that are sent to an address: those of its station, and one that is not."""
        its = next((one for one in STATIONS if address.startswith(one.path)), STATIONS[0])
        return [*(kind.key for kind in its.line_kinds), "nothing"]

    def test_a_boil(self) -> None:
        for state, lines in PAN:
            with self.subTest(state):
                self.setUp()
                code = self.take_in(self.now, **BOIL)
                self.bring(code, lines)
                self.look(code, state)
                self.assertEqual(differences(self.db), [])

    def test_a_boil_that_was_poured_on(self) -> None:
        one, two = (self.take_in(vessel=v, **BOIL) for v in ("finisher-1", "finisher-2"))
        self.bring(two, [("added", {"from": one, "whole": "1"})])
        for code in (one, two):
            self.look(code, "poured on")

    def test_a_cook(self) -> None:
        for state, lines in POT:
            with self.subTest(state):
                self.setUp()
                wish = {
                    "piece": "cream",
                    "by": "syrup",
                    "syrup": "1.2 kg",
                    "vessel": "candy-pot",
                    "woodlot": "north-kiln",
                }
                code = begin.begin(self.db, self.now, {"id": f"begin {state}", **wish})
                self.bring(code, lines)
                self.look(code, state)
                self.assertEqual(differences(self.db), [])

    def test_what_no_model_can_doubt_is_kept(self) -> None:
        def doubt(*given: object) -> None:
            raise OutOfRange("98 Brix does not lie between 0 and 97.")

        kind = replace(slip._kinds["hydrometer"], doubt=doubt)
        code = self.take_in()
        with mock.patch.dict(slip._kinds, {"hydrometer": kind}):
            self.bring(code, [("hydrometer", {"reading": "50", "cup": "90 C"})])
        self.assertEqual(self.slip(code)[-1].kind, "hydrometer")

    def test_what_was_never_read_is_neither_too_dense_nor_too_thin(self) -> None:
        code = self.take_in()
        self.put(code, "boiling", 5)
        self.put(code, "draw", 400, mass="19 kg", mass_confirmed="1", sums_confirmed="1")
        self.now += timedelta(minutes=401)
        for path in (f"/filter/{code}", f"/jar/{code}", f"/colour/{code}"):
            page = self.client.get(path).text
            self.assertIn("is a guess", page, path)
            self.assertNotIn("too dense", page, path)

    def test_a_pot_is_read_far_beyond_its_mark(self) -> None:
        """Past what any model of boiling reaches each reading is kept, and every voice says what to do."""
        for step, air, water in ((3.5, "1030 hPa", 100.5), (6.0, "870 hPa", 95.8), (9.0, "957 hPa", 98.4)):
            self.setUp()
            self.client.post("/day/pressure", data={"basis": "station", "pressure": air})
            wish = {
                "piece": "hard-drops",
                "by": "syrup",
                "syrup": "1.2 kg",
                "woodlot": "north-kiln",
            }
            code = begin.begin(self.db, self.now, {"id": "begin-1", "vessel": "candy-pot", **wish})
            shown = 103.0
            while shown < 300:
                self.now += timedelta(minutes=2.5)
                sent = {"pot": f"{shown:.0f} C", "instrument": "dial-a", "pot_confirmed": "1"}
                answer = self.client.post(f"/candy/cook/{code}/slip/pot", data=sent)
                self.assertEqual(answer.status_code, 303, (step, air, shown))
                for path in (f"/candy/cook/{code}", f"/candy/cook/{code}/board", "/wall"):
                    page = self.client.get(path)
                    self.assertEqual(page.status_code, 200, (step, air, shown, path))
                    # The mark is near water + 50; the curves of boiling end at water + 56.
                    above, said = shown - water, "Off the scale" in page.text
                    self.assertTrue(said if above > 57 else not said or above > 53, (air, shown, path))
                    self.assertTrue("Put no water in" in page.text or not said, path)
                    for other in ("Turn the fire down", "brings it back", "estimated"):
                        self.assertFalse(said and other in page.text, (air, shown, path, other))
                shown += step
            unsure = {"pot": "200 C", "instrument": "dial-a"}
            asked = self.client.post(f"/candy/cook/{code}/slip/pot", data=unsure)
            self.assertIn("take it off the fire first", asked.text)
            self.now += timedelta(minutes=30)
            stale = self.client.get(f"/candy/cook/{code}").text
            self.assertIn("Off the scale", stale)
            self.assertNotIn("estimated", stale)
            self.assertRegex(stale, f'data-news="shown">{shown - step:.0f}.0<')
            # What nobody has read since the fire was turned stands as it was read.
            self.client.post(f"/candy/cook/{code}/slip/burner", data={})
            self.now += timedelta(minutes=2)
            self.assertIn("Off the scale", self.client.get(f"/candy/cook/{code}").text)
            due = alarms.due(pot_of(contexts.load(self.db, code, self.now)))
            self.assertIn("Put no water in", " ".join(cause.words for cause in due))
            sent = {"bath": "bench", "cooked_confirmed": "1", "pot_confirmed": "1"}
            self.assertEqual(self.client.post(f"/candy/cook/{code}/slip/cooked", data=sent).status_code, 303)
            self.assertEqual(self.client.get(f"/candy/cook/{code}").status_code, 200, (step, air))
