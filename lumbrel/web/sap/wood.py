"""Trees and taps: a woodlot's trees, the unrolled trunk, the walk, the season's list, the rule."""

from collections.abc import Callable
from typing import cast, get_args
from urllib.parse import quote

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.core.units import said
from lumbrel.services.access.roles import OWNER
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.sap import gear as gears
from lumbrel.services.sap import register, rules, runs, taps, trees
from lumbrel.services.sap.next_year import trees_say
from lumbrel.services.sap.yields import yields
from lumbrel.store import sap as store
from lumbrel.store.kitchen import Kitchen, load_kitchen
from lumbrel.web.shell import saved
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here, Visit
from lumbrel.web.shell.room import RoomRoutes, least
from lumbrel.words import _

router = RoomRoutes()
HERE = "sap"


@router.get("/sap/woodlot/{woodlot}")
def woodlot(visit: Here, woodlot: str) -> HTMLResponse:
    """A woodlot's trees."""
    return _woodlot(visit, woodlot)


def _woodlot(visit: Visit, woodlot: str, form: Filled | None = None) -> HTMLResponse:
    every = trees.views(visit.db, woodlot, visit.now)
    seen = [view for view in every if not view.tree.retired]
    season = trees.season_of(visit.now, load_kitchen(visit.db))
    return visit.page(
        "sap/woodlot.html",
        HERE,
        422 if form else 200,
        woodlot=trees.woodlot_of(visit.db, woodlot),
        trees=seen,
        yields=yields(visit.db, woodlot, season),
        season=season,
        noted_lines=visit.noted_of(woodlot),
        kinds=trees.KINDS,
        retired=[view.tree for view in every if view.tree.retired],
        next_number=trees.next_number(every),
        tanks={tank.id: tank.name for tank in store.tanks(visit.db)},
        added=visit.request.query_params.get("added", ""),
        newest=next((v.tree for v in seen if v.tree.id == visit.request.query_params.get("tree")), None),
        collections=trees.collections(visit.db, woodlot),
        next_year=trees_say(visit.db, visit.now, trees.woodlot_of(visit.db, woodlot)),
        form=form or Filled(),
    )


@router.post("/sap/woodlot/{woodlot}")
def add_trees(visit: Here, woodlot: str, fields: Fields) -> Response:
    """Register a tree, or note that the buds swell."""
    try:
        if fields.get("what") == "buds":
            runs.buds(visit.db, woodlot, fields, visit.now)
            return saved.to("/sap", fields.get("id", ""))
        if fields.get("what") == "list":
            added = taps.add_list(visit.db, woodlot, fields, visit.upload, visit.now)
        else:
            added = taps.add_trees(visit.db, woodlot, fields, visit.now)
    except BadInput as bad:
        return _woodlot(visit, woodlot, refilled(fields, bad))
    last = f"&tree={quote(added[0])}" if len(added) == 1 else ""
    return RedirectResponse(f"/sap/woodlot/{quote(woodlot)}?added={len(added)}{last}#register", 303)


@router.post("/sap/register/{what}/{key}")
def rename_or_retire(visit: Here, what: str, key: str, fields: Fields) -> Response:
    """Give a woodlot, a tree or a tank another name, or take it out of use."""
    if what not in get_args(register.What):
        raise NotFound(_("Woodlots, trees and tanks are renamed here."))
    thing = cast("register.What", what)
    try:
        if "retired" in fields:
            by = fields.get("initials", "")[:8]
            register.retire(visit.db, thing, key, fields["retired"] == "1", visit.now, initials=by)
        else:
            register.rename(visit.db, thing, key, fields, visit.now)
    except BadInput as bad:
        return visit.page(
            "sap/register_refused.html",
            HERE,
            422,
            what=what,
            thing=register.thing_of(visit.db, what, key),
            renamed=refilled(fields, bad),
        )
    return RedirectResponse(f"/sap/{what}/{quote(key)}", 303)


@router.get("/sap/walk/{woodlot}")
def walk(visit: Here, woodlot: str) -> HTMLResponse:
    """The walk: tree by tree where to drill and how deep; prints, and opens on a phone."""
    return visit.page(
        "sap/walk.html",
        HERE,
        woodlot=trees.woodlot_of(visit.db, woodlot),
        trees=[view for view in trees.views(visit.db, woodlot, visit.now) if not view.tree.retired],
        point_of=trees.point_of,
        rule=rules.rule_of(load_kitchen(visit.db)),
    )


@router.get("/sap/tree/{tree}")
def tree(visit: Here, tree: str) -> HTMLResponse:
    """A tree: its trunk unrolled."""
    return _tree(visit, tree)


def _tree(visit: Visit, tree: str, form: Filled | None = None) -> HTMLResponse:
    view = trees.view(visit.db, tree, visit.now)
    return visit.page(
        "sap/tree.html",
        HERE,
        422 if form else 200,
        view=view,
        following=trees.following(visit.db, view.tree),
        gave=yields(visit.db, view.woodlot.id, view.season).get(tree),
        last=yields(visit.db, view.woodlot.id, view.season - 1).get(tree),
        point_of=trees.point_of,
        left_as=list(taps.LEFT_AS.items()),
        noted_lines=visit.noted_of(tree),
        form=form or Filled(),
        what=form.value("what") if form else "",
    )


CHANGES: dict[str, Callable[..., None]] = {
    "tap": taps.tap,
    "girth": taps.measure,
    "old": taps.old_hole,
    "pull": taps.pull,
}


@router.post("/sap/tree/{tree}")
def change_tree(visit: Here, tree: str, fields: Fields) -> Response:
    """Note a tap, a girth, an old hole, what was pulled or has closed."""
    what = fields.get("what", "")
    try:
        if what == "closed":
            taps.close(visit.db, tree, fields.get("hole", ""), fields, visit.now)
        elif what in CHANGES:
            CHANGES[what](visit.db, tree, fields, visit.now)
        else:
            raise NotFound(_("A tree has no such line."))
    except BadInput as bad:
        return _tree(visit, tree, refilled(fields, bad))
    return saved.to(f"/sap/tree/{tree}", fields.get("id", ""))


@router.get("/sap/gear")
def gear(visit: Here) -> HTMLResponse:
    """The season's list."""
    return _gear(visit)


def _gear(visit: Visit, form: Filled | None = None) -> HTMLResponse:
    return visit.page(
        "sap/gear.html",
        HERE,
        422 if form else 200,
        gear=gears.gear(visit.db, visit.now),
        lists=((_("Before the season"), gears.BEFORE), (_("After it"), gears.AFTER)),
        form=form or Filled(),
    )


@router.post("/sap/gear")
def tick(visit: Here, fields: Fields) -> Response:
    """Note that a thing of the list was done."""
    try:
        gears.tick(visit.db, fields, visit.now)
    except BadInput as bad:
        return _gear(visit, refilled(fields, bad))
    return saved.to("/sap/gear", fields.get("id", ""))


@router.get("/sap/rule")
def rule(visit: Here) -> HTMLResponse:
    """How trees are tapped here."""
    return _rule(visit)


def _rule(visit: Visit, form: Filled | None = None) -> HTMLResponse:
    return visit.page(
        "sap/rule.html",
        HERE,
        422 if form else 200,
        form=form or Filled(_in_own_units(load_kitchen(visit.db))),
        refused=form is not None,
        taps=list(rules.TAPS.items()),
        apart=list(rules.APART.items()),
        sides=list(rules.SIDE.items()),
        holes=list(rules.HOLE.items()),
        suns=list(rules.SUN.items()),
    )


def _in_own_units(kitchen: Kitchen) -> dict[str, str]:
    typed = rules.typed_of(kitchen)
    return {name: said(text, kitchen.units) for name, text in typed.items()}


@router.post("/sap/rule")
@least(OWNER)
def save_rule(visit: Here, fields: Fields) -> Response:
    """Keep the rule."""
    try:
        rules.save(visit.db, fields, visit.now)
    except BadInput as bad:
        return _rule(visit, refilled(fields, bad))
    return RedirectResponse("/sap", 303)
