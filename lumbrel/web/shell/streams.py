"""The streams of news that are open, by whose they are: a few for each device, and none for one that is
out."""

import asyncio
from collections import defaultdict

from lumbrel.web.shell.news import NOTHING_MORE, News

MOST_OF_A_DEVICE, MOST_HERE = 8, 64
HERE = ""
"""The machine itself."""
Queue = asyncio.Queue[News]


class Streams:
    """Ends the oldest of a device where one too many is opened, and all of one that is put out."""

    def __init__(self) -> None:
        self._open: dict[str, list[Queue]] = defaultdict(list)
        self._loop: asyncio.AbstractEventLoop | None = None

    def join(self, whose: str, queue: Queue) -> None:
        """One more is open."""
        self._loop = asyncio.get_running_loop()
        self._open[whose].append(queue)
        most = MOST_OF_A_DEVICE if whose else MOST_HERE
        for oldest in self._open[whose][:-most]:
            self._end(oldest)

    def leave(self, whose: str, queue: Queue) -> None:
        """One is open no more."""
        if queue in self._open[whose]:
            self._open[whose].remove(queue)
        if not self._open[whose]:
            del self._open[whose]

    def end(self, whose: str) -> None:
        """End all of a device, from any thread."""
        if self._loop and not self._loop.is_closed():
            for queue in list(self._open.get(whose, ())):
                self._loop.call_soon_threadsafe(self._end, queue)

    @staticmethod
    def _end(queue: Queue) -> None:
        if queue.full():
            queue.get_nowait()
        queue.put_nowait(NOTHING_MORE)
