"""The one door for what probes send, whatever wire it came over."""

import hashlib
import secrets
import sqlite3
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from sqlite3 import Connection
from threading import Lock

from lumbrel.core.bench.samples import BelievedSample, SampleGate
from lumbrel.services.base.cache import cache_of, record_key
from lumbrel.services.base.form import NotFound
from lumbrel.store import probes
from lumbrel.store import samples as samples_store
from lumbrel.store.db import transaction
from lumbrel.store.instruments import instruments
from lumbrel.store.samples import Sample
from lumbrel.words import _

NO_MOMENT = _("at a time that no calendar has")
UNREADABLE = _("a line that cannot be read")
MEASURES = {"thermometer": "temperature", "barometer": "pressure", "scale": "mass"}
"""What instruments send that speak by themselves."""
MOST_AT_ONCE = 10_000


@dataclass(frozen=True)
class Taken:
    """What became of samples: kept, known already, not believed and why."""

    kept: int
    known: int
    refused: dict[str, int] = field(default_factory=dict)


@dataclass
class _Gates:
    """The gates of one record's probes, and the lock behind which they are passed."""

    lock: Lock = field(default_factory=Lock)
    by_probe: dict[str, SampleGate] = field(default_factory=dict)

    def of(self, db: Connection, probe_id: str, quantity: str, now: datetime) -> SampleGate:
        """A probe's gate, as what it sent last left it."""
        if probe_id not in self.by_probe:
            newest = samples_store.latest_sample(db, probe_id, now)
            seen = BelievedSample(newest.at, newest.value) if newest else None
            self.by_probe[probe_id] = SampleGate(seen, quantity)
        return self.by_probe[probe_id]


def _gates_of(db: Connection) -> _Gates:
    return cache_of(db).shelf("gates").get(record_key(db), _Gates)


def take(
    db: Connection,
    probe_id: str,
    samples: Sequence[tuple[datetime, float]],
    now: datetime,
    *,
    no_moment: int = 0,
) -> Taken:
    """Take what a probe sent: what is believed is in the record when this returns.

    Args:
        samples: when and degC, Pa or kg, in any order; at most 10 000.
        now: the kitchen's time.
        no_moment: how many more came at a time that no calendar has; they are counted.
    Raises:
        NotFound: no such instrument is registered.
    """
    quantity = measured_by(db, probe_id)
    refused: Counter[str] = Counter({NO_MOMENT: no_moment} if no_moment else {})
    believed: list[Sample] = []
    gates = _gates_of(db)
    with gates.lock:
        gate = gates.of(db, probe_id, quantity, now)
        for at, value in samples[:MOST_AT_ONCE]:
            why = gate.refusal(at, value, now)
            if why:
                refused[why] += 1
            else:
                believed.append(Sample(at, value))
        try:
            with transaction(db):
                kept = samples_store.add_samples(db, probe_id, believed)
                for reason, count in refused.items():
                    probes.note_trouble(db, probe_id, reason, now, count)
        except sqlite3.Error:
            # What was let through is not in the record: it may come again.
            gates.by_probe.pop(probe_id, None)
            raise
    return Taken(kept, len(believed) - kept, dict(refused))


def measured_by(db: Connection, instrument_id: str) -> str:
    """What a registered instrument sends: temperature, pressure or mass.

    Raises:
        NotFound: there is none such.
    """
    found = next((one for one in instruments(db) if one.id == instrument_id), None)
    if found is None or found.kind not in MEASURES:
        raise NotFound(
            _("There is no such thermometer, barometer or scale; register it on the kitchen’s page.")
        )
    return MEASURES[found.kind]


def note_unreadable(db: Connection, probe_id: str, count: int, now: datetime) -> None:
    """Count lines that were no temperature at all."""
    with transaction(db):
        probes.note_trouble(db, probe_id, UNREADABLE, now, count)


def new_token(db: Connection, probe_id: str, now: datetime) -> str:
    """A token for a probe over HTTP, shown once; the one before it stops working."""
    token = secrets.token_urlsafe(24)
    with transaction(db):
        probes.add_token(db, _hash(token), probe_id, now)
    return token


def holder(db: Connection, token: str) -> str | None:
    """The probe a token belongs to; None when it is wrong or revoked."""
    return probes.token_holder(db, _hash(token))


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()
