"""Changing what was registered: a vessel's size, an instrument's scale, a name. What was written stays true:
a line is read by what its vessel and its instrument were then."""

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from math import isclose
from sqlite3 import Connection, IntegrityError

from lumbrel.core.pan.vessel import FIRES
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.form import BadInput, Form, NotFound
from lumbrel.services.kitchen.register import fire_from, instrument_from, name_from, sizes_from
from lumbrel.services.kitchen.settings import since_of
from lumbrel.services.record.kept import follow, follow_vessel
from lumbrel.store.db import transaction
from lumbrel.store.instruments import Detail, Instrument, change_instrument, instruments
from lumbrel.store.kitchen import VesselRow, change_vessel, load_kitchen, vessels
from lumbrel.words import _


def vessel_of(db: Connection, key: str) -> VesselRow:
    """A vessel as it is registered now.

    Raises:
        NotFound: there is none.
    """
    found = next((v for v in vessels(db) if v.id == key), None)
    if found is None:
        raise NotFound(_("There is no such vessel; the kitchen's page lists all."))
    return found


def instrument_of(db: Connection, key: str) -> Instrument[Detail]:
    """An instrument as it is registered now, retired or not.

    Raises:
        NotFound: there is none.
    """
    found = next((i for i in instruments(db, retired=True) if i.id == key), None)
    if found is None:
        raise NotFound(_("There is no such instrument; the kitchen's page lists all."))
    return found


def edit_vessel(db: Connection, key: str, fields: dict[str, str], now: datetime) -> None:
    """Change a vessel's name and sizes, from now on or since a day. Sent again it changes nothing.

    Raises:
        BadInput: a field is wrong, or the name is taken.
        NotFound: there is no such vessel.
    """
    form = Form(fields, load_kitchen(db))
    name = name_from(form)
    shape, sizes = sizes_from(form)
    fire = fire_from(form)
    since = since_of(form, now) or now
    form.check()

    def change() -> None:
        old = vessel_of(db, key)
        held = old.sizes_mm if nearly(old.sizes_mm, sizes) else sizes
        new = replace(old, name=name, shape=shape, sizes_mm=held, fire=fire)
        if new != old:
            change_vessel(db, new, since, now, form.text("initials", limit=8))
            follow_vessel(db, since, key)

    _written(db, name, change)


def set_fire(db: Connection, context: BatchContext, fields: dict[str, str], now: datetime) -> None:
    """Say what a batch's vessel stands on, from its take-in on. Sent again it changes nothing.

    Raises:
        BadInput: it is none of those known.
    """
    form = Form(fields, load_kitchen(db))
    fire = form.choice("fire", list(FIRES), _("Choose what it stands on."))
    form.check()
    with transaction(db):
        old = vessel_of(db, context.vessel.id)
        if old.fire != fire:
            by = form.text("initials", limit=8)
            change_vessel(db, replace(old, fire=fire), context.taken_in.at, now, by)


def edit_instrument(db: Connection, key: str, fields: dict[str, str], now: datetime) -> None:
    """Change an instrument's name and what it is, from now on or since a day. Sent again it changes
    nothing.

    Raises:
        BadInput: a field is wrong, or the name is taken.
        NotFound: there is no such instrument.
    """
    form = Form(fields, load_kitchen(db))
    name = name_from(form)
    detail, vessel = instrument_from(db, form, instrument_of(db, key).kind)
    since = since_of(form, now) or now
    form.check()

    def change() -> None:
        old = instrument_of(db, key)
        held = old.detail if nearly(old.detail.model_dump(), detail.model_dump()) else detail
        new = replace(old, name=name, detail=held, vessel_id=vessel)
        if new != old:
            change_instrument(db, new, since, now, form.text("initials", limit=8))
            follow(db, since, "" if new.kind == "barometer" else key)

    _written(db, name, change)


def nearly(old: object, new: object) -> bool:
    """Whether two states are the same but for how finely a form shows their figures."""
    if isinstance(old, dict) and isinstance(new, dict):
        return old.keys() == new.keys() and all(nearly(old[key], new[key]) for key in old)
    if isinstance(old, tuple) and isinstance(new, tuple):
        return len(old) == len(new) and all(map(nearly, old, new))
    if isinstance(old, float) and isinstance(new, float):
        return isclose(old, new, rel_tol=SHOWN_TO)
    return old == new


SHOWN_TO = 1e-4


def _written(db: Connection, name: str, change: Callable[[], None]) -> None:
    try:
        with transaction(db):
            change()
    except IntegrityError:
        raise BadInput({"name": _("{name} is another one's name already.", name=name)}) from None
