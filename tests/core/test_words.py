"""Sentences in the language of whoever reads them."""

import ast
import copy
import json
import re
import sqlite3
import unittest
from collections.abc import Iterator
from datetime import date, datetime
from pathlib import Path

import lumbrel
from lumbrel.words import (
    CANADA,
    LANGUAGES,
    PSEUDO,
    _,
    after,
    asked_for,
    begun,
    joined,
    kept,
    language,
    listed,
    n_,
    named_day,
    named_time,
    number,
    ordinal,
    quantity,
    speaking,
    spoken,
    weekday,
)
from scripts import voice

FRENCH, AMERICAN = LANGUAGES["fr-CA"], LANGUAGES["en-US"]


class Sentences(unittest.TestCase):
    def test_one_object_is_english_where_it_is_kept_and_the_readers_where_it_is_shown(self) -> None:
        said = _("Makes {amount} of syrup at {brix} °Bx", amount="15.6 L", brix=number(66.9, 1))
        words = _("{brix} Brix, past the target. Kill the heat.", brix=number(66.9, 1))
        self.assertEqual(words, "66.9 Brix, past the target. Kill the heat.")
        with speaking(FRENCH):
            self.assertEqual(str(words), "66,9 °Bx, au-delà de la cible. Coupez le feu.")
            self.assertEqual(f"{words}", str(words))
            self.assertEqual(words, "66.9 Brix, past the target. Kill the heat.", "compared in English")
            row = sqlite3.connect(":memory:").execute("SELECT ?, typeof(?1)", (words,)).fetchone()
            self.assertEqual(row, ("66.9 Brix, past the target. Kill the heat.", "text"))
            self.assertIn("66.9 Brix", json.dumps({"said": words}))
            self.assertIn("66,9 °Bx", spoken({"said": [words]})["said"][0])
            self.assertEqual(str(copy.deepcopy(words)), str(words))
            self.assertEqual(str(said), "Makes 15.6 L of syrup at 66,9 °Bx", "nobody translated it")
        self.assertIs(language(), CANADA)
        self.assertEqual(str(words), words)

    def test_a_part_is_told_in_the_language_of_its_sentence(self) -> None:
        inner = _("Draw now")
        outer = joined(": ", (_("Pan"), inner))
        with speaking(FRENCH):
            self.assertEqual(str(outer), "Panne: Soutirez maintenant")
            self.assertEqual(str(after(inner)), "soutirez maintenant")
            self.assertEqual(str(begun(_("not known"))), "Non connu")
            self.assertEqual(str(inner + "!"), "Soutirez maintenant!")

    def test_words_agree_with_their_number(self) -> None:
        for count, english, french in (
            (0, "0 minutes", "0 minute"),
            (1, "1 minute", "1 minute"),
            (2, "2 minutes", "2 minutes"),
        ):
            said = n_("{count} minute", "{count} minutes", count)
            self.assertEqual(said, english)
            with speaking(FRENCH):
                self.assertEqual(str(said), french)

    def test_numbers_days_ranks_and_lists_are_written_as_the_language_has_them(self) -> None:
        at = datetime(2026, 4, 18, 14, 5)
        for said, english, french in (
            (number(12345.6, 1), "12,345.6", "12\u00a0345,6"),
            (number(-0.01, 1), "0.0", "0,0"),
            (number(-2.5, 1), "−2.5", "−2,5"),
            (number(None, 1), "–", "–"),
            (quantity(number(1.5, 1), "fl oz"), "1.5\u00a0fl oz", "1,5\u00a0oz liq."),
            (named_time(at, "24"), "14:05", "14\u00a0h\u00a005"),
            (named_time(at, "12"), "2:05\u00a0pm", "2\u00a0h\u00a005\u00a0p.m."),
            (named_day(at, "24"), "18 April 2026", "18 avril 2026"),
            (named_day(date(2026, 4, 18), "12", short=True), "Apr 18, 2026", "18 avr. 2026"),
            (weekday(at), "Saturday", "samedi"),
            (ordinal(1), "1st", "1er"),
            (ordinal(12), "12th", "12e"),
            (ordinal(22), "22nd", "22e"),
            (listed(["a", "b", "c"]), "a, b and c", "a, b et c"),
            (listed(["a", "b"], "or"), "a or b", "a ou b"),
            (listed([]), "", ""),
        ):
            self.assertEqual(said, english)
            with speaking(FRENCH):
                self.assertEqual(str(said), french)

    def test_the_states_write_some_words_otherwise_and_leave_names_of_parts_alone(self) -> None:
        with speaking(AMERICAN):
            self.assertEqual(
                str(_("Colour of moulded sugar, {colour}, a litre", colour="colour")),
                "Color of molded sugar, colour, a liter",
            )

    def test_the_made_up_language_leaves_parts_outside_of_its_brackets(self) -> None:
        with speaking(PSEUDO):
            self.assertEqual(str(_("Pour {mass} now", mass="3 kg")), "⟦Pour ⟧3 kg⟦ now·····⟧")

    def test_what_was_written_down_in_english_is_told_in_french(self) -> None:
        with speaking(FRENCH):
            for text, french in (
                (
                    "About 13 minutes to the mark. Stay with it.",
                    "Environ 13 minutes jusqu’au point. Restez à côté.",
                ),
                ("Does not float yet: under 50.5 Brix.", "Ne flotte pas encore\u00a0: sous 50,5 °Bx."),
                ("Said by nobody before.", "Said by nobody before."),
            ):
                self.assertEqual(str(kept(text)), french)

    def test_a_browser_gets_what_it_reads_best(self) -> None:
        for header, key in (
            ("fr-CA,fr;q=0.9,en;q=0.5", "fr-CA"),
            ("fr-FR", "fr-CA"),
            ("en-US,en;q=0.9", "en-US"),
            ("en;q=0.4,fr;q=0.8", "fr-CA"),
            ("de-AT,en-GB;q=0.3", "en-CA"),
            ("fr_CA.UTF-8", "fr-CA"),
            ("", "en-CA"),
            ("x;q=nonsense", "en-CA"),
        ):
            self.assertEqual(asked_for(header).key, key, header)


class Parts(unittest.TestCase):
    def test_no_part_of_a_sentence_is_bare_english(self) -> None:
        """A part that is written beside its sentence is a sentence itself, or no word."""

        def bare(node: ast.expr) -> Iterator[str]:
            match node:
                case ast.Constant(value=str() as value) if re.search("[a-z]{2}", value):
                    yield value
                case ast.IfExp(body=one, orelse=other):
                    yield from (*bare(one), *bare(other))
                case ast.BoolOp(values=values) | ast.JoinedStr(values=values):
                    yield from (said for value in values for said in bare(value))
                case ast.BinOp(left=one, right=other):
                    yield from (*bare(one), *bare(other))

        found = []
        for path in Path(lumbrel.__file__).parent.rglob("*.py"):
            for node in ast.walk(ast.parse(path.read_text("utf-8"))):
                if isinstance(node, ast.Call) and getattr(node.func, "id", "") in ("_", "n_"):
                    found += [(path.name, node.lineno, said) for k in node.keywords for said in bare(k.value)]
        self.assertEqual(found, [])


class Voice(unittest.TestCase):
    def test_the_check_hears_a_forbidden_word_another_term_and_a_long_sentence(self) -> None:
        (said,) = voice.strange("Put it down on the slip", "English")
        self.assertIn("“Put it down” is “save”", said)
        self.assertEqual(list(voice.strange("Un pot de sirop", "French")), [])
        self.assertEqual(len(list(voice.strange("Un bocal de sirop", "French"))), 1)
        self.assertEqual(len(list(voice.otherwise("Slip", "Bordereau"))), 1)
        self.assertEqual(list(voice.otherwise("Slip", "Fiche")), [])
        pressed = {"Draw off": "Soutirer", "Press “Draw off”.": "Pressez « Soutirer »."}
        self.assertEqual(list(voice.misquoted(pressed)), [])
        self.assertEqual(len(list(voice.misquoted(pressed | {"Draw off": "Tirer"}))), 1)
        short = "The cup is hot. " * 9
        self.assertEqual(list(voice.hard([short])), [])
        self.assertEqual(len(list(voice.hard([short, " ".join(["cup"] * 26)]))), 1)
        learned = "Hydrometrical determinations necessitate temperature compensation."
        self.assertEqual(len(list(voice.hard([learned]))), 1)
