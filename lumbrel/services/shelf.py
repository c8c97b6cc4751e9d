"""The shelf: finished lots, found by code, woodlot or grade; the season in figures."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection
from typing import Any

from lumbrel.core.jar import hot_pack
from lumbrel.services import context as contexts
from lumbrel.services.context import BatchContext
from lumbrel.services.drawn import after_draw
from lumbrel.services.typed import NotFound
from lumbrel.store import flow, record
from lumbrel.store.flow import Jar
from lumbrel.store.kitchen import woodlots
from lumbrel.store.record import Batch

GRADES = ("Golden", "Amber", "Dark", "Very Dark")


@dataclass(frozen=True)
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
    graded = {e.batch_id: e for e in record.standing_of_kind(db, "colour", limit=100_000)}
    jarred = {e.batch_id: e for e in record.standing_of_kind(db, "jar", limit=100_000)}
    found = []
    every = flow.lots(db)
    wanted = text.strip().lower()
    for code, batch in every:
        colour = graded[batch.id].facts if batch.id in graded else {}
        brix = jarred[batch.id].facts["brix"] if batch.id in jarred else 0.0
        lot = Lot(
            code, batch, names[batch.woodlot_id], colour.get("grade", ""),
            bool(colour.get("for_processing")), brix, flow.jars_of(db, code),
        )  # fmt: skip
        if wanted and wanted not in f"{code} {batch.code} {lot.woodlot}".lower():
            continue
        if woodlot and woodlot != lot.woodlot:
            continue
        if grade and grade != lot.grade:
            continue
        found.append(lot)
    return Shelf(found, list(names.values()), len(every))


@dataclass(frozen=True)
class Label:
    """What one jar's label says."""

    lot: str
    product: str
    size_ml: float
    mass_g: float
    count: int
    grade: str
    brix: float
    woodlot: str
    kitchen: str
    jarred_at: datetime
    allergens: tuple[str, ...]
    for_processing: bool


def labels(db: Connection, code: str, now: datetime) -> list[Label]:
    """Labels of a batch's jars, one kind a size.

    Raises:
        NotFound: no such batch, or nothing is jarred yet.
    """
    context = contexts.load(db, code, now)
    lot = flow.lot_of(db, context.batch.id)
    jarred = context.of_kind("jar")
    if lot is None or not jarred:
        raise NotFound(f"Batch {code} is not jarred yet; labels come with the jars.")
    colour = context.first("colour")
    grade = str(colour.facts["grade"]) if colour and not colour.facts["for_processing"] else ""
    off = bool(colour and colour.facts["for_processing"])
    kind = context.batch.sugar_kind.capitalize()
    return [
        Label(
            lot, f"{kind} syrup", jar.size_ml,
            1000 * hot_pack.mass_kg(jarred[-1].facts["brix"], jar.size_ml / 1000), jar.count, grade,
            jarred[-1].facts["brix"], context.woodlot.name, context.kitchen.name, jarred[-1].at,
            allergens(context), off,
        )
        for jar in flow.jars_of(db, lot)
    ]  # fmt: skip


def allergens(context: BatchContext) -> tuple[str, ...]:
    """Allergens that defoamers brought into the batch."""
    return tuple(
        sorted({e.facts["allergen"] for e in context.of_kind("foam") if e.facts["allergen"]})
    )


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


def summary(context: BatchContext) -> dict[str, Any]:
    """The figures of a batch that stand on its page and in its export."""
    taken = context.first("take_in")
    drawn = context.first("draw")
    facts: dict[str, Any] = {
        "taken_in_kg": taken.facts["mass_kg"] if taken else None,
        "taken_in_brix": taken.facts["brix"] if taken else None,
        "drawn_kg": None, "final_brix": None, "yield_percent": None,
    }  # fmt: skip
    if drawn and taken:
        after = after_draw(context)
        facts["drawn_kg"], facts["final_brix"] = after.mass_kg, after.brix
        jarred = sum(e.facts["mass_kg"] for e in context.of_kind("jar"))
        if jarred:
            solids = taken.facts["mass_kg"] * taken.facts["brix"]
            solids += sum(e.facts["mass_kg"] * e.facts["brix"] for e in context.of_kind("added"))
            facts["yield_percent"] = 100 * jarred * after.brix / solids
    return facts
