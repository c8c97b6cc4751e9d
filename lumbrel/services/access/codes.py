"""Codes that let a device in: shown once, typed or photographed, good for a few minutes."""

import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta

from lumbrel.store.access import PairingRow
from lumbrel.words import _

CODE_LETTERS = "23456789abcdefghjkmnpqrstuvwxyz"
"""What nobody mistakes for another."""
CODE_LENGTH = 10
CODE_LASTS = timedelta(minutes=5)


@dataclass(frozen=True)
class Offer:
    """A pairing code as it is shown, once."""

    code: str
    role: str
    ends_at: datetime

    @property
    def spelled(self) -> str:
        """In two halves, to be read aloud and typed."""
        half = CODE_LENGTH // 2
        return f"{self.code[:half]}-{self.code[half:]}".upper()


def new_offer(role: str, now: datetime) -> Offer:
    """A code as nobody guesses it."""
    code = "".join(secrets.choice(CODE_LETTERS) for _any in range(CODE_LENGTH))
    return Offer(code, role, now + CODE_LASTS)


def code_in(typed: str) -> str:
    """A code as it was typed, without blanks, dashes and capitals."""
    return "".join(c for c in typed.lower() if c.isalnum())[: CODE_LENGTH * 4]


def why_not(row: PairingRow | None, now: datetime) -> str:
    """Why a code lets nobody in; empty when it does."""
    if row is None:
        return _("That is not the code that is shown. Codes have ten letters and digits; look again.")
    if row.used:
        return _("That code was used already: each lets one device in. Ask for a new one.")
    if row.ends_at <= now:
        return _("That code is over: it lasts five minutes. Ask for a new one.")
    return ""
