"""Every address, with the least role that may read it and that may write to it, as the routes themselves say.

A route that says none is nobody's from the network.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from fastapi import FastAPI
from starlette.routing import Mount, compile_path

from lumbrel.services.access.roles import LOOKER
from lumbrel.web.shell.caller import PUBLIC
from lumbrel.web.shell.room import READS, least_of

NOBODY = "nobody"


@dataclass
class Address:
    """An address: who may read it, and who may write to it; empty where it is not read or written at all."""

    path: str
    reads: str = ""
    writes: str = ""


_KNOWN: dict[str, Address] = {}


def know(app: FastAPI) -> None:
    """Learn the addresses of the application."""
    found: dict[str, Address] = {}
    for path, methods, role in _routes(app.routes):
        own = found.setdefault(path, Address(path))
        if methods & READS:
            own.reads = role
        if methods - READS:
            own.writes = role
    _KNOWN.clear()
    _KNOWN.update(found)
    address_of.cache_clear()
    _compiled.cache_clear()


def addresses() -> list[Address]:
    """All addresses, in the order in which a path is looked for."""
    return list(_KNOWN.values())


def _routes(routes: Iterable[Any]) -> Iterator[tuple[str, set[str], str]]:
    """Every route, those of routers in routers too: its path, methods, and least role."""
    for route in routes:
        if isinstance(route, Mount):
            # What is shipped with the application, of whatever version.
            yield f"{route.path.rpartition('/')[0]}/{{path:path}}", {"GET"}, PUBLIC
        elif hasattr(route, "original_router"):
            yield from _routes(route.original_router.routes)
        else:
            # What FastAPI adds by itself describes the API.
            own = least_of(route.endpoint) or (LOOKER if not hasattr(route, "dependant") else "")
            yield route.path, set(route.methods), own


@lru_cache(1)
def _compiled() -> list[tuple[Any, Address]]:
    return [(compile_path(one.path)[0], one) for one in addresses()]


@lru_cache(2000)
def address_of(method: str, path: str) -> tuple[str, str]:
    """The address that a path is of, and the least role for this method.

    Returns:
        "" and `NOBODY` where there is none.
    """
    known = ""
    for pattern, address in _compiled():
        if pattern.match(path):
            role = address.reads if method in READS else address.writes
            if role:
                return address.path, role
            known = known or address.path
    return known, NOBODY


def least_role(method: str, path: str) -> str:
    """The least role that a request asks for."""
    return address_of(method, path)[1]
