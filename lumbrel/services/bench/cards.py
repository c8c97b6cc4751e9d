"""Reference cards that print on one sheet, and solutions to check an instrument with."""

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.bench import refractometer
from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.core.candy.confections import confections
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.target import DEFAULT_INVERT_FRACTION, finish_point
from lumbrel.core.physics import sucrose, water
from lumbrel.services.base.codes import called
from lumbrel.services.bench.curves import OwnCurve, hydrometer_of, own_curve
from lumbrel.services.day.ladder import DayCheck, today
from lumbrel.store.instruments import (
    Detail,
    HydrometerDetail,
    Instrument,
    RefractometerDetail,
    ThermometerDetail,
    scale_of,
    with_detail,
)
from lumbrel.words import _, bare, number

CARD_PIECES = ("snow-taffy-soft", "moulded-sugar-soft", "granulated-sugar")


@dataclass(frozen=True)
class Solution:
    """A sugar solution to check an instrument with: one kilogram of it, and what it must show."""

    brix: float
    sugar_kg: float
    water_kg: float
    density_kg_m3: float
    shows_brix: float
    """On the instrument at room temperature, 20 degC, without compensation."""


def check_solutions(own: Hydrometer | None, low_brix: float = 0.0, high_brix: float = 85.0) -> list[Solution]:
    """Solutions of 20, 50 and 66 Brix that the scale can show, and where it must stand.

    Args:
        own: the hydrometer; None for a refractometer, which shows them as they are.
        low_brix, high_brix: ends of the instrument's scale.
    """
    solutions = []
    for brix in (20.0, 50.0, 66.0):
        shows = brix if own is None else own.mark(brix, 20.0)
        density = sucrose.density_kg_m3(brix, 20.0)
        if low_brix <= shows <= high_brix:
            solutions.append(Solution(brix, brix / 100, 1 - brix / 100, density, shows))
    return solutions


@dataclass(frozen=True, kw_only=True)
class Card:
    """A reference card: one figure for each row and column, in core's units."""

    about: str
    row_name: str
    row_kind: str
    rows: list[float]
    columns: list[str]
    cells: list[list[float | None]]
    cell_kind: str = "brix"
    signed: bool = False
    loud: int = 1
    """Which column is the one mostly wanted."""


def hydrometer_card(own: Hydrometer) -> Card:
    """Marks to look for at each cup temperature, for the floor, the target and the ceiling."""
    rows = [15.0, 20.0, *[40.0 + 5 * i for i in range(13)]]
    columns = [66.0, 66.9, 67.5, 68.9]
    return Card(
        about=_("Where the stem must float for a true density, at each cup temperature"),
        row_name="cup",
        row_kind="temperature",
        rows=rows,
        columns=[_("{brix} Brix", brix=bare(brix)) for brix in columns],
        cells=_cells(rows, columns, lambda t, w: own.mark(w, t)),
    )


def refractometer_card() -> Card:
    """What to add to a reading at each sample temperature."""
    rows = [float(t) for t in range(10, 31, 2)]
    columns = [8.0, 25.0, 45.0, 60.0, 67.0]
    return Card(
        about=_("What to add to a reading without compensation, by the drop’s temperature (table of 1936)"),
        row_name="drop",
        row_kind="temperature",
        rows=rows,
        columns=[_("{brix} Brix", brix=bare(brix)) for brix in columns],
        cells=_cells(rows, columns, lambda t, r: refractometer.temperature_correction(r, t)),
        cell_kind="brix",
        signed=True,
        loud=4,
    )


@dataclass(frozen=True)
class CardOf:
    """An instrument's card, when its kind has one, and what it is checked with."""

    card: Card | None = None
    solutions: list[Solution] = field(default_factory=list)
    learnt: OwnCurve | None = None


def card_of(db: Connection, instrument: Instrument[Detail], now: datetime) -> CardOf:
    """The card of an instrument as it is now; a thermometer's wants a day that is set."""
    low, high = scale_of(instrument)
    if stem := with_detail(instrument, HydrometerDetail):
        own, learnt = hydrometer_of(db, stem, now), own_curve(db, stem, now)
        solutions = check_solutions(own, low, high)
        return CardOf(hydrometer_card(own), solutions, learnt if learnt.used else None)
    if with_detail(instrument, RefractometerDetail):
        return CardOf(refractometer_card(), check_solutions(None, low, high))
    if with_detail(instrument, ThermometerDetail):
        day = today(db, now, instrument.id)
        if day.pressure and day.chosen and day.chosen.instrument.id == instrument.id:
            return CardOf(thermometer_card(day))
    return CardOf()


LADDER_STEPS = 9
STEP_HPA = 5.0


def thermometer_card(day: DayCheck) -> Card:
    """The ladder by pressure: what this thermometer shows at each mark as the air changes.

    Its offset is the one its newest test boil found; the middle row is today's pressure, to
    the nearest 5 hPa.
    """
    assert day.pressure is not None and day.chosen is not None
    held = day.chosen.calibration
    middle = round(day.pressure.pa / 100 / STEP_HPA) * STEP_HPA
    rows = [middle + STEP_HPA * (i - LADDER_STEPS // 2) for i in range(LADDER_STEPS)]
    wanted = [
        (_("water boils"), 0.0),
        (number(66.0, 1), 66.0),
        (bare(day.kitchen.target_brix), day.kitchen.target_brix),
        (number(68.9, 1), 68.9),
    ]
    steps = [
        (piece.full_name, piece.middle_above_water_k) for piece in confections() if piece.key in CARD_PIECES
    ]
    invert = DEFAULT_INVERT_FRACTION[day.sugar_kind]

    def shown(hpa: float, column: float) -> float:
        boil = water.boiling_point_c(hpa * 100)
        index = int(column)
        if index == 0:
            return held.indicated_c(boil)
        if index < len(wanted):
            point = finish_point(hpa * 100, wanted[index][1], invert)
            return held.indicated_c(point.temperature_c)
        return held.indicated_c(boil + steps[index - len(wanted)][1])

    names = [*(name for name, _any in wanted), *(name for name, _any in steps)]
    return Card(
        about=_(
            "What {instrument} shows at each mark, by the pressure here, for {sugar_kind}",
            instrument=day.chosen.instrument.name,
            sugar_kind=called(day.sugar_kind),
        ),
        row_name=_("pressure"),
        row_kind="pressure",
        rows=rows,
        columns=names,
        cells=_cells(rows, [float(i) for i in range(len(names))], shown),
        cell_kind="temperature",
        signed=False,
        loud=2,
    )


def _cells(
    rows: list[float], columns: list[float], figure: Callable[[float, float], float]
) -> list[list[float | None]]:
    def one(row: float, column: float) -> float | None:
        try:
            return figure(row, column)
        except OutOfRange:
            return None

    return [[one(row, column) for column in columns] for row in rows]
