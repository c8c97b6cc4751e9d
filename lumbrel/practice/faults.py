"""Faults a practice pan may hide, and what would have told of each sooner."""

from dataclasses import dataclass

from lumbrel.words import _


@dataclass(frozen=True)
class Fault:
    """Something that goes wrong, as the debrief tells it."""

    key: str
    name: str
    what: str
    sooner: str


FAULTS = (
    Fault(
        "thermometer",
        _("a thermometer 1.1 K off"),
        _("Its test boil was another day’s: the probe read 1.1 K (2 °F) high all along."),
        _("A test boil before the batch, or one hydrometer reading early on: the two would not have agreed."),
    ),
    Fault(
        "barometer",
        _("a falling barometer"),
        _(
            "The air fell by 9 hPa while the kitchen’s barometer stood still. Water boiled 0.25 "
            "K lower, and the probe’s mark came a Brix too late."
        ),
        _("A second test boil half-way; or the drop, which no weather moves."),
    ),
    Fault(
        "cup",
        _("a cup left to cool"),
        _(
            "The cup’s thermometer was read when it was filled, and the stem ten minutes later. "
            "The cup had cooled by nearly 20 K, and the correction made it a Brix too dense."
        ),
        _("Reading stem and cup together, at once."),
    ),
    Fault(
        "foam",
        _("a foam-up"),
        _(
            "The foam climbed. Unanswered for a minute and a half it goes over the rim and takes "
            "a twelfth of the batch with it."
        ),
        _("Defoamer at the first sign, noted on the slip: the foam zone is called."),
    ),
    Fault(
        "burner",
        _("a burner that sags"),
        _("Half-way the burner fell to little more than half its heat."),
        _("The minutes left stopped falling; the page names the change as soon as the temperature shows it."),
    ),
    Fault(
        "out",
        _("the fire went out"),
        _("Half-way the fire went out for nine minutes, and nobody was there to see it."),
        _("The probe left the boil within a minute, and the page asked. A look at the pan: no bubbles."),
    ),
    Fault(
        "topped",
        _("somebody topped it up"),
        _("Somebody poured a quarter more of cold near-syrup into the pan and wrote nothing down."),
        _("The probe fell at once and came back lower, and the page asked what was put in."),
    ),
    Fault(
        "unit",
        _("a cup in the wrong unit"),
        _(
            "The thermometer in the cup shows Fahrenheit, and the kitchen’s form takes a bare "
            "number as Celsius."
        ),
        _("The unit behind the number: 203 F."),
    ),
    Fault(
        "small",
        _("a small pot"),
        _(
            "Two litres in a pot on a stove boil down three times as fast as a flat pan would, "
            "and no probe stands in it."
        ),
        _("A first look after a few minutes: the first quarter of an hour of a vessel tells its rate."),
    ),
)
POT_FAULTS = (
    Fault(
        "bent",
        _("a bent thermometer"),
        _(
            "It was bent after its test boil, and showed 1.8 K too little from then on. A boil "
            "to its mark goes too far, to a harder piece."
        ),
        _("A drop in cold water: a ball firmer than the mark’s. Or a second test boil."),
    ),
    Fault(
        "dark",
        _("dark late syrup"),
        _("The lot had 5 % of invert sugar: nothing sets it, however long it is stirred."),
        _("A glucose meter before the fire is lit, or a lighter lot."),
    ),
    Fault(
        "warm",
        _("the bath was warm"),
        _(
            "The sink had been used before: 6 L of water, 29 °C warm. The pot would never have come down in it."
        ),
        _(
            "The bath's temperature and litres, typed as it came off: the page says at once that it stays warm."
        ),
    ),
    Fault(
        "impatient",
        _("an impatient helper"),
        _(
            "Somebody gave it a stir while it cooled: crystals began where nobody wanted them, "
            "and it came out coarse."
        ),
        _("“Do not disturb”, said aloud. The probe fell by 2 K at once when it happened."),
    ),
    Fault(
        "foam",
        _("a foam-up"),
        _("The foam climbed. Unanswered for a minute it goes over the rim and takes an eighth of the pot."),
        _("A pot at most half full, and defoamer at the first sign, noted on the slip."),
    ),
)
BY_KEY = {fault.key: fault for fault in FAULTS}
POT_BY_KEY = {fault.key: fault for fault in POT_FAULTS}
