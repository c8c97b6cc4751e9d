"""Which labels are to be printed, how many of each, and where on the sheet they begin."""

from dataclasses import dataclass

from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.jar.label_style import LabelStyle, read
from lumbrel.services.jar.labels import Label
from lumbrel.words import _

MOST_COPIES = 2000
COPIES = Bounds(
    "copies", "count", 1, MOST_COPIES, _("Type how many, 1 to 2000; empty for as many as were filled.")
)


@dataclass(frozen=True, kw_only=True)
class LabelJob:
    """What is to be printed."""

    style: LabelStyle
    wanted: list[tuple[Label, int]]
    first: int
    """The place of the first sheet that it begins at, from 1."""


def key_of(label: Label) -> str:
    """A label by its lot and size, as a form sends it."""
    return f"{label.lot} {label.size_ml:g}"


def read_job(form: Form, known: list[Label]) -> LabelJob:
    """A job as it is typed.

    Raises:
        BadInput: a field is wrong.
    """
    style = read(form)
    chosen = form.fields.get("which", "")
    wanted = [label for label in known if chosen in ("", key_of(label))]
    if not wanted:
        form.errors["which"] = _("Choose one of this batch's jars.")
    copies = form.between(COPIES, required=False)
    first = 1
    if style is not None and form.given("begin"):
        most = style.sheet.places
        sentence = _("Type the place of the first label, 1 to {most} on this sheet.", most=most)
        first = round(form.between(Bounds("begin", "count", 1, most, sentence)) or 1)
    form.check()
    assert style is not None
    return LabelJob(
        style=style,
        wanted=[(label, round(copies) if copies else label.count) for label in wanted],
        first=first,
    )
