"""The slip: every reading, event and decision of a batch, in words; adding and amending."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from math import hypot
from sqlite3 import Connection
from typing import Any

from lumbrel.services import boil_evidence, dipstick, event_forms, reading_forms, stations, take_in
from lumbrel.services import context as contexts
from lumbrel.services.alarms import HEADLINES
from lumbrel.services.context import BatchContext
from lumbrel.services.readings import READING_KINDS, Corrected, Corrector
from lumbrel.services.typed import Form, NotFound
from lumbrel.store import record
from lumbrel.store.db import transaction
from lumbrel.store.record import Entry

Parser = Callable[[Form, BatchContext], dict[str, Any]]

PARSERS: dict[str, Parser] = {
    "take_in": take_in.amended,
    "hydrometer": reading_forms.hydrometer,
    "refractometer": reading_forms.refractometer,
    "thermometer": reading_forms.thermometer,
    "boiling": event_forms.boiling,
    "strained": event_forms.strained,
    "foam": event_forms.foam,
    "added": event_forms.added,
    "note": event_forms.note,
    "depth": dipstick.depth,
    "draw": stations.draw,
    "filter": stations.filtering,
    "colour": stations.colour,
    "jar": stations.jar,
}
ONCE = ("boiling", "draw", "filter", "colour")
CANNOT_BE_SIGMAS = 5.0


@dataclass(frozen=True)
class Line:
    """One line of the slip as it is read: a time, a title, a second line, a figure."""

    entry: Entry
    title: str
    detail: str
    value: str
    reading: Corrected | None = None


def put(db: Connection, code: str, kind: str, fields: dict[str, str], now: datetime) -> Entry:
    """Put an entry on a batch's slip; sent twice with one id, it is written once.

    A field `supersedes` names the line this one amends, `why` the reason.

    Raises:
        NotFound: no such batch, or no such kind of entry, or no such line to amend.
        BadInput: a field is wrong, or something must be asked.
    """
    if kind not in PARSERS:
        raise NotFound(f"A slip has no line of the kind “{kind[:20]}”.")
    with transaction(db):
        return _put(db, code, kind, fields, now)


def _put(db: Connection, code: str, kind: str, fields: dict[str, str], now: datetime) -> Entry:
    """The same, inside a transaction from the first look: two that come at once take turns."""
    context = contexts.load(db, code, now)
    form = Form(fields, context.kitchen)
    entry_id = form.client_id()
    sent_before = record.entry_by_id(db, entry_id)
    if sent_before:
        return sent_before
    old = _to_amend(form, context)
    at = old.at if old and not form.given("at") else form.time_of_day("at", now)
    if at < context.entries[0].at:
        form.errors["at"] = (
            f"The batch was only taken in at {context.clock(context.entries[0].at)}."
        )
    if kind in ONCE and old is None and context.first(kind):
        form.errors["kind"] = (
            "That is on the slip already. Amend the line instead of adding another."
        )
    if kind == "take_in" and old is None:
        raise NotFound("A batch is opened at the take-in, once.")
    facts = PARSERS[kind](form, context)
    if kind in READING_KINDS and old is None and not form.errors:
        _plausible_since_the_last(form, context, kind, facts)
    form.check()
    entry = Entry(
        entry_id, context.batch.id, kind, at, now, _typed(fields), facts,
        old.id if old else None, form.text("why", limit=200), form.text("initials", limit=8),
    )  # fmt: skip
    form.check()
    if record.add_entry(db, entry) and kind == "jar":
        stations.store_jars(db, entry)
    return entry


def _plausible_since_the_last(
    form: Form, context: BatchContext, kind: str, facts: dict[str, Any]
) -> None:
    """Ask about a reading that no boil could have reached since the last one."""
    if context.first("draw") or context.first("take_in") is None:
        return
    corrector = context.corrector()
    preview = Entry("", context.batch.id, kind, context.now, context.now, {}, facts)
    new = corrector.correct(preview)
    earlier = [w for w in boil_evidence.gather(context).words if w.reading.kind != "thermometer"]
    if new.brix is None or not earlier:
        return
    last = max(earlier, key=lambda word: word.reading.at)
    apart = abs(new.brix - last.estimate.brix)
    doubt = hypot(new.sigma_brix, last.estimate.sigma_brix)
    if apart > CANNOT_BE_SIGMAS * doubt + 1.0:
        ago = max((context.now - last.reading.at).total_seconds() / 60, 0)
        form.ask(
            "reading",
            f"That would be {new.brix:.1f} Brix. By {last.estimate.label} {ago:.0f} minutes ago it "
            f"should be near {last.estimate.brix:.1f} now, and no boil goes so far in that time. "
            "Misread by a line or by ten?",
        )


def strike(db: Connection, code: str, fields: dict[str, str], now: datetime) -> None:
    """Strike a line: it stays on the slip, struck through, with the reason.

    Raises:
        NotFound, BadInput: as `put`.
    """
    with transaction(db):
        _strike(db, code, fields, now)


def _strike(db: Connection, code: str, fields: dict[str, str], now: datetime) -> None:
    context = contexts.load(db, code, now)
    form = Form(fields, context.kitchen)
    entry_id = form.client_id()
    if record.entry_by_id(db, entry_id):
        return
    old = _to_amend(form, context)
    why = form.text("why", "Say why it is struck; the line stays readable.", 200)
    if old is None or old.kind == "take_in":
        form.errors.setdefault("why", "The take-in cannot be struck; amend it instead.")
    form.check()
    assert old is not None
    entry = Entry(
        entry_id, context.batch.id, "struck", old.at, now, _typed(fields), {}, old.id, why
    )
    record.add_entry(db, entry)


def _to_amend(form: Form, context: BatchContext) -> Entry | None:
    wanted = form.fields.get("supersedes", "").strip()
    if not wanted:
        return None
    old = next((e for e in context.entries if e.id == wanted), None)
    if old is None:
        raise NotFound("There is no such line on this slip.")
    if old.superseded:
        form.errors["why"] = "That line was amended already; amend the newer one."
    form.text("why", "Say why it is amended; the old line stays readable.", 200)
    return old


def _typed(fields: dict[str, str]) -> dict[str, str]:
    skip = ("id", "supersedes", "why", "initials")
    return {k: v for k, v in fields.items() if v and k not in skip}


def lines(context: BatchContext) -> list[Line]:
    """The whole slip in words, superseded lines included (their entry says so)."""
    corrector = context.corrector()
    return [_line(context, corrector, entry) for entry in context.entries if entry.kind != "struck"]


def _line(context: BatchContext, corrector: Corrector, entry: Entry) -> Line:
    show, facts = context.show, entry.facts
    if entry.kind in READING_KINDS:
        return _reading_line(context, corrector.correct(entry), entry)
    if entry.kind == "take_in":
        how = f"{show(facts['amount'], facts['amount_by'])} at {show(facts['temperature_c'], 'temperature')}"
        return Line(entry, f"Took in {show(facts['mass_kg'], 'mass')}", how, f"{facts['brix']:.1f}")
    if entry.kind == "depth":
        said = dipstick.corrected(context, entry)
        value = "" if said.brix is None else f"{said.brix:.1f}"
        doubt = said.refusal or f"± {said.sigma_brix:.1f}"
        return Line(entry, f"Dipstick {show(facts['depth_mm'], 'depth')}", doubt, value, said)
    if entry.kind == "alarm":
        rang = datetime.fromisoformat(facts["raised_at"])
        who = f" by {entry.initials}" if entry.initials else ""
        detail = f"rang {context.clock(rang)}, answered{who}"
        return Line(entry, f"Alarm: {HEADLINES.get(facts['alarm'], facts['alarm'])}", detail, "")
    if entry.kind == "foam":
        allergen = f"carries {facts['allergen']}" if facts["allergen"] else "no allergen"
        return Line(entry, f"Foam, {facts['defoamer']}", allergen, "")
    if entry.kind == "added":
        what = "water" if facts["brix"] == 0 else f"at {facts['brix']:.1f}"
        return Line(entry, f"Put in {show(facts['mass_kg'], 'mass', 2)}", what, "")
    if entry.kind == "note":
        return Line(entry, facts["text"], "", "")
    words = {"boiling": "Boiling", "strained": "Strained once"}
    if entry.kind in words:
        return Line(entry, words[entry.kind], "", "")
    return Line(entry, *stations.line(entry, show))


def _reading_line(context: BatchContext, reading: Corrected, entry: Entry) -> Line:
    show, facts = context.show, entry.facts
    value = "" if reading.brix is None else f"{reading.brix:.1f}"
    doubt = reading.refusal or f"± {reading.sigma_brix:.1f}"
    if any(name.endswith("_is_so") for name in entry.typed):
        doubt += ", asked about and kept"
    if entry.kind == "thermometer":
        title = f"{reading.instrument.name} {show(facts['reading_c'], 'temperature')}"
    elif entry.kind == "refractometer":
        title = (
            f"Refractometer {facts['reading_brix']:.1f}, {show(facts['sample_c'], 'temperature')}"
        )
        doubt += ", hot drop" if facts.get("hot_drop") else ""
        doubt += ", compensated" if facts.get("compensated") else ""
    else:
        below = "below " if facts.get("below_scale") else ""
        title = (
            f"Hydrometer {below}{facts['reading_brix']:.1f}, {show(facts['cup_c'], 'temperature')}"
        )
        doubt += ", cup assumed" if facts.get("cup_assumed") else ""
    return Line(entry, title, doubt, value, reading)
