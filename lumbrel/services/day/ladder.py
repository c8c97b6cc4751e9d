"""The day: where water boils here now by each basis, and the heat ladder."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from math import sqrt
from sqlite3 import Connection
from statistics import fmean, stdev

from lumbrel.core.bench import thermometer
from lumbrel.core.bench.thermometer import Calibration
from lumbrel.core.candy.confections import BURN_HAZARD_C, Confection, confections
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import methods, target
from lumbrel.core.physics import air, sucrose, water
from lumbrel.services.base.entry import Entry
from lumbrel.services.day.checks import test_boils
from lumbrel.services.day.facts import TestBoilFacts
from lumbrel.services.day.pressure import Pressure, pressure_by
from lumbrel.services.day.thermometers import (
    DEFAULT_BOIL_BY,
    DEFAULT_END_POINT,
    ThermometerToday,
    shows_too_much,
    thermometer_today,
)
from lumbrel.store.instruments import ThermometerDetail, instruments_of
from lumbrel.store.kitchen import Kitchen, load_kitchen
from lumbrel.words import _, bare, joined


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
class DayCheck:
    """Everything the day check shows; little of it while no pressure is known."""

    now: datetime
    kitchen: Kitchen
    sugar_kind: str
    pressure: Pressure | None = None
    bases: Sequence[Basis] = ()
    thermometers: Sequence[ThermometerToday] = ()
    chosen: ThermometerToday | None = None
    rungs: Sequence[Rung] = ()
    rules: Sequence[target.RuleOfThumb] = ()


def today(db: Connection, now: datetime, thermometer_id: str = "", sugar_kind: str = "maple") -> DayCheck:
    kitchen = load_kitchen(db)
    boil_by = kitchen.methods.get("boil_by", DEFAULT_BOIL_BY)
    pressure = pressure_by(db, kitchen, now, boil_by)
    if pressure is None:
        return DayCheck(now=now, kitchen=kitchen, sugar_kind=sugar_kind)
    sorts = [
        thermometer_today(db, instrument, pressure, now, boil_by)
        for instrument in instruments_of(db, ThermometerDetail)
    ]
    chosen = next((t for t in sorts if t.instrument.id == thermometer_id), None) or _best(sorts)
    invert = target.DEFAULT_INVERT_FRACTION[sugar_kind]
    return DayCheck(
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


MEASURED = {"barometer": _("barometer"), "station": _("pressure typed"), "forecast": _("forecast")}


def _bases(
    db: Connection, kitchen: Kitchen, pressure: Pressure, chosen: ThermometerToday | None, now: datetime
) -> list[Basis]:
    rows = []
    if chosen and chosen.boil:
        rows.append(_by_test_boil(db, chosen, chosen.boil, now))
    if pressure.basis in MEASURED:
        rows.append(_by_pressure(pressure))
    if kitchen.elevation_m is not None:
        rows += _by_elevation(kitchen.elevation_m, chosen=pressure.basis == "elevation")
    return rows


def _by_pressure(pressure: Pressure) -> Basis:
    return Basis(
        label=MEASURED[pressure.basis],
        boil_c=pressure.boil_c,
        sigma_k=pressure.boil_sigma_k,
        note=_("followed") if pressure.followed else _("good for 12 h"),
        chosen=True,
        detail=pressure.pa / 100,
        detail_kind="pressure",
    )


def _by_elevation(elevation_m: float, chosen: bool) -> list[Basis]:
    mean = air.pressure_at_elevation_pa(elevation_m)
    alone = Basis(
        label=_("elevation alone"),
        boil_c=water.boiling_point_c(mean),
        sigma_k=air.ELEVATION_ONLY_SIGMA_PA * thermometer.BOIL_SHIFT_K_PER_PA,
        note=_("whatever the weather"),
        chosen=chosen,
        detail=elevation_m,
        detail_kind="elevation",
    )
    rule = Basis(
        label=_("“one degree F per 500 ft”"),
        boil_c=target.boil_by_feet_rule_c(elevation_m),
        sigma_k=None,
        note=_("a rule of thumb"),
    )
    return [alone, rule]


def _by_test_boil(
    db: Connection, chosen: ThermometerToday, boil: Entry[TestBoilFacts], now: datetime
) -> Basis:
    """Water's boil by this thermometer: its reading less the offset of its *other* boils.

    One reading cannot give both the boil and the offset; with earlier boils the offset is
    known independently, and then today's reading is a word of its own on where water boils.
    """
    alone = Basis(
        label=_("test boil"),
        boil_c=None,
        sigma_k=None,
        note=_(
            "{instrument} shows it; sets the ladder, whatever the weather", instrument=chosen.instrument.name
        ),
        detail=boil.facts.reading_c,
        detail_kind="temperature",
    )
    earlier = test_boils(db, chosen.instrument.id, now, 21)[1:]
    if len(earlier) < 2:
        return alone
    offsets = [shows_too_much(one) for one in earlier]
    own = thermometer.SIGMA_K[chosen.instrument.detail.sort]
    return replace(
        alone,
        boil_c=boil.facts.reading_c - fmean(offsets),
        sigma_k=sqrt(own**2 + stdev(offsets) ** 2 / len(offsets)),
        note=_("less what {count} earlier boils taught", count=len(earlier)),
    )


@dataclass(frozen=True, kw_only=True)
class _Scale:
    """What the ladder is drawn by: pressure here, the thermometer's own scale, the sugar."""

    pressure: Pressure
    calibration: Calibration
    invert: float

    def rung(
        self,
        key: str,
        label: str,
        span_k: tuple[float, float],
        *,
        rank: str = "mark",
        brix: float | None = None,
    ) -> Rung:
        """One mark, so many kelvin above boiling water."""
        boil, shown = self.pressure.boil_c, self.calibration.indicated_c
        low_k, high_k = span_k
        middle = boil + (low_k + high_k) / 2
        return Rung(
            key=key,
            label=label,
            true_c=middle,
            shown_c=shown(middle),
            low_shown_c=shown(boil + low_k),
            high_shown_c=shown(boil + high_k),
            above_water_k=middle - boil,
            brix=brix,
            rank=rank,
            hot=middle >= BURN_HAZARD_C,
        )

    def density(self, brix: float, name: str, rank: str) -> Rung:
        """Where syrup of a density boils."""
        step = target.finish_point(self.pressure.pa, brix, self.invert).above_water_c
        return self._syrup(step, brix, name, rank)

    def finish(self, brix: float, end_point: str) -> Rung:
        """Where syrup is done, by the kitchen's method of the end point."""
        if end_point == DEFAULT_END_POINT:
            return self.density(brix, _("syrup"), "finish")
        step = target.finish_point(self.pressure.pa, brix, self.invert).above_water_c
        boil = self.pressure.boil_c
        mark = methods.shown_mark_c(end_point, self.calibration.indicated_c(boil), step)
        stop = methods.stop_at(mark, self.calibration, self.pressure.pa, self.invert)
        return self._syrup(stop.true_c - boil, round(stop.brix or brix, 1), _("your rule"), "finish")

    def _syrup(self, step_k: float, brix: float, name: str, rank: str) -> Rung:
        label = joined(", ", (name, bare(brix)))
        return self.rung(f"finish-{brix:g}", label, (step_k, step_k), rank=rank, brix=brix)

    def candy(self, piece: Confection) -> Rung | None:
        """Where a confection is poured; None where no such sugar is known."""
        boil = self.pressure.boil_c + piece.middle_above_water_k
        try:
            solids = sucrose.brix_from_boiling_point(boil, self.pressure.pa, self.invert)
        except OutOfRange:
            return None
        span_k = (piece.low_above_water_k, piece.high_above_water_k)
        return self.rung(piece.key, piece.full_name, span_k, rank="candy", brix=solids)


def ladder(
    pressure: Pressure,
    chosen: ThermometerToday | None,
    target_brix: float,
    sugar_kind: str,
    end_point: str = DEFAULT_END_POINT,
) -> list[Rung]:
    """Every mark from boiling water up, as the chosen thermometer shows it.

    The finish stands where the kitchen's method of the end point puts it.
    """
    scale = _Scale(
        pressure=pressure,
        calibration=chosen.calibration if chosen else Calibration(at_c=pressure.boil_c),
        invert=target.DEFAULT_INVERT_FRACTION[sugar_kind],
    )
    strain_k = target.PRE_FILTER_ABOVE_WATER_K
    floors = {target.FLOOR_BRIX: _("legal minimum"), target.DEFAULT_BRIX: _("stricter places")}
    syrups = [
        scale.finish(brix, end_point) if brix == target_brix else scale.density(brix, floors[brix], "floor")
        for brix in sorted({*floors, target_brix})
    ]
    return [
        scale.rung("water", _("water boils"), (0.0, 0.0)),
        scale.rung("pre-filter", _("strain once, while thin"), (strain_k, strain_k)),
        *syrups,
        *filter(None, map(scale.candy, confections())),
    ]
