"""A batch as open files: its slip as CSV, and everything as JSON."""

import csv
import io
import json
from typing import Any

from lumbrel.exchange.logbook import inert
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.shelf import trace
from lumbrel.services.stations import slip
from lumbrel.store import jars
from lumbrel.store.db import instant

COLUMNS = (
    "batch",
    "time",
    "noted",
    "kind",
    "line",
    "detail",
    "brix",
    "sigma_brix",
    "typed",
    "superseded",
    "why",
    "initials",
    "id",
    "supersedes",
)


def as_json(context: BatchContext) -> str:
    """The whole batch: header, summary, every line of the slip as typed and as understood."""
    batch = context.batch
    codes = jars.lot_codes(context.db, batch.id)
    lot = codes[0] if codes else None
    document: dict[str, Any] = {
        "format": "lumbrel-batch",
        "version": 1,
        "batch": batch.code,
        "lot": lot,
        "opened_at": instant(batch.opened_at),
        "woodlot": context.woodlot.name,
        "vessel": context.vessel.name,
        "sugar_kind": batch.sugar_kind,
        "target_brix": batch.target_brix,
        "draw_margin_brix": batch.draw_margin_brix,
        "summary": trace.summary(context),
        "jars": [
            {"size_ml": jar.size_ml, "count": jar.count}
            for code in codes
            for jar in jars.jars_filled(context.db, code)
        ],
        "slip": [
            {
                "id": line.entry.id,
                "kind": line.entry.kind,
                "at": instant(line.entry.at),
                "noted_at": instant(line.entry.noted_at),
                "typed": line.entry.typed,
                "facts": line.entry.facts.written(),
                "line": line.title,
                "detail": line.detail,
                "corrected_brix": line.reading.brix if line.reading else None,
                # What says nothing has no sigma: 0, not 0.0, as it was always written out.
                "sigma_brix": (line.reading.sigma_brix or 0) if line.reading else None,
                "superseded": line.entry.superseded,
                "supersedes": line.entry.supersedes,
                "why": line.entry.why,
                "initials": line.entry.initials,
            }
            for line in slip.lines(context)
        ],
    }
    return json.dumps(document, indent=2, ensure_ascii=False, allow_nan=False) + "\n"


def as_csv(context: BatchContext) -> str:
    """The slip, one line each; text that a spreadsheet would run as a formula is quoted."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    for line in slip.lines(context):
        entry, reading = line.entry, line.reading
        has = reading is not None and reading.brix is not None
        row = [
            context.batch.code,
            instant(entry.at),
            instant(entry.noted_at),
            entry.kind,
            line.title,
            line.detail,
            f"{reading.brix:.3f}" if has and reading else line.value,
            f"{reading.sigma_brix:.3f}" if has and reading else "",
            "; ".join(f"{k}={v}" for k, v in entry.typed.items()),
            "yes" if entry.superseded else "",
            entry.why,
            entry.initials,
            entry.id,
            entry.supersedes or "",
        ]
        writer.writerow([inert(cell) for cell in row])
    return out.getvalue()
