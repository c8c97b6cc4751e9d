"""What a device may do."""

from lumbrel.words import _

LOOKER, FINISHER, OWNER = "looker", "finisher", "owner"
ROLES = {
    FINISHER: _("finisher: all stations, whatever is put on a slip"),
    LOOKER: _("viewer: reads, and shows the wall screen"),
    OWNER: _("owner: also settings, instruments, devices and the logbook"),
}
RANK = {LOOKER: 1, FINISHER: 2, OWNER: 3}


def may(role: str, least: str) -> bool:
    """Whether a role is allowed what asks for at least another; what asks for none that there is,
    nobody is."""
    return least in RANK and RANK.get(role, 0) >= RANK[least]
