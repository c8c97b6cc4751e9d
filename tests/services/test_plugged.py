"""What speaks through a broker, a port, a folder; who is told; weights that boil away."""

import base64
import hashlib
import hmac
import json
import socket
import threading
import time
import unittest
from collections.abc import Callable
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import mock

from fastapi.testclient import TestClient

from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.weighing import Weight, course
from lumbrel.core.units import parse
from lumbrel.devices import webhook
from lumbrel.devices.broker import Broker, BrokerAt
from lumbrel.devices.wires import folder as folders
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.form import BadInput, Form
from lumbrel.services.jar.weighed import fills
from lumbrel.services.kitchen import herald as heralds
from lumbrel.services.kitchen import hooks, told
from lumbrel.services.kitchen.herald import Herald
from lumbrel.services.pan import board as boards
from lumbrel.services.probes import outside
from lumbrel.services.probes.ear import SourceSeen
from lumbrel.services.probes.ears import Ears
from lumbrel.services.sap import measured, weather
from lumbrel.store import alarms, record, sap_weather, secrets, sources
from lumbrel.store import samples as samples_store
from lumbrel.store.db import opened
from lumbrel.store.instruments import (
    Instrument,
    ScaleDetail,
    ThermometerDetail,
    add_instrument,
    instruments,
    retire_instrument,
)
from lumbrel.store.kitchen import load_kitchen
from lumbrel.store.samples import Sample
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.settings import Settings
from tests.support.broker import House, TestBroker, free_port
from tests.support.broker import hooks as hooked
from tests.support.kitchen import NOON, KitchenCase
from tests.worlds import weighed

MINUTE = timedelta(minutes=1)


class Waits(KitchenCase):
    def until(self, holds: Callable[[], object], seconds: float = 12) -> None:
        ends = time.monotonic() + seconds
        while not holds():
            self.assertLess(time.monotonic(), ends, "it never was so")
            time.sleep(0.05)

    def form(self, **fields: str) -> Form:
        return Form(fields, load_kitchen(self.db))


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
        broker = TestBroker(self.folder)
        self.addCleanup(broker.stop)
        self.ears.speak_with(BrokerAt(host="127.0.0.1", port=broker.port))
        self.ears.look(self.db)
        self.until(lambda: not self.ears.broker.why)
        house = House(broker.port)
        self.addCleanup(house.stop)
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

    def test_where_nobody_is_told(self) -> None:
        for bad in (
            "ftp://a.b/",
            "https://",
            "https://user@a.b/",
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


class Weighed(KitchenCase):
    def test_the_course_of_a_weight(self) -> None:
        def weights(*changes: tuple[float, float], stalled: tuple[int, int] = (0, 0)) -> list[Weight]:
            kg, found = 20.0, []
            for minute in range(60):
                kg -= 0.0 if stalled[0] <= minute < stalled[1] else 0.1
                kg += sum(by for at, by in changes if at == minute)
                found.append(Weight(minute, kg + 0.01 * (minute % 3 - 1)))
            return found

        seen = course(weights((20, 3.0), (40, -5.0)))
        self.assertEqual([(s.before, round(s.kg, 1)) for s in seen.steps], [(19, 3.0), (39, -5.0)])
        self.assertAlmostEqual(seen.kg_per_min, 0.1, delta=0.01)
        # What went in the middle of a minute went in two; the fire is not out for that.
        halved = weights((40, -2.0), (41, -3.0))
        self.assertEqual(
            [(s.before, s.after, round(s.kg, 1)) for s in course(halved).steps], [(39, 41, -5.0)]
        )
        self.assertEqual(course(halved).stalls, [])
        leant = course(weights((20, 2.0), (23, -2.0)))
        self.assertEqual((leant.steps, leant.leant), ([], [(19, 23)]))
        ((began, ended),) = course(weights(stalled=(20, 32))).stalls
        self.assertLess(abs(began - 19), 4)
        self.assertLess(abs(ended - 32), 4)
        self.assertIsNone(course(weights(stalled=(45, 60))).stalls[0][1])
        self.assertEqual(course([]).steps, [])
        # A boil that begins hard is no step; what is gone is told from it two minutes later, and until then nothing.
        hard = [Weight(m, 20.0 - max(m - 10, 0) * 0.8) for m in range(20)]
        self.assertEqual([course(hard[:many]).steps for many in range(20)], [[]] * 20)
        self.assertEqual((course(hard[:12]).undecided_from, course(hard[:14]).undecided_from), (10, None))
        gone = weights((40, -5.0))
        self.assertEqual((course(gone[:42]).steps, course(gone[:42]).undecided_from), ([], 39))
        self.assertEqual(len(course(gone[:44]).steps), 1)

    def boil(self, *came: tuple[int, float], minutes: int = 70) -> str:
        """30 kg at 45 Brix in Finisher 2 on a scale that shows 4 kg more."""
        code = self.take_in()
        scale = Instrument(
            id="scale-0001",
            name="Scale",
            detail=ScaleDetail(),
            vessel_id="finisher-2",
            registered_at=NOON - MINUTE,
        )
        add_instrument(self.db, scale)
        kg, each = 30.0, []
        for second in range(0, 60 * minutes, 10):
            kg -= 0.2 / 6 if second > 900 else 0.0
            kg += sum(by for at, by in came if at * 60 == second)
            each.append(Sample(NOON + timedelta(seconds=second), kg + 4.0))
        samples_store.add_samples(self.db, scale.id, each)
        self.put(code, "boiling", 15)
        return code

    def asked(self, code: str, minutes: float) -> dict[str, str]:
        board = boards.board(self.db, code, NOON + minutes * MINUTE)
        return {one.key: one.why for one in board.questions}

    def test_a_scale_under_the_pan_tells_its_density(self) -> None:
        code = self.boil()
        board = boards.board(self.db, code, NOON + 70 * MINUTE)
        self.assertEqual([word.estimate.label for word in board.evidence.words], ["Scale"])
        self.assertAlmostEqual(board.believed.brix, 100 * 13.5 / (30 - 0.2 * 55), delta=0.6)
        self.assertEqual(board.questions, [])

    def test_what_went_is_followed_and_what_came_is_asked_about(self) -> None:
        code = self.boil((40, -10.0))
        board = boards.board(self.db, code, NOON + 60 * MINUTE)
        gone = 30 - 0.2 * 25
        brix = 13.5 / gone * (gone - 10) / (gone - 10 - 0.2 * 20) * 100
        self.assertAlmostEqual(board.believed.brix, brix, delta=1.2)
        self.assertIn("10.00\u00a0kg less", self.asked(code, 60)["taken_out"])

    def test_what_came_at_once_ends_what_it_says_until_somebody_says_what_it_was(self) -> None:
        code = self.boil((40, 5.0))
        self.assertIn("5.00\u00a0kg more", self.asked(code, 50)["put_in"])
        board = boards.board(self.db, code, NOON + 50 * MINUTE)
        # Who knows what it was types its Brix alone.
        (known,) = [reply.href for one in board.questions for reply in one.replies if reply.href]
        client = TestClient(create_app(Settings(database=self.path, clock=lambda: NOON + 50 * MINUTE)))
        page = client.get(known.partition("#")[0], headers={"host": "127.0.0.1"}).text
        self.assertIn('value="5.00\u00a0kg"', page)
        self.assertLess(max(r.at for w in board.evidence.words for r in [w.reading]), NOON + 40 * MINUTE)
        self.put(code, "added", 40, mass="5 kg", brix="20", temperature="60 C")
        self.assertNotIn("put_in", self.asked(code, 70))
        board = boards.board(self.db, code, NOON + 70 * MINUTE)
        self.assertAlmostEqual(board.believed.brix, 100 * 14.5 / (35 - 0.2 * 55), delta=0.8)

    def test_the_fire_that_went_out_is_asked_about(self) -> None:
        code = self.boil(*((minute, 0.2) for minute in range(50, 70)))
        self.assertEqual(list(self.asked(code, 69)), ["heat_off"])

    def test_a_jar_by_its_weight(self) -> None:
        code = self.take_in(brix="66.9", brix_confirmed="1")
        self.assertEqual(fills(self.context(code, 1), [500.0], 100.0), [])
        self.put(code, "draw", 2, mass="29 kg", mass_confirmed="1", draw_confirmed="1", kind_confirmed="1")
        after = self.context(code, 90)
        for shown, full, over in ((0.0, False, False), (660.0, True, False), (700.0, True, True)):
            (one,) = fills(after, [500.0], shown)
            self.assertAlmostEqual(one.full_g, 664, delta=4)
            self.assertAlmostEqual(one.to_go_g, one.full_g - shown)
            self.assertEqual((one.is_full, one.is_over), (full, over))

    def context(self, code: str, minutes: float) -> BatchContext:
        batch = record.batch_by(self.db, code=code)
        return contexts.of(self.db, batch, NOON + minutes * MINUTE)

    def test_a_scale_that_was_never_under_it_says_nothing(self) -> None:
        code = self.take_in()
        scale = Instrument(
            id="scale-0001",
            name="Scale",
            detail=ScaleDetail(),
            vessel_id="finisher-2",
            registered_at=NOON - MINUTE,
        )
        add_instrument(self.db, scale)
        samples_store.add_samples(self.db, scale.id, [Sample(NOON + i * MINUTE, 4.0) for i in range(30)])
        self.assertEqual(boards.board(self.db, code, NOON + 30 * MINUTE).evidence.words, [])


class OnAScale(unittest.TestCase):
    """In the second world, by equations that are not the scale's reader's own."""

    def test_what_nobody_writes_down_is_asked_by_its_name_and_the_draw_is_right(self) -> None:
        for seed, scene, question in (
            (9101, "part_taken", "taken_out"),
            (9102, "topped_up", "put_in"),
            (9103, "fire_out", "heat_off"),
        ):
            with self.subTest(scene):
                boil = weighed.played(seed, scene)
                self.assertLess(boil.asked_at[question] - boil.happened_at, 8)
                self.assertEqual(set(boil.asked_at) & {"taken_out", "put_in", "heat_off"}, {question})
                self.assertAlmostEqual(boil.drawn_brix, 66.9, delta=1.2)


class Typed(unittest.TestCase):
    def test_a_weight_by_two_weighings(self) -> None:
        for text, kind, value in (
            ("15.42 kg − 3.1 kg", "mass", 12.32),
            ("0.122 kg - 0.31 kg", "mass", 0.188),
            ("31 lb - 2 lb 8 oz", "mass", 12.9273825),
            ("664 g – 12 g", "piece", 652.0),
        ):
            self.assertAlmostEqual(parse(text, kind).value, value, places=5, msg=text)
        for text in ("5 kg - 2 kg - 1 kg", "5 kg - ", "5 - 2 C"):
            with self.assertRaises(OutOfRange, msg=text):
                parse(text, "mass")
        with self.assertRaises(OutOfRange):
            parse("101 C - 99 C", "temperature")
