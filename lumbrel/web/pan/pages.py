"""The pan station: the board, the slip and the next reading."""

from math import isfinite

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.core import units
from lumbrel.core.errors import OutOfRange
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.cache import record_key
from lumbrel.services.base.facts import AddedFacts, BoilingFacts, DrawFacts, PartDrawFacts
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.kitchen.change import set_fire
from lumbrel.services.kitchen.register import FIRE_CHOICES
from lumbrel.services.pan import alarms
from lumbrel.services.pan.board import FAR_MINUTES, board_now
from lumbrel.services.pan.choices import PanChoices, choices
from lumbrel.services.pan.coach import coach
from lumbrel.services.pan.cup import TypedCup
from lumbrel.services.pan.cup import cup as cup_of
from lumbrel.services.pan.drawn import after_draw
from lumbrel.services.pan.promise import promise
from lumbrel.services.pan.rate import learned_rate
from lumbrel.services.pan.series import as_json
from lumbrel.services.pan.yields import yield_of
from lumbrel.services.sap.station import fire_cautions
from lumbrel.services.stations import next_after_draw, slip, waiting
from lumbrel.store import kept
from lumbrel.store.book import written_so_far
from lumbrel.store.instruments import ThermometerDetail
from lumbrel.store.record import Batch
from lumbrel.store.record import batch_by as record_of
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here
from lumbrel.web.shell.room import RoomRoutes
from lumbrel.words import _

router = RoomRoutes()
TABS = (
    ("hydrometer", _("Cup"), "h"),
    ("refractometer", _("Drop"), "d"),
    ("thermometer", _("Heat"), "t"),
    ("sign", _("Look"), "l"),
    ("depth", _("Dip"), "p"),
    ("event", _("Event"), "e"),
)
ON_THE_FIRE = ("sign", "depth")
"""What tells nothing any more once it is drawn."""
EVENTS = (
    "boiling",
    "heat",
    "burner",
    "strained",
    "foam",
    "sign",
    "weighed",
    "scale",
    "measured",
    "added",
    "part_draw",
    "called_off",
    "note",
)
DIPS = {"hydrometer": _("Cup dipped now"), "refractometer": _("Drop taken now")}
"""What is dated by a press, and what the key says."""
DRAWS = (DrawFacts.key(), PartDrawFacts.key())
LONGEST_WAIT_S = 3600.0
"""For so long a typed cup is held to have cooled."""


@router.get("/pan")
def first(visit: Here) -> Response:
    """The batch on the fire, or what to do when there is none."""
    live = waiting(visit.db)["pan"]
    if live:
        return RedirectResponse(f"/pan/{live[0].code}", 303)
    return visit.page(
        "shell/nothing.html",
        "pan",
        title=_("Nothing is on the fire"),
        batches=[],
        lead=_("Bring in near-syrup or concentrate; the pan station opens with it."),
        href="/take-in",
        action=_("Take in a batch"),
    )


def _state(context: BatchContext, thinner: str = "") -> dict[str, object]:
    """The board, or what is known after the draw."""
    drawn = context.first(DrawFacts)
    board = board_now(context)
    after = after_draw(context) if drawn else None
    thinner_kg = None
    if thinner and after:
        try:
            thinner_kg = after.thinner_kg(units.parse(thinner, "brix").value)
        except OutOfRange:
            thinner = ""
    return {
        "context": context,
        "drawn": drawn,
        "board": board,
        "after": after,
        "promise": promise(board),
        "coaching": None if drawn or board.stands else coach(board),
        "found": yield_of(context) if drawn else None,
        "owns_heat": bool(context.instruments_of(ThermometerDetail)),
        "far_minutes": FAR_MINUTES,
        "draw_asked": False,
        "fires": [] if drawn else _unknown_fires(context),
        "alarms_off": alarms.put_off(context.kitchen, context.vessel.id),
        "near_minutes": alarms.near_minutes(context.kitchen),
        "next_station": next_after_draw(context),
        "into": _poured_into(context) if drawn else None,
        "promised": kept.promise(context.db, context.batch.id) if drawn else None,
        "thinner_brix": thinner,
        "thinner_kg": thinner_kg,
    }


def _unknown_fires(context: BatchContext) -> list[tuple[str, str]]:
    """What its vessel may stand on, where nobody said and no boil of it has told."""
    rate = learned_rate(context.db, context.vessel, context.taken_in.at)
    known = context.vessel.fire or rate.draws or context.channels
    return [] if known else [one for one in FIRE_CHOICES if one[0]]


def _pan(
    visit: Here,
    code: str,
    *,
    tab: str,
    form: Filled | None = None,
    kind: str = "",
    thinner: str = "",
    pour: Filled | None = None,
    filled: Filled | None = None,
) -> HTMLResponse:
    context = _boil(visit, code)
    if context.called_off or (context.poured_away and not context.drawn):
        return _gone(visit, context, tab, form)
    on_fire = waiting(visit.db)["pan"]
    draws = DRAWS if context.channels else DRAWS[:1]
    others = [contexts.of(visit.db, batch, visit.now) for batch in on_fire]
    shown = _state(context, thinner) | {"draw_asked": kind in draws and form is not None}
    offers = choices(context)
    tabs = _tabs(offers, tab if form else "", context.drawn is not None)
    return visit.page(
        "pan/pan.html",
        "pan",
        422 if form or pour else 200,
        **shown,
        pour=pour or Filled(),
        parts=context.of_kind(PartDrawFacts),
        lines=slip.lines(context),
        tabs=tabs,
        tab=_opened(tabs, tab, offers.first),
        form=form or filled or Filled(),
        event="draw" if kind in draws else kind,
        dips=DIPS,
        has_boiling=context.first(BoilingFacts) is not None,
        choices=offers,
        others=others if len(others) > 1 else [],
        fire_cautions=fire_cautions(context),
        refresh=visit.workspace.settings.refresh_seconds,
        focus="entry" in visit.request.query_params or form is not None,
    )


def _tabs(offers: PanChoices, sent: str, drawn: bool) -> list[tuple[str, str, str]]:
    """The tabs of what is owned, and tells anything still; one that was sent is shown again."""
    gone = ON_THE_FIRE if drawn else ()
    return [one for one in TABS if one[0] == sent or (one[0] in offers.reads and one[0] not in gone)]


def _opened(tabs: list[tuple[str, str, str]], asked: str, first: str) -> str:
    """The tab that is open: the one asked for, else what is read first, else the last one there is."""
    there = [key for key, _any, _other in tabs]
    return next((key for key in (asked, first) if key in there), there[-1])


def _tab_of(kind: str, offers: PanChoices) -> str:
    """The tab whose form a kind of line was sent from."""
    return "event" if kind in EVENTS and kind not in offers.reads else kind


def _gone(visit: Here, context: BatchContext, tab: str = "", form: Filled | None = None) -> HTMLResponse:
    """A batch that is in no vessel any more and was never drawn off as a whole: what became of it. Of parts
    that were drawn the density is proved here."""
    offers = choices(context)
    proofs = [one for one in TABS if one[0] in DIPS and one[0] in offers.reads]
    return visit.page(
        "pan/gone.html",
        "pan",
        422 if form else 200,
        tabs=proofs if context.of_kind(PartDrawFacts) else [],
        tab=_opened(proofs, tab, offers.first) if proofs else "",
        form=form or Filled(),
        event="",
        dips=DIPS,
        choices=offers,
        focus=form is not None,
        context=context,
        lines=slip.lines(context),
        into=_poured_into(context),
        next_station=next_after_draw(context) if context.of_kind(PartDrawFacts) else None,
    )


def _poured_into(context: BatchContext) -> Batch | None:
    """The batch that all of this one went into."""
    poured = context.poured_away
    return record_of(context.db, id=poured.facts.into_batch_id) if poured else None


@router.post("/pan/{code}/pour")
def pour(visit: Here, code: str, fields: Fields) -> Response:
    """Pour another pan into this one."""
    try:
        slip.put(visit.db, code, AddedFacts.key(), fields, visit.now)
    except BadInput as bad:
        return _pan(visit, code, tab="event", pour=refilled(fields, bad), kind="pour")
    return RedirectResponse(f"/pan/{code}?entry=event", 303)


def _boil(visit: Here, code: str) -> BatchContext:
    """A batch of syrup.

    Raises:
        NotFound: there is none, or it is a cook of confections.
    """
    context = visit.batch(code)
    if context.is_cook:
        raise NotFound(_("{code} is a cook of confections: it has its page at the candy station.", code=code))
    return context


@router.get("/pan/{code}")
def show(
    visit: Here, code: str, entry: str = "", thinner: str = "", put_in_at: str = "", put_in: str = ""
) -> Response:
    """One vessel's pan; `thinner` asks the rescue planner for syrup of that Brix, `put_in_at` opens the form
    of what was put in then, `put_in` how much of it by the scale."""
    if visit.batch(code).is_cook:
        return RedirectResponse(f"/candy/cook/{code}", 303)
    if put_in_at:
        filled = Filled({"at": put_in_at[:40]} | ({"mass": put_in[:40]} if put_in else {}))
        return _pan(visit, code, tab="event", kind=AddedFacts.key(), filled=filled)
    return _pan(visit, code, tab=entry, thinner=thinner)


@router.get("/pan/{code}/board")
def board(visit: Here, code: str) -> HTMLResponse:
    """The changing part of the page; pages that ask within a second share one answer."""

    def rendered() -> bytes:
        state = _state(_boil(visit, code))
        template = "pan/drawn.html" if state["drawn"] else "pan/board.html"
        return bytes(visit.fragment(template, **state).body)

    key = (record_key(visit.db), code, written_so_far(visit.db), int(visit.now.timestamp()))
    return HTMLResponse(visit.workspace.cache.shelf("boards").get(key, rendered))


@router.get("/pan/{code}/record")
def record(visit: Here, code: str) -> HTMLResponse:
    """The slip's lines alone."""
    context = visit.batch(code)
    return visit.fragment("record/slip.html", context=context, lines=slip.lines(context))


@router.get("/pan/{code}/cup")
def cup(
    visit: Here, code: str, reading: str = "", cup: str = "", instrument: str = "", seconds: float = 0.0
) -> HTMLResponse:
    """The cup picture for what is being typed; what is not understood yet is left out."""
    context = _boil(visit, code)

    def typed(text: str, kind: str, low: float, high: float) -> float | None:
        try:
            value = units.parse(text, kind, context.kitchen.units.get(kind, "")).value
        except OutOfRange:
            return None
        return value if low <= value <= high else None

    being_typed = TypedCup(
        instrument_id=instrument,
        reading_brix=typed(reading, "stem", 0.1, 85),
        cup_c=typed(cup, "temperature", 0, 100),
        minutes=min(max(seconds, 0.0), LONGEST_WAIT_S) / 60 if isfinite(seconds) else 0.0,
    )
    shown = cup_of(context, board_now(context).joint.brix, being_typed)
    return visit.fragment("pan/cup.html", cup=shown, draggable=True)


@router.get("/pan/{code}/series")
def series(visit: Here, code: str, since: float = 0.0, upto: float = 0.0) -> Response:
    """The run as arrays for the picture: the probe's samples between two moments (seconds of the
    epoch), the fitted path with its band, every reading and event."""
    context = _boil(visit, code)
    body = as_json(context, slip.lines(context), since, upto)
    return Response(body, media_type="application/json")


@router.post("/pan/{code}/fire")
def fire(visit: Here, code: str, fields: Fields) -> Response:
    """Say what the vessel stands on, once: so fast it boils before a boil has taught it."""
    set_fire(visit.db, _boil(visit, code), fields, visit.now)
    return RedirectResponse(f"/pan/{code}", 303)


@router.post("/pan/{code}/slip/{kind}")
def put(visit: Here, code: str, kind: str, fields: Fields, answers: bool = False) -> Response:
    """Put a reading, an event or the draw on the slip; `answers`: by pressing what a question offers."""
    tab = _tab_of(kind, choices(_boil(visit, code)))
    try:
        slip.put(visit.db, code, kind, fields, visit.now)
    except BadInput as bad:
        return _pan(visit, code, tab=tab, form=refilled(fields, bad), kind=kind)
    if kind in DRAWS or answers:
        return RedirectResponse(f"/pan/{code}", 303)
    return RedirectResponse(f"/pan/{code}?entry={tab}", 303)
