"""What the doctor finds in a kitchen's machine, and in one where all is well."""

import os
import socket
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from unittest import mock

from lumbrel.services.kitchen.health import Machine
from lumbrel.services.kitchen.safekeeping import back_up_today
from lumbrel.store import sources
from lumbrel.store.disk import Disk
from lumbrel.store.kitchen import load_kitchen
from lumbrel.store.sources import Plug, SpokenWith
from tests.support.kitchen import NOON, KitchenCase
from tests.support.safe import run


class Doctor(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.folder.chmod(0o700)
        self.take_in()
        back_up_today(self.path, self.folder / "backups", NOON)
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]

    def wrong(self, **other: object) -> dict[str, str]:
        machine = {"data": self.folder, "record": self.path, "port": self.port, "now": NOON} | other
        return {what: said for what, said in Machine(**machine).findings() if said}

    def test_all_is_well(self) -> None:
        self.assertEqual(self.wrong(), {})

    def test_each_thing_that_may_be_wrong_is_found_alone(self) -> None:
        self.assertIn("set its clock", self.wrong(now=datetime(2001, 1, 1, tzinfo=UTC))["clock"])
        self.assertIn("to come", self.wrong(now=NOON - timedelta(days=300))["clock"])
        self.assertIn("40 days old", self.wrong(now=NOON + timedelta(days=40))["backups"])
        self.assertEqual(list(self.wrong(record=self.folder / "none.sqlite3")), ["record"])
        with mock.patch("lumbrel.services.kitchen.health.disk_of", lambda record: Disk(record, 0)):
            self.assertEqual(list(self.wrong()), ["disk"])
        self.folder.chmod(0o755)
        self.assertIn("chmod 700", self.wrong()["folder"])
        self.folder.chmod(0o700)
        with socket.create_server(("127.0.0.1", 0)) as other:
            said = self.wrong(port=other.getsockname()[1])
        self.assertIn("Another program", said["port"])
        plug = Plug(
            quantity="temperature",
            wire="serial",
            address="1a86:7523:",
            name="Stick",
            unit="C",
            instrument_id="probe-1",
            since=NOON,
        )
        sources.plug_in(self.db, plug)
        self.assertEqual(self.wrong(), {"sources": "Not plugged in: Stick."})
        sources.unplug(self.db, "serial", "1a86:7523:", "temperature")
        gone = SpokenWith(
            sort="mqtt",
            address="mqtt://127.0.0.1:1",
            detail={"user": "", "authority": ""},
            since=NOON,
        )
        sources.name_outside(self.db, gone)
        self.assertEqual(list(self.wrong()), ["broker"])
        sources.forget_outside(self.db, "mqtt")
        kitchen = load_kitchen(self.db)
        nowhere = replace(kitchen, time_zone="")
        with mock.patch("lumbrel.services.kitchen.health.load_kitchen", lambda _db: nowhere):
            self.assertEqual(list(self.wrong()), ["time zone"])

    def test_a_damaged_record_is_said_and_nothing_raises(self) -> None:
        self.db.close()
        os.truncate(self.path, 3000)
        self.assertIn("record", self.wrong())

    def test_the_command_says_it_and_its_exit_code(self) -> None:
        done, said, _any = run("doctor", "--data", str(self.folder), "--port", str(self.port))
        self.assertEqual((done, "!!  backups" in said, "ok  record" in said), (1, True, True))
