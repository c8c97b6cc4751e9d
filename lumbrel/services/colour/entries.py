"""The colour as it is typed: by meter as a transmittance, or by eye as a class."""

from lumbrel.core.colour import grades
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import ColourFacts, DrawnFacts
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.base.line import Line
from lumbrel.services.bench.checks import check_is_old
from lumbrel.store.instruments import D, Instrument, ReferenceDetail, VialDetail

FLAWS = {
    "scorched": "scorched",
    "fermented": "fermented",
    "buddy": "late-season “buddy”",
    "metallic": "metallic",
    "cloudy": "cloudy",
}
PATHS_APART = 0.05
"""By such a share a vial may differ from what its references are made for."""

TRANSMITTANCE = Bounds(
    "transmittance",
    "percent",
    0.1,
    100,
    "Transmittance lies above 0 and up to 100 % of the glycerol blank.",
)


def colour(form: Form, context: BatchContext) -> ColourFacts | None:
    """The colour class, and what keeps the batch from being graded."""
    context.require(form, "Draw the batch off first.", DrawnFacts)
    flaws = tuple(name for name in FLAWS if form.ticked(name))
    by = form.choice("by", ["meter", "eye"], "Say whether a meter was used or the eye.")
    return _by_eye(form, context, flaws) if by == "eye" else _by_meter(form, context, flaws)


def _by_meter(form: Form, context: BatchContext, flaws: tuple[str, ...]) -> ColourFacts | None:
    measured = form.between(TRANSMITTANCE)
    vial = _owned(form, context, VialDetail)
    path = vial.detail.path_mm if vial else _path(form)
    if measured is None or path is None:
        return None
    t10 = grades.transmittance_10mm_percent(measured, path)
    return ColourFacts(
        by="meter",
        flaws=flaws,
        for_processing=bool(flaws),
        transmittance_percent=measured,
        path_mm=path,
        transmittance_10mm_percent=t10,
        grade=grades.colour_class(t10),
        chances=grades.chances(t10),
    )


def _path(form: Form) -> float | None:
    sentence = "A vial's path is between 1 and 100 mm (0.04 and 3.9 in)."
    return form.between(Bounds("path", "depth", 1, 100, sentence))


def _owned(form: Form, context: BatchContext, detail: type[D]) -> Instrument[D] | None:
    """A registered vial or set of references, when one was chosen."""
    wanted = form.fields.get(detail.model_fields["kind"].default, "")
    return next((i for i in context.instruments_of(detail) if i.id == wanted), None)


def _by_eye(form: Form, context: BatchContext, flaws: tuple[str, ...]) -> ColourFacts:
    """What the sample was held in and against; a path that does not match is asked about."""
    names = [name for name, _, _ in grades.CLASSES]
    grade = form.choice("grade", names, f"Choose the class: {', '.join(names)}.")
    vial = _owned(form, context, VialDetail)
    against = _owned(form, context, ReferenceDetail)
    if vial and against:
        _ask_when_paths_differ(form, context, vial, against)
    old = check_is_old(context.db, against, context.now) if against else ""
    if old:
        form.ask("grade", f"{old} Colours fade. Do they still hold?")
    return ColourFacts(
        by="eye",
        flaws=flaws,
        for_processing=bool(flaws),
        grade=grade,
        vial=vial.name if vial else "",
        reference=against.name if against else "",
    )


def _ask_when_paths_differ(
    form: Form,
    context: BatchContext,
    vial: Instrument[VialDetail],
    against: Instrument[ReferenceDetail],
) -> None:
    seen, made_for = vial.detail.path_mm, against.detail.path_mm
    if abs(seen - made_for) <= PATHS_APART * made_for:
        return
    through, looks = ("more", "darker") if seen > made_for else ("less", "lighter")
    form.ask(
        "grade",
        f"{vial.name} is {context.show(seen, 'depth')} across, {against.name} is made for "
        f"{context.show(made_for, 'depth')}: seen through {through} syrup it looks {looks} than "
        "it is.",
    )


def words(context: BatchContext, entry: Entry[ColourFacts]) -> Line:
    """The colour on the slip."""
    facts = entry.facts
    light = facts.transmittance_10mm_percent
    how = "by eye" if light is None else f"{light:.0f} % through 10 mm"
    flaws = ", ".join(FLAWS[flaw] for flaw in facts.flaws)
    if flaws:
        how += f"; for processing: {flaws}"
    return Line(entry, f"Colour {facts.grade}", how)
