"""The pan station: the board, the slip and the next reading."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.core import units
from lumbrel.core.errors import OutOfRange
from lumbrel.services import alarms, kitchen, pan, run_series, slip
from lumbrel.services import context as contexts
from lumbrel.services.context import BatchContext
from lumbrel.services.cup import cup as cup_in
from lumbrel.services.drawn import AfterDraw, after_draw
from lumbrel.services.memo import record_key, slip_state
from lumbrel.services.pan import CALL_WORDS
from lumbrel.services.typed import BadInput
from lumbrel.web.choices import choices_for
from lumbrel.web.render import Filled, fragment, page, refilled
from lumbrel.web.request import Db, Fields, Now
from lumbrel.web.worlds import world_of

router = APIRouter()
TABS = (
    ("hydrometer", "Cup", "h"),
    ("refractometer", "Drop", "d"),
    ("thermometer", "Heat", "t"),
    ("depth", "Dip", "p"),
    ("event", "Event", "e"),
)
EVENTS = ("boiling", "strained", "foam", "added", "note")


@router.get("/pan")
def first(request: Request, db: Db, now: Now) -> Response:
    """The batch on the fire, or what to do when there is none."""
    live = kitchen.waiting(db).pan
    if live:
        return RedirectResponse(f"/pan/{live[0].code}", 303)
    return page(
        request, db, "pan/none.html", "pan", title="Nothing is on the fire", batches=[],
        lead="Bring in near-syrup or concentrate; the pan station opens with it.",
        href="/take-in", action="Take in a batch",
    )  # fmt: skip


def _state(context: BatchContext, thinner: str = "") -> dict[str, object]:
    """The board, or what is known after the draw."""
    drawn = context.first("draw")
    shown: dict[str, object] = {
        "context": context, "drawn": drawn, "call_words": CALL_WORDS, "draw_asked": False,
        "board": (board := pan.board_of(context)), "after": after_draw(context) if drawn else None,
        "near_minutes": alarms.near_minutes(context.kitchen), "promise": pan.promise(board),
        "next_step": next((s for s in ("filter", "colour") if not context.first(s)), "jar"),
    }  # fmt: skip
    after = shown["after"]
    shown["thinner_brix"], shown["thinner_kg"] = thinner, None
    if thinner and isinstance(after, AfterDraw):
        try:
            shown["thinner_kg"] = after.thinner_kg(units.parse(thinner, "brix").value)
        except OutOfRange:
            shown["thinner_brix"] = ""
    return shown


def _pan(
    request: Request,
    db: Db,
    now: Now,
    code: str,
    tab: str,
    form: Filled | None = None,
    kind: str = "",
    thinner: str = "",
) -> HTMLResponse:
    context = contexts.load(db, code, now)
    tab = tab if tab in {key for key, _, _ in TABS} else "hydrometer"
    others = [
        {"code": b.code, "vessel": contexts.of(db, b, now).vessel.name}
        for b in kitchen.waiting(db).pan
    ]
    return page(
        request, db, "pan/pan.html", "pan", 422 if form else 200,
        **_state(context, thinner) | {"draw_asked": kind == "draw" and form is not None},
        lines=slip.lines(context), tabs=TABS, tab=tab, form=form or Filled(), blank=Filled(),
        event=kind, has_boiling=context.first("boiling") is not None,
        choices=choices_for(db, context), others=others if len(others) > 1 else [],
        refresh=world_of(request).settings.refresh_seconds,
        focus="entry" in request.query_params or form is not None,
    )  # fmt: skip


@router.get("/pan/{code}")
def show(
    request: Request, db: Db, now: Now, code: str, entry: str = "hydrometer", thinner: str = ""
) -> HTMLResponse:
    """One vessel's pan; `thinner` asks the rescue planner for syrup of that Brix."""
    return _pan(request, db, now, code, entry, thinner=thinner)


@router.get("/pan/{code}/board")
def board(request: Request, db: Db, now: Now, code: str) -> HTMLResponse:
    """The changing part of the page; pages that ask within a second share one answer."""
    key = (record_key(db), code, slip_state(db), int(now.timestamp()))
    known = _shared.get(key)
    if known is None:
        state = _state(contexts.load(db, code, now))
        template = "pan/drawn.html" if state["drawn"] else "pan/board.html"
        known = bytes(fragment(request, db, template, **state).body)
        if len(_shared) >= MOST_SHARED:
            _shared.clear()
        _shared[key] = known
    return HTMLResponse(known)


MOST_SHARED = 64
_shared: dict[tuple[str, str, int, int], bytes] = {}


@router.get("/pan/{code}/record")
def record(request: Request, db: Db, now: Now, code: str) -> HTMLResponse:
    """The slip's lines alone."""
    context = contexts.load(db, code, now)
    return fragment(request, db, "parts/slip.html", context=context, lines=slip.lines(context))


@router.get("/pan/{code}/cup")
def cup(
    request: Request,
    db: Db,
    now: Now,
    code: str,
    reading: str = "",
    cup: str = "",
    instrument: str = "",
    seconds: float = 0.0,
) -> HTMLResponse:
    """The cup picture for what is being typed; what is not understood yet is left out."""
    context = contexts.load(db, code, now)

    def typed(text: str, kind: str, low: float, high: float) -> float | None:
        try:
            value = units.parse(text, kind, context.kitchen.units.get(kind, "")).value
        except OutOfRange:
            return None
        return value if low <= value <= high else None

    floats, cup_c = typed(reading, "stem", 0.1, 85), typed(cup, "temperature", 0, 100)
    joint = pan.board_of(context).joint.brix
    minutes = min(max(seconds, 0.0), 3600.0) / 60
    shown = cup_in(context, joint, instrument, floats, cup_c, minutes)
    return fragment(request, db, "pictures/cup.html", cup=shown, draggable=True)


@router.get("/pan/{code}/series")
def series(db: Db, now: Now, code: str, since: float = 0.0) -> Response:
    """The run as arrays for the picture: the probe's samples since a moment (seconds of the
    epoch), the fitted path with its band, every reading and event."""
    return Response(
        run_series.as_json(contexts.load(db, code, now), since), media_type="application/json"
    )


@router.post("/pan/{code}/slip/{kind}")
def put(request: Request, db: Db, now: Now, code: str, kind: str, fields: Fields) -> Response:
    """Put a reading, an event or the draw on the slip."""
    tab = "event" if kind in EVENTS else kind
    try:
        slip.put(db, code, kind, fields, now)
    except BadInput as bad:
        return _pan(request, db, now, code, tab, refilled(fields, bad), kind)
    if kind == "draw":
        return RedirectResponse(f"/pan/{code}", 303)
    return RedirectResponse(f"/pan/{code}?entry={tab}", 303)
