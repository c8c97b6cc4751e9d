"""The zone of the machine: where a kitchen is until it says otherwise."""

import os
from pathlib import Path
from zoneinfo import ZoneInfo

LOCAL = Path("/etc/localtime")


def machine_zone() -> str:
    """The name of the machine's time zone; UTC when it has none that is known."""
    told = os.environ.get("TZ", "").lstrip(":")
    linked = str(LOCAL.resolve()) if LOCAL.exists() else ""
    for name in (told, linked.partition("zoneinfo/")[2]):
        try:
            if name and ZoneInfo(name):
                return name
        except (KeyError, ValueError, OSError):
            continue
    return "UTC"
