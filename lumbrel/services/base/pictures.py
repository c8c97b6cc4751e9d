"""Pictures that somebody sent: decoded one at a time, each in a process that can be given up."""

import subprocess
import sys
from threading import Lock

from lumbrel.services.base import picture_process
from lumbrel.services.base.form import BadInput
from lumbrel.words import _

SECONDS, PATIENCE_SECONDS = 15, 20
BUSY = _("Another picture is being looked at just now. Send this one again in a moment.")
_TURN = Lock()


def made_plain(kind: str, content: bytes, refusals: dict[int, str], otherwise: str) -> bytes:
    """A picture made anew: small, plain, and nothing else.

    Args:
        kind: `photograph` gives a JPEG, `logo` a PNG.
        refusals: what is said of a picture, by the code of why it is none.
        otherwise: what is said of it else, as where it takes too long.
    Raises:
        BadInput: it is none, too large, or others are being looked at.
    """
    if not _TURN.acquire(timeout=PATIENCE_SECONDS):
        raise BadInput({"file": BUSY})
    command = [sys.executable, "-P", "-m", picture_process.__name__, kind]
    try:
        done = subprocess.run(command, input=content, capture_output=True, timeout=SECONDS, check=False)
    except subprocess.TimeoutExpired:
        raise BadInput({"file": otherwise}) from None
    finally:
        _TURN.release()
    if done.returncode or not done.stdout:
        raise BadInput({"file": refusals.get(done.returncode, otherwise)})
    return done.stdout
