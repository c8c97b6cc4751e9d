"""What a person types, and how it is understood."""

import csv
import unittest
from pathlib import Path

from lumbrel.core.errors import OutOfRange, span
from lumbrel.core.units import KINDS, in_minutes, ordinal, parse, show
from lumbrel.words import LANGUAGES
from lumbrel.words.numbers import symbol_of

TYPED = Path(__file__).parent.parent / "data" / "typed.csv"


class Units(unittest.TestCase):
    def test_what_a_unit_is_called_in_any_language_is_understood(self) -> None:
        seen = 0
        for key, kind in KINDS.items():
            for unit in (one for one in kind.units if one.pint):
                for language in LANGUAGES.values():
                    named = symbol_of(unit.symbol, language)
                    plain = parse("12.5", key, unit.key).value
                    for default in (unit.key, kind.inside.key):
                        seen += 1
                        told = parse(f"12,5\u00a0{named}", key, default).value
                        self.assertAlmostEqual(told, plain, 9, f"{key} {named} {language.key}")
        self.assertGreater(seen, 100)

    def test_ranks_and_minutes_are_read_as_people_say_them(self) -> None:
        said = [ordinal(n) for n in (1, 2, 3, 4, 11, 12, 13, 21, 22, 103, 111, 112)]
        self.assertEqual(
            said,
            [
                "1st",
                "2nd",
                "3rd",
                "4th",
                "11th",
                "12th",
                "13th",
                "21st",
                "22nd",
                "103rd",
                "111th",
                "112th",
            ],
        )
        said = [in_minutes(m) for m in (0, 0.4, 1.4, 1.6, 12)]
        self.assertEqual(said, ["1 minute", "1 minute", "1 minute", "2 minutes", "12 minutes"])

    def test_as_typed(self) -> None:
        for text, kind, default, value in (
            ("219F", "temperature", "C", 103.8889),
            ("211.6 °F", "temperature", "C", 99.7778),
            ("104.1c", "temperature", "F", 104.1),
            ("99.8", "temperature", "", 99.8),
            ("212", "temperature", "F", 100.0),
            ("29.4 inHg", "pressure", "", 995.598),
            ("7 gal", "volume", "L", 26.4979),
            ("66,9", "brix", "", 66.9),
            ("7.2 F", "difference", "C", 4.0),
            ("1,234.5 kg", "mass", "", 1234.5),
            ("1.234,5 kg", "mass", "", 1234.5),
            ("1,234,567", "mass", "", 1234567.0),
            ("1:30", "minutes", "", 90.0),
            ("24", "count", "", 24),
        ):
            with self.subTest(text):
                self.assertAlmostEqual(parse(text, kind, default).value, value, delta=1e-3)

    def test_every_form_of_the_table(self) -> None:
        """What people type, right and wrong; the figures are by definition of the units."""
        with TYPED.open(encoding="utf-8", newline="") as table:
            rows = list(csv.DictReader(table))
        self.assertGreater(len(rows), 300)
        for row in rows:
            with self.subTest(**row):
                if row["inside"]:
                    value = parse(row["typed"], row["kind"], row["unit"]).value
                    self.assertAlmostEqual(value, float(row["inside"]), delta=1e-8)
                else:
                    with self.assertRaises(OutOfRange) as caught:
                        parse(row["typed"], row["kind"], row["unit"])
                    self.assertRegex(caught.exception.sentence, r"\.$")

    def test_refusals_say_what_is_allowed(self) -> None:
        for text, kind, expected in (
            ("hot", "temperature", "104.1 C"),
            ("7 gal", "temperature", "°C or °F"),
            ("1,013 hPa", "pressure", "two ways"),
            ("2.5", "count", "whole number"),
            ("", "mass", "Enter the mass"),
            ("nan", "mass", "not a mass"),
            ("3 kg**9", "mass", "kg, lb, g or oz"),
            ("9" * 200, "mass", "not a mass"),
        ):
            with self.subTest(text), self.assertRaisesRegex(OutOfRange, expected):
                parse(text, kind)

    def test_shown(self) -> None:
        self.assertEqual(show(98.585, "temperature", "F"), "209.5\u00a0°F")
        self.assertEqual(show(-0.448, "mass", decimals=2), "−0.45\u00a0kg")
        self.assertEqual(show(-0.01, "brix", symbol=False), "0.0")
        self.assertEqual(show(float("inf"), "minutes"), "–")

    def test_a_refusal_names_both_units_as_the_units_themselves_convert(self) -> None:
        for kind, unit in (("temperature", "°C"), ("depth", "mm"), ("pressure", "hPa")):
            other = KINDS[kind].units[1]
            low, high = (float(show(v, kind, other.key, symbol=False, grouped=False)) for v in (20, 1010))
            said = f"20 and 1010 {unit} ({low:g} and {high:g} {other.symbol})"
            self.assertEqual(span(20, 1010, unit), said)
