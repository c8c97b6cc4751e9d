"""Jars as they are typed: sizes and counts, hot-packed, under a lot code."""

import re
from typing import Literal

from lumbrel.core.jar import hot_pack
from lumbrel.core.jar.hot_pack import COLDEST_FILL_C, HOTTEST_FILL_C, HotPack
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import DrawnFacts, JarFacts
from lumbrel.services.base.felt import FELT
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.base.line import Line
from lumbrel.services.base.standing import of_kind
from lumbrel.services.jar.kettle import kettle_of, sizes_at_hand
from lumbrel.services.pan.drawn import AfterDraw, after_draw
from lumbrel.services.pan.faults import is_guessed
from lumbrel.store import jars
from lumbrel.words import _, in_a_row, joined, number

JAR_ROWS = 4
SMALLEST_JAR_ML, BIGGEST_JAR_ML = 10.0, 20_000.0
_PART = r"[A-Za-z0-9](?:[A-Za-z0-9 ._-]*[A-Za-z0-9])?"
LOT_CODE = re.compile(rf"{_PART}(?:/{_PART})*")
"""What an address can carry: no part between slashes is empty or begins with a dot."""
THICKEST_JAR_BRIX = 80.0
CARE = {"preheated": _("glass preheated"), "turned": _("lids on, jars turned over")}
MORE_THAN_DRAWN = 1.1
"""Jars that hold so many times what was drawn are asked about."""
FILLED_BY = {"": "", "kettle": _("by the kettle"), "felt": _("by feel")}
Rows = tuple[tuple[float, int], ...]
"""Sizes in ml and how many of each."""

JAR_SIZE = Bounds(
    "size", "jar", SMALLEST_JAR_ML, BIGGEST_JAR_ML, _("A jar must hold between 10 ml and 20 L.")
)
PACK_SIZE = Bounds("size", "piece", 0.5, 20_000, _("A piece or jar must weigh between 0.5 g and 20 kg."))
FILL = Bounds("fill", "temperature", 10, 110, _("Jars are filled at 82 to 88 °C (180 to 190 °F)."))


def jar(form: Form, context: BatchContext) -> JarFacts | None:
    """Jars by size and count, hot-packed, under a lot code."""
    drawn = context.require(form, _("Draw the batch off first."), DrawnFacts)
    fill, by = _fill(form, context)
    rows = jar_rows(form)
    lot = _lot(form, context)
    if not drawn:
        return None
    after = after_draw(context)
    if after.brix > THICKEST_JAR_BRIX and not is_guessed(context):
        form.errors["kind"] = _(
            "At {brix} Brix this is candy, not syrup for jars. Put water back first.",
            brix=number(after.brix, 0),
        )
    elif after.brix > THICKEST_JAR_BRIX:
        form.ask(
            "size_1",
            _(
                "At {brix} Brix this would be candy, not syrup for jars. Read it, or put water back first. "
                "Is it syrup?",
                brix=number(after.brix, 0),
            ),
        )
    elif rows:
        _plausible_amount(form, rows, after, _packed_kg(context))
    if fill is None:
        return None
    brix = after.syrup_brix
    return JarFacts(
        fill_c=fill,
        lot=lot,
        jars=rows,
        brix=brix,
        target_brix=context.batch.target_brix,
        hot_pack=hot_pack.hot_pack(fill).value,
        mass_kg=_mass_kg(rows, brix),
        more_left=form.ticked("more_left") or (form.ticked("press") and _fills_more(context, rows)),
        fill_by=by,
        care=tuple(name for name in CARE if form.ticked(name)),
    )


def _packed_kg(context: BatchContext) -> float:
    """What stands in jars besides."""
    return sum(e.facts.mass_kg for e in of_kind(context.whole, JarFacts))


def _mass_kg(rows: Rows, brix: float) -> float:
    return sum(hot_pack.mass_kg(brix, size / 1000) * count for size, count in rows)


def _fill(form: Form, context: BatchContext) -> tuple[float | None, Literal["", "kettle", "felt"]]:
    """The temperature it was filled at, typed or by the kettle's own cooling; outside the window it is
    asked about."""
    known = None if form.given("fill") or not context.of_kind(DrawnFacts) else kettle_of(context)
    by: Literal["", "kettle", "felt"] = "felt" if form.ticked(FELT) else ""
    if known and known.fire.now_c is not None:
        by = "kettle"
    fill = known.fire.now_c if known and known.fire.now_c is not None else form.between(FILL)
    judged = hot_pack.hot_pack(fill) if fill is not None else None
    coldest = context.show(COLDEST_FILL_C, "temperature", 0)
    window = _(
        "{coldest} to {HOTTEST_FILL_C}",
        coldest=coldest,
        HOTTEST_FILL_C=context.show(HOTTEST_FILL_C, "temperature", 0),
    )
    if judged is HotPack.TOO_COLD:
        form.ask(
            "fill",
            _(
                "Too cold to keep: moulds survive under {coldest}. Reheat to {window} and fill "
                "again. Keep it only if these jars go to the fridge.",
                coldest=coldest,
                window=window,
            ),
        )
    elif judged is HotPack.NEW_NITER:
        form.ask("fill", _("Above 93 °C (199 °F) new niter forms in the jar and it darkens. Is that right?"))
    return fill, by


def _lot(form: Form, context: BatchContext) -> str:
    """The lot's code: not another batch's. A batch may be packed under several."""
    lot = form.text("lot", _("Give the lot a code; the batch's own will do."), 24)
    if not lot:
        return ""
    if not LOT_CODE.fullmatch(lot):
        form.errors["lot"] = _(
            "A lot code has 1 to 24 letters, digits, spaces, dots, dashes or slashes. It begins "
            "and ends with a letter or digit, also beside a slash."
        )
    owner = jars.lot_owner(context.db, lot)
    if owner and owner != context.batch.id:
        form.errors["lot"] = _("The lot {lot} is another batch's. Choose another code.", lot=lot)
    return lot


def _plausible_amount(form: Form, rows: Rows, after: AfterDraw, packed_kg: float) -> None:
    filled = _mass_kg(rows, after.brix) + packed_kg
    if filled > after.mass_kg * MORE_THAN_DRAWN:
        form.ask(
            "size_1",
            _(
                "With the {packed} kg packed before, these jars hold {filled} kg; only about {mass} kg was "
                "drawn. Is that right?",
                packed=number(packed_kg, 1),
                filled=number(filled, 1),
                mass=number(after.mass_kg, 1),
            )
            if packed_kg
            else _(
                "These jars hold {filled} kg; only about {mass} kg was drawn. Is that right?",
                filled=number(filled, 1),
                mass=number(after.mass_kg, 1),
            ),
        )


def jar_rows(form: Form, bounds: Bounds | None = None) -> Rows:
    """Jar sizes and counts as they are typed, row by row.

    Args:
        bounds: of what one is known by, where that is not a jar's content.
    """
    of_one = bounds or JAR_SIZE
    rows = []
    for i in range(1, JAR_ROWS + 1):
        if not form.given(f"count_{i}"):
            continue
        size = form.between(of_one._replace(name=f"size_{i}"))
        count = form.between(
            Bounds(
                f"count_{i}", "count", 1, 10_000, _("Type how many jars, a whole number from 1 to 10 000.")
            )
        )
        if size is not None and count is not None:
            rows.append((size, int(count)))
    if not rows and not any(key.startswith(("size_", "count_")) for key in form.errors):
        form.errors["count_1"] = _("Type at least one size and how many jars of it.")
    return tuple(rows)


def _fills_more(context: BatchContext, rows: Rows) -> bool:
    """Whether what is left after these fills one more of the smallest jars at hand."""
    known = kettle_of(context)
    filled = sum(size * count for size, count in rows)
    return known is not None and known.left_ml - filled >= min(sizes_at_hand(context))


def words(context: BatchContext, entry: Entry[JarFacts]) -> Line:
    """Jars on the slip."""
    facts = entry.facts
    at = context.show(facts.fill_c, "temperature", 0)
    told = [
        _("lot {lot}", lot=facts.lot),
        _("at {at}", at=at),
        _("more is left") if facts.more_left else "",
        FILLED_BY[facts.fill_by],
    ]
    return Line(
        entry,
        _("Jarred {in_words}", in_words=in_words(context, facts.jars)),
        in_a_row(told),
    )


def in_words(context: BatchContext, jars: Rows) -> str:
    """Jars by size, as 12 × 500 ml; packs of a confection by what one weighs."""
    kind = "piece" if context.is_cook else "jar"
    return joined(", ", (f"{count} × {context.show(size, kind)}" for size, count in jars))
