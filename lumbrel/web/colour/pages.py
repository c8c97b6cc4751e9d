"""Colour: who waits, and what class it is."""

from lumbrel.services.colour.classes import CLASSES
from lumbrel.services.colour.station import STATION
from lumbrel.web.shell.station import station_routes

router = station_routes(STATION, "to grade", lambda visit, code: {"classes": CLASSES})
