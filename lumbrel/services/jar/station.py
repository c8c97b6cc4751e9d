"""Jars."""

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.cautions import GLASS, HOT, SALE
from lumbrel.services.base.facts import CheckedFacts, JarFacts, KettleFacts, PackedFacts, ReheatFacts
from lumbrel.services.base.line import DRAWN, LineKind, typed, worded
from lumbrel.services.base.station import Station, at_work
from lumbrel.services.jar import entries, heat
from lumbrel.services.jar.choices import choices
from lumbrel.services.jar.kettle import kettle_of
from lumbrel.services.pan.off_fire import STILL_THE_SAME
from lumbrel.words import _, number


def _said(context: BatchContext) -> str:
    """How many jars this heat fills, while there is one. On every page: what nobody has read is not
    worked out."""
    read = context.last(KettleFacts)
    if read is None or context.now - read.at > STILL_THE_SAME:
        return ""
    now = kettle_of(context)
    if now is None or not now.minutes_left or now.in_this_heat is None:
        return ""
    return _(
        "{in_this_heat} jars, {minutes_left} min",
        in_this_heat=now.in_this_heat,
        minutes_left=number(now.minutes_left, 0),
    )


JARRED = (_("Jar it first."), (JarFacts,))
STATION = Station(
    key="jar",
    title=_("Jar"),
    line_kinds=(
        LineKind(facts=KettleFacts, needs=DRAWN, read=heat.kettle, words=heat.kettle_words),
        LineKind(facts=ReheatFacts, needs=DRAWN, read=typed(ReheatFacts), words=heat.reheat_words),
        LineKind(facts=JarFacts, moves=True, read=entries.jar, words=entries.words),
        LineKind(
            facts=PackedFacts,
            moves=True,
            needs=JARRED,
            read=typed(PackedFacts),
            words=worded(_("Done filling")),
        ),
        LineKind(facts=CheckedFacts, needs=JARRED, read=heat.checked, words=heat.checked_words),
    ),
    waits_for=JarFacts,
    choices=choices,
    cautions=(GLASS, HOT, SALE),
    state=lambda look: at_work(look, "jar", _said),
)
