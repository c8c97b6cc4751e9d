"""The servers: as uvicorn has them, but for who is taken in, and for how long."""

import asyncio
import socket
from collections.abc import Callable

import uvicorn
from fastapi import FastAPI

from lumbrel.web.shell.doorway import BACKLOG, Connection, Doorway, Room, room_here
from lumbrel.web.shell.patience import Patient


class LimitedServer(uvicorn.Server):
    """uvicorn's server, but for who is taken in.

    Args:
        config: what is served, and how; `timeout_keep_alive` is the idle time.
        room: how many are taken in.
    """

    def __init__(self, config: uvicorn.Config, room: Room) -> None:
        super().__init__(config)
        self._doorway = Doorway(room)
        self._taking_in: list[asyncio.Task[None]] = []

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        """Start, then take in whoever calls at the sockets."""
        for one in sockets or []:
            one.setblocking(False)
            one.listen(BACKLOG)
        await super().startup(sockets=[])
        if self.started:
            loop = asyncio.get_running_loop()
            self._taking_in = [
                loop.create_task(self._doorway.serve(one, self._protocol, lambda: self.config.ssl))
                for one in sockets or []
            ]

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        """Take nobody in any more, then shut down."""
        for task in self._taking_in:
            task.cancel()
        await asyncio.gather(*self._taking_in, return_exceptions=True)
        self._doorway.end()
        await super().shutdown(sockets)

    def _protocol(self, connection: Connection) -> asyncio.Protocol:
        return Patient(
            connection,
            self._doorway,
            config=self.config,
            server_state=self.server_state,
            app_state=self.lifespan.state,
        )


class Server(LimitedServer):
    """Ends every page's stream of news first, so that stopping takes no patience.

    Args:
        answers: called once it answers.
    """

    def __init__(
        self, app: FastAPI, config: uvicorn.Config, answers: Callable[[], None] = lambda: None
    ) -> None:
        super().__init__(config, room_here())
        self._app, self._answers = app, answers

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        """Start, then say so."""
        await super().startup(sockets)
        if self.started:
            self._answers()

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        """Let the streams go, then shut down."""
        for workspace in (self._app.state.workspace, self._app.state.practice):
            if workspace is not None:
                await workspace.hub.stop()
        await super().shutdown(sockets)
