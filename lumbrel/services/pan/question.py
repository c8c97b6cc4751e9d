"""A question about what nobody wrote down: what is suspected, and what can be answered by one press."""

from dataclasses import dataclass, replace
from datetime import UTC, datetime
from urllib.parse import quote

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import AnsweredFacts, BurnerFacts, QuestionKey
from lumbrel.words import _

LASTING = ("probe_drifts", "boil_again", "scale_slipped")
"""What is asked about an instrument, not about a moment."""
HOLD_BACK = ("heat_off", "put_in", "probe_drifts")
"""While one of these is open, no "done" rests on what was not looked at since."""


@dataclass(frozen=True, kw_only=True)
class Reply:
    """One press: a line of the slip that it writes, or a place that it leads to."""

    label: str
    kind: str = ""
    fields: tuple[tuple[str, str], ...] = ()
    href: str = ""


@dataclass(frozen=True, kw_only=True)
class Question:
    """What is suspected, of which moment, why, and what can be answered."""

    key: QuestionKey
    sentence: str
    why: str
    at: datetime
    replies: tuple[Reply, ...]

    @property
    def holds_back(self) -> bool:
        """Whether no "done" rests on the doubtful side while it is open."""
        return self.key in HOLD_BACK


def moment(at: datetime) -> tuple[str, str]:
    """A moment as a form's field: to the second, in the kitchen's zone or with its own."""
    return "dipped_at", at.astimezone(UTC).isoformat(timespec="seconds")


def answer(label: str, question: QuestionKey, yes: bool, at: datetime, instrument_id: str = "") -> Reply:
    fields = [("question", question), ("yes", "1" if yes else "0"), moment(at)]
    if instrument_id:
        fields.append(("instrument", instrument_id))
    return Reply(label=label, kind=AnsweredFacts.key(), fields=tuple(fields))


def was_put_in(context: BatchContext, at: datetime, why: str, much: str = "") -> Question:
    """Whether something was put in.

    Args:
        much: how much, as it would be typed, where that was seen.
    """
    code, typed = context.batch.code, f"&put_in={quote(much)}" if much else ""
    return Question(
        key="put_in",
        sentence=_("Was something put in at about {at}?", at=context.clock(at)),
        why=why,
        at=at,
        replies=(
            answer(_("Yes, something was put in"), "put_in", True, at),
            Reply(
                label=_("Yes, and I know how much"),
                href=f"/pan/{code}?entry=event&put_in_at={quote(context.clock(at))}{typed}#entry",
            ),
            answer(_("No, nothing"), "put_in", False, at),
        ),
    )


def was_taken_out(context: BatchContext, at: datetime, why: str) -> Question:
    return Question(
        key="taken_out",
        sentence=_("Was some of it taken out at about {at}?", at=context.clock(at)),
        why=why,
        at=at,
        replies=(
            answer(_("Yes, some was taken out"), "taken_out", True, at),
            Reply(label=_("No, the fire was turned up"), kind=BurnerFacts.key(), fields=(moment(at),)),
            answer(_("Neither"), "taken_out", False, at),
        ),
    )


def thinner_or_denser(context: BatchContext, at: datetime, thinner: bool, what: str) -> Question:
    """What a density that the boil does not explain makes one ask; without heat it grows no denser, too."""
    if thinner:
        asked = was_put_in(context, at, _("{what} thinner than the boil could be.", what=what))
        out = answer(_("No, the fire was out"), "relit", True, at)
        return replace(asked, replies=(*asked.replies[:-1], out, asked.replies[-1]))
    return was_taken_out(context, at, _("{what} denser than the boil could be.", what=what))
