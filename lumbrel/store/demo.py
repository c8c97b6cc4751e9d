"""Where the demonstration's clock and simulator stood."""

import json
from datetime import datetime
from sqlite3 import Connection
from typing import Any

from lumbrel.store.db import instant, moment


def demo_state(db: Connection) -> tuple[datetime, dict[str, Any]] | None:
    """Where the demo's clock and simulator stood."""
    row = db.execute("SELECT * FROM demo_state").fetchone()
    return (moment(row["at"]), json.loads(row["state"])) if row else None


def save_demo_state(db: Connection, at: datetime, state: dict[str, Any]) -> None:
    """Keep where the demo's clock and simulator stand."""
    db.execute(
        """INSERT INTO demo_state VALUES (1, ?, ?)
           ON CONFLICT (only) DO UPDATE SET at = excluded.at, state = excluded.state""",
        (instant(at), json.dumps(state)),
    )
