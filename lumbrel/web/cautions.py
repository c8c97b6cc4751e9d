"""The cautions, each at the step it belongs to; dismissed for the day, never for ever."""

HOT = (
    "Hot syrup sticks and burns deep: long sleeves, gloves, children and pets away, cold water at "
    "hand. Your local first-aid advice comes first."
)
STEAM = (
    "Ventilate steam and burners, use only burners made for indoors, and have a carbon monoxide "
    "alarm. No fryer burner in the house. Your fire code and gas fitter decide."
)
FOAM = (
    "Foam climbs in seconds. Keep half the pot empty, defoamer in reach, and never leave it. "
    "Butter, margarine and cream carry milk on to the label."
)
LOW = "A pan that runs low scorches and can burn: keep the level up, kill the heat first."
LEAD = (
    "Old buckets, solder and valves can hold lead: food-grade gear only. Ask your extension office "
    "when in doubt."
)
GLASS = (
    "Glass breaks by thermal shock: preheat jars and hydrometers; never drop a cold hydrometer into "
    "boiling syrup."
)
SALE = (
    "Syrup for sale falls under food law: licence, labels, density, colour class, records. Ask your "
    "authority; its rule comes before anything shown here."
)
CANDY = (
    "Above 115 °C sugar burns deeper still, hard candy at 150 °C most. Ice or water baths spit: "
    "lower the pot slowly, keep water out of it."
)
MOULD = (
    "Mouldy or fermented syrup: discard it and never sell it; moulds can leave toxins that boiling "
    "does not destroy."
)
SNOW = "Snow for eating: fresh and clean, away from roads and roofs."

AT: dict[str, tuple[tuple[str, str], ...]] = {
    "day": (("glass", GLASS),),
    "take-in": (("lead", LEAD), ("steam", STEAM)),
    "pan": (("hot", HOT), ("foam", FOAM), ("low", LOW)),
    "filter": (("hot", HOT),),
    "colour": (("sale", SALE),),
    "jar": (("glass", GLASS), ("hot", HOT), ("sale", SALE)),
    "candy": (("candy", CANDY), ("snow", SNOW)),
    "shelf": (("mould", MOULD),),
}
