"""What the air and the instruments were held against: test boils, ice points, scale checks, pressures."""

from datetime import datetime, timedelta
from sqlite3 import Connection

from lumbrel.core.physics import air
from lumbrel.services.base.book import Draft, note
from lumbrel.services.base.entry import Entry, newest, newest_until
from lumbrel.services.base.facts import Facts
from lumbrel.services.day.facts import IcePointFacts, PressureFacts, ScaleCheckFacts, TestBoilFacts

LAST_CHECKS, MOST_A_DAY = 200, 9


def test_boils(
    db: Connection, instrument_id: str, until: datetime, limit: int = LAST_CHECKS
) -> list[Entry[TestBoilFacts]]:
    """Test boils of a thermometer up to a moment, newest first."""
    return newest_until(db, TestBoilFacts, instrument_id, until, limit)


def ice_point(db: Connection, instrument_id: str, until: datetime) -> Entry[IcePointFacts] | None:
    """The newest ice point of a thermometer up to a moment."""
    found = newest_until(db, IcePointFacts, instrument_id, until, 1)
    return found[0] if found else None


def scale_checks(
    db: Connection, instrument_id: str, until: datetime, limit: int = LAST_CHECKS
) -> list[Entry[ScaleCheckFacts]]:
    """Checks of an instrument up to a moment, newest first."""
    return newest_until(db, ScaleCheckFacts, instrument_id, until, limit)


def error_of(db: Connection, instrument_id: str, at: datetime) -> float:
    """What an instrument showed too much at its last check up to a moment; 0 before the first."""
    return next((one.facts.error for one in scale_checks(db, instrument_id, at, 1)), 0.0)


def of_the_day(db: Connection, now: datetime) -> list[Entry[Facts]]:
    """The pressures and test boils of the last day, newest first."""
    since = now - timedelta(days=1)
    found = [
        *newest(db, PressureFacts, since=since, until=now, limit=MOST_A_DAY),
        *newest(db, TestBoilFacts, since=since, until=now, limit=MOST_A_DAY),
    ]
    return sorted(found, key=lambda line: (line.at, line.seq), reverse=True)[:MOST_A_DAY]


def boiled(
    db: Connection,
    line_id: str,
    instrument_id: str,
    at: datetime,
    *,
    reading_c: float,
    pressure_pa: float,
) -> None:
    """Put a test boil beside a barometer in the book that nobody typed, for kitchens that are played."""
    facts = TestBoilFacts(
        reading_c=reading_c,
        station_pressure_pa=pressure_pa,
        pressure_sigma_pa=air.BAROMETER_SIGMA_PA,
        basis="barometer",
    )
    note(db, Draft(facts, "instrument", instrument_id), line_id, at)
