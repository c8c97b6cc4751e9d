"""A blend as it is written: what is poured, and the line that says so."""

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime
from sqlite3 import Connection
from uuid import UUID, uuid5

from lumbrel.core.colour import grades
from lumbrel.core.colour.blend import PartOfBlend
from lumbrel.core.errors import OutOfRange
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import AddedFacts, ColourFacts, Facts
from lumbrel.services.base.form import BadInput, Form, kept_of
from lumbrel.services.colour.blend import LEAST_L, SLIDERS, Bench, BlendSaid, BlendSource, bench, said
from lumbrel.services.pan import pour
from lumbrel.services.record.kept import write
from lumbrel.store import book
from lumbrel.store.db import IdReused, transaction
from lumbrel.store.kitchen import load_kitchen
from lumbrel.words import _

EACH = UUID("6c756d62-7265-6c00-8000-626c656e6473")
"""From the id of a blend to those of its lines."""


def record_blend(db: Connection, code: str, fields: dict[str, str], now: datetime) -> None:
    """Put a blend on the slips: what was poured in, and the colour that comes of it. All of it or nothing;
    sent twice, once.

    Raises:
        NotFound: no such batch.
        BadInput: nothing is poured, more than there is, or it cannot be poured.
    """
    with transaction(db):
        context = contexts.load(db, code, now)
        form = Form(fields, load_kitchen(db))
        first_id = form.client_id()
        typed = kept_of(fields)
        known = book.by_id(db, _line_id(first_id, "colour"))
        if known is not None:
            if known.typed != typed or known.about_id != context.batch.id:
                raise IdReused(_("Another blend was written under this form's id; nothing was now."))
            return
        at_hand = bench(context, fields)
        poured = _poured(form, at_hand)
        form.check()
        amounts = [(s.name, s.part, litres) for s, litres in poured]
        try:
            come = said(at_hand.kettle.part, amounts, at_hand.target_brix)
        except OutOfRange as error:
            raise BadInput({"b": error.sentence}) from error
        for name, (source, litres) in zip(SLIDERS, poured, strict=False):
            entry = _line(context, _line_id(first_id, name), _added(source, litres), typed)
            write(db, entry)
            pour.store_other(db, entry)  # type: ignore[arg-type]
        old = context.last(ColourFacts)
        assert old is not None
        colour = _line(context, _line_id(first_id, "colour"), _coloured(old.facts, come), typed)
        write(db, replace(colour, supersedes=old.id, why="blended"))


def litres_of(context: BatchContext, at_hand: Bench, fields: Mapping[str, str]) -> list[float]:
    """Where the sliders stand: as they were sent, within what there is; at nothing where that cannot be
    read."""
    form = Form(fields, context.kitchen)
    found = []
    for name, source in zip(SLIDERS, at_hand.chosen, strict=True):
        litres = form.quantity(f"litres_{name}", "volume", required=False) or 0.0
        most = source.part.volume_l if source else 0.0
        found.append(min(max(litres, 0.0), most))
    return found


def _poured(form: Form, at_hand: Bench) -> list[tuple[BlendSource, float]]:
    found = []
    for name, source in zip(SLIDERS, at_hand.chosen, strict=True):
        litres = form.quantity(f"litres_{name}", "volume", required=False)
        if source is None or not litres:
            continue
        if litres < 0:
            form.errors[name] = _("Enter an amount of zero or more.")
        whole = source.jars(litres)
        found.append((source, whole * (source.pack_ml or 0) / 1000 if source.pack_ml else litres))
    if not found or all(litres < LEAST_L for _any, litres in found):
        form.errors.setdefault("b", _("Choose what is poured in, and enter an amount above zero."))
    keys = [source.key for source, _any in found]
    if len(set(keys)) < len(keys):
        form.errors["c"] = _("Both sliders pour the same: one will do.")
    return [one for one in found if one[1] >= LEAST_L]


def _line_id(first_id: str, name: str) -> str:
    return str(uuid5(EACH, f"{first_id}/{name}"))


def _line(context: BatchContext, entry_id: str, facts: Facts, typed: dict[str, str]) -> Entry[Facts]:
    return Entry(
        id=entry_id, about_id=context.batch.id, at=context.now, noted_at=context.now, facts=facts, typed=typed
    )


def _added(source: BlendSource, litres: float) -> AddedFacts:
    part = source.poured(litres)
    facts = AddedFacts(mass_kg=part.mass_kg, brix=part.brix)
    if source.batch_id:
        return facts.model_copy(update={"from_batch_id": source.batch_id})
    if source.pack_ml:
        jars = ((source.pack_ml, source.jars(litres)),)
        return facts.model_copy(update={"from_lot": source.lot, "jars": jars})
    return facts


def _coloured(old: ColourFacts, come: BlendSaid) -> ColourFacts:
    blended = come.blended
    return ColourFacts(
        by="blend",
        flaws=old.flaws,
        for_processing=old.for_processing,
        transmittance_10mm_percent=blended.transmittance_percent,
        grade=grades.colour_class(blended.transmittance_percent),
        chances=blended.chances,
        sigma_points=blended.sigma_points,
    )


def as_text(source: BlendSource) -> str:
    """A source as a page that is open sends it again and again, while a slider is dragged."""
    part = source.part
    figures = (part.volume_l, part.brix, part.transmittance_percent, part.sigma_points)
    return " ".join(f"{figure:.6g}" for figure in figures) + f" {source.name}"


def told(fields: Mapping[str, str]) -> BlendSaid | str:
    """What comes of a blend by what a page sends of its parts, without a look at the record; or why
    nothing does."""
    try:
        kettle = _part(fields.get("kettle", ""))[1]
        poured = []
        for name in SLIDERS:
            if fields.get(name):
                whole_name, whole = _part(fields[name])
                poured.append((whole_name, whole, float(fields.get(f"litres_{name}") or 0)))
        return said(kettle, poured, float(fields.get("target", "")))
    except OutOfRange as error:
        return error.sentence
    except (ValueError, IndexError):
        return _("Open the page anew: what it sends cannot be read.")


def _part(text: str) -> tuple[str, PartOfBlend]:
    volume, brix, light, sigma, name = text.split(" ", 4)
    part = PartOfBlend(
        volume_l=float(volume),
        brix=float(brix),
        transmittance_percent=float(light),
        sigma_points=float(sigma),
    )
    return name, part
