"""The kettle's lines, and the look at the jars a day later, as they are typed."""

from lumbrel.core.jar.hot_pack import NEW_NITER_C
from lumbrel.services.base.asked import read_asked
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import STANDS, CheckedFacts, DrawnFacts, JarFacts, KettleFacts, ReheatFacts
from lumbrel.services.base.form import Form
from lumbrel.services.base.line import Line
from lumbrel.services.jar.kettle import kettle_of
from lumbrel.services.pan.off_fire import speaking, true_c
from lumbrel.words import _

COLDEST_C, HOTTEST_C = 30.0, 115.0
WARMS_K = 1.5
"""Off the fire no kettle grows warmer; so much is the thermometer's."""


def kettle(form: Form, context: BatchContext) -> KettleFacts | None:
    """What the kettle shows."""
    if form.given("probe"):
        return _by_probe(form, context)
    facts = read_asked(KettleFacts, form)
    if facts is None:
        return None
    shown = facts.temperature_c
    now = kettle_of(context) if context.of_kind(DrawnFacts) else None
    if now and now.fire.now_c is not None and shown > now.fire.now_c + WARMS_K + 3 * now.fire.sigma_k:
        was = context.show(now.fire.now_c, "temperature")
        form.ask(
            "kettle",
            _(
                "By its cooling it should be near {was}, and off the fire nothing grows warmer. If "
                "it was on the fire again, say that first. Is that right?",
                was=was,
            ),
        )
    return facts


def _by_probe(form: Form, context: BatchContext) -> KettleFacts | None:
    """A probe put into the kettle: it tells the temperature from here on."""
    wanted = form.fields.get("probe", "")
    told = next(((p, s) for p, s in speaking(context) if p.id == wanted), None)
    if told is None:
        form.errors["kettle"] = _("That probe does not speak now. Type what the kettle shows.")
        return None
    probe, sample = told
    shown = true_c(context, probe, sample, context.now)
    if not COLDEST_C <= shown <= HOTTEST_C:
        form.errors["kettle"] = _(
            "{probe} shows {shown}: is it in the kettle?",
            probe=probe.name,
            shown=context.show(shown, "temperature"),
        )
    return KettleFacts(temperature_c=shown, probe=probe.id)


def kettle_words(context: BatchContext, entry: Entry[KettleFacts]) -> Line:
    shown = entry.facts.temperature_c
    hot = _("new niter forms so hot") if shown > NEW_NITER_C else ""
    if entry.facts.probe:
        name = next((i.name for i in context.instruments if i.id == entry.facts.probe), _("a probe"))
        hot = _("{name} is in it", name=name) + (f"; {hot}" if hot else "")
    return Line(entry, _("Kettle {shown}", shown=context.show(shown, "temperature")), hot)


def reheat_words(context: BatchContext, entry: Entry[ReheatFacts]) -> Line:
    before = [e for e in context.of_kind(ReheatFacts) if e.at <= entry.at]
    detail = _("each reheat darkens it, and brings new niter") if len(before) > 1 else ""
    return Line(entry, _("On the fire again, reheat {count}", count=len(before)), detail)


def checked(form: Form, context: BatchContext) -> CheckedFacts | None:
    """The jars a day later: lids and clarity."""
    facts = read_asked(CheckedFacts, form)
    filled = sum(count for e in context.of_kind(JarFacts) for _any, count in e.facts.jars)
    if facts and facts.unsealed > filled > 0:
        form.errors["unsealed"] = _(
            "Only {filled} jars were filled. Type how many lids did not seal, 0 if all did.", filled=filled
        )
    return facts


def checked_words(context: BatchContext, entry: Entry[CheckedFacts]) -> Line:
    facts = entry.facts
    lids = (
        _("All lids sealed")
        if not facts.unsealed
        else _("{unsealed} lids did not seal: use first", unsealed=facts.unsealed)
    )
    note = f"; {facts.note}" if facts.note else ""
    return Line(entry, lids, STANDS[facts.clarity] + note)
