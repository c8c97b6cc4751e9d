"""Logbooks as earlier versions wrote them: put into a record of their version, which is then brought up as
any record is."""

import json
from collections.abc import Iterable
from sqlite3 import Connection, Error
from typing import Any

from lumbrel.store.db import migrate, transaction
from lumbrel.words import _

FIRST = 7
"""The version of a record's tables that logbooks were first written from."""
ANYTHING = "value"
"""A column that may hold any JSON, a bare text too."""


def bring_up(db: Connection, version: int | None, tables: Iterable[tuple[str, Iterable[Any]]]) -> None:
    """Put the tables of an earlier logbook into an empty record of their version, and bring that up to this one.

    Args:
        version: of the tables it was written from.
        tables: by name, as they are written, one after the other.
    Raises:
        ValueError: they are none of that version's.
    """
    if not isinstance(version, int) or version < FIRST:
        raise ValueError(_("It is no whole logbook of the version that it says"))
    migrate(db, until=version)
    db.execute("PRAGMA foreign_keys = OFF")
    for trigger in db.execute("SELECT name FROM sqlite_schema WHERE type = 'trigger'").fetchall():
        db.execute(f"DROP TRIGGER {trigger['name']}")
    try:
        for table, rows in tables:
            with transaction(db):
                _put(db, table, rows)
        migrate(db)
    except (Error, TypeError, AttributeError) as error:
        raise ValueError(_("Its tables do not fit together: {error}", error=error)) from error


def _put(db: Connection, table: str, rows: Iterable[Any]) -> None:
    columns = {row["name"] for row in db.execute("SELECT name FROM pragma_table_info(?)", (table,))}
    for row in rows:
        if not set(row) <= columns:
            raise ValueError(
                _("{table}: its columns are {columns}", table=table, columns=", ".join(sorted(columns)))
            )
        stored = [
            json.dumps(value) if name == ANYTHING or isinstance(value, dict | list) else value
            for name, value in row.items()
        ]
        marks = ", ".join("?" * len(row))
        db.execute(f"INSERT INTO {table} ({', '.join(row)}) VALUES ({marks})", stored)
