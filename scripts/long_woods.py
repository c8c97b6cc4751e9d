"""What else a kitchen gathers over many seasons, for the benchmarks' record: forty woodlots with a thousand trees and
their sap, weather, weekly checks, and what is noted of it in the book."""

import random
from dataclasses import replace
from datetime import date, datetime, timedelta
from sqlite3 import Connection
from typing import Any

from lumbrel.store import book, sap
from lumbrel.store.book import LineRow
from lumbrel.store.kitchen import Woodlot, add_woodlot, woodlots
from lumbrel.store.sap import Tree

COPIES = 38
"""Of the demonstration's two woodlots with trees, in turns."""
LAST_SEASON, KNOWN_SEASONS = 2026, 3
"""The demonstration tells of so many seasons itself."""
GIRTH_EVERY = 5
CHECKS_A_SEASON = 10
CHECKED = ("long-stem", "hand-prism")


def plant(db: Connection, seasons: int) -> None:
    """More woodlots, and the sap of so many seasons, by the demonstration's last one."""
    rng = random.Random(seasons)
    own = woodlots(db)
    planted = [lot for lot in own if sap.trees(db, lot.id)]
    for lot in own:
        trees = {tree.id: tree.id for tree in sap.trees(db, lot.id)}
        for season in range(KNOWN_SEASONS, seasons):
            _season(db, lot.id, lot.id, trees, season, rng)
    for copy in range(COPIES):
        lot = planted[copy % len(planted)]
        own_id = f"{lot.id}-{copy + 2}"
        add_woodlot(db, Woodlot(own_id, f"{lot.name} {copy + 2}", lot.sugar_kind))
        trees = {}
        for tree in sap.trees(db, lot.id):
            trees[tree.id] = f"{tree.id[:30]}-{copy + 2}"
            sap.add_tree(db, Tree(trees[tree.id], own_id, tree.name, tree.kind))
        for season in range(seasons):
            _season(db, lot.id, own_id, trees, season, rng)
    for season in range(seasons):
        if season >= KNOWN_SEASONS:
            for line in _of_last_season(db, book.KITCHEN, ("weather", "gear")):
                _again(db, line, line.about_id, season, {})
        _checks(db, season)


def _of_last_season(db: Connection, about_id: str, kinds: tuple[str, ...] = ()) -> list[LineRow]:
    rows = [book.line_of(row) for row in book.standing_about(db, about_id)]
    year = str(LAST_SEASON)
    return [
        row
        for row in rows
        if row.at.year == LAST_SEASON and (not kinds or row.kind in kinds) and f"-{year}-copy" not in row.id
    ]


def _season(
    db: Connection,
    lot: str,
    own_id: str,
    trees: dict[str, str],
    season: int,
    rng: random.Random,
) -> None:
    for line in _of_last_season(db, lot):
        _again(db, line, own_id, season, trees)
    for tree, own in trees.items():
        for line in _of_last_season(db, tree):
            if line.kind != "girth" or season % GIRTH_EVERY == 0:
                _again(db, line, own, season, trees, turned=37.0 * season, rng=rng)


def _again(
    db: Connection,
    line: LineRow,
    about_id: str,
    season: int,
    trees: dict[str, str],
    *,
    turned: float = 0.0,
    rng: random.Random | None = None,
) -> None:
    """A line once more, some seasons earlier, about something of its kind."""
    back = timedelta(days=365 * season)
    facts: dict[str, Any] = dict(line.facts)
    for key in ("season", "year"):
        if key in facts:
            facts[key] -= season
    if "girth_mm" in facts:
        facts["girth_mm"] = max(facts["girth_mm"] - 12.0 * season, 200.0)
    if "bearing_deg" in facts and rng:
        facts["bearing_deg"] = (facts["bearing_deg"] + turned) % 360.0
        facts["height_mm"] += rng.uniform(-150, 150)
    if "days" in facts:
        facts["days"] = [
            [(date.fromisoformat(day) - back).isoformat(), *rest] for day, *rest in facts["days"]
        ]
    if line.kind == "gathered":
        facts["trees"] = [[trees.get(tree, tree), *rest] for tree, *rest in facts["trees"]]
        facts["tank_id"] = ""
    own = f"{line.id[:24]}-{about_id[-12:]}-{LAST_SEASON - season}-copy"
    made = {"id": own, "about_id": about_id, "facts": facts, "supersedes": None}
    book.add(db, replace(line, at=line.at - back, noted_at=line.noted_at - back, **made))


def _checks(db: Connection, season: int) -> None:
    """Each instrument in water once a week."""
    for name in CHECKED:
        for week in range(CHECKS_A_SEASON):
            at = datetime.fromisoformat("2026-02-08T07:00:00+00:00")
            at += timedelta(days=7 * week - 365 * season)
            facts = {"against": "water", "true_value": 0.0, "error": 0.05 * ((week + season) % 3)}
            line = LineRow(
                id=f"check-{name}-{season}-{week}",
                kind="scale_check",
                about="instrument",
                about_id=name,
                at=at,
                noted_at=at,
                facts=facts,
                typed={"known": "water", "reading": f"{facts['error']}"},
            )
            book.add(db, line)
