"""Lines to copy for a small board that sends a probe's temperature, with this kitchen's own address."""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from string import Template
from urllib.parse import urlsplit

from lumbrel.words import _

BOARDS = Path(__file__).parent / "boards"
A_TOKEN = "THE-TOKEN"
"""Stands where the token goes once it is not shown any more."""


@dataclass(frozen=True)
class Sending:
    """What to copy, by what it is for."""

    fetch: str
    """Fetches the kitchen's certificate; empty where there is none to trust."""
    programs: tuple[tuple[str, str], ...]


def lines_for(url: str, token: str = "") -> Sending:
    """The lines for an address under which the network finds the kitchen."""
    at = urlsplit(url)
    sealed = at.scheme == "https"
    told = {"ADDRESS": url, "HOST": at.hostname, "PORT": at.port or 443, "TOKEN": token or A_TOKEN}
    programs = [(_("curl, to try it"), "curl"), (_("A board with Python"), "python")]
    if sealed:
        programs.append((_("A board with MicroPython"), "micropython"))
    written = [(title, _written(name, told)) for title, name in programs]
    if not sealed:
        written = [(title, _without_trust(text)) for title, text in written]
    return Sending(_written("fetch", told) if sealed else "", tuple(written))


def _written(name: str, told: Mapping[str, object]) -> str:
    text = (BOARDS / f"{name}.txt").read_text(encoding="utf-8")
    return Template(text).substitute(told).strip()


def _without_trust(text: str) -> str:
    """The same over a connection that is not encrypted: there is no certificate to trust."""
    trusts = ("import ssl", "TRUSTED =")
    kept = [line for line in text.splitlines() if not line.startswith(trusts)]
    plain = "\n".join(kept).replace(", context=TRUSTED", "")
    return plain.replace("--cacert lumbrel-kitchen.pem \\\n  ", "")
