"""As what a source can be used: as an instrument that is registered, or as one that is registered by the press."""

import secrets
from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.devices.measured import MASS, PRESSURE, TEMPERATURE, UNITS, Value, pressure_unit
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.bench.places import CUP, OUTDOORS, TANK, place_of, placed, places
from lumbrel.services.probes.intake import MEASURES
from lumbrel.store.instruments import DETAIL, Detail, Instrument, add_instrument, instruments
from lumbrel.words import _, joined

NEW = "new"
KINDS = {quantity: kind for kind, quantity in MEASURES.items()}
A_ROOM_C = 45.0
"""A thermometer that lies about is not warmer: beyond that a line without a unit may be Fahrenheit."""


@dataclass(frozen=True, kw_only=True)
class SourceUse:
    """One use.

    Attributes:
        key: the instrument's id, or what it will be: new, its kind and its place.
        place: where it stands, in words.
        at_the_pan: whether it stands in a vessel: that is wanted most.
    """

    key: str
    quantity: str
    label: str
    place: str = ""
    at_the_pan: bool = False

    @property
    def pair(self) -> tuple[str, str]:
        """Its key and its words."""
        return self.key, self.label

    @property
    def registered(self) -> bool:
        """Whether it is registered already."""
        return not self.key.startswith(f"{NEW}/")


def uses(db: Connection) -> list[SourceUse]:
    """All there are, those at the pan first."""
    found = [_registered(db, one) for one in instruments(db) if one.kind in MEASURES]
    taken = {(use.quantity, use.place) for use in found}
    made = [
        SourceUse(key=f"{NEW}/{KINDS[quantity]}/{place}", quantity=quantity, label=label)
        for quantity, place, label, words in _to_be_made(db)
        if (quantity, words) not in taken
    ]
    return sorted(found, key=lambda use: not use.at_the_pan) + made


def _registered(db: Connection, one: Instrument[Detail]) -> SourceUse:
    place = place_of(one)
    words = dict(places(db, one.kind)).get(place, "") if place or one.kind != "thermometer" else ""
    return SourceUse(
        key=one.id,
        quantity=MEASURES[one.kind],
        label=one.name,
        place=words,
        at_the_pan=one.vessel_id is not None and one.kind == "thermometer",
    )


def _to_be_made(db: Connection) -> list[tuple[str, str, str, str]]:
    """Quantity, place, what it will be called, and the place in words."""
    found = []
    for place, words in places(db, "thermometer"):
        if place == OUTDOORS:
            found.append((TEMPERATURE, place, _("Outdoor air"), words))
        elif place == CUP:
            found.append((TEMPERATURE, place, _("Cup probe"), words))
        elif place.startswith(TANK):
            found.append((TEMPERATURE, place, _("Thermometer in {tank}", tank=words), words))
    found.append((PRESSURE, "", _("Barometer"), ""))
    for place, words in places(db, "scale"):
        name = _("Scale under {vessel}", vessel=words) if place else _("Scale on the bench")
        found.append((MASS, place, name, words))
    return found


def instrument_of(db: Connection, key: str, now: datetime) -> Instrument[Detail]:
    """The instrument of a use, registered now where it is new; in a transaction that is open.

    Raises:
        NotFound: no such use.
    """
    known = {one.id: one for one in instruments(db) if one.kind in MEASURES}
    if key in known:
        return known[key]
    use = next((one for one in uses(db) if one.key == key), None)
    if use is None:
        raise NotFound(_("There is no such use."))
    _new, kind, place = key.split("/", 2)
    more, vessel = placed(place)
    names = {one.name for one in instruments(db, retired=True)}
    name = next(
        n for i in range(1, 100) if (n := f"{use.label} {i}" if i > 1 else str(use.label)) not in names
    )
    one: Instrument[Detail] = Instrument(
        id=secrets.token_hex(8),
        name=name,
        detail=DETAIL.validate_python({"kind": kind, **more}),
        vessel_id=vessel,
        registered_at=now,
    )
    add_instrument(db, one)
    return one


def doubtful(value: Value | None) -> bool:
    """Whether a unit must be said before it is used as a thermometer."""
    return value is not None and not value.unit and value.number > A_ROOM_C


def unit_for(quantity: str, value: Value | None, chosen: str) -> str:
    """In which unit its lines are that name none.

    Args:
        value: what it showed last.
        chosen: the unit that somebody chose; empty for none.
    Raises:
        BadInput: it measures something else, or its unit must be chosen.
    """
    if value is not None and value.quantity not in ("", quantity):
        raise BadInput({"unit": _("It shows something else than this instrument does.")})
    if value is not None and value.unit:
        return value.unit
    fitting = [unit for unit, (what, _pint) in UNITS.items() if what == quantity]
    if chosen:
        if chosen not in fitting:
            raise BadInput({"unit": _("Choose one of {units}.", units=joined(", ", fitting))})
        return chosen
    if quantity == PRESSURE and value is not None and (unit := pressure_unit(value.number)):
        return unit
    if quantity == TEMPERATURE and not doubtful(value) and value is not None:
        return "C"
    raise BadInput({"unit": _("Its lines name no unit. Choose one of {units}.", units=joined(", ", fitting))})
