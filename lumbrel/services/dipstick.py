"""A dipstick reading as evidence: depth, vessel and the solids taken in give a density."""

from typing import Any

from lumbrel.core.bench.causes import Cause
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import dipstick
from lumbrel.core.physics import sucrose
from lumbrel.services.air import pressure_at
from lumbrel.services.context import BatchContext
from lumbrel.services.readings import Corrected
from lumbrel.services.typed import Form
from lumbrel.store.instruments import Instrument
from lumbrel.store.record import Entry

DIPSTICK = Instrument("dipstick", "depth", "Dipstick", {})
SOLIDS_SIGMA = 0.012
"""Of the solids taken in: the mass to 1 percent, the Brix to 0.3."""


def solids_kg(context: BatchContext, entry: Entry) -> float:
    """Solids in the vessel at a line of the slip, kg."""
    taken = context.first("take_in")
    assert taken is not None
    parts = [taken, *(e for e in context.of_kind("added") if e.at <= entry.at)]
    return float(sum(part.facts["mass_kg"] * part.facts["brix"] / 100 for part in parts))


def corrected(context: BatchContext, entry: Entry) -> Corrected:
    """What a depth on the slip says of density."""
    depth, solids = entry.facts["depth_mm"], solids_kg(context, entry)
    pressure = pressure_at(context.db, context.kitchen, entry.at)
    boils = sucrose.boiling_point_c(60.0, pressure.pa if pressure else 101_325.0)
    try:
        said = dipstick.estimate(context.geometry, depth, solids, SOLIDS_SIGMA, min(boils, 115.0))
    except OutOfRange as error:
        return Corrected(
            entry.id, entry.at, "depth", DIPSTICK, None, 0, 0, 0, (), entry.facts, error.sentence
        )
    surface = said.brix * dipstick.SURFACE_SIGMA_MM / depth
    measures = said.brix * (dipstick.VESSEL_SIGMA**2 + SOLIDS_SIGMA**2) ** 0.5
    steps = (
        ("depth", f"{depth:.0f} mm", "", "as read, boiling"),
        ("vessel", context.vessel.name, "", f"{context.vessel.shape}, as registered"),
        ("solids", solids, "kg", "taken in, and conserved"),
        ("density", said.brix, "brix", "mass = volume × density, solids / mass"),
        ("one sigma", said.sigma_brix, "brix", "2.5 mm of surface, 1 % of vessel, 1.2 % of solids"),
    )
    return Corrected(
        entry.id, entry.at, "depth", DIPSTICK, said.brix, said.sigma_brix, said.sigma_brix, 0.0,
        steps, entry.facts,
        budget=(("the boiling surface", surface), ("vessel and take-in", measures)),
        causes=_causes,
    )  # fmt: skip


def _causes() -> list[Cause]:
    return [
        Cause("surface", "the depth was read on the boil, or off the pan’s middle",
              "Dip again at the middle, with the heat turned down for a moment.", -60.0, 60.0)
    ]  # fmt: skip


def depth(form: Form, context: BatchContext) -> dict[str, Any]:
    """The depth as it is typed."""
    mm = form.between(
        "depth", "depth", 3, 2000, "A depth lies between 3 mm and 2 m (0.12 and 79 in); for inches "
        "type in behind the number.",
    )  # fmt: skip
    facts = {"depth_mm": mm}
    if mm is not None:
        said = corrected(context, Entry("", "", "depth", context.now, context.now, {}, facts))
        if said.refusal:
            form.errors["depth"] = said.refusal
        elif said.brix is not None and said.brix > 78:
            form.ask("depth", f"So low, it would be {said.brix:.0f} Brix, candy. Is it so?")
    return facts
