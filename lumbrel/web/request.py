"""What a route needs of a request: a database connection, the time, the fields of a form."""

from collections.abc import Iterator
from datetime import datetime
from sqlite3 import Connection
from typing import Annotated

from fastapi import Depends, Request

from lumbrel.store.db import opened
from lumbrel.web.live import Hub
from lumbrel.web.worlds import world_of

MAX_FIELDS = 120


def _database(request: Request) -> Iterator[Connection]:
    with opened(world_of(request).settings.database) as db:
        yield db


def _now(request: Request) -> datetime:
    return world_of(request).settings.clock()


def hub_of(request: Request) -> Hub:
    """What tells open pages the news of this request's world."""
    return world_of(request).hub


async def _fields(request: Request) -> dict[str, str]:
    form = await request.form(max_files=0, max_fields=MAX_FIELDS)
    return {name: value for name, value in form.items() if isinstance(value, str)}


Db = Annotated[Connection, Depends(_database)]
Now = Annotated[datetime, Depends(_now)]
Fields = Annotated[dict[str, str], Depends(_fields)]
