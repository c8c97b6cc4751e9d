"""What a line about the air or an instrument says, in one sentence's worth of words."""

from collections.abc import Mapping
from datetime import datetime
from sqlite3 import Connection

from lumbrel.services.base.book import BookKind
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import Facts
from lumbrel.services.base.form import Form
from lumbrel.services.day import entries
from lumbrel.services.day.facts import PressureFacts, TestBoilFacts
from lumbrel.services.day.thermometers import shows_too_much
from lumbrel.store.instruments import Detail, Instrument, instruments
from lumbrel.store.kitchen import load_kitchen
from lumbrel.words import _, joined

BASES = {
    "station": _("by the barometer here"),
    "forecast": _("by a forecast"),
    "elevation": _("by the elevation alone"),
}


def named(db: Connection, line: Entry[Facts]) -> Instrument[Detail]:
    """The instrument that a line is about."""
    return next(one for one in instruments(db, retired=True) if one.id == line.about_id)


def off(by: str, error: float) -> str:
    """By how much something shows too much or too little."""
    return joined(" ", (by, _("high") if error >= 0 else _("low")))


def pressure(db: Connection, line: Entry[PressureFacts]) -> str:
    """A pressure that was typed."""
    show = Form({}, load_kitchen(db)).show
    return _(
        "{station_pressure_pa} at the pan, {BASES}",
        station_pressure_pa=show(line.facts.station_pressure_pa / 100, "pressure"),
        BASES=BASES[line.facts.basis],
    )


def test_boil(db: Connection, line: Entry[TestBoilFacts]) -> str:
    """A thermometer in boiling water."""
    show, error = Form({}, load_kitchen(db)).show, shows_too_much(line)
    shown = show(line.facts.reading_c, "temperature")
    by = off(show(abs(error), "difference"), error)
    return _("{named} in boiling water: {shown}, {by}", named=named(db, line).name, shown=shown, by=by)


def _pressure_again(
    db: Connection, _line: Entry[PressureFacts], fields: Mapping[str, str], now: datetime
) -> None:
    entries.set_pressure(db, now, fields)


def _boil_again(
    db: Connection, _line: Entry[TestBoilFacts], fields: Mapping[str, str], now: datetime
) -> None:
    entries.test_boil(db, now, fields)


BOOK_KINDS = (
    BookKind(facts=PressureFacts, words=pressure, correct=_pressure_again, room="day"),
    BookKind(facts=TestBoilFacts, words=test_boil, correct=_boil_again, room="day"),
)
