"""A season for who keeps the books: what came in, was packed, left and stands here, by lot and woodlot, in
tables with days of the kitchen's own calendar and figures in its own units."""

from collections import defaultdict
from dataclasses import dataclass
from datetime import date, datetime
from sqlite3 import Connection

from lumbrel.core.units import KINDS, convert
from lumbrel.services.base.form import local_time
from lumbrel.services.record.flows import SAID_OF_REASON
from lumbrel.services.shelf.accounts import HERE, MISSING, PACKED, accounts, season_bounds
from lumbrel.store import flow, flowed, jars
from lumbrel.store.flow import CONFECTION
from lumbrel.store.jars import PackMove
from lumbrel.store.kitchen import Kitchen, load_kitchen, woodlots
from lumbrel.words import _

Cell = str | int | float | date
WENT = ("sold", "woodlot", "given", "used", "broken", "spoiled", "other")
SUGAR_DECIMALS = 3


@dataclass(frozen=True)
class SeasonTable:
    """One table: its name, the titles of its columns, its rows."""

    name: str
    columns: tuple[str, ...]
    rows: list[tuple[Cell, ...]]


@dataclass(frozen=True)
class Ledger:
    """The tables of a season."""

    season: int
    kitchen: str
    tables: tuple[SeasonTable, ...]


def ledger(db: Connection, season: int) -> Ledger:
    """The tables of a season: of what was taken in in it, and of the lots that were packed from that."""
    kitchen = load_kitchen(db)
    made = _Tables(db, kitchen, season)
    tables = (made.woodlots(), made.intake(), made.packed(), made.gone(), made.stock(), made.lots())
    return Ledger(season, kitchen.name, tables)


class _Tables:
    def __init__(self, db: Connection, kitchen: Kitchen, season: int) -> None:
        self._db, self._kitchen, self._season = db, kitchen, season
        self._since, self._until = season_bounds(kitchen, season)
        self._names = {w.id: w.name for w in woodlots(db)}
        self._moves = jars.pack_moves(db, self._since, self._until)

    def _unit(self, kind: str) -> str:
        return KINDS[kind].unit(self._kitchen.units.get(kind, "")).symbol

    def _in(self, value: float, kind: str, decimals: int = SUGAR_DECIMALS) -> float:
        return round(convert(value, kind, self._kitchen.units.get(kind, "")), decimals) + 0.0

    def _day(self, at: datetime) -> date:
        return local_time(at, self._kitchen).date()

    def _sugar(self, *titles: str) -> tuple[str, ...]:
        return tuple(_("{title}, sugar ({unit})", title=title, unit=self._unit("mass")) for title in titles)

    def woodlots(self) -> SeasonTable:
        """Whose sugar came in, and what became of it."""
        found = accounts(self._db, self._season)
        here, missing = list(HERE.items()), list(MISSING.items())
        left = sorted({reason for account in found.woodlots for reason in account.left})
        titles = (_("Came in"), _("Packed"), _("Due"), _("Delivered"), _("Owed"))
        others = [*(words for _any, words in here), *left, *(words for _any, words in missing)]
        rows: list[tuple[Cell, ...]] = [
            (
                account.woodlot,
                *(
                    self._in(kg, "mass")
                    for kg in (
                        account.solids_in_kg,
                        account.packed_kg,
                        account.due_kg,
                        account.delivered_kg,
                        account.owed_kg,
                        *(account.here.get(key, 0.0) for key, _any in here),
                        *(account.left.get(reason, 0.0) for reason in left),
                        *(account.missing.get(key, 0.0) for key, _any in missing),
                    )
                ),
            )
            for account in [*found.woodlots, found.total]
        ]
        capital = (words[:1].upper() + words[1:] for words in others)
        return SeasonTable(_("Woodlots"), (_("Woodlot"), *self._sugar(*titles, *capital)), rows)

    def intake(self) -> SeasonTable:
        """What each woodlot brought, day by day."""
        mass = self._unit("mass")
        brought = [
            (one.at, parcel.code, woodlot_id, one.flow.mass_kg, one.flow.brix)
            for woodlot_id in self._names
            for parcel in flow.parcels_of_woodlot(self._db, woodlot_id, self._since, self._until)
            for one in flowed.flows_into(self._db, parcel.id)
        ]
        rows: list[tuple[Cell, ...]] = [
            (
                self._day(at),
                code,
                self._names[woodlot_id],
                self._in(kg, "mass", 2),
                round(brix, 2),
                self._in(kg * brix / 100, "mass"),
            )
            for at, code, woodlot_id, kg, brix in sorted(brought)
        ]
        titles = (
            _("Day"),
            _("Delivery"),
            _("Woodlot"),
            _("Mass ({mass})", mass=mass),
            _("Brix"),
            _("Sugar ({mass})", mass=mass),
        )
        return SeasonTable(_("Intake"), titles, rows)

    def _titles(self, *titles: str) -> tuple[str, ...]:
        mass, volume = self._unit("mass"), self._unit("volume")
        rest = (
            _("Packs"),
            _("Pack"),
            _("Volume ({volume})", volume=volume),
            _("Mass ({mass})", mass=mass),
            _("Sugar ({mass})", mass=mass),
        )
        return (_("Day"), _("Lot"), _("Batch"), *titles, *rest)

    def _row(self, one: PackMove, *said: Cell, sign: int = 1) -> tuple[Cell, ...]:
        syrup = one.kind != CONFECTION
        volume = one.packs * one.pack_ml / 1000 if syrup else 0.0
        return (
            self._day(one.at),
            one.lot,
            one.batch_code,
            *said,
            sign * one.packs,
            self._pack(one.kind, one.pack_ml),
            sign * self._in(volume, "volume"),
            sign * self._in(one.mass_kg, "mass"),
            sign * self._in(one.mass_kg * one.brix / 100, "mass"),
        )

    def _pack(self, kind: str, pack_ml: float) -> str:
        what = "piece" if kind == CONFECTION else "jar"
        unit = KINDS[what].unit(self._kitchen.units.get(what, ""))
        return f"{convert(pack_ml, what, unit.key):.{unit.decimals}f} {unit.symbol}"

    def packed(self) -> SeasonTable:
        rows = [self._row(one) for one in self._moves if one.came and one.other_id]
        return SeasonTable(_("Packed"), self._titles(), rows)

    def gone(self) -> SeasonTable:
        """What was sold, delivered, given away or spoiled; what came back is taken off."""
        rows = []
        for one in self._moves:
            whose = self._names.get(one.for_woodlot_id or "", "")
            if not one.came:
                words = _("opened again") if one.other_id else SAID_OF_REASON.get(one.reason, one.reason)
                rows.append(self._row(one, words, whose))
            elif one.other_id is None:
                rows.append(self._row(one, _("came back"), whose, sign=-1))
        return SeasonTable(_("Sold and delivered"), self._titles(_("Reason"), _("To woodlot")), rows)

    def stock(self) -> SeasonTable:
        """What stands on the shelf today."""
        left: dict[tuple[str, str, str, float], list[float]] = defaultdict(lambda: [0, 0.0, 0.0])
        for one in self._moves:
            sign = 1 if one.came else -1
            held = left[one.lot, one.batch_code, one.kind, one.pack_ml]
            held[0] += sign * one.packs
            held[1] += sign * one.mass_kg
            held[2] += sign * one.mass_kg * one.brix / 100
        mass, volume = self._unit("mass"), self._unit("volume")
        rows: list[tuple[Cell, ...]] = [
            (
                lot,
                batch,
                round(packs),
                self._pack(kind, pack_ml),
                self._in(packs * pack_ml / 1000 if kind != CONFECTION else 0.0, "volume"),
                self._in(kg, "mass"),
                self._in(sugar, "mass"),
            )
            for (lot, batch, kind, pack_ml), (packs, kg, sugar) in left.items()
            if packs > 0
        ]
        titles = (
            _("Lot"),
            _("Batch"),
            _("Packs"),
            _("Pack"),
            _("Volume ({volume})", volume=volume),
            _("Mass ({mass})", mass=mass),
        )
        return SeasonTable(_("Stock"), (*titles, _("Sugar ({mass})", mass=mass)), rows)

    def lots(self) -> SeasonTable:
        """Whose sugar is in each lot, and what of it was packed, left and is here."""
        sums: dict[tuple[str, str], dict[str, float]] = defaultdict(lambda: defaultdict(float))
        code = flow.codes_opened(self._db, self._since, self._until)
        for one in flow.carried_into(self._db, self._since, self._until):
            if one.kind in PACKED:
                key = "packed" if one.other_id else _("came back")
                sums[code[one.parcel_id], self._names[one.woodlot_id]][key] += one.solids_kg
        for one in flow.carried_out(self._db, self._since, self._until):
            if one.kind in PACKED:
                key = one.reason if one.other_id is None else "opened"
                sums[code[one.parcel_id], self._names[one.woodlot_id]][key] += one.solids_kg
        titles = [SAID_OF_REASON[reason] for reason in WENT]
        rows: list[tuple[Cell, ...]] = []
        for (lot, woodlot), kg in sorted(sums.items()):
            went = [kg[reason] for reason in WENT]
            here = kg["packed"] + kg["came back"] - kg["opened"] - sum(went)
            figures = [kg["packed"], *went, kg["opened"], kg["came back"], here]
            rows.append((lot, woodlot, *(self._in(one, "mass") for one in figures)))
        capital = [words[:1].upper() + words[1:] for words in titles]
        columns = self._sugar(_("Packed"), *capital, _("Opened again"), _("Came back"), _("Here"))
        return SeasonTable(_("Lots by woodlot"), (_("Lot"), _("Woodlot"), *columns), rows)
