"""What comes out of a pan, a kettle or a lot, held against what went in."""

from collections import Counter
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from math import inf
from sqlite3 import Connection

from lumbrel.core.pan.vessel import HOTTEST_VOLUME_C, Vessel, hot_volume_ratio
from lumbrel.core.physics import sucrose
from lumbrel.services.base import standing
from lumbrel.services.base.entry import Entry, slip_of
from lumbrel.services.base.facts import Facts, OpenedFacts, TakeInFacts
from lumbrel.services.base.form import BadInput, Form, was_confirmed
from lumbrel.services.record.flows import SET_ASIDE
from lumbrel.store import flow, flowed
from lumbrel.store.flow import BULK, CHARGE, CONFECTION, LOT, Flow, Parcel
from lumbrel.store.kitchen import load_kitchen, vessels
from lumbrel.words import _, bare

SUMS = "sums"
"""Under this name it is asked about amounts that do not add up."""
MEASURED, GUESSED_SIGMAS = 0.3, 3.0
"""So much more sugar may come out than went in, by what scales, sticks and told Brix are worth; of what
nobody measured, so many times its own uncertainty."""
LEAST_KG = 0.05
WHERE = {CHARGE: _("the pan"), BULK: _("the kettle")}


def ask(db: Connection, entry: Entry[Facts], parcel_ids: set[str], before: list[Flow]) -> None:
    """Ask about a line, just written, by which more would have come out of a parcel than went in, or
    more come back to it than left; or by which a vessel would hold more than it can.

    Args:
        parcel_ids: those that the line, or the one it stands for, moved something into or out of.
        before: what the line moved that it stands for.
    Raises:
        BadInput: a question nobody has answered yet.
    """
    if was_confirmed(entry.typed, SUMS):
        return
    if isinstance(entry.facts, OpenedFacts):
        _ask_of_the_brim(db, entry.facts, entry.at)
    for parcel_id in sorted(parcel_ids):
        parcel = flow.parcel(db, parcel_id)
        if parcel is None:
            continue
        gains = Gains(parcel.id, flow.flows_of_line(db, entry.id), before)
        if parcel.kind in WHERE:
            _ask_of_sugar(db, gains, parcel)
        elif parcel.kind in (LOT, CONFECTION):
            _ask_of_packs(db, gains, parcel)


def _ask_of_the_brim(db: Connection, facts: OpenedFacts, at: datetime) -> None:
    row = next(one for one in vessels(db) if one.id == facts.vessel_id).as_of(at)
    brim = Vessel(row.shape, row.sizes_mm).brim_l()
    brix = min(facts.brix, sucrose.MAX_DENSITY_BRIX)
    hot = hot_volume_ratio(brix, min(facts.temperature_c, HOTTEST_VOLUME_C))
    litres = facts.mass_kg / sucrose.density_kg_m3(brix, 20) * 1000 * hot
    if brim is not None and litres > brim:
        form = Form({}, load_kitchen(db))
        raise _question(
            _(
                "{row} holds at most about {brim} to its brim, and this would be {litres}. Are the "
                "amount and the vessel right?",
                row=row.name,
                brim=form.show(brim, "volume"),
                litres=form.show(litres, "volume"),
            )
        )


def _ask_of_sugar(db: Connection, gains: "Gains", parcel: Parcel) -> None:
    came, went = (sum(one.solids_kg for one in side) for side in _through(db, parcel.id))
    if went <= came * (1 + MEASURED) + LEAST_KG or gains.of(_solids) >= 0:
        return
    assert parcel.batch_id is not None
    began = standing.taken_in(standing.current(slip_of(db, parcel.batch_id))).facts
    if went <= came * (1 + _doubt(began)) + LEAST_KG:
        return
    form = Form({}, load_kitchen(db))
    out, into = form.show(went, "mass"), form.show(came, "mass")
    raise _question(
        _(
            "With this, {out} of sugar would have come out of {WHERE} of batch {parcel_code}, "
            "and only {into} went in. Is an amount mistyped, or was something put in and not "
            "recorded?",
            out=out,
            WHERE=WHERE[parcel.kind],
            parcel_code=parcel.code,
            into=into,
        )
    )


def _doubt(began: OpenedFacts) -> float:
    """By what share more may come out than is known to have gone in."""
    if isinstance(began, TakeInFacts) and began.channels:
        # What runs into a continuous pan by itself is noted now and then, or never.
        return inf
    if began.brix_sigma is None:
        return MEASURED
    return MEASURED + GUESSED_SIGMAS * began.brix_sigma / began.brix


def _ask_of_packs(db: Connection, gains: "Gains", parcel: Parcel) -> None:
    into, out = _through(db, parcel.id)
    back = _counted(one for one in into if one.source_id is None)
    left = _counted(one for one in out if one.target_id is None and one.reason != SET_ASIDE)
    for size, count in back.items():
        if count > left[size] and gains.of(partial(_packs, size)) > 0:
            unit = "g" if parcel.kind == CONFECTION else "ml"
            packs = _("of {size} {unit}", size=bare(size), unit=unit)
            raise _question(
                _(
                    "With this, {count} {packs} would have come back to lot {parcel_code}, and only "
                    "{left} have left it. Is the count mistyped, or did some leave and were not recorded?",
                    count=count,
                    packs=packs,
                    parcel_code=parcel.code,
                    left=left[size],
                )
            )


def _question(sentence: str) -> BadInput:
    return BadInput({}, {SUMS: sentence})


def _through(db: Connection, parcel_id: str) -> tuple[list[Flow], list[Flow]]:
    """What came into a parcel, and what went out."""
    into, out = flowed.flows_into(db, parcel_id), flowed.flows_out_of(db, parcel_id)
    return [one.flow for one in into], [one.flow for one in out]


def _counted(flows: Iterable[Flow]) -> Counter[float]:
    counted: Counter[float] = Counter()
    for one in flows:
        counted[one.pack_ml or 0.0] += one.packs or 0
    return counted


@dataclass(frozen=True)
class Gains:
    """What a parcel has more by a line, less what it had by the line that it stands for."""

    parcel_id: str
    by: list[Flow]
    before: list[Flow]

    def of(self, much: Callable[[Flow], float]) -> float:
        """Of what is counted so."""
        return self._sum(self.by, much) - self._sum(self.before, much)

    def _sum(self, moved: list[Flow], much: Callable[[Flow], float]) -> float:
        into = sum(much(one) for one in moved if one.target_id == self.parcel_id)
        return into - sum(much(one) for one in moved if one.source_id == self.parcel_id)


def _solids(one: Flow) -> float:
    return one.solids_kg


def _packs(size: float, one: Flow) -> float:
    """Packs of a size that came back or left for good."""
    return 0.0 if one.reason == SET_ASIDE or one.pack_ml != size else float(one.packs or 0)
