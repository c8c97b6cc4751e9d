"""What docs/contributing.md tells a newcomer, done to the letter in a copy of the package: a station with a kind
of line, a calculation and a wire for probes, in rooms of their own and one name in the registry."""

import json
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import lumbrel

SOURCE = Path(lumbrel.__file__).parent
ROOMS = {
    "services/bell/__init__.py": "",
    "services/bell/facts.py": '''
"""The bell."""
from typing import Annotated, Literal
from lumbrel.services.base.asked import Choice, Quantity, Words, YesNo
from lumbrel.services.base.facts import Facts

class RungFacts(Facts):
    """The bell was rung."""
    kind: Literal["rung"] = "rung"
    times: Annotated[int, Quantity(of="count", label="times", hint="strokes of the clapper", low=1, high=12)]
    warmth_c: Annotated[float, Quantity(of="temperature", label="its bronze", low=-30, high=50)]
    tone: Annotated[str, Choice(label="Tone", options={"low": "deep", "high": "bright"}, missing="Which?")]
    note: Annotated[str, Words(label="worth keeping")] = ""
    cracked: Annotated[bool, YesNo(label="it is cracked")] = False
''',
    "services/bell/station.py": '''
"""The bell."""
from lumbrel.services.base.line import LineKind, typed, worded
from lumbrel.services.base.station import Station
from lumbrel.services.bell.facts import RungFacts

STATION = Station(
    key="bell",
    title="Bell",
    line_kinds=(LineKind(facts=RungFacts, read=typed(RungFacts), words=worded("The bell was rung")),),
    waits_for=RungFacts,
)
''',
    "services/bell/calculations.py": '''
"""What the bell sounds like."""
from lumbrel.services.base.calculation import Answer, calculation, step

class PitchAnswer(Answer):
    """How high."""
    hertz: float

@calculation("bell/pitch")
def bell_pitch(*, mass_kg: float, cracked: bool = False) -> PitchAnswer:
    """How high a bell sounds.

    The heavier, the lower.
    """
    hertz = (0.5 if cracked else 1.0) * 5000 / mass_kg ** (1 / 3)
    return PitchAnswer(hertz=hertz, working=[step("mass", mass_kg, "kg", "given")])
''',
    "web/bell/__init__.py": "",
    "web/bell/pages.py": '''
"""The bell."""
from lumbrel.services.access.roles import OWNER
from lumbrel.services.bell.station import STATION
from lumbrel.web.shell.room import least
from lumbrel.web.shell.station import station_routes

router = station_routes(STATION)

@router.post("/bell/{code}/melt")
@least(OWNER)
def melt(code: str) -> None:
    """No bell is left."""
''',
    "web/bell/bell.html": '{% extends "shell/station.html" %}{% set name, action, again = "Ring for", "Rung", false %}',
    "web/bell/help.html": "<p>The bell is rung when supper is ready.</p>",
    "devices/wires/rope.py": '''
"""A rope that is pulled."""
from lumbrel.devices.lines import ProbeSample, a_temperature
from lumbrel.devices.wires import wire

class Rope:
    def samples(self):
        yield a_temperature(99.5)

@wire("rope", "LENGTH", "a rope, so many metres long")
def rope(arguments):
    return Rope()
''',
}
TRIED = """
import json, sys
from argparse import Namespace
from datetime import UTC, datetime
from pathlib import Path
from fastapi.testclient import TestClient
from lumbrel.exchange import logbook
from lumbrel.services.kitchen import example
from lumbrel.services.record.compared import differences
from lumbrel.services.record.kept import ready
from lumbrel.services.take_in import opening
from lumbrel.devices.wires import chosen
from lumbrel.store.db import opened
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.settings import Settings

noon = datetime(2026, 3, 18, 12, tzinfo=UTC)
path = Path(sys.argv[1])
client = TestClient(create_app(Settings(database=path, clock=lambda: noon)), base_url="http://127.0.0.1",
                    follow_redirects=False)
with opened(path) as db:
    ready(db)
    example.load_example(db, noon)
    code = opening.open_batch(db, noon, {"vessel": "finisher-2", "sugar_kind": "maple", "woodlot": "north-kiln",
        "amount_by": "mass", "amount": "30 kg", "brix": "66.9", "temperature": "60 C", "brix_confirmed": "1"})
    client.post(f"/pan/{code}/slip/draw", data={"id": "draw-00001", "mass_confirmed": "1", "draw_confirmed": "1",
        "kind_confirmed": "1", "mass": "29 kg"})
    page = client.get(f"/bell/{code}").text
    wrong = client.post(f"/bell/{code}", data={"id": "ring-00001", "times": "99", "warmth": "12 C", "tone": "purple"})
    typed = {"id": "ring-00002", "times": "3", "warmth": "12 C", "tone": "low", "note": "supper"}
    put = client.post(f"/bell/{code}", data=typed)
    correct = f"/batch/{code}/correct/ring-00002"
    form = client.get(correct).text
    again = client.post(correct, data=typed | {"id": "ring-00003", "times": "4", "why": "miscounted"})
    print(json.dumps({
        "page": page, "wrong": [wrong.status_code, wrong.text], "put": put.status_code, "form": form,
        "again": again.status_code, "slip": client.get(f"/batch/{code}/slip").text,
        "help": client.get("/help/bell").text, "line": client.get("/").text,
        "api": client.post("/api/bell/pitch", json={"mass_kg": 8}).json(),
        "openapi": client.get("/api/openapi.json").json()["paths"]["/api/bell/pitch"]["post"]["summary"],
        "exported": [one["facts"] for one in logbook.document(db)["tables"]["line"] if one["kind"] == "rung"],
        "schema": logbook.schema()["facts"]["rung"]["properties"]["warmth_c"]["description"],
        "sound": differences(db),
        "rope": [one.celsius for one in chosen(Namespace(rope="3", tcp="", pipe="", serial="", simulated=False)).samples()],
    }))
"""


class ToTheLetter(unittest.TestCase):
    """With files of its own alone, and one name in the registry."""

    def setUp(self) -> None:
        self.home = Path(self.enterContext(tempfile.TemporaryDirectory()))
        shutil.copytree(SOURCE, self.home / "lumbrel", ignore=shutil.ignore_patterns("__pycache__"))
        for name, text in ROOMS.items():
            file = self.home / "lumbrel" / name
            self.assertFalse(file.exists(), name)
            file.parent.mkdir(exist_ok=True)
            file.write_text(text, encoding="utf-8")
        registry = self.home / "lumbrel/services/stations.py"
        written = registry.read_text("utf-8")
        self.assertEqual(written.count('"jar", '), 1)
        registry.write_text(written.replace('"jar", ', '"jar", "bell", '), "utf-8")

    def run_there(self, *words: str) -> str:
        done = subprocess.run(
            [sys.executable, *words], cwd=self.home, capture_output=True, text=True, timeout=120
        )
        self.assertEqual(done.returncode, 0, done.stderr[-3000:])
        return done.stdout

    def test_a_station_with_its_kind_calculation_and_wire_is_found_everywhere(self) -> None:
        (self.home / "tried.py").write_text(TRIED, encoding="utf-8")
        told = json.loads(self.run_there("tried.py", str(self.home / "kitchen.sqlite3")))
        for shown in (
            'name="times"',
            'name="warmth"',
            'value="high"',
            'name="cracked"',
            "Its bronze",
            "strokes of the clapper",
        ):
            self.assertIn(shown, told["page"])
            self.assertIn(shown, told["form"])
        self.assertEqual(told["wrong"][0], 422)
        self.assertIn("Times: between 1 and 12.", told["wrong"][1])
        self.assertIn("Which?", told["wrong"][1])
        self.assertIn('value="12 C"', told["wrong"][1])
        self.assertEqual((told["put"], told["again"]), (303, 303))
        self.assertIn("The bell was rung", told["slip"])
        self.assertEqual([one["times"] for one in told["exported"]], [3, 4])
        self.assertEqual(told["exported"][0]["warmth_c"], 12.0)
        self.assertEqual(told["schema"], "its bronze; between −30 and 50 °C")
        self.assertIn("when supper is ready", told["help"])
        self.assertIn("/bell", told["line"])
        self.assertEqual((told["api"]["hertz"], told["openapi"]), (2500.0, "How high a bell sounds."))
        self.assertEqual((told["sound"], told["rope"]), ([], [99.5]))

    def test_the_command_line_has_it_too(self) -> None:
        said = self.run_there("-m", "lumbrel.cli", "compute", "bell/pitch", "mass_kg=8", "cracked=true")
        self.assertIn("hertz = 1250.0", said)
        self.assertIn("--rope LENGTH", self.run_there("-m", "lumbrel.cli", "listen", "--help"))
        told = {
            line.split()[0]: line.split()[1:]
            for line in self.run_there("-m", "lumbrel.cli", "addresses").splitlines()
        }
        self.assertEqual(told["/bell/{code}"], ["looker", "finisher"])
        self.assertEqual(told["/bell/{code}/melt"], ["-", "owner"])
        self.assertEqual(told["/api/bell/pitch"], ["-", "looker"])
