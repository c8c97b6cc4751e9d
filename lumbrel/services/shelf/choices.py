"""What the form for jars that leave the shelf offers."""

from dataclasses import dataclass

from lumbrel.core.candy.clinic import FLAWS
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.jar.entries import JAR_ROWS
from lumbrel.services.record.flows import SAID_OF_REASON
from lumbrel.services.shelf.clinic import WORDS
from lumbrel.store import jars
from lumbrel.store.kitchen import woodlots
from lumbrel.words import _


@dataclass(frozen=True, kw_only=True)
class ShelfChoices:
    """Lots of the batch, sizes on the shelf by row, reasons and woodlots."""

    lots: list[tuple[str, str]]
    rows: list[tuple[str, str]]
    reasons: list[tuple[str, str]]
    woodlots: list[tuple[str, str]]
    complaints: list[tuple[str, str]]


QUICK_REASONS = [
    ("sold", _("sold")),
    ("given", _("given")),
    ("used", _("for candy")),
    ("broken", _("lost")),
    ("woodlot", _("to its owner")),
]
"""Why jars leave the shelf, as it is said in two presses."""


def choices(context: BatchContext) -> ShelfChoices:
    """What a batch's form offers."""
    codes = jars.lot_codes(context.db, context.batch.id)
    sizes = dict.fromkeys(jar.size_ml for code in codes for jar in jars.jars_filled(context.db, code))
    kind, wrong = ("piece", FLAWS) if context.is_cook else ("jar", WORDS)
    rows = [(context.show(size, kind), "") for size in sizes][:JAR_ROWS]
    return ShelfChoices(
        lots=[(code, code) for code in codes],
        rows=rows + [("", "")] * (JAR_ROWS - len(rows)),
        reasons=list(SAID_OF_REASON.items()),
        complaints=[("", _("nothing")), *wrong.items()],
        woodlots=[("", _("not a woodlot’s share")), *((w.id, w.name) for w in woodlots(context.db))],
    )
