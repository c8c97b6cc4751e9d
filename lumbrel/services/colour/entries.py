"""The colour as it is typed: by meter as a transmittance, or by eye as a class."""

from collections.abc import Iterator
from typing import cast, get_args

from lumbrel.core.colour import blend, by_eye, grades
from lumbrel.core.colour.photo import PhotoColour
from lumbrel.core.errors import OutOfRange
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.codes import called
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import ColourFacts, DrawnFacts, FilterFacts, Taste
from lumbrel.services.base.form import BadInput, Bounds, Form
from lumbrel.services.base.line import Line
from lumbrel.services.bench.checks import check_is_old
from lumbrel.services.colour import photograph
from lumbrel.store.instruments import D, Instrument, ReferenceDetail, VialDetail
from lumbrel.words import _, bare, in_a_row, joined, number

FLAWS = {
    "scorched": _("scorched"),
    "fermented": _("fermented"),
    "buddy": _("late-season “buddy”"),
    "metallic": _("metallic"),
    "cloudy": _("cloudy"),
}
PATHS_APART = 0.05
"""By such a share a vial may differ from what its references are made for."""

TRANSMITTANCE = Bounds(
    "transmittance",
    "percent",
    0.1,
    100,
    _("Transmittance lies above 0 and up to 100 % of the glycerol blank."),
)


BLANK = Bounds(
    "blank", "percent", 50, 110, _("A glycerol blank must read between 50 and 110 %; 100 when it is set.")
)


def colour(form: Form, context: BatchContext) -> ColourFacts | None:
    """The colour class, and what keeps the batch from being graded."""
    context.require(form, _("Draw the batch off first."), DrawnFacts)
    flaws = tuple(name for name in FLAWS if form.ticked(name))
    by = form.choice("by", list(WAYS), _("Say whether it was a meter, the eye, or a photograph."))
    facts = WAYS.get(by, _by_meter)(form, context, flaws)
    if facts is None or form.errors:
        return None
    last = context.last(FilterFacts)
    if last and last.facts.clarity == "cloudy" and "cloudy" not in flaws:
        form.ask("cloudy", _("It left the filter cloudy. Filter it again, or tick cloudy. Is it clear?"))
    taste = form.fields.get("taste", "")
    if not taste:
        return facts
    said = form.choice(
        "taste", list(TASTES), _("Choose the taste: {TASTES}.", TASTES=joined(", ", map(called, TASTES)))
    )
    if said and abs(_rank(said) - _rank(TASTE_OF[facts.grade])) > 1:
        form.ask(
            "taste",
            _(
                "{grade} syrup tastes {TASTE_OF}, as a rule. Is it {said}, and not scorched or late-season?",
                grade=facts.grade,
                TASTE_OF=called(TASTE_OF[facts.grade]),
                said=called(said),
            ),
        )
    return facts.model_copy(update={"taste": cast(Taste, said)})


TASTES = get_args(Taste)
TASTE_OF = dict(zip((name for name, _any, _other in grades.CLASSES), TASTES, strict=True))
"""The taste that goes with a colour class."""


def _rank(taste: str) -> int:
    return TASTES.index(taste)


def _by_meter(form: Form, context: BatchContext, flaws: tuple[str, ...]) -> ColourFacts | None:
    measured = form.between(TRANSMITTANCE)
    blank = form.between(BLANK, required=False)
    if measured is not None and measured > (blank or 100.0):
        form.errors["transmittance"] = _(
            "More light than the blank lets through, {blank} %: set the meter to the blank anew, "
            "and wipe the vial.",
            blank=bare(blank or 100),
        )
    vial = _owned(form, context, VialDetail)
    path = vial.detail.path_mm if vial else _path(form)
    if measured is None or path is None or form.errors:
        return None
    t10 = grades.transmittance_10mm_percent(100 * measured / (blank or 100.0), path)
    return ColourFacts(
        by="meter",
        flaws=flaws,
        for_processing=bool(flaws),
        transmittance_percent=measured,
        path_mm=path,
        transmittance_10mm_percent=t10,
        grade=grades.colour_class(t10),
        chances=grades.chances(t10),
        blank_percent=blank,
    )


def _by_photo(form: Form, context: BatchContext, flaws: tuple[str, ...]) -> ColourFacts | None:
    """By a photograph with its two boxes; light that tells little is asked about."""
    name = form.text("photo", _("Choose a photograph first."), 64)
    vial = _owned(form, context, VialDetail)
    path = vial.detail.path_mm if vial else _path(form)
    if path is None or form.errors:
        return None
    try:
        blank, sample = (photograph.box_of(form.fields.get(f, ""), f) for f in BOXES)
        seen = photograph.judged(context, name, (blank, sample), path)
    except (OutOfRange, BadInput) as error:
        form.errors |= refusal(error)
        return None
    for hint in seen.hints:
        form.ask("photo", hint)
    return ColourFacts(
        by="photo",
        flaws=flaws,
        for_processing=bool(flaws),
        path_mm=path,
        transmittance_10mm_percent=seen.transmittance_percent,
        grade=max(seen.chances, key=lambda name: seen.chances[name]),
        chances=seen.chances,
        vial=vial.name if vial else "",
        photo=name,
        blank_box=blank,
        sample_box=sample,
        sigma_points=seen.sigma_points,
    )


BOXES = ("blank_box", "sample_box")


def refusal(error: OutOfRange | BadInput) -> dict[str, str]:
    """What stands in the way, by field."""
    if isinstance(error, BadInput):
        return error.errors
    return {error.field or "photo": error.sentence}


def tried(context: BatchContext, fields: dict[str, str]) -> PhotoColour | str:
    """What a photograph says with its boxes where they are; or why it says nothing."""
    form = Form(fields, context.kitchen)
    vial = _owned(form, context, VialDetail)
    path = vial.detail.path_mm if vial else _path(form)
    try:
        blank, sample = (photograph.box_of(fields.get(f, ""), f) for f in BOXES)
        form.check()
        assert path is not None
        return photograph.judged(context, fields.get("photo", ""), (blank, sample), path)
    except (OutOfRange, BadInput) as error:
        return next(iter(refusal(error).values()))


def _path(form: Form) -> float | None:
    sentence = _("A vial's path must be between 1 and 100 mm (0.04 and 3.9 in).")
    return form.between(Bounds("path", "depth", 1, 100, sentence))


def _owned(form: Form, context: BatchContext, detail: type[D]) -> Instrument[D] | None:
    """A registered vial or set of references, when one was chosen."""
    wanted = form.fields.get(detail.model_fields["kind"].default, "")
    return next((i for i in context.instruments_of(detail) if i.id == wanted), None)


def _by_eye(form: Form, context: BatchContext, flaws: tuple[str, ...]) -> ColourFacts | None:
    """What the sample was held in and against; a path that does not match is asked about."""
    if form.given("seen"):
        return _beside(form, context, flaws)
    names = [name for name, _any, _other in grades.CLASSES]
    grade = form.choice("grade", names, _("Choose the class: {names}.", names=joined(", ", names)))
    vial = _owned(form, context, VialDetail)
    against = _owned(form, context, ReferenceDetail)
    if vial and against:
        _ask_when_paths_differ(form, context, vial, against)
    old = check_is_old(context.db, against, context.now) if against else ""
    if old:
        form.ask("grade", _("{old} Colours fade. Do they still hold?", old=old))
    return ColourFacts(
        by="eye",
        flaws=flaws,
        for_processing=bool(flaws),
        grade=grade,
        vial=vial.name if vial else "",
        reference=against.name if against else "",
    )


def _beside(form: Form, context: BatchContext, flaws: tuple[str, ...]) -> ColourFacts | None:
    """The references it lay between. A vial of another width than they are made for is allowed for."""
    answer = form.choice("seen", dict(ANSWERS), _("Say beside which reference it lies, or between which."))
    vial = _owned(form, context, VialDetail)
    against = _owned(form, context, ReferenceDetail)
    if not answer:
        return None
    lighter, darker = BETWEEN[answer]
    made_for = against.detail.path_mm if against else STANDARD_MM
    seen = by_eye.seen_between(lighter, darker, made_for, vial.detail.path_mm if vial else made_for)
    old = check_is_old(context.db, against, context.now) if against else ""
    if old:
        form.ask("seen", _("{old} Colours fade. Do they still hold?", old=old))
    likely = max(seen.chances, key=lambda name: seen.chances[name])
    return ColourFacts(
        by="eye",
        flaws=flaws,
        for_processing=bool(flaws),
        transmittance_10mm_percent=seen.transmittance_percent,
        grade=likely,
        chances=seen.chances,
        vial=vial.name if vial else "",
        reference=against.name if against else "",
        between=(lighter, darker),
        transmittance_limits=(seen.low_percent, seen.high_percent),
    )


def _answers() -> Iterator[tuple[str, str, tuple[float | None, float | None]]]:
    """What the eye can say of a row of references, from the lightest: the key, words, and between which."""
    row = by_eye.REFERENCES
    yield "lighter", _("lighter than all"), (None, row[0])
    for one, next_one in zip(row, (*row[1:], None), strict=True):
        yield f"{one:g}", _("like {one}", one=bare(one)), (one, one)
        if next_one is not None:
            yield (
                f"{one:g}-{next_one:g}",
                _("between {one} and {next_one}", one=bare(one), next_one=bare(next_one)),
                (one, next_one),
            )
    yield "darker", _("darker than all"), (row[-1], None)


WAYS = {"meter": _by_meter, "eye": _by_eye, "photo": _by_photo}
ANSWERS = [(key, words) for key, words, _any in _answers()]
BETWEEN = {key: both for key, _any, both in _answers()}
STANDARD_MM = 10.0


def _ask_when_paths_differ(
    form: Form, context: BatchContext, vial: Instrument[VialDetail], against: Instrument[ReferenceDetail]
) -> None:
    seen, made_for = vial.detail.path_mm, against.detail.path_mm
    if abs(seen - made_for) <= PATHS_APART * made_for:
        return
    told = {
        "vial": vial.name,
        "seen": bare(seen),
        "against": against.name,
        "made_for": bare(made_for),
    }
    form.ask(
        "grade",
        _(
            "{vial} is {seen} mm across, {against} is made for {made_for} mm. Its syrup looks darker "
            "than it is.",
            **told,
        )
        if seen > made_for
        else _(
            "{vial} is {seen} mm across, {against} is made for {made_for} mm. Its syrup looks lighter "
            "than it is.",
            **told,
        ),
    )


SURE, WORTH_SAYING = 0.95, 0.02


def said_large(chances: dict[str, float]) -> list[str]:
    """The classes that are said large: the likeliest, and the next one where it is not sure."""
    ranked = sorted(chances, key=lambda name: -chances[name])
    return ranked[: 1 if chances[ranked[0]] >= blend.SURE else 2]


def in_words(chances: dict[str, float]) -> str:
    """The chance of each class that has one, as Amber 88 %, Golden 12 %."""
    ranked = sorted(chances.items(), key=lambda one: -one[1])
    return joined(
        ", ",
        (joined(" ", (called(name), number(100 * c, 0), "%")) for name, c in ranked if c >= WORTH_SAYING),
    )


def words(context: BatchContext, entry: Entry[ColourFacts]) -> Line:
    """The colour on the slip."""
    facts = entry.facts
    light, limits = facts.transmittance_10mm_percent, facts.transmittance_limits
    how = _("by eye") if light is None else _("{light} % through 10 mm", light=number(light, 0))
    if facts.sigma_points is not None:
        way = _("by the blend") if facts.by == "blend" else _("by photograph")
        how = joined("", (way, ", ", how, " ± ", number(2 * facts.sigma_points, 0)))
    if limits:
        how = _(
            "by eye, {limits} to {limits_2} % through 10 mm",
            limits=number(limits[0], 0),
            limits_2=number(limits[1], 0),
        )
    chances = facts.chances or {}
    flaws = joined(", ", (FLAWS[flaw] for flaw in facts.flaws))
    told = [
        how,
        in_words(chances) if chances and max(chances.values()) < SURE else "",
        _("tastes {taste}", taste=called(facts.taste)) if facts.taste else "",
        _("for processing: {flaws}", flaws=flaws) if flaws else "",
    ]
    return Line(entry, _("Colour {grade}", grade=called(facts.grade)), in_a_row(told, "; "))
