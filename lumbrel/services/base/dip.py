"""When a cup was filled or a drop taken: a reading belongs to that moment, not to its typing."""

import re
from datetime import UTC, datetime, timedelta
from typing import Literal

from lumbrel.services.base.form import Form
from lumbrel.words import _

DIPPED_AT, DIPPED_AGO = "dipped_at", "dipped_ago"
LONGEST_AGO = timedelta(hours=12)
TYPED_AFTER, LOOKED_AFTER = timedelta(seconds=40), timedelta(seconds=10)
"""Who says nothing of the dip types it so long after; a thermometer is read and typed at once."""
SIGMA_MINUTES = {"dip": 0.08, "typed": 0.25, "": 0.25}
_AGO = re.compile(r"(?:(?P<m>\d{1,3}):(?P<ms>[0-5]\d)|(?P<n>\d{1,4}(?:[.,]\d+)?)\s*(?P<u>s|sec|min|m)?)")
HOW = _("Say when it was dipped as 14:25:10, or how long ago as 1:20, 80 s or 2 min.")


def dated(form: Form) -> Literal["dip", "typed"]:
    """Whether the moment is that of the dip, said with the reading, or that of typing it."""
    said = any(form.given(name) for name in (DIPPED_AT, DIPPED_AGO, "at"))
    return "dip" if said else "typed"


def dip(form: Form, now: datetime) -> datetime | None:
    """The moment of the dip as it was said; None when it was not. What is wrong is noted."""
    if form.given(DIPPED_AGO):
        return _ago(form, now)
    if not form.given(DIPPED_AT):
        return None
    try:
        at = datetime.fromisoformat(form.fields[DIPPED_AT].strip())
    except ValueError:
        return form.time_of_day(DIPPED_AT, now)
    if at.tzinfo is None:
        return form.time_of_day(DIPPED_AT, now)
    if at > now:
        form.errors[DIPPED_AT] = _("The cup was filled before it was typed, not after.")
        return None
    return at.astimezone(UTC)


def _ago(form: Form, now: datetime) -> datetime | None:
    match = _AGO.fullmatch(form.fields[DIPPED_AGO].strip().lower())
    if not match:
        form.errors[DIPPED_AGO] = HOW
        return None
    if match["m"]:
        ago = timedelta(minutes=int(match["m"]), seconds=int(match["ms"]))
    else:
        number = float(match["n"].replace(",", "."))
        seconds = (match["u"] or "s").startswith("s")
        ago = timedelta(seconds=number) if seconds else timedelta(minutes=number)
    if ago > LONGEST_AGO:
        form.errors[DIPPED_AGO] = _("A dip of more than 12 hours ago says nothing. ") + HOW
        return None
    return now - ago
