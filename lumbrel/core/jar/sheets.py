"""Sheets of labels as stationers sell them: where each label lies on the paper, mm."""

from dataclasses import dataclass

from lumbrel.words import _, bare

A4_MM, LETTER_MM = (210.0, 297.0), (215.9, 279.4)
INCH_MM = 25.4


@dataclass(frozen=True, kw_only=True)
class Sheet:
    """A sheet: its paper, and its labels in rows, all in mm. A round label is as high as it is wide."""

    key: str
    paper: str
    page_mm: tuple[float, float]
    label_mm: tuple[float, float]
    columns: int
    rows: int
    left_mm: float
    top_mm: float
    gap_mm: tuple[float, float] = (0.0, 0.0)
    round: bool = False

    @property
    def words(self) -> str:
        """As a person chooses it."""
        wide, high = self.label_mm
        inches = self.paper == "Letter"
        sizes = [bare(float(f"{side / INCH_MM:.3g}")) if inches else bare(side) for side in (wide, high)]
        unit = "in" if inches else "mm"
        if self.round:
            return _(
                "{paper}, {places} round ones of {sizes} {unit}",
                paper=self.paper,
                places=self.places,
                sizes=sizes[0],
                unit=unit,
            )
        return _(
            "{paper}, {places} of {sizes} × {sizes_2} {unit}",
            paper=self.paper,
            places=self.places,
            sizes=sizes[0],
            sizes_2=sizes[1],
            unit=unit,
        )

    @property
    def places(self) -> int:
        """Labels on one sheet."""
        return self.columns * self.rows

    def place_mm(self, index: int) -> tuple[float, float]:
        """Left and upper edge of a label, row by row.

        Args:
            index: from 0, below `places`.
        """
        row, column = divmod(index, self.columns)
        wide, high = (size + gap for size, gap in zip(self.label_mm, self.gap_mm, strict=True))
        return self.left_mm + column * wide, self.top_mm + row * high


def _centred(
    key: str,
    paper: str,
    label_mm: tuple[float, float],
    grid: tuple[int, int],
    gap_mm: tuple[float, float] = (0.0, 0.0),
) -> Sheet:
    """A sheet whose labels lie in its middle. The key begins with `round` for round ones."""
    page = A4_MM if paper == "A4" else LETTER_MM
    left, top = (
        (side - count * size - (count - 1) * gap) / 2
        for side, count, size, gap in zip(page, grid, label_mm, gap_mm, strict=True)
    )
    return Sheet(
        key=key,
        paper=paper,
        page_mm=page,
        label_mm=label_mm,
        columns=grid[0],
        rows=grid[1],
        left_mm=left,
        top_mm=top,
        gap_mm=gap_mm,
        round=key.startswith("round"),
    )


SHEETS: tuple[Sheet, ...] = (
    _centred("a4-21", "A4", (63.5, 38.1), (3, 7), (2.54, 0.0)),
    _centred("a4-14", "A4", (99.1, 38.1), (2, 7), (2.54, 0.0)),
    _centred("a4-8", "A4", (99.1, 67.7), (2, 4), (2.54, 0.0)),
    _centred("a4-24", "A4", (70.0, 37.0), (3, 8)),
    _centred("round-a4-12", "A4", (60.0, 60.0), (3, 4), (5.0, 8.0)),
    _centred("round-a4-24", "A4", (40.0, 40.0), (4, 6), (6.0, 6.0)),
    _centred("letter-30", _("Letter"), (2.625 * INCH_MM, INCH_MM), (3, 10), (0.125 * INCH_MM, 0.0)),
    _centred("letter-10", _("Letter"), (4 * INCH_MM, 2 * INCH_MM), (2, 5), (0.1875 * INCH_MM, 0.0)),
    _centred("letter-6", _("Letter"), (4 * INCH_MM, 10 / 3 * INCH_MM), (2, 3), (0.1875 * INCH_MM, 0.0)),
    _centred("round-letter-20", _("Letter"), (2 * INCH_MM, 2 * INCH_MM), (4, 5), (0.1 * INCH_MM, 2.0)),
    _centred("round-letter-12", _("Letter"), (2.5 * INCH_MM, 2.5 * INCH_MM), (3, 4), (4.0, 3.0)),
)
"""Common sizes; of each the margins are even, as they are sold."""
BY_KEY = {sheet.key: sheet for sheet in SHEETS}
