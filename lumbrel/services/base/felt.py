"""How warm something is by hand and eye, where there is no thermometer."""

from lumbrel.services.base.batch import BatchContext
from lumbrel.store.instruments import ThermometerDetail
from lumbrel.words import _

FELT_HEATS = (
    ("90 C", _("just off the boil")),
    ("75 C", _("steaming")),
    ("45 C", _("hand-hot")),
    ("20 C", _("cold as the room")),
)
"""As it is typed for them, and in words: the hottest first."""
FELT = "felt"
"""The field that says that a temperature of its form was felt, not read."""


def felt_heats(context: BatchContext) -> list[tuple[str, str]]:
    """What to choose from in place of a reading; empty where a thermometer is owned."""
    return [] if context.instruments_of(ThermometerDetail) else list(FELT_HEATS)
