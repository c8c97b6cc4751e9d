"""What `serve` and `demo` are told of the network: whether to open, and the passphrase it takes."""

import argparse
import getpass
import ipaddress
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from lumbrel.words import _

if TYPE_CHECKING:
    from lumbrel.web.shell.settings import Access

NO_PASSPHRASE = _(
    "Lumbrel leaves this machine only with a passphrase. Start it from a terminal, which "
    "asks for one, give --passphrase-file FILE, or choose it on the page under “Devices”."
)


def is_loopback(host: str) -> bool:
    """Whether a host is this machine only."""
    if host == "localhost":
        return True
    try:
        return ipaddress.ip_address(host.strip("[]")).is_loopback
    except ValueError:
        return False


def access_of(arguments: argparse.Namespace) -> "Access":
    """How the kitchen may be opened, as the command was told."""
    from lumbrel.web.shell.settings import Access

    elsewhere = not is_loopback(arguments.host)
    return Access(
        folder=arguments.data / "access",
        lan=arguments.lan or elsewhere or bool(arguments.proxied),
        plain=arguments.plain,
        host=arguments.host if elsewhere else "0.0.0.0",
        port=arguments.lan_port,
        proxied=arguments.proxied,
    )


def passphrase_wanted(access: "Access", file: Path | None) -> str:
    """Make sure that there is a passphrase where the network is to be opened: from the file, or asked
    for at the terminal.

    Returns:
        Why there is none; empty when all is well.
    """
    from lumbrel.services.access.doorkeeper import Doorkeeper
    from lumbrel.services.base.form import BadInput
    from lumbrel.web.shell.network import DEVICES
    from lumbrel.web.shell.settings import system_clock

    if not access.lan and file is None:
        return ""
    keeper = Doorkeeper(access.folder / DEVICES, system_clock())
    try:
        if file is not None:
            text = file.read_text(encoding="utf-8").partition("\n")[0]
            if not keeper.is_passphrase(text):
                keeper.choose_passphrase(text, text, system_clock())
        elif not keeper.has_passphrase:
            if not sys.stdin.isatty():
                return NO_PASSPHRASE
            print(_("A passphrase for devices of the network; it is not shown."))
            typed = getpass.getpass(_("Passphrase: "))
            keeper.choose_passphrase(typed, getpass.getpass(_("Repeat the passphrase: ")), system_clock())
    except BadInput as bad:
        return str(bad)
    except (OSError, UnicodeDecodeError) as error:
        return _("The passphrase cannot be read from {file}: {error}.", file=file, error=error)
    finally:
        keeper.close()
    return ""
