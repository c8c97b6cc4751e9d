"""The server: as uvicorn has it, but open streams are let go before it waits for them."""

import socket
from collections.abc import Callable

import uvicorn
from fastapi import FastAPI

from lumbrel.web.shell.doorway import LimitedServer, room_here


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
