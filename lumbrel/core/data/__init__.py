"""Tables shipped with core, each a CSV whose `#` lines name its source."""

from pathlib import Path


def load_rows(name: str) -> list[dict[str, str]]:
    """Rows of a shipped table by column name; comment lines are passed over."""
    # Not every calculation needs a table: what reads one comes with the first.
    import csv

    text = Path(__file__).with_name(name).read_text(encoding="utf-8")
    return list(csv.DictReader(line for line in text.splitlines() if not line.startswith("#")))


def load_columns(name: str) -> dict[str, tuple[float, ...]]:
    """Columns of a shipped table of numbers, by name."""
    rows = load_rows(name)
    return {column: tuple(float(row[column]) for row in rows) for column in rows[0]}
