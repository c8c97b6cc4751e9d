"""What the house is told: how each vessel stands, and what rings."""

import json
import re
import unicodedata
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from sqlite3 import Connection
from typing import Any

from lumbrel.devices.broker import OWN
from lumbrel.services.kitchen.wall import Pane, wall
from lumbrel.services.pan.alarms import HEADLINES
from lumbrel.services.probes.ears import Ears
from lumbrel.services.probes.outside import broker_at, broker_of
from lumbrel.services.sap.dues import Due
from lumbrel.store import record
from lumbrel.store.alarms import Alarm
from lumbrel.store.db import instant
from lumbrel.store.kitchen import load_kitchen, vessels
from lumbrel.words import _

BASE = OWN
ONLINE = f"{BASE}/online"
HERE, GONE = "online", "offline"
RINGS = f"{BASE}/alarm"


def speak_with_broker(ears: Ears, db: Connection, record: Path) -> None:
    """Speak with the kitchen's broker as it is named now, or with none; only one that is told hears who is there."""
    one = broker_of(db)
    tells = one is not None and one.detail["tells"]
    ears.speak_with(broker_at(db, record), (ONLINE, GONE) if tells else None)


@dataclass(frozen=True)
class Message:
    """Something said at a topic, and held there."""

    topic: str
    said: str


def slug(name: str) -> str:
    """A name as part of a topic."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()
    return re.sub(r"[^a-z0-9]+", "-", plain.lower()).strip("-") or "vessel"


def states(db: Connection, now: datetime) -> list[Message]:
    """How each vessel stands; empty ones too."""
    panes = {pane.where: pane for pane in wall(db, now).panes}
    return [
        Message(f"{BASE}/vessel/{slug(one.name)}", _json(_state(one.name, panes.get(one.name))))
        for one in vessels(db)
    ]


def _state(vessel: str, pane: Pane | None) -> dict[str, Any]:
    if pane is None:
        return {"vessel": vessel, "call": "idle", "said": str(_("Nothing on it"))}
    return {
        "vessel": vessel,
        "batch": pane.code,
        "call": pane.call,
        "said": str(pane.word),
        "next": str(pane.next),
        "brix": None if pane.brix is None else round(pane.brix, 1),
        "temperature_c": None if pane.shown_c is None else round(pane.shown_c, 1),
        "minutes_left": None if pane.minutes is None else round(pane.minutes, 1),
        "look_at": instant(pane.look_at) if pane.look_at else None,
    }


def event_of(db: Connection, alarm: Alarm, event: str) -> dict[str, Any]:
    """An alarm that is raised or answered, as it is told."""
    batch = record.batch_by(db, id=alarm.batch_id)
    names = {one.id: one.name for one in vessels(db)}
    return {
        "event": event,
        "kitchen": load_kitchen(db).name,
        "vessel": names.get(batch.vessel_id, "") if batch else "",
        "batch": batch.code if batch else "",
        "alarm": alarm.kind,
        "headline": str(HEADLINES.get(alarm.kind, alarm.kind)),
        "said": str(alarm.words),
        "raised_at": instant(alarm.raised_at),
    }


def due_at_the_fire(db: Connection, now: datetime) -> list[Due]:
    """When each vessel at work will want somebody, as it looks now."""
    found = []
    for pane in wall(db, now).panes:
        if pane.minutes is not None:
            at = now + timedelta(minutes=pane.minutes)
            words = _("{vessel}: {code} is there", vessel=pane.where, code=pane.code)
            found.append(Due(f"fire {pane.code}", at, at + timedelta(minutes=5), words, str(pane.word)))
    return found


def rings(db: Connection, ringing: list[Alarm]) -> list[Message]:
    """What rings: whether anything does, and each of it."""
    each = [event_of(db, one, "alarm.raised") for one in ringing]
    return [
        Message(RINGS, _json({"ringing": len(each), "alarms": each})),
        Message(f"{RINGS}/state", "ON" if each else "OFF"),
    ]


def discovery(db: Connection, prefix: str) -> list[Message]:
    """What home automation reads to know of it all by itself."""
    kitchen = load_kitchen(db).name
    device = {"identifiers": [BASE], "name": f"Lumbrel, {kitchen}"}
    found = [
        _config(
            prefix,
            "binary_sensor",
            "alarm",
            {"name": str(_("Alarm")), "state_topic": f"{RINGS}/state"},
            device,
        )
    ]
    for vessel in vessels(db):
        name, topic = vessel.name, f"{BASE}/vessel/{slug(vessel.name)}"
        shown = (
            ("said", name, ""),
            ("brix", _("{name}, density", name=name), "°Bx"),
            ("minutes_left", _("{name}, minutes left", name=name), "min"),
            ("temperature_c", _("{name}, temperature", name=name), "°C"),
        )
        for key, called, unit in shown:
            told = {
                "name": str(called),
                "state_topic": topic,
                "value_template": "{{ value_json." + key + " }}",
            } | ({"unit_of_measurement": unit} if unit else {})
            found.append(_config(prefix, "sensor", f"{slug(vessel.name)}-{key}", told, device))
    return found


def _config(prefix: str, sort: str, key: str, told: dict[str, Any], device: dict[str, Any]) -> Message:
    whole = told | {
        "unique_id": f"{BASE}-{key}",
        "availability_topic": ONLINE,
        "payload_available": HERE,
        "payload_not_available": GONE,
        "device": device,
    }
    return Message(f"{prefix.strip('/')}/{sort}/{BASE}/{key}/config", _json(whole))


def _json(told: dict[str, Any]) -> str:
    return json.dumps(told, ensure_ascii=False)
