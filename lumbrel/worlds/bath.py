"""What a pot of candy stands in off the fire, as kitchens have it: shells of syrup from the wall to the core, a sink that
warms and steams, ice that melts at its own pace, water that runs. Heat by its own balance."""

import random
from dataclasses import dataclass, field
from math import exp, pi

SHELLS = 3
FRESH_C = {"water": (7, 18), "ice": (0, 2)}
FILM_W = {"bench": (8, 14), "water": (150, 400), "ice": (300, 500), "running": (300, 600)}
LITRES = (4, 20)


@dataclass(kw_only=True)
class HarshBath:
    """A pot off the fire; each seed another one.

    Args:
        kg, hot_c: of the candy as it comes off.
    """

    rng: random.Random
    kg: float
    hot_c: float
    bath: str = "bench"
    running: bool = False
    litres: float = 10.0
    bath_c: float = 20.0
    ice_kg: float = 0.0
    shells: list[float] = field(default_factory=list)

    def __post_init__(self) -> None:
        some = self.rng.uniform
        self.shells = [self.hot_c] * SHELLS
        self.wide_m = some(0.9, 1.7) * (self.kg / 1380 * 4 / pi) ** (1 / 3)
        deep_m = self.kg / 1380 / (pi * self.wide_m**2 / 4)
        self.wall_m2 = pi * self.wide_m * deep_m + pi * self.wide_m**2 / 4
        self.syrup_kj = self.kg * some(2.4, 2.8) + 0.5 * (0.5 + 0.25 * self.kg)
        self.room_c = some(14, 27)
        self.core_lag_min, self.thick, self.natural = some(2, 6), some(0.0, 0.6), some(0.0, 0.2)
        self.melts_w, self.to_room_w = some(150, 500), some(0.5, 2.5)

    def put(
        self, bath: str, *, running: bool = False, litres: float | None = None, bath_c: float | None = None
    ) -> None:
        """Put somewhere, or its water changed; what nobody says is as it happens to be."""
        some = self.rng.uniform
        self.bath, self.running = bath, running
        self.litres = litres or some(*LITRES)
        fresh = self.room_c if bath == "bench" else some(*FRESH_C[bath])
        self.bath_c = self.tap_c = fresh if bath_c is None else bath_c
        self.film_w = some(*FILM_W["running" if running else bath])
        self.ice_kg = self.litres * some(0.25, 0.7) if bath == "ice" else 0.0

    def step(self, seconds: float) -> None:
        """Let time pass, a few seconds."""
        each, over = self.syrup_kj / SHELLS, self.shells[0] - self.bath_c
        film = self.film_w * (max(over, 0.5) / 50) ** self.natural
        lost = film * self.wall_m2 * over / 1000 * seconds
        if over > 0:
            lost = min(lost, 0.5 * each * over)
        # What conducts from shell to shell, the slower the colder it has grown.
        cold = max(0.0, min((80 - self.shells[-1]) / 60, 1.0))
        share = seconds / 60 / self.core_lag_min * (SHELLS - 1) * 1.5 / (1 + self.thick * cold)
        flows = [share * (b - a) for a, b in zip(self.shells, self.shells[1:], strict=False)]
        for i, flow in enumerate(flows):
            self.shells[i] += flow
            self.shells[i + 1] -= flow
        self.shells[0] -= lost / each
        if self.bath != "bench":
            self._warm(lost, seconds)

    def _warm(self, lost_kj: float, seconds: float) -> None:
        water_kj = 4.19 * max(self.litres - 0.9 * self.ice_kg, 0.3)
        melted = self.melts_w * max(self.ice_kg, 0.0) ** 0.67 * max(self.bath_c, 0.0) / 1000 * seconds
        melted = min(melted, 334 * max(self.ice_kg, 0.0))
        self.ice_kg -= melted / 334
        room = self.to_room_w * (self.bath_c - self.room_c) / 1000 * seconds
        self.bath_c += (lost_kj - melted - room) / water_kj
        if self.running:
            self.bath_c += (self.tap_c - self.bath_c) * (1 - exp(-seconds / 40))

    def disturb(self, k: float) -> None:
        """Somebody stirs: it is colder at once."""
        self.shells = [shell - k for shell in self.shells]

    @property
    def core_c(self) -> float:
        """Where a thermometer stands."""
        return self.shells[-1]
