"""The steps of a correction, as they are shown."""

from datetime import datetime

from lumbrel.core.bench import thermometer
from lumbrel.core.bench.evidence import Estimate
from lumbrel.core.bench.hydrometer import LIGHTER_HEXOSES, Hydrometer
from lumbrel.core.pan.boil_shift import Shift
from lumbrel.services.base.corrected import ReadingStep
from lumbrel.services.base.facts import HydrometerFacts
from lumbrel.services.day.pressure import Pressure
from lumbrel.services.day.thermometers import ThermometerToday
from lumbrel.words import _


def hydrometer_steps(own: Hydrometer, facts: HydrometerFacts, said: Estimate) -> tuple[ReadingStep, ...]:
    floats_at = facts.reading_brix
    seen = _("below the scale") if facts.below_scale else _("as read")
    cup = _("assumed") if facts.cup_assumed else _("as read")
    checked = ReadingStep(
        _("its scale shows too much by"), own.offset_brix, "brix", _("checked in a known solution")
    )
    lighter = ReadingStep(
        _("hexoses are lighter: low by"),
        LIGHTER_HEXOSES * own.invert_fraction * said.brix,
        "brix",
        _("give or take 0.5 in birch"),
    )
    learnt = _("its own pairs or hot mark") if own.shift != 1 else _("as computed")
    doubt = _("0.2 cold, 0.5 hot, 0.8 with the cup assumed")
    by = said.brix - floats_at
    return (
        ReadingStep(_("stem floats at"), floats_at, "brix", seen),
        ReadingStep("cup", facts.cup_c, "temperature", cup),
        *([checked] if own.offset_brix else ()),
        *([lighter] if own.invert_fraction else ()),
        ReadingStep(_("scale true at"), own.calibration_temperature_c, "temperature", own.glass),
        ReadingStep(_("of the computed shift"), own.shift, "", learnt),
        ReadingStep(_("corrected by"), by, "brix", _("buoyancy, ICUMSA SPS-4")),
        ReadingStep("density", said.brix, "brix"),
        ReadingStep(_("one sigma"), said.sigma_brix, "brix", doubt),
    )


def thermometer_steps(
    today: ThermometerToday, pressure: Pressure, shown_c: float, said: Estimate, shift: Shift
) -> tuple[ReadingStep, ...]:
    offset, tested = (today.calibration.offset_k, _("test boil") if today.tested else _("no test boil"))
    basis = f"{pressure.basis}, IAPWS-IF97"
    slope = _("through the slope of the boil")
    return (
        ReadingStep(_("shows"), shown_c, "temperature", _("as read")),
        ReadingStep(_("reads high by"), offset, "difference", tested),
        ReadingStep("true", today.calibration.true_c(shown_c), "temperature"),
        ReadingStep(_("water boils at"), pressure.boil_c, "temperature", basis),
        *shift_steps(shift),
        ReadingStep(_("one sigma"), today.sigma_k, "difference"),
        ReadingStep("density", said.brix, "brix", _("Margules water activity")),
        ReadingStep(_("one sigma of it"), said.sigma_brix, "brix", slope),
    )


def shift_steps(shift: Shift) -> tuple[ReadingStep, ...]:
    """What its woodlot's own draws taught of a syrup's boil, if any did."""
    if not shift.draws:
        return ()
    taught = _("taught by {draws} of its draws, read cold", draws=shift.draws)
    return (ReadingStep(_("this woodlot’s syrup boils hotter by"), shift.k, "difference", taught),)


def thermometer_budget(
    said: Estimate, today: ThermometerToday, at: datetime, curve: float
) -> tuple[tuple[str, float], ...]:
    """The parts in kelvin share the sigma in Brix by their squares."""
    drift = 0.0
    if today.boil:
        hours = (at - today.boil.at).total_seconds() / 3600
        drift = thermometer.drift_sigma_k(max(hours, 0.0), today.pressure_change_pa)
    drift = min(drift, today.sigma_k)
    own = (today.sigma_k**2 - drift**2) ** 0.5
    whole = (own**2 + drift**2 + curve**2) ** 0.5
    name = _("the thermometer") if today.tested else _("the thermometer, never tested")
    parts = ((name, own), (_("the air since its test boil"), drift), (_("the boil of real syrup"), curve))
    return tuple((label, said.sigma_brix * k / whole) for label, k in parts if k > 0)


def parts_of(sigma: float, known: tuple[str, float], rest: str) -> tuple[tuple[str, float], ...]:
    """A sigma as a known part and what is left of it in squares."""
    left = max(sigma**2 - known[1] ** 2, 0.0) ** 0.5
    return (known, (rest, left)) if left > 0.01 else (known,)
