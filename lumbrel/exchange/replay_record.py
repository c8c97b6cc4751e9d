"""What a replayed log writes besides lines: earlier draws, and what devices sent."""

from datetime import datetime, timedelta
from sqlite3 import Connection
from uuid import uuid4

from lumbrel.core.errors import OutOfRange
from lumbrel.core.units.typed import parse
from lumbrel.exchange.replay_words import Line, Unfit
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import DrawFacts, Facts, TakeInFacts
from lumbrel.services.base.form import CONFIRMED
from lumbrel.services.day.pressure import pressure_at
from lumbrel.services.day.thermometers import thermometer_today
from lumbrel.services.probes import intake
from lumbrel.services.record import sums
from lumbrel.services.record.kept import write
from lumbrel.store import record
from lumbrel.store import samples as samples_store
from lumbrel.store.db import transaction
from lumbrel.store.instruments import (
    Detail,
    Instrument,
    ThermometerDetail,
    instruments,
    instruments_of,
)
from lumbrel.store.kitchen import Woodlot, load_kitchen, vessels
from lumbrel.store.samples import Sample
from lumbrel.words import _

WOODLOT = Woodlot("replayed", "Replayed")


def earlier_draw(db: Connection, vessel_id: str, at: datetime, rate: float) -> None:
    """A draw of a vessel an hour after its take-in, as if it had been."""
    kitchen = load_kitchen(db)
    batch = record.Batch(
        id=str(uuid4()),
        code=f"history-{uuid4().hex[:8]}",
        opened_at=at,
        woodlot_id=WOODLOT.id,
        vessel_id=vessel_id,
        sugar_kind="maple",
        target_brix=kitchen.target_brix,
        draw_margin_brix=0.0,
    )
    record.add_batch(db, batch)
    mass = 60 * rate
    taken = TakeInFacts(
        mass_kg=mass,
        brix=40.0,
        temperature_c=60.0,
        amount_by="mass",
        amount=mass,
        brix_read=40.0,
        target_brix=kitchen.target_brix,
        water_kg=mass / 3,
        vessel_id=vessel_id,
        sugar_kind="maple",
    )
    drawn = DrawFacts(
        brix=kitchen.target_brix,
        sigma_brix=0.3,
        target_brix=kitchen.target_brix,
        mass_kg=mass * 40 / kitchen.target_brix,
        weighed=True,
        call="draw_now",
        chi2_per_dof=0.0,
        rate_kg_per_min=rate,
    )
    later = at + timedelta(hours=1)
    facts: tuple[tuple[Facts, datetime], ...] = ((taken, at), (drawn, later))
    for one, moment in facts:
        line = Entry(
            id=str(uuid4()),
            about_id=batch.id,
            at=moment,
            noted_at=moment,
            facts=one,
            # So much as an hour of that rate wants, whatever the vessel holds.
            typed={f"{sums.SUMS}{CONFIRMED}": "1"},
        )
        write(db, line)


def keep(
    db: Connection, device: Instrument[Detail], samples: list[tuple[datetime, float]], now: datetime
) -> int:
    """What a device sent, as far as it is plausible; returns how many were kept."""
    if device.kind == "barometer":
        plausible = [Sample(at, pa) for at, pa in samples if 50_000 <= pa <= 109_000]
        with transaction(db):
            return samples_store.add_samples(db, device.id, plausible)
    if device.kind not in intake.MEASURES:
        raise Unfit(instrument=_("Only thermometers, barometers and scales send samples."))
    kept = 0
    for begin in range(0, len(samples), intake.MOST_AT_ONCE):
        some = samples[begin : begin + intake.MOST_AT_ONCE]
        kept += intake.take(db, device.id, some, now).kept
    return kept


def kettle_truly(db: Connection, fields: dict[str, str], at: datetime) -> dict[str, str]:
    """A line of the kettle as a true thermometer shows it, by the one that it names."""
    glass_id = fields.pop("instrument", "")
    glass = next((i for i in instruments_of(db, ThermometerDetail) if i.id == glass_id), None)
    kitchen = load_kitchen(db)
    pressure = pressure_at(db, kitchen, at)
    if glass is None or pressure is None:
        return fields
    try:
        shown = parse(fields.get("kettle", ""), "temperature", kitchen.units["temperature"]).value
    except OutOfRange:
        # The form says what is allowed.
        return fields
    return fields | {
        "kettle": f"{thermometer_today(db, glass, pressure, at).calibration.true_c(shown):.9f} C"
    }


def instrument_named(db: Connection, name: object, key: str = "instrument") -> Instrument[Detail]:
    known = {i.name: i for i in instruments(db)}
    if not isinstance(name, str) or name not in known:
        names = ", ".join(known) or _("none yet")
        raise Unfit(**{key: _("Name an instrument; there are {names}.", names=names)})
    return known[name]


def vessel_named(db: Connection, line: Line, key: str = "vessel") -> str:
    """A vessel's id by its name."""
    known = {v.name: v.id for v in vessels(db)}
    name = line.get(key)
    if name not in known:
        raise Unfit(**{key: _("Name a vessel; there are {known}.", known=", ".join(known) or _("none yet"))})
    return known[str(name)]
