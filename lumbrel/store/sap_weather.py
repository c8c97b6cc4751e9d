"""Nights and days as they were noted, measured or forecast."""

from dataclasses import dataclass
from datetime import date, datetime
from sqlite3 import Connection

from lumbrel.store.db import moment, once


@dataclass(frozen=True)
class WeatherDay:
    """A night and its day: measured, or forecast and when that was noted."""

    day: date
    measured: bool
    night_c: float
    day_c: float
    noted_at: datetime


def known(db: Connection, since: date, until: date) -> dict[date, WeatherDay]:
    """By day what is known of the weather: measured where it was, else the newest forecast."""
    return once(db, ("weather", since, until), lambda: _known(db, since, until))


def _known(db: Connection, since: date, until: date) -> dict[date, WeatherDay]:
    rows = db.execute(
        "SELECT * FROM sap_weather WHERE day BETWEEN ? AND ? ORDER BY measured, noted_at, line_id",
        (since.isoformat(), until.isoformat()),
    )
    return {
        (day := date.fromisoformat(row["day"])): WeatherDay(
            day, bool(row["measured"]), row["night_c"], row["day_c"], moment(row["noted_at"])
        )
        for row in rows
    }
