"""What a kind of line asks for, declared where its facts are: `depth_mm: Annotated[float, Quantity(...)]`.

From the declaration come reading the form, the bounds and their sentence in the kitchen's own units, the
fields on the page, the correction form, and what the published schema says of it.
"""

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, TypeVar

from pydantic import BaseModel, GetJsonSchemaHandler
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema

from lumbrel.core import units
from lumbrel.services.base.dip import dated
from lumbrel.services.base.form import Bounds, Form
from lumbrel.words import _, bare, begun

M = TypeVar("M", bound=BaseModel)
COUNT = "count"
MOST_PILLS = 6
"""So many choices are seen side by side; more are a list."""


@dataclass(frozen=True, kw_only=True)
class Declared(ABC):
    """Something that is asked for.

    Args:
        label: over the field.
        hint: under it, what is meant.
        missing: the sentence where it is left empty; it may be left so, where there is none.
        name: of the field, where it is not the fact's own without its unit.
        big: read from afar.
    """

    label: str
    hint: str = ""
    missing: str = ""
    name: str = ""
    big: bool = False

    @abstractmethod
    def read(self, form: Form, name: str) -> Any:
        """What was typed, None for nothing; what is wrong is noted on the form."""

    def allowed(self) -> str:
        """What it may be, in words for the schema."""
        return ""

    def __get_pydantic_json_schema__(
        self, schema: CoreSchema, handler: GetJsonSchemaHandler
    ) -> JsonSchemaValue:
        said = "; ".join(one for one in (self.label, self.hint, self.allowed()) if one)
        return handler(schema) | {"description": said}


@dataclass(frozen=True, kw_only=True)
class Quantity(Declared):
    """A quantity between two bounds, in its kind's inside unit."""

    of: str
    low: float
    high: float
    required: bool = True
    sentence: str = ""
    """What is said where it lies outside; else its bounds are."""

    def read(self, form: Form, name: str) -> float | None:
        """Within its bounds."""
        sentence = self.sentence or _(
            "{capitalize}: between {span}.", capitalize=begun(self.label), span=self._span()
        )
        value = form.between(Bounds(name, self.of, self.low, self.high, sentence), self.required)
        return int(value) if value is not None and self.of == COUNT else value

    def allowed(self) -> str:
        """Its bounds."""
        return _("between {span}", span=self._span())

    def _span(self) -> str:
        symbol = units.KINDS[self.of].inside.symbol
        low, high = bare(self.low), bare(self.high)
        if not symbol:
            return _("{low} and {high}", low=low, high=high)
        return _("{low} and {high} {symbol}", low=low, high=high, symbol=symbol)


@dataclass(frozen=True, kw_only=True)
class Choice(Declared):
    """One of a few, each with what it is called."""

    options: Mapping[str, str] = field(hash=False)
    none: str = ""
    """What it is called to choose nothing, where that is one of the list."""

    def read(self, form: Form, name: str) -> str | None:
        """One of them."""
        if not self.missing and not form.given(name):
            return None
        return form.choice(name, self.options, self.missing or _("Choose one of the list.")) or None

    def allowed(self) -> str:
        """All of them."""
        return _("one of ") + ", ".join(self.options)

    @property
    def side_by_side(self) -> bool:
        """Whether they are few enough to be seen at once."""
        return len(self.options) <= MOST_PILLS


@dataclass(frozen=True, kw_only=True)
class Words(Declared):
    """A few words."""

    limit: int = 400

    def read(self, form: Form, name: str) -> str | None:
        """The words."""
        return form.text(name, self.missing, self.limit) or None


@dataclass(frozen=True, kw_only=True)
class YesNo(Declared):
    """Whether something is so."""

    def read(self, form: Form, name: str) -> bool:
        """Whether it is ticked."""
        return form.ticked(name)


@dataclass(frozen=True, kw_only=True)
class Unseen(Declared):
    """What a form brings along without a field."""

    label: str = ""

    def read(self, form: Form, name: str) -> str | None:
        """As it came."""
        return form.text(name) or None


@dataclass(frozen=True)
class Field:
    """A field of a form: its name, the fact that comes of it, and what is asked for."""

    name: str
    fact: str
    asked: Declared

    @property
    def sort(self) -> str:
        """Which of the few sorts it is, for its page."""
        return type(self.asked).__name__.lower()


def asked_of(facts: type[BaseModel]) -> list[Field]:
    """The fields that a kind of line declares, in their order."""
    found = []
    for fact, info in facts.model_fields.items():
        for asked in (one for one in info.metadata if isinstance(one, Declared)):
            plain = fact.rpartition("_")[0] if isinstance(asked, Quantity) else ""
            found.append(Field(asked.name or plain or fact, fact, asked))
    return found


def asked_in_rows(facts: type[BaseModel]) -> list[list[Field]]:
    """The fields that a kind declares, two quantities beside each other."""
    rows: list[list[Field]] = []
    for one in asked_of(facts):
        if rows and len(rows[-1]) == 1 and one.sort == rows[-1][0].sort == "quantity":
            rows[-1].append(one)
        else:
            rows.append([one])
    return rows


def typed_of(facts: type[BaseModel], form: Form) -> dict[str, Any]:
    """What was typed into the fields that a kind declares, by its facts; what was left empty, or is wrong, is
    not among it. A reading says besides whether its moment is that of the dip."""
    given = {one.fact: one.asked.read(form, one.name) for one in asked_of(facts)}
    if "dated" in facts.model_fields:
        given["dated"] = dated(form)
    return {fact: value for fact, value in given.items() if value is not None}


def read_asked(facts: type[M], form: Form) -> M | None:
    """The facts of a kind that declares all that it holds, as they were typed; None where something is
    wrong."""
    given = typed_of(facts, form)
    return None if form.errors else facts(**given)
