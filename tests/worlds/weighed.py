"""The second world with a scale under the pan: it creeps, is a little out of true, and shakes while it boils."""

import random
from datetime import datetime
from typing import Any

from tests.worlds.rough import Answer, Kitchen, Played

SCALE = "scale, stem"
EVERY_S = 10


class WeighedKitchen(Kitchen):
    """One boil on a scale, which was there when the batch was taken in.

    Args:
        seed: of everything that is drawn.
        equipment: what is owned besides, as in the second world.
        scene: one of its scenes.
    """

    def __init__(self, seed: int, equipment: str = SCALE, scene: str = "honest") -> None:
        self._shakes = random.Random(f"weighed/{seed}")
        self._empty_kg = self._shakes.uniform(2, 12)
        self._true = self._shakes.gauss(1, 0.003)
        self._sent: list[list[Any]] = []
        super().__init__(seed, equipment, scene)

    def _shown_kg(self) -> float:
        shakes = 0.02 if self.pan.boils else 0.004
        return (self.pan.mass_kg + self._empty_kg) * self._true + self._shakes.gauss(0, shakes)

    def _weigh(self, at: datetime) -> None:
        self._sent.append([at.isoformat(), round(self._shown_kg(), 3)])

    def _send(self) -> None:
        if self._sent:
            self.say(do="samples", instrument="Scale", samples=self._sent)
            self._sent = []

    def sure(self, **line: Any) -> tuple[Answer, bool]:
        """As in the second world; the scale is there before the batch."""
        if line.get("do") == "take_in":
            super().sure(do="instrument", kind="scale", name="Scale", in_vessel="Pan")
            self._weigh(self.at)
            self._send()
        return super().sure(**line)

    def _ask(self) -> datetime:
        self._send()
        return super()._ask()

    def _happens(self) -> None:
        if int(self.pan.second) % EVERY_S == 0:
            self._weigh(self.at)
        super()._happens()


def played(seed: int, scene: str, scale: bool = True) -> Played:
    """One boil with a stem, on a scale or not."""
    kitchen = WeighedKitchen(seed, SCALE, scene) if scale else Kitchen(seed, "stem", scene)
    return kitchen.play()
