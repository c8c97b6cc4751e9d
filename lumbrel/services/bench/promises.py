"""What was promised of a draw, held against what the first cold check found."""

from lumbrel.services.base.corrected import Corrected
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import DrawFacts
from lumbrel.store.kept import PromiseRow


def promise_of(draw: Entry[DrawFacts], cold: Corrected | None) -> PromiseRow | None:
    """A draw's promise and how it was kept; None before both are known.

    The cold reading is itself read to so much only, and that much is allowed for.
    """
    promised = draw.facts.promise_brix
    if promised is None or cold is None or cold.brix is None:
        return None
    off = cold.brix - draw.facts.target_brix
    return PromiseRow(
        season=draw.at.year,
        promised_brix=promised,
        off_brix=off,
        held=abs(off) <= promised + cold.sigma_brix,
    )
