"""The season's bars, and a lot's row of jars."""

from collections.abc import Sequence
from dataclasses import dataclass

from lumbrel.services.shelf.trace_web import Knot, TraceWeb
from lumbrel.store.flow import Jar
from lumbrel.store.kept_lots import LotRow
from lumbrel.web.shell.plot import Tick, grade_key
from lumbrel.words import month_name

BOARD_Y, ROW_WIDTH = 77.0, 216.0
MOST_GLASSES = 14
TALLEST, TALL_AT_ML = 66.0, 1000.0


@dataclass(frozen=True, kw_only=True)
class Glass:
    """A jar of a lot's row: here, or gone."""

    x: float
    y: float
    width: float
    height: float
    here: bool


def jars(filled: Sequence[Jar], here: Sequence[Jar]) -> list[Glass]:
    """The row of a lot: each size by its height, a glass for each jar while there is room for so many,
    and then for every so many; those that are gone stay as their outlines."""
    stand = {jar.size_ml: jar.count for jar in here}
    total = sum(jar.count for jar in filled)
    each = max(total / MOST_GLASSES, 1.0)
    row: list[Glass] = []
    x = 4.0
    for jar in filled:
        high = round(TALLEST * min((jar.size_ml / TALL_AT_ML) ** (1 / 3), 1.0), 1)
        wide = round(min(0.5 * high, ROW_WIDTH / MOST_GLASSES - 3), 1)
        glasses = max(round(jar.count / each), 1)
        left = stand.get(jar.size_ml, 0)
        full = 0 if not left else max(round(left / jar.count * glasses), 1)
        for i in range(glasses):
            here_still = i < full
            row.append(Glass(x=round(x, 1), y=BOARD_Y - high, width=wide, height=high, here=here_still))
            x += wide + 3
    return row


PIECE_ROWS, MOST_PIECES = 4, 44


def pieces(filled: Sequence[Jar], here: Sequence[Jar]) -> list[Glass]:
    """The pieces of a confection in rows, one by one while there is room for so many, and then for every
    so many; those that are gone stay as their outlines."""
    total, left = sum(pack.count for pack in filled), sum(pack.count for pack in here)
    each = max(total / MOST_PIECES, 1.0)
    drawn = max(round(total / each), 1)
    full = 0 if not left else max(round(left / total * drawn), 1)
    high = 15.0
    return [
        Glass(
            x=round(4 + (i // PIECE_ROWS) * (high + 3.5), 1),
            y=round(BOARD_Y - high - (i % PIECE_ROWS) * (high + 2.5), 1),
            width=high,
            height=high,
            here=i < full,
        )
        for i in range(drawn)
    ]


KNOT_WIDE, KNOT_HIGH, COLUMN, ROW = 150.0, 56.0, 204.0, 74.0
WIDEST_THREAD, THINNEST_THREAD = 26.0, 2.0


@dataclass(frozen=True)
class KnotPlace:
    """A knot where it is drawn, by its upper left corner."""

    knot: Knot
    x: float
    y: float


@dataclass(frozen=True)
class ThreadPath:
    """A thread as it runs."""

    path: str
    width: float
    kg: float


@dataclass(frozen=True, kw_only=True)
class WebPicture:
    """A trace as it is drawn."""

    width: float
    height: float
    knots: list[KnotPlace]
    threads: list[ThreadPath]


def web(of: TraceWeb) -> WebPicture:
    """What went in on the left, what came of it on the right; a thread is as thick as it carries sugar."""
    columns: dict[int, list[Knot]] = {}
    for knot in of.knots:
        columns.setdefault(knot.column, []).append(knot)
    tallest = max(len(column) for column in columns.values())
    places = {}
    for at, column in columns.items():
        above = (tallest - len(column)) / 2
        for i, knot in enumerate(column):
            x, y = 4 + at * COLUMN, 6 + (above + i) * ROW
            places[knot.id] = KnotPlace(knot, round(x, 1), round(y, 1))
    most = max((thread.solids_kg for thread in of.threads), default=1.0)
    threads = []
    for thread in of.threads:
        a, b = places[thread.source], places[thread.target]
        x0, x1 = a.x + KNOT_WIDE, b.x
        y0, y1 = a.y + KNOT_HIGH / 2, b.y + KNOT_HIGH / 2
        bend = (x1 - x0) / 2
        path = f"M{x0} {y0}C{x0 + bend} {y0} {x1 - bend} {y1} {x1} {y1}"
        width = max(WIDEST_THREAD * thread.solids_kg / most, THINNEST_THREAD)
        threads.append(ThreadPath(path, round(width, 1), thread.solids_kg))
    return WebPicture(
        width=8 + (max(columns) + 1) * COLUMN - (COLUMN - KNOT_WIDE),
        height=12 + tallest * ROW - (ROW - KNOT_HIGH),
        knots=list(places.values()),
        threads=threads,
    )


@dataclass(frozen=True, kw_only=True)
class Bar:
    """One lot of the season."""

    x: float
    y: float
    width: float
    height: float
    grade: str
    lot: LotRow


@dataclass(frozen=True)
class ShelfPicture:
    """The season as bars of litres, coloured by class."""

    bars: list[Bar]
    months: list[Tick]
    width: float
    height: float


def season(lots: Sequence[LotRow], width: float = 620.0, height: float = 96.0) -> ShelfPicture | None:
    """Litres of each finished lot over the season, oldest first; None without a lot."""
    if not lots:
        return None
    most = max(lot.filled_ml for lot in lots) or 1.0
    pitch = min((width - 8) / len(lots), 40.0)
    bars = []
    months: list[Tick] = []
    for i, lot in enumerate(lots):
        tall = max(lot.filled_ml / most * (height - 8), 2)
        at = round(4 + i * pitch, 1)
        if not i or lots[i - 1].taken_at.month != lot.taken_at.month:
            if months and at - months[-1].at < 84:
                months.pop()
            months.append(Tick(at, month_name(lot.taken_at)))
        bars.append(
            Bar(
                x=at,
                y=round(height - tall, 1),
                width=round(pitch * 0.72, 1),
                height=round(tall, 1),
                grade=grade_key(lot.grade),
                lot=lot,
            )
        )
    return ShelfPicture(bars, months, width, height)
