"""A photograph of two vials in a replayed log."""

import base64
import binascii

from lumbrel.core.errors import OutOfRange
from lumbrel.exchange.replay_words import OK, Answer, Line, Unfit, is_number, number_of
from lumbrel.services.base.facts import Box
from lumbrel.services.base.form import BadInput
from lumbrel.services.colour import photograph
from lumbrel.services.colour.entries import said_large
from lumbrel.words import _

KEYS = {"file": "image", "photo": "image", "path": "path_mm", "path_mm": "path_mm"}


def photographed(line: Line) -> Answer:
    """What a photograph tells of the colour."""
    path_mm = number_of(line, "path_mm", 1, 100, 10)
    try:
        content = base64.b64decode(str(line.get("image", "")), validate=True)
    except (binascii.Error, ValueError) as error:
        raise Unfit(image=_("A photograph is sent as base64.")) from error
    boxes = _box(line, "blank_box"), _box(line, "sample_box")
    try:
        found = photograph.judged_of(content, boxes, path_mm)
    except BadInput as bad:
        raise Unfit(**{KEYS.get(key, key): text for key, text in bad.errors.items()}) from bad
    except OutOfRange as error:
        raise Unfit(**{KEYS.get(error.field, error.field or "image"): error.sentence}) from error
    return OK | {
        "transmittance_10mm_percent": found.transmittance_percent,
        "uncertainty_percent": found.sigma_points,
        "chances": found.chances,
        "said": said_large(found.chances),
    }


def _box(line: Line, key: str) -> Box:
    """A box as the page has it, of one sent as left, top, right, bottom."""
    sent = line.get(key)
    if not isinstance(sent, list) or len(sent) != 4 or not all(is_number(one) for one in sent):
        raise Unfit(**{key: _("A box is left, top, right and bottom, as shares of the picture.")})
    left, top, right, bottom = sent
    return photograph.box_of(f"{left} {top} {right - left:.9f} {bottom - top:.9f}", key)
