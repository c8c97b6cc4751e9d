"""A photograph as it comes from a camera: looked at with care, made small, and cut to its two boxes."""

import io
from dataclasses import dataclass
from sqlite3 import Connection

import numpy as np
from PIL import Image

from lumbrel.core.colour.photo import PhotoColour, Pixels, judge
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import Box
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.base.picture_process import NO_COLOURS, TOO_FINE
from lumbrel.services.base.pictures import made_plain
from lumbrel.store import photographs
from lumbrel.words import _, number

MOST_BYTES = 12 * 1024 * 1024
OVERLAP = 0.2
"""Of the smaller box: two that share so much lie on one vial."""
FIRST_BLANK: Box = (0.18, 0.3, 0.18, 0.4)
FIRST_SAMPLE: Box = (0.64, 0.3, 0.18, 0.4)
NO_PHOTOGRAPH = _("A photograph is a PNG, JPEG or WebP file of at most 12 MB; this is none.")
REFUSALS = {
    TOO_FINE: _(
        "A photograph has at most 60 million pixels as JPEG, 24 as PNG, 16 as WebP; take it with fewer."
    ),
    NO_COLOURS: _("That picture has no colours. Take it in colour."),
}


@dataclass(frozen=True, kw_only=True)
class KeptPhotograph:
    """A photograph that is kept, and its size."""

    name: str
    width: int
    height: int


def take(context: BatchContext, content: bytes) -> str:
    """Put a photograph down to be looked at: turned upright, in standard colours, without what else the
    file said, such as the place.

    Returns:
        Its hash.
    Raises:
        BadInput: it is none, or too large.
    """
    try:
        return photographs.draft(context.db, _made_small(content))
    except photographs.NoPlace as error:
        raise BadInput({"file": str(error)}) from error


def _made_small(content: bytes) -> bytes:
    if not content:
        raise BadInput({"file": _("Choose a photograph: a PNG, JPEG or WebP file of at most 12 MB.")})
    if len(content) > MOST_BYTES:
        raise BadInput(
            {
                "file": _(
                    "{NO_PHOTOGRAPH}; this has {count}.",
                    NO_PHOTOGRAPH=NO_PHOTOGRAPH[:-14],
                    count=number(len(content) / 2**20, 0),
                )
            }
        )
    return made_plain("photograph", content, REFUSALS, NO_PHOTOGRAPH)


def found(context: BatchContext, name: str) -> KeptPhotograph:
    """A photograph by its hash.

    Raises:
        NotFound: there is none.
    """
    picture = _opened(context, name)
    if picture is None:
        raise NotFound(_("That photograph is no longer available. Choose it again."))
    return KeptPhotograph(name=name, width=picture.width, height=picture.height)


def _opened(context: BatchContext, name: str) -> Image.Image | None:
    content = photographs.find(context.db, name)
    if content is None:
        return None
    return Image.open(io.BytesIO(content), formats=("JPEG",))


def box_of(text: str, name: str) -> Box:
    """A box as it is sent: four shares of the picture, as “0.2 0.3 0.15 0.4”.

    Raises:
        BadInput: it is none, or lies off the picture.
    """
    try:
        x, y, w, h = (float(part) for part in text.split())
    except ValueError:
        raise BadInput({name: _("Draw a box on each vial.")}) from None
    on_it = 0 <= x <= 1 and 0 <= y <= 1 and w > 0 and h > 0 and x + w <= 1 + 1e-6 and y + h <= 1 + 1e-6
    if not on_it:
        raise BadInput({name: _("The box lies off the picture. Draw it within.")})
    return x, y, w, h


def as_text(box: Box) -> str:
    """A box as it is sent."""
    return " ".join(f"{part:.4f}" for part in box)


def file_of(db: Connection, name: str) -> bytes | None:
    return photographs.find(db, name)


def judged(context: BatchContext, name: str, boxes: tuple[Box, Box], path_mm: float) -> PhotoColour:
    """The colour by a photograph.

    Args:
        boxes: on the blank, and on the sample.
        path_mm: inside width of the vials.
    Raises:
        BadInput: there is no such photograph, or both boxes lie on one spot.
        OutOfRange: a box is too small, or the blank is darker than the sample.
    """
    picture = _opened(context, name)
    if picture is None:
        raise BadInput({"photo": _("That photograph is no longer available. Choose it again.")})
    return _judged(picture, boxes, path_mm)


def judged_of(content: bytes, boxes: tuple[Box, Box], path_mm: float) -> PhotoColour:
    """The same of a photograph as it comes from a camera, kept nowhere."""
    picture = Image.open(io.BytesIO(_made_small(content)), formats=("JPEG",))
    return _judged(picture, boxes, path_mm)


def _judged(picture: Image.Image, boxes: tuple[Box, Box], path_mm: float) -> PhotoColour:
    blank, sample = boxes
    if _shared(blank, sample) > OVERLAP:
        raise BadInput(
            {"sample_box": _("Both boxes lie on one spot: one goes on the blank, the other on the syrup.")}
        )
    pixels = np.asarray(picture.convert("RGB"))
    return judge(_cut(pixels, blank), _cut(pixels, sample), path_mm)


def _shared(one: Box, other: Box) -> float:
    """How much of the smaller box the other covers."""
    (ax, ay, aw, ah), (bx, by, bw, bh) = one, other
    wide = max(min(ax + aw, bx + bw) - max(ax, bx), 0.0)
    high = max(min(ay + ah, by + bh) - max(ay, by), 0.0)
    return wide * high / min(aw * ah, bw * bh)


def _cut(pixels: Pixels, box: Box) -> Pixels:
    high, wide = pixels.shape[:2]
    x, y, w, h = box
    top, left = round(y * high), round(x * wide)
    return pixels[top : max(round((y + h) * high), top), left : max(round((x + w) * wide), left)]
