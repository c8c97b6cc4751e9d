"""What the forms of a cook offer."""

from dataclasses import dataclass

from lumbrel.core.candy import bath
from lumbrel.core.candy.confections import confections
from lumbrel.core.candy.signs import SIGNS, ColdWaterSign
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.candy import cook
from lumbrel.services.candy.clinic import FLAW_CHOICES
from lumbrel.services.pan.entries import DEFOAMERS
from lumbrel.store.instruments import Instrument, ThermometerDetail

__all__ = ["SIGNS"]
PIECES = [(piece.key, piece.full_name) for piece in confections()]
WANTED = list(cook.WANTED.items())
BATHS = [(key, one.name) for key, one in bath.BATHS.items()]


@dataclass(frozen=True, kw_only=True)
class CookChoices:
    """What the lines of a cook choose from."""

    thermometers: list[Instrument[ThermometerDetail]]
    signs: tuple[ColdWaterSign, ...] = SIGNS
    baths: tuple[tuple[str, str], ...] = tuple(BATHS)
    flaws: tuple[tuple[str, str], ...] = FLAW_CHOICES
    defoamers: tuple[tuple[str, str], ...] = tuple((key, name) for key, (name, _) in DEFOAMERS.items())


def choices(context: BatchContext) -> CookChoices:
    """For a cook's forms."""
    return CookChoices(thermometers=context.instruments_of(ThermometerDetail))
