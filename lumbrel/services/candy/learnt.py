"""What this kitchen's own cooks teach of the next one."""

from dataclasses import dataclass, replace
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.candy import learned, stirring
from lumbrel.core.candy.cook import BATHS, HEATING_KW, USUAL_KG, Bath
from lumbrel.core.candy.learned import Loss
from lumbrel.core.candy.stirring import WORKED, Turn
from lumbrel.core.physics.water import latent_heat_kj_per_kg
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


def cools(
    db: Connection, vessel_id: str, bath: str, mass_kg: float, before: datetime
) -> tuple[float, float, int]:
    """How fast so much cools in a pot in a bath, a minute; one sigma of its logarithm; by how many
    cooks."""
    seen = cooks.of_pot(db, vessel_id, before, LAST_COOKS)
    rates = [one.cools_per_min for one in seen if one.bath == bath and one.cools_per_min]
    return learned.rate_of(BATHS[bath], mass_kg, rates)


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
    bath: Bath
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
            found.append(_("how fast it cools {bath} ({cooled})", bath=self.bath.name, cooled=self.cooled))
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
        return Taught(loss=learned.loss([]), bath=BATHS[bath], cooled=0, heating_kw=HEATING_KW, boiled=0)
    rate, _any, cooled = cools(db, vessel.id, bath, USUAL_KG, before)
    boils = boils_off(db, vessel, before)
    return Taught(
        loss=loss_of(db, vessel.id, before),
        bath=replace(BATHS[bath], rate_per_min=rate),
        cooled=cooled,
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
