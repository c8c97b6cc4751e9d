"""Nights and days: typed, from a CSV or calendar file, or from the weather station."""

import csv
import io
import re
from collections.abc import Mapping
from contextlib import suppress
from datetime import date, datetime, timedelta
from sqlite3 import Connection
from typing import Literal

from lumbrel.core.errors import OutOfRange
from lumbrel.core.sap.running import require_weather
from lumbrel.devices.protocols import WeatherStation
from lumbrel.services.base import book
from lumbrel.services.base.book import Draft
from lumbrel.services.base.form import BadInput, Form, local_time
from lumbrel.services.sap.facts import WeatherFacts
from lumbrel.store.book import KITCHEN
from lumbrel.words import _

DAYS = 7
MOST_DAYS = 60
MOST_BYTES = 512 * 1024
FARTHEST_DAYS = 30
NAMES = {
    "day": ("date", "day", "on"),
    "night": ("night", "low", "min", "minimum", "lowest"),
    "high": ("high", "max", "maximum", "highest", "day_high", "daytime"),
}
CSV_SAYS = _(
    "A forecast as CSV has a line of names and a column each for date, night (or low) "
    "and high (or max): 2026-03-14,-4,6. Fahrenheit where a name ends in _f."
)
CALENDAR_SAYS = _(
    "A forecast as a calendar has an event a day whose summary holds two temperatures, as “−4 / 6 °C”."
)
Source = Literal["typed", "csv", "calendar", "station"]
Known = tuple[str, float, float]


def typed(db: Connection, fields: Mapping[str, str], now: datetime) -> None:
    """Note nights and days as typed: a row a day from `first` on; an empty row is passed over.

    Raises:
        BadInput: a field is wrong, or nothing was typed.
    """

    def read(form: Form, at: datetime) -> list[Draft]:
        today = local_time(at, form.kitchen).date()
        first = form.date("first", today) or today
        measured = form.ticked("measured")
        found: list[Known] = []
        for i in range(DAYS):
            names = f"night_{i}", f"day_{i}"
            if not any(form.given(name) for name in names):
                continue
            night, day = (_degrees(form, name) for name in names)
            if night is None or day is None:
                continue
            on = first + timedelta(days=i)
            try:
                require_weather(night, day)
            except OutOfRange as error:
                form.errors[names[error.field == "day"]] = error.sentence
                continue
            found.append((on.isoformat(), night, day))
        if not found and not form.errors:
            form.errors["night_0"] = _("Type at least one night and its day.")
        return _drafts(form, found, today, measured, "typed")

    book.write(db, fields, now, read)


def _degrees(form: Form, name: str) -> float | None:
    """A temperature outside; what is Kelvin by its size is told so."""
    text = form.fields.get(name, "").strip().lower()
    if re.fullmatch(r"\d{3}(\.\d+)?\s*k", text):
        form.errors[name] = _("Type it in °C or °F; Kelvin less 273 is °C.")
        return None
    return form.quantity(name, "temperature")


def _drafts(form: Form, days: list[Known], today: date, measured: bool, source: Source) -> list[Draft]:
    earliest, latest = today - timedelta(days=400), today + timedelta(days=FARTHEST_DAYS)
    for text, _any, _other in days:
        on = date.fromisoformat(text)
        if not earliest <= on <= (today if measured else latest):
            form.errors["first"] = (
                _("What was measured is of today or earlier.")
                if measured
                else _(
                    "A forecast reaches from a year ago to {FARTHEST_DAYS} days ahead; {text} does not.",
                    FARTHEST_DAYS=FARTHEST_DAYS,
                    text=text,
                )
            )
    if form.errors or not days:
        return []
    facts = WeatherFacts(measured=measured, source=source, days=tuple(days))
    return [Draft(facts, KITCHEN, KITCHEN)]


def from_file(db: Connection, fields: Mapping[str, str], content: bytes, now: datetime) -> None:
    """Note a forecast from a file: CSV, or iCalendar.

    Raises:
        BadInput: it is neither, too large, or a day in it cannot be.
    """
    if not content:
        raise BadInput({"file": _("Choose a file first: CSV or iCalendar.")})
    if len(content) > MOST_BYTES:
        raise BadInput(
            {
                "file": _(
                    "A forecast of some days is small: at most {MOST_BYTES} KB; this has {count} KB. "
                    "Export the days ahead only.",
                    MOST_BYTES=MOST_BYTES // 1024,
                    count=len(content) // 1024,
                )
            }
        )
    calendar = content.lstrip()[:15].upper().startswith(b"BEGIN:VCALENDAR")
    days = _of_calendar(content) if calendar else _of_csv(content)

    def read(form: Form, at: datetime) -> list[Draft]:
        today = local_time(at, form.kitchen).date()
        near = [day for day in days if abs((date.fromisoformat(day[0]) - today).days) <= FARTHEST_DAYS]
        if not near:
            form.errors["file"] = _(
                "Nothing in it is of the next {FARTHEST_DAYS} days.", FARTHEST_DAYS=FARTHEST_DAYS
            )
        return _drafts(form, near, today, False, "calendar" if calendar else "csv")

    book.write(db, {**fields, "days": repr(days)[:300]}, now, read)


def _of_csv(content: bytes) -> list[Known]:
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise BadInput({"file": CSV_SAYS}) from None
    delimiter = ";" if text.partition("\n")[0].count(";") > 1 else ","
    try:
        rows = list(csv.reader(io.StringIO(text), delimiter=delimiter))
    except csv.Error:
        raise BadInput({"file": CSV_SAYS}) from None
    rows = [row for row in rows if any(cell.strip() for cell in row)]
    if len(rows) < 2:
        raise BadInput({"file": CSV_SAYS})
    names = [cell.strip().lower() for cell in rows[0]]
    at = {key: _column(names, wanted) for key, wanted in NAMES.items()}
    found = []
    for number, row in enumerate(rows[1 : MOST_DAYS + 1], 2):
        try:
            on = date.fromisoformat(row[at["day"]].strip()[:10])
            night = _celsius(row[at["night"]], names[at["night"]])
            high = _celsius(row[at["high"]], names[at["high"]])
        except (ValueError, IndexError):
            raise BadInput(
                {"file": _("Line {number} is not understood. {CSV_SAYS}", number=number, CSV_SAYS=CSV_SAYS)}
            ) from None
        found.append(_checked(on, night, high, _("Line {number}", number=number)))
    return found


def _column(names: list[str], wanted: tuple[str, ...]) -> int:
    for i, name in enumerate(names):
        if re.split(r"[\s_(]", name)[0] in wanted or name in wanted:
            return i
    raise BadInput({"file": CSV_SAYS})


def _celsius(text: str, name: str) -> float:
    value = float(text.strip().replace("−", "-").replace(",", "."))
    fahrenheit = re.search(r"(_f|\(°?f\)|fahrenheit)$", name)
    return (value - 32) / 1.8 if fahrenheit else value


def _checked(on: date, night: float, high: float, where: str) -> Known:
    try:
        require_weather(night, high)
    except OutOfRange as error:
        raise BadInput({"file": f"{where}: {error.sentence}"}) from None
    return on.isoformat(), round(night, 2), round(high, 2)


_TWO = re.compile(r"([-−]?\d+(?:\.\d+)?)\s*°?\s*([CFK])?\b", re.IGNORECASE)


def _of_calendar(content: bytes) -> list[Known]:
    # It takes longer to come than a page does; only a calendar needs it.
    from icalendar import Calendar

    try:
        events = list(Calendar.from_ical(content).walk("VEVENT"))
    except (ValueError, KeyError, IndexError):
        raise BadInput({"file": CALENDAR_SAYS}) from None
    found = {}
    for event in events[:MOST_DAYS]:
        start = event.get("dtstart")
        said = f"{event.get('summary', '')} {event.get('description', '')}"
        read = _TWO.findall(said)
        if start is None or len(read) < 2:
            continue
        units = {unit.upper() for _any, unit in read[:2] if unit}
        values = [float(number.replace("−", "-")) for number, _any in read[:2]]
        if "F" in units:
            values = [(value - 32) / 1.8 for value in values]
        on = start.dt.date() if isinstance(start.dt, datetime) else start.dt
        found[on] = _checked(on, min(values), max(values), f"{on}")
    if not found:
        raise BadInput({"file": CALENDAR_SAYS})
    return [found[on] for on in sorted(found)]


def from_station(db: Connection, station: WeatherStation, fields: Mapping[str, str], now: datetime) -> None:
    """Note what the weather station measured last and what it forecasts."""

    def read(form: Form, at: datetime) -> list[Draft]:
        today = local_time(at, form.kitchen).date()
        seen = [today - timedelta(days=i) for i in range(DAYS, 0, -1)]
        ahead = [today + timedelta(days=i) for i in range(DAYS)]
        measured = [(d.isoformat(), *station.night_and_day(d)) for d in seen]
        forecast = [(d.isoformat(), *station.forecast(today, d)) for d in ahead]
        return [
            *_drafts(form, [_round(day) for day in measured], today, True, "station"),
            *_drafts(form, [_round(day) for day in forecast], today, False, "station"),
        ]

    book.write(db, fields, now, read)


def from_thermometer(db: Connection, on: date, night_c: float, day_c: float, now: datetime) -> None:
    """Note what a thermometer outdoors measured of a day that is over.

    Args:
        night_c: the lowest of the night before it, degC; `day_c` the highest of the day.
    """

    def read(form: Form, at: datetime) -> list[Draft]:
        today = local_time(at, form.kitchen).date()
        return _drafts(form, [_round((on.isoformat(), night_c, day_c))], today, True, "station")

    with suppress(BadInput):
        book.write(db, {"id": f"outdoors-{on}"}, now, read)


def _round(day: Known) -> Known:
    return day[0], round(day[1], 1), round(day[2], 1)
