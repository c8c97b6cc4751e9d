"""An address in the web that is told something: signed, by HTTP, and only where it may be."""

import base64
import hashlib
import hmac
import http.client
import ipaddress
import json
import socket
import ssl
from typing import Any
from urllib.parse import urlsplit

from lumbrel.words import _

TIMEOUT_S = 10.0
LONGEST = 400


class NotTold(OSError):
    """The address did not take it; the message says why."""


def parts_of(address: str) -> tuple[str, str, int, str]:
    """Scheme, host, port and path.

    Raises:
        ValueError: it is no address of the web; the message says what is.
    """
    parts = urlsplit(address)
    try:
        port = parts.port
    except ValueError:
        port = -1
    plain = address.isascii() and address.isprintable() and " " not in address
    if (
        parts.scheme not in ("http", "https")
        or not parts.hostname
        or parts.username
        or port == -1
        or not plain
    ):
        raise ValueError(_("Write the whole address, as https://example.org/ring, without a user in it."))
    path = (parts.path or "/") + (f"?{parts.query}" if parts.query else "")
    return parts.scheme, parts.hostname, port or (443 if parts.scheme == "https" else 80), path


def place_of(host: str, port: int, in_the_house: bool) -> str:
    """The number that a host has now.

    Args:
        in_the_house: whether it may be in this house's own network, or this machine.
    Raises:
        NotTold: it has none, or one where it may not be.
    """
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError) as error:
        raise NotTold(_("There is no {host}.", host=host)) from error
    numbers = [str(one[4][0]) for one in found]
    for number in numbers:
        at = ipaddress.ip_address(number.partition("%")[0])
        at = getattr(at, "ipv4_mapped", None) or at
        never = at.is_link_local or at.is_multicast or at.is_unspecified
        if never or not (at.is_global or in_the_house):
            raise NotTold(
                _("{host} is in this house’s own network, which it must be allowed to be.", host=host)
            )
    return numbers[0]


def signed(secret: str, key: str, second: int, body: bytes) -> str:
    """The signature of a message: HMAC-SHA256 of its key, its second and its body."""
    told = f"{key}.{second}.".encode() + body
    return "v1," + base64.b64encode(hmac.new(secret.encode(), told, hashlib.sha256).digest()).decode()


def tell(
    address: str, secret: str, told: dict[str, Any], *, key: str, second: int, in_the_house: bool
) -> None:
    """Tell it once; where it is sent on to another address nobody goes.

    Args:
        key: of the message: told twice, it has the same.
        second: now, in seconds since 1970.
    Raises:
        NotTold: it did not take it.
    """
    scheme, host, port, path = parts_of(address)
    number = place_of(host, port, in_the_house)
    body = json.dumps(told, ensure_ascii=False).encode()
    headers = {
        "content-type": "application/json",
        "user-agent": "lumbrel",
        "webhook-id": key,
        "webhook-timestamp": str(second),
        "webhook-signature": signed(secret, key, second, body),
    }
    connection = _Fixed(host, port, number, scheme == "https")
    try:
        connection.request("POST", path, body, headers)
        status = connection.getresponse().status
    except (OSError, http.client.HTTPException) as error:
        why = getattr(error, "strerror", None) or error or type(error).__name__
        raise NotTold(_("It does not answer: {why}.", why=why)) from error
    finally:
        connection.close()
    if not 200 <= status < 300:
        raise NotTold(_("It answered with {status}.", status=status))


class _Fixed(http.client.HTTPConnection):
    """To the number that was looked at, whatever the name is by then."""

    def __init__(self, host: str, port: int, number: str, sealed: bool) -> None:
        super().__init__(host, port, timeout=TIMEOUT_S)
        self._number, self._sealed = number, sealed

    def connect(self) -> None:
        """To that number; under TLS by the name."""
        self.sock = socket.create_connection((self._number, self.port), self.timeout)
        if self._sealed:
            self.sock = ssl.create_default_context().wrap_socket(self.sock, server_hostname=self.host)
