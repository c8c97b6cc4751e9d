"""A boil-down under way: lit on a tank, fed, stoked, and poured on into the pan that finishes it."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import pairwise
from sqlite3 import Connection
from statistics import median

from lumbrel.core import units
from lumbrel.core.pan.continuous import Steady, steady
from lumbrel.core.sap import fuel, sap
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import (
    FedFacts,
    FromTank,
    FuelFacts,
    Part,
    PartDrawFacts,
    PutInFacts,
    StageFacts,
    TakeInFacts,
)
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.pan.board import Board, board_now, board_of
from lumbrel.services.pan.continuous import running_of
from lumbrel.services.pan.pour import there
from lumbrel.services.sap.boil import FITS, SAID, SETUPS, channels_of, fuel_of, last_setup, measures_of
from lumbrel.services.sap.boil_plan import ARMFUL_KG, TARGET_BRIX, burned_of, measures_in, pan_of
from lumbrel.services.sap.contents import TankView
from lumbrel.services.sap.played import SLACK, views
from lumbrel.services.take_in.bounds import BOIL_DOWN, finishers
from lumbrel.services.take_in.near_syrup import fields_of, how_much
from lumbrel.services.take_in.opening import Source, open_batch
from lumbrel.store import kept
from lumbrel.store.kitchen import VesselRow, Woodlot, woodlots
from lumbrel.words import _, number

FILL = Bounds("fill", "volume", 0.5, 5_000, _("Type how much goes into the pan first, from 0.5 L on."))
LAST_SHOWN = 5
MEASURED_WITHIN = 0.2
"""Sap whose sugar is less well known than by this share is held to be a guess at the pan too."""


def light(db: Connection, fields: dict[str, str], now: datetime) -> str:
    """Light the fire: a batch of sap from a tank, in a pan; returns its code. Sent again it opens one.

    Raises:
        BadInput: a field is wrong, the tank has not so much, or the pan is busy.
    """
    return open_batch(db, now, {**fields, BOIL_DOWN: "1"}, source=lambda form: _from_tank(db, form, now))


def _from_tank(db: Connection, form: Form, now: datetime) -> Source | None:
    litres = form.between(FILL)
    channels = channels_of(form)
    setup = form.fields.get("setup", "")
    given = taken(db, form, "fill", litres, now)
    if given is None:
        return None
    tank, parts = given
    content = tank.content
    whose = max(parts, key=lambda part: part.mass_kg)
    lots = {w.id: w for w in woodlots(db)}
    kind = lots.get(whose.woodlot_id, Woodlot("", "")).sugar_kind
    drawn = FromTank(tank_id=tank.tank.id, mass_kg=sum(p.mass_kg for p in parts), brix=content.brix)
    usual = form.kitchen.target_brix if channels else TARGET_BRIX
    doubtful = content.sigma_brix > MEASURED_WITHIN * content.brix
    return Source(
        fields={
            "woodlot": whose.woodlot_id,
            "sugar_kind": kind,
            "amount": _("{mass} kg", mass=number(drawn.mass_kg, 6)),
            "amount_by": "mass",
            "brix": f"{content.brix:.6f}",
            "brix_by": "told",
            "temperature": f"{max(tank.warm_c, 0.0):.1f} C",
            "target": form.fields.get("target", "").strip() or f"{usual:g}",
        },
        tanks=(drawn,),
        parts=parts,
        channels=channels,
        setup=setup if setup in SETUPS else "",
        fuel=fuel_of(form.fields, setup) if setup in SETUPS else "",
        brix_sigma=content.sigma_brix if doubtful else None,
    )


def pour_on(db: Connection, code: str, fields: dict[str, str], now: datetime) -> str:
    """Pour a boil-down on into the pan that it is finished in: a batch of its own, whose solids are
    known. Returns its code. Sent again it opens one.

    Raises:
        BadInput: a field is wrong, nothing is left of it, or the pan is busy.
    """
    return open_batch(db, now, fields, source=lambda form: _from_pan(db, code, form, now))


def _from_pan(db: Connection, code: str, form: Form, now: datetime) -> Source | None:
    giver = contexts.load(db, code, now)
    if giver.left_at or giver.called_off:
        form.errors["vessel"] = _("Nothing of {code} is on the fire any more.", code=code)
        return None
    stays = form.fields.get("vessel") == giver.vessel.id
    if stays and not giver.channels:
        form.errors["vessel"] = _("That is the pan it is in: choose another, or boil on.")
        return None
    left = _("by what was fed {sugar} kg are in the pan.")
    much = how_much(form, *there(giver), left)
    if much is None:
        return None
    sigma = 0.0 if form.given("brix") else _doubt(giver)
    fields = fields_of(form, giver, much, "95 C")
    if stays:
        fields |= {"target": f"{giver.batch.target_brix:g}", BOIL_DOWN: "1"}
    return Source(
        fields=fields,
        tanks=(),
        parts=(),
        brix_sigma=sigma if sigma > MEASURED_WITHIN * much[1] else None,
        from_batch_id=giver.batch.id,
        channels=giver.channels if stays else 0,
        setup=fire_of(giver)[0] if stays else "",
        fuel=fire_of(giver)[1] if stays else "",
    )


def _doubt(giver: BatchContext) -> float:
    """One sigma of the Brix of what is poured on."""
    board = board_of(giver)
    if board.stands:
        return board.stands.brix_sigma
    return board.believed.sigma_brix if board.believed else 0.0


def taken(
    db: Connection, form: Form, name: str, litres: float | None, now: datetime
) -> tuple[TankView, tuple[Part, ...]] | None:
    """So much sap of a tank, by whose it is; what is wrong is noted on the form.

    Args:
        name: of the field that says how much.
    """
    seen = {v.tank.id: v for v in views(db, now, form.corrects)}
    chosen = form.choice("tank", list(seen), _("Choose the tank it comes from."))
    if not chosen or litres is None:
        return None
    tank = seen[chosen]
    content = tank.content
    if litres > content.litres * SLACK + 0.05 or tank.empty:
        form.errors[name] = _(
            "{tank} holds {litres} now; it cannot give {litres_2}.",
            tank=tank.tank.name,
            litres=form.show(content.litres, "volume"),
            litres_2=form.show(litres, "volume"),
        )
        return None
    mass = min(sap.mass_kg(litres, content.brix), content.mass_kg)
    share = mass / content.mass_kg
    parts = tuple(
        Part(woodlot_id=woodlot, mass_kg=kg * share, brix=100 * solids / kg)
        for woodlot, (kg, solids) in content.by_woodlot.items()
        if kg * share > 1e-6
    )
    return tank, parts


@dataclass(frozen=True, kw_only=True)
class FirePage:
    """A boil-down that is under way."""

    board: Board
    tanks: list[TankView]
    fed_l: float
    """Let in by now, from the first fill on."""
    last_fed_l: float | None
    burned: tuple[FuelFacts, ...]
    setup: str
    fuel: str
    measures: list[tuple[str, str]]
    water_kg: float
    """Driven off by now, by what came in and what is left."""
    since_stoked_min: float | None
    stoke_min: float | None
    """About how often an armful is put on; None for a fire without wood."""
    banked: bool
    others: list[VesselRow]
    """Pans that it could be poured on into; a continuous pan's own where it can go on as a new batch."""
    draws: tuple[Entry[PartDrawFacts], ...]
    """Of a continuous pan."""
    an_hour: Steady | None
    """What a continuous pan takes and gives, by its fire's rate."""

    def into(self, context: BatchContext) -> list[tuple[str, str]]:
        """Where it could go: key and words."""
        return [
            (one.id, _("{one}, a new batch", one=one.name) if one.id == context.vessel.id else one.name)
            for one in self.others
        ]

    @property
    def drawn_kg(self) -> float:
        """Syrup drawn so far."""
        return sum(one.facts.mass_kg for one in self.draws)

    @property
    def drawn_brix(self) -> float | None:
        """Of all that was drawn, together."""
        sugar = sum(one.facts.mass_kg * one.facts.brix for one in self.draws)
        return sugar / self.drawn_kg if self.draws else None

    @property
    def last_draws(self) -> list[tuple[Entry[PartDrawFacts], float | None]]:
        """The last ones, the newest first, with the minutes since the one before."""
        before = [None, *self.draws[:-1]]
        every = [
            (one, (one.at - last.at) / timedelta(minutes=1) if last else None)
            for last, one in zip(before, self.draws, strict=True)
        ]
        return every[: -LAST_SHOWN - 1 : -1]

    @property
    def every_min(self) -> float | None:
        """From one draw to the next, in the middle of the last ones."""
        gaps = [(b.at - a.at) / timedelta(minutes=1) for a, b in pairwise(self.draws[-7:])]
        return median(gaps) if gaps else None

    @property
    def per_water(self) -> tuple[float, str] | None:
        """The fuel burned for each kg or pound of water driven off, and its measure."""
        if not self.burned or self.water_kg <= 0:
            return None
        kitchen = self.board.context.kitchen
        alike = [one for one in self.burned if one.fuel == self.burned[-1].fuel]
        measure = measures_in(kitchen, alike[0].fuel)[-1]
        burned = sum(one.mj for one in alike) / fuel.MJ_EACH[measure]
        water = units.convert(self.water_kg, "mass", kitchen.units["mass"])
        return burned / water, SAID[measure]


def fire(context: BatchContext) -> FirePage:
    """A boil-down as it goes."""
    board = board_now(context)
    taken = context.taken_in.facts
    fed = context.of_kind(FedFacts)
    litres = [sap.litres(e.facts.mass_kg, e.facts.brix) for e in fed]
    burned = context.of_kind(FuelFacts)
    setup, kind = fire_of(context)
    steps = [e.facts.step for e in context.of_kind(StageFacts)]
    stoked = max((e.at for e in burned), default=None)
    came = taken.mass_kg + sum(e.facts.mass_kg for e in context.of_kind(PutInFacts))
    return FirePage(
        board=board,
        tanks=[view for view in views(context.db, context.now) if not view.empty],
        fed_l=sap.litres(taken.mass_kg, taken.brix) + sum(litres),
        last_fed_l=litres[-1] if litres else None,
        burned=tuple(e.facts for e in burned),
        setup=setup,
        fuel=kind,
        measures=measures_of(context.kitchen, kind),
        water_kg=board.stands.driven_off_kg if board.stands else max(came - board.mass_kg, 0.0),
        since_stoked_min=(context.now - stoked) / timedelta(minutes=1) if stoked else None,
        stoke_min=stoke_minutes(context),
        banked=bool(steps) and steps[-1] == "banked",
        others=_free_pans(context),
        draws=tuple(context.of_kind(PartDrawFacts)),
        an_hour=_an_hour(context) if context.channels else None,
    )


def _an_hour(context: BatchContext) -> Steady:
    pan = running_of(context)
    return steady(pan.rate_kg_min, pan.sap_brix, pan.syrup_brix, 1.0)


def _free_pans(context: BatchContext) -> list[VesselRow]:
    busy = {batch.vessel_id for batch in kept.waiting(context.db, "pan")}
    own = {context.vessel.id} if context.channels else set()
    return [vessel for vessel in finishers(context.db) if vessel.id not in busy - own]


def fire_of(context: BatchContext) -> tuple[str, str]:
    """Over what fire it stands, and what burns in it."""
    burned = context.of_kind(FuelFacts)
    if burned:
        return burned[-1].facts.setup, burned[-1].facts.fuel
    lit = context.taken_in.facts
    if isinstance(lit, TakeInFacts) and lit.setup:
        return lit.setup, lit.fuel
    setup = last_setup(context.db)
    return setup, FITS[setup][0]


def stoke_minutes(context: BatchContext) -> float | None:
    """How long an armful of wood lasts under this pan; None for a fire without wood."""
    setup, kind = fire_of(context)
    if kind not in ("hardwood", "softwood"):
        return None
    efficiency = fuel.learned_efficiency(setup, burned_of(context.db, setup, kind, context.now))
    pan = pan_of(context.db, context.vessel, context.now)
    mj_a_minute = fuel.heat_mj(pan.rate.middle, pan.rate.middle, 4.0, 98.6) / efficiency.middle
    return ARMFUL_KG * fuel.MJ_EACH["wood kg"] / mj_a_minute
