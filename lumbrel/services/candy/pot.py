"""The candy pot as it stands now: on the fire, cooling, being stirred, ready to pour, or scored."""

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Literal

from lumbrel.core.bench.thermometer import Calibration
from lumbrel.core.candy import boil
from lumbrel.core.candy.confections import BURN_HAZARD_C, FOAM_TO_ABOVE_WATER_K, Confection
from lumbrel.core.candy.stirring import ON_SNOW_MIN, POURS_FOR_MIN, WORKED, Turn
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.target import FOAM_ABOVE_WATER_K
from lumbrel.core.pan.vessel import LOWEST_SAFE_DEPTH_MM, hot_volume_ratio
from lumbrel.core.physics.air import STANDARD_PA
from lumbrel.core.physics.sucrose import MAX_DENSITY_BRIX, density_kg_m3
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import CookedFacts, CookFacts, MadeFacts, PutInFacts, StirFacts, TurnedFacts
from lumbrel.services.base.form import Form
from lumbrel.services.candy import learnt
from lumbrel.services.candy.off_fire import CoolingPot, cooling
from lumbrel.services.candy.on_fire import Boiling, boiling, call_of
from lumbrel.services.candy.plan import PIECES
from lumbrel.services.candy.readings import glass_of, invert_fraction
from lumbrel.services.day.pressure import Pressure, pressure_at
from lumbrel.services.day.thermometers import ThermometerToday
from lumbrel.words import _

Stage = Literal["boil", "cool", "stir", "pour", "made"]


@dataclass(frozen=True, kw_only=True)
class CookBoard:
    """All that the page of a cook shows."""

    context: BatchContext
    cook: CookFacts
    piece: Confection
    stage: Stage
    pressure: Pressure | None
    glass: ThermometerToday | None
    boiling: Boiling | None = None
    cooling: CoolingPot | None = None
    off: Entry[CookedFacts] | None = None
    stir: Entry[StirFacts] | None = None
    turned: Entry[TurnedFacts] | None = None
    made: Entry[MadeFacts] | None = None
    turn: Turn | None = None
    solids_kg: float = 0.0

    @property
    def water_c(self) -> float:
        """Where water boils here."""
        return self.pressure.boil_c if self.pressure else 100.0

    @property
    def mark_c(self) -> float:
        """Where it is taken off, truly."""
        return self.water_c + self.cook.above_water_k

    def shown_c(self, true_c: float) -> float:
        """What its thermometer shows."""
        held = self.glass.calibration if self.glass else Calibration(at_c=self.water_c)
        return held.indicated_c(true_c)

    @property
    def invert_fraction(self) -> float:
        """Of its solids."""
        return invert_fraction(self.cook)

    @property
    def call(self) -> str:
        """One word for what to do: heat, boil, near, off, over; cool, ready; stir, watch; pour, late; or
        made."""
        now = self.context.now
        if self.stage == "boil":
            assert self.boiling is not None
            return call_of(self.boiling, self.cook.above_water_k)
        if self.stage == "cool":
            assert self.cooling is not None
            return "ready" if self.cooling.ready else "cool"
        if self.stage == "stir":
            assert self.stir is not None and self.turn is not None
            return "watch" if self.minutes_since(self.stir.at, now) >= self.turn.low else "stir"
        if self.stage == "pour":
            return "late" if self.holds_left_min <= 0 else "pour"
        return "made"

    @staticmethod
    def minutes_since(at: datetime, now: datetime) -> float:
        """Minutes since a moment."""
        return (now - at) / timedelta(minutes=1)

    @property
    def stirred_min(self) -> float:
        """How long it has been stirred."""
        return self.minutes_since(self.stir.at, self.context.now) if self.stir else 0.0

    @property
    def sees(self) -> str:
        """What is to be seen now while it is stirred."""
        return self.turn.see(self.piece.key, self.stirred_min) if self.turn else ""

    @property
    def holds_min(self) -> float:
        """How long it can be poured once it has turned, or is off."""
        worked = WORKED.get(self.piece.key)
        if worked:
            return worked.holds_min
        return ON_SNOW_MIN if self.on_snow else POURS_FOR_MIN

    @property
    def on_snow(self) -> bool:
        """Whether it is poured on snow."""
        return self.piece.on_snow

    @property
    def holds_left_min(self) -> float:
        """Minutes left to pour it, or until it is rolled."""
        since = self.turned or self.stir
        return self.holds_min - (self.minutes_since(since.at, self.context.now) if since else 0.0)

    @property
    def foam(self) -> bool:
        """Whether it is where foam climbs."""
        seen = self.boiling
        above = seen.above_now_k if seen else None
        return above is not None and FOAM_ABOVE_WATER_K <= above <= FOAM_TO_ABOVE_WATER_K

    @property
    def hazard(self) -> bool:
        """Whether it is so hot that it burns deepest."""
        return self.mark_c >= BURN_HAZARD_C

    @property
    def off_scale(self) -> bool:
        """Whether it stands on the fire hotter than any syrup boils."""
        return self.boiling is not None and self.boiling.off_scale

    @property
    def brix_now(self) -> tuple[float, float] | None:
        """Solids now, and one sigma."""
        if self.off is not None:
            return self.off.facts.brix, self.off.facts.sigma_brix
        above = self.boiling.above_now_k if self.boiling else None
        if above is None:
            return None
        return boil.reached_brix(above, self.pressure_pa, self.invert_fraction)

    @property
    def pressure_pa(self) -> float:
        """Of the air."""
        return self.pressure.pa if self.pressure else STANDARD_PA

    @property
    def mass_now_kg(self) -> float:
        """In the pot, by its solids."""
        known = self.brix_now
        return 100 * self.solids_kg / known[0] if known else self.cook.mass_kg

    @property
    def depth_mm(self) -> float | None:
        """How deep it stands, hot; None of a pot that would not hold it."""
        brix = self.brix_now[0] if self.brix_now else self.cook.brix
        known = min(brix, MAX_DENSITY_BRIX)
        litres = self.mass_now_kg / density_kg_m3(known, 20) * 1000
        try:
            return self.context.geometry.depth_mm(litres * hot_volume_ratio(known, 100.0))
        except OutOfRange:
            return None

    @property
    def low(self) -> str:
        """What is said where it stays on the fire so low that it scorches; else nothing."""
        depth = self.depth_mm
        if self.call not in ("heat", "boil", "near") or depth is None or depth >= LOWEST_SAFE_DEPTH_MM:
            return ""
        deep = self.context.show(depth, "depth")
        return _(
            "The pot is about {deep} deep: so little scorches. Turn the fire down and stay with it.",
            deep=deep,
        )

    @property
    def expected_kg(self) -> float:
        """What should come out of the pot."""
        return self.mass_now_kg * (1 - self.cook.loss) if self.off else self.planned_kg

    @property
    def planned_kg(self) -> float:
        """What should come out at the mark."""
        return 100 * self.solids_kg / self.cook.target_brix * (1 - self.cook.loss)

    @property
    def water_to_put_back_kg(self) -> float:
        """What would bring it back to its mark, when it was boiled too far; nothing once it burns."""
        known = self.brix_now
        if known is None or self.off_scale or known[0] <= self.cook.target_brix + known[1]:
            return 0.0
        return 100 * self.solids_kg / self.cook.target_brix - self.mass_now_kg


def pot_of(context: BatchContext) -> CookBoard:
    """A cook as it stands.

    Raises:
        OutOfRange: it cannot be computed.
    """
    found = context.first(CookFacts)
    assert found is not None
    cook = found.facts
    off, stir = context.first(CookedFacts), context.first(StirFacts)
    turned, made = context.first(TurnedFacts), context.first(MadeFacts)
    # One that is done stands as it stood then.
    context = replace(context, now=made.at) if made else context
    pressure = pressure_at(context.db, context.kitchen, context.now)
    added = [e.facts for e in context.of_kind(PutInFacts)]
    solids = cook.mass_kg * cook.brix / 100 + sum(a.mass_kg * a.brix / 100 for a in added)
    stage: Stage = "boil"
    if made:
        stage = "made"
    elif turned or (stir and cook.piece not in WORKED):
        stage = "pour"
    elif stir:
        stage = "stir"
    elif off:
        stage = "cool"
    glass = glass_of(context, pressure)
    return CookBoard(
        context=context,
        cook=cook,
        piece=PIECES[cook.piece],
        stage=stage,
        pressure=pressure,
        glass=glass,
        boiling=boiling(context, cook, solids, glass, pressure) if off is None else None,
        cooling=cooling(context, cook, off, glass, pressure) if off and not stir else None,
        off=off,
        stir=stir,
        turned=turned,
        made=made,
        turn=learnt.turns(context.db, cook.piece, off.at) if off else None,
        solids_kg=solids,
    )


def board_at(context: BatchContext, form: Form, stages: tuple[str, ...], sentence: str) -> CookBoard | None:
    """The cook, when it stands at one of these stages; else the sentence is noted."""
    if context.first(CookFacts) is None:
        form.errors["kind"] = _("That belongs to a cook of confections.")
        return None
    board = pot_of(context)
    if board.stage not in stages and not form.corrects:
        form.errors["kind"] = sentence
        return None
    return board
