"""The sheets keep to one scale, and a class belongs to one room."""

import re
import unittest
from collections.abc import Iterator
from pathlib import Path

CSS = Path(__file__).resolve().parents[2] / "lumbrel" / "web" / "static" / "css"
SHARED = {
    "tokens",
    "base",
    "controls",
    "tables",
    "parts",
    "bars",
    "pictures",
    "verdict",
    "keypad",
}
"""What every room uses; print has paper's measures."""
SCALES = {
    "type": r"font-size",
    "radius": r"border-[\w-]*radius",
    "space": r"(?:margin|padding|gap|row-gap|column-gap|top|left|right|bottom|inset|scroll-)[\w-]*",
    "size": r"(?:min-|max-)?(?:width|height)|flex[\w-]*|grid-(?:template|auto)[\w-]*",
}
RULE = re.compile(r"([^{}]+)\{([^{}]*)\}")
LISTED = re.compile(r",(?![^(]*\))")
"""Between the selectors of a list, not within brackets."""
BEGINS = re.compile(r"\s*(:is\([^)]*\)|[^\s>+~:]+)")
FIRST = re.compile(r"(?<![\w-])\.([a-zA-Z][\w-]*)")


def sheets() -> Iterator[tuple[str, str]]:
    for path in sorted(CSS.glob("*.css")):
        if path.stem not in ("app", "print"):
            yield path.stem, re.sub(r"/\*.*?\*/", "", path.read_text(encoding="utf-8"), flags=re.S)


class Sheets(unittest.TestCase):
    def test_every_length_is_on_the_scale(self) -> None:
        tokens = (CSS / "tokens.css").read_text(encoding="utf-8")
        scale = {name: set(sizes.split()) for name, sizes in re.findall(r"--(\w+)-scale: ([^;]*);", tokens)}
        scale["size"] |= scale["space"]
        seen = 0
        for name, text in sheets():
            for _, body in RULE.findall(text):
                for said in filter(str.strip, body.split(";")):
                    kind, value = (part.strip() for part in said.split(":", 1))
                    of = next((s for s, form in SCALES.items() if re.fullmatch(form, kind)), "")
                    for length in re.findall(r"(?<![\w.])-?([\d.]+px)", value) if of else ():
                        self.assertIn(length, scale[of], f"{name}: {kind}: {value}")
                        seen += 1
        self.assertGreater(seen, 800)

    def test_every_token_that_is_used_is_there(self) -> None:
        whole = "".join(text for _, text in sheets())
        used = set(re.findall(r"var\((--[\w-]+)", whole))
        self.assertLessEqual(used, set(re.findall(r"(--[\w-]+):", whole)))

    def test_there_are_three_breakpoints(self) -> None:
        wide = {at for _, text in sheets() for at in re.findall(r"max-width: (\d+)px\)", text)}
        self.assertEqual(wide, {"1100", "900", "480"})

    def test_what_a_selector_begins_with_belongs_to_one_room(self) -> None:
        rooms: dict[str, str] = {}
        for name, text in sheets():
            if name in SHARED:
                continue
            for selector, _ in RULE.findall(text):
                for begins in filter(None, map(BEGINS.match, LISTED.split(selector))):
                    for named in FIRST.findall(begins[1]):
                        self.assertEqual(rooms.setdefault(named, name), name, named)
        self.assertGreater(len(rooms), 150)

    def test_no_block_of_a_sheet_is_there_twice(self) -> None:
        for name, text in sheets():
            seen: dict[tuple[str, ...], str] = {}
            for selector, body in RULE.findall(text):
                block = tuple(sorted(one.strip() for one in body.split(";") if one.strip()))
                if len(block) > 2:
                    self.assertNotIn(block, seen, f"{name}: {selector.strip()}")
                    seen[block] = selector
