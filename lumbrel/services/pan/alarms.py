"""What calls a person to the pan, when it is raised, and who answered."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from sqlite3 import Connection, OperationalError
from typing import Any

from lumbrel.core.pan.target import PRE_FILTER_ABOVE_WATER_K
from lumbrel.core.pan.verdict import Call
from lumbrel.core.physics import sucrose
from lumbrel.core.units import in_minutes
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import AlarmFacts, DrawFacts, PartDrawFacts, StrainedFacts
from lumbrel.services.base.form import NotFound
from lumbrel.services.pan.board import Board
from lumbrel.services.record.kept import write
from lumbrel.store import alarms as store
from lumbrel.store.alarms import Alarm
from lumbrel.store.db import transaction
from lumbrel.store.kitchen import Kitchen
from lumbrel.words import _, number

NEAR_MINUTES = 5.0
SELDOM = 4.0
"""Draws that follow each other sooner than so many times that are not announced."""
OF_EACH_DRAW = ("near", "finish", "over")
SILENT, LONG_SILENT = timedelta(seconds=45), timedelta(minutes=3)
DENSEST_BRIX = 90.0
HEADLINES = {
    "strain": _("Strain it now"),
    "foam": _("Foam zone"),
    "low": _("The pan runs low"),
    "near": _("Nearly done"),
    "finish": _("Draw now"),
    "over": _("Over"),
    "out": _("Not boiling"),
    "silent": _("The probe is silent"),
    "pressure": _("The pressure has moved"),
    "stoke": _("Stoke the fire"),
    "off": _("Off the fire"),
    "stir_near": _("Nearly cool"),
    "stir": _("Stir now"),
    "pour_now": _("Pour now"),
    "turn": _("It may turn any moment"),
    "pour": _("Pour it now"),
}


def off_key(kind: str, vessel_id: str) -> str:
    """Under which a kitchen keeps that an alarm of a vessel was put off."""
    return f"off {kind} {vessel_id}"


def rings(kitchen: Kitchen, kind: str, vessel_id: str) -> bool:
    """Whether a kitchen wants to be called by an alarm of a vessel."""
    return not kitchen.alarms.get(off_key(kind, vessel_id))


def put_off(kitchen: Kitchen, vessel_id: str) -> list[str]:
    """The headlines of the alarms of a vessel that do not ring."""
    return [words for kind, words in HEADLINES.items() if not rings(kitchen, kind, vessel_id)]


@dataclass(frozen=True)
class CauseNow:
    """A cause that holds now."""

    kind: str
    words: str


def near_minutes(kitchen: Kitchen) -> float:
    """How many minutes ahead of the finish a kitchen wants to be called."""
    return kitchen.alarms.get("near_minutes", NEAR_MINUTES)


class Unwritten(Exception):
    """Alarms that are due and could not be written, as on a full disk: they must ring all the same."""

    def __init__(self, alarms: list[Alarm]) -> None:
        super().__init__(_("an alarm could not be written"))
        self.alarms = alarms


def due(board: Board) -> list[CauseNow]:
    """Every cause for an alarm that holds now, the gravest last."""
    return [found for cause in CAUSES if (found := cause(board))]


def _boils(board: Board) -> bool:
    return board.heating_minutes == 0


def _strain(board: Board) -> CauseNow | None:
    """Thin enough still to be strained once."""
    context, pressure = board.context, board.pressure
    if not _boils(board) or pressure is None or board.stands or context.first(StrainedFacts):
        return None
    brix = min((board.believed or board.joint).brix, DENSEST_BRIX)
    at = sucrose.boiling_point_c(brix, pressure.pa, context.invert_fraction)
    if at - pressure.boil_c < PRE_FILTER_ABOVE_WATER_K:
        return None
    return CauseNow("strain", _("Thin enough still: strain it once, then boil on."))


def _foam(board: Board) -> CauseNow | None:
    if not board.foam:
        return None
    return CauseNow("foam", _("Foam climbs in seconds from here on. Defoamer at hand."))


def _silent(board: Board) -> CauseNow | None:
    """The probe of the vessel has stopped sending."""
    seen, now = board.evidence, board.context.now
    if seen.probe is None:
        return None
    quiet = now - seen.probe_now.at > SILENT if seen.probe_now else bool(seen.probe_samples)
    quiet = quiet or bool(seen.probe_samples and seen.probe_samples[-1].at < now - LONG_SILENT)
    if not quiet:
        return None
    return CauseNow(
        "silent", _("{probe} has sent nothing for a while: look at its wire.", probe=seen.probe.name)
    )


def _out(board: Board) -> CauseNow | None:
    """The probe left the boil, and nothing says that the heat is off."""
    asked = next((one for one in board.questions if one.key == "heat_off"), None)
    return CauseNow("out", f"{asked.sentence} {asked.why}") if asked else None


def _pressure(board: Board) -> CauseNow | None:
    stale = board.thermometer.stale if board.thermometer else ""
    if "pressure" not in stale:
        return None
    return CauseNow("pressure", _("{stale} Put it in boiling water again.", stale=stale))


def _near(board: Board) -> CauseNow | None:
    """So many minutes or kelvins ahead of the finish as the kitchen wants to be called."""
    kitchen = board.context.kitchen
    ahead, ahead_k = near_minutes(kitchen), kitchen.alarms.get("near_k", 0.0)
    close = ahead_k > 0 and _to_go_k(board) <= ahead_k
    near = _boils(board) and ahead > 0 and (board.minutes_left <= ahead or close)
    near = near and not (board.stands and _draws_often(board))
    if not near or board.verdict.call in (Call.DRAW_NOW, Call.OVER):
        return None
    minutes = max(board.minutes_left, 1.0)
    return CauseNow("near", _("About {minutes} to the mark. Stay with it.", minutes=in_minutes(minutes)))


def _draws_often(board: Board) -> bool:
    """Whether draws follow each other so quickly that being called ahead of each says nothing."""
    draws = board.context.of_kind(PartDrawFacts)
    ahead = timedelta(minutes=SELDOM * near_minutes(board.context.kitchen))
    return len(draws) > 1 and draws[-1].at - draws[-2].at < ahead


def _low(board: Board) -> CauseNow | None:
    if not board.runs_low:
        return None
    deep = board.context.show(board.depth_now_mm, "depth")
    return CauseNow("low", _("About {deep} left in the pan. Kill the heat, then put some in.", deep=deep))


def _finish(board: Board) -> CauseNow | None:
    if not _boils(board):
        return None
    if board.verdict.call is Call.DRAW_NOW:
        brix = (board.believed or board.joint).brix
        if board.stands:
            return CauseNow(
                "finish", _("{brix} Brix at the draw-off. Draw until it thins.", brix=number(brix, 1))
            )
        return CauseNow("finish", _("{brix} Brix. Kill the heat and draw off.", brix=number(brix, 1)))
    if board.stop_first:
        words = _("One says it is done, the other does not. Kill the heat, then settle it.")
        if board.unlooked:
            words = _("Nobody looked for a while, and it may be past the mark. Kill the heat and look.")
        if board.stands:
            words = _("One says it is done, the other does not. Read the cup at the draw-off.")
        return CauseNow("finish", words)
    return None


def _over(board: Board) -> CauseNow | None:
    if not _boils(board) or board.verdict.call is not Call.OVER:
        return None
    brix = (board.believed or board.joint).brix
    if board.stands:
        return CauseNow(
            "over", _("{brix} Brix at the draw-off, past the target. Draw now.", brix=number(brix, 1))
        )
    return CauseNow("over", _("{brix} Brix, past the target. Kill the heat.", brix=number(brix, 1)))


CAUSES: tuple[Callable[[Board], CauseNow | None], ...] = (
    _strain,
    _foam,
    _silent,
    _out,
    _pressure,
    _near,
    _low,
    _finish,
    _over,
)


def _to_go_k(board: Board) -> float:
    """Kelvin from what the probe shows to the draw mark; far when either is not known."""
    now = board.evidence.probe_now
    if now is None or board.draw_shown_c is None:
        return 999.0
    return board.draw_shown_c - now.value


def watch(db: Connection, board: Board) -> list[Alarm]:
    """Raise what is due and was not raised yet; returns what rings in this batch."""
    batch, now = board.context.batch, board.context.now
    if board.context.first(DrawFacts):
        return [a for a in store.of_batch(db, batch.id) if a.acknowledged_at is None]
    return raise_new(
        db,
        batch.id,
        wanted(board.context, due(board)),
        now,
        lambda last: not _begins_anew(last.kind, last, board),
    )


def wanted(context: BatchContext, found: list[CauseNow]) -> list[CauseNow]:
    """What of that is to ring, as the kitchen chose for this vessel."""
    return [cause for cause in found if rings(context.kitchen, cause.kind, context.vessel.id)]


def raise_new(
    db: Connection,
    batch_id: str,
    wanted: list[CauseNow],
    now: datetime,
    holds: Callable[[Alarm], bool] = lambda last: True,
) -> list[Alarm]:
    """Raise what is due and was not raised yet; returns what rings in the batch.

    Args:
        holds: whether an alarm of before still stands for one of its kind that is due now.
    Raises:
        Unwritten: the record did not take them.
    """

    def missing(known: list[Alarm]) -> list[CauseNow]:
        last = {alarm.kind: alarm for alarm in known}
        return [cause for cause in wanted if not (cause.kind in last and holds(last[cause.kind]))]

    known = store.of_batch(db, batch_id)
    if missing(known):
        try:
            with transaction(db):
                for cause in missing(store.of_batch(db, batch_id)):
                    store.raise_alarm(db, batch_id, cause.kind, now, cause.words)
        except OperationalError as error:
            raise Unwritten([_of(batch_id, cause, now) for cause in missing(known)]) from error
        known = store.of_batch(db, batch_id)
    return [a for a in known if a.acknowledged_at is None]


def _of(batch_id: str, cause: CauseNow, now: datetime) -> Alarm:
    """An alarm that is in no record."""
    return Alarm(
        id=0,
        batch_id=batch_id,
        kind=cause.kind,
        raised_at=now,
        words=cause.words,
        acknowledged_at=None,
        acknowledged_by="",
    )


def _begins_anew(kind: str, last: Alarm, board: Board) -> bool:
    """Most are raised once a batch; silence, a fire that is out and a moved pressure each time they begin anew, and what
    calls to the draw-off of a continuous pan for each draw."""
    if board.stands and kind in OF_EACH_DRAW:
        return last.raised_at <= board.evidence.climbs_from
    if last.acknowledged_at is None:
        return False
    if kind == "out" and board.not_boiling:
        return last.raised_at < board.not_boiling.began
    if kind == "silent" and board.evidence.probe_samples:
        return last.raised_at <= board.evidence.probe_samples[-1].at
    if kind == "pressure" and board.thermometer and board.thermometer.boil:
        return last.raised_at <= board.thermometer.boil.at
    return False


def answered_by_draw(db: Connection, entry: Entry[PartDrawFacts]) -> None:
    """Whoever draws has heard what called to the draw."""
    answer_all(db, entry, OF_EACH_DRAW)


def answered_by_word(db: Connection, entry: Entry[Any]) -> None:
    """Whoever says whether the fire is out has heard what asked."""
    answer_all(db, entry, ("out",))


def answer_all(db: Connection, entry: Entry[Any], kinds: tuple[str, ...]) -> None:
    """Answer what rings of some kinds in a batch, by a line that does what they call for."""
    for alarm in store.of_batch(db, entry.batch_id):
        rings_so = alarm.kind in kinds and alarm.acknowledged_at is None
        if rings_so and store.acknowledge(db, alarm.id, entry.noted_at, entry.initials):
            write(db, _answered(alarm, entry.initials, entry.noted_at))


def acknowledge(db: Connection, alarm_id: int, by: str, now: datetime) -> Alarm:
    """Answer an alarm: it stops ringing everywhere, and the slip says who and when.

    Raises:
        NotFound: there is no such alarm.
    """
    with transaction(db):
        found = store.alarm(db, alarm_id)
        if found is None:
            raise NotFound(_("There is no such alarm."))
        if store.acknowledge(db, alarm_id, now, by.strip()[:8]):
            write(db, _answered(found, by.strip()[:8], now))
    return found


def _answered(alarm: Alarm, by: str, now: datetime) -> Entry[AlarmFacts]:
    """The line on the slip that says when an alarm rang and who answered."""
    return Entry(
        id=f"alarm-{alarm.batch_id}-{alarm.id}",
        about_id=alarm.batch_id,
        at=now,
        noted_at=now,
        facts=AlarmFacts(alarm=alarm.kind, words=alarm.words, raised_at=alarm.raised_at.isoformat()),
        initials=by,
    )
