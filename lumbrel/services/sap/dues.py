"""What is due of gear and trees."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from sqlite3 import Connection

from lumbrel.services.base.form import Form, local_time
from lumbrel.services.sap import played
from lumbrel.services.sap.runs import week
from lumbrel.services.sap.season import MOST_LOTS, SeasonPage
from lumbrel.services.sap.season_sums import WORTH_A_TAP_L
from lumbrel.store import kept_lots
from lumbrel.store.kept_lots import Asked
from lumbrel.store.kitchen import load_kitchen
from lumbrel.words import _, number


def rows(page: SeasonPage) -> list[list[str]]:
    """The season by day, as a table of text for CSV; the first row names its columns."""
    table = [["day", "night_c", "day_c", "measured", "litres", "brix", "solids_kg"]]
    for day in page.days:
        weather = day.weather
        table.append(
            [
                day.day.isoformat(),
                f"{weather.night_c:.1f}" if weather else "",
                f"{weather.day_c:.1f}" if weather else "",
                ("yes" if weather.measured else "forecast") if weather else "",
                f"{day.litres:.1f}",
                f"{day.brix:.2f}" if day.brix else "",
                f"{day.solids_kg:.3f}",
            ]
        )
    return table


@dataclass(frozen=True)
class Due:
    """Something that is due: an event of the calendar."""

    key: str
    begins: datetime | date
    ends: datetime | date
    words: str
    detail: str


def _runs(db: Connection, now: datetime, show: Callable[[float, str], str]) -> list[Due]:
    """Sap that is to run, with a test boil on that morning."""
    kitchen, made = load_kitchen(db), week(db, now)
    found = []
    for day in made.days:
        litres = day.expected_l
        if day.day >= made.today and litres and litres > WORTH_A_TAP_L * made.taps:
            found.append(
                Due(
                    f"run {day.day}",
                    day.day,
                    day.day + timedelta(days=1),
                    _("Sap runs: about {litres}", litres=show(litres, "volume")),
                    _(
                        "{low} to {high} in eight days of ten",
                        low=show(day.low_l, "volume"),
                        high=show(day.high_l, "volume"),
                    ),
                )
            )
            test = datetime.combine(day.day, datetime.min.time(), local_time(now, kitchen).tzinfo)
            found.append(
                Due(
                    f"test boil {day.day}",
                    test + timedelta(hours=7),
                    test + timedelta(hours=7, minutes=15),
                    _("Test boil"),
                    _("Where water boils here today, on every thermometer"),
                )
            )
    return found


def _boil_bys(db: Connection, now: datetime, show: Callable[[float, str], str]) -> list[Due]:
    """Sap that must be boiled."""
    found = []
    for view in played.views(db, now):
        if view.boil_by and view.boil_by > now:
            found.append(
                Due(
                    f"boil {view.tank.id} {view.boil_by:%Y-%m-%d}",
                    view.boil_by - timedelta(hours=1),
                    view.boil_by,
                    _("{tank}: boil by now", tank=view.tank.name),
                    _(
                        "{litres} at {brix} Brix",
                        litres=show(view.content.litres, "volume"),
                        brix=number(view.content.brix, 1),
                    ),
                )
            )
    return found


def _cold_checks(db: Connection, now: datetime) -> list[Due]:
    """Lots to be looked at a day later."""
    found = []
    for row in kept_lots.newest_lots(db, Asked(taken_in=(now - timedelta(days=4), now)), limit=MOST_LOTS):
        tomorrow = row.packed_at + timedelta(hours=18)
        if row.checked_at is None and row.packed_at > now - timedelta(days=3):
            found.append(
                Due(
                    f"cold check {row.code}",
                    tomorrow,
                    tomorrow + timedelta(minutes=15),
                    _("Cold check of lot {row_code}", row_code=row.code),
                    _("Density at room temperature, and every seal"),
                )
            )
    return found


def due(db: Connection, now: datetime) -> list[Due]:
    """What is to come: runs, boil-bys, cold checks, test boils."""
    show = Form({}, load_kitchen(db)).show
    return [*_runs(db, now, show), *_boil_bys(db, now, show), *_cold_checks(db, now)]
