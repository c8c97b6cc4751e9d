"""Rows become dataclasses and dataclasses rows, each field by its type."""

import json
from collections.abc import Callable
from dataclasses import fields
from datetime import date, datetime
from sqlite3 import Connection, Row
from types import UnionType
from typing import Any, TypeVar, Union, get_args, get_origin, get_type_hints

from lumbrel.store.db import instant, moment

T = TypeVar("T")


def _tuple(text: str) -> tuple[Any, ...]:
    return tuple(json.loads(text))


_READ: dict[Any, Callable[[Any], Any]] = {
    datetime: moment,
    date: date.fromisoformat,
    bool: bool,
    dict: json.loads,
    list: json.loads,
    tuple: _tuple,
}


def mapper(of: type[T], *, but: tuple[str, ...] = ()) -> Callable[[Row | dict[str, Any]], T]:
    """What makes a dataclass of a row whose columns are named as its fields are: moments from their
    text, whatever holds several things from JSON.

    Args:
        but: fields that are no columns.
    """
    hints = get_type_hints(of)
    readers = {one.name: _reader(hints[one.name]) for one in fields(of) if one.name not in but}  # type: ignore[arg-type]
    plain = [name for name, read in readers.items() if read is None]
    read_of = [(name, read) for name, read in readers.items() if read is not None]

    def made(row: Row | dict[str, Any]) -> T:
        given = {name: row[name] for name in plain}
        for name, read in read_of:
            given[name] = read(row[name])
        return of(**given)

    return made


def _reader(hint: Any) -> Callable[[Any], Any] | None:
    """How a column is read; None where it is as it is stored. An empty one stays so."""
    if get_origin(hint) not in (Union, UnionType):
        return _READ.get(get_origin(hint) or hint)
    read = _reader(next(kind for kind in get_args(hint) if kind is not type(None)))
    return None if read is None else lambda value: None if value is None else read(value)


def cell(value: Any) -> Any:
    """A value as a column holds it."""
    if isinstance(value, datetime):
        return instant(value)
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, dict | list | tuple):
        return json.dumps(value)
    return int(value) if isinstance(value, bool) else value


def columns_of(made: Any, *, but: tuple[str, ...] = ()) -> dict[str, Any]:
    """A dataclass as a row: its fields as columns hold them."""
    return {one.name: cell(getattr(made, one.name)) for one in fields(made) if one.name not in but}


def insert(db: Connection, table: str, row: dict[str, Any]) -> None:
    """Put a row into a table."""
    marks = ", ".join("?" * len(row))
    db.execute(f"INSERT INTO {table} ({', '.join(row)}) VALUES ({marks})", list(row.values()))
