"""Blending in a kettle: what to pour in, two sliders, what comes of it."""

from typing import Any

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.form import BadInput
from lumbrel.services.colour import blend, blended
from lumbrel.services.colour.classes import CLASSES
from lumbrel.services.colour.row import vial_of
from lumbrel.services.stations import slip
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here, Visit
from lumbrel.web.shell.room import RoomRoutes

router = RoomRoutes()


def _page(visit: Visit, code: str, form: Filled) -> HTMLResponse:
    context = visit.batch(code)
    more: dict[str, Any] = {"bench": None, "why_not": ""}
    try:
        found = _bench(context, form)
        more |= {"bench": found, "as_text": blended.as_text}
        litres = blended.litres_of(context, found, form.fields)
        form.fields = {
            **form.fields,
            **{f"litres_{n}": f"{v:g}" for n, v in zip(blend.SLIDERS, litres, strict=True)},
        }
        more |= _told(blended.told(_sent(found, litres)))
    except BadInput as bad:
        form.errors.clear()
        more["why_not"] = next(iter(bad.errors.values()))
    return visit.page(
        "colour/blend.html",
        "colour",
        422 if form.wrong else 200,
        context=context,
        form=form,
        lines=slip.lines(context),
        classes=CLASSES,
        sliders=blend.SLIDERS,
        **more,
    )


def _bench(context: BatchContext, form: Filled) -> blend.Bench:
    """The bench as it is asked for; without what of that is wrong, which is noted on the form."""
    try:
        return blend.bench(context, form.fields)
    except BadInput as bad:
        form.errors.update(bad.errors)
        return blend.bench(context, {k: v for k, v in form.fields.items() if k not in bad.errors})


def _sent(bench: blend.Bench, litres: list[float]) -> dict[str, str]:
    """What the page sends when nothing was dragged yet."""
    sent = {"kettle": blended.as_text(bench.kettle), "target": f"{bench.target_brix}"}
    for name, source, many in zip(blend.SLIDERS, bench.chosen, litres, strict=True):
        if source:
            sent |= {name: blended.as_text(source), f"litres_{name}": f"{many}"}
    return sent


def _told(said: blend.BlendSaid | str) -> dict[str, Any]:
    if isinstance(said, str):
        return {"said": None, "sentence": said}
    ranked = sorted(said.blended.chances.items(), key=lambda one: -one[1])
    vial = vial_of(said.blended.transmittance_percent)
    return {"said": said, "sentence": "", "ranked": ranked, "vial": vial}


@router.get("/colour/{code}/blend")
def show(visit: Here, code: str) -> HTMLResponse:
    """The bench for blending in a batch's kettle."""
    return _page(visit, code, Filled(dict(visit.request.query_params)))


@router.get("/colour/{code}/blend/said")
def said(visit: Here, code: str) -> HTMLResponse:
    """What comes of it, while a slider is dragged."""
    told = _told(blended.told(dict(visit.request.query_params)))
    return visit.fragment("colour/blend_said.html", **told)


@router.post("/colour/{code}/blend")
def put(visit: Here, code: str, fields: Fields) -> Response:
    """Put it on the slips."""
    try:
        blended.record_blend(visit.db, code, fields, visit.now)
    except BadInput as bad:
        return _page(visit, code, refilled(fields, bad))
    return RedirectResponse(f"/colour/{code}", 303)
