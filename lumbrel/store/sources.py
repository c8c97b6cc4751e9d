"""What is plugged into this machine, and as which instrument it is used."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection
from typing import Literal

from lumbrel.store.db import instant
from lumbrel.store.rows import mapper

Unit = Literal["C", "F"]


@dataclass(frozen=True, kw_only=True)
class Plug:
    """A source in use.

    Attributes:
        wire, address: where it hangs.
        name: what it calls itself.
        unit: of its lines that name none.
    """

    wire: str
    address: str
    name: str
    unit: Unit
    instrument_id: str
    since: datetime


_plug = mapper(Plug)


def plugs(db: Connection) -> list[Plug]:
    """All that are in use."""
    return [_plug(row) for row in db.execute("SELECT * FROM source ORDER BY since")]


def plug_in(db: Connection, plug: Plug) -> None:
    """Use a source as an instrument; what was that instrument before is it no more."""
    unplug(db, plug.wire, plug.address)
    db.execute("DELETE FROM source WHERE instrument_id = ?", (plug.instrument_id,))
    db.execute(
        "INSERT INTO source (wire, address, name, unit, instrument_id, since) VALUES (?, ?, ?, ?, ?, ?)",
        (plug.wire, plug.address, plug.name, plug.unit, plug.instrument_id, instant(plug.since)),
    )


def unplug(db: Connection, wire: str, address: str) -> None:
    """Use a source no more."""
    db.execute("DELETE FROM source WHERE wire = ? AND address = ?", (wire, address))
