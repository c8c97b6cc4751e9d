"""A second world, by other equations than `worlds.pan`, and what nobody in it writes down: the fire
goes out, somebody tops the pan up or takes of it, a cup is typed in the other unit, a probe drifts.

Water in it is bound to sugar by hydration, the fire is gusts and waves, a pan that cools steams, a probe is
splashed. It is played as JSON lines through `lumbrel replay`, at Lumbrel's own pace, each boil with its truth.
"""

import json
import random
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from math import exp, log, pi, sin
from typing import Any

from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.core.physics import air, water
from lumbrel.exchange.replay import Replay

START = datetime(2026, 3, 20, 8, 0, tzinfo=UTC)
TARGET = 66.9
GOES_ON_TO = 75.0
PROBE_STEM, STEM, FULL, CANDY = "probe, stem", "stem", "probe, stem, drop", "candy"
Answer = dict[str, Any]

SCENES = (
    "honest",
    "fire_out",
    "topped_up",
    "part_taken",
    "part_noted",
    "unit_f",
    "unit_c",
    "small_pot",
    "wide_pan",
    "drifts",
    "splashed",
    "air_falls",
    "slipped",
)


@dataclass(kw_only=True)
class Pan:
    """A vessel over a fire, by its heat.

    Args:
        solids_kg, water_kg, temperature_c: what is in it.
        rate_kg_per_min: what its fire drives off, in the mean.
        pressure_pa: of the air; `air_pa_per_h` how it moves.
        bound: moles of water that a mole of sugar holds fast.
        birch: boils as if it held so much more sugar.
    """

    rng: random.Random
    solids_kg: float
    water_kg: float
    temperature_c: float
    rate_kg_per_min: float
    pressure_pa: float
    wood: bool
    air_pa_per_h: float = 0.0
    birch: bool = False
    on: bool = True
    second: float = 0.0

    def __post_init__(self) -> None:
        rng = self.rng
        self.bound = rng.gauss(3.13, 0.12)
        self.level_k = rng.uniform(-0.1, 0.1) + (rng.gauss(0, 0.25) if self.birch else 0.0)
        self.waves = [
            (rng.uniform(0.01, 0.05), rng.uniform(130, 520), rng.uniform(0, 2 * pi)) for _ in range(2)
        ]
        self.gust, self.gust_until = 0.0, 0.0
        self.stoked = rng.uniform(480, 840) if self.wood else 0.0
        self.cools_s = rng.uniform(900, 2400)
        self.room_c = rng.uniform(5, 24)
        self.boils = False
        self.settings: list[tuple[float, float]] = []

    @property
    def mass_kg(self) -> float:
        """All that is in it."""
        return self.solids_kg + self.water_kg

    @property
    def brix(self) -> float:
        """Its density."""
        return 100 * self.solids_kg / self.mass_kg

    @property
    def boil_c(self) -> float:
        """Where it boils now, degC."""
        sugar = self.solids_kg / 342.3 * (1.8 if self.birch else 1.0)
        bound = self.bound * (0.62 if self.birch else 1.0)
        free = max(self.water_kg / 18.015 - bound * sugar, 0.3 * sugar)
        activity = free / (free + sugar)
        share = min(self.brix / 30, 1.0)
        return water.boiling_point_c(self.pressure_pa / activity) + share * self.level_k

    def heat(self) -> float:
        """Of the fire, as a share of its mean."""
        if self.second >= self.gust_until:
            self.gust = self.rng.gauss(0, 0.06 if self.wood else 0.03)
            self.gust_until = self.second + self.rng.expovariate(1 / 150)
        waves = sum(size * sin(2 * pi * self.second / lasts + at) for size, lasts, at in self.waves)
        stoked = 0.1 * (0.5 - (self.second % self.stoked) / self.stoked) if self.stoked else 0.0
        return max(1 + self.gust + waves + stoked, 0.3)

    def step(self) -> None:
        """A second passes."""
        self.second += 1
        self.pressure_pa += self.air_pa_per_h / 3600
        boil = self.boil_c
        capacity = 4.1 * self.water_kg + 1.3 * self.solids_kg + 0.4
        if self.on:
            kj = self.rate_kg_per_min / 60 * 2257 * self.heat()
            warms = min(max(boil - self.temperature_c, 0.0) * capacity, kj)
            self.temperature_c += warms / capacity
            self.boils = kj > warms
            if self.boils:
                self.temperature_c = boil
                self.water_kg = max(self.water_kg - (kj - warms) / 2257, 0.03 * self.solids_kg)
        else:
            self.boils = False
            steams = 1 + 0.8 * max((self.temperature_c - 60) / 40, 0.0) ** 2
            lost = (self.temperature_c - self.room_c) / self.cools_s * steams
            self.temperature_c -= lost
            self.water_kg -= 0.3 * lost * capacity / 2257

    def add(self, kg: float, brix: float, warm_c: float) -> None:
        """Somebody tops it up."""
        whole = self.mass_kg
        self.temperature_c = (whole * self.temperature_c + 1.1 * kg * warm_c) / (whole + 1.1 * kg)
        self.solids_kg += kg * brix / 100
        self.water_kg += kg * (1 - brix / 100)

    def take(self, share: float) -> float:
        """Somebody takes a part; its mass."""
        gone = share * self.mass_kg
        self.solids_kg *= 1 - share
        self.water_kg *= 1 - share
        return gone


class Probe:
    """A thermometer that stands in it: slow, stirred, off; it may drift, or be splashed."""

    def __init__(self, rng: random.Random, warm_c: float, drift_k_per_h: float, splashes: bool) -> None:
        self.rng, self.shows = rng, warm_c
        self.lag_s, self.noise_k = rng.uniform(5, 40), rng.uniform(0.03, 0.1)
        self.lasts_s, self.offset_k = rng.uniform(5, 30), rng.uniform(-1, 1)
        self.drift_k_per_h, self.splashes = drift_k_per_h, splashes
        self.stirs, self.wet_until, self.wet_k = 0.0, 0.0, 0.0

    def step(self, pan: Pan) -> float:
        """What it shows a second later."""
        kept = exp(-1 / self.lasts_s)
        pull = self.rng.choice((-1, 1)) * self.rng.expovariate(1.4142)
        self.stirs = kept * self.stirs + self.noise_k * (1 - kept**2) ** 0.5 * pull
        if self.splashes and pan.boils and pan.second >= self.wet_until:
            if self.rng.random() < 1 / 90:
                self.wet_k = self.rng.uniform(0.5, 5)
                self.wet_until = pan.second + self.rng.uniform(3, 15)
            else:
                self.wet_k = 0.0
        feels = pan.temperature_c + (self.stirs if pan.boils else 0.0) - self.wet_k
        self.shows += (feels - self.shows) * (1 - exp(-1 / self.lag_s))
        return self.shows + self.offset_k + self.drift_k_per_h * pan.second / 3600


@dataclass
class Played:
    """What was said in one boil, and the truth."""

    seed: int
    equipment: str
    scene: str
    call: str = ""
    said: Answer = field(default_factory=dict)
    at_call: float = 0.0
    drawn_brix: float | None = None
    asks: int = 0
    burnt_silence: bool = False
    """"Keep boiling" was said past 68.9."""
    looks: int = 0
    late_looks: int = 0
    keeps: int = 0
    late_keeps: int = 0
    happened_at: float | None = None
    asked_at: dict[str, float] = field(default_factory=dict)
    """When each question was asked first, in minutes."""
    questions: int = 0
    named: set[str] = field(default_factory=set)
    unit_typed: int = 0
    unit_asked: int = 0
    ranged: Answer = field(default_factory=dict)
    ranged_truth: float | None = None
    asked_at_entry: int = 0
    log: list[str] = field(default_factory=list)

    @property
    def done(self) -> bool:
        """Whether it was called done."""
        return self.call in ("draw_now", "over")

    @property
    def covered(self) -> bool | None:
        """Whether the range held the finish; None where it was not tried."""
        if self.ranged_truth is None or self.ranged.get("low") is None:
            return None
        high = self.ranged["high"]
        return bool(self.ranged["low"] <= self.ranged_truth and (high is None or self.ranged_truth <= high))


class Kitchen:
    """One boil in the second world.

    Args:
        seed: of everything that is drawn.
        equipment: what is owned.
        scene: one of `SCENES`.
    """

    def __init__(self, seed: int, equipment: str, scene: str = "honest", birch: bool = False) -> None:
        self.rng = rng = random.Random(f"rough/{seed}/{equipment}/{scene}/{birch}")
        self.played = Played(seed, equipment, scene)
        self.equipment, self.scene, self.birch = equipment, scene, birch
        self.replay, self.at = Replay(), START
        self.metric = scene == "unit_c" or (scene != "unit_f" and rng.random() < 0.5)
        pan = self._vessel()
        self.pan = pan
        self.probe = Probe(
            random.Random(rng.random()),
            pan.temperature_c,
            0.5 * rng.choice((-1, 1)) if scene == "drifts" else 0.0,
            scene == "splashed",
        )
        self.stem = Hydrometer(invert_fraction=0.9 * birch)
        self.stem_off = rng.gauss(0, 0.15) + (rng.gauss(0, 0.5) if birch else 0.0)
        if scene == "slipped":
            self.stem_off += rng.choice((-0.7, 0.7))
        self.candy_off = rng.uniform(-1.5, 1.5)
        self.reads_to = rng.choice((0.25, 0.5))
        self.happens_at = rng.uniform(max(pan.brix + 4, 50), 63)
        self.turns_at, self.turns_by = 99.0, 1.0
        if scene == "honest" and rng.random() < 1 / 3:
            self.turns_at = rng.uniform(pan.brix + 2, 64)
            self.turns_by = rng.choice((rng.uniform(0.6, 0.85), rng.uniform(1.2, 1.5)))
        self.out_minutes = rng.uniform(5, 25)
        self.pending: list[tuple[datetime, Callable[[], None]]] = []
        self.samples: list[list[Any]] = []
        self.last_look = START - timedelta(hours=1)
        self.wrong_unit_left = 1
        self.range_due: float | None = None
        self.looked = self.looks_before = 0
        self.range_after = 8.0 if scene == "part_taken" else 5.0
        self.happened = scene not in ("fire_out", "topped_up", "part_taken", "part_noted")
        self._set_up()

    def _vessel(self) -> Pan:
        rng = self.rng
        self.elevation = rng.uniform(0, 1100)
        if self.scene == "small_pot":
            self.shape, self.sizes = "round", [rng.uniform(180, 260)]
            area, per_m2, deep = (
                pi * (self.sizes[0] / 2000) ** 2,
                rng.uniform(1.2, 2.9),
                rng.uniform(40, 75),
            )
        elif self.scene == "wide_pan":
            self.shape, self.sizes = "rectangular", [1500.0, rng.uniform(680, 780)]
            area, per_m2, deep = (
                self.sizes[0] * self.sizes[1] / 1e6,
                rng.uniform(0.6, 1.9),
                rng.uniform(40, 80),
            )
        else:
            self.shape, self.sizes = "rectangular", [rng.uniform(300, 900), rng.uniform(250, 450)]
            area, per_m2, deep = (
                self.sizes[0] * self.sizes[1] / 1e6,
                rng.uniform(0.5, 1.2),
                rng.uniform(55, 120),
            )
        self.per_m2, mass = per_m2, area * deep * 1.22
        brix = rng.uniform(28, 54)
        return Pan(
            rng=random.Random(rng.random()),
            solids_kg=mass * brix / 100,
            water_kg=mass * (1 - brix / 100),
            temperature_c=rng.uniform(15, 85),
            rate_kg_per_min=per_m2 * area,
            pressure_pa=air.pressure_at_elevation_pa(self.elevation) + rng.gauss(0, 700),
            wood=self.scene == "wide_pan" or rng.random() < 0.3,
            air_pa_per_h=-600.0 if self.scene == "air_falls" else rng.uniform(-120, 120),
            birch=self.birch,
        )

    # Speaking

    def say(self, **line: Any) -> Answer:
        """One JSON line, and its answer."""
        line.setdefault("at", self.at.isoformat())
        answer: Answer = self.replay.answer(json.dumps(line))
        return answer

    def sure(self, **line: Any) -> tuple[Answer, bool]:
        """A line that is confirmed when asked about, and whether it was."""
        confirmed: list[str] = []
        answer = self.say(**line)
        for _ in range(4):
            if answer["ok"] or not answer.get("asks"):
                break
            confirmed = [*confirmed, *answer["asks"]]
            answer = self.say(**line, confirm=confirmed)
        assert answer["ok"], (line, answer)
        return answer, bool(confirmed)

    def _warm(self, celsius: float, decimals: int = 0) -> str:
        if self.metric:
            return f"{celsius:.{decimals}f} C"
        return f"{celsius * 1.8 + 32:.{decimals}f} F"

    def _set_up(self) -> None:
        rng, pan = self.rng, self.pan
        units = "metric" if self.metric else "us"
        self.sure(do="kitchen", elevation_m=self.elevation, units=units, target_brix=TARGET)
        self.sure(do="vessel", name="Pan", shape=self.shape, sizes_mm=self.sizes)
        if self.scene not in ("small_pot", "wide_pan") and rng.random() < 0.6:
            rates = [pan.rate_kg_per_min * rng.gauss(1, 0.08) for _ in range(rng.randint(3, 6))]
            self.sure(do="history", vessel="Pan", rates_kg_per_min=rates)
        self.sure(
            do="pressure",
            basis="station",
            typed=f"{pan.pressure_pa / 100 + rng.gauss(0, 1):.1f} hPa",
        )
        water_c = water.boiling_point_c(pan.pressure_pa)
        if "probe" in self.equipment:
            self.sure(
                do="instrument",
                kind="thermometer",
                name="Probe",
                sort="digital",
                resolution_k=0.1,
                in_vessel="Pan",
            )
            shows = water_c + self.probe.offset_k + rng.gauss(0, 0.1)
            self.sure(do="test_boil", thermometer="Probe", typed=f"{shows:.1f} C")
        if self.equipment == CANDY:
            self.sure(do="instrument", kind="thermometer", name="Candy", sort="dial", resolution_k=1 / 1.8)
            for _ in range(2):
                self.sure(do="test_boil", thermometer="Candy", typed=self._candy(water_c))
                self.at += timedelta(minutes=1)
        else:
            self.sure(do="instrument", kind="hydrometer", name="Stem", low=45, high=75)
        if "drop" in self.equipment:
            self.sure(do="instrument", kind="refractometer", name="Prism", low=0, high=85)
        self.at += timedelta(minutes=rng.uniform(2, 15))
        self.sure(
            do="take_in",
            vessel="Pan",
            sugar_kind="birch" if self.birch else "maple",
            amount_typed=f"{pan.mass_kg * rng.gauss(1, 0.02):.2f} kg",
            brix_typed=f"{pan.brix + rng.gauss(0, 0.6):.1f}",
            temperature_typed=self._warm(pan.temperature_c),
        )

    # Playing

    @property
    def minute(self) -> float:
        """Since the start."""
        return (self.at - START) / timedelta(minutes=1)

    def play(self) -> Played:
        """Boil until it was drawn and all is known."""
        pan, played, rng = self.pan, self.played, self.rng
        next_ask, next_candy = self.at, self.at
        said_boiling = rng.random() < 0.2
        drawn = False
        draws_at = START
        for _ in range(6 * 3600):
            self.at += timedelta(seconds=1)
            pan.step()
            shown = self.probe.step(pan)
            if "probe" in self.equipment and not drawn and int(pan.second) % 5 == 0:
                self.samples.append([self.at.isoformat(), round(shown, 2)])
            if pan.boils and not said_boiling:
                said_boiling = True
                self.sure(do="line", kind="boiling", fields={})
            if not drawn:
                self._happens()
                if self.equipment == CANDY and pan.boils and self.at >= next_candy:
                    self._read_candy()
                    next_candy = self.at + timedelta(minutes=rng.uniform(1, 3))
                for one in [p for p in self.pending if p[0] <= self.at]:
                    self.pending.remove(one)
                    one[1]()
            self._range()
            if played.ranged and played.ranged_truth is None and pan.brix >= TARGET:
                played.ranged_truth = self.minute - played.ranged["minute"]
            if not drawn:
                if self.at >= next_ask:
                    next_ask = self._ask()
                    if played.call and draws_at == START:
                        draws_at = self.at + timedelta(seconds=rng.uniform(5, 25))
                if (played.call and self.at >= draws_at) or pan.brix > GOES_ON_TO:
                    drawn, played.drawn_brix = True, pan.brix
                    played.call = played.call or "never"
                    pan.on = True
            elif played.ranged_truth is not None or not played.ranged:
                break
        self.replay.close()
        return played

    def _log(self, what: str) -> None:
        self.played.log.append(f"{self.minute:.1f}' {self.pan.brix:.1f} {what}")

    def _happens(self) -> None:
        pan, rng = self.pan, self.rng
        if pan.brix >= self.turns_at:
            self.turns_at = 99.0
            pan.rate_kg_per_min *= self.turns_by
            self._log(f"turned by {self.turns_by:.2f}")
        if self.scene == "fire_out" and self.played.happened_at is not None:
            if not pan.on and self.minute >= self.played.happened_at + self.out_minutes:
                pan.on = True
                self._log("relit")
            return
        if self.happened or pan.brix < self.happens_at or not pan.boils:
            return
        self.happened, self.played.happened_at = True, self.minute
        self._log(self.scene)
        if self.scene == "fire_out":
            pan.on = False
        elif self.scene == "topped_up":
            pan.add(rng.uniform(0.15, 0.5) * pan.mass_kg, rng.uniform(10, 45), rng.uniform(10, 70))
        elif self.scene == "part_taken":
            pan.take(rng.uniform(0.25, 0.6))
        elif self.scene == "part_noted":
            gone = pan.take(0.5)
            fields = {"mass": f"{gone * rng.gauss(1, 0.02):.2f} kg"}
            self.sure(do="line", kind="part_draw", fields=fields)

    def _range(self) -> None:
        """Ask for the range once: when it was read again after what happened, or a third is left."""
        played, pan = self.played, self.pan
        if played.ranged or not pan.boils or not self.happened or played.call:
            return
        if self.scene in ("fire_out", "topped_up", "part_taken", "part_noted"):
            if self.range_due is None:
                self.range_due, self.looks_before = self.minute + self.range_after, self.looked
            looked = "probe" in self.equipment or self.looked >= self.looks_before + 2
            if self.minute >= self.range_due and looked and pan.brix < 65.5:
                self._ranged()
        elif pan.brix >= self.happens_at:
            self._ranged()

    def _ranged(self) -> None:
        self._flush()
        answer = self.say(do="ask")
        self.played.ranged = answer | {"minute": self.minute}
        self._log(f"range {answer['minutes_left']} {answer['low']} {answer['high']}")

    def _flush(self) -> None:
        if self.samples:
            self.say(do="samples", instrument="Probe", samples=self.samples)
            self.samples = []

    def _ask(self) -> datetime:
        self._flush()
        played, pan = self.played, self.pan
        answer = self.say(do="ask")
        assert answer["ok"], answer
        played.asks += 1
        call, low = answer["call"], answer["low"]
        if answer["odd_one_out"]:
            played.named.add(answer["odd_one_out"])
        for one in answer.get("questions", []):
            if one["key"] not in played.asked_at:
                self._log(f"ASKED {one['key']}: {one['sentence'][:90]}")
                played.asked_at[one["key"]] = self.minute
        if played.call:
            return self.at + timedelta(seconds=20)
        if call == "keep_boiling" and pan.boils:
            played.keeps += 1
            played.burnt_silence |= pan.brix > 68.9
            played.late_keeps += low is not None and low < 1.0
            wait = (datetime.fromisoformat(answer["next_check_at"]) - self.at) / timedelta(minutes=1)
            if low is not None:
                played.looks += 1
                played.late_looks += wait > max(low / 2, 0.5) + 0.05
        if call in ("draw_now", "over"):
            played.call, played.said, played.at_call = call, answer, pan.brix
            self._log(f"{call} {answer['brix']:.1f} ± {answer['sigma_brix']:.2f}")
        else:
            self._look(answer)
        near = answer["minutes_left"] is None or answer["minutes_left"] < 8
        return self.at + timedelta(seconds=20 if near else 45)

    def _look(self, answer: Answer) -> None:
        if self.equipment == CANDY or self.pending or not self.pan.boils:
            return
        due = datetime.fromisoformat(answer["next_check_at"]) <= self.at
        if (due or answer["call"] in ("check_again", "disagree")) and self.at - self.last_look >= timedelta(
            seconds=60
        ):
            self.last_look = self.at
            if "drop" in self.equipment and self.pan.brix > 58 and self.rng.random() < 0.5:
                self._dip_drop()
            else:
                self._dip_stem()

    def _later(self, deed: Callable[[datetime], None]) -> None:
        typed = self.at + timedelta(seconds=self.rng.uniform(20, 60))
        dipped = self.at
        self.pending.append((typed, lambda: deed(dipped)))

    def _dip_stem(self) -> None:
        rng, pan = self.rng, self.pan
        brix, hot = pan.brix, pan.temperature_c - rng.uniform(3, 7)
        cup = pan.room_c + (hot - pan.room_c) * exp(-rng.uniform(0.02, 0.05) * 0.5)
        floats = self.stem.mark(min(brix, 80), min(cup, 99.5)) + self.stem_off + rng.gauss(0, 0.4)
        shown = round(floats / self.reads_to) * self.reads_to

        def type_it(dipped: datetime) -> None:
            self.type_stem(shown, cup + rng.gauss(0, 0.5), dipped)

        self._later(type_it)

    def type_stem(self, shown: float, cup: float, dipped: datetime) -> None:
        """As this person types it; once, in some scenes, in the wrong unit."""
        fields = {"instrument": "Stem", "dipped_at": dipped.isoformat()}
        fields |= {"below": "1"} if shown < 45 else {"reading": f"{shown:g}"}
        wrong = self.scene in ("unit_f", "unit_c") and shown >= 45 and self.wrong_unit_left
        if wrong:
            self.wrong_unit_left = 0
            bare = f"{cup:.0f}" if self.scene == "unit_f" else f"{cup * 1.8 + 32:.0f}"
            meant = "°C" if self.scene == "unit_f" else "°F"
            answer = self.say(do="line", kind="hydrometer", fields=fields | {"cup": bare})
            said = answer.get("asks", {}).get("cup", "") + answer.get("errors", {}).get("cup", "")
            self.played.unit_typed += 1
            self.played.unit_asked += meant in said
            self._log(f"typed {bare}: {said or answer}")
            if answer["ok"]:
                return
            fields["cup"] = f"{cup:.0f} C" if self.scene == "unit_f" else f"{cup * 1.8 + 32:.0f} F"
        else:
            fields["cup"] = self._warm(cup).split()[0] if self.scene != "honest" else self._warm(cup)
        _, asked = self.sure(do="line", kind="hydrometer", fields=fields)
        self.looked += 1
        self.played.asked_at_entry += asked
        self._log(f"stem {shown:g}{' asked' if asked else ''}")

    def _dip_drop(self) -> None:
        shown = self.pan.brix - 0.022 * self.pan.brix * 0.02 + self.rng.gauss(0, 0.2)

        def type_it(dipped: datetime) -> None:
            fields = {"instrument": "Prism", "reading": f"{shown:.1f}", "sample": "20 C"}
            self.sure(do="line", kind="refractometer", fields=fields | {"dipped_at": dipped.isoformat()})
            self._log(f"drop {shown:.1f}")

        self._later(type_it)

    def _candy(self, true_c: float) -> str:
        return f"{round((true_c + self.candy_off + self.rng.gauss(0, 0.25)) * 1.8 + 32)} F"

    def _read_candy(self) -> None:
        self.sure(
            do="line",
            kind="thermometer",
            fields={"instrument": "Candy", "reading": self._candy(self.pan.temperature_c)},
        )


def rise_at(brix: float, bound: float = 3.13) -> float:
    """How far above water this world's syrup boils at one atmosphere, K."""
    sugar, free = brix / 342.3, (100 - brix) / 18.015 - bound * brix / 342.3
    return 28.0 * log((free + sugar) / free)
