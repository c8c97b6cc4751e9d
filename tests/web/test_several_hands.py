"""Several people at one kitchen: whose a line is, who was first, what answers for all; and boards that
send."""

import asyncio
import json
import re
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any
from unittest import mock

from starlette.testclient import TestClient

from lumbrel.services.access.roles import FINISHER, LOOKER, OWNER
from lumbrel.services.base.entry import newest
from lumbrel.services.base.form import SEEN
from lumbrel.services.pan import alarms
from lumbrel.services.probes import intake
from lumbrel.services.record.settings import RegisteredFacts, SettingFacts
from lumbrel.store import alarms as alarm_store
from lumbrel.store import book as books
from lumbrel.store.kitchen import load_kitchen, save_kitchen
from lumbrel.store.registered import change
from lumbrel.web.bench.sending import lines_for
from lumbrel.web.shell.doorway import CONNECTION, Connection
from lumbrel.web.shell.streams import MOST_OF_A_DEVICE
from lumbrel.web.shell.turnstile import Pace
from tests.support import crawl
from tests.support.devices import ADDRESS, OpenKitchen, token_of
from tests.support.kitchen import NOON, KitchenCase

BEFORE = (NOON - timedelta(minutes=5)).isoformat()
CUP = {"reading": "49.6", "cup": "92 C", "instrument": "hydrometer-1"}


async def empty() -> dict[str, Any]:
    """A request without a body."""
    return {"type": "http.request", "body": b"", "more_body": False}


async def ignored(message: dict[str, Any]) -> None:
    """Whatever is answered."""


class Hands(KitchenCase):
    """Two finishers with a phone each, at one batch that was taken in an hour ago."""

    def setUp(self) -> None:
        super().setUp()
        self.kitchen = OpenKitchen(self.folder, self.path)
        self.addCleanup(self.kitchen.keeper.close)
        self.code = self.take_in(NOON - timedelta(hours=1))
        self.first, self.second = (self.kitchen.let_in(FINISHER, initials) for initials in ("KL", "MM"))

    def send(self, client: TestClient, path: str, **fields: str) -> Any:
        """Send a form of a page that this device opened."""
        return client.post(path, data={"token": token_of(client, "/"), **fields})

    def lines(self, kind: str) -> list[tuple[str, str]]:
        """The initials of the standing lines of a kind, and their facts."""
        rows = self.db.execute(
            """SELECT initials, facts FROM line WHERE kind = ?
               AND id NOT IN (SELECT supersedes FROM line WHERE supersedes IS NOT NULL)""",
            (kind,),
        )
        return [(row[0], row[1]) for row in rows]


class TestWhose(Hands):
    def test_every_form_carries_the_token_of_the_device_that_opened_it(self) -> None:
        token, seen = token_of(self.first, "/"), 0
        for address in (f"/pan/{self.code}", "/sap", "/take-in"):
            for form in crawl.forms(self.first.get(address).text):
                self.assertEqual(form.fields.get("token"), token, form.action)
                seen += 1
        self.assertGreater(seen, 5)

    def test_what_an_owner_sets_only_an_owner_strikes(self) -> None:
        moved = replace(load_kitchen(self.db), elevation_m=900.0)
        save_kitchen(self.db, moved, NOON)
        rename = {"name": "Wide pan"}
        change(self.db, "vessel", "finisher-1", rename, since=NOON, noted_at=NOON)
        owner = self.kitchen.let_in(OWNER)
        for kind in (SettingFacts, RegisteredFacts):
            line = newest(self.db, kind, limit=1)[0].id
            struck = self.send(self.first, f"/line/{line}/strike", id=f"struck-{line}"[:60])
            self.assertEqual(struck.status_code, 422)
            self.assertIn("a device of the owner", struck.text)
            self.assertFalse(books.by_id(self.db, line).superseded)
            self.send(owner, f"/line/{line}/strike", id=f"owner-{line}"[:60])
            self.assertTrue(books.by_id(self.db, line).superseded)

    def test_a_line_is_its_devices_persons_unless_another_is_typed(self) -> None:
        slip = f"/pan/{self.code}/slip"
        self.assertEqual(self.send(self.first, f"{slip}/note", text="steady").status_code, 303)
        self.send(self.second, f"{slip}/note", text="foam", initials="QQ")
        self.send(self.first, f"{slip}/note", text="nobody's", initials="")
        self.kitchen.here.post(f"{slip}/note", data={"text": "at the machine"})
        self.assertEqual([by for by, _ in self.lines("note")], ["KL", "QQ", "", ""])
        self.assertIn('by-whom">KL', self.second.get(f"/pan/{self.code}").text)
        typed = self.db.execute("SELECT typed FROM line WHERE kind = 'note'").fetchall()
        for row in typed:
            self.assertEqual(set(json.loads(row[0])), {"text"})

    def test_a_shared_tablet_changes_hands_with_one_press(self) -> None:
        path = f"/pan/{self.code}"
        self.assertIn('name="to" value="' + path, self.first.get(path).text)
        changed = self.send(self.first, "/initials", initials="ZZ", to=path)
        self.assertEqual((changed.status_code, changed.headers["location"]), (303, path))
        self.send(self.first, f"{path}/slip/note", text="another's")
        self.assertEqual([by for by, _ in self.lines("note")], ["ZZ"])
        long = self.send(self.first, "/initials", initials="ABCDEFGHIJ", to=path)
        self.assertEqual(long.status_code, 422)
        self.assertIn("At most 8 characters", long.text)

    def test_what_is_taken_in_is_somebodys_too(self) -> None:
        sent = {
            "vessel": "finisher-1",
            "sugar_kind": "maple",
            "woodlot": "north-kiln",
            "amount_by": "mass",
            "amount": "20 kg",
            "brix": "45",
            "temperature": "60 C",
        }
        self.assertEqual(self.send(self.second, "/take-in", **sent).status_code, 303)
        self.assertEqual([by for by, _ in self.lines("take_in")], ["", "MM"])

    def test_a_corrected_line_keeps_whose_it_was_until_another_is_typed(self) -> None:
        self.send(self.first, f"/pan/{self.code}/slip/note", text="at 60")
        line = self.db.execute("SELECT id FROM line WHERE kind = 'note'").fetchone()[0]
        path = f"/batch/{self.code}/correct/{line}"
        self.assertRegex(self.second.get(path).text, r'name="initials"[^>]*value="KL"')
        self.send(self.second, path, text="at 61", why="misread", initials="KL")
        self.assertEqual([by for by, _ in self.lines("note")], ["KL"])


class TestWhoWasFirst(Hands):
    def test_the_second_to_correct_a_line_is_told_who_did_and_keeps_what_was_typed(self) -> None:
        self.send(self.first, f"/pan/{self.code}/slip/note", text="at 60")
        line = self.db.execute("SELECT id FROM line WHERE kind = 'note'").fetchone()[0]
        path = f"/batch/{self.code}/correct/{line}"
        self.assertEqual(self.send(self.first, path, text="at 61", why="misread").status_code, 303)
        late = self.send(self.second, path, text="at 62 it was", why="looked again")
        self.assertEqual(late.status_code, 409)
        self.assertIn("KL corrected that line at 12:00 (“misread”)", late.text)
        self.assertIn("at 62 it was", late.text)
        struck = self.send(self.second, path.replace("correct", "strike"), why="wrong")
        self.assertEqual(struck.status_code, 409)
        self.assertEqual(len(self.lines("note")), 1)

    def test_the_second_to_draw_a_pan_is_told_of_the_first_draw(self) -> None:
        path = f"/pan/{self.code}/slip/draw"
        sent = {"mass": "18 kg", "mass_confirmed": "1", "brix_confirmed": "1"}
        self.assertEqual(self.send(self.first, path, **sent).status_code, 303)
        late = self.send(self.second, path, **{**sent, "mass": "17 kg"})
        self.assertEqual(late.status_code, 422)
        self.assertRegex(late.text, "KL put “Drew off.*on the slip already, at 12:00")
        self.assertEqual([by for by, _ in self.lines("draw")], ["KL"])

    def test_who_fills_beside_somebody_else_is_asked_whether_it_is_another_one(self) -> None:
        self.put(self.code, "draw", -30, mass="18 kg", mass_confirmed="1")
        path, sent = (
            f"/jar/{self.code}",
            {"fill": "86 C", "size_1": "500 ml", "count_1": "3", "lot": "J"},
        )
        first = self.send(self.first, path, **sent, **{SEEN: BEFORE})
        self.assertEqual(first.status_code, 303, first.text[:3000])
        late = self.send(self.second, path, **sent, **{SEEN: BEFORE})
        self.assertEqual(late.status_code, 422)
        self.assertRegex(late.text, "KL put “[^”]*” on the slip at 12:00, after this page was opened")
        self.assertIn('name="others_confirmed"', late.text)
        self.assertEqual(len(self.lines("jar")), 1)
        more = self.send(self.second, path, **sent, **{SEEN: BEFORE}, others_confirmed="1")
        self.assertEqual(more.status_code, 303)
        self.assertEqual([by for by, _ in self.lines("jar")], ["KL", "MM"])
        # Who has seen the others' lines, or says nothing of what they saw, is asked nothing.
        for seen in ({SEEN: NOON.isoformat()}, {}, {SEEN: "when?"}, {SEEN: "2026-03-18"}):
            self.assertEqual(self.send(self.first, path, **sent, **seen).status_code, 303, seen)

    def test_two_who_answer_one_alarm_are_one_answer_with_one_name(self) -> None:
        batch = self.db.execute("SELECT id FROM batch WHERE code = ?", (self.code,)).fetchone()[0]
        alarm_store.raise_alarm(self.db, batch, "foam", NOON, "Foam.")
        path = "/alarms/1/answer"
        self.assertEqual(self.send(self.first, path, by="").json()["before_by"], "")
        self.assertEqual(self.send(self.second, path, by="").json()["before_by"], "KL")
        self.assertEqual([by for by, _ in self.lines("alarm")], ["KL"])
        looker = self.kitchen.let_in(LOOKER, "WW")
        self.assertEqual(self.send(looker, path, by="WW").status_code, 403)
        found = alarm_store.alarm(self.db, 1)
        assert found
        self.assertEqual(found.acknowledged_by, "KL")
        self.assertEqual(alarms.acknowledge(self.db, 1, "X", NOON).acknowledged_by, "KL")


class TestStreams(Hands):
    """What listens to the news, through the door, as a device's cookie has it."""

    def listening(self, client: TestClient) -> "asyncio.Task[None]":
        cookie = "; ".join(f"{one.name}={one.value}" for one in client.cookies.jar)
        head = [(b"host", ADDRESS.encode()), (b"cookie", cookie.encode())]
        scope = {"type": "http", "method": "GET", "path": f"/live/{self.code}", "headers": head}
        scope |= {"scheme": "https", "query_string": b"", "client": ("192.168.7.30", 4000)}
        gone = asyncio.Event()

        async def receive() -> dict[str, str]:
            await gone.wait()
            return {"type": "http.disconnect"}

        async def send(message: dict[str, Any]) -> None:
            if message["type"] == "http.response.start":
                self.assertEqual(message["status"], 200)
                self.assertIn((b"connection", b"close"), message["headers"])

        return asyncio.create_task(self.kitchen.network.door(sealed=True)(scope, receive, send))

    def test_a_device_has_a_few_and_one_that_is_put_out_none_at_once(self) -> None:
        async def day() -> tuple[list[bool], list[bool], list[bool]]:
            many = []
            for _ in range(MOST_OF_A_DEVICE + 2):
                many.append(self.listening(self.first))
                await asyncio.sleep(0.05)
            others = self.listening(self.second)
            await asyncio.sleep(0.2)
            before = [one.done() for one in many]
            (first,) = [d for d in self.kitchen.keeper.devices() if d.initials == "KL"]
            await asyncio.to_thread(self.kitchen.keeper.put_out, first.id, datetime.now(UTC))
            await asyncio.sleep(0.3)
            after = [one.done() for one in many]
            still = [others.done()]
            others.cancel()
            return before, after, still

        before, after, still = asyncio.run(day())
        self.assertEqual(before, [True] * 2 + [False] * MOST_OF_A_DEVICE)
        self.assertEqual((all(after), still), (True, [False]))


class TestGuests(Hands):
    def test_a_device_and_a_probe_are_vouched_for_and_nobody_else(self) -> None:
        probe = intake.new_token(self.db, "probe-1", NOON)
        known = {"cookie": "; ".join(f"{c.name}={c.value}" for c in self.first.cookies.jar)}
        for headers, path, expected in (
            ({}, "/", False),
            ({"cookie": "__Host-lumbrel=made-up"}, "/", False),
            (known, "/", True),
            ({"authorization": "Bearer made-up"}, "/api/probes/samples", False),
            ({"authorization": f"Bearer {probe}"}, "/api/probes/samples", True),
        ):
            connection = Connection("192.168.7.30")
            head = [(k.encode(), v.encode()) for k, v in ({"host": ADDRESS} | headers).items()]
            scope = {"type": "http", "method": "GET", "path": path, "headers": head}
            scope |= {"scheme": "https", "query_string": b"", "client": ("192.168.7.30", 4000)}
            scope |= {"state": {CONNECTION: connection}}
            if path.startswith("/api"):
                scope["method"] = "POST"
            asyncio.run(self.kitchen.network.door(sealed=True)(scope, empty, ignored))
            self.assertEqual(connection.vouched_for, expected, headers)


class TestAnApp(Hands):
    def test_its_manifest_and_its_worker_name_files_that_are_there(self) -> None:
        stranger = self.kitchen.device()
        manifest = stranger.get("/manifest.webmanifest").json()
        for icon in manifest["icons"]:
            self.assertEqual(stranger.get(icon["src"]).status_code, 200, icon)
        script = stranger.get("/sw.js").text
        shell = json.loads(re.search(r"const SHELL = (\[.*\]);", script)[1])  # type: ignore[index]
        self.assertGreater(len(shell), 6)
        for path in shell:
            self.assertEqual(stranger.get(path).status_code, 200, path)
        page = self.first.get("/").text + self.first.get(f"/pan/{self.code}").text
        used = set(re.findall(r'"(/static/[^"]+\.(?:js|css|woff2|png|svg))"', page))
        self.assertLessEqual(used, set(shell))


class TestBoards(Hands):
    def setUp(self) -> None:
        super().setUp()
        owner = self.kitchen.let_in(OWNER)
        page = self.send(owner, "/kitchen/instrument/probe-1/token").text
        self.token = re.search(r"<code>([\w-]{20,})</code>", page)[1]  # type: ignore[index]
        self.page = page

    def taken(self) -> list[float]:
        """What is in the record of the probe, degC."""
        return [row[0] for row in self.db.execute("SELECT value FROM sample ORDER BY at")]

    def test_the_lines_to_copy_stand_on_the_page_with_token_and_address(self) -> None:
        for word in (self.token, "https://192.168.7.2:8443/api/probes/samples", "lumbrel.local"):
            self.assertIn(word, self.page)
        self.assertNotIn("$", "".join(text for _, text in lines_for("https://a.local", "t").programs))
        plain = dict(lines_for("http://192.168.7.2:8080", "t").programs)
        self.assertNotIn("ssl", "".join(plain.values()).lower())
        self.assertNotIn("cacert", "".join(plain.values()))

    def test_a_probes_pace_is_bound_and_its_token_opens_nothing_else(self) -> None:
        board = self.kitchen.device()
        head = {"Authorization": f"Bearer {self.token}"}
        body = {"samples": [{"temperature_c": 101.5}]}
        with mock.patch("lumbrel.web.api.probes.PER_SECOND", 0.001):
            said = [board.post("/api/probes/samples", json=body, headers=head) for _ in range(62)]
        self.assertEqual([a.status_code for a in said], [200] * 60 + [429] * 2)
        self.assertIn("20 times a second", said[-1].text)
        self.assertEqual(board.get("/", headers=head).status_code, 303)
        self.assertEqual(board.get("/api/accounts", headers=head).status_code, 401)
        here = self.kitchen.here.post("/api/probes/samples", json=body, headers=head)
        self.assertEqual(here.status_code, 200)

    def test_a_steady_pace_is_never_held_up(self) -> None:
        second = 0.0
        pace = Pace(2.0, 3, lambda: second)
        self.assertEqual([pace.may_come("a") for _ in range(4)], [True, True, True, False])
        self.assertTrue(pace.may_come("b"))
        for _ in range(50):
            second += 0.5
            self.assertTrue(pace.may_come("a"))
        self.assertFalse(pace.may_come("a"))
