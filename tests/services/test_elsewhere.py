"""Backups on another disk: filled when it is there, named when it was not, found again."""

import shutil
import tempfile
from datetime import timedelta
from pathlib import Path

from lumbrel.services.base.form import BadInput, Form
from lumbrel.services.kitchen import elsewhere, safekeeping
from lumbrel.store import elsewhere as store
from lumbrel.store.kitchen import load_kitchen
from tests.support.kitchen import NOON, KitchenCase
from tests.support.safe import run


class SecondFolder(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.stick = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.take_in()

    def name(self, folder: object) -> None:
        form = Form({"folder": str(folder)}, load_kitchen(self.db))
        elsewhere.name_folder(self.db, form, self.path, NOON)

    def said(self, days: float) -> str:
        return elsewhere.said_of(store.second_folder(self.db), NOON + timedelta(days=days))

    def test_only_a_folder_of_another_place_that_can_be_written_to(self) -> None:
        (self.folder / "backups").mkdir()
        for bad in ("media/stick", self.stick / "none", self.folder, self.folder / "backups"):
            with self.assertRaises(BadInput, msg=bad):
                self.name(bad)
        self.assertIsNone(store.second_folder(self.db))
        self.name(self.stick)
        self.assertEqual(store.second_folder(self.db).path, self.stick)
        self.name("")
        self.assertIsNone(store.second_folder(self.db))

    def test_it_is_filled_once_a_day_while_it_is_there_and_named_while_not(self) -> None:
        self.assertFalse(elsewhere.fill(self.path, NOON))
        self.name(self.stick)
        self.assertEqual((self.said(6), "never filled" in self.said(8)), ("", True))
        self.assertEqual([elsewhere.fill(self.path, NOON) for _any in range(2)], [True, False])
        copy = self.stick / "lumbrel-2026-03-18.sqlite3"
        self.assertEqual(safekeeping.check(copy).problems, [])
        # Pulled out: its place is empty, and stays so.
        for file in self.stick.iterdir():
            shutil.rmtree(file) if file.is_dir() else file.unlink()
        self.assertFalse(elsewhere.fill(self.path, NOON + timedelta(days=1)))
        self.assertEqual(list(self.stick.iterdir()), [])
        self.assertEqual((self.said(6), "for 9 days" in self.said(9)), ("", True))

    def test_restore_says_which_there_are(self) -> None:
        self.assertEqual(run("restore", "--data", str(self.folder))[0], 1)
        self.name(self.stick)
        safekeeping.back_up_today(self.path, self.folder / "backups", NOON - timedelta(days=1))
        elsewhere.fill(self.path, NOON)
        (self.stick / "lumbrel-2020-01-01.sqlite3").write_bytes(b"no record")
        done, said, _any = run("restore", "--data", str(self.folder))
        self.assertEqual(done, 0)
        files = [line.split(":")[0] for line in said.splitlines()]
        self.assertEqual(
            sorted(Path(file).name for file in files),
            ["lumbrel-2020-01-01.sqlite3", "lumbrel-2026-03-17.sqlite3", "lumbrel-2026-03-18.sqlite3"],
        )
        self.assertIn("1 batch", said)
        self.assertIn("it cannot be read", said)
