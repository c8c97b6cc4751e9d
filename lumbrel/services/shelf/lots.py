"""The shelf: finished lots, found by code, woodlot or grade."""

from dataclasses import dataclass
from sqlite3 import Connection

from lumbrel.core.colour.grades import CLASSES
from lumbrel.services.base.entry import current_lines
from lumbrel.services.base.facts import ColourFacts, JarFacts
from lumbrel.services.base.form import NotFound
from lumbrel.store import flow, record
from lumbrel.store.flow import Jar
from lumbrel.store.kitchen import woodlots
from lumbrel.store.record import Batch

GRADES = tuple(name for name, _, _ in CLASSES)
EVERY = 100_000


@dataclass(frozen=True, kw_only=True)
class Lot:
    """One lot on the shelf."""

    code: str
    batch: Batch
    woodlot: str
    grade: str
    for_processing: bool
    brix: float
    jars: list[Jar]

    @property
    def volume_l(self) -> float:
        """Content of all its jars at 20 degC."""
        return sum(jar.size_ml * jar.count for jar in self.jars) / 1000

    @property
    def jar_count(self) -> int:
        """Jars of any size."""
        return sum(jar.count for jar in self.jars)


@dataclass(frozen=True)
class Shelf:
    """The lots that were asked for, and the choices there are."""

    lots: list[Lot]
    woodlots: list[str]
    total: int

    @property
    def volume_l(self) -> float:
        """Content of the lots shown."""
        return sum(lot.volume_l for lot in self.lots)

    @property
    def jar_count(self) -> int:
        """Jars of the lots shown."""
        return sum(lot.jar_count for lot in self.lots)


def find(db: Connection, text: str = "", woodlot: str = "", grade: str = "") -> Shelf:
    """Lots by part of their code (or the batch's), by woodlot and by colour class."""
    names = {w.id: w.name for w in woodlots(db)}
    graded = {e.batch_id: e.facts for e in current_lines(db, ColourFacts, limit=EVERY)}
    jarred = {e.batch_id: e.facts for e in current_lines(db, JarFacts, limit=EVERY)}
    found = []
    every = flow.lots(db)
    wanted = text.strip().lower()
    for code, batch in every:
        colour, jars = graded.get(batch.id), jarred.get(batch.id)
        lot = Lot(
            code=code,
            batch=batch,
            woodlot=names[batch.woodlot_id],
            grade=colour.grade if colour else "",
            for_processing=colour is not None and colour.for_processing,
            brix=jars.brix if jars else 0.0,
            jars=flow.jars_of(db, code),
        )
        fits = not wanted or wanted in f"{code} {batch.code} {lot.woodlot}".lower()
        if fits and woodlot in ("", lot.woodlot) and grade in ("", lot.grade):
            found.append(lot)
    return Shelf(found, list(names.values()), len(every))


def batch_of_lot(db: Connection, code: str) -> str:
    """Code of the batch that became a lot.

    Raises:
        NotFound: there is no such lot.
    """
    owner = flow.lot_owner(db, code)
    batch = record.batch_by(db, id=owner) if owner else None
    if batch is None:
        raise NotFound(f"There is no lot {code[:24]} on the shelf.")
    return batch.code
