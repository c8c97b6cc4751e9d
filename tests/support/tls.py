"""What a TLS server takes and what it refuses, tried by its usual weaknesses. Standard library only: it
is run on another host."""

import contextlib
import socket
import ssl
import warnings
from typing import Any


def tried(address: str, port: int, authority: str) -> dict[str, Any]:
    """Each try by its name, and what came of it."""
    warnings.simplefilter("ignore")
    found: dict[str, Any] = {
        "trusted": _version(address, port, _trusting(authority), address),
        "by name": _version(address, port, _trusting(authority), "lumbrel.local"),
        "untrusted": _version(address, port, ssl.create_default_context(), address),
        "another name": _version(address, port, _trusting(authority), "other.local"),
        "plain HTTP": _plain(address, port),
    }
    for version in ("TLSv1", "TLSv1.1", "TLSv1.2"):
        only = _anything()
        only.minimum_version = only.maximum_version = ssl.TLSVersion[version.replace("v1.", "v1_")]
        found[version] = _taken(address, port, only)
    for name, ciphers in (
        ("RSA key exchange", "kRSA"),
        ("CBC", "ECDHE+AES+SHA384:ECDHE+AES+SHA256:ECDHE+AES+SHA"),
        ("no encryption", "eNULL"),
    ):
        weak = _anything()
        weak.maximum_version = ssl.TLSVersion.TLSv1_2
        weak.set_ciphers(f"{ciphers}:-AESGCM:-CHACHA20:@SECLEVEL=0")
        found[name] = _taken(address, port, weak)
    return found


def _trusting(authority: str) -> ssl.SSLContext:
    return ssl.create_default_context(cafile=authority)


def _anything() -> ssl.SSLContext:
    made = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    made.check_hostname, made.verify_mode = False, ssl.CERT_NONE
    made.set_ciphers("ALL:@SECLEVEL=0")
    return made


def _version(address: str, port: int, context: ssl.SSLContext, name: str) -> str:
    try:
        with (
            socket.create_connection((address, port), 5) as wire,
            context.wrap_socket(wire, server_hostname=name) as sealed,
        ):
            return sealed.version() or ""
    except ssl.SSLError:
        return "refused"


def _taken(address: str, port: int, context: ssl.SSLContext) -> str:
    return "refused" if _version(address, port, context, address) == "refused" else "taken"


def _plain(address: str, port: int) -> bytes:
    with socket.create_connection((address, port), 5) as wire:
        wire.sendall(b"GET / HTTP/1.1\r\nHost: x\r\n\r\n")
        with contextlib.suppress(OSError):
            return wire.recv(100)
    return b""
