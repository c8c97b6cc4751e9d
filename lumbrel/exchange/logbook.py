"""The whole logbook as one JSON document, out and in, and every table as CSV.

What follows from the lines (where batches stand, whose sugar flows, the shelf) is not in it: it is
made anew when the logbook comes in. Neither are the tokens of probes, which are secrets.
"""

import base64
import csv
import io
import json
import tempfile
import zipfile
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from sqlite3 import Connection
from typing import Annotated, Any, BinaryIO, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field

from lumbrel.services.base.facts import schemas
from lumbrel.services.base.progress import Progress
from lumbrel.store import photographs
from lumbrel.store.db import as_it_stands, newest_version
from lumbrel.store.kitchen import SETTING
from lumbrel.store.registered import Registered

FORMAT, VERSION = "lumbrel-logbook", 3

CHUNK, SAMPLES_A_ROW = 65_536, 20_000
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
    """The logbook as it is read back."""
    found: dict[str, Any] = json.loads(as_json(db))
    return found


def as_json(db: Connection) -> str:
    """The logbook as text: the same logbook is the same text, to the byte."""
    return "".join(parts(db))


def parts(db: Connection, progress: Progress | None = None) -> Iterator[str]:
    """The text of a logbook piece by piece, a row a line: no more of it is held than is being written."""
    steps = progress or Progress()
    head = {"format": FORMAT, "version": VERSION, "record_version": newest_version()}
    with as_it_stands(db):
        pictures = list(photographs.named(db))
        steps.of(sum(_count(db, name) for name in (*BY_NAME, "sample")) + len(pictures))
        yield json.dumps(head)[:-1] + ',\n"tables": {'
        for n, table in enumerate(TABLES):
            yield f'{"," if n else ""}\n"{table.name}": '
            yield from _listed(steps.counted(rows(db, table)))
        yield '\n},\n"samples": '
        yield from _listed(steps.counted(samples_of(db), lambda row: len(row["at"])))
        yield ',\n"photographs": '
        yield from _listed(_photographs(db, steps.counted(pictures)))
        yield "}\n"


def _listed(found: Iterable[dict[str, Any]]) -> Iterator[str]:
    """Rows as a list, some of them at a time."""
    before, lines, chunk = "[", [], 0
    for row in found:
        lines.append(f"{before}\n{json.dumps(row, ensure_ascii=False, allow_nan=False)}")
        before, chunk = ",", chunk + len(lines[-1])
        if chunk > CHUNK:
            yield "".join(lines)
            lines, chunk = [], 0
    yield "".join(lines) + ("[]" if before == "[" else "]")


def _count(db: Connection, table: str) -> int:
    return int(db.execute(f"SELECT count(*) FROM {table}").fetchone()[0])


def rows(
    db: Connection, table: Table, where: str = "", given: Sequence[Any] = ()
) -> Iterator[dict[str, Any]]:
    """The rows of a table, as they are written.

    Args:
        where: which of them, in SQL, with what is given.
    """
    for row in db.execute(f"SELECT * FROM {table.name} {where} ORDER BY {table.order}", given):
        written = dict(row)
        for column in table.json:
            written[column] = json.loads(written[column])
        written.pop(table.place, None)
        yield written


def samples_of(db: Connection, since: int = -(2**62), until: int = 2**62) -> Iterator[dict[str, Any]]:
    """What each device sent, some thousand at a time.

    Args:
        since, until: only between them, milliseconds since 1970.
    """
    devices = db.execute("SELECT number, instrument_id FROM device ORDER BY instrument_id").fetchall()
    for device in devices:
        sent = db.execute(
            "SELECT at, value, spread, count FROM sample WHERE device = ? AND at BETWEEN ? AND ? ORDER BY at",
            (device["number"], since, until),
        )
        while rows := sent.fetchmany(SAMPLES_A_ROW):
            columns = zip(*rows, strict=True)
            yield {"instrument_id": device["instrument_id"]} | dict(
                zip(("at", "value", "spread", "count"), map(list, columns), strict=True)
            )


def _photographs(db: Connection, names: Iterable[str]) -> Iterator[dict[str, Any]]:
    for name in names:
        content = photographs.find(db, name)
        if content is not None:
            yield {"hash": name, "jpeg": base64.b64encode(content).decode("ascii")}


def write_csv_zip(db: Connection, file: BinaryIO, progress: Progress | None = None) -> None:
    """Every table as a CSV file of its own, zipped, and what is registered, as it is now; text that a
    spreadsheet would run is quoted."""
    tables = [*((t.name, t.order) for t in TABLES), ("sample", "device, at")]
    tables += [(name, "rowid") for name in get_args(Registered)]
    steps = progress or Progress()
    with as_it_stands(db), zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as archive:
        steps.of(sum(_count(db, name) for name, _ in tables))
        for name, order in tables:
            packed = zipfile.ZipInfo(f"{name}.csv")
            packed.compress_type = zipfile.ZIP_DEFLATED
            with (
                archive.open(packed, "w", force_zip64=True) as entry,
                io.TextIOWrapper(entry, "utf-8", newline="") as out,
            ):
                rows = db.execute(f"SELECT * FROM {name} ORDER BY {order}")
                writer = csv.writer(out)
                writer.writerow([column[0] for column in rows.description])
                for row in steps.counted(rows):
                    writer.writerow([inert(c) if isinstance(c, str) else c for c in row])


def csv_zip_parts(db: Connection, progress: Progress | None = None) -> Iterator[bytes]:
    """The same piece by piece, by way of a file that nobody sees."""
    with tempfile.TemporaryFile() as file:
        write_csv_zip(db, file, progress)
        file.seek(0)
        while part := file.read(CHUNK):
            yield part


def inert(cell: str) -> str:
    """Text that no spreadsheet takes for a formula."""
    return "'" + cell if cell[:1] in ("=", "+", "-", "@", "\t", "\r") else cell


def settings_in(db: Connection) -> list[dict[str, Any]]:
    """The lines of a record that set something."""
    return list(rows(db, BY_NAME["line"], f"WHERE kind = '{SETTING}'"))
