"""A boil-down planned: by the pans and the fire there are."""

from dataclasses import dataclass, replace
from datetime import datetime, time, timedelta
from math import exp, log
from sqlite3 import Connection

from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import continuous
from lumbrel.core.pan.vessel import Vessel
from lumbrel.core.physics.air import STANDARD_PA
from lumbrel.core.physics.sucrose import density_kg_m3
from lumbrel.core.physics.water import boiling_point_c
from lumbrel.core.sap import boil_down, fuel, sap
from lumbrel.core.sap.boil_down import Night, Pan, Plan
from lumbrel.core.sap.fuel import Burned, Range
from lumbrel.services.base.form import Bounds, Form, local_time
from lumbrel.services.day.pressure import pressure_at
from lumbrel.services.pan.rate import DRAWS_NEEDED, learned_rate
from lumbrel.services.sap.contents import TankView
from lumbrel.services.take_in.bounds import NEAR_SYRUP
from lumbrel.store import sap as store
from lumbrel.store.kitchen import Kitchen, VesselRow
from lumbrel.words import _

LASTING = ((0.95, "surely"), (0.5, "mostly"), (0.05, "seldom"))
"""From what chance on there is enough, in a word."""
TARGET_BRIX = 55.0
EFFICIENCY = Bounds(
    "efficiency",
    "percent",
    1,
    98,
    _(
        "Between 1 and 98 % of the fuel’s heat gets into the sap. Over an open fire it is 5 "
        "to 15, on an arch 40 to 60."
    ),
)
LATEST, EARLIEST = time(22), time(7)
ARMFUL_KG = 5.0
EVEN_DRAW_L = 1.0
RATE_90 = 1.645
LAST_BURNS = 12


@dataclass(frozen=True, kw_only=True)
class BoilPage:
    """What the page of a boil-down shows."""

    tanks: list[TankView]
    tank: TankView | None
    vessels: list[VesselRow]
    chosen: tuple[str, ...]
    litres: float | None
    setup: str
    fuel: str
    measure: str
    plan: Plan | None = None
    need: Range | None = None
    """Of the fuel, in its measure."""
    also: tuple[tuple[Range, str], ...] = ()
    """In its other measures."""
    have: float | None = None
    lasts: float | None = None
    """How likely what is there lasts, 0 to 1."""
    efficiency: Range | None = None
    burned: int = 0
    night: Night | None = None
    done: datetime | None = None
    light_by: datetime | None = None
    stoke_min: float | None = None
    becomes: sap.Becomes | None = None
    first_fill_l: float | None = None
    channels: int = 0
    """Of a continuous pan; 0 where all of it is boiled down."""
    even: continuous.Steady | None = None
    """Run continuously: what goes in and what comes out."""
    first_draw: Range | None = None
    """Hours until then, in a continuous pan."""
    stands_kg: float = 0.0
    stands_brix: float = 0.0
    """What is left in a continuous pan in the end."""
    needs_l: float = 0.0
    """So much sap a continuous pan takes until its first draw."""

    @property
    def lasting(self) -> str:
        """In a word, how likely what is there lasts."""
        return next((word for least, word in LASTING if (self.lasts or 0.0) >= least), "never")

    @property
    def too_little(self) -> bool:
        """Whether a continuous pan would never be drawn from so little sap."""
        return bool(self.litres and self.needs_l > self.litres)

    @property
    def into(self) -> VesselRow:
        """The pan that it is lit in: the last one chosen, or the widest as a continuous pan."""
        chosen = [vessel for vessel in self.vessels if vessel.id in self.chosen]
        return max(chosen, key=bottom_m2) if self.channels else chosen[-1]

    @property
    def draws_l(self) -> float:
        """Syrup that a continuous pan gives of so much sap, L at 20 degC."""
        if self.plan is None:
            return 0.0
        plan = self.plan
        sugar = plan.sap_kg * plan.brix - self.stands_kg * self.stands_brix
        return max(sugar / plan.target_brix, 0.0) / density_kg_m3(plan.target_brix, 20) * 1000

    @property
    def too_late(self) -> bool:
        """Whether it cannot be done before the sap is too old."""
        by = self.tank.boil_by if self.tank else None
        return bool(by and self.done and self.done > by)


def bottom_m2(vessel: VesselRow) -> float:
    return Vessel(vessel.shape, vessel.sizes_mm).bottom_area_m2()


def planned_boil(db: Connection, form: Form, base: BoilPage, now: datetime) -> BoilPage:
    tank, litres = base.tank, base.litres
    assert tank is not None and litres is not None
    usual = form.kitchen.target_brix if base.channels else TARGET_BRIX
    # How far is asked for each by itself: who ticks a continuous pan does not mean near-syrup.
    field = "mark" if base.channels else "target"
    target = form.between(NEAR_SYRUP._replace(name=field), required=False) or usual
    own = form.between(EFFICIENCY, required=False)
    burned = burned_of(db, base.setup, base.fuel, now)
    efficiency = fuel.learned_efficiency(base.setup, burned)
    if own is not None:
        efficiency = Range(own / 100, own / 110, min(own / 90, fuel.MOST))
    if form.errors:
        return base
    chosen = [v for v in base.vessels if v.id in base.chosen]
    if base.channels:
        chosen = [base.into]
    pans = [pan_of(db, vessel, now) for vessel in chosen]
    # It ends in the smallest: the least is left there.
    pans.sort(key=lambda pan: -pan.bottom_m2)
    content = tank.content
    mass = sap.mass_kg(litres, content.brix)
    pressure = pressure_at(db, form.kitchen, now)
    boil_c = boiling_point_c(pressure.pa if pressure else STANDARD_PA)
    try:
        plan = boil_down.plan(
            sap_kg=mass,
            brix=content.brix,
            sap_c=max(tank.warm_c, 0.0),
            target_brix=target,
            boil_c=boil_c,
            pans=pans,
            efficiency=efficiency,
        )
    except OutOfRange as error:
        form.errors[field if error.field == "target" else error.field or "litres"] = error.sentence
        return base
    if base.channels:
        base, plan = _run_continuously(base, plan, pans[-1], boil_c)
    return replace(
        _with_its_fire(form, base, plan, now),
        efficiency=efficiency,
        burned=len(burned),
        becomes=sap.becomes(litres, content.brix, form.kitchen.target_brix),
        first_fill_l=base.first_fill_l or min(litres, pans[-1].litres_at(2 * boil_down.KEEP_DEPTH_MM)),
    )


def _run_continuously(base: BoilPage, plan: Plan, pan: Pan, boil_c: float) -> tuple[BoilPage, Plan]:
    """With what a continuous pan does: when it is drawn first, what it takes and gives, what stands in it;
    and the plan by what it drives off, for what stands in it stays thin."""
    fill_l = min(plan.sap_kg, pan.litres_at(boil_down.KEEP_DEPTH_MM))
    running = continuous.Running(
        held_kg=fill_l,
        rate_kg_min=pan.rate.middle,
        sap_brix=plan.brix,
        syrup_brix=plan.target_brix,
        channels=base.channels,
    )
    low, middle, high = continuous.band(continuous.first_climb(running, plan.brix))
    warm = plan.heating_min
    needs_kg = fill_l + pan.rate.middle * middle
    stands_brix = continuous.standing_brix(plan.brix, plan.target_brix, base.channels)
    sugar = max(plan.sap_kg * plan.brix - fill_l * stands_brix, 0.0)
    driven_kg = max(plan.sap_kg - fill_l - sugar / plan.target_brix, 0.0)
    runs = replace(
        base,
        needs_l=sap.litres(needs_kg, plan.brix),
        first_fill_l=fill_l,
        first_draw=Range(*((warm + minutes) / 60 for minutes in (middle, low, high))),
        even=continuous.steady(pan.rate.middle, plan.brix, plan.target_brix, EVEN_DRAW_L),
        stands_kg=fill_l,
        stands_brix=stands_brix,
    )
    return runs, boil_down.by_water(plan, driven_kg, pan, boil_c)


def _with_its_fire(form: Form, base: BoilPage, plan: Plan, now: datetime) -> BoilPage:
    """The plan with its fuel, its hours of the clock, and how often it is stoked."""
    kind, measure = base.fuel, base.measure
    have = _have(form)
    night, done = boil_down.over_night(plan, local_time(now, form.kitchen), LATEST, EARLIEST)
    by = base.tank.boil_by if base.tank else None
    stoke = None
    if kind in ("hardwood", "softwood"):
        armful = ARMFUL_KG * fuel.MJ_EACH["wood kg"]
        stoke = boil_down.stoke_every_min(plan.hours.middle, plan.fuel_mj.middle, armful)
    return replace(
        base,
        plan=plan,
        need=fuel.amount(plan.fuel_mj, measure),
        also=tuple(
            (fuel.amount(plan.fuel_mj, other), other)
            for other in measures_in(form.kitchen, kind)
            if other != measure
        ),
        have=have,
        lasts=fuel.chance_it_lasts(have * fuel.MJ_EACH[measure], plan.fuel_mj) if have else None,
        night=night,
        done=done,
        light_by=by - timedelta(hours=plan.hours.high) if by else None,
        stoke_min=stoke,
    )


def _have(form: Form) -> float | None:
    """So much fuel is there, in its measure."""
    text = form.fields.get("have", "").strip().replace(",", ".")
    if not text:
        return None
    try:
        value = float(text)
    except ValueError:
        value = -1.0
    if not 0 < value <= 1e5:
        form.errors["have"] = _("Type how much there is, as a number in the measure beside it.")
        return None
    return value


def pan_of(db: Connection, vessel: VesselRow, now: datetime) -> Pan:
    """A pan as core knows it, with what its past draws teach of its rate."""
    bottom = Vessel(vessel.shape, vessel.sizes_mm).bottom_area_m2()
    rate = learned_rate(db, vessel, now)
    if rate.draws < DRAWS_NEEDED:
        return Pan(vessel.name, bottom)
    half = exp(RATE_90 * log(1 + rate.sigma_kg_per_min / rate.kg_per_min))
    middle = rate.kg_per_min
    return Pan(vessel.name, bottom, Range(middle, middle / half, middle * half))


def burned_of(db: Connection, setup: str, kind: str, before: datetime) -> list[Burned]:
    """What earlier boil-downs with this fire and fuel taught, oldest first."""
    rows = store.burns(db, setup, kind, before, LAST_BURNS)
    return [Burned(needed, burned) for needed, burned in reversed(rows)]


def measures_in(kitchen: Kitchen, kind: str) -> tuple[str, ...]:
    """How a fuel is measured in a kitchen: by what it weighs with."""
    by_pound = kitchen.units.get("mass") == "lb"
    return (fuel.FUELS_BY_POUND if by_pound else fuel.FUELS)[kind]
