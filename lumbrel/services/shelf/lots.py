"""The shelf: finished lots, found by code, woodlot, grade or season."""

import re
from dataclasses import dataclass
from datetime import datetime, timedelta
from sqlite3 import Connection
from zoneinfo import ZoneInfo

from lumbrel.core.colour.grades import CLASSES
from lumbrel.services.base.form import NotFound
from lumbrel.services.candy.plan import NAMES
from lumbrel.store import flow, kept, record
from lumbrel.store.kept import LotRow
from lumbrel.store.kitchen import load_kitchen, woodlots

GRADES = tuple(name for name, _, _ in CLASSES)
A_PAGE = 48
"""So many lots on one page of the shelf."""
A_SEASON = 400
"""So many lots of a season are drawn at most."""


SOON, HALF_A_YEAR = timedelta(hours=10), timedelta(days=182)
"""When lids are looked at first; and after how long a lot is looked over again."""
LOW_SHARE = 0.25
PIECE_BELOW_G = 80.0
"""What weighs less is a piece; more is a jar or a bag."""


@dataclass(frozen=True, kw_only=True)
class Lot:
    """One lot on the shelf."""

    row: LotRow
    batch_code: str
    woodlot: str
    filled: list[flow.Jar]
    jars: list[flow.Jar]
    """On the shelf now."""
    now: datetime

    @property
    def state(self) -> str:
        """Whether it is full, begun, low or gone."""
        if self.row.jars >= self.row.filled:
            return "full"
        if not self.row.jars:
            return "gone"
        return "low" if self.row.jars <= LOW_SHARE * self.row.filled else "begun"

    @property
    def check(self) -> str:
        """What is to be looked at: the lids after a night, everything after half a year; empty for
        nothing."""
        row = self.row
        if not row.jars or row.confection:
            return ""
        since = self.now - (row.checked_at or row.packed_at)
        if since >= HALF_A_YEAR:
            return "look it over"
        return "check the lids" if row.checked_at is None and since >= SOON else ""

    def here(self, size_ml: float) -> int:
        """Jars of a size on the shelf."""
        return next((jar.count for jar in self.jars if jar.size_ml == size_ml), 0)

    @property
    def pack_kind(self) -> str:
        """By what its packs are known: content, or of a confection what one weighs."""
        return "piece" if self.row.confection else "jar"

    @property
    def in_pieces(self) -> bool:
        """Whether it is pieces, not jars."""
        return bool(self.row.confection) and min(p.size_ml for p in self.filled) < PIECE_BELOW_G

    @property
    def name(self) -> str:
        """Which confection it is; empty for syrup."""
        return NAMES.get(self.row.confection, self.row.confection)

    @property
    def code(self) -> str:
        """As it stands on the labels."""
        return self.row.code

    @property
    def grade(self) -> str:
        """Its colour class; empty before it is graded."""
        return self.row.grade

    @property
    def brix(self) -> float:
        """Its density as it was packed."""
        return self.row.brix

    @property
    def volume_l(self) -> float:
        """Content of its jars on the shelf at 20 degC."""
        return self.row.volume_ml / 1000

    @property
    def jar_count(self) -> int:
        """Jars of any size on the shelf."""
        return self.row.jars


@dataclass(frozen=True, kw_only=True)
class Shelf:
    """One page of the lots that were asked for, and the choices there are."""

    lots: list[Lot]
    woodlots: list[str]
    sizes: list[float]
    seasons: list[int]
    season: int | None
    total: int
    jar_count: int
    """Jars on the shelf of all lots that fit, on this page or another."""
    volume_l: float
    page: int
    more: bool
    """Whether there is another page."""


def find(
    db: Connection,
    now: datetime,
    *,
    text: str = "",
    woodlot: str = "",
    grade: str = "",
    season: int | None = None,
    size_ml: float | None = None,
    page: int = 1,
) -> Shelf:
    """Lots whose code (or the batch's) begins as typed, or that were taken in on a day or in a month; or of
    a woodlot, a colour class, a season, or with jars of a size; newest first, a page at a time."""
    names = {w.id: w.name for w in woodlots(db)}
    at, wanted = max(page, 1), text.strip()
    named = [i for i, name in names.items() if name.lower() in (wanted.lower(), woodlot.lower())]
    place = named[0] if named else ""
    by_code = bool(wanted) and wanted.lower() not in {name.lower() for name in names.values()}
    days = _days(db, wanted)
    if by_code or days:
        if days:
            found = kept.lots_between(db, *days, A_PAGE + 1)
        else:
            found = kept.lots_like(db, wanted, A_PAGE + 1)
            found = found or kept.lots_like(db, wanted.upper(), A_PAGE + 1)
        rows = [row for row in found if _fits(row, place, grade, season)]
        summed = kept.ShelfSum(
            len(rows),
            sum(row.jars for row in rows if not row.confection),
            sum(row.volume_ml for row in rows),
        )
    else:
        asked = {"woodlot_id": place or woodlot, "grade": grade}
        start = (at - 1) * A_PAGE
        rows = kept.newest_lots(
            db, limit=A_PAGE + 1, offset=start, season=season, size_ml=size_ml, **asked
        )
        summed = kept.sum_of(db, season=season, size_ml=size_ml, **asked)
    return Shelf(
        lots=[_lot(db, row, names, now) for row in rows[:A_PAGE]],
        sizes=flow.last_sizes(db, A_PAGE),
        woodlots=list(names.values()),
        seasons=kept.seasons(db),
        season=season,
        total=kept.shelf_sum(db).lots,
        jar_count=summed.jars,
        volume_l=summed.volume_ml / 1000,
        page=at,
        more=len(rows) > A_PAGE,
    )


def _days(db: Connection, text: str) -> tuple[datetime, datetime] | None:
    """When a day, or a month, typed as 2026-04-16 or 2026-04 begins and ends in the kitchen."""
    month = re.fullmatch(r"\d{4}-\d\d", text)
    try:
        day = (
            datetime.fromisoformat(f"{text}-01" if month else text)
            if len(text) in (7, 10)
            else None
        )
    except ValueError:
        return None
    if day is None or day.year < 2 or day.year > 9998:
        return None
    begin = day.replace(tzinfo=ZoneInfo(load_kitchen(db).time_zone or "UTC"))
    end = (begin + timedelta(days=32)).replace(day=1) if month else begin + timedelta(days=1)
    return begin, end


def _fits(row: LotRow, woodlot_id: str, grade: str, season: int | None) -> bool:
    of_woodlot = not woodlot_id or woodlot_id in row.woodlot_ids
    return of_woodlot and grade in ("", row.grade) and season in (None, row.season)


def _lot(db: Connection, row: LotRow, names: dict[str, str], now: datetime) -> Lot:
    batch = record.batch_by(db, id=row.batch_id)
    assert batch is not None
    whose = " + ".join(names[i] for i in row.woodlot_ids)
    return Lot(
        row=row,
        batch_code=batch.code,
        woodlot=whose,
        filled=flow.jars_filled(db, row.code),
        jars=flow.jars_of(db, row.code),
        now=now,
    )


def of_season(db: Connection, season: int) -> list[LotRow]:
    """The lots of a season, oldest first, for its picture."""
    return list(reversed(kept.lots_of_season(db, season, A_SEASON)))


def batch_of_lot(db: Connection, code: str) -> str:
    """Code of the batch that became a lot.

    Raises:
        NotFound: there is no such lot.
    """
    owner = flow.lot_owner(db, code)
    batch = record.batch_by(db, id=owner) if owner else None
    if batch is None:
        raise NotFound(f"There is no lot {code[:24]} on the shelf.")
    return batch.code
