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
from lumbrel.words import _, number


def ice_point(db: Connection, line: Entry[IcePointFacts]) -> str:
    """A thermometer in melting ice."""
    show = Form({}, load_kitchen(db)).show
    return _(
        "{named} in melting ice: {reading}",
        named=named(db, line).name,
        reading=show(line.facts.reading_c, "temperature"),
    )


def scale_check(db: Connection, line: Entry[ScaleCheckFacts]) -> str:
    """An instrument held against something known."""
    show, facts, one = Form({}, load_kitchen(db)).show, line.facts, named(db, line)
    if isinstance(one.detail, BarometerDetail):
        beside = show(facts.true_value / 100, "pressure")
        by = off(show(abs(facts.error) / 100, "pressure"), facts.error)
        return _("{one} beside a better one at {beside}: {by}", one=one.name, beside=beside, by=by)
    known = "water" if facts.against == "water" else show(facts.true_value, "brix")
    return _(
        "{one} in {known}: {off}",
        one=one.name,
        known=known,
        off=off(_("{error} Brix", error=number(abs(facts.error), 2)), facts.error),
    )


def _ice_again(db: Connection, line: Entry[IcePointFacts], fields: Mapping[str, str], now: datetime) -> None:
    checks.take_ice_point(db, named(db, line), now, fields)


def _check_again(
    db: Connection, line: Entry[ScaleCheckFacts], fields: Mapping[str, str], now: datetime
) -> None:
    checks.take_scale_check(db, named(db, line), now, fields)


BOOK_KINDS = (
    BookKind(facts=IcePointFacts, words=ice_point, correct=_ice_again, room="bench"),
    BookKind(facts=ScaleCheckFacts, words=scale_check, correct=_check_again, room="bench"),
)
