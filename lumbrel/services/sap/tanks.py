"""What is noted of tanks: registered, emptied, pumped over, frozen, read; and lines that are struck."""

from collections.abc import Mapping
from datetime import datetime
from sqlite3 import Connection, IntegrityError

from lumbrel.core.errors import OutOfRange
from lumbrel.core.sap import sap
from lumbrel.services.base import book
from lumbrel.services.base.asked import read_asked
from lumbrel.services.base.book import Draft
from lumbrel.services.base.form import BadInput, Bounds, Form
from lumbrel.services.sap.contents import NOTHING_L, PLACES, tank_of
from lumbrel.services.sap.facts import IceOffFacts, MovedFacts, OutFacts, WarmFacts
from lumbrel.services.sap.played import REASONS, view, views
from lumbrel.store import sap as store
from lumbrel.store.db import transaction
from lumbrel.store.kitchen import load_kitchen
from lumbrel.store.sap import Tank
from lumbrel.words import _, joined

CAPACITY = Bounds("capacity", "volume", 1, 100_000, _("A tank must hold between 1 and 100 000 L."))
LITRES = Bounds("litres", "volume", 0.1, 100_000, _("Type how much, between 0.1 and 100 000 L."))
ICE = Bounds("ice", "mass", 0.1, 50_000, _("Type how much ice, between 0.1 and 50 000 kg."))


def add_tank(db: Connection, fields: Mapping[str, str], now: datetime) -> str:
    """Register a tank; returns its id.

    Raises:
        BadInput: a field is wrong, or the name is another tank's.
    """
    form = Form(fields, load_kitchen(db))
    name = form.text("name", _("Give the tank a name."), limit=40)
    capacity = form.between(CAPACITY)
    place = form.choice("place", PLACES, _("Choose one: {values}.", values=joined(", ", PLACES.values())))
    form.check()
    assert capacity is not None
    tank = Tank(form.client_id(), name, capacity, place)
    try:
        with transaction(db):
            store.add_tank(db, tank)
    except IntegrityError:
        raise BadInput({"name": _("{name} is another tank’s name already.", name=name)}) from None
    return tank.id


def in_pails(db: Connection) -> Tank:
    """The tank of sap that stands in pails; it is registered when the first sap goes into it."""
    known = store.tanks(db)
    there = next((t for t in known if store.PAILS in (t.id, t.name.lower())), None)
    if there is None:
        there = Tank(store.PAILS, _("Pails"), CAPACITY.high, "outside")
        store.add_tank(db, there)
    return there


def refuse_what_is_not_there(db: Connection, now: datetime, form: Form, name: str) -> None:
    """Note on a form when more left a tank than was in it, or more came than it holds."""
    for seen in views(db, now):
        if seen.over > 0:
            form.errors[name] = _(
                "{tank} would give {over} more than was in it.",
                tank=seen.tank.name,
                over=form.show(seen.over, "volume"),
            )
        elif seen.spilled_over > 0 and name == "litres":
            form.ask(
                name,
                _(
                    "{tank} holds {capacity} and would have run over by {spilled_over}.",
                    tank=seen.tank.name,
                    capacity=form.show(seen.tank.capacity_l, "volume"),
                    spilled_over=form.show(seen.spilled_over, "volume"),
                ),
            )


def _change(
    db: Connection, tank_id: str, fields: Mapping[str, str], now: datetime, read: book.Reader
) -> None:
    tank_of(db, tank_id)
    book.write(db, fields, now, read, lambda form: refuse_what_is_not_there(db, now, form, "litres"))


def take_out(db: Connection, tank_id: str, fields: Mapping[str, str], now: datetime) -> None:
    """Note sap that left a tank: thrown out and why, spilt, given away.

    Raises:
        BadInput: a field is wrong, or more than there is.
    """

    def read(form: Form, at: datetime) -> list[Draft]:
        there = view(db, tank_id, at, form.corrects).content.litres
        litres = there if form.ticked("all") else form.between(LITRES)
        reason = form.choice(
            "reason", REASONS, _("Say why: {values}.", values=joined(", ", REASONS.values()))
        )
        if litres is not None and litres < NOTHING_L:
            form.errors["litres"] = _("There is nothing in it.")
        if form.errors or litres is None:
            return []
        facts = OutFacts.model_validate({"litres": litres, "reason": reason})
        return [Draft(facts, "tank", tank_id)]

    _change(db, tank_id, fields, now, read)


def others(db: Connection, tank_id: str) -> list[store.Tank]:
    """The other tanks."""
    return [tank for tank in store.tanks(db, retired=False) if tank.id != tank_id]


def move(db: Connection, tank_id: str, fields: Mapping[str, str], now: datetime) -> None:
    """Note sap that was pumped into another tank; its age goes with it."""

    def read(form: Form, at: datetime) -> list[Draft]:
        to = form.choice("to", [t.id for t in others(db, tank_id)], _("Choose the other tank."))
        litres = form.between(LITRES)
        if form.errors or litres is None:
            return []
        return [Draft(MovedFacts(litres=litres, to_tank=to), "tank", tank_id)]

    _change(db, tank_id, fields, now, read)


def ice_off(db: Connection, tank_id: str, fields: Mapping[str, str], now: datetime) -> None:
    """Note ice that was lifted off a tank.

    Raises:
        BadInput: it would weigh as much as the sap, or a field is wrong.
    """

    def read(form: Form, at: datetime) -> list[Draft]:
        held = view(db, tank_id, at, form.corrects).content
        ice = form.between(ICE)
        if ice is None or held.litres < NOTHING_L:
            form.errors.setdefault("ice", _("There is no sap in it that could freeze."))
            return []
        try:
            left = sap.without_ice(held.mass_kg, held.brix, ice)
        except OutOfRange as error:
            form.errors["ice"] = error.sentence
            return []
        return [Draft(IceOffFacts(ice_kg=ice, ice_brix=left.ice_brix), "tank", tank_id)]

    _change(db, tank_id, fields, now, read)


def warm(db: Connection, tank_id: str, fields: Mapping[str, str], now: datetime) -> None:
    """Note how warm a tank's sap is."""

    def read(form: Form, at: datetime) -> list[Draft]:
        facts = read_asked(WarmFacts, form)
        return [Draft(facts, "tank", tank_id)] if facts else []

    _change(db, tank_id, fields, now, read)


def nothing_short(db: Connection, now: datetime, form: Form) -> None:
    """Refuse to strike a line where a tank would then have given more than it had."""
    refuse_what_is_not_there(db, now, form, "why")
