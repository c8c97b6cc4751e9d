"""Hydrometer, refractometer, and what the instruments say together."""

from dataclasses import replace
from typing import Annotated

from pydantic import Field

from lumbrel.core.bench import evidence, hydrometer, refractometer
from lumbrel.core.bench.hydrometer import HotMark, Hydrometer
from lumbrel.core.errors import OutOfRange
from lumbrel.core.physics import baume as baumes
from lumbrel.services.base.calculation import (
    ICUMSA_DENSITY,
    TABLE_1936,
    Answer,
    Glass,
    Request,
    WorkingStep,
    calculation,
    step,
)
from lumbrel.services.day.calculations import BrixAnswer
from lumbrel.words import _, bare


class HotMarkModel(Request):
    """A mark printed for hot syrup: it reads so at this temperature when the syrup is true."""

    reading_brix: float
    temperature_c: float
    true_brix: float


class PairModel(Request):
    """One draw read hot at the pan and cold later."""

    hot_brix: float
    hot_cup_c: float
    cold_brix: float
    cold_cup_c: float


class HydrometerModel(Request):
    """The instrument."""

    cup_temperature_c: float
    calibration_temperature_c: float = 15.56
    glass: Glass = "soda-lime"
    hot_mark: HotMarkModel | None = None
    pairs: Annotated[
        list[PairModel],
        Field(max_length=200, description="Hot and cold readings of the same draws; two or more"),
    ] = []
    scale_error_brix: Annotated[
        float, Field(description="What the scale shows too much, by a check in a known solution")
    ] = 0.0

    def instrument(self) -> Hydrometer:
        """The instrument as core knows it."""
        calibrated = self.calibration_temperature_c
        if calibrated == 15.56:
            calibrated = hydrometer.SIXTY_F_C
        plain = Hydrometer(calibrated, self.glass, 1.0, self.scale_error_brix)
        if self.pairs:
            taught, _any = hydrometer.shift_from_pairs(
                plain, [(p.hot_brix, p.hot_cup_c, p.cold_brix, p.cold_cup_c) for p in self.pairs]
            )
            return replace(plain, shift=taught)
        if self.hot_mark is None:
            return plain
        mark = self.hot_mark
        return hydrometer.with_hot_mark(plain, HotMark(mark.reading_brix, mark.temperature_c, mark.true_brix))


class HydrometerRequest(HydrometerModel):
    """A reading at the cup's temperature."""

    reading_brix: float


class MarkRequest(HydrometerModel):
    """A density to look for at the cup's temperature."""

    target_brix: float


class MarkAnswer(Answer):
    """Where the stem must float."""

    reading_brix: float
    reading_baume: float | None = None


@calculation("hydrometer/correct")
def hydrometer_correct(request: HydrometerRequest) -> BrixAnswer:
    """True Brix from a hydrometer read in a warm or cold cup."""
    instrument = request.instrument()
    said = hydrometer.estimate(instrument, request.reading_brix, request.cup_temperature_c)
    working = [
        step(_("stem floats at"), request.reading_brix, _("Brix"), "given"),
        step("cup", request.cup_temperature_c, "°C", "given"),
        *_about(instrument),
        step(
            _("corrected by"),
            said.brix - request.reading_brix,
            _("Brix"),
            _("buoyancy, {ICUMSA_DENSITY}", ICUMSA_DENSITY=ICUMSA_DENSITY),
        ),
        step("density", said.brix, _("Brix")),
        step(_("one sigma"), said.sigma_brix, _("Brix"), _("0.2 in a cold cup, 0.5 in a hot one")),
    ]
    return BrixAnswer(brix=said.brix, uncertainty_brix=said.sigma_brix, working=working)


@calculation("hydrometer/mark")
def hydrometer_mark(request: MarkRequest) -> MarkAnswer:
    """Where the stem must float for a density at the cup's temperature."""
    instrument = request.instrument()
    mark = instrument.mark(request.target_brix, request.cup_temperature_c)
    working = [
        step(_("density wanted"), request.target_brix, _("Brix"), "given"),
        step("cup", request.cup_temperature_c, "°C", "given"),
        *_about(instrument),
        step(
            _("stem must float at"),
            mark,
            _("Brix"),
            _("buoyancy, {ICUMSA_DENSITY}", ICUMSA_DENSITY=ICUMSA_DENSITY),
        ),
    ]
    degrees = baumes.from_brix(mark) if 0 <= mark <= 85 else None
    working.append(step(_("on the Baumé scale"), degrees, "°Bé", _("145 − 145 / SG")))
    return MarkAnswer(reading_brix=mark, reading_baume=degrees, working=working)


def _about(instrument: Hydrometer) -> list[WorkingStep]:
    wrong = instrument.offset_brix
    return [
        *([step(_("scale shows too much by"), wrong, _("Brix"), "given")] if wrong else []),
        step(_("scale true at"), instrument.calibration_temperature_c, "°C", instrument.glass),
        step(
            _("of the computed shift"),
            instrument.shift,
            "",
            _("1 unless a hot mark or its own pairs bend it"),
        ),
    ]


class BaumeAnswer(Answer):
    """The same place on both scales."""

    brix: float
    baume: float


@calculation("hydrometer/baume")
def baume_scale(*, brix: float | None = None, baume: float | None = None) -> BaumeAnswer:
    """A figure of the stem on its Brix and on its Baumé scale.

    A stem's figure on one of its scales; give one of them.
    """
    if (brix is None) == (baume is None):
        raise OutOfRange(_("Give the figure in brix or in baume, one of them."), "brix")
    brix = baumes.to_brix(baume) if baume is not None else brix
    assert brix is not None
    degrees = baumes.from_brix(brix)
    working = [
        step(_("on the Brix scale"), brix, _("Brix")),
        step(_("on the Baumé scale"), degrees, "°Bé", _("145 − 145 / specific gravity 60/60 °F")),
    ]
    return BaumeAnswer(brix=brix, baume=degrees, working=working)


@calculation("refractometer/correct")
def refractometer_correct(
    *,
    reading_brix: float,
    sample_temperature_c: float,
    automatic_compensation: bool = False,
    invert_percent: Annotated[float, Field(description="Invert sugar, percent of the sample")] = 0.0,
    zero_brix: Annotated[float, Field(description="What it shows too much, by a check with water")] = 0.0,
) -> BrixAnswer:
    """True Brix from a refractometer reading at the sample's temperature.

    A drop on the prism.
    """
    said = refractometer.estimate(
        reading_brix, sample_temperature_c, automatic_compensation, invert_percent, zero_brix=zero_brix
    )
    correction = refractometer.temperature_correction(reading_brix, sample_temperature_c)
    compensated = automatic_compensation
    working = [
        step(_("prism shows"), reading_brix, _("Brix"), "given"),
        step("sample", sample_temperature_c, "°C", "given"),
        step(
            "temperature",
            0.0 if compensated else correction,
            _("Brix"),
            _("compensated by the instrument") if compensated else TABLE_1936,
        ),
        step("zero", -zero_brix, _("Brix"), _("its check with water")),
        step(
            _("invert sugar"),
            refractometer.INVERT_BRIX_PER_PERCENT * invert_percent,
            _("Brix"),
            _("0.022 for each percent"),
        ),
        step("density", said.brix, _("Brix")),
        step(_("one sigma"), said.sigma_brix, _("Brix")),
    ]
    return BrixAnswer(brix=said.brix, uncertainty_brix=said.sigma_brix, working=working)


class ReadingModel(Request):
    """One instrument's corrected word."""

    label: Annotated[str, Field(max_length=60)] = "reading"
    brix: float
    uncertainty_brix: float


class AgreementAnswer(Answer):
    """The joint value, and whether it may be believed."""

    brix: float
    uncertainty_brix: float
    chi2_per_dof: float
    agree: bool
    odd_one_out: str | None


@calculation("agreement")
def agreement(
    *, readings: Annotated[list[ReadingModel], Field(min_length=1, max_length=200)]
) -> AgreementAnswer:
    """The joint density of several instruments, and the odd one out when they disagree.

    Corrected readings of the same syrup at the same moment.
    """
    estimates = [
        evidence.Estimate(reading.label, reading.brix, reading.uncertainty_brix) for reading in readings
    ]
    joint = evidence.agreement(estimates)
    odd = None if joint.odd_one_out is None else estimates[joint.odd_one_out].label
    working = [
        *(
            step(e.label, e.brix, _("Brix"), _("one sigma {sigma}", sigma=bare(e.sigma_brix)))
            for e in estimates
        ),
        step(_("joint value"), joint.brix, _("Brix"), _("inverse-variance mean")),
        step(_("one sigma"), joint.sigma_brix, _("Brix")),
        step(_("chi-squared per degree of freedom"), joint.chi2_per_dof, "", _("above 3 they disagree")),
    ]
    return AgreementAnswer(
        brix=joint.brix,
        uncertainty_brix=joint.sigma_brix,
        chi2_per_dof=joint.chi2_per_dof,
        agree=joint.agree,
        odd_one_out=odd,
        working=working,
    )
