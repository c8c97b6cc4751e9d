"""The lots of a batch as the shelf lists them."""

from sqlite3 import Connection

from lumbrel.services.base import standing
from lumbrel.services.base.entry import Entry, slip_of
from lumbrel.services.base.facts import CheckedFacts, ColourFacts, CookFacts, JarFacts, MadeFacts
from lumbrel.services.base.form import local_time
from lumbrel.services.record.flows import parts_of
from lumbrel.store import flow, flowed, jars, kept_lots
from lumbrel.store.kept_lots import LotRow
from lumbrel.store.kitchen import Kitchen
from lumbrel.store.record import Batch


def keep_lots(db: Connection, kitchen: Kitchen, batch: Batch) -> None:
    """The lots of a batch as the shelf lists them."""
    lines = standing.current(slip_of(db, batch.id))
    if standing.is_called_off(lines):
        kept_lots.keep_lots(db, batch.id, [])
        return
    packings: list[Entry[JarFacts] | Entry[MadeFacts]] = [
        *standing.of_kind(lines, JarFacts),
        *(e for e in standing.of_kind(lines, MadeFacts) if e.facts.packs),
    ]
    packed = {e.facts.lot: e for e in packings}
    kept_lots.keep_lots(db, batch.id, [_lot(db, kitchen, batch, lines, e) for e in packed.values()])


def _lot(
    db: Connection,
    kitchen: Kitchen,
    batch: Batch,
    lines: standing.Slip,
    newest: Entry[JarFacts] | Entry[MadeFacts],
) -> LotRow:
    """A lot by its newest packing and all that flowed into it."""
    taken, code = standing.taken_in(lines), newest.facts.lot
    colour = next((e.facts for e in standing.of_kind(lines, ColourFacts)), None)
    into = flowed.flows_into(db, flow.lot_id(code))
    filled = [f.flow for f in into if f.flow.source_id is not None]
    stand = jars.jars_of(db, code)
    cooks_of = standing.of_kind(lines, CookFacts)
    # A confection's packs are known in grams, and have no volume.
    measured = [] if cooks_of else filled
    whose = {woodlot for f in into for woodlot in flow.shares(db, f.entry_id, f.line)}
    checks = [e.at for e in standing.of_kind(lines, CheckedFacts)]
    return LotRow(
        parcel_id=flow.lot_id(code),
        code=code,
        batch_id=batch.id,
        taken_at=taken.at,
        season=local_time(taken.at, kitchen).year,
        woodlot_ids=tuple(sorted(whose)) or (parts_of(batch, taken.facts)[0].woodlot_id,),
        sugar_kind=taken.facts.sugar_kind,
        grade=colour.grade if colour else "",
        for_processing=colour is not None and colour.for_processing,
        brix=newest.facts.brix,
        filled=sum(f.packs or 0 for f in filled),
        filled_ml=_volume_ml(measured),
        jars=sum(jar.count for jar in stand),
        volume_ml=0.0 if cooks_of else sum(jar.size_ml * jar.count for jar in stand),
        packed_at=newest.at,
        checked_at=max(checks, default=None),
        confection=cooks_of[0].facts.piece if cooks_of else "",
    )


def _volume_ml(flows: list[flow.Flow]) -> float:
    """Content of the packs that flowed, ml."""
    return sum((f.pack_ml or 0) * (f.packs or 0) for f in flows)
