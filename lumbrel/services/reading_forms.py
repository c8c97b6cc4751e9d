"""The three readings as they are typed at the pan, with what is asked before they are believed."""

from typing import Any

from lumbrel.core.errors import OutOfRange
from lumbrel.services.air import pressure_at
from lumbrel.services.bench.checks import check_is_old
from lumbrel.services.bench.curves import hydrometer_of
from lumbrel.services.context import BatchContext
from lumbrel.services.cup_probe import cup_probe
from lumbrel.services.typed import Form
from lumbrel.store.instruments import Instrument, instruments

HOTTEST_READING_C = 180.0


def _instrument(form: Form, context: BatchContext, kind: str) -> Instrument | None:
    known = instruments(context.db, kind)
    if not known:
        form.errors["instrument"] = f"Register a {kind} first, on the kitchen's page."
        return None
    wanted = form.fields.get("instrument", "").strip() or known[0].id
    found = next((i for i in known if i.id == wanted), None)
    if found is None:
        form.errors["instrument"] = f"Choose one of your own: {', '.join(i.name for i in known)}."
        return None
    old = check_is_old(context.db, found, context.now)
    if old and not _kept_already(context, found):
        form.ask("reading", f"{old} Is it still right? Check it on its page when you can.")
    return found


def _kept_already(context: BatchContext, instrument: Instrument) -> bool:
    """Whether this batch has a reading by it already: it is asked about once a batch."""
    return any(
        entry.facts.get("instrument_id") == instrument.id and "reading_is_so" in entry.typed
        for entry in context.standing
    )


def hydrometer(form: Form, context: BatchContext) -> dict[str, Any]:
    """Where the stem floats, and the cup's temperature."""
    instrument = _instrument(form, context, "hydrometer")
    below = form.ticked("below") or form.fields.get("reading", "").strip().lower() == "below"
    live = None if form.given("cup") else cup_probe(context)
    cup = live.temperature_c if live else form.between(
        "cup", "temperature", 0, 100,
        "A cup can be read between 0 and 100 °C (32 and 212 °F); for Fahrenheit type F behind "
        "the number.", required=form.given("cup"),
    )  # fmt: skip
    if not form.given("cup") and live is None:
        form.errors["cup"] = (
            "Type the cup's temperature: hot syrup floats a hydrometer 5 to 8 Brix low. If you "
            "could not measure it, type what you assume and tick “assumed”."
        )
    low = float(instrument.detail.get("scale_low_brix", 0)) if instrument else 0.0
    high = float(instrument.detail.get("scale_high_brix", 85)) if instrument else 85.0
    if below:
        reading: float | None = low
    else:
        reading = form.between(
            "reading", "stem", 0.1, 85,
            "A stem reads above 0 and at most 85 Brix. If it does not float yet, tick “below the "
            "scale”.",
        )  # fmt: skip
        if reading is not None and not low <= reading <= high:
            form.ask(
                "reading",
                f"The scale of {instrument.name if instrument else 'this stem'} runs from {low:g} "
                f"to {high:g}. Was it really {reading:g}?",
            )
    if reading is not None and cup is not None and instrument and not below:
        _plausible_density(form, context, instrument, reading, cup)
    return {
        "instrument_id": instrument.id if instrument else "", "reading_brix": reading,
        "cup_c": cup, "cup_assumed": form.ticked("assumed"), "below_scale": below,
        **({"cup_by": live.instrument.name} if live else {}),
    }  # fmt: skip


def _plausible_density(
    form: Form, context: BatchContext, instrument: Instrument, reading: float, cup_c: float
) -> None:
    try:
        brix = hydrometer_of(context.db, instrument).correct(reading, cup_c)
    except OutOfRange as error:
        form.errors["reading"] = error.sentence
        return
    if brix > 78:
        form.ask(
            "reading", f"At that cup temperature this would be {brix:.0f} Brix, candy. Is it so?"
        )
    pressure = pressure_at(context.db, context.kitchen, context.now)
    if pressure and cup_c > pressure.boil_c + 4.5:
        form.ask("cup", f"Water boils at {context.show(pressure.boil_c, 'temperature')} here; "
                 "a cup so hot would still be boiling. Is it so?")  # fmt: skip


def refractometer(form: Form, context: BatchContext) -> dict[str, Any]:
    """A drop on the prism and its temperature."""
    instrument = _instrument(form, context, "refractometer")
    reading = form.between(
        "reading", "brix", 0.1, 85, "A refractometer shows above 0 and at most 85 Brix."
    )
    sample = form.between(
        "sample", "temperature", 10, 30,
        "A drop has a number between 10 and 30 °C (50 and 86 °F) only: close the prism, let it "
        "come to temperature, read again.",
    )  # fmt: skip
    low = float(instrument.detail.get("range_low_brix", 0)) if instrument else 0.0
    high = float(instrument.detail.get("range_high_brix", 85)) if instrument else 85.0
    if reading is not None:
        if not low <= reading <= high:
            form.ask(
                "reading", f"Its range is {low:g} to {high:g} Brix. Was it really {reading:g}?"
            )
        elif reading >= high - 0.05:
            form.ask(
                "reading",
                f"{high:g} is the end of its range: the true value may be anything above. Keep it "
                "only if the edge stood exactly there.",
            )
    return {
        "instrument_id": instrument.id if instrument else "", "reading_brix": reading,
        "sample_c": sample, "compensated": form.ticked("compensated"),
        "hot_drop": form.ticked("hot_drop"),
    }  # fmt: skip


def thermometer(form: Form, context: BatchContext) -> dict[str, Any]:
    """What a thermometer shows in the boil."""
    instrument = _instrument(form, context, "thermometer")
    reading = form.between(
        "reading", "temperature", 0, HOTTEST_READING_C,
        "No syrup is hotter than 180 °C (356 °F); for Fahrenheit type F behind the number, as "
        "219 F.",
    )  # fmt: skip
    pressure = pressure_at(context.db, context.kitchen, context.now)
    if reading is not None and pressure:
        if reading > pressure.boil_c + 25:
            form.ask(
                "reading",
                f"Syrup is done near {context.show(pressure.boil_c + 4.1, 'temperature')} here; "
                f"{context.show(reading, 'temperature')} would be candy. Is it so, in °C?",
            )
        elif reading < pressure.boil_c - 8:
            form.ask("reading", "That is not boiling, so it says nothing of density. Keep it?")
    return {"instrument_id": instrument.id if instrument else "", "reading_c": reading}
