"""A batch's slip: correct a line, strike one, print it, take it along as a file."""

from urllib.parse import quote

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.exchange import batch_files
from lumbrel.services.base.facts import OpenedFacts
from lumbrel.services.base.form import BadInput, NotFound, Overtaken
from lumbrel.services.base.said import in_full
from lumbrel.services.stations import choices_for, named, slip
from lumbrel.web.shell.render import Filled, has_fields, refilled
from lumbrel.web.shell.request import Fields, Here, local_address
from lumbrel.web.shell.room import RoomRoutes
from lumbrel.web.shell.saved import BACK
from lumbrel.words import _

router = RoomRoutes()
OWN_PLACE = ("why", "reading", "cup", "sample", "mass", "brix", "amount")
"""Fields whose mistakes stand beside them on every form."""


def _correct(
    visit: Here, code: str, entry_id: str, form: Filled | None = None, struck: Filled | None = None
) -> HTMLResponse:
    context = visit.batch(code)
    lines = slip.lines(context)
    at = next((line for line in lines if line.entry.id == entry_id), None)
    if at is None or at.entry.superseded:
        raise NotFound(_("There is no such line on this slip, or it was corrected already."))
    fixed = slip.fixed(at.entry)
    return visit.page(
        "record/correct.html",
        "pan",
        422 if form or struck else 200,
        context=context,
        lines=lines,
        line_at=at,
        steps=reading.steps
        if (reading := in_full(context, at.entry, lambda one: named(context, one)))
        else (),
        form=form or Filled(at.entry.typed),
        struck=(struck or Filled()).named("strike"),
        choices=choices_for(at.entry.kind, context),
        can_correct=has_fields(at.entry.kind) and not fixed,
        fixed=fixed,
        can_strike=not isinstance(at.entry.facts, OpenedFacts),
        shown_fields=[*at.entry.typed, *OWN_PLACE, "vessel", "sugar_kind", "woodlot", "at"],
    )


@router.get("/batch/{code}/correct/{entry_id}")
def correct_form(visit: Here, code: str, entry_id: str) -> HTMLResponse:
    """One line, its working, and how to correct it."""
    return _correct(visit, code, entry_id)


@router.post("/batch/{code}/correct/{entry_id}")
def correct(visit: Here, code: str, entry_id: str, fields: Fields) -> Response:
    """Correct a line: a new one supersedes it."""
    old = next((e for e in visit.batch(code).entries if e.id == entry_id), None)
    if old is None:
        raise NotFound(_("There is no such line on this slip."))
    try:
        slip.put(visit.db, code, old.kind, {**fields, "supersedes": entry_id}, visit.now)
    except Overtaken:
        raise
    except BadInput as bad:
        return _correct(visit, code, entry_id, refilled(fields, bad))
    return RedirectResponse(f"/pan/{code}", 303)


@router.post("/batch/{code}/strike/{entry_id}")
def strike(visit: Here, code: str, entry_id: str, fields: Fields) -> Response:
    """Strike a line out."""
    asked = fields.pop(BACK, "")
    try:
        slip.strike(visit.db, code, {**fields, "supersedes": entry_id}, visit.now)
    except Overtaken:
        raise
    except BadInput as bad:
        return _correct(visit, code, entry_id, struck=refilled(fields, bad))
    return RedirectResponse(local_address(asked, f"/pan/{code}"), 303)


@router.get("/batch/{code}/slip")
def printed(visit: Here, code: str) -> HTMLResponse:
    """The slip on paper."""
    context = visit.batch(code)
    return visit.page("record/slip_print.html", "pan", context=context, lines=slip.lines(context))


def _file(code: str, body: str, kind: str, ending: str) -> Response:
    name = quote(f"lumbrel-{code}.{ending}")
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{name}"}
    return Response(body, media_type=f"{kind}; charset=utf-8", headers=headers)


@router.get("/batch/{code}.csv")
def as_csv(visit: Here, code: str) -> Response:
    """The slip as CSV."""
    return _file(code, batch_files.as_csv(visit.batch(code)), "text/csv", "csv")


@router.get("/batch/{code}.json")
def as_json(visit: Here, code: str) -> Response:
    """The whole batch as JSON."""
    return _file(code, batch_files.as_json(visit.batch(code)), "application/json", "json")
