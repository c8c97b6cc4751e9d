"""A batch's slip: amend a line, strike one, print it, take it along as a file."""

from urllib.parse import quote

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.exchange import batch_files
from lumbrel.services import context as contexts
from lumbrel.services import slip
from lumbrel.services.typed import BadInput, NotFound
from lumbrel.web.choices import choices_for
from lumbrel.web.render import Filled, page, refilled
from lumbrel.web.request import Db, Fields, Now

router = APIRouter()


def _amend(
    request: Request, db: Db, now: Now, code: str, entry_id: str, form: Filled | None = None,
    struck: Filled | None = None,
) -> HTMLResponse:  # fmt: skip
    context = contexts.load(db, code, now)
    lines = slip.lines(context)
    at = next((line for line in lines if line.entry.id == entry_id), None)
    if at is None or at.entry.superseded:
        raise NotFound("There is no such line on this slip, or it was amended already.")
    wrong = bool(form or struck)
    return page(
        request, db, "pan/amend.html", "pan", 422 if wrong else 200, context=context, lines=lines,
        line_at=at, form=form or Filled(at.entry.typed), struck=struck or Filled(),
        choices=choices_for(db, context),
        shown_fields=[*at.entry.typed, "why", "reading", "cup", "sample", "mass", "brix", "amount"],
    )  # fmt: skip


@router.get("/batch/{code}/amend/{entry_id}")
def amend_form(request: Request, db: Db, now: Now, code: str, entry_id: str) -> HTMLResponse:
    """One line, its working, and how to amend it."""
    return _amend(request, db, now, code, entry_id)


@router.post("/batch/{code}/amend/{entry_id}")
def amend(request: Request, db: Db, now: Now, code: str, entry_id: str, fields: Fields) -> Response:
    """Amend a line: a new one supersedes it."""
    old = next((e for e in contexts.load(db, code, now).entries if e.id == entry_id), None)
    if old is None:
        raise NotFound("There is no such line on this slip.")
    try:
        slip.put(db, code, old.kind, {**fields, "supersedes": entry_id}, now)
    except BadInput as bad:
        return _amend(request, db, now, code, entry_id, refilled(fields, bad))
    return RedirectResponse(f"/pan/{code}", 303)


@router.post("/batch/{code}/strike/{entry_id}")
def strike(
    request: Request, db: Db, now: Now, code: str, entry_id: str, fields: Fields
) -> Response:
    """Strike a line out."""
    try:
        slip.strike(db, code, {**fields, "supersedes": entry_id}, now)
    except BadInput as bad:
        return _amend(request, db, now, code, entry_id, struck=refilled(fields, bad))
    return RedirectResponse(f"/pan/{code}", 303)


@router.get("/batch/{code}/slip")
def printed(request: Request, db: Db, now: Now, code: str) -> HTMLResponse:
    """The slip on paper."""
    context = contexts.load(db, code, now)
    return page(request, db, "print/slip.html", "pan", context=context, lines=slip.lines(context))


def _file(code: str, body: str, kind: str, ending: str) -> Response:
    name = quote(f"lumbrel-{code}.{ending}")
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{name}"}
    return Response(body, media_type=f"{kind}; charset=utf-8", headers=headers)


@router.get("/batch/{code}.csv")
def as_csv(db: Db, now: Now, code: str) -> Response:
    """The slip as CSV."""
    return _file(code, batch_files.as_csv(contexts.load(db, code, now)), "text/csv", "csv")


@router.get("/batch/{code}.json")
def as_json(db: Db, now: Now, code: str) -> Response:
    """The whole batch as JSON."""
    return _file(
        code, batch_files.as_json(contexts.load(db, code, now)), "application/json", "json"
    )
