"""Trees, tanks, runs and fires in the record: what is written, refused, aged, learned and closed."""

import json
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from sqlite3 import IntegrityError

from lumbrel.core.sap import sap
from lumbrel.exchange import logbook, logbook_in
from lumbrel.exchange.calendar import due_calendar
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.entry import lines_about, newest
from lumbrel.services.base.facts import PouredFacts, TakeInFacts
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.base.standing import waits_for
from lumbrel.services.kitchen import overview
from lumbrel.services.record.kept import differences, ready
from lumbrel.services.sap import alarms as fire_alarms
from lumbrel.services.sap import (
    boil,
    boil_plan,
    dues,
    fire,
    gathered_sap,
    gathering,
    gear,
    played,
    register,
    rules,
    runs,
    season,
    tanks,
    taps,
    trees,
    weather,
)
from lumbrel.services.sap import overview as sap_overview
from lumbrel.services.sap.facts import GatheredFacts, OutFacts
from lumbrel.services.shelf.accounts import accounts
from lumbrel.services.shelf.trace import flows_of
from lumbrel.services.stations import book, line, next_after_draw, slip
from lumbrel.services.take_in import near_syrup
from lumbrel.store import book as books
from lumbrel.store import flow, flowed, kept
from lumbrel.store import sap as store
from lumbrel.store.db import IdReused, connect, transaction
from lumbrel.store.kitchen import VesselRow, add_vessel, load_kitchen
from lumbrel.worlds.outdoors import station_of
from tests.support.kitchen import KitchenCase, season_copy

MARCH = datetime(2026, 3, 10, 16, 0, tzinfo=UTC)
CLEAR = {"woodlot": "upper-fold", "brix_by": "told", "clarity": "clear", "taps": "40"}


class SapCase(KitchenCase):
    def tank(self, capacity: str = "400 L", place: str = "outside") -> str:
        given = {"name": f"Tank {capacity}", "capacity": capacity, "place": place}
        return tanks.add_tank(self.db, given, MARCH)

    def gather(self, tank: str = "", at: datetime = MARCH, **more: str) -> None:
        fields = {**CLEAR, "litres": "100 L", "brix": "2.0", "tank": tank, **more}
        gathered_sap.gather(self.db, fields, at)

    def tree(self, girth: str = "150 cm", **more: str) -> str:
        given = {"name": "14", "tree": "sugar maple", "girth": girth, **more}
        return taps.add_trees(self.db, "upper-fold", given, MARCH)[0]

    def refused(self, field: str, call: object, *given: object) -> str:
        assert callable(call)
        with self.assertRaises(BadInput) as caught:
            call(self.db, *given)
        said = caught.exception.errors | caught.exception.asks
        self.assertIn(field, said)
        return said[field]


class OneSeason(SapCase):
    def test_what_is_gathered_in_november_is_next_years_on_every_page(self) -> None:
        november = MARCH.replace(year=2025, month=11, day=20)
        self.gather(at=november)
        for at in (november, MARCH):
            shown = sap_overview.overview(self.db, at)
            self.assertEqual(shown.season, 2026)
            given = next(lot for lot in shown.lots if lot.litres)
            self.assertGreater(given.taps, 0)
            page = season.season_page(self.db, 2026, at)
            self.assertAlmostEqual(page.whole.litres, given.litres)
        self.assertEqual(season.season_page(self.db, 2025, MARCH).whole.litres, 0)


class Pails(SapCase):
    def test_sap_without_a_tank_stands_in_pails_and_goes_wherever_sap_of_a_tank_goes(self) -> None:
        self.gather("pails", id="pails-0001")
        self.gather("pails", id="pails-0002")
        held = played.view(self.db, "pails", MARCH)
        self.assertAlmostEqual(held.content.litres, 200.0, delta=0.1)
        self.assertFalse(held.tank.bounded)
        at_tank = self.tank()
        tanks.move(self.db, "pails", {"to": at_tank, "litres": "120 L"}, MARCH)
        tanks.take_out(self.db, "pails", {"litres": "10 L", "reason": "spilt"}, MARCH)
        lit = {"tank": "pails", "vessel": "finisher-1", "fill": "20 L", "target": "55"}
        fire.light(self.db, lit, MARCH + timedelta(hours=1))
        left = played.view(self.db, "pails", MARCH + timedelta(hours=2)).content
        self.assertAlmostEqual(left.litres, 50.0, delta=0.1)
        # More was taken than the other collection holds.
        later = MARCH + timedelta(hours=2)
        self.refused("why", book.strike, "pails-0001", {"id": "struck-0001"}, later)
        self.gather("pails", id="pails-0003", litres="40 L")
        book.strike(self.db, "pails-0003", {"id": "struck-0003"}, MARCH)
        self.assertEqual([t.name for t in store.tanks(self.db)].count("Pails"), 1)
        self.assertEqual(differences(self.db), [])

    def test_who_calls_a_tank_pails_has_one_of_that_name(self) -> None:
        given = {"name": "Pails", "capacity": "80 L", "place": "snow"}
        own = tanks.add_tank(self.db, given, MARCH)
        self.gather("pails", litres="40 L")
        self.assertAlmostEqual(played.view(self.db, own, MARCH).content.litres, 40, delta=0.1)

    def test_what_only_is_counted_can_be_struck(self) -> None:
        self.gather(id="count-0001")
        listed = trees.collections(self.db, "upper-fold")
        self.assertEqual([line.id for line in listed], ["count-0001"])
        book.strike(self.db, "count-0001", {"id": "struck-0001"}, MARCH)
        self.assertEqual(trees.collections(self.db, "upper-fold"), [])


class Register(SapCase):
    def listed(self, text: str, upload: bytes = b"", **more: str) -> list[str]:
        given = {"id": "list-0001", "tree": "sugar maple", "list": text, **more}
        return taps.add_list(self.db, "upper-fold", given, upload, MARCH)

    def test_sixty_trees_are_one_press_and_sent_twice_are_sixty(self) -> None:
        text = "tree\tgirth\tkind\n" + "\n".join(f"{n}\t{100 + n} cm" for n in range(1, 31))
        text += "\n31-59\nGate\t60 in\tred maple\n"
        for _ in range(2):
            self.assertEqual(len(self.listed(text)), 60)
        seen = {v.tree.name: v for v in trees.views(self.db, "upper-fold", MARCH)}
        self.assertEqual(len(seen), 60)
        self.assertEqual(seen["7"].girth_mm, 1070)
        line = lines_about(self.db, seen["7"].tree.id)[0]
        self.assertEqual(line.typed, {"name": "7", "girth": "107 cm"}, "not the whole list")
        self.assertIsNone(seen["40"].girth_mm)
        self.assertEqual((seen["Gate"].tree.kind, seen["Gate"].girth_mm), ("red maple", 1524))
        self.assertEqual(
            len(self.listed("", b"\xef\xbb\xbf101, 120 cm\n102; 90", id="list-0002")), 2
        )

    def test_a_list_that_is_wrong_in_one_line_registers_none(self) -> None:
        self.tree()
        for text, said in (
            ("1, 120 cm\n2, 9000 cm", "Line 2"),
            ("1\n2\n1", "stands in the list twice"),
            ("1\n14", "14 is another tree"),
            ("", "Type one tree a line"),
            ("1-2100", "at most"),
        ):
            with self.subTest(text):
                refused = self.refused("list", lambda *_, text=text: self.listed(text), self.db)
                self.assertIn(said, refused)
        self.assertEqual(len(store.trees(self.db, "upper-fold")), 1)

    def test_woodlots_trees_and_tanks_are_renamed_and_retired_and_keep_what_was_written(
        self,
    ) -> None:
        tree, tank = self.tree(), self.tank()
        self.gather(tank, litres="20 L")
        things = {"woodlot": "upper-fold", "tree": tree, "tank": tank}
        self.assertIn("Upper Fold", played.view(self.db, tank, MARCH).steps[0].words)
        for what, key in things.items():
            for _ in range(2):
                register.rename(self.db, what, key, {"name": f"New {what}"}, MARCH)
            self.assertEqual(register.thing_of(self.db, what, key).name, f"New {what}")
            self.refused("name", register.rename, what, key, {"name": " "}, MARCH)
        self.assertIn("New woodlot", played.view(self.db, tank, MARCH).steps[0].words)
        taken = {"name": "Tern Lot"}
        self.refused("name", register.rename, "woodlot", "upper-fold", taken, MARCH)
        self.assertIn("20", self.refused("retired", register.retire, "tank", tank, True, MARCH))
        tanks.take_out(self.db, tank, {"all": "1", "reason": "spilt"}, MARCH)
        for what, key in things.items():
            register.retire(self.db, what, key, True, MARCH)
        page = gathering.page(self.db, "", MARCH)
        self.assertNotIn(tank, dict(page.into))
        self.assertNotIn("upper-fold", [w.id for w in page.woodlots])
        self.assertTrue(store.tree_by(self.db, tree).retired)
        register.retire(self.db, "woodlot", "upper-fold", False, MARCH)
        self.assertIn("upper-fold", [w.id for w in gathering.page(self.db, "", MARCH).woodlots])
        self.assertEqual(differences(self.db), [])
        other = connect(self.folder / "other.sqlite3")
        self.addCleanup(other.close)
        ready(other)
        for _ in range(2):
            logbook_in.take_in(other, logbook.as_json(self.db))
        for what, key in things.items():
            self.assertEqual(
                register.thing_of(other, what, key), register.thing_of(self.db, what, key)
            )


class Trees(SapCase):
    def test_a_hole_goes_where_the_rule_finds_a_place(self) -> None:
        tree = self.tree()
        seen = trees.view(self.db, tree, MARCH)
        self.assertEqual((seen.bears, len(seen.places)), (2, 2))
        for number, place in enumerate(seen.places):
            here = {
                "id": f"hole-000{number}",
                "bearing": f"{place.bearing_deg:.1f}",
                "height": f"{place.height_mm:.0f} mm",
            }
            for _ in range(2):
                taps.tap(self.db, tree, here, MARCH)
        seen = trees.view(self.db, tree, MARCH)
        self.assertEqual((seen.drilled, len(seen.places), len(seen.holes)), (2, 0, 2))
        self.assertEqual(
            seen.holes[0].hole.girth_mm, 0.0, "a girth that was carried over tells nothing"
        )
        third = {"bearing": "N", "height": "1200 mm"}
        self.assertIn("bears 2 taps", self.refused("bearing", taps.tap, tree, third, MARCH))
        taps.tap(self.db, tree, third | {"bearing_confirmed": "1"}, MARCH)
        # Next year the same hole is in dead wood, and one beside it too near.
        later = MARCH.replace(year=2027)
        dead = {"bearing": "0.3", "height": "1300 mm", "bearing_confirmed": "1"}
        self.assertIn(
            "dead wood of the hole of 2026", self.refused("bearing", taps.tap, tree, dead, later)
        )
        near = {"bearing": "20", "height": "1300 mm"}
        self.assertIn("the rule here wants", self.refused("bearing", taps.tap, tree, near, later))

    def test_what_cannot_be_is_said_at_its_field(self) -> None:
        for girth in ("8 m", "3 cm"):
            given = {"name": "2", "tree": "birch", "girth": girth}
            said = self.refused("girth", taps.add_trees, "upper-fold", given, MARCH)
            self.assertIn("between 20 and 600 cm", said)
        giant = {"name": "2", "tree": "birch", "girth": "450 cm"}
        self.assertIn("a giant", self.refused("girth", taps.add_trees, "upper-fold", giant, MARCH))
        tree = self.tree()
        again = {"name": "14", "tree": "birch"}
        self.assertIn(
            "another tree", self.refused("name", taps.add_trees, "upper-fold", again, MARCH)
        )
        old = {"year": "2026", "bearing": "S", "height": "1200 mm"}
        self.assertIn("1950 to 2025", self.refused("year", taps.old_hole, tree, old, MARCH))
        with self.assertRaises(NotFound):
            trees.view(self.db, "none", MARCH)
        with self.assertRaises(NotFound):
            taps.close(self.db, tree, "none", {}, MARCH)

    def test_the_rule_of_the_kitchen_moves_the_places(self) -> None:
        tree = self.tree(girth="100 cm")
        for back, side in enumerate(("S", "W", "N"), 1):
            old = {"year": str(2026 - back), "bearing": side, "height": "1200 mm"}
            taps.old_hole(self.db, tree, old, MARCH)
        full = trees.view(self.db, tree, MARCH)
        self.assertTrue(full.is_full)
        self.assertEqual([count for _, count in full.elsewhere], [1])
        rules.save(self.db, rules.STANDARD | {"apart": "15", "depth": "38"}, MARCH)
        self.assertEqual(len(trees.view(self.db, tree, MARCH).places), 1)
        self.assertEqual(rules.rule_of(load_kitchen(self.db)).depth_mm, 38.0)
        self.refused("depth", rules.save, rules.STANDARD | {"depth": "3 m"}, MARCH)
        grown = {"girth": "104 cm"}
        taps.measure(self.db, tree, grown, MARCH.replace(year=2028))
        self.assertTrue(trees.view(self.db, tree, MARCH.replace(year=2028)).growth_measured)
        pulled = {"left": "open"}
        taps.pull(self.db, tree, pulled, MARCH)
        hole = full.holes[0].id
        taps.close(self.db, tree, hole, {}, MARCH)
        seen = trees.view(self.db, tree, MARCH)
        self.assertEqual(
            (seen.pulled and seen.pulled.left, seen.holes[0].closed_in), ("open", 2026)
        )

    def test_the_list_shows_each_line_at_once(self) -> None:
        tree, other = self.tree(), self.tree(name="15")

        def drilled(at: datetime = MARCH) -> list[int]:
            return [one.drilled for one in trees.views(self.db, "upper-fold", at)]

        self.assertEqual(drilled(), [0, 0])
        first = trees.views(self.db, "upper-fold", MARCH)
        hole = {"id": "hole-0001", "bearing": "180", "height": "1200 mm"}
        taps.tap(self.db, tree, hole, MARCH)
        self.assertEqual(drilled(), [1, 0])
        second = trees.views(self.db, "upper-fold", MARCH)
        self.assertIs(second[1], first[1])
        # A line that came to nothing leaves nothing behind.
        bad = {"id": "hole-0002", "bearing": "10", "height": "1200 mm"}
        with self.assertRaises(RuntimeError), transaction(self.db):
            again = books.by_id(self.db, "hole-0001")
            books.add(self.db, replace(again, id="gone-0001"))
            store.keep(self.db, replace(again, id="gone-0001"))
            self.assertEqual(drilled(), [2, 0])
            raise RuntimeError
        self.assertEqual(drilled(), [1, 0])
        taps.tap(self.db, other, bad, MARCH)
        self.assertEqual(drilled(), [1, 1])
        book.strike(self.db, "hole-0001", {"id": "struck-01", "why": "no"}, MARCH)
        self.assertEqual(drilled(), [0, 1])
        self.assertEqual(drilled(MARCH.replace(year=2027)), [0, 0])

    def test_strong_and_poor_trees_show(self) -> None:
        strong, poor = self.tree(), self.tree(name="15")
        given = {f"litres_{strong}": "30 L", f"litres_{poor}": "10 L", "brix": "2.5"}
        gathered_sap.gather(self.db, {**CLEAR, **given}, MARCH)
        known = [trees.tree_of(self.db, key) for key in (strong, poor)]
        gave = trees.yields(self.db, "upper-fold", 2026, known)
        self.assertEqual((gave[strong].rank, gave[poor].rank), (1, 2))
        self.assertAlmostEqual(gave[strong].litres, 30.0)


class Tanks(SapCase):
    def test_what_comes_in_is_what_is_there(self) -> None:
        tank = self.tank()
        self.gather(tank)
        self.gather(
            tank, at=MARCH + timedelta(hours=1), litres="50 L", brix="3", woodlot="tern-lot"
        )
        held = played.view(self.db, tank, MARCH + timedelta(hours=2)).content
        self.assertAlmostEqual(held.litres, 150.0, delta=0.3)
        self.assertAlmostEqual(held.brix, 350 / 150, delta=0.01)
        self.assertEqual(set(held.by_woodlot), {"upper-fold", "tern-lot"})
        more = {"litres": "200 L", "reason": "spilt"}
        said = self.refused("litres", tanks.take_out, tank, more, MARCH + timedelta(hours=2))
        self.assertIn("more than was in it", said)
        tanks.take_out(self.db, tank, {"all": "1", "reason": "ropy"}, MARCH + timedelta(hours=3))
        self.assertTrue(played.view(self.db, tank, MARCH + timedelta(hours=4)).empty)
        # What was thrown out rests on what came in.
        first = newest(self.db, GatheredFacts, since=MARCH, until=MARCH + timedelta(hours=2))[-1]
        self.refused("why", book.strike, first.id, {}, MARCH + timedelta(hours=5))
        out = newest(self.db, OutFacts, since=MARCH, until=MARCH + timedelta(hours=4))[0]
        book.strike(self.db, out.id, {}, MARCH + timedelta(hours=5))
        self.assertFalse(played.view(self.db, tank, MARCH + timedelta(hours=6)).empty)
        with self.assertRaises(NotFound):
            book.strike(self.db, out.id, {}, MARCH + timedelta(hours=5))

    def test_sap_ages_by_how_warm_it_stands(self) -> None:
        cold, warm = self.tank("300 L"), self.tank("200 L")
        for tank, celsius in ((cold, "0 C"), (warm, "10 C")):
            self.gather(tank)
            for hours in range(0, 48, 6):
                tanks.warm(self.db, tank, {"temperature": celsius}, MARCH + timedelta(hours=hours))
        later = MARCH + timedelta(hours=24)
        young, old = (played.view(self.db, tank, later) for tank in (cold, warm))
        fresh = played.view(self.db, cold, MARCH).content.used
        self.assertAlmostEqual(young.content.used - fresh, 1 / 7, delta=0.002)
        self.assertAlmostEqual(old.content.used - fresh, 1.0, delta=0.01)
        self.assertTrue(old.boil_by and old.boil_by <= later)
        self.assertTrue(young.boil_by and young.boil_by > later + timedelta(days=1))
        # Pumped over, its age goes along, and it spoils more than its share.
        tanks.move(self.db, warm, {"litres": "10 L", "to": cold}, later)
        mixed = played.view(self.db, cold, later).content
        self.assertGreater(mixed.used, young.content.used + 0.3)
        self.assertAlmostEqual(mixed.litres, 110.0, delta=0.3)
        # As the line says it, on every page.
        said = next(place for place in line(self.db, later) if place.station.key == "sap")
        self.assertIn("too old", said.state.words)

    def test_ice_and_bad_sap_are_understood(self) -> None:
        tank = self.tank()
        self.gather(tank, ice="40 kg")
        held = played.view(self.db, tank, MARCH).content
        whole = sap.mass_kg(100, 2.0, 4.0)
        self.assertAlmostEqual(held.mass_kg, whole - 40, places=6)
        self.assertAlmostEqual(held.solids_kg, whole * 0.02 - 40 * 0.003, places=6)
        tanks.ice_off(self.db, tank, {"ice": "20 kg"}, MARCH + timedelta(hours=1))
        less = played.view(self.db, tank, MARCH + timedelta(hours=1)).content
        self.assertAlmostEqual(
            held.solids_kg - less.solids_kg, 20 * 0.15 * held.brix / 100, places=6
        )
        for field, wrong in (
            ("ice", {"ice": "120 kg"}),
            ("brix", {"brix": "12"}),
            ("taps", {"taps": "0"}),
            ("litres", {"litres": "-3"}),
            ("woodlot", {"woodlot": "none"}),
            ("tank", {"tank": "none"}),
        ):
            self.refused(
                field,
                gathered_sap.gather,
                {**CLEAR, "litres": "100 L", "brix": "2", **wrong},
                MARCH,
            )
        self.assertIn(
            "run over",
            self.refused(
                "litres",
                gathered_sap.gather,
                {**CLEAR, "litres": "390 L", "brix": "2", "tank": tank},
                MARCH,
            ),
        )
        sentence = self.refused(
            "brix", gathered_sap.gather, {**CLEAR, "litres": "9", "brix": "12"}, MARCH
        )
        self.assertIn("between 0.1 and 10 Brix", sentence)
        self.refused("ice", tanks.ice_off, tank, {"ice": "300 kg"}, MARCH + timedelta(hours=2))

    def test_a_struck_collection_counts_no_more(self) -> None:
        self.gather(id="gathered-0002")
        book.strike(self.db, "gathered-0002", {"why": "twice"}, MARCH)
        self.assertEqual(store.runs(self.db, "upper-fold", MARCH.date(), MARCH.date()), [])
        self.assertEqual(differences(self.db), [])

    def test_sugar_is_read_as_ever_or_is_as_usual(self) -> None:
        self.gather(brix_by="refractometer", brix="2.2", sample="12 C")
        self.gather(brix_by="usual", brix="", at=MARCH + timedelta(minutes=1))
        rows = newest(self.db, GatheredFacts, since=MARCH, until=MARCH + timedelta(hours=1))
        usual, read = (row.facts for row in rows)
        self.assertLess(read.brix, 2.0, "a cold drop shows too much")
        self.assertEqual((usual.brix, usual.by), (2.0, "usual"))
        self.assertGreater(usual.sigma_brix, 0.49)
        self.refused(
            "sample",
            gathered_sap.gather,
            {**CLEAR, "litres": "9", "brix": "2", "brix_by": "refractometer", "sample": "2 C"},
            MARCH,
        )

    def test_the_book_is_never_overwritten(self) -> None:
        self.gather(id="gathered-0001")
        self.gather(id="gathered-0001")
        self.assertEqual(len(newest(self.db, GatheredFacts, since=MARCH, until=MARCH)), 1)
        with self.assertRaises(IdReused):
            self.gather(id="gathered-0001", litres="7 L")
        for statement in (
            "UPDATE line SET why = 'x'",
            "DELETE FROM line",
            "INSERT OR REPLACE INTO line SELECT * FROM line",
        ):
            with self.assertRaises(IntegrityError):
                self.db.execute(statement)


class Runs(SapCase):
    def test_a_forecast_is_typed_or_read_from_a_file(self) -> None:
        weather.typed(
            self.db, {"night_0": "-4", "day_0": "6", "night_2": "20 F", "day_2": "40 F"}, MARCH
        )
        as_csv = b"date;low_f;high_f\n2026-03-14;28;44\n"
        weather.from_file(self.db, {}, as_csv, MARCH)
        as_ics = (
            b"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:1\r\n"
            b"DTSTART;VALUE=DATE:20260315\r\nSUMMARY:-3 / 8 \xc2\xb0C\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
        )
        weather.from_file(self.db, {}, as_ics, MARCH)
        known = store.weather(self.db, date(2026, 3, 10), date(2026, 3, 20))
        found = {day.day: (round(w.night_c, 1), round(w.day_c, 1)) for day, w in known.items()}
        self.assertEqual(found, {10: (-4, 6), 12: (-6.7, 4.4), 14: (-2.2, 6.7), 15: (-3, 8)})
        # What was measured stands, whatever was forecast of it later.
        weather.typed(self.db, {"measured": "1", "night_0": "-9", "day_0": "1"}, MARCH)
        weather.typed(self.db, {"night_0": "3", "day_0": "9"}, MARCH + timedelta(hours=1))
        self.assertEqual(
            store.weather(self.db, MARCH.date(), MARCH.date())[MARCH.date()].night_c, -9
        )
        for field, wrong in (
            ("night_0", {"night_0": "270 K", "day_0": "280 K"}),
            ("night_0", {"night_0": "9", "day_0": "2"}),
            ("night_0", {}),
            ("first", {"first": "2026-06-01", "night_0": "1", "day_0": "2"}),
        ):
            self.refused(field, weather.typed, wrong, MARCH)
        for content in (
            b"",
            b"x" * 600_000,
            b"date,night,day_high\n2026-03-11,270,280\n",
            b"date,night,max\nsoon,1,2\n",
            b"BEGIN:VCALENDAR\r\nnothing",
            b"\xff\xfe\x00",
        ):
            self.refused("file", weather.from_file, {}, content, MARCH)

    def test_a_woodlot_teaches_its_own_runs(self) -> None:
        station = station_of(2026)
        now = datetime(2026, 3, 2, 18, tzinfo=UTC)
        for day in range(9, -1, -1):
            at = now - timedelta(days=day)
            weather.from_station(self.db, station, {}, at)
            self.gather(at=at, litres="200 L")
        week = runs.week(self.db, now, "upper-fold")
        self.assertEqual(week.taps, 40)
        self.assertEqual(week.learned_days, 9)
        tomorrow = week.tomorrow
        assert tomorrow is not None and tomorrow.expected_l is not None
        self.assertTrue(tomorrow.low_l <= tomorrow.expected_l <= tomorrow.high_l)
        self.assertEqual([d.gave_l is not None for d in week.days[:4]], [True] * 4)
        runs.buds(self.db, "upper-fold", {}, now)
        self.assertTrue(runs.week(self.db, now, "upper-fold").budded)
        self.assertIsNone(runs.week(self.db, now, "upper-fold").days[-1].expected_l)


class Fires(SapCase):
    def setUp(self) -> None:
        super().setUp()
        add_vessel(
            self.db,
            VesselRow(id="arch", name="Arch", shape="rectangular", sizes_mm=(1000.0, 600.0)),
        )
        self.at_tank = self.tank()
        self.gather(self.at_tank, litres="200 L")
        self.gather(self.at_tank, litres="100 L", woodlot="tern-lot", brix="2.6")

    def light(self, **more: str) -> str:
        given = {"tank": self.at_tank, "vessel": "arch", "fill": "60 L", "target": "55", **more}
        return fire.light(self.db, given, MARCH + timedelta(hours=1))

    def test_a_plan_says_what_it_takes(self) -> None:
        asked = {
            "tank": self.at_tank,
            "litres": "250 L",
            "pan_arch": "1",
            "setup": "arch",
            "have": "0.1",
        }
        page, form = boil.page(self.db, asked | {"measure": "hardwood m3"}, MARCH)
        self.assertFalse(form.errors)
        assert page.plan and page.need and page.lasts is not None
        self.assertAlmostEqual(page.plan.left_kg * 0.55, 250 * 0.022, delta=0.08)
        self.assertTrue(page.need.low < page.need.middle < page.need.high)
        self.assertLess(page.lasts, 0.2)
        for field, wrong in (
            ("efficiency", {"efficiency": "0"}),
            ("litres", {"litres": "900 L"}),
            ("target", {"target": "90"}),
            ("have", {"have": "lots"}),
        ):
            self.assertIn(field, boil.page(self.db, asked | wrong, MARCH)[1].errors)

    def test_sap_goes_from_the_tank_to_the_jar_and_none_is_lost(self) -> None:
        code = self.light(id="lit-000001")
        self.assertEqual(self.light(id="lit-000001"), code)
        at = MARCH + timedelta(hours=3)
        fed = slip.put(self.db, code, "fed", {"tank": self.at_tank, "litres": "100 L"}, at)
        self.assertAlmostEqual(
            played.view(self.db, self.at_tank, at).content.litres, 140.0, delta=0.5
        )
        more = {"tank": self.at_tank, "litres": "300 L"}
        with self.assertRaises(BadInput):
            slip.put(self.db, code, "fed", more, at + timedelta(minutes=1))
        burned = {"fuel": "hardwood", "measure": "wood kg", "setup": "blocks", "amount": "110"}
        slip.put(self.db, code, "fuel", burned, at + timedelta(hours=2))
        for wrong in ({"amount": "0"}, {"measure": "propane kg"}, {"setup": "stove"}):
            with self.assertRaises(BadInput):
                slip.put(self.db, code, "fuel", burned | wrong, at + timedelta(hours=2))
        self.assertEqual(
            boil_plan.burned_of(self.db, "blocks", "hardwood", MARCH.replace(month=4)), []
        )
        flows = flowed.flows_into(self.db, flow.charge_id(self._id(code)))
        solids = sum(one.flow.mass_kg * one.flow.brix for one in flows)
        on_at = at + timedelta(hours=3)
        brix = 40.0
        on = fire.pour_on(
            self.db,
            code,
            {
                "vessel": "finisher-1",
                "brix": f"{brix}",
                "mass": f"{solids / brix:.4f} kg",
                "amount_confirmed": "1",
            },
            on_at,
        )
        taken = contexts.load(self.db, on, on_at).taken_in.facts
        assert isinstance(taken, TakeInFacts)
        self.assertAlmostEqual(taken.mass_kg * taken.brix, solids, delta=0.001 * solids)
        giver = contexts.load(self.db, code, on_at)
        self.assertTrue(giver.last(PouredFacts) and giver.left_at)
        rate = giver.last(PouredFacts).facts.rate_kg_per_min
        self.assertTrue(0.2 < rate < 0.8)
        self.assertEqual(kept.last_rates(self.db, "arch", on_at, 3), [rate])
        learned = boil_plan.burned_of(self.db, "blocks", "hardwood", MARCH.replace(month=4))
        self.assertAlmostEqual(learned[0].efficiency, (160 * 0.4 + 156 * 2.26) / 1650, delta=0.02)
        # Whose it is comes along, to the gram.
        shares = {
            one.code: one.share for one in flows_of(self.db, on).came_from if one.kind == "woodlot"
        }
        self.assertAlmostEqual(sum(shares.values()), 1.0, places=6)
        self.assertAlmostEqual(shares["Tern Lot"], 260 / 660, delta=0.01)
        # What was given stays given: neither take-in is typed anew.
        for given in (code, on):
            first = contexts.load(self.db, given, on_at).taken_in
            again = {**first.typed, "supersedes": first.id, "amount": "9 kg", "amount_by": "mass"}
            again |= {"brix": "30", "temperature": "90 C"}
            with self.assertRaises(BadInput) as caught:
                slip.put(self.db, given, "take_in", again, on_at + timedelta(minutes=2))
            self.assertIn("gave so much", caught.exception.errors["amount"])
        # Called off, it is back in its pan; fed no more, it is back in the tank.
        slip.put(self.db, on, "called_off", {"why": "wrong pan"}, on_at + timedelta(minutes=5))
        self.assertIsNone(contexts.load(self.db, code, on_at + timedelta(minutes=6)).left_at)
        strike = {"entry": fed.id, "supersedes": fed.id, "why": "another tank"}
        slip.strike(self.db, code, strike, on_at + timedelta(minutes=7))
        back = played.view(self.db, self.at_tank, on_at + timedelta(minutes=8)).content.litres
        self.assertAlmostEqual(back, 240.0, delta=0.5)
        self.assertEqual(differences(self.db), [])

    def test_near_syrup_that_was_drawn_is_taken_in_anew(self) -> None:
        code = self.light(fill="100 L")
        at = MARCH + timedelta(hours=5, minutes=30)
        slip.put(self.db, code, "boiling", {}, MARCH + timedelta(hours=2))
        drop = {"instrument": "hand-prism", "reading": "55", "sample": "20 C"}
        slip.put(self.db, code, "refractometer", drop, at - timedelta(minutes=1))
        drawn = {"mass": "4 kg", "mass_confirmed": "1", "initials": "m"}
        slip.put(self.db, code, "draw", drawn, at)
        context = contexts.load(self.db, code, at)
        self.assertEqual(waits_for(context.current), ("take_in",))
        self.assertEqual(next_after_draw(context).key, "take_in")
        waiting = near_syrup.at_hand(self.db, at)[0]
        self.assertAlmostEqual(waiting.after.mass_kg, 4.0)
        self.assertEqual(waiting.temperature, "80 C")
        kettle = accounts(self.db, 2026).total.here["kettle"]
        self.assertAlmostEqual(kettle * 100, 4.0 * waiting.after.draw.facts.brix, places=3)
        into = {"vessel": "finisher-2", "id": "near-00001", "brix": "55", "amount_confirmed": "1"}
        half = into | {"mass": "2 kg", "id": "near-00002"}
        first = near_syrup.take_up(self.db, code, half, at)
        self.assertEqual(near_syrup.take_up(self.db, code, half, at), first)
        self.assertAlmostEqual(near_syrup.at_hand(self.db, at)[0].after.mass_kg, 2.0)
        too_much = into | {"vessel": "finisher-1", "mass": "9 kg"}
        self.assertIn("kg of sugar", self.refused("mass", near_syrup.take_up, code, too_much, at))
        rest = into | {"vessel": "finisher-1"}
        last = near_syrup.take_up(self.db, code, rest, at)
        self.assertEqual(near_syrup.at_hand(self.db, at), [])
        self.refused("vessel", near_syrup.take_up, code, into | {"id": "near-00003"}, at)
        taken = [contexts.load(self.db, one, at).taken_in.facts for one in (first, last)]
        self.assertAlmostEqual(taken[0].mass_kg, 2.0)
        # Its Brix was read: then the sugar that was left says how much there is.
        self.assertAlmostEqual(taken[1].mass_kg * 55, 2.0 * waiting.after.brix, places=3)
        self.assertEqual({facts.target_brix for facts in taken}, {66.9})
        charge, bulk = flow.charge_id(context.batch.id), flow.bulk_id(context.batch.id)
        self.assertEqual(len(flowed.flows_out_of(self.db, charge)), 1)
        self.assertEqual(len(flowed.flows_out_of(self.db, bulk)), 2)
        self.assertEqual(overview.due_cold_checks(self.db, at + timedelta(hours=15)), [])
        whose = [one.code for one in flows_of(self.db, last).came_from if one.kind == "woodlot"]
        self.assertEqual(sorted(whose), ["Tern Lot", "Upper Fold"])
        # Called off, it waits again.
        slip.put(self.db, last, "called_off", {"why": "wrong pan"}, at + timedelta(minutes=5))
        self.assertEqual(len(near_syrup.at_hand(self.db, at + timedelta(minutes=6))), 1)
        self.assertEqual(differences(self.db), [])
        # Whoever filters it takes it for syrup, and it goes on as such.
        hot = {"method": "felt", "temperature": "90 C"}
        slip.put(self.db, code, "filter", hot, at + timedelta(minutes=9))
        context = contexts.load(self.db, code, at + timedelta(minutes=10))
        self.assertEqual(waits_for(context.current), ("colour",))

    def test_the_fire_calls_when_it_wants_wood(self) -> None:
        code = self.light()
        lit = MARCH + timedelta(hours=1)
        wood = {"fuel": "hardwood", "measure": "wood kg", "setup": "arch", "amount": "5"}

        def rings(minutes: float) -> list[str]:
            context = contexts.load(self.db, code, lit + timedelta(minutes=minutes))
            return [alarm.kind for alarm in fire_alarms.watch(self.db, context)]

        self.assertEqual(rings(30), [])
        slip.put(self.db, code, "fuel", wood, lit + timedelta(minutes=30))
        every = fire.stoke_minutes(contexts.load(self.db, code, lit + timedelta(minutes=31)))
        assert every is not None
        self.assertEqual(rings(30 + 0.9 * every), [])
        self.assertEqual(rings(30 + 1.1 * every), ["stoke"])
        self.assertEqual(rings(30 + 1.2 * every), ["stoke"])
        # To stoke is to answer; and then it calls anew.
        slip.put(self.db, code, "fuel", wood, lit + timedelta(minutes=30 + 1.3 * every))
        self.assertEqual(rings(30 + 1.4 * every), [])
        self.assertEqual(rings(30 + 2.5 * every), ["stoke"])
        slip.put(self.db, code, "fuel", wood, lit + timedelta(minutes=30 + 2.6 * every))
        banked = lit + timedelta(minutes=31 + 2.6 * every)
        slip.put(self.db, code, "stage", {"step": "banked"}, banked)
        self.assertEqual(rings(30 + 4.5 * every), [])
        slip.put(self.db, code, "stage", {"step": "on_again"}, banked + timedelta(hours=9))
        again = (banked - lit) / timedelta(minutes=1) + 9 * 60
        self.assertEqual(rings(again + 0.5 * every), [])
        self.assertEqual(rings(again + 1.1 * every), ["stoke"])
        # A fire that nobody stoked for so long is out.
        slip.put(self.db, code, "fuel", wood, lit + timedelta(minutes=again + 2 * every))
        self.assertEqual(rings(again + 2 * every + 4 * 60), [])

    def _id(self, code: str) -> str:
        return contexts.load(self.db, code, MARCH).batch.id

    def test_a_fire_is_refused_what_is_not_there(self) -> None:
        self.refused(
            "fill", fire.light, {"tank": self.at_tank, "vessel": "arch", "fill": "500 L"}, MARCH
        )
        self.refused("tank", fire.light, {"tank": "none", "vessel": "arch", "fill": "50 L"}, MARCH)
        code = self.light()
        self.refused(
            "vessel", fire.light, {"tank": self.at_tank, "vessel": "arch", "fill": "9 L"}, MARCH
        )
        with self.assertRaises(BadInput):
            fire.pour_on(self.db, code, {"vessel": "arch"}, MARCH + timedelta(hours=2))
        much = {"vessel": "finisher-1", "mass": "50 kg", "brix": "60"}
        with self.assertRaises(BadInput) as caught:
            fire.pour_on(self.db, code, much, MARCH + timedelta(hours=2))
        self.assertIn("kg of sugar", caught.exception.asks["mass"])


class Demo(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.db = connect(season_copy(self.folder / "demo"))
        self.addCleanup(self.db.close)
        ready(self.db)
        self.now = datetime(2026, 4, 18, 14, 25, tzinfo=UTC)

    def test_sugar_closes_from_tree_to_jar(self) -> None:
        """All that was gathered into the tank is in it, in a pan, or was thrown out; and what went into a pan
        came out of it, at each step."""
        tank = store.tanks(self.db)[0]
        since = datetime(2026, 1, 1, tzinfo=UTC)
        came = sum(
            line.facts.mass_kg * line.facts.brix / 100
            for line in newest(self.db, GatheredFacts, since=since)
            if line.facts.tank_id == tank.id
        )
        boiled = store.drawn_between(self.db, since, self.now)
        view = played.view(self.db, tank.id, self.now)
        thrown = sum(kg for _, kg in view.gone.values())
        self.assertGreater(thrown, 1.0)
        accounted = boiled + view.content.solids_kg + thrown
        self.assertAlmostEqual(accounted / came, 1.0, delta=0.001)
        fires = self.db.execute(
            "SELECT id, code FROM batch WHERE vessel_id = 'arch-pan'"
        ).fetchall()
        self.assertGreaterEqual(len(fires), 5)
        for batch in fires:
            charge = flow.charge_id(batch["id"])
            into = self._solids(flowed.flows_into(self.db, charge))
            out = self._solids(flowed.flows_out_of(self.db, charge))
            self.assertAlmostEqual(out / into, 1.0, delta=0.001, msg=batch["code"])

    @staticmethod
    def _solids(flows: list[flow.Flowed]) -> float:
        return sum(one.flow.mass_kg * one.flow.brix for one in flows)

    def test_only_syrup_is_to_be_proved_cold(self) -> None:
        for days in range(60):
            due = overview.due_cold_checks(self.db, self.now - timedelta(days=days))
            self.assertFalse([batch.code for batch in due if "C" in batch.code])

    def test_the_season_is_set_beside_the_others(self) -> None:
        page = season.season_page(self.db, 2026, self.now)
        self.assertEqual([one.season for one in page.others], [2026, 2025, 2024])
        self.assertEqual(len(page.lots), 5)
        self.assertAlmostEqual(
            sum(lot.now.litres for lot in page.lots), page.whole.litres, places=3
        )
        self.assertAlmostEqual(page.whole.solids_kg, sum(d.solids_kg for d in page.days), places=6)
        self.assertAlmostEqual(page.whole.ratio or 0, 88.33 / (page.whole.brix or 1), delta=1.0)
        self.assertTrue(page.fuels and 10 < (page.fuels[0].per_litre or 0) < 60)
        self.assertTrue(any("thrown out" in words for words in page.next_year))
        self.assertEqual(len(dues.rows(page)), len(page.days) + 1)
        due = dues.due(self.db, self.now)
        self.assertTrue(any("boil by" in one.words for one in due))
        written = due_calendar(due, "Cinderpool", self.now)
        self.assertEqual(written.count(b"BEGIN:VEVENT"), len(due))
        with self.assertRaises(NotFound):
            season.season_page(self.db, 1300, self.now)

    def test_the_book_goes_out_and_in_and_follows_from_its_lines(self) -> None:
        self.assertEqual(differences(self.db), [])
        self.db.execute("UPDATE sap_run SET litres = litres + 1")
        self.assertEqual(len(differences(self.db)), 1)
        text = logbook.as_json(self.db)
        other = connect(self.folder / "other.sqlite3")
        self.addCleanup(other.close)
        ready(other)
        logbook_in.take_in(other, text)
        self.assertEqual(logbook.as_json(other), text)
        self.assertEqual(store.tree_counts(other), store.tree_counts(self.db))
        broken = json.loads(text)
        broken["tables"]["line"][0]["facts"] = {"nonsense": 1}
        with self.assertRaises(logbook.NotTaken):
            logbook_in.take_in(other, json.dumps(broken))

    def test_the_list_is_ticked(self) -> None:
        done = gear.gear(self.db, self.now)
        self.assertEqual(done.left_before, 0)
        book.strike(self.db, done.done["bit"].id, {}, self.now)
        self.assertEqual(gear.gear(self.db, self.now).left_before, 1)
