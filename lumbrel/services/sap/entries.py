"""The lines that a boil-down puts on its slip: sap let in, fuel put on, its steps."""

from datetime import datetime
from sqlite3 import Connection
from typing import Any

from lumbrel.core.sap.fuel import FUELS as MEASURES
from lumbrel.core.sap.fuel import FUELS_BY_POUND, MJ_EACH
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import STEPS, FedFacts, FromTank, FuelFacts, StageFacts
from lumbrel.services.base.form import BadInput, Bounds, Form
from lumbrel.services.base.line import Line
from lumbrel.services.sap import boil, fire, tanks
from lumbrel.services.sap.played import views
from lumbrel.store import sap as store
from lumbrel.store.kitchen import load_kitchen
from lumbrel.words import _, bare, begun, number

FED = Bounds("litres", "volume", 0.1, 5000, _("Type how much sap was let in, from 0.1 L on."))
HOLDS = Bounds("tank_holds", "volume", 0, 50_000, _("Type how much the tank still holds, from 0 L on."))
MOST_FUEL = 50_000.0


def fed(form: Form, context: BatchContext) -> FedFacts | None:
    """Sap let in from a tank."""
    at = form.time_of_day("at", context.now)
    litres = _fed_litres(form, context, at)
    given = fire.taken(context.db, form, "litres", litres, at)
    if given is None:
        return None
    tank, parts = given
    mass = sum(part.mass_kg for part in parts)
    return FedFacts(
        mass_kg=mass,
        brix=tank.content.brix,
        temperature_c=max(tank.warm_c, 0.0),
        parts=parts,
        tanks=(FromTank(tank_id=tank.tank.id, mass_kg=mass, brix=tank.content.brix),),
    )


def _fed_litres(form: Form, context: BatchContext, at: datetime) -> float | None:
    """How much was let in: as it was measured, or by how much is left in the tank."""
    if not form.fields.get("tank_holds", "").strip():
        return form.between(FED)
    if form.fields.get("litres", "").strip():
        form.errors["tank_holds"] = _("Give what was let in, or what the tank holds now, not both.")
        return None
    left = form.between(HOLDS)
    held = {v.tank.id: v.content.litres for v in views(context.db, at, form.corrects)}
    before = held.get(form.fields.get("tank", ""))
    if left is None or before is None:
        return None
    if left >= before:
        form.errors["tank_holds"] = _(
            "By what was gathered and fed it holds {before}; what it holds now must be less.",
            before=form.show(before, "volume"),
        )
        return None
    return before - left


def fed_words(context: BatchContext, entry: Entry[FedFacts]) -> Line:
    names = {tank.id: tank.name for tank in store.tanks(context.db)}
    facts = entry.facts
    mass = context.show(facts.mass_kg, "mass")
    return Line(
        entry,
        _("Fed {mass} from {names}", mass=mass, names=names[facts.tanks[0].tank_id]),
        _("at {brix} Brix", brix=number(facts.brix, 1)),
    )


def feed_stands(db: Connection, entry: Entry[Any]) -> None:
    """Refuse what a tank would not have had, all others that drew from it counted too."""
    form = Form({}, load_kitchen(db))
    tanks.refuse_what_is_not_there(db, entry.noted_at, form, "litres")
    if form.errors:
        raise BadInput(form.errors)


def fuel(form: Form, context: BatchContext) -> FuelFacts | None:
    """Fuel that was put on, or that is gone from the bottle."""
    setup = form.choice("setup", boil.SETUPS, _("Say over what fire it stands."))
    kind = form.choice("fuel", boil.FUELS, _("Say what was burned."))
    if not kind or not setup:
        return None
    measure = form.choice(
        "measure",
        [*MEASURES[kind], *FUELS_BY_POUND[kind]],
        _("{FUELS} is measured otherwise.", FUELS=boil.FUELS[kind]),
    )
    text = form.fields.get("amount", "").strip().replace(",", ".")
    try:
        amount = float(text)
    except ValueError:
        amount = -1.0
    if not 0 < amount <= MOST_FUEL:
        form.errors["amount"] = _("Type how much, as a number above 0 in the measure beside it.")
    if form.errors:
        return None
    return FuelFacts.model_validate(
        {"fuel": kind, "measure": measure, "amount": amount, "mj": amount * MJ_EACH[measure], "setup": setup}
    )


def fuel_words(context: BatchContext, entry: Entry[FuelFacts]) -> Line:
    facts = entry.facts
    return Line(
        entry,
        _(
            "Burned {amount} {SAID} of {FUELS}",
            amount=bare(facts.amount),
            SAID=boil.SAID[facts.measure],
            FUELS=boil.FUELS[facts.fuel],
        ),
        boil.SETUPS[facts.setup],
    )


def stage_words(context: BatchContext, entry: Entry[StageFacts]) -> Line:
    return Line(entry, begun(STEPS[entry.facts.step]))
