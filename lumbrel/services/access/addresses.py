"""The names and addresses under which this machine is found in the kitchen's network."""

import ipaddress
import socket

import ifaddr

from lumbrel.services.access.certificates import is_own

FOUND_AS = "lumbrel.local"
ELSEWHERE = "198.51.100.1"
"""Of the addresses kept for examples: nobody's."""


def addresses() -> list[str]:
    """The machine's addresses in networks of one's own, loopback left out: first the one that it
    speaks to the rest of the network with, those of virtual machines and the like behind it."""
    found = []
    for adapter in ifaddr.get_adapters():
        for ip in adapter.ips:
            text = ip.ip if isinstance(ip.ip, str) else ip.ip[0]
            of = ipaddress.ip_address(text)
            # An address of this link only wants its adapter named, which no browser takes.
            if not (of.is_loopback or (of.version == 6 and of.is_link_local)) and is_own(text):
                found.append(text)
    outward = _outward()
    return sorted(set(found), key=lambda text: (text != outward, ":" in text, text))


def _outward() -> str:
    """The address that a packet to elsewhere would be sent from; none is sent."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as asks:
        try:
            asks.connect((ELSEWHERE, 9))
        except OSError:
            return ""
        return str(asks.getsockname()[0])


def names() -> list[str]:
    """The names it is found by where the network knows them."""
    own = socket.gethostname().lower().split(".")[0]
    plain = own if own.isascii() and own.replace("-", "").isalnum() else ""
    return [FOUND_AS, *([f"{plain}.local"] if plain and plain != "lumbrel" else [])]
