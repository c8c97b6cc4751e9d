"""What leaves the shelf over the season: the woodlots' shares, what is sold, a jar that breaks."""

from datetime import datetime, timedelta
from sqlite3 import Connection

from lumbrel.services.base import batch as contexts
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import JarFacts
from lumbrel.services.stations import slip
from lumbrel.store import jars

EVERY_OTHER, SOLD_EVERY, BROKEN_EVERY = 2, 3, 13
SHARE_AFTER, SOLD_AFTER, BROKEN_AFTER, BACK_AFTER = (timedelta(days=d) for d in (9, 14, 16, 20))


def play(db: Connection, codes: list[str], until: datetime) -> None:
    """Take jars out of the lots of some batches, some days after each was packed."""
    for i, code in enumerate(codes):
        context = contexts.load(db, code, until)
        packed = context.last(JarFacts)
        if packed is not None:
            _leave(db, code, i, packed, until)


def _leave(db: Connection, code: str, number: int, packed: Entry[JarFacts], until: datetime) -> None:
    woodlot_id = contexts.load(db, code, until).woodlot.id
    first = jars.jars_of(db, packed.facts.lot)[0]
    lot = {"lot": packed.facts.lot, "size_1": f"{first.size_ml:g} ml"}

    def put(kind: str, after: timedelta, count: int, **more: str) -> None:
        at = packed.at + after
        if at < until and count > 0:
            fields = {"id": f"{kind}-{code}-{after.days:03d}", "count_1": str(count)}
            slip.put(db, code, kind, fields | lot | more, at)

    if number % EVERY_OTHER == 0:
        put("taken_out", SHARE_AFTER, first.count // 2, reason="woodlot", woodlot=woodlot_id)
    if number % SOLD_EVERY == 0:
        put("taken_out", SOLD_AFTER, first.count // 4, reason="sold")
    if number % BROKEN_EVERY == 4:
        put("taken_out", BROKEN_AFTER, 1, reason="broken", note="cold glass")
    if number % BROKEN_EVERY == 9:
        put("taken_out", BROKEN_AFTER, 2, reason="sold")
        put("came_back", BACK_AFTER, 1, note="the cap was dented")
