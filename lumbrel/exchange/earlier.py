"""Logbooks as earlier versions wrote them: put into a record of their version, which is then brought up as
any record is."""

import json
from collections.abc import Callable
from contextlib import closing
from sqlite3 import Connection, Error
from typing import Any

from lumbrel.store.db import connect, migrate

FIRST = 7
"""The version of a record's tables that logbooks were first written from."""
ANYTHING = "value"
"""A column that may hold any JSON, a bare text too."""


Tables = dict[str, Any]


def brought_up(written: dict[str, Any], tables_of: Callable[[Connection], Tables]) -> Tables:
    """The tables of an earlier logbook as they would be written now.

    Args:
        tables_of: writes those of a record.
    Raises:
        ValueError: its tables are none of that version's.
    """
    tables, version = written.get("tables"), written.get("record_version")
    if not isinstance(tables, dict) or not isinstance(version, int) or version < FIRST:
        raise ValueError("It is no whole logbook of the version that it says")
    with closing(connect(":memory:")) as db:
        migrate(db, until=version)
        db.execute("PRAGMA foreign_keys = OFF")
        for trigger in db.execute(
            "SELECT name FROM sqlite_schema WHERE type = 'trigger'"
        ).fetchall():
            db.execute(f"DROP TRIGGER {trigger['name']}")
        try:
            for table, rows in tables.items():
                _put(db, table, rows)
            migrate(db)
        except (Error, TypeError, AttributeError) as error:
            raise ValueError(f"Its tables do not fit together: {error}") from error
        return tables_of(db)


def _put(db: Connection, table: str, rows: list[dict[str, Any]]) -> None:
    columns = {row["name"] for row in db.execute("SELECT name FROM pragma_table_info(?)", (table,))}
    for row in rows:
        if not set(row) <= columns:
            raise ValueError(f"{table}: its columns are {', '.join(sorted(columns))}")
        stored = [
            json.dumps(value) if name == ANYTHING or isinstance(value, dict | list) else value
            for name, value in row.items()
        ]
        marks = ", ".join("?" * len(row))
        db.execute(f"INSERT INTO {table} ({', '.join(row)}) VALUES ({marks})", stored)
