"""Passwords and keys of this machine: in a file beside the record, for its owner alone; in no backup and no export."""

import json
import os
from pathlib import Path


def _file(record: Path) -> Path:
    return record.with_name(f"{record.name}.secrets")


def secret(record: Path, name: str) -> str:
    """A secret; empty where there is none."""
    try:
        return str(json.loads(_file(record).read_text(encoding="utf-8")).get(name, ""))
    except (OSError, ValueError):
        return ""


def keep_secret(record: Path, name: str, value: str) -> None:
    """Keep a secret, whole or not at all; an empty one is let go of."""
    try:
        known = json.loads(_file(record).read_text(encoding="utf-8"))
    except (OSError, ValueError):
        known = {}
    known.pop(name, None)
    if value:
        known[name] = value
    part = record.with_name(f"{record.name}.secrets.part")
    with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
        json.dump(known, file)
    part.replace(_file(record))
