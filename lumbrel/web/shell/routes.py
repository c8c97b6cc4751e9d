"""Every page, station by station as the registry has them, and the rooms beside the line."""

from importlib import import_module

from fastapi import APIRouter, Depends

from lumbrel.services.stations import STATIONS
from lumbrel.web.shell.request import typed_fields

ROOMS = (
    "kitchen.sources",
    "kitchen.told",
    "kitchen.pages",
    "bench.pages",
    "bench.weight",
    "methods.pages",
    *(f"{station.key}.pages" for station in STATIONS),
    "record.pages",
    "record.working",
    "record.lines",
    "pan.live",
    "practice.pages",
    "help.pages",
    "wall.pages",
    "access.pages",
    "access.installed",
)


def api_routes() -> APIRouter:
    """The routes of the JSON API."""
    router: APIRouter = import_module("lumbrel.web.api").router
    return router


def page_routes() -> APIRouter:
    """The routes of all pages, in the order they are tried."""
    # Whatever a page's route does with a form, a device's is looked at first.
    router = APIRouter(include_in_schema=False, dependencies=[Depends(typed_fields)])
    for room in ROOMS:
        router.include_router(import_module(f"lumbrel.web.{room}").router)
    return router
