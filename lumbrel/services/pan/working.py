"""The pan's figures, with how they came about."""

from collections.abc import Callable
from datetime import timedelta
from math import sqrt

from lumbrel.core.bench import thermometer
from lumbrel.core.pan.fit import NINETY_PERCENT
from lumbrel.core.pan.vessel import hot_volume_ratio
from lumbrel.core.physics import sucrose
from lumbrel.services.base.codes import called
from lumbrel.services.base.working import ICUMSA, DoubtPart, Step, Working, missing
from lumbrel.services.bench.correct_steps import shift_steps
from lumbrel.services.bench.curves import hydrometer_of
from lumbrel.services.day.working import boil_steps, thermometer_steps
from lumbrel.services.pan.belief import LEAST_SIGMA_BRIX
from lumbrel.services.pan.board import Board
from lumbrel.services.pan.evidence_words import Word
from lumbrel.words import _, bare, joined, number, share


def density(board: Board) -> Working:
    """The joint density of a pan."""
    seen = board.evidence
    believed = board.believed or board.joint
    steps = [step for word in seen.words for step in _word_steps(board, word)]
    if len(seen.words) > 1:
        chi2 = number(board.joint.chi2_per_dof, 2)
        steps.append(Step(_("χ² per degree of freedom"), chi2, "", _("how far they lie apart")))
    why = _("take-in, rate and every reading together, as the likeliest path")
    if board.stands:
        why = _("the draw-off since its last draw, its last while above all")
    steps.append(Step(_("the fitted boil"), board.balance.brix, "brix", why))
    budget = _fit_budget(board)
    if board.odd:
        steps.append(Step(_("left out"), board.odd, "", _("disagrees with the rest")))
    return Working(title=_("Density now"), value=believed.brix, kind="brix", steps=steps, budget=budget)


def _word_steps(board: Board, word: Word) -> list[Step]:
    said = word.estimate
    at = _("at {at}, corrected", at=board.context.clock(word.reading.at))
    now = _("{brix} ± {sigma} Brix", brix=number(said.brix, 2), sigma=number(said.sigma_brix, 2))
    return [
        Step(_("{said_label} said", said_label=said.label), word.reading.brix, "brix", at),
        Step(_("carried to now"), now, "", _("along the fitted mass balance")),
    ]


def _fit_budget(board: Board) -> list[DoubtPart]:
    known = board.believed or board.joint
    fitted = sqrt(max(known.sigma_brix**2 - LEAST_SIGMA_BRIX**2, 0.0))
    return [
        DoubtPart(_("take-in, rate, burner, curve and all readings"), fitted, "brix"),
        DoubtPart(_("what no fit knows better"), min(LEAST_SIGMA_BRIX, known.sigma_brix), "brix"),
    ]


def minutes(board: Board) -> Working:
    """The minutes left."""
    seen, fitted = board.evidence, board.evidence.fitted
    if board.stands:
        return _minutes_to_the_draw(board)
    steps = [
        *_mass_steps(board),
        Step(
            _("boils off in an hour"),
            60 * fitted.rate_kg_per_min,
            "mass",
            _(
                "the likeliest by {count} readings, {count_2} whiles of probe, and the vessel’s past",
                count=len(seen.readings),
                count_2=len(seen.probe_samples),
            ),
        ),
        Step(_("water left"), board.verdict.water_kg, "mass", _("m − solids / target")),
        Step(
            _("90 % range"),
            _(
                "{low_left} to {value} min",
                low_left=number(board.low_left, 0),
                value="?" if board.high_left is None else number(board.high_left, 0),
            ),
            "",
            _("of likely paths, a turned burner among them"),
        ),
    ]
    apart = (board.minutes_left - board.low_left) / NINETY_PERCENT
    budget = [DoubtPart(_("mass, rate, and the burner from now on"), apart, "minutes")]
    return Working(
        title=_("Minutes left"),
        value=board.minutes_left,
        kind="minutes",
        steps=steps,
        budget=budget,
        decimals=1,
    )


def _minutes_to_the_draw(board: Board) -> Working:
    """Those of a continuous pan."""
    seen = board.evidence
    climb = seen.climb
    assert climb is not None
    gone = (board.context.now - seen.climbs_from) / timedelta(minutes=1)
    rise = seen.fitted.rise_brix_per_min(max(seen.minute(board.context.now), 0.0))
    steps = [
        Step(
            _("the last draw was"),
            _("{gone} min ago", gone=number(gone, 0)),
            "",
            _("or it began to boil then"),
        ),
        Step(
            _("such a climb takes"),
            _("{minutes} min", minutes=number(climb.minutes, 0)),
            "",
            _("by the sugar drawn and its rate"),
        ),
        Step(_("at the draw-off now"), board.balance.brix, "brix", _("by every reading since")),
        Step(_("climbs in a minute by"), rise, "brix", _("by the readings of the last while")),
    ]
    apart = (board.minutes_left - board.low_left) / NINETY_PERCENT
    return Working(
        title=_("Minutes to the draw"),
        value=board.minutes_left,
        kind="minutes",
        steps=steps,
        budget=[DoubtPart(_("how such climbs go on, and the fire"), apart, "minutes")],
        decimals=1,
    )


def _mass_steps(board: Board) -> list[Step]:
    return [
        Step(_("solids"), board.evidence.fitted.solids_kg[-1], "mass", _("taken in, and conserved")),
        Step(_("mass now"), board.mass_kg, "mass", _("solids / density now")),
    ]


def water_left(board: Board) -> Working:
    """The water still to drive off."""
    if board.stands:
        raise missing()
    wanted_brix = board.context.batch.target_brix
    believed = board.believed or board.joint
    share = believed.sigma_brix / believed.brix * board.mass_kg
    return Working(
        title=_("Water to go"),
        value=board.verdict.water_kg,
        kind="mass",
        steps=[
            *_mass_steps(board),
            Step(_("target"), wanted_brix, "brix", _("this batch’s")),
            Step(
                _("mass at the target"), board.mass_kg - board.verdict.water_kg, "mass", _("solids / target")
            ),
        ],
        budget=[DoubtPart(_("the density"), share, "mass")],
    )


def cup_mark(board: Board) -> Working:
    """The mark the stem must float at.

    Raises:
        NotFound: no hydrometer is registered.
    """
    cup = board.cup
    if cup is None or cup.mark_brix is None:
        raise missing()
    context = board.context
    own = hydrometer_of(context.db, cup.instrument, context.now, context.invert_fraction)
    per_k = own.mark(60.0, 90.0) - own.mark(60.0, 89.0)
    steps = [
        Step(_("density wanted"), board.verdict.draw_at_brix, "brix", _("target less the draw margin"), 1),
        Step(_("cup"), cup.cup_c, "temperature", _("assumed") if cup.assumed else _("as last read")),
        Step(_("scale true at"), own.calibration_temperature_c, "temperature", called(own.glass)),
        Step(
            _("of the computed shift"),
            number(own.shift, 3),
            "",
            _("its pairs or hot mark") if own.shift != 1 else _("as computed"),
        ),
        Step(_("its scale shows too much by"), own.offset_brix, "brix", _("checks in known solutions")),
        Step(_("each 10 K of cup moves it by"), 10 * per_k, "brix", ICUMSA),
    ]
    doubt = 8.0 if cup.assumed else 2.0
    budget = [
        DoubtPart(_("the cup, ± {doubt} K", doubt=bare(doubt)), abs(per_k) * doubt, "brix"),
        DoubtPart(_("eye and stem"), 0.2, "brix"),
    ]
    return Working(
        title=_("{instrument} must float at", instrument=cup.instrument.name),
        value=cup.mark_brix,
        kind="brix",
        steps=steps,
        budget=budget,
    )


def heat_mark(board: Board) -> Working:
    """What the thermometer shows when it is done.

    Raises:
        NotFound: where water boils is not known.
    """
    if board.draw_shown_c is None:
        raise missing()
    today = board.thermometer
    steps = [
        Step(_("density wanted"), board.verdict.draw_at_brix, "brix", _("target less the draw margin"), 1)
    ]
    if board.pressure:
        steps += boil_steps(board.pressure)[0]
    steps.append(
        Step(_("sugar kind"), board.context.batch.sugar_kind, "", _("its invert share moves the boil"))
    )
    shift = board.context.boil_shift
    steps += [Step(s.label, s.value, s.kind, s.source) for s in shift_steps(shift)]
    steps += thermometer_steps(today)
    sigma = today.sigma_k if today else thermometer.UNTESTED_SIGMA_K
    budget = [
        DoubtPart(_("the thermometer"), sigma, "difference"),
        DoubtPart(
            _("the boil of real syrup"),
            sucrose.syrup_sigma_k(board.verdict.draw_at_brix, board.context.invert_fraction, shift.sigma_k),
            "difference",
        ),
    ]
    name = today.instrument.name if today else _("A true thermometer")
    return Working(
        title=_("{name} shows when done", name=name),
        value=board.draw_shown_c,
        kind="temperature",
        steps=steps,
        budget=budget,
    )


def depth(board: Board) -> Working:
    """The depth that means done.

    Raises:
        NotFound: the vessel's depth cannot be told.
    """
    if board.depth_done_mm is None or board.pressure is None or board.stands:
        raise missing()
    vessel, wanted_brix = board.context.vessel, board.context.batch.target_brix
    boils = sucrose.boiling_point_c(wanted_brix, board.pressure.pa, board.context.invert_fraction)
    cold = 100 * board.evidence.fitted.solids_kg[-1] / wanted_brix
    litres = cold / sucrose.density_kg_m3(wanted_brix, 20.0) * 1000
    ratio = hot_volume_ratio(wanted_brix, min(boils, 115.0))
    sizes = joined(" × ", (board.context.show(size, "depth") for size in vessel.sizes_mm))
    return Working(
        title=_("Depth that means done"),
        value=board.depth_done_mm,
        kind="depth",
        steps=[
            Step(_("solids"), board.evidence.fitted.solids_kg[-1], "mass", _("taken in, and conserved")),
            Step(_("volume at the target, 20 °C"), litres, "volume", _("ICUMSA SPS-4 density")),
            Step(_("bigger at the boil by"), share(ratio - 1, 1), "", _("the same density, hot")),
            Step(
                _("vessel"),
                joined("", (vessel.name, ": ", called(vessel.shape), ", ", sizes)),
                "",
                _("as registered"),
            ),
        ],
        budget=[DoubtPart(_("take-in and vessel"), 0.01 * board.depth_done_mm, "depth")],
        decimals=0,
    )


OF_PAN: dict[str, Callable[[Board], Working]] = {
    "density": density,
    "minutes": minutes,
    "water": water_left,
    "cup": cup_mark,
    "heat": heat_mark,
    "depth": depth,
}


def of_pan(board: Board, figure: str) -> Working:
    """A figure of the pan's board by its name.

    Raises:
        NotFound: there is no such figure, or not now.
    """
    if figure not in OF_PAN:
        raise missing()
    return OF_PAN[figure](board)
