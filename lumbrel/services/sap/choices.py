"""What the forms of a boil-down's lines offer to choose from."""

from dataclasses import dataclass, field

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import FuelFacts
from lumbrel.services.sap import boil
from lumbrel.store import sap as store


@dataclass(frozen=True)
class SapChoices:
    """The tanks it may be fed from; what was burned last, and how that is measured."""

    tanks: list[tuple[str, str]]
    fuel: str
    measures: list[tuple[str, str]]
    setups: list[tuple[str, str]] = field(default_factory=lambda: list(boil.SETUPS.items()))


def choices(context: BatchContext) -> SapChoices:
    """What a batch's form offers."""
    burned = context.last(FuelFacts)
    fuel = burned.facts.fuel if burned else "wood"
    return SapChoices(
        tanks=[(tank.id, tank.name) for tank in store.tanks(context.db)],
        fuel=fuel,
        measures=boil.measures_of(context.kitchen, fuel),
    )
