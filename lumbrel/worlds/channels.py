"""A continuous pan for the demonstration: channels that sap runs through, each mixed by its boil."""

from collections.abc import Iterator
from dataclasses import dataclass, field

RATE_KG_MIN = 0.47
EACH_DRAW_KG, NOTED_EVERY_MIN, MARK_BRIX, LAST_OF_THE_TANK_KG = 0.18, 60.0, 68.2, 1.0


@dataclass(kw_only=True)
class Channels:
    """Sap in at one end, syrup out at the other; a float keeps what stands in it.

    Args:
        count: of the channels.
        held_kg: that stands in all of them.
        rate_kg_min: water that all of them drive off.
        sap_brix: that runs in, and that they were filled with.
    """

    count: int
    held_kg: float
    rate_kg_min: float
    sap_brix: float
    brix: list[float] = field(default_factory=list)
    ran_in_kg: float = 0.0

    def __post_init__(self) -> None:
        self.brix = [self.sap_brix] * self.count

    @property
    def standing_brix(self) -> float:
        return sum(self.brix) / self.count

    def step(self, minutes: float, drawn_kg: float = 0.0) -> float:
        """Let some seconds pass, in which so much is drawn; returns the sugar that left with it, kg."""
        each_kg, off = self.held_kg / self.count, self.rate_kg_min * minutes / self.count
        leaves, above = drawn_kg, [self.sap_brix, *self.brix]
        out = drawn_kg * self.brix[-1] / 100
        for i in reversed(range(self.count)):
            enters = leaves + off
            sugar = each_kg * self.brix[i] + enters * above[i] - leaves * above[i + 1]
            self.brix[i] = sugar / each_kg
            leaves = enters
        self.ran_in_kg += leaves
        return out


def a_day(pan: Channels, sap_kg: float) -> Iterator[tuple[float, float | None]]:
    """Run so much sap through a pan and draw at the mark: the minute of each draw with the sugar that left
    with it, and of each look at the tank, with None."""
    minute = 0.0
    while pan.ran_in_kg < sap_kg - LAST_OF_THE_TANK_KG:
        pan.step(1.0)
        minute += 1.0
        if pan.brix[-1] >= MARK_BRIX:
            yield minute, sum(pan.step(0.05, EACH_DRAW_KG / 10) for _ in range(10))
        if minute % NOTED_EVERY_MIN == 0:
            yield minute, None
    pan.step((sap_kg - pan.ran_in_kg) / RATE_KG_MIN)
    yield minute + 2, None
