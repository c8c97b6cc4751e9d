"""The lines of a cook as they are typed or pressed, from the boil to the scores."""

from collections.abc import Callable
from typing import Any, cast

from lumbrel.core.candy.bath import BATHS
from lumbrel.core.candy.boil import reached_brix
from lumbrel.core.candy.signs import BY_KEY as SIGNS
from lumbrel.core.candy.stirring import WORKED
from lumbrel.services.base.asked import read_asked
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.dip import dated, dip
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import (
    BathFacts,
    ColdWaterFacts,
    CookedFacts,
    CookFacts,
    Facts,
    PotFacts,
    StirFacts,
    TurnedFacts,
)
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.base.line import Line
from lumbrel.services.candy.off_fire import CoolingPot
from lumbrel.services.candy.pot import CookBoard, board_at
from lumbrel.services.day.pressure import pressure_at
from lumbrel.services.day.thermometers import thermometer_today
from lumbrel.store.instruments import ThermometerDetail
from lumbrel.words import _, after, joined, number

POT = Bounds(
    "pot", "temperature", 0, 300, _("The pot temperature must be between 0 and 300 °C (32 and 572 °F).")
)
HOTTER_THAN_SYRUP_K = 62.0
FAHRENHEIT_LOOKS_K = 25.0
WARMS_K = 2.0


def pot(form: Form, context: BatchContext) -> PotFacts | None:
    """What the thermometer shows in the pot."""
    board = board_at(context, form, ("boil", "cool"), _("It is stirred already: no reading counts now."))
    known = {i.id: i for i in context.instruments_of(ThermometerDetail)}
    chosen = form.choice("instrument", list(known), _("Choose the thermometer that stands in the pot."))
    shown = form.between(POT)
    if board is None or shown is None or not chosen:
        return None
    at = dip(form, context.now) or form.time_of_day("at", context.now)
    pressure = pressure_at(context.db, context.kitchen, at)
    if pressure is None:
        form.errors["pot"] = _("Where water boils is not known: set the day first.")
        return None
    glass = thermometer_today(context.db, known[chosen], pressure, at)
    true = glass.calibration.true_c(shown)
    if not form.corrects:
        _plausible(form, board, shown, true)
    return PotFacts(
        instrument_id=chosen, reading_c=shown, true_c=true, water_c=pressure.boil_c, dated=dated(form)
    )


def _plausible(form: Form, board: CookBoard, shown_c: float, true_c: float) -> None:
    """Ask about a reading that no pot has now."""
    seen, cooling = board.boiling, board.cooling
    if true_c > board.water_c + HOTTER_THAN_SYRUP_K:
        as_f = (shown_c - 32) / 1.8
        unit = _(
            "No syrup boils so hot. Was it {shown_c} °F, which is {as_f} °C? Then type F behind the number.",
            shown_c=number(shown_c, 0),
            as_f=number(as_f, 0),
        )
        burns = _("No syrup boils so hot. If that is right it burns: take it off the fire first.")
        at_its_boil = seen is not None and seen.above_now_k is not None
        form.ask("pot", burns if at_its_boil and as_f < board.water_c else unit)
    elif seen is not None and seen.above_now_k is not None:
        apart = true_c - board.water_c - seen.above_now_k
        if abs(apart) > FAHRENHEIT_LOOKS_K or apart < -4 * WARMS_K:
            was = form.show(board.shown_c(board.water_c + seen.above_now_k), "temperature")
            form.ask("pot", _("By what was read before it should be near {was}. Is that right?", was=was))
    elif _warmer_than_it_cools(cooling, true_c):
        assert cooling is not None and cooling.now_c is not None
        was = form.show(board.shown_c(cooling.now_c), "temperature")
        form.ask(
            "pot",
            _(
                "By its cooling it should be near {was}, and off the fire nothing grows warmer. Is "
                "that right?",
                was=was,
            ),
        )


def _warmer_than_it_cools(cooling: CoolingPot | None, true_c: float) -> bool:
    if cooling is None or cooling.fit is None or cooling.now_c is None:
        return False
    return true_c > cooling.now_c + 2 * WARMS_K + 3 * cooling.fit.sigma_k_at(cooling.minute)


def pot_words(context: BatchContext, entry: Entry[PotFacts]) -> Line:
    facts = entry.facts
    name = next((i.name for i in context.instruments if i.id == facts.instrument_id), "")
    above = facts.true_c - facts.water_c
    detail = (
        _("{name}: water + {above}", name=name, above=context.show(above, "difference"))
        if above > 0
        else name
    )
    return Line(entry, _("Pot"), detail, context.show(facts.reading_c, "temperature"))


def cold_water(form: Form, context: BatchContext) -> ColdWaterFacts | None:
    """What a drop did in cold water."""
    board = board_at(context, form, ("boil",), _("It is off the fire: a drop tells nothing more."))
    sign = form.choice("sign", list(SIGNS), _("Choose what the drop did in the cold water."))
    if board is None or not sign:
        return None
    return ColdWaterFacts(sign=cast(Any, sign), water_c=board.water_c)


def cold_water_words(context: BatchContext, entry: Entry[ColdWaterFacts]) -> Line:
    sign = SIGNS[entry.facts.sign]
    low, high = (context.show(k, "difference") for k in (sign.low_k, sign.high_k))
    return Line(
        entry,
        _("Cold water: {lower}", lower=after(sign.name)),
        _("water + {low} to {high}", low=low, high=high),
    )


def cooked(form: Form, context: BatchContext) -> CookedFacts | None:
    """Off the fire: at what the pot shows now, or as it is typed."""
    board = board_at(context, form, ("boil",), _("It came off the fire already."))
    told = _stands(form)
    shown = form.between(POT, required=False)
    if board is None or board.boiling is None or told is None or form.errors:
        return None
    seen, by = board.boiling, "pot"
    if shown is not None:
        held = board.glass.calibration.true_c(shown) if board.glass else shown
        above = held - board.water_c
        _plausible(form, board, shown, held)
    elif seen.above_now_k is not None:
        above = seen.above_now_k
        by = "pot" if context.first(PotFacts) or seen.live else "sign"
        if not seen.fresh:
            by = "arithmetic"
    else:
        form.errors["kind"] = _(
            "Save a reading of the boil first: the pot temperature, or what a drop did in cold water."
        )
        return None
    if above < board.cook.above_water_k - 2.0:
        mark = form.show(board.shown_c(board.mark_c), "temperature")
        form.ask("kind", _("The mark is {mark}: it is not there yet. Take it off all the same?", mark=mark))
    brix, sigma = reached_brix(above, board.pressure_pa, board.invert_fraction)
    rate = seen.fit.rate_share * board.solids_kg if seen.fit and len(seen.shown) >= 3 else None
    return CookedFacts(
        reached_c=board.water_c + above,
        above_water_k=above,
        brix=brix,
        sigma_brix=sigma,
        mass_kg=100 * board.solids_kg / brix,
        by=cast(Any, by),
        rate_kg_per_min=rate if rate and rate > 0 else None,
        **told.model_dump(include={"bath", "around_c", "litres", "running"}),
    )


def cooked_words(context: BatchContext, entry: Entry[CookedFacts]) -> Line:
    facts = entry.facts
    above = context.show(facts.above_water_k, "difference")
    mass = context.show(facts.mass_kg, "mass", 2)
    return Line(
        entry,
        _("Off the fire at {reached}", reached=context.show(facts.reached_c, "temperature")),
        _("water + {above}; {mass}, {BATHS}", above=above, mass=mass, BATHS=BATHS[facts.bath].name),
        number(facts.brix, 1),
    )


def bath(form: Form, context: BatchContext) -> BathFacts | None:
    """Put somewhere else, or its water changed."""
    board = board_at(context, form, ("cool",), _("Nothing of this cook is cooling."))
    facts = _stands(form)
    return facts if board else None


def _stands(form: Form) -> BathFacts | None:
    """Where a pot cools, as it is told; what cannot be is noted on the form."""
    told = read_asked(BathFacts, form)
    if told is None:
        return None
    if told.bath == "bench" and (told.running or told.litres):
        name = "litres" if told.litres else "running"
        form.errors[name] = _("On the bench there is no water: choose a water bath, or leave this empty.")
    if told.bath == "ice" and told.running:
        form.errors["running"] = _("Water that runs takes the ice along: choose a water bath.")
    return told


def bath_words(context: BatchContext, entry: Entry[BathFacts]) -> Line:
    facts = entry.facts
    parts = [
        "" if facts.around_c is None else context.show(facts.around_c, "temperature"),
        "" if facts.litres is None else context.show(facts.litres, "volume"),
        _("running") if facts.running else "",
    ]
    return Line(entry, _("Cools {BATHS}", BATHS=BATHS[facts.bath].name), joined(", ", filter(None, parts)))


def stir(form: Form, context: BatchContext) -> StirFacts | None:
    """Stirring begins, or it is poured: at what the pot shows, typed or by its cooling."""
    board = board_at(context, form, ("cool",), _("Take it off the fire first; stirring begins once."))
    shown = form.between(POT, required=False)
    if board is None or board.cooling is None or form.errors:
        return None
    cooling = board.cooling
    by, at_c = "", None
    if shown is not None:
        by, at_c = "pot", board.glass.calibration.true_c(shown) if board.glass else shown
    elif cooling.now_c is not None:
        by, at_c = "cooling", cooling.now_c
    wanted = board.cook.stir_c
    if at_c is not None and wanted is not None and at_c > wanted + _early_k(board):
        now, to = (form.show(board.shown_c(c), "temperature") for c in (at_c, wanted))
        form.ask(
            "kind",
            _(
                "It is {now} warm, {to} is wanted: the grain grows coarser. Begin all the same?",
                now=now,
                to=to,
            ),
        )
    film, litres = cooling.learned
    return StirFacts(temperature_c=at_c, by=cast(Any, by), film=film, litres=litres)


def _early_k(board: CookBoard) -> float:
    """So much warmer than wanted is still as it was planned: a confection has its range."""
    piece, wanted = board.piece, board.cook.stir_c or 0.0
    if piece.key == "granulated-sugar":
        return 60.0
    high = piece.cool_from_c if piece.cool_from_c is not None else wanted
    return max(high - wanted, 0.0) + 3.0


def stir_words(context: BatchContext, entry: Entry[StirFacts]) -> Line:
    cook = context.first(CookFacts)
    stirred = cook is not None and cook.facts.piece in WORKED
    at_c = entry.facts.temperature_c
    value = context.show(at_c, "temperature") if at_c is not None else ""
    by = _("by its cooling") if entry.facts.by == "cooling" else ""
    return Line(entry, _("Stirring began") if stirred else _("Poured"), by, value)


def turned(form: Form, context: BatchContext) -> TurnedFacts | None:
    board = board_at(context, form, ("stir",), _("Say first that stirring began."))
    return TurnedFacts() if board else None


def turned_words(context: BatchContext, entry: Entry[TurnedFacts]) -> Line:
    began = context.first(StirFacts)
    minutes = (entry.at - began.at).total_seconds() / 60 if began else 0.0
    return Line(
        entry,
        _("It turned"),
        _("after {minutes} min of stirring", minutes=number(minutes, 1)) if minutes > 0 else "",
    )


def rests_on(*later: type[Facts]) -> Callable[[BatchContext, Entry[Facts]], str]:
    """A step stands while the ones after it do."""

    def rests(context: BatchContext, entry: Entry[Facts]) -> str:
        found = [e for e in context.of_kind(*later) if e.id != entry.id]
        if not found:
            return ""
        return _(
            "What came after it is on the slip, at {at}. Strike that first.", at=context.clock(found[-1].at)
        )

    return rests
