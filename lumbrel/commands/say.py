"""What commands say, and how they end."""

import sys
from pathlib import Path

A_LOG_BYTES, LOGS = 1_000_000, 5


def refuse(sentence: object) -> int:
    """Say why not, on stderr; the exit code."""
    print(f"lumbrel: {sentence}", file=sys.stderr)
    return 2


def log_to(folder: Path, level: str) -> None:
    """Log with times and levels to stderr, and to a file that is turned over as it grows."""
    import logging
    from logging.handlers import RotatingFileHandler

    form = logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s")
    handlers: list[logging.Handler] = [logging.StreamHandler(sys.stderr)]
    handlers.append(
        RotatingFileHandler(
            folder / "lumbrel.log", maxBytes=A_LOG_BYTES, backupCount=LOGS, encoding="utf-8"
        )
    )
    root = logging.getLogger()
    for handler in handlers:
        handler.setFormatter(form)
        root.addHandler(handler)
    root.setLevel(logging.WARNING)
    logging.getLogger("lumbrel").setLevel(level.upper())
