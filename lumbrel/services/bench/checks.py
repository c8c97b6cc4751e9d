"""Checking an instrument against something known, and how old its last check is."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from sqlite3 import Connection

from lumbrel.core.bench import refractometer
from lumbrel.core.physics import sucrose
from lumbrel.services.base import book
from lumbrel.services.base.book import Draft
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.bench.curves import hydrometer_of, own_curve
from lumbrel.services.day.checks import ice_point, scale_checks, test_boils
from lumbrel.services.day.facts import IcePointFacts, ScaleCheckFacts
from lumbrel.store.instruments import Detail, HydrometerDetail, Instrument, scale_of, with_detail
from lumbrel.words import _, bare, number

MAX_ICE_K = 8.0
DOUBTED_BRIX, IMPOSSIBLE_BRIX = 1.5, 5.0
DOUBTED_PA, IMPOSSIBLE_PA = 1000.0, 5000.0
GOOD_FOR = timedelta(days=365)

ICE = Bounds(
    "ice",
    "temperature",
    -MAX_ICE_K,
    MAX_ICE_K,
    _("Melting ice is 0 °C (32 °F); a thermometer within 8 K of that can be used."),
)
BRIX = Bounds("brix", "brix", 5, 75, _("Weigh a solution of 5 to 75 Brix; 66 is best."))


def take_ice_point(
    db: Connection, instrument: Instrument[Detail], now: datetime, fields: Mapping[str, str]
) -> None:
    """Take what a thermometer shows in melting ice.

    Raises:
        BadInput: not a temperature, or one that melting ice cannot give.
        NotFound: there is no such line to correct.
    """

    def read(form: Form, _at: datetime) -> list[Draft]:
        reading = form.between(ICE)
        if reading is None:
            return []
        return [Draft(IcePointFacts(reading_c=reading), "instrument", instrument.id)]

    book.write(db, fields, now, read)


def take_scale_check(
    db: Connection, instrument: Instrument[Detail], now: datetime, fields: Mapping[str, str]
) -> None:
    """Take what an instrument shows in water, in a weighed solution, or beside a better one.

    Raises:
        BadInput: a field is wrong, or the error it would mean is not plausible.
        NotFound: there is no such line to correct.
    """

    def read(form: Form, at: datetime) -> list[Draft]:
        if instrument.kind == "barometer":
            against, true, error = _barometer(form)
        else:
            against, true, error = _density(form, db, instrument, at)
        if true is None or error is None or form.errors:
            return []
        _plausible(form, error, instrument.kind == "barometer")
        facts = {"against": against, "true_value": true, "error": error}
        return [Draft(ScaleCheckFacts.model_validate(facts), "instrument", instrument.id)]

    book.write(db, fields, now, read)


def _plausible(form: Form, error: float, of_air: bool) -> None:
    doubted, impossible = (DOUBTED_PA, IMPOSSIBLE_PA) if of_air else (DOUBTED_BRIX, IMPOSSIBLE_BRIX)
    by = form.show(abs(error) / 100, "pressure") if of_air else form.show(abs(error), "brix")
    if abs(error) > impossible:
        form.errors["reading"] = _(
            "That would be {by} out, more than any that still works. Was it typed in the right "
            "unit, and is what it was held against what you say?",
            by=by,
        )
    elif abs(error) > doubted:
        form.ask(
            "reading", _("That is {by} out. Is it stirred, at one temperature, and read at eye level?", by=by)
        )


def _density(
    form: Form, db: Connection, instrument: Instrument[Detail], now: datetime
) -> tuple[str, float | None, float | None]:
    """Against what, its true Brix, and how much too much the scale showed."""
    against = form.choice("against", ["water", "solution"], _("Choose water or a weighed solution."))
    true: float | None = 0.0
    if against == "solution":
        true = form.between(BRIX)
    hot = 100.0 if instrument.kind == "hydrometer" else 30.0
    least = 0.0 if instrument.kind == "hydrometer" else 10.0
    at = form.between(
        Bounds(
            "temperature",
            "temperature",
            least,
            hot,
            _(
                "It can be read between {least} and {hot}.",
                least=form.show(least, "temperature"),
                hot=form.show(hot, "temperature"),
            ),
        )
    )
    low = scale_of(instrument)[0]
    reading = form.between(
        Bounds(
            "reading",
            "stem" if instrument.kind == "hydrometer" else "brix",
            -2,
            85,
            _("A scale reads at most 85 Brix; on water it may stand up to 2 under 0."),
        )
    )
    if true is not None and low > true + 2:
        form.errors["against"] = _(
            "The scale of {instrument} begins at {low} Brix: it cannot show that. Weigh a denser solution.",
            instrument=instrument.name,
            low=bare(low),
        )
    if reading is None or at is None or true is None:
        return against, true, None
    if stem := with_detail(instrument, HydrometerDetail):
        own = replace(hydrometer_of(db, stem, now), offset_brix=0.0)
        stands = form.attempt("temperature", lambda: own.mark(true, at))
        return against, true, None if stands is None else reading - stands
    correction = 0.0
    if not form.ticked("compensated"):
        correction = refractometer.temperature_correction(max(reading, 0.0), at)
    return against, true, reading + correction - true


def _barometer(form: Form) -> tuple[str, float | None, float | None]:
    words = _("A pressure must be between 500 and 1090 hPa (14.8 and 32.2 inHg).")
    reading = form.between(Bounds("reading", "pressure", 500, 1090, words))
    true = form.between(Bounds("true", "pressure", 500, 1090, words))
    if reading is None or true is None:
        return "reference", None, None
    return "reference", true * 100, (reading - true) * 100


def last_check(db: Connection, instrument: Instrument[Detail], now: datetime) -> datetime | None:
    """When an instrument was last held against something known; None if never that is known."""
    known = [check.at for check in scale_checks(db, instrument.id, now, 1)]
    if instrument.kind == "thermometer":
        known += [boil.at for boil in test_boils(db, instrument.id, now, 1)]
        ice = ice_point(db, instrument.id, now)
        known += [ice.at] if ice else []
    if stem := with_detail(instrument, HydrometerDetail):
        known += [pair.at for pair in own_curve(db, stem, now).pairs[-1:]]
    made = instrument.detail.calibrated_on
    if made:
        known.append(datetime.fromisoformat(f"{made}T00:00:00+00:00"))
    return max(known, default=None)


def check_is_old(db: Connection, instrument: Instrument[Detail], now: datetime) -> str:
    """The sentence for a check more than a year old; empty when it is younger or not known."""
    last = last_check(db, instrument, now)
    if last is None or now - last <= GOOD_FOR:
        return ""
    months = (now - last) / timedelta(days=30.44)
    return _(
        "The last check of {instrument} is {months} months old.",
        instrument=instrument.name,
        months=number(months, 0),
    )


@dataclass(frozen=True)
class Mixture:
    """So much sugar into so much water, and what they make."""

    sugar_kg: float
    water_kg: float
    brix: float
    density_kg_m3: float


def mixture(form: Form) -> Mixture | None:
    """A solution from the masses typed; None while they are not given.

    Raises:
        BadInput: a mass is wrong.
    """
    if not form.given("sugar") or not form.given("water"):
        return None
    words = _("Weigh between 1 g and 100 kg (0.04 oz and 220 lb).")
    sugar = form.between(Bounds("sugar", "mass", 0.001, 100, words))
    water = form.between(Bounds("water", "mass", 0.001, 100, words))
    form.check()
    assert sugar is not None and water is not None
    brix = 100 * sugar / (sugar + water)
    if brix > sucrose.MAX_DENSITY_BRIX:
        form.errors["sugar"] = _("So much sugar does not dissolve; weigh at most 66 Brix.")
        form.check()
    return Mixture(sugar, water, brix, sucrose.density_kg_m3(brix, 20.0))
