"""The slip: every reading, event and decision of a batch; putting, correcting, striking a line.

What kinds of line there are, and what each does, the stations say; see `services.stations`.
"""

from collections.abc import Iterable
from contextlib import suppress
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.errors import OutOfRange
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.dip import dip
from lumbrel.services.base.entry import Entry, of_row
from lumbrel.services.base.facts import Facts, OpenedFacts, StruckFacts, UnreadFacts
from lumbrel.services.base.form import SEEN, BadInput, Form, NotFound, Overtaken, kept_of
from lumbrel.services.base.line import Line, LineKind
from lumbrel.services.record.kept import write
from lumbrel.store import book
from lumbrel.store.book import written_so_far
from lumbrel.store.db import IdReused, transaction
from lumbrel.store.kitchen import load_kitchen
from lumbrel.words import _, in_a_row

BOOKKEEPING = ("supersedes", "why", "initials")
"""Fields that have a place of their own in a line."""
OTHERS = "others"
"""Under this name it is asked about what others did meanwhile."""


class Slip:
    """The slips of all batches.

    Args:
        kinds: the kinds of line that may stand on one.
    """

    def __init__(self, kinds: Iterable[LineKind]) -> None:
        self._kinds = {kind.key: kind for kind in kinds}

    def put(
        self, db: Connection, code: str, kind: str, fields: dict[str, str], now: datetime
    ) -> Entry[Facts]:
        """Put a line on a batch's slip; sent twice with one id, it is written once.

        A field `supersedes` names the line this one corrects, `why` the reason.

        Raises:
            NotFound: no such batch, or no such kind of line, or no such line to correct.
            BadInput: a field is wrong, or something must be asked.
        """
        known = self._kinds.get(kind)
        if known is None or known.read is None:
            raise NotFound(_("A slip has no line of the kind “{kind}”.", kind=kind[:20]))
        # What a line says is worked out before the record is locked, so that others need not wait
        # for it. Two that come at once take turns: the later one looks again at what is new.
        given = {**fields, "id": Form(fields, load_kitchen(db)).client_id()}
        seen = written_so_far(db)
        entry = self._entry_of(db, code, known, given, now)
        with transaction(db):
            if written_so_far(db) != seen:
                entry = self._entry_of(db, code, known, given, now)
            if write(db, entry) and known.stored:
                known.stored(db, entry)
        return entry

    @staticmethod
    def _entry_of(
        db: Connection, code: str, kind: LineKind, fields: dict[str, str], now: datetime
    ) -> Entry[Facts]:
        context = contexts.load(db, code, now)
        sent_before = book.by_id(db, fields["id"])
        if sent_before:
            return _the_same(of_row(sent_before), context.batch.id, kind.key, fields)
        return _entry(kind, Form(fields, context.kitchen), context)

    def strike(self, db: Connection, code: str, fields: dict[str, str], now: datetime) -> None:
        """Strike a line: it stays on the slip, struck through, with the reason.

        Raises:
            NotFound, BadInput: as `put`.
        """
        with transaction(db):
            context = contexts.load(db, code, now)
            form = Form(fields, context.kitchen)
            entry_id = form.client_id()
            sent_before = book.by_id(db, entry_id)
            if sent_before:
                _the_same(of_row(sent_before), context.batch.id, StruckFacts.key(), fields)
                return
            old = _to_correct(form, context)
            why = form.text("why", _("Say why it is struck; the line stays readable."), 200)
            if old is None or isinstance(old.facts, OpenedFacts):
                form.errors.setdefault(
                    "why", _("What a batch began with cannot be struck; correct it, or call the batch off.")
                )
            else:
                rests = self._kind_of(old).rests
                resting = rests(context, old) if rests else ""
                if resting:
                    form.errors["why"] = resting
            form.check()
            assert old is not None
            entry = Entry(
                id=entry_id,
                about_id=context.batch.id,
                at=old.at,
                noted_at=now,
                facts=StruckFacts(),
                typed=kept_of(fields, *BOOKKEEPING),
                supersedes=old.id,
                why=why,
            )
            write(db, entry)
            undone = self._kind_of(old).undone
            if undone:
                undone(db, old, entry)

    def _kind_of(self, entry: Entry[Facts]) -> LineKind:
        return UNREAD if isinstance(entry.facts, UnreadFacts) else self._kinds[entry.kind]

    def fixed(self, entry: Entry[Facts]) -> str:
        """Why a line is struck, or begun anew, and not corrected; empty where it is."""
        return self._kind_of(entry).fixed(entry)

    def lines(self, context: BatchContext) -> list[Line]:
        """The whole slip in words, superseded lines included (their entry says so)."""
        return [
            self._kind_of(entry).words(context, entry)
            for entry in context.entries
            if not isinstance(entry.facts, StruckFacts)
        ]


def _as_typed(_context: BatchContext, entry: Entry[UnreadFacts]) -> Line:
    said = entry.typed or entry.facts.given
    return Line(
        entry,
        _("A line of the kind “{kind}”, which this Lumbrel cannot read", kind=entry.kind),
        "; ".join(f"{name} {text}" for name, text in said.items()),
    )


UNREAD = LineKind(facts=UnreadFacts, words=_as_typed, of="both")
"""Whatever an earlier Lumbrel or a newer one wrote that this one has no kind for."""


def _the_same(known: Entry[Facts], batch_id: str, kind: str, fields: dict[str, str]) -> Entry[Facts]:
    """The line that an id already names, when it was sent again.

    Raises:
        IdReused: something else is sent under its id.
    """
    sent = (batch_id, kind, fields.get("supersedes", "").strip(), kept_of(fields, *BOOKKEEPING))
    if sent != (known.batch_id, known.kind, known.supersedes or "", known.typed):
        raise IdReused(
            _(
                "Another line was put on a slip under this form's id; nothing was written now. Open "
                "the page anew and send it again."
            )
        )
    return known


def _entry(kind: LineKind, form: Form, context: BatchContext) -> Entry[Facts]:
    """A line as it was typed.

    Raises:
        NotFound, BadInput: as `Slip.put`.
    """
    assert kind.read is not None
    typed = kept_of(form.fields, *BOOKKEEPING)
    old = _to_correct(form, context)
    if old and (why_not := kind.fixed(old)):
        raise BadInput({"kind": why_not})
    form.corrects_at = old.at if old else None
    at = _moment(form, context, old)
    if old is None:
        _tell_of_others(kind, form, context)
    _require_its_sort(kind, form, context)
    _require_its_time(kind, form, context, old)
    facts = kind.read(form, context.then(at, old) if old and not kind.opens else context)
    if old is not None and facts is not None and hasattr(facts, "dated") and dip(form, context.now) is None:
        # Typed again without another moment, it is still of the old one's.
        facts = facts.model_copy(update={"dated": getattr(old.facts, "dated", "")})
    if kind.doubt and old is None and facts is not None and not form.errors:
        # What no model reaches cannot be doubted by it, and is kept.
        with suppress(OutOfRange):
            kind.doubt(form, context, facts)
    form.check()
    why, initials = form.text("why", limit=200), form.text("initials", limit=8)
    form.check()
    assert facts is not None
    return Entry(
        id=form.client_id(),
        about_id=context.batch.id,
        at=at,
        noted_at=context.now,
        facts=facts,
        typed=typed,
        supersedes=old.id if old else None,
        why=why,
        initials=initials,
    )


def _require_its_time(kind: LineKind, form: Form, context: BatchContext, old: Entry[Facts] | None) -> None:
    """Refuse a line of a batch that has not come so far, or is further."""
    if context.called_off:
        form.errors["kind"] = _("The batch was called off. Strike that line first if it is to go on.")
    if kind.opens and old is None:
        raise NotFound(_("A batch is opened at the take-in, once."))
    if kind.needs:
        context.require(form, kind.needs[0], *kind.needs[1])
    if kind.on_fire and context.left_at and old is None:
        form.errors["kind"] = _("Nothing of this batch is on the fire any more: it was drawn.")


def _require_its_sort(kind: LineKind, form: Form, context: BatchContext) -> None:
    """Refuse a line of a boil on the slip of a cook, and the other way round."""
    here = "cook" if context.is_cook else "boil"
    if kind.of not in ("both", here):
        is_a, other = (_("cook of confections"), _("boil of syrup"))
        if here == "boil":
            is_a, other = other, is_a
        form.errors["kind"] = _("That line belongs to a {other}; this is a {is_a}.", other=other, is_a=is_a)
        form.check()


def _moment(form: Form, context: BatchContext, old: Entry[Facts] | None) -> datetime:
    """When it was: as typed, else as the line it corrects had it, else now."""
    at = dip(form, context.now) or form.time_of_day("at", context.now)
    taken = context.taken_in
    if at < taken.at and (old is None or old.id != taken.id):
        form.ask(
            "at",
            _(
                "The batch was taken in on {at}; this line would be of {at_2}. Was a clock wrong? "
                "Tick Confirm if that is right, or correct the time of the take-in.",
                at=context.day_and_time(taken.at),
                at_2=context.day_and_time(at),
            ),
        )
    return at


def _to_correct(form: Form, context: BatchContext) -> Entry[Facts] | None:
    """The line that a form corrects or strikes, if it names one."""
    wanted = form.corrects
    if not wanted:
        return None
    old = next((e for e in context.entries if e.id == wanted), None)
    if old is None:
        raise NotFound(_("There is no such line on this slip."))
    if old.superseded:
        raise Overtaken(_how_overtaken(old, context))
    form.text("why", _("Say why it is corrected; the old line stays readable."), 200)
    return old


def _who_did(kind: LineKind, context: BatchContext, entry: Entry[Facts]) -> dict[str, str]:
    """Who put a line on the slip, what it says, and when; for a sentence."""
    line = kind.words(context, entry)
    return {
        "who": entry.initials or _("Somebody"),
        "what": in_a_row([line.title, _("{line} Brix", line=line.value) if line.value else ""]),
        "noted_at": context.clock(entry.noted_at),
    }


def _tell_of_others(kind: LineKind, form: Form, context: BatchContext) -> None:
    """Say so when a line is there that stands on a slip once; ask whether it is another one, when a
    line that moves syrup came since the page was made."""
    there = context.first(kind.facts) if kind.once else None
    if there:
        form.errors["kind"] = _(
            "{who} put “{what}” on the slip already, at {noted_at}. Nothing was written now; correct that "
            "line instead of adding another.",
            **_who_did(kind, context, there),
        )
    if not kind.moves:
        return
    try:
        seen = datetime.fromisoformat(form.fields.get(SEEN, ""))
    except ValueError:
        return
    if seen.tzinfo is None:
        return
    since = [e for e in context.current if e.kind == kind.key and e.noted_at > seen]
    if since:
        form.ask(
            OTHERS,
            _(
                "{who} put “{what}” on the slip at {noted_at}, after this page was opened. Nothing was "
                "written now. Is yours another one? Confirm it, else leave it.",
                **_who_did(kind, context, since[-1]),
            ),
        )


def _how_overtaken(old: Entry[Facts], context: BatchContext) -> str:
    """Who corrected or struck a line first."""
    newer = next(e for e in context.entries if e.supersedes == old.id)
    did = _("struck") if isinstance(newer.facts, StruckFacts) else _("corrected")
    why = f" (“{newer.why}”)" if newer.why else ""
    return _(
        "{initials} {did} that line at {noted_at}{why}. Nothing was written now; look at the "
        "slip, and correct the newer line if it is still wrong.",
        initials=newer.initials or _("Somebody"),
        did=did,
        noted_at=context.clock(newer.noted_at),
        why=why,
    )
