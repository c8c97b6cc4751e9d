"""One label as it is drawn: its lines set as large as they fit, its code and logo, all in mm."""

import re
import unicodedata
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path

import segno
from PIL import Image, ImageFont

from lumbrel.core.jar.sheets import Sheet
from lumbrel.services.base.form import BadInput
from lumbrel.services.jar.labels import LabelLine, Role, Worded
from lumbrel.words import _, number

FONTS = {
    bold: Path(__file__).parent / "fonts" / f"atkinson-hyperlegible-next-{name}.ttf"
    for bold, name in ((False, "regular"), (True, "bold"))
}
SCALE: dict[Role, float] = {"product": 1.5, "grade": 1.0, "net": 1.2, "must": 0.9, "may": 0.8}
BOLD: tuple[Role, ...] = ("product", "net")
LARGEST_MM, SMALLEST_MM, FINER = 5.2, 1.9, 0.96
"""Of the size of type of a line that is neither larger nor smaller than others."""
LEADING = 1.18
ASCENT = 0.86
MARGIN_MM = 2.5
CODE_MM, LEAST_MODULE_MM, QUIET = (13.0, 24.0), 0.33, 4
LOGO_SHARE = 0.26
ROUND_EDGE_MM, ROUND_LOGO, ROUND_FREE = 1.5, 0.13, 0.19
"""What is left free inside a round label's edge; how high its logo is, and where its text begins
without one, as shares of its width."""
_MEASURED_AT = 1000


@dataclass(frozen=True, kw_only=True)
class Text:
    """A line of text: where its baseline begins or has its middle, and its size."""

    x: float
    y: float
    size_mm: float
    bold: bool
    centred: bool
    text: str


@dataclass(frozen=True)
class Code:
    """A code: its upper left corner, its side without the quiet zone, and its modules."""

    x: float
    y: float
    side_mm: float
    modules: tuple[tuple[bool, ...], ...]

    def runs(self) -> Iterator[tuple[float, float, float, float]]:
        """Its dark parts as bars: x, y, width, height."""
        module = self.side_mm / len(self.modules)
        for j, row in enumerate(self.modules):
            start = None
            for i, dark in enumerate((*row, False)):
                if dark and start is None:
                    start = i
                elif not dark and start is not None:
                    yield self.x + start * module, self.y + j * module, (i - start) * module, module
                    start = None


@dataclass(frozen=True)
class Picture:
    """Where the logo goes."""

    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True, kw_only=True)
class LabelDrawn:
    """A label, from its own upper left corner."""

    texts: tuple[Text, ...]
    code: Code | None
    logo: Picture | None


@lru_cache(maxsize=2)
def _font(bold: bool) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(FONTS[bold], _MEASURED_AT)


def width_of(text: str, size_mm: float, bold: bool) -> float:
    """How wide a line of text is, mm."""
    return _font(bold).getlength(text) * size_mm / _MEASURED_AT


def draw(worded: Worded, sheet: Sheet, logo_ratio: float | None) -> LabelDrawn:
    """Set a label.

    Args:
        logo_ratio: width of the logo over its height; None for none.
    Raises:
        BadInput: what a label must say does not fit on it, or has letters that cannot be printed.
    """
    said = [replace(line, text=_without_pictures(line.text)) for line in worded.lines]
    _check_letters(said)
    wide, high = sheet.label_mm
    matrix = _matrix(worded.address)
    may = [line for line in said if line.role == "may"]
    for left_out in range(len(may) + 1):
        lines = [line for line in said if line not in may[len(may) - left_out :]]
        for side in _code_sides(matrix, sheet):
            if sheet.round:
                found = _round(lines, wide, matrix, side, logo_ratio)
            else:
                found = _square(lines, (wide, high), matrix, side, logo_ratio)
            if found is not None:
                return found
    raise BadInput(
        {
            "sheet": _(
                "What the label must say does not fit on {wide} × {high} mm. Choose a larger one, "
                "one language, or leave code or logo off.",
                wide=number(wide, 0),
                high=number(high, 0),
            )
        }
    )


PICTURES = ("So", "Sk", "Cf", "Mn")


def _without_pictures(text: str) -> str:
    """A text without the little pictures of a name that the type does not have: nothing is said by them."""
    known = known_letters()
    kept = (c for c in text if ord(c) in known or unicodedata.category(c) not in PICTURES)
    return re.sub(" +", " ", "".join(kept)).strip()


def _check_letters(lines: Sequence[LabelLine]) -> None:
    known = known_letters()
    strange = {c for line in lines for c in line.text if ord(c) not in known}
    if strange:
        shown = " ".join(sorted(strange)[:8])
        raise BadInput({"own": _("These letters cannot be printed on a label: {shown}", shown=shown)})


@lru_cache(maxsize=1)
def known_letters() -> frozenset[int]:
    """The characters that the type has."""
    from fontTools.ttLib import TTFont

    with TTFont(FONTS[False]) as font:
        return frozenset(font.getBestCmap())


def _matrix(address: str) -> tuple[tuple[bool, ...], ...] | None:
    if not address:
        return None
    made = segno.make(address, error="m", micro=False)
    return tuple(tuple(bool(module) for module in row) for row in made.matrix)


def _code_sides(matrix: tuple[tuple[bool, ...], ...] | None, sheet: Sheet) -> tuple[float, ...]:
    """How wide the code is, quiet zone and all: as it reads well, or else as it still reads."""
    if matrix is None:
        return (0.0,)
    least = LEAST_MODULE_MM * (len(matrix) + 2 * QUIET)
    wish = min(max(0.36 * sheet.label_mm[1], CODE_MM[0]), CODE_MM[1])
    return (wish, least) if wish > least else (least,)


def _code(matrix: tuple[tuple[bool, ...], ...], x: float, y: float, side: float) -> Code:
    """The code in its quiet zone."""
    module = side / (len(matrix) + 2 * QUIET)
    return Code(x + QUIET * module, y + QUIET * module, module * len(matrix), matrix)


def _square(
    lines: list[LabelLine],
    size_mm: tuple[float, float],
    matrix: tuple[tuple[bool, ...], ...] | None,
    side: float,
    logo_ratio: float | None,
) -> LabelDrawn | None:
    """Text on the left; logo above code on the right."""
    wide, high = size_mm
    logo_high = LOGO_SHARE * high if logo_ratio else 0.0
    logo_wide = min(logo_high * logo_ratio, 0.3 * wide) if logo_ratio else 0.0
    if logo_ratio:
        logo_high = logo_wide / logo_ratio
    if side + logo_high > high - MARGIN_MM:
        return None
    column = max(side, logo_wide + MARGIN_MM / 2 if logo_wide else 0.0)
    text_wide = wide - 2 * MARGIN_MM - column
    set_lines = _set(lines, text_wide, high - 2 * MARGIN_MM)
    if set_lines is None:
        return None
    texts = tuple(_placed(set_lines, MARGIN_MM, (high - _height(set_lines)) / 2, centred=False))
    # The quiet zone may reach the label's edge: there is nothing printed there.
    code = _code(matrix, wide - side, high - side, side) if matrix else None
    logo = Picture(wide - MARGIN_MM - logo_wide, MARGIN_MM, logo_wide, logo_high)
    return LabelDrawn(texts=texts, code=code, logo=logo if logo_ratio else None)


def _round(
    lines: list[LabelLine],
    wide: float,
    matrix: tuple[tuple[bool, ...], ...] | None,
    side: float,
    logo_ratio: float | None,
) -> LabelDrawn | None:
    """Logo above, text across the middle, code below, each where the circle is wide enough for it."""
    half = wide / 2
    logo_high = min(ROUND_LOGO * wide, 0.3 * wide / logo_ratio) if logo_ratio else 0.0
    top = ROUND_EDGE_MM + logo_high + 0.8 if logo_ratio else ROUND_FREE * wide
    bottom, code_top = wide - ROUND_FREE * wide, wide
    if matrix:
        if side > wide - 4:
            return None
        # As far down as its lower corners lie within.
        code_top = half + ((half - 0.5) ** 2 - (side / 2) ** 2) ** 0.5 - side
        bottom = min(bottom, code_top)
    if bottom - top < ROUND_FREE * wide:
        return None
    free = min(_chord(half, top + 1.0), _chord(half, bottom)) - 2 * ROUND_EDGE_MM
    set_lines = _set(lines, free, bottom - top)
    if set_lines is None:
        return None
    above = top + (bottom - top - _height(set_lines)) / 2
    texts = tuple(_placed(set_lines, half, above, centred=True))
    code = _code(matrix, half - side / 2, code_top, side) if matrix else None
    logo = None
    if logo_ratio:
        logo_wide = logo_high * logo_ratio
        logo = Picture(half - logo_wide / 2, ROUND_EDGE_MM, logo_wide, logo_high)
    return LabelDrawn(texts=texts, code=code, logo=logo)


def _chord(half: float, y: float) -> float:
    """How wide a circle is at a height below its top."""
    return float(2 * max(half**2 - (half - y) ** 2, 0.0) ** 0.5)


SetLine = tuple[str, float, bool]
"""Text, size in mm, whether bold."""


def _set(lines: list[LabelLine], wide: float, high: float) -> list[SetLine] | None:
    """The lines broken to a width, as large as they fit in a height; None where even the smallest
    do not."""
    if wide < 12 or high < 6:
        return None
    size = LARGEST_MM
    while size >= SMALLEST_MM:
        found = [one for line in lines for one in _broken(line, size * SCALE[line.role], wide)]
        if _height(found) <= high and all(width_of(*one) <= wide for one in found):
            return found
        size *= FINER
    return None


def _broken(line: LabelLine, size_mm: float, wide: float) -> Iterator[SetLine]:
    bold = line.role in BOLD
    row = ""
    for word in line.text.split(" "):
        longer = f"{row} {word}" if row else word
        if row and width_of(longer, size_mm, bold) > wide:
            yield row, size_mm, bold
            row = word
        else:
            row = longer
    yield row, size_mm, bold


def _height(lines: list[SetLine]) -> float:
    return sum(LEADING * size for _any, size, _bold in lines)


def _placed(lines: list[SetLine], x: float, top: float, *, centred: bool) -> Iterator[Text]:
    y = top
    for text, size, bold in lines:
        baseline = y + ASCENT * LEADING * size
        yield Text(x=x, y=baseline, size_mm=size, bold=bold, centred=centred, text=text)
        y += LEADING * size


def ratio_of(picture: Image.Image) -> float:
    """Width over height."""
    return picture.width / picture.height
