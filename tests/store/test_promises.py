"""What the record promises, tried by breaking it: see docs/record.md."""

import contextlib
import http.client
import io
import json
import os
import random
import re
import signal
import socket
import sqlite3
import subprocess
import sys
import time
from dataclasses import fields, replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from urllib.parse import urlencode
from uuid import uuid4

from lumbrel import cli
from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.exchange import batch_files, logbook, some_batches
from lumbrel.exchange.replay import Replay
from lumbrel.exchange.replay_out import as_replay
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.form import Form
from lumbrel.services.day import entries as day_entries
from lumbrel.services.kitchen import safekeeping, settings
from lumbrel.services.kitchen.register import add_to_kitchen
from lumbrel.services.kitchen.safekeeping import Refused
from lumbrel.services.pan.board import board_of
from lumbrel.services.pan.thinning import thin_a_little
from lumbrel.services.probes import intake
from lumbrel.services.record import kept
from lumbrel.store import record, safe
from lumbrel.store import samples as samples_store
from lumbrel.store.db import NoRecord, connect, milliseconds, opened
from lumbrel.store.instruments import retire_instrument
from lumbrel.store.kitchen import Kitchen, load_kitchen, save_kitchen
from lumbrel.store.safe import InUse
from lumbrel.store.samples import Sample
from tests.support.kitchen import NOON, KitchenCase, season_copy

ROOT = Path(__file__).parent.parent.parent


def run(*words: str) -> tuple[int, str, str]:
    out, complaint = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(complaint):
        code = cli.main(list(words))
    return code, out.getvalue(), complaint.getvalue()


class True_(KitchenCase):
    """What a past line says depends only on what was in force at its moment."""

    def boiled(self) -> str:
        day_entries.test_boil(self.db, NOON, {"thermometer": "dial-a", "reading": "98.9"})
        code = self.take_in()
        self.put(code, "boiling", 15)
        self.put(code, "hydrometer", 50, reading="46", cup="90 C")
        self.put(code, "thermometer", 55, instrument="dial-a", reading="101.2 C")
        self.put(code, "refractometer", 80, reading="66.9", sample="20 C")
        self.put(code, "draw", 81, mass="20 kg")
        return code

    def slip_of(self, code: str, later: timedelta) -> str:
        context = contexts.load(self.db, code, NOON + later)
        board = board_of(context)
        cup = board.cup.mark_brix if board.cup else None
        figures = (board.believed, board.balance, board.minutes_left, board.draw_shown_c, cup)
        return batch_files.as_json(context) + repr(figures)

    def test_no_setting_check_or_instrument_of_today_moves_a_figure_of_yesterday(self) -> None:
        code = self.boiled()
        before = self.slip_of(code, timedelta(hours=3))
        tomorrow = NOON + timedelta(days=1)
        kitchen = load_kitchen(self.db)
        changed = {
            "elevation_m": 1500.0,
            "time_zone": "America/Toronto",
            "target_brix": 67.9,
            "draw_margin_brix": 1.0,
            "alarms": {"near_minutes": 9.0},
            "toll_percent": 33.0,
            "methods": {"end_point": "flat-219", "boil_by": "elevation", "hot_mark": "printed"},
        }
        shown_only = {"name", "units", "both_units", "elevations", "zones", "tolls"}
        self.assertEqual({f.name for f in fields(Kitchen)} - shown_only, set(changed))
        save_kitchen(self.db, replace(kitchen, **changed), tomorrow)
        day_entries.test_boil(self.db, tomorrow, {"thermometer": "dial-a", "reading": "97"} | SURE)
        day_entries.set_pressure(self.db, tomorrow, {"basis": "station", "pressure": "990"} | SURE)
        probe = {"name": "New", "sort": "digital", "stands_in": "finisher-2"}
        add_to_kitchen(self.db, "thermometer", probe, tomorrow)
        retire_instrument(self.db, "long-stem", tomorrow)
        retire_instrument(self.db, "dial-a", tomorrow)
        other = self.take_in(tomorrow)
        at = 24 * 60 + 80
        self.put(other, "refractometer", at, reading="66.9", sample="20 C")
        self.put(other, "draw", at + 1, mass="12 kg", mass_confirmed="1")
        self.assertEqual(self.slip_of(code, timedelta(days=9)), before)

    def test_pairs_teach_later_readings_only(self) -> None:
        code = self.take_in()
        self.put(code, "hydrometer", 20, reading="46", cup="90 C")
        before = self.slip_of(code, timedelta(minutes=30))
        stem = Hydrometer(shift=0.9)
        for day in (1, 2, 3):
            minutes = day * 1440
            other = self.take_in(NOON + timedelta(minutes=minutes), vessel="finisher-1")
            true = 66.5
            self.put(other, "refractometer", minutes + 80, reading=f"{true}", sample="20 C")
            self.put(other, "draw", minutes + 81, mass="20 kg", mass_confirmed="1")
            for after, cup in ((82, 90.0), (600, 20.0)):
                reading = f"{stem.mark(true, cup):.2f}"
                sent = {"reading": reading, "cup": f"{cup} C", "reading_confirmed": "1"}
                self.put(other, "hydrometer", minutes + after, **sent)
        self.assertEqual(self.slip_of(code, timedelta(minutes=30)), before)
        read = self.put(code, "hydrometer", 9 * 1440, reading="46", cup="90 C", **CONFIRMED)
        (line,) = [x for x in _lines(self.db, code) if x["id"] == read.id]
        (first,) = [x for x in _lines(self.db, code) if x["typed"].get("reading") == "46"][:1]
        self.assertGreater(abs(line["corrected_brix"] - first["corrected_brix"]), 0.2)

    def test_a_setting_that_was_wrong_before_is_put_right_from_its_day_on(self) -> None:
        kitchen = load_kitchen(self.db)
        form = Form({}, kitchen)
        sent = {
            "name": "K",
            "elevation": "900 m",
            "target": "66.9",
            "margin": "0",
            "time_zone": "UTC",
            **{f"unit_{kind}": unit for kind, unit in kitchen.units.items()},
        }
        self.assertEqual(form.errors, {})
        settings.save_settings(self.db, sent, NOON)
        held = load_kitchen(self.db)
        before = NOON - timedelta(days=3)
        self.assertEqual((held.elevation_at(before), held.elevation_at(NOON)), (418.0, 900.0))
        settings.save_settings(self.db, sent | {"since": "2026-03-16"}, NOON + timedelta(days=1))
        held = load_kitchen(self.db)
        self.assertEqual(held.elevation_at(datetime(2026, 3, 16, 1, tzinfo=UTC)), 900.0)
        self.assertEqual(held.elevation_at(datetime(2026, 3, 15, 1, tzinfo=UTC)), 418.0)

    def test_no_statement_overwrites_a_line(self) -> None:
        code = self.take_in()
        line = self.put(code, "note", 5, text="first")
        self.put(code, "note", 6, text="second", supersedes=line.id, why="better")
        rowid = self.db.execute("SELECT max(rowid) FROM entry").fetchone()[0]
        columns = "id, batch_id, kind, at, noted_at, typed, facts"
        values = f"'{line.batch_id}', 'note', '', '', '{{}}', '{{}}'"
        raw = sqlite3.connect(self.path)
        self.addCleanup(raw.close)
        before = raw.execute("SELECT * FROM entry").fetchall()
        for statement in (
            "UPDATE entry SET why = 'x'",
            "DELETE FROM entry",
            f"INSERT OR REPLACE INTO entry ({columns}) VALUES ('{line.id}', {values})",
            f"REPLACE INTO entry (rowid, {columns}) VALUES ({rowid}, 'new-one-0001', {values})",
            f"REPLACE INTO entry ({columns}, supersedes) VALUES ('new-2', {values}, '{line.id}')",
            "UPDATE setting SET value = '1'",
            "DELETE FROM setting",
            "REPLACE INTO setting SELECT seq, name, at, noted_at, '1' FROM setting LIMIT 1",
        ):
            with self.subTest(statement), self.assertRaises(sqlite3.Error):
                raw.execute(statement)
        self.assertEqual(raw.execute("SELECT * FROM entry").fetchall(), before)

    def test_times_by_stated_rules(self) -> None:
        toronto = Kitchen(time_zone="America/Toronto")
        local = datetime.fromisoformat
        for typed, now, expected in (
            ("14:25", "2026-03-18T15:00-04:00", "2026-03-18T14:25-04:00"),
            ("14:25", "2026-03-18T14:00-04:00", "2026-03-17T14:25-04:00"),
            ("yesterday 14:25", "2026-03-18T15:00-04:00", "2026-03-17T14:25-04:00"),
            ("2026-03-16 23:59", "2026-03-18T15:00-04:00", "2026-03-16T23:59-04:00"),
            ("14:25:30", "2026-03-18T15:00-04:00", "2026-03-18T14:25:30-04:00"),
            # The clocks went back at two: the later of both half past ones that are past.
            ("01:30", "2026-11-01T03:00-05:00", "2026-11-01T01:30-05:00"),
            ("01:30", "2026-11-01T01:10-05:00", "2026-11-01T01:30-04:00"),
            # They went forward at two: half past two was half past three.
            ("02:30", "2026-03-08T09:00-04:00", "2026-03-08T03:30-04:00"),
        ):
            with self.subTest(typed, now=now):
                form = Form({"at": typed}, toronto)
                self.assertEqual(form.time_of_day("at", local(now)), local(expected))
                self.assertEqual(form.errors, {})
        for wrong in ("25:00", "noon", "2026-02-30 10:00", "2027-01-01 10:00"):
            form = Form({"at": wrong}, toronto)
            form.time_of_day("at", local("2026-03-18T15:00-04:00"))
            self.assertIn("at", form.errors)


SURE = {"reading_confirmed": "1", "pressure_confirmed": "1"}
CONFIRMED = {"reading_confirmed": "1", "cup_confirmed": "1"}
PAIR = {"instrument": "long-stem", "reading": "58.2", "cup": "92 C"} | CONFIRMED


def _figures(db: sqlite3.Connection, code: str) -> list[tuple[str, float | None]]:
    return [(line["id"], line["corrected_brix"]) for line in _lines(db, code)]


def _lines(db: sqlite3.Connection, code: str) -> list[dict]:
    return json.loads(batch_files.as_json(contexts.load(db, code, NOON + timedelta(days=30))))[
        "slip"
    ]


class Quick(KitchenCase):
    def test_every_statement_of_a_page_is_on_an_index(self) -> None:
        path = season_copy(self.folder / "season")
        from fastapi.testclient import TestClient

        from lumbrel.web.shell import app as web
        from lumbrel.web.shell.settings import Settings
        from scripts.bench_record import PAGES, codes

        seen: set[str] = set()
        original = sqlite3.Connection.execute
        settings_ = Settings(database=path, clock=lambda: AFTERNOON, refresh_seconds=0)
        named = codes(path)
        client = TestClient(web.create_app(settings_), base_url="http://127.0.0.1")
        with client:
            import lumbrel.store.db as db_module

            class Listening(db_module.Link):
                def execute(self, sql: str, *more: object) -> sqlite3.Cursor:
                    seen.add(sql)
                    return original(self, sql, *more)

            before, db_module.Link = db_module.Link, Listening
            try:
                for page in PAGES:
                    client.get(page.format(**named))
                line = f"/pan/{named['live']}/slip/"
                for kind, typed in (("note", {"text": "foam"}), ("hydrometer", PAIR)):
                    sent = client.post(line + kind, data={"id": str(uuid4())} | typed)
                    self.assertEqual(sent.history[0].status_code, 303)
                with opened(path) as listened:
                    sample = [(AFTERNOON + timedelta(milliseconds=1500), 103.2)]
                    self.assertEqual(intake.take(listened, "probe-1", sample, AFTERNOON).kept, 1)
            finally:
                db_module.Link = before
        self.assertGreater(len(seen), 50)
        db = connect(path)
        self.addCleanup(db.close)
        for sql in seen:
            if sql.lstrip().upper().startswith(("SELECT", "WITH")):
                with self.subTest(sql):
                    for row in original(db, f"EXPLAIN QUERY PLAN {sql}", _blanks(sql)):
                        self.assertNotRegex(row["detail"], SCANS)

    def test_a_correction_is_remembered_until_what_it_rests_on_changes(self) -> None:
        from unittest.mock import patch

        from lumbrel.core.bench import hydrometer

        code = self.take_in()
        self.put(code, "hydrometer", 20, reading="46", cup="90 C")
        with patch.object(hydrometer, "estimate", wraps=hydrometer.estimate) as computed:
            for _ in range(3):
                (_, before) = _lines(self.db, code)
            self.assertLessEqual(computed.call_count, 1)
            self.db.execute(
                "INSERT INTO scale_check VALUES ('c', ?, 'long-stem', 'solution', '{}', 60, 0.8)",
                (f"{NOON:%Y-%m-%dT%H:%M:%S.000Z}",),
            )
            calls = computed.call_count
            (_, line) = _lines(self.db, code)
            self.assertEqual(computed.call_count, calls + 1)
        self.assertAlmostEqual(line["corrected_brix"], before["corrected_brix"] - 0.8, delta=0.05)


SCANS = r"^SCAN (entry|e|later|sample|flow|flow_now|batch|parcel)\b"
"""What no page does; an index, too, is not read from end to end."""


def _blanks(sql: str) -> list[None]:
    """Nothing for every place that a statement fills in."""
    numbered = [int(n) for n in re.findall(r"\?(\d+)", sql)]
    return [None] * (max(numbered) if numbered else sql.count("?"))


AFTERNOON = datetime(2026, 4, 18, 14, 25, tzinfo=UTC)


class SafeHands(KitchenCase):
    def data(self) -> tuple[str, str]:
        return "--data", str(self.folder)

    def test_a_newer_or_foreign_file_is_refused_by_name(self) -> None:
        self.db.execute("PRAGMA user_version = 99")
        with self.assertRaisesRegex(NoRecord, "newer"):
            kept.ready(self.db)
        foreign = connect(self.folder / "foreign.sqlite3")
        self.addCleanup(foreign.close)
        foreign.execute("CREATE TABLE t (x)")
        with self.assertRaisesRegex(NoRecord, "another program"):
            kept.ready(foreign)
        text = self.folder / "notes.txt"
        text.write_text("not a record" * 99)
        self.assertIn("no record", " ".join(safe.problems(text)))

    def test_a_backup_is_verified_and_never_written_over(self) -> None:
        self.take_in()
        copy = self.folder / "copy.sqlite3"
        code, said, _ = run("backup", str(copy), *self.data())
        self.assertEqual(code, 0)
        self.assertIn("1 batches with 1 lines", said)
        before = copy.read_bytes()
        code, _, complaint = run("backup", str(copy), *self.data())
        self.assertEqual((code, copy.read_bytes()), (2, before))
        self.assertIn("there already", complaint)
        self.assertEqual(run("check", str(copy))[0], 0)
        empty = self.folder / "nowhere"
        self.assertEqual(run("backup", str(self.folder / "b"), "--data", str(empty))[0], 2)
        self.assertFalse((self.folder / "b").exists())

    def test_an_unsound_record_is_not_backed_up(self) -> None:
        self.take_in()
        self.db.execute("PRAGMA foreign_keys = OFF")
        self.db.execute("INSERT INTO waits VALUES ('jar', 'nobody', '')")
        with self.assertRaises(Refused):
            safekeeping.backup(self.path, self.folder / "b.sqlite3")
        self.db.execute("DELETE FROM waits WHERE batch_id = 'nobody'")
        self.db.execute("DELETE FROM waits")
        code, said, complaint = run("check", *self.data())
        self.assertEqual((code, "damaged" in said, "waits" in complaint), (1, True, True))
        with self.assertRaisesRegex(Refused, "waits"):
            safekeeping.backup(self.path, self.folder / "b.sqlite3")
        self.assertEqual(list(self.folder.glob("b.sqlite3*")), [])

    def test_restore_keeps_what_it_replaces_and_refuses_while_it_is_served(self) -> None:
        code = self.take_in()
        copy = self.folder / "copy.sqlite3"
        safekeeping.backup(self.path, copy)
        self.put(code, "note", 5, text="after it")
        with safe.held(self.path, alone=True), self.assertRaisesRegex(InUse, "served"):
            safekeeping.restore(self.path, copy, NOON)
        with safe.held(self.path, alone=False), self.assertRaises(InUse):
            safekeeping.restore(self.path, copy, NOON)
        with self.assertRaisesRegex(Refused, "the record itself"):
            safekeeping.restore(self.path, self.path, NOON)
        # What is in the log of the record only is kept too: nobody closed it in order.
        _, aside = safekeeping.restore(self.path, copy, NOON)
        with opened(self.path) as db, opened(aside) as old:
            self.assertEqual(len(contexts.load(db, code, NOON).entries), 1)
            self.assertEqual(len(contexts.load(old, code, NOON).entries), 2)

    def test_one_server_a_record(self) -> None:
        with (
            safe.held(self.path, alone=True),
            safe.held(self.path, alone=False),
            self.assertRaisesRegex(InUse, "serving it already"),
            safe.held(self.path, alone=True),
        ):
            pass

    def test_the_demonstration_leaves_a_kitchens_own_record_alone(self) -> None:
        self.take_in()
        self.db.close()
        before = self.path.read_bytes()
        for more in ((), ("--fresh",)):
            code, _, complaint = run("demo", *self.data(), *more)
            self.assertEqual(code, 2)
            self.assertIn("own", complaint)
        self.assertEqual(self.path.read_bytes(), before)
        self.db = connect(self.path)
        earlier = self.folder / "50 %20 earlier?#"
        earlier.mkdir()
        written = (ROOT / "tests/data/record-0.1/record.sqlite3").read_bytes()
        (earlier / "lumbrel.sqlite3").write_bytes(written)
        self.assertEqual(run("demo", "--data", str(earlier))[0], 2)
        self.assertEqual((earlier / "lumbrel.sqlite3").read_bytes(), written)

    def test_automatic_backups_are_one_a_day_and_thin_out(self) -> None:
        folder = self.folder / "backups"
        self.assertTrue(safekeeping.back_up_today(self.path, folder, NOON))
        self.assertFalse(safekeeping.back_up_today(self.path, folder, NOON + timedelta(hours=3)))
        days = [f"{NOON - timedelta(days=d):%Y-%m-%d}" for d in range(100)]
        gone = safekeeping.superfluous(days)
        stay = [day for day in days if day not in gone]
        self.assertEqual(stay[:14], days[:14])
        self.assertEqual({day[:7] for day in stay}, {day[:7] for day in days})
        self.assertLess(len(stay), 20)
        for day in stay[14:]:
            self.assertEqual(day, min(d for d in days if d[:7] == day[:7]))

    def test_a_taken_port_or_folder_is_a_sentence(self) -> None:
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            port = str(taken.getsockname()[1])
            code, said, complaint = run("serve", *self.data(), "--port", port)
        self.assertEqual((code, said), (2, ""))
        self.assertIn("cannot be served", complaint)
        file = self.folder / "a-file"
        file.write_text("")
        code, _, complaint = run("serve", "--data", str(file / "below"))
        self.assertEqual(code, 1)
        self.assertNotIn("Traceback", complaint)

    def test_kept_tables_are_made_anew_and_compared(self) -> None:
        self.take_in()
        self.assertEqual(kept.differences(self.db), [])
        self.db.execute("UPDATE standing SET taken_at = '2020'")
        self.db.execute("DELETE FROM flow_share")
        self.assertEqual(len(kept.differences(self.db)), 2)
        kept.rebuild(self.db)
        self.assertEqual(kept.differences(self.db), [])


class OutAndIn(KitchenCase):
    def season(self) -> sqlite3.Connection:
        db = connect(season_copy(self.folder / "season"))
        self.addCleanup(db.close)
        return db

    def empty(self) -> sqlite3.Connection:
        db = connect(":memory:")
        self.addCleanup(db.close)
        kept.ready(db)
        return db

    def test_a_logbook_out_and_in_and_out_is_the_same_to_the_byte(self) -> None:
        text, other = logbook.as_json(self.season()), self.empty()
        self.assertGreater(logbook.take_in(other, text, preview=True).new["entry"], 500)
        self.assertEqual(record.batch_ids(other), [])
        logbook.take_in(other, text)
        self.assertEqual(logbook.as_json(other), text)
        self.assertEqual(kept.differences(other), [])
        again = logbook.take_in(other, text)
        self.assertEqual(sum(again.new.values()), 0)
        self.assertEqual(logbook.as_json(other), text)

    def test_what_is_cut_off_or_contradicts_brings_nothing(self) -> None:
        text, other = logbook.as_json(self.season()), self.empty()
        changed = json.loads(text)
        changed["tables"]["entry"][3]["facts"]["colour"] = "blue"
        newer = json.loads(text) | {"version": 99}
        for wrong in (text[: len(text) // 2], "{}", "[]", json.dumps(changed), json.dumps(newer)):
            with self.assertRaises(logbook.Refused):
                logbook.take_in(other, wrong)
        self.assertEqual(record.batch_ids(other), [])
        self.take_in()
        before = logbook.as_json(self.db)
        with self.assertRaisesRegex(logbook.Refused, "settings of its own"):
            logbook.take_in(self.db, text)
        self.assertEqual(logbook.as_json(self.db), before)

    def test_a_later_logbook_of_the_same_kitchen_brings_what_is_new(self) -> None:
        code, other = self.take_in(), self.empty()
        logbook.take_in(other, logbook.as_json(self.db))
        self.put(code, "note", 5, text="thick foam")
        moved = replace(load_kitchen(self.db), elevation_m=900.0)
        save_kitchen(self.db, moved, NOON + timedelta(days=1))
        coming = logbook.take_in(other, logbook.as_json(self.db))
        self.assertEqual((coming.new["entry"], coming.new["setting"]), (1, 1))
        self.assertEqual(load_kitchen(other).elevation_m, 900.0)
        self.assertEqual(logbook.document(other)["tables"], logbook.document(self.db)["tables"])

    def test_one_batch_comes_with_what_its_figures_rest_on_or_not_at_all(self) -> None:
        season = self.season()
        text, here = logbook.as_json(season), self.empty()
        save_kitchen(here, replace(load_kitchen(season), name="Ridge"), NOON - timedelta(days=99))
        before = logbook.as_json(here)
        some_batches.take_in(here, text, ["26-039"], preview=True)
        self.assertEqual(logbook.as_json(here), before)
        some_batches.take_in(here, text, ["26-039"])
        self.assertEqual(_figures(here, "26-039"), _figures(season, "26-039"))
        self.assertEqual(kept.differences(here), [])
        self.assertEqual(load_kitchen(here).name, "Ridge")
        brought = len(record.batch_ids(here))
        self.assertLess(brought, len(record.batch_ids(season)) / 2)
        again = some_batches.take_in(here, text, ["26-039"])
        self.assertEqual((sum(again.new.values()), len(record.batch_ids(here))), (0, brought))

    def test_no_batch_comes_where_it_would_say_something_else(self) -> None:
        code, hill = self.take_in(), self.empty()
        self.put(code, "thermometer", 40, instrument="dial-a", reading="101.2 C")
        text = logbook.as_json(self.db)
        moved = replace(load_kitchen(self.db), elevation_m=900.0)
        save_kitchen(hill, moved, NOON - timedelta(days=9))
        for named, why in ((code, "would say something else"), ("26-999", "no batch 26-999")):
            with self.assertRaisesRegex(logbook.Refused, why):
                some_batches.take_in(hill, text, [named])
        self.assertEqual(record.batch_ids(hill), [])

    def test_no_batch_comes_that_would_move_a_figure_of_those_that_are_there(self) -> None:
        first, there = self.take_in(), self.empty()
        self.put(first, "thermometer", 40, instrument="dial-a", reading="101.2 C")
        logbook.take_in(there, logbook.as_json(self.db))
        at = NOON + timedelta(minutes=10)
        day_entries.set_pressure(self.db, at, {"basis": "station", "pressure": "940"} | SURE)
        second = self.take_in(NOON + timedelta(hours=1), vessel="finisher-1")
        before = logbook.as_json(there)
        with self.assertRaisesRegex(logbook.Refused, f"Batch {first} of this kitchen"):
            some_batches.take_in(there, logbook.as_json(self.db), [second])
        self.assertEqual(logbook.as_json(there), before)

    def test_the_schema_is_the_published_one(self) -> None:
        published = json.loads((ROOT / "docs" / "logbook.schema.json").read_text("utf-8"))
        self.assertEqual(logbook.schema(), published)

    def test_a_batch_played_again_says_what_it_said(self) -> None:
        db = self.season()
        for code in ("26-001", "26-003"):
            context = contexts.load(db, code, AFTERNOON)
            board, again = board_of(context), Replay()
            for line in as_replay(context).splitlines():
                answer = again.answer(line)
                self.assertTrue(answer["ok"], (line, answer))
            said = again.answer('{"do": "ask"}')
            self.assertAlmostEqual(said["brix"], board.believed.brix, delta=1e-9)
            self.assertAlmostEqual(said["minutes_left"], board.minutes_left, delta=1e-6)
            again.close()

    def test_a_replay_answers_whatever_it_is_told(self) -> None:
        again = Replay()
        self.addCleanup(again.close)
        keys = {"ok", "errors", "asks"}
        for line in ("", "[", "[1]", "{}", '{"do": "ask"}', '{"do": "line", "kind": "x"}'):
            answer = again.answer(line)
            self.assertEqual((set(answer), answer["ok"]), (keys, False), line)
        start = {"do": "kitchen", "at": "2026-03-14T19:00:00+00:00", "elevation_m": 418}
        self.assertEqual(again.answer(json.dumps(start)), {"ok": True})
        sea = {"do": "pressure", "basis": "station", "typed": "1012 hPa"}
        self.assertEqual(list(again.answer(json.dumps(sea))["asks"]), ["typed"])
        sure = json.dumps(sea | {"confirm": ["typed"]})
        self.assertEqual(again.answer(sure), {"ok": True})


class Killed(KitchenCase):
    """SIGKILL in the middle of everything: what was acknowledged is there, all else is not."""

    def test_nothing_acknowledged_is_lost_and_what_is_kept_is_what_the_lines_say(self) -> None:
        code = self.take_in()
        acknowledged: list[str] = []
        rng = random.Random(5)
        for _ in range(3):
            port, process = self._served()
            until = time.monotonic() + rng.uniform(0.4, 0.9)
            try:
                while time.monotonic() < until:
                    line = f"note-{len(acknowledged):06d}-{rng.randrange(10**6):06d}"
                    body = urlencode({"id": line, "text": "foam"})
                    if self._post(port, f"/pan/{code}/slip/note", body) == 303:
                        acknowledged.append(line)
            finally:
                os.kill(process.pid, signal.SIGKILL)
                process.wait()
        self.assertGreater(len(acknowledged), 10)
        there = {row["id"] for row in self.db.execute("SELECT id FROM entry")}
        self.assertEqual([line for line in acknowledged if line not in there], [])
        self.assertEqual(safekeeping.check(self.path).problems, [])

    def _served(self) -> tuple[int, subprocess.Popen[str]]:
        words = ["serve", "--data", str(self.folder), "--port", "0", "--log-level", "error"]
        process = subprocess.Popen(
            [sys.executable, "-m", "lumbrel.cli", *words],
            cwd=ROOT,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
        )
        self.addCleanup(process.stdout.close)
        return int(process.stdout.readline().rsplit(":", 1)[1].strip(" /\n")), process

    @staticmethod
    def _post(port: int, path: str, body: str) -> int:
        link = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
        headers = {"Content-Type": "application/x-www-form-urlencoded"}
        link.request("POST", path, body, headers)
        status = link.getresponse().status
        link.close()
        return status

    def test_samples_are_kept_as_integers_to_the_millisecond(self) -> None:
        at = NOON + timedelta(milliseconds=123)
        samples_store.add_samples(self.db, "probe-1", [Sample(at, 99.5)])
        self.assertEqual(samples_store.latest_sample(self.db, "probe-1", at).at, at)
        row = self.db.execute("SELECT at FROM sample").fetchone()
        self.assertEqual(row["at"], milliseconds(at))


class Thinned(KitchenCase):
    """Samples of seasons that are over become means; what their boards said they say."""

    def test_an_old_board_says_what_it_said_before_its_samples_were_thinned(self) -> None:
        db = connect(season_copy(self.folder / "season"))
        self.addCleanup(db.close)
        codes = ("26-003", "26-012", "26-040")
        before = {code: self._figures(db, code) for code in codes}
        count = db.execute("SELECT count(*) FROM sample").fetchone()[0]
        next_year = datetime(2027, 2, 1, tzinfo=UTC)
        steps = 0
        while thin_a_little(db, next_year):
            steps += 1
        self.assertGreater(steps, 10)
        left = db.execute("SELECT count(*) FROM sample").fetchone()[0]
        self.assertLess(left, count)
        rows = db.execute("SELECT count(*) FROM sample WHERE count > 1 AND spread > 0").fetchone()
        self.assertGreater(rows[0], 20)
        self.assertEqual({code: self._figures(connect_again(db), code) for code in codes}, before)
        self.assertEqual(thin_a_little(db, next_year), 0)

    def test_this_season_is_left_alone(self) -> None:
        at = NOON - timedelta(days=30)
        samples_store.add_samples(self.db, "probe-1", [Sample(at, 99.5)])
        self.assertEqual(thin_a_little(self.db, NOON), 0)

    @staticmethod
    def _figures(db: sqlite3.Connection, code: str) -> str:
        context = contexts.load(db, code, AFTERNOON)
        board = board_of(context)
        return repr((board.believed, board.balance, board.minutes_left, board.evidence.probe_now))


def connect_again(db: sqlite3.Connection) -> sqlite3.Connection:
    """The same record with nothing remembered of it."""
    db.cache = None
    return db
