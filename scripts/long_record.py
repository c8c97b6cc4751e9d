"""A record of many seasons for the benchmarks: the demonstration's, told again year by year.

Each season has about 200 batches of some hundred lines, five hundred samples each, and 15 jars and
more; it is made by copying the demonstration's batches with their lines, under new ids, to earlier
years, and then all that is kept besides the lines is made anew. About a minute for twenty seasons.
"""

import random
import sys
from dataclasses import replace
from datetime import timedelta
from io import BytesIO
from pathlib import Path
from sqlite3 import Connection
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from PIL import Image  # noqa: E402

from lumbrel import demo  # noqa: E402
from lumbrel.services.record import kept  # noqa: E402
from lumbrel.store import book, photographs, record  # noqa: E402
from lumbrel.store.book import LineRow  # noqa: E402
from lumbrel.store.db import instant, milliseconds, opened, transaction  # noqa: E402
from lumbrel.store.samples import PUT_ONCE  # noqa: E402
from scripts import long_woods  # noqa: E402

BATCHES, LINES, SAMPLES, COOKS = 200, 100, 500, 24
NOTES = ("Bubbles small and even.", "Foam came up, went down.", "Sheets off the spatula.")


def make(path: Path, seasons: int) -> None:
    """Make the record at `path`: the demonstration's season and so many in all."""
    demo.make(path)
    with opened(path) as db:
        db.execute("PRAGMA synchronous = OFF")
        patterns = _patterns(db)
        rng = random.Random(seasons)
        cooks = _cooks(db)
        with transaction(db):
            _fill(db, patterns, rng, seasons)
            for season in range(seasons):
                for number in range(COOKS):
                    _cook(db, cooks[number % len(cooks)], season, number)
            long_woods.plant(db, seasons)
            kept.rebuild(db)
        db.execute("PRAGMA synchronous = FULL")
        db.execute("PRAGMA wal_checkpoint(TRUNCATE)")


def _patterns(db: Connection) -> list[tuple[record.Batch, list[LineRow]]]:
    """Finished batches of the demonstration with their lines, none pooled with another."""
    found = []
    for batch_id in record.batch_ids(db):
        batch = record.batch_by(db, id=batch_id)
        assert batch is not None
        lines = _lines(db, batch_id)
        kinds = {line.kind for line in lines}
        mixed = any(line.facts.get("from_batch_id") for line in lines) or "poured" in kinds
        if {"draw", "jar"} <= kinds and not mixed:
            found.append((batch, [line for line in lines if line.kind in PLAIN]))
    return found


def _cooks(db: Connection) -> list[tuple[record.Batch, list[LineRow]]]:
    """The demonstration's finished cooks with their lines."""
    found = []
    for batch_id in record.batch_ids(db):
        batch = record.batch_by(db, id=batch_id)
        assert batch is not None
        lines = [line for line in _lines(db, batch_id) if line.kind != "alarm"]
        if {"cook", "made"} <= {line.kind for line in lines}:
            found.append((batch, lines))
    return found


def _cook(db: Connection, pattern: tuple[record.Batch, list[LineRow]], season: int, number: int) -> None:
    """One cook once more, of a woodlot's syrup, since no jars of another year's lot are there to open."""
    batch, lines = pattern
    code = f"{(2026 - season) % 100:02d}-C{number + 101}"
    shift = timedelta(days=-365 * season, minutes=-11 * (number + 1))
    batch_id = f"{batch.id[:20]}-{code}"
    record.add_batch(db, replace(batch, id=batch_id, code=code, opened_at=batch.opened_at + shift))
    renamed = {line.id: f"{line.id[:23]}-{code}" for line in lines}
    for line in lines:
        facts = dict(line.facts)
        if line.kind == "cook":
            part = {
                "woodlot_id": batch.woodlot_id,
                "mass_kg": facts["mass_kg"],
                "brix": facts["brix"],
            }
            facts |= {"from_lot": "", "jars": [], "rest_kg": 0.0, "parts": [part]}
        if line.kind == "made":
            facts["lot"] = code
        _line(db, line, shift, batch_id, renamed, facts)


PLAIN = (
    "take_in",
    "boiling",
    "strained",
    "foam",
    "hydrometer",
    "refractometer",
    "thermometer",
    "depth",
    "note",
    "draw",
    "filter",
    "colour",
    "jar",
    "checked",
    "taken_out",
    "came_back",
)
PHOTOGRAPHED_EVERY = 3


def _fill(db: Connection, patterns: list[Any], rng: random.Random, seasons: int) -> None:
    boils = [book.line_of(row) for row in book.newest(db, "test_boil", limit=1000)]
    for season in range(seasons):
        year = 2026 - season
        already = len(patterns) if season == 0 else 0
        for number in range(already, BATCHES):
            batch, lines = patterns[number % len(patterns)]
            shift = timedelta(days=-365 * season, minutes=7 * (number // len(patterns)))
            _copy(db, batch, lines, shift, f"{year % 100:02d}-{number + 201:03d}", rng)
        back = timedelta(days=365 * season)
        for boil in boils if season else []:
            at, noted_at = boil.at - back, boil.noted_at - back
            book.add(db, replace(boil, id=f"{boil.id}-{year}", at=at, noted_at=noted_at))


def _lines(db: Connection, about_id: str) -> list[LineRow]:
    return [book.line_of(row) for row in book.rows_about(db, about_id)]


def _copy(
    db: Connection,
    batch: record.Batch,
    lines: list[LineRow],
    shift: timedelta,
    code: str,
    rng: random.Random,
) -> None:
    """One batch once more at another time, its slip filled up with notes to a hundred lines."""
    batch_id = f"{batch.id[:20]}-{code}"
    record.add_batch(db, replace(batch, id=batch_id, code=code, opened_at=batch.opened_at + shift))
    renamed = {line.id: f"{line.id[:23]}-{code}" for line in lines}
    start, end = lines[0].at, lines[-1].at
    for line in lines:
        facts = dict(line.facts)
        if "lot" in facts:
            facts["lot"] = code
        if line.kind == "colour" and rng.randrange(PHOTOGRAPHED_EVERY) == 0:
            facts |= {"by": "photo", "photo": _photograph(db, code)}
        _line(db, line, shift, batch_id, renamed, facts)
    read = next((line for line in lines if line.kind == "hydrometer"), None)
    if read:
        again = {read.id: f"again-{code}"}
        corrects = replace(read, supersedes=read.id, why="misread")
        _line(db, corrects, shift, batch_id, renamed | again, dict(read.facts), renamed[read.id])
    db.execute(
        "INSERT INTO alarm (batch_id, kind, raised_at, words, acknowledged_at, acknowledged_by)"
        " VALUES (?, 'near', ?, 'Nearly there.', ?, 'MT')",
        (batch_id, instant(start + shift), instant(end + shift)),
    )
    for i in range(LINES - len(lines)):
        at = start + (end - start) * rng.random()
        note = LineRow(
            id=f"note-{code}-{i}",
            about="batch",
            about_id=batch_id,
            kind="note",
            at=at + shift,
            noted_at=at + shift,
            typed={"text": NOTES[i % 3]},
            facts={"text": NOTES[i % 3]},
        )
        book.add(db, note)
    began, step = milliseconds(start + shift), 9000
    probe = db.execute("SELECT number FROM device WHERE instrument_id = 'probe-1'").fetchone()[0]
    db.executemany(
        PUT_ONCE,
        [(probe, began + step * i, 99.0 + 4.0 * (i / SAMPLES) ** 3, None, None) for i in range(SAMPLES)],
    )


def _photograph(db: Connection, code: str) -> str:
    """A small picture of its own, kept as photographs are."""
    shades = Image.effect_noise((96, 64), 40).convert("RGB")
    written = BytesIO()
    shades.save(written, "JPEG", comment=code.encode())
    content = written.getvalue()
    folder = photographs.folder_of(db)
    assert folder is not None
    folder.mkdir(exist_ok=True)
    name = photographs.hash_of(content)
    (folder / f"{name}.jpg").write_bytes(content)
    return name


def _line(
    db: Connection,
    line: LineRow,
    shift: timedelta,
    batch_id: str,
    renamed: dict[str, str],
    facts: dict[str, Any],
    supersedes: str | None = None,
) -> None:
    copied = LineRow(
        id=renamed[line.id],
        about="batch",
        about_id=batch_id,
        kind=line.kind,
        at=line.at + shift,
        noted_at=line.noted_at + shift,
        typed=line.typed,
        facts=facts,
        version=line.version,
        supersedes=supersedes or renamed.get(line.supersedes or ""),
        why=line.why,
        initials=line.initials,
    )
    book.add(db, copied)


if __name__ == "__main__":
    make(Path(sys.argv[1]), int(sys.argv[2]))
