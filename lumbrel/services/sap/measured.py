"""What thermometers outdoors and in sap tanks measured, noted in the sap book by itself."""

from datetime import datetime, time, timedelta
from sqlite3 import Connection
from zoneinfo import ZoneInfo

from lumbrel.services.base.entry import newest_until
from lumbrel.services.base.form import BadInput, local_time
from lumbrel.services.sap import tanks, weather
from lumbrel.services.sap.facts import WarmFacts
from lumbrel.store import samples as samples_store
from lumbrel.store import sap, sap_weather
from lumbrel.store.instruments import Instrument, ThermometerDetail, instruments_of
from lumbrel.store.kitchen import load_kitchen

NIGHT, DAY = (time(18), time(9)), (time(7), time(19))
"""A night begins on the day before."""
LEAST_SHARE = 0.8
"""Of its hours so many must have been measured."""
DAYS_BACK = 4
FRESH, AT_MOST_EACH, AT_LEAST_EACH = timedelta(minutes=15), timedelta(hours=1), timedelta(hours=6)
CHANGED_K = 1.0


def note(db: Connection, now: datetime) -> None:
    """Note the nights and days that are over, and how warm the tanks are. Done again it notes nothing twice."""
    for glass in instruments_of(db, ThermometerDetail):
        if glass.detail.outdoors:
            _note_days(db, glass, now)
        if glass.detail.tank_id:
            _note_tank(db, glass, now)


def _note_days(db: Connection, glass: Instrument[ThermometerDetail], now: datetime) -> None:
    local = local_time(now, load_kitchen(db))
    zone, today = local.tzinfo, local.date()
    assert isinstance(zone, ZoneInfo)
    since = today - timedelta(days=DAYS_BACK)
    known = {on for on, seen in sap_weather.known(db, since, today).items() if seen.measured}
    for back in range(DAYS_BACK, 0, -1):
        on = today - timedelta(days=back)
        if on in known:
            continue
        dusk = datetime.combine(on - timedelta(days=1), NIGHT[0], zone)
        night = _course(db, glass, dusk, datetime.combine(on, NIGHT[1], zone))
        day = _course(db, glass, datetime.combine(on, DAY[0], zone), datetime.combine(on, DAY[1], zone))
        if night and day:
            weather.from_thermometer(db, on, min(night), max(day), now)


def _course(
    db: Connection, glass: Instrument[ThermometerDetail], since: datetime, until: datetime
) -> list[float]:
    """What it showed between two moments; nothing where too little of that was measured."""
    each = samples_store.minute_samples(db, glass.id, since, until)
    hours = {one.at.astimezone(since.tzinfo).replace(minute=0, second=0, microsecond=0) for one in each}
    enough = len(hours) >= LEAST_SHARE * ((until - since) / timedelta(hours=1))
    return [one.value for one in each] if enough else []


def _note_tank(db: Connection, glass: Instrument[ThermometerDetail], now: datetime) -> None:
    tank = glass.detail.tank_id
    newest = samples_store.latest_sample(db, glass.id, now)
    if (
        newest is None
        or now - newest.at > FRESH
        or all(one.id != tank for one in sap.tanks(db, retired=False))
    ):
        return
    last = next(iter(newest_until(db, WarmFacts, tank, now, 1)), None)
    if last is not None:
        changed = abs(newest.value - last.facts.temperature_c) >= CHANGED_K
        if now - last.at < (AT_MOST_EACH if changed else AT_LEAST_EACH):
            return
    try:
        line = f"warm-{glass.id}-{newest.at:%Y%m%d%H%M%S}"
        tanks.warm(db, tank, {"id": line, "temperature": f"{newest.value:.1f} C"}, now)
    except BadInput:
        return  # it shows what no sap can be: that is noted by nobody
