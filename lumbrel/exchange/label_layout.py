"""One label as it is drawn: its lines set as large as they fit, its code and logo, all in mm."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import segno
from PIL import Image, ImageFont

from lumbrel.core.jar.sheets import Sheet
from lumbrel.services.base.form import BadInput
from lumbrel.services.jar.labels import Role, Worded, Words

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
ROUND_WIDE, ROUND_HIGH = 0.86, 0.50
"""Of a round label's width: a box of such a width and height lies within it."""
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
class Drawn:
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


def draw(worded: Worded, sheet: Sheet, logo_ratio: float | None) -> Drawn:
    """Set a label.

    Args:
        logo_ratio: width of the logo over its height; None for none.
    Raises:
        BadInput: what a label must say does not fit on it, or has letters that cannot be printed.
    """
    _check_letters(worded.lines)
    wide, high = sheet.label_mm
    matrix = _matrix(worded.address)
    side = _code_side(matrix, sheet) if matrix else 0.0
    may = [line for line in worded.lines if line.role == "may"]
    for left_out in range(len(may) + 1):
        lines = [line for line in worded.lines if line not in may[len(may) - left_out :]]
        if sheet.round:
            found = _round(lines, wide, matrix, side, logo_ratio)
        else:
            found = _square(lines, (wide, high), matrix, side, logo_ratio)
        if found is not None:
            return found
    raise BadInput(
        {
            "sheet": f"What the label must say does not fit on {wide:.0f} × {high:.0f} mm. Choose a larger "
            "one, one language, or leave the code off."
        }
    )


def _check_letters(lines: Sequence[Words]) -> None:
    known = known_letters()
    strange = {c for line in lines for c in line.text if ord(c) not in known}
    if strange:
        shown = " ".join(sorted(strange)[:8])
        raise BadInput({"own": f"These letters cannot be printed on a label: {shown}"})


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


def _code_side(matrix: tuple[tuple[bool, ...], ...], sheet: Sheet) -> float:
    """How wide the code is, quiet zone and all: large enough to be read, no larger than it need be."""
    least = LEAST_MODULE_MM * (len(matrix) + 2 * QUIET)
    wish = min(max(0.36 * sheet.label_mm[1], CODE_MM[0]), CODE_MM[1])
    return max(least, wish)


def _code(matrix: tuple[tuple[bool, ...], ...], x: float, y: float, side: float) -> Code:
    """The code in its quiet zone."""
    module = side / (len(matrix) + 2 * QUIET)
    return Code(x + QUIET * module, y + QUIET * module, module * len(matrix), matrix)


def _square(
    lines: list[Words],
    size_mm: tuple[float, float],
    matrix: tuple[tuple[bool, ...], ...] | None,
    side: float,
    logo_ratio: float | None,
) -> Drawn | None:
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
    return Drawn(texts=texts, code=code, logo=logo if logo_ratio else None)


def _round(
    lines: list[Words],
    wide: float,
    matrix: tuple[tuple[bool, ...], ...] | None,
    side: float,
    logo_ratio: float | None,
) -> Drawn | None:
    """Logo above, text across the middle, code below."""
    free = ROUND_WIDE * wide, ROUND_HIGH * wide
    top = (wide - free[1]) / 2
    bottom = wide - top
    if matrix:
        # As far down as its lower corners lie within.
        reach = ((wide / 2 - 0.5) ** 2 - (side / 2) ** 2) ** 0.5 if side < wide - 1 else 0.0
        code_top = wide / 2 + reach - side
        bottom = min(bottom, code_top)
        if bottom < wide * 0.5:
            return None
    logo_high = 0.0 if logo_ratio is None else min(top - 3.0, 0.3 * wide / logo_ratio)
    if logo_high < 2:
        top, logo_high = top - 0.06 * wide, 0.0
    set_lines = _set(lines, free[0] - 0.04 * wide, bottom - top)
    if set_lines is None:
        return None
    above = top + (bottom - top - _height(set_lines)) / 2
    texts = tuple(_placed(set_lines, wide / 2, above, centred=True))
    code = _code(matrix, (wide - side) / 2, wide / 2 + reach - side, side) if matrix else None
    logo = None
    if logo_high and logo_ratio:
        logo_wide = logo_high * logo_ratio
        logo = Picture((wide - logo_wide) / 2, top - logo_high - 0.5, logo_wide, logo_high)
    return Drawn(texts=texts, code=code, logo=logo)


SetLine = tuple[str, float, bool]
"""Text, size in mm, whether bold."""


def _set(lines: list[Words], wide: float, high: float) -> list[SetLine] | None:
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


def _broken(line: Words, size_mm: float, wide: float) -> Iterator[SetLine]:
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
    return sum(LEADING * size for _, size, _ in lines)


def _placed(lines: list[SetLine], x: float, top: float, *, centred: bool) -> Iterator[Text]:
    y = top
    for text, size, bold in lines:
        baseline = y + ASCENT * LEADING * size
        yield Text(x=x, y=baseline, size_mm=size, bold=bold, centred=centred, text=text)
        y += LEADING * size


def ratio_of(picture: Image.Image) -> float:
    """Width over height."""
    return picture.width / picture.height
