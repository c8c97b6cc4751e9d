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
from lumbrel.words import _, joined, number

PLAIN: dict[type[Facts], str] = {
    kinds.WeatherFacts: _("nights and days"),
    kinds.OldHoleFacts: _("an old hole"),
    kinds.TapsPulledFacts: _("all taps pulled"),
    kinds.ClosedFacts: _("a hole has closed"),
}


def said(db: Connection, line: Entry[Facts]) -> str:
    """What a line says, and of which woodlot, tree or tank."""
    names = {w.id: w.name for w in woodlots(db)} | {t.id: t.name for t in store.tanks(db)}
    tree = store.tree_by(db, line.about_id) if line.about == "tree" else None
    whose = [names.get(tree.woodlot_id if tree else line.about_id, "")]
    whose += [_("tree {tree}", tree=tree.name)] if tree else []
    whose += [names.get(getattr(line.facts, "tank_id", ""), "")]
    where = joined(", ", (name for name in whose if name))
    words = _words(db, line, names)
    return f"{words} ({where})" if where else words


def _words(db: Connection, line: Entry[Facts], names: dict[str, str]) -> str:
    show, facts = Form({}, load_kitchen(db)).show, line.facts
    match facts:
        case kinds.GatheredFacts():
            return _(
                "{litres} of sap at {brix} °Bx",
                litres=show(facts.litres, "volume"),
                brix=number(facts.brix, 1),
            )
        case kinds.MovedFacts():
            to = names.get(facts.to_tank, "")
            return _("{litres} of sap moved into {to}", litres=show(facts.litres, "volume"), to=to)
        case kinds.OutFacts():
            return _(
                "{litres} of sap taken out, {REASONS}",
                litres=show(facts.litres, "volume"),
                REASONS=REASONS[facts.reason],
            )
        case kinds.IceOffFacts():
            return _("{ice} of ice lifted off", ice=show(facts.ice_kg, "mass"))
        case kinds.WarmFacts():
            return _("sap temperature {temperature}", temperature=show(facts.temperature_c, "temperature"))
        case kinds.GirthFacts():
            return _("girth {girth}", girth=show(facts.girth_mm / 10, "girth"))
        case kinds.TappedFacts():
            return _("a tap, {height} up", height=show(facts.height_mm, "depth"))
        case kinds.BudsFacts():
            return _("buds swell in {season}", season=facts.season)
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
    kinds.GearFacts: lambda db, line, fields, now: gear.tick(db, {"task": line.facts.task, **fields}, now),
}
"""The kinds that are corrected, by their form taken again. Of nights and days the newest said counts: they are
noted again, or struck."""
KINDS: tuple[type[Facts], ...] = (*AGAIN, kinds.WeatherFacts)
BOOK_KINDS = tuple(
    BookKind(facts=kind, words=said, after=tanks.nothing_short, correct=AGAIN.get(kind), room="sap")
    for kind in KINDS
)
