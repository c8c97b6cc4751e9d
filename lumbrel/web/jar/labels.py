"""Labels: how they look, a live preview, and the sheets as PDF, SVG or on paper."""

from typing import Any
from urllib.parse import quote

from fastapi.responses import HTMLResponse, RedirectResponse, Response
from markupsafe import Markup

from lumbrel.exchange import label_sheets, logo
from lumbrel.exchange.label_sheets import Job, Wanted
from lumbrel.services.base.facts import DrawnFacts
from lumbrel.services.base.form import BadInput, Form
from lumbrel.services.jar import label_style
from lumbrel.services.jar.label_job import key_of, read_job
from lumbrel.services.jar.label_words import LANGUAGES
from lumbrel.services.jar.labels import Label, worded
from lumbrel.services.jar.labels import labels as labels_of
from lumbrel.services.pan.drawn import after_draw
from lumbrel.store.kitchen import load_kitchen
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here, Visit
from lumbrel.web.shell.room import RoomRoutes

router = RoomRoutes()


def _job(visit: Visit, known: list[Label], fields: dict[str, str]) -> Job:
    kitchen = load_kitchen(visit.db)
    asked = read_job(Form(fields, kitchen), known)
    base = str(visit.request.base_url)
    return Job(
        sheet=asked.style.sheet,
        wanted=tuple(Wanted(worded(label, asked.style, base), copies) for label, copies in asked.wanted),
        first=asked.first,
        edge="edge" in asked.style.shows,
        logo=kitchen.logo if "logo" in asked.style.shows else "",
    )


def _asked(visit: Visit) -> dict[str, str]:
    """What the address says of the labels; where it says nothing, the kitchen's own style."""
    said = {name: value for name, value in visit.request.query_params.items() if name != "at"}
    return said if "sheet" in said else {**label_style.typed_of(load_kitchen(visit.db)), **said}


def _preview(visit: Visit, code: str, fields: dict[str, str]) -> dict[str, Any]:
    """The first label large, and the first sheet; or what stands in the way."""
    try:
        job = _job(visit, labels_of(visit.db, code, visit.now), fields)
        one, sheet = label_sheets.one_as_svg(job), label_sheets.as_svg(job)
    except BadInput as bad:
        return {"job": None, "refused": [*bad.errors.values()]}
    return {"job": job, "refused": [], "one": Markup(one), "whole": Markup(sheet)}


def _page(visit: Visit, code: str, form: Filled) -> HTMLResponse:
    known = labels_of(visit.db, code, visit.now)
    kitchen, context = load_kitchen(visit.db), visit.batch(code)
    return visit.page(
        "jar/labels.html",
        "jar",
        422 if form.wrong else 200,
        context=context,
        brix=after_draw(context).brix if context.of_kind(DrawnFacts) else None,
        form=form,
        logo=kitchen.logo,
        choices={
            "sheet": [(s.key, s.words) for s in label_style.sheets_of(kitchen)],
            "which": [(key_of(label), label) for label in known],
            "first": list(label_style.FIRST.items()),
            "language": list(LANGUAGES.items()),
            "ticks": list(label_style.TICKS.items()),
        },
        **_preview(visit, code, dict(form.fields)),
    )


@router.get("/jar/{code}/labels")
def labels(visit: Here, code: str) -> HTMLResponse:
    """How the labels look, with a preview."""
    return _page(visit, code, Filled(_asked(visit)))


@router.get("/jar/{code}/labels/preview")
def preview(visit: Here, code: str) -> HTMLResponse:
    """The preview alone."""
    return visit.fragment("jar/label_preview.html", **_preview(visit, code, _asked(visit)))


@router.post("/jar/{code}/labels")
def save(visit: Here, code: str, fields: Fields) -> Response:
    """Keep how they look as the kitchen's own."""
    try:
        _job(visit, labels_of(visit.db, code, visit.now), fields)
        label_style.save(visit.db, fields, visit.now)
    except BadInput as bad:
        return _page(visit, code, refilled(fields, bad))
    return RedirectResponse(f"/jar/{code}/labels", 303)


@router.post("/jar/{code}/logo")
def put_logo(visit: Here, code: str, fields: Fields) -> Response:
    """Take a logo, or take it away."""
    try:
        address = "" if fields.get("away") else logo.cleaned(visit.upload)
        label_style.save_logo(visit.db, address, visit.now)
    except BadInput as bad:
        return _page(visit, code, Filled(_asked(visit), bad.errors, bad.asks))
    return RedirectResponse(f"/jar/{code}/labels", 303)


@router.get("/jar/{code}/labels.pdf")
def as_pdf(visit: Here, code: str) -> Response:
    """The sheets as PDF."""
    return _file(visit, code, "pdf")


@router.get("/jar/{code}/labels.svg")
def as_svg(visit: Here, code: str) -> Response:
    """The first sheet as SVG."""
    return _file(visit, code, "svg")


def _file(visit: Visit, code: str, ending: str) -> Response:
    fields = _asked(visit)
    try:
        job = _job(visit, labels_of(visit.db, code, visit.now), fields)
        if ending == "pdf":
            body, kind = label_sheets.as_pdf(job), "application/pdf"
        else:
            body, kind = label_sheets.as_svg(job, alone=True).encode(), "image/svg+xml"
    except BadInput as bad:
        return _page(visit, code, refilled(fields, bad))
    name = quote(f"labels-{code}.{ending}")
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{name}"}
    return Response(body, media_type=kind, headers=headers)


@router.get("/jar/{code}/labels/print")
def on_paper(visit: Here, code: str) -> HTMLResponse:
    """All sheets, to be printed by the browser."""
    fields = _asked(visit)
    try:
        job = _job(visit, labels_of(visit.db, code, visit.now), fields)
        sheets = [Markup(label_sheets.as_svg(job, page)) for page in range(job.pages)]
    except BadInput as bad:
        return _page(visit, code, refilled(fields, bad))
    context = visit.batch(code)
    return visit.page("jar/label_print.html", "jar", context=context, sheets=sheets, job=job)
