"""Where a logbook comes from that is taken in: rows one by one, of a document or of a record, so that no more of
it is held than is being read."""

import io
from collections import Counter
from collections.abc import Iterator
from contextlib import closing, contextmanager
from itertools import islice
from sqlite3 import Connection
from typing import Any, BinaryIO, Protocol

import ijson
from pydantic import BaseModel, ValidationError

from lumbrel.exchange import earlier
from lumbrel.exchange.logbook import (
    BY_NAME,
    FORMAT,
    VERSION,
    LineOf,
    Logbook,
    NotTaken,
    Photograph,
    Row,
    SamplesOf,
    rows,
)
from lumbrel.services.base.facts import read_facts
from lumbrel.store.db import ASIDE, connect
from lumbrel.words import _

Placed = Iterator[tuple[int | None, dict[str, Any]]]
"""Rows, each with its place in its logbook: one that comes later, after others of its logbook, comes in between."""
HEAD = ("format", "version", "record_version")
SAMPLES, PHOTOGRAPHS = "samples", "photographs"
LONGEST_PLACE, SHORT = 1000, 8192
"""The names on the way to a value, which no logbook has as long: what lies deeper than a machine has stack ends it. Read
in short pieces, it is found before much is made of it."""
MODELS: dict[str, type[BaseModel]] = {"line": LineOf, SAMPLES: SamplesOf, PHOTOGRAPHS: Photograph}


class LogbookSource(Protocol):
    """A logbook that is taken in."""

    def rows(self, name: str) -> Placed:
        """The rows of a table, of `samples` or of `photographs`, in their order.

        Raises:
            NotTaken: they are none.
        """

    def count(self) -> int:
        """How many rows it has; 0 where that is not known."""


class Document:
    """A JSON document, looked through once as a whole, and then read once for each list of rows.

    Raises:
        NotTaken: it is no logbook, cut off, or of a newer version.
    """

    def __init__(self, file: BinaryIO) -> None:
        self._file = file
        self._counts: Counter[str] = Counter()
        self.head: dict[str, Any] = {}
        self.tables: list[str] = []
        try:
            shape = self._shape()
        except (ijson.JSONError, ValueError) as error:
            raise NotTaken(
                _("It is no JSON document in UTF-8, or cut off: {why}.", why=_why(error))
            ) from error
        if shape.get("format") != FORMAT:
            raise NotTaken(_("It is no logbook of Lumbrel's."))
        version = shape.get("version")
        if isinstance(version, int) and version > VERSION:
            raise NotTaken(_("It was written by a newer Lumbrel; take it in with that one."))
        self.is_earlier = version in range(1, VERSION)
        if self.is_earlier and shape.get("tables") is not None:
            shape["tables"] = {name: [] for name in BY_NAME}
        _fitting(Logbook, shape, "")

    def _shape(self) -> dict[str, Any]:
        """The document without its rows, which are counted."""
        shape: dict[str, Any] = {}
        within: dict[str, dict[str, Any]] = {"": shape}
        self._file.seek(0)
        for place, event, value in ijson.parse(self._file, buf_size=SHORT, use_float=True):
            if len(place) > LONGEST_PLACE:
                raise ValueError(_("it is nested too deep"))
            if place in self._counts:
                self._counts[place] += event not in ("map_key", "end_map", "end_array")
            elif event == "map_key" and place in within:
                within[place][value] = None
            elif place in HEAD and place in shape:
                shape[place] = value
            elif place == "tables" and event == "start_map":
                shape["tables"] = within["tables"] = {}
            elif event == "start_array" and place.startswith(("tables.", SAMPLES, PHOTOGRAPHS)):
                of, _any, name = place.rpartition(".")
                if of in within:
                    within[of][name] = []
                    self._counts[f"{place}.item"] = 0
        self.head = {name: shape.get(name) for name in HEAD}
        self.tables = list(within.get("tables", {}))
        return shape

    def count(self) -> int:
        """How many rows it has."""
        return sum(self._counts.values())

    def raw(self, place: str) -> Iterator[Any]:
        """What a list holds, as it is written."""
        self._file.seek(0)
        place = f"{place}.item"
        yield from islice(ijson.items(self._file, place, use_float=True), self._counts[place])

    def rows(self, name: str) -> Placed:
        """As of any source."""
        place = name if name in (SAMPLES, PHOTOGRAPHS) else f"tables.{name}"
        for n, row in enumerate(self.raw(place)):
            yield n + 1, checked(name, row, f"{place}.{n}")


class Earlier:
    """A document of an earlier version, whose tables lie in a record as it would be written now."""

    def __init__(self, document: Document, db: Connection) -> None:
        self._document, self._db = document, db

    def count(self) -> int:
        """How many rows it has."""
        return self._document.count()

    def rows(self, name: str) -> Placed:
        """As of any source."""
        if name not in BY_NAME:
            yield from self._document.rows(name)
            return
        for n, row in enumerate(rows(self._db, BY_NAME[name])):
            yield n + 1, checked(name, row, f"tables.{name}.{n}")


@contextmanager
def source_of(document: str | BinaryIO) -> Iterator[LogbookSource]:
    """A logbook's document, as text or as a file, to be taken in.

    Raises:
        NotTaken: it is no logbook, cut off, or of a newer version.
    """
    read = Document(io.BytesIO(document.encode()) if isinstance(document, str) else document)
    if not read.is_earlier:
        yield read
        return
    with closing(connect(ASIDE)) as db:
        try:
            tables = ((name, read.raw(f"tables.{name}")) for name in read.tables)
            earlier.bring_up(db, read.head["record_version"], tables)
        except ValueError as error:
            raise NotTaken(f"{error}.") from error
        yield Earlier(read, db)


def _why(error: Exception) -> str:
    """The first line of what a reader of JSON says."""
    said = error.args[0] if error.args else ""
    text = said.decode("utf-8", "replace") if isinstance(said, bytes) else str(said)
    return next(iter(text.splitlines()), "").rstrip(" .")


def checked(name: str, row: Any, place: str) -> dict[str, Any]:
    """A row that is one.

    Args:
        place: where it stands, for whoever looks for what is wrong with it.
    Raises:
        NotTaken: it is none.
    """
    found = _fitting(MODELS.get(name, Row), row, place).model_dump()
    if name == "line":
        try:
            read_facts(found["kind"], found["version"], found["facts"])
        except ValidationError as error:
            raise _not_fitting(error, f"{place}.facts") from error
        except ValueError as error:
            raise NotTaken(f"{error}.") from error
    return found


def _fitting(model: type[BaseModel], row: Any, place: str) -> BaseModel:
    try:
        return model.model_validate(row)
    except ValidationError as error:
        raise _not_fitting(error, place) from error


def _not_fitting(error: ValidationError, place: str) -> NotTaken:
    first = error.errors()[0]
    where = ".".join([*([place] if place else []), *map(str, first["loc"])])
    return NotTaken(f"{where}: {first['msg']}.")
