"""Twice is once, and nothing is overwritten: imports in any mixture, every table, every migration."""

import hashlib
import json
import random
import re
import shutil
import sqlite3
from dataclasses import replace
from datetime import timedelta
from importlib.resources import files
from pathlib import Path
from unittest.mock import patch

from lumbrel.exchange import logbook, logbook_in, some_batches
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import AddedFacts
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.kitchen import safekeeping
from lumbrel.services.record import compared, kept
from lumbrel.services.stations import book
from lumbrel.store import book as books
from lumbrel.store import db as store
from lumbrel.store import flow, guards, record, samples
from lumbrel.store.alarms import acknowledge
from lumbrel.store.db import KEPT_TABLES, connect, of_milliseconds, opened
from lumbrel.store.kitchen import vessels
from lumbrel.store.probes import note_trouble
from lumbrel.store.registered import change
from tests.services.test_flow import Histories
from tests.support.kitchen import NOON, KitchenCase, season_copy
from tests.support.safe import run

DATA = Path(__file__).parent.parent / "data"
MIGRATIONS = files("lumbrel.store").joinpath("migrations")


class Imports(Histories):
    def empty(self) -> sqlite3.Connection:
        db = connect(":memory:")
        self.addCleanup(db.close)
        kept.ready(db)
        return db

    test_any_history_closes_to_the_gram_and_traces_both_ways = None  # type: ignore[assignment]

    def test_any_mixture_of_imports_three_times_is_the_logbook_once(self) -> None:
        for seed in (41, 42, 43):
            with self.subTest(seed):
                self.doCleanups()
                self.setUp()
                rng = random.Random(seed)
                self._play(rng)
                text, other = logbook.as_json(self.db), self.empty()
                codes = [record.batch_by(self.db, id=one).code for one in record.batch_ids(self.db)]
                steps = [None, *rng.sample(codes, 2)] * 3
                rng.shuffle(steps)
                for code in steps:
                    if code is None:
                        logbook_in.take_in(other, text)
                    else:
                        some_batches.take_in(other, text, [code])
                    self.assertEqual(compared.differences(other), [])
                self.assertEqual(logbook.as_json(other), text)

    def test_what_was_poured_does_not_come_back_after_a_second_import(self) -> None:
        """The guard of circles is there still, once nothing was new."""
        first, second = self.take_in(), self.take_in(vessel="finisher-1")
        self.sure(second, "added", 5, **{"from": first, "mass": "3 kg"})
        text, path = logbook.as_json(self.db), self.folder / "book.json"
        path.write_text(text)
        data = ("--data", str(self.folder / "new"))
        for _ in range(2):
            self.assertEqual(run("import", str(path), *data)[0], 0)
        self.assertEqual(run("check", *data)[0], 0)
        self.assertEqual(run("backup", str(self.folder / "copy.sqlite3"), *data)[0], 0)
        with (
            opened(self.folder / "new" / "lumbrel.sqlite3") as self.db,
            self.assertRaises(BadInput),
        ):
            self.sure(first, "added", 9, **{"from": second, "mass": "3 kg"})

    def test_flows_in_a_circle_or_of_more_than_there_is_do_not_come(self) -> None:
        first, second = self.take_in(), self.take_in(vessel="finisher-1")
        self.sure(second, "added", 5, **{"from": first, "mass": "3 kg"})
        self.drawn(second, 60)
        self.jarred(second, 61, 5)
        self.put(second, "taken_out", 62, lot=second, size_1="500 ml", count_1="2", reason="sold")
        book = logbook.document(self.db)
        poured = next(one for one in book["tables"]["line"] if one["facts"].get("from_batch_id"))
        back = poured | {"id": "poured-back", "about_id": poured["facts"]["from_batch_id"]}
        back |= {"facts": poured["facts"] | {"from_batch_id": poured["about_id"]}}
        sold = next(one for one in book["tables"]["line"] if one["kind"] == "taken_out")
        more = sold | {"id": "sold-again", "facts": sold["facts"] | {"jars": [[500.0, 4]]}}
        other_size = sold | {"id": "sold-more", "facts": sold["facts"] | {"jars": [[250.0, 1]]}}
        for wrong in (back, more, other_size):
            tables = book["tables"] | {"line": [*book["tables"]["line"], wrong]}
            other = self.empty()
            with self.subTest(wrong["id"]), self.assertRaises(logbook.NotTaken):
                logbook_in.take_in(other, json.dumps(book | {"tables": tables}))
            self.assertEqual(record.batch_ids(other), [])

    def test_what_jars_weigh_follows_their_packing(self) -> None:
        """Whatever moved them, on whichever slip, moves what they weigh by the packing as it is corrected."""
        code, pot = self.take_in(), self.take_in(vessel="finisher-1")
        self.drawn(code, 60)
        self.drawn(pot, 60)
        self.jarred(code, 61, 9)
        packed = self.at(code).current[-1]
        sold = self.put(code, "taken_out", 62, lot=code, size_1="500 ml", count_1="2", reason="sold")
        of = record.batch_by(self.db, code=pot)
        poured = AddedFacts(mass_kg=0.7, brix=67.0, from_lot=code, jars=((500.0, 1),))
        at = NOON + timedelta(minutes=63)
        opened = Entry(id="opened-a-jar", about_id=of.id, at=at, noted_at=at, facts=poured)
        with store.transaction(self.db):
            kept.write(self.db, opened)

        def weighs(line: str) -> float:
            (moved,) = flow.flows_of_line(self.db, line)
            return moved.mass_kg / moved.packs

        before = weighs(sold.id)
        self.assertAlmostEqual(weighs(opened.id), before)
        heavier = packed.facts.model_copy(update={"mass_kg": packed.facts.mass_kg * 1.1})
        again = replace(packed, id="weighed-again", facts=heavier, supersedes=packed.id)
        with store.transaction(self.db):
            kept.write(self.db, again)
        self.assertAlmostEqual(weighs(sold.id), before * 1.1)
        self.assertAlmostEqual(weighs(opened.id), weighs(sold.id))
        self.assertEqual(compared.differences(self.db), [])

    def test_what_contradicts_itself_does_not_come(self) -> None:
        """More sold than a corrected packing left."""
        code = self.take_in()
        self.drawn(code, 60)
        self.jarred(code, 61, 9)
        packed = self.at(code).current[-1]
        self.jarred(code, 61, 5, supersedes=packed.id, why="counted again")
        self.put(code, "taken_out", 62, lot=code, size_1="500 ml", count_1="2", reason="sold")
        book = logbook.document(self.db)
        other = self.empty()
        logbook_in.take_in(other, json.dumps(book), preview=True)
        sold = next(one for one in book["tables"]["line"] if one["kind"] == "taken_out")
        sold["facts"]["jars"] = [[500.0, 7]]
        with self.assertRaisesRegex(logbook.NotTaken, "packed"):
            logbook_in.take_in(other, json.dumps(book))

    def test_what_was_poured_and_struck_forbids_none_that_came_after_it(self) -> None:
        first, second = self.take_in(), self.take_in(vessel="finisher-1")
        line = self.sure(second, "added", 5, **{"from": first, "mass": "3 kg"})
        self.strike(second, line.id, 6)
        self.sure(first, "added", 7, **{"from": second, "mass": "3 kg"})
        text, other = logbook.as_json(self.db), self.empty()
        logbook_in.take_in(other, text)
        self.assertEqual(logbook.as_json(other), text)

    def test_a_later_logbook_brings_what_went_on_and_an_earlier_one_takes_nothing_back(
        self,
    ) -> None:
        batch = record.batch_by(self.db, code=self.take_in())
        ring = "INSERT INTO alarm (batch_id, kind, raised_at, words) VALUES (?, 'near', ?, '')"
        self.db.execute(ring, (batch.id, store.instant(NOON)))
        note_trouble(self.db, "probe-1", "late", NOON, 1)
        early, other = logbook.as_json(self.db), self.empty()
        acknowledge(self.db, 1, NOON, "KL")
        note_trouble(self.db, "probe-1", "late", NOON, 4)
        named = {"name": "The old pan"}
        change(self.db, "vessel", "finisher-1", named, since=NOON, noted_at=NOON)
        late = logbook.as_json(self.db)
        for text, expected in ((early, early), (late, late), (early, late)):
            logbook_in.take_in(other, text)
            self.assertEqual(logbook.as_json(other), expected)

    def test_import_waits_for_nobody_and_names_what_is_no_text(self) -> None:
        path = self.folder / "book.json"
        path.write_bytes(b"\xff\xfe{")
        code, _, complaint = run("import", str(path), "--data", str(self.folder / "new"))
        self.assertEqual(code, 2)
        self.assertIn("no JSON document in UTF-8, or cut off: lexical error", complaint)
        path.write_text(logbook.as_json(self.db))
        with safekeeping.safe.held(self.path, alone=True):
            code, _, complaint = run("import", str(path), "--data", str(self.folder))
        self.assertEqual(code, 2)
        self.assertIn("being served", complaint)

    def test_samples_that_became_means_do_not_come_again(self) -> None:
        self.db.execute("INSERT INTO sample (device, at, value) VALUES (1, 1000, 99), (1, 2000, 98)")
        text = logbook.as_json(self.db)
        name = self.db.execute("SELECT instrument_id FROM device WHERE number = 1").fetchone()[0]
        samples.thin(self.db, name, of_milliseconds(0), of_milliseconds(60_000))
        before = logbook.as_json(self.db)
        logbook_in.take_in(self.db, text)
        self.assertEqual(logbook.as_json(self.db), before)


class Guards(KitchenCase):
    def tables(self, raw: sqlite3.Connection) -> list[str]:
        rows = raw.execute("SELECT name FROM pragma_table_list WHERE type = 'table'")
        return sorted(row[0] for row in rows if not row[0].startswith("sqlite_"))

    def test_no_statement_overwrites_a_row_of_any_table(self) -> None:
        """Walked from the schema: every table that is not kept besides the lines."""
        self.take_in()
        raw = sqlite3.connect(self.path)
        self.addCleanup(raw.close)
        raw.execute("PRAGMA ignore_check_constraints = ON")
        tried = 0
        for table in self.tables(raw):
            if table in KEPT_TABLES or table in guards.FREE:
                continue
            self._fill(raw, table)
            before = raw.execute(f"SELECT * FROM {table} ORDER BY 1, 2").fetchall()
            self.assertTrue(before, table)
            may = guards.ONCE.get(table, ())
            columns = [row[1] for row in raw.execute(f"PRAGMA table_info({table})")]
            rowid = raw.execute(f"SELECT wr FROM pragma_table_list('{table}')").fetchone()[0] == 0
            fixed = [c for c in columns if c not in may] + (["rowid"] if rowid else [])
            statements = [f"UPDATE {table} SET {c} = coalesce({c}, '') || '1'" for c in fixed]
            statements += [
                f"DELETE FROM {table}",
                f"REPLACE INTO {table} SELECT * FROM {table}",
            ]
            if rowid:
                named = ", ".join(columns)
                statements.append(f"REPLACE INTO {table} (rowid, {named}) SELECT rowid, {named} FROM {table}")
            for statement in statements:
                tried += 1
                with self.subTest(statement), self.assertRaisesRegex(sqlite3.Error, "is never"):
                    raw.execute(statement)
            after = raw.execute(f"SELECT * FROM {table} ORDER BY 1, 2").fetchall()
            self.assertEqual(after, before, table)
        self.assertGreater(tried, 60)

    def _fill(self, raw: sqlite3.Connection, table: str) -> None:
        """A row, where the demonstration has none."""
        if raw.execute(f"SELECT 1 FROM {table} LIMIT 1").fetchone():
            return
        columns = raw.execute(f"PRAGMA table_info({table})").fetchall()
        values = {"TEXT": "'{}'", "INTEGER": "1", "REAL": "1.0"}
        given = {r[1]: values[r[2]] for r in columns if r[3] or r[5]}
        raw.execute(f"INSERT INTO {table} ({', '.join(given)}) VALUES ({', '.join(given.values())})")

    def test_a_vessel_is_changed_by_what_is_noted_of_it_and_check_compares(self) -> None:
        change(self.db, "vessel", "finisher-1", {"name": "Old"}, since=NOON, noted_at=NOON)
        self.assertEqual(compared.differences(self.db), [])
        self.db.execute("UPDATE vessel SET name = 'Another' WHERE id = 'finisher-1'")
        self.assertIn("vessel: 2 rows", " ".join(compared.differences(self.db)))
        with store.transaction(self.db):
            kept.rebuild(self.db)
        self.assertEqual(compared.differences(self.db), [])
        self.assertEqual([one.name for one in vessels(self.db) if one.id == "finisher-1"], ["Old"])
        line = "vessel-finisher-1-first"
        with self.assertRaises(NotFound):
            book.strike(self.db, line, {"id": "struck-0001"}, NOON)
        self.assertNotIn(line, [row["id"] for row in books.newest(self.db, limit=50, about_id="finisher-1")])

    def test_what_is_filled_in_once_is_not_filled_in_again(self) -> None:
        batch = record.batch_by(self.db, code=self.take_in())
        self.db.execute(
            "INSERT INTO alarm (batch_id, kind, raised_at, words) VALUES (?, 'near', '', '')",
            (batch.id,),
        )
        self.db.execute("UPDATE alarm SET acknowledged_at = 'x', acknowledged_by = 'KL'")
        for other in ("acknowledged_by = 'MM'", "acknowledged_at = NULL"):
            with self.assertRaises(sqlite3.Error):
                self.db.execute(f"UPDATE alarm SET {other}")

    def test_check_finds_whatever_is_changed_in_a_kept_table_or_the_kitchens_row(self) -> None:
        path = season_copy(self.folder / "season")
        with opened(path) as db:
            kept.ready(db)
            self.assertEqual(compared.differences(db), [])
            changes = {table: f"DELETE FROM {table}" for table in KEPT_TABLES}
            changes["kitchen"] = "UPDATE kitchen SET elevation_m = elevation_m + 1"
            for table, change in changes.items():
                if db.execute(f"SELECT 1 FROM {table} LIMIT 1").fetchone():
                    with self.subTest(table):
                        db.execute("BEGIN IMMEDIATE")
                        db.execute("PRAGMA defer_foreign_keys = ON")
                        db.execute(change)
                        wrong = compared.apart(db)
                        db.execute("ROLLBACK")
                        self.assertIn(table, " ".join(wrong))


class Migrations(KitchenCase):
    def test_a_migration_that_has_landed_never_changes(self) -> None:
        listed = (DATA / "migrations.sha256").read_text("utf-8").splitlines()
        landed = {name: checksum for checksum, name in (line.split() for line in listed)}
        now = {
            f.name: hashlib.sha256(f.read_bytes()).hexdigest()
            for f in MIGRATIONS.iterdir()
            if f.name.endswith(".sql")
        }
        self.assertEqual(now, landed)

    def test_what_was_changed_before_first_lines_were_is_known_as_it_was_at_first(self) -> None:
        db = connect(":memory:")
        self.addCleanup(db.close)
        store.migrate(db, until=20)
        db.execute("INSERT INTO vessel VALUES ('pan', 'New', 'round', '[450.5]', 'finisher', 0.1, 'stove')")
        noted = (
            ("a", "0001-01-01T00:00:00.000Z", "Old", ""),
            ("b", store.instant(NOON), "New", "stove"),
        )
        for line, at, name, fire in noted:
            db.execute(
                "INSERT INTO line (id, kind, about, about_id, at, noted_at, facts, typed)"
                " VALUES (?, 'registered', 'vessel', 'pan', ?, ?, ?, '{}')",
                (
                    line,
                    at,
                    store.instant(NOON),
                    json.dumps({"state": {"name": name, "fire": fire}}),
                ),
            )
        kept.ready(db)
        (pan,) = vessels(db)
        self.assertEqual((pan.name, pan.fire, pan.sizes_mm), ("New", "stove", (450.5,)))
        self.assertEqual(pan.as_of(NOON - timedelta(days=1)).name, "Old")
        first = books.by_id(db, "vessel-pan-first")
        self.assertEqual((first.facts["state"]["name"], first.facts["state"]["fire"]), ("Old", ""))
        book.strike(db, "b", {"id": "struck-0001"}, NOON)
        self.assertEqual([one.name for one in vessels(db)], ["Old"])
        self.assertEqual(compared.differences(db), [])

    def test_records_made_while_a_migration_was_not_yet_whole_open(self) -> None:
        """Four were written on after some records had been made with them."""
        lacked = {
            "0007_true_and_traced.sql": "TABLE thinned",
            "0009_learnt_of_boils.sql": "filter_seen|colour_seen",
            "0010_labels_and_blends.sql": "packed_at|checked_at",
            "0013_sap.sql": "tank_draw_at",
        }
        whole = {
            f.name: f.read_text("utf-8")
            for f in sorted(MIGRATIONS.iterdir(), key=lambda f: f.name)
            if f.name.endswith(".sql")
        }
        expected = self._schema(self.db)
        for name, left_out in lacked.items():
            with self.subTest(name):
                path = Path(shutil.copy(DATA / "record-0.1" / "record.sqlite3", self.folder / name))
                early = {k: v for k, v in whole.items() if k <= name}
                said = store._statements(early[name])
                early[name] = "".join(s for s in said if not re.search(left_out, s))
                self.assertNotEqual(early[name], whole[name])
                with patch.object(store, "_scripts", lambda early=early: early), opened(path) as db:
                    store.migrate(db)
                with opened(path) as db:
                    kept.ready(db)
                    self.assertEqual(self._schema(db), expected)
                self.assertEqual(safekeeping.check(path).problems, [])

    def _schema(self, db: sqlite3.Connection) -> set[tuple[str, str, str]]:
        rows = db.execute("SELECT type, name, sql FROM sqlite_schema WHERE sql IS NOT NULL")
        return {(kind, name, " ".join(sql.split())) for kind, name, sql in rows}
