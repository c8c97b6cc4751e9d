"""What a past line says depends on what was in force at its moment; every statement is on an index."""

import re
import sqlite3
from dataclasses import fields, replace
from datetime import UTC, datetime, timedelta
from uuid import uuid4

from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.exchange import batch_files
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.book import Draft, note
from lumbrel.services.base.form import Form
from lumbrel.services.day import entries as day_entries
from lumbrel.services.day.facts import ScaleCheckFacts
from lumbrel.services.kitchen import settings
from lumbrel.services.kitchen.register import add_to_kitchen
from lumbrel.services.pan.board import board_of
from lumbrel.services.probes import intake
from lumbrel.store.db import connect, opened
from lumbrel.store.instruments import retire_instrument
from lumbrel.store.kitchen import Kitchen, load_kitchen, save_kitchen
from tests.support.kitchen import NOON, KitchenCase, season_copy
from tests.support.records import AFTERNOON, SURE, lines


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
            "labels": {"language": "fr"},
            "logo": "data:image/png;base64,AAAA",
            "sap": {"taps": "older", "apart": "15"},
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
        self.put(code, "hydrometer", 20, reading="46", cup="90 C", reading_confirmed="1")
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
        (line,) = [x for x in lines(self.db, code) if x["id"] == read.id]
        (first,) = [x for x in lines(self.db, code) if x["typed"].get("reading") == "46"][:1]
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
        rowid = self.db.execute("SELECT max(rowid) FROM line").fetchone()[0]
        columns = "id, about, about_id, kind, at, noted_at, typed, facts"
        values = f"'batch', '{line.batch_id}', 'note', '', '', '{{}}', '{{}}'"
        raw = sqlite3.connect(self.path)
        self.addCleanup(raw.close)
        before = raw.execute("SELECT * FROM line").fetchall()
        for statement in (
            "UPDATE line SET why = 'x'",
            "DELETE FROM line",
            f"INSERT OR REPLACE INTO line ({columns}) VALUES ('{line.id}', {values})",
            f"REPLACE INTO line (rowid, {columns}) VALUES ({rowid}, 'new-one-0001', {values})",
            f"REPLACE INTO line ({columns}, supersedes) VALUES ('new-2', {values}, '{line.id}')",
            "UPDATE setting SET value = '1'",
            "DELETE FROM setting",
            "REPLACE INTO setting SELECT seq, name, at, noted_at, '1' FROM setting LIMIT 1",
        ):
            with self.subTest(statement), self.assertRaises(sqlite3.Error):
                raw.execute(statement)
        self.assertEqual(raw.execute("SELECT * FROM line").fetchall(), before)

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


CONFIRMED = {"reading_confirmed": "1", "cup_confirmed": "1"}
PAIR = {"instrument": "long-stem", "reading": "58.2", "cup": "92 C"} | CONFIRMED


class Quick(KitchenCase):
    def test_every_statement_of_a_page_is_on_an_index(self) -> None:
        path = season_copy(self.folder / "season")
        from fastapi.testclient import TestClient

        from lumbrel.web.shell import app as web
        from lumbrel.web.shell.settings import Settings
        from scripts.bench_record import codes
        from tests.support import crawl

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
                self.assertGreater(len(list(crawl.pages(client, each=1))), 45)
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
        self.put(code, "hydrometer", 20, reading="46", cup="90 C", reading_confirmed="1")
        with patch.object(hydrometer, "estimate", wraps=hydrometer.estimate) as computed:
            for _ in range(3):
                (_, before) = lines(self.db, code)
            self.assertLessEqual(computed.call_count, 1)
            calls = computed.call_count
            too_much = ScaleCheckFacts(against="solution", true_value=60, error=0.8)
            note(self.db, Draft(too_much, "instrument", "long-stem"), "check-0001", NOON)
            (_, line) = lines(self.db, code)
            self.assertEqual(computed.call_count, calls + 1)
        self.assertAlmostEqual(line["corrected_brix"], before["corrected_brix"] - 0.8, delta=0.05)


SCANS = r"^SCAN (entry|line|later|sample|flow|batch|parcel)\b"
"""What no page does; an index, too, is not read from end to end."""


def _blanks(sql: str) -> list[None]:
    """Nothing for every place that a statement fills in."""
    numbered = [int(n) for n in re.findall(r"\?(\d+)", sql)]
    return [None] * (max(numbered) if numbered else sql.count("?"))
