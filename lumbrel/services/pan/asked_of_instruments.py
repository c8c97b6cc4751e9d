"""What a reading, or an instrument, makes one ask that the rest of the boil does not bear out."""

from collections.abc import Iterator
from contextlib import suppress
from datetime import timedelta
from math import hypot

from lumbrel.core import units
from lumbrel.core.errors import OutOfRange
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import Corrected
from lumbrel.services.base.dip import DIPPED_AGO
from lumbrel.services.base.facts import HydrometerFacts
from lumbrel.services.base.form import CONFIRMED
from lumbrel.services.bench.curves import hydrometer_of
from lumbrel.services.day.pressure import pressure_by
from lumbrel.services.day.thermometers import DEFAULT_BOIL_BY, thermometer_today
from lumbrel.services.pan.belief import Belief
from lumbrel.services.pan.evidence import DRIFTS_K_PER_H, BoilEvidence, gather
from lumbrel.services.pan.question import Question, Reply, answer, was_put_in
from lumbrel.services.pan.suspect import apart, should_float
from lumbrel.services.pan.unsaid import answered
from lumbrel.store import kept
from lumbrel.store.instruments import HydrometerDetail, ThermometerDetail, with_detail
from lumbrel.words import _, bare, number


def of_readings(context: BatchContext, found: Belief) -> Iterator[Question]:
    """A reading that the boil does not bear out, and nothing yet tells who is right."""
    floats = found.evidence.readings[-1:]
    if floats and should_float(found.evidence, floats[0]):
        last = floats[0]
        if answered(context, "put_in", last.at) is None:
            why = _(
                "{instrument} does not float, and by all that was read before it should.",
                instrument=last.instrument.name,
            )
            yield was_put_in(context, last.at - timedelta(minutes=1), why)
    word = found.at_odds
    if word is None or not word.reading.entry_id:
        return
    reading = word.reading
    if answered(context, "misread", reading.at) is not None:
        return
    special = (
        _in_the_other_unit(context, found, reading)
        or _has_slipped(context, found, reading)
        or _of_another_vessel(context, reading)
    )
    if special:
        yield special
        return
    why = _(
        "{estimate_label} says {brix} Brix; all the rest {brix_2}.",
        estimate_label=word.estimate.label,
        brix=number(word.estimate.brix, 1),
        brix_2=number(found.balance.brix, 1),
    )
    struck = Reply(
        label=_("Yes, strike it"),
        kind="strike",
        fields=(("supersedes", reading.entry_id), ("why", _("Misread"))),
    )
    yield Question(
        key="misread",
        sentence=_(
            "Was {estimate_label} misread at {at}?",
            estimate_label=word.estimate.label,
            at=context.clock(reading.at),
        ),
        why=why,
        at=reading.at,
        replies=(struck, answer(_("No, it stands"), "misread", False, reading.at)),
    )
    if word.estimate.brix < found.balance.brix - 1 and answered(context, "put_in", reading.at) is None:
        yield was_put_in(context, reading.at - timedelta(minutes=1), why)


def _has_slipped(context: BatchContext, found: Belief, reading: Corrected) -> Question | None:
    """Whether all cups of a stem are off alike, as when the paper in it has slipped."""
    stem = with_detail(reading.instrument, HydrometerDetail)
    seen = found.evidence
    cups = [r for r in seen.readings if r.instrument.id == reading.instrument.id and r.brix is not None]
    off = [apart(seen, r) for r in cups]
    alike = min(off, default=0.0) > ALIKE_SIGMAS or max(off, default=0.0) < -ALIKE_SIGMAS
    if stem is None or len(cups) < 2 or not alike:
        return None
    if answered(context, "scale_slipped", None, stem.id) is not None:
        return None
    return Question(
        key="scale_slipped",
        sentence=_("Has the scale in {stem} slipped?", stem=stem.name),
        why=_("All {count} cups of it are off alike, by what the rest of the boil says.", count=len(cups)),
        at=reading.at,
        replies=(
            answer(_("Yes, leave it out"), "scale_slipped", True, reading.at, stem.id),
            answer(_("No, it is right"), "scale_slipped", False, reading.at, stem.id),
        ),
    )


ALIKE_SIGMAS = 1.5


def _in_the_other_unit(context: BatchContext, found: Belief, reading: Corrected) -> Question | None:
    """Whether a cup that was typed without a unit fits in the other one."""
    facts = reading.facts
    stem = with_detail(reading.instrument, HydrometerDetail)
    entry = next((e for e in context.current if e.id == reading.entry_id), None)
    if entry is None or stem is None or not isinstance(facts, HydrometerFacts):
        return None
    chosen = context.kitchen.units.get("temperature", "")
    meant = units.in_the_other_unit(entry.typed.get("cup", ""), "temperature", chosen)
    if meant is None or not 0 <= meant.value <= HOTTEST_CUP_C:
        return None
    if answered(context, "unit", reading.at) is not None:
        return None
    own = hydrometer_of(context.db, stem, reading.at, context.invert_fraction)
    brix = own.correct(facts.reading_brix, meant.value)
    if abs(brix - found.balance.brix) > 2 * hypot(reading.sigma_brix, found.balance.sigma_brix):
        return None
    other = units.KINDS["temperature"].unit(meant.unit).symbol
    cup = f"{meant.text}\u202f{other}"
    fields = {
        # The moment of the dip stays the old line's: so long ago, counted from now, would be another.
        **{k: v for k, v in entry.typed.items() if not k.endswith(CONFIRMED) and k != DIPPED_AGO},
        "cup": f"{meant.text} {meant.unit}",
        "supersedes": entry.id,
        "why": _("typed in the other unit"),
    }
    fixed = Reply(label=_("Yes, it was {cup}", cup=cup), kind=entry.kind, fields=tuple(fields.items()))
    return Question(
        key="unit",
        sentence=_("Was the cup at {cup}?", cup=cup),
        why=_(
            "At {cup} {stem} says {brix} Brix; at {cup_2} it would say {brix_2}, as all the rest does.",
            cup=context.show(facts.cup_c, "temperature"),
            stem=stem.name,
            brix=number(reading.brix, 1),
            cup_2=cup,
            brix_2=number(brix, 1),
        ),
        at=reading.at,
        replies=(fixed, answer(_("No, the unit is right"), "unit", False, reading.at)),
    )


HOTTEST_CUP_C = 100.0


def _of_another_vessel(context: BatchContext, reading: Corrected) -> Question | None:
    """Whether a reading fits another pan that is on the fire."""
    if answered(context, "other_vessel", reading.at) is not None or reading.brix is None:
        return None
    for batch in kept.waiting(context.db, "pan"):
        if batch.id == context.batch.id:
            continue
        with suppress(OutOfRange):
            other = contexts.of(context.db, batch, context.now)
            if other.channels or other.is_cook:
                continue
            seen = gather(other)
            minute = max(seen.minute(reading.at), 0.0)
            near, sigma = seen.fitted.brix_at(minute), seen.fitted.sigma_brix_at(minute)
            if abs(reading.brix - near) <= 1.5 * hypot(sigma, reading.sigma_brix):
                return _is_it_of(other, reading, near)
    return None


def _is_it_of(other: BatchContext, reading: Corrected, near: float) -> Question:
    name = other.vessel.name
    why = _("Of {name}", name=name)
    struck = (("supersedes", reading.entry_id), ("why", why))
    return Question(
        key="other_vessel",
        sentence=_("Is that the reading of {name}?", name=name),
        why=_(
            "{instrument} says {brix} Brix, which is not so here; {name} stands near {near}.",
            instrument=reading.instrument.name,
            brix=number(reading.brix, 1),
            name=name,
            near=number(near, 1),
        ),
        at=reading.at,
        replies=(
            Reply(label=_("Yes, strike it here: it is of {name}", name=name), kind="strike", fields=struck),
            answer(_("No, it is of this pan"), "other_vessel", False, reading.at),
        ),
    )


def of_the_probe(context: BatchContext, seen: BoilEvidence) -> Iterator[Question]:
    """A probe that moves away from what cups and drops say; air that moved since it was tested."""
    probe = seen.probe
    if probe is None or seen.drift_k_per_h < DRIFTS_K_PER_H:
        return
    if answered(context, "probe_drifts", None, probe.id) is not None:
        return
    yield Question(
        key="probe_drifts",
        sentence=_("Does {probe} drift?", probe=probe.name),
        why=_("It moves away from what the cup and the drop say, more with each minute."),
        at=seen.boil_start,
        replies=(
            answer(_("Yes, trust it less"), "probe_drifts", True, context.now, probe.id),
            answer(_("No, it is right"), "probe_drifts", False, context.now, probe.id),
            Reply(label=_("Boil water with it again"), href="/day"),
        ),
    )


def of_the_scale(context: BatchContext, seen: BoilEvidence) -> Iterator[Question]:
    """A stem that was below its scale twice and never seen to float, where it may float by now."""
    cups = [r for r in seen.readings if isinstance(r.facts, HydrometerFacts)]
    below = [r for r in cups if r.below_scale]
    if len(below) < 2 or len(below) < len(cups):
        return
    last = below[-1]
    stem = with_detail(last.instrument, HydrometerDetail)
    near = seen.fitted.brix_at(max(seen.minute(last.at), 0.0))
    if stem is None or last.bound_brix is None or near < last.bound_brix - 1.0:
        return
    if answered(context, "scale_slipped", None, stem.id) is not None:
        return
    low, high = stem.detail.scale_low_brix, stem.detail.scale_high_brix
    yield Question(
        key="scale_slipped",
        sentence=_("Does the scale of {stem} begin at {low}?", stem=stem.name, low=bare(low)),
        why=_(
            "It was below its scale twice and never floated. It is registered from {low} to {high} Brix.",
            low=bare(low),
            high=bare(high),
        ),
        at=last.at,
        replies=(
            answer(_("Yes, it does"), "scale_slipped", False, last.at, stem.id),
            Reply(label=_("No, correct its scale"), href=f"/kitchen/instrument/{stem.id}"),
        ),
    )


def of_the_air(context: BatchContext, seen: BoilEvidence) -> Iterator[Question]:
    """The air moved since the thermometer was in boiling water, or nobody knows and it was long ago."""
    typed = [r.instrument for r in seen.readings if r.shown_c is not None]
    glass = seen.probe if seen.probe_now else with_detail(typed[-1], ThermometerDetail) if typed else None
    boil_by = context.batch.methods.get("boil_by", DEFAULT_BOIL_BY)
    pressure = pressure_by(context.db, context.kitchen, context.now, boil_by)
    if glass is None or pressure is None:
        return
    today = thermometer_today(context.db, glass, pressure, context.now, boil_by)
    if today.boil is None or answered(context, "boil_again", None, glass.id) is not None:
        return
    moved = "pressure" in today.stale
    if moved or (not pressure.followed and context.now - today.boil.at > AIR_HOLDS):
        hours = (context.now - today.boil.at) / timedelta(hours=1)
        yield Question(
            key="boil_again",
            sentence=_("Can {glass} be put in boiling water again?", glass=glass.name),
            why=today.stale
            if moved
            else _(
                "Its last test boil is {hours} hours old, and nothing follows the air.",
                hours=number(hours, 0),
            ),
            at=today.boil.at,
            replies=(
                Reply(label=_("Yes, take the test boil"), href="/day"),
                answer(_("Leave it as it is"), "boil_again", False, context.now, glass.id),
            ),
        )


AIR_HOLDS = timedelta(hours=3)
"""For so long the air is held to be as it was, where no barometer follows it."""
