"""What the form of the filter offers to choose from."""

from dataclasses import dataclass, field

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.felt import felt_heats
from lumbrel.services.filter.entries import CLARITIES, FILTERS
from lumbrel.services.filter.stack import DEFAULT_METHOD, stack_of


@dataclass(frozen=True)
class FilterChoices:
    """The ways to filter, and the one that is used; how clear it may come through."""

    through: str
    felt: list[tuple[str, str]]
    """How warm it was by hand, where there is no thermometer."""
    filters: list[tuple[str, str]] = field(default_factory=lambda: list(FILTERS.items()))
    clarities: list[tuple[str, str]] = field(default_factory=lambda: list(CLARITIES.items()))


def choices(context: BatchContext) -> FilterChoices:
    """What a batch's form offers."""
    stack = stack_of(context)
    return FilterChoices(stack.method if stack else DEFAULT_METHOD, felt_heats(context))
