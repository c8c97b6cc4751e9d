"""Who sends a request: somebody at the machine itself, or a paired device from the network."""

from dataclasses import dataclass
from typing import Any

from starlette.types import Scope

from lumbrel.services.access.roles import may
from lumbrel.store.access import Device

MACHINE, PUBLIC = "machine", "public"
"""Who sits at the machine itself may do all; a public address asks nobody who they are."""
TOKEN = "token"
"""The field in which a device's writes carry their token."""
_KEY = "lumbrel.caller"


@dataclass(frozen=True, kw_only=True)
class Caller:
    """Who it is, and what their writes must carry."""

    device: Device | None = None
    token: str = ""
    """Empty where none is needed."""
    stranger: bool = False
    """Nobody who was let in: sees public addresses only."""

    @property
    def initials(self) -> str:
        """Of the device's person; empty where nobody is known."""
        return self.device.initials if self.device else ""

    @property
    def here(self) -> bool:
        """Whether it is the machine itself."""
        return self.device is None and not self.stranger

    def may(self, least: str) -> bool:
        """Whether this caller is allowed what asks for at least a role."""
        if self.here or least == PUBLIC:
            return True
        return self.device is not None and least != MACHINE and may(self.device.role, least)


HERE, STRANGER = Caller(), Caller(stranger=True)


def caller_of(scope: Scope | dict[str, Any]) -> Caller:
    """Who sends a request; somebody at the machine itself unless the gate found otherwise."""
    found = scope.get(_KEY, HERE)
    assert isinstance(found, Caller)
    return found


def called_by(scope: Scope, caller: Caller) -> None:
    """Note who sends a request."""
    scope[_KEY] = caller
