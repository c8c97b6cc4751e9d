"""How a kitchen's labels look: sheet, languages, which system of measures comes first, and its own words."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from sqlite3 import Connection
from urllib.parse import urlsplit

from lumbrel.core.jar.sheets import BY_KEY, SHEETS, Sheet
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.jar.label_words import LANGUAGES
from lumbrel.store.db import transaction
from lumbrel.store.kitchen import Kitchen, load_kitchen, save_kitchen
from lumbrel.words import _, joined

FIRST = {"metric": _("metric first"), "us": _("US first"), "only": _("metric alone")}
TICKS = {
    "woodlot": _("woodlot"),
    "cold": _("refrigerate after opening"),
    "code": _("code to the lot’s page"),
    "logo": _("logo"),
    "edge": _("a line to cut along"),
}
MOST_OWN_WORDS = 160
STANDARD = {"language": "en", "months": "24", "woodlot": "1", "cold": "1", "code": "1", "logo": "1"}
"""Before it was ever set."""
LEAST_PLACES = 14
MONTHS = Bounds("months", "count", 0, 120, _("Type months from 0 to 120; 0 for no date on the label."))


@dataclass(frozen=True, kw_only=True)
class LabelStyle:
    """How labels look."""

    sheet: Sheet
    first: str
    language: str
    months: int
    """Best before so many months after it was packed; 0 for no date."""
    own: str
    address: str
    """Where the lot's page is found from elsewhere; empty for where it was asked from."""
    shows: frozenset[str]
    """Of `TICKS`."""


def typed_of(kitchen: Kitchen) -> dict[str, str]:
    """As it was typed last, or as it is to begin with."""
    if kitchen.labels:
        return dict(kitchen.labels)
    sheet = next(sheet for sheet in sheets_of(kitchen) if sheet.places >= LEAST_PLACES)
    first = "us" if kitchen.units["jar"] == "floz" else _("metric")
    return STANDARD | {"sheet": sheet.key, "first": first}


def sheets_of(kitchen: Kitchen) -> list[Sheet]:
    """The sheets of the kitchen's paper, and the one that it uses."""
    own = kitchen.labels.get("sheet", "")
    return [s for s in SHEETS if s.paper == kitchen.units["paper"] or s.key == own]


def read(form: Form) -> LabelStyle | None:
    """A style as it is typed; None where something is wrong, noted on the form."""
    sheet = form.choice("sheet", list(BY_KEY), _("Choose a sheet."))
    first = form.choice("first", FIRST, _("Choose one: {values}.", values=joined(", ", FIRST.values())))
    language = form.choice(
        "language", LANGUAGES, _("Choose one: {values}.", values=joined(", ", LANGUAGES.values()))
    )
    months = form.between(MONTHS)
    own = form.text("own", limit=MOST_OWN_WORDS)
    address = form.text("address", limit=120).rstrip("/")
    if address and urlsplit(address).scheme not in ("http", "https"):
        form.errors["address"] = _("An address begins with https:// or http://; empty for this machine’s.")
    if form.errors or months is None:
        return None
    return LabelStyle(
        sheet=BY_KEY[sheet],
        first=first,
        language=language,
        months=round(months),
        own=" ".join(own.split()),
        address=address,
        shows=frozenset(key for key in TICKS if form.ticked(key)),
    )


KEPT = ("sheet", "first", "language", "months", "own", "address", *TICKS)


def save(db: Connection, fields: Mapping[str, str], now: datetime) -> None:
    """Keep a style as the kitchen's.

    Raises:
        BadInput: a field is wrong.
    """
    form = Form(fields, load_kitchen(db))
    read(form)
    form.check()
    labels = {name: fields[name].strip() for name in KEPT if fields.get(name, "").strip()}
    with transaction(db):
        save_kitchen(db, replace(load_kitchen(db), labels=labels), now)


def save_logo(db: Connection, logo: str, now: datetime) -> None:
    """Keep a logo, cleaned, as a data address; an empty one is none."""
    with transaction(db):
        save_kitchen(db, replace(load_kitchen(db), logo=logo), now)
