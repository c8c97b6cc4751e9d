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
from lumbrel.words import _, number

MASS = Bounds("mass", "mass", 0.05, 5000, _("The near-syrup poured on must weigh between 0.05 and 5000 kg."))
BRIX = Bounds("brix", "brix", 5, 80, _("Near-syrup has between 5 and 80 Brix."))
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
        form.errors["vessel"] = _("No near-syrup of {code} waits any more.", code=code)
        return None
    after = after_draw(giver)
    left = _("{sugar} kg were drawn and are left.")
    much = how_much(form, after.mass_kg, after.brix, left)
    if much is None:
        return None
    fields = fields_of(form, giver, much, NearSyrup(giver, after).temperature)
    return Source(
        fields=fields, tanks=(), parts=(), brix_sigma=None, from_batch_id=giver.batch.id, from_stage="bulk"
    )


def how_much(form: Form, there_kg: float, there_brix: float, left: str) -> tuple[float, float] | None:
    """How much goes on, kg, and its Brix: as it was weighed and read, else as it is held to be. Where its
    density alone was read, the sugar that is there says how much it is.

    Args:
        left: a sentence of how much sugar is there, with `{sugar}` for it.
    """
    mass, brix = form.between(MASS, required=False), form.between(BRIX, required=False)
    if form.errors:
        return None
    sugar = there_kg * there_brix / 100
    if brix is not None and mass is None:
        mass = sugar / brix * 100
    mass, brix = mass or there_kg, brix or there_brix
    if mass * brix / 100 > sugar * MORE_SUGAR:
        said = left.format(sugar=number(sugar, 2))
        form.ask(
            "mass",
            _("That would be {mass} kg of sugar; {said}", mass=number(mass * brix / 100, 2), said=said),
        )
    return mass, brix


def fields_of(form: Form, giver: BatchContext, much: tuple[float, float], temperature: str) -> dict[str, str]:
    """What the take-in's form would say of what another batch gives.

    Args:
        much: how much goes on, kg, and its Brix.
        temperature: where none was typed.
    """
    mass, brix = much
    return {
        "woodlot": giver.woodlot.id,
        "sugar_kind": giver.batch.sugar_kind,
        "amount": _("{mass} kg", mass=number(mass, 6)),
        "amount_by": "mass",
        "brix": f"{brix:.6f}",
        "brix_by": "told",
        "temperature": form.fields.get("temperature", "").strip() or temperature,
        "target": f"{form.kitchen.target_brix:g}",
    }
