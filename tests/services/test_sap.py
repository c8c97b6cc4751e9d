"""Trees, tanks, runs and fires in the record: what is written, refused, aged, learned and closed."""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from sqlite3 import IntegrityError
from unittest import mock

from lumbrel.core.sap import sap
from lumbrel.exchange import logbook, logbook_in
from lumbrel.services.base.entry import lines_about, newest
from lumbrel.services.base.form import NotFound
from lumbrel.services.record.compared import differences
from lumbrel.services.record.kept import ready
from lumbrel.services.sap import (
    fire,
    gathered_sap,
    gathering,
    next_year,
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
from lumbrel.services.sap.yields import yields
from lumbrel.services.stations import book, line
from lumbrel.store import book as books
from lumbrel.store import sap as store
from lumbrel.store import sap_weather
from lumbrel.store.db import IdReused, connect, transaction
from lumbrel.store.kitchen import load_kitchen
from lumbrel.worlds.outdoors import station_of
from tests.support.sap import CLEAR, MARCH, SapCase


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
        self.assertEqual(len(self.listed("", b"\xef\xbb\xbf101, 120 cm\n102; 90", id="list-0002")), 2)

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
            self.assertEqual(register.thing_of(other, what, key), register.thing_of(self.db, what, key))


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
        self.assertEqual(seen.holes[0].hole.girth_mm, 0.0, "a girth that was carried over tells nothing")
        third = {"bearing": "N", "height": "1200 mm"}
        self.assertIn("bears 2 taps", self.refused("bearing", taps.tap, tree, third, MARCH))
        taps.tap(self.db, tree, third | {"bearing_confirmed": "1"}, MARCH)
        # Next year the same hole is in dead wood, and one beside it too near.
        later = MARCH.replace(year=2027)
        dead = {"bearing": "0.3", "height": "1300 mm", "bearing_confirmed": "1"}
        self.assertIn("dead wood of the hole of 2026", self.refused("bearing", taps.tap, tree, dead, later))
        near = {"bearing": "20", "height": "1300 mm"}
        self.assertIn("the rule here wants", self.refused("bearing", taps.tap, tree, near, later))
        # A hole that is put right does not stand in its own way.
        right = dead | {"bearing": "2", "supersedes": seen.holes[0].id, "why": "misread"}
        wanted = seen.holes[0].hole.bearing_deg + 2
        taps.tap(self.db, tree, right | {"bearing": f"{wanted:.1f}", "id": "hole-0009"}, later)
        moved = next(h for h in trees.view(self.db, tree, later).holes if h.id == "hole-0009")
        self.assertEqual((moved.hole.year, round(moved.hole.bearing_deg, 1)), (2026, round(wanted, 1)))

    def test_what_cannot_be_is_said_at_its_field(self) -> None:
        for girth in ("8 m", "3 cm"):
            given = {"name": "2", "tree": "birch", "girth": girth}
            said = self.refused("girth", taps.add_trees, "upper-fold", given, MARCH)
            self.assertIn("between 20 and 600 cm", said)
        giant = {"name": "2", "tree": "birch", "girth": "450 cm"}
        self.assertIn("a giant", self.refused("girth", taps.add_trees, "upper-fold", giant, MARCH))
        tree = self.tree()
        again = {"name": "14", "tree": "birch"}
        self.assertIn("another tree", self.refused("name", taps.add_trees, "upper-fold", again, MARCH))
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
        self.assertEqual((seen.pulled and seen.pulled.left, seen.holes[0].closed_in), ("open", 2026))
        # Put right twice, it is the hole that has closed.
        for number, height in enumerate(("1300 mm", "1250 mm")):
            again = {"id": f"again-000{number}", "year": "2025", "bearing": "S", "height": height}
            again |= {"supersedes": hole, "why": "misread"}
            taps.old_hole(self.db, tree, again, MARCH)
            hole = again["id"]
        first = next(h for h in trees.view(self.db, tree, MARCH).holes if h.id == hole)
        self.assertEqual((first.hole.height_mm, first.closed_in), (1250.0, 2026))

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

    def test_what_trees_say_of_next_year_stands_where_it_is_looked_up(self) -> None:
        for name in ("15", "16"):
            self.tree(name=name)
        taps_old = {"bearing": "S", "height": "1200 mm"}
        thin = self.tree(name="17", girth="96 cm")
        for back, side in enumerate(("S", "W", "N", "E"), 1):
            old = taps_old | {"year": str(2026 - back), "bearing": side, "id": f"old-hole-{back}"}
            taps.old_hole(self.db, thin, old, MARCH)
        lot = trees.woodlot_of(self.db, "upper-fold")
        said = next_year.trees_say(self.db, MARCH, lot)
        self.assertEqual(len([words for words in said if "is full after this" in words]), 1)
        page = season.season_page(self.db, 2026, MARCH)
        self.assertLessEqual({f"{lot.name}: {words}" for words in said}, set(page.next_year))
        with mock.patch.object(next_year, "MOST_TREES", 2):
            many = season.season_page(self.db, 2026, MARCH).next_year
        self.assertFalse([words for words in many if any(one in words for one in said)])
        self.assertIn("each woodlot’s page", many[-1])
        # What is noted of a tree is in it at once.
        taps.measure(self.db, thin, {"girth": "240 cm"}, MARCH)
        self.assertNotEqual(next_year.trees_say(self.db, MARCH, lot), said)

    def test_strong_and_poor_trees_show(self) -> None:
        strong, poor = self.tree(), self.tree(name="15")
        given = {f"litres_{strong}": "30 L", f"litres_{poor}": "10 L", "brix": "2.5"}
        gathered_sap.gather(self.db, {**CLEAR, **given}, MARCH)
        gave = yields(self.db, "upper-fold", 2026)
        self.assertEqual((gave[strong].rank, gave[poor].rank), (1, 2))
        self.assertAlmostEqual(gave[strong].litres, 30.0)


class Tanks(SapCase):
    def test_what_comes_in_is_what_is_there(self) -> None:
        tank = self.tank()
        self.gather(tank)
        self.gather(tank, at=MARCH + timedelta(hours=1), litres="50 L", brix="3", woodlot="tern-lot")
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
        self.assertAlmostEqual(held.solids_kg - less.solids_kg, 20 * 0.15 * held.brix / 100, places=6)
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
        sentence = self.refused("brix", gathered_sap.gather, {**CLEAR, "litres": "9", "brix": "12"}, MARCH)
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
        weather.typed(self.db, {"night_0": "-4", "day_0": "6", "night_2": "20 F", "day_2": "40 F"}, MARCH)
        as_csv = b"date;low_f;high_f\n2026-03-14;28;44\n"
        weather.from_file(self.db, {}, as_csv, MARCH)
        as_ics = (
            b"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:1\r\n"
            b"DTSTART;VALUE=DATE:20260315\r\nSUMMARY:-3 / 8 \xc2\xb0C\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
        )
        weather.from_file(self.db, {}, as_ics, MARCH)
        known = sap_weather.known(self.db, date(2026, 3, 10), date(2026, 3, 20))
        found = {day.day: (round(w.night_c, 1), round(w.day_c, 1)) for day, w in known.items()}
        self.assertEqual(found, {10: (-4, 6), 12: (-6.7, 4.4), 14: (-2.2, 6.7), 15: (-3, 8)})
        # What was measured stands, whatever was forecast of it later.
        weather.typed(self.db, {"measured": "1", "night_0": "-9", "day_0": "1"}, MARCH)
        weather.typed(self.db, {"night_0": "3", "day_0": "9"}, MARCH + timedelta(hours=1))
        self.assertEqual(sap_weather.known(self.db, MARCH.date(), MARCH.date())[MARCH.date()].night_c, -9)
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
        self.assertEqual(week.learned_days, 10)
        tomorrow = week.tomorrow
        assert tomorrow is not None and tomorrow.expected_l is not None
        self.assertTrue(tomorrow.low_l <= tomorrow.expected_l <= tomorrow.high_l)
        self.assertEqual([d.gave_l is not None for d in week.days[:4]], [True] * 4)
        # What is noted later of an earlier day teaches at once.
        before = season.season_page(self.db, 2026, now)
        self.assertEqual([one.litres for one in before.others[1:]], [])
        early = now - timedelta(days=4, hours=6)
        self.gather(at=early, litres="900 L", litres_confirmed="1")
        more = runs.week(self.db, now, "upper-fold").tomorrow
        assert more is not None and more.expected_l is not None
        self.assertNotAlmostEqual(more.expected_l, tomorrow.expected_l, delta=2)
        self.gather(at=now - timedelta(days=365), litres="500 L", litres_confirmed="1")
        after = season.season_page(self.db, 2026, now)
        self.assertEqual([(o.season, o.litres) for o in after.others[1:]], [(2025, 500.0)])
        runs.buds(self.db, "upper-fold", {}, now)
        self.assertTrue(runs.week(self.db, now, "upper-fold").budded)
        self.assertIsNone(runs.week(self.db, now, "upper-fold").days[-1].expected_l)
