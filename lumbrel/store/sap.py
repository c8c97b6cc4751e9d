"""Trees and tanks, and what is kept of the sap book by day and by tree."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from sqlite3 import Connection, Row

from lumbrel.store import book
from lumbrel.store.book import LineRow
from lumbrel.store.db import instant, once
from lumbrel.store.registered import register
from lumbrel.store.rows import columns_of, insert, mapper

KEPT_TABLES = ("sap_run", "sap_of_tree", "sap_weather", "sap_tap")


@dataclass(frozen=True)
class Tree:
    """A tree as registered; its name is mostly a number."""

    id: str
    woodlot_id: str
    name: str
    kind: str
    retired: bool = False


PAILS = "pails"
"""The tank that sap stands in which has none: in pails, at the trees."""


@dataclass(frozen=True)
class Tank:
    """A tank for sap."""

    id: str
    name: str
    capacity_l: float
    place: str
    retired: bool = False

    @property
    def bounded(self) -> bool:
        """Whether it holds so much and no more: pails do not."""
        return self.id != PAILS


def add_tree(db: Connection, tree: Tree) -> None:
    """Register a tree; the same id twice is written once."""
    row = {"id": tree.id, "woodlot_id": tree.woodlot_id, "name": tree.name, "kind": tree.kind}
    register(db, "tree", row, ("woodlot_id", "name", "kind"))


def trees(db: Connection, woodlot_id: str) -> list[Tree]:
    """The trees of a woodlot, in the order they were registered."""
    rows = db.execute("SELECT * FROM tree WHERE woodlot_id = ? ORDER BY rowid", (woodlot_id,))
    return [Tree(**dict(row)) for row in rows]


def tree_by(db: Connection, tree_id: str) -> Tree | None:
    row = db.execute("SELECT * FROM tree WHERE id = ?", (tree_id,)).fetchone()
    return Tree(**dict(row)) if row else None


def tree_counts(db: Connection) -> dict[str, int]:
    """By woodlot, how many trees are registered."""
    rows = db.execute("SELECT woodlot_id, count(*) AS n FROM tree GROUP BY woodlot_id")
    return {row["woodlot_id"]: row["n"] for row in rows}


def add_tank(db: Connection, tank: Tank) -> None:
    """Register a tank; the same id twice is written once."""
    row = {"id": tank.id, "name": tank.name, "capacity_l": tank.capacity_l, "place": tank.place}
    register(db, "tank", row, ("name", "capacity_l", "place"))


_tank = mapper(Tank)


def tanks(db: Connection, retired: bool = True) -> list[Tank]:
    """Tanks in the order they were registered, those out of use included or not."""
    every = once(db, "tanks", lambda: [*map(_tank, db.execute("SELECT * FROM tank ORDER BY rowid"))])
    return [one for one in every if retired or not one.retired]


def drop(db: Connection, line_id: str) -> None:
    """Keep nothing more of a line that was struck."""
    for table in KEPT_TABLES:
        db.execute(f"DELETE FROM {table} WHERE line_id = ?", (line_id,))


def into_tank(db: Connection, tank_id: str, since: datetime) -> list[Row]:
    """The standing lines of what was gathered into a tank from a moment on, oldest first, as they are
    stored."""
    rows = db.execute(
        f"""SELECT line.*, 0 AS superseded FROM line
            WHERE kind = 'gathered' AND facts ->> 'tank_id' = ? AND at >= ? AND {book.STANDS}
            ORDER BY at, seq""",
        (tank_id, instant(since)),
    )
    return rows.fetchall()


def keep(db: Connection, line: LineRow) -> None:
    """Keep what a standing line says by day, by tree and of the weather."""
    facts = line.facts
    if line.kind == "gathered":
        db.executemany(
            "INSERT INTO sap_run VALUES (?, ?, ?, ?, ?, ?, ?)",
            [
                (line.id, day, line.about_id, litres, solids, facts["taps"], len(facts["days"]))
                for day, litres, solids in facts["days"]
            ],
        )
        db.executemany(
            "INSERT INTO sap_of_tree VALUES (?, ?, ?, ?, ?)",
            [
                (line.id, tree, facts["days"][-1][0], litres, solids)
                for tree, litres, solids in facts["trees"]
            ],
        )
    elif line.kind == "weather":
        db.executemany(
            "INSERT INTO sap_weather VALUES (?, ?, ?, ?, ?, ?)",
            [
                (line.id, day, int(facts["measured"]), night_c, day_c, instant(line.noted_at))
                for day, night_c, day_c in facts["days"]
            ],
        )
    elif line.kind == "tapped":
        db.execute(
            "INSERT INTO sap_tap SELECT ?, woodlot_id, id, ? FROM tree WHERE id = ?",
            (line.id, facts["season"], line.about_id),
        )


def rebuild(db: Connection) -> None:
    """Make anew what is kept besides the lines."""
    for table in KEPT_TABLES:
        db.execute(f"DELETE FROM {table}")
    rows = db.execute(
        f"""SELECT line.*, 0 AS superseded FROM line
            WHERE kind IN ('gathered', 'weather', 'tapped') AND {book.STANDS} ORDER BY seq"""
    )
    for row in rows:
        keep(db, book.line_of(row))


@dataclass(frozen=True, kw_only=True)
class RunDay:
    """What a woodlot gave on a day, all of its collections together."""

    day: date
    litres: float
    solids_kg: float
    taps: float
    days: int
    """Gathered over so many days."""
    woodlot_id: str


def runs(db: Connection, woodlot_id: str, since: date, until: date) -> list[RunDay]:
    """What a woodlot gave day by day, oldest first."""
    every = once(db, ("runs", since, until), lambda: _runs(db, since, until))
    return list(every.get(woodlot_id, ()))


def _runs(db: Connection, since: date, until: date) -> dict[str, list[RunDay]]:
    """By woodlot: who asks for one of them asks for the others."""
    rows = db.execute(
        """SELECT woodlot_id, day, sum(litres) AS litres, sum(solids_kg) AS solids_kg, sum(taps) AS taps,
                  max(days) AS days FROM sap_run
           WHERE woodlot_id IN (SELECT id FROM woodlot) AND day BETWEEN ? AND ?
           GROUP BY woodlot_id, day ORDER BY woodlot_id, day""",
        (since.isoformat(), until.isoformat()),
    )
    found: dict[str, list[RunDay]] = {}
    for woodlot_id, day, litres, solids_kg, taps, days in rows:
        run = RunDay(
            woodlot_id=woodlot_id,
            day=date.fromisoformat(day),
            litres=litres,
            solids_kg=solids_kg,
            taps=taps,
            days=days,
        )
        found.setdefault(woodlot_id, []).append(run)
    return found


def tree_sums(db: Connection, woodlot_id: str, since: date, until: date) -> dict[str, tuple[float, float]]:
    """By tree of a woodlot, litres and kg of solids between two days."""
    rows = db.execute(
        """SELECT tree_id, sum(litres), sum(solids_kg) FROM sap_of_tree
           WHERE tree_id IN (SELECT id FROM tree WHERE woodlot_id = ?) AND day BETWEEN ? AND ?
           GROUP BY tree_id""",
        (woodlot_id, since.isoformat(), until.isoformat()),
    )
    return {row[0]: (row[1], row[2]) for row in rows}


def taps_of(db: Connection, woodlot_id: str, season: int) -> dict[str, int]:
    """By tree, the taps of a season."""
    return dict(once(db, ("taps", season), lambda: _taps(db, season)).get(woodlot_id, {}))


def _taps(db: Connection, season: int) -> dict[str, dict[str, int]]:
    rows = db.execute(
        """SELECT woodlot_id, tree_id, count(*) FROM sap_tap
           WHERE woodlot_id IN (SELECT id FROM woodlot) AND season = ? GROUP BY woodlot_id, tree_id""",
        (season,),
    )
    found: dict[str, dict[str, int]] = {}
    for woodlot_id, tree_id, count in rows:
        found.setdefault(woodlot_id, {})[tree_id] = count
    return found


@dataclass(frozen=True)
class Draw:
    """Sap that went from a tank into a pan."""

    tank_id: str
    at: datetime
    mass_kg: float
    brix: float
    batch_code: str


_draw = mapper(Draw)


def draws(db: Connection, tank_id: str, since: datetime, but: str = "") -> list[Draw]:
    """What went from a tank into pans since a moment, by other lines than one, oldest first."""
    rows = db.execute(
        """SELECT tank_draw.*, batch.code AS batch_code FROM tank_draw JOIN batch ON batch.id = tank_draw.batch_id
           WHERE tank_id = ? AND at >= ? AND entry_id <> ? ORDER BY at""",
        (tank_id, instant(since), but),
    )
    return [_draw(row) for row in rows]


def draws_stamp(db: Connection) -> tuple[object, ...]:
    """What is another as soon as anything that went from tanks into pans is."""
    said = "SELECT count(*), total(mass_kg), total(mass_kg * brix), max(at) FROM tank_draw"
    return once(db, "draws from tanks", lambda: tuple(db.execute(said).fetchone()))


Drawn = tuple[str, str, datetime, float, float]
"""The line of a slip that took it, the tank, when, kg, Brix."""


def drawn_between(db: Connection, since: datetime, until: datetime) -> float:
    """The solids that went from tanks into pans between two moments, kg."""
    row = db.execute(
        "SELECT sum(mass_kg * brix) / 100 AS kg FROM tank_draw WHERE at BETWEEN ? AND ?",
        (instant(since), instant(until)),
    ).fetchone()
    return float(row["kg"] or 0.0)


def keep_draws(db: Connection, batch_id: str, draws: Sequence[Drawn]) -> None:
    """Keep what a batch's standing lines took from tanks."""
    db.execute("DELETE FROM tank_draw WHERE batch_id = ?", (batch_id,))
    db.executemany(
        "INSERT INTO tank_draw VALUES (?, ?, ?, ?, ?, ?)",
        [(entry, batch_id, tank, instant(at), mass_kg, brix) for entry, tank, at, mass_kg, brix in draws],
    )


@dataclass(frozen=True)
class Burn:
    """What a boil-down's fire was: setup and fuel, heat needed and heat in what was burned, MJ."""

    at: datetime
    setup: str
    fuel: str
    needed_mj: float
    fuel_mj: float


_burn = mapper(Burn)


def keep_burn(db: Connection, batch_id: str, burn: Burn | None) -> None:
    """Keep what a boil-down's fire taught; None when it taught nothing."""
    db.execute("DELETE FROM burn_seen WHERE batch_id = ?", (batch_id,))
    if burn is not None:
        insert(db, "burn_seen", {"batch_id": batch_id, **columns_of(burn)})


def burns(db: Connection, setup: str, fuel: str, before: datetime, limit: int) -> list[tuple[float, float]]:
    """What the last fires of a setup with a fuel needed and burned, MJ, newest first."""
    rows = db.execute(
        """SELECT needed_mj, fuel_mj FROM burn_seen WHERE setup = ? AND fuel = ? AND at < ?
           ORDER BY at DESC LIMIT ?""",
        (setup, fuel, instant(before), limit),
    )
    return [(row["needed_mj"], row["fuel_mj"]) for row in rows]


def burns_between(db: Connection, since: datetime, until: datetime) -> list[Burn]:
    """The fires between two moments, oldest first."""
    rows = db.execute(
        "SELECT * FROM burn_seen WHERE at BETWEEN ? AND ? ORDER BY at", (instant(since), instant(until))
    )
    return [_burn(row) for row in rows]


def last_setup(db: Connection) -> str:
    """The setup of the last fire; empty before the first."""
    row = db.execute("SELECT setup FROM burn_seen ORDER BY at DESC LIMIT 1").fetchone()
    return str(row["setup"]) if row else ""


def last_boil_vessel(db: Connection) -> str:
    """The vessel of the batch that last drew from a tank; empty before the first."""
    row = db.execute(
        """SELECT batch.vessel_id FROM tank_draw JOIN batch ON batch.id = tank_draw.batch_id
           ORDER BY tank_draw.at DESC LIMIT 1"""
    ).fetchone()
    return str(row["vessel_id"]) if row else ""
