"""Fires under sap, from the tank to the jar, and the demonstration's own seasons."""

import json
from datetime import UTC, datetime, timedelta

from lumbrel.exchange import logbook, logbook_in
from lumbrel.exchange.calendar import due_calendar
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.entry import newest
from lumbrel.services.base.facts import PouredFacts, TakeInFacts
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.base.standing import waits_for
from lumbrel.services.kitchen import overview
from lumbrel.services.record.compared import differences
from lumbrel.services.record.kept import ready
from lumbrel.services.sap import alarms as fire_alarms
from lumbrel.services.sap import (
    boil,
    boil_plan,
    dues,
    fire,
    gear,
    played,
    season,
)
from lumbrel.services.sap.facts import GatheredFacts
from lumbrel.services.shelf.accounts import accounts
from lumbrel.services.shelf.trace import flows_of
from lumbrel.services.stations import book, next_after_draw, slip
from lumbrel.services.take_in import near_syrup
from lumbrel.store import flow, flowed, kept
from lumbrel.store import sap as store
from lumbrel.store.db import connect
from lumbrel.store.kitchen import VesselRow, add_vessel
from tests.support.kitchen import KitchenCase, season_copy
from tests.support.sap import MARCH, SapCase


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
        self.assertAlmostEqual(played.view(self.db, self.at_tank, at).content.litres, 140.0, delta=0.5)
        more = {"tank": self.at_tank, "litres": "300 L"}
        with self.assertRaises(BadInput):
            slip.put(self.db, code, "fed", more, at + timedelta(minutes=1))
        burned = {"fuel": "hardwood", "measure": "wood kg", "setup": "blocks", "amount": "110"}
        slip.put(self.db, code, "fuel", burned, at + timedelta(hours=2))
        for wrong in ({"amount": "0"}, {"measure": "propane kg"}, {"setup": "stove"}):
            with self.assertRaises(BadInput):
                slip.put(self.db, code, "fuel", burned | wrong, at + timedelta(hours=2))
        self.assertEqual(boil_plan.burned_of(self.db, "blocks", "hardwood", MARCH.replace(month=4)), [])
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
        shares = {one.code: one.share for one in flows_of(self.db, on).came_from if one.kind == "woodlot"}
        self.assertAlmostEqual(sum(shares.values()), 1.0, places=6)
        self.assertAlmostEqual(shares["Tern Lot"], 260 / 660, delta=0.01)
        # What was given stays given: neither take-in is typed anew.
        for given in (code, on):
            first = contexts.load(self.db, given, on_at).taken_in
            again = {**first.typed, "supersedes": first.id, "amount": "9 kg", "amount_by": "mass"}
            again |= {"brix": "30", "temperature": "90 C"}
            with self.assertRaises(BadInput) as caught:
                slip.put(self.db, given, "take_in", again, on_at + timedelta(minutes=2))
            self.assertIn("gave so much", caught.exception.errors["kind"])
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
        self.refused("fill", fire.light, {"tank": self.at_tank, "vessel": "arch", "fill": "500 L"}, MARCH)
        self.refused("tank", fire.light, {"tank": "none", "vessel": "arch", "fill": "50 L"}, MARCH)
        code = self.light()
        self.refused("vessel", fire.light, {"tank": self.at_tank, "vessel": "arch", "fill": "9 L"}, MARCH)
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
        fires = self.db.execute("SELECT id, code FROM batch WHERE vessel_id = 'arch-pan'").fetchall()
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
        self.assertAlmostEqual(sum(lot.now.litres for lot in page.lots), page.whole.litres, places=3)
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
