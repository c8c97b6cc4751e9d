"""What a reading said stands: a formula that is another changes no slip; what it rests on does, and says so."""

import json
from dataclasses import replace
from datetime import timedelta
from sqlite3 import Connection
from unittest.mock import patch

from lumbrel.core.bench import hydrometer
from lumbrel.core.bench.evidence import Estimate
from lumbrel.exchange import logbook, logbook_in
from lumbrel.services.base import batch as contexts
from lumbrel.services.base import said
from lumbrel.services.base.working import Step
from lumbrel.services.bench import checks
from lumbrel.services.day import entries as day
from lumbrel.services.kitchen.change import edit_vessel
from lumbrel.services.kitchen.settings import save_settings
from lumbrel.services.record import compared, kept, working
from lumbrel.services.stations import book, named, slip
from lumbrel.store import said as store
from lumbrel.store.db import connect, transaction
from lumbrel.store.instruments import instruments
from lumbrel.store.kitchen import load_kitchen
from tests.support.kitchen import NOON, KitchenCase

LATER = NOON + timedelta(hours=6)


class Stands(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        air = {"basis": "station", "pressure": "975 hPa", "id": "air-00001"}
        day.set_pressure(self.db, NOON, air)
        boil = {"thermometer": "dial-a", "reading": "98.9 C", "id": "boil-0001"}
        day.test_boil(self.db, NOON, boil)
        self.code = self.take_in()
        sure = {"reading_confirmed": "1", "depth_confirmed": "1", "at_confirmed": "1"}
        self.stem = self.put(self.code, "hydrometer", 20, reading="47", cup="90 C", **sure).id
        self.glass = self.put(self.code, "thermometer", 21, instrument="dial-a", reading="102 C", **sure).id
        self.depth = self.put(self.code, "depth", 22, depth="120 mm", **sure).id

    def told(self, line: str) -> list[float | None]:
        return [one.brix for one in store.of_line(self.db, line)]

    def slip(self) -> list[tuple[str, str, str, str]]:
        context = contexts.load(self.db, self.code, LATER)
        return [(line.entry.id, line.title, line.detail, line.value) for line in slip.lines(context)]

    def working(self, line: str) -> list[Step]:
        context = contexts.load(self.db, self.code, LATER)
        lines = slip.lines(context)
        return list(working.line(context, lines, line, lambda one: named(context, one)).steps)

    def steps(self, line: str) -> dict[str, object]:
        return {step.label: step.value for step in self.working(line)}

    def test_a_slip_reads_what_was_said_and_works_out_nothing(self) -> None:
        before = self.slip()
        with patch.dict(said._SAYERS, dict.fromkeys(said._SAYERS)):
            self.assertEqual(self.slip(), before)

    def test_another_formula_changes_no_slip_and_the_working_shows_both(self) -> None:
        before, estimate = self.slip(), hydrometer.estimate

        def better(*given: object) -> Estimate:
            was = estimate(*given)
            return replace(was, brix=was.brix + 0.5)

        with (
            patch.object(said, "MODEL", 2),
            patch("lumbrel.services.bench.correct.hydrometer.estimate", better),
        ):
            self.db.cache = None
            self.assertEqual(self.slip(), before)
            steps, stood = self.steps(self.stem), self.told(self.stem)[-1]
            self.assertEqual(steps["said, and stands"], stood)
            self.assertAlmostEqual(steps["density"], stood + 0.5)
            self.assertEqual(compared.differences(self.db), [])
            with transaction(self.db):
                kept.rebuild(self.db)
            self.assertEqual((self.slip(), self.told(self.stem)), (before, [stood]))
            fields = {"reading": "47", "cup": "90 C", "reading_confirmed": "1"}
            new = self.put(self.code, "hydrometer", 40, **fields).id
            self.assertEqual(store.of_line(self.db, new)[-1].model, 2)
            self.assertAlmostEqual(self.told(new)[-1], stood + 0.5, delta=0.05)
            # A line that it does not rest on says nothing anew.
            book.strike(self.db, "boil-0001", {"id": "struck-0001"}, LATER)
            self.assertEqual(self.told(self.stem), [stood])
            self.assertEqual(len(self.told(self.glass)), 2)

    def test_whatever_it_rests_on_says_it_anew_with_the_line_that_did(self) -> None:
        """Corrected, struck, or noted late: each of the ways, and of each what else stays as it is."""
        long_stem = next(one for one in instruments(self.db) if one.kind == "hydrometer")
        solution = {"against": "solution", "brix": "60", "reading": "60.6", "temperature": "20 C"}
        late = {"at": "2026-03-18 11:00"}
        kitchen = load_kitchen(self.db)
        settings = {
            "name": kitchen.name,
            "elevation": "900 m",
            "target": "66.9",
            "margin": "0",
            "time_zone": "UTC",
            "since": "2026-03-17",
            **{f"unit_{kind}": unit for kind, unit in kitchen.units.items()},
        }
        vessel = {"name": "Finisher 2", "shape": "round", "diameter": "470 mm"}
        take_in = next(e for e in contexts.load(self.db, self.code, LATER).current)
        again = {**take_in.typed, "amount": "33 kg", "supersedes": take_in.id, "why": "misread"}
        ways = (
            (
                "a check typed late",
                lambda: checks.take_scale_check(
                    self.db, long_stem, LATER, solution | late | {"id": "check-0001"}
                ),
                {self.stem},
            ),
            (
                "its strike",
                lambda: book.strike(self.db, "check-0001", {"id": "struck-0001"}, LATER),
                {self.stem},
            ),
            (
                "a boil corrected",
                lambda: book.correct(
                    self.db,
                    "boil-0001",
                    {
                        "thermometer": "dial-a",
                        "reading": "99.5 C",
                        "why": "misread",
                        "id": "boil-0002",
                        "reading_confirmed": "1",
                    },
                    LATER,
                ),
                {self.glass},
            ),
            (
                "its strike",
                lambda: book.strike(self.db, "boil-0002", {"id": "struck-0002"}, LATER),
                {self.glass},
            ),
            (
                "the air struck",
                lambda: book.strike(self.db, "air-00001", {"id": "struck-0003"}, LATER),
                {self.glass, self.depth},
            ),
            (
                "an elevation since",
                lambda: save_settings(self.db, settings, LATER),
                {self.glass, self.depth},
            ),
            (
                "a vessel since",
                lambda: edit_vessel(self.db, "finisher-2", vessel | {"since": "2026-03-17"}, LATER),
                {self.depth},
            ),
            (
                "the take-in corrected",
                lambda: slip.put(self.db, self.code, "take_in", again | {"id": "again-0001"}, LATER),
                {self.depth},
            ),
        )
        for way, happens, moved in ways:
            before = {line: self.told(line) for line in (self.stem, self.glass, self.depth)}
            newest = self.db.execute("SELECT max(seq) FROM line").fetchone()[0]
            happens()
            self.assertEqual(compared.differences(self.db), [], way)
            for line, was in before.items():
                now = self.told(line)
                self.assertEqual(now[: len(was)], was, way)
                self.assertEqual(len(now) > len(was), line in moved, (way, line))
                if line in moved:
                    cause = store.of_line(self.db, line)[-1].because
                    row = self.db.execute("SELECT seq FROM line WHERE id = ?", (cause,))
                    self.assertGreater(row.fetchone()["seq"], newest, way)
        for line, causes in (
            (self.stem, ("“Long stem in 60.0\xa0Brix: 0.94 Brix high” was noted", "was struck")),
            (self.glass, ("was corrected", "in boiling water", "hPa", "elevation")),
            (self.depth, ("“Finisher 2", "“Took in 33.0\xa0kg” was corrected")),
        ):
            told = "; ".join(s.source for s in self.working(line) if s.label == "said before")
            for cause in causes:
                self.assertIn(cause, told)

    def test_it_goes_out_and_comes_in_with_its_lines(self) -> None:
        book.strike(self.db, "boil-0001", {"id": "struck-0001"}, LATER)
        told = self.told(self.glass)
        written = json.loads(logbook.as_json(self.db))
        for one in written["tables"]["said"]:
            if one["line_id"] == self.stem:
                one["brix"] += 0.05
                one["model"] = 0
        other = kept_in_memory(self)
        logbook_in.take_in(other, json.dumps(written))
        self.assertEqual([one.brix for one in store.of_line(other, self.glass)], told)
        (stem,) = store.of_line(other, self.stem)
        self.assertAlmostEqual(stem.brix, self.told(self.stem)[0] + 0.05)
        self.assertEqual(json.loads(logbook.as_json(other)), written)
        # Where the kitchen went on meanwhile, what comes from its other copy is followed up there.
        mine = kept_in_memory(self)
        logbook_in.take_in(mine, logbook.as_json(self.db))
        book.strike(self.db, "air-00001", {"id": "struck-0002"}, LATER)
        fields = {
            "instrument": "dial-a",
            "reading": "103 C",
            "reading_confirmed": "1",
            "id": "later-0001",
        }
        slip.put(mine, self.code, "thermometer", fields, NOON + timedelta(minutes=30))
        logbook_in.take_in(mine, logbook.as_json(self.db))
        self.assertEqual(len(store.of_line(mine, "later-0001")), 2)
        self.assertEqual(compared.differences(mine), [])
        # An earlier Lumbrel wrote none: what its lines say is said when it comes.
        written["tables"]["said"] = []
        other = kept_in_memory(self)
        logbook_in.take_in(other, json.dumps(written))
        self.assertEqual([one.brix for one in store.of_line(other, self.stem)], self.told(self.stem))


def kept_in_memory(case: Stands) -> Connection:

    other = connect(":memory:")
    case.addCleanup(other.close)
    kept.ready(other)
    return other
