"""A season's tables as a spreadsheet, and as CSV."""

import csv
import io
import zipfile
from datetime import date

import xlsxwriter

from lumbrel.services.shelf.ledger import Cell, Ledger, SeasonTable

WIDEST = 40
NOT_A_FORMULA = "=+-@\t\r"
"""Text that begins so would be worked out by whoever opens it."""


def as_spreadsheet(ledger: Ledger) -> bytes:
    """One sheet a table: titles that stay, days as days, figures as figures."""
    body = io.BytesIO()
    safe = {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    with xlsxwriter.Workbook(body, safe) as book:
        book.set_properties({"title": f"{ledger.kitchen}, season {ledger.season}"})
        bold = book.add_format({"bold": True, "text_wrap": True, "valign": "top"})
        day = book.add_format({"num_format": "yyyy-mm-dd"})
        for table in ledger.tables:
            sheet = book.add_worksheet(table.name)
            sheet.freeze_panes(1, 0)
            sheet.write_row(0, 0, table.columns, bold)
            for number, row in enumerate(table.rows, start=1):
                for column, cell in enumerate(row):
                    if isinstance(cell, date):
                        sheet.write_datetime(number, column, cell, day)
                    elif isinstance(cell, str):
                        sheet.write_string(number, column, cell)
                    else:
                        sheet.write_number(number, column, cell)
            for column in range(len(table.columns)):
                sheet.set_column(column, column, _width(table, column))
            sheet.autofilter(0, 0, max(len(table.rows), 1), len(table.columns) - 1)
    return body.getvalue()


def _width(table: SeasonTable, column: int) -> int:
    texts = [f"{row[column]}" for row in table.rows]
    return min(max([10, len(table.columns[column]) // 2, *map(len, texts)]) + 2, WIDEST)


def as_csv(ledger: Ledger) -> bytes:
    """A ZIP with one CSV a table, in UTF-8."""
    body = io.BytesIO()
    with zipfile.ZipFile(body, "w", zipfile.ZIP_DEFLATED) as whole:
        for table in ledger.tables:
            text = io.StringIO()
            writer = csv.writer(text)
            writer.writerow(table.columns)
            writer.writerows([_plain(cell) for cell in row] for row in table.rows)
            name = table.name.lower().replace(" ", "-")
            entry = zipfile.ZipInfo(f"{name}.csv", (ledger.season, 12, 31, 0, 0, 0))
            entry.compress_type = zipfile.ZIP_DEFLATED
            whole.writestr(entry, text.getvalue().encode("utf-8-sig"))
    return body.getvalue()


def _plain(cell: Cell) -> Cell:
    if isinstance(cell, str) and cell[:1] in NOT_A_FORMULA and cell:
        return f"'{cell}"
    return cell.isoformat() if isinstance(cell, date) else cell
