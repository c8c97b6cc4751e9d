"""The one formatter of pages: quantities and times in the kitchen's own units and zone."""

import datetime as calendar
from datetime import datetime

from lumbrel.core import units
from lumbrel.services.base.form import local_time
from lumbrel.store.kitchen import Kitchen
from lumbrel.words import _, joined, weekday


class Display:
    """Shows quantities and times in the kitchen's own units and zone."""

    def __init__(self, kitchen: Kitchen) -> None:
        self.kitchen = kitchen

    def __call__(
        self, value: float | None, kind: str, decimals: int | None = None, symbol: bool = True
    ) -> str:
        """A value in the kitchen's unit of its kind."""
        unit = self.kitchen.units.get(kind, "")
        both = self.kitchen.both_units
        return units.show(value, kind, unit, decimals, symbol=symbol, both=both)

    def both(self, value: float | None, kind: str, decimals: int | None = None) -> str:
        """A value in the kitchen's other unit of its kind, for the small print."""
        chosen = self.kitchen.units.get(kind, "")
        other = units.other_unit(kind, chosen)
        return units.show(value, kind, other.key if other else chosen, decimals)

    def typed(self, value: float | None, kind: str, decimals: int | None = None) -> str:
        """A value as a person would type it into a field; nothing for none."""
        if value is None:
            return ""
        return units.show(value, kind, self.kitchen.units.get(kind, ""), decimals, grouped=False)

    def in_unit(self, value: float | None, kind: str, unit: str, decimals: int | None = None) -> str:
        """A value in one unit of its kind, whatever the kitchen's is."""
        return units.show(value, kind, unit, decimals)

    def light_path(self, path_mm: float) -> str:
        """How much syrup light passes through, mm whatever the kitchen's units: colour classes go by 10 mm."""
        return units.show(path_mm, "depth", "mm", 0 if path_mm == round(path_mm) else 1)

    def one(self, kind: str) -> float:
        """One of the kitchen's unit of a kind, in the unit inside; of a kind whose nought is nought."""
        return 1 / units.convert(1.0, kind, self.kitchen.units.get(kind, ""))

    def per(self, value: float, kind: str) -> float:
        """What there is for each unit inside, for each of the kitchen's."""
        return value * self.one(kind)

    def number(self, value: float | None, decimals: int = 0, signed: bool = False) -> str:
        """A bare number."""
        return units.number(value, decimals, signed)

    def brix(self, value: float | None, decimals: int = 1) -> str:
        """A density without its unit."""
        return units.number(value, decimals)

    def ordinal(self, rank: int) -> str:
        """A rank, as 7th."""
        return units.ordinal(rank)

    def in_minutes(self, minutes: float) -> str:
        """Whole minutes with their noun, at least one."""
        return units.in_minutes(minutes)

    def minutes(self, value: float | None) -> str:
        """Whole minutes without their unit."""
        return units.number(value, 0)

    def weekday(self, on: calendar.date) -> str:
        """The name of a day of the week."""
        return weekday(on)

    def stopwatch(self, minutes: float) -> str:
        """Minutes and seconds, as 3:05."""
        seconds = max(round(minutes * 60), 0)
        return f"{seconds // 60}:{seconds % 60:02d}"

    def percent(self, fraction: float | None, decimals: int = 0) -> str:
        """A share as percent, with its sign."""
        return f"{units.number(None if fraction is None else 100 * fraction, decimals)} %"

    def symbol(self, kind: str) -> str:
        """The symbol of the kitchen's unit of a kind."""
        return units.KINDS[kind].unit(self.kitchen.units.get(kind, "")).symbol

    def clock(self, at: datetime | None, seconds: bool = False) -> str:
        """The time of the clock in the kitchen's zone, as 14:25 or 2:25 pm."""
        if at is None:
            return "–"
        return units.clock(local_time(at, self.kitchen), self.kitchen.clock, seconds)

    def ticking(self, at: datetime) -> str:
        """The time of the clock for scripts, HH:MM:SS."""
        return f"{local_time(at, self.kitchen):%H:%M:%S}"

    def date(self, at: datetime) -> str:
        """A day, as 18 April 2026 or April 18, 2026."""
        return units.day(local_time(at, self.kitchen), self.kitchen.clock)

    @property
    def example_day(self) -> str:
        """A day as it may be typed."""
        return self.day(calendar.date(2026, 3, 1), short=False, year=True)

    @property
    def example_clock(self) -> str:
        """A time as it may be typed."""
        return units.clock(datetime(2026, 3, 1, 14, 25), self.kitchen.clock)

    def day(self, on: calendar.date, *, short: bool = True, year: bool = False) -> str:
        """A day of the calendar, as 18 Apr or Apr 18."""
        return units.day(on, self.kitchen.clock, short=short, year=year)

    def when(self, at: datetime, now: datetime) -> str:
        """The time, with the day when it is not today."""
        local, today = local_time(at, self.kitchen), local_time(now, self.kitchen)
        clock = self.clock(at)
        return clock if local.date() == today.date() else f"{self.day(local)}, {clock}"

    def day_and_clock(self, at: datetime, now: datetime) -> str:
        """The time with the day's name, as "today 14:00", "Saturday 14:00"; with its date from a week on."""
        local, today = local_time(at, self.kitchen), local_time(now, self.kitchen)
        apart = (local.date() - today.date()).days
        names = {0: _("today"), 1: _("tomorrow"), -1: _("yesterday")}
        if apart in names:
            return f"{names[apart]} {self.clock(at)}"
        if 0 < apart < 7:
            return joined(" ", (weekday(local), self.clock(at)))
        return f"{self.day(local)} {self.clock(at)}"
