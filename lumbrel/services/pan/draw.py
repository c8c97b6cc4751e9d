"""Draw off: the decision, with the figures it was made on."""

from dataclasses import replace
from datetime import timedelta

from lumbrel.core.pan.vessel import hot_volume_ratio
from lumbrel.core.physics import sucrose
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import DrawFacts, PartDrawFacts, PutInFacts
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.base.line import Line
from lumbrel.services.pan.board import Board, board_of
from lumbrel.services.pan.boiled import boil_at
from lumbrel.services.pan.continuous import boiled_minutes
from lumbrel.services.pan.heats import heat_off
from lumbrel.services.pan.promise import promise
from lumbrel.words import _, number

THIN_BRIX = 1.5
"""So far under the target, a draw is asked about."""
ALL_BUT, IMPOSSIBLE = 0.95, 1.5
LEAST_MINUTES = 5.0
"""A boil teaches a vessel's rate from so long on."""

READ = Bounds("brix", "brix", 20, 85, _("The Brix of a draw must be between 20 and 85, corrected."))
READ_SIGMA = 0.4
VOLUME = Bounds("litres", "volume", 0.05, 2000, _("What was drawn must be between 0.05 and 2000 L."))
HOT_DRAW_C = 100.0
NOTED_WITHIN = timedelta(minutes=12)
MASS = Bounds("mass", "mass", 0.1, 5000, _("What was drawn must weigh between 0.1 and 5000 kg."))


def draw(form: Form, context: BatchContext) -> DrawFacts:
    """Draw off: the joint density, target and mass at this moment are kept with it."""
    board = board_of(context)
    if board.stands:
        form.errors["kind"] = _(
            "A continuous pan is drawn a part at a time. What stands in it at the end is poured "
            "on, or stays for the next batch."
        )
    mass = form.between(MASS, required=False)
    mass_kg, weighed = board.mass_kg if mass is None else mass, mass is not None
    if context.corrects and isinstance(context.corrects.facts, DrawFacts):
        # What was believed as it was drawn stays; what it weighed is put right.
        return context.corrects.facts.model_copy(update={"mass_kg": mass_kg, "weighed": weighed})
    _ask_when_thin(form, board)
    known = board.believed or board.joint
    seen = board.evidence.fitted.followed_to >= LEAST_MINUTES
    return DrawFacts(
        brix=known.brix,
        sigma_brix=known.sigma_brix,
        target_brix=context.batch.target_brix,
        mass_kg=mass_kg,
        weighed=weighed,
        call=board.verdict.call.value,
        chi2_per_dof=board.joint.chi2_per_dof,
        rate_kg_per_min=rate_seen(board),
        promise_brix=promise(board).within_brix,
        strays=board.evidence.fitted.strays_seen if seen else None,
        boil=boil_at(board),
    )


def part_draw(form: Form, context: BatchContext) -> PartDrawFacts | None:
    """A part drawn off while the rest boils on."""
    board = _as_it_was_drawn(board_of(context))
    read = form.between(READ, required=False)
    mass = _drawn_kg(form, board, read)
    old = context.corrects.facts if context.corrects else None
    if read is None and old is None:
        _ask_when_thin(form, board)
    if mass is None:
        return None
    if mass > board.mass_kg * IMPOSSIBLE:
        form.errors["mass"] = _(
            "Only about {mass} kg is in the pan by the arithmetic.", mass=number(board.mass_kg, 1)
        )
    elif mass >= board.mass_kg * ALL_BUT:
        form.ask(
            "mass",
            _(
                "That is all there is, about {mass} kg: a pan run dry burns. If it is empty, draw "
                "off instead.",
                mass=number(board.mass_kg, 1),
            ),
        )
    known = board.believed or board.joint
    weighs = {"mass_kg": mass, "weighed": form.given("mass")}
    if read is not None:
        weighs |= {"brix": read, "sigma_brix": READ_SIGMA}
    if isinstance(old, PartDrawFacts):
        return old.model_copy(update=weighs)
    believed = {
        "brix": known.brix,
        "sigma_brix": known.sigma_brix,
        "target_brix": context.batch.target_brix,
        "call": board.verdict.call.value,
    }
    return PartDrawFacts.model_validate(believed | weighs)


def _as_it_was_drawn(board: Board) -> Board:
    """The board before the draw-off of a continuous pan fell: who notes a draw has made it."""
    seen, now = board.evidence, board.context.now
    if not board.stands or seen.drawn_from is None or now - seen.drawn_from > NOTED_WITHIN:
        return board
    return board_of(replace(board.context, now=seen.drawn_from))


def _drawn_kg(form: Form, board: Board, read: float | None) -> float | None:
    """What a part weighs: on the scale, or by the volume of it, hot as it comes."""
    if not form.fields.get("litres", "").strip():
        return form.between(MASS)
    litres = form.between(VOLUME)
    if form.fields.get("mass", "").strip():
        form.errors["litres"] = _("Give its volume or its weight, not both.")
    if litres is None or form.errors:
        return None
    brix = min((board.believed or board.joint).brix if read is None else read, 80.0)
    hot = hot_volume_ratio(brix, HOT_DRAW_C)
    return litres / hot * sucrose.density_kg_m3(brix, 20) / 1000


def _ask_when_thin(form: Form, board: Board) -> None:
    known = board.believed or board.joint
    short = board.context.batch.target_brix - known.brix
    if board.believed is None:
        form.ask("mass", _("The instruments disagree. One more reading would settle it. Draw all the same?"))
    elif short > max(THIN_BRIX, 2 * known.sigma_brix):
        form.ask(
            "mass",
            _(
                "The joint value is {brix} Brix, {short} under the target: so thin it would ferment. "
                "Draw all the same?",
                brix=number(known.brix, 1),
                short=number(short, 1),
            ),
        )


def rate_seen(board: Board) -> float | None:
    """How fast it boiled off from first to last, whiles without heat left out, kg/min; None when that was
    too short."""
    context = board.context
    if board.stands:
        minutes, driven = boiled_minutes(context), board.stands.driven_off_kg
        known = minutes >= LEAST_MINUTES and driven > 0 and not board.stands.unnoted_l
        return driven / minutes if known else None
    start = board.evidence.boil_start
    cold = sum(
        (min(b, context.now) - a) / timedelta(minutes=1)
        for a, b in heat_off(context, start, context.now)
        if a < context.now
    )
    minute = max(board.evidence.minute(context.now) - cold, 0.1)
    added = sum(e.facts.mass_kg for e in context.of_kind(PutInFacts))
    taken = sum(e.facts.mass_kg for e in context.of_kind(PartDrawFacts))
    taken += sum(e.facts.mass_kg for e in context.poured_out_of_the_pan)
    rate = (board.evidence.fitted.mass0_kg + added - taken - board.mass_kg) / minute
    return rate if minute >= LEAST_MINUTES and rate > 0 else None


def part_words(context: BatchContext, entry: Entry[PartDrawFacts]) -> Line:
    """A part that was drawn, on the slip."""
    facts = entry.facts
    detail = _(
        "a part, for {target}, ± {sigma}",
        target=number(facts.target_brix, 1),
        sigma=number(facts.sigma_brix, 1),
    )
    return Line(
        entry, _("Drew off {mass}", mass=context.show(facts.mass_kg, "mass")), detail, number(facts.brix, 1)
    )


def words(context: BatchContext, entry: Entry[DrawFacts]) -> Line:
    """A draw on the slip."""
    facts = entry.facts
    return Line(
        entry,
        _("Drew off {mass}", mass=context.show(facts.mass_kg, "mass")),
        _("for {target}, ± {sigma}", target=number(facts.target_brix, 1), sigma=number(facts.sigma_brix, 1)),
        number(facts.brix, 1),
    )
