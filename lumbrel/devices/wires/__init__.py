"""The wires that a probe may hang on, each a module of this folder: `lumbrel listen` has an option for each."""

from argparse import ArgumentParser, Namespace
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from importlib import import_module
from pkgutil import iter_modules
from threading import Event
from typing import NamedTuple

from lumbrel.devices.protocols import ProbeSource

Open = Callable[[Namespace], ProbeSource]
_MADE = "wire"


class Nearby(NamedTuple):
    """Something that is plugged in: where, the same after it was pulled out and put back, and what it calls itself."""

    address: str
    name: str


class Listened(NamedTuple):
    """How a wire is listened to without a command: what hangs on it now, by itself or because somebody named it; what is
    heard there until it is stopped; after how many seconds it is silent."""

    nearby: Callable[[Sequence[str]], list[Nearby]]
    at: Callable[[str, Event], ProbeSource]
    silent_s: float = 10.0


@dataclass(frozen=True, kw_only=True)
class Wire:
    """A wire.

    Args:
        name: its option, as `tcp`.
        takes: what is typed behind it, as `HOST:PORT`; empty where nothing is.
        help: what it is, in a few words.
        open: the probe at its end; raises ValueError where what was typed names none.
        more: options of its own.
        heard: how it is listened to without a command; None where a command is wanted.
    """

    name: str
    takes: str
    help: str
    open: Open
    more: Callable[[ArgumentParser], None] | None = None
    heard: Listened | None = None


def wire(
    name: str,
    takes: str,
    help: str,
    more: Callable[[ArgumentParser], None] | None = None,
    heard: Listened | None = None,
) -> Callable[[Open], Open]:
    """Make a wire of what opens it; see `Wire`."""

    def made(opens: Open) -> Open:
        setattr(opens, _MADE, Wire(name=name, takes=takes, help=help, open=opens, more=more, heard=heard))
        return opens

    return made


def wires() -> list[Wire]:
    """All there are, by name."""
    modules = [import_module(f"{__name__}.{one.name}") for one in iter_modules(__path__)]
    made = (one for module in modules for one in vars(module).values() if hasattr(one, _MADE))
    return sorted((getattr(one, _MADE) for one in made), key=lambda one: one.name)


def heard() -> dict[str, Listened]:
    """The wires that are listened to without a command, by name."""
    return {one.name: one.heard for one in wires() if one.heard}


def options(parser: ArgumentParser) -> None:
    """Add the options of all wires to a command."""
    for one in wires():
        if one.takes:
            parser.add_argument(f"--{one.name}", default="", metavar=one.takes, help=one.help)
        else:
            parser.add_argument(f"--{one.name}", action="store_true", help=one.help)
        if one.more:
            one.more(parser)


def chosen(arguments: Namespace) -> ProbeSource:
    """The probe on the wire that a command names.

    Raises:
        ValueError: none was named, or what was typed names none.
    """
    for one in wires():
        if getattr(arguments, one.name, None):
            return one.open(arguments)
    named = [f"--{one.name}" for one in wires()]
    raise ValueError(f"Name where it comes from: {', '.join(named[:-1])} or {named[-1]}.")
