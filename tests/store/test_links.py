"""Connections that are lent: what a look remembers, and for how long."""

import shutil
from dataclasses import replace
from datetime import timedelta
from sqlite3 import ProgrammingError

from lumbrel.services.base.cache import Cache, last_line
from lumbrel.services.bench import checks
from lumbrel.services.kitchen import example
from lumbrel.services.record.kept import ready
from lumbrel.store.db import MOST_REMEMBERED, lines_stand, once, opened, transaction
from lumbrel.store.instruments import instruments
from lumbrel.store.kitchen import load_kitchen, save_kitchen
from lumbrel.store.links import MOST_AT_REST, Links
from lumbrel.store.samples import Sample, add_samples
from tests.support.kitchen import NOON, KitchenCase


class Lent(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.links = Links(self.path, Cache())
        self.addCleanup(self.links.close)

    def name(self) -> str:
        with self.links.lent() as db:
            return load_kitchen(db).name

    def rename(self, name: str) -> None:
        with transaction(self.db):
            save_kitchen(self.db, replace(load_kitchen(self.db), name=name), NOON)

    def test_what_a_look_read_is_known_at_the_next_until_a_line_comes(self) -> None:
        read: list[str] = []

        def known() -> str:
            with self.links.lent() as db:
                return once(db, "a thing", lambda: read.append("") or f"read {len(read)}")

        self.assertEqual([known(), known()], ["read 1", "read 1"])
        add_samples(self.db, "probe-1", [Sample(NOON, 99.0)])
        self.assertEqual(known(), "read 1", "what a device sends is no line")
        self.rename("Another")
        self.assertEqual([known(), known()], ["read 2", "read 2"])
        self.assertEqual(self.name(), "Another")

    def test_who_writes_in_a_look_sees_it_and_so_does_the_next(self) -> None:
        with self.links.lent() as db:
            before = load_kitchen(db)
            with transaction(db):
                save_kitchen(db, replace(before, name="Mine"), NOON)
                self.assertEqual(load_kitchen(db).name, "Mine")
            self.assertEqual(load_kitchen(db).name, "Mine")
        self.assertEqual(self.name(), "Mine")

    def test_what_was_taken_back_is_not_remembered(self) -> None:
        with self.assertRaises(ZeroDivisionError), self.links.lent() as db, transaction(db):
            save_kitchen(db, replace(load_kitchen(db), name="Never"), NOON)
            self.assertEqual(load_kitchen(db).name, "Never")
            raise ZeroDivisionError
        self.assertEqual(self.links._at_rest, [], "one that failed is not lent again")
        with self.assertRaises(ProgrammingError):
            db.execute("SELECT 1")
        self.assertNotEqual(self.name(), "Never")

    def test_where_no_line_comes_only_what_lines_say_is_remembered_in_a_write(self) -> None:
        read: list[str] = []

        def times(name: str, *, of_lines: bool) -> int:
            for _ in range(3):
                once(self.db, name, lambda: read.append(name), of_lines=of_lines)
            return read.count(name)

        with self.assertRaises(ZeroDivisionError), transaction(self.db):
            self.assertEqual(times("before", of_lines=True), 3)
            with lines_stand(self.db):
                self.assertEqual(times("kept", of_lines=False), 3)
                with lines_stand(self.db):
                    self.assertEqual(times("line", of_lines=True), 1)
                self.assertEqual(times("line", of_lines=True), 1, "still inside of the outer one")
                raise ZeroDivisionError
        with transaction(self.db):
            self.assertEqual(times("line", of_lines=True), 4, "forgotten with the block")

    def test_who_walks_a_long_list_forgets_nothing_that_is_asked_for_again_and_again(self) -> None:
        read: list[str] = []
        for n in range(3 * MOST_REMEMBERED):
            once(self.db, "asked for", lambda: read.append(""))
            once(self.db, ("of a list", n), lambda: None)
        self.assertEqual((len(read), len(self.db.seen)), (1, MOST_REMEMBERED))

    def test_a_record_put_in_its_place_is_another(self) -> None:
        self.assertTrue(self.name())
        other = self.folder / "other.sqlite3"
        with opened(other) as db:
            ready(db)
            example.load_example(db, NOON)
            save_kitchen(db, replace(load_kitchen(db), name="Other"), NOON)
        self.db.close()
        for side in ("-wal", "-shm"):
            self.path.with_name(self.path.name + side).unlink(missing_ok=True)
        shutil.move(other, self.path)
        self.assertEqual(self.name(), "Other")

    def test_few_wait_and_none_after_the_end(self) -> None:
        lent = [self.links.lent() for _ in range(MOST_AT_REST + 2)]
        open_now = [one.__enter__() for one in lent]
        self.assertEqual(len(set(map(id, open_now))), MOST_AT_REST + 2, "two looks share none")
        for one in lent:
            one.__exit__(None, None, None)
        self.assertEqual(len(self.links._at_rest), MOST_AT_REST)
        with self.links.lent():
            self.links.close()
        self.assertEqual(self.links._at_rest, [])

    def test_news_of_some_things_are_no_news_of_others(self) -> None:
        def news() -> tuple[int, ...]:
            with self.links.lent() as db:
                return last_line(db, "instrument", "kitchen", "dial-a", "setting")

        first = news()
        self.rename("Another")
        second = news()
        self.assertEqual((second[0], second[2]), (first[0], first[2]))
        self.assertGreater(min(second[1], second[3]), max(first[1], first[3]))
        glass = next(one for one in instruments(self.db) if one.id == "dial-a")
        checks.take_ice_point(self.db, glass, NOON + timedelta(minutes=1), {"ice": "0.2 C"})
        third = news()
        self.assertGreater(third[0], second[0])
        self.assertEqual(third[0], third[2])
        self.assertEqual(third[1], second[1])

    def test_a_look_that_began_before_a_line_keeps_its_own_news(self) -> None:
        """Else what it sees would be kept as what those see who began after it."""
        with self.links.lent() as early:
            self.assertEqual(last_line(early, "kitchen"), (0,))
            self.rename("Another")
            with self.links.lent() as late:
                after = last_line(late, "kitchen")
                self.assertGreater(after, (0,))
            self.assertNotIn(last_line(early, "kitchen"), [(0,), after])
            self.assertNotEqual(load_kitchen(early).name, "")
        with self.links.lent() as again:
            self.assertEqual(last_line(again, "kitchen"), after)
