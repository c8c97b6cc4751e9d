"""Addresses in the web that are told what rings."""

import secrets
from datetime import datetime
from pathlib import Path
from sqlite3 import Connection

from lumbrel.devices.webhook import LONGEST, NotTold, parts_of, place_of
from lumbrel.services.base.form import BadInput, Form
from lumbrel.services.kitchen.herald import WEBHOOK
from lumbrel.store import secrets as kept
from lumbrel.store import sources
from lumbrel.store.db import transaction
from lumbrel.store.sources import SpokenWith
from lumbrel.words import _

MOST = 5


def name(db: Connection, form: Form, record: Path, now: datetime) -> None:
    """Tell one more.

    Raises:
        BadInput: it is no address, or one where nothing may be told.
    """
    address = form.text("address", _("Say which address is to be told."), LONGEST)
    form.check()
    in_the_house = form.ticked("in_the_house")
    try:
        _scheme, host, port, _path = parts_of(address)
        place_of(host, port, in_the_house)
    except (ValueError, NotTold) as error:
        raise BadInput({"address": str(error.args[0])}) from error
    known = {one.address for one in sources.outside(db, WEBHOOK)}
    if len(known - {address}) >= MOST:
        raise BadInput({"address": _("So many are told at most: {most}. Forget one first.", most=MOST)})
    if not kept.secret(record, WEBHOOK):
        kept.keep_secret(record, WEBHOOK, secrets.token_urlsafe(24))
    one = SpokenWith(sort=WEBHOOK, address=address, detail={"in_the_house": in_the_house}, since=now)
    with transaction(db):
        sources.name_outside(db, one)


def forget(db: Connection, form: Form) -> None:
    """Tell one no more."""
    address = form.text("address", _("Say which address is to be told no more."), LONGEST)
    form.check()
    with transaction(db):
        sources.forget_outside(db, WEBHOOK, address)
