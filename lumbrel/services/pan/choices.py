"""What the forms at the pan offer to choose from."""

from dataclasses import dataclass

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import READINGS
from lumbrel.services.base.facts import ThermometerFacts
from lumbrel.services.bench.cup_probe import cup_probe
from lumbrel.services.pan.entries import DEFOAMERS
from lumbrel.services.pan.pour import others
from lumbrel.services.pan.signs import KNOWN, speaks
from lumbrel.store.instruments import Detail, HydrometerDetail, RefractometerDetail, ThermometerDetail
from lumbrel.store.kitchen import vessels, woodlots
from lumbrel.words import _

Options = list[tuple[str, str]]
"""Keys and names, in the order they are offered."""


@dataclass(frozen=True, kw_only=True)
class PanChoices:
    """Instruments by kind, what knocks foam down, and sensible first values."""

    hydrometers: Options
    refractometers: Options
    thermometers: Options
    hand_held: str
    """The thermometer that is read by hand: one that stands in no vessel, if there is one."""
    compensated: bool
    cup_hint: str
    defoamers: Options
    woodlots: Options
    pourable: Options
    """Batches that could be poured into this one."""
    signs: list[tuple[str, str, str]]
    """What can be seen: its key, its words, and the density it speaks of."""
    last_used: str = ""
    """The kind of reading that was taken last in this boil."""

    @property
    def reads(self) -> tuple[str, ...]:
        """The kinds of reading for which something is owned; a stick and the signs everybody has."""
        owned = {
            "hydrometer": self.hydrometers,
            "refractometer": self.refractometers,
            "thermometer": self.thermometers,
        }
        seen = () if self.measures_density else ("sign",)
        return (*(kind for kind, found in owned.items() if found), *seen, "depth", "event")

    @property
    def measures_density(self) -> bool:
        """Whether anything is owned that reads Brix; else what is seen has a place of its own."""
        return bool(self.hydrometers or self.refractometers)

    @property
    def first(self) -> str:
        """What is asked for first: what was read last, else what is owned, else what is seen."""
        return self.last_used if self.last_used in self.reads else self.reads[0]


def choices(context: BatchContext) -> PanChoices:
    """What a batch's forms offer."""
    thermometers = context.instruments_of(ThermometerDetail)
    glasses = named(context, ThermometerDetail)
    loose = [i for i in thermometers if i.vessel_id is None] or thermometers
    read = {e.facts.instrument_id for e in context.of_kind(ThermometerFacts)}
    by_hand = [key for key, _any in glasses if key in read] or [i.id for i in loose]
    prism = next(iter(context.instruments_of(RefractometerDetail)), None)
    live = cup_probe(context)
    hint = _("as 92 °C")
    if live:
        warm = context.show(live.temperature_c, "temperature")
        hint = _("empty: {instrument}, {warm}", instrument=live.instrument.name, warm=warm)
    return PanChoices(
        hydrometers=named(context, HydrometerDetail),
        refractometers=named(context, RefractometerDetail),
        thermometers=glasses,
        hand_held=next(iter(by_hand), ""),
        compensated=prism is not None and prism.detail.compensated,
        cup_hint=hint,
        defoamers=[(key, name) for key, (name, _any) in DEFOAMERS.items()],
        woodlots=[("", context.woodlot.name), *_other_woodlots(context)],
        pourable=pourable(context),
        signs=[(key, sign.words, speaks(sign)) for key, sign in KNOWN.items()],
        last_used=_last_used(context),
    )


TAKEN = ("hydrometer", "refractometer", "thermometer", "sign", "depth")


def _last_used(context: BatchContext) -> str:
    return next((e.kind for e in reversed(context.current) if e.kind in TAKEN), "")


def _other_woodlots(context: BatchContext) -> Options:
    return [(w.id, w.name) for w in woodlots(context.db) if w.id != context.woodlot.id]


def pourable(context: BatchContext) -> Options:
    """The batches that could be poured into this one, each with where it is."""
    names = {v.id: v.name for v in vessels(context.db)}
    return [
        (
            b.code,
            _("{batch}, drawn off", batch=b.code)
            if context.drawn
            else _("{batch}, in {vessel}", batch=b.code, vessel=names[b.vessel_id]),
        )
        for b in others(context)
    ]


def named(context: BatchContext, detail: type[Detail]) -> Options:
    """The instruments of a kind in use, for a form: the one read last in this batch first."""
    read = [e.facts.instrument_id for e in context.of_kind(*READINGS)]
    found = [(i.id, i.name) for i in context.instruments_of(detail)]
    last = next((key for key in reversed(read) if key in dict(found)), "")
    return sorted(found, key=lambda one: one[0] != last)
