"""The filter: who waits, and what was done."""

from lumbrel.services.filter.station import STATION
from lumbrel.web.shell.station import station_routes

router = station_routes(STATION, "to filter")
