"""A run as arrays for its picture."""

import json
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from math import isfinite
from typing import Any

import numpy as np

from lumbrel.core.pan.target import CEILING_BRIX, FLOOR_BRIX
from lumbrel.core.physics.sucrose import MAX_BOIL_BRIX
from lumbrel.core.units import KINDS, convert
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import (
    AddedFacts,
    AlarmFacts,
    BoilingFacts,
    DrawFacts,
    FoamFacts,
    PartDrawFacts,
    StrainedFacts,
)
from lumbrel.services.base.line import Line
from lumbrel.services.pan.board import Board, board_now
from lumbrel.services.pan.evidence_words import BurnerChange
from lumbrel.store import samples as samples_store
from lumbrel.words import _, number

PATH_POINTS = 160
EVENTS = (BoilingFacts, StrainedFacts, FoamFacts, AddedFacts, PartDrawFacts, DrawFacts, AlarmFacts)
MOST_AHEAD = timedelta(hours=4)


def as_json(context: BatchContext, lines: Sequence[Line], since: float = 0.0, upto: float = 0.0) -> str:
    """Everything the run picture draws, times in seconds of the epoch, temperatures in the unit
    of the kitchen's choice.

    Args:
        lines: the batch's slip.
        since: samples after this moment only, for a picture that is drawn already.
        upto: up to this one only, where a part of it is looked at closely; 0 for all.
    """
    board = board_now(context)
    drawn = context.first(DrawFacts)
    until = drawn.at if drawn else context.now
    finish = None if drawn else board.finish_at
    document = {
        "samples": _samples(board, since, _moment(upto, until) if upto else until),
        "path": _path(board, until, finish),
        "marks": [*_marks_of_lines(lines), *(_mark_of_burner(change) for change in board.evidence.changes)],
        "target": context.batch.target_brix,
        "now": until.timestamp(),
        "floor": FLOOR_BRIX,
        "ceiling": CEILING_BRIX,
        "finish": finish.timestamp() if finish else None,
        "draw_at": _shown(context, board.draw_shown_c),
        "unit": KINDS["temperature"].unit(_unit(context)).symbol,
        "clock": context.kitchen.clock,
        "zone": context.kitchen.time_zone,
        "probe": board.evidence.probe.name if board.evidence.probe else "",
    }
    return json.dumps(document, separators=(",", ":"), ensure_ascii=False, allow_nan=False)


def _moment(seconds: float, latest: datetime) -> datetime:
    """A moment of the epoch, none later than another; that one where it is no number."""
    if not isfinite(seconds):
        return latest
    return datetime.fromtimestamp(min(max(seconds, 0.0), latest.timestamp()), UTC)


def _samples(board: Board, since: float, until: datetime) -> dict[str, Any]:
    """What the probe sent, in the unit of the kitchen's choice."""
    probe, context = board.evidence.probe, board.context
    if probe is None:
        return {"at": [], "value": [], "thinned": False}
    start = context.taken_in.at
    if isfinite(since) and since > start.timestamp():
        start = _moment(since, until)
    times, values = samples_store.sample_arrays(context.db, probe.id, start, until)
    drawn = telling(values)
    if _unit(context) == "F":
        # What `convert` does, without its look-up for each.
        values = [round(value * 1.8 + 32, 2) for value in values]
    return {
        "at": [times[i] for i in drawn],
        "value": [values[i] for i in drawn],
        "thinned": len(drawn) < len(values),
    }


def telling(values: Sequence[float]) -> Sequence[int]:
    """The places of those values that make a line of as many points as a picture has pixels: of each stretch its
    least and its greatest, and both ends."""
    count = len(values)
    if count <= MOST_POINTS:
        return range(count)
    every = np.array(values)
    bounds = np.linspace(0, count, MOST_POINTS // 2).astype(int)
    found = {0, count - 1}
    for a, b in pairwise(bounds.tolist()):
        found |= {a + int(every[a:b].argmin()), a + int(every[a:b].argmax())}
    return sorted(found)


MOST_POINTS = 1600


def _path(board: Board, until: datetime, finish: datetime | None) -> dict[str, list[float]]:
    """The fitted path with its spread, from the beginning of the boil to its expected end."""
    seen, fitted = board.evidence, board.evidence.fitted
    last = max(until, min(finish, until + MOST_AHEAD)) if finish else until
    span = max((last - seen.boil_start) / timedelta(minutes=1), 1.0)
    minutes = [span * i / (PATH_POINTS - 1) for i in range(PATH_POINTS)]
    path, doubt = fitted.brixes(minutes), fitted.sigmas_brix(minutes)
    return {
        "at": [round(seen.moment(m).timestamp(), 1) for m in minutes],
        "brix": [round(b, 2) for b in path],
        "low": [round(b - s, 2) for b, s in zip(path, doubt, strict=True)],
        "high": [round(min(b + s, MAX_BOIL_BRIX), 2) for b, s in zip(path, doubt, strict=True)],
    }


def _marks_of_lines(lines: Sequence[Line]) -> list[dict[str, Any]]:
    """Readings with their spread, and what happened at the pan."""
    marks = []
    for line in lines:
        entry, reading = line.entry, line.reading
        if entry.superseded:
            continue
        if reading is not None and reading.brix is not None:
            mark = _mark(entry.at, entry.kind, line.title)
            mark |= {"brix": round(reading.brix, 2), "sigma": round(reading.sigma_brix, 2)}
            marks.append(mark)
        elif isinstance(entry.facts, EVENTS):
            marks.append(_mark(entry.at, entry.kind, line.title))
    return marks


def _mark_of_burner(change: BurnerChange) -> dict[str, Any]:
    way = _("more") if change.percent > 0 else _("less")
    title = _("The burner gives {percent} % {way}", percent=number(abs(change.percent), 0), way=way)
    return _mark(change.at, "burner", title)


def _mark(at: datetime, kind: str, title: str) -> dict[str, Any]:
    return {"at": at.timestamp(), "kind": kind, "title": title}


def _unit(context: BatchContext) -> str:
    return context.kitchen.units.get("temperature", "")


def _shown(context: BatchContext, celsius: float | None) -> float | None:
    if celsius is None:
        return None
    return round(convert(celsius, "temperature", _unit(context)), 2)
