"""Which alarms ring: one set for all vessels, with exceptions; all of them, until one is put off."""

from dataclasses import dataclass, replace
from datetime import datetime
from sqlite3 import Connection

from lumbrel.services.pan.alarms import HEADLINES, off_key, rings
from lumbrel.store.db import transaction
from lumbrel.store.kitchen import VesselRow, load_kitchen, save_kitchen, vessels
from lumbrel.words import _

OF_A_FINISHER: dict[str, str] = {
    "strain": _("thin enough still to be strained"),
    "foam": _("it boils where foam climbs"),
    "low": _("so little is left that it scorches"),
    "near": _("some minutes ahead of the mark, as the kitchen is set"),
    "finish": _("it is at the mark, or the instruments contradict each other there"),
    "over": _("it is past the target"),
    "out": _("the probe left the boil, and nothing says that the heat is off"),
    "silent": _("the probe has sent nothing for a while"),
    "pressure": _("the air has moved so far that the marks are others"),
    "stoke": _("an armful of wood has burned since the last that was noted"),
}
OF_A_CANDY_POT: dict[str, str] = {
    "foam": _("it boils where foam climbs"),
    "low": _("so little is in it that it scorches"),
    "near": _("some minutes ahead of the mark, as the kitchen is set"),
    "off": _("it is at the mark"),
    "over": _("it is past the mark"),
    "stir_near": _("two minutes before it may be stirred"),
    "stir": _("it may be stirred"),
    "turn": _("it may turn any moment"),
    "pour_now": _("it has rested, or is down to where it is poured"),
    "pour": _("it sets in the pot from now on"),
}
GRAVE = ("low", "finish", "over", "off")
"""Who puts one of these off is told what it means."""


@dataclass(frozen=True)
class AlarmChoice:
    """One alarm of the kitchen."""

    kind: str
    headline: str
    when: str
    vessels: tuple[VesselRow, ...]
    """Those that have it."""
    off: tuple[str, ...]
    """Keys of those for which it does not ring."""

    @property
    def on(self) -> bool:
        """Whether it rings, but for exceptions."""
        return len(self.off) < len(self.vessels)

    @property
    def exceptions(self) -> tuple[VesselRow, ...]:
        """Vessels for which it does not ring though it does for others."""
        return tuple(v for v in self.vessels if self.on and v.id in self.off)

    @property
    def grave(self) -> bool:
        """Whether a pan is lost where nobody hears it."""
        return self.kind in GRAVE


def alarm_choices(db: Connection) -> list[AlarmChoice]:
    """Every alarm that some vessel has, in the order in which a boil meets them."""
    kitchen, there = load_kitchen(db), vessels(db)
    found = []
    for kind, when in (OF_A_FINISHER | OF_A_CANDY_POT | OF_A_FINISHER).items():
        having = tuple(v for v in there if kind in _kinds_of(v))
        off = tuple(v.id for v in having if not rings(kitchen, kind, v.id))
        if having:
            found.append(AlarmChoice(kind, HEADLINES[kind], when, having, off))
    return found


def _kinds_of(vessel: VesselRow) -> dict[str, str]:
    return OF_A_CANDY_POT if vessel.purpose == "candy" else OF_A_FINISHER


def choose_alarms(db: Connection, fields: dict[str, str], now: datetime) -> None:
    """Which alarms ring: those that are ticked, as "foam", but for the vessels that are, as "foam finisher-1"."""
    with transaction(db):
        kitchen = load_kitchen(db)
        known = [(kind, v.id) for v in vessels(db) for kind in _kinds_of(v)]
        kept = {key: value for key, value in kitchen.alarms.items() if not key.startswith("off ")}
        silent = [one for one in known if not fields.get(one[0]) or fields.get(" ".join(one))]
        save_kitchen(db, replace(kitchen, alarms=kept | {off_key(*one): 1.0 for one in silent}), now)
