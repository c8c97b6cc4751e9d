"""The cautions; each station names those that belong to its step.

A page shows the first sentence of each; the rest unfolds where it is pressed.
"""

from lumbrel.words import _

HOT = (
    "hot",
    _(
        "Hot syrup sticks and burns deep: long sleeves, gloves. Keep children and pets away, and "
        "cold water at hand. Your local first-aid advice comes first."
    ),
)
STEAM = (
    "steam",
    _(
        "Ventilate steam and burners, and have a carbon monoxide alarm. Use only burners made for "
        "indoors, and no fryer burner in the house. Your fire code and gas fitter decide."
    ),
)
FOAM = (
    "foam",
    _(
        "Foam climbs in seconds: defoamer in reach. Keep half the pot empty, and never leave it. "
        "Butter, margarine and cream carry milk on to the label."
    ),
)
LOW = (
    "low",
    _("A low pan scorches and can burn: keep the level up, kill the heat first."),
)
LEAD = (
    "lead",
    _(
        "Old buckets, solder and valves can hold lead. Use food-grade gear only, and ask your "
        "extension office when in doubt."
    ),
)
GLASS = (
    "glass",
    _(
        "Glass breaks by thermal shock. Preheat jars and hydrometers, and never drop a cold "
        "hydrometer into boiling syrup."
    ),
)
SALE = (
    "sale",
    _(
        "Syrup for sale falls under food law. It asks for a licence, labels, density, colour "
        "class and records. Ask your authority; its rule comes before anything shown here."
    ),
)
CANDY = (
    "candy",
    _(
        "Above 115 °C sugar burns deeper still: long sleeves, gloves, nobody near. Hard candy "
        "reaches 150 °C. Keep cold water at hand. Your local first-aid advice comes first."
    ),
)
BATH = (
    "bath",
    _(
        "A bath of ice or water spits under a pot of cooked sugar. Lower the pot slowly, and keep "
        "water out of it."
    ),
)
BURST = (
    "burst",
    _("A burst of steam comes when it grains: face and arms away. Use a long spoon, sleeves and gloves."),
)
ALLERGENS = (
    "allergens",
    _(
        "Butter, margarine and cream carry milk on to the label. So does what stood in the same "
        "kitchen. Ask your authority what must be named."
    ),
)
MOULD = (
    "mould",
    _(
        "Discard mouldy or fermented syrup, and never sell it. Moulds can leave toxins that "
        "boiling does not destroy."
    ),
)
SNOW = (
    "snow",
    _("Use only fresh, clean snow, away from roads and roofs."),
)
LADDERS = (
    "ladders",
    _(
        "Ladders and drills slip on snow: a second person, the ladder tied. Nobody stands under a "
        "limb. The owner of the land decides what may be tapped; ask your forester."
    ),
)
SPOILT_SAP = (
    "spoilt-sap",
    _(
        "Throw out cloudy, ropy or sour sap. Boiling does not bring it back. When in doubt ask "
        "your extension office."
    ),
)
FIRE = (
    "fire",
    _(
        "Never leave an open fire: water and shovel at hand. Keep everything that burns from "
        "above it, and tie hair and sleeves. Burn bans and your fire warden come first."
    ),
)
MONOXIDE = (
    "monoxide",
    _(
        "Charcoal, wood and gas give carbon monoxide, which has no smell. Boil outside, or under "
        "a hood with a chimney, with an alarm. Your fire code decides."
    ),
)
