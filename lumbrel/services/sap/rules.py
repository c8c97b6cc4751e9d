"""How trees are tapped here: the schools of the trade, the one that is chosen, kept as it was typed."""

from collections.abc import Mapping
from dataclasses import asdict, replace
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.sap.trunk import Rule
from lumbrel.services.base.form import Bounds, Form
from lumbrel.store.db import transaction
from lumbrel.store.kitchen import Kitchen, load_kitchen, save_kitchen
from lumbrel.words import _, joined

TAPS = {
    "conservative": _("from 30 cm, a second from 45, never more"),
    "small": _("from 25 cm, a second from 45"),
    "older": _("from 25 cm, a second from 45, a third from 65"),
}
APART = {"30": _("30 cm round the trunk"), "15": _("15 cm sideways, 60 cm up or down")}
BESIDE_MM = {"30": 300.0, "15": 150.0}
SIDE = {"round": _("all round, on from last year’s"), "sunny": _("the sunny side, which runs early")}
HOLE = {"8": _("8 mm (5/16 in)"), "11": _("11 mm (7/16 in)")}
SUN = {"180": _("south"), "0": _("north (southern half of the world)")}
STANDARD = {
    "taps": "conservative",
    "apart": "30",
    "side": "round",
    "hole": "8",
    "sun": "180",
    "depth": _("45 mm"),
    "height": _("1200 mm"),
}
DEPTH = Bounds("depth", "depth", 25, 100, _("A hole is 25 to 100 mm (1 to 4 in) deep; 38 to 50 is usual."))
HEIGHT = Bounds(
    "height", "depth", 600, 1800, _("Taps sit between 600 and 1800 mm (24 and 71 in) above the ground.")
)


def typed_of(kitchen: Kitchen) -> dict[str, str]:
    """As it was typed last, or as it is to begin with."""
    return {**STANDARD, **kitchen.sap}


def rule_of(kitchen: Kitchen) -> Rule:
    """The rule in force."""
    return _read(Form(typed_of(kitchen), replace(kitchen, units={})))


def _read(form: Form) -> Rule:
    taps = form.choice("taps", TAPS, _("Choose one: {values}.", values=joined("; ", TAPS.values())))
    apart = form.choice("apart", APART, _("Choose one: {values}.", values=joined("; ", APART.values())))
    side = form.choice("side", SIDE, _("Choose one: {values}.", values=joined("; ", SIDE.values())))
    hole = form.choice("hole", HOLE, _("Choose one: {values}.", values=joined("; ", HOLE.values())))
    sun = form.choice("sun", SUN, _("Choose one: {values}.", values=joined("; ", SUN.values())))
    depth, height = form.between(DEPTH), form.between(HEIGHT)
    if form.errors or depth is None or height is None:
        return Rule()
    # A hand's width about the height is where a wedge of dead wood does not decide.
    return Rule(
        taps=taps,
        beside_mm=BESIDE_MM[apart],
        lowest_mm=min(1000.0, height),
        highest_mm=max(1500.0, height),
        height_mm=height,
        hole_mm=float(hole),
        depth_mm=depth,
        sunny_deg=float(sun),
        sunny_only=side == "sunny",
    )


def save(db: Connection, fields: Mapping[str, str], now: datetime) -> None:
    """Keep a rule as the kitchen's; what was drilled keeps the one it was drilled under.

    Raises:
        BadInput: a field is wrong.
    """
    form = Form(fields, load_kitchen(db))
    _read(form)
    form.check()
    units = {name: form.kitchen.units.get("depth", "mm") for name in ("depth", "height")}
    kept = {}
    for name in STANDARD:
        text = fields.get(name, "").strip()
        # A bare number was of the unit that is shown now.
        bare = name in units and text.replace(".", "", 1).isdigit()
        kept[name] = f"{text} {units[name]}" if bare else text
    with transaction(db):
        save_kitchen(db, replace(load_kitchen(db), sap=kept), now)


def other_schools(rule: Rule) -> list[tuple[str, Rule]]:
    """The other distance, to say beside a full trunk what it would allow."""
    return [
        (words, replace(rule, beside_mm=BESIDE_MM[key]))
        for key, words in APART.items()
        if BESIDE_MM[key] != rule.beside_mm
    ]


def as_facts(rule: Rule) -> dict[str, float | str]:
    """The rule as a line keeps it."""
    return {name: value for name, value in asdict(rule).items() if not isinstance(value, bool)}
