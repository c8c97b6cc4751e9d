"""Days and times of the clock as a person reads and types them."""

import re
from datetime import date, timedelta

from lumbrel.words.moments import TWELVE

MONTHS = (
    ("january", "janvier"),
    ("february", "février", "fevrier"),
    ("march", "mars"),
    ("april", "avril"),
    ("may", "mai"),
    ("june", "juin"),
    ("july", "juillet"),
    ("august", "août", "aout"),
    ("september", "septembre"),
    ("october", "octobre"),
    ("november", "novembre"),
    ("december", "décembre", "decembre"),
)
"""In either language, whichever a page speaks: what is typed is kept as it was, and read again later."""
_WORDS = {"today": 0, "yesterday": 1, "aujourd’hui": 0, "aujourd'hui": 0, "hier": 1}
_ISO = re.compile(r"(\d{4})-(\d\d?)(?:-(\d\d?))?")
_SLASHED = re.compile(r"(\d\d?)[/.](\d\d?)[/.](\d{4})")
_NAMED = re.compile(
    r"(?:(?P<before>\d\d?)(?:st|nd|rd|th|er)?\.? )?(?P<month>[a-zàéû]{3,9})\.?"
    r"(?: (?P<after>\d\d?)(?:st|nd|rd|th)?)?(?:,? (?P<year>\d{4}))?"
)


def span_of(text: str, today: date, key: str = "") -> tuple[date, date] | None:
    """The first and the last day of what a person calls a day or a month; None where it is neither.

    Args:
        text: "2026-03-14", "2026-03", "18 April", "April 18, 2026", "Mar 2026", "4/18/2026",
            "yesterday", "18 avril 2026", "hier"; without a year the last such day up to today.
        key: of the clock; under "12" a month stands before its day between slashes.
    """
    plain = " ".join(text.lower().split()).rstrip(",")
    if plain in _WORDS:
        on = today - timedelta(days=_WORDS[plain])
        return on, on
    try:
        if found := _ISO.fullmatch(plain):
            return _span(int(found[1]), int(found[2]), int(found[3]) if found[3] else None)
        if found := _SLASHED.fullmatch(plain):
            month, of_it = (1, 2) if key == TWELVE else (2, 1)
            return _span(int(found[3]), int(found[month]), int(found[of_it]))
        return _named(plain, today)
    except ValueError:
        return None


def _named(plain: str, today: date) -> tuple[date, date] | None:
    found = _NAMED.fullmatch(plain)
    months = [
        month
        for month, names in enumerate(MONTHS, 1)
        if found and any(name.startswith(found["month"]) for name in names)
    ]
    if found is None or len(months) != 1 or (found["before"] and found["after"]):
        return None
    on = found["before"] or found["after"]
    said = int(on) if on else None
    if found["year"]:
        return _span(int(found["year"]), months[0], said)
    span = _span(today.year, months[0], said)
    return span if span[0] <= today else _span(today.year - 1, months[0], said)


def _span(year: int, month: int, on: int | None) -> tuple[date, date]:
    if on is not None:
        return date(year, month, on), date(year, month, on)
    last = date(year + month // 12, month % 12 + 1, 1) - timedelta(days=1)
    return date(year, month, 1), last
