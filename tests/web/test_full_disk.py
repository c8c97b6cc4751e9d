"""A disk that is full stops writing, not reading: on a small file system of its own."""

import asyncio
import json
import re
import shutil
import sqlite3
import unittest
from datetime import UTC, datetime, timedelta
from pathlib import Path

from lumbrel.services.access.doorkeeper import Doorkeeper
from lumbrel.services.access.roles import FINISHER
from lumbrel.services.base.form import BadInput
from lumbrel.services.kitchen import safekeeping
from lumbrel.store import disk
from lumbrel.store.db import opened
from lumbrel.store.disk import Disk
from lumbrel.web.shell.network import DEVICES
from tests.support.devices import OpenKitchen
from tests.support.disks import fill, small_disk
from tests.support.kitchen import NOON, KitchenCase


class FullDisk(KitchenCase):
    """A kitchen with something on the fire, and a device that is let in, on a disk that is filled."""

    def setUp(self) -> None:
        super().setUp()
        folder = self.enterContext(small_disk())
        if folder is None:
            self.skipTest("only who administers the machine makes a disk on it")
        self.code = self.take_in(vessel="finisher-1")
        self.put(self.code, "boiling", 15)
        self.put(self.code, "refractometer", 59, reading="58", sample="20 C")
        self.db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        self.record = Path(shutil.copy(self.path, folder))
        self.kitchen = OpenKitchen(folder, self.record, at=NOON + timedelta(minutes=60))
        self.here = self.kitchen.here
        # As the server does for as long as it runs.
        self.enterContext(opened(self.record)).execute("SELECT count(*) FROM line").fetchone()
        self.phone = self.kitchen.let_in(FINISHER)
        self.assertEqual(self.phone.get(f"/pan/{self.code}").status_code, 200)
        self.offered = self.kitchen.keeper.offer(FINISHER, datetime.now(UTC)).code
        self.ballast = fill(folder)
        self.pages = ("/", f"/pan/{self.code}", "/shelf", "/kitchen", "/day", "/wall")

    def test_everybody_reads_and_is_told(self) -> None:
        keeper, keeper_code = self.kitchen.keeper, self.offered
        later = datetime.now(UTC).replace(microsecond=0) + timedelta(days=1)
        for caller in (self.here, self.phone):
            for page in self.pages:
                answer = caller.get(page)
                self.assertEqual(answer.status_code, 200, page)
                self.assertIn("is full. Nothing can be saved", answer.text, page)
            health = caller.get("/healthz")
            self.assertEqual(health.status_code, 503)
            self.assertRegex(health.json()["why"], f"disk that holds {self.record.parent} is full")
            self.assertGreater(health.json()["record"]["lines"], 0)
        # A day later the gate notes when the phone was seen; where it cannot, the phone is in all the same.
        keeper.device_of(self.secret(), later, "192.168.7.30")
        with self.assertLogs("lumbrel.access", "WARNING"):
            keeper.write_down(later)
        self.assertEqual(self.phone.get("/").status_code, 200)
        self.assertEqual(keeper.devices()[0].seen_at, later)
        keeper.keep_open(later, is_open=True)
        with self.assertRaises(BadInput):
            keeper.sign_in({"passphrase": "a wrong one", "name": "x"}, "192.168.7.66", later)
        code = {"code": keeper_code, "name": "another phone"}
        answer = self.kitchen.device("192.168.7.67").post("/enter", data=code)
        self.assertEqual(answer.status_code, 503)
        self.assertIn("is full; nothing was written", answer.text)
        self.ballast.unlink()
        keeper.close()
        again = Doorkeeper(self.record.parent / "access" / DEVICES, later)
        self.assertEqual(again.devices()[0].seen_at, later)
        again.close()

    def secret(self) -> str:
        return next(iter(self.phone.cookies.jar)).value or ""

    def test_what_is_sent_is_refused_by_the_disks_name_and_taken_once_there_is_room(self) -> None:
        note = {"id": "note-on-a-full-disk", "text": "kept on the page " * 10}
        answer = self.here.post(f"/pan/{self.code}/slip/note", data=note)
        self.assertEqual(answer.status_code, 503)
        self.assertIn(f"The disk that holds {self.record.parent}", answer.text)
        self.assertIn("kept on the page", answer.text)
        self.ballast.unlink()
        answer = self.here.post(f"/pan/{self.code}/slip/note", data=note)
        self.assertIn(answer.status_code, (303, 422))
        self.assertNotIn("is full", self.here.get("/").text)

    def test_an_alarm_that_rang_before_is_answered_all_the_same(self) -> None:
        self.ballast.unlink()
        hub = self.kitchen.app.state.workspace.hub
        hub._look_once(lambda code, news: None)
        fill(self.record.parent)
        with opened(self.record) as db:
            before = hub.all_ringing(db)
            self.assertGreater(min(alarm.id for alarm in before), 0)
            for alarm in before:
                answer = self.here.post(f"/alarms/{alarm.id}/answer", data={"by": "KL"})
                self.assertEqual(answer.status_code, 200)
            self.assertEqual(hub.all_ringing(db), [])

    def test_an_alarm_rings_though_it_cannot_be_written(self) -> None:
        async def look(*until: str) -> dict[str, dict]:
            hub = self.kitchen.app.state.workspace.hub
            ear, rings = hub.listen(""), {}
            for _ in range(40):
                hub._states.clear()  # as when the clock moves on
                hub._look_once(lambda code, news: ear.put_nowait(news) if not code else None)
                while not ear.empty():
                    rings = {a["kind"]: a for a in json.loads(str(ear.get_nowait()))["alarms"]}
                if set(until) == set(rings):
                    break
            hub.leave("", ear)
            return rings

        rings = asyncio.run(look("foam", "strain"))
        self.assertEqual(set(rings), {"foam", "strain"})
        self.assertLess(rings["foam"]["id"], 0)
        answer = self.here.post(f"/alarms/{rings['foam']['id']}/answer", data={"by": "KL"})
        self.assertEqual(answer.status_code, 200)
        self.assertEqual(set(asyncio.run(look("strain"))), {"strain"})
        self.ballast.unlink()
        rings = asyncio.run(look("foam", "strain"))
        self.assertEqual(set(rings), {"foam", "strain"})
        self.assertGreater(min(alarm["id"] for alarm in rings.values()), 0)


class Reserve(KitchenCase):
    def test_a_kitchen_whose_disk_is_full_is_started_all_the_same(self) -> None:
        folder = self.enterContext(small_disk())
        if folder is None:
            self.skipTest("only who administers the machine makes a disk on it")
        self.db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        record = Path(shutil.copy(self.path, folder))
        safekeeping.keep_a_reserve(record)
        fill(folder)
        with self.assertRaises(sqlite3.OperationalError), opened(record) as db:
            db.execute("SELECT count(*) FROM vessel").fetchone()
        safekeeping.keep_a_reserve(record)
        with opened(record) as db:
            self.assertEqual(db.execute("SELECT count(*) FROM vessel").fetchone()[0], 3)


class Sentences(unittest.TestCase):
    def test_what_a_disk_says(self) -> None:
        for free, said in ((0, "is full"), (30 * 2**20, "has 30 MB left"), (2**40, "^$")):
            self.assertTrue(re.search(said, Disk(Path("/data"), free).said), free)
        self.assertEqual(disk.disk_of(Path("/nowhere/at/all/x")).said, "")
