"""What the entry forms offer to choose from."""

from sqlite3 import Connection
from types import SimpleNamespace

from lumbrel.core.colour.grades import CLASSES
from lumbrel.core.jar import hot_pack
from lumbrel.services.context import BatchContext
from lumbrel.services.cup_probe import cup_probe
from lumbrel.services.drawn import after_draw
from lumbrel.services.event_forms import DEFOAMERS
from lumbrel.services.stations import FILTERS, FLAWS
from lumbrel.store import flow
from lumbrel.store.instruments import instruments


def choices_for(db: Connection, context: BatchContext) -> SimpleNamespace:
    """Instruments, methods, classes, and sensible first values for a batch's forms."""
    known = instruments(db)

    def of(kind: str) -> list[tuple[str, str]]:
        return [(i.id, i.name) for i in known if i.kind == kind]

    thermometers = of("thermometer")
    loose = [i.id for i in known if i.kind == "thermometer" and i.vessel_id is None]
    prism = next((i for i in known if i.kind == "refractometer"), None)
    counts = ["", "", "", ""]
    live = cup_probe(context)
    if context.first("draw"):
        after = after_draw(context)
        half = hot_pack.jars_from(after.mass_kg * 0.97, after.syrup_brix, 0.5)
        counts[0] = str(half) if half else ""
    return SimpleNamespace(
        hydrometers=of("hydrometer"), refractometers=of("refractometer"),
        thermometers=thermometers, vials=of("vial"), references=of("reference"),
        dial=loose[0] if loose else (thermometers[0][0] if thermometers else ""),
        compensated=bool(prism and prism.detail.get("compensated")),
        cup_hint=(
            f"empty: {live.instrument.name}, {context.show(live.temperature_c, 'temperature')}"
            if live else "as 92 C or 198 F"
        ),
        defoamers=[(key, name) for key, (name, _) in DEFOAMERS.items()],
        filters=list(FILTERS.items()), flaws=list(FLAWS.items()),
        grades=[(name, name) for name, _, _ in CLASSES],
        jar_sizes=["500 ml", "250 ml", "", ""], jar_counts=counts,
        lot=flow.lot_of(db, context.batch.id) or context.batch.code,
    )  # fmt: skip
