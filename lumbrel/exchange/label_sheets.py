"""Sheets of labels as PDF and as SVG: both drawn from one layout."""

import base64
import io
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from html import escape

from defusedxml.ElementTree import fromstring
from fpdf import FPDF
from PIL import Image

from lumbrel.core.jar.sheets import Sheet
from lumbrel.exchange import logo as logos
from lumbrel.exchange.label_layout import FONTS, LabelDrawn, draw, ratio_of, width_of
from lumbrel.services.base.form import BadInput
from lumbrel.services.jar.labels import Worded
from lumbrel.words import _

FAMILY = "Atkinson Hyperlegible Next"
POINT_MM = 25.4 / 72
MOST_SHEETS = 40
INK = "#15254d"
EDGE_MM = 0.2


@dataclass(frozen=True)
class Wanted:
    """A label, and how many of it."""

    worded: Worded
    copies: int


@dataclass(frozen=True, kw_only=True)
class Job:
    """Labels to print: on which sheet, from which place of the first one, with an edge to cut along or
    not, with a logo or not (as a data address)."""

    sheet: Sheet
    wanted: tuple[Wanted, ...]
    first: int = 1
    edge: bool = False
    logo: str = ""

    @property
    def pages(self) -> int:
        """Sheets that it takes."""
        count = self.first - 1 + sum(one.copies for one in self.wanted)
        return -(-count // self.sheet.places)


Place = tuple[int, float, float, LabelDrawn]
"""The page, from 0, the label's upper left corner on it, and what is drawn there."""


def places(job: Job) -> Iterator[Place]:
    """Where each label goes.

    Raises:
        BadInput: it is too many, or a label does not fit.
    """
    if job.pages > MOST_SHEETS:
        raise BadInput(
            {
                "copies": _(
                    "That is {pages} sheets; at most {MOST_SHEETS} at once. Print fewer copies.",
                    pages=job.pages,
                    MOST_SHEETS=MOST_SHEETS,
                )
            }
        )
    ratio = _logo_ratio(job.logo)
    at = job.first - 1
    for one in job.wanted:
        drawn = draw(one.worded, job.sheet, ratio)
        for _any in range(one.copies):
            page, index = divmod(at, job.sheet.places)
            yield page, *job.sheet.place_mm(index), drawn
            at += 1


def _logo_ratio(logo: str) -> float | None:
    if not logo:
        return None
    content = logos.content_of(logo)
    if logo.startswith("data:image/png"):
        with Image.open(io.BytesIO(content)) as picture:
            return ratio_of(picture)
    box = [float(part) for part in re.split(r"[\s,]+", fromstring(content).get("viewBox", "").strip())]
    return box[2] / box[3] if len(box) == 4 and box[2] > 0 and box[3] > 0 else 1.0


def as_pdf(job: Job) -> bytes:
    """The sheets as PDF, at their true size."""
    pdf = FPDF(unit="mm", format=job.sheet.page_mm)
    pdf.set_auto_page_break(False)
    pdf.set_margin(0)
    for bold, file in FONTS.items():
        pdf.add_font(FAMILY, "B" if bold else "", file)
    pdf.set_title("Labels")
    pdf.set_creator("Lumbrel")
    for page, x, y, drawn in places(job):
        while pdf.page <= page:
            pdf.add_page()
        _into_pdf(pdf, job, (x, y), drawn)
    return bytes(pdf.output())


def _into_pdf(pdf: FPDF, job: Job, corner: tuple[float, float], drawn: LabelDrawn) -> None:
    left, top = corner
    pdf.set_draw_color(INK)
    pdf.set_fill_color("#000000")
    if job.edge:
        pdf.set_line_width(EDGE_MM)
        wide, high = job.sheet.label_mm
        pdf.ellipse(left, top, wide, high) if job.sheet.round else pdf.rect(left, top, wide, high)
    for text in drawn.texts:
        pdf.set_font(FAMILY, "B" if text.bold else "", text.size_mm / POINT_MM)
        back = width_of(text.text, text.size_mm, text.bold) / 2 if text.centred else 0.0
        pdf.text(left + text.x - back, top + text.y, text.text)
    if drawn.code:
        for x, y, wide, high in drawn.code.runs():
            pdf.rect(left + x, top + y, wide, high, style="F")
    if drawn.logo:
        place = drawn.logo
        source = io.BytesIO(logos.content_of(job.logo))
        pdf.image(source, left + place.x, top + place.y, place.width, place.height)


def as_svg(job: Job, page: int = 0, *, alone: bool = False) -> str:
    """One sheet as SVG, in mm.

    Args:
        alone: as a file of its own, with the type in it.
    """
    wide, high = job.sheet.page_mm
    parts = [_svg_label(job, (x, y), drawn) for on, x, y, drawn in places(job) if on == page]
    return _svg((wide, high), parts, alone=alone)


def one_as_svg(job: Job, index: int = 0) -> str:
    """One label by itself, to be looked at."""
    drawn = draw(job.wanted[index].worded, job.sheet, _logo_ratio(job.logo))
    parts = [_svg_edge(job.sheet, (0.0, 0.0), "edge"), _svg_label(job, (0.0, 0.0), drawn)]
    return _svg(job.sheet.label_mm, parts)


def _svg(size_mm: tuple[float, float], parts: Iterable[str], *, alone: bool = False) -> str:
    wide, high = size_mm
    head = (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:g}mm" height="{high:g}mm" '
        f'viewBox="0 0 {wide:g} {high:g}" font-family="{FAMILY}" fill="#000">'
    )
    return "\n".join([head, *([_type()] if alone else []), *parts, "</svg>"])


def _type() -> str:
    faces = "".join(
        f'@font-face{{font-family:"{FAMILY}";font-weight:{700 if bold else 400};'
        f"src:url(data:font/ttf;base64,{base64.b64encode(file.read_bytes()).decode('ascii')})}}"
        for bold, file in FONTS.items()
    )
    return f"<style>{faces}</style>"


def _svg_edge(sheet: Sheet, corner: tuple[float, float], kind: str) -> str:
    (x, y), (wide, high) = corner, sheet.label_mm
    how = f'class="{kind}" fill="none" stroke="{INK}" stroke-width="{EDGE_MM}"'
    if sheet.round:
        return f'<circle cx="{x + wide / 2:.3f}" cy="{y + wide / 2:.3f}" r="{wide / 2:.3f}" {how}/>'
    return f'<rect x="{x:.3f}" y="{y:.3f}" width="{wide:g}" height="{high:g}" {how}/>'


def _svg_label(job: Job, corner: tuple[float, float], drawn: LabelDrawn) -> str:
    left, top = corner
    parts = [_svg_edge(job.sheet, corner, "cut")] if job.edge else []
    for text in drawn.texts:
        middle = ' text-anchor="middle"' if text.centred else ""
        weight = 700 if text.bold else 400
        parts.append(
            f'<text x="{left + text.x:.3f}" y="{top + text.y:.3f}" font-size="{text.size_mm:.3f}" '
            f'font-weight="{weight}"{middle}>{escape(text.text)}</text>'
        )
    if drawn.code:
        bars = (
            f"M{left + x:.3f} {top + y:.3f}h{wide:.3f}v{high:.3f}h{-wide:.3f}z"
            for x, y, wide, high in drawn.code.runs()
        )
        parts.append(f'<path class="code" d="{"".join(bars)}"/>')
    if drawn.logo:
        place = drawn.logo
        parts.append(
            f'<image x="{left + place.x:.3f}" y="{top + place.y:.3f}" width="{place.width:.3f}" '
            f'height="{place.height:.3f}" href="{escape(job.logo)}"/>'
        )
    return "".join(parts)
