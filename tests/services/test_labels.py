"""Labels: what they say, that they lie where the sheet has them, that their codes are read, and what a
logo may not do."""

import ctypes
import io
import re
from datetime import date

import pypdfium2 as pdfium
import zxingcpp
from PIL import Image
from pypdfium2 import raw

from lumbrel.core.jar.sheets import BY_KEY, SHEETS, Sheet
from lumbrel.exchange import label_sheets, logo
from lumbrel.exchange.label_layout import draw
from lumbrel.exchange.label_sheets import Job, Wanted
from lumbrel.services.base.form import BadInput, Form
from lumbrel.services.jar import label_style
from lumbrel.services.jar.label_job import read_job
from lumbrel.services.jar.labels import best_before, labels, net_mass, net_volume, worded
from lumbrel.store.kitchen import load_kitchen
from tests.support.kitchen import NOON, KitchenCase

POINT_MM = 25.4 / 72
ADDRESS = "https://cinderpool.example"
DRAWING = b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 20">%s</svg>'
TOO_SMALL_FOR_A_CODE = ("round-a4-24",)
Place = tuple[float, float, float, float]


def edges_of(page: pdfium.PdfPage) -> list[Place]:
    """Left, top, width and height in mm of what is only outlined."""
    found = []
    high = page.get_height()
    for thing in page.get_objects(filter=[raw.FPDF_PAGEOBJ_PATH]):
        fill, stroke = ctypes.c_int(), ctypes.c_int()
        raw.FPDFPath_GetDrawMode(thing.raw, ctypes.byref(fill), ctypes.byref(stroke))
        if stroke.value:
            left, bottom, right, top = thing.get_bounds()
            sides = (left, high - top, right - left, top - bottom)
            found.append(tuple(side * POINT_MM for side in sides))
    return found  # type: ignore[return-value]


class Labels(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.code = self.take_in()
        self.put(self.code, "foam", 10, defoamer="butter", allergen="milk")
        self.put(self.code, "draw", 60, mass="19.9 kg")
        self.put(self.code, "colour", 70, by="meter", transmittance="60", path="10 mm", taste="rich")
        self.put(self.code, "jar", 80, fill="86 C", lot="26/7 A", size_1="500 ml", count_1="23")

    def job(self, **fields: str) -> Job:
        typed = {**label_style.typed_of(load_kitchen(self.db)), "address": ADDRESS, **fields}
        asked = read_job(Form(typed, load_kitchen(self.db)), labels(self.db, self.code, NOON))
        wanted = tuple(Wanted(worded(one, asked.style, "x"), n) for one, n in asked.wanted)
        shows = asked.style.shows
        return Job(sheet=asked.style.sheet, wanted=wanted, first=asked.first, edge="edge" in shows)

    def test_every_sheet_lies_right_and_can_be_read(self) -> None:
        """On each sheet: the paper's size, every label within 0.5 mm of its place, the words found by a
        PDF reader, and every code read from 300 dots an inch."""
        for sheet in SHEETS:
            with self.subTest(sheet.key):
                code = "" if sheet.key in TOO_SMALL_FOR_A_CODE else "1"
                job = self.job(sheet=sheet.key, edge="1", begin="2", own="Thank you", code=code)
                with pdfium.PdfDocument(label_sheets.as_pdf(job)) as pdf:
                    self.assertEqual(len(pdf), job.pages)
                    self._lies_right(sheet, pdf[0])
                    words = re.sub(r"\s+", " ", pdf[0].get_textpage().get_text_range())
                    for wanted in ("Maple syrup", "500 ml", "Lot 26/7 A", "Contains: milk", "rich"):
                        self.assertIn(wanted, words)
                    found = zxingcpp.read_barcodes(pdf[0].render(scale=300 / 72).to_pil())
                here = min(sheet.places, 24) - 1 if code else 0
                self.assertEqual([code.text for code in found], [f"{ADDRESS}/shelf/26/7%20A"] * here)

    def _lies_right(self, sheet: Sheet, page: pdfium.PdfPage) -> None:
        size = (page.get_width() * POINT_MM, page.get_height() * POINT_MM)
        edges = edges_of(page)
        self.assertEqual(len(edges), min(sheet.places, 24) - 1)
        for known, found in zip(sheet.page_mm, size, strict=True):
            self.assertAlmostEqual(known, found, delta=0.5)
        for i, edge in enumerate(edges, 1):
            for known, found in zip((*sheet.place_mm(i), *sheet.label_mm), edge, strict=True):
                self.assertAlmostEqual(known, found, delta=0.5)
        right, bottom = (
            sum(pair) for pair in zip(sheet.place_mm(sheet.places - 1), sheet.label_mm, strict=True)
        )
        self.assertTrue(right <= sheet.page_mm[0] and bottom <= sheet.page_mm[1])

    def test_words_stay_on_their_label(self) -> None:
        """Whatever is chosen: every line within the edge, and clear of the code."""
        for sheet in SHEETS:
            for language in ("en", "both"):
                job = self.job(sheet=sheet.key, language=language, own="From our trees, " * 8)
                try:
                    drawn = draw(job.wanted[0].worded, sheet, 2.0)
                except BadInput:
                    small = sheet.label_mm[1] < 45 or (sheet.round and language == "both")
                    self.assertTrue(small, sheet.key)
                    continue
                assert drawn.code
                module = drawn.code.side_mm / len(drawn.code.modules)
                self.assertGreaterEqual(module, 0.33, "smaller ones no phone reads")
                quiet = drawn.code.y - 4 * module + 1e-6
                if drawn.logo:
                    self.assertLessEqual(drawn.logo.y + drawn.logo.height, quiet, sheet.key)
                for text in drawn.texts:
                    wide = label_sheets.width_of(text.text, text.size_mm, text.bold)
                    left = text.x - wide / 2 if text.centred else text.x
                    top = text.y - text.size_mm * 0.8
                    self.assertTrue(left > 1 and left + wide < sheet.label_mm[0] - 1)
                    self.assertTrue(top > 0.5 and text.y < sheet.label_mm[1] - 0.5)
                    beside = left + wide <= drawn.code.x or text.y <= drawn.code.y
                    self.assertTrue(beside, f"{sheet.key}: {text.text} lies on the code")
                    if sheet.round:
                        half = sheet.label_mm[0] / 2
                        for x in (left, left + wide):
                            self.assertLess((x - half) ** 2 + (text.y - half) ** 2, half**2)

    def test_a_long_address_and_a_logo_leave_no_room_on_a_small_label(self) -> None:
        job = self.job(sheet="letter-30", address=f"{ADDRESS}/{'a' * 90}")
        with self.assertRaisesRegex(BadInput, "does not fit"):
            draw(job.wanted[0].worded, job.sheet, 2.0)
        self.assertIsNotNone(draw(job.wanted[0].worded, job.sheet, None).code)

    def test_labels_lie_row_by_row_and_in_the_middle(self) -> None:
        sheet = BY_KEY["a4-21"]
        self.assertAlmostEqual(sheet.place_mm(0)[0], (210 - 3 * 63.5 - 2 * 2.54) / 2)
        self.assertAlmostEqual(sheet.place_mm(0)[1], (297 - 7 * 38.1) / 2)
        self.assertEqual(sheet.place_mm(0)[1], sheet.place_mm(2)[1])
        self.assertAlmostEqual(sheet.place_mm(4)[0] - sheet.place_mm(0)[0], 63.5 + 2.54)
        self.assertAlmostEqual(sheet.place_mm(4)[1] - sheet.place_mm(0)[1], 38.1)

    def test_both_systems_and_never_more_than_is_in_it(self) -> None:
        self.assertEqual(net_volume(500, "metric"), "500 ml (16.9 fl oz)")
        self.assertEqual(net_volume(473.1765, "us")[:9], "16 fl oz ")
        self.assertEqual(net_volume(1000, "only"), "1 L")
        self.assertEqual(net_mass(664.1, "metric"), "664 g (1 lb 7.4 oz)")
        self.assertEqual(net_mass(1329, "us"), "2 lb 14.8 oz (1.32 kg)")
        self.assertEqual(best_before(date(2026, 12, 31), 2), "2027-02-28")
        self.assertEqual(best_before(date(2026, 1, 31), 2), "2026-03-31")
        self.assertEqual(best_before(date(2026, 4, 18), 0), "")

    def test_in_french_and_in_both(self) -> None:
        words = [line.text for line in self.job(language="both").wanted[0].worded.lines]
        for wanted in (
            "Maple syrup / Sirop d’érable",
            "Amber, rich taste / Ambré, goût riche",
            "Contains: / Contient : milk / lait",
            "Best before / Meilleur avant 2028-03-18",
        ):
            self.assertIn(wanted, words)

    def test_what_is_off_says_so_and_bears_no_class(self) -> None:
        code = self.take_in(vessel="finisher-1")
        self.put(code, "draw", 60, mass="19.9 kg")
        by = {"by": "meter", "transmittance": "60", "path": "10 mm", "buddy": "1"}
        self.put(code, "colour", 70, **by)
        self.put(code, "jar", 80, fill="86 C", lot=code, size_1="250 ml", count_1="4")
        self.code = code
        words = [line.text for line in self.job().wanted[0].worded.lines]
        self.assertIn("For processing, not for the table", words)
        self.assertFalse(any("Amber" in line for line in words))

    def test_what_cannot_be_printed_is_a_sentence(self) -> None:
        refused = {
            "sheet": {"sheet": "a5"},
            "months": {"months": "1000"},
            "own": {"own": "x" * 4096},
            "copies": {"copies": "-1"},
            "begin": {"begin": "22"},
            "which": {"which": "other 500"},
            "address": {"address": "javascript:alert(1)"},
        }
        for field, fields in refused.items():
            with self.subTest(field), self.assertRaises(BadInput) as bad:
                self.job(**fields)
            self.assertIn(field, bad.exception.errors)
        for fields, sentence in (
            ({"own": "сироп"}, "cannot be printed"),
            ({"copies": "2000"}, "at most 40"),
        ):
            with self.assertRaisesRegex(BadInput, sentence):
                list(label_sheets.places(self.job(**fields)))
        # A name may have a little picture in it; a label does without.
        drawn = list(label_sheets.places(self.job(own="Tapped 🍁 here 🐻‍❄️")))
        self.assertTrue(drawn)
        shown = " ".join(label_sheets.as_svg(self.job(own="Tapped 🍁 here")).split())
        self.assertNotIn("🍁", shown)

    def test_a_logo_draws_and_does_nothing_else(self) -> None:
        for inside in (
            b"<script>alert(1)</script>",
            b'<rect width="9" height="9" onload="alert(1)"/>',
            b'<image href="http://away.example/x.png"/>',
            b"<foreignObject><p/></foreignObject>",
        ):
            with self.subTest(inside), self.assertRaisesRegex(BadInput, "does more than draw"):
                logo.cleaned(DRAWING % inside)
        bomb = b'<!DOCTYPE a [<!ENTITY x "y">]>' + DRAWING % b"<title>&x;</title>"
        for content in (bomb, b"", b"GIF89a", b"<svg", b"\x89PNG\r\n\x1a\nxx", b"<p/>"):
            with self.subTest(content[:9]), self.assertRaises(BadInput):
                logo.cleaned(content)
        kept = logo.content_of(
            logo.cleaned(
                DRAWING % b'<style>*{}</style><path d="M0 0h9v9z" style="fill:#0a0;behavior:url(x)" '
                b'fill="url(#g)" class="c"/>'
            )
        )
        self.assertIn(b'fill="#0a0"', kept)
        for gone in (b"style", b"class", b"url", b"behavior"):
            self.assertNotIn(gone, kept)

    def test_a_logo_is_printed_as_it_was_drawn(self) -> None:
        out = io.BytesIO()
        Image.new("RGBA", (200, 100), (200, 30, 30, 255)).save(out, "PNG")
        drawing = DRAWING % b'<rect x="0" y="0" width="40" height="20" fill="#c81e1e"/>'
        for content in (drawing, out.getvalue()):
            job = self.job(sheet="a4-8")
            job = Job(sheet=job.sheet, wanted=job.wanted, logo=logo.cleaned(content))
            with pdfium.PdfDocument(label_sheets.as_pdf(job)) as pdf:
                picture = pdf[0].render(scale=2).to_pil().convert("RGB")
            red = [
                (x, y)
                for x in range(picture.width // 2)
                for y in range(picture.height // 4)
                if picture.getpixel((x, y))[0] > 180 > 90 > picture.getpixel((x, y))[1]
            ]
            wide, high = (max(axis) - min(axis) + 1 for axis in zip(*red, strict=True))
            self.assertAlmostEqual(wide / high, 2.0, delta=0.08)
            self.assertIn('href="data:image/', label_sheets.one_as_svg(job))
