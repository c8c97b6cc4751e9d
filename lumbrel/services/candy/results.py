"""What came of a cook, and how it came out, as they are typed."""

from lumbrel.core.candy.clinic import FLAWS
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import TEXTURES, MadeFacts, ScoredFacts
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.base.line import Line
from lumbrel.services.candy.pot import board_at
from lumbrel.services.jar.entries import LOT_CODE
from lumbrel.store import jars
from lumbrel.words import _, in_a_row, joined

GRAMS = Bounds("grams", "piece", 0.5, 20_000, _("A piece or jar must weigh between 0.5 g and 20 kg."))
COUNT = Bounds("count", "count", 1, 20_000, _("Type how many were made, 1 to 20 000."))
MADE = Bounds("made", "mass", 0.01, 500, _("What was made must weigh between 0.01 and 500 kg."))
MOST_LEFT, LEAST_WHOLE = 0.25, 1.05
PACK_ROWS = 3


def made(form: Form, context: BatchContext) -> MadeFacts | None:
    """Packs by what one weighs and how many, or all of it weighed, under a lot code."""
    board = board_at(context, form, ("cool", "stir", "pour"), _("It was made already; correct that line."))
    lot = _lot(form, context)
    nothing = form.ticked("nothing")
    packs = () if nothing else _packs(form)
    weighed = None if nothing else form.between(MADE, required=False)
    if board is None or board.off is None:
        if board is not None and "kind" not in form.errors:
            form.errors["kind"] = _("Take it off the fire first.")
        return None
    whole = board.mass_now_kg
    if nothing and not form.errors:
        return MadeFacts(
            lot=lot, packs=(), made_kg=0.0, left_kg=whole, brix=board.off.facts.brix, weighed=False
        )
    if not packs or form.errors:
        return None
    counted = sum(grams * count for grams, count in packs) / 1000
    total = counted if weighed is None else weighed
    _plausible_amount(form, whole, total, "count" if weighed is None else "made")
    return MadeFacts(
        lot=lot,
        packs=packs,
        made_kg=total,
        left_kg=max(whole - total, 0.0),
        brix=board.off.facts.brix,
        weighed=weighed is not None,
    )


def _plausible_amount(form: Form, whole_kg: float, made_kg: float, name: str) -> None:
    """Ask about more than there is, or so little that a quarter would be left in the pot."""
    have = form.show(whole_kg, "mass")
    if made_kg > whole_kg * LEAST_WHOLE:
        form.ask(name, _("By its boil there are only {have} in the pot. Is that right?", have=have))
    elif made_kg < whole_kg * (1 - MOST_LEFT):
        form.ask(
            name,
            _(
                "By its boil there are {have}; more than a quarter would be left in the pot. Is that right?",
                have=have,
            ),
        )


def _packs(form: Form) -> tuple[tuple[float, int], ...]:
    """Rows of what one weighs and how many."""
    found = []
    for i in range(1, PACK_ROWS + 1):
        names = f"grams_{i}", f"count_{i}"
        if i > 1 and not any(form.given(name) for name in names):
            continue
        weighs = form.between(GRAMS._replace(name=names[0]))
        count = form.between(COUNT._replace(name=names[1]))
        if weighs is not None and count is not None:
            found.append((round(weighs, 3), int(count)))
    return tuple(found)


def _lot(form: Form, context: BatchContext) -> str:
    """The lot code, its own or the cook's."""
    typed = form.text("lot", limit=24) or context.batch.code
    if not LOT_CODE.fullmatch(typed):
        form.errors["lot"] = _(
            "A lot code has letters, digits, spaces, dots, dashes and strokes, and begins and "
            "ends with a letter or digit."
        )
        return typed
    owner = jars.lot_owner(context.db, typed)
    if owner not in (None, context.batch.id):
        form.errors["lot"] = _("Lot {typed} belongs to another batch. Choose another code.", typed=typed)
    return typed


def made_words(context: BatchContext, entry: Entry[MadeFacts]) -> Line:
    facts = entry.facts
    if not facts.packs:
        return Line(entry, _("Nothing was made"), _("thrown out"))
    packs = joined(", ", (f"{n} × {grams(context, g)}" for g, n in facts.packs))
    left = _("{left} stayed in the pot", left=context.show(facts.left_kg, "mass", 2)) if facts.left_kg else ""
    told = in_a_row([packs, left], "; ")
    return Line(entry, _("Lot {lot}", lot=facts.lot), told, context.show(facts.made_kg, "mass", 2))


def grams(context: BatchContext, weight_g: float) -> str:
    """What a pack weighs, in the kitchen's small unit."""
    return context.show(weight_g, "piece")


def scored_words(context: BatchContext, entry: Entry[ScoredFacts]) -> Line:
    facts = entry.facts
    parts = [_("texture {TEXTURES}", TEXTURES=TEXTURES[str(facts.texture)])]
    if facts.grain is not None:
        parts.append(_("grain {grain} of 5", grain=facts.grain))
    parts.append(_("taste {taste} of 5", taste=facts.taste))
    if facts.flaw:
        parts.append(FLAWS[facts.flaw])
    if facts.note:
        parts.append(facts.note)
    return Line(entry, _("Scored"), joined("; ", parts))
