"""What is plugged into this machine or speaks to it, and as which instrument it is used."""

import json
from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection
from typing import Any

from lumbrel.store.db import instant, moment
from lumbrel.store.rows import mapper


@dataclass(frozen=True, kw_only=True)
class Plug:
    """A source in use.

    Attributes:
        wire, address: where it hangs.
        quantity: what of all that it tells: temperature, pressure or mass.
        name: what it calls itself.
        unit: of its lines that name none.
    """

    wire: str
    address: str
    quantity: str
    name: str
    unit: str
    instrument_id: str
    since: datetime


_plug = mapper(Plug)


def plugs(db: Connection) -> list[Plug]:
    """All that are in use."""
    return [_plug(row) for row in db.execute("SELECT * FROM source ORDER BY since")]


def plug_in(db: Connection, plug: Plug) -> None:
    """Use a source as an instrument; what was that instrument before is it no more."""
    unplug(db, plug.wire, plug.address, plug.quantity)
    db.execute("DELETE FROM source WHERE instrument_id = ?", (plug.instrument_id,))
    db.execute(
        "INSERT INTO source (wire, address, quantity, name, unit, instrument_id, since) VALUES (?, ?, ?, ?, ?, ?, ?)",
        (
            plug.wire,
            plug.address,
            plug.quantity,
            plug.name,
            plug.unit,
            plug.instrument_id,
            instant(plug.since),
        ),
    )


def unplug(db: Connection, wire: str, address: str, quantity: str) -> None:
    """Use a source no more."""
    db.execute(
        "DELETE FROM source WHERE wire = ? AND address = ? AND quantity = ?", (wire, address, quantity)
    )


@dataclass(frozen=True, kw_only=True)
class SpokenWith:
    """What this machine speaks with that is not plugged into it.

    Attributes:
        sort: tcp or folder, which are listened to; mqtt, the kitchen's broker; webhook, which is told.
        detail: what else is known of it, without its secrets.
    """

    sort: str
    address: str
    detail: dict[str, Any]
    since: datetime


def outside(db: Connection, sort: str) -> list[SpokenWith]:
    """All of a sort."""
    rows = db.execute("SELECT * FROM outside WHERE sort = ? ORDER BY since", (sort,))
    return [
        SpokenWith(
            sort=row["sort"],
            address=row["address"],
            detail=json.loads(row["detail"]),
            since=moment(row["since"]),
        )
        for row in rows
    ]


def name_outside(db: Connection, one: SpokenWith) -> None:
    """Name one, or name it anew."""
    db.execute(
        "INSERT OR REPLACE INTO outside VALUES (?, ?, ?, ?)",
        (one.sort, one.address, json.dumps(one.detail), instant(one.since)),
    )


def forget_outside(db: Connection, sort: str, address: str = "") -> None:
    """Speak with one no more; without an address with none of the sort."""
    db.execute("DELETE FROM outside WHERE sort = ?1 AND ?2 IN ('', address)", (sort, address))
