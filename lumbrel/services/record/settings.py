"""What is set, and what things are registered as: lines like all others."""

from collections.abc import Callable
from dataclasses import asdict
from sqlite3 import Connection
from typing import Any, Literal

from lumbrel.services.base.book import BookKind
from lumbrel.services.base.entry import Entry, newest
from lumbrel.services.base.facts import Facts
from lumbrel.services.base.form import Form
from lumbrel.store.kitchen import SETTINGS, Kitchen, first_set, load_kitchen
from lumbrel.words import _, bare, joined, quantity


class SettingFacts(Facts):
    """A setting of the kitchen, from a moment on."""

    kind: Literal["setting"] = "setting"
    name: str
    value: Any


class RegisteredFacts(Facts):
    """A vessel, an instrument, a woodlot, a tank or a tree is another than before in some of its columns."""

    kind: Literal["registered"] = "registered"
    state: dict[str, Any]


class FirstFacts(Facts):
    """What a batch, a vessel, an instrument, a woodlot, a tank or a tree was registered as at first, by its
    columns."""

    kind: Literal["first"] = "first"
    state: dict[str, Any]


Show = Callable[..., str]
NAMED: dict[str, tuple[str, Callable[[Show, Any], str]]] = {
    "name": (_("name"), lambda _show, value: str(value)),
    "elevation_m": (_("elevation"), lambda show, value: show(value, "elevation")),
    "time_zone": (_("time zone"), lambda _show, value: str(value)),
    "target_brix": (_("target"), lambda show, value: show(value, "brix")),
    "draw_margin_brix": (_("draw margin"), lambda show, value: show(value, "brix")),
    "toll_percent": (_("the kitchen’s share"), lambda _show, value: quantity(bare(value), "%")),
    "both_units": (_("both units"), lambda _show, value: _("on") if value else _("off")),
}
"""The settings whose value is said, with how."""
OTHERS = {
    "units": _("the units"),
    "methods": _("the methods"),
    "alarms": _("the alarms"),
    "labels": _("the labels"),
    "logo": _("the logo"),
    "sap": _("the rule for taps"),
}
COLUMNS = {
    "name": _("name"),
    "shape": _("shape"),
    "sizes_mm": _("size"),
    "fire": _("fire"),
    "detail": _("what it is"),
    "vessel_id": _("where it stands"),
    "purpose": _("purpose"),
}


def last_set(db: Connection, limit: int) -> list[Entry[SettingFacts]]:
    """What somebody set last, newest first. A first set-up notes all settings; those that nobody chose
    are not listed."""
    usual, lines = asdict(Kitchen()), newest(db, SettingFacts, limit=limit + len(SETTINGS))
    set_up = first_set(db)
    chosen = (
        line for line in lines if line.noted_at != set_up or line.facts.value != usual.get(line.facts.name)
    )
    return list(chosen)[:limit]


def setting(db: Connection, line: Entry[SettingFacts]) -> str:
    """What was set."""
    show, facts = Form({}, load_kitchen(db)).show, line.facts
    if facts.name not in NAMED or facts.value in (None, ""):
        return _("{get}: set anew", get=OTHERS.get(facts.name, NAMED.get(facts.name, (facts.name,))[0]))
    name, shown = NAMED[facts.name]
    return f"{name}: {shown(show, facts.value)}"


def registered(db: Connection, line: Entry[RegisteredFacts]) -> str:
    """What something is registered as from then on."""
    row = db.execute(f"SELECT name FROM {line.about} WHERE id = ?", (line.about_id,)).fetchone()
    state, name = line.facts.state, row["name"]
    if "retired" in state or "retired_at" in state:
        gone = state.get("retired") or state.get("retired_at")
        return _("{name} is {value}", name=name, value=_("out of use") if gone else _("in use"))
    if state.keys() == {"name"}:
        return _("{about} named {state}", about=line.about, state=state["name"])
    said = joined(", ", (COLUMNS.get(column, column) for column in state))
    return _("{name}: {said} as registered", name=name, said=said)


def _is_an_owners(line: Entry[RegisteredFacts]) -> bool:
    goes_out = line.facts.state.keys() <= {"retired", "retired_at"}
    return line.about in ("vessel", "instrument") and not goes_out


BOOK_KINDS = (
    BookKind(facts=SettingFacts, words=setting, owners=lambda _line: True),
    BookKind(facts=RegisteredFacts, words=registered, owners=_is_an_owners),
)
