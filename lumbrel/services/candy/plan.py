"""Candy: what a charge of syrup becomes at each boil, as today's thermometer shows it."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.candy import confections
from lumbrel.core.candy.confections import Confection
from lumbrel.core.errors import OutOfRange
from lumbrel.core.physics import sucrose
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.day import ladder
from lumbrel.services.day.pressure import Pressure
from lumbrel.store.kitchen import load_kitchen

PURE = 0.01

SYRUP = Bounds("syrup", "mass", 0.05, 500, "The syrup must weigh between 0.05 and 500 kg.")
BRIX = Bounds("brix", "brix", 50, 80, "Syrup for candy has between 50 and 80 Brix.")


@dataclass(frozen=True, kw_only=True)
class Plan:
    """One confection from a charge of syrup, today."""

    confection: Confection
    shown_c: float
    low_shown_c: float
    high_shown_c: float
    true_c: float
    solids_brix: float
    solids_sigma: float
    crystal_fraction: float
    supersaturation: float | None
    mass_out_kg: float
    hazard: bool


@dataclass(frozen=True)
class CandyPage:
    """The candy station: every confection's plan, and the one looked at."""

    plans: list[Plan]
    chosen: Plan | None
    syrup_kg: float
    syrup_brix: float
    day: ladder.Day


def page(db: Connection, now: datetime, fields: dict[str, str]) -> CandyPage:
    """Plans for a charge of syrup.

    Raises:
        BadInput: the charge is not understood.
    """
    kitchen = load_kitchen(db)
    form = Form({"syrup": "4 kg", "brix": f"{kitchen.target_brix:g}", **fields}, kitchen)
    syrup = form.between(SYRUP)
    brix = form.between(BRIX)
    form.check()
    assert syrup is not None and brix is not None
    today = ladder.today(db, now, fields.get("thermometer", ""))
    plans = []
    if today.pressure:
        for piece in confections.confections():
            plan = _plan(today, today.pressure, piece, syrup, brix)
            if plan:
                plans.append(plan)
    wanted = fields.get("piece", "moulded-sugar-soft")
    chosen = next((p for p in plans if p.confection.key == wanted), plans[0] if plans else None)
    return CandyPage(plans, chosen, syrup, brix, today)


def _plan(
    today: ladder.Day, pressure: Pressure, piece: Confection, syrup_kg: float, brix: float
) -> Plan | None:
    try:
        solids = confections.solids_brix(piece.middle_above_water_k, pressure.pa, PURE)
        out = confections.mass_out_kg(syrup_kg, brix, solids)
    except OutOfRange:
        return None
    shown = today.chosen.calibration.indicated_c if today.chosen else lambda true_c: true_c
    true = pressure.boil_c + piece.middle_above_water_k
    stir = piece.cool_to_c
    over = confections.supersaturation(solids, stir) if stir is not None and stir <= 100 else None
    doubt = sucrose.boiling_sigma_k(solids) / sucrose.boiling_slope_k_per_brix(
        solids, pressure.pa, PURE
    )
    return Plan(
        confection=piece,
        shown_c=shown(true),
        low_shown_c=shown(pressure.boil_c + piece.low_above_water_k),
        high_shown_c=shown(pressure.boil_c + piece.high_above_water_k),
        true_c=true,
        solids_brix=solids,
        solids_sigma=doubt,
        crystal_fraction=confections.crystal_fraction(solids, 20.0),
        supersaturation=over,
        mass_out_kg=out,
        hazard=true >= confections.BURN_HAZARD_C,
    )
