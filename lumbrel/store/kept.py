"""What is kept besides the lines, so that no page reads them all: where each batch stands, what
waits, which readings make a pair, what stands on the shelf.

Every row follows from lines and flows. The write that changes them keeps them up to date in the
same transaction; `lumbrel check` makes them anew and compares.
"""

from dataclasses import dataclass, replace
from datetime import datetime
from sqlite3 import Connection, Row

from lumbrel.store.db import instant, moment, once
from lumbrel.store.flow import is_lot
from lumbrel.store.record import Batch, batch_of
from lumbrel.store.rows import columns_of, insert, mapper


@dataclass(frozen=True, kw_only=True)
class Standing:
    """Where a batch stands: in which vessel since when, drawn off when, and how fast it boiled."""

    vessel_id: str
    taken_at: datetime
    drawn_at: datetime | None
    rate_kg_per_min: float | None
    strays: float | None
    """By how much of that its burner strayed."""
    waits: tuple[str, ...]
    """The stations it waits for."""
    left_at: datetime | None = None
    """When nothing of it was on the fire any more."""


@dataclass(frozen=True, kw_only=True)
class PromiseRow:
    """What was promised of a draw, and how far off the target the first cold check found it, Brix."""

    season: int
    promised_brix: float
    off_brix: float
    held: bool


@dataclass(frozen=True, kw_only=True)
class ShiftRow:
    """How far a woodlot's syrup boiled off the believed curve in a batch, K."""

    woodlot_id: str
    sugar_kind: str
    learnt_at: datetime
    shift_k: float
    sigma_k: float
    shared_k: float


def keep_standing(db: Connection, batch_id: str, standing: Standing | None) -> None:
    """Where a batch stands; None when it was called off."""
    db.execute("DELETE FROM waits WHERE batch_id = ?", (batch_id,))
    db.execute("DELETE FROM standing WHERE batch_id = ?", (batch_id,))
    if standing is None:
        return
    taken, drawn, left = instant(standing.taken_at), standing.drawn_at, standing.left_at
    db.execute(
        "INSERT INTO standing VALUES (?, ?, ?, ?, ?, ?, ?)",
        (
            batch_id,
            standing.vessel_id,
            taken,
            instant(drawn) if drawn else None,
            standing.rate_kg_per_min,
            standing.strays,
            instant(left) if left else None,
        ),
    )
    db.executemany(
        "INSERT INTO waits VALUES (?, ?, ?)", [(station, batch_id, taken) for station in standing.waits]
    )


def keep_promise(db: Connection, batch_id: str, promise: PromiseRow | None) -> None:
    """A batch's promise; None while there is none to hold it against."""
    db.execute("DELETE FROM promise WHERE batch_id = ?", (batch_id,))
    if promise is not None:
        insert(db, "promise", {"batch_id": batch_id, **columns_of(promise)})


def keep_shift(db: Connection, batch_id: str, shift: ShiftRow | None) -> None:
    """What a batch taught of its woodlot's boil; None while it teaches nothing."""
    db.execute("DELETE FROM boil_shift WHERE batch_id = ?", (batch_id,))
    if shift is not None:
        insert(db, "boil_shift", {"batch_id": batch_id, **columns_of(shift)})


_shift, _promise = mapper(ShiftRow), mapper(PromiseRow)


def shifts(db: Connection, woodlot_id: str, sugar_kind: str, before: datetime, limit: int) -> list[ShiftRow]:
    """What the last draws of a woodlot taught of its boil up to a moment, newest first."""
    rows = db.execute(
        """SELECT * FROM boil_shift WHERE woodlot_id = ? AND sugar_kind = ? AND learnt_at <= ?
           ORDER BY learnt_at DESC, batch_id LIMIT ?""",
        (woodlot_id, sugar_kind, instant(before), limit),
    )
    return [_shift(row) for row in rows]


@dataclass(frozen=True, kw_only=True)
class FilterSeen:
    """What a batch showed of its filter."""

    method: str
    filtered_at: datetime
    loss_kg: float | None
    rate_l_min: float | None
    passes_l: float | None


_filter = mapper(FilterSeen)


def keep_filter(db: Connection, batch_id: str, seen: FilterSeen | None) -> None:
    """What a batch showed of its filter; None while it was not filtered."""
    db.execute("DELETE FROM filter_seen WHERE batch_id = ?", (batch_id,))
    if seen is not None:
        insert(db, "filter_seen", {"batch_id": batch_id, **columns_of(seen)})


def filters_seen(db: Connection, method: str, before: datetime, limit: int) -> list[FilterSeen]:
    """What the last batches showed of a way to filter, up to a moment, newest first."""
    rows = db.execute(
        """SELECT * FROM filter_seen WHERE method = ? AND filtered_at < ?
           ORDER BY filtered_at DESC, batch_id LIMIT ?""",
        (method, instant(before), limit),
    )
    return [_filter(row) for row in rows]


def keep_colour(
    db: Connection, batch_id: str, season: int, graded_at: datetime, transmittance: float | None
) -> None:
    """How much light a batch lets through 10 mm, percent; None while nobody saw it."""
    db.execute("DELETE FROM colour_seen WHERE batch_id = ?", (batch_id,))
    if transmittance is not None:
        db.execute(
            "INSERT INTO colour_seen VALUES (?, ?, ?, ?)",
            (batch_id, season, instant(graded_at), transmittance),
        )


def colours_of_season(db: Connection, season: int, limit: int) -> list[tuple[str, float]]:
    """Code and transmittance of the newest so many batches of a season, oldest first."""
    rows = db.execute(
        """SELECT batch.code, transmittance FROM colour_seen JOIN batch ON batch.id = batch_id
           WHERE season = ? ORDER BY graded_at DESC LIMIT ?""",
        (season, limit),
    )
    return [(row["code"], row["transmittance"]) for row in rows][::-1]


def colours_by_day(db: Connection, season: int) -> list[tuple[datetime, float]]:
    """When each batch of a season was graded, and its light, oldest first."""
    rows = db.execute(
        "SELECT graded_at, transmittance FROM colour_seen WHERE season = ? ORDER BY graded_at", (season,)
    )
    return [(moment(row["graded_at"]), row["transmittance"]) for row in rows]


def promise(db: Connection, batch_id: str) -> PromiseRow | None:
    """What was promised of a batch's draw, and how it was kept."""
    row = db.execute("SELECT * FROM promise WHERE batch_id = ?", (batch_id,)).fetchone()
    return _promise(row) if row else None


def promises_kept(db: Connection, season: int) -> tuple[int, int]:
    """How many of a season's promises were kept, and how many there were."""
    row = db.execute(
        "SELECT coalesce(sum(held), 0) AS held, count(*) AS made FROM promise WHERE season = ?", (season,)
    ).fetchone()
    return int(row["held"]), int(row["made"])


def keep_stock(db: Connection, parcel_id: str) -> None:
    """The packs of a lot, counted anew from what flowed; no other parcel has packs."""
    db.execute("DELETE FROM stock WHERE parcel_id = ?", (parcel_id,))
    if not is_lot(parcel_id):
        return
    db.execute(
        """INSERT INTO stock
           SELECT ?1, pack_ml, sum(packs) FROM (
               SELECT pack_ml, packs FROM flow WHERE target_id = ?1 AND packs IS NOT NULL
               UNION ALL
               SELECT pack_ml, -packs FROM flow WHERE source_id = ?1 AND packs IS NOT NULL)
           GROUP BY pack_ml""",
        (parcel_id,),
    )


def short_of(db: Connection, parcel_id: str) -> tuple[float, int] | None:
    """A size of which more packs left than ever came, and how many more; None when none did."""
    row = db.execute(
        "SELECT pack_ml, packs FROM stock WHERE parcel_id = ? AND packs < 0", (parcel_id,)
    ).fetchone()
    return (row["pack_ml"], -row["packs"]) if row else None


MOST_WAITING = 200


def _batch(row: Row) -> Batch:
    """A batch as its take-in has it now."""
    since = moment(row["stands_since"])
    return replace(batch_of(row), vessel_id=row["stands_in"], opened_at=since)


def waiting(db: Connection, station: str) -> list[Batch]:
    """Batches that wait for a station, oldest first; no more than a page can show."""
    return list(once(db, ("waiting", station), lambda: _waiting(db, station)))


def _waiting(db: Connection, station: str) -> list[Batch]:
    rows = db.execute(
        """SELECT batch.*, standing.vessel_id AS stands_in, standing.taken_at AS stands_since FROM waits
           JOIN batch ON batch.id = waits.batch_id
           JOIN standing ON standing.batch_id = waits.batch_id
           WHERE waits.station = ? ORDER BY waits.taken_at, waits.batch_id LIMIT ?""",
        (station, MOST_WAITING),
    )
    return [_batch(row) for row in rows]


def all_waiting(db: Connection) -> dict[str, frozenset[str]]:
    """By batch that waits for anything, the stations it waits for."""
    found: dict[str, set[str]] = {}
    for row in db.execute("SELECT batch_id, station FROM waits"):
        found.setdefault(row["batch_id"], set()).add(row["station"])
    return {batch_id: frozenset(stations) for batch_id, stations in found.items()}


def standing_of(db: Connection, batch_id: str) -> Standing | None:
    """Where a batch stands; None when it was called off."""
    row = db.execute("SELECT * FROM standing WHERE batch_id = ?", (batch_id,)).fetchone()
    if row is None:
        return None
    waits = db.execute("SELECT station FROM waits WHERE batch_id = ?", (batch_id,))
    return Standing(
        vessel_id=row["vessel_id"],
        taken_at=moment(row["taken_at"]),
        drawn_at=moment(row["drawn_at"]) if row["drawn_at"] else None,
        rate_kg_per_min=row["rate_kg_per_min"],
        strays=row["strays"],
        waits=tuple(sorted(one["station"] for one in waits)),
        left_at=moment(row["left_at"]) if row["left_at"] else None,
    )


def taken_since(db: Connection, vessel_id: str, since: datetime, but: str) -> str:
    """Code of the first batch taken into a vessel after a moment, besides one; empty if none."""
    row = db.execute(
        """SELECT batch.code FROM standing JOIN batch ON batch.id = standing.batch_id
           WHERE standing.vessel_id = ? AND standing.taken_at > ? AND standing.batch_id <> ?
           ORDER BY standing.taken_at LIMIT 1""",
        (vessel_id, instant(since), but),
    ).fetchone()
    return row["code"] if row else ""


def in_vessel(db: Connection, vessel_id: str, since: datetime, until: datetime, limit: int) -> list[Batch]:
    """Batches taken into a vessel between two moments, oldest first."""
    rows = db.execute(
        """SELECT batch.*, standing.vessel_id AS stands_in, standing.taken_at AS stands_since
           FROM standing JOIN batch ON batch.id = standing.batch_id
           WHERE standing.vessel_id = ? AND standing.taken_at BETWEEN ? AND ?
           ORDER BY standing.taken_at LIMIT ?""",
        (vessel_id, instant(since), instant(until), limit),
    )
    return [_batch(row) for row in rows]


def last_rates(db: Connection, vessel_id: str, before: datetime, limit: int) -> list[float]:
    """How fast a vessel boiled in its last boils up to a moment, newest first."""
    rows = db.execute(
        """SELECT rate_kg_per_min FROM standing
           WHERE vessel_id = ? AND left_at <= ? AND rate_kg_per_min IS NOT NULL
           ORDER BY left_at DESC LIMIT ?""",
        (vessel_id, instant(before), limit),
    )
    return [row["rate_kg_per_min"] for row in rows]


def drawn_since(db: Connection, since: datetime, instrument_id: str = "") -> list[str]:
    """The ids of batches drawn from a moment on; with an instrument those that read it from then on."""
    if instrument_id:
        rows = db.execute(
            """SELECT DISTINCT used.batch_id AS id FROM used JOIN standing USING (batch_id)
               WHERE used.instrument_id = ? AND used.last_at >= ? AND standing.drawn_at IS NOT NULL""",
            (instrument_id, instant(since)),
        )
    else:
        rows = db.execute("SELECT batch_id AS id FROM standing WHERE drawn_at >= ?", (instant(since),))
    return [row["id"] for row in rows]


def last_strays(db: Connection, vessel_id: str, before: datetime, limit: int) -> list[float]:
    """How much a vessel's burner strayed in its last draws up to a moment, newest first."""
    rows = db.execute(
        """SELECT strays FROM standing WHERE vessel_id = ? AND drawn_at <= ? AND strays IS NOT NULL
           ORDER BY drawn_at DESC LIMIT ?""",
        (vessel_id, instant(before), limit),
    )
    return [row["strays"] for row in rows]


def drawn_between(db: Connection, since: datetime, until: datetime, limit: int) -> list[Batch]:
    """Batches drawn between two moments, the newest draw first."""
    rows = db.execute(
        """SELECT batch.*, standing.vessel_id AS stands_in, standing.taken_at AS stands_since FROM standing
           JOIN batch ON batch.id = standing.batch_id
           WHERE standing.drawn_at BETWEEN ? AND ? ORDER BY standing.drawn_at DESC LIMIT ?""",
        (instant(since), instant(until), limit),
    )
    return [_batch(row) for row in rows]
