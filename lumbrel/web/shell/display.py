"""The one formatter of pages: quantities and times in the kitchen's own units and zone."""

from datetime import datetime

from lumbrel.core import units
from lumbrel.services.base.form import local_time
from lumbrel.store.kitchen import Kitchen


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
        return units.show(value, kind, self.kitchen.units.get(kind, ""), decimals)

    def in_unit(
        self, value: float | None, kind: str, unit: str, decimals: int | None = None
    ) -> str:
        """A value in one unit of its kind, whatever the kitchen's is."""
        return units.show(value, kind, unit, decimals)

    def number(self, value: float | None, decimals: int = 0, signed: bool = False) -> str:
        """A bare number."""
        return units.number(value, decimals, signed)

    def brix(self, value: float | None, decimals: int = 1) -> str:
        """A density without its unit."""
        return units.number(value, decimals)

    def minutes(self, value: float | None) -> str:
        """Whole minutes without their unit."""
        return units.number(value, 0)

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
        """HH:MM (or HH:MM:SS) in the kitchen's zone."""
        form = "%H:%M:%S" if seconds else "%H:%M"
        return local_time(at, self.kitchen).strftime(form) if at else "–"

    def date(self, at: datetime) -> str:
        """A day, as 18 April 2026."""
        local = local_time(at, self.kitchen)
        return f"{local.day} {local:%B %Y}"

    def when(self, at: datetime, now: datetime) -> str:
        """The time, with the day when it is not today."""
        local, today = local_time(at, self.kitchen), local_time(now, self.kitchen)
        short = f"{local:%H:%M}"
        return short if local.date() == today.date() else f"{local.day} {local:%b}, {short}"

    def day_and_clock(self, at: datetime, now: datetime) -> str:
        """The time with the day's name, as "today 14:00", "Saturday 14:00"; with its date from a week on."""
        local, today = local_time(at, self.kitchen), local_time(now, self.kitchen)
        apart = (local.date() - today.date()).days
        names = {0: "today", 1: "tomorrow", -1: "yesterday"}
        if apart in names:
            return f"{names[apart]} {local:%H:%M}"
        if 0 < apart < 7:
            return f"{local:%A %H:%M}"
        return f"{local.day} {local:%b} {local:%H:%M}"
