"""Blending in a kettle: another kettle, jars of a lot or water poured into it, worked out before it is done
and put on the slips as what flowed."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from math import sqrt

from lumbrel.core.colour import blend as core
from lumbrel.core.colour import by_eye, grades
from lumbrel.core.colour.blend import Blended, PartOfBlend, Within
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import solids
from lumbrel.core.physics.sucrose import density_kg_m3
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.codes import called
from lumbrel.services.base.facts import ColourFacts, JarFacts
from lumbrel.services.base.form import BadInput, Bounds, Form, NotFound
from lumbrel.services.pan import pour
from lumbrel.services.pan.drawn import after_draw
from lumbrel.store import flow, flowed, jars, kept_lots, record
from lumbrel.words import _, bare, number

WATER, NOTHING = "water", ""
MOST_WATER_SHARE = 0.2
LIST_LOTS = 60
STEP_L = 0.05
SLIDERS = ("b", "c")
LEAST_L = 0.01
WANTED = Bounds("volume", "volume", 0.1, 5000, _("A blend must be between 0.1 and 5000 L."))


@dataclass(frozen=True, kw_only=True)
class BlendSource:
    """What can be poured in: its name, all there is of it, and how finely it can be parted."""

    key: str
    name: str
    part: PartOfBlend
    step_l: float = STEP_L
    pack_ml: float | None = None
    lot: str = ""
    batch_id: str = ""

    def poured(self, litres: float) -> PartOfBlend:
        return replace(self.part, volume_l=litres)

    def jars(self, litres: float) -> int:
        """Jars that this takes."""
        return round(1000 * litres / self.pack_ml) if self.pack_ml else 0


@dataclass(frozen=True, kw_only=True)
class Bench:
    """The kettle that it is blended in, what can be poured into it, and what was chosen."""

    kettle: BlendSource
    choices: list[tuple[str, str]]
    chosen: tuple[BlendSource | None, BlendSource | None]
    wanted: str
    within: Within | None
    """How much of the first makes the class that is wanted."""
    suggested_l: float | None
    """Of that, what comes nearest to the volume that is wanted; the least if none is."""
    target_brix: float


def light_of(facts: ColourFacts | None) -> tuple[float, float] | None:
    """Transmittance of a syrup and one sigma; None where it was never measured."""
    if facts is None or facts.transmittance_10mm_percent is None:
        return None
    light = facts.transmittance_10mm_percent
    if facts.sigma_points is not None:
        return light, facts.sigma_points
    if facts.transmittance_limits:
        low, high = facts.transmittance_limits
        return light, sqrt(((high - low) ** 2) / 12 + by_eye.EYE_SIGMA_POINTS**2)
    return light, grades.METER_SIGMA_POINTS


def bench(context: BatchContext, asked: Mapping[str, str]) -> Bench:
    """The bench for blending in a batch's kettle.

    Raises:
        BadInput: nothing can be blended in it, and why.
    """
    why_not = _why_not(context)
    if why_not:
        raise BadInput({"kettle": why_not})
    kettle = _kettle(context)
    assert kettle is not None
    chosen = tuple(_source(context, asked.get(name, ""), kettle) for name in SLIDERS)
    wanted = asked.get("wanted", "")
    names = [name for name, _any, _other in grades.CLASSES]
    first = chosen[0]
    if wanted not in names:
        wanted = max(core.blend([kettle.part]).chances.items(), key=lambda one: one[1])[0]
    within = core.within_class([kettle.part], first.part, wanted) if first else None
    return Bench(
        kettle=kettle,
        choices=[(NOTHING, _("nothing")), (WATER, _("water")), *_listed(context)],
        chosen=(chosen[0], chosen[1]),
        wanted=wanted,
        within=within,
        suggested_l=_suggested(context, kettle, within, asked.get("volume", "")),
        target_brix=context.batch.target_brix,
    )


def _suggested(context: BatchContext, kettle: BlendSource, within: Within | None, typed: str) -> float | None:
    """How much of the first is poured in for a volume.

    Raises:
        BadInput: the volume is none.
    """
    form = Form({"volume": typed}, context.kitchen)
    whole = form.between(WANTED, required=False)
    form.check()
    if within is None:
        return None
    if whole is None:
        return within.least_l if within.least_l >= LEAST_L else within.most_l
    return min(max(whole - kettle.part.volume_l, within.least_l), within.most_l)


def _why_not(context: BatchContext) -> str:
    if context.drawn is None:
        return _("Draw the batch off first: a blend is made in a kettle.")
    if context.of_kind(JarFacts):
        return _("Jars of this kettle are packed already. Blend in one of which none is.")
    if context.poured_away or context.called_off:
        return _("Nothing of this batch is left to blend.")
    if light_of(_graded(context)) is None:
        return _("Its colour is not measured yet: by meter, by photograph, or by eye between two.")
    return ""


def _graded(context: BatchContext) -> ColourFacts | None:
    last = context.last(ColourFacts)
    return last.facts if last else None


def _kettle(context: BatchContext) -> BlendSource | None:
    """A kettle as a source: what of it is drawn and not packed."""
    light = light_of(_graded(context))
    if light is None or context.drawn is None:
        return None
    after = after_draw(context)
    packed = sum(e.facts.mass_kg for e in context.of_kind(JarFacts))
    kg = after.mass_kg - packed
    litres = 1000 * kg / density_kg_m3(after.syrup_brix, 20.0)
    if litres < LEAST_L:
        return None
    part = PartOfBlend(
        volume_l=litres, brix=after.syrup_brix, transmittance_percent=light[0], sigma_points=light[1]
    )
    return BlendSource(
        key=f"kettle {context.batch.code}",
        name=_("kettle {batch_code}", batch_code=context.batch.code),
        part=part,
        batch_id=context.batch.id,
    )


def _listed(context: BatchContext) -> list[tuple[str, str]]:
    """Kettles and lots to choose from, of the same kind of sugar; lots by size of jar."""
    found = []
    for batch in pour.others(context):
        if batch.sugar_kind == context.batch.sugar_kind:
            found.append(
                (
                    _("kettle {batch_code}", batch_code=batch.code),
                    _("kettle {batch_code}", batch_code=batch.code),
                )
            )
    for row in kept_lots.newest_lots(context.db, limit=LIST_LOTS):
        fits = row.jars and row.sugar_kind == context.batch.sugar_kind and not row.for_processing
        if not fits or row.batch_id == context.batch.id:
            continue
        for jar in jars.jars_of(context.db, row.code):
            size = context.show(jar.size_ml, "jar")
            words = _(
                "lot {row_code}, {grade}, {count} × {size}",
                row_code=row.code,
                grade=called(row.grade) if row.grade else _("not graded"),
                count=jar.count,
                size=size,
            )
            found.append((_("lot {row_code} {size}", row_code=row.code, size=bare(jar.size_ml)), words))
    return found


def _source(context: BatchContext, key: str, kettle: BlendSource) -> BlendSource | None:
    """What was chosen; None for nothing.

    Raises:
        BadInput: it cannot be poured in.
    """
    kind, _any, name = key.partition(" ")
    if not key:
        return None
    if key == WATER:
        water = PartOfBlend(volume_l=1.0, brix=0.0, transmittance_percent=100.0, sigma_points=0.01)
        most = MOST_WATER_SHARE * kettle.part.volume_l
        return BlendSource(key=WATER, name=_("water"), part=replace(water, volume_l=most), step_l=0.01)
    try:
        if kind == "kettle":
            return _other_kettle(context, name)
        if kind == "lot":
            return _lot(context, name)
    except NotFound:
        pass
    raise BadInput({"b": _("Choose a kettle, a lot or water from the list.")})


def _other_kettle(context: BatchContext, code: str) -> BlendSource:
    other = contexts.load(context.db, code, context.now)
    why_not = pour.why_not(context, other)
    found = None if why_not else _kettle(other)
    if found is None:
        raise BadInput(
            {
                "b": why_not
                or _("The colour of {batch_code} is not measured yet.", batch_code=other.batch.code)
            }
        )
    return found


def _lot(context: BatchContext, name: str) -> BlendSource:
    """Jars of one size of a lot."""
    code, _any, size = name.rpartition(" ")
    jar = next((j for j in jars.jars_of(context.db, code) if f"{j.size_ml:g}" == size), None)
    owner = record.batch_by(context.db, id=jars.lot_owner(context.db, code) or "")
    if jar is None or owner is None:
        raise BadInput({"b": _("No jars of that size of lot {code} are on the shelf.", code=code[:24])})
    if flowed.comes_back(context.db, flow.lot_id(code), flow.bulk_id(context.batch.id)):
        raise BadInput({"b": _("That lot came from this kettle: it cannot go into it again.")})
    of = contexts.of(context.db, owner, context.now)
    light = light_of(_graded(of))
    if light is None:
        raise BadInput({"b": _("The colour of lot {code} is not measured.", code=code)})
    packed = [e.facts for e in of.of_kind(JarFacts) if e.facts.lot == code]
    part = PartOfBlend(
        volume_l=jar.size_ml * jar.count / 1000,
        brix=packed[-1].brix,
        transmittance_percent=light[0],
        sigma_points=light[1],
    )
    return BlendSource(
        key=f"lot {name}",
        name=_("lot {code}", code=code),
        part=part,
        step_l=jar.size_ml / 1000,
        pack_ml=jar.size_ml,
        lot=code,
    )


@dataclass(frozen=True, kw_only=True)
class BlendSaid:
    """What comes of it with the sliders where they are: of each source what is poured and what is left,
    litres; and water that would bring it to the target."""

    blended: Blended
    parts: list[tuple[str, float, float]]
    water_l: float


def said(kettle: PartOfBlend, poured: list[tuple[str, PartOfBlend, float]], target_brix: float) -> BlendSaid:
    """What comes of a blend.

    Args:
        poured: of each source its name, all there is of it, and the litres of it.
    Raises:
        OutOfRange: a part is more than there is, or there is nothing at all.
    """
    for name, whole, litres in poured:
        if litres > whole.volume_l * 1.001 + LEAST_L:
            raise OutOfRange(
                _("There are only {volume} L of {name}.", volume=number(whole.volume_l, 2), name=name),
                "litres",
            )
    parts = [kettle, *(replace(whole, volume_l=litres) for _any, whole, litres in poured)]
    blended = core.blend(parts)
    over = solids.water_to_remove_kg(blended.mass_kg, max(blended.brix, 0.1), target_brix)
    return BlendSaid(
        blended=blended,
        parts=[(name, litres, max(whole.volume_l - litres, 0.0)) for name, whole, litres in poured],
        water_l=max(-over, 0.0) / density_kg_m3(0.0, 20.0) * 1000,
    )
