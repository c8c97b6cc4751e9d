"""Everything of one draw, or of one delivery, that stands in jars or has left: what is called back when
one jar of it is bad."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.services.base.entry import of_row
from lumbrel.services.base.facts import TakenOutFacts
from lumbrel.services.base.form import NotFound
from lumbrel.services.record.flows import SAID_OF_REASON, SET_ASIDE
from lumbrel.store import book, flow, flowed, jars
from lumbrel.store.flow import CONFECTION, LOT, Flowed, Jar, Parcel
from lumbrel.store.kitchen import woodlots
from lumbrel.words import _, joined

MOST_LOTS = 400
PACKED = (LOT, CONFECTION)


@dataclass(frozen=True)
class Gone:
    """Jars of a lot that left: when, why, how many of which size, and to whom, as it was noted."""

    at: datetime
    reason: str
    size_ml: float
    count: int
    note: str


@dataclass(frozen=True, kw_only=True)
class LotCalled:
    """A lot that is called back."""

    code: str
    packed_at: datetime
    filled: list[Jar]
    here: list[Jar]
    gone: list[Gone]
    kind: str = "jar"
    """By what its packs are known: content, or of a confection what one weighs."""


@dataclass(frozen=True, kw_only=True)
class Recall:
    """What is called back for a parcel."""

    code: str
    kind: str
    lots: list[LotCalled]

    @property
    def here(self) -> int:
        """Jars that stand on the shelf still."""
        return sum(jar.count for lot in self.lots for jar in lot.here)

    @property
    def gone(self) -> int:
        """Jars that left."""
        return sum(one.count for lot in self.lots for one in lot.gone)


def recall(db: Connection, code: str, kind: str = "") -> Recall:
    """What is called back for a lot, with all of its draw; or for a delivery, a charge, a kettle.

    Args:
        kind: which of several parcels that bear the same code; the one nearest to the customer if empty.
    Raises:
        NotFound: nothing is known under that code.
    """
    named = flow.parcels_called(db, code)
    chosen = next((p for p in named if kind in ("", p.kind)), None)
    if chosen is None:
        raise NotFound(_("Nothing is known as {code}. Look it up on the shelf.", code=code[:40]))
    below = set()
    for source in _whole_draw(db, chosen):
        below |= {source, *flowed.below(db, source)}
    parcels = [p for p in (flow.parcel(db, i) for i in below) if p is not None and p.kind in PACKED]
    names = {w.id: w.name for w in woodlots(db)}
    lots = [_called(db, p, names) for p in sorted(parcels, key=lambda p: p.opened_at)[:MOST_LOTS]]
    return Recall(code=chosen.code, kind=chosen.kind, lots=lots)


def _whole_draw(db: Connection, chosen: Parcel) -> set[str]:
    """Where to begin: a lot's kettles, so that all of their lots are called; anything else is itself."""
    if chosen.kind not in PACKED:
        return {chosen.id}
    into = flowed.flows_into(db, chosen.id)
    return {f.flow.source_id for f in into if f.flow.source_id is not None} or {chosen.id}


def _called(db: Connection, lot: Parcel, names: dict[str, str]) -> LotCalled:
    gone = [
        _gone(db, one, names)
        for one in flowed.flows_out_of(db, lot.id)
        if one.flow.target_id is None and one.flow.packs and one.flow.reason != SET_ASIDE
    ]
    return LotCalled(
        code=lot.code,
        packed_at=lot.opened_at,
        filled=jars.jars_filled(db, lot.code),
        here=jars.jars_of(db, lot.code),
        gone=sorted(gone, key=lambda one: one.at),
        kind="piece" if lot.kind == CONFECTION else "jar",
    )


def _gone(db: Connection, one: Flowed, names: dict[str, str]) -> Gone:
    row = book.by_id(db, one.entry_id)
    facts = of_row(row).facts if row else None
    note = facts.note if isinstance(facts, TakenOutFacts) else ""
    owner = names.get(one.flow.for_woodlot_id or "", "")
    return Gone(
        at=one.at,
        reason=SAID_OF_REASON.get(one.flow.reason, one.flow.reason),
        size_ml=one.flow.pack_ml or 0.0,
        count=one.flow.packs or 0,
        note=joined(", ", (part for part in (owner, note) if part)),
    )
