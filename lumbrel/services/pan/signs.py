"""What is seen at the pan, as evidence: each sign has a wide band, and never outvotes an instrument."""

from typing import NamedTuple

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import Corrected, ReadingStep
from lumbrel.services.base.dip import LOOKED_AFTER
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import SIGNS as WORDS
from lumbrel.services.base.facts import SignFacts, SignKey
from lumbrel.services.base.line import Line
from lumbrel.services.base.said import as_said, held
from lumbrel.store.instruments import Instrument, SignsDetail
from lumbrel.words import _, bare, joined, number

SIGNS = Instrument(id="signs", name=_("Signs"), detail=SignsDetail())


class Sign(NamedTuple):
    """A sign: what is seen, and the density it speaks of, Brix; a bound says that it is thinner."""

    words: str
    brix: float
    sigma_brix: float
    bound: bool = False


KNOWN: dict[SignKey, Sign] = {
    "drops": Sign(WORDS["drops"], 62.0, 1.5, bound=True),
    "foam": Sign(WORDS["foam"], 62.0, 4.0),
    "two_drops": Sign(WORDS["two_drops"], 65.5, 2.0),
    "sheet": Sign(WORDS["sheet"], 66.5, 1.5),
    "cold_plate": Sign(WORDS["cold_plate"], 68.0, 2.0),
}


def speaks(sign: Sign) -> str:
    """The density that a sign speaks of, in words."""
    return (
        _("under {brix} Brix", brix=bare(sign.brix))
        if sign.bound
        else _("{brix} ± {sigma} Brix", brix=bare(sign.brix), sigma=bare(sign.sigma_brix))
    )


SHARED = 0.8
"""Of a sign's sigma, what one eye is off by every time."""


def corrected(context: BatchContext, entry: Entry[SignFacts]) -> Corrected:
    """What a sign on the slip says of density, as it was said."""
    return as_said(context.db, today(context, entry))


def today(_context: BatchContext, entry: Entry[SignFacts]) -> Corrected:
    """What it says by today's experience."""
    sign = KNOWN[entry.facts.sign]
    at = entry.at - LOOKED_AFTER if entry.facts.dated == "typed" else entry.at
    steps = (
        ReadingStep("seen", sign.words, "", _("by eye")),
        ReadingStep("density", sign.brix, "brix", _("what finishers find at that sign")),
        ReadingStep(_("one sigma"), sign.sigma_brix, "brix", _("from pan to pan, and eye to eye")),
    )
    shared, shares = SHARED * sign.sigma_brix, f"{SIGNS.id} {entry.facts.sign}"
    own = (sign.sigma_brix**2 - shared**2) ** 0.5
    if sign.bound:
        return Corrected(
            entry_id=entry.id,
            at=at,
            kind=entry.kind,
            instrument=SIGNS,
            steps=steps,
            facts=entry.facts,
            refusal=_("Under {brix} Brix.", brix=bare(sign.brix)),
            bound_brix=sign.brix,
            own_sigma_brix=own,
            shared_sigma_brix=shared,
            shares=shares,
        )
    return Corrected(
        entry_id=entry.id,
        at=at,
        kind=entry.kind,
        instrument=SIGNS,
        brix=sign.brix,
        sigma_brix=sign.sigma_brix,
        own_sigma_brix=own,
        shared_sigma_brix=shared,
        shares=shares,
        steps=steps,
        facts=entry.facts,
        budget=((_("what was seen"), sign.sigma_brix),),
    )


def words(context: BatchContext, entry: Entry[SignFacts]) -> Line:
    """A sign on the slip."""
    said, known = held(context, entry), KNOWN[entry.facts.sign]
    value = "" if said.brix is None else number(said.brix, 1)
    return Line(
        entry, known.words, said.refusal or joined(" ", ("±", number(said.sigma_brix, 1))), value, said
    )
