"""Kitchens played against the judgement from outside: boils, habits and mistakes that are not its
own, spoken as JSON lines through `lumbrel replay`, each with a known truth."""

import json
import random
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from math import pi
from typing import Any

from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.core.physics import air
from lumbrel.exchange.replay import Replay
from lumbrel.worlds.pan import Departures, HarshPan

START = datetime(2026, 3, 18, 9, 0, tzinfo=UTC)
TARGET = 66.9
FULL, PROBE_STEM, STEM, CANDY = "probe, stem, drop", "probe, stem", "stem", "candy"
EQUIPMENT = (FULL, PROBE_STEM, STEM, CANDY)
DRAW_BY = 74.0
Answer = dict[str, Any]


@dataclass
class Misread:
    """A gross misreading: of which instrument, by how much, and what became of it."""

    name: str
    by: float
    asked: bool = False
    noticed: bool = False
    wrong_named: bool = False


@dataclass
class Played:
    """What was said in one boil, and the truth."""

    seed: int
    equipment: str
    birch: bool = False
    third: Answer = field(default_factory=dict)
    third_truth: float | None = None
    third_known: float = 0.0
    """What whoever knows all but the future would have said."""
    changed_after_third: bool = False
    drawn_brix: float | None = None
    call: str = ""
    said: Answer = field(default_factory=dict)
    """What was answered when the draw was called."""
    at_call: float = 0.0
    misreads: list[Misread] = field(default_factory=list)
    disagreed: bool = False
    named: set[str] = field(default_factory=set)
    least_rate: float = 9.0
    off: int = 0
    """Answers past 55 Brix that were off by 4 Brix and 3 sigma."""
    asks: int = 0
    asked_of_honest: int = 0
    readings: int = 0
    log: list[str] = field(default_factory=list)

    @property
    def honest(self) -> bool:
        """Whether nothing was misread and nothing of weight forgotten."""
        return not self.misreads


class Kitchen:
    """One boil in a kitchen that differs from the book's.

    Args:
        seed: of everything that is drawn.
        equipment: one of `EQUIPMENT`.
        misreads: how likely a gross misreading is in this boil.
    """

    def __init__(self, seed: int, equipment: str, birch: bool = False, misreads: float = 0.1) -> None:
        self.rng = rng = random.Random(f"{seed}/{equipment}/{birch}")
        self.equipment, self.birch = equipment, birch
        self.played = Played(seed, equipment, birch)
        self.replay = Replay()
        self.at = START
        self.wood = rng.random() < 0.3
        departs = Departures.drawn(rng, birch, self.wood)
        self.elevation = rng.uniform(0, 1200)
        pressure = air.pressure_at_elevation_pa(self.elevation) + rng.gauss(0, 800)
        diameter = 2 * (rng.uniform(0.02, 0.35) / pi) ** 0.5
        area = pi * diameter**2 / 4
        rate = 0.75 * area * min(max(rng.gauss(1, 0.4), 0.35), 1.9)
        self.pan = HarshPan(
            mass_kg=min(area * rng.uniform(60, 150), 70.0),
            brix=rng.uniform(28, 58),
            temperature_c=rng.uniform(15, 80),
            rate_kg_per_min=rate,
            pressure_pa=pressure,
            departs=departs,
            rng=random.Random(rng.random()),
            invert_fraction=rng.gauss(0.9, 0.05) if birch else rng.uniform(0, 0.05),
        )
        self.offset = rng.uniform(-2, 2) if equipment == CANDY else rng.uniform(-1, 1)
        self.room = rng.uniform(10, 25)
        self.step_brix = rng.choice((0.25, 0.5))
        self.dated = equipment == FULL or rng.random() < 0.5
        self.dips_delay = (20.0, 60.0)
        self.acts_s = (5.0, 25.0)
        self._misread_at = rng.randint(1, 4) if rng.random() < misreads else 0
        self._read = 0
        self._last_read = START - timedelta(hours=1)
        self._pending: list[tuple[datetime, Callable[[], None]]] = []
        self._peak = self.pan.mass_kg
        self._draws_at = START
        self._samples: list[list[Any]] = []
        self._said_boiling = rng.random() < 0.2
        self._probe = equipment in (FULL, PROBE_STEM)
        self._set_up(diameter, rate)
        self._take_in()
        self._plan()

    def say(self, **line: Any) -> Answer:
        """One JSON line, and its answer."""
        line.setdefault("at", self.at.isoformat())
        answer = self.replay.answer(json.dumps(line))
        assert isinstance(answer, dict)
        json.dumps(answer, allow_nan=False)
        return answer

    def sure(self, **line: Any) -> tuple[Answer, bool]:
        """A line that is confirmed when asked about; its answer, and whether it was asked."""
        confirmed: list[str] = []
        answer, asked = self.say(**line), False
        for _ in range(4):
            if answer["ok"] or not answer.get("asks"):
                break
            asked, confirmed = True, [*confirmed, *answer["asks"]]
            answer = self.say(**line, confirm=confirmed)
        assert answer["ok"], (line, answer)
        return answer, asked

    # Before the boil

    def _set_up(self, diameter: float, rate: float) -> None:
        rng = self.rng
        self.sure(do="kitchen", elevation_m=self.elevation, units="us", target_brix=TARGET)
        self.sure(do="vessel", name="Pan", shape="round", sizes_mm=[diameter * 1000])
        if rng.random() < 0.7:
            past = [rate * rng.gauss(1, 0.08) for _ in range(rng.randint(3, 6))]
            self.sure(do="history", vessel="Pan", rates_kg_per_min=past)
        shown = self.pan.pressure_pa / 100 + rng.gauss(0, 1)
        self.sure(do="pressure", basis="station", typed=f"{shown:.1f} hPa")
        if self._probe:
            self.sure(
                do="instrument",
                kind="thermometer",
                name="Probe",
                sort="digital",
                resolution_k=0.1,
                in_vessel="Pan",
            )
            shows = self.pan.water_c + self.offset + rng.gauss(0, 0.12)
            self.sure(do="test_boil", thermometer="Probe", typed=f"{shows:.1f} C")
        if self.equipment == CANDY:
            self.sure(
                do="instrument",
                kind="thermometer",
                name="Candy",
                sort=rng.choice(("dial", "glass")),
                resolution_k=1 / 1.8,
            )
            for _ in range(3):
                self.sure(do="test_boil", thermometer="Candy", typed=self._candy_shows(self.pan.water_c))
                self.at += timedelta(minutes=1)
        if self.equipment != CANDY:
            self.sure(do="instrument", kind="hydrometer", name="Stem", low=45, high=75)
        if self.equipment == FULL:
            self.sure(do="instrument", kind="refractometer", name="Prism", low=0, high=85)

    def _candy_shows(self, true_c: float) -> str:
        shown = true_c + self.offset + self.rng.gauss(0, 0.25)
        return f"{round(shown * 1.8 + 32)} F"

    def _take_in(self) -> None:
        rng, pan = self.rng, self.pan
        self.at += timedelta(minutes=rng.uniform(2, 20))
        mass = pan.mass_kg * rng.gauss(1, rng.uniform(0.01, 0.03))
        brix = pan.brix + rng.gauss(0, rng.uniform(0.3, 1.0))
        self.sure(
            do="take_in",
            vessel="Pan",
            sugar_kind="birch" if self.birch else "maple",
            amount_typed=f"{mass:.2f} kg",
            brix_typed=f"{brix:.1f}",
            temperature_typed=f"{pan.temperature_c:.0f} C",
        )

    def _plan(self) -> None:
        """What will happen on the way: burner changes, something put in."""
        rng, pan = self.rng, self.pan
        self._adds: list[float] = []
        self._turns: list[tuple[float, float]] = []
        if rng.random() < 1 / 3 and pan.brix < 50:
            self._adds = [rng.uniform(pan.brix + 3, min(pan.brix + 15, 56))]
            self._add_share, self._add_brix = rng.uniform(0.2, 0.5), rng.uniform(25, 50)
        if rng.random() < 1 / 3:
            for _ in range(rng.choice((1, 2))):
                factor = rng.choice((rng.uniform(0.6, 0.85), rng.uniform(1.2, 1.5)))
                self._turns.append((rng.uniform(pan.brix + 2, 65), factor))
            self._turns.sort()

    # The boil

    def play(self) -> Played:
        """Boil until it is drawn, and on until the truth of the finish is known."""
        pan, played = self.pan, self.played
        next_ask, drawn_at = self.at, None
        third_at: datetime | None = None
        next_candy = self.at + timedelta(minutes=3)
        boiled = False
        for _ in range(6 * 3600):
            self.at += timedelta(seconds=1)
            pan.step()
            if self._probe and drawn_at is None and int(pan.second) % 5 == 0:
                self._samples.append([self.at.isoformat(), round(pan.probe_c + self.offset, 2)])
            if not boiled and pan.boils:
                boiled = True
                if not self._said_boiling:
                    self.sure(do="line", kind="boiling", fields={})
            self._happenings(third_at is not None)
            if third_at is None and boiled and not self._adds and self._is_third():
                third_at = self.at
                played.third_known = pan.minutes_to(TARGET)
                self._log("a third left")
                self._flush()
                played.third = self.say(do="ask")
            if third_at and played.third_truth is None and pan.brix >= TARGET:
                played.third_truth = (self.at - third_at).total_seconds() / 60
            if drawn_at is None:
                if self.equipment == CANDY and boiled and self.at >= next_candy:
                    self._read_candy()
                    next_candy = self.at + timedelta(minutes=self.rng.uniform(1, 4))
                for due, deed in [p for p in self._pending if p[0] <= self.at]:
                    self._pending.remove((due, deed))
                    deed()
                if self.at >= next_ask:
                    next_ask = self._ask()
                if played.call and self.at >= self._draws_at:
                    drawn_at = self.at
                    played.drawn_brix = pan.brix
                    self._log("drawn")
                elif pan.brix > DRAW_BY:
                    drawn_at, played.drawn_brix = self.at, pan.brix
                    played.call = played.call or "never"
            elif played.third_truth is not None or third_at is None:
                break
        self.replay.close()
        return played

    def _is_third(self) -> bool:
        """Whether a third of the water that is to go is left."""
        pan = self.pan
        solids = pan.mass_kg * pan.brix / 100
        last = solids / (TARGET / 100)
        return (pan.mass_kg - last) <= (self._peak - last) / 3

    def _happenings(self, after_third: bool) -> None:
        pan, rng = self.pan, self.rng
        if self._turns and pan.brix >= self._turns[0][0]:
            _, factor = self._turns.pop(0)
            pan.turn(factor)
            self.played.changed_after_third |= after_third
            noted = rng.random() < 0.5
            self._log(f"burner x{factor:.2f}{' noted' if noted else ''}")
            if noted:
                self.sure(do="line", kind="burner", fields={"changed": "1"})
        if self._adds and pan.brix >= self._adds[0]:
            self._adds.pop()
            kg = self._add_share * pan.mass_kg
            warm = rng.uniform(10, 60)
            pan.add(kg, self._add_brix, warm)
            self._peak = pan.mass_kg
            noted = rng.random() < 0.9
            self._log(f"added {kg:.1f} kg{' noted' if noted else ''}")
            if noted:
                said = {
                    "mass": f"{kg * rng.gauss(1, 0.02):.2f} kg",
                    "brix": f"{self._add_brix + rng.gauss(0, 0.6):.1f}",
                    "temperature": f"{warm:.0f} C",
                }
                self.sure(do="line", kind="added", fields=said)

    def _log(self, what: str) -> None:
        minutes = (self.at - START).total_seconds() / 60
        self.played.log.append(f"{minutes:.0f}' {self.pan.brix:.1f} {what}")

    def _flush(self) -> None:
        if self._samples:
            self.say(do="samples", instrument="Probe", samples=self._samples)
            self._samples = []

    def _ask(self) -> datetime:
        self._flush()
        answer = self.say(do="ask")
        assert answer["ok"], answer
        played, pan = self.played, self.pan
        played.asks += 1
        call, left = answer["call"], answer["minutes_left"]
        played.least_rate = min(played.least_rate, answer["rate_kg_per_min"])
        brix, sigma = answer["brix"], answer["sigma_brix"]
        if brix is not None and pan.brix > 55:
            played.off += abs(brix - pan.brix) > max(4.0, 3 * sigma)
        if call == "disagree":
            played.disagreed = True
        odd = answer["odd_one_out"]
        if odd:
            played.named.add(odd)
        for one in played.misreads:
            one.noticed |= call == "disagree" or odd is not None
            one.wrong_named |= odd is not None and odd != one.name
        if call in ("draw_now", "over") and not played.call:
            played.call, played.said, played.at_call = call, answer, pan.brix
            self._draws_at = self.at + timedelta(seconds=self.rng.uniform(*self.acts_s))
        elif not played.call:
            self._look(answer)
        near = left is None or left < 8
        return self.at + timedelta(seconds=20 if near else 60)

    def _look(self, answer: Answer) -> None:
        """Dip when it is time, as the page says."""
        if self.equipment == CANDY or self._pending or not self.pan.boils:
            return
        due = datetime.fromisoformat(answer["next_check_at"]) <= self.at
        wanted = answer["call"] in ("check_again", "disagree") or due
        if wanted and self.at - self._last_read >= timedelta(seconds=75):
            drop = self.equipment == FULL and self.pan.brix > 60 and self.rng.random() < 0.6
            self._last_read = self.at
            (self._dip_drop if drop else self._dip_stem)()

    def _delay(self) -> datetime:
        return self.at + timedelta(seconds=self.rng.uniform(*self.dips_delay))

    def _wrong(self, name: str, by: tuple[float, ...] = (5.0, 10.0)) -> float:
        """By how much this reading is misread; mostly not at all."""
        self._read += 1
        if self._read != self._misread_at:
            return 0.0
        wrong = self.rng.choice((-1, 1)) * self.rng.choice(by)
        self.played.misreads.append(Misread(name, wrong))
        return wrong

    def _typed(self, wrong: float, **line: Any) -> None:
        _, asked = self.sure(do="line", **line)
        self.played.readings += 1
        if wrong:
            self.played.misreads[-1].asked = asked
        elif asked:
            self.played.asked_of_honest += 1

    def _dip_stem(self) -> None:
        rng, pan = self.rng, self.pan
        true, dipped, typed_at = pan.brix, self.at, self._delay()
        hot = pan.temperature_c - rng.uniform(4, 8)
        minutes = (typed_at - dipped).total_seconds() / 60 * rng.uniform(0.4, 0.9)
        cup = self.room + (hot - self.room) * (1 - rng.uniform(0.02, 0.05)) ** minutes
        heavy = Hydrometer(invert_fraction=0.9 * self.birch)
        floats = heavy.mark(min(true, 80), min(cup, 99.5)) + rng.gauss(0, 0.4)
        shown = round(floats / self.step_brix) * self.step_brix

        def type_it() -> None:
            if shown < 45:
                fields = {"below": "1", "cup": f"{cup:.0f} C"}
                self._typed(0.0, kind="hydrometer", fields={"instrument": "Stem"} | fields)
                return
            wrong = self._wrong("Stem")
            fields = {"instrument": "Stem", "reading": f"{shown + wrong:g}"}
            if rng.random() < 0.1:
                fields |= {"assumed": "1", "cup": "91 C"}
            else:
                fields["cup"] = f"{cup + rng.gauss(0, 0.5):.0f} C"
            if self.dated:
                fields["dipped_at"] = dipped.isoformat()
            self._typed(wrong, kind="hydrometer", fields=fields)

        self._pending.append((typed_at, type_it))

    def _dip_drop(self) -> None:
        rng = self.rng
        true, dipped = self.pan.brix, self.at
        shown = true - 0.022 * self.pan.invert_fraction * true + rng.gauss(0, 0.2)

        def type_it() -> None:
            wrong = self._wrong("Prism")
            fields = {"instrument": "Prism", "reading": f"{shown + wrong:.1f}", "sample": "20 C"}
            if self.dated:
                fields["dipped_at"] = dipped.isoformat()
            self._typed(wrong, kind="refractometer", fields=fields)

        self._pending.append((self._delay(), type_it))

    def _read_candy(self) -> None:
        wrong_f = self._wrong("Candy")
        shown = self.pan.temperature_c + self.rng.gauss(0, 0.03) + wrong_f / 1.8
        fields = {"instrument": "Candy", "reading": self._candy_shows(shown)}
        self._typed(wrong_f, kind="thermometer", fields=fields)
