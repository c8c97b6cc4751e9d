"""The kitchen's passphrase: what it must be like, and whether what was typed is it."""

import unicodedata
from threading import Semaphore

from argon2 import PasswordHasher, Type
from argon2.exceptions import InvalidHashError, VerificationError

from lumbrel.words import _

LEAST_LETTERS, MOST_LETTERS = 10, 200
LEAST_DIFFERENT = 5
HASHER = PasswordHasher(time_cost=3, memory_cost=64 * 1024, parallelism=1, type=Type.ID)
"""Three passes over 64 MiB, as RFC 9106 has it where memory is short; one lane, since the other core
has readings to take in."""
_ONE_AT_A_TIME = Semaphore(1)
"""Several who sign in at once wait for each other, and not the samples for them."""


def refusal(text: str) -> str:
    """Why a passphrase is not taken; empty when it is."""
    plain = _plain(text)
    if len(plain) < LEAST_LETTERS:
        return _(
            "A passphrase has at least {LEAST_LETTERS} characters; this has {count}. Four words "
            "that do not belong together are easy to remember and hard to guess.",
            LEAST_LETTERS=LEAST_LETTERS,
            count=len(plain),
        )
    if len(plain) > MOST_LETTERS:
        return _("A passphrase has at most {MOST_LETTERS} characters.", MOST_LETTERS=MOST_LETTERS)
    if len(set(plain)) < LEAST_DIFFERENT:
        return _(
            "A passphrase has at least {LEAST_DIFFERENT} different characters in it.",
            LEAST_DIFFERENT=LEAST_DIFFERENT,
        )
    return ""


def hashed(text: str) -> str:
    """A passphrase as it is kept: argon2id, with a salt of its own."""
    with _ONE_AT_A_TIME:
        return HASHER.hash(_plain(text))


def is_it(kept: str | None, text: str) -> bool:
    """Whether a passphrase is the kept one. It costs the same where none is kept."""
    with _ONE_AT_A_TIME:
        try:
            return HASHER.verify(kept or NOBODYS, _plain(text)[:MOST_LETTERS]) and bool(kept)
        except (VerificationError, InvalidHashError):
            return False


def _plain(text: str) -> str:
    """One spelling of what looks the same, without the blanks around it."""
    return unicodedata.normalize("NFKC", text).strip()


NOBODYS = HASHER.hash("nobody's")
"""What is compared with where there is nothing to compare with."""
