"""The believed world: what boils here boils by the book."""

import random
from dataclasses import asdict, dataclass
from datetime import datetime
from math import exp
from typing import Any

from lumbrel.core.bench import cup
from lumbrel.core.physics import sucrose, water

ROOM_C, COOLING_S = 18.0, 5400.0
CUP_EVERY_S, CUP_FILLS_BELOW_K = 360.0, 5.0


@dataclass(kw_only=True)
class SimulatedFinisher:
    """A pan on a burner: heat in, water out, solids constant.

    Args:
        mass_kg, brix, temperature_c: what is in it.
        invert_fraction: of its solids.
        burner_kw: what the burner gives; efficiency: the share that reaches the syrup.
        cut_out_c: above this temperature the burner's overheat cut-out puts it off.
        probe_lag_s, probe_offset_k, probe_noise_k: of the probe that stands in it.
    """

    mass_kg: float
    brix: float
    temperature_c: float
    invert_fraction: float = 0.01
    burner_kw: float = 15.5
    efficiency: float = 0.45
    cut_out_c: float = 125.0
    probe_c: float = 20.0
    probe_lag_s: float = 8.0
    probe_offset_k: float = 0.0
    probe_noise_k: float = 0.04

    @property
    def boil_off_kg_per_min(self) -> float:
        """Rate at the boil."""
        return self.burner_kw * self.efficiency / 2257 * 60

    def boiling_point_c(self, station_pressure_pa: float) -> float:
        """Where what is in it boils, degC."""
        brix = min(self.brix, 96.0)
        return sucrose.boiling_point_c(brix, station_pressure_pa, self.invert_fraction)

    def step(self, seconds: float, station_pressure_pa: float) -> None:
        """Let time pass.

        Args:
            seconds: above 0 to 30.
            station_pressure_pa: Pa.
        """
        boil = self.boiling_point_c(station_pressure_pa)
        heat_kj = self.burner_kw * self.efficiency * seconds
        capacity = self.mass_kg * sucrose.specific_heat_kj_per_kg_k(
            min(self.brix, 96.0), min(self.temperature_c, 150.0)
        )
        warming = min(max(boil - self.temperature_c, 0.0) * capacity, heat_kj)
        self.temperature_c = min(self.temperature_c + warming / capacity, boil)
        solids = self.mass_kg * self.brix / 100
        boiled = (heat_kj - warming) / water.latent_heat_kj_per_kg(max(boil, 80.0))
        self.mass_kg = max(self.mass_kg - boiled, solids / 0.96)
        if self.temperature_c >= self.cut_out_c:
            self.burner_kw = 0.0
        if self.burner_kw == 0:
            self.temperature_c += (ROOM_C - self.temperature_c) * (1 - exp(-seconds / COOLING_S))
        self.brix = 100 * solids / self.mass_kg
        self.probe_c += (self.temperature_c - self.probe_c) * (1 - exp(-seconds / self.probe_lag_s))

    def cut_heat(self, carry_over_fraction: float) -> None:
        """Turn the burner off; the hot vessel still drives off its share."""
        solids = self.mass_kg * self.brix / 100
        self.mass_kg *= 1 - carry_over_fraction
        self.brix = 100 * solids / self.mass_kg
        self.burner_kw = 0.0

    def state(self) -> dict[str, Any]:
        """Everything needed to go on later."""
        return asdict(self)


class SimulatedProbe:
    """The digital probe that stands in a simulated finisher."""

    def __init__(self, finisher: SimulatedFinisher, noise: random.Random) -> None:
        self._finisher, self._noise = finisher, noise

    def indicated_c(self) -> float:
        """What it shows, degC, to a hundredth: lagging, offset and a little noisy."""
        pot = self._finisher
        return round(pot.probe_c + pot.probe_offset_k + self._noise.gauss(0, pot.probe_noise_k), 2)


class SimulatedCup:
    """A hydrometer cup dipped from a finisher every few minutes and left to cool, with a probe."""

    def __init__(self, finisher: SimulatedFinisher) -> None:
        self._finisher = finisher

    def indicated_c(self, at: datetime) -> float:
        """What its probe shows, degC, to a tenth."""
        since = at.timestamp() % CUP_EVERY_S
        filled = self._finisher.temperature_c - CUP_FILLS_BELOW_K
        return round(cup.cooled(max(filled, ROOM_C), since / 60, ROOM_C).temperature_c, 1)
