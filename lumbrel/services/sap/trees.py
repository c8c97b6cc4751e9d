"""Trees and their taps: the trunk as it stands, this year's places, what was drilled and pulled."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from functools import cached_property, partial
from math import pi
from sqlite3 import Connection

from lumbrel.core.pan.raw_sap import SAP_BRIX
from lumbrel.core.sap import growth
from lumbrel.core.sap import trunk as trunks
from lumbrel.core.sap.trunk import Hole, Place, Rule, Trunk
from lumbrel.services.base.cache import cache_of, last_line, record_key
from lumbrel.services.base.codes import called
from lumbrel.services.base.entry import Entry, lines_about, newest, read
from lumbrel.services.base.facts import Facts
from lumbrel.services.base.form import NotFound, local_time
from lumbrel.services.sap.facts import (
    ClosedFacts,
    GatheredFacts,
    GirthFacts,
    OldHoleFacts,
    TappedFacts,
    TapsPulledFacts,
)
from lumbrel.services.sap.rules import other_schools, rule_of
from lumbrel.store import book
from lumbrel.store import sap as store
from lumbrel.store.book import latest
from lumbrel.store.kitchen import Kitchen, Woodlot, load_kitchen, woodlots
from lumbrel.store.sap import Tree
from lumbrel.words import _

LAST_COLLECTIONS = 12

MOST_TREES = 3000
"""So many trees are kept between looks, with what follows from their holes."""
KINDS = [(kind, called(kind)) for kind in SAP_BRIX]
POINTS = ("N", "NE", "E", "SE", "S", "SW", "W", "NW")


def point_of(bearing_deg: float) -> str:
    """A bearing as a compass point."""
    return called(POINTS[round(bearing_deg / 45) % 8])


@dataclass(frozen=True)
class HoleSeen:
    """A hole of a tree, and what is known of it now."""

    id: str
    hole: Hole
    closed_in: int | None
    counts: bool
    """Whether it still keeps new ones away."""
    this_season: bool

    @property
    def point(self) -> str:
        """Where on the trunk."""
        return point_of(self.hole.bearing_deg)


@dataclass(frozen=True, kw_only=True)
class TreeView:
    """A tree as its page shows it."""

    tree: Tree
    woodlot: Woodlot
    season: int
    rule: Rule
    girth_mm: float | None
    girths: tuple[tuple[int, float], ...]
    growth_mm: float
    growth_measured: bool
    holes: tuple[HoleSeen, ...]
    pulled: TapsPulledFacts | None

    @property
    def trunk(self) -> Trunk | None:
        """As core knows it; None where nobody measured the girth."""
        if self.girth_mm is None:
            return None
        holes = tuple(seen.hole for seen in self.holes)
        return Trunk(self.girth_mm, self.season, holes, self.growth_mm)

    @property
    def drilled(self) -> int:
        """Taps of this season."""
        return sum(seen.this_season for seen in self.holes)

    @property
    def bears(self) -> int:
        """How many taps it bears a season."""
        return trunks.taps_borne(self.girth_mm, self.rule) if self.girth_mm else 0

    @cached_property
    def places(self) -> tuple[Place, ...]:
        """This year's places that are still free."""
        return trunks.places(self.trunk, self.rule) if self.trunk else ()

    @property
    def through_mm(self) -> float | None:
        """Through the trunk."""
        return self.girth_mm / pi if self.girth_mm else None

    @property
    def first_girth_mm(self) -> float:
        """The girth from which it bears its first tap."""
        return trunks.girth_to_bear_mm(self.rule)

    @cached_property
    def full_in(self) -> int | None:
        """For how many seasons from this one it can be tapped as it bears."""
        return growth.years_until_full(self.trunk, self.rule) if self.trunk else None

    @cached_property
    def full_next(self) -> bool:
        """Whether it will have no place for each of its taps next season."""
        if self.trunk is None or not self.bears:
            return False
        later = trunks.grown(self.trunk, 1)
        return len(trunks.places(later, self.rule)) < trunks.taps_borne(later.girth_mm, self.rule)

    @cached_property
    def rests(self) -> int | None:
        """How many years it rests; None when for longer than anybody can say."""
        return growth.years_until_a_place(self.trunk, self.rule) if self.trunk else None

    @property
    def is_full(self) -> bool:
        """Whether it bears taps but has no place for one more, and none was drilled this year."""
        return bool(self.bears and not self.drilled and not self.places)

    @property
    def elsewhere(self) -> list[tuple[str, int]]:
        """What another school's distance would allow now."""
        if self.trunk is None:
            return []
        return [(words, len(trunks.places(self.trunk, rule))) for words, rule in other_schools(self.rule)]

    def nearest(self, place: Place) -> tuple[HoleSeen, float] | None:
        """The hole beside a place, and how far away round the trunk, mm."""
        if self.girth_mm is None:
            return None
        beside = [
            (seen, trunks.apart_mm(seen.hole.bearing_deg, place.bearing_deg, self.girth_mm))
            for seen in self.holes
            if seen.counts
        ]
        return min(beside, key=lambda pair: pair[1], default=None)


def season_of(now: datetime, kitchen: Kitchen) -> int:
    """The season of a moment: from July on holes are drilled for the next one."""
    local = local_time(now, kitchen)
    return local.year + (local.month >= 7)


def days_of(season: int) -> tuple[date, date]:
    """The first and the last day of a season."""
    return date(season - 1, 7, 1), date(season, 6, 30)


def tree_of(db: Connection, tree_id: str) -> Tree:
    """A tree by its id.

    Raises:
        NotFound: there is none.
    """
    tree = store.tree_by(db, tree_id)
    if tree is None:
        raise NotFound(_("There is no such tree; the woodlot’s page lists all."))
    return tree


def woodlot_of(db: Connection, woodlot_id: str) -> Woodlot:
    """A woodlot by its id.

    Raises:
        NotFound: there is none.
    """
    found = next((w for w in woodlots(db) if w.id == woodlot_id), None)
    if found is None:
        raise NotFound(_("There is no such woodlot; the sap page lists all."))
    return found


def view(db: Connection, tree_id: str, now: datetime, but: str = "") -> TreeView:
    """A tree as its page shows it, or showed it at an earlier moment; `but` a line that is being put right."""
    tree = tree_of(db, tree_id)
    kitchen = load_kitchen(db)
    return _seen(
        tree,
        woodlot_of(db, tree.woodlot_id),
        _of_holes(db, [line for line in lines_about(db, tree_id) if line.at <= now and line.id != but]),
        rule_of(kitchen),
        season_of(now, kitchen),
    )


def _of_holes(db: Connection, lines: Sequence[Entry[Facts]]) -> list[Entry[Facts]]:
    """What stands of a tree; what was said of a hole is said of the line that corrects it."""
    return [
        replace(line, facts=line.facts.model_copy(update={"hole": latest(db, line.facts.hole)}))
        if isinstance(line.facts, ClosedFacts)
        else line
        for line in lines
    ]


def _seen(tree: Tree, woodlot: Woodlot, lines: Sequence[Entry[Facts]], rule: Rule, season: int) -> TreeView:
    girths = [(line.facts.year, line.facts.girth_mm) for line in lines if isinstance(line.facts, GirthFacts)]
    grows_mm, measured = growth.growth_mm_a_year(girths)
    girth = None
    if girths:
        year, last = girths[-1]
        girth = min(last + 2 * pi * grows_mm * max(season - year, 0), trunks.MOST_GIRTH_MM)
    closed = {line.facts.hole: line.facts.year for line in lines if isinstance(line.facts, ClosedFacts)}
    standing = Trunk(girth or trunks.MOST_GIRTH_MM, season, (), grows_mm)
    pulled = [
        line.facts
        for line in lines
        if isinstance(line.facts, TapsPulledFacts) and line.facts.season == season
    ]
    return TreeView(
        tree=tree,
        woodlot=woodlot,
        season=season,
        rule=rule,
        girth_mm=girth,
        girths=tuple(girths),
        growth_mm=grows_mm,
        growth_measured=measured,
        holes=tuple(_holes(lines, closed, standing, rule, measured=measured)),
        pulled=pulled[-1] if pulled else None,
    )


def _holes(
    lines: Sequence[Entry[Facts]], closed: Mapping[str, int], standing: Trunk, rule: Rule, *, measured: bool
) -> list[HoleSeen]:
    """Its holes, and which of them count; `measured` whether its growth is known by its own girths."""
    holes = []
    for line in lines:
        if isinstance(line.facts, TappedFacts | OldHoleFacts):
            facts = line.facts
            then = facts.girth_mm if isinstance(facts, TappedFacts) else 0.0
            # Only girths measured apart tell what has grown; one carried over is the growth's own.
            hole = Hole(facts.bearing_deg, facts.height_mm, facts.season, then if measured else 0.0)
            holes.append(
                HoleSeen(
                    line.id,
                    hole,
                    closed.get(line.id),
                    trunks.counts(hole, standing, rule),
                    facts.season == standing.year and isinstance(facts, TappedFacts),
                )
            )
    return holes


def following(db: Connection, tree: Tree) -> Tree | None:
    """The tree after one on the walk; None where it stands alone."""
    every = store.trees(db, tree.woodlot_id)
    if len(every) < 2:
        return None
    at = next(i for i, one in enumerate(every) if one.id == tree.id)
    return every[(at + 1) % len(every)]


def views(db: Connection, woodlot_id: str, now: datetime) -> list[TreeView]:
    """All trees of a woodlot, for its list and its walk; what is known of a tree is kept until somebody notes
    something of it."""
    kitchen = load_kitchen(db)
    rule, season = rule_of(kitchen), season_of(now, kitchen)
    woodlot = woodlot_of(db, woodlot_id)
    lines: dict[str, list[Entry[Facts]]] = {}

    def seen(tree: Tree) -> TreeView:
        if not lines:
            lines.update({one.id: [] for one in store.trees(db, woodlot_id)})
            for line in map(read, book.standing_of_trees(db, woodlot_id)):
                lines[line.about_id].append(line)
        return _seen(tree, woodlot, _of_holes(db, lines[tree.id]), rule, season)

    every = store.trees(db, woodlot_id)
    if db.in_transaction:
        return [seen(tree) for tree in every]
    shelf, record = cache_of(db).shelf("trees", MOST_TREES), record_key(db)
    news = last_line(db, *(tree.id for tree in every))
    return [
        shelf.get((record, tree, woodlot, rule, season, said), partial(seen, tree))
        for tree, said in zip(every, news, strict=True)
    ]


def collections(db: Connection, woodlot_id: str) -> list[Entry[GatheredFacts]]:
    """The last times that sap of a woodlot was gathered, newest first."""
    return newest(db, GatheredFacts, woodlot_id, limit=LAST_COLLECTIONS)


def next_number(seen: Sequence[TreeView]) -> str:
    """The number after the highest one."""
    numbers = [int(view.tree.name) for view in seen if view.tree.name.isdigit()]
    return str(max(numbers, default=0) + 1)
