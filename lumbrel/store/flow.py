"""Parcels of sugar and what flowed between them."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection, Row

from lumbrel.store.db import instant, moment, once
from lumbrel.store.rows import columns_of, insert, mapper

DELIVERY, CHARGE, BULK, LOT, CONFECTION = KINDS = ("delivery", "charge", "bulk", "lot", "confection")


PACKED, MADE, OPENED = "packed", "made", "opened"
"""Why jars came to a lot, why a confection's packs did, and why jars went into a pan."""


@dataclass(frozen=True)
class Jar:
    """So many jars of one size; of a confection so many packs, by grams."""

    size_ml: float
    count: int


@dataclass(frozen=True, kw_only=True)
class Parcel:
    """A quantity of sugar in one place under one code."""

    id: str
    kind: str
    code: str
    opened_at: datetime
    batch_id: str | None = None
    woodlot_id: str | None = None


@dataclass(frozen=True, kw_only=True)
class Flow:
    """What a line moved. No source: from outside; no target: out."""

    source_id: str | None
    target_id: str | None
    mass_kg: float
    brix: float
    reason: str
    pack_ml: float | None = None
    """Content of one at 20 degC, ml; of a confection what one weighs, g."""
    packs: int | None = None
    for_woodlot_id: str | None = None

    @property
    def solids_kg(self) -> float:
        """The sugar in it."""
        return self.mass_kg * self.brix / 100


@dataclass(frozen=True, kw_only=True)
class Flowed:
    """A flow that stands, with the line it was written by."""

    entry_id: str
    line: int
    batch_id: str
    at: datetime
    order: tuple[str, int]
    """Among lines of the same moment: by when they were noted, then as they were written."""
    flow: Flow


def charge_id(batch_id: str) -> str:
    """The parcel of what is in a batch's vessel."""
    return f"charge/{batch_id}"


def bulk_id(batch_id: str) -> str:
    """The parcel of what was drawn from it."""
    return f"bulk/{batch_id}"


def delivery_id(batch_id: str, woodlot_id: str) -> str:
    """The parcel of what a woodlot delivered to it."""
    return f"delivery/{batch_id}/{woodlot_id}"


def lot_id(code: str) -> str:
    """The parcel of a lot of jars, or of a confection."""
    return f"lot/{code}"


_parcel = mapper(Parcel)


def parcel(db: Connection, parcel_id: str) -> Parcel | None:
    return once(db, ("parcel", parcel_id), lambda: _parcel_of(db, parcel_id))


def _parcel_of(db: Connection, parcel_id: str) -> Parcel | None:
    row = db.execute("SELECT * FROM parcel WHERE id = ?", (parcel_id,)).fetchone()
    return _parcel(row) if row else None


def parcels_called(db: Connection, code: str) -> list[Parcel]:
    """Every parcel under a code, of whatever kind, the one nearest to the customer first."""
    rows = db.execute("SELECT * FROM parcel WHERE code = ?", (code,))
    return sorted((_parcel(row) for row in rows), key=lambda p: -KINDS.index(p.kind))


def codes_opened(db: Connection, since: datetime, until: datetime) -> dict[str, str]:
    """The parcels opened between two moments, by id their codes."""
    rows = db.execute(
        "SELECT id, code FROM parcel WHERE opened_at >= ? AND opened_at < ?", (instant(since), instant(until))
    )
    return {row["id"]: row["code"] for row in rows}


@dataclass(frozen=True, kw_only=True)
class Carried:
    """What a flow carried of one woodlot's sugar, at the parcel it is looked at from."""

    parcel_id: str
    kind: str
    batch_id: str
    other_id: str | None
    """Where it came from, or went to."""
    packed: bool
    reason: str
    for_woodlot_id: str | None
    woodlot_id: str
    solids_kg: float
    at: datetime


def _carried(db: Connection, side: str, other: str, since: datetime, until: datetime) -> list[Carried]:
    rows = db.execute(
        f"""SELECT parcel.id, parcel.kind, parcel.batch_id, flow.{other} AS other_id,
                  flow.packs, flow.reason, flow.for_woodlot_id,
                  flow_share.woodlot_id, flow_share.solids_kg, entry.at
           FROM parcel JOIN flow ON flow.{side} = parcel.id
           JOIN line AS entry ON entry.id = flow.entry_id
           JOIN flow_share ON flow_share.entry_id = flow.entry_id
                AND flow_share.line = flow.line
           WHERE parcel.opened_at >= ? AND parcel.opened_at < ?""",
        (instant(since), instant(until)),
    )
    return [
        Carried(
            parcel_id=row["id"],
            kind=row["kind"],
            batch_id=row["batch_id"] or "",
            other_id=row["other_id"],
            packed=row["packs"] is not None,
            reason=row["reason"],
            for_woodlot_id=row["for_woodlot_id"],
            woodlot_id=row["woodlot_id"],
            solids_kg=row["solids_kg"],
            at=moment(row["at"]),
        )
        for row in rows
    ]


def carried_into(db: Connection, since: datetime, until: datetime) -> list[Carried]:
    """What flowed into the parcels opened between two moments, by woodlot."""
    return _carried(db, "target_id", "source_id", since, until)


def carried_out(db: Connection, since: datetime, until: datetime) -> list[Carried]:
    """What flowed out of the parcels opened between two moments, by woodlot."""
    return _carried(db, "source_id", "target_id", since, until)


def parcels_of_woodlot(db: Connection, woodlot_id: str, since: datetime, until: datetime) -> list[Parcel]:
    """Deliveries of a woodlot between two moments, oldest first."""
    rows = db.execute(
        """SELECT * FROM parcel WHERE woodlot_id = ? AND opened_at >= ? AND opened_at < ?
           ORDER BY opened_at, id""",
        (woodlot_id, instant(since), instant(until)),
    )
    return [_parcel(row) for row in rows]


def newest_delivery(db: Connection, woodlot_id: str) -> Parcel | None:
    """What a woodlot delivered last."""
    row = db.execute(
        "SELECT * FROM parcel WHERE woodlot_id = ? ORDER BY opened_at DESC LIMIT 1", (woodlot_id,)
    ).fetchone()
    return _parcel(row) if row else None


def add_flows(db: Connection, entry_id: str, flows: list[Flow]) -> None:
    """Keep what a line moved."""
    for number, flow in enumerate(flows):
        insert(db, "flow", {"entry_id": entry_id, "line": number, **columns_of(flow)})


def drop_flows(db: Connection, entry_id: str) -> None:
    """Forget what a line moved, and whose sugar it was."""
    db.execute("DELETE FROM flow_share WHERE entry_id = ?", (entry_id,))
    db.execute("DELETE FROM flow WHERE entry_id = ?", (entry_id,))


def is_lot(parcel_id: str) -> bool:
    """Whether it is a parcel of jars or of a confection's packs."""
    return parcel_id.startswith(lot_id(""))


def keep_parcels(db: Connection, batch_id: str, code: str, deliveries: dict[str, str]) -> None:
    """Keep the parcels of a batch: those that what its lines moved came from or went to.

    Args:
        deliveries: the codes of what woodlots delivered, by the parcel's id.
    """
    wanted = _parcels(flows_of(db, batch_id), batch_id, code, deliveries)
    rows = db.execute("SELECT * FROM parcel WHERE batch_id = ?", (batch_id,)).fetchall()
    known = {row["id"]: _parcel(row) for row in rows}
    for parcel_id in known:
        if known[parcel_id] != wanted.get(parcel_id):
            db.execute("DELETE FROM parcel WHERE id = ?", (parcel_id,))
    for parcel_id, parcel in wanted.items():
        if parcel != known.get(parcel_id):
            insert(db, "parcel", columns_of(parcel))


def _parcels(flows: list[Flowed], batch_id: str, code: str, deliveries: dict[str, str]) -> dict[str, Parcel]:
    """The parcels of a batch by their ids, each opened with the first flow to it or from it."""
    own = {charge_id(batch_id): (CHARGE, code), bulk_id(batch_id): (BULK, code)}
    own |= {parcel_id: (DELIVERY, called) for parcel_id, called in deliveries.items()}
    packed = {PACKED: LOT, MADE: CONFECTION}
    found: dict[str, Parcel] = {}
    for one in flows:
        source, target = one.flow.source_id or "", one.flow.target_id or ""
        if one.flow.reason in packed:
            own[target] = packed[one.flow.reason], target.removeprefix(lot_id(""))
        for end in {source, target} & own.keys() - found.keys():
            kind, called = own[end]
            found[end] = Parcel(
                id=end,
                kind=kind,
                code=called,
                opened_at=one.at,
                batch_id=batch_id,
                woodlot_id=end.removeprefix(delivery_id(batch_id, "")) if end in deliveries else None,
            )
    return found


FLOWED = """SELECT flow.*, entry.about_id AS batch_id, entry.at, entry.noted_at, entry.seq AS written
    FROM flow
    JOIN line AS entry ON entry.id = flow.entry_id """


_flow = mapper(Flow)


def flowed_of(row: Row) -> Flowed:
    return Flowed(
        entry_id=row["entry_id"],
        line=row["line"],
        batch_id=row["batch_id"],
        at=moment(row["at"]),
        order=(row["noted_at"], row["written"]),
        flow=_flow(row),
    )


IN_ORDER = " ORDER BY entry.at, entry.noted_at, entry.seq, flow.line"


def flows_of_line(db: Connection, entry_id: str) -> list[Flow]:
    """What a line moves; nothing, once it stands no more."""
    rows = db.execute("SELECT * FROM flow WHERE entry_id = ? ORDER BY line", (entry_id,))
    return [_flow(row) for row in rows]


def flows_of(db: Connection, batch_id: str) -> list[Flowed]:
    """All that the lines of a batch moved, oldest first."""
    rows = db.execute(FLOWED + "WHERE entry.about_id = ?" + IN_ORDER, (batch_id,))
    return [flowed_of(row) for row in rows]


def parcel_kinds(db: Connection) -> dict[str, str]:
    """Every parcel with its kind, oldest first, for what looks at the whole record."""
    rows = db.execute("SELECT id, kind FROM parcel ORDER BY opened_at, id")
    return {row["id"]: row["kind"] for row in rows}


def shares(db: Connection, entry_id: str, line: int) -> dict[str, float]:
    """Whose sugar a flow carries: by woodlot, kg of solids."""
    rows = db.execute(
        "SELECT woodlot_id, solids_kg FROM flow_share WHERE entry_id = ? AND line = ?", (entry_id, line)
    )
    return {row["woodlot_id"]: row["solids_kg"] for row in rows}


def save_shares(db: Connection, entry_id: str, line: int, solids: dict[str, float]) -> None:
    """Keep whose sugar a flow carries."""
    db.execute("DELETE FROM flow_share WHERE entry_id = ? AND line = ?", (entry_id, line))
    db.executemany(
        "INSERT INTO flow_share VALUES (?, ?, ?, ?)",
        [(entry_id, line, woodlot, kg) for woodlot, kg in solids.items()],
    )
