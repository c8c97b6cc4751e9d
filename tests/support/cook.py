"""What tests of cooks begin with: a shelf, a kettle, and a cook that is played."""

from datetime import datetime, timedelta
from typing import Any

from lumbrel.services.base import batch as contexts
from lumbrel.services.candy import begin
from lumbrel.services.candy.pot import CookBoard, pot_of
from lumbrel.services.day import entries as day_entries
from lumbrel.services.stations import slip
from tests.support.kitchen import NOON, KitchenCase

WISH = {
    "piece": "moulded-sugar-soft",
    "by": "pieces",
    "pieces": "60",
    "each": "25 g",
    "pot": "12 L",
}

PATH = ((2, 55.0), (5, 103.3), (7, 104.4), (9, 105.6), (11, 107.5), (13, 110.3))
"""Minutes, and what the dial shows on the way to the mark, where water boils at 98.6."""


class CookCase(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.sent = 0
        code = self.take_in()
        self.put(code, "boiling", 10)
        self.put(code, "thermometer", 60, instrument="dial-a", reading="102.7 C")
        self.put(code, "foam", 62, defoamer="butter")
        drawn = {"mass": "20 kg", "mass_confirmed": "1", "kind_confirmed": "1"}
        self.put(code, "draw", 65, **drawn)
        self.put(code, "filter", 70, method="felt", temperature="94 C")
        self.put(code, "colour", 80, by="meter", transmittance="78", path="10 mm")
        sizes = {"size_1": "500 ml", "count_1": "20", "size_2": "250 ml", "count_2": "8"}
        self.put(code, "jar", 90, fill="85 C", lot="L1", **sizes)
        self.at = NOON + timedelta(days=1)
        day_entries.test_boil(
            self.db, self.at, {"id": "boil-1234", "thermometer": "dial-a", "reading": "98.6 C"}
        )

    def begin(self, at: datetime | None = None, **other: str) -> str:
        fields = {"lot": "L1", "vessel": "candy-pot", "bath": "bench", **WISH, **other}
        self.sent += 1
        return begin.begin(self.db, at or self.at, {"id": f"begin-{self.sent:04d}", **fields})

    def step(self, code: str, kind: str, minutes: float, **fields: str) -> Any:
        self.sent += 1
        sent = {"id": f"step-{self.sent:05d}", **fields}
        return slip.put(self.db, code, kind, sent, self.at + timedelta(minutes=minutes))

    def board(self, code: str, minutes: float) -> CookBoard:
        return pot_of(contexts.load(self.db, code, self.at + timedelta(minutes=minutes)))

    def press(self, at: datetime) -> None:
        said = {"id": f"air-{at:%d%H%M}-x", "basis": "station", "pressure": "925 hPa"}
        day_entries.set_pressure(self.db, at, said)

    def boil(self, code: str, to_c: float = 113.0, **off: str) -> None:
        for minute, shown in PATH:
            self.step(code, "pot", minute, instrument="dial-a", pot=f"{shown} C")
        self.step(code, "cooked", 14.5, bath="bench", pot=f"{to_c} C", **off)

    def whole(self, code: str, **made: str) -> None:
        self.boil(code)
        for minute, shown in ((17, 106.0), (21, 97.5), (26, 90.0), (29, 86.4)):
            self.step(code, "pot", minute, instrument="dial-a", pot=f"{shown} C")
        self.step(code, "stir", 29.5)
        self.step(code, "turned", 32.7)
        self.step(code, "made", 33.5, **(made or {"grams_1": "25 g", "count_1": "58"}))
