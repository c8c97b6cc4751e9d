"""The cautions; each station names those that belong to its step.

Dismissed for the day, never for ever: by the key in front of each.
"""

from lumbrel.words import _

HOT = (
    "hot",
    _(
        "Hot syrup sticks and burns deep: long sleeves, gloves, children and pets away, cold "
        "water at hand. Your local first-aid advice comes first."
    ),
)
STEAM = (
    "steam",
    _(
        "Ventilate steam and burners, use only burners made for indoors, and have a carbon "
        "monoxide alarm. No fryer burner in the house. Your fire code and gas fitter decide."
    ),
)
FOAM = (
    "foam",
    _(
        "Foam climbs in seconds. Keep half the pot empty, defoamer in reach, and never leave "
        "it. Butter, margarine and cream carry milk on to the label."
    ),
)
LOW = ("low", _("A pan that runs low scorches and can burn: keep the level up, kill the heat first."))
LEAD = (
    "lead",
    _(
        "Old buckets, solder and valves can hold lead: food-grade gear only. Ask your "
        "extension office when in doubt."
    ),
)
GLASS = (
    "glass",
    _(
        "Glass breaks by thermal shock: preheat jars and hydrometers; never drop a cold "
        "hydrometer into boiling syrup."
    ),
)
SALE = (
    "sale",
    _(
        "Syrup for sale falls under food law: licence, labels, density, colour class, "
        "records. Ask your authority; its rule comes before anything shown here."
    ),
)
CANDY = (
    "candy",
    _(
        "Above 115 °C sugar burns deeper still, hard candy at 150 °C most: long sleeves, "
        "gloves, nobody near, cold water at hand. Your local first-aid advice comes first."
    ),
)
BATH = (
    "bath",
    _("Ice or water baths under a pot of cooked sugar spit: lower it slowly, and keep water out of the pot."),
)
BURST = (
    "burst",
    _("When it grains it gives off a burst of steam: a long spoon, sleeves and gloves, face and arms away."),
)
ALLERGENS = (
    "allergens",
    _(
        "Butter, margarine and cream in the pot carry milk on to the label; so does what "
        "stood in the same kitchen. Ask your authority what must be named."
    ),
)
MOULD = (
    "mould",
    _(
        "Mouldy or fermented syrup: discard it and never sell it; moulds can leave toxins "
        "that boiling does not destroy."
    ),
)
SNOW = ("snow", _("Snow for eating: fresh and clean, away from roads and roofs."))
LADDERS = (
    "ladders",
    _(
        "Ladders and drills on snow slip: a second person, the ladder tied, nobody under a "
        "limb. Whose land it is decides what may be tapped; ask your forester."
    ),
)
SPOILT_SAP = (
    "spoilt-sap",
    _(
        "Cloudy, ropy or sour sap is thrown out, not boiled: boiling does not bring it back. "
        "When in doubt ask your extension office."
    ),
)
FIRE = (
    "fire",
    _(
        "An open fire is never left: water and shovel at hand, nothing that burns above it, "
        "hair and sleeves tied. Burn bans and your fire warden come first."
    ),
)
MONOXIDE = (
    "monoxide",
    _(
        "Charcoal, wood and gas give carbon monoxide, which nobody smells: boil outside or "
        "under a hood with a chimney, with an alarm. Your fire code decides."
    ),
)
