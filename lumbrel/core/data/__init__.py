"""Tables shipped with core, each a CSV whose `#` lines name its source."""

import csv
from importlib.resources import files


def load_rows(name: str) -> list[dict[str, str]]:
    """Rows of a shipped table by column name; comment lines are passed over."""
    text = files(__package__).joinpath(name).read_text(encoding="utf-8")
    return list(csv.DictReader(line for line in text.splitlines() if not line.startswith("#")))


def load_columns(name: str) -> dict[str, tuple[float, ...]]:
    """Columns of a shipped table of numbers, by name."""
    rows = load_rows(name)
    return {column: tuple(float(row[column]) for row in rows) for column in rows[0]}
