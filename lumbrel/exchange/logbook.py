"""The whole logbook as one JSON document, out and in, and every table as CSV.

What follows from the lines (where batches stand, whose sugar flows, the shelf) is not in it: it is
made anew when the logbook comes in. Neither are the tokens of probes, which are secrets.
"""

import base64
import csv
import io
import json
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from sqlite3 import Connection
from typing import Annotated, Any, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field

from lumbrel.services.base.facts import schemas
from lumbrel.store import photographs
from lumbrel.store.db import newest_version
from lumbrel.store.kitchen import SETTING
from lumbrel.store.registered import Registered

FORMAT, VERSION = "lumbrel-logbook", 3

JPEG = b"\xff\xd8\xff"


@dataclass(frozen=True)
class Table:
    """A table of the logbook: its key, and the order its rows are written in."""

    name: str
    key: tuple[str, ...] = ("id",)
    order: str = "rowid"
    json: tuple[str, ...] = ()
    place: str = ""
    """A column that is not written: its rows have the place that they have in the document."""


TABLES = (
    Table("line", json=("typed", "facts"), place="seq"),
    Table("said", place="seq"),
    Table("alarm"),
    Table("sample_trouble", ("instrument_id", "reason"), "instrument_id, reason"),
    Table("kept_run", ("batch_id",), "batch_id", json=("points",)),
)
"""In the order they are written back: what a row refers to comes before it."""
BY_NAME = {table.name: table for table in TABLES}
Positions = dict[str, dict[str, int]]
"""Of each table's rows by id: where in their logbook they stand."""


class Row(BaseModel):
    """A row of a table, by its columns; JSON columns are what they hold."""

    model_config = ConfigDict(extra="allow")


class LineOf(BaseModel):
    """A line. `facts` are of its kind, in the version it was written in."""

    model_config = ConfigDict(extra="forbid")

    id: str
    kind: str
    version: int
    about: str
    about_id: str
    at: str
    noted_at: str
    facts: dict[str, Any]
    typed: dict[str, str]
    supersedes: str | None
    why: str
    initials: str


class SamplesOf(BaseModel):
    """What one device sent: milliseconds since 1970 and values, and for means of thinned samples
    their spread and of how many they are."""

    model_config = ConfigDict(extra="forbid")

    instrument_id: str
    at: list[int]
    value: list[float]
    spread: list[float | None]
    count: list[int | None]


class Tables(BaseModel):
    """The tables, in the order they are written back."""

    model_config = ConfigDict(extra="forbid")

    line: list[LineOf]
    said: list[Row]
    alarm: list[Row]
    sample_trouble: list[Row]
    kept_run: list[Row]


class Photograph(BaseModel):
    """A photograph: SHA-256 of the file, and the file, JPEG, in base64."""

    model_config = ConfigDict(extra="forbid")

    hash: Annotated[str, Field(pattern="^[0-9a-f]{64}$")]
    jpeg: str


class Logbook(BaseModel):
    """A whole logbook."""

    model_config = ConfigDict(extra="forbid")

    format: Literal["lumbrel-logbook"]
    version: Annotated[int, Field(ge=1, le=VERSION)]
    record_version: int
    """Of the tables it was written from."""
    tables: Tables
    samples: list[SamplesOf]
    photographs: list[Photograph] = []
    """Those that lines of the kinds `colour` and `scored` name."""


class NotTaken(Exception):
    """A document that is not taken in; the message says why, and nothing was written."""


def schema() -> dict[str, Any]:
    """The JSON Schema of a logbook, with that of each kind of line under `facts`."""
    whole = Logbook.model_json_schema()
    whole["$id"] = f"{FORMAT}-{VERSION}"
    return whole | {"facts": schemas()}


def document(db: Connection) -> dict[str, Any]:
    return {
        "format": FORMAT,
        "version": VERSION,
        "record_version": newest_version(),
        "tables": tables_of(db),
        "samples": list(_samples(db)),
        "photographs": list(_photographs(db)),
    }


def tables_of(db: Connection) -> dict[str, Any]:
    return {table.name: list(rows(db, table)) for table in TABLES}


def as_json(db: Connection) -> str:
    """The logbook as text: the same logbook is the same text, to the byte."""
    return json.dumps(document(db), ensure_ascii=False, allow_nan=False, indent=1) + "\n"


def rows(db: Connection, table: Table) -> Iterator[dict[str, Any]]:
    """The rows of a table, as they are written."""
    for row in db.execute(f"SELECT * FROM {table.name} ORDER BY {table.order}"):
        written = dict(row)
        for column in table.json:
            written[column] = json.loads(written[column])
        written.pop(table.place, None)
        yield written


def _samples(db: Connection) -> Iterator[dict[str, Any]]:
    devices = db.execute(
        "SELECT number, instrument_id FROM device ORDER BY instrument_id"
    ).fetchall()
    for device in devices:
        rows = db.execute(
            "SELECT at, value, spread, count FROM sample WHERE device = ? ORDER BY at",
            (device["number"],),
        ).fetchall()
        if rows:
            yield {
                "instrument_id": device["instrument_id"],
                "at": [row["at"] for row in rows],
                "value": [row["value"] for row in rows],
                "spread": [row["spread"] for row in rows],
                "count": [row["count"] for row in rows],
            }


def _photographs(db: Connection) -> Iterator[dict[str, Any]]:
    for name in photographs.named(db):
        content = photographs.find(db, name)
        if content is not None:
            yield {"hash": name, "jpeg": base64.b64encode(content).decode("ascii")}


def as_csv_zip(db: Connection) -> bytes:
    """Every table as a CSV file of its own, zipped, and what is registered, as it is now; text that a
    spreadsheet would run is quoted."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        tables = [*((t.name, t.order) for t in TABLES), ("sample", "device, at")]
        for name, order in [*tables, *((name, "rowid") for name in get_args(Registered))]:
            file = zipfile.ZipInfo(f"{name}.csv")
            archive.writestr(file, _csv(db, name, order))
    return out.getvalue()


def _csv(db: Connection, name: str, order: str) -> str:
    out = io.StringIO()
    rows = db.execute(f"SELECT * FROM {name} ORDER BY {order}")
    writer = csv.writer(out)
    writer.writerow([column[0] for column in rows.description])
    for row in rows:
        writer.writerow([inert(cell) if isinstance(cell, str) else cell for cell in row])
    return out.getvalue()


def inert(cell: str) -> str:
    """Text that no spreadsheet takes for a formula."""
    return "'" + cell if cell[:1] in ("=", "+", "-", "@", "\t", "\r") else cell


def settings_of(lines: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Those of the lines that set something."""
    return [line for line in lines if line["kind"] == SETTING]
