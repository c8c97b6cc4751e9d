"""Every row of the table of check values, by the function that must give it."""

import csv
import re
import unittest
from pathlib import Path

from lumbrel.core.bench import refractometer
from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.core.candy.confections import solids_brix
from lumbrel.core.colour.grades import transmittance_10mm_percent
from lumbrel.core.jar.hot_pack import fill_volume_l
from lumbrel.core.pan.solids import sap_ratio, water_to_remove_kg
from lumbrel.core.pan.target import finish_point
from lumbrel.core.physics import air, sucrose, water

CALCULATIONS = {
    ("boiling point of water", "hPa"): lambda p: water.boiling_point_c(p * 100),
    ("boiling point of water", "m"): lambda h: water.boiling_point_c(air.pressure_at_elevation_pa(h)),
    ("station pressure", "hPa"): lambda p, h, t: air.station_pressure_from_sea_level_pa(p * 100, h, t) / 100,
    ("finish point", "hPa"): lambda p, w: finish_point(p * 100, w, 0).temperature_c,
    ("elevation of boiling point", "hPa"): lambda p, w: finish_point(p * 100, w, 0).above_water_c,
    ("density", "Brix"): sucrose.density_kg_m3,
    ("hydrometer mark", "Brix"): lambda w, t, *_: Hydrometer().mark(w, t),
    ("hydrometer corrected", "Brix"): lambda r, t, *_: Hydrometer().correct(r, t),
    ("refractometer corrected", "Brix"): refractometer.correct,
    ("water to drive off", "kg"): water_to_remove_kg,
    ("water to put back", "kg"): lambda m, w, t: -water_to_remove_kg(m, w, t),
    ("sap to syrup by volume", "ratio"): sap_ratio,
    ("solids after boil", "hPa"): lambda p, _f, k: solids_brix(k, p * 100),
    ("fill volume ratio", "ratio"): lambda w, hot, _cold: fill_volume_l(w, hot, 1.0),
    ("transmittance", "percent"): lambda t, path, _to: transmittance_10mm_percent(t, path),
    ("solubility", "percent"): sucrose.solubility_percent,
}


class CheckValues(unittest.TestCase):
    def test_every_row(self) -> None:
        path = Path(__file__).parent.parent / "data" / "check-values.csv"
        with path.open(encoding="utf-8") as file:
            rows = list(csv.DictReader(file))
        self.assertEqual(len(rows), 24)
        for row in rows:
            with self.subTest(row["quantity"], inputs=row["inputs"]):
                numbers = [float(x) for x in re.findall(r"(?<![\w.])[+]?\d+\.?\d*", row["inputs"])]
                calculate = self._calculation(row["quantity"], row["inputs"])
                result = calculate(*numbers)
                self.assertAlmostEqual(result, float(row["expected"]), delta=float(row["tolerance"]))

    def _calculation(self, quantity: str, inputs: str):
        found = [f for (name, _), f in CALCULATIONS.items() if name == quantity]
        if quantity == "boiling point of water" and inputs.startswith("elevation"):
            return CALCULATIONS[(quantity, "m")]
        return found[0]

    def test_the_standards_own_verification_value(self) -> None:
        self.assertAlmostEqual(water.boiling_point_c(0.1e6), 372.755919 - 273.15, delta=1e-6)
