"""Where water boils and the marks of the ladder, with how they came about."""

from lumbrel.core.bench import thermometer
from lumbrel.core.pan import target
from lumbrel.core.physics import sucrose
from lumbrel.services.base.working import BASES, IF97, MARGULES, DoubtPart, Step, Working, missing
from lumbrel.services.day.ladder import DayCheck, Rung
from lumbrel.services.day.pressure import Pressure
from lumbrel.services.day.thermometers import ThermometerToday
from lumbrel.words import _


def boil_of_water(day: DayCheck) -> Working:
    """Where water boils here today.

    Raises:
        NotFound: it is not known.
    """
    if day.pressure is None:
        raise missing()
    steps, budget = boil_steps(day.pressure)
    return Working(
        title=_("Water boils here today at"),
        value=day.pressure.boil_c,
        kind="temperature",
        steps=steps,
        budget=budget,
    )


def boil_steps(pressure: Pressure) -> tuple[list[Step], list[DoubtPart]]:
    """How water's boil follows from the pressure, and its doubt."""
    steps = [
        Step(_("pressure here"), pressure.pa / 100, "pressure", BASES.get(pressure.basis, pressure.basis), 1),
        Step(_("water boils at"), pressure.boil_c, "temperature", IF97),
    ]
    return steps, [DoubtPart(_("the pressure"), pressure.boil_sigma_k, "difference")]


def rung(day: DayCheck, key: str) -> Working:
    """One mark of the heat ladder.

    Raises:
        NotFound: there is no such rung today.
    """
    found = next((r for r in day.rungs if r.key == key), None)
    if found is None or day.pressure is None:
        raise missing()
    steps, _any = boil_steps(day.pressure)
    invert = target.DEFAULT_INVERT_FRACTION[day.sugar_kind]
    curve = sucrose.syrup_sigma_k(found.brix, invert) if found.brix else 0.0
    steps.append(Step(_("above water by"), found.above_water_k, "difference", _rise_source(found)))
    if found.brix:
        steps.append(Step(_("which leaves"), found.brix, "brix", MARGULES, 1))
    steps.append(Step(_("true"), found.true_c, "temperature"))
    budget = [DoubtPart(_("the boil of real syrup"), curve, "difference")] if curve else []
    steps += thermometer_steps(day.chosen)
    if day.chosen and day.chosen.boil:
        # A mark is today's reading in boiling water plus the rise: the pressure falls out.
        budget.append(DoubtPart(_("the thermometer"), day.chosen.sigma_k, "difference"))
    else:
        budget.append(DoubtPart(_("the pressure"), day.pressure.boil_sigma_k, "difference"))
        budget.append(DoubtPart(_("a thermometer never tested"), thermometer.UNTESTED_SIGMA_K, "difference"))
    name = day.chosen.instrument.name if day.chosen else _("A true thermometer")
    return Working(
        title=_("{found_label}: {name} shows", found_label=found.label, name=name),
        value=found.shown_c,
        kind="temperature",
        steps=steps,
        budget=budget,
    )


def _rise_source(of: Rung) -> str:
    if of.rank == "candy":
        return _("the middle of the trade's range")
    return MARGULES if of.brix else ("" if of.key == "water" else _("a habit of the trade"))


def thermometer_steps(today: ThermometerToday | None) -> list[Step]:
    """What is taken off what a thermometer shows."""
    if today is None or today.boil is None:
        return [Step(_("thermometer"), _("taken at its word"), "", _("no test boil in use"))]
    held = today.calibration
    steps = [
        Step(_("test boil showed"), today.boil.facts.reading_c, "temperature", today.instrument.name),
        Step(_("reads high by"), held.offset_k, "difference", _("at the boil of water")),
    ]
    if held.slope:
        steps.append(Step(_("and for each 10 K above"), 10 * held.slope, "difference", _("from melting ice")))
    return steps
