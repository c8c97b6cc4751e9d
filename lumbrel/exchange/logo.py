"""A logo as it is sent, cleaned: a PNG is made anew; of an SVG only what draws is left, and one that
would do or fetch anything is refused."""

import base64
import re
from xml.etree.ElementTree import Element, ParseError, SubElement, register_namespace, tostring

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring

from lumbrel.services.base.form import BadInput
from lumbrel.services.base.picture_process import TOO_FINE
from lumbrel.services.base.pictures import made_plain
from lumbrel.words import _

MOST_BYTES, MOST_KEPT_BYTES = 512 * 1024, 60_000
SVG = "http://www.w3.org/2000/svg"
DRAWS = ("svg", "g", "path", "rect", "circle", "ellipse", "line", "polyline", "polygon", "title")
ACTS = ("script", "foreignObject", "iframe", "image", "use", "a", "animate", "set", "handler", "object")
GEOMETRY = (
    *("x", "y", "x1", "y1", "x2", "y2", "cx", "cy", "r", "rx", "ry", "d", "points"),
    *("width", "height", "viewBox", "transform", "preserveAspectRatio"),
)
PAINT = (
    *("fill", "fill-rule", "fill-opacity", "stroke", "stroke-width", "stroke-linecap"),
    *("stroke-linejoin", "stroke-miterlimit", "stroke-dasharray", "stroke-opacity", "opacity"),
)
PLAIN = re.compile(r"[\w\s.,#%()+\-]*")
NO_LOGO = _("A logo is a PNG or SVG file of at most 512 KB; this is none.")
DOES_MORE = _(
    "That SVG does more than draw: it holds {}. Save it as a plain drawing, all shapes "
    "turned to paths, and send it again."
)


def cleaned(content: bytes) -> str:
    """A logo as a data address that draws, and does nothing else.

    Raises:
        BadInput: it is no logo, too large, or would do more than draw.
    """
    if not content or len(content) > MOST_BYTES:
        raise BadInput({"file": _("Choose a logo: a PNG or SVG file of at most 512 KB.")})
    if content.startswith(b"\x89PNG"):
        return _as_address("image/png", _plain_png(content))
    return _as_address("image/svg+xml", _plain_svg(content))


def _as_address(kind: str, content: bytes) -> str:
    if len(content) > MOST_KEPT_BYTES:
        raise BadInput({"file": _("That logo is too detailed for a label: make it simpler.")})
    return f"data:{kind};base64,{base64.b64encode(content).decode('ascii')}"


def content_of(address: str) -> bytes:
    """What a data address holds."""
    return base64.b64decode(address.partition(",")[2])


def _plain_png(content: bytes) -> bytes:
    too_fine = {TOO_FINE: _("That logo has too many pixels: 4000 by 4000 are enough.")}
    return made_plain("logo", content, too_fine, NO_LOGO)


def _plain_svg(content: bytes) -> bytes:
    try:
        root = fromstring(content, forbid_dtd=False)
    except DefusedXmlException as error:
        raise BadInput({"file": DOES_MORE.format(_("entities of its own"))}) from error
    except (ParseError, ValueError, RecursionError) as error:
        raise BadInput({"file": NO_LOGO}) from error
    if _name(root) != "svg":
        raise BadInput({"file": NO_LOGO})
    register_namespace("", SVG)
    clean = Element(f"{{{SVG}}}svg")
    _copy(root, clean, 0)
    if not root.get("viewBox") and not (root.get("width") and root.get("height")):
        raise BadInput({"file": _("That SVG does not say how large it is: it wants a viewBox.")})
    if not root.get("viewBox"):
        clean.set("viewBox", f"0 0 {_number(root.get('width'))} {_number(root.get('height'))}")
    return bytes(tostring(clean, encoding="utf-8"))


def _number(text: str | None) -> str:
    found = re.match(r"\s*([\d.]+)", text or "")
    return found[1] if found else "100"


def _name(element: Element) -> str:
    return str(element.tag).rpartition("}")[2]


def _copy(source: Element, target: Element, depth: int) -> None:
    """Take over what draws, by name; what is only kept by drawing programs is left behind."""
    if depth > 40:
        raise BadInput({"file": _("That SVG is nested too deeply.")})
    for key, value in source.attrib.items():
        name = key.rpartition("}")[2]
        if name.lower().startswith("on"):
            raise BadInput({"file": DOES_MORE.format(f"“{name[:20]}”")})
        if name == "style":
            _copy_style(value, target)
        elif key in (*GEOMETRY, *PAINT) and PLAIN.fullmatch(value) and "url(" not in value:
            target.set(key, value)
    if _name(target) == "title":
        target.text = (source.text or "")[:80]
    for child in source:
        name = _name(child)
        if name in ACTS:
            raise BadInput({"file": DOES_MORE.format(f"“{name}”")})
        if name in DRAWS:
            _copy(child, SubElement(target, f"{{{SVG}}}{name}"), depth + 1)


def _copy_style(text: str, target: Element) -> None:
    for part in text.split(";"):
        name, _any, value = (piece.strip() for piece in part.partition(":"))
        if name in PAINT and PLAIN.fullmatch(value) and "url(" not in value:
            target.set(name, value)
