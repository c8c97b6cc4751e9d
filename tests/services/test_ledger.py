"""A season's books for an accountant: they are the accounts, and open as days, figures and words."""

import csv
import io
import tempfile
import unittest
import zipfile
from datetime import date
from pathlib import Path
from xml.etree import ElementTree

from lumbrel.exchange import ledger_files
from lumbrel.services.kitchen.settings import use_units
from lumbrel.services.shelf.accounts import accounts
from lumbrel.services.shelf.ledger import Ledger, SeasonTable, ledger
from lumbrel.store import kept_lots
from lumbrel.store.db import connect
from tests.support.kitchen import NOON, season_copy


class Books(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.db = connect(season_copy(Path(folder.name)))
        self.addCleanup(self.db.close)
        self.made = ledger(self.db, 2026)
        self.by_name = {table.name: table for table in self.made.tables}

    def sum_of(self, name: str, title: str) -> float:
        table = self.by_name[name]
        column = next(i for i, known in enumerate(table.columns) if known.startswith(title))
        return sum(row[column] for row in table.rows)

    def test_every_table_adds_up_to_the_accounts(self) -> None:
        total = accounts(self.db, 2026).total
        lots = self.by_name["Lots by woodlot"]
        left = sum(sum(row[3:-2]) - row[-2] for row in lots.rows)
        for name, title, kg in (
            ("Intake", "Sugar", total.solids_in_kg),
            ("Stock", "Sugar", total.here["shelf"]),
            ("Lots by woodlot", "Here", total.here["shelf"]),
            ("Lots by woodlot", "Sold", total.left["sold"]),
            ("Lots by woodlot", "To its woodlot", total.delivered_kg),
            ("Sold and delivered", "Sugar", left),
        ):
            with self.subTest(name=name, title=title):
                self.assertAlmostEqual(self.sum_of(name, title), kg, delta=0.15)
        self.assertEqual(self.sum_of("Stock", "Packs"), self.packs_here())
        self.assertEqual(self.by_name["Woodlots"].rows[-1][1], round(total.solids_in_kg, 3))

    def packs_here(self) -> int:
        rows = kept_lots.newest_lots(self.db, kept_lots.Asked(season=2026), limit=999)
        return sum(row.jars for row in rows)

    def test_days_are_the_kitchens_and_figures_in_its_units(self) -> None:
        first = self.by_name["Intake"].rows[0]
        self.assertEqual(first[0], date(2026, 2, 24))
        use_units(self.db, "us", NOON)
        table = {t.name: t for t in ledger(self.db, 2026).tables}["Intake"]
        self.assertEqual(table.columns[3], "Mass (lb)")
        self.assertAlmostEqual(table.rows[0][3], first[3] * 2.20462, delta=0.02)

    def test_both_files_hold_the_same_and_no_text_is_a_formula(self) -> None:
        rows = [(date(2026, 3, 1), "=cmd()", -1.5), (date(2026, 3, 2), "Tern Lot", 2)]
        made = Ledger(2026, "=Kitchen", (SeasonTable("Intake", ("Day", "Woodlot", "Mass (kg)"), rows),))
        with zipfile.ZipFile(io.BytesIO(ledger_files.as_csv(made))) as whole:
            text = whole.read("intake.csv").decode("utf-8-sig")
        read = list(csv.reader(io.StringIO(text)))
        self.assertEqual(read[1], ["2026-03-01", "'=cmd()", "-1.5"])
        with zipfile.ZipFile(io.BytesIO(ledger_files.as_spreadsheet(made))) as book:
            sheet = ElementTree.fromstring(book.read("xl/worksheets/sheet1.xml"))
            words = book.read("xl/sharedStrings.xml").decode()
        space = {"x": "http://schemas.openxmlformats.org/spreadsheetml/2006/main"}
        self.assertEqual(sheet.findall(".//x:f", space), [], "no formula")
        cells = {cell.get("r"): cell for cell in sheet.findall(".//x:c", space)}
        self.assertEqual(cells["C2"].findtext("x:v", None, space), "-1.5")
        # Days since 1899-12-30, as every spreadsheet counts.
        self.assertEqual(cells["A2"].findtext("x:v", None, space), "46082")
        self.assertIn("=cmd()", words)

    def test_a_season_without_anything_has_empty_tables(self) -> None:
        empty = ledger(self.db, 1999)
        self.assertTrue(ledger_files.as_spreadsheet(empty))
        self.assertEqual([len(table.rows) for table in empty.tables], [1, 0, 0, 0, 0, 0])
