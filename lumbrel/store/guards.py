"""What no statement does to a record: overwrite or delete what people wrote, decided or measured.

The guards are made from the tables themselves, so that a new table has them without being named here.
"""

from sqlite3 import Connection

ONCE = {
    "device_token": ("revoked_at",),
    "alarm": ("acknowledged_at", "acknowledged_by"),
}
"""Columns that are filled in once, later than their row: while the first of them is empty."""
FREE = {
    "nature": "what sort of record it is, and what is kept in it",
    "demo_state": "the demonstration's clock and simulator",
    "sample_trouble": "counts what a device sent in vain",
    "source": "what is plugged into this machine now",
    "outside": "what this machine speaks with now",
    "elsewhere": "where else this machine's backups go",
    "thinned": "up to when a device's samples are means",
}
"""Tables that say how something stands now, and why that may change."""
THINNED = "sample"
"""Its rows become means by a rule: a reading may go once its time is marked as thinned."""


def guard(db: Connection, kept_tables: tuple[str, ...]) -> None:
    """Make the guards of every table anew.

    Args:
        kept_tables: what follows from the others, and is made anew from them.
    """
    tables = db.execute("SELECT name, wr FROM pragma_table_list WHERE type = 'table'").fetchall()
    for table, without_rowid in tables:
        if table not in (*FREE, *kept_tables) and not table.startswith("sqlite_"):
            for name, rule in _rules(db, table, has_rowid=not without_rowid).items():
                trigger = f"{table}_is_never_{name}"
                db.execute(f"DROP TRIGGER IF EXISTS {trigger}")
                db.execute(
                    f"CREATE TRIGGER {trigger} {rule} "
                    f"BEGIN SELECT RAISE(ABORT, 'a row of {table} is never {name.replace('_', ' ')}'); END"
                )


def _rules(db: Connection, table: str, *, has_rowid: bool) -> dict[str, str]:
    once = ONCE.get(table, ())
    rules = {
        "updated": f"BEFORE UPDATE ON {table}",
        "deleted": f"BEFORE DELETE ON {table}",
        "replaced": f"BEFORE INSERT ON {table} WHEN {_is_there(db, table, has_rowid)}",
    }
    if once:
        columns = ["rowid", *(row[1] for row in db.execute(f"PRAGMA table_info({table})"))]
        fixed = (column for column in columns if column not in once)
        rules["updated"] += " WHEN " + " OR ".join(f"OLD.{c} IS NOT NEW.{c}" for c in fixed)
        rules["filled_twice"] = (
            f"BEFORE UPDATE OF {', '.join(once)} ON {table} WHEN OLD.{once[0]} IS NOT NULL"
        )
    if table == THINNED:
        rules["deleted"] += (
            " WHEN OLD.count IS NOT NULL OR NOT EXISTS"
            " (SELECT 1 FROM thinned WHERE device = OLD.device AND until > OLD.at)"
        )
    return rules


def _is_there(db: Connection, table: str, has_rowid: bool) -> str:
    """Whether a new row would take the place of one that is there, by whatever is unique of it."""
    keys = [["rowid"]] if has_rowid else []
    for index in db.execute(f"PRAGMA index_list({table})").fetchall():
        if index[2]:
            keys.append([row[2] for row in db.execute(f"PRAGMA index_info({index[1]})")])
    return " OR ".join(
        f"EXISTS (SELECT 1 FROM {table} WHERE "
        + " AND ".join(f"{column} = NEW.{column}" for column in key)
        + ")"
        for key in keys
    )
