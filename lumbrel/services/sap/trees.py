"""Trees and their taps: the trunk as it stands, this year's places, what was drilled and pulled."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from functools import cached_property
from math import pi
from sqlite3 import Connection, IntegrityError

from lumbrel.core.pan.raw_sap import SAP_BRIX
from lumbrel.core.sap import trunk as trunks
from lumbrel.core.sap.trunk import Hole, Place, Rule, Trunk
from lumbrel.services.base.form import BadInput, Bounds, Form, NotFound, local_time
from lumbrel.services.sap import book
from lumbrel.services.sap.book import About, Draft, SapLine
from lumbrel.services.sap.facts import (
    ClosedFacts,
    MeasuredFacts,
    OldHoleFacts,
    PulledFacts,
    TappedFacts,
)
from lumbrel.services.sap.rules import as_facts, other_schools, rule_of
from lumbrel.store import sap as store
from lumbrel.store.db import transaction
from lumbrel.store.kitchen import Kitchen, Woodlot, load_kitchen, woodlots
from lumbrel.store.sap import Tree

GIRTH = Bounds(
    "girth",
    "girth",
    20,
    600,
    "The girth is measured round the trunk at breast height, 1.3 m up: between 20 and 600 cm (8 and "
    "236 in).",
)
HEIGHT = Bounds(
    "height",
    "depth",
    200,
    2500,
    "A hole is between 200 and 2500 mm (8 and 98 in) above the ground.",
)
LEFT_AS = {
    "open": "left open, it closes by itself",
    "plugged": "plugged with seasoned wood of the same kind",
    "green": "plugged with green wood",
}
KINDS = [(kind, kind) for kind in SAP_BRIX]
POINTS = ("N", "NE", "E", "SE", "S", "SW", "W", "NW")
MOST_TREES = 2000
BIG_CM = 380.0
EARLIEST_HOLE = 1950


def point_of(bearing_deg: float) -> str:
    """A bearing as a compass point."""
    return POINTS[round(bearing_deg / 45) % 8]


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
    lines: tuple[SapLine, ...]
    pulled: PulledFacts | None

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
        return trunks.years_until_full(self.trunk, self.rule) if self.trunk else None

    @property
    def full_next(self) -> bool:
        """Whether it will have no place for each of its taps next season."""
        if self.trunk is None or not self.bears:
            return False
        later = trunks.grown(self.trunk, 1)
        return len(trunks.places(later, self.rule)) < trunks.taps_borne(later.girth_mm, self.rule)

    @cached_property
    def rests(self) -> int | None:
        """How many years it rests; None when for longer than anybody can say."""
        return trunks.years_until_a_place(self.trunk, self.rule) if self.trunk else None

    @property
    def is_full(self) -> bool:
        """Whether it bears taps but has no place for one more, and none was drilled this year."""
        return bool(self.bears and not self.drilled and not self.places)

    @property
    def elsewhere(self) -> list[tuple[str, int]]:
        """What another school's distance would allow now."""
        if self.trunk is None:
            return []
        return [
            (words, len(trunks.places(self.trunk, rule)))
            for words, rule in other_schools(self.rule)
        ]

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


def tree_of(db: Connection, tree_id: str) -> Tree:
    """A tree by its id.

    Raises:
        NotFound: there is none.
    """
    tree = store.tree_by(db, tree_id)
    if tree is None:
        raise NotFound("There is no such tree; the woodlot’s page lists all.")
    return tree


def woodlot_of(db: Connection, woodlot_id: str) -> Woodlot:
    """A woodlot by its id.

    Raises:
        NotFound: there is none.
    """
    found = next((w for w in woodlots(db) if w.id == woodlot_id), None)
    if found is None:
        raise NotFound("There is no such woodlot; the sap page lists all.")
    return found


def view(db: Connection, tree_id: str, now: datetime) -> TreeView:
    """A tree as its page shows it."""
    tree = tree_of(db, tree_id)
    kitchen = load_kitchen(db)
    return _seen(
        tree,
        woodlot_of(db, tree.woodlot_id),
        [book.of_row(row) for row in store.of_tree(db, tree_id)],
        rule_of(kitchen),
        season_of(now, kitchen),
    )


def _seen(
    tree: Tree, woodlot: Woodlot, lines: Sequence[SapLine], rule: Rule, season: int
) -> TreeView:
    girths = [
        (line.facts.year, line.facts.girth_mm)
        for line in lines
        if isinstance(line.facts, MeasuredFacts)
    ]
    growth, measured = trunks.growth_mm_a_year(girths)
    girth = None
    if girths:
        year, last = girths[-1]
        girth = min(last + 2 * pi * growth * max(season - year, 0), trunks.MOST_GIRTH_MM)
    closed = {
        line.facts.hole: line.facts.year for line in lines if isinstance(line.facts, ClosedFacts)
    }
    holes = []
    standing = Trunk(girth or trunks.MOST_GIRTH_MM, season, (), growth)
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
                    facts.season == season and isinstance(facts, TappedFacts),
                )
            )
    pulled = [
        line.facts
        for line in lines
        if isinstance(line.facts, PulledFacts) and line.facts.season == season
    ]
    return TreeView(
        tree=tree,
        woodlot=woodlot,
        season=season,
        rule=rule,
        girth_mm=girth,
        girths=tuple(girths),
        growth_mm=growth,
        growth_measured=measured,
        holes=tuple(holes),
        lines=tuple(lines),
        pulled=pulled[-1] if pulled else None,
    )


def following(db: Connection, tree: Tree) -> Tree | None:
    """The tree after one on the walk; None where it stands alone."""
    every = store.trees(db, tree.woodlot_id)
    if len(every) < 2:
        return None
    at = next(i for i, one in enumerate(every) if one.id == tree.id)
    return every[(at + 1) % len(every)]


def views(db: Connection, woodlot_id: str, now: datetime) -> list[TreeView]:
    """All trees of a woodlot, for its list and its walk."""
    kitchen = load_kitchen(db)
    rule, season = rule_of(kitchen), season_of(now, kitchen)
    woodlot = woodlot_of(db, woodlot_id)
    return [
        _seen(tree, woodlot, [book.of_row(r) for r in store.of_tree(db, tree.id)], rule, season)
        for tree in store.trees(db, woodlot_id)
    ]


def add_trees(
    db: Connection, woodlot_id: str, fields: Mapping[str, str], now: datetime
) -> list[str]:
    """Register a tree with its girth, or a row of them that are numbered.

    Returns:
        Their ids. The same form sent again adds none.
    Raises:
        BadInput: a field is wrong, or a name is another tree's of this woodlot.
    """
    woodlot_of(db, woodlot_id)
    form = Form(fields, load_kitchen(db))
    first = form.client_id()
    name = form.text("name", "Give the tree a number or a name.", limit=30)
    kind = form.choice("tree", list(SAP_BRIX), "Choose the kind of tree.")
    girth = form.between(GIRTH, required=False)
    _ask_about_girth(form, girth)
    form.check()
    tree = Tree(first, woodlot_id, name, kind)
    try:
        with transaction(db):
            if len(store.trees(db, woodlot_id)) >= MOST_TREES:
                raise BadInput({"name": f"A woodlot holds at most {MOST_TREES} trees here."})
            store.add_tree(db, tree)
    except IntegrityError:
        raise BadInput({"name": f"{name} is another tree of this woodlot already."}) from None
    if girth is not None:
        measured = {**fields, "id": f"{first}-g"[:64]}
        book.write(db, measured, now, lambda form, at: _girth(db, tree, form, at))
    return [first]


def _ask_about_girth(form: Form, girth_cm: float | None) -> None:
    if girth_cm is not None and girth_cm > BIG_CM:
        form.ask(
            "girth",
            f"{form.show(girth_cm, 'girth')} round is {form.show(girth_cm / pi, 'girth')} through, a "
            "giant. Measured round the trunk, with the tape level?",
        )


def _girth(db: Connection, tree: Tree, form: Form, at: datetime) -> list[Draft]:
    girth = form.between(GIRTH)
    _ask_about_girth(form, girth)
    if girth is None:
        return []
    year = season_of(at, form.kitchen)
    return [Draft(MeasuredFacts(girth_mm=10 * girth, year=year), About(tree.woodlot_id, tree.id))]


def measure(db: Connection, tree_id: str, fields: Mapping[str, str], now: datetime) -> None:
    """Note a girth."""
    tree = tree_of(db, tree_id)
    book.write(db, fields, now, lambda form, at: _girth(db, tree, form, at))


def tap(db: Connection, tree_id: str, fields: Mapping[str, str], now: datetime) -> None:
    """Note a hole: at one of this year's places, or where it truly was drilled.

    Raises:
        BadInput: it would be in an old hole's dead wood, or breaks the rule and is not confirmed.
    """
    tree_of(db, tree_id)

    def read(form: Form, at: datetime) -> list[Draft]:
        seen = view(db, tree_id, at)
        bearing, height = _bearing(form), form.between(HEIGHT)
        if seen.trunk is None:
            form.errors["girth"] = "Measure the girth first: it says how many taps the trunk bears."
        if form.errors or bearing is None or height is None or seen.trunk is None:
            return []
        _ask_about_place(form, seen, Place(bearing % 360.0, height))
        facts = TappedFacts(
            season=seen.season,
            bearing_deg=bearing % 360.0,
            height_mm=height,
            hole_mm=seen.rule.hole_mm,
            depth_mm=seen.rule.depth_mm,
            girth_mm=seen.girth_mm or 0.0,
            rule=as_facts(seen.rule),
        )
        return [Draft(facts, About(seen.tree.woodlot_id, tree_id))]

    book.write(db, fields, now, read)


def _bearing(form: Form) -> float | None:
    """Degrees, or a compass point."""
    text = form.fields.get("bearing", "").strip().upper().rstrip("°")
    if text in POINTS:
        return POINTS.index(text) * 45.0
    try:
        value = float(text)
    except ValueError:
        value = -1.0
    if not 0 <= value <= 360:
        form.errors["bearing"] = (
            "Type the side as a compass point (N, NE, E, SE, S, SW, W, NW) or in degrees, 0 to 360."
        )
        return None
    return value


def _ask_about_place(form: Form, seen: TreeView, place: Place) -> None:
    """No hole goes into dead wood; one that breaks the rule is asked about."""
    trunk, rule = seen.trunk, seen.rule
    assert trunk is not None
    dead = trunks.in_dead_wood(place, trunk, rule)
    if dead is not None:
        form.errors["bearing"] = (
            f"That is in the dead wood of the hole of {dead.year}: nothing runs there. Go at least "
            f"{form.show(rule.beside_mm / 10, 'girth')} round the trunk."
        )
        return
    near = trunks.too_near(place, trunk, rule)
    if near is not None:
        apart = trunks.apart_mm(near.bearing_deg, place.bearing_deg, trunk.girth_mm)
        form.ask(
            "bearing",
            f"That is {form.show(apart / 10, 'girth')} from the hole of {near.year}; the rule here "
            f"wants {form.show(rule.beside_mm / 10, 'girth')}.",
        )
    if seen.drilled >= seen.bears:
        through = form.show((seen.through_mm or 0) / 10, "girth")
        form.ask(
            "bearing",
            f"At {through} through it bears {seen.bears or 'no'} "
            f"{'tap' if seen.bears == 1 else 'taps'} by the rule here, and has {seen.drilled}.",
        )


def old_hole(db: Connection, tree_id: str, fields: Mapping[str, str], now: datetime) -> None:
    """Note a hole of an earlier year, as it is found on the trunk."""
    tree = tree_of(db, tree_id)

    def read(form: Form, at: datetime) -> list[Draft]:
        bearing, height = _bearing(form), form.between(HEIGHT)
        season = season_of(at, form.kitchen)
        text = form.fields.get("year", "").strip()
        year = int(text) if text.isdigit() and len(text) == 4 else 0
        if not EARLIEST_HOLE <= year < season:
            form.errors["year"] = f"Type the year it was drilled, {EARLIEST_HOLE} to {season - 1}."
        if form.errors or bearing is None or height is None:
            return []
        facts = OldHoleFacts(season=year, bearing_deg=bearing % 360.0, height_mm=height)
        return [Draft(facts, About(tree.woodlot_id, tree.id))]

    book.write(db, fields, now, read)


def pull(db: Connection, tree_id: str, fields: Mapping[str, str], now: datetime) -> None:
    """Note that a tree's taps were pulled, and how its holes were left."""
    tree = tree_of(db, tree_id)

    def read(form: Form, at: datetime) -> list[Draft]:
        left = form.choice("left", LEFT_AS, f"Choose one: {'; '.join(LEFT_AS.values())}.")
        if not left:
            return []
        facts = PulledFacts.model_validate({"season": season_of(at, form.kitchen), "left": left})
        return [Draft(facts, About(tree.woodlot_id, tree.id))]

    book.write(db, fields, now, read)


def close(
    db: Connection, tree_id: str, hole_id: str, fields: Mapping[str, str], now: datetime
) -> None:
    """Note that a hole has closed."""
    seen = view(db, tree_id, now)
    if all(hole.id != hole_id for hole in seen.holes):
        raise NotFound("There is no such hole in this tree.")

    def read(form: Form, at: datetime) -> list[Draft]:
        facts = ClosedFacts(hole=hole_id, year=season_of(at, form.kitchen))
        return [Draft(facts, About(seen.tree.woodlot_id, tree_id))]

    book.write(db, fields, now, read)


@dataclass(frozen=True)
class Yield:
    """What a tree gave in a season."""

    litres: float
    solids_kg: float
    taps: int
    rank: int
    of: int

    @property
    def brix(self) -> float:
        """Its sap on the whole."""
        return 100 * self.solids_kg / self.litres if self.litres else 0.0


def yields(db: Connection, woodlot_id: str, season: int, trees: Sequence[Tree]) -> dict[str, Yield]:
    """By tree what it gave in a season, and its place by solids a tap."""
    sums = store.tree_sums(
        db, [tree.id for tree in trees], date(season, 1, 1), date(season, 12, 31)
    )
    taps = store.taps_of(db, woodlot_id, season)

    def per_tap(tree_id: str) -> float:
        return sums[tree_id][1] / max(taps.get(tree_id, 1), 1)

    ordered = sorted(sums, key=per_tap, reverse=True)
    return {
        tree_id: Yield(*sums[tree_id], taps.get(tree_id, 0), place, len(ordered))
        for place, tree_id in enumerate(ordered, 1)
    }


def next_number(seen: Sequence[TreeView]) -> str:
    """The number after the highest one."""
    numbers = [int(view.tree.name) for view in seen if view.tree.name.isdigit()]
    return str(max(numbers, default=0) + 1)
