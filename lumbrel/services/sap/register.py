"""Woodlots, trees and tanks under another name, or out of use. What was written of them stays theirs."""

from collections.abc import Mapping
from datetime import datetime
from sqlite3 import Connection, IntegrityError
from typing import Literal

from lumbrel.services.base.form import BadInput, Form, NotFound
from lumbrel.services.sap.played import view
from lumbrel.services.sap.trees import tree_of, woodlot_of
from lumbrel.store import sap as store
from lumbrel.store.db import transaction
from lumbrel.store.kitchen import Woodlot, load_kitchen
from lumbrel.store.registered import change
from lumbrel.store.sap import Tank, Tree
from lumbrel.words import _

What = Literal["woodlot", "tree", "tank"]


def thing_of(db: Connection, what: str, key: str) -> Woodlot | Tree | Tank:
    """A woodlot, a tree or a tank, retired or not.

    Raises:
        NotFound: there is none.
    """
    if what == "woodlot":
        return woodlot_of(db, key)
    if what == "tree":
        return tree_of(db, key)
    found = next((tank for tank in store.tanks(db) if (what, tank.id) == ("tank", key)), None)
    if found is None:
        raise NotFound(_("There is no such tank; the sap page lists all."))
    return found


def rename(db: Connection, what: What, key: str, fields: Mapping[str, str], now: datetime) -> None:
    """Give a woodlot, a tree or a tank another name. Sent again it changes nothing.

    Raises:
        BadInput: there is no name, or it is taken.
        NotFound: there is no such thing.
    """
    form = Form(fields, load_kitchen(db))
    name = form.text("name", _("Type a name."), limit=30 if what == "tree" else 60)
    form.check()
    try:
        with transaction(db):
            if thing_of(db, what, key).name != name:
                by = form.text("initials", limit=8)
                change(db, what, key, {"name": name}, since=now, noted_at=now, initials=by)
    except IntegrityError:
        raise BadInput(
            {"name": _("{name} is another {what}’s name already.", name=name, what=what)}
        ) from None


def retire(db: Connection, what: What, key: str, retired: bool, now: datetime, *, initials: str = "") -> None:
    """Take a woodlot, a tree or a tank out of use, or into use again: it is offered no more, and all that was
    written of it stays.

    Raises:
        BadInput: a tank still holds sap.
        NotFound: there is no such thing.
    """
    with transaction(db):
        thing = thing_of(db, what, key)
        if retired and what == "tank" and not (held := view(db, key, now)).empty:
            there = Form({}, load_kitchen(db)).show(held.content.litres, "volume")
            raise BadInput(
                {
                    "retired": _(
                        "{thing} still holds {there} of sap. Boil, move or take it out first.",
                        thing=thing.name,
                        there=there,
                    )
                }
            )
        if bool(thing.retired) != retired:
            state = {"retired": int(retired)}
            change(db, what, key, state, since=now, noted_at=now, initials=initials)
