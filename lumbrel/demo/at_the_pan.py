"""One batch of the season played at the pan, from the take-in to the jars."""

import random
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta
from sqlite3 import Connection
from typing import Protocol
from uuid import NAMESPACE_OID, UUID, uuid5

from lumbrel.core.bench import refractometer
from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.core.jar.hot_pack import jars_from
from lumbrel.core.pan.target import DEFAULT_INVERT_FRACTION
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.form import CONFIRMED, BadInput
from lumbrel.services.day.pressure import Pressure
from lumbrel.services.kitchen import example
from lumbrel.services.pan.drawn import after_draw
from lumbrel.services.stations import slip
from lumbrel.store import samples as samples_store
from lumbrel.store.samples import Sample
from lumbrel.worlds.air import SimulatedBarometer
from lumbrel.worlds.book import SimulatedFinisher, SimulatedProbe

SEED = 418
FIRST_DAY, LAST_DAY = date(2026, 2, 24), date(2026, 4, 18)
STARTS_AT = datetime(2026, 4, 18, 14, 25, tzinfo=UTC)
PROBE_OFFSET_K, DIAL_OFFSET_K = 0.42, -0.9
STEM_SHIFT = 0.95
FIRST_PART, SECOND_WOODLOT = 0.4, 0.3


@dataclass(kw_only=True)
class Delivery:
    """One batch of the season as the simulator will play it."""

    at: datetime
    woodlot: str
    vessel: str
    kind: str
    overshoot: float
    colour: float
    through: str = "jar"
    second: str = ""
    """Another woodlot whose concentrate is in the same pan."""
    in_parts: bool = False
    """Drawn off in two parts."""
    pooled_with: "Delivery | None" = None
    """Whose kettle is poured into this one's before it is filtered."""
    proved_by_stem: bool = True
    """Else by a drop: what the stem taught was learned before these are played."""
    code: str = ""


class Finishes(Protocol):
    """Who goes on with what is poured on."""

    def finish_near_syrup(self, code: str, at: datetime, mass_kg: float, brix: float) -> None:
        """Finish a batch of near-syrup, from the pan to the jars."""
        ...

    def finish_drawn(self, code: str, at: datetime, mass_kg: float, brix: float) -> None:
        """Filter, grade and jar what a continuous pan gave."""
        ...


class AtThePan:
    """Plays a batch against the services, with the hands and the instruments of one finisher."""

    def __init__(self, db: Connection) -> None:
        self.db = db
        self.rng = random.Random(SEED)
        self.barometer = SimulatedBarometer(example.EXAMPLE_ELEVATION_M)
        self.hydrometer = Hydrometer(shift=STEM_SHIFT)

    @staticmethod
    def _at(on: date, hour: int, minute: int) -> datetime:
        return datetime(on.year, on.month, on.day, hour, minute, tzinfo=UTC)

    def _id(self) -> str:
        return str(UUID(int=self.rng.getrandbits(128), version=4))

    def _put(self, code: str, kind: str, at: datetime, **fields: str) -> None:
        """Put on the slip what a person would; what is asked about is confirmed, as they would."""
        sent = fields if "id" in fields else {"id": self._id(), **fields}
        if kind in ("hydrometer", "refractometer"):
            sent["dipped_ago"] = "0 s"
        try:
            slip.put(self.db, code, kind, sent, at)
        except BadInput as question:
            if question.errors:
                raise
            slip.put(self.db, code, kind, sent | {k + CONFIRMED: "1" for k in question.asks}, at)

    def _charge(self, delivery: Delivery) -> SimulatedFinisher:
        season = (delivery.at.date() - FIRST_DAY) / (LAST_DAY - FIRST_DAY)
        return SimulatedFinisher(
            mass_kg=round(self.rng.uniform(27, 36), 1),
            brix=46 - 7 * season + self.rng.gauss(0, 1.5),
            temperature_c=self.rng.uniform(18, 55),
            invert_fraction=DEFAULT_INVERT_FRACTION[delivery.kind],
            efficiency=self.rng.gauss(0.45, 0.02) * (1.0 if delivery.vessel == "finisher-1" else 0.8),
            probe_offset_k=PROBE_OFFSET_K,
        )

    def _prism(self, brix: float, sample_c: float, kind: str) -> float:
        invert = refractometer.INVERT_BRIX_PER_PERCENT * DEFAULT_INVERT_FRACTION[kind] * brix
        shown = brix - invert - refractometer.temperature_correction(brix, sample_c)
        return shown + self.rng.gauss(0, 0.15)

    def _boil(
        self, pot: SimulatedFinisher, delivery: Delivery, code: str, stop_brix: float, keep_s: int
    ) -> datetime:
        """Boil a batch down, reading as a finisher does; returns when it reached `stop_brix`."""
        at, second, samples = delivery.at, 0, []
        probe = delivery.vessel == "finisher-1"
        shown = SimulatedProbe(pot, self.rng)
        boiling = strained = foamed = False
        looks = [50.0, 55.0, 58.5, 61.0, 63.5, 65.6]
        while pot.brix < stop_brix:
            pressure = self.barometer.station_pressure_pa(at)
            pot.step(5.0, pressure)
            at += timedelta(seconds=5)
            second += 5
            if probe and second % keep_s == 0:
                samples.append(Sample(at, shown.indicated_c()))
            boils = pot.temperature_c - Pressure(pressure, 0, "", None, True).boil_c
            if not boiling and pot.temperature_c >= pot.boiling_point_c(pressure) - 0.01:
                boiling = True
                self._flush(samples)
                self._put(code, "boiling", at)
            if boiling and not foamed and boils > 2.0 and self.rng.random() < 0.002:
                foamed = True
                choice = self.rng.choice(("oil", "oil", "butter"))
                self._put(code, "foam", at, defoamer=choice)
            if boiling and not strained and boils > 2.3:
                strained = True
                self._put(code, "strained", at)
            if looks and pot.brix >= looks[0]:
                looks.pop(0)
                self._flush(samples)
                self._look(pot, delivery, code, at)
        self._flush(samples)
        return at

    def _flush(self, samples: list[Sample]) -> None:
        samples_store.add_samples(self.db, "probe-1", samples)
        samples.clear()

    def _stem_in(self, pot: SimulatedFinisher) -> Hydrometer:
        """The stem as it floats in this syrup: in birch, which is lighter, lower."""
        mostly_hexoses = pot.invert_fraction > 0.5
        return replace(self.hydrometer, invert_fraction=pot.invert_fraction if mostly_hexoses else 0.0)

    def _look(self, pot: SimulatedFinisher, delivery: Delivery, code: str, at: datetime) -> None:
        cup = pot.temperature_c - self.rng.uniform(6, 14)
        if pot.brix < 62 and self.rng.random() < 0.35:
            sample = self.rng.uniform(20, 27)
            shown = self._prism(pot.brix, sample, delivery.kind)
            self._put(
                code,
                "refractometer",
                at,
                instrument="hand-prism",
                reading=f"{shown:.1f}",
                sample=f"{sample:.1f} C",
            )
            return
        floats = self._stem_in(pot).mark(pot.brix, cup) + self.rng.gauss(0, 0.25)
        if floats < 45:
            self._put(code, "hydrometer", at, instrument="long-stem", below="1", cup=f"{cup:.0f} C")
        else:
            self._put(
                code, "hydrometer", at, instrument="long-stem", reading=f"{floats:.1f}", cup=f"{cup:.1f} C"
            )
        if delivery.vessel == "finisher-2" and self.rng.random() < 0.5:
            shown = pot.temperature_c + DIAL_OFFSET_K + self.rng.gauss(0, 0.15)
            self._put(
                code,
                "thermometer",
                at + timedelta(seconds=40),
                instrument="dial-a",
                reading=f"{shown * 1.8 + 32:.1f} F",
            )

    def _pot(self, mass_kg: float, brix: float) -> SimulatedFinisher:
        """What a boil-down gave, on the fire."""
        return SimulatedFinisher(
            mass_kg=mass_kg, brix=brix, temperature_c=96.0, efficiency=0.36, probe_offset_k=PROBE_OFFSET_K
        )

    def _draw_a_part(self, pot: SimulatedFinisher, code: str, at: datetime) -> datetime:
        """Draw off the first part; the rest stands for two minutes, the burner low."""
        part = round(FIRST_PART * pot.mass_kg, 1)
        self._put(code, "part_draw", at, mass=f"{part:.1f} kg")
        self._first_part = part
        pot.mass_kg -= part
        return at + timedelta(minutes=2)

    def _together(self, pot: SimulatedFinisher, delivery: Delivery, code: str, at: datetime) -> None:
        """All that is in the kettle: the first part of the draw, and another batch's kettle."""
        if delivery.in_parts:
            pot.mass_kg += self._first_part
        if delivery.pooled_with:
            other = after_draw(contexts.load(self.db, delivery.pooled_with.code, at))
            whole = pot.mass_kg + other.mass_kg
            pot.brix = (pot.mass_kg * pot.brix + other.mass_kg * other.brix) / whole
            pot.mass_kg = whole
            self._put(code, "added", at, **{"from": delivery.pooled_with.code})

    def _finish(self, pot: SimulatedFinisher, delivery: Delivery, code: str, at: datetime) -> None:
        if pot.brix > 68.2:
            water = pot.mass_kg * (pot.brix - 66.9) / 66.9
            pot.mass_kg, pot.brix = pot.mass_kg + water, 66.9
            at += timedelta(minutes=6)
            self._put(code, "added", at, mass=f"{water:.2f} kg", brix="0")
        if delivery.proved_by_stem:
            self._read_the_draw_hot(pot, code, at + timedelta(minutes=2))
        self._together(pot, delivery, code, at + timedelta(minutes=5))
        stages = ("draw", "filter", "colour", "jar")
        last = stages.index(delivery.through)
        at += timedelta(minutes=12)
        if last >= 1:
            self._put(
                code,
                "filter",
                at,
                method=self.rng.choice(("layers", "felt")),
                temperature=f"{self.rng.uniform(86, 95):.0f} C",
                twice="1",
            )
        at += timedelta(minutes=10)
        if last >= 2:
            flaws = {"buddy": "1"} if delivery.colour < 9 and self.rng.random() < 0.5 else {}
            self._put(
                code, "colour", at, by="meter", transmittance=f"{delivery.colour:.0f}", path="10 mm", **flaws
            )
        at += timedelta(minutes=15)
        if last >= 3:
            half = jars_from(pot.mass_kg * 0.97 * 0.7, pot.brix, 0.5)
            rest = pot.mass_kg * 0.97 - half * 0.5 * 1.328
            self._put(
                code,
                "jar",
                at,
                fill=f"{self.rng.uniform(83, 87):.0f} C",
                lot=code,
                size_1="500 ml",
                count_1=str(half),
                size_2="250 ml",
                count_2=str(max(jars_from(rest, pot.brix, 0.25), 1)),
            )
        self._prove_cold(pot, delivery, code, at)

    def _read_the_draw_hot(self, pot: SimulatedFinisher, code: str, at: datetime) -> None:
        """Every third draw is read hot in the drawing-off pot; with the cold proof it is a pair."""
        if self.rng.random() > 0.35:
            return
        self._read_stem(pot, code, at, self.rng.uniform(84, 93), 0.2)

    def _read_stem(
        self, pot: SimulatedFinisher, code: str, at: datetime, cup_c: float, spread: float
    ) -> None:
        """The long stem read in a cup, with a reader's scatter."""
        reading = self._stem_in(pot).mark(pot.brix, cup_c) + self.rng.gauss(0, spread)
        self._put(
            code, "hydrometer", at, instrument="long-stem", reading=f"{reading:.1f}", cup=f"{cup_c:.1f} C"
        )

    def _prove_cold(self, pot: SimulatedFinisher, delivery: Delivery, code: str, at: datetime) -> None:
        tomorrow = at.replace(hour=6, minute=30) + timedelta(days=1)
        if tomorrow >= STARTS_AT:
            return
        if delivery.proved_by_stem:
            self._read_stem(pot, code, tomorrow, self.rng.uniform(17, 22), 0.12)
        else:
            shown = self._prism(pot.brix, 20.0, delivery.kind)
            drop = {"instrument": "hand-prism", "reading": f"{shown:.1f}", "sample": "20 C"}
            self._put(code, "refractometer", tomorrow, **drop)
        if delivery.through == "jar":
            self._say(code, "checked", tomorrow + timedelta(minutes=4), unsealed="0", clarity="clear")

    def _say(self, code: str, kind: str, at: datetime, **fields: str) -> None:
        """Put on the slip what takes no chance: the season is drawn as it was without it."""
        own = str(uuid5(NAMESPACE_OID, f"{code} {kind} {at.isoformat()}"))
        self._put(code, kind, at, id=own, **fields)

    def _kettle(self, code: str) -> None:
        """A kettle heated up for its jars: off the fire a few minutes ago, the first are filled."""
        self._say(code, "reheat", STARTS_AT - timedelta(minutes=21))
        for ago, shown in ((6.5, 90.4), (4.0, 88.7), (1.5, 87.2)):
            self._say(code, "kettle", STARTS_AT - timedelta(minutes=ago), kettle=f"{shown} C")
        for ago, count in ((1.0, "4"), (0.3, "2")):
            jars = {"press": "1", "lot": code, "size_1": "500 ml", "count_1": count}
            self._say(code, "jar", STARTS_AT - timedelta(minutes=ago), **jars, preheated="1")
