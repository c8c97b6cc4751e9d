"""What is listened to that is not plugged in, as somebody names it: a TCP port, a folder, the kitchen's broker."""

import ssl
from datetime import datetime
from pathlib import Path
from sqlite3 import Connection
from typing import Any
from urllib.parse import urlsplit

from lumbrel.devices.broker import BrokerAt
from lumbrel.devices.wires.tcp import host_and_port
from lumbrel.services.base.form import BadInput, Form
from lumbrel.store import secrets, sources
from lumbrel.store.db import transaction
from lumbrel.store.sources import SpokenWith
from lumbrel.words import _

MQTT, TCP, FOLDER = "mqtt", "tcp", "folder"
SORTS = (MQTT, TCP, FOLDER)
PORTS = {"mqtt": 1883, "mqtts": 8883}
MOST = 20
"""Of one sort so many are listened to."""


def name(db: Connection, sort: str, form: Form, record: Path, now: datetime) -> None:
    """Listen to one more; of brokers there is one.

    Raises:
        BadInput: it is none.
    """
    address = form.text("address", _("Say where it is."), 200)
    form.check()
    detail: dict[str, Any] = {}
    if sort == MQTT:
        _broker(address, form)
        detail = {key: form.text(key, limit=200) for key in ("user", "authority", "discovery")}
        detail["tells"] = form.ticked("tells")
    elif sort == TCP:
        try:
            host_and_port(address)
        except ValueError as error:
            raise BadInput({"address": str(error)}) from error
    elif not Path(address).is_absolute() or not Path(address).is_dir():
        raise BadInput({"address": _("Name a folder that is there, as /srv/logger.")})
    known = {one.address for one in sources.outside(db, sort)}
    if sort != MQTT and len(known - {address}) >= MOST:
        raise BadInput(
            {"address": _("So many are listened to at most: {most}. Forget one first.", most=MOST)}
        )
    with transaction(db):
        if sort == MQTT:
            sources.forget_outside(db, MQTT)
        sources.name_outside(db, SpokenWith(sort=sort, address=address, detail=detail, since=now))
    if sort == MQTT and (form.given("password") or not detail["user"]):
        secrets.keep_secret(record, MQTT, form.fields.get("password", "") if detail["user"] else "")


def forget(db: Connection, sort: str, form: Form, record: Path) -> None:
    """Listen to one no more."""
    with transaction(db):
        sources.forget_outside(db, sort, "" if sort == MQTT else form.text("address"))
    if sort == MQTT:
        secrets.keep_secret(record, MQTT, "")


def broker_of(db: Connection) -> SpokenWith | None:
    """The kitchen's broker; None where there is none."""
    return next(iter(sources.outside(db, MQTT)), None)


def broker_at(db: Connection, record: Path) -> BrokerAt | None:
    """Where it is, with the password that lies beside the record."""
    one = broker_of(db)
    if one is None:
        return None
    scheme, host, port = _parts(one.address)
    return BrokerAt(
        host=host,
        port=port,
        tls=scheme == "mqtts",
        authority=one.detail["authority"],
        user=one.detail["user"],
        password=secrets.secret(record, MQTT),
    )


def _parts(address: str) -> tuple[str, str, int]:
    """Scheme, host and port.

    Raises:
        ValueError: it is no address of a broker.
    """
    parts = urlsplit(address if "://" in address else f"mqtt://{address}")
    if parts.scheme not in PORTS or not parts.hostname or parts.path not in ("", "/") or parts.username:
        raise ValueError
    return parts.scheme, parts.hostname, parts.port or PORTS[parts.scheme]


def _broker(address: str, form: Form) -> None:
    try:
        scheme, _host, _port = _parts(address)
    except ValueError:
        raise BadInput(
            {"address": _("Write it as mqtt://HOST or mqtts://HOST, with :PORT where it is another.")}
        ) from None
    authority = form.text("authority", limit=200)
    if authority and scheme != "mqtts":
        raise BadInput({"authority": _("A certificate goes with mqtts:// only.")})
    if authority:
        try:
            ssl.create_default_context(cafile=authority)
        except (OSError, ssl.SSLError):
            raise BadInput({"authority": _("Name a PEM file on this machine that can be read.")}) from None
    discovery = form.text("discovery", limit=200)
    if set("+# \\") & set(discovery):
        raise BadInput({"discovery": _("A prefix is a topic: letters, digits and slashes.")})
