"""What a line of the sap book says, in one sentence's worth of words."""

from collections.abc import Callable, Mapping
from datetime import datetime
from sqlite3 import Connection
from typing import Any

from lumbrel.services.base.book import BookKind
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import Facts
from lumbrel.services.base.form import Form
from lumbrel.services.sap import facts as kinds
from lumbrel.services.sap import gathered_sap, gear, runs, tanks, taps
from lumbrel.services.sap.played import REASONS
from lumbrel.store import sap as store
from lumbrel.store.book import latest
from lumbrel.store.kitchen import load_kitchen, woodlots

PLAIN: dict[type[Facts], str] = {
    kinds.WeatherFacts: "nights and days",
    kinds.OldHoleFacts: "an old hole",
    kinds.TapsPulledFacts: "all taps pulled",
    kinds.ClosedFacts: "a hole has closed",
}


def said(db: Connection, line: Entry[Facts]) -> str:
    """What a line says, and of which woodlot, tree or tank."""
    names = {w.id: w.name for w in woodlots(db)} | {t.id: t.name for t in store.tanks(db)}
    tree = store.tree_by(db, line.about_id) if line.about == "tree" else None
    whose = [names.get(tree.woodlot_id if tree else line.about_id, "")]
    whose += [f"tree {tree.name}"] if tree else []
    whose += [names.get(getattr(line.facts, "tank_id", ""), "")]
    where = ", ".join(name for name in whose if name)
    words = _words(db, line, names)
    return f"{words} ({where})" if where else words


def _words(db: Connection, line: Entry[Facts], names: dict[str, str]) -> str:
    show, facts = Form({}, load_kitchen(db)).show, line.facts
    match facts:
        case kinds.GatheredFacts():
            return f"{show(facts.litres, 'volume')} of sap at {facts.brix:.1f} °Bx"
        case kinds.MovedFacts():
            to = names.get(facts.to_tank, "")
            return f"{show(facts.litres, 'volume')} of sap moved into {to}"
        case kinds.OutFacts():
            return f"{show(facts.litres, 'volume')} of sap taken out, {REASONS[facts.reason]}"
        case kinds.IceOffFacts():
            return f"{show(facts.ice_kg, 'mass')} of ice lifted off"
        case kinds.WarmFacts():
            return f"sap temperature {show(facts.temperature_c, 'temperature')}"
        case kinds.GirthFacts():
            return f"girth {show(facts.girth_mm / 10, 'girth')}"
        case kinds.TappedFacts():
            return f"a tap, {show(facts.height_mm, 'depth')} up"
        case kinds.BudsFacts():
            return f"buds swell in {facts.season}"
        case kinds.GearFacts():
            return gear.TASKS.get(facts.task, facts.task)
        case _:
            return PLAIN[type(facts)]


Again = Callable[[Connection, Entry[Any], Mapping[str, str], datetime], None]
AGAIN: dict[type[Facts], Again] = {
    kinds.GatheredFacts: lambda db, line, fields, now: gathered_sap.gather(
        db, {"woodlot": line.about_id, **fields}, now
    ),
    kinds.OutFacts: lambda db, line, fields, now: tanks.take_out(db, line.about_id, fields, now),
    kinds.IceOffFacts: lambda db, line, fields, now: tanks.ice_off(db, line.about_id, fields, now),
    kinds.WarmFacts: lambda db, line, fields, now: tanks.warm(db, line.about_id, fields, now),
    kinds.MovedFacts: lambda db, line, fields, now: tanks.move(db, line.about_id, fields, now),
    kinds.GirthFacts: lambda db, line, fields, now: taps.measure(db, line.about_id, fields, now),
    kinds.OldHoleFacts: lambda db, line, fields, now: taps.old_hole(db, line.about_id, fields, now),
    kinds.TapsPulledFacts: lambda db, line, fields, now: taps.pull(db, line.about_id, fields, now),
    kinds.TappedFacts: lambda db, line, fields, now: taps.tap(db, line.about_id, fields, now),
    kinds.ClosedFacts: lambda db, line, fields, now: taps.close(
        db, line.about_id, latest(db, line.facts.hole), fields, now
    ),
    kinds.BudsFacts: lambda db, line, fields, now: runs.buds(db, line.about_id, fields, now),
    kinds.GearFacts: lambda db, line, fields, now: gear.tick(
        db, {"task": line.facts.task, **fields}, now
    ),
}
"""The kinds that are corrected, by their form taken again. Of nights and days the newest said counts: they are
noted again, or struck."""
KINDS: tuple[type[Facts], ...] = (*AGAIN, kinds.WeatherFacts)
BOOK_KINDS = tuple(
    BookKind(facts=kind, words=said, after=tanks.nothing_short, correct=AGAIN.get(kind), room="sap")
    for kind in KINDS
)
