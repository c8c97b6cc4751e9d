"""Who is told: the house’s broker, and addresses in the web."""

import base64
import hashlib
import hmac
import json
import socket
import time
from unittest import mock

from lumbrel.devices import webhook
from lumbrel.devices.broker import Broker
from lumbrel.services.base.form import BadInput
from lumbrel.services.kitchen import herald as heralds
from lumbrel.services.kitchen import hooks, told
from lumbrel.services.kitchen.herald import Herald
from lumbrel.services.probes import outside
from lumbrel.store import alarms, record, secrets, sources
from lumbrel.store.db import opened
from tests.support.broker import House, TestBroker, Waits
from tests.support.broker import hooks as hooked
from tests.support.kitchen import NOON


class Told(Waits):
    def herald(self, broker: Broker | None = None) -> Herald:
        one = Herald(lambda: opened(self.path), self.path, lambda: NOON, alarms.ringing, lambda: broker)
        self.addCleanup(one.stop)
        return one

    def ring(self, code: str) -> None:
        batch = record.batch_by(self.db, code=code)
        alarms.raise_alarm(self.db, batch.id, "strain", NOON, "Strain it now")

    def test_an_address_is_told_signed_again_until_it_takes_it_and_nothing_waits(self) -> None:
        came: list[tuple[dict[str, str], bytes]] = []

        def take(headers: dict[str, str], body: bytes) -> int:
            came.append((headers, body))
            return 500 if len(came) < 3 else 204

        address, end = hooked(take)
        self.addCleanup(end)
        hanging = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(hanging.close)
        for one in (address, f"http://127.0.0.1:{hanging.getsockname()[1]}/"):
            with self.assertRaises(BadInput) as refused:
                hooks.name(self.db, self.form(address=one), self.path, NOON)
            self.assertIn("own network", refused.exception.errors["address"])
            hooks.name(self.db, self.form(address=one, in_the_house="1"), self.path, NOON)
        code, herald = self.take_in(), self.herald()
        self.ring(code)
        with mock.patch.object(heralds, "TRIED_AGAIN_S", (0.1,) * 5):
            began = time.monotonic()
            herald.look(self.db)
            self.assertLess(time.monotonic() - began, 2)
            self.until(lambda: len(came) == 3)
        self.assertEqual(len({headers["webhook-id"] for headers, _body in came}), 1)
        headers, body = came[-1]
        signed = f"{headers['webhook-id']}.{headers['webhook-timestamp']}.".encode() + body
        key = secrets.secret(self.path, "webhook").encode()
        want = base64.b64encode(hmac.new(key, signed, hashlib.sha256).digest()).decode()
        self.assertEqual(headers["webhook-signature"], f"v1,{want}")
        message = json.loads(body)
        self.assertEqual(
            (message["event"], message["batch"], message["vessel"]), ("alarm.raised", code, "Finisher 2")
        )
        herald.look(self.db)
        alarms.acknowledge(self.db, alarms.ringing(self.db)[0].id, NOON, "AB")
        herald.look(self.db)
        self.until(lambda: len(came) == 4)
        self.assertEqual(json.loads(came[-1][1])["event"], "alarm.answered")

    def test_what_nobody_takes_for_hours_is_let_go(self) -> None:
        with mock.patch.object(heralds, "TRIED_AGAIN_S", (0.01,) * 5):
            one = heralds.Messenger("http://127.0.0.1:1/", "key", in_the_house=True)
            one.put("old", {"event": "alarm.raised"})
            one._waiting = [("old", time.monotonic() - 7 * 3600, {})]
            one.start()
            self.until(lambda: not one._waiting)
            one.stop()
        self.assertIn("does not answer", one.why)

    def test_where_nobody_is_told(self) -> None:
        for bad in (
            "ftp://a.b/",
            "https://",
            "https://user@a.b/",
            "https://a.b/é",
            "https://a:99999/",
            "http://169.254.169.254/",
            "https://nowhere.invalid/",
        ):
            with self.assertRaises(BadInput, msg=bad):
                hooks.name(self.db, self.form(address=bad, in_the_house="1"), self.path, NOON)
        for number, public in (
            ("8.8.8.8", True),
            ("10.0.0.1", False),
            ("::1", False),
            ("::ffff:127.0.0.1", False),
            ("::ffff:8.8.8.8", True),
        ):
            found = [(0, 0, 0, "", (number, 0))]
            with mock.patch("socket.getaddrinfo", return_value=found):
                if public:
                    self.assertEqual(webhook.place_of("a.b", 443, False), number)
                else:
                    with self.assertRaises(webhook.NotTold, msg=number):
                        webhook.place_of("a.b", 443, False)
        self.assertEqual(sources.outside(self.db, "webhook"), [])

    def test_the_broker_is_told_how_each_vessel_stands(self) -> None:
        broker = TestBroker(self.folder)
        self.addCleanup(broker.stop)
        fields = {"address": f"mqtt://127.0.0.1:{broker.port}", "tells": "1", "discovery": "found"}
        outside.name(self.db, "mqtt", self.form(**fields), self.path, NOON)
        ours = Broker(outside.broker_at(self.db, self.path), (told.ONLINE, told.GONE))
        ours.start()
        self.addCleanup(ours.stop)
        house = House(broker.port)
        self.addCleanup(house.stop)
        self.until(lambda: not ours.why)
        code, herald = self.take_in(), self.herald(ours)
        wanted = {
            "lumbrel/online",
            "lumbrel/alarm/state",
            "lumbrel/vessel/finisher-1",
            "lumbrel/vessel/finisher-2",
            "found/sensor/lumbrel/finisher-2-brix/config",
        }
        self.until(lambda: herald.look(self.db) or wanted <= set(house.heard))
        state = json.loads(house.heard["lumbrel/vessel/finisher-2"])
        self.assertEqual((state["batch"], state["call"]), (code, "heat"))
        self.assertEqual(json.loads(house.heard["lumbrel/vessel/finisher-1"])["call"], "idle")
        self.assertEqual(
            (house.heard["lumbrel/online"], house.heard["lumbrel/alarm/state"]), ("online", "OFF")
        )
        config = json.loads(house.heard["found/sensor/lumbrel/finisher-2-brix/config"])
        self.assertEqual(config["state_topic"], "lumbrel/vessel/finisher-2")
        self.ring(code)
        herald.look(self.db)
        self.until(lambda: house.heard["lumbrel/alarm/state"] == "ON")
        ours.stop()
        self.until(lambda: house.heard["lumbrel/online"] == "offline")
        self.assertEqual(json.loads(house.heard["lumbrel/alarm"])["alarms"][0]["said"], "Strain it now")
