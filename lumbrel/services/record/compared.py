"""Whether all that a record keeps is what its lines say."""

from collections.abc import Iterator
from contextlib import contextmanager
from sqlite3 import Connection

from lumbrel.services.base import said
from lumbrel.services.base.progress import Progress
from lumbrel.services.record import kept
from lumbrel.services.record.kept import context_of
from lumbrel.store import record
from lumbrel.store.db import KEPT_TABLES, lines_stand, make_kept_tables, roll_back, transaction
from lumbrel.words import _


def differences(db: Connection, progress: Progress | None = None) -> list[str]:
    """The kept tables that are not what the lines make of them, in words, and what holds now but was
    never set; the record is left as it was."""
    with _laid_aside(db):
        db.execute("BEGIN IMMEDIATE")
        try:
            return apart(db, progress)
        except kept.Unsound as error:
            return [str(error)]
        finally:
            roll_back(db)


def put_right(db: Connection, progress: Progress | None = None) -> list[str]:
    """The same, and the record then keeps what its lines say.

    Raises:
        Unsound: nothing can follow from them; the record is left as it was.
    """
    with _laid_aside(db), transaction(db):
        return apart(db, progress, anew=True)


@contextmanager
def _laid_aside(db: Connection) -> Iterator[None]:
    """What was kept is laid aside in a file, however much it is."""
    db.execute("PRAGMA temp_store = FILE")
    try:
        yield
    finally:
        db.execute("PRAGMA temp_store = MEMORY")


def apart(db: Connection, progress: Progress | None = None, *, anew: bool = False) -> list[str]:
    """As `differences`, inside of a transaction; what is kept is made anew by it.

    Args:
        anew: the kept tables themselves too.
    """
    for table in KEPT_TABLES:
        db.execute(f"CREATE TEMP TABLE was_{table} AS SELECT * FROM {table}")
    if anew:
        make_kept_tables(db)
    try:
        wrong = []
        with lines_stand(db):
            kept.rebuild(db, progress)
            unlike = sum(said.apart(context_of(db, batch_id)) for batch_id in record.batch_ids(db))
        if unlike:
            wrong.append(
                _("said: {unlike} readings say something else than was written of them", unlike=unlike)
            )
        for table in KEPT_TABLES:
            rows = _unlike(db, table)
            if rows:
                wrong.append(_("{table}: {rows} rows are not what the lines say", table=table, rows=rows))
        return wrong
    finally:
        for table in KEPT_TABLES:
            db.execute(f"DROP TABLE IF EXISTS temp.was_{table}")


def _unlike(db: Connection, table: str) -> int:
    """How many rows were in a table and are not, or are and were not; figures to a millionth, since sums differ
    in their last digits."""
    columns = ", ".join(
        f"round({row['name']}, 6)" if row["type"] == "REAL" else row["name"]
        for row in db.execute(f"PRAGMA main.table_info({table})")
    )
    was, now = f"SELECT {columns} FROM was_{table}", f"SELECT {columns} FROM main.{table}"
    counts = (
        db.execute(f"SELECT count(*) FROM ({one} EXCEPT {other})").fetchone()[0]
        for one, other in ((was, now), (now, was))
    )
    return sum(counts)
