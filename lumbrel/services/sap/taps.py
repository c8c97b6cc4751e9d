"""What is noted of trees: registered, measured, tapped, pulled, closed."""

import csv
import re
from collections.abc import Mapping
from datetime import datetime
from math import pi
from sqlite3 import Connection, IntegrityError
from typing import NamedTuple

from lumbrel.core.pan.raw_sap import SAP_BRIX
from lumbrel.core.sap import trunk as trunks
from lumbrel.core.sap.trunk import Place
from lumbrel.services.base import book
from lumbrel.services.base.book import Draft
from lumbrel.services.base.form import BadInput, Bounds, Form, NotFound
from lumbrel.services.sap.facts import ClosedFacts, GirthFacts, OldHoleFacts, TappedFacts, TapsPulledFacts
from lumbrel.services.sap.rules import as_facts
from lumbrel.services.sap.trees import POINTS, TreeView, season_of, tree_of, view, woodlot_of
from lumbrel.store import sap as store
from lumbrel.store.db import transaction
from lumbrel.store.kitchen import load_kitchen
from lumbrel.store.sap import Tree
from lumbrel.words import _, joined, n_

GIRTH = Bounds(
    "girth",
    "girth",
    20,
    600,
    _(
        "The girth is measured round the trunk at breast height, 1.3 m up: between 20 and "
        "600 cm (8 and 236 in)."
    ),
)
HEIGHT = Bounds(
    "height", "depth", 200, 2500, _("The height of a hole must be between 200 and 2500 mm (8 and 98 in).")
)
LEFT_AS = {
    "open": _("left open, it closes by itself"),
    "plugged": _("plugged with seasoned wood of the same kind"),
    "green": _("plugged with green wood"),
}
MOST_TREES = 2000
LONGEST_NAME = 30
BIG_CM = 380.0
EARLIEST_HOLE = 1950


def add_trees(db: Connection, woodlot_id: str, fields: Mapping[str, str], now: datetime) -> list[str]:
    """Register a tree with its girth, or a row of them that are numbered.

    Returns:
        Their ids. The same form sent again adds none.
    Raises:
        BadInput: a field is wrong, or a name is another tree's of this woodlot.
    """
    woodlot_of(db, woodlot_id)
    form = Form(fields, load_kitchen(db))
    first = form.client_id()
    name = form.text("name", _("Give the tree a number or a name."), limit=30)
    kind = form.choice("tree", list(SAP_BRIX), _("Choose the kind of tree."))
    girth = form.between(GIRTH, required=False)
    _ask_about_girth(form, girth)
    form.check()
    tree = Tree(first, woodlot_id, name, kind)
    try:
        with transaction(db):
            if len(store.trees(db, woodlot_id)) >= MOST_TREES:
                raise BadInput(
                    {"name": _("A woodlot holds at most {MOST_TREES} trees here.", MOST_TREES=MOST_TREES)}
                )
            store.add_tree(db, tree)
    except IntegrityError:
        raise BadInput({"name": _("{name} is another tree of this woodlot already.", name=name)}) from None
    if girth is not None:
        measured = {**fields, "id": f"{first}-g"[:64]}
        book.write(db, measured, now, lambda form, at: _girth(db, tree, form, at))
    return [first]


class Listed(NamedTuple):
    """A tree of a list, with its girth in cm and as it was typed."""

    name: str
    kind: str
    girth_cm: float | None
    typed: str


def add_list(
    db: Connection, woodlot_id: str, fields: Mapping[str, str], upload: bytes, now: datetime
) -> list[str]:
    """Register the trees of a list, one a line: number or name, girth, kind; `1-60` for many at once.

    Args:
        fields: `list` with the lines, and `tree`, the kind where a line names none.
        upload: a file of such lines, that counts where no list was typed.
    Returns:
        Their ids. The same list sent again adds none.
    Raises:
        BadInput: a line is wrong, or a name is another tree's; then none is registered.
    """
    woodlot_of(db, woodlot_id)
    form = Form(fields, load_kitchen(db))
    first = form.client_id()
    usual = form.choice("tree", list(SAP_BRIX), _("Choose the kind of tree."))
    text = form.fields.get("list", "").strip() or upload.decode("utf-8-sig", "replace")
    drafts = _read_list(form, text, usual)
    if not drafts and not form.errors:
        form.errors["list"] = _("Type one tree a line: its number, then its girth and its kind.")
    form.check()
    ids: list[str] = []
    year = season_of(now, form.kitchen)
    with transaction(db):
        known = {tree.name: tree.id for tree in store.trees(db, woodlot_id)}
        for number, (name, kind, girth, typed) in enumerate(drafts):
            tree = Tree(f"{first}-{number}", woodlot_id, name, kind)
            ids.append(tree.id)
            if known.get(name, tree.id) != tree.id:
                form.errors["list"] = _("{name} is another tree of this woodlot already.", name=name)
            if name in known:
                continue
            if len(known) + len(ids) > MOST_TREES:
                form.errors["list"] = _(
                    "A woodlot holds at most {MOST_TREES} trees here.", MOST_TREES=MOST_TREES
                )
            form.check()
            store.add_tree(db, tree)
            if girth is not None:
                facts = GirthFacts(girth_mm=10 * girth, year=year)
                draft = Draft(facts, "tree", tree.id)
                own = {"name": name, "girth": typed, "initials": form.fields.get("initials", "")}
                book.add(db, draft, f"{tree.id}-g", now, Form(own, form.kitchen))
        form.check()
    return ids


def _read_list(form: Form, text: str, usual: str) -> list[Listed]:
    """The trees of a list; what is wrong is noted on the form by its line."""
    found: dict[str, Listed] = {}
    rows = csv.reader(text.splitlines(), delimiter=_delimiter(text), skipinitialspace=True)
    for number, row in enumerate(rows, start=1):
        cells = [cell.strip() for cell in row if cell.strip()]
        if not cells:
            continue
        kind = next((c.lower() for c in cells[1:] if c.lower() in SAP_BRIX), usual)
        rest = [c for c in cells[1:] if c.lower() not in SAP_BRIX]
        line = Form({"girth": " ".join(rest)}, form.kitchen)
        girth = line.between(GIRTH, required=False)
        names = _names(cells[0])
        if line.errors and number == 1 and not cells[0][:1].isdecimal():
            continue  # what its columns are called
        if line.errors or len(names) > MOST_TREES or any(len(name) > LONGEST_NAME for name in names):
            said = line.errors.get(
                "girth", _("A number or a name is at most {LONGEST_NAME} letters.", LONGEST_NAME=LONGEST_NAME)
            )
            form.errors["list"] = _(
                "Line {number}, “{cells}”: {said}", number=number, cells=", ".join(cells)[:60], said=said
            )
            return []
        if twice := next((name for name in names if name in found), ""):
            form.errors["list"] = _(
                "Line {number}: {twice} stands in the list twice.", number=number, twice=twice
            )
            return []
        found |= {name: Listed(name, kind, girth, " ".join(rest)) for name in names}
    return list(found.values())


def _delimiter(text: str) -> str:
    """What stands between a list's columns: a spreadsheet's tab, else semicolon or comma."""
    return next((mark for mark in "\t;" if mark in text), ",")


def _names(cell: str) -> list[str]:
    """The trees that a cell names: one, or all of a range of numbers."""
    span = re.fullmatch(r"(\d{1,5})\s*[-–]\s*(\d{1,5})", cell)
    if span and 0 <= int(span[2]) - int(span[1]) < 10 * MOST_TREES:
        return [str(number) for number in range(int(span[1]), int(span[2]) + 1)]
    return [cell]


def _ask_about_girth(form: Form, girth_cm: float | None) -> None:
    if girth_cm is not None and girth_cm > BIG_CM:
        form.ask(
            "girth",
            _(
                "{girth_cm} round is {girth_cm_2} in diameter, a giant. Measured round the trunk, "
                "with the tape level?",
                girth_cm=form.show(girth_cm, "girth"),
                girth_cm_2=form.show(girth_cm / pi, "girth"),
            ),
        )


def _girth(db: Connection, tree: Tree, form: Form, at: datetime) -> list[Draft]:
    girth = form.between(GIRTH)
    _ask_about_girth(form, girth)
    if girth is None:
        return []
    year = season_of(at, form.kitchen)
    return [Draft(GirthFacts(girth_mm=10 * girth, year=year), "tree", tree.id)]


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
        seen = view(db, tree_id, at, form.corrects)
        bearing, height = _bearing(form), form.between(HEIGHT)
        if seen.trunk is None:
            form.errors["girth"] = _("Measure the girth first: it says how many taps the trunk bears.")
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
        return [Draft(facts, "tree", tree_id)]

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
        form.errors["bearing"] = _(
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
        form.errors["bearing"] = _(
            "That is in the dead wood of the hole of {year}: nothing runs there. Go at least "
            "{beside} round the trunk.",
            year=dead.year,
            beside=form.show(rule.beside_mm / 10, "girth"),
        )
        return
    near = trunks.too_near(place, trunk, rule)
    if near is not None:
        apart = trunks.apart_mm(near.bearing_deg, place.bearing_deg, trunk.girth_mm)
        form.ask(
            "bearing",
            _(
                "That is {apart} from the hole of {year}; the rule here wants {beside}.",
                apart=form.show(apart / 10, "girth"),
                year=near.year,
                beside=form.show(rule.beside_mm / 10, "girth"),
            ),
        )
    if seen.drilled >= seen.bears:
        through = form.show((seen.through_mm or 0) / 10, "girth")
        form.ask(
            "bearing",
            n_(
                "At {through} in diameter it bears {count} tap by the rule here, and has {drilled}.",
                "At {through} in diameter it bears {count} taps by the rule here, and has {drilled}.",
                seen.bears,
                through=through,
                drilled=seen.drilled,
            )
            if seen.bears
            else _(
                "At {through} in diameter it bears no tap by the rule here, and has {drilled}.",
                through=through,
                drilled=seen.drilled,
            ),
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
            form.errors["year"] = _(
                "Type the year it was drilled, {EARLIEST_HOLE} to {season}.",
                EARLIEST_HOLE=EARLIEST_HOLE,
                season=season - 1,
            )
        if form.errors or bearing is None or height is None:
            return []
        facts = OldHoleFacts(season=year, bearing_deg=bearing % 360.0, height_mm=height)
        return [Draft(facts, "tree", tree.id)]

    book.write(db, fields, now, read)


def pull(db: Connection, tree_id: str, fields: Mapping[str, str], now: datetime) -> None:
    """Note that a tree's taps were pulled, and how its holes were left."""
    tree = tree_of(db, tree_id)

    def read(form: Form, at: datetime) -> list[Draft]:
        left = form.choice("left", LEFT_AS, _("Choose one: {values}.", values=joined("; ", LEFT_AS.values())))
        if not left:
            return []
        facts = TapsPulledFacts.model_validate({"season": season_of(at, form.kitchen), "left": left})
        return [Draft(facts, "tree", tree.id)]

    book.write(db, fields, now, read)


def close(db: Connection, tree_id: str, hole_id: str, fields: Mapping[str, str], now: datetime) -> None:
    """Note that a hole has closed."""
    if all(hole.id != hole_id for hole in view(db, tree_id, now).holes):
        raise NotFound(_("There is no such hole in this tree."))

    def read(form: Form, at: datetime) -> list[Draft]:
        facts = ClosedFacts(hole=hole_id, year=season_of(at, form.kitchen))
        return [Draft(facts, "tree", tree_id)]

    book.write(db, fields, now, read)
