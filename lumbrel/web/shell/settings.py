"""What the web application is told from outside."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path


def system_clock() -> datetime:
    """Now."""
    return datetime.now(UTC)


@dataclass(frozen=True, kw_only=True)
class Access:
    """How the kitchen may be opened to its network."""

    folder: Path
    """Where the list of devices and the keys are."""
    lan: bool = False
    """Open from the start."""
    plain: bool = False
    """Without encryption."""
    host: str = "0.0.0.0"
    port: int = 0
    """0 for the usual one."""
    proxied: str = ""
    """The name under which a proxy serves it, on this machine; empty for none."""


@dataclass(frozen=True, kw_only=True)
class Settings:
    """Where the database is, what time it is, and who may call.

    `refresh_seconds` is how often a live page looks for news; 0 switches live pages off.
    """

    database: Path
    clock: Callable[[], datetime] = system_clock
    allowed_hosts: tuple[str, ...] = ("127.0.0.1", "localhost", "[::1]")
    demo: bool = False
    refresh_seconds: float = 1.0
    backups: Path | None = None
    """Where automatic backups go; none are made if left out."""
    access: Access | None = None
    """None where it answers this machine only."""
