"""Probes over HTTP: a token, a batch of samples, nonsense, and what the pages say of it."""

import asyncio
import json
import math
import re
from datetime import timedelta

from fastapi.testclient import TestClient

from lumbrel.services.pan.series import MOST_POINTS
from lumbrel.store import samples as samples_store
from lumbrel.store.samples import Sample, add_samples
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.settings import Settings
from tests.support.devices import OpenKitchen
from tests.support.kitchen import NOON, KitchenCase


class Probes(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.at = NOON
        app = create_app(Settings(database=self.path, clock=lambda: self.at, refresh_seconds=0))
        self.client = self.enterContext(
            TestClient(app, base_url="http://127.0.0.1", raise_server_exceptions=False)
        )
        page = self.client.post("/kitchen/instrument/probe-1/token").text
        self.token = re.search(r"<code>([\w-]{20,})</code>", page)[1]

    def post(self, body: object, token: str = "") -> tuple[int, dict]:
        head = {"Authorization": f"Bearer {token or self.token}"}
        sent = body if isinstance(body, bytes) else json.dumps(body).encode()
        head["Content-Type"] = "application/json"
        answer = self.client.post("/api/probes/samples", content=sent, headers=head)
        return answer.status_code, answer.json()

    def test_single_and_in_batches_and_sent_again(self) -> None:
        code, said = self.post({"samples": [{"temperature_c": 98.5}]})
        self.assertEqual((code, said), (200, {"kept": 1, "known": 0, "refused": {}}))
        many = {
            "samples": [
                {
                    "temperature_c": 98 + i / 1000,
                    "at": f"2026-03-18T11:{40 + i // 60}:{i % 60:02d}+00:00",
                }
                for i in range(1000)
            ]
        }
        self.assertEqual(self.post(many)[1]["kept"], 1000)
        self.assertEqual(self.post(many)[1], {"kept": 0, "known": 1000, "refused": {}})
        self.assertEqual(samples_store.latest_sample(self.db, "probe-1", NOON).value, 98.5)

    def test_nonsense_is_refused_in_words_and_shown(self) -> None:
        code, said = self.post(b'{"samples": [{"temperature_c": NaN}, {"temperature_c": 85.0}]}')
        self.assertEqual((code, said["kept"], sum(said["refused"].values())), (200, 0, 2))
        page = self.client.get("/kitchen/instrument/probe-1").text
        self.assertIn("before it has measured", page)
        for body in (
            b"\xff\x00",
            b"{}",
            {"samples": []},
            {"samples": [{"temperature_c": "hot"}]},
            {"samples": [{"temperature_c": 1, "at": "noon"}]},
        ):
            code, said = self.post(body)
            self.assertEqual(code, 422, said)
            self.assertTrue(said["detail"][0]["msg"])

    def test_a_wrong_token_writes_nothing(self) -> None:
        for token in ("wrong", self.token[:-1]):
            code, said = self.post({"samples": [{"temperature_c": 98.5}]}, token)
            self.assertEqual(code, 401)
            self.assertIn("token", said["detail"][0]["msg"])
        self.assertIsNone(samples_store.latest_sample(self.db, "probe-1", NOON))
        again = self.client.post("/kitchen/instrument/probe-1/token").status_code
        self.assertEqual((again, self.post({"samples": [{"temperature_c": 98.5}]})[0]), (200, 401))

    def test_wrong_tokens_of_others_stop_no_probe(self) -> None:
        warm = {"samples": [{"temperature_c": 98.5}]}
        said = [self.post(warm, "wrong")[0] for _ in range(12)]
        self.assertEqual((said[0], said[-1]), (401, 429))
        self.assertEqual(self.post(warm)[0], 200)

    def test_nothing_is_read_of_what_comes_with_a_wrong_token(self) -> None:
        sent: list[dict] = []

        async def receive() -> dict:
            raise AssertionError("it was read")

        async def send(message: dict) -> None:
            sent.append(message)

        for kind in (b"application/json", b"multipart/form-data; boundary=x"):
            head = [(b"host", b"127.0.0.1"), (b"content-type", kind)]
            head.append((b"content-length", b"250000"))
            scope = {"type": "http", "method": "POST", "path": "/api/probes/samples"}
            scope |= {"headers": head, "query_string": b"", "client": ("127.0.0.1", 9)}
            asyncio.run(self.client.app(scope | {"scheme": "http"}, receive, send))
        self.assertEqual([m["status"] for m in sent if "status" in m], [401, 401])

    def test_behind_a_proxy_whoever_tries_is_told_from_whoever_sends(self) -> None:
        behind = OpenKitchen(self.folder / "p", self.path, sealed=False, proxied="syrup.example")
        answers = []
        for origin in [*["203.0.113.7"] * 12, "203.0.113.8"]:
            stranger = behind.device(origin)
            answers.append(stranger.post("/api/probes/samples", json={}).status_code)
        self.assertEqual(answers[-2:], [429, 401])

    def test_the_series_of_a_run(self) -> None:
        code = self.take_in(vessel="finisher-1")
        self.put(code, "boiling", -0.0)
        self.post({"samples": [{"temperature_c": 98.5, "at": "2026-03-18T12:00:00.500Z"}]})
        run = self.client.get(f"/pan/{code}/series").json()
        self.assertEqual(len(run["path"]["at"]), len(run["path"]["brix"]))
        self.assertEqual([m["kind"] for m in run["marks"]], ["boiling"])
        self.assertEqual(run["target"], 66.9)
        self.assertFalse(run["samples"]["thinned"])
        self.assertEqual(self.client.get(f"/pan/{code}/series?upto=1").json()["samples"]["at"], [])

    def test_a_long_run_is_drawn_from_as_many_points_as_pixels_and_looked_at_closely(self) -> None:
        code = self.take_in(vessel="finisher-1")
        seconds = 4 * MOST_POINTS
        heat = [98 + 5 * i / seconds + 0.2 * math.sin(i / 40) for i in range(seconds)]
        heat[5001], heat[5003] = 90.0, 109.0
        start = NOON + timedelta(seconds=1)
        add_samples(
            self.db,
            "probe-1",
            [Sample(start + timedelta(seconds=i), value) for i, value in enumerate(heat)],
        )
        self.at = start + timedelta(seconds=seconds)
        whole = self.client.get(f"/pan/{code}/series").json()["samples"]
        self.assertTrue(whole["thinned"])
        self.assertLessEqual(len(whole["at"]), MOST_POINTS)
        self.assertGreater(len(whole["at"]), MOST_POINTS / 2)
        self.assertEqual((min(whole["value"]), max(whole["value"])), (90.0, 109.0))
        self.assertEqual(whole["at"], sorted(set(whole["at"])))
        places = [round(at - start.timestamp()) for at in whole["at"]]
        self.assertEqual((places[0], places[-1]), (0, seconds - 1), "later ones go on from there")
        self.assertEqual([heat[i] for i in places], whole["value"])
        for i in range(0, seconds - 40, 37):
            kept = [heat[place] for place in places if i - 10 <= place < i + 50]
            self.assertLessEqual(min(kept), min(heat[i : i + 40]))
            self.assertGreaterEqual(max(kept), max(heat[i : i + 40]))
        begins = start.timestamp() + 5000.5
        close = self.client.get(f"/pan/{code}/series?since={begins}&upto={begins + 4}").json()
        self.assertEqual(close["samples"]["value"], heat[5001:5005])
        self.assertFalse(close["samples"]["thinned"])
