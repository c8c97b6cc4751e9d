"""What stands in the way is said: to a person on a page, to a program as JSON, under a number in the
log; and a page left open never writes into another record."""

import html
import logging
import re
import sqlite3
import threading
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from unittest.mock import patch

from fastapi.testclient import TestClient

from lumbrel.devices.lines import ProbeSample
from lumbrel.devices.measured import Value
from lumbrel.listen import listen
from lumbrel.services.base import batch as contexts
from lumbrel.services.probes import intake
from lumbrel.store.db import opened, transaction
from lumbrel.web.pan import pages as pan_pages
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.settings import Settings
from lumbrel.web.shell.turnstile import TRIES, Turnstile
from tests.support.kitchen import NOON, KitchenCase

HEADERS = ("content-security-policy", "x-content-type-options", "referrer-policy")


class ErrorCase(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.now = NOON + timedelta(minutes=30)
        settings = Settings(database=self.path, clock=lambda: self.now, refresh_seconds=0)
        self.app = create_app(settings)
        self.client = self.enterContext(
            TestClient(
                self.app,
                base_url="http://127.0.0.1",
                raise_server_exceptions=False,
                follow_redirects=False,
            )
        )


class Said(ErrorCase):
    def test_the_unforeseen_has_a_number_in_the_log_and_on_the_page(self) -> None:
        code = self.take_in()
        with (
            patch.object(pan_pages.slip, "put", side_effect=ZeroDivisionError("deep down")),
            self.assertLogs("lumbrel.web", logging.ERROR) as logged,
        ):
            page = self.client.post(
                f"/pan/{code}/slip/note",
                data={"text": "typed <with> care"},
                headers={"referer": f"http://127.0.0.1/pan/{code}", "host": "127.0.0.1"},
            )
        self.assertEqual(page.status_code, 500)
        number = re.search(r"under ([0-9a-f]{8})", page.text)[1]
        self.assertIn(number, logged.output[0])
        self.assertIn("deep down", logged.output[0])
        self.assertIn("typed <with> care", html.unescape(page.text))
        self.assertIn(f'href="/pan/{code}"', page.text)
        self.assertTrue(all(name in page.headers for name in HEADERS))

    def test_busy_is_said_only_when_it_is_busy(self) -> None:
        code = self.take_in()
        with opened(self.path) as other, patch("lumbrel.store.db.BUSY_TIMEOUT_MS", 50):
            with transaction(other):
                page = self.client.post(f"/pan/{code}/slip/note", data={"text": "kept"})
            self.assertEqual((page.status_code, page.headers["retry-after"]), (503, "5"))
            self.assertIn("busy", page.text)
            self.assertIn("kept", page.text)
            again = self.client.post(f"/pan/{code}/slip/note", data={"text": "kept"})
        self.assertEqual(again.status_code, 303)
        full = sqlite3.OperationalError("database or disk is full")
        full.sqlite_errorcode = sqlite3.SQLITE_FULL
        wrong = sqlite3.OperationalError("no such column: x")
        wrong.sqlite_errorcode = sqlite3.SQLITE_ERROR
        for error, status, words in (
            (full, 503, "is full; nothing was written"),
            (wrong, 500, "not foreseen"),
        ):
            with patch.object(pan_pages.slip, "put", side_effect=error):
                page = self.client.post(f"/pan/{code}/slip/note", data={"text": "x"})
            self.assertEqual(page.status_code, status)
            self.assertIn(words, page.text)
            self.assertNotIn("busy", page.text)

    def test_health_tells_the_truth(self) -> None:
        self.assertEqual(self.client.get("/healthz").json()["record"]["is_a"], "own")
        self.path.rename(self.folder / "moved")
        answer = self.client.get("/healthz")
        (self.folder / "moved").rename(self.path)
        self.assertEqual((answer.status_code, answer.json()["status"]), (503, "unwell"))

    def test_an_id_sent_with_something_else_is_a_conflict_that_keeps_what_was_typed(self) -> None:
        code = self.take_in()
        sent = {"id": "a-note-000001", "text": "first"}
        for status, text in ((303, "first"), (303, "first"), (409, "second thoughts")):
            page = self.client.post(f"/pan/{code}/slip/note", data=sent | {"text": text})
            self.assertEqual(page.status_code, status)
        self.assertIn("second thoughts", page.text)

    def test_head_answers_as_get_without_a_body(self) -> None:
        for path in ("/", "/day", "/api/openapi.json", "/healthz"):
            answer = self.client.head(path)
            self.assertEqual((answer.status_code, answer.content), (200, b""), path)

    def test_a_body_too_large_is_told_so_however_it_comes(self) -> None:
        def chunks():
            for _ in range(40):
                yield b"x" * 10_000

        for path in ("/api/hydrometer/correct", "/take-in"):
            kind = {"content-type": "application/x-www-form-urlencoded"}
            answer = self.client.post(path, content=chunks(), headers=kind)
            self.assertEqual(answer.status_code, 413, path)

    def test_the_api_says_of_refusals_what_it_sends(self) -> None:
        paths = self.client.get("/api/openapi.json").json()["paths"]
        told = paths["/api/hydrometer/correct"]["post"]["responses"]["422"]
        self.assertIn("Refused", told["content"]["application/json"]["schema"]["$ref"])

    def test_odd_input_is_no_error(self) -> None:
        code = self.take_in()
        part = b'--B\r\nContent-Disposition: form-data; name="text"\r\n\r\n\xed\xa0\x80x\r\n--B--\r\n'
        kind = {"content-type": "multipart/form-data; boundary=B"}
        answer = self.client.post(f"/pan/{code}/slip/note", content=part, headers=kind)
        self.assertIn(answer.status_code, (303, 422))
        self.assertEqual(self.client.get(f"/pan/{code}").status_code, 200)
        for path in (
            "/api/understood?kind=mass&text=25 kg dB",
            f"/pan/{code}/series?since=nan",
            f"/pan/{code}/series?since=inf",
            f"/pan/{code}/series?since=1e18",
            *(f"/pan/{code}/series?upto={wrong}" for wrong in ("nan", "inf", "-1e18", "1e18", "1")),
            f"/pan/{code}/cup?seconds=nan",
            "/shelf?page=99999&season=9999",
            "/accounts?season=0000",
            "/trace/%2E%2E",
        ):
            self.assertLess(self.client.get(path).status_code, 500, path)
        for path, body in (
            (f"/alarms/{2**70}/answer", {}),
            ("/practice/start", {"seed": "²"}),
            ("/practice/start", {"seed": "9" * 5000}),
            ("/practice/leave", {}),
        ):
            self.assertLess(self.client.post(path, data=body).status_code, 500, path)
        readings = [{"label": x, "brix": 60, "uncertainty_brix": 1e-300} for x in "ab"]
        parts = [{"volume_l": 5e-324, "transmittance_percent": 5e-324}] * 2
        for path, sent in (
            ("agreement", {"readings": readings}),
            ("colour/blend", {"parts": parts}),
        ):
            answer = self.client.post(f"/api/{path}", json=sent)
            self.assertIn(answer.status_code, (200, 422), answer.text)

    def test_refusals_stand_at_their_field(self) -> None:
        code = self.take_in()
        self.put(code, "boiling", 5)
        again = self.client.post(f"/pan/{code}/slip/boiling", data={})
        self.assertIn("on the slip already", again.text)
        for kind, fields, words in (
            ("note", {"text": "x", "at": "late"}, "Type the time"),
            ("note", {"text": "x", "initials": "far too long"}, "At most 8"),
            ("foam", {"defoamer": "oil", "at": "25:00"}, "Type the time"),
            ("draw", {"mass": "abc"}, "Type a number"),
            ("draw", {"mass": "6000 kg", "mass_confirmed": "1"}, "between 0.1 and 5000"),
            ("part_draw", {"mass": "abc"}, "Type a number"),
            ("called_off", {}, "Say why"),
        ):
            page = self.client.post(f"/pan/{code}/slip/{kind}", data=fields)
            self.assertEqual(page.status_code, 422, kind)
            self.assertIn(words, html.unescape(page.text), (kind, fields))


class Practice(ErrorCase):
    def test_another_speed_leaves_a_person_where_they_are(self) -> None:
        self.client.post("/practice/start", data={"surprise": "0", "seed": "3"})
        host = f"{self.client.base_url.scheme}://{self.client.base_url.netloc.decode()}"
        home = self.app.state.practice.pan.home
        for came, to in (
            (f"{host}/jar/26-001", "/jar/26-001"),
            (f"{host}/pan/26-001/slip/drop", "/pan/26-001"),
            (f"{host}//elsewhere.example/pan", home),
            ("https://elsewhere.example/pan", home),
            ("", home),
        ):
            answer = self.client.post("/practice/speed/5", headers={"referer": came}, follow_redirects=False)
            self.assertEqual((answer.status_code, answer.headers["location"]), (303, to), came)
        self.client.post("/practice/leave")

    def test_a_page_left_open_never_writes_into_another_record(self) -> None:
        code = self.take_in()
        own = self.client.get(f"/pan/{code}?entry=event").text
        own_note = re.search(r'action="(/pan/[^"]*slip/note[^"]*)"', own)[1]
        self.client.post("/practice/start", data={"surprise": "0", "seed": "3"})
        practice = self.app.state.practice
        page = self.client.get(f"/pan/{practice.pan.code}?entry=event").text
        note = re.search(r'action="(/pan/[^"]*slip/note[^"]*)"', page)[1]
        self.assertIn(practice.name, note)
        # The kitchen's page, open since before: it still writes into the kitchen's record.
        self.client.post(own_note, data={"text": "of the kitchen"})
        self.client.post(note, data={"text": "of practice"})
        self.client.post("/practice/leave")
        self.client.cookies.set("practice", practice.key)
        stale = self.client.post(note, data={"text": "too late"})
        self.assertEqual(stale.status_code, 409)
        self.assertIn("too late", stale.text)
        alarm = self.client.post(f"/alarms/1/answer?at={practice.key}")
        self.assertEqual(alarm.status_code, 409)
        notes = [e.facts.text for e in self._notes(code)]
        self.assertEqual(notes, ["of the kitchen"])

    def _notes(self, code: str) -> list:
        lines = contexts.load(self.db, code, self.now).current
        return [line for line in lines if line.kind == "note"]

    def test_many_starts_at_once_leave_one_pan(self) -> None:
        before = set(_pans())
        with ThreadPoolExecutor(6) as hands:
            starts = [
                hands.submit(self.client.post, "/practice/start", data={"seed": f"{i}"}) for i in range(6)
            ]
            self.assertEqual({start.result().status_code for start in starts}, {303})
        self.assertEqual(len(set(_pans()) - before), 1)
        self.client.post("/practice/leave", params={"at": "kitchen"})
        self.assertEqual(set(_pans()) - before, set())


def _pans() -> list[threading.Thread]:
    return [t for t in threading.enumerate() if t.name == "practice-pan"]


class Probes(ErrorCase):
    def test_a_bad_moment_is_counted_and_the_good_samples_beside_it_kept(self) -> None:
        token = intake.new_token(self.db, "probe-1", NOON)
        sent = [
            {"temperature_c": 99.1, "at": "0001-01-01T00:00:00+01:00"},
            {"temperature_c": 99.2, "at": self.now.isoformat()},
        ]
        answer = self.client.post(
            "/api/probes/samples",
            json={"samples": sent},
            headers={"Authorization": f"Bearer {token}"},
        )
        self.assertEqual((answer.status_code, answer.json()["kept"]), (200, 1))
        self.assertEqual(sum(answer.json()["refused"].values()), 1)

    def test_wrong_tokens_again_and_again_have_to_wait(self) -> None:
        sent = {"samples": [{"temperature_c": 99.0}]}
        wrong = {"Authorization": "Bearer nothing"}
        answers = [
            self.client.post("/api/probes/samples", json=sent, headers=wrong).status_code
            for _ in range(TRIES + 1)
        ]
        self.assertEqual(answers, [401] * TRIES + [429])
        seconds = [0.0]
        turnstile = Turnstile(lambda: seconds[0])
        for _ in range(TRIES):
            turnstile.wrong("x")
        self.assertGreater(turnstile.must_wait("x"), 0)
        self.assertEqual(turnstile.must_wait("y"), 0)
        seconds[0] = 61.0
        self.assertEqual(turnstile.must_wait("x"), 0)

    def test_listening_goes_on_while_the_record_is_locked_and_past_a_bad_time(self) -> None:
        stop = threading.Event()
        now = NOON + timedelta(minutes=30)

        class Source:
            def samples(self):
                yield ProbeSample(datetime(1, 1, 1, tzinfo=UTC).replace(tzinfo=EAST), (Value(99.0, "C"),))
                yield ProbeSample(now - timedelta(seconds=2), (Value(99.1, "C"),))
                stop.set()
                yield ProbeSample(now, (Value(99.2, "C"),))

        locked = threading.Timer(0.4, lambda: other.execute("ROLLBACK"))
        with (
            opened(self.path) as other,
            patch("lumbrel.store.db.BUSY_TIMEOUT_MS", 50),
            patch("lumbrel.services.probes.follow.PAUSE_S", 0.1),
        ):
            other.execute("BEGIN IMMEDIATE")
            locked.start()
            listen(self.path, "probe-1", Source(), stop, lambda: now)
            locked.join()
        kept = [row["value"] for row in self.db.execute("SELECT value FROM sample ORDER BY at")]
        self.assertEqual(kept, [99.1, 99.2])


EAST = datetime.fromisoformat("2026-01-01T00:00+01:00").tzinfo
