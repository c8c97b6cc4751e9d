"""After a cook: how it keeps, and what it taught."""

from lumbrel.core.candy.bath import BATHS
from lumbrel.core.candy.keeping import Keeping, keeping
from lumbrel.core.candy.stirring import WORKED, Stirred
from lumbrel.services.base.cooked import cook_seen
from lumbrel.services.candy.pot import CookBoard
from lumbrel.words import _, joined, number


def worked(key: str) -> Stirred | None:
    """How a confection is stirred; None of one that is not."""
    return WORKED.get(key)


def keeps_of(board: CookBoard) -> Keeping:
    known = board.brix_now
    return keeping(board.piece.key, known[0] if known else board.cook.target_brix)


def learned_words(board: CookBoard) -> list[str]:
    """What the next plan takes from this cook, in words."""
    seen = cook_seen(board.context.current)
    if seen is None:
        return []
    found = []
    if seen.loss is not None:
        found.append(
            _(
                "{share} % stays in {vessel}",
                share=number(100 * seen.loss, 1),
                vessel=board.context.vessel.name,
            )
        )
    if seen.film is not None:
        found.append(_("how it cools {BATHS}", BATHS=BATHS[seen.bath].name))
    if seen.stirred_min is not None:
        found.append(_("{stirred_min} minutes of stirring", stirred_min=number(seen.stirred_min, 1)))
    return [_("The next plan learns: {found}.", found=joined(", ", found))] if found else []
