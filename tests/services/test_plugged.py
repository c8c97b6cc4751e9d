"""What speaks through a broker, a port, a folder; what was measured outdoors and in tanks."""

import json
import socket
import threading
import time
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from math import isfinite
from pathlib import Path
from unittest import mock

from lumbrel.devices.broker import Broker, BrokerAt
from lumbrel.devices.wires import folder as folders
from lumbrel.services.base.form import BadInput
from lumbrel.services.probes import outside
from lumbrel.services.probes.ear import SourceSeen
from lumbrel.services.probes.ears import Ears
from lumbrel.services.sap import measured, weather
from lumbrel.store import samples as samples_store
from lumbrel.store import sap_weather, secrets
from lumbrel.store.db import opened
from lumbrel.store.instruments import (
    Instrument,
    ThermometerDetail,
    add_instrument,
    instruments,
    retire_instrument,
)
from lumbrel.store.samples import Sample
from tests.support.broker import House, TestBroker, Waits, free_port
from tests.support.kitchen import NOON, KitchenCase

MINUTE = timedelta(minutes=1)


class Sources(Waits):
    def setUp(self) -> None:
        super().setUp()
        self.ears = Ears(lambda: opened(self.path), lambda: datetime.now(UTC))
        self.ears.start()
        self.addCleanup(self.ears.stop)

    def seen(self, wire: str, address: str, quantity: str | None = None) -> SourceSeen | None:
        rows = [one for one in self.ears.look(self.db) if one.where == (wire, address)]
        return next((one for one in rows if quantity in (None, one.quantity)), None)

    def name(self, sort: str, **fields: str) -> None:
        outside.name(self.db, sort, self.form(**fields), self.path, NOON)

    def use(self, wire: str, address: str, instrument: str, **more: str) -> Instrument:
        sent = {"wire": wire, "address": address, "instrument": instrument} | more
        return self.ears.use(self.db, self.form(**sent), datetime.now(UTC))

    def newest(self, instrument_id: str) -> float | None:
        found = samples_store.latest_sample(self.db, instrument_id, datetime.now(UTC) + MINUTE)
        return found.value if found else None

    def at_a_broker(self) -> tuple[TestBroker, House]:
        """One that is spoken with and looked at, and somebody else there."""
        broker = TestBroker(self.folder)
        self.addCleanup(broker.stop)
        self.ears.speak_with(BrokerAt(host="127.0.0.1", port=broker.port))
        self.ears.look(self.db)
        self.until(lambda: not self.ears.broker.why)
        house = House(broker.port)
        self.addCleanup(house.stop)
        return broker, house

    def test_a_board_at_a_broker_that_asks_for_a_password_under_tls(self) -> None:
        broker = TestBroker(self.folder, password="sugar bush", tls=True)
        self.addCleanup(broker.stop)
        known = {"address": f"mqtts://127.0.0.1:{broker.port}", "user": "board"}
        self.name("mqtt", **known, authority=str(broker.authority), password="wrong")
        self.ears.speak_with(outside.broker_at(self.db, self.path))
        self.until(lambda: self.ears.broker and "lets nobody in" in self.ears.broker.why)
        self.name("mqtt", **known, authority=str(broker.authority), password="sugar bush")
        self.ears.speak_with(outside.broker_at(self.db, self.path))
        self.until(lambda: self.ears.broker and not self.ears.broker.why)
        # Whom nobody vouches for is not spoken with.
        self.name("mqtt", **known)
        self.ears.speak_with(outside.broker_at(self.db, self.path))
        self.until(lambda: "certificate" in self.ears.broker.why.lower())
        self.assertNotIn("sugar bush", Path(self.path).read_bytes().decode("latin-1"))
        self.assertEqual(secrets.secret(self.path, "mqtt"), "sugar bush")
        self.assertEqual((self.path.parent / f"{self.path.name}.secrets").stat().st_mode & 0o777, 0o600)

    def test_a_topic_is_picked_and_a_value_of_its_json(self) -> None:
        broker, house = self.at_a_broker()
        said = json.dumps({"battery": 87, "inside": {"temperature": 214.7, "unit": "F"}, "on": True})
        house.say("shed/pan", said, retain=True)
        self.until(lambda: self.seen("mqtt", "shed/pan#inside.temperature"))
        rows = [one.where[1] for one in self.ears.look(self.db)]
        self.assertEqual(rows, ["shed/pan#battery", "shed/pan#inside.temperature"])
        self.use("mqtt", "shed/pan#inside.temperature", "probe-1")
        time.sleep(0.5)
        # What the broker held back is of some other time.
        self.assertIsNone(self.newest("probe-1"))
        house.say("shed/pan", said)
        self.until(lambda: self.newest("probe-1"))
        self.assertAlmostEqual(self.newest("probe-1"), 101.5, places=6)

        def says_nonsense() -> bool:
            house.say("shed/pan", "out of order")
            return "can be read" in self.seen("mqtt", "shed/pan#inside.temperature").said

        self.until(says_nonsense)
        # After a restart, and once the instrument is retired.
        self.ears.stop()
        self.ears = Ears(lambda: opened(self.path), lambda: datetime.now(UTC))
        self.addCleanup(self.ears.stop)
        self.ears.start()
        self.ears.speak_with(BrokerAt(host="127.0.0.1", port=broker.port))

        def is_read_again() -> bool:
            house.say("shed/pan", said.replace("214.7", "215.6"))
            return self.newest("probe-1") == 102.0

        self.until(is_read_again)
        retire_instrument(self.db, "probe-1", datetime.now(UTC))
        self.until(lambda: house.say("shed/pan", said) or not any(e.used for e in self.ears._ears.values()))
        broker.stop()
        self.until(lambda: self.ears.broker.why)

    def test_a_broker_that_floods_is_looked_at_no_more(self) -> None:
        broker = Broker(BrokerAt(host="127.0.0.1", port=free_port()))
        broker.why, broker._all = "", True
        broker._client = mock.Mock()
        message = mock.Mock(topic="a/b", payload=b"21.5 C", retain=False)
        broker._take(None, None, message)
        for _any in range(250):
            broker._take(None, None, message)
        self.assertGreater(broker.flooded, 200)
        broker._client.unsubscribe.assert_called_with("#")
        self.assertEqual([one[0] for one in broker.topics()], ["a/b"])
        broker.nearby()
        self.assertGreater(broker.flooded, 200)
        broker._since -= 61
        broker.nearby()
        broker._client.subscribe.assert_called_with("#")

    def test_no_message_ends_it_and_nothing_that_is_no_number_is_shown(self) -> None:
        _broker, house = self.at_a_broker()
        nested = '{"a":' * 700 + "1" + "}" * 700
        for said in (
            '{"t": NaN}',
            '{"t": Infinity}',
            '{"t": 1e999}',
            '{"t": 1' + "0" * 400 + "}",
            nested,
            "{",
            "nan",
            "",
            "\0",
        ):
            self.until(lambda: self.seen("mqtt", "shed/last") is None)
            house.say(f"shed/{len(said)}", said)
        house.say("many/values", json.dumps({f"n{i}": i for i in range(450)}))
        self.until(lambda: house.say("shed/last", "21.5 C") or self.seen("mqtt", "shed/last"))
        rows = self.ears.look(self.db)
        self.assertLessEqual(len(rows), 401)
        self.assertTrue(all(isfinite(one.value.number) for one in rows))

    def test_lines_over_tcp_a_folder_and_a_board_that_tells_of_two_things(self) -> None:
        server = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(server.close)
        stop = threading.Event()
        self.addCleanup(stop.set)

        def serve() -> None:
            wire, _any = server.accept()
            while not stop.wait(0.1):
                wire.sendall(b"21.5 C, 957.3 hPa\r\n")
            wire.close()

        threading.Thread(target=serve, daemon=True).start()
        address = f"127.0.0.1:{server.getsockname()[1]}"
        self.name("tcp", address=address)
        self.until(lambda: (one := self.seen("tcp", address, "pressure")) and one.inside == 95_730)
        with self.assertRaises(BadInput):
            self.use("tcp", address, "probe-1", quantity="pressure")
        barometer = self.use("tcp", address, "new/barometer/", quantity="pressure")
        self.use("tcp", address, "new/thermometer/outdoors", quantity="temperature")
        self.until(lambda: self.newest(barometer.id) == 95_730)
        air = next(
            one
            for one in instruments(self.db)
            if isinstance(one.detail, ThermometerDetail) and one.detail.outdoors
        )
        self.until(lambda: self.newest(air.id) == 21.5)
        logger = self.folder / "logger"
        logger.mkdir()
        (logger / "old.csv").write_text("time;C\n2026-01-01 10:00;1.0\n")
        self.name("folder", address=str(logger))
        with mock.patch.object(folders, "EVERY_S", 0.1):
            self.until(lambda: self.seen("folder", str(logger)))
            time.sleep(0.5)
            with (logger / "old.csv").open("a") as file:
                file.write("2026-01-01 10:01;4,5 C\n")
            self.until(lambda: self.seen("folder", str(logger)).inside == 4.5)
            (logger / "new.csv").write_text("2026-01-01 10:02;5,5 C\n")
            self.until(lambda: self.seen("folder", str(logger)).inside == 5.5)
        for sort, bad in (
            ("tcp", "nowhere"),
            ("tcp", "h:99999"),
            ("folder", "logger"),
            ("mqtt", "http://h"),
            ("mqtt", ""),
        ):
            with self.assertRaises(BadInput, msg=bad):
                self.name(sort, address=bad)
        with self.assertRaises(BadInput):
            self.name("mqtt", address="mqtt://h", authority=str(self.folder / "none.pem"))

    def test_a_scale_without_units_is_asked_for_them(self) -> None:
        server = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(server.close)

        def serve() -> None:
            wire, _any = server.accept()
            with suppress(OSError):
                while True:
                    wire.sendall(b"  12500\n")
                    time.sleep(0.05)

        threading.Thread(target=serve, daemon=True).start()
        address = f"127.0.0.1:{server.getsockname()[1]}"
        self.name("tcp", address=address)
        self.until(lambda: (one := self.seen("tcp", address)) and one.value)
        for unit in ("", "C"):
            with self.assertRaises(BadInput) as refused:
                self.use("tcp", address, "new/scale/", unit=unit)
            self.assertIn("unit", refused.exception.errors)
        # What was refused registered nothing.
        self.assertEqual([one for one in instruments(self.db) if one.kind == "scale"], [])
        scale = self.use("tcp", address, "new/scale/", unit="g")
        self.until(lambda: self.ears.weight_kg(scale.id) == 12.5)
        self.assertEqual(scale.name, "Scale on the bench")


class Measured(KitchenCase):
    def glass(self, **detail: object) -> str:
        one = Instrument(
            id="glass-0001", name="Glass", detail=ThermometerDetail(**detail), registered_at=NOON
        )
        add_instrument(self.db, one)
        return one.id

    def test_a_night_and_its_day_are_noted_once_they_are_over_and_were_measured(self) -> None:
        glass = self.glass(outdoors=True)
        began = NOON - timedelta(days=2)
        each = [began + timedelta(minutes=20) * i for i in range(3 * 48)]
        warm = [Sample(at, -6.0 if at.hour == 5 else 7.5 if at.hour == 15 else 0.0) for at in each]
        samples_store.add_samples(self.db, glass, warm)
        for _twice in range(2):
            measured.note(self.db, NOON)
        known = sap_weather.known(self.db, NOON.date() - timedelta(days=5), NOON.date())
        self.assertEqual(
            [(on.day, d.night_c, d.day_c, d.measured) for on, d in known.items()], [(17, -6.0, 7.5, True)]
        )

    def test_what_was_hardly_measured_or_is_known_is_not_noted(self) -> None:
        glass = self.glass(outdoors=True)
        some = [NOON - timedelta(hours=30 - i) for i in range(6)]
        samples_store.add_samples(self.db, glass, [Sample(at, 3.0) for at in some])
        measured.note(self.db, NOON)
        self.assertEqual(sap_weather.known(self.db, NOON.date() - timedelta(days=5), NOON.date()), {})
        typed = {"first": "2026-03-17", "night_0": "-9 C", "day_0": "2 C", "measured": "1"}
        weather.typed(self.db, typed, NOON)
        each = [NOON - timedelta(days=2) + timedelta(minutes=20) * i for i in range(3 * 48)]
        samples_store.add_samples(self.db, glass, [Sample(at, 0.5) for at in each])
        measured.note(self.db, NOON)
        known = sap_weather.known(self.db, NOON.date() - timedelta(days=5), NOON.date())
        self.assertEqual([day.night_c for day in known.values()], [-9.0])

    def test_a_tank_is_noted_when_it_changed(self) -> None:
        tank = "tank-0001"
        from lumbrel.store import sap
        from lumbrel.store.db import transaction

        with transaction(self.db):
            sap.add_tank(self.db, sap.Tank(tank, "Tank", 500.0, "outside"))
        glass = self.glass(tank_id=tank)
        noted = []
        for minutes, celsius in ((0, 3.0), (30, 5.0), (61, 5.0), (130, 5.4), (470, 5.4), (540, 80.0)):
            at = NOON + minutes * MINUTE
            samples_store.add_samples(self.db, glass, [Sample(at, celsius)])
            measured.note(self.db, at)
            rows = self.db.execute("SELECT facts FROM line WHERE kind = 'warm' ORDER BY seq").fetchall()
            noted.append([json.loads(row["facts"])["temperature_c"] for row in rows])
        self.assertEqual(noted[-1], [3.0, 5.0, 5.4])
        self.assertEqual(len(noted[1]), 1)
