"""Being found as lumbrel.local by multicast DNS, where the network allows it."""

import logging
import socket

from zeroconf import Error
from zeroconf.asyncio import AsyncServiceInfo, AsyncZeroconf

from lumbrel.services.access.addresses import FOUND_AS

LOG = logging.getLogger("lumbrel.access")


class Announcement:
    """Tells the network where Lumbrel is, until it is withdrawn."""

    def __init__(self) -> None:
        self._told: AsyncZeroconf | None = None
        self.heard = False
        """Whether the network took it; many guest networks do not."""

    async def tell(self, addresses: list[str], port: int, *, sealed: bool) -> None:
        """Announce the name for these addresses; a network that refuses is no reason to stop."""
        await self.withdraw()
        own = [text for text in addresses if ":" not in text]
        if not own:
            return
        kind = "_https._tcp.local." if sealed else "_http._tcp.local."
        info = AsyncServiceInfo(
            kind,
            f"Lumbrel.{kind}",
            port=port,
            server=f"{FOUND_AS}.",
            addresses=[socket.inet_aton(text) for text in own],
        )
        try:
            self._told = AsyncZeroconf(interfaces=own)
            await self._told.async_register_service(info, allow_name_change=True)
            self.heard = True
        except (TimeoutError, OSError, Error) as error:
            LOG.info("not announced as %s: %s", FOUND_AS, error)
            await self.withdraw()

    async def withdraw(self) -> None:
        """Take the name back."""
        told, self._told, self.heard = self._told, None, False
        if told is None:
            return
        try:
            await told.async_unregister_all_services()
            await told.async_close()
        except (TimeoutError, OSError, Error) as error:
            LOG.info("the announcement did not end in order: %s", error)
