"""Candy: what a charge of syrup becomes at each boil, as today's thermometer shows it."""

from dataclasses import dataclass, replace
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core import units
from lumbrel.core.candy import confections
from lumbrel.core.candy.bath import BATHS
from lumbrel.core.candy.confections import Confection
from lumbrel.core.candy.keeping import MOULDS_ACTIVITY, Keeping, keeping
from lumbrel.core.errors import OutOfRange
from lumbrel.core.physics import sucrose
from lumbrel.services.base.form import Form
from lumbrel.services.candy import cook as cooks
from lumbrel.services.candy import learnt
from lumbrel.services.candy.cook import SYRUP, Cook
from lumbrel.services.candy.firm_map import MapLook
from lumbrel.services.candy.firm_map import look as look_at
from lumbrel.services.candy.learnt import Dot
from lumbrel.services.candy.syrup import Suited, Syrup, better, lots_to_choose, syrup_of
from lumbrel.services.day import ladder
from lumbrel.services.day.pressure import Pressure
from lumbrel.store.kitchen import load_kitchen, vessels

PURE = 0.01
NAMES = {piece.key: piece.full_name for piece in confections.confections()}
PIECES = {piece.key: piece for piece in confections.confections()}

EXAMPLE_KG = 4.0


@dataclass(frozen=True, kw_only=True)
class CandyPlan:
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


@dataclass(frozen=True, kw_only=True)
class CandyPage:
    """The candy station: every confection's plan, and the one looked at."""

    plans: list[CandyPlan]
    chosen: CandyPlan | None
    syrup_kg: float
    syrup_brix: float
    day: ladder.DayCheck
    typed: dict[str, str]
    """What was asked, with what it begins at."""
    look: MapLook | None = None
    syrup: Syrup | None = None
    better: tuple[Suited, ...] = ()
    cook: Cook | None = None
    keeps: Keeping | None = None
    moulds: bool = False
    """Whether moulds can live in it."""
    lots: tuple[tuple[str, str], ...] = ()
    dots: tuple[Dot, ...] = ()
    """The last cooks."""


def page(db: Connection, now: datetime, fields: dict[str, str], *, only_map: bool = False) -> CandyPage:
    """Plans for a charge of syrup, the map and a cook.

    Args:
        only_map: without what the map does not show.
    Raises:
        BadInput: the charge is not understood.
    """
    kitchen = load_kitchen(db)
    standard = {name: units.said(text, kitchen.units) for name, text in cooks.STANDARD.items()}
    typed = {**standard, "brix": f"{kitchen.target_brix:g}", **fields}
    form = Form(typed, kitchen)
    syrup = form.between(SYRUP) if typed["by"] == "syrup" else EXAMPLE_KG
    used = syrup_of(db, form, now)
    form.check()
    assert syrup is not None and used is not None
    today = ladder.today(db, now, fields.get("thermometer", ""))
    plans = []
    if today.pressure:
        for piece in confections.confections():
            plan = _plan(today, today.pressure, piece, syrup, used.brix)
            if plan:
                plans.append(plan)
    wanted = fields.get("piece", "moulded-sugar-soft")
    chosen = next((p for p in plans if p.confection.key == wanted), plans[0] if plans else None)
    page = CandyPage(
        plans=plans,
        chosen=chosen,
        syrup_kg=syrup,
        syrup_brix=used.brix,
        day=today,
        typed=typed,
        syrup=used,
        lots=() if only_map else tuple(lots_to_choose(db)),
        dots=tuple(learnt.dots(db, now)),
    )
    return page if chosen is None else _with_map(db, now, form, page, only_map)


def _with_map(db: Connection, now: datetime, form: Form, page: CandyPage, only_map: bool) -> CandyPage:
    """The page with its point on the map, what suits it, and the cook."""
    assert page.chosen is not None and page.syrup is not None
    piece = page.chosen.confection
    look = look_at(form, page.day, piece, page.syrup.invert_fraction)
    form.check()
    assert look is not None
    if only_map:
        return replace(page, look=look)
    pot = next((v for v in vessels(db) if v.purpose == "candy"), None)
    bath = page.typed["bath"] if page.typed["bath"] in BATHS else "bench"
    taught = learnt.taught(db, pot, bath, now)
    cook = cooks.planned(form, look, piece, page.syrup.brix, now=now, taught=taught)
    form.check()
    others = better(db, piece, page.syrup.fits[piece.key], now)
    keeps = keeping(piece.key, look.point.brix)
    moulds = (keeps.water_activity or 0.0) > MOULDS_ACTIVITY
    return replace(page, look=look, cook=cook, better=tuple(others), keeps=keeps, moulds=moulds)


def _plan(
    today: ladder.DayCheck, pressure: Pressure, piece: Confection, syrup_kg: float, brix: float
) -> CandyPlan | None:
    try:
        solids = confections.solids_brix(piece.middle_above_water_k, pressure.pa, PURE)
        out = confections.mass_out_kg(syrup_kg, brix, solids)
    except OutOfRange:
        return None
    shown = today.chosen.calibration.indicated_c if today.chosen else lambda true_c: true_c
    true = pressure.boil_c + piece.middle_above_water_k
    stir = piece.cool_to_c
    over = confections.supersaturation(solids, stir) if stir is not None and stir <= 100 else None
    doubt = sucrose.boiling_sigma_k(solids) / sucrose.boiling_slope_k_per_brix(solids, pressure.pa, PURE)
    return CandyPlan(
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
