"""What tests of sap begin with: a kitchen in March."""

from datetime import UTC, datetime

from lumbrel.services.base.form import BadInput
from lumbrel.services.sap import (
    gathered_sap,
    tanks,
    taps,
)
from tests.support.kitchen import KitchenCase

MARCH = datetime(2026, 3, 10, 16, 0, tzinfo=UTC)

CLEAR = {"woodlot": "upper-fold", "brix_by": "told", "clarity": "clear", "taps": "40"}


class SapCase(KitchenCase):
    def tank(self, capacity: str = "400 L", place: str = "outside") -> str:
        given = {"name": f"Tank {capacity}", "capacity": capacity, "place": place}
        return tanks.add_tank(self.db, given, MARCH)

    def gather(self, tank: str = "", at: datetime = MARCH, **more: str) -> None:
        fields = {**CLEAR, "litres": "100 L", "brix": "2.0", "tank": tank, **more}
        gathered_sap.gather(self.db, fields, at)

    def tree(self, girth: str = "150 cm", **more: str) -> str:
        given = {"name": "14", "tree": "sugar maple", "girth": girth, **more}
        return taps.add_trees(self.db, "upper-fold", given, MARCH)[0]

    def refused(self, field: str, call: object, *given: object) -> str:
        assert callable(call)
        with self.assertRaises(BadInput) as caught:
            call(self.db, *given)
        said = caught.exception.errors | caught.exception.asks
        self.assertIn(field, said)
        return said[field]
