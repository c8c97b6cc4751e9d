"""A day of cooks, and what is due before the kitchen, as iCalendar."""

from collections.abc import Sequence
from datetime import date, datetime
from hashlib import sha256

from icalendar import Calendar, Event

from lumbrel.services.candy.day import CandyDay
from lumbrel.services.sap.dues import Due
from lumbrel.words import _

SAID = {
    "lay out": _("Lay out"),
    "boil": _("Boil"),
    "cool": _("Cools, do not disturb"),
    "rest": _("Rests"),
    "work": _("Work"),
}


def due_calendar(found: Sequence[Due], kitchen: str, written_at: datetime) -> bytes:
    """Runs that are expected, boil-bys, cold checks and test boils as a calendar file. The same thing due
    gives the same event, so that taking it in again moves it instead of doubling it."""
    calendar = Calendar()
    calendar.add("prodid", "-//Lumbrel//Sap//EN")
    calendar.add("version", "2.0")
    for one in found:
        event = Event()
        event.add("uid", f"{sha256(f'{kitchen}/{one.key}'.encode()).hexdigest()[:32]}@lumbrel")
        event.add("dtstamp", written_at)
        event.add("dtstart", _whole(one.begins))
        event.add("dtend", _whole(one.ends))
        event.add("summary", str(one.words))
        event.add("description", str(one.detail))
        calendar.add_component(event)
    return bytes(calendar.to_ical())


def _whole(at: datetime | date) -> datetime | date:
    """A moment without parts of a second; a day as it is."""
    return at.replace(microsecond=0) if isinstance(at, datetime) else at


def as_calendar(day: CandyDay, kitchen: str, written_at: datetime) -> bytes:
    """The day as a calendar file. The same day gives the same events, so that taking it in again doubles
    nothing."""
    calendar = Calendar()
    calendar.add("prodid", "-//Lumbrel//Candy//EN")
    calendar.add("version", "2.0")
    for batch in day.batches:
        for part in batch.parts:
            event = Event()
            named = f"{kitchen}/{batch.name}/{part.name}/{part.begins.isoformat()}"
            event.add("uid", f"{sha256(named.encode()).hexdigest()[:32]}@lumbrel")
            event.add("dtstamp", written_at)
            event.add("dtstart", part.begins.replace(microsecond=0))
            event.add("dtend", part.ends.replace(microsecond=0))
            event.add("summary", f"{SAID.get(part.name, part.name)}: {batch.name}")
            event.add("description", f"Pot {batch.pot + 1}")
            event.add("transp", "OPAQUE" if part.hands else "TRANSPARENT")
            calendar.add_component(event)
    return bytes(calendar.to_ical())
