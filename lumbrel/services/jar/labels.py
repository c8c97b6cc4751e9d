"""Labels of a batch's jars: what each says, line by line, by the kitchen's style."""

import calendar
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from math import floor
from sqlite3 import Connection
from typing import Literal
from urllib.parse import quote

from lumbrel.core import units
from lumbrel.core.candy.confections import confection
from lumbrel.core.candy.keeping import keeping
from lumbrel.core.jar import hot_pack
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import ColourFacts, CookFacts, FoamFacts, JarFacts, MadeFacts
from lumbrel.services.base.form import NotFound, local_time
from lumbrel.services.jar.label_style import LabelStyle
from lumbrel.services.jar.label_words import said_together, say
from lumbrel.store import jars, record
from lumbrel.words import _, bare, number

Role = Literal["product", "grade", "net", "must", "may"]
GRAMS_A_KILOGRAM, OUNCES_A_POUND = 1000.0, 16


@dataclass(frozen=True, kw_only=True)
class Label:
    """What is known of one size of jar of a lot."""

    lot: str
    sugar_kind: str
    size_ml: float
    mass_g: float
    count: int
    grade: str
    taste: str
    woodlot: str
    kitchen: str
    jarred_on: date
    allergens: tuple[str, ...]
    for_processing: bool
    confection: str = ""
    """Which, by its key; then `size_ml` holds what one pack weighs, g."""
    best_before: date | None = None
    """Of a confection, by how it keeps."""
    cold: bool = False
    """Whether it is kept in the cold."""

    @property
    def pack_kind(self) -> str:
        """By what its packs are known."""
        return "piece" if self.confection else "jar"


@dataclass(frozen=True)
class LabelLine:
    """A line of a label: what it is, which says how large it is set and whether it may be left out."""

    role: Role
    text: str


@dataclass(frozen=True, kw_only=True)
class Worded:
    """A label as it is to be printed: its lines, and the address in its code, empty for none."""

    label: Label
    lines: tuple[LabelLine, ...]
    address: str


def labels(db: Connection, code: str, now: datetime) -> list[Label]:
    """Labels of a batch's jars, one kind a size.

    Raises:
        NotFound: no such batch, or nothing is jarred yet.
    """
    context = contexts.load(db, code, now)
    if context.is_cook:
        return _of_a_cook(context)
    packed = {e.facts.lot: e for e in context.of_kind(JarFacts)}
    if not packed:
        raise NotFound(_("Batch {code} is not jarred yet; labels come with the jars.", code=code))
    colour = context.first(ColourFacts)
    off = colour is not None and colour.facts.for_processing
    return [
        Label(
            lot=lot,
            sugar_kind=context.batch.sugar_kind,
            size_ml=jar.size_ml,
            mass_g=1000 * hot_pack.mass_kg(jarred.facts.brix, jar.size_ml / 1000),
            count=jar.count,
            grade=colour.facts.grade if colour and not off else "",
            taste=(colour.facts.taste or "") if colour and not off else "",
            woodlot=context.whose,
            kitchen=context.kitchen.name,
            jarred_on=local_time(jarred.at, context.kitchen).date(),
            allergens=allergens(context),
            for_processing=off,
        )
        for lot, jarred in packed.items()
        for jar in jars.jars_filled(db, lot)
    ]


def _of_a_cook(context: BatchContext) -> list[Label]:
    """Labels of a confection, one kind a pack; its syrup's allergens count too.

    Raises:
        NotFound: nothing was made of it yet.
    """
    cook, made = context.first(CookFacts), context.first(MadeFacts)
    if cook is None or made is None or not made.facts.packs:
        raise NotFound(
            _(
                "Nothing is made of cook {batch_code} yet; labels come with the pieces.",
                batch_code=context.batch.code,
            )
        )
    piece, lot = cook.facts.piece, made.facts.lot
    on = local_time(made.at, context.kitchen).date()
    keeps = keeping(piece, cook.facts.target_brix)
    return [
        Label(
            lot=lot,
            sugar_kind=context.batch.sugar_kind,
            size_ml=pack.size_ml,
            mass_g=pack.size_ml,
            count=pack.count,
            grade="",
            taste="",
            woodlot=context.whose,
            kitchen=context.kitchen.name,
            jarred_on=on,
            allergens=allergens_of_cook(context, cook.facts.from_lot),
            for_processing=False,
            confection=piece,
            best_before=on + timedelta(days=keeps.days),
            cold="cold" in keeps.wrap,
        )
        for pack in jars.jars_filled(context.db, lot)
    ]


def allergens_of_cook(context: BatchContext, lot: str) -> tuple[str, ...]:
    """Allergens of a confection: of its own defoamer, and of the syrup it was made of."""
    found = set(allergens(context))
    owner = jars.lot_owner(context.db, lot) if lot else None
    batch = record.batch_by(context.db, id=owner) if owner else None
    if batch is not None:
        found |= set(allergens(contexts.of(context.db, batch, context.now)))
    return tuple(sorted(found))


def allergens(context: BatchContext) -> tuple[str, ...]:
    """Allergens that defoamers brought into the batch."""
    found = {e.facts.allergen for e in context.of_kind(FoamFacts)}
    return tuple(sorted(found - {""}))


def worded(label: Label, style: LabelStyle, base: str) -> Worded:
    """A label's lines by a style.

    Args:
        base: address of this application, for the code, where the style names none.
    """
    code = f"{style.address or base.rstrip('/')}/shelf/{quote(label.lot)}"
    lines = tuple(line for line in _lines(label, style) if line.text)
    return Worded(label=label, lines=lines, address=code if "code" in style.shows else "")


def _lines(label: Label, style: LabelStyle) -> list[LabelLine]:
    tongue = style.language
    lot = f"{say(tongue, 'lot')} {label.lot}"
    packed = f"{say(tongue, 'packed')} {label.jarred_on:%Y-%m-%d}"
    best = best_before(label.jarred_on, style.months)
    holds = say(tongue, "contains") + " " + said_together(tongue, label.allergens)
    source = (label.kitchen, label.woodlot if "woodlot" in style.shows else "")
    if label.confection:
        return [
            LabelLine("product", product(tongue, label)),
            LabelLine("net", net_mass(label.mass_g, style.first)),
            LabelLine("must", say(tongue, f"of {label.sugar_kind}")),
            LabelLine("must", holds if label.allergens else ""),
            LabelLine("must", f"{lot} · {say(tongue, 'made')} {label.jarred_on:%Y-%m-%d}"),
            LabelLine(
                "must",
                f"{say(tongue, 'best before')} {label.best_before:%Y-%m-%d}"
                if label.best_before and style.months
                else "",
            ),
            LabelLine("must", " · ".join(part for part in source if part)),
            LabelLine("may", style.own),
            LabelLine("may", say(tongue, _("keep cold")) if label.cold else ""),
        ]
    return [
        LabelLine("product", say(tongue, label.sugar_kind)),
        LabelLine("grade", _grade(label, tongue)),
        LabelLine("net", net_volume(label.size_ml, style.first)),
        LabelLine("net", net_mass(label.mass_g, style.first)),
        LabelLine("must", f"{lot} · {packed}"),
        LabelLine("must", f"{say(tongue, 'best before')} {best}" if best else ""),
        LabelLine("must", holds if label.allergens else ""),
        LabelLine("must", " · ".join(part for part in source if part)),
        LabelLine("may", style.own),
        LabelLine("may", say(tongue, "cold") if "cold" in style.shows else ""),
    ]


def product(tongue: str, label: Label) -> str:
    """What a confection is called."""
    sort = confection(label.confection).label_en
    return say(tongue, f"{label.sugar_kind} {sort}")


def _grade(label: Label, tongue: str) -> str:
    if label.for_processing:
        return say(tongue, "processing")
    if not label.grade:
        return say(tongue, "ungraded")
    return said_together(tongue, tuple(part for part in (label.grade, label.taste) if part))


def best_before(packed: date, months: int) -> str:
    """The day it is best before; empty for none."""
    if not months:
        return ""
    whole = packed.year * 12 + packed.month - 1 + months
    year, month = divmod(whole, 12)
    last = calendar.monthrange(year, month + 1)[1]
    return f"{date(year, month + 1, min(packed.day, last)):%Y-%m-%d}"


def net_volume(size_ml: float, first: str) -> str:
    """The net volume in both systems; never more than is in it."""
    metric = (
        _("{size_ml} ml", size_ml=bare(size_ml))
        if size_ml < GRAMS_A_KILOGRAM
        else f"{_down(size_ml / 1000, 3)} L"
    )
    ounces = _("{down} fl oz", down=_down(units.convert(size_ml, "jar", "floz"), 1))
    return _both(metric, ounces, first)


def net_mass(mass_g: float, first: str) -> str:
    """The net mass in both systems; never more than is in it."""
    kilograms = mass_g / GRAMS_A_KILOGRAM
    metric = f"{floor(mass_g)} g" if kilograms < 1 else _("{down} kg", down=_down(kilograms, 2))
    ounces = OUNCES_A_POUND * units.convert(kilograms, "mass", "lb")
    pounds, over = divmod(ounces, OUNCES_A_POUND)
    us = (
        _("{down} oz", down=_down(over, 1))
        if not pounds
        else _("{pounds} lb {down} oz", pounds=number(pounds, 0), down=_down(over, 1))
    )
    return _both(metric, us, first)


def _down(value: float, decimals: int) -> str:
    scale = 10**decimals
    return f"{floor(value * scale + 1e-6) / scale:.{decimals}f}".rstrip("0").rstrip(".")


def _both(metric: str, us: str, first: str) -> str:
    if first == "only":
        return metric
    one, other = (metric, us) if first == "metric" else (us, metric)
    return f"{one} ({other})"
