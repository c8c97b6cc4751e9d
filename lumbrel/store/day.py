"""What a person notes of the air and the thermometers on a day."""

import json
from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection, Row

from lumbrel.store.db import around, insert_once, instant, moment


@dataclass(frozen=True)
class PressureNote:
    """A pressure as a person gave it; `typed` maps fields to what was typed."""

    id: str
    at: datetime
    basis: str
    typed: dict[str, str]
    station_pressure_pa: float


@dataclass(frozen=True, kw_only=True)
class TestBoil:
    """A thermometer's reading in boiling water, with the pressure it was judged by."""

    id: str
    at: datetime
    instrument_id: str
    typed: str
    reading_c: float
    station_pressure_pa: float
    pressure_sigma_pa: float
    basis: str


def add_pressure_note(db: Connection, note: PressureNote) -> None:
    """Write a pressure; the same id twice is written once. Raises IdReused."""
    row = {
        "id": note.id,
        "at": instant(note.at),
        "basis": note.basis,
        "typed": json.dumps(note.typed),
        "station_pressure_pa": note.station_pressure_pa,
    }
    insert_once(db, "pressure_note", row, ("basis", "typed"))


def latest_pressure_note(db: Connection, until: datetime) -> PressureNote | None:
    """The newest pressure typed up to a moment."""
    row = db.execute(
        "SELECT * FROM pressure_note WHERE at <= ? ORDER BY at DESC, rowid DESC LIMIT 1",
        (instant(until),),
    ).fetchone()
    return _pressure_note(row) if row else None


def pressure_notes(db: Connection, since: datetime, until: datetime) -> list[PressureNote]:
    """Pressures typed between two moments, oldest first."""
    rows = db.execute(
        "SELECT * FROM pressure_note WHERE at BETWEEN ? AND ? ORDER BY at, rowid",
        (instant(since), instant(until)),
    )
    return [_pressure_note(row) for row in rows]


def _pressure_note(row: Row) -> PressureNote:
    return PressureNote(
        row["id"],
        moment(row["at"]),
        row["basis"],
        json.loads(row["typed"]),
        row["station_pressure_pa"],
    )


def add_test_boil(db: Connection, boil: TestBoil) -> None:
    """Write a test boil; the same id twice is written once. Raises IdReused."""
    row = {
        "id": boil.id,
        "at": instant(boil.at),
        "instrument_id": boil.instrument_id,
        "typed": boil.typed,
        "reading_c": boil.reading_c,
        "station_pressure_pa": boil.station_pressure_pa,
        "pressure_sigma_pa": boil.pressure_sigma_pa,
        "basis": boil.basis,
    }
    insert_once(db, "test_boil", row, ("instrument_id", "typed"))


def test_boils(
    db: Connection, instrument_id: str, until: datetime, limit: int = 200
) -> list[TestBoil]:
    """Test boils of a thermometer up to a moment, newest first."""
    rows = db.execute(
        "SELECT * FROM test_boil WHERE instrument_id = ? AND at <= ? ORDER BY at DESC, rowid DESC LIMIT ?",
        (instrument_id, instant(until), limit),
    )
    return [_test_boil(row) for row in rows]


def _test_boil(row: Row) -> TestBoil:
    return TestBoil(
        id=row["id"],
        at=moment(row["at"]),
        instrument_id=row["instrument_id"],
        typed=row["typed"],
        reading_c=row["reading_c"],
        station_pressure_pa=row["station_pressure_pa"],
        pressure_sigma_pa=row["pressure_sigma_pa"],
        basis=row["basis"],
    )


@dataclass(frozen=True)
class IcePoint:
    """A thermometer's reading in melting ice."""

    id: str
    at: datetime
    instrument_id: str
    typed: str
    reading_c: float


def add_ice_point(db: Connection, point: IcePoint) -> None:
    """Write an ice point; the same id twice is written once. Raises IdReused."""
    row = {
        "id": point.id,
        "at": instant(point.at),
        "instrument_id": point.instrument_id,
        "typed": point.typed,
        "reading_c": point.reading_c,
    }
    insert_once(db, "ice_point", row, ("instrument_id", "typed"))


def latest_ice_point(db: Connection, instrument_id: str, until: datetime) -> IcePoint | None:
    """The newest ice point of a thermometer up to a moment."""
    row = db.execute(
        "SELECT * FROM ice_point WHERE instrument_id = ? AND at <= ? ORDER BY at DESC LIMIT 1",
        (instrument_id, instant(until)),
    ).fetchone()
    if row is None:
        return None
    return IcePoint(
        row["id"], moment(row["at"]), row["instrument_id"], row["typed"], row["reading_c"]
    )


@dataclass(frozen=True, kw_only=True)
class ScaleCheck:
    """An instrument held against something known: `error` is what it showed too much, in Brix,
    or Pa for a barometer."""

    id: str
    at: datetime
    instrument_id: str
    against: str
    typed: dict[str, str]
    true_value: float
    error: float


def add_scale_check(db: Connection, check: ScaleCheck) -> None:
    """Write a check; the same id twice is written once. Raises IdReused."""
    row = {
        "id": check.id,
        "at": instant(check.at),
        "instrument_id": check.instrument_id,
        "against": check.against,
        "typed": json.dumps(check.typed),
        "true_value": check.true_value,
        "error": check.error,
    }
    insert_once(db, "scale_check", row, ("instrument_id", "against", "typed"))


LAST_CHECKS = 200


def scale_checks(db: Connection, instrument_id: str, until: datetime) -> list[ScaleCheck]:
    """Checks of an instrument up to a moment, newest first."""
    rows = db.execute(
        """SELECT * FROM scale_check WHERE instrument_id = ? AND at <= ?
           ORDER BY at DESC, rowid DESC LIMIT ?""",
        (instrument_id, instant(until), LAST_CHECKS),
    )
    return [
        ScaleCheck(
            id=row["id"],
            at=moment(row["at"]),
            instrument_id=row["instrument_id"],
            against=row["against"],
            typed=json.loads(row["typed"]),
            true_value=row["true_value"],
            error=row["error"],
        )
        for row in rows
    ]


def check_around(db: Connection, instrument_id: str, at: datetime) -> tuple[datetime, datetime]:
    """When an instrument's last check up to a moment is from, and its next one."""
    return around(db, "scale_check", "at", instrument_id, at)
