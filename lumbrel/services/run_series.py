"""A run as arrays for its picture."""

import json
from datetime import UTC, datetime, timedelta

from lumbrel.services import pan
from lumbrel.services.context import BatchContext
from lumbrel.services.slip import lines
from lumbrel.store import samples as samples_store

PATH_POINTS = 160
EVENTS = ("boiling", "strained", "foam", "added", "draw", "alarm")
MOST_AHEAD = timedelta(hours=4)


def as_json(context: BatchContext, since: float = 0.0) -> str:
    """Everything the run picture draws, times in seconds of the epoch, temperatures in the unit
    of the kitchen's choice.

    Args:
        since: samples after this moment only, for a picture that is drawn already.
    """
    board = pan.board_of(context)
    seen, fitted, wants = board.evidence, board.evidence.fitted, context.batch.target_brix
    taken = context.first("take_in")
    assert taken is not None
    start = max(taken.at, datetime.fromtimestamp(max(since, 0.0), UTC))
    drawn = context.first("draw")
    until = drawn.at if drawn else context.now
    times: list[float] = []
    values: list[float] = []
    if seen.probe:
        times, values = samples_store.sample_arrays(context.db, seen.probe.id, start, until)
    if context.kitchen.units.get("temperature") == "F":
        values = [round(value * 1.8 + 32, 2) for value in values]
    last = until
    if board.finish_at and not drawn:
        last = max(until, min(board.finish_at, until + MOST_AHEAD))
    span = max((last - seen.boil_start) / timedelta(minutes=1), 1.0)
    minutes = [span * i / (PATH_POINTS - 1) for i in range(PATH_POINTS)]
    path = [fitted.brix_at(m) for m in minutes]
    doubt = [fitted.sigma_brix_at(m) for m in minutes]
    path_at = [round(seen.moment(m).timestamp(), 1) for m in minutes]
    marks = []
    for row in lines(context):
        if row.entry.superseded:
            continue
        if row.reading is not None and row.reading.brix is not None:
            marks.append(
                {
                    "at": row.entry.at.timestamp(), "kind": row.reading.kind, "title": row.title,
                    "brix": round(row.reading.brix, 2), "sigma": round(row.reading.sigma_brix, 2),
                }
            )  # fmt: skip
        elif row.entry.kind in EVENTS:
            marks.append(
                {"at": row.entry.at.timestamp(), "kind": row.entry.kind, "title": row.title}
            )
    marks += [
        {
            "at": change.at.timestamp(), "kind": "burner",
            "title": f"The burner gives {abs(change.percent):.0f} % {'more' if change.percent > 0 else 'less'}",
        }
        for change in seen.changes
    ]  # fmt: skip
    document = {
        "samples": {"at": times, "value": values},
        "path": {
            "at": path_at, "brix": [round(b, 2) for b in path],
            "low": [round(b - s, 2) for b, s in zip(path, doubt, strict=True)],
            "high": [round(min(b + s, 97.0), 2) for b, s in zip(path, doubt, strict=True)],
        },
        "marks": marks, "target": wants, "now": until.timestamp(), "floor": 66.0, "ceiling": 68.9,
        "finish": board.finish_at.timestamp() if board.finish_at and not drawn else None,
        "draw_at": _shown(context, board.draw_shown_c),
        "unit": "°F" if context.kitchen.units.get("temperature") == "F" else "°C",
        "zone": context.kitchen.time_zone, "probe": seen.probe.name if seen.probe else "",
    }  # fmt: skip
    return json.dumps(document, separators=(",", ":"), ensure_ascii=False, allow_nan=False)


def _shown(context: BatchContext, celsius: float | None) -> float | None:
    if celsius is None:
        return None
    fahrenheit = context.kitchen.units.get("temperature") == "F"
    return round(celsius * 1.8 + 32 if fahrenheit else celsius, 2)
