"""What the lines of slips moved, kept as they stand: what is another than before is written anew."""

from collections import defaultdict
from sqlite3 import Connection
from typing import Any

from lumbrel.services.base import standing
from lumbrel.services.base.entry import Entry, slip_of
from lumbrel.services.base.facts import CalledOffFacts, Facts
from lumbrel.services.base.form import BadInput, Form
from lumbrel.services.record.flows import deliveries, moved_by, takes_jars
from lumbrel.store import flow, flowed, kept, record
from lumbrel.store.flow import Flow
from lumbrel.store.kitchen import load_kitchen
from lumbrel.store.record import Batch
from lumbrel.words import _

COMES_BACK = _(
    "What is poured would come back to where it came from, and nobody could say whose sugar is whose."
)


def moves(db: Connection, batch: Batch, entry: Entry[Facts], lines: standing.Slip) -> bool:
    """Whether anything could flow otherwise by a line than before it."""
    if entry.supersedes or isinstance(entry.facts, CalledOffFacts):
        return True
    return takes_jars(entry.facts) or bool(moved_by(db, batch, entry, lines))


class Moved:
    """Keeps what the lines of slips moved: what is another than before is written anew."""

    def __init__(self, db: Connection) -> None:
        self._db = db
        self.touched: set[str] = set()
        """The parcels into or out of which something flows otherwise."""

    def keep(self, batch: Batch, slip: list[Entry[Any]]) -> None:
        """Of one slip. What jars weigh is known once they are packed, so their moves come after.

        Raises:
            BadInput: something would come back to where it came from, or jars would be missing.
        """
        lines = standing.current(slip)
        counts: standing.Slip = [] if standing.is_called_off(lines) else lines
        known: dict[str, list[Flow]] = defaultdict(list)
        for one in flow.flows_of(self._db, batch.id):
            known[one.entry_id].append(one.flow)
        for line_id in known.keys() - {line.id for line in counts}:
            self._put(line_id, known[line_id], [])
        for of_jars in (False, True):
            for line in (one for one in counts if takes_jars(one.facts) == of_jars):
                self._put(line.id, known[line.id], moved_by(self._db, batch, line, lines))
            self._none_short()
        flow.keep_parcels(self._db, batch.id, batch.code, deliveries(batch, slip, lines))

    def keep_what_rests_on(self, batch_id: str) -> None:
        """Of other slips that moved this batch's jars."""
        for line_id, other_id in flowed.moved_jars_of(self._db, batch_id):
            other = record.batch_by(self._db, id=other_id)
            assert other is not None
            lines = standing.current(slip_of(self._db, other_id))
            line = next(one for one in lines if one.id == line_id)
            known = flow.flows_of_line(self._db, line_id)
            self._put(line_id, known, moved_by(self._db, other, line, lines))

    def _put(self, line_id: str, known: list[Flow], wanted: list[Flow]) -> None:
        if known == wanted:
            return
        for one in wanted:
            ends = one.source_id, one.target_id
            if one not in known and all(ends) and flowed.comes_back(self._db, *map(str, ends)):
                raise BadInput({"from": COMES_BACK, "lot": COMES_BACK, "b": COMES_BACK})
        flow.drop_flows(self._db, line_id)
        flow.add_flows(self._db, line_id, wanted)
        for one in (*known, *wanted):
            self.touched |= {end for end in (one.source_id, one.target_id) if end}

    def _none_short(self) -> None:
        for parcel_id in self.touched:
            kept.keep_stock(self._db, parcel_id)
        none_short(self._db, self.touched)


def none_short(db: Connection, parcel_ids: set[str]) -> None:
    """No more jars may have left a lot than it has."""
    show = Form({}, load_kitchen(db)).show
    for parcel_id in parcel_ids:
        short = kept.short_of(db, parcel_id)
        if short:
            size, count = short
            raise BadInput(
                {
                    "why": _(
                        "{count} jars of {size} have left the shelf already that would not be there then. "
                        "Strike the line that took them out first.",
                        count=count,
                        size=show(size, "jar"),
                    )
                }
            )
