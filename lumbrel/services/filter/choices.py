"""What the form of the filter offers to choose from."""

from dataclasses import dataclass, field

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.filter.entries import FILTERS


@dataclass(frozen=True)
class FilterChoices:
    """The ways to filter."""

    filters: list[tuple[str, str]] = field(default_factory=lambda: list(FILTERS.items()))


def choices(context: BatchContext) -> FilterChoices:
    """What a batch's form offers."""
    return FilterChoices()
