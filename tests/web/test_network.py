"""What the network may and may not: the table of addresses, and the usual mistakes."""

import asyncio
import ipaddress
import itertools
import re
import socket
import ssl
import tempfile
import unittest
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from unittest import mock

from cryptography import x509
from fastapi import APIRouter, FastAPI
from starlette.responses import PlainTextResponse

from lumbrel.services.access import tries
from lumbrel.services.access.certificates import LEAF
from lumbrel.services.access.roles import FINISHER, LOOKER, OWNER, RANK
from lumbrel.services.stations import CALCULATIONS
from lumbrel.store.access import Device
from lumbrel.web.shell import gate, who_may
from lumbrel.web.shell.caller import HERE, MACHINE, PUBLIC, STRANGER, Caller
from lumbrel.web.shell.network import CannotOpen, Network, Opening
from lumbrel.web.shell.room import RoomRoutes, least
from lumbrel.web.shell.settings import Access
from lumbrel.web.shell.who_may import NOBODY, address_of, addresses
from tests.support.devices import ADDRESS, NAME, NOW, PASSPHRASE, OpenKitchen, token_of
from tests.support.hosts import free_port
from tests.support.kitchen import season_copy

METHODS = ("GET", "POST", "PUT", "PATCH", "DELETE")
FORBIDDEN = (401, 403)


def example(address: str) -> str:
    """A path of an address."""
    return re.sub(r"\{[^}]+\}", "x9", address)


class Networked(unittest.TestCase):
    """A kitchen open to its network, with the demonstration's record."""

    def setUp(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.kitchen = OpenKitchen(folder, season_copy(folder))
        self.addCleanup(self.kitchen.keeper.close)


class TestTable(Networked):
    def test_who_looks_reads_and_who_finishes_writes_but_for_these(self) -> None:
        """What is not the owner's, the machine's or everybody's is held here, so that none is by mistake."""
        plain = {(LOOKER, ""), ("", FINISHER), (LOOKER, FINISHER)}
        others: dict[tuple[str, str], set[str]] = {}
        for one in addresses():
            if (one.reads, one.writes) not in plain and one.path not in self.computed:
                others.setdefault((one.reads, one.writes), set()).add(one.path)
        network, instrument = "/kitchen/network", "/kitchen/instrument/{key}"
        plugged = "/kitchen/sources"
        self.assertEqual(
            others,
            {
                (PUBLIC, ""): {
                    "/static/{path:path}",
                    "/manifest.webmanifest",
                    "/sw.js",
                    "/trust",
                    "/trust/authority.crt",
                    "/trust/authority.pem",
                    "/calendar.ics",
                    "/metrics",
                },
                (PUBLIC, PUBLIC): {"/enter"},
                ("", PUBLIC): {"/enter/passphrase", "/language", "/api/probes/samples"},
                ("", LOOKER): {"/leave", "/initials", "/practice/leave"},
                (LOOKER, LOOKER): {"/api/{path:path}"},
                (OWNER, ""): {
                    network,
                    "/kitchen/logbook.json",
                    "/kitchen/logbook.zip",
                    "/kitchen/errand/{key}",
                    plugged,
                    f"{plugged}/near",
                },
                ("", OWNER): {
                    "/kitchen/setup",
                    "/kitchen/units/{preset}",
                    "/kitchen/example",
                    "/kitchen/add/{what}",
                    "/kitchen/errand/{key}/stop",
                    f"{instrument}/change",
                    f"{instrument}/token",
                    f"{network}/pair",
                    f"{network}/device/{{key}}",
                    f"{network}/device/{{key}}/out",
                    *(f"{plugged}/{done}" for done in ("use", "leave", "pretend", "at/{sort}")),
                    "/kitchen/told/key",
                },
                (OWNER, OWNER): {"/kitchen/told"},
                (LOOKER, OWNER): {
                    "/kitchen",
                    "/kitchen/alarms",
                    "/kitchen/vessel/{key}",
                    "/kitchen/methods",
                    "/sap/rule",
                },
                ("", MACHINE): {
                    "/kitchen/elsewhere",
                    *(f"{network}/{done}" for done in ("open", "close", "passphrase")),
                },
            },
        )
        self.assertEqual(
            {(one.reads, one.writes) for one in addresses() if one.path in self.computed},
            {("", LOOKER)},
        )

    computed = {f"/api/{calculation.name}" for calculation in CALCULATIONS}

    def test_calendar_and_figures_want_their_key_from_the_network(self) -> None:
        stranger, here = self.kitchen.device(), self.kitchen.here
        for path in ("/calendar.ics", "/metrics"):
            self.assertEqual(here.get(path).status_code, 200, path)
            for wrong in ("", "?key=", "?key=x"):
                self.assertEqual(stranger.get(path + wrong).status_code, 404, path + wrong)
        here.post("/kitchen/told/key")
        key = re.search(r"metrics\?key=([\w-]+)", here.get("/kitchen/told").text)[1]
        figures = stranger.get("/metrics", headers={"authorization": f"Bearer {key}"})
        self.assertIn('lumbrel_vessel_brix{batch="26-058",vessel="Finisher 1"}', figures.text)
        self.assertTrue(figures.text.endswith("# EOF\n"))
        self.assertIn("BEGIN:VEVENT", stranger.get(f"/calendar.ics?key={key}").text)
        here.post("/kitchen/told/key")
        self.assertEqual(stranger.get(f"/metrics?key={key}").status_code, 404)

    def test_a_route_that_says_no_role_is_nobodys(self) -> None:
        app, bare, room = FastAPI(), APIRouter(), RoomRoutes()
        bare.get("/bare")(lambda: None)
        room.get("/seen")(lambda: None)
        room.post("/owned")(least(OWNER)(lambda: None))
        for router in (bare, room):
            app.include_router(router)
        self.addCleanup(who_may.know, self.kitchen.app)
        who_may.know(app)
        asked = {
            path: address_of(way, path)[1]
            for way, path in (
                ("GET", "/bare"),
                ("GET", "/seen"),
                ("POST", "/seen"),
                ("POST", "/owned"),
            )
        }
        self.assertEqual(asked, {"/bare": NOBODY, "/seen": NOBODY, "/owned": OWNER})
        self.assertEqual(address_of("GET", "/seen")[1], LOOKER)

    def test_a_path_is_of_the_address_that_the_application_takes_it_for(self) -> None:
        for one in addresses():
            for method, role in (("GET", one.reads), ("HEAD", one.reads), ("POST", one.writes)):
                if role and one.path != "/api/{path:path}":
                    self.assertEqual(address_of(method, example(one.path)), (one.path, role))
        for path in ("/kitchen/", "//kitchen", "/KITCHEN", "/kitchen/network/", "/nothing"):
            self.assertEqual(address_of("POST", path)[1], NOBODY, path)

    def test_each_role_is_allowed_what_the_table_says_and_nothing_else(self) -> None:
        """Every address, method and role, asked at the gate in front of an application that would
        answer anything."""

        async def anything(scope: Any, receive: Any, send: Any) -> None:
            answers.append("within")

        def refused(request: Any, status: int, sentence: str) -> PlainTextResponse:
            return PlainTextResponse(sentence, status)

        async def receive() -> dict[str, Any]:
            return {"type": "http.request", "body": b"", "more_body": False}

        async def send(message: dict[str, Any]) -> None:
            if message["type"] == "http.response.start":
                answers.append(message["status"])

        answers: list[object] = []
        loop = asyncio.new_event_loop()
        self.addCleanup(loop.close)
        keeper = mock.Mock()
        inner = gate.Gate(anything, refused)
        door = gate.Door(app=inner, doorkeeper=keeper, hosts=lambda: {ADDRESS}, sealed=True)
        allowed = {LOOKER: 1, FINISHER: 2, OWNER: 3, MACHINE: 4}
        headers = [(b"host", ADDRESS.encode()), (b"cookie", f"{gate.SEALED_COOKIE}=x".encode())]
        for role, one, method in itertools.product(
            ("", LOOKER, FINISHER, OWNER, MACHINE), addresses(), METHODS
        ):
            address, wants = one.path, one.reads if method == "GET" else one.writes
            if not wants and address.startswith("/api/") and method != "GET":
                wants = LOOKER  # what else there is under /api/, which is nothing
            keeper.device_of.return_value = _device(role) if role in RANK else None
            scope = {
                "type": "http",
                "method": method,
                "path": example(address),
                "query_string": b"",
                "headers": headers,
            }
            answers.clear()
            loop.run_until_complete((inner if role == MACHINE else door)(scope, receive, send))
            if role == MACHINE or wants == PUBLIC:
                wanted = True
            elif not wants:
                wanted = method == "GET" and role in RANK  # the application says: not this way
            else:
                wanted = allowed.get(role, 0) >= allowed[wants]
            said = f"{role or 'a stranger'}: {method} {address}"
            self.assertEqual(answers == ["within"], wanted, said)
            if not wanted:
                self.assertIn(answers[0], (303, 401, 403), said)

    def test_every_write_of_a_page_wants_the_devices_token(self) -> None:
        owner = self.kitchen.let_in(OWNER)
        wants = [one.path for one in addresses() if one.writes not in ("", PUBLIC, MACHINE)]
        for address in (a for a in wants if not a.startswith("/api/")):
            answer = owner.post(example(address), data={"note": "typed"})
            self.assertEqual(answer.status_code, 403, address)
            self.assertIn("Open the page anew", answer.text)
            self.assertIn("typed", answer.text)
        token = token_of(owner)
        for wrong in ("0" * 32, "", token[:-1], token.upper(), "\N{SNOWMAN}"):
            answer = owner.post("/kitchen", data={"name": "typed", "token": wrong})
            self.assertEqual(answer.status_code, 403, wrong)

    def test_who_may_not_is_not_shown_the_form(self) -> None:
        shown = {role: self.kitchen.let_in(role).get("/kitchen").text for role in (LOOKER, OWNER)}
        form = re.compile(r'<form[^>]*action="/kitchen\?')
        for role, hidden in ((LOOKER, True), (OWNER, False)):
            found = form.search(shown[role])
            assert found
            self.assertEqual("hidden inert" in found[0], hidden, role)
            self.assertEqual("is set on an owner’s device" in shown[role], hidden, role)


def _device(role: str) -> Device:
    return Device(id="x", name="x", initials="", role=role, paired_at=NOW, seen_at=NOW, seen_from="")


class TestCallers(unittest.TestCase):
    def test_what_a_caller_may(self) -> None:
        owner = Caller(device=_device(OWNER))
        self.assertTrue(HERE.may(MACHINE) and owner.may(OWNER) and STRANGER.may(PUBLIC))
        self.assertFalse(owner.may(MACHINE) or STRANGER.may(LOOKER) or owner.may(NOBODY))


class TestUsualMistakes(Networked):
    """A scan of what is usually got wrong."""

    def test_a_stranger_sees_nothing_of_the_record(self) -> None:
        stranger = self.kitchen.device()
        for path in (
            "/",
            "/pan",
            "/shelf",
            "/static/0.0.0/none.css",
            "/kitchen/logbook.json",
            "/zzz",
        ):
            answer = stranger.get(path)
            self.assertIn(answer.status_code, (303, 404), path)
            self.assertNotIn("Cinderpool", answer.text, path)
            self.assertNotIn('class="station', answer.text, path)
        self.assertEqual(stranger.get("/pan?x=1").headers["location"], "/enter?to=/pan%3Fx%3D1")
        for path in ("/api/accounts", "/healthz", "/live"):
            self.assertEqual(stranger.get(path).status_code, 401, path)
        for path in ("/enter", "/trust"):
            self.assertNotIn("Cinderpool", stranger.get(path).text)

    def test_a_session_cannot_be_fixed_forged_or_doubled(self) -> None:
        code = self.kitchen.keeper.offer(FINISHER, datetime.now(UTC)).code
        client = self.kitchen.device()
        client.cookies.set(gate.SEALED_COOKIE, "chosen-by-somebody-else", domain=ADDRESS)
        answer = client.post("/enter", data={"code": code, "name": "phone"})
        cookie = answer.headers["set-cookie"]
        self.assertNotIn("chosen-by", cookie)
        for word in ("__Host-", "HttpOnly", "Secure", "SameSite=strict", "Path=/"):
            self.assertIn(word, cookie)
        self.assertNotIn("Domain", cookie)
        secret = cookie.partition("=")[2].partition(";")[0]
        self.assertGreaterEqual(len(secret), 43)
        for sent in (
            "chosen-by-somebody-else",
            secret[:-1],
            "x" * 5000,
            f"{secret}; {gate.SEALED_COOKIE}=x",
            f"x; {gate.PLAIN_COOKIE}={secret}",
            "",
        ):
            headers = {"cookie": f"{gate.SEALED_COOKIE}={sent}"}
            answer = self.kitchen.device().get("/", headers=headers)
            self.assertEqual(answer.status_code, 303, sent[:60])
        headers = {"cookie": f"{gate.SEALED_COOKIE}={secret}"}
        self.assertEqual(self.kitchen.device().get("/", headers=headers).status_code, 200)
        on = self.kitchen.device().get("/enter?to=/pan", headers=headers)
        self.assertEqual((on.status_code, on.headers["location"]), (303, "/pan"))

    def test_a_used_code_is_refused_with_a_sentence_and_what_was_typed(self) -> None:
        code = self.kitchen.keeper.offer(LOOKER, datetime.now(UTC)).code
        sent = {"code": code, "name": "wall", "initials": "QZ"}
        self.assertEqual(self.kitchen.device().post("/enter", data=sent).status_code, 303)
        again = self.kitchen.device("192.168.7.31").post("/enter", data=sent)
        self.assertEqual(again.status_code, 422)
        self.assertIn("used already", again.text)
        self.assertIn("QZ", again.text)

    def test_brute_force_waits_and_the_passphrase_is_never_shown_again(self) -> None:
        # So long that no busy machine is slower.
        self.enterContext(mock.patch.object(tries, "FIRST_WAIT_SECONDS", 600.0))
        self.kitchen.keeper.choose_passphrase(PASSPHRASE, PASSPHRASE, NOW)
        client = self.kitchen.device()
        sent = {"passphrase": "hunter two three", "name": "x"}
        answers = [client.post("/enter/passphrase", data=sent) for _ in range(5)]
        self.assertEqual([a.status_code for a in answers], [422, 422, 422, 429, 429])
        self.assertIn("retry-after", answers[-1].headers)
        self.assertFalse(any("hunter" in a.text for a in answers))
        right = client.post("/enter/passphrase", data={**sent, "passphrase": PASSPHRASE})
        self.assertEqual(right.status_code, 429)

    def test_other_sites_and_other_pages_of_this_site_write_nothing(self) -> None:
        finisher = self.kitchen.let_in(FINISHER)
        token = token_of(finisher, "/")
        home, away = f"https://{ADDRESS}", "https://evil.example"
        for headers in (
            {"sec-fetch-site": "cross-site"},
            {"sec-fetch-site": "same-site", "origin": f"https://{NAME}"},
            {"origin": away},
            {"origin": f"{home}:9999"},
            {"origin": "null"},
        ):
            sent = finisher.post("/practice/start", data={"token": token}, headers=headers)
            self.assertEqual(sent.status_code, 403, headers)
        headers = {"origin": home, "sec-fetch-site": "same-origin"}
        sent = finisher.post("/leave", data={"token": token}, headers=headers)
        self.assertEqual(sent.status_code, 303)
        self.assertEqual(finisher.get("/").status_code, 303)

    def test_it_answers_to_its_own_names_only(self) -> None:
        owner = self.kitchen.let_in(OWNER)
        for host in (
            "evil.example",
            "127.0.0.1",
            "localhost",
            f"{ADDRESS}.evil.example",
            "",
            "[::1]",
        ):
            answer = owner.get("/", headers={"host": host})
            self.assertEqual(answer.status_code, 400, host)
        for host in (f"{ADDRESS}:8443", NAME.upper(), f"{NAME}:8443"):
            self.assertIn(owner.get("/enter", headers={"host": host}).status_code, (200, 303), host)
        self.assertEqual(self.kitchen.here.get("/", headers={"host": ADDRESS}).status_code, 400)

    def test_no_header_makes_a_stranger_the_machine_itself(self) -> None:
        stranger = self.kitchen.device("127.0.0.1")
        for headers in (
            {"x-forwarded-for": "127.0.0.1"},
            {"x-real-ip": "127.0.0.1", "forwarded": "for=127.0.0.1;proto=https"},
            {"x-original-url": "/static/x", "x-rewrite-url": "/static/x"},
            {"x-http-method-override": "GET"},
        ):
            answer = stranger.post("/kitchen/network/open", headers=headers)
            self.assertIn(answer.status_code, FORBIDDEN, headers)
        through = self.kitchen.here.get("/", headers={"x-forwarded-for": "192.168.7.50"})
        self.assertEqual(through.status_code, 403)
        self.assertIn("--proxied", through.text)

    def test_paths_and_headers_cannot_be_bent(self) -> None:
        stranger, looker = self.kitchen.device(), self.kitchen.let_in(LOOKER)
        for path in (
            "/static/../kitchen",
            "/static/%2e%2e/kitchen",
            "/static/..%2fkitchen/logbook.json",
            "/enter/../kitchen",
            "/enter%2f..%2fkitchen",
            "/enter;/kitchen",
            "/trust/../../access/authority.key",
            "/static/0.9.0/..%2f..%2f..%2faccess%2fauthority.key",
        ):
            answer = stranger.get(path)
            self.assertIn(answer.status_code, (303, 400, 401, 404), path)
            self.assertNotIn("PRIVATE KEY", answer.text)
            self.assertNotIn("Cinderpool", answer.text)
        self.assertIn(looker.get("/kitchen/logbook.json/").status_code, (307, 404))
        for to in (
            "//evil.example",
            "https://evil.example",
            "/\\evil",
            "/x\r\nset-cookie: a=b",
            "javascript:1",
        ):
            code = self.kitchen.keeper.offer(LOOKER, datetime.now(UTC)).code
            sent = {"code": code, "name": "x", "to": to}
            answer = self.kitchen.device().post("/enter", data=sent)
            self.assertEqual((answer.status_code, answer.headers["location"]), (303, "/"), to)

    def test_what_a_device_that_was_put_out_types_is_shown_to_be_copied(self) -> None:
        finisher = self.kitchen.let_in(FINISHER)
        token = token_of(finisher, "/")
        device = self.kitchen.keeper.devices()[0]
        self.kitchen.keeper.put_out(device.id, datetime.now(UTC))
        sent = {"reading": "66.5", "token": token, "id": "a" * 12}
        headers = {"sec-fetch-mode": "navigate", "sec-fetch-site": "same-origin"}
        answer = finisher.post("/pan/26-058/slip/hydrometer", data=sent, headers=headers)
        self.assertEqual(answer.status_code, 401)
        self.assertIn("66.5", answer.text)
        self.assertIn("to be copied", answer.text)
        self.assertNotIn(token, answer.text)

    def test_behind_a_proxy_it_is_called_by_the_proxys_name_and_asks_all_who_they_are(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        behind = OpenKitchen(folder, season_copy(folder), sealed=False, proxied="syrup.example")
        self.addCleanup(behind.keeper.close)
        owner = behind.let_in(OWNER)
        self.assertEqual(owner.get("/").status_code, 200)
        self.assertEqual(behind.keeper.devices()[0].seen_from, "192.168.7.30")
        stranger = behind.device("127.0.0.1")
        self.assertEqual(stranger.get("/", headers={"x-forwarded-for": "127.0.0.1"}).status_code, 303)
        self.assertEqual(stranger.get("/", headers={"host": ADDRESS}).status_code, 400)

    def test_the_devices_page_is_the_owners_and_opening_is_the_machines(self) -> None:
        owner = self.kitchen.let_in(OWNER, "AB")
        token = token_of(owner)
        self.assertEqual(self.kitchen.let_in(FINISHER).get("/kitchen/network").status_code, 403)
        for act in ("open", "close", "passphrase"):
            sent = owner.post(f"/kitchen/network/{act}", data={"token": token})
            self.assertEqual(sent.status_code, 403, act)
            self.assertIn("at the machine itself", sent.text)
        shown = owner.post("/kitchen/network/pair", data={"token": token, "role": LOOKER})
        code = re.search(r'code-letters">([^<]+)<', shown.text)
        assert code
        self.assertIn("<svg", shown.text)
        paired = self.kitchen.device().post("/enter", data={"code": code[1], "name": "wall"})
        self.assertEqual(paired.status_code, 303)
        newest = max(self.kitchen.keeper.devices(), key=lambda d: d.paired_at)
        out = owner.post(f"/kitchen/network/device/{newest.id}/out", data={"token": token})
        self.assertEqual(out.status_code, 303)
        self.assertIn("removed", owner.get("/kitchen/network").text)

    def test_it_stays_closed_without_a_passphrase(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        closed = OpenKitchen(folder, season_copy(folder))
        self.addCleanup(closed.keeper.close)
        closed.network.opening.is_open = False
        opened = closed.here.post("/kitchen/network/open")
        self.assertEqual(opened.status_code, 422)
        self.assertIn("Choose a passphrase first", opened.text)
        short = closed.here.post("/kitchen/network/passphrase", data={"passphrase": "abc", "again": "abc"})
        self.assertEqual(short.status_code, 422)
        self.assertIn("at least 10 characters; this has 3", short.text)


class TestOpening(unittest.TestCase):
    """Opening and closing, with real sockets on loopback."""

    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.announced = self.enterContext(
            mock.patch("lumbrel.web.shell.network.Announcement.tell", mock.AsyncMock())
        )

    def network(self, **how: Any) -> Network:
        """A kitchen's door that would open on loopback; within, whoever comes is answered "within"."""
        access = Access(folder=self.folder / "access", **{"host": "127.0.0.1", **how})
        made = Network(PlainTextResponse("within"), access)
        self.addCleanup(made.doorkeeper.close)
        made.doorkeeper.choose_passphrase(PASSPHRASE, PASSPHRASE, NOW)
        return made

    def test_a_port_that_is_taken_is_said_and_what_is_served_here_goes_on(self) -> None:
        with socket.socket() as held:
            held.bind(("127.0.0.1", 0))
            held.listen()
            port = held.getsockname()[1]
            network = self.network(port=port, lan=True)
            asyncio.run(network.resume())
        self.assertFalse(network.opening.is_open)
        self.assertRegex(network.opening.why_not, f"Port {port} .*--lan-port {port + 1}")

    def test_it_is_opened_and_closed_and_open_again_only_as_it_was_left(self) -> None:
        async def answered(port: int) -> str:
            trusting = ssl.create_default_context(cadata=network.authority().pem.decode())
            try:
                _, wire = await asyncio.open_connection("127.0.0.1", port, ssl=trusting)
            except OSError:
                return "nobody"
            wire.close()
            return "somebody"

        async def day() -> list[object]:
            await network.resume()
            seen: list[object] = [network.opening.is_open]
            await network.open()
            port = network.opening.port
            seen.append(await answered(port))
            await network.open()
            await network.close(keep=True)
            seen += [await answered(port), network.doorkeeper.left_open()]
            await network.resume()
            seen.append(await answered(port))
            await network.close()
            seen += [await answered(port), network.doorkeeper.left_open()]
            await network.close()
            return seen

        network = self.network(port=free_port())
        self.assertEqual(
            asyncio.run(day()),
            [False, "somebody", "nobody", (True, False), "somebody", "nobody", (False, False)],
        )

    def test_a_machine_whose_address_changes_is_called_and_certified_by_the_new_one(self) -> None:
        network = self.network(host="0.0.0.0")
        network._server = mock.Mock()
        network.opening = Opening(is_open=True, addresses=["192.168.7.2"], names=["lumbrel.local"])
        for own in (["192.168.9.9", "fd00::9"], []):
            with mock.patch("lumbrel.web.shell.network.found.addresses", lambda own=own: own):
                asyncio.run(network._look(["192.168.7.2"]))
            self.assertEqual(network.hosts(), {"192.168.9.9", "fd00::9", "lumbrel.local"})
        leaf = x509.load_pem_x509_certificate((self.folder / "access" / LEAF).read_bytes())
        names = leaf.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
        self.assertIn(x509.IPAddress(ipaddress.ip_address("192.168.9.9")), list(names))
        self.assertEqual(self.announced.call_args.args[0], ["192.168.9.9", "fd00::9"])
        self.assertEqual(network.opening.urls()[1], "https://[fd00::9]:0")

    def test_a_new_certificate_is_another_context_which_whoever_calls_next_is_given(self) -> None:
        async def names(port: int) -> list[str]:
            trusting = ssl.create_default_context(cadata=network.authority().pem.decode())
            _, wire = await asyncio.open_connection("127.0.0.1", port, ssl=trusting)
            leaf = wire.get_extra_info("ssl_object").getpeercert()
            wire.close()
            return [name for kind, name in leaf["subjectAltName"] if kind == "DNS"]

        async def day() -> tuple[list[str], list[str]]:
            await network.open()
            server = network._server
            assert server is not None
            before = await names(network.opening.port)
            serves = server.config.ssl
            network.opening.names = ["elsewhere.local"]
            await network._look(["127.0.0.1"])
            self.assertIsNot(server.config.ssl, serves, "it was changed while it may be in use")
            after = await names(network.opening.port)
            await network.close()
            return before, after

        network = self.network(port=free_port())
        before, after = asyncio.run(day())
        self.assertNotIn("elsewhere.local", before)
        self.assertIn("elsewhere.local", after)

    def test_where_there_is_no_network_it_says_so(self) -> None:
        network = self.network(host="0.0.0.0")
        with (
            mock.patch("lumbrel.web.shell.network.found.addresses", list),
            self.assertRaisesRegex(CannotOpen, "no network of its own"),
        ):
            asyncio.run(network.open())
