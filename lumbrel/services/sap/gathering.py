"""Sap that was gathered: from a woodlot or tree by tree, its sugar as read or as is usual, ice thrown off."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.pan.raw_sap import SAP_BRIX
from lumbrel.core.sap import sap
from lumbrel.services.base.entry import newest
from lumbrel.services.sap import trees
from lumbrel.services.sap.facts import GatheredFacts
from lumbrel.store import sap as store
from lumbrel.store.instruments import HydrometerDetail, Instrument, RefractometerDetail, instruments_of
from lumbrel.store.kitchen import Woodlot, load_kitchen, woodlots
from lumbrel.store.sap import Tank, Tree
from lumbrel.words import _

BY = {
    "refractometer": _("refractometer"),
    "hydrometer": _("sap hydrometer"),
    "told": _("I know it"),
    "usual": _("not measured"),
}
SAP_STEM_HIGH = 15.0
BY_KIND = {"maple": _("sugar maple"), "walnut": _("walnut"), "birch": _("birch")}


@dataclass(frozen=True, kw_only=True)
class GatherPage:
    """What the form for a collection needs."""

    woodlots: list[Woodlot]
    woodlot: Woodlot | None
    trees: list[Tree]
    taps: int
    tanks: list[Tank]
    refractometers: list[Instrument[RefractometerDetail]]
    stems: list[Instrument[HydrometerDetail]]
    by: dict[str, str]
    usual: sap.Sugar | None

    @property
    def into(self) -> list[tuple[str, str]]:
        """Where it may go: key and words."""
        own = [(tank.id, tank.name) for tank in self.tanks if tank.bounded]
        return [*own, (store.PAILS, _("Pails, no tank")), ("", _("Not brought here: count it only"))]

    last_at: datetime | None


def stems_of(db: Connection) -> list[Instrument[HydrometerDetail]]:
    """Hydrometers whose scale begins low enough for sap."""
    return [
        stem for stem in instruments_of(db, HydrometerDetail) if stem.detail.scale_low_brix < SAP_STEM_HIGH
    ]


def page(db: Connection, woodlot_id: str, now: datetime) -> GatherPage:
    """The form for a collection, for a woodlot; the first one if none is named."""
    known = woodlots(db, retired=False)
    woodlot = next((w for w in known if w.id == woodlot_id), known[0] if known else None)
    drops, stems = instruments_of(db, RefractometerDetail), stems_of(db)
    owned = {"refractometer": bool(drops), "hydrometer": bool(stems), "told": True, "usual": True}
    season = trees.season_of(now, load_kitchen(db))
    in_it = store.trees(db, woodlot.id) if woodlot else []
    taps = store.taps_of(db, woodlot.id, season) if woodlot else {}
    last = newest(db, GatheredFacts, woodlot.id, limit=1) if woodlot else []
    if woodlot and not taps and last:
        taps = {"": round(last[0].facts.taps)}
    return GatherPage(
        woodlots=known,
        woodlot=woodlot,
        trees=[tree for tree in in_it if tree.id in taps],
        taps=sum(taps.values()),
        tanks=store.tanks(db, retired=False),
        refractometers=drops,
        stems=stems,
        by={key: words for key, words in BY.items() if owned[key]},
        usual=usual_sugar(in_it, woodlot) if woodlot else None,
        last_at=last[0].at if last else None,
    )


def usual_sugar(trees: Sequence[Tree], woodlot: Woodlot) -> sap.Sugar:
    """The usual sugar of a woodlot's trees, with its doubt."""
    kinds = [tree.kind for tree in trees if tree.kind in SAP_BRIX] or [BY_KIND[woodlot.sugar_kind]]
    sugars = [sap.usual(kind) for kind in kinds]
    mean = sum(s.brix for s in sugars) / len(sugars)
    return sap.Sugar(mean, max(s.sigma for s in sugars))


@dataclass(frozen=True)
class GatheredSugar:
    """The Brix of sap, its doubt, and the mass it was told by."""

    brix: float
    sigma: float
    by: str
