"""What the year was worth: runs against nights and days, sugar in and out, fuel, other seasons, next year."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from sqlite3 import Connection

from lumbrel.core.colour.grades import colour_class
from lumbrel.core.sap import fuel, sap
from lumbrel.services.base.entry import newest
from lumbrel.services.base.form import NotFound, local_time
from lumbrel.services.sap import boil, boil_plan, played
from lumbrel.services.sap.facts import GatheredFacts
from lumbrel.services.sap.next_year import next_year
from lumbrel.services.sap.season_sums import Sum, others_of, runs_of, sum_of
from lumbrel.store import kept, sap_weather
from lumbrel.store import sap as store
from lumbrel.store.kitchen import Woodlot, load_kitchen, woodlots
from lumbrel.store.sap import RunDay
from lumbrel.store.sap_weather import WeatherDay
from lumbrel.words import _

MOST_LOTS = 60
SPOILT = ("cloudy", "ropy", "sour", "old")
FIRST_YEAR = 1950


@dataclass(frozen=True)
class DayOf:
    """A day of the season: what ran, how dense, under which weather."""

    day: date
    litres: float
    solids_kg: float
    weather: WeatherDay | None

    @property
    def brix(self) -> float | None:
        """Of the day's sap."""
        return 100 * self.solids_kg / sap.mass_kg(self.litres, 2.0) if self.litres > 0 else None


@dataclass(frozen=True, kw_only=True)
class Fuel:
    """What was burned of a fuel for boil-downs, and per litre of syrup."""

    words: str
    amount: float
    measure: str
    per_litre: float | None
    efficiency: float
    fires: int


@dataclass(frozen=True)
class SeasonLot:
    """A woodlot in this season, and the season before."""

    woodlot: Woodlot
    now: Sum
    before: Sum | None


@dataclass(frozen=True, kw_only=True)
class SeasonPage:
    """The season page."""

    season: int
    days: tuple[DayOf, ...]
    whole: Sum
    others: tuple[Sum, ...]
    """Newest first, this one too."""
    lots: tuple[SeasonLot, ...]
    colours: tuple[tuple[date, str], ...]
    """Days on which syrup was graded, and its colour class."""
    boiled_kg: float
    """Solids that went from tanks into pans."""
    spoilt_kg: float
    spoilt_l: float
    ice_kg: float
    fuels: tuple[Fuel, ...]
    by_rules: tuple[tuple[str, float], ...]
    """What rules of thumb say of the sap: litres of syrup."""
    next_year: tuple[str, ...]
    target_brix: float


def season_page(db: Connection, season: int, now: datetime) -> SeasonPage:
    """A season, set beside the others.

    Raises:
        NotFound: there is no such season.
    """
    kitchen = load_kitchen(db)
    if not FIRST_YEAR <= season <= local_time(now, kitchen).year + 1:
        raise NotFound(_("There is no such season."))
    target, lots = kitchen.target_brix, woodlots(db)
    by_lot = {lot.id: runs_of(db, lot, season) for lot in lots}
    whole = sum_of(season, [run for found in by_lot.values() for run in found], target)
    others = others_of(db, lots, season, target)
    since, until = _bounds(season)
    gone = [view.gone for view in played.views(db, min(now, until))]
    spoilt = [by[reason] for by in gone for reason in SPOILT if reason in by]
    spoilt_l = sum(litres for litres, _any in spoilt)
    boiled = store.drawn_between(db, since, until)
    return SeasonPage(
        season=season,
        days=_days(db, season, by_lot),
        whole=whole,
        others=(whole, *(one for one in reversed(others) if one.litres)),
        lots=_lots(db, lots, by_lot, season, target),
        colours=tuple(
            (local_time(at, kitchen).date(), colour_class(light))
            for at, light in kept.colours_by_day(db, season)
        ),
        boiled_kg=boiled,
        spoilt_kg=sum(kg for _any, kg in spoilt),
        spoilt_l=spoilt_l,
        ice_kg=_ice(db, since, until) + sum(by["ice"][0] for by in gone if "ice" in by),
        fuels=_fuels(db, since, until, boiled, target),
        by_rules=_by_rules(whole),
        next_year=tuple(next_year(db, now, whole, others, spoilt_l)),
        target_brix=target,
    )


def _lots(
    db: Connection, lots: Sequence[Woodlot], by_lot: dict[str, list[RunDay]], season: int, target_brix: float
) -> tuple[SeasonLot, ...]:
    """Each woodlot that gave something in this season or the one before it."""
    found = []
    for lot in lots:
        before = sum_of(season - 1, runs_of(db, lot, season - 1), target_brix)
        if by_lot[lot.id] or before.litres:
            now = sum_of(season, by_lot[lot.id], target_brix)
            found.append(SeasonLot(lot, now, before if before.litres else None))
    return tuple(found)


def _bounds(season: int) -> tuple[datetime, datetime]:
    return datetime(season - 1, 7, 1, tzinfo=UTC), datetime(season, 6, 30, 23, 59, tzinfo=UTC)


def _days(db: Connection, season: int, by_lot: dict[str, list[RunDay]]) -> tuple[DayOf, ...]:
    """Every day from the first to the last that anything is known of."""
    litres: dict[date, float] = {}
    solids: dict[date, float] = {}
    for found in by_lot.values():
        for run in found:
            litres[run.day] = litres.get(run.day, 0.0) + run.litres
            solids[run.day] = solids.get(run.day, 0.0) + run.solids_kg
    if not litres:
        return ()
    first, last = min(litres) - timedelta(days=2), max(litres) + timedelta(days=2)
    weather = sap_weather.known(db, first, last)
    return tuple(
        DayOf(day, litres.get(day, 0.0), solids.get(day, 0.0), weather.get(day))
        for day in (first + timedelta(days=i) for i in range((last - first).days + 1))
    )


def _ice(db: Connection, since: datetime, until: datetime) -> float:
    """Ice that was thrown off where sap was gathered, kg."""
    found = newest(db, GatheredFacts, since=since, until=until, limit=2000)
    facts = [line.facts for line in found if line.facts.ice_kg]
    return sum(one.ice_kg for one in facts if isinstance(one, GatheredFacts))


def _fuels(
    db: Connection, since: datetime, until: datetime, boiled_kg: float, target_brix: float
) -> tuple[Fuel, ...]:
    burns = store.burns_between(db, since, until)
    if not burns:
        return ()
    whole_mj = sum(burn.fuel_mj for burn in burns)
    syrup = 0.0
    if boiled_kg > 0:
        syrup = sap.becomes(1.0, 2.0, target_brix).syrup_l * boiled_kg / (sap.mass_kg(1.0, 2.0, 20) * 0.02)
    found = []
    for kind in dict.fromkeys(burn.fuel for burn in burns):
        own = [burn for burn in burns if burn.fuel == kind]
        measure = boil_plan.measures_in(load_kitchen(db), kind)[-1]
        mj = sum(burn.fuel_mj for burn in own)
        amount = mj / fuel.MJ_EACH[measure]
        share = syrup * mj / whole_mj
        found.append(
            Fuel(
                words=boil.FUELS[kind],
                amount=amount,
                measure=boil.SAID[measure],
                per_litre=amount / share if share else None,
                efficiency=sum(burn.needed_mj for burn in own) / mj,
                fires=len(own),
            )
        )
    return tuple(found)


def _by_rules(whole: Sum) -> tuple[tuple[str, float], ...]:
    if not whole.litres or not whole.brix:
        return ()
    return (
        (_("rule of 86"), whole.litres * whole.brix / sap.RULE_OF_86),
        *((f"{rule:.0f} : 1", whole.litres / rule) for rule in sap.FIXED_RULES),
    )
