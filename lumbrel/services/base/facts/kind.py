"""What a kind of line keeps is a frozen model with a version.

A line's facts are written once and never again. Fields may be added with a default; where the
meaning of a field changes, the kind's `VERSION` grows and `UPCAST` says how an older line is read.
Their JSON Schemas are what exports are published with.
"""

from collections.abc import Callable
from typing import Any, ClassVar, Literal

from pydantic import BaseModel, ConfigDict

KINDS: dict[str, type["Facts"]] = {}
"""Every kind of line that is declared, by its key."""


class Facts(BaseModel):
    """What a line was understood or decided to say, in SI. A model that says its kind declares it."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    VERSION: ClassVar[int] = 1
    kind: str

    @classmethod
    def __pydantic_init_subclass__(cls, **_more: Any) -> None:
        if "kind" in cls.__annotations__:
            if cls.key() in KINDS:
                raise TypeError(f"{cls.key()} is the kind of {KINDS[cls.key()].__name__} already")
            KINDS[cls.key()] = cls

    @classmethod
    def key(cls) -> str:
        """The kind of line it is of, as the record names it."""
        return str(cls.model_fields["kind"].default)

    def written(self) -> dict[str, Any]:
        """As the record keeps them: what was given, without the kind."""
        return self.model_dump(mode="json", exclude={"kind"}, exclude_unset=True)


class UnreadFacts(Facts):
    """What a line keeps that this Lumbrel cannot read; it is shown as it was typed."""

    given: dict[str, Any]

    def written(self) -> dict[str, Any]:
        """As the record keeps them."""
        return self.given


class Part(BaseModel):
    """What one woodlot brought to a take-in."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    woodlot_id: str
    mass_kg: float
    brix: float


class FromTank(BaseModel):
    """Sap that a tank gave."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    tank_id: str
    mass_kg: float
    brix: float


class Learnt(BaseModel):
    """What earlier boils had taught when a batch was taken in: by how much its vessel's burner strays;
    how much hotter its woodlot's syrup boils, how well that is known, and by how many draws."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    strays: float
    shift_k: float
    shift_sigma_k: float
    draws: int


class StruckFacts(Facts):
    """The line it supersedes was struck."""

    kind: Literal["struck"] = "struck"


UPCAST: dict[tuple[str, int], Callable[[dict[str, Any]], dict[str, Any]]] = {}
"""How facts of an older version are read as the next one, by kind and version."""


def read_facts(kind: str, version: int, written: dict[str, Any]) -> Facts:
    """Facts as the record keeps them, whatever version of their kind they were written in.

    A kind that this Lumbrel does not have, of a newer version or of a station that is no more, is kept
    as it is.

    Raises:
        pydantic.ValidationError: not the fields of its kind.
    """
    while (kind, version) in UPCAST:
        written = UPCAST[kind, version](written)
        version += 1
    known = KINDS.get(kind)
    if known is None or version > known.VERSION:
        return UnreadFacts(kind=kind, given=written)
    return known.model_validate({"kind": kind, **written})


def schemas() -> dict[str, Any]:
    """The JSON Schema of what each kind of line keeps, by kind."""
    return {kind: KINDS[kind].model_json_schema() for kind in sorted(KINDS)}
