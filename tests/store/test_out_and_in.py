"""A logbook out and in again, and a boil played again."""

import io
import json
import shutil
import sqlite3
from collections.abc import Iterator
from contextlib import closing, redirect_stderr, redirect_stdout
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest import mock

from lumbrel.cli import STOPPED, main
from lumbrel.exchange import logbook, logbook_in, some_batches
from lumbrel.exchange.replay import Replay
from lumbrel.exchange.replay_out import as_replay
from lumbrel.services import stations
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.entry import of_row
from lumbrel.services.base.facts import StirFacts
from lumbrel.services.candy.pot import pot_of
from lumbrel.services.day import entries as day_entries
from lumbrel.services.jar.kettle import kettle_of
from lumbrel.services.pan.board import board_of
from lumbrel.services.record import compared, kept
from lumbrel.store import book, record
from lumbrel.store.db import connect, opened
from lumbrel.store.kitchen import load_kitchen, save_kitchen, vessels
from lumbrel.store.registered import change
from lumbrel.store.samples import Sample, add_samples, samples
from tests.support.kitchen import NOON, KitchenCase, season_copy
from tests.support.records import AFTERNOON, SURE, figures

ROOT = Path(__file__).parent.parent.parent
EARLIER = ROOT / "tests" / "data" / "record-0.1"


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

    def test_records_and_logbooks_of_earlier_versions_become_one_book(self) -> None:
        """The record of version 0.1, and the logbook that version 0.15 wrote of it, say the same."""
        path = Path(shutil.copy(EARLIER / "record.sqlite3", self.folder / "earlier.sqlite3"))
        with closing(sqlite3.connect(path)) as old:
            boils = old.execute("SELECT id, reading_c, station_pressure_pa FROM test_boil").fetchall()
            lines = old.execute("SELECT count(*) FROM entry").fetchone()[0]
        self.assertGreater(len(boils), 0)
        with opened(path) as db:
            kept.ready(db)
            self.assertEqual(compared.differences(db), [])
            for boil, reading, pressure in boils:
                facts = of_row(book.by_id(db, boil)).facts
                self.assertEqual((facts.reading_c, facts.station_pressure_pa), (reading, pressure))
            slips = db.execute(
                "SELECT count(*) FROM line WHERE about = 'batch' AND kind <> 'first'"
            ).fetchone()[0]
            self.assertEqual(slips, lines)
            now = logbook.as_json(db)
            written, other = (EARLIER / "logbook-1.json").read_text("utf-8"), self.empty()
            self.assertEqual(json.loads(written)["version"], 1)
            logbook_in.take_in(other, written)
            self.assertEqual(logbook.as_json(other), now)
            self.assertFalse(logbook_in.take_in(db, written).new, "all of it is there")
        broken = json.loads(written)
        broken["tables"]["entry"][0]["batch_id"] = "nobody"
        for wrong in (
            broken,
            broken | {"record_version": 3},
            broken | {"tables": {"x; DROP": [{}]}},
        ):
            with self.assertRaises(logbook.NotTaken):
                logbook_in.take_in(self.empty(), json.dumps(wrong))

    def test_a_pour_that_was_struck_comes_with_an_earlier_logbook(self) -> None:
        """It forbids none that came after it, though the tables of its version would have."""
        outs = set()
        for name in ("poured-1.json", "poured-2.json"):
            text, other = (EARLIER / name).read_text("utf-8"), self.empty()
            logbook_in.take_in(other, text)
            self.assertEqual(compared.differences(other), [])
            self.assertFalse(logbook_in.take_in(other, text).new)
            outs.add(logbook.as_json(other))
        self.assertEqual(len(outs), 1)

    def test_what_is_kept_is_made_anew_by_a_command(self) -> None:
        folder = self.folder / "season"
        record_file = season_copy(folder)
        with opened(record_file) as db:
            db.execute("UPDATE stock SET packs = packs + 1")
            db.execute("DELETE FROM promise")
        for command, ends in (("check", 1), ("rebuild", 0), ("check", 0)):
            with redirect_stdout(io.StringIO()), redirect_stderr(io.StringIO()):
                self.assertEqual(main([command, "--data", str(folder)]), ends, command)

    def test_a_logbook_out_and_in_and_out_is_the_same_to_the_byte(self) -> None:
        text, other = logbook.as_json(self.season()), self.empty()
        self.assertGreater(logbook_in.take_in(other, text, preview=True).new["line"], 500)
        self.assertEqual(record.batch_ids(other), [])
        logbook_in.take_in(other, text)
        self.assertEqual(logbook.as_json(other), text)
        self.assertEqual(compared.differences(other), [])
        again = logbook_in.take_in(other, text)
        self.assertEqual(sum(again.new.values()), 0)
        self.assertEqual(logbook.as_json(other), text)

    def test_what_is_cut_off_or_contradicts_brings_nothing(self) -> None:
        text, other = logbook.as_json(self.season()), self.empty()
        changed = json.loads(text)
        changed["tables"]["line"][3]["facts"]["colour"] = "blue"
        newer = json.loads(text) | {"version": 99}
        for wrong in (text[: len(text) // 2], "{}", "[]", json.dumps(changed), json.dumps(newer)):
            with self.assertRaises(logbook.NotTaken):
                logbook_in.take_in(other, wrong)
        self.assertEqual(record.batch_ids(other), [])
        self.take_in()
        before = logbook.as_json(self.db)
        with self.assertRaisesRegex(logbook.NotTaken, "settings of its own"):
            logbook_in.take_in(self.db, text)
        self.assertEqual(logbook.as_json(self.db), before)

    def test_the_order_of_its_parts_is_not_its_matter(self) -> None:
        self.take_in()
        add_samples(self.db, "probe-1", [Sample(NOON, 99.0)])
        text, other = logbook.as_json(self.db), self.empty()
        whole = json.loads(text)
        turned = {"samples": whole.pop("samples"), "tables": {}} | whole
        turned["tables"] = dict(reversed(whole["tables"].items()))
        logbook_in.take_in(other, json.dumps(turned, indent=1))
        self.assertEqual(logbook.as_json(other), text)

    def test_what_has_not_the_shape_of_a_logbook_is_told_by_where_and_brings_nothing(self) -> None:
        self.take_in()
        text, other = logbook.as_json(self.db), self.empty()
        good = json.loads(text)
        lines = good["tables"]["line"]

        def with_tables(**changed: Any) -> str:
            return json.dumps(good | {"tables": good["tables"] | changed})

        huge = {**lines[-1], "facts": {"brix": 10**30}}
        deep = {**lines[-1], "facts": json.loads('{"a": ' * 400 + "1" + "}" * 400)}
        for wrong, where in (
            (with_tables(line={"0": lines[0]}), "tables.line"),
            (with_tables(more=[]), "tables.more"),
            (with_tables(line=[*lines, 7]), f"tables.line.{len(lines)}"),
            (with_tables(line=[*lines[:-1], {**lines[-1], "at": None}]), "at: Input"),
            (with_tables(line=[*lines[:-1], {**lines[-1], "colour": 1}]), "colour"),
            (with_tables(line=[*lines[:-1], {**lines[-1], "id": "x" * 40, "facts": {}}]), "facts"),
            (with_tables(line=[*lines[:-1], huge]), ""),
            (with_tables(line=[*lines[:-1], deep]), ""),
            (with_tables(alarm=[{"id": "a"}]), "alarm: its columns"),
            (json.dumps({k: v for k, v in good.items() if k != "tables"}), "tables"),
            (json.dumps(good | {"tables": []}), "tables"),
            (json.dumps(good | {"more": 1}), "more"),
            (json.dumps(good | {"version": "three"}), "version"),
            (json.dumps(good | {"version": 1, "tables": None}), "tables"),
            (json.dumps(good | {"samples": [{"at": [1]}]}), "samples.0"),
            ("[" * 100_000, "nested too deep"),
            (
                text.replace('"facts": {', '"facts": {"x": ' + "[" * 100_000 + "]" * 100_000 + ", "),
                "too deep",
            ),
            (text + "{}", "JSON"),
            (text.replace('"typed": {', '"typed": NaN, "x": {', 1), "JSON"),
            *((text[: len(text) * n // 9], "JSON|no logbook") for n in range(9)),
        ):
            with self.subTest(wrong[-60:]), self.assertRaisesRegex(logbook.NotTaken, where):
                logbook_in.take_in(other, wrong)
        with self.assertRaisesRegex(logbook.NotTaken, "JSON"):
            logbook_in.take_in(other, io.BytesIO(text.encode("utf-16")))
        self.assertEqual(other.execute("SELECT count(*) FROM line").fetchone()[0], 0)
        self.assertFalse(other.in_transaction)

    def test_however_it_is_cut_it_is_all_there_and_can_be_stopped(self) -> None:
        sent = [Sample(NOON + timedelta(seconds=i), 90 + i / 100) for i in range(100)]
        add_samples(self.db, "probe-1", sent)
        whole = "".join(logbook.parts(self.db))
        with (
            mock.patch.object(logbook, "SAMPLES_A_ROW", 7),
            mock.patch.object(logbook, "CHUNK", 100),
        ):
            cut = list(logbook.parts(self.db))
        self.assertGreater(len(cut), 20)
        mine = []
        for text in (whole, "".join(cut)):
            other = self.empty()
            logbook_in.take_in(other, text)
            mine.append(samples(other, "probe-1", NOON, NOON + timedelta(hours=1)))
        self.assertEqual([len(found) for found in mine], [100, 100])
        self.assertEqual(mine[0], mine[1])
        out = self.folder / "stopped.json"

        def stopped(*_: object) -> Iterator[str]:
            yield "{"
            raise KeyboardInterrupt

        with mock.patch.object(logbook, "parts", stopped), redirect_stderr(io.StringIO()) as said:
            ended = main(["export", "--data", str(self.path.parent), "--out", str(out)])
        self.assertEqual((ended, out.exists()), (STOPPED, False), said.getvalue())

    def test_it_is_of_one_moment_whatever_is_written_meanwhile(self) -> None:
        code = self.take_in()
        with opened(self.path) as other, mock.patch.object(logbook, "CHUNK", 1):
            coming = logbook.parts(other)
            begun = [next(coming) for _ in range(4)]
            self.put(code, "hydrometer", 5, reading="50", cup="92 C", reading_confirmed="1")
            tables = json.loads("".join([*begun, *coming]))["tables"]
            self.assertFalse(other.in_transaction)
        lines = {line["id"] for line in tables["line"]}
        self.assertNotIn("hydrometer", {line["kind"] for line in tables["line"]})
        self.assertLessEqual({said["line_id"] for said in tables["said"]}, lines)

    def test_a_later_logbook_of_the_same_kitchen_brings_what_is_new(self) -> None:
        code, other = self.take_in(), self.empty()
        logbook_in.take_in(other, logbook.as_json(self.db))
        self.put(code, "note", 5, text="thick foam")
        moved = replace(load_kitchen(self.db), elevation_m=900.0)
        save_kitchen(self.db, moved, NOON + timedelta(days=1))
        coming = logbook_in.take_in(other, logbook.as_json(self.db))
        self.assertEqual(coming.new["line"], 2, "the note, and what was set")
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
        self.assertEqual(figures(here, "26-039"), figures(season, "26-039"))
        self.assertEqual(compared.differences(here), [])
        self.assertEqual(load_kitchen(here).name, "Ridge")
        brought = len(record.batch_ids(here))
        self.assertLess(brought, len(record.batch_ids(season)) / 2)
        again = some_batches.take_in(here, text, ["26-039"])
        self.assertEqual((sum(again.new.values()), len(record.batch_ids(here))), (0, brought))

    def test_a_check_that_was_struck_later_comes_struck(self) -> None:
        boil = {"thermometer": "dial-a", "reading": "99.6 C", "id": "boil-0001"}
        day_entries.test_boil(self.db, NOON - timedelta(hours=1), boil)
        code = self.take_in()
        self.put(code, "thermometer", 30, instrument="dial-a", reading="101 C", **SURE)
        stations.book.strike(self.db, "boil-0001", {"why": "cold"}, NOON + timedelta(days=2))
        other, text = self.empty(), logbook.as_json(self.db)
        some_batches.take_in(other, text, [code])
        self.assertTrue(book.by_id(other, "boil-0001").superseded)
        self.assertEqual(figures(other, code), figures(self.db, code))

    def test_a_probe_that_stood_elsewhere_later_comes_with_both_its_vessels(self) -> None:
        code = self.take_in(vessel="finisher-1")
        self.put(code, "thermometer", 30, instrument="probe-1", reading="101 C", **SURE)
        moved = {"vessel_id": "finisher-2"}
        at = NOON + timedelta(days=1)
        change(self.db, "instrument", "probe-1", moved, since=at, noted_at=at)
        other = self.empty()
        some_batches.take_in(other, logbook.as_json(self.db), [code])
        self.assertEqual({one.id for one in vessels(other)}, {"finisher-1", "finisher-2"})
        self.assertEqual(compared.differences(other), [])

    def test_no_batch_comes_where_it_would_say_something_else(self) -> None:
        code, hill = self.take_in(), self.empty()
        self.put(code, "thermometer", 40, instrument="dial-a", reading="101.2 C")
        text = logbook.as_json(self.db)
        moved = replace(load_kitchen(self.db), elevation_m=900.0)
        save_kitchen(hill, moved, NOON - timedelta(days=9))
        for named, why in ((code, "would say something else"), ("26-999", "no batch 26-999")):
            with self.assertRaisesRegex(logbook.NotTaken, why):
                some_batches.take_in(hill, text, [named])
        self.assertEqual(record.batch_ids(hill), [])

    def test_no_batch_comes_that_would_move_a_figure_of_those_that_are_there(self) -> None:
        first, there = self.take_in(), self.empty()
        self.put(first, "thermometer", 40, instrument="dial-a", reading="101.2 C")
        logbook_in.take_in(there, logbook.as_json(self.db))
        at = NOON + timedelta(minutes=10)
        day_entries.set_pressure(self.db, at, {"basis": "station", "pressure": "940"} | SURE)
        second = self.take_in(NOON + timedelta(hours=1), vessel="finisher-1")
        before = logbook.as_json(there)
        with self.assertRaisesRegex(logbook.NotTaken, f"Batch {first} of this kitchen"):
            some_batches.take_in(there, logbook.as_json(self.db), [second])
        self.assertEqual(logbook.as_json(there), before)

    def test_the_schema_is_the_published_one(self) -> None:
        published = json.loads((ROOT / "docs" / "logbook.schema.json").read_text("utf-8"))
        self.assertEqual(logbook.schema(), published)

    def test_a_batch_played_again_says_what_it_said(self) -> None:
        db = self.season()
        again = Replay()
        self.addCleanup(again.close)
        now = json.dumps({"do": "ask", "at": AFTERNOON.isoformat()})
        codes = [c for (c,) in db.execute("SELECT code FROM batch ORDER BY code").fetchall() if "C" not in c]
        for code in codes[:3] + codes[-18:]:
            context = contexts.load(db, code, AFTERNOON)
            board, kettle = board_of(context), kettle_of(context)
            again.answer('{"do": "anew"}')
            for line in as_replay(context).splitlines():
                answer = again.answer(line)
                self.assertTrue(answer["ok"], (code, line, answer))
            said = again.answer(now)
            self.assertEqual(said["kettle"] is None, kettle is None, code)
            self.assertAlmostEqual(said["brix"], board.believed.brix, delta=said["sigma_brix"], msg=code)
            if kettle is None:
                self.assertAlmostEqual(said["minutes_left"], board.minutes_left, delta=0.1, msg=code)
            elif kettle.minutes_left is not None:
                self.assertAlmostEqual(said["kettle"]["minutes_left"], kettle.minutes_left, delta=0.1)
                self.assertEqual(said["kettle"]["jars"], kettle.in_this_heat)
            if code in ("26-001", "26-003"):
                self.assertAlmostEqual(said["brix"], board.believed.brix, delta=1e-9)

    def test_a_cook_played_again_says_what_it_said(self) -> None:
        db = self.season()
        again = Replay()
        self.addCleanup(again.close)
        codes = [c for (c,) in db.execute("SELECT code FROM batch ORDER BY code").fetchall() if "C" in c]
        contexts_of = [contexts.load(db, code, AFTERNOON) for code in codes]
        stirred_ones = [context for context in contexts_of if context.last(StirFacts)][-5:]
        self.assertGreater(len(stirred_ones), 3)
        for context in stirred_ones:
            code = context.batch.code
            board, stirred = pot_of(context), context.last(StirFacts)
            at = stirred.at - timedelta(seconds=2)
            again.answer('{"do": "anew"}')
            for line in as_replay(context).splitlines():
                if json.loads(line).get("at", "") <= at.isoformat(timespec="milliseconds"):
                    answer = again.answer(line)
                    self.assertTrue(answer["ok"], (code, line, answer))
                    marked = answer.get("mark_c", 0.0)
                    self.assertTrue(not marked or abs(marked - board.shown_c(board.mark_c)) < 1.0, answer)
            said = again.answer(json.dumps({"do": "ask", "at": at.isoformat()}))["pot"]
            self.assertEqual(said["phase"], "cooling")
            if stirred.facts.temperature_c is not None:
                told = board.shown_c(stirred.facts.temperature_c)
                self.assertAlmostEqual(said["temperature_c"], told, delta=2.0, msg=code)

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
