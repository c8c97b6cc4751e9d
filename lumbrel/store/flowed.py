"""What flowed, seen from a parcel: into it, out of it, above it and below it."""

from collections import defaultdict
from datetime import datetime
from graphlib import CycleError, TopologicalSorter
from sqlite3 import Connection

from lumbrel.store.db import instant, once
from lumbrel.store.flow import FLOWED, IN_ORDER, Flowed, flowed_of


def flows_into(db: Connection, parcel_id: str) -> list[Flowed]:
    """What came into a parcel, oldest first."""
    return _flows(db, "target_id", parcel_id)


def flows_out_of(db: Connection, parcel_id: str) -> list[Flowed]:
    """What left a parcel, oldest first."""
    return _flows(db, "source_id", parcel_id)


def _flows(db: Connection, end: str, parcel_id: str) -> list[Flowed]:
    def read() -> list[Flowed]:
        rows = db.execute(f"{FLOWED} WHERE flow.{end} = ? {IN_ORDER}", (parcel_id,))
        return [flowed_of(row) for row in rows]

    return list(once(db, ("flows", end, parcel_id), read))


def gone_to_woodlot(
    db: Connection, woodlot_id: str, since: datetime, until: datetime
) -> list[tuple[str, Flowed]]:
    """Jars of a woodlot's own that it had, of lots opened between two moments, each with its lot."""
    rows = db.execute(
        """SELECT flow.*, entry.about_id AS batch_id, entry.at, entry.noted_at, entry.seq AS written,
                  parcel.code AS lot_code
           FROM parcel JOIN flow ON flow.source_id = parcel.id
           JOIN line AS entry ON entry.id = flow.entry_id
           WHERE parcel.opened_at >= ? AND parcel.opened_at < ?
               AND parcel.kind IN ('lot', 'confection') AND flow.for_woodlot_id = ?
           ORDER BY entry.at, entry.noted_at, written""",
        (instant(since), instant(until), woodlot_id),
    )
    return [(row["lot_code"], flowed_of(row)) for row in rows]


def moved_jars_of(db: Connection, batch_id: str) -> list[tuple[str, str]]:
    """The lines of other batches that moved jars of a batch's lots, each with its batch."""
    rows = db.execute(
        """WITH lot AS (SELECT id FROM parcel WHERE batch_id = ?1 AND kind IN ('lot', 'confection')),
                moved AS (SELECT entry_id FROM lot JOIN flow ON flow.source_id = lot.id
                          UNION SELECT entry_id FROM lot JOIN flow ON flow.target_id = lot.id)
           SELECT entry_id, about_id FROM moved JOIN line ON line.id = moved.entry_id
           WHERE about_id <> ?1""",
        (batch_id,),
    )
    return [(row["entry_id"], row["about_id"]) for row in rows]


def above(db: Connection, parcel_id: str) -> set[str]:
    """Every parcel that went into one, itself included."""
    rows = db.execute(
        """WITH RECURSIVE came (id) AS (
               SELECT ? UNION
               SELECT flow.source_id FROM came JOIN flow ON flow.target_id = came.id
               WHERE flow.source_id IS NOT NULL)
           SELECT id FROM came""",
        (parcel_id,),
    )
    return {row["id"] for row in rows}


def below(db: Connection, parcel_id: str) -> set[str]:
    """Every parcel that one went into, itself included."""
    rows = db.execute(
        """WITH RECURSIVE went (id) AS (
               SELECT ? UNION
               SELECT flow.target_id FROM went JOIN flow ON flow.source_id = went.id
               WHERE flow.target_id IS NOT NULL)
           SELECT id FROM went""",
        (parcel_id,),
    )
    return {row["id"] for row in rows}


def comes_back(db: Connection, source_id: str, target_id: str) -> bool:
    """Whether what flows from one parcel to another would come back to the first, through whatever."""
    return source_id in below(db, target_id)


def runs_in_a_circle(db: Connection) -> bool:
    """Whether anything poured comes back to where it came from, by what looks at the whole record."""
    into: dict[str, set[str]] = defaultdict(set)
    for source, target in db.execute(
        "SELECT source_id, target_id FROM flow WHERE source_id IS NOT NULL AND target_id IS NOT NULL"
    ):
        into[target].add(source)
    try:
        TopologicalSorter(into).prepare()
    except CycleError:
        return True
    return False
