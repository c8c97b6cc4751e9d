"""Calling as a device of the network does, without a network: through the door, past the gate."""

import re
from datetime import UTC, datetime
from pathlib import Path

from starlette.testclient import TestClient

from lumbrel.services.access.doorkeeper import Doorkeeper
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.network import Network, Opening
from lumbrel.web.shell.settings import Access, Settings
from tests.support.kitchen import NOON

ADDRESS, NAME = "192.168.7.2", "lumbrel.local"
PASSPHRASE = "four odd maple words"
NOW = datetime(2026, 3, 1, 12, tzinfo=UTC)


class OpenKitchen:
    """A kitchen that is open to its network, called without sockets."""

    def __init__(
        self,
        folder: Path,
        record: Path,
        *,
        sealed: bool = True,
        proxied: str = "",
        at: datetime = NOON,
    ) -> None:
        access = Access(folder=folder / "access", proxied=proxied)
        self.app = create_app(Settings(database=record, clock=lambda: at, access=access))
        network: Network = self.app.state.network
        network.opening = Opening(
            is_open=True,
            sealed=sealed,
            port=8443,
            addresses=[ADDRESS],
            names=[NAME],
            proxied=proxied,
        )
        self.network, self.sealed, self.proxied = network, sealed, proxied
        self.here = TestClient(self.app, base_url="http://127.0.0.1", follow_redirects=False)

    @property
    def keeper(self) -> Doorkeeper:
        """Who is let in."""
        return self.network.doorkeeper

    def device(self, origin: str = "192.168.7.30") -> TestClient:
        """A device that was not let in yet."""
        scheme = "https" if self.sealed or self.proxied else "http"
        return TestClient(
            self.network.door(sealed=self.sealed),
            base_url=f"{scheme}://{self.proxied or ADDRESS}",
            follow_redirects=False,
            client=("127.0.0.1" if self.proxied else origin, 40000),
            headers={"x-forwarded-for": f"198.51.100.9, {origin}"} if self.proxied else {},
        )

    def let_in(self, role: str, initials: str = "", name: str = "phone") -> TestClient:
        """A device that was let in by a code."""
        client = self.device()
        code = self.keeper.offer(role, datetime.now(UTC)).code
        answer = client.post("/enter", data={"code": code, "name": name, "initials": initials})
        assert answer.status_code == 303, answer.text
        return client


def token_of(client: TestClient, path: str = "/kitchen/network") -> str:
    """The token that a page gives its device."""
    found = re.search(r'data-token="([0-9a-f]*)"', client.get(path).text)
    assert found
    return found[1]
