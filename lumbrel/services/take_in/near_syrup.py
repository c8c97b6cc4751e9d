"""Near-syrup that was drawn here: it waits in a kettle, and is taken in with its sugar and woodlots known."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from sqlite3 import Connection

from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.pan.drawn import AfterDraw, after_draw
from lumbrel.services.take_in.opening import Source, open_batch
from lumbrel.store import kept

MASS = Bounds("mass", "mass", 0.05, 5000, "What is taken in weighs between 0.05 and 5000 kg.")
BRIX = Bounds("brix", "brix", 5, 80, "Near-syrup has between 5 and 80 Brix.")
MORE_SUGAR = 1.25
"""More sugar than this share of what was drawn is asked about."""
HOT_FOR = timedelta(hours=4)
WAITS_AT = "take_in"


@dataclass(frozen=True)
class NearSyrup:
    """Near-syrup at hand: what a batch of sap gave that was drawn before it was syrup."""

    context: BatchContext
    after: AfterDraw

    @property
    def id(self) -> str:
        return self.context.batch.id

    @property
    def temperature(self) -> str:
        """How warm it is held to be, as it would be typed."""
        hot = self.context.now - self.after.draw.at < HOT_FOR
        return "80 C" if hot else "15 C"


def at_hand(db: Connection, now: datetime) -> list[NearSyrup]:
    """Near-syrup that waits to be finished, the oldest first."""
    found = []
    for batch in kept.waiting(db, WAITS_AT):
        context = contexts.of(db, batch, now)
        found.append(NearSyrup(context, after_draw(context)))
    return found


def take_up(db: Connection, code: str, fields: dict[str, str], now: datetime) -> str:
    """Take near-syrup that was drawn here into the pan that finishes it; returns the new batch's code.
    Sent again it opens one.

    Raises:
        BadInput: a field is wrong, nothing of it waits, or the pan is busy.
    """
    return open_batch(db, now, fields, source=lambda form: _from_kettle(db, code, form, now))


def _from_kettle(db: Connection, code: str, form: Form, now: datetime) -> Source | None:
    giver = contexts.load(db, code, now)
    if giver.batch.id not in {batch.id for batch in kept.waiting(db, WAITS_AT)}:
        form.errors["vessel"] = f"No near-syrup of {code} waits any more."
        return None
    after = after_draw(giver)
    mass, brix = form.between(MASS, required=False), form.between(BRIX, required=False)
    if form.errors:
        return None
    sugar = after.mass_kg * after.brix / 100
    if brix is not None and mass is None:
        mass = sugar / brix * 100
    mass, brix = mass or after.mass_kg, brix or after.brix
    if mass * brix / 100 > sugar * MORE_SUGAR:
        form.ask(
            "mass",
            f"That would be {mass * brix / 100:.2f} kg of sugar; {sugar:.2f} kg were drawn and are left.",
        )
    return Source(
        fields={
            "woodlot": giver.woodlot.id,
            "sugar_kind": giver.batch.sugar_kind,
            "amount": f"{mass:.6f} kg",
            "amount_by": "mass",
            "brix": f"{brix:.6f}",
            "brix_by": "told",
            "temperature": form.fields.get("temperature", "").strip()
            or NearSyrup(giver, after).temperature,
            "target": f"{form.kitchen.target_brix:g}",
        },
        tanks=(),
        parts=(),
        brix_sigma=None,
        from_batch_id=giver.batch.id,
        from_stage="bulk",
    )
