"""Whatever is put on a slip, in whatever order, every page of the batch still answers."""

import random
from datetime import timedelta

from fastapi.testclient import TestClient

from lumbrel.services.base import batch as contexts
from lumbrel.services.colour import photograph
from lumbrel.services.record.compared import differences
from lumbrel.store import samples as samples_store
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.settings import Settings
from tests.support.kitchen import NOON, KitchenCase
from tests.worlds.photographs import take


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
        for seed in range(10):
            rng = random.Random(seed)
            self.at += timedelta(days=1)
            code = self.take_in(
                self.at,
                vessel="finisher-1",
                brix=f"{rng.choice((1, 8, 45, 64))}",
                amount=f"{rng.choice((0.4, 30, 900))} kg",
                amount_confirmed="1",
                brix_confirmed="1",
                sums_confirmed="1",
            )
            for _ in range(10):
                self.at += timedelta(minutes=rng.choice((0, 1, 7, 60, 700)))
                kind, fields = self._anything(rng)
                fields |= {f"{name}_confirmed": "1" for name in ("reading", "cup", "mass", "sign", "sums")}
                answer = client.post(f"/pan/{code}/slip/{kind}", data=fields)
                self.assertIn(answer.status_code, (303, 422), (seed, kind, fields))
                taken += answer.status_code == 303
                for path in ("", "/board", "/cup?reading=50&cup=90"):
                    page = client.get(f"/pan/{code}{path}")
                    self.assertEqual(page.status_code, 200, (seed, kind, fields, path, page.text[-1500:-850]))
                    self.assertNotIn("nan", page.text)
            for path in ("/", "/wall"):
                self.assertEqual(client.get(path).status_code, 200)
            self.assertEqual(client.get(f"/batch/{code}.json").status_code, 200)
            client.post(f"/pan/{code}/slip/draw", data={"mass_confirmed": "1"})
            for amount in ("0.06 kg", "30 L", "4999 kg", "a lot"):
                there = client.post(f"/pan/{code}/slip/measured", data={"amount": amount})
                self.assertIn(there.status_code, (303, 422), (seed, amount))
            for path in (f"/pan/{code}", f"/filter/{code}", f"/jar/{code}", "/wall", "/help"):
                page = client.get(path)
                self.assertEqual(page.status_code, 200, (seed, path, page.text[-900:]))
        self.assertGreater(taken, 60)

    def test_no_field_breaks_a_station_after_the_pan(self) -> None:
        """Every field of filter, colour, photograph, blend, jar, labels, shelf and candy with whatever a
        hand, a script or a broken page may send: a page or a sentence, and the record stays sound."""
        self.at = NOON + timedelta(hours=4)
        app = create_app(Settings(database=self.path, clock=lambda: self.at, demo=True))
        client = self.enterContext(TestClient(app, base_url="http://127.0.0.1", follow_redirects=False))
        codes = [self.take_in(vessel=vessel) for vessel in ("finisher-1", "finisher-2")]
        for code in codes:
            self.put(code, "draw", 60, mass="19.9 kg")
            self.put(code, "colour", 70, by="meter", transmittance="60", path="10 mm")
        self.put(codes[1], "jar", 80, fill="86 C", lot="J", size_1="500 ml", count_1="9")
        photo = photograph.take(contexts.load(self.db, codes[0], self.at), take(random.Random(1), 50).picture)
        begun = {
            "lot": "J",
            "piece": "cream",
            "by": "syrup",
            "syrup": "1 kg",
            "vessel": "candy-pot",
        }
        self.assertEqual(client.post("/candy/cook", data=begun).status_code, 303)
        rng = random.Random(77)
        seen: set[int] = set()
        for path, fields in self._addresses(codes, photo):
            for _ in range(7):
                sent = {name: self._junk(rng, usual) for name, usual in fields.items()}
                self.at += timedelta(seconds=1)
                method, _, where = path.partition(" ")
                answer = client.get(where, params=sent) if method == "GET" else client.post(where, data=sent)
                seen.add(answer.status_code)
                self.assertIn(answer.status_code, (200, 303, 404, 422), (path, sent))
                if not {"nan", "inf", "1e999"} & set(" ".join(sent.values()).split()):
                    self.assertNotRegex(answer.text, r"\bnan\b|\binf\b", (path, sent))
        self.assertLessEqual({200, 303, 422}, seen)
        for content in (b"", b"x" * 90, take(random.Random(2), 40).picture[:900]):
            for where in (f"/colour/{codes[0]}/photo", f"/jar/{codes[1]}/logo"):
                files = {"file": ("x", content, "image/png")}
                self.assertEqual(client.post(where, files=files).status_code, 422, where)
        self.assertEqual(differences(self.db), [])

    def _addresses(self, codes: list[str], photo: str) -> list[tuple[str, dict[str, list[str]]]]:
        """Where to send to, and of each field what is usual."""
        one, jarred = codes
        boxes = ["0.2 0.25 0.16 0.5", "0.62 0.25 0.16 0.5"]
        sources = [f"kettle {jarred}", "lot J 500", "water", ""]
        style = {
            "sheet": ["a4-21", "round-a4-12"],
            "first": ["us", "only"],
            "language": ["en", "both"],
            "months": ["24"],
            "own": ["Save tap"],
            "address": ["https://a.example"],
            "copies": ["3", ""],
            "begin": ["2"],
            "which": ["J 500", ""],
            "code": ["1", ""],
        }
        cook = {
            "piece": ["cream", "hard-drops", "granulated-sugar"],
            "above": ["14 K", "26 F"],
            "stir": ["80 C"],
            "serving": ["20 C"],
            "pressure": ["957 hPa"],
            "lot": ["J", ""],
            "meter": ["100", "HI", ""],
            "dilution": ["10"],
            "by": ["syrup", "pieces", "jars", "mass"],
            "syrup": ["4 kg"],
            "made": ["3 kg"],
            "pieces": ["100"],
            "each": ["25 g"],
            "jars": ["8"],
            "jar": ["120 ml"],
            "pot": ["12 L"],
            "bath": ["water", "bench"],
            "ready": ["16:30", ""],
        }
        out = {
            "size_1": ["500 ml"],
            "count_1": ["1"],
            "reason": ["sold", "woodlot"],
            "from": ["shelf"],
        }
        filtered = {
            "method": ["layers"],
            "temperature": ["90 C"],
            "out": ["18 kg", "13 L"],
            "clarity": ["hazy"],
        }
        photographed = {"by": ["photo"], "photo": [photo], "path": ["10 mm"]}
        photographed |= {"blank_box": boxes, "sample_box": boxes, "taste": ["rich", ""]}
        blended = {"b": sources, "c": sources, "litres_b": ["1 L"], "litres_c": ["0.5"]}
        day = {f"piece_{i}": ["cream", ""] for i in (1, 2)} | {f"syrup_{i}": ["3 kg"] for i in (1, 2)}
        pot = {"instrument": ["dial-a"], "pot": ["104 C", "230 F"], "at": ["12:00", ""]}
        confirmed = {"kind_confirmed": ["1", ""], "count_confirmed": ["1", ""]}
        cooking = {
            "pot": pot,
            "cold_water": {"sign": ["soft_ball"]},
            "cooked": {
                "bath": ["water"],
                "pot": ["113 C", ""],
                "around": ["12 C", ""],
                **confirmed,
            },
            "bath": {"bath": ["ice"], "around": ["1 C", ""]},
            "stir": {"pot": ["85 C", ""], **confirmed},
            "turned": {},
            "made": {"grams_1": ["25 g"], "count_1": ["40"], "made": ["1 kg", ""], **confirmed},
            "scored": {"texture": ["0"], "grain": ["4", ""], "taste": ["5"], "flaw": ["soft", ""]},
            "added": {"mass": ["100 g"], "brix": ["0"]},
            "foam": {"defoamer": ["oil"]},
        }
        return [
            (f"POST /filter/{one}", filtered),
            (f"POST /colour/{one}", photographed),
            (f"GET /colour/{one}/photo/{photo}/said", photographed),
            (f"GET /colour/{one}/photo/{'0' * 64}", {}),
            (f"GET /colour/{one}/blend", {**blended, "wanted": ["Dark"], "volume": ["14 L"]}),
            (
                f"GET /colour/{one}/blend/said",
                {
                    "kettle": ["9 66.9 60 1 k"],
                    "b": ["3 0 100 1 w"],
                    "litres_b": ["1"],
                    "target": ["66.9"],
                },
            ),
            (f"POST /colour/{one}/blend", blended),
            (f"POST /jar/{jarred}/slip/kettle", {"kettle": ["88 C"], "probe": ["", "probe-1"]}),
            (f"GET /jar/{jarred}", {"size": ["500"], "wish_500.0": ["3"]}),
            (f"GET /jar/{jarred}/labels", style),
            (f"GET /jar/{jarred}/labels/preview", style),
            (f"GET /jar/{jarred}/labels.svg", style),
            (f"POST /jar/{jarred}/labels", style),
            (
                "GET /shelf",
                {"q": ["J", "2026-03"], "size": ["500.0"], "season": ["2026"], "page": ["1"]},
            ),
            ("POST /shelf/J", out),
            ("GET /trace/J", {"kind": ["lot", "bulk"]}),
            ("GET /recall/J", {"kind": ["lot", "bulk"]}),
            ("GET /candy", cook),
            ("GET /candy/map", cook),
            (
                "GET /candy/day",
                {"pots": ["2"], "pot": ["12 L"], "begin": ["9:00"], "bath": ["ice"], **day},
            ),
            (
                "POST /candy/cook",
                {**cook, "vessel": ["candy-pot"], "pot_mass": ["1 kg"], "woodlot": ["tern-lot"]},
            ),
            *((f"POST /candy/cook/26-C01/slip/{kind}", fields) for kind, fields in cooking.items()),
            ("GET /candy/cook/26-C01", {"wrong": ["soft", ""]}),
            ("GET /candy/day.ics", {"pots": ["2"], "pot": ["12 L"], **day}),
        ]

    @staticmethod
    def _junk(rng: random.Random, usual: list[str]) -> str:
        if rng.random() < 0.72:
            return rng.choice(usual)
        return rng.choice(
            (
                *(
                    "",
                    "0",
                    "-1",
                    "nan",
                    "inf",
                    "1e999",
                    "1e308",
                    "1e-320",
                    "<b>",
                    "\U0010ffff",
                    "٣",
                    "½",
                ),
                *(
                    "99999999999 kg",
                    "-40 C",
                    "12 F",
                    "7 gal",
                    "1/0",
                    "'; --",
                    "x" * 4096,
                    "\0",
                    "0 0 0 0",
                ),
                *("nan nan nan nan", "1 1 1 1", "-0.1 0 1 1", "0.5 0.5 0.0001 0.0001", "lot J 1e9"),
            )
        )

    def _anything(self, rng: random.Random) -> tuple[str, dict[str, str]]:
        kind = rng.choice(
            (
                "hydrometer",
                "refractometer",
                "thermometer",
                "added",
                "boiling",
                "probe",
                "note",
                "sign",
            )
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
            "sign": {"sign": rng.choice(("drops", "foam", "sheet", "cold_plate", "a rainbow"))},
            "added": {
                "mass": f"{10 ** rng.uniform(-2, 3.6):.2f} kg",
                "brix": f"{rng.uniform(0, 85):.0f}",
            },
        }.get(kind, {"text": "x"})
