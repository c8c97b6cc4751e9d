"""How much a batch fills, cold and hot, and what of it stands in jars."""

from dataclasses import dataclass

from lumbrel.core.jar import hot_pack
from lumbrel.services.base import standing
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import DrawnFacts, JarFacts
from lumbrel.services.pan.drawn import after_draw
from lumbrel.store import jars
from lumbrel.store.flow import Jar

EXAMPLE_FILL_C, EXAMPLE_JAR_ML = 85.0, 500.0


@dataclass(frozen=True, kw_only=True)
class Filling:
    """What was drawn as litres, what an example jar takes hot, and the jars filled so far."""

    volume_l: float
    example_c: float
    example_ml: float
    example_hot_ml: float
    lots: list[tuple[str, list[Jar]]]
    """By lot code, the jars that were filled."""
    more_left: bool
    """Whether there is more to pack."""
    by_feel: bool
    """Whether any jars were filled without a thermometer."""
    hot_pack: str
    """Whether the first jars were filled hot enough; empty before."""

    @property
    def bigger(self) -> float:
        """By which share hot syrup is bigger than cold."""
        return self.example_hot_ml / self.example_ml - 1


def filling(context: BatchContext) -> Filling | None:
    """A drawn batch before its jars and after; None before the draw."""
    if not context.of_kind(DrawnFacts):
        return None
    after = after_draw(context)
    codes = jars.lot_codes(context.db, context.batch.id)
    jarred = context.first(JarFacts)
    ratio = hot_pack.fill_volume_l(after.syrup_brix, EXAMPLE_FILL_C, 1.0)
    return Filling(
        volume_l=after.mass_kg / hot_pack.mass_kg(after.syrup_brix, 1.0),
        example_c=EXAMPLE_FILL_C,
        example_ml=EXAMPLE_JAR_ML,
        example_hot_ml=EXAMPLE_JAR_ML * ratio,
        lots=[(code, jars.jars_filled(context.db, code)) for code in codes],
        more_left="jar" in standing.waits_for(context.current),
        by_feel=any(e.facts.fill_by == "felt" for e in context.of_kind(JarFacts)),
        hot_pack=jarred.facts.hot_pack if jarred else "",
    )
