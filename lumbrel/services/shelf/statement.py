"""A woodlot's statement of a season: what it brought, what it is due, what it has had, what it is owed."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.physics.sucrose import density_kg_m3
from lumbrel.services.base.form import Form, NotFound
from lumbrel.services.shelf.accounts import HERE, MISSING, Account, accounts, season_bounds
from lumbrel.store import flow, flowed
from lumbrel.store.kitchen import load_kitchen, woodlots
from lumbrel.words import _

GONE = _("lost at the pot, or opened again")
GRAM_KG = 1e-3


@dataclass(frozen=True)
class Delivered:
    """Something that came from a woodlot or went back to it: kg, Brix, jars where it went in jars."""

    at: datetime
    code: str
    mass_kg: float
    brix: float
    jars: str = ""

    @property
    def solids_kg(self) -> float:
        """The sugar in it."""
        return self.mass_kg * self.brix / 100


@dataclass(frozen=True, kw_only=True)
class Statement:
    """A woodlot's statement."""

    woodlot: str
    season: int
    share_percent: float
    """What of the syrup the kitchen keeps, as it was at the season's end, or is now."""
    account: Account
    brought: list[Delivered]
    went_back: list[Delivered]
    syrup_brix: float

    @property
    def not_packed(self) -> list[tuple[str, float]]:
        """What was brought and is in no jar, kg, in words; with what is packed it is all of it."""
        here = {HERE[place]: kg for place, kg in self.account.here.items() if place != "shelf"}
        missing = {MISSING[place]: kg for place, kg in self.account.missing.items()}
        known = {**here, **missing}
        rest = self.account.solids_in_kg - self.account.packed_kg - sum(known.values())
        return [(words, kg) for words, kg in {**known, GONE: rest}.items() if abs(kg) >= GRAM_KG / 2]

    def litres(self, solids_kg: float) -> float:
        """Sugar as syrup of the kitchen's density, L at 20 degC."""
        per_litre = density_kg_m3(self.syrup_brix, 20.0) / 1000 * self.syrup_brix / 100
        return solids_kg / per_litre


def statement(db: Connection, woodlot: str, season: int) -> Statement:
    """The statement of a woodlot's season.

    Raises:
        NotFound: no such woodlot, or nothing came of it that season.
    """
    known = next((w for w in woodlots(db) if woodlot.strip().lower() == w.name.lower()), None)
    if known is None:
        raise NotFound(_("There is no woodlot {woodlot}.", woodlot=woodlot[:40]))
    books = accounts(db, season)
    account = next((a for a in books.woodlots if a.woodlot == known.name), None)
    if account is None:
        raise NotFound(_("Nothing of {known} was taken in in {season}.", known=known.name, season=season))
    kitchen = load_kitchen(db)
    since, until = season_bounds(kitchen, season)
    brought = [
        Delivered(one.at, parcel.code, one.flow.mass_kg, one.flow.brix)
        for parcel in flow.parcels_of_woodlot(db, known.id, since, until)
        for one in flowed.flows_into(db, parcel.id)
    ]
    return Statement(
        woodlot=known.name,
        season=season,
        share_percent=books.toll_percent,
        account=account,
        brought=brought,
        went_back=_went_back(db, known.id, since, until),
        syrup_brix=kitchen.target_brix,
    )


def _went_back(db: Connection, woodlot_id: str, since: datetime, until: datetime) -> list[Delivered]:
    show = Form({}, load_kitchen(db)).show
    found = flowed.gone_to_woodlot(db, woodlot_id, since, until)
    return [
        Delivered(
            one.at,
            code,
            one.flow.mass_kg,
            one.flow.brix,
            f"{one.flow.packs} × {show(one.flow.pack_ml or 0.0, 'jar')}",
        )
        for code, one in found
    ]
