"""What is worked out once and shared: never older than the last thing that was written, and no more often."""

import random
import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from fastapi.testclient import TestClient

from lumbrel.services import stations
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import newest, newest_until
from lumbrel.services.base.progress import Progress
from lumbrel.services.bench import checks
from lumbrel.services.bench.curves import own_curve
from lumbrel.services.day import entries as day_entries
from lumbrel.services.day.facts import TestBoilFacts
from lumbrel.services.pan import board as boards
from lumbrel.services.pan.evidence import gather
from lumbrel.services.pan.unsaid import Jump
from lumbrel.services.sap import gathered_sap, played, tanks
from lumbrel.store import kept_use
from lumbrel.store.db import opened, transaction
from lumbrel.store.instruments import HydrometerDetail, Instrument, instruments, instruments_of
from lumbrel.store.samples import Sample, add_samples
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.settings import Settings
from tests.support import crawl
from tests.support.kitchen import NOON, KitchenCase, season_copy
from tests.support.records import AFTERNOON, SURE
from tests.support.statements import counted

TRIVIAL, ANY = 12, 60


class Shared(KitchenCase):
    def test_a_board_is_made_once_for_all_news(self) -> None:
        code = self.take_in()
        at = NOON + timedelta(minutes=40)

        def made(seconds: float = 0.0) -> int:
            with mock.patch.object(boards, "believe", wraps=boards.believe) as believed:
                context = contexts.load(self.db, code, at + timedelta(seconds=seconds))
                shared = boards.board_now(context)
                self.assertIs(shared.context.db, context.db, "who looks reads by its own link")
            return believed.call_count

        self.assertEqual([made(), made(), made(4)], [1, 0, 0])
        self.assertEqual([made(6), made(6), made()], [1, 0, 1], "a moment later, and one before")
        add_samples(self.db, "probe-1", [Sample(at, 99.0)])
        self.assertEqual([made(), made()], [1, 0])
        self.put(code, "boiling", 5)
        self.assertEqual([made(), made()], [1, 0])
        with self.assertRaises(ZeroDivisionError), transaction(self.db):
            self.assertEqual([made(), made()], [1, 1], "what may be taken back is not kept")
            raise ZeroDivisionError

    def test_the_line_across_the_top_is_never_older_than_the_last_line(self) -> None:
        def pan(at: datetime) -> str:
            return next(p.state.words for p in stations.line(self.db, at) if p.station.key == "pan")

        before = pan(NOON)
        code = self.take_in()
        self.assertNotEqual(pan(NOON), before)
        self.put(code, "called_off", 1, why="a mistake")
        self.assertEqual(pan(NOON), before)
        with mock.patch.object(stations, "Look", wraps=stations.Look) as looked:
            pan(NOON + timedelta(seconds=4))
            self.assertEqual(looked.call_count, 0)
            pan(NOON + timedelta(seconds=6))
            self.assertEqual(looked.call_count, 1)

    def test_tanks_are_played_when_something_of_them_is_said(self) -> None:
        tank = tanks.add_tank(self.db, {"name": "Crate", "capacity": "500 L", "place": "inside"}, NOON)
        sap = {
            "woodlot": "north-kiln",
            "litres": "80 L",
            "taps": "40",
            "brix_by": "told",
            "brix": "2",
        }
        sap |= {"clarity": "clear", "temperature": "8 C", "tank": tank, "litres_confirmed": "1"}

        def gather() -> None:
            gathered_sap.gather(self.db, sap | {"brix_confirmed": "1"}, NOON)

        def seen(hours: float = 0.0) -> tuple[float, float, int]:
            with mock.patch.object(played, "Played", wraps=played.Played) as plays:
                content = played.view(self.db, tank, NOON + timedelta(hours=hours)).content
            return round(content.litres), content.used, plays.call_count

        gather()
        litres, fresh, plays = seen()
        self.assertEqual((litres, plays), (80, 1))
        code = self.take_in()
        self.put(code, "note", 1, text="foam")
        again = seen(3)
        self.assertEqual((again[0], again[2]), (80, 0), "a line of a boil is no news of a tank")
        self.assertGreater(again[1], fresh, "it grows old all the same")
        gather()
        self.assertEqual(seen(3)[::2], (160, 1))

    def test_checks_up_to_a_moment_are_those_that_are_there(self) -> None:
        glass = next(one for one in instruments(self.db) if one.id == "dial-a")
        chance = random.Random(8)
        for day in range(0, 1200, 31):
            at = NOON - timedelta(days=day)
            checks.take_ice_point(self.db, glass, at, {"ice": f"{chance.uniform(-1, 1):.2f} C"})
        boil = {"thermometer": "dial-a", "reading": "98.5 C", "reading_confirmed": "1"}
        for year in (2023, 2024, 2025):
            for month in (1, 6, 12):
                at = datetime(year, month, 31 if month != 6 else 30, 23, 59, 59, tzinfo=UTC)
                day_entries.test_boil(self.db, at, boil)
        for _ in range(60):
            until = NOON - timedelta(days=chance.uniform(-5, 1300))
            limit = chance.choice([1, 3, 200])
            mine = newest_until(self.db, TestBoilFacts, "dial-a", until, limit)
            plain = newest(self.db, TestBoilFacts, "dial-a", until=until, limit=limit)
            self.assertEqual([one.id for one in mine], [one.id for one in plain], (until, limit))

    def test_tales_of_a_boil_share_what_they_are_told_of_and_nothing_that_differs(self) -> None:
        code = self.take_in(vessel="finisher-1")
        self.put(code, "boiling", 1)
        for minute, reading in ((20, "44"), (30, "48"), (40, "52"), (60, "45"), (66, "47")):
            self.put(code, "hydrometer", minute, reading=reading, cup="92 C", **SURE)
        sent = [Sample(NOON + timedelta(minutes=m), 101 + m / 80) for m in range(2, 67)]
        add_samples(self.db, "probe-1", sent)
        tales = [(), (Jump(NOON + timedelta(minutes=50)),), (Jump(NOON + timedelta(minutes=35)),)]

        def cost(context: BatchContext, jumps: tuple[Jump, ...]) -> tuple[float, int]:
            seen = gather(context, jumps=jumps)
            return seen.fitted.cost, len(seen.probe_samples)

        def now() -> BatchContext:
            return contexts.load(self.db, code, NOON + timedelta(minutes=67))

        alone = [cost(now(), jumps) for jumps in tales]
        self.assertEqual(len({round(one, 3) for one, _ in alone}), 3, alone)
        for order in ((0, 1, 2), (2, 1, 0), (1, 0, 2)):
            context = now()
            together = {i: cost(context, tales[i]) for i in order}
            self.assertEqual([together[i] for i in range(3)], alone)

    def test_a_pair_is_told_anew_where_the_stem_was_another(self) -> None:
        with opened(season_copy(self.folder / "season")) as db:
            stem = next(
                one
                for one in instruments_of(db, HydrometerDetail)
                if kept_use.pairs(db, one.id, AFTERNOON, 9)
            )
            other = replace(stem, detail=stem.detail.model_copy(update={"calibration_temperature_c": 25.0}))

            def true(one: Instrument[HydrometerDetail]) -> list[float]:
                return [pair.true_brix for pair in own_curve(db, one, AFTERNOON).pairs]

            both = [true(stem), true(other)]
            self.assertEqual([true(stem), true(other)], both)
            db.cache = None
            self.assertEqual([true(other), true(stem)], both[::-1])
            self.assertGreater(min(abs(a - b) for a, b in zip(*both, strict=True)), 0.05)

    def test_progress_is_told_now_and_then_and_at_the_end(self) -> None:
        told: list[tuple[int, int]] = []
        progress = Progress("Read", lambda did, done, whole, left: told.append((done, whole)))
        progress.of(1000)
        self.assertEqual(list(progress.counted(range(1000))), list(range(1000)))
        self.assertEqual(told[-1], (1000, 1000))
        self.assertLess(len(told), 20)


class Statements(unittest.TestCase):
    def test_a_page_asks_the_record_a_few_times_only(self) -> None:
        """Of each address one, looked at a second time, as pages are."""
        path = season_copy(Path(self.enterContext(TemporaryDirectory())))
        count = self.enterContext(counted())
        app = create_app(Settings(database=path, clock=lambda: AFTERNOON, refresh_seconds=0))
        client = self.enterContext(
            TestClient(app, base_url="http://127.0.0.1", raise_server_exceptions=False)
        )
        asked = {}
        for address, _ in crawl.pages(client, each=1):
            count.so_far = 0
            client.get(address)
            asked[address] = count.so_far
        self.assertGreater(len(asked), 45)
        self.assertEqual({a: n for a, n in asked.items() if n > ANY}, {})
        client.get("/no-such-page")
        count.so_far = 0
        client.get("/no-such-page")
        self.assertLessEqual(count.so_far, TRIVIAL)
        self.assertGreater(count.so_far, 0)
