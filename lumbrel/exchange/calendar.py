"""A day of cooks as iCalendar: an event for each part that takes the hands, and one for each wait."""

from datetime import datetime
from hashlib import sha256

from icalendar import Calendar, Event

from lumbrel.services.candy.day import CandyDay

SAID = {
    "lay out": "Lay out",
    "boil": "Boil",
    "cool": "Cools, do not disturb",
    "rest": "Rests",
    "work": "Work",
}


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
