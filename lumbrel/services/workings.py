"""How a figure came about: its inputs, the formula's name and source, and its uncertainty budget."""

from collections.abc import Callable
from dataclasses import dataclass
from math import isfinite, sqrt

from lumbrel.core.bench import thermometer
from lumbrel.core.pan.vessel import hot_volume_ratio
from lumbrel.core.physics import sucrose
from lumbrel.services import slip
from lumbrel.services.air import Pressure
from lumbrel.services.bench.curves import hydrometer_of
from lumbrel.services.context import BatchContext
from lumbrel.services.day import Day, Rung, ThermometerToday
from lumbrel.services.pan import BALANCE_SIGMA_BRIX, Board
from lumbrel.services.typed import NotFound

IF97 = "IAPWS-IF97, region 4"
NORRISH = "Norrish water activity, fitted to the trade's two points"
ICUMSA = "buoyancy, ICUMSA SPS-4 density"
BASES = {
    "barometer": "the barometer", "station": "typed, good for 12 h",
    "forecast": "a forecast, brought down from sea level", "elevation": "ICAO standard atmosphere",
    "rule of feet": "one degree F per 500 ft",
}  # fmt: skip


@dataclass(frozen=True)
class Step:
    """One line of a working: a label, its value in an inside unit or as text, where it is from."""

    label: str
    value: float | str | None
    kind: str = ""
    source: str = ""
    decimals: int | None = 2


@dataclass(frozen=True)
class Part:
    """One part of the doubt, one sigma; the parts' squares add up."""

    label: str
    sigma: float
    kind: str


@dataclass(frozen=True)
class Working:
    """A figure with everything it rests on."""

    title: str
    value: float | str | None
    kind: str
    steps: list[Step]
    budget: list[Part]
    decimals: int | None = 2

    @property
    def sigma(self) -> float | None:
        """The whole doubt, one sigma; None when nothing is known of it."""
        return sqrt(sum(part.sigma**2 for part in self.budget)) if self.budget else None


def _missing() -> NotFound:
    return NotFound("That figure is not there now; go back and press one that is.")


def boil_of_water(day: Day) -> Working:
    """Where water boils here today.

    Raises:
        NotFound: it is not known.
    """
    if day.pressure is None:
        raise _missing()
    steps, budget = _boil(day.pressure)
    return Working("Water boils here today at", day.pressure.boil_c, "temperature", steps, budget)


def _boil(pressure: Pressure) -> tuple[list[Step], list[Part]]:
    steps = [
        Step("pressure here", pressure.pa / 100, "pressure", BASES.get(pressure.basis, pressure.basis), 1),
        Step("water boils at", pressure.boil_c, "temperature", IF97),
    ]  # fmt: skip
    return steps, [Part("the pressure", pressure.boil_sigma_k, "difference")]


def rung(day: Day, key: str) -> Working:
    """One mark of the heat ladder.

    Raises:
        NotFound: there is no such rung today.
    """
    found = next((r for r in day.rungs if r.key == key), None)
    if found is None or day.pressure is None:
        raise _missing()
    steps, _ = _boil(day.pressure)
    curve = sucrose.boiling_sigma_k(found.brix) if found.brix else 0.0
    steps.append(Step("above water by", found.above_water_k, "difference", _rise_source(found)))
    if found.brix:
        steps.append(Step("which leaves", found.brix, "brix", NORRISH, 1))
    steps.append(Step("true", found.true_c, "temperature"))
    budget = [Part("the boiling curve", curve, "difference")] if curve else []
    steps += _thermometer(day.chosen)
    if day.chosen and day.chosen.boil:
        # A mark is today's reading in boiling water plus the rise: the pressure falls out.
        budget.append(Part("the thermometer", day.chosen.sigma_k, "difference"))
    else:
        budget.append(Part("the pressure", day.pressure.boil_sigma_k, "difference"))
        budget.append(
            Part("a thermometer never tested", thermometer.UNTESTED_SIGMA_K, "difference")
        )
    name = day.chosen.instrument.name if day.chosen else "A true thermometer"
    return Working(f"{found.label}: {name} shows", found.shown_c, "temperature", steps, budget)


def _rise_source(of: Rung) -> str:
    if of.rank == "candy":
        return "the middle of the trade's range"
    return NORRISH if of.brix else ("" if of.key == "water" else "a habit of the trade")


def _thermometer(today: ThermometerToday | None) -> list[Step]:
    if today is None or today.boil is None:
        return [Step("thermometer", "taken at its word", "", "no test boil in use")]
    held = today.calibration
    steps = [
        Step("test boil showed", today.boil.reading_c, "temperature", today.instrument.name),
        Step("reads high by", held.offset_k, "difference", "at the boil of water"),
    ]
    if held.slope:
        steps.append(
            Step("and for each 10 K above", 10 * held.slope, "difference", "from melting ice")
        )
    return steps


def density(board: Board) -> Working:
    """The joint density of a pan."""
    steps = []
    budget = []
    believed = board.believed or board.joint
    for word in board.evidence.words:
        steps.append(
            Step(
                f"{word.estimate.label} said", word.reading.brix, "brix",
                f"at {board.context.clock(word.reading.at)}, corrected",
            )
        )  # fmt: skip
        steps.append(
            Step(
                "carried to now", f"{word.estimate.brix:.2f} ± {word.estimate.sigma_brix:.2f} Brix",
                "", "along the fitted mass balance",
            )
        )  # fmt: skip
        share = believed.sigma_brix**2 / word.estimate.sigma_brix
        if word.estimate.label != board.odd:
            budget.append(Part(word.estimate.label, share, "brix"))
    if len(board.evidence.words) > 1:
        steps.append(
            Step(
                "χ² per degree of freedom", f"{board.joint.chi2_per_dof:.2f}", "",
                "inverse-variance mean; above 3 they disagree",
            )
        )  # fmt: skip
    if board.by_balance:
        why = (
            "it knows more than the instruments of the moment" if board.evidence.words
            else "no instrument has spoken"
        )  # fmt: skip
        steps.append(Step("by the mass balance", board.balance.brix, "brix", why))
        fitted = sqrt(max(board.balance.sigma_brix**2 - BALANCE_SIGMA_BRIX**2, 0.0))
        budget = [
            Part("take-in, rate and all readings", fitted, "brix"),
            Part("the burner and the boiling curve", min(BALANCE_SIGMA_BRIX, believed.sigma_brix), "brix"),
        ]  # fmt: skip
    if board.odd:
        steps.append(Step("left out", board.odd, "", "it stands alone"))
    return Working("Density now", believed.brix, "brix", steps, budget)


def minutes(board: Board) -> Working:
    """The minutes left."""
    seen, fitted = board.evidence, board.evidence.fitted
    wants = board.context.batch.target_brix
    finish = fitted.minute_of(wants)
    steps = [
        *_mass_steps(board),
        Step("boils off in an hour", 60 * fitted.rate_kg_per_min, "mass",
             f"weighted least squares over {len(seen.readings)} readings, {len(seen.probe_samples)} "
             "minutes of probe, and the vessel’s past"),
        Step("water left", board.verdict.water_kg, "mass", "m − solids / target"),
        Step("90 % range", f"{board.low_left:.0f} to "
             f"{'?' if board.high_left is None else f'{board.high_left:.0f}'} min", "", "Fieller’s limits"),
    ]  # fmt: skip
    budget = []
    if isfinite(finish) and fitted.rate_kg_per_min > 0:
        var_m, var_r, cov = fitted.variance
        whole = sqrt(max(var_m - 2 * finish * cov + finish**2 * var_r, 0)) / fitted.rate_kg_per_min
        budget = [Part("mass and rate together", whole, "minutes")]
    return Working("Minutes left", board.minutes_left, "minutes", steps, budget, 1)


def _mass_steps(board: Board) -> list[Step]:
    return [
        Step("solids", board.evidence.fitted.solids_kg[-1], "mass", "taken in, and conserved"),
        Step("mass now", board.mass_kg, "mass", "solids / density now"),
    ]


def water_left(board: Board) -> Working:
    """The water still to drive off."""
    wants = board.context.batch.target_brix
    believed = board.believed or board.joint
    share = believed.sigma_brix / believed.brix * board.mass_kg
    return Working(
        "Water to go", board.verdict.water_kg, "mass",
        [*_mass_steps(board), Step("target", wants, "brix", "this batch’s"),
         Step("mass at the target", board.mass_kg - board.verdict.water_kg, "mass", "solids / target")],
        [Part("the density", share, "mass")],
    )  # fmt: skip


def cup_mark(board: Board) -> Working:
    """The mark the stem must float at.

    Raises:
        NotFound: no hydrometer is registered.
    """
    cup = board.cup
    if cup is None or cup.mark_brix is None:
        raise _missing()
    own = hydrometer_of(board.context.db, cup.instrument, board.context.now)
    per_k = own.mark(60.0, 90.0) - own.mark(60.0, 89.0)
    steps = [
        Step("density wanted", board.verdict.draw_at_brix, "brix", "target less the draw margin", 1),
        Step("cup", cup.cup_c, "temperature", "assumed" if cup.assumed else "as last read"),
        Step("scale true at", own.calibration_temperature_c, "temperature", own.glass),
        Step("of the computed shift", f"{own.shift:.3f}", "", "its pairs or hot mark" if own.shift != 1 else "as computed"),
        Step("its scale shows too much by", own.offset_brix, "brix", "checks in known solutions"),
        Step("each 10 K of cup moves it by", 10 * per_k, "brix", ICUMSA),
    ]  # fmt: skip
    doubt = 8.0 if cup.assumed else 2.0
    budget = [
        Part(f"the cup, ± {doubt:g} K", abs(per_k) * doubt, "brix"),
        Part("eye and stem", 0.2, "brix"),
    ]
    return Working(f"{cup.instrument.name} must float at", cup.mark_brix, "brix", steps, budget)


def heat_mark(board: Board) -> Working:
    """What the thermometer shows when it is done.

    Raises:
        NotFound: where water boils is not known.
    """
    if board.draw_shown_c is None:
        raise _missing()
    today = board.thermometer
    steps = [
        Step("density wanted", board.verdict.draw_at_brix, "brix", "target less the draw margin", 1)
    ]
    if board.pressure:
        steps += _boil(board.pressure)[0]
    steps.append(
        Step("sugar kind", board.context.batch.sugar_kind, "", "its invert share moves the boil")
    )
    steps += _thermometer(today)
    sigma = today.sigma_k if today else thermometer.UNTESTED_SIGMA_K
    budget = [
        Part("the thermometer", sigma, "difference"),
        Part(
            "the boiling curve", sucrose.boiling_sigma_k(board.verdict.draw_at_brix), "difference"
        ),
    ]
    name = today.instrument.name if today else "A true thermometer"
    return Working(f"{name} shows when done", board.draw_shown_c, "temperature", steps, budget)


def depth(board: Board) -> Working:
    """The depth that means done.

    Raises:
        NotFound: the vessel's depth cannot be told.
    """
    if board.depth_done_mm is None or board.pressure is None:
        raise _missing()
    vessel, wants = board.context.vessel, board.context.batch.target_brix
    boils = sucrose.boiling_point_c(wants, board.pressure.pa, board.context.invert_fraction)
    cold = 100 * board.evidence.fitted.solids_kg[-1] / wants
    litres = cold / sucrose.density_kg_m3(wants, 20.0) * 1000
    ratio = hot_volume_ratio(wants, min(boils, 115.0))
    sizes = " × ".join(board.context.show(size, "depth") for size in vessel.sizes_mm)
    return Working(
        "Depth that means done", board.depth_done_mm, "depth",
        [Step("solids", board.evidence.fitted.solids_kg[-1], "mass", "taken in, and conserved"),
         Step("volume at the target, 20 °C", litres, "volume", "ICUMSA SPS-4 density"),
         Step("bigger at the boil by", f"{100 * (ratio - 1):.1f} %", "", "the same density, hot"),
         Step("vessel", f"{vessel.name}: {vessel.shape}, {sizes}", "", "as registered")],
        [Part("take-in and vessel", 0.01 * board.depth_done_mm, "depth")], 0,
    )  # fmt: skip


def line(context: BatchContext, entry_id: str) -> Working:
    """One line of the slip.

    Raises:
        NotFound: there is no such line.
    """
    found = next((row for row in slip.lines(context) if row.entry.id == entry_id), None)
    if found is None:
        raise _missing()
    typed = "; ".join(f"{name} {text}" for name, text in found.entry.typed.items())
    if found.reading is not None:
        reading = found.reading
        steps = [Step(label, value, kind, source) for label, value, kind, source in reading.steps]
        if reading.refusal:
            steps.append(Step("says nothing of density", reading.refusal))
        budget = [Part(label, sigma, "brix") for label, sigma in reading.budget]
        steps.append(Step("typed", typed, "", "kept for ever"))
        return Working(found.title, reading.brix, "brix", steps, budget)
    facts = [
        Step(name.replace("_", " "), _plain(value))
        for name, value in found.entry.facts.items()
        if isinstance(value, int | float | str) and value != "" and not name.endswith("_id")
    ]
    steps = [*facts, Step("typed", typed or "by one press", "", "kept for ever")]
    return Working(found.title, found.value or found.detail or "on the slip", "", steps, [])


def _plain(value: float | str) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{value:.4g}" if isinstance(value, float) else str(value)


OF_PAN: dict[str, Callable[[Board], Working]] = {
    "density": density, "minutes": minutes, "water": water_left, "cup": cup_mark,
    "heat": heat_mark, "depth": depth,
}  # fmt: skip


def of_pan(board: Board, figure: str) -> Working:
    """A figure of the pan's board by its name.

    Raises:
        NotFound: there is no such figure, or not now.
    """
    if figure not in OF_PAN:
        raise _missing()
    return OF_PAN[figure](board)
