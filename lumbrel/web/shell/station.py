"""What the stations after the draw have in common: who waits, the form, the slip beside it."""

from collections.abc import Callable
from typing import Any

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from lumbrel.services.base import standing
from lumbrel.services.base.facts import DrawnFacts
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.base.station import Station
from lumbrel.services.pan.drawn import after_draw
from lumbrel.services.stations import slip, waiting
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here, Visit
from lumbrel.web.shell.room import RoomRoutes
from lumbrel.words import _

More = Callable[[Visit, str], dict[str, Any]]


def station_routes(
    station: Station, more: More = lambda visit, code: {}, notes: tuple[str, ...] = ()
) -> APIRouter:
    """The pages of a station with one form: who waits, one batch, and its line put on the slip.

    Args:
        more: what the station's own template wants besides, for a batch.
        notes: other kinds of line that are put on the slip from here.
    """
    router = RoomRoutes()

    @router.get(station.path)
    def queue(visit: Here) -> Response:
        return _waiting(visit, station)

    @router.get(f"{station.path}/{{code}}")
    def show(visit: Here, code: str) -> Response:
        return station_page(visit, station, code, None, more)

    @router.post(f"{station.path}/{{code}}")
    def put(visit: Here, code: str, fields: Fields) -> Response:
        assert station.waits_for is not None
        try:
            slip.put(visit.db, code, station.waits_for.key(), fields, visit.now)
        except BadInput as bad:
            return station_page(visit, station, code, refilled(fields, bad), more)
        return RedirectResponse(f"{station.path}/{code}", 303)

    @router.post(f"{station.path}/{{code}}/slip/{{kind}}")
    def note(visit: Here, code: str, kind: str, fields: Fields) -> Response:
        if kind not in notes:
            raise NotFound(_("The {lower} station has no such line.", lower=station.title.lower()))
        try:
            slip.put(visit.db, code, kind, fields, visit.now)
        except BadInput as bad:
            return station_page(visit, station, code, refilled(fields, bad), more, typed=kind)
        return RedirectResponse(f"{station.path}/{code}", 303)

    return router


def _waiting(visit: Visit, station: Station) -> Response:
    queue = waiting(visit.db)[station.key]
    return visit.page(
        "shell/nothing.html",
        station.key,
        title=_("Waiting here") if queue else _("Nothing waits here"),
        batches=queue,
        lead=_("A batch comes here when the step before it is on its slip."),
        href="/",
        action=_("The kitchen"),
    )


def station_page(
    visit: Visit,
    station: Station,
    code: str,
    form: Filled | None = None,
    more: More = lambda visit, code: {},
    *,
    typed: str = "",
    **besides: Any,
) -> Response:
    """One batch at a station; one that is not drawn yet is sent to its pan.

    Args:
        typed: the kind of line that `form` was of; the station's own when left out.
    """
    context = visit.batch(code)
    if not context.of_kind(DrawnFacts):
        return RedirectResponse(f"/pan/{code}", 303)
    assert station.waits_for is not None
    return visit.page(
        f"{station.key}/{station.key}.html",
        station.key,
        422 if (form and form.wrong) or besides else 200,
        context=context,
        after=after_draw(context),
        lines=slip.lines(context),
        kind=station.waits_for.key(),
        done=context.first(station.waits_for),
        still=station.key in standing.waits_for(context.current),
        choices=station.choices(context) if station.choices else None,
        form=form or Filled(),
        kind_typed=typed or station.waits_for.key(),
        folded="",
        **({"pools": False, "pour": Filled()} | more(visit, code) | besides),
    )
