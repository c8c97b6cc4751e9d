"""What a season says of the next one."""

from collections.abc import Sequence
from datetime import datetime
from functools import partial
from sqlite3 import Connection
from statistics import median

from lumbrel.services.base.cache import cache_of, last_line, record_key
from lumbrel.services.sap import trees
from lumbrel.services.sap.season_sums import MOST_SUMS, Sum
from lumbrel.services.sap.yields import yields
from lumbrel.store import sap as store
from lumbrel.store.kitchen import Woodlot, load_kitchen, woodlots
from lumbrel.words import _, joined, n_, number

POOR_SHARE, FEW = 0.5, 4
MOST_TREES = 200
"""Of more, each woodlot's page tells: to look at every trunk takes its time."""


def next_year(db: Connection, now: datetime, whole: Sum, others: Sequence[Sum], spoilt_l: float) -> list[str]:
    """What the season says of the next one."""
    found = []
    if spoilt_l > 0.02 * whole.litres:
        share = 100 * spoilt_l / whole.litres
        found.append(
            _(
                "{share} % of the sap was thrown out: boil earlier, keep the tank colder, or fetch more often.",
                share=number(share, 0),
            )
        )
    earlier = [one for one in others if one.first]
    if whole.first and earlier:
        days = sorted(one.first.timetuple().tm_yday for one in earlier if one.first)
        usual = days[len(days) // 2]
        apart = whole.first.timetuple().tm_yday - usual
        if abs(apart) >= 4:
            found.append(
                _(
                    "It began {apart} days {value} than is usual here; have the gear ready by then.",
                    apart=abs(apart),
                    value=_("later") if apart > 0 else _("earlier"),
                )
            )
    if whole.season == trees.season_of(now, load_kitchen(db)):
        counts = store.tree_counts(db)
        if sum(counts.values()) > MOST_TREES:
            found.append(_("What the trees say of next year stands on each woodlot’s page."))
            return found
        for lot in woodlots(db):
            if counts.get(lot.id):
                found += [_("{of}: {words}", of=lot.name, words=words) for words in trees_say(db, now, lot)]
    return found


def trees_say(db: Connection, now: datetime, lot: Woodlot) -> list[str]:
    """What the trees of a woodlot say of the next season."""
    season = trees.season_of(now, load_kitchen(db))
    news = last_line(db, "tree", "woodlot", "setting", "struck")
    key = (record_key(db), "trees", news, lot, season)
    shelf = cache_of(db).shelf("seasons", MOST_SUMS)
    return shelf.get(key, partial(_of_trees, db, now, lot, season))


def _of_trees(db: Connection, now: datetime, lot: Woodlot, season: int) -> list[str]:
    seen = trees.views(db, lot.id, now)
    gave = yields(db, lot.id, season)
    found = []
    per_tap = {key: one.solids_kg / max(one.taps, 1) for key, one in gave.items()}
    if len(per_tap) >= FEW:
        middle = median(per_tap.values())
        poor = [v.tree.name for v in seen if per_tap.get(v.tree.id, middle) < POOR_SHARE * middle]
        if poor:
            found.append(
                n_(
                    "tree {names} gave less than half the usual sugar a tap; look at its crown and "
                    "holes, or let it rest.",
                    "trees {names} gave less than half the usual sugar a tap; look at their crowns "
                    "and holes, or let them rest.",
                    len(poor),
                    names=joined(", ", poor[:8]),
                )
            )
    full = [view.tree.name for view in seen if view.full_next]
    if full:
        found.append(
            n_(
                "{count} tree is full after this season by the rule here, and rests.",
                "{count} trees are full after this season by the rule here, and rest.",
                len(full),
            )
        )
    unmeasured = [view for view in seen if view.girth_mm is None]
    if unmeasured:
        found.append(
            n_("measure the girth of {count} tree.", "measure the girth of {count} trees.", len(unmeasured))
        )
    return found
