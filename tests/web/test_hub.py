"""What tells open pages the news: it says what changed, and ends cleanly in the middle of a look."""

import asyncio
import json
from datetime import timedelta
from unittest.mock import patch

from lumbrel.services.base.cache import Cache
from lumbrel.services.probes import intake
from lumbrel.store.links import Links
from lumbrel.web.shell import news as told
from lumbrel.web.shell.hub import ALL, Hub
from lumbrel.web.shell.settings import Settings
from tests.support.kitchen import NOON, KitchenCase


class News(KitchenCase):
    def hub(self) -> Hub:
        settings = Settings(
            database=self.path, clock=lambda: NOON + timedelta(minutes=60), refresh_seconds=0.2
        )
        return Hub(settings, Links(settings.database, Cache()))

    def test_a_page_hears_its_batch_and_every_alarm(self) -> None:
        code = self.take_in(vessel="finisher-1")
        self.put(code, "boiling", 15)
        self.put(code, "refractometer", 59, reading="58", sample="20 C")

        async def listen() -> tuple[dict, dict, dict]:
            hub = self.hub()
            await hub.start()
            one, every = hub.listen(code), hub.listen(ALL)
            first = json.loads(str(await asyncio.wait_for(one.get(), 5)))
            at = NOON + timedelta(minutes=60)
            intake.take(self.db, "probe-1", [(at, 60.5)], at)
            news = first
            while not news["sample"]:
                news = json.loads(str(await asyncio.wait_for(one.get(), 5)))
            rings = json.loads(str(await asyncio.wait_for(every.get(), 5)))
            while not rings["alarms"]:
                rings = json.loads(str(await asyncio.wait_for(every.get(), 5)))
            await hub.stop()
            self.assertIs(await self.last(one), told.NOTHING_MORE)
            return first, news, rings

        first, news, rings = asyncio.run(listen())
        self.assertEqual(first["code"], code)
        self.assertAlmostEqual(float(first["brix"]), 58.6, delta=0.4)
        self.assertIn("60.5", news["probe"])
        self.assertEqual({a["kind"] for a in rings["alarms"]}, {"strain", "foam"})

    @staticmethod
    async def last(ear: asyncio.Queue[told.News]) -> told.News | None:
        said = None
        while not ear.empty():
            said = ear.get_nowait()
        return said

    def test_a_sample_that_knocks_is_told_at_once(self) -> None:
        code, at = self.take_in(vessel="finisher-1"), NOON + timedelta(minutes=60)

        async def listen() -> str:
            hub = self.hub()
            with patch("lumbrel.web.shell.hub.LOOK_SECONDS", 3600.0):
                await hub.start()
                ear = hub.listen(code)
                hub.wake()
                await asyncio.wait_for(ear.get(), 5)
                intake.take(self.db, "probe-1", [(at, 60.5)], at)
                hub.wake()
                news = json.loads(str(await asyncio.wait_for(ear.get(), 5)))
                await hub.stop()
            hub.wake()
            return str(news["probe"])

        self.assertIn("60.5", asyncio.run(listen()))

    def test_it_may_be_stopped_in_the_middle_of_a_look(self) -> None:
        self.take_in(vessel="finisher-1")

        async def start_and_stop() -> None:
            for i in range(30):
                hub = self.hub()
                await hub.start()
                hub.listen("26-001")
                await asyncio.sleep(0.004 * (i % 6))
                await hub.stop()

        asyncio.run(start_and_stop())
