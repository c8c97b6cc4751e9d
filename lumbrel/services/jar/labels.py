"""Labels of a batch's jars."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.jar import hot_pack
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import ColourFacts, FoamFacts, JarFacts
from lumbrel.services.base.form import NotFound
from lumbrel.store import flow


@dataclass(frozen=True, kw_only=True)
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
    packed = {e.facts.lot: e for e in context.of_kind(JarFacts)}
    if not packed:
        raise NotFound(f"Batch {code} is not jarred yet; labels come with the jars.")
    colour = context.first(ColourFacts)
    off = colour is not None and colour.facts.for_processing
    return [
        Label(
            lot=lot,
            product=f"{context.batch.sugar_kind.capitalize()} syrup",
            size_ml=jar.size_ml,
            mass_g=1000 * hot_pack.mass_kg(jarred.facts.brix, jar.size_ml / 1000),
            count=jar.count,
            grade=colour.facts.grade if colour and not off else "",
            brix=jarred.facts.brix,
            woodlot=context.whose,
            kitchen=context.kitchen.name,
            jarred_at=jarred.at,
            allergens=allergens(context),
            for_processing=off,
        )
        for lot, jarred in packed.items()
        for jar in flow.jars_filled(db, lot)
    ]


def allergens(context: BatchContext) -> tuple[str, ...]:
    """Allergens that defoamers brought into the batch."""
    found = {e.facts.allergen for e in context.of_kind(FoamFacts)}
    return tuple(sorted(found - {""}))
