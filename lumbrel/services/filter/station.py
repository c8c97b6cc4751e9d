"""The hot filter."""

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.cautions import HOT
from lumbrel.services.base.facts import FilterFacts, PassedFacts, PulledFacts
from lumbrel.services.base.line import DRAWN, LineKind, typed
from lumbrel.services.base.station import Station, at_work
from lumbrel.services.filter import entries
from lumbrel.services.filter.choices import choices
from lumbrel.services.filter.stack import stack_of
from lumbrel.words import _, number


def _said(context: BatchContext) -> str:
    """How much is to go, while it runs. On every page: what has not begun is not worked out."""
    if not context.of_kind(PassedFacts):
        return ""
    now = stack_of(context)
    if now is None or not now.begun or now.minutes is None:
        return ""
    return _(
        "{left} to go, {minutes} min", left=context.show(now.left_l, "volume"), minutes=number(now.minutes, 0)
    )


STATION = Station(
    key="filter",
    title=_("Filter"),
    line_kinds=(
        LineKind(facts=PassedFacts, needs=DRAWN, read=entries.passed, words=entries.passed_words),
        LineKind(
            facts=PulledFacts,
            needs=(_("Say first what it runs through."), (PassedFacts,)),
            read=typed(PulledFacts),
            words=entries.pulled_words,
        ),
        LineKind(facts=FilterFacts, moves=True, read=entries.filtering, words=entries.words),
    ),
    waits_for=FilterFacts,
    choices=choices,
    cautions=(HOT,),
    state=lambda look: at_work(look, "filter", _said),
)
