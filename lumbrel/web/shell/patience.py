"""How long somebody may say nothing, or too little: HTTP as uvicorn speaks it, with an end to patience."""

import asyncio
from typing import Any

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol

from lumbrel.web.shell.doorway import CONNECTION, Connection, Doorway

FIRST_HEADER_SECONDS, WHOLE_HEAD_SECONDS, IDLE_SECONDS = 5.0, 10.0, 30.0
BODY_SECONDS, LEAST_BYTES_PER_SECOND = 10.0, 4096
"""A body may take so long, and longer by as much as has come of it."""


class Patient(H11Protocol):
    """HTTP as uvicorn speaks it, with an end to patience: for a head, and for a body that trickles."""

    def __init__(self, connection: Connection, doorway: Doorway, **uvicorns: Any) -> None:
        uvicorns["app_state"] = {**uvicorns["app_state"], CONNECTION: connection}
        super().__init__(**uvicorns)
        self._connection, self._doorway = connection, doorway
        self._waits: asyncio.TimerHandle | None = None
        self._began, self._came = 0.0, 0

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        """Whoever connects has something to say."""
        self._connection.transport = transport
        super().connection_made(transport)
        self._wait(FIRST_HEADER_SECONDS)

    def connection_lost(self, exc: Exception | None) -> None:
        """It ended, whoever ended it."""
        self._wait(None)
        self._doorway.left(self._connection)
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        """Take what comes, and look whether it is on time."""
        if self.conn.their_state is h11.IDLE and not self._came:
            self._began = self.loop.time()
            self._wait(WHOLE_HEAD_SECONDS)
        self._came += len(data)
        super().data_received(data)
        state = self.conn.their_state
        if state is h11.IDLE and self.conn.trailing_data[0]:
            return
        self._connection.is_answered = state is not h11.IDLE
        if state is h11.SEND_BODY:
            allowed = BODY_SECONDS + self._came / LEAST_BYTES_PER_SECOND
            self._wait(max(self._began + allowed - self.loop.time(), 0.0))
        else:
            self._came = 0
            self._wait(IDLE_SECONDS if state is h11.IDLE else None)

    def on_response_complete(self) -> None:
        """It was answered, and may go on."""
        self._connection.is_answered = False
        super().on_response_complete()

    def _wait(self, seconds: float | None) -> None:
        """End it in so many seconds; None: not for now."""
        if self._waits:
            self._waits.cancel()
            self._waits = None
        if seconds is not None:
            self._waits = self.loop.call_later(seconds, self._too_late)

    def _too_late(self) -> None:
        self._waits = None
        if self.transport is not None:
            self.transport.abort()
