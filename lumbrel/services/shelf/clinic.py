"""A jar that came back: its lot's own figures, what they say of the cause, and what else is like it."""

from dataclasses import dataclass

from lumbrel.core.shelf.clinic import COMPLAINTS, FlawCause, LotFigures, likely_causes
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import CheckedFacts, DrawnFacts, FilterFacts, JarFacts, ReheatFacts
from lumbrel.services.pan.drawn import after_draw
from lumbrel.store import jars
from lumbrel.store.flow import Jar

WORDS = {key: words for key, (words, _, _) in COMPLAINTS.items()}
SIGMA_BRIX = 0.4
"""Of a density that is known no better."""


@dataclass(frozen=True, kw_only=True)
class Alike:
    """A lot of the same draw: its code, what stands on the shelf, and how many were filled."""

    code: str
    jars: list[Jar]
    filled: int


@dataclass(frozen=True, kw_only=True)
class Clinic:
    """What is to be said of a jar that came back."""

    complaint: str
    words: str
    advice: str
    causes: list[FlawCause]
    alike: list[Alike]
    """Every lot of the draw, this one too."""


def clinic(context: BatchContext, lot: str, complaint: str) -> Clinic | None:
    """What made a jar so, likely; None for no complaint, or before there is a draw.

    Args:
        lot: whose jar it is.
        complaint: a key of `WORDS`.
    """
    if complaint not in COMPLAINTS or not context.of_kind(DrawnFacts):
        return None
    words, advice, _ = COMPLAINTS[complaint]
    return Clinic(
        complaint=complaint,
        words=words,
        advice=advice,
        causes=likely_causes(complaint, figures_of(context, lot)),
        alike=[
            Alike(
                code=code,
                jars=jars.jars_of(context.db, code),
                filled=sum(jar.count for jar in jars.jars_filled(context.db, code)),
            )
            for code in jars.lot_codes(context.db, context.batch.id)
        ],
    )


def figures_of(context: BatchContext, lot: str) -> LotFigures:
    """What is known of a lot."""
    after = after_draw(context)
    packed = [e.facts for e in context.of_kind(JarFacts) if e.facts.lot == lot]
    fills = [facts.fill_c for facts in packed]
    filtered = [e.facts for e in context.of_kind(FilterFacts) if e.facts.method != "none"]
    looked = context.last(CheckedFacts)
    return LotFigures(
        brix=after.brix if after.checks else (packed[-1].brix if packed else after.brix),
        sigma_brix=max(after.sigma_brix, SIGMA_BRIX if not after.checks else 0.15),
        cold=bool(after.checks),
        coldest_fill_c=min(fills, default=None),
        hottest_fill_c=max(fills, default=None),
        reheats=len(context.of_kind(ReheatFacts)),
        filtered=bool(filtered),
        clarity=(filtered[-1].clarity or "") if filtered else "",
        filter_c=filtered[-1].temperature_c if filtered else None,
        unsealed=looked.facts.unsealed if looked else None,
        turned=any("turned" in facts.care for facts in packed),
    )
