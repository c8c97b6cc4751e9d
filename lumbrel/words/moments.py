"""Days and times of the clock as the language that is spoken has them."""

from datetime import date, datetime
from functools import partial

from lumbrel.words.languages import Language
from lumbrel.words.said import Sentence

TWELVE = "12"
"""The key of the clock of twelve hours, where a month stands before its day."""


def named_time(local: datetime, key: str, seconds: bool = False) -> str:
    """A time of the clock, as 16:30 or 4:30 pm.

    Args:
        local: in the zone that it is read in.
        key: of the clock, "12" or "24".
    """
    behind = f":{local:%S}" if seconds else ""
    english = f"{local:%H:%M}{behind}"
    if key == TWELVE:
        half = "pm" if local.hour >= 12 else "am"
        english = f"{local.hour % 12 or 12}:{local:%M}{behind}\u00a0{half}"
    return Sentence(english, partial(_time, english, local, key, seconds))


def named_day(local: date, key: str, *, short: bool = False, year: bool = True) -> str:
    """A day, as 18 April 2026 or April 18, 2026; short, as 18 Apr or Apr 18.

    Args:
        local: in the zone that it is read in.
        key: of the clock, "12" or "24".
    """
    month = f"{local:%b}" if short else f"{local:%B}"
    if key == TWELVE:
        english = f"{month} {local.day}, {local.year}" if year else f"{month} {local.day}"
    else:
        english = f"{local.day} {month} {local.year}" if year else f"{local.day} {month}"
    pattern = f"d {'MMM' if short else 'MMMM'}{' y' if year else ''}"
    return Sentence(english, partial(_day, english, local, pattern))


def month_name(local: date) -> str:
    """The name of a month."""
    english = f"{local:%B}"
    return Sentence(english, partial(_day, english, local, "LLLL"))


def weekday(local: date, short: bool = False) -> str:
    """The name of a day of the week."""
    english = f"{local:%a}" if short else f"{local:%A}"
    return Sentence(english, partial(_day, english, local, "EEE" if short else "EEEE"))


def _time(english: str, local: datetime, key: str, seconds: bool, spoken: Language) -> str:
    if spoken.short != "fr":
        return english
    hour = local.hour % 12 or 12 if key == TWELVE else local.hour
    half = f"\u00a0{'p.m.' if local.hour >= 12 else 'a.m.'}" if key == TWELVE else ""
    behind = f"\u00a0min\u00a0{local:%S}\u00a0s" if seconds else ""
    return f"{hour}\u00a0h\u00a0{local:%M}{behind}{half}"


def _day(english: str, local: date, pattern: str, spoken: Language) -> str:
    if spoken.short != "fr":
        return spoken.sentence(english)
    from babel.dates import format_date

    return format_date(local, pattern, locale=spoken.locale)
