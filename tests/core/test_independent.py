"""The same figures worked out another way, with other people's numerics."""

import csv
import unittest
from pathlib import Path

import numpy as np
from iapws import iapws97
from scipy.interpolate import PchipInterpolator
from scipy.optimize import brentq

import lumbrel.core.data
from lumbrel.core.bench import refractometer
from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.core.pan import fit
from lumbrel.core.pan.fit import DensityReading
from lumbrel.core.physics import sucrose, water

B = np.zeros((5, 6))
B[0] = [385.1761, 135.3705, 40.9299, -3.9643, 13.4853, -17.2890]
B[1, :5] = [-46.2720, -7.1720, 1.1597, 5.1126, 17.5254]
B[2, :4] = [59.7712, 7.2491, 12.3630, -35.4791]
B[3, :3] = [-47.2207, -21.6977, 27.6301]
B[4, :2] = [18.3184, 12.3081]


def density(brix: float, t: float) -> float:
    """ICUMSA SPS-4 as a bilinear form, with Kell's water."""
    top = np.polyval([-281.03006e-12, 105.84601e-9, -46.241757e-6, -7.9905127e-3, 16.952577, 999.83952], t)
    powers_w = (brix / 100) ** np.arange(1, 7)
    powers_t = ((t - 20) / 100) ** np.arange(5)
    return float(top / (1 + 16.887236e-3 * t) + powers_t @ B @ powers_w)


class Independent(unittest.TestCase):
    def test_density_over_the_whole_range(self) -> None:
        for brix in np.linspace(0, 85, 35):
            for t in np.linspace(0, 100, 26):
                self.assertAlmostEqual(sucrose.density_kg_m3(brix, t), density(brix, t), delta=1e-6)

    def test_boil_of_water_by_another_library(self) -> None:
        for pressure in np.linspace(50_000, 110_000, 61):
            other = iapws97._TSat_P(pressure * 1e-6) - 273.15
            self.assertAlmostEqual(water.boiling_point_c(float(pressure)), other, delta=1e-6)

    def test_hydrometer_by_a_root_finder_over_the_whole_range(self) -> None:
        for calibrated, expansion, glass in (
            (15.5555556, 25e-6, "soda-lime"),
            (20, 10e-6, "borosilicate"),
        ):
            instrument = Hydrometer(calibrated, glass)
            for t in np.linspace(5, 100, 12):
                factor = 1 + expansion * (t - calibrated)
                for brix in np.linspace(50, 72, 12):
                    wanted = density(brix, t) * factor
                    mark = brentq(lambda w, x=wanted: density(w, calibrated) - x, 0, 85, xtol=1e-10)
                    self.assertAlmostEqual(instrument.mark(brix, t), mark, delta=1e-5)
                    self.assertAlmostEqual(instrument.correct(mark, t), brix, delta=1e-5)

    def test_boiling_curve_by_a_root_finder(self) -> None:
        for pressure in (85_000.0, 95_725.0, 101_325.0):
            for brix in np.linspace(20, 90, 15):
                for invert in (0.0, 0.01, 0.9):
                    moles = brix * (1 - invert) / 342.30, brix * invert / 180.16
                    solute = sum(moles)
                    x = solute / (solute + (100 - brix) / 18.015)
                    k0, k1 = ((5.455 * moles[0] + 1.6 * moles[1]) / solute, 6.5 * moles[0] / solute)
                    activity = (1 - x) * np.exp(-(k0 - k1 * x) * x * x)
                    boils = brentq(
                        lambda t, a=activity: water.saturation_pressure_pa(t) * a - pressure,
                        60,
                        200,
                    )
                    self.assertAlmostEqual(
                        sucrose.boiling_point_c(float(brix), pressure, invert), boils, delta=1e-6
                    )

    def test_refractometer_table_at_its_knots_and_close_between(self) -> None:
        path = Path(lumbrel.core.data.__file__).parent / "refractometer-temperature-correction.csv"
        rows = list(csv.reader(x for x in path.read_text().splitlines() if not x.startswith("#")))
        readings = [float(x) for x in rows[0][1:]]
        for row in rows[1:]:
            t, values = float(row[0]), [float(x) for x in row[1:]]
            smooth = PchipInterpolator(readings, values)
            for reading, value in zip(readings, values, strict=True):
                self.assertAlmostEqual(refractometer.temperature_correction(reading, t), value, delta=1e-9)
            for reading in np.linspace(0, 70, 57):
                other = float(smooth(reading))
                self.assertAlmostEqual(refractometer.temperature_correction(reading, t), other, delta=0.005)

    def test_the_fit_is_weighted_least_squares(self) -> None:
        rng = np.random.default_rng(5)
        minutes, own = np.array([0.0, 6, 12, 18, 24]), 0.3
        said = 30 * 45 / (30 - 0.2 * minutes) + rng.normal(0, own, 5)
        readings = [DensityReading(t, w, own) for t, w in zip(minutes, said, strict=True)]
        fitted = fit.fit(30, 45, readings, brix_sigma=0.3)
        slope = 1350 / np.array([fitted.brix_at(t) for t in minutes]) ** 2
        sigma = np.concatenate([[30 * 0.3 / 45], slope * own])
        design = np.column_stack([np.ones(6), -np.concatenate([[0.0], minutes])])
        values = np.concatenate([[30.0], 1350 / said])
        best, *_ = np.linalg.lstsq(design / sigma[:, None], values / sigma, rcond=None)
        self.assertAlmostEqual(fitted.mass0_kg, best[0], delta=1e-5)
        self.assertAlmostEqual(fitted.rate_kg_per_min, best[1], delta=1e-6)

    def test_more_readings_never_widen_the_band(self) -> None:
        widths = []
        for count in range(1, 7):
            minutes = [8.0 * (i + 1) for i in range(count)]
            readings = [DensityReading(t, 1350 / (30 - 0.2 * t), 0.5) for t in minutes]
            low, high = fit.fit(30, 45, readings, (), (0.2, 0.05)).band_of(66.9)
            widths.append(high - low)
        self.assertEqual(widths, sorted(widths, reverse=True))
