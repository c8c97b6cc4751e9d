"""What the year was worth: runs against nights and days, sugar in and out, fuel, other seasons, next year."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from sqlite3 import Connection
from statistics import median

from lumbrel.core.colour.grades import colour_class
from lumbrel.core.sap import fuel, sap
from lumbrel.services.base.entry import newest
from lumbrel.services.base.form import NotFound, local_time
from lumbrel.services.sap import boil, boil_plan, played, trees
from lumbrel.services.sap.facts import GatheredFacts
from lumbrel.store import kept
from lumbrel.store import sap as store
from lumbrel.store.kitchen import Woodlot, load_kitchen, woodlots
from lumbrel.store.sap import RunDay, WeatherDay

MOST_SEASONS = 6
"""So many are set beside each other; older ones have their own page."""
WORTH_A_TAP_L = 0.3
"""A day that gave more from a tap counts as a run."""
POOR_SHARE, FEW = 0.5, 4
MOST_LOTS = 60
SPOILT = ("cloudy", "ropy", "sour", "old")
FIRST_YEAR = 1950


@dataclass(frozen=True, kw_only=True)
class Sum:
    """A season, or a woodlot in it, in figures."""

    season: int
    litres: float
    solids_kg: float
    taps: float
    run_days: int
    first: date | None
    last: date | None
    syrup_l: float
    """That its sugar makes at the kitchen's target, by mass balance."""

    @property
    def brix(self) -> float | None:
        mass = sap.mass_kg(self.litres, 2.0)
        return 100 * self.solids_kg / mass if mass else None

    @property
    def per_tap_l(self) -> float | None:
        return self.litres / self.taps if self.taps else None

    @property
    def syrup_per_tap_l(self) -> float | None:
        return self.syrup_l / self.taps if self.taps else None

    @property
    def ratio(self) -> float | None:
        """Litres of sap to one of syrup."""
        return self.litres / self.syrup_l if self.syrup_l else None


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
        raise NotFound("There is no such season.")
    target, lots = kitchen.target_brix, woodlots(db)
    by_lot = {lot.id: _runs(db, lot, season) for lot in lots}
    whole = _sum(season, [run for found in by_lot.values() for run in found], target)
    others = _others(db, lots, season, target)
    since, until = _bounds(season)
    gone = [view.gone for view in played.views(db, min(now, until))]
    spoilt = [by[reason] for by in gone for reason in SPOILT if reason in by]
    spoilt_l = sum(litres for litres, _ in spoilt)
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
        spoilt_kg=sum(kg for _, kg in spoilt),
        spoilt_l=spoilt_l,
        ice_kg=_ice(db, since, until) + sum(by["ice"][0] for by in gone if "ice" in by),
        fuels=_fuels(db, since, until, boiled, target),
        by_rules=_by_rules(whole),
        next_year=tuple(_next_year(db, now, whole, others, spoilt_l)),
        target_brix=target,
    )


def _others(db: Connection, lots: Sequence[Woodlot], season: int, target_brix: float) -> list[Sum]:
    """The seasons before, oldest first."""
    years = range(season - MOST_SEASONS + 1, season)
    return [
        _sum(year, [run for lot in lots for run in _runs(db, lot, year)], target_brix)
        for year in years
    ]


def _lots(
    db: Connection,
    lots: Sequence[Woodlot],
    by_lot: dict[str, list[RunDay]],
    season: int,
    target_brix: float,
) -> tuple[SeasonLot, ...]:
    """Each woodlot that gave something in this season or the one before it."""
    found = []
    for lot in lots:
        before = _sum(season - 1, _runs(db, lot, season - 1), target_brix)
        if by_lot[lot.id] or before.litres:
            now = _sum(season, by_lot[lot.id], target_brix)
            found.append(SeasonLot(lot, now, before if before.litres else None))
    return tuple(found)


def _bounds(season: int) -> tuple[datetime, datetime]:
    return datetime(season - 1, 7, 1, tzinfo=UTC), datetime(season, 6, 30, 23, 59, tzinfo=UTC)


def _runs(db: Connection, lot: Woodlot, season: int) -> list[RunDay]:
    return store.runs(db, lot.id, *trees.days_of(season))


def _sum(season: int, runs: Sequence[RunDay], target_brix: float) -> Sum:
    """A season's figures from its days, of one woodlot or of several."""
    litres = sum(run.litres for run in runs)
    solids = sum(run.solids_kg for run in runs)
    by_lot: dict[str, float] = {}
    for run in runs:
        by_lot[run.woodlot_id] = max(by_lot.get(run.woodlot_id, 0.0), run.taps)
    ran = {run.day for run in runs if run.litres > WORTH_A_TAP_L * max(run.taps, 1.0)}
    days = [run.day for run in runs if run.litres > 0]
    mass = sap.mass_kg(litres, 2.0)
    brix = 100 * solids / mass if mass else 0.0
    syrup = sap.becomes(litres, brix, target_brix).syrup_l if brix >= sap.LEAST_BRIX else 0.0
    return Sum(
        season=season,
        litres=litres,
        solids_kg=solids,
        taps=sum(by_lot.values()),
        run_days=len(ran),
        first=min(days, default=None),
        last=max(days, default=None),
        syrup_l=syrup,
    )


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
    weather = store.weather(db, first, last)
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
        syrup = (
            sap.becomes(1.0, 2.0, target_brix).syrup_l
            * boiled_kg
            / (sap.mass_kg(1.0, 2.0, 20) * 0.02)
        )
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
        ("rule of 86", whole.litres * whole.brix / sap.RULE_OF_86),
        *((f"{rule:.0f} : 1", whole.litres / rule) for rule in sap.FIXED_RULES),
    )


def _next_year(
    db: Connection, now: datetime, whole: Sum, others: Sequence[Sum], spoilt_l: float
) -> list[str]:
    """What the season says of the next one."""
    found = []
    if spoilt_l > 0.02 * whole.litres:
        share = 100 * spoilt_l / whole.litres
        found.append(
            f"{share:.0f} % of the sap was thrown out: boil earlier, keep the tank colder, or fetch "
            "more often."
        )
    earlier = [one for one in others if one.first]
    if whole.first and earlier:
        days = sorted(one.first.timetuple().tm_yday for one in earlier if one.first)
        usual = days[len(days) // 2]
        apart = whole.first.timetuple().tm_yday - usual
        if abs(apart) >= 4:
            found.append(
                f"It began {abs(apart)} days {'later' if apart > 0 else 'earlier'} than is usual here; "
                "have the gear ready by then."
            )
    if whole.season == trees.season_of(now, load_kitchen(db)):
        counts = store.tree_counts(db)
        for lot in woodlots(db):
            found += _of_trees(db, now, lot, whole.season) if counts.get(lot.id) else []
    return found


def _of_trees(db: Connection, now: datetime, lot: Woodlot, season: int) -> list[str]:
    seen = trees.views(db, lot.id, now)
    gave = trees.yields(db, lot.id, season, [view.tree for view in seen])
    found = []
    per_tap = {key: one.solids_kg / max(one.taps, 1) for key, one in gave.items()}
    if len(per_tap) >= FEW:
        middle = median(per_tap.values())
        poor = [v.tree.name for v in seen if per_tap.get(v.tree.id, middle) < POOR_SHARE * middle]
        if poor:
            found.append(
                f"{lot.name}: {', '.join(poor[:8])} gave less than half the usual sugar a tap; look at "
                "crown and holes, or let them rest."
            )
    full = [view.tree.name for view in seen if view.full_next]
    if full:
        found.append(
            f"{lot.name}: {len(full)} {'tree is' if len(full) == 1 else 'trees are'} full after this "
            "season by the rule here, and rest."
        )
    unmeasured = [view for view in seen if view.girth_mm is None]
    if unmeasured:
        found.append(f"{lot.name}: measure the girth of {len(unmeasured)} trees.")
    return found
