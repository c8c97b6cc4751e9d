"""Will it run: what each woodlot will give in the days to come, learned from its own."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from math import sqrt
from sqlite3 import Connection

from lumbrel.core.sap.learned import Learned
from lumbrel.core.sap.running import Day, Expected, Weather, Wood, by_the_rule, by_warmth
from lumbrel.services.base import book
from lumbrel.services.base.book import Draft
from lumbrel.services.base.cache import cache_of, last_line, record_key
from lumbrel.services.base.entry import newest
from lumbrel.services.base.form import local_time
from lumbrel.services.sap import trees
from lumbrel.services.sap.contents import TankView
from lumbrel.services.sap.facts import BudsFacts, GatheredFacts
from lumbrel.store import sap as store
from lumbrel.store import sap_weather
from lumbrel.store.db import once
from lumbrel.store.kitchen import Woodlot, load_kitchen, woodlots
from lumbrel.store.sap_weather import WeatherDay
from lumbrel.words import _

AHEAD, BEHIND = 7, 3
SEASONS = 3
"""Learned from so many seasons: trees grow, holes move."""
FIRST_MONTH_DAY, LAST_MONTH_DAY = (1, 15), (5, 31)
AFTER_ALL = date(9999, 1, 1)
"""The day from which something is expected of a woodlot whose buds swell."""
MOST_BUDS, MOST_RUNS = 400, 400
RUNS_FROM_L = 0.3
"""From a tap: less is not worth a walk."""


@dataclass(frozen=True)
class LotDay:
    """A woodlot on a day: what it gave, or what is expected of it; L of all its taps."""

    gave: float | None
    expected: Expected | None
    taps: float


@dataclass(frozen=True)
class DayAhead:
    """One day of the week's picture."""

    day: date
    weather: WeatherDay | None
    lots: tuple[tuple[Woodlot, LotDay], ...]
    rule: float

    @property
    def gave_l(self) -> float | None:
        """What was gathered of it."""
        known = [lot.gave for _any, lot in self.lots if lot.gave is not None]
        return sum(known) if known else None

    @property
    def expected_l(self) -> float | None:
        """What is expected of all woodlots."""
        known = [(lot.expected.litres * lot.taps) for _any, lot in self.lots if lot.expected]
        return sum(known) if known else None

    def _range(self, high: bool) -> float:
        """The ends of woodlots under one weather move together, mostly: half as one, half apart."""
        offs = [
            ((lot.expected.high if high else lot.expected.low) - lot.expected.litres) * lot.taps
            for _any, lot in self.lots
            if lot.expected
        ]
        together, apart = sum(offs), sqrt(sum(off**2 for off in offs))
        apart = apart if together >= 0 else -apart
        return 0.5 * together + 0.5 * apart

    @property
    def low_l(self) -> float:
        """Where eight days of ten begin."""
        return max((self.expected_l or 0.0) + self._range(high=False), 0.0)

    @property
    def high_l(self) -> float:
        """Where they end."""
        return (self.expected_l or 0.0) + self._range(high=True)

    @property
    def words(self) -> str:
        """What kind of day it is, in a few words."""
        if self.weather is None:
            return _("no forecast")
        if self.weather.day_c <= 0 and self.rule < 0.05:
            return _("stays frozen")
        if self.rule >= 0.6:
            return _("runs well")
        if self.rule >= 0.2:
            return _("runs")
        if self.rule >= 0.05:
            return _("drips")
        return _("too warm") if self.weather.night_c > 0 else _("hardly")


@dataclass(frozen=True, kw_only=True)
class Week:
    """The week: days behind and ahead, by woodlot and in all."""

    days: tuple[DayAhead, ...]
    today: date
    woodlots: tuple[Woodlot, ...]
    chosen: Woodlot | None
    taps: float
    learned_days: int
    budded: bool
    forecast_at: datetime | None

    @property
    def tomorrow(self) -> DayAhead | None:
        """The next day."""
        wanted = self.today + timedelta(days=1)
        return next((d for d in self.days if d.day == wanted), None)

    @property
    def next_run(self) -> DayAhead | None:
        """The first day from today on that is worth a walk."""
        least = RUNS_FROM_L * self.taps
        return next((d for d in self.days if d.day >= self.today and (d.expected_l or 0.0) > least), None)


def week(db: Connection, now: datetime, woodlot_id: str = "") -> Week:
    """The week's picture, of one woodlot or of all that are tapped."""
    kitchen, every = load_kitchen(db), woodlots(db, retired=False)
    today = local_time(now, kitchen).date()
    known = sap_weather.known(db, today - timedelta(days=BEHIND), today + timedelta(days=AHEAD))
    tapped = [pair for pair in _tapped(db, every, now) if woodlot_id in ("", pair[0].id)]
    budded = _budded(db, trees.season_of(now, kitchen))
    shown = [today + timedelta(days=i) for i in range(-BEHIND, AHEAD)]
    since = {w.id: AFTER_ALL if w.id in budded else today for w, _any in tapped}
    by_lot = {w.id: _of_lot(db, w, taps, shown, known=known, since=since[w.id]) for w, taps in tapped}
    running = [(w, taps) for w, taps in tapped if w.id not in budded] or tapped
    rules = _rules(known, shown, {w.sugar_kind == "birch" for w, _any in running})
    return Week(
        days=tuple(
            DayAhead(day, known.get(day), _on(i, tapped, by_lot), rules[day]) for i, day in enumerate(shown)
        ),
        today=today,
        woodlots=tuple(every),
        chosen=next((w for w in every if w.id == woodlot_id), None),
        taps=sum(pair[1] for pair in running),
        learned_days=sum(days for _any, days in by_lot.values()),
        budded=bool(tapped) and budded >= {w.id for w, _any in tapped},
        forecast_at=max((w.noted_at for w in known.values() if not w.measured), default=None),
    )


def _on(
    i: int, tapped: Sequence[tuple[Woodlot, float]], by_lot: Mapping[str, tuple[list[LotDay], int]]
) -> tuple[tuple[Woodlot, LotDay], ...]:
    """What each woodlot does on the day of a place in the week."""
    return tuple((woodlot, by_lot[woodlot.id][0][i]) for woodlot, _any in tapped)


def _rules(known: Mapping[date, WeatherDay], days: Sequence[date], birches: set[bool]) -> dict[date, float]:
    """What the rules alone give each day, the best of what runs."""
    return {day: max((_rule(known, day, b) for b in birches), default=0.0) for day in days}


def _tapped(db: Connection, lots: Sequence[Woodlot], now: datetime) -> list[tuple[Woodlot, float]]:
    """The woodlots that are tapped this season, with their taps."""
    season = trees.season_of(now, load_kitchen(db))
    found = ((woodlot, taps_of(db, woodlot.id, season)) for woodlot in lots)
    return [(woodlot, taps) for woodlot, taps in found if taps]


def _rule(known: Mapping[date, WeatherDay], day: date, birch: bool) -> float:
    """What the rule alone gives a day, from the weather up to it."""
    if day not in known:
        return 0.0
    if birch:
        return by_warmth(Weather(known[day].night_c, known[day].day_c))
    first = day
    while first - timedelta(days=1) in known:
        first -= timedelta(days=1)
    span = [first + timedelta(days=i) for i in range((day - first).days + 1)]
    weather = [Weather(known[d].night_c, known[d].day_c) for d in span]
    return by_the_rule(weather[-1], Wood().mornings(weather)[-1])


def taps_of(db: Connection, woodlot_id: str, season: int) -> float:
    """The taps of a woodlot this season: drilled, else of its last collection in it."""
    drilled = sum(store.taps_of(db, woodlot_id, season).values())
    if drilled:
        return drilled
    last = newest(db, GatheredFacts, woodlot_id, limit=1)
    if not last or trees.season_of(last[0].at, load_kitchen(db)) != season:
        return 0.0
    return last[0].facts.taps


def _budded(db: Connection, season: int) -> set[str]:
    """The woodlots whose buds swelled this season."""
    since = datetime(season - 1, 7, 1, tzinfo=UTC)
    lines = newest(db, BudsFacts, since=since, limit=MOST_BUDS)
    return {line.about_id for line in lines if line.facts.season == season}


def _of_lot(
    db: Connection,
    woodlot: Woodlot,
    taps: float,
    shown: Sequence[date],
    *,
    known: Mapping[date, WeatherDay],
    since: date,
) -> tuple[list[LotDay], int]:
    """A woodlot's days: what it gave, what is expected from a day on; and by how many days."""
    gave = {r.day: r.litres for r in store.runs(db, woodlot.id, shown[0], shown[-1])}
    coming = [day for day in shown if day >= since]
    news = last_line(db, woodlot.id, "weather", "setting", "struck")
    key = (record_key(db), woodlot, news, since, tuple(coming), tuple(map(known.get, coming)))

    def look() -> tuple[dict[date, Expected], int]:
        return expected_of(db, woodlot, coming, known)

    # What a woodlot taught holds until something of it, or of the air, is said anew.
    expected, days = cache_of(db).shelf(_("runs ahead"), MOST_RUNS).get(key, look)
    return [LotDay(gave.get(day), expected.get(day), taps) for day in shown], days


def expected_of(
    db: Connection, woodlot: Woodlot, days: Sequence[date], known: Mapping[date, WeatherDay]
) -> tuple[dict[date, Expected], int]:
    """What a tap of a woodlot gives on each of some days that has weather; and how many days taught it.

    Args:
        days: from today on, none left out, or none.
        known: the weather.
    """
    told = [day for day in days if day in known]
    if not told:
        return {}, len(learned_of(db, woodlot, days[0]).days) if days else 0
    today, last = days[0], told[-1]
    span = [day for day in days if day <= last]
    run = [_nearest(known, day, told) for day in span]
    learned = learned_of(db, woodlot, today)
    ahead = learned.ahead(today, run)
    after = today + timedelta(days=1)
    if store.runs(db, woodlot.id, today, today):
        # What was gathered today tells of tomorrow.
        learned = learned_of(db, woodlot, after)
        ahead[1:] = learned.ahead(after, run[1:])
    found = dict(zip(span, ahead, strict=True))
    return {day: found[day] for day in told}, len(learned.days)


def _nearest(known: Mapping[date, WeatherDay], day: date, told: Sequence[date]) -> Weather:
    """Its weather, or that of the nearest day that has some."""
    near = known[min(told, key=lambda one: abs((one - day).days))]
    return Weather(near.night_c, near.day_c)


def learned_of(db: Connection, woodlot: Woodlot, before: date) -> Learned:
    """What a woodlot's days up to a day have taught, of this season and the two before it."""
    days: list[Day] = []
    for year in range(before.year - SEASONS + 1, before.year + 1):
        first = date(year, *FIRST_MONTH_DAY)
        last = min(date(year, *LAST_MONTH_DAY), before - timedelta(days=1))
        weather = _weather_of(db, first, last)
        runs = {run.day: run for run in store.runs(db, woodlot.id, first, last)}
        if not runs:
            continue
        begins, ends = min(runs), max(runs)
        for day, seen in weather:
            run = runs.get(day)
            # Between the first and last collection nothing gathered is nothing run; beyond, unknown.
            within = begins <= day <= ends
            litres = run.litres / max(run.taps, 1.0) if run else (0.0 if within else None)
            days.append(Day(day, seen, litres, run.days if run else 1))
    return Learned(days, birch=woodlot.sugar_kind == "birch")


def _weather_of(db: Connection, first: date, last: date) -> list[tuple[date, Weather]]:
    """What is known of the weather between two days, in their order; all woodlots stand in one."""

    def read() -> list[tuple[date, Weather]]:
        known = sap_weather.known(db, first, last)
        return [(day, Weather(one.night_c, one.day_c)) for day, one in sorted(known.items())]

    return once(db, (_("weather of days"), first, last), read)


@dataclass(frozen=True)
class TankAhead:
    """What the days ahead do to a tank."""

    full_on: date | None
    light_by: datetime | None


def coming(made: Week, tank: TankView, hours_high: float) -> TankAhead:
    """When a tank is expected to be full, and when at the latest the fire is lit for it.

    Args:
        hours_high: how long the boil-down takes at the most.
    """
    held, full_on = tank.content.litres, None
    for day in made.days:
        if day.day >= made.today and day.expected_l:
            held += day.expected_l
            if held >= tank.tank.capacity_l:
                full_on = day.day
                break
    light_by = tank.boil_by - timedelta(hours=hours_high) if tank.boil_by else None
    return TankAhead(full_on, light_by)


def buds(db: Connection, woodlot_id: str, fields: Mapping[str, str], now: datetime) -> None:
    """Note that the buds of a woodlot swell."""
    trees.woodlot_of(db, woodlot_id)

    def read(form: object, at: datetime) -> list[Draft]:
        season = trees.season_of(at, load_kitchen(db))
        return [Draft(BudsFacts(season=season), "woodlot", woodlot_id)]

    book.write(db, fields, now, read)
