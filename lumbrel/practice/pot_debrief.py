"""What came of a practice cook: how far it was truly boiled, stirred, and turned; what hid."""

from bisect import bisect_left
from dataclasses import dataclass
from datetime import datetime, timedelta
from sqlite3 import Connection

from lumbrel.core.candy.confections import crystal_fraction
from lumbrel.core.candy.firmness import TEXTURES
from lumbrel.core.candy.stirring import WORKED
from lumbrel.practice.debrief import Hidden
from lumbrel.practice.faults import POT_BY_KEY
from lumbrel.practice.pot import PotTruth, PracticePot
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.entry import newest
from lumbrel.services.base.facts import (
    BathFacts,
    ColdWaterFacts,
    CookedFacts,
    CookFacts,
    FoamFacts,
    InvertFacts,
    MadeFacts,
    StirFacts,
    TurnedFacts,
)
from lumbrel.services.base.form import NotFound
from lumbrel.words import _, bare, number

NEAR_K = 0.6
NEAR_STIR_K = 4.0
EARLY_MIN, LATE_MIN = 0.5, 0.75


@dataclass(frozen=True)
class PotTold:
    """One thing, as it was called and as it truly was, in words; whether it was well."""

    what: str
    called: str
    truly: str
    well: bool


@dataclass(frozen=True, kw_only=True)
class PotDebrief:
    """The plain account."""

    verdict: str
    texture: str
    called_brix: float
    true_brix: float
    wanted_brix: float
    crystal: float
    told: list[PotTold]
    hidden: list[Hidden]
    boiled_over: bool
    mass_kg: float


def debrief(db: Connection, pot: PracticePot, now: datetime) -> PotDebrief:
    """The account of a practice cook that has been made.

    Raises:
        NotFound: it is not made yet.
    """
    if not pot.code:
        raise NotFound(_("Nothing is in the practice pot yet: plan a cook and light the fire."))
    context = contexts.load(db, pot.code, now)
    cook, off = context.first(CookFacts), context.first(CookedFacts)
    made = context.first(MadeFacts)
    if cook is None or off is None or made is None or not pot.truth:
        raise NotFound(_("The practice cook is not made yet: finish it first."))
    there = _truth_at(pot.truth, off.at)
    serving = max(cook.facts.serving_c, 0.0)
    crystal = 0.0 if "dark" in pot.faults else crystal_fraction(there.brix, serving)
    told = [_boil(context, cook.facts, off.facts, there), *_stirring(context, cook.facts, pot)]
    return PotDebrief(
        verdict=_verdict(told, pot),
        texture=_texture(crystal, pot),
        called_brix=off.facts.brix,
        true_brix=there.brix,
        wanted_brix=cook.facts.target_brix,
        crystal=crystal,
        told=told,
        hidden=[
            Hidden(POT_BY_KEY[key], pot.began.get(key), _noticed(key, context, pot)) for key in pot.faults
        ],
        boiled_over=pot.boiled_over,
        mass_kg=made.facts.made_kg,
    )


def _truth_at(truth: list[PotTruth], at: datetime) -> PotTruth:
    index = min(bisect_left([t.at for t in truth], at), len(truth) - 1)
    return truth[index]


def _boil(context: contexts.BatchContext, cook: CookFacts, off: CookedFacts, there: PotTruth) -> PotTold:
    apart = there.above_k - cook.above_water_k
    called = context.show(off.above_water_k, "difference")
    truly = context.show(there.above_k, "difference")
    return PotTold(
        _("boiled above water to"), called, f"{truly}, {_apart(context, apart)}", abs(apart) <= NEAR_K
    )


def _apart(context: contexts.BatchContext, k: float) -> str:
    if abs(k) < 0.15:
        return _("at the mark")
    told = context.show(abs(k), "difference")
    return _("{told} over the mark", told=told) if k > 0 else _("{told} under the mark", told=told)


def _stirring(context: contexts.BatchContext, cook: CookFacts, pot: PracticePot) -> list[PotTold]:
    stir, turned = context.first(StirFacts), context.first(TurnedFacts)
    made = context.first(MadeFacts)
    found = []
    if stir is not None and cook.stir_c is not None:
        there = _truth_at(pot.truth, stir.at)
        said = stir.facts.temperature_c
        called = context.show(said, "temperature") if said is not None else _("not read")
        truly = context.show(there.temperature_c, "temperature")
        near = there.temperature_c - cook.stir_c <= NEAR_STIR_K
        found.append(PotTold(_("stirred from"), called, truly, near))
    if turned is not None and stir is not None:
        pressed = (turned.at - stir.at) / timedelta(minutes=1)
        if pot.turned_at is None:
            found.append(
                PotTold(
                    _("turned after"),
                    _("{pressed} min", pressed=number(pressed, 1)),
                    _("it never turned"),
                    False,
                )
            )
        else:
            true = (pot.turned_at - stir.at) / timedelta(minutes=1)
            well = -EARLY_MIN <= pressed - true <= LATE_MIN
            found.append(
                PotTold(
                    _("turned after"),
                    _("{pressed} min", pressed=number(pressed, 1)),
                    _("{true} min", true=number(true, 1)),
                    well,
                )
            )
    worked = WORKED.get(cook.piece)
    if worked is not None and pot.turned_at is not None and made is not None:
        waited = max((made.at - pot.turned_at) / timedelta(minutes=1), 0.0)
        truly = _("{waited} min after it turned", waited=number(waited, 1))
        found.append(
            PotTold(
                "moulded",
                _("{holds_min} min are time", holds_min=bare(worked.holds_min)),
                truly,
                waited <= 2 * worked.holds_min,
            )
        )
    return found


def _texture(crystal: float, pot: PracticePot) -> str:
    if "dark" in pot.faults:
        return _("It stays a sauce: so much invert sugar never sets")
    said = next(words for top, words in TEXTURES if crystal <= top)
    coarse = pot.pot is not None and pot.pot.disturbed
    return _("{said}, but coarse and sandy", said=said) if coarse else said


def _verdict(told: list[PotTold], pot: PracticePot) -> str:
    if "dark" in pot.faults:
        return _("It does not set.")
    if pot.pot is not None and pot.pot.disturbed:
        return _("Good to eat, and coarse.")
    wrong = [one.what for one in told if not one.well]
    if not wrong:
        return _("Well cooked.")
    if wrong == ["moulded"]:
        return _("Well boiled; half of it set in the pot.")
    return _("Not what you meant.")


def _noticed(key: str, context: contexts.BatchContext, pot: PracticePot) -> str:
    if key == "foam":
        if pot.boiled_over:
            return _("It went over the rim.")
        return _("You knocked it down in time.") if context.first(FoamFacts) else _("It had not climbed yet.")
    if key == "dark":
        cook = context.first(CookFacts)
        measured = newest(context.db, InvertFacts, limit=1) or (
            cook is not None and cook.facts.invert_percent > 3.5
        )
        return _("You measured it.") if measured else _("It was not measured.")
    if key == "warm":
        changed = context.of_kind(BathFacts)
        return _("You changed the water.") if changed else _("The water was never changed.")
    if key == "bent":
        drops = len(context.of_kind(ColdWaterFacts))
        return (
            _("You tried {drops} drops in cold water.", drops=drops)
            if drops
            else _("No drop was tried in cold water.")
        )
    return ""
