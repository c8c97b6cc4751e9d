"""What a charge of near-syrup is and becomes."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import solids
from lumbrel.core.pan.target import DEFAULT_INVERT_FRACTION, finish_point
from lumbrel.core.pan.vessel import LOWEST_SAFE_DEPTH_MM, Vessel, done_depth_mm, hot_volume_ratio
from lumbrel.core.physics import sucrose
from lumbrel.core.physics.air import STANDARD_PA
from lumbrel.services.day.pressure import pressure_at
from lumbrel.services.pan.rate import learned_rate
from lumbrel.store.kitchen import VesselRow, load_kitchen


@dataclass(frozen=True, kw_only=True)
class TakenIn:
    """What is taken in, and for what target."""

    vessel: VesselRow
    mass_kg: float
    brix: float
    temperature_c: float
    target_brix: float
    sugar_kind: str

    @property
    def geometry(self) -> Vessel:
        """The vessel as core knows it."""
        return Vessel(self.vessel.shape, self.vessel.sizes_mm)


@dataclass(frozen=True, kw_only=True)
class Charge:
    """What a charge of near-syrup is and becomes."""

    mass_kg: float
    brix: float
    target_brix: float
    solids_kg: float
    final_mass_kg: float
    final_volume_l: float
    water_kg: float
    depth_now_mm: float | None
    depth_done_mm: float | None
    stick_water_l: float | None
    """So much cold water in the empty vessel stands where done will: there the stick is marked."""
    rate_kg_per_min: float
    rate_sigma: float
    rate_learned_from: int
    heat_up_minutes: float
    minutes: float
    brix_sigma: float | None = None
    """Given when nobody measured the density: then all of it is a guess."""

    @property
    def too_shallow(self) -> bool:
        """Whether the finished depth would be under the lowest safe one."""
        return self.depth_done_mm is not None and self.depth_done_mm < LOWEST_SAFE_DEPTH_MM


def charge(db: Connection, taken: TakenIn, now: datetime) -> Charge:
    """What a charge becomes, in a vessel, today.

    Raises:
        OutOfRange: a value lies outside its range.
    """
    final = solids.mass_at(taken.mass_kg, taken.brix, taken.target_brix)
    rate = learned_rate(db, taken.vessel, now)
    pressure = pressure_at(db, load_kitchen(db), now)
    pa = pressure.pa if pressure else STANDARD_PA
    invert = DEFAULT_INVERT_FRACTION[taken.sugar_kind]
    boil = sucrose.boiling_point_c(taken.brix, pa, invert)
    done = finish_point(pa, taken.target_brix, invert).temperature_c
    now_mm, done_mm = _depths(taken, final, done)
    stick_l = None if done_mm is None else taken.geometry.volume_l(done_mm)
    heat_up = solids.heat_up_minutes(taken.mass_kg, taken.brix, taken.temperature_c, boil, rate.kg_per_min)
    water = taken.mass_kg - final
    return Charge(
        mass_kg=taken.mass_kg,
        brix=taken.brix,
        target_brix=taken.target_brix,
        solids_kg=taken.mass_kg * taken.brix / 100,
        final_mass_kg=final,
        final_volume_l=final / sucrose.density_kg_m3(taken.target_brix, 20) * 1000,
        water_kg=water,
        depth_now_mm=now_mm,
        depth_done_mm=done_mm,
        stick_water_l=stick_l,
        rate_kg_per_min=rate.kg_per_min,
        rate_sigma=rate.sigma_kg_per_min,
        rate_learned_from=rate.draws,
        heat_up_minutes=heat_up,
        minutes=heat_up + max(water, 0.0) / rate.kg_per_min,
    )


def _depths(taken: TakenIn, final_kg: float, done_c: float) -> tuple[float | None, float | None]:
    """How deep it stands, and how deep when done, mm; None where the vessel cannot tell."""
    litres = taken.mass_kg / sucrose.density_kg_m3(taken.brix, 20) * 1000
    solids_kg = final_kg * taken.target_brix / 100
    try:
        now_mm = taken.geometry.depth_mm(litres * hot_volume_ratio(taken.brix, taken.temperature_c))
        return now_mm, done_depth_mm(taken.geometry, solids_kg, taken.target_brix, done_c)
    except OutOfRange:
        return None, None
