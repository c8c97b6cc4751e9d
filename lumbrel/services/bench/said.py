"""What an ice point or a check of a scale says, and how it is corrected."""

from collections.abc import Mapping
from datetime import datetime
from sqlite3 import Connection

from lumbrel.services.base.book import BookKind
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.form import Form
from lumbrel.services.bench import checks
from lumbrel.services.day.facts import IcePointFacts, ScaleCheckFacts
from lumbrel.services.day.said import named, off
from lumbrel.store.instruments import BarometerDetail
from lumbrel.store.kitchen import load_kitchen


def ice_point(db: Connection, line: Entry[IcePointFacts]) -> str:
    """A thermometer in melting ice."""
    show = Form({}, load_kitchen(db)).show
    return f"{named(db, line).name} in melting ice: {show(line.facts.reading_c, 'temperature')}"


def scale_check(db: Connection, line: Entry[ScaleCheckFacts]) -> str:
    """An instrument held against something known."""
    show, facts, one = Form({}, load_kitchen(db)).show, line.facts, named(db, line)
    if isinstance(one.detail, BarometerDetail):
        beside = show(facts.true_value / 100, "pressure")
        by = off(show(abs(facts.error) / 100, "pressure"), facts.error)
        return f"{one.name} beside a better one at {beside}: {by}"
    known = "water" if facts.against == "water" else show(facts.true_value, "brix")
    return f"{one.name} in {known}: {off(f'{abs(facts.error):.2f} Brix', facts.error)}"


def _ice_again(
    db: Connection, line: Entry[IcePointFacts], fields: Mapping[str, str], now: datetime
) -> None:
    checks.take_ice_point(db, named(db, line), now, fields)


def _check_again(
    db: Connection, line: Entry[ScaleCheckFacts], fields: Mapping[str, str], now: datetime
) -> None:
    checks.take_scale_check(db, named(db, line), now, fields)


BOOK_KINDS = (
    BookKind(facts=IcePointFacts, words=ice_point, correct=_ice_again, room="bench"),
    BookKind(facts=ScaleCheckFacts, words=scale_check, correct=_check_again, room="bench"),
)
