"""Whose sugar came in, what became of it, and what each woodlot is still owed."""

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass, field
from datetime import UTC, datetime
from sqlite3 import Connection
from zoneinfo import ZoneInfo

from lumbrel.services.record.flows import SAID_OF_REASON
from lumbrel.store import flow, kept
from lumbrel.store.flow import BULK, CHARGE, CONFECTION, LOT, Carried
from lumbrel.store.kitchen import Kitchen, load_kitchen, woodlots
from lumbrel.words import _

Solids = dict[str, float]
NOTHING_KG = 1e-9
PACKED = (LOT, CONFECTION)
HERE = {
    "pan": _("on the fire"),
    "kettle": _("drawn, not packed yet"),
    "shelf": _("on the shelf"),
    "next_season": _("carried into the next season"),
}
MISSING = {"pan": _("pan film, carry-over and weighing"), "filter": _("kettle and filter")}
"""By place, what is missing when a parcel is done."""


@dataclass(kw_only=True)
class Account:
    """One woodlot's sugar of a season, kg. All that came in is here, has left, or is missing."""

    woodlot: str
    solids_in_kg: float = 0.0
    packed_kg: float = 0.0
    """In jars that were packed, whatever became of them."""
    due_kg: float = 0.0
    """What of it is the woodlot's: the kitchen's share taken off, as it was when it was packed."""
    delivered_kg: float = 0.0
    """Given back to the woodlot in jars of its own."""
    here: Solids = field(default_factory=lambda: defaultdict(float))
    left: Solids = field(default_factory=lambda: defaultdict(float))
    missing: Solids = field(default_factory=lambda: defaultdict(float))

    @property
    def owed_kg(self) -> float:
        """What is due and not delivered yet; below nothing when more was delivered."""
        return self.due_kg - self.delivered_kg

    @property
    def apart_kg(self) -> float:
        """What came in less all that is known of it: nothing, but for the last digits."""
        known = [*self.here.values(), *self.left.values(), *self.missing.values()]
        return self.solids_in_kg - sum(known)

    def add(self, other: "Account") -> None:
        """Add another account to this one, for a total."""
        self.solids_in_kg += other.solids_in_kg
        self.packed_kg += other.packed_kg
        self.due_kg += other.due_kg
        self.delivered_kg += other.delivered_kg
        for mine, theirs in ((self.here, other.here), (self.left, other.left), (self.missing, other.missing)):
            for key, kg in theirs.items():
                mine[key] += kg


@dataclass(frozen=True)
class Accounts:
    """The accounts of a season: each woodlot's, and all together."""

    season: int
    toll_percent: float
    """As it was at the season's end, or is now."""
    woodlots: list[Account]
    total: Account


def accounts(db: Connection, season: int) -> Accounts:
    """The accounts of a season: of all parcels opened in it, and nothing else."""
    kitchen = load_kitchen(db)
    names = {w.id: w.name for w in woodlots(db)}
    books: dict[str, Account] = {}
    since, until = season_bounds(kitchen, season)
    within = flow.codes_opened(db, since, until)
    waits = kept.all_waiting(db)

    def book(woodlot_id: str) -> Account:
        if woodlot_id not in books:
            books[woodlot_id] = Account(woodlot=names[woodlot_id])
        return books[woodlot_id]

    remains: dict[tuple[str, str, str, str], float] = defaultdict(float)
    for one in flow.carried_into(db, since, until):
        _came(book(one.woodlot_id), one, within)
        if one.kind in PACKED and one.other_id is not None:
            # It came from a kettle or a pot: it was packed, and did not come back.
            account = book(one.woodlot_id)
            account.packed_kg += one.solids_kg
            account.due_kg += one.solids_kg * (1 - kitchen.toll_at(one.at) / 100)
        remains[one.parcel_id, one.kind, one.batch_id, one.woodlot_id] += one.solids_kg
    for one in flow.carried_out(db, since, until):
        _went(book(one.woodlot_id), one, within)
        if one.kind == LOT and one.other_id is not None:
            # Opened again into a kettle or a pot: what is packed of that is packed once more.
            account = book(one.woodlot_id)
            account.packed_kg -= one.solids_kg
            account.due_kg -= one.solids_kg * (1 - kitchen.toll_at(one.at) / 100)
        if one.for_woodlot_id:
            # A woodlot's own jars are delivered to it whosever sugar is mixed in them.
            book(one.for_woodlot_id).delivered_kg += one.solids_kg
        remains[one.parcel_id, one.kind, one.batch_id, one.woodlot_id] -= one.solids_kg
    for (_any, kind, batch_id, woodlot_id), kg in remains.items():
        _remains(book(woodlot_id), kind, waits.get(batch_id, frozenset()), kg)
    total = Account(woodlot="all")
    for account in books.values():
        total.add(account)
    ordered = sorted(books.values(), key=lambda account: account.woodlot)
    return Accounts(season, kitchen.toll_at(until), ordered, total)


def season_bounds(kitchen: Kitchen, season: int) -> tuple[datetime, datetime]:
    """When a season begins and ends: its year, in the kitchen's zone."""
    year = min(max(season, 2), 9998)
    zone = ZoneInfo(kitchen.time_zone or "UTC")
    begin, end = (datetime(y, 1, 1, tzinfo=zone).astimezone(UTC) for y in (year, year + 1))
    return begin, end


def _came(account: Account, one: Carried, within: Collection[str]) -> None:
    if one.other_id is None and one.packed:
        account.left[_("came back")] -= one.solids_kg
    elif one.other_id not in within:
        account.solids_in_kg += one.solids_kg


def _went(account: Account, one: Carried, within: Collection[str]) -> None:
    if one.other_id is None:
        account.left[SAID_OF_REASON.get(one.reason, one.reason)] += one.solids_kg
    elif one.other_id not in within:
        account.here["next_season"] += one.solids_kg


def _remains(account: Account, kind: str, waits: frozenset[str], kg: float) -> None:
    """What is left where it was: there still, or missing once the batch has gone on."""
    if abs(kg) < NOTHING_KG:
        return
    if kind in PACKED:
        account.here["shelf"] += kg
    elif kind == BULK and waits & {"filter", "colour", "jar", "take_in"}:
        account.here["kettle"] += kg
    elif kind == BULK:
        account.missing["filter"] += kg
    elif kind == CHARGE and waits & {"pan", "candy"}:
        account.here["pan"] += kg
    else:
        account.missing["pan"] += kg
