"""Where a parcel came from and what came of it, and the accounts, as JSON."""

from dataclasses import asdict
from datetime import datetime
from typing import Any

from pydantic import BaseModel

from lumbrel.services.base.form import NotFound
from lumbrel.services.shelf.accounts import HERE, MISSING, Account
from lumbrel.services.shelf.accounts import accounts as accounts_of
from lumbrel.services.shelf.trace import flows_of
from lumbrel.web.shell.answer import SpokenJSON
from lumbrel.web.shell.request import Here
from lumbrel.web.shell.room import RoomRoutes

router = RoomRoutes(prefix="/api", tags=["trace"])
LONGEST_CODE = 60


class LinkModel(BaseModel):
    """A parcel above or below, or a woodlot: what came into it in all, and how much of that sugar
    is in the other. `share`: above, of the traced parcel's sugar; below, of what it held."""

    kind: str
    code: str
    at: datetime | None
    mass_kg: float
    brix: float
    solids_kg: float
    share: float


class LeftModel(BaseModel):
    """What left the kitchen, and why."""

    reason: str
    solids_kg: float
    share: float
    packs: int


class VouchedModel(BaseModel):
    """An instrument that was read for it."""

    instrument: str
    kind: str
    readings: int
    last_read_at: datetime
    checked_at: datetime | None


class TraceModel(BaseModel):
    """A parcel with all that went into it and all that came of it."""

    kind: str
    code: str
    at: datetime | None
    mass_kg: float
    brix: float
    solids_kg: float
    came_from: list[LinkModel]
    went_into: list[LinkModel]
    left: list[LeftModel]
    vouched: list[VouchedModel]
    also: list[str]


class AccountModel(BaseModel):
    """A woodlot's sugar of a season, kg: what came in is here, has left, or is missing."""

    woodlot: str
    solids_in_kg: float
    packed_kg: float
    due_kg: float
    delivered_kg: float
    owed_kg: float
    here_kg: dict[str, float]
    left_kg: dict[str, float]
    missing_kg: dict[str, float]


class AccountsModel(BaseModel):
    """The accounts of a season."""

    season: int
    toll_percent: float
    woodlots: list[AccountModel]
    total: AccountModel


@router.get("/trace/{code:path}", response_model=TraceModel)
def trace(visit: Here, code: str, kind: str = "") -> Any:
    """What went into a parcel and what came of it, by its code: a lot, batch, delivery, or a
    woodlot's name. Where several kinds bear one code, `kind` says which."""
    try:
        return asdict(flows_of(visit.db, code[:LONGEST_CODE], kind))
    except NotFound as error:
        return SpokenJSON({"detail": [{"loc": ["path", "code"], "msg": str(error)}]}, 404)


@router.get("/accounts", response_model=AccountsModel)
def accounts(visit: Here, season: int | None = None) -> AccountsModel:
    """By woodlot: solids in, due, delivered, owed, missing by cause; of this season or another."""
    found = accounts_of(visit.db, season or visit.local.year)
    return AccountsModel(
        season=found.season,
        toll_percent=found.toll_percent,
        woodlots=[_account(one) for one in found.woodlots],
        total=_account(found.total),
    )


def _account(one: Account) -> AccountModel:
    return AccountModel(
        woodlot=one.woodlot,
        solids_in_kg=one.solids_in_kg,
        packed_kg=one.packed_kg,
        due_kg=one.due_kg,
        delivered_kg=one.delivered_kg,
        owed_kg=one.owed_kg,
        here_kg={HERE[place]: kg for place, kg in one.here.items()},
        left_kg=dict(one.left),
        missing_kg={MISSING[cause]: kg for cause, kg in one.missing.items()},
    )
