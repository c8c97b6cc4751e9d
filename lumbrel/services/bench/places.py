"""Where an instrument that speaks by itself stands."""

from sqlite3 import Connection
from typing import Any

from lumbrel.store import sap
from lumbrel.store.instruments import Detail, Instrument, ThermometerDetail
from lumbrel.store.kitchen import vessels
from lumbrel.words import _

CUP, OUTDOORS, TANK = "cup", "outdoors", "tank:"


def places(db: Connection, kind: str) -> list[tuple[str, str]]:
    """Where an instrument of a kind may stand, each with its words; none where it stands nowhere."""
    if kind == "scale":
        return [("", _("on the bench")), *((one.id, one.name) for one in vessels(db))]
    if kind != "thermometer":
        return []
    return [
        ("", _("nothing, held by hand")),
        *((one.id, one.name) for one in vessels(db)),
        (CUP, _("the hydrometer cup")),
        (OUTDOORS, _("outdoors, in the shade")),
        *((TANK + one.id, one.name) for one in sap.tanks(db, retired=False) if one.bounded),
    ]


def placed(place: str) -> tuple[dict[str, Any], str | None]:
    """What standing there says of its detail, and the vessel it stands in or under."""
    if place == CUP:
        return {"in_the_cup": True}, None
    if place == OUTDOORS:
        return {"outdoors": True}, None
    if place.startswith(TANK):
        return {"tank_id": place.removeprefix(TANK)}, None
    return {}, place or None


def place_of(instrument: Instrument[Detail]) -> str:
    """Where an instrument stands; empty for nowhere."""
    detail = instrument.detail
    if isinstance(detail, ThermometerDetail):
        if detail.in_the_cup or detail.outdoors:
            return CUP if detail.in_the_cup else OUTDOORS
        if detail.tank_id:
            return TANK + detail.tank_id
    return instrument.vessel_id or ""
