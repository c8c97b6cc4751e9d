"""What this kitchen's own cooks teach of the next one."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.candy import learned, stirring
from lumbrel.core.candy.bath import BATHS, CANDY_KG_PER_M3, TOLD_SIGMA, Held, PotPlace, wetted_m2
from lumbrel.core.candy.cook import HEATING_KW
from lumbrel.core.candy.learned import Loss
from lumbrel.core.candy.stirring import WORKED, Turn
from lumbrel.core.errors import OutOfRange
from lumbrel.core.physics.water import latent_heat_kj_per_kg
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import BathFacts, CookedFacts
from lumbrel.services.pan.rate import DRAWS_NEEDED, Rate, learned_rate
from lumbrel.store import cooks
from lumbrel.store.cooks import CookSeen
from lumbrel.store.kitchen import VesselRow
from lumbrel.words import _, joined, number

LAST_COOKS, LAST_DOTS = 12, 24
RATE_SIGMA_SHARE = 0.4


def loss_of(db: Connection, vessel_id: str, before: datetime) -> Loss:
    """What stays in a pot, by its last cooks that were weighed."""
    seen = cooks.of_pot(db, vessel_id, before, LAST_COOKS)
    return learned.loss([one.loss for one in seen if one.loss is not None])


def boils_off(db: Connection, vessel: VesselRow, before: datetime) -> Rate:
    """How fast a candy pot boils: by its last cooks, or as a stove does."""
    rate = learned_rate(db, vessel, before)
    if rate.draws >= DRAWS_NEEDED:
        return rate
    usual = HEATING_KW * 60 / latent_heat_kj_per_kg(105.0)
    return Rate(usual, RATE_SIGMA_SHARE * usual, 0)


def stands(
    context: BatchContext, told: CookedFacts | BathFacts, mass_kg: float, before: datetime
) -> tuple[PotPlace, int]:
    """A pot where it was put, with what its earlier cooks taught; and how many of them."""
    films, litres = _cooled(context.db, context.vessel.id, told.bath, before)
    holds, doubt = (told.litres, TOLD_SIGMA) if told.litres else learned.litres_of(litres) or (None, 0.0)
    found = PotPlace(
        bath=told.bath,
        mass_kg=mass_kg,
        wall_m2=_wall_m2(context, mass_kg),
        around_c=told.around_c,
        running=told.running,
        film=None if told.running else learned.film_of(told.bath, films),
        litres=holds,
        litres_sigma=doubt,
    )
    return found, len(films)


def _cooled(db: Connection, vessel_id: str, bath: str, before: datetime) -> tuple[list[float], list[float]]:
    """What a pot's last cooks showed of a bath: its film, W/m2K, and its litres."""
    seen = [one for one in cooks.of_pot(db, vessel_id, before, LAST_COOKS) if one.bath == bath]
    return [one.film for one in seen if one.film], [one.litres for one in seen if one.litres]


def _wall_m2(context: BatchContext, mass_kg: float) -> float | None:
    """What the candy wets of its pot; None of one that would not hold it."""
    litres = mass_kg / CANDY_KG_PER_M3 * 1000
    try:
        return wetted_m2(litres, context.geometry.depth_mm(litres))
    except OutOfRange:
        return None


def turns(db: Connection, piece: str, before: datetime) -> Turn | None:
    """How long a confection is stirred, by the last ones; None of one that is not stirred."""
    if piece not in WORKED:
        return None
    seen = cooks.of_piece(db, piece, before, LAST_COOKS)
    return stirring.turn(piece, [one.stirred_min for one in seen if one.stirred_min])


@dataclass(frozen=True, kw_only=True)
class Taught:
    """What a pot's earlier cooks say of the next one."""

    loss: Loss
    bath: str
    film: Held | None
    """As this pot cools there."""
    cooled: int
    heating_kw: float
    boiled: int

    @property
    def words(self) -> str:
        """What was learned, in words; empty when nothing was."""
        found = []
        if self.loss.cooks:
            found.append(
                _(
                    "{share} % stays in the pot ({cooks} cooks)",
                    share=number(100 * self.loss.share, 1),
                    cooks=self.loss.cooks,
                )
            )
        if self.cooled:
            found.append(
                _("how fast it cools {bath} ({cooled})", bath=BATHS[self.bath].name, cooled=self.cooled)
            )
        if self.boiled:
            found.append(
                _(
                    "the stove gives {heating_kw} kW ({boiled})",
                    heating_kw=number(self.heating_kw, 1),
                    boiled=self.boiled,
                )
            )
        return joined(", ", found)


def taught(db: Connection, vessel: VesselRow | None, bath: str, before: datetime) -> Taught:
    """What a pot's earlier cooks teach; without a pot what is held of any."""
    if vessel is None:
        return Taught(loss=learned.loss([]), bath=bath, film=None, cooled=0, heating_kw=HEATING_KW, boiled=0)
    films, _litres = _cooled(db, vessel.id, bath, before)
    boils = boils_off(db, vessel, before)
    return Taught(
        loss=loss_of(db, vessel.id, before),
        bath=bath,
        film=learned.film_of(bath, films),
        cooled=len(films),
        heating_kw=boils.kg_per_min / 60 * latent_heat_kj_per_kg(105.0),
        boiled=boils.draws,
    )


@dataclass(frozen=True, kw_only=True)
class Dot:
    """An earlier cook on the map: what was done, and how it came out."""

    code: str
    seen: CookSeen

    @property
    def verdict(self) -> str:
        """Whether it came out too soft, right, or too hard; empty when nobody said."""
        if self.seen.texture is None:
            return ""
        return "right" if self.seen.texture == 0 else "soft" if self.seen.texture < 0 else "hard"

    @property
    def words(self) -> str:
        """How it came out, in words."""
        said = {"right": _("right"), "soft": _("too soft"), "hard": _("too hard")}
        return said.get(self.verdict, _("not scored"))


def dots(db: Connection, before: datetime) -> list[Dot]:
    """The last cooks, for the map."""
    return [Dot(code=code, seen=seen) for code, seen in cooks.last(db, before, LAST_DOTS)]
