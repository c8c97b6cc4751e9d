"""Every address, with the least role that may read it and that may write to it.

An address that is not here is nobody's from the network; a test finds one that is missing.
"""

from functools import lru_cache

from starlette.routing import compile_path

from lumbrel.services.access.roles import FINISHER, LOOKER, OWNER
from lumbrel.web.shell.caller import MACHINE, PUBLIC

NOBODY = "nobody"
ADDRESSES: tuple[tuple[str, str, str], ...] = (
    # address, who may read, who may write; empty where it is not read or written at all
    ("/static/{path:path}", PUBLIC, ""),
    ("/manifest.webmanifest", PUBLIC, ""),
    ("/sw.js", PUBLIC, ""),
    ("/enter", PUBLIC, PUBLIC),
    ("/enter/passphrase", "", PUBLIC),
    ("/trust", PUBLIC, ""),
    ("/trust/authority.crt", PUBLIC, ""),
    ("/trust/authority.pem", PUBLIC, ""),
    ("/leave", "", LOOKER),
    ("/initials", "", LOOKER),
    ("/api/openapi.json", LOOKER, ""),
    ("/healthz", LOOKER, ""),
    ("/api/constant", LOOKER, ""),
    ("/api/docs", LOOKER, ""),
    ("/api/understood", LOOKER, ""),
    ("/api/finish-point/schools", "", LOOKER),
    ("/api/boiling-point", "", LOOKER),
    ("/api/finish-point", "", LOOKER),
    ("/api/thermometer/brix", "", LOOKER),
    ("/api/hydrometer/correct", "", LOOKER),
    ("/api/hydrometer/mark", "", LOOKER),
    ("/api/hydrometer/baume", "", LOOKER),
    ("/api/refractometer/correct", "", LOOKER),
    ("/api/agreement", "", LOOKER),
    ("/api/mass-balance", "", LOOKER),
    ("/api/finish-time", "", LOOKER),
    ("/api/vessel/depth", "", LOOKER),
    ("/api/colour/grade", "", LOOKER),
    ("/api/colour/blend", "", LOOKER),
    ("/api/jar/volume", "", LOOKER),
    ("/api/cooling", "", LOOKER),
    ("/api/confection", "", LOOKER),
    ("/api/sap/keeping", "", LOOKER),
    ("/api/sap/trunk", "", LOOKER),
    ("/api/sap/run", "", LOOKER),
    ("/api/sap/boil-down", "", LOOKER),
    ("/api/sap/continuous", "", LOOKER),
    ("/api/probes/samples", "", PUBLIC),  # asks for the probe's own token
    ("/api/trace/{code:path}", LOOKER, ""),
    ("/api/accounts", LOOKER, ""),
    ("/api/{path:path}", LOOKER, LOOKER),
    ("/", LOOKER, ""),
    ("/kitchen/setup", "", OWNER),
    ("/kitchen/units/{preset}", "", OWNER),
    ("/kitchen/example", "", OWNER),
    ("/kitchen", LOOKER, OWNER),
    ("/kitchen/logbook.json", OWNER, ""),
    ("/kitchen/logbook.zip", OWNER, ""),
    ("/kitchen/alarms", LOOKER, OWNER),
    ("/kitchen/vessel/{key}", LOOKER, OWNER),
    ("/kitchen/add/{what}", "", OWNER),
    ("/kitchen/instrument/{key}/change", "", OWNER),
    ("/kitchen/instrument/{key}", LOOKER, ""),
    ("/kitchen/instrument/{key}/ice", "", FINISHER),
    ("/kitchen/instrument/{key}/token", "", OWNER),
    ("/kitchen/instrument/{key}/check", "", FINISHER),
    ("/kitchen/instrument/{key}/card", LOOKER, ""),
    ("/kitchen/instrument/{key}/retire", "", FINISHER),
    ("/kitchen/instrument/{key}/take-up", "", FINISHER),
    ("/kitchen/methods", LOOKER, OWNER),
    ("/kitchen/schools", LOOKER, ""),
    ("/kitchen/network", OWNER, ""),
    ("/kitchen/network/open", "", MACHINE),
    ("/kitchen/network/close", "", MACHINE),
    ("/kitchen/network/passphrase", "", MACHINE),
    ("/kitchen/network/pair", "", OWNER),
    ("/kitchen/network/device/{key}", "", OWNER),
    ("/kitchen/network/device/{key}/out", "", OWNER),
    ("/working/methods/{code}", LOOKER, ""),
    ("/day", LOOKER, ""),
    ("/day/card", LOOKER, ""),
    ("/day/pressure", "", FINISHER),
    ("/day/test-boil", "", FINISHER),
    ("/sap", LOOKER, ""),
    ("/sap/gather", LOOKER, FINISHER),
    ("/sap/weather", LOOKER, FINISHER),
    ("/sap/tanks", "", FINISHER),
    ("/sap/tank/{tank}", LOOKER, FINISHER),
    ("/sap/strike/{line}", "", FINISHER),
    ("/sap/register/{what}/{key}", "", FINISHER),
    ("/sap/woodlot/{woodlot}", LOOKER, FINISHER),
    ("/sap/walk/{woodlot}", LOOKER, ""),
    ("/sap/tree/{tree}", LOOKER, FINISHER),
    ("/sap/gear", LOOKER, FINISHER),
    ("/sap/rule", LOOKER, OWNER),
    ("/sap/season", LOOKER, ""),
    ("/sap/season/{season}.csv", LOOKER, ""),
    ("/sap/season/{season}", LOOKER, ""),
    ("/sap/due.ics", LOOKER, ""),
    ("/sap/boil", LOOKER, FINISHER),
    ("/sap/fire/{code}", LOOKER, ""),
    ("/sap/fire/{code}/on", "", FINISHER),
    ("/sap/fire/{code}/{kind}", "", FINISHER),
    ("/take-in", LOOKER, FINISHER),
    ("/take-in/preview", "", FINISHER),
    ("/take-in/near/{code}", "", FINISHER),
    ("/take-in/{code}", LOOKER, ""),
    ("/pan", LOOKER, ""),
    ("/pan/{code}/pour", "", FINISHER),
    ("/pan/{code}", LOOKER, ""),
    ("/pan/{code}/board", LOOKER, ""),
    ("/pan/{code}/record", LOOKER, ""),
    ("/pan/{code}/cup", LOOKER, ""),
    ("/pan/{code}/series", LOOKER, ""),
    ("/pan/{code}/slip/{kind}", "", FINISHER),
    ("/pan/{code}/fire", "", FINISHER),
    ("/filter", LOOKER, ""),
    ("/filter/{code}", LOOKER, FINISHER),
    ("/filter/{code}/slip/{kind}", "", FINISHER),
    ("/colour", LOOKER, ""),
    ("/colour/{code}", LOOKER, FINISHER),
    ("/colour/{code}/slip/{kind}", "", FINISHER),
    ("/colour/{code}/blend", LOOKER, FINISHER),
    ("/colour/{code}/blend/said", LOOKER, ""),
    ("/colour/{code}/photo", "", FINISHER),
    ("/colour/{code}/example", "", FINISHER),
    ("/colour/{code}/photo/{name}", LOOKER, ""),
    ("/colour/{code}/meter", LOOKER, ""),
    ("/colour/{code}/photo/{name}/said", LOOKER, ""),
    ("/photographs/{name}.jpg", LOOKER, ""),
    ("/jar", LOOKER, ""),
    ("/jar/{code}", LOOKER, FINISHER),
    ("/jar/{code}/slip/{kind}", "", FINISHER),
    ("/jar/{code}/labels", LOOKER, FINISHER),
    ("/jar/{code}/labels/preview", LOOKER, ""),
    ("/jar/{code}/logo", "", FINISHER),
    ("/jar/{code}/labels.pdf", LOOKER, ""),
    ("/jar/{code}/labels.svg", LOOKER, ""),
    ("/jar/{code}/labels/print", LOOKER, ""),
    ("/jar/{code}/pour", "", FINISHER),
    ("/candy/cook/{code}", LOOKER, ""),
    ("/candy/cook/{code}/board", LOOKER, ""),
    ("/candy/cook/{code}/slip/{kind}", "", FINISHER),
    ("/candy", LOOKER, ""),
    ("/candy/cook", "", FINISHER),
    ("/candy/invert/{lot:path}", "", FINISHER),
    ("/candy/day", LOOKER, ""),
    ("/candy/day.ics", LOOKER, ""),
    ("/candy/map", LOOKER, ""),
    ("/shelf", LOOKER, ""),
    ("/trace/{code:path}", LOOKER, ""),
    ("/recall/{code:path}", LOOKER, ""),
    ("/accounts", LOOKER, ""),
    ("/accounts/{season}.xlsx", LOOKER, ""),
    ("/accounts/{season}.zip", LOOKER, ""),
    ("/accounts/{season}/{woodlot}", LOOKER, ""),
    ("/shelf/{lot:path}", LOOKER, FINISHER),
    ("/batch/{code}/correct/{entry_id}", LOOKER, FINISHER),
    ("/batch/{code}/strike/{entry_id}", "", FINISHER),
    ("/batch/{code}/slip", LOOKER, ""),
    ("/batch/{code}.csv", LOOKER, ""),
    ("/batch/{code}.json", LOOKER, ""),
    ("/working/day/{figure}", LOOKER, ""),
    ("/working/pan/{code}/{figure}", LOOKER, ""),
    ("/working/slip/{code}/{entry_id}", LOOKER, ""),
    ("/live", LOOKER, ""),
    ("/live/{code}", LOOKER, ""),
    ("/alarms/{alarm_id}/answer", "", FINISHER),
    ("/practice", LOOKER, ""),
    ("/practice/start", "", FINISHER),
    ("/practice/leave", "", LOOKER),
    ("/practice/speed/{times}", "", FINISHER),
    ("/practice/look/{at_what}", LOOKER, ""),
    ("/practice/debrief", LOOKER, ""),
    ("/help", LOOKER, ""),
    ("/help/{room}", LOOKER, ""),
    ("/wall", LOOKER, ""),
    ("/wall/board", LOOKER, ""),
)
_COMPILED = [(compile_path(path)[0], path, reads, writes) for path, reads, writes in ADDRESSES]
READS = ("GET", "HEAD")


@lru_cache(2000)
def address_of(method: str, path: str) -> tuple[str, str]:
    """The address that a path is of, as the table has it, and the least role for this method.

    Returns:
        "" and `NOBODY` where the table has none.
    """
    known = ""
    for pattern, address, reads, writes in _COMPILED:
        if pattern.match(path):
            least = reads if method in READS else writes
            if least:
                return address, least
            known = known or address
    return known, NOBODY


def least_role(method: str, path: str) -> str:
    """The least role that a request asks for."""
    return address_of(method, path)[1]
