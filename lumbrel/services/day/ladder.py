"""The day: where water boils here now by each basis, and the heat ladder."""

from dataclasses import dataclass
from datetime import datetime
from math import sqrt
from sqlite3 import Connection
from statistics import fmean, stdev

from lumbrel.core.bench import thermometer
from lumbrel.core.bench.thermometer import Calibration
from lumbrel.core.candy.confections import BURN_HAZARD_C, confections
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import methods, target
from lumbrel.core.physics import air, sucrose, water
from lumbrel.services.day.pressure import Pressure, pressure_by
from lumbrel.services.day.thermometers import (
    DEFAULT_BOIL_BY,
    DEFAULT_END_POINT,
    ThermometerToday,
    thermometer_today,
)
from lumbrel.store import day as day_store
from lumbrel.store.instruments import ThermometerDetail, instruments_of
from lumbrel.store.kitchen import Kitchen, load_kitchen


@dataclass(frozen=True, kw_only=True)
class Basis:
    """One row of the comparison: a basis and where water boils by it."""

    label: str
    boil_c: float | None
    sigma_k: float | None
    note: str
    chosen: bool = False
    detail: float | None = None
    detail_kind: str = ""


@dataclass(frozen=True, kw_only=True)
class Rung:
    """One mark on the heat ladder, true and as the chosen thermometer shows it."""

    key: str
    label: str
    true_c: float
    shown_c: float
    low_shown_c: float
    high_shown_c: float
    above_water_k: float
    brix: float | None
    rank: str
    """"finish", "mark", "floor" or "candy": how loud it is drawn."""
    hot: bool = False


@dataclass(frozen=True, kw_only=True)
class Day:
    """Everything the day check shows."""

    now: datetime
    kitchen: Kitchen
    pressure: Pressure | None
    bases: list[Basis]
    thermometers: list[ThermometerToday]
    chosen: ThermometerToday | None
    sugar_kind: str
    rungs: list[Rung]
    rules: list[target.RuleOfThumb]


def today(
    db: Connection, now: datetime, thermometer_id: str = "", sugar_kind: str = "maple"
) -> Day:
    """The day check for a thermometer and a kind of sugar."""
    kitchen = load_kitchen(db)
    boil_by = kitchen.methods.get("boil_by", DEFAULT_BOIL_BY)
    pressure = pressure_by(db, kitchen, now, boil_by)
    if pressure is None:
        return Day(
            now=now,
            kitchen=kitchen,
            pressure=None,
            bases=[],
            thermometers=[],
            chosen=None,
            sugar_kind=sugar_kind,
            rungs=[],
            rules=[],
        )
    sorts = [
        thermometer_today(db, instrument, pressure, now, boil_by)
        for instrument in instruments_of(db, ThermometerDetail)
    ]
    chosen = next((t for t in sorts if t.instrument.id == thermometer_id), None) or _best(sorts)
    invert = target.DEFAULT_INVERT_FRACTION[sugar_kind]
    return Day(
        now=now,
        kitchen=kitchen,
        pressure=pressure,
        bases=_bases(db, kitchen, pressure, chosen, now),
        thermometers=sorts,
        chosen=chosen,
        sugar_kind=sugar_kind,
        rungs=ladder(
            pressure,
            chosen,
            kitchen.target_brix,
            sugar_kind,
            kitchen.methods.get("end_point", DEFAULT_END_POINT),
        ),
        rules=target.rules_of_thumb(pressure.pa, invert),
    )


def _best(sorts: list[ThermometerToday]) -> ThermometerToday | None:
    """The thermometer to show unless asked: tested most recently, else the first."""
    tested = [t for t in sorts if t.boil]
    if tested:
        return max(tested, key=lambda t: t.boil.at if t.boil else datetime.min)
    return sorts[0] if sorts else None


def _bases(
    db: Connection,
    kitchen: Kitchen,
    pressure: Pressure,
    chosen: ThermometerToday | None,
    now: datetime,
) -> list[Basis]:
    rows = []
    if chosen and chosen.boil:
        rows.append(_by_test_boil(db, chosen, now))
    names = {"barometer": "barometer", "station": "pressure typed", "forecast": "forecast"}
    if pressure.basis in names:
        steady = "followed" if pressure.followed else "good for 12 h"
        rows.append(
            Basis(
                label=names[pressure.basis],
                boil_c=pressure.boil_c,
                sigma_k=pressure.boil_sigma_k,
                note=steady,
                chosen=True,
                detail=pressure.pa / 100,
                detail_kind="pressure",
            )
        )
    if kitchen.elevation_m is not None:
        mean = air.pressure_at_elevation_pa(kitchen.elevation_m)
        rows.append(
            Basis(
                label="elevation alone",
                boil_c=water.boiling_point_c(mean),
                sigma_k=air.ELEVATION_ONLY_SIGMA_PA * thermometer.BOIL_SHIFT_K_PER_PA,
                note="whatever the weather",
                chosen=pressure.basis == "elevation",
                detail=kitchen.elevation_m,
                detail_kind="elevation",
            )
        )
        rows.append(
            Basis(
                label="“one degree F per 500 ft”",
                boil_c=target.boil_by_feet_rule_c(kitchen.elevation_m),
                sigma_k=None,
                note="a rule of thumb",
            )
        )
    return rows


def _by_test_boil(db: Connection, chosen: ThermometerToday, now: datetime) -> Basis:
    """Water's boil by this thermometer: its reading less the offset of its *other* boils.

    One reading cannot give both the boil and the offset; with earlier boils the offset is
    known independently, and then today's reading is a word of its own on where water boils.
    """
    assert chosen.boil is not None
    earlier = day_store.test_boils(db, chosen.instrument.id, now)[1:21]
    if len(earlier) < 2:
        return Basis(
            label="test boil",
            boil_c=None,
            sigma_k=None,
            note=f"{chosen.instrument.name} shows it; sets the ladder, whatever the weather",
            chosen=False,
            detail=chosen.boil.reading_c,
            detail_kind="temperature",
        )
    offsets = [b.reading_c - water.boiling_point_c(b.station_pressure_pa) for b in earlier]
    sort = chosen.instrument.detail.sort
    sigma = sqrt(thermometer.SIGMA_K[sort] ** 2 + stdev(offsets) ** 2 / len(offsets))
    return Basis(
        label="test boil",
        boil_c=chosen.boil.reading_c - fmean(offsets),
        sigma_k=sigma,
        note=f"less what {len(earlier)} earlier boils taught",
        chosen=False,
        detail=chosen.boil.reading_c,
        detail_kind="temperature",
    )


def ladder(
    pressure: Pressure,
    chosen: ThermometerToday | None,
    target_brix: float,
    sugar_kind: str,
    end_point: str = DEFAULT_END_POINT,
) -> list[Rung]:
    """Every mark from boiling water up, as the chosen thermometer shows it.

    The finish stands where the kitchen's school of the end point puts it.
    """
    invert = target.DEFAULT_INVERT_FRACTION[sugar_kind]
    calibration = chosen.calibration if chosen else Calibration(at_c=pressure.boil_c)
    boil = pressure.boil_c

    def rung(
        key: str, label: str, low_k: float, high_k: float, rank: str, brix: float | None = None
    ) -> Rung:
        middle = boil + (low_k + high_k) / 2
        return Rung(
            key=key,
            label=label,
            true_c=middle,
            shown_c=calibration.indicated_c(middle),
            low_shown_c=calibration.indicated_c(boil + low_k),
            high_shown_c=calibration.indicated_c(boil + high_k),
            above_water_k=middle - boil,
            brix=brix,
            rank=rank,
            hot=middle >= BURN_HAZARD_C,
        )

    rungs = [
        rung("water", "water boils", 0.0, 0.0, "mark"),
        rung(
            "pre-filter",
            "strain once, while thin",
            target.PRE_FILTER_ABOVE_WATER_K,
            target.PRE_FILTER_ABOVE_WATER_K,
            "mark",
        ),
    ]
    marks = {target.FLOOR_BRIX: "floor", target.DEFAULT_BRIX: "floor", target_brix: "finish"}
    for brix, rank in sorted(marks.items()):
        step = target.finish_point(pressure.pa, brix, invert).above_water_c
        name = (
            "syrup"
            if rank == "finish"
            else "the floor"
            if brix == target.FLOOR_BRIX
            else "stricter places"
        )
        if rank == "finish" and end_point != DEFAULT_END_POINT:
            shown = methods.shown_mark_c(end_point, calibration.indicated_c(boil), step)
            stop = methods.stop_at(shown, calibration, pressure.pa, invert)
            step, name, brix = stop.true_c - boil, "your rule", round(stop.brix or brix, 1)
        rungs.append(
            rung(
                f"finish-{brix:g}",
                f"{name}, {brix:g}",
                low_k=step,
                high_k=step,
                rank=rank,
                brix=brix,
            )
        )
    for piece in confections():
        solids = None
        try:
            solids = sucrose.brix_from_boiling_point(
                boil + piece.middle_above_water_k, pressure.pa, invert
            )
        except OutOfRange:
            continue
        rungs.append(
            rung(
                piece.key,
                piece.full_name,
                low_k=piece.low_above_water_k,
                high_k=piece.high_above_water_k,
                rank="candy",
                brix=solids,
            )
        )
    return rungs
