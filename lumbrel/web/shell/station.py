"""What the stations after the draw have in common: who waits, the form, the slip beside it."""

from typing import Any

from fastapi.responses import RedirectResponse, Response

from lumbrel.services.base.facts import DrawFacts
from lumbrel.services.base.form import BadInput
from lumbrel.services.base.station import Station
from lumbrel.services.pan.drawn import after_draw
from lumbrel.services.stations import slip, waiting
from lumbrel.store import flow
from lumbrel.web.shell.render import Filled
from lumbrel.web.shell.request import Here


def waiting_page(visit: Here, station: Station, doing: str) -> Response:
    """The batches that wait for a station; `doing` is what they wait for, as "to filter"."""
    queue = waiting(visit.db)[station.key]
    return visit.page(
        "shell/nothing.html",
        station.key,
        title=f"Waiting {doing}" if queue else f"Nothing waits {doing}",
        batches=queue,
        lead="A batch comes here when the step before it is on its slip.",
        href="/",
        action="The kitchen",
    )


def station_page(
    visit: Here, station: Station, code: str, form: Filled | None = None, **more: Any
) -> Response:
    """One batch at a station; one that is not drawn yet is sent to its pan.

    Args:
        more: what the station's own template wants besides.
    """
    context = visit.batch(code)
    if context.first(DrawFacts) is None:
        return RedirectResponse(f"/pan/{code}", 303)
    assert station.waits_for is not None and station.choices is not None
    return visit.page(
        f"{station.key}/{station.key}.html",
        station.key,
        422 if form else 200,
        context=context,
        after=after_draw(context),
        lines=slip.lines(context),
        kind=station.waits_for.key(),
        done=context.first(station.waits_for),
        choices=station.choices(context),
        form=form or Filled(),
        lot=flow.lot_of(visit.db, context.batch.id),
        **more,
    )


def put(visit: Here, station: Station, code: str, fields: dict[str, str]) -> BadInput | None:
    """Put the station's line on the slip; what stood in the way, if anything did."""
    assert station.waits_for is not None
    try:
        slip.put(visit.db, code, station.waits_for.key(), fields, visit.now)
    except BadInput as bad:
        return bad
    return None
