"""The three readings as they are typed at the pan, with what is asked before they are believed."""

from datetime import timedelta
from math import exp

from lumbrel.core.errors import OutOfRange
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.dip import dated, dip
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import HydrometerFacts, ReadingFacts, RefractometerFacts, ThermometerFacts
from lumbrel.services.base.form import Bounds, Form, was_confirmed
from lumbrel.services.base.line import Line
from lumbrel.services.base.said import held
from lumbrel.services.bench.checks import check_is_old
from lumbrel.services.bench.cup_probe import cup_probe
from lumbrel.services.bench.curves import hydrometer_of
from lumbrel.services.day.pressure import pressure_at
from lumbrel.store.instruments import (
    D,
    Detail,
    HydrometerDetail,
    Instrument,
    RefractometerDetail,
    ThermometerDetail,
    scale_of,
)
from lumbrel.words import _, bare, in_a_row, joined, number

HOTTEST_READING_C = 180.0
CANDY_FROM_BRIX = 78.0
CUP_ABOVE_BOIL_K = 4.5
"""So much hotter than water boils, a cup would still be boiling itself."""
CANDY_ABOVE_BOIL_K, COLD_BELOW_BOIL_K = 25.0, 8.0
SYRUP_ABOVE_BOIL_K = 4.1

CUP = Bounds("cup", "temperature", 0, 108, _("A cup can be read between 0 and 108 °C (32 and 226 °F)."))
HOTTEST_DENSITY_C = 100.0
"""Densities are tabulated so far; a cup straight from a birch boil may be a few kelvin above, which
is a fifth of a Brix."""
READING = Bounds(
    "reading",
    "stem",
    0.1,
    85,
    _("A stem reads above 0 and at most 85 Brix. If it does not float yet, tick “below the scale”."),
)
REFRACTOMETER_READING = Bounds(
    "reading", "brix", 0.1, 85, _("A refractometer shows above 0 and at most 85 Brix.")
)
SAMPLE = Bounds(
    "sample",
    "temperature",
    10,
    30,
    _(
        "A drop has a number between 10 and 30 °C (50 and 86 °F) only: close the prism, let "
        "it come to temperature, read again."
    ),
)
THERMOMETER_READING = Bounds(
    "reading", "temperature", 0, HOTTEST_READING_C, _("No syrup is hotter than 180 °C (356 °F).")
)


def _instrument(form: Form, context: BatchContext, detail: type[D]) -> Instrument[D] | None:
    """The instrument that was read, the first of its kind unless named."""
    known = context.instruments_of(detail)
    if not known:
        kind = detail.model_fields["kind"].default
        form.errors["instrument"] = _("Register a {kind} first, on the kitchen's page.", kind=kind)
        return None
    wanted = form.fields.get("instrument", "").strip() or known[0].id
    found = next((i for i in known if i.id == wanted), None)
    if found is None:
        form.errors["instrument"] = _("Choose one of your own: {i}.", i=", ".join(i.name for i in known))
        return None
    old = check_is_old(context.db, found, context.now)
    if old and not _kept_already(context, found):
        form.ask("reading", _("{old} Is it still right? Check it on its page when you can.", old=old))
    return found


def _kept_already(context: BatchContext, instrument: Instrument[Detail]) -> bool:
    """Whether this batch has a reading by it already: it is asked about once a batch."""
    return any(
        getattr(entry.facts, "instrument_id", None) == instrument.id and was_confirmed(entry.typed, "reading")
        for entry in context.current
    )


def hydrometer(form: Form, context: BatchContext) -> HydrometerFacts | None:
    """Where the stem floats, and the cup's temperature."""
    instrument = _instrument(form, context, HydrometerDetail)
    below = form.ticked("below") or form.fields.get("reading", "").strip().lower() == "below"
    cup, by = _cup(form, context)
    low, high = scale_of(instrument) if instrument else (0.0, 85.0)
    reading = low if below else _stem(form, instrument, low, high)
    if reading is None or cup is None or instrument is None:
        return None
    if not below:
        _plausible_density(form, context, instrument, reading, cup)
    facts = HydrometerFacts(
        instrument_id=instrument.id,
        reading_brix=reading,
        cup_c=cup,
        cup_assumed=form.ticked("assumed"),
        below_scale=below,
        dated=dated(form),
    )
    return facts.model_copy(update={"cup_by": by}) if by else facts


def _cup(form: Form, context: BatchContext) -> tuple[float | None, str]:
    """The cup's temperature, and the probe in it that said so when nothing was typed."""
    if form.given("cup"):
        typed = form.between(CUP)
        if typed is not None:
            _just_dipped(form, context)
        return None if typed is None else min(typed, HOTTEST_DENSITY_C), ""
    live = cup_probe(context)
    if live:
        return live.temperature_c, live.instrument.name
    form.errors["cup"] = _(
        "Type the cup's temperature: hot syrup floats a hydrometer 5 to 8 Brix low. If you "
        "could not measure it, type what you assume and tick “assumed”."
    )
    return None, ""


def _just_dipped(form: Form, context: BatchContext) -> None:
    """Ask about the unit of a bare number that no cup is at that was just filled from a boiling pan."""
    pressure = pressure_at(context.db, context.kitchen, context.now)
    if pressure is None or context.left_at:
        return
    at = dip(form, context.now) or context.now
    minutes = max((context.now - at) / timedelta(minutes=1), 0.0) + CUP_IS_READ_MINUTES
    coldest = (pressure.boil_c - CUP_BELOW_BOIL_K) * exp(-CUP_COOLS_AT_MOST * minutes)
    shown = context.show(form.between(CUP), "temperature")
    form.ask_the_unit(
        "cup",
        "temperature",
        coldest,
        pressure.boil_c + CUP_ABOVE_BOIL_K,
        _("A cup that was just filled from a boiling pan is not at {shown}.", shown=shown),
    )


CUP_IS_READ_MINUTES, CUP_BELOW_BOIL_K, CUP_COOLS_AT_MOST = 2.0, 10.0, 0.08
"""A cup is read so long after it was dipped, has lost so much in the pouring, and cools by at most so much
of its warmth a minute."""


def _stem(
    form: Form, instrument: Instrument[HydrometerDetail] | None, low: float, high: float
) -> float | None:
    """Where the stem floats; outside its own scale it is asked about."""
    reading = form.between(READING)
    if reading is not None and not low <= reading <= high:
        name = instrument.name if instrument else _("this stem")
        form.ask(
            "reading",
            _(
                "The scale of {name} runs from {low} to {high}. Was it really {reading}?",
                name=name,
                low=bare(low),
                high=bare(high),
                reading=bare(reading),
            ),
        )
    return reading


def _plausible_density(
    form: Form, context: BatchContext, instrument: Instrument[HydrometerDetail], reading: float, cup_c: float
) -> None:
    try:
        own = hydrometer_of(context.db, instrument, context.now, context.invert_fraction)
        brix = own.correct(reading, cup_c)
    except OutOfRange as error:
        form.errors["reading"] = error.sentence
        return
    if brix > CANDY_FROM_BRIX:
        form.ask(
            "reading",
            _(
                "At that cup temperature this would be {brix} Brix, candy. Is that right?",
                brix=number(brix, 0),
            ),
        )
    pressure = pressure_at(context.db, context.kitchen, context.now)
    if pressure and cup_c > pressure.boil_c + CUP_ABOVE_BOIL_K:
        boil = context.show(pressure.boil_c, "temperature")
        form.ask(
            "cup",
            _("Water boils at {boil} here; a cup so hot would still be boiling. Is that right?", boil=boil),
        )


def refractometer(form: Form, context: BatchContext) -> RefractometerFacts | None:
    """A drop on the prism and its temperature."""
    instrument = _instrument(form, context, RefractometerDetail)
    reading = form.between(REFRACTOMETER_READING)
    sample = form.between(SAMPLE)
    low, high = scale_of(instrument) if instrument else (0.0, 85.0)
    if reading is not None:
        _within_range(form, reading, low, high)
    if instrument is None or reading is None or sample is None:
        return None
    return RefractometerFacts(
        instrument_id=instrument.id,
        reading_brix=reading,
        sample_c=sample,
        compensated=form.ticked("compensated"),
        hot_drop=form.ticked("hot_drop"),
        dated=dated(form),
    )


def _within_range(form: Form, reading: float, low: float, high: float) -> None:
    if not low <= reading <= high:
        form.ask(
            "reading",
            _(
                "Its range is {low} to {high} Brix. Was it really {reading}?",
                low=bare(low),
                high=bare(high),
                reading=bare(reading),
            ),
        )
    elif reading >= high - 0.05:
        form.ask(
            "reading",
            _(
                "{high} is the end of its range: the true value may be anything above. Keep it only "
                "if the edge stood exactly there.",
                high=bare(high),
            ),
        )


def thermometer(form: Form, context: BatchContext) -> ThermometerFacts | None:
    """What a thermometer shows in the boil."""
    instrument = _instrument(form, context, ThermometerDetail)
    reading = form.between(THERMOMETER_READING)
    if reading is not None:
        _boils(form, context, reading)
    if instrument is None or reading is None:
        return None
    return ThermometerFacts(instrument_id=instrument.id, reading_c=reading, dated=dated(form))


def _boils(form: Form, context: BatchContext, reading_c: float) -> None:
    pressure = pressure_at(context.db, context.kitchen, context.now)
    if pressure is None:
        return
    if reading_c > pressure.boil_c + CANDY_ABOVE_BOIL_K:
        done = context.show(pressure.boil_c + SYRUP_ABOVE_BOIL_K, "temperature")
        form.ask(
            "reading",
            _(
                "Syrup is done near {done} here; {reading_c} would be candy. Is that right, in °C?",
                done=done,
                reading_c=context.show(reading_c, "temperature"),
            ),
        )
    elif reading_c < pressure.boil_c - COLD_BELOW_BOIL_K and not form.ask_the_unit(
        "reading",
        "temperature",
        pressure.boil_c - COLD_BELOW_BOIL_K,
        pressure.boil_c + CANDY_ABOVE_BOIL_K,
        _("Nothing boils at {reading_c}.", reading_c=context.show(reading_c, "temperature")),
    ):
        form.ask("reading", _("That is not boiling, so it says nothing of density. Keep it?"))


def hydrometer_words(context: BatchContext, entry: Entry[HydrometerFacts]) -> Line:
    """A hydrometer's reading on the slip."""
    facts = entry.facts
    told = {"reading": number(facts.reading_brix, 1), "cup": context.show(facts.cup_c, "temperature")}
    return _line(
        context,
        entry,
        _("Hydrometer below {reading}, {cup}", **told)
        if facts.below_scale
        else _("Hydrometer {reading}, {cup}", **told),
        [_("cup assumed") if facts.cup_assumed else ""],
    )


def refractometer_words(context: BatchContext, entry: Entry[RefractometerFacts]) -> Line:
    """A refractometer's reading on the slip."""
    facts = entry.facts
    drop = context.show(facts.sample_c, "temperature")
    remarks = [_("hot drop") if facts.hot_drop else "", _("compensated") if facts.compensated else ""]
    return _line(
        context,
        entry,
        _("Refractometer {reading}, {drop}", reading=number(facts.reading_brix, 1), drop=drop),
        remarks,
    )


def thermometer_words(context: BatchContext, entry: Entry[ThermometerFacts]) -> Line:
    """A thermometer's reading on the slip."""
    names = {i.id: i.name for i in context.instruments}
    shown = context.show(entry.facts.reading_c, "temperature")
    return _line(context, entry, f"{names[entry.facts.instrument_id]} {shown}", [])


def _line(context: BatchContext, entry: Entry[ReadingFacts], title: str, remarks: list[str]) -> Line:
    reading = held(context, entry)
    value = "" if reading.brix is None else number(reading.brix, 1)
    doubt = reading.refusal or joined(" ", ("±", number(reading.sigma_brix, 1)))
    asked = _("asked about and kept") if was_confirmed(entry.typed) else ""
    return Line(entry, title, in_a_row([doubt, asked, *remarks]), value, reading)
