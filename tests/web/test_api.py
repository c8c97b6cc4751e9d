"""The JSON API: the check values over HTTP, refusals as sentences, the command line alike."""

import contextlib
import io
import json
import re
import tempfile
import unittest
from pathlib import Path

from fastapi.testclient import TestClient

from lumbrel import cli
from lumbrel.services.stations import CALCULATIONS
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.settings import Settings

HOST = "http://127.0.0.1"
EXPECTED = [
    ("boiling-point", {"station_pressure_hpa": 1013.25}, "boiling_point_c", 99.974, 0.002),
    ("boiling-point", {"elevation_m": 418}, "boiling_point_c", 98.585, 0.005),
    (
        "boiling-point",
        {"sea_level_pressure_hpa": 1008, "elevation_m": 418, "outdoor_temperature_c": 2},
        "station_pressure_hpa",
        957.25,
        0.1,
    ),
    (
        "finish-point",
        {"station_pressure_hpa": 850, "target_brix": 66.9, "invert_fraction": 0},
        "temperature_c",
        99.137,
        0.01,
    ),
    (
        "finish-point",
        {"station_pressure_hpa": 960, "target_brix": 66.9, "test_boil_reading_c": 99.1},
        "indicated_c",
        103.2,
        0.05,
    ),
    (
        "finish-point/schools",
        {"station_pressure_hpa": 1013.25, "invert_fraction": 0.01},
        "schools/1/temperature_c",
        103.889,
        0.001,
    ),
    (
        "thermometer/brix",
        {"temperature_c": 104.109, "station_pressure_hpa": 1013.25, "invert_fraction": 0},
        "brix",
        66.9,
        0.01,
    ),
    ("hydrometer/correct", {"reading_brix": 60, "cup_temperature_c": 82.222}, "brix", 66.08, 0.02),
    (
        "hydrometer/mark",
        {"target_brix": 66.9, "cup_temperature_c": 60},
        "reading_brix",
        63.09,
        0.02,
    ),
    (
        "hydrometer/mark",
        {
            "target_brix": 66.9,
            "cup_temperature_c": 99.4,
            "hot_mark": {"reading_brix": 59.6, "temperature_c": 99.4, "true_brix": 66.9},
        },
        "reading_brix",
        59.6,
        1e-6,
    ),
    (
        "refractometer/correct",
        {"reading_brix": 65, "sample_temperature_c": 25},
        "brix",
        65.40,
        0.01,
    ),
    (
        "hydrometer/correct",
        {"reading_brix": 60.7, "cup_temperature_c": 82.222, "scale_error_brix": 0.7},
        "brix",
        66.08,
        0.02,
    ),
    (
        "hydrometer/mark",
        {
            "target_brix": 66.9,
            "cup_temperature_c": 90,
            "pairs": [{"hot_brix": 60.25, "hot_cup_c": 90, "cold_brix": 66.56, "cold_cup_c": 20}] * 2,
        },
        "reading_brix",
        60.25,
        0.01,
    ),
    ("hydrometer/baume", {"brix": 66.9}, "baume", 36.12, 0.01),
    ("hydrometer/baume", {"baume": 36.12}, "brix", 66.9, 0.01),
    (
        "refractometer/correct",
        {"reading_brix": 65.5, "sample_temperature_c": 25, "zero_brix": 0.5},
        "brix",
        65.40,
        0.01,
    ),
    (
        "agreement",
        {
            "readings": [
                {"label": "a", "brix": 60, "uncertainty_brix": 0.5},
                {"label": "b", "brix": 61, "uncertainty_brix": 0.5},
            ]
        },
        "brix",
        60.5,
        1e-9,
    ),
    (
        "mass-balance",
        {"mass_kg": 12, "brix": 57.4, "target_brix": 66.9},
        "water_to_remove_kg",
        1.704,
        0.001,
    ),
    (
        "mass-balance",
        {"mass_kg": 20, "brix": 68.4, "target_brix": 66.9},
        "water_to_remove_kg",
        -0.448,
        0.001,
    ),
    (
        "finish-time",
        {
            "mass_kg": 30,
            "brix": 45,
            "readings": [{"minute": 20, "brix": 51.923, "uncertainty_brix": 0.2}],
        },
        "rate_kg_per_min",
        0.2,
        0.001,
    ),
    (
        "finish-time",
        {"mass_kg": 30, "brix": 45, "prior_rate_kg_per_min": 0.2},
        "minutes_to_target",
        49.1,
        0.1,
    ),
    (
        "vessel/depth",
        {"shape": "rectangular", "length_mm": 600, "width_mm": 400, "volume_l": 24},
        "depth_mm",
        100,
        1e-6,
    ),
    (
        "colour/grade",
        {"transmittance_percent": 64, "path_length_mm": 20},
        "transmittance_10mm_percent",
        80.0,
        0.1,
    ),
    (
        "colour/blend",
        {
            "parts": [
                {"volume_l": 1, "transmittance_percent": 81},
                {"volume_l": 1, "transmittance_percent": 49},
            ]
        },
        "transmittance_10mm_percent",
        63.0,
        1e-6,
    ),
    (
        "jar/volume",
        {"brix": 66.9, "fill_temperature_c": 85, "volume_l": 1},
        "fill_volume_l",
        1.0298,
        0.0002,
    ),
    (
        "cooling",
        {
            "ambient_c": 20,
            "target_c": 82,
            "readings": [{"minute": 0, "temperature_c": 95}, {"minute": 10, "temperature_c": 90}],
        },
        "minutes_to_target",
        17.6,
        0.1,
    ),
    (
        "confection",
        {"above_water_c": 13.889, "station_pressure_hpa": 1013.25, "stir_temperature_c": 79},
        "solids_brix",
        85.14,
        0.05,
    ),
    (
        "sap/keeping",
        {
            "portions": [
                {"litres": 100, "history": [{"hours": 12, "temperature_c": 10}]},
                {"litres": 100, "history": [{"hours": 12, "temperature_c": 10}]},
            ]
        },
        "used",
        0.5,
        1e-9,
    ),
    ("sap/trunk", {"girth_mm": 1760}, "taps_borne", 2, 0),
    ("sap/run", {"days": [{"night_c": -8, "day_c": 6}] * 3}, "litres_per_tap", 3.8, 0.3),
    (
        "sap/boil-down",
        {"litres": 100, "brix": 2, "target_brix": 60, "bottom_m2": 0.5, "setup": "arch"},
        "heat_mj",
        260.0,
        0.3,
    ),
    (
        "sap/continuous",
        {"held_kg": 30, "sap_brix": 2, "rate_kg_per_min": 0.9, "channels": 4},
        "standing_brix",
        (2 / 0.7575 + 2 / 0.5149 + 2 / 0.2724 + 66.9) / 4,
        0.01,
    ),
]


def found(answer: dict, path: str):
    for step in path.split("/"):
        answer = answer[int(step) if step.isdigit() else step]
    return answer


class Api(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        app = create_app(Settings(database=Path(folder.name) / "a.sqlite3"))
        cls.client = cls.enterClassContext(TestClient(app, base_url=HOST, raise_server_exceptions=False))

    def ask(self, name: str, body: object):
        return self.client.post(f"/api/{name}", json=body)

    def test_a_quantity_is_understood_in_the_units_that_are_being_chosen(self) -> None:
        said = {
            preset: self.client.get(
                "/api/understood", params={"kind": "elevation", "text": "1200", "preset": preset}
            ).json()["value"]
            for preset in ("us", "metric", "")
        }
        self.assertEqual(said, {"us": 365.76, "metric": 1200.0, "": 1200.0})

    def test_a_blend_says_its_density_where_all_parts_do(self) -> None:
        parts = [
            {"volume_l": 10, "transmittance_percent": 80, "brix": 67.5},
            {"volume_l": 5, "transmittance_percent": 40, "brix": 66.2},
        ]
        said = self.client.post("/api/colour/blend", json={"parts": parts}).json()
        self.assertAlmostEqual(said["brix"], 67.07, delta=0.02)
        self.assertAlmostEqual(said["transmittance_10mm_percent"], 100 * (0.8**10 * 0.4**5) ** (1 / 15))
        self.assertAlmostEqual(sum(said["chances"].values()), 1.0)
        del parts[0]["brix"]
        said = self.client.post("/api/colour/blend", json={"parts": parts}).json()
        self.assertEqual((said["brix"], said["mass_kg"], said["volume_l"]), (None, None, 15.0))

    def test_figures_with_their_working(self) -> None:
        asked = set()
        for name, body, key, value, delta in EXPECTED:
            with self.subTest(name, body=body):
                answer = self.ask(name, body)
                self.assertEqual(answer.status_code, 200, answer.text)
                self.assertAlmostEqual(found(answer.json(), key), value, delta=delta)
                steps = answer.json()["working"]
                self.assertGreaterEqual(len(steps), 2)
                self.assertEqual(set(steps[0]), {"label", "value", "unit", "source"})
                asked.add(name)
        self.assertEqual(asked, {calculation.name for calculation in CALCULATIONS})

    def test_the_command_line_gives_the_same(self) -> None:
        for name, body, key, _value, _delta in EXPECTED:
            words = [f"{k}={json.dumps(v)}" for k, v in body.items()]
            out = io.StringIO()
            with contextlib.redirect_stdout(out):
                self.assertEqual(cli.main(["compute", name, *words, "--json"]), 0)
            self.assertEqual(found(json.loads(out.getvalue()), key), found(self.ask(name, body).json(), key))
        with contextlib.redirect_stderr(io.StringIO()) as complaint:
            self.assertEqual(cli.main(["compute", "mass-balance", "mass_kg=-1", "brix=50"]), 2)
        self.assertIn("above 0", complaint.getvalue())

    def test_refusals_are_sentences_that_point_at_the_field(self) -> None:
        hydrometer = {"reading_brix": 60, "cup_temperature_c": 80}
        drop = {"reading_brix": 66, "sample_temperature_c": 20}
        for name, body, field in (
            ("hydrometer/correct", hydrometer | {"cup_temperature_c": 219}, "cup_temperature_c"),
            ("hydrometer/correct", hydrometer | {"glass": "crystal"}, "glass"),
            ("hydrometer/correct", hydrometer | {"reading_brix": "sixty"}, "reading_brix"),
            ("hydrometer/correct", hydrometer | {"colour": 1}, "colour"),
            ("hydrometer/correct", {"reading_brix": 60}, "cup_temperature_c"),
            ("hydrometer/baume", {}, "brix"),
            ("hydrometer/baume", {"baume": 70}, "reading_baume"),
            ("refractometer/correct", drop | {"sample_temperature_c": 60}, "sample_temperature_c"),
            ("mass-balance", {"mass_kg": 10, "brix": 0}, "brix"),
            ("mass-balance", {"mass_kg": -3, "brix": 50}, "mass_kg"),
            ("mass-balance", {"mass_kg": 10, "brix": 100}, "brix"),
            ("boiling-point", {"station_pressure_hpa": 30}, "station_pressure_hpa"),
            ("boiling-point", {}, "elevation_m"),
            ("agreement", {"readings": []}, "readings"),
            ("finish-time", {"mass_kg": 30, "brix": 45}, "readings"),
            ("vessel/depth", {"shape": "round", "volume_l": 3}, "diameter_mm"),
            ("vessel/depth", {"shape": "round", "diameter_mm": 300, "volume_l": -3}, "volume_l"),
        ):
            with self.subTest(name, body=body):
                answer = self.ask(name, body)
                self.assertEqual(answer.status_code, 422, answer.text)
                (problem,) = answer.json()["detail"]
                self.assertEqual(problem["loc"][-1], field)
                self.assertRegex(problem["msg"], r"^\S.*\.$")

    def test_no_body_breaks_it(self) -> None:
        bodies = [b"", b"{", b"[]", b"null", b'{"a": NaN}', b"\xff\xfe", b'"x"', b'{"brix": 1e999}']
        values = ["NaN", "Infinity", "-1e308", "1e7", "0", '"66"', "null", "[]", "{}", "true"]
        for calculation in CALCULATIONS:
            for name in calculation.request.model_fields:
                bodies += [f'{{"{name}": {value}}}'.encode() for value in values]
            for body in bodies:
                answer = self.client.post(f"/api/{calculation.name}", content=body)
                self.assertIn(answer.status_code, (200, 422), (calculation.name, body))
                self.assertNotIn("NaN", answer.text)
            del bodies[8:]

    def test_each_field_at_its_extremes_never_500(self) -> None:
        for name, body, *_ in EXPECTED:
            for field in body:
                for value in (0, -1, 1e-12, 1e6, 9.9e6, -9.9e6, "x", None, [], [{}], True):
                    answer = self.ask(name, body | {field: value})
                    self.assertIn(answer.status_code, (200, 422), (name, field, value, answer.text))

    def test_documentation_and_health(self) -> None:
        self.assertEqual(self.client.get("/healthz").json()["status"], "ok")
        page = self.client.get("/api/docs").text
        for asset in re.findall(r'(?:src|href)="([^"]+)"', page):
            self.assertEqual(self.client.get(asset).status_code, 200, asset)
        paths = self.client.get("/api/openapi.json").json()["paths"]
        for calculation in CALCULATIONS:
            self.assertIn(f"/api/{calculation.name}", paths)
        self.assertEqual(self.client.get("/api/nothing").status_code, 404)
