"""The shelf: finished lots, found by code, woodlot, grade or season."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, time, timedelta
from sqlite3 import Connection
from typing import Any
from zoneinfo import ZoneInfo

from lumbrel.core import units
from lumbrel.core.colour.grades import CLASSES
from lumbrel.services.base.form import NotFound, local_time
from lumbrel.services.candy.plan import NAMES
from lumbrel.store import flow, jars, kept_lots, record
from lumbrel.store.kept_lots import Asked, LotRow
from lumbrel.store.kitchen import load_kitchen, woodlots
from lumbrel.words import _

GRADES = tuple(name for name, _any, _other in CLASSES)
NONE = ("",)
"""No woodlot."""
LAST_YEAR = 9998
A_PAGE = 18
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
            return _("look it over")
        return _("check the lids") if row.checked_at is None and since >= SOON else ""

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
    """Lots by what a person types: a code (or the batch's) as it begins, a day or a month in which they were
    taken in, a season, a grade, or a part of the name of a woodlot or a confection; and of a woodlot, a
    grade, a season, or with jars of a size. The newest first, a page at a time."""
    names = {w.id: w.name for w in woodlots(db)}
    at, wanted = max(page, 1), text.strip()
    chosen = (i for i, name in names.items() if woodlot.lower() in (name.lower(), i.lower()))
    asked = Asked(
        woodlot_id=next(chosen, woodlot) if woodlot else "", grade=grade, season=season, size_ml=size_ml
    )
    if wanted:
        asked = _understood(db, wanted, asked, names, now)
    start = (at - 1) * A_PAGE
    rows = kept_lots.newest_lots(db, asked, limit=A_PAGE + 1, offset=start)
    summed = kept_lots.sum_of(db, asked)
    return Shelf(
        lots=_lots(db, rows[:A_PAGE], names, now),
        sizes=jars.last_sizes(db, A_PAGE),
        woodlots=list(names.values()),
        seasons=kept_lots.seasons(db),
        season=season,
        total=kept_lots.shelf_sum(db).lots,
        jar_count=summed.jars,
        volume_l=summed.volume_ml / 1000,
        page=at,
        more=len(rows) > A_PAGE,
    )


def _understood(db: Connection, text: str, asked: Asked, names: dict[str, str], now: datetime) -> Asked:
    """What was typed, as what it can mean first; nothing fits what means nothing."""
    kitchen, low = load_kitchen(db), text.lower()
    if kept_lots.is_code(db, text):
        return replace(asked, code=text)
    if kept_lots.is_code(db, text.upper()):
        return replace(asked, code=text.upper())
    if re.fullmatch(r"[12]\d{3}", text):
        return _narrowed(asked, season=int(text))
    span = units.span_of(text, local_time(now, kitchen).date(), kitchen.clock)
    if span and 1 < span[0].year < LAST_YEAR:
        begin, end = (
            datetime.combine(day, time(), ZoneInfo(kitchen.time_zone or "UTC"))
            for day in (span[0], span[1] + timedelta(days=1))
        )
        return replace(asked, taken_in=(begin, end))
    grade = next((one for one in GRADES if len(low) >= 3 and one.lower().startswith(low)), "")
    if grade:
        return _narrowed(asked, grade=grade)
    lots = tuple(i for i, name in names.items() if low in name.lower())
    pieces = tuple(key for key, name in NAMES.items() if low in name.lower())
    if lots or not pieces:
        return replace(asked, named_ids=lots or NONE)
    return replace(asked, confections=pieces)


def _narrowed(asked: Asked, **more: Any) -> Asked:
    """What was typed besides what was chosen; nothing where they are two of a kind."""
    clash = any(getattr(asked, name) not in (None, "", value) for name, value in more.items())
    return replace(asked, **more, named_ids=NONE if clash else ())


def _lots(db: Connection, rows: Sequence[LotRow], names: dict[str, str], now: datetime) -> list[Lot]:
    lots = [row.code for row in rows]
    filled, standing = jars.filled_of(db, lots), jars.standing_of(db, lots)
    codes = record.codes_of(db, [row.batch_id for row in rows])
    return [
        Lot(
            row=row,
            batch_code=codes[row.batch_id],
            woodlot=" + ".join(names[i] for i in row.woodlot_ids),
            filled=filled[row.code],
            jars=standing[row.code],
            now=now,
        )
        for row in rows
    ]


def of_season(db: Connection, season: int) -> list[LotRow]:
    """The lots of a season, oldest first, for its picture."""
    return list(reversed(kept_lots.lots_of_season(db, season, A_SEASON)))


def batch_of_lot(db: Connection, code: str) -> str:
    """Code of the batch that became a lot.

    Raises:
        NotFound: there is no such lot.
    """
    owner = jars.lot_owner(db, code)
    batch = record.batch_by(db, id=owner) if owner else None
    if batch is None:
        raise NotFound(_("There is no lot {code} on the shelf.", code=code[:24]))
    return batch.code
