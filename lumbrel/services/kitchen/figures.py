"""Figures for who watches over machines, in the open metrics format."""

from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from sqlite3 import Connection

from prometheus_client import CollectorRegistry
from prometheus_client.core import GaugeMetricFamily, InfoMetricFamily, Metric
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST, generate_latest

from lumbrel import __version__
from lumbrel.devices.measured import STORED
from lumbrel.services.kitchen.safekeeping import automatic
from lumbrel.services.kitchen.wall import wall
from lumbrel.services.probes.intake import MEASURES
from lumbrel.store import alarms, samples
from lumbrel.store.instruments import instruments

UNITS = {"degC": "celsius", "Pa": "pascals", "kg": "kilograms"}
FRESH_S = 3600.0


class _Figures:
    """What is measured now.

    Args:
        record: where it lies.
    """

    def __init__(self, db: Connection, now: datetime, record: Path) -> None:
        self._db, self._now, self._record = db, now, record

    def collect(self) -> Iterator[Metric]:
        """All figures."""
        info = InfoMetricFamily("lumbrel", "This program")
        info.add_metric([], {"version": __version__})
        yield info
        yield GaugeMetricFamily(
            "lumbrel_alarms_ringing", "Alarms that nobody answered", len(alarms.ringing(self._db))
        )
        yield GaugeMetricFamily("lumbrel_record_bytes", "Size of the record", self._record.stat().st_size)
        days = automatic(self._record.parent / "backups").days
        if days:
            age = (self._now.date() - datetime.fromisoformat(days[0]).date()).days
            yield GaugeMetricFamily("lumbrel_backup_age_days", "Age of the newest automatic backup", age)
        yield from self._vessels()
        yield from self._instruments()

    def _vessels(self) -> Iterator[Metric]:
        figures = {
            "brix": "Density that is believed, percent by mass",
            "minutes_left": "Minutes left of what it is at",
            "temperature_celsius": "What a pot’s thermometer shows",
        }
        each = {
            name: GaugeMetricFamily(f"lumbrel_vessel_{name}", said, labels=["vessel", "batch"])
            for name, said in figures.items()
        }
        for pane in wall(self._db, self._now).panes:
            told = {"brix": pane.brix, "minutes_left": pane.minutes, "temperature_celsius": pane.shown_c}
            for name, value in told.items():
                if value is not None:
                    each[name].add_metric([pane.where, pane.code], value)
        yield from each.values()

    def _instruments(self) -> Iterator[Metric]:
        each = {
            quantity: GaugeMetricFamily(
                f"lumbrel_instrument_{quantity}_{UNITS[unit]}",
                f"Newest {quantity} of the last hour",
                labels=["instrument"],
            )
            for quantity, unit in STORED.items()
        }
        for one in instruments(self._db):
            if one.kind not in MEASURES:
                continue
            sample = samples.latest_sample(self._db, one.id, self._now)
            if sample and (self._now - sample.at).total_seconds() <= FRESH_S:
                each[MEASURES[one.kind]].add_metric([one.name], sample.value)
        yield from each.values()


def as_metrics(db: Connection, now: datetime, record: Path) -> tuple[bytes, str]:
    """All figures as text, and of what type it is."""
    registry = CollectorRegistry()
    registry.register(_Figures(db, now, record))
    body: bytes = generate_latest(registry)  # type: ignore[no-untyped-call]
    return body, CONTENT_TYPE_LATEST
