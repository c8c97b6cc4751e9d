"""Whatever is put on a slip, in whatever order, every page of the batch still answers."""

import random
from datetime import timedelta

from fastapi.testclient import TestClient

from lumbrel.store import samples as samples_store
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.settings import Settings
from tests.support.kitchen import NOON, KitchenCase


class AnythingGoes(KitchenCase):
    def test_no_sequence_of_entries_breaks_a_page(self) -> None:
        self.at = NOON
        app = create_app(Settings(database=self.path, clock=lambda: self.at))
        client = self.enterContext(
            TestClient(
                app,
                base_url="http://127.0.0.1",
                follow_redirects=False,
                raise_server_exceptions=True,
            )
        )
        taken = 0
        for seed in range(14):
            rng = random.Random(seed)
            self.at += timedelta(days=1)
            code = self.take_in(
                self.at,
                vessel="finisher-1",
                brix=f"{rng.choice((1, 8, 45, 64))}",
                amount=f"{rng.choice((0.4, 30, 900))} kg",
                amount_confirmed="1",
                brix_confirmed="1",
            )
            for _ in range(10):
                self.at += timedelta(minutes=rng.choice((0, 1, 7, 60, 700)))
                kind, fields = self._anything(rng)
                fields |= {f"{name}_confirmed": "1" for name in ("reading", "cup", "mass")}
                answer = client.post(f"/pan/{code}/slip/{kind}", data=fields)
                self.assertIn(answer.status_code, (303, 422), (seed, kind, fields))
                taken += answer.status_code == 303
                for path in ("", "/board", "/cup?reading=50&cup=90"):
                    page = client.get(f"/pan/{code}{path}")
                    self.assertEqual(
                        page.status_code, 200, (seed, kind, fields, path, page.text[-1500:-850])
                    )
                    self.assertNotIn("nan", page.text)
            self.assertEqual(client.get("/").status_code, 200)
            self.assertEqual(client.get(f"/batch/{code}.json").status_code, 200)
            client.post(f"/pan/{code}/slip/draw", data={"mass_confirmed": "1"})
            for path in (f"/pan/{code}", f"/filter/{code}", f"/jar/{code}"):
                page = client.get(path)
                self.assertEqual(page.status_code, 200, (seed, path, page.text[-900:]))
        self.assertGreater(taken, 60)

    def _anything(self, rng: random.Random) -> tuple[str, dict[str, str]]:
        kind = rng.choice(
            ("hydrometer", "refractometer", "thermometer", "added", "boiling", "probe", "note")
        )
        if kind == "probe":
            shows = rng.choice((-40.0, 20.0, 85.0, 98.3, 99.5, 103.0, 130.0, 900.0))
            samples_store.add_samples(self.db, "probe-1", [samples_store.Sample(self.at, shows)])
            return "note", {"text": "probe"}
        return kind, {
            "hydrometer": {
                "reading": f"{rng.uniform(0.1, 85):.1f}",
                "cup": f"{rng.uniform(0, 100):.0f}",
            },
            "refractometer": {
                "reading": f"{rng.uniform(0.1, 85):.1f}",
                "sample": f"{rng.uniform(10, 30):.0f}",
            },
            "thermometer": {"reading": f"{rng.uniform(80, 170):.1f}", "instrument": "dial-a"},
            "added": {
                "mass": f"{10 ** rng.uniform(-2, 3.6):.2f} kg",
                "brix": f"{rng.uniform(0, 85):.0f}",
            },
        }.get(kind, {"text": "x"})
