"""How people spell the units of each kind of quantity."""

_INCHES = {"in": "inch", "inch": "inch", "inches": "inch", '"': "inch"}

_FEET = {"ft": "foot", "foot": "foot", "feet": "foot", "'": "foot"}

_METRES = {"m": "m", "metre": "m", "metres": "m", "meter": "m", "meters": "m"}

_LITRES = {
    "l": "L",
    "litre": "L",
    "litres": "L",
    "liter": "L",
    "liters": "L",
    "ltr": "L",
    "dl": "dL",
    "cl": "cL",
    "ml": "mL",
    "millilitre": "mL",
    "millilitres": "mL",
    "milliliter": "mL",
    "milliliters": "mL",
    "cc": "mL",
    "hl": "hL",
}

_POTS = {
    "gal": "gallon",
    "gals": "gallon",
    "gallon": "gallon",
    "gallons": "gallon",
    "qt": "quart",
    "qts": "quart",
    "quart": "quart",
    "quarts": "quart",
    "pt": "pint",
    "pts": "pint",
    "pint": "pint",
    "pints": "pint",
    "cup": "cup",
    "cups": "cup",
    "floz": "fluid_ounce",
    "fl oz": "fluid_ounce",
    "fl ounce": "fluid_ounce",
    "fl ounces": "fluid_ounce",
    "fluid ounce": "fluid_ounce",
    "fluid ounces": "fluid_ounce",
    "oz": "fluid_ounce",
    "ounce": "fluid_ounce",
    "ounces": "fluid_ounce",
    "tbsp": "tablespoon",
    "tablespoon": "tablespoon",
    "tablespoons": "tablespoon",
    "tsp": "teaspoon",
    "teaspoon": "teaspoon",
    "teaspoons": "teaspoon",
}

_DEGREES = {
    "c": "degC",
    "celsius": "degC",
    "centigrade": "degC",
    "f": "degF",
    "fahrenheit": "degF",
    "k": "kelvin",
    "kelvin": "kelvin",
}

_PERCENT = {"%": "", "percent": "", "per cent": "", "pct": ""}

_BRIX = {"bx": "", "brix": "", "degree brix": "", "degrees brix": "", **_PERCENT}

_MASSES = {
    "kg": "kg",
    "kgs": "kg",
    "kilo": "kg",
    "kilos": "kg",
    "kilogram": "kg",
    "kilograms": "kg",
    "g": "g",
    "gram": "g",
    "grams": "g",
    "gm": "g",
    "lb": "lb",
    "lbs": "lb",
    "pound": "lb",
    "pounds": "lb",
    "oz": "ounce",
    "ounce": "ounce",
    "ounces": "ounce",
}

_LENGTHS = {
    "mm": "mm",
    "millimetre": "mm",
    "millimetres": "mm",
    "millimeter": "mm",
    "millimeters": "mm",
    "cm": "cm",
    "centimetre": "cm",
    "centimetres": "cm",
    "centimeter": "cm",
    "centimeters": "cm",
    **_METRES,
    **_INCHES,
    **_FEET,
}

SPELLINGS: dict[str, dict[str, str]] = {
    "temperature": _DEGREES,
    "difference": {
        name: {"degC": "delta_degC", "degF": "delta_degF", "kelvin": "delta_degC"}[unit]
        for name, unit in _DEGREES.items()
    },
    "pressure": {
        "hpa": "hPa",
        "mbar": "hPa",
        "mb": "hPa",
        "millibar": "hPa",
        "millibars": "hPa",
        "kpa": "kPa",
        "pa": "Pa",
        "bar": "bar",
        "atm": "atm",
        "psi": "psi",
        "inhg": "inHg_trade",
        "in hg": "inHg_trade",
        "inches hg": "inHg_trade",
        "inches of mercury": "inHg_trade",
        '"hg': "inHg_trade",
        '" hg': "inHg_trade",
        "in": "inHg_trade",
        "inch": "inHg_trade",
        "inches": "inHg_trade",
        '"': "inHg_trade",
        "mmhg": "mmHg",
        "mm hg": "mmHg",
        "mm": "mmHg",
        "torr": "mmHg",
    },
    "elevation": {**_METRES, **_FEET, **_INCHES, "km": "km"},
    "depth": _LENGTHS,
    "girth": _LENGTHS,
    "mass": _MASSES,
    "piece": _MASSES,
    "volume": {**_LITRES, **_POTS},
    "jar": {**_LITRES, **_POTS},
    "brix": _BRIX,
    "stem": {**_BRIX, "be": "baume", "bé": "baume", "baume": "baume", "baumé": "baume"},
    "percent": _PERCENT,
    "count": {"jar": "", "jars": ""},
    "price": {},
    "clock": {},
    "paper": {},
    "minutes": {
        "min": "minute",
        "mins": "minute",
        "minute": "minute",
        "minutes": "minute",
        "'": "minute",
        "h": "hour",
        "hr": "hour",
        "hrs": "hour",
        "hour": "hour",
        "hours": "hour",
        "s": "second",
        "sec": "second",
        "secs": "second",
        "second": "second",
        "seconds": "second",
    },
}
"""By kind, how a unit may be written, in small letters, and pint's name for it."""

PLAIN = str.maketrans(
    {
        "−": "-",
        "–": "-",
        "—": "-",
        "\u00a0": " ",
        "\u2009": " ",
        "\u202f": " ",
        "′": "'",
        "’": "'",
        "‘": "'",
        "″": '"',
        "”": '"',
        "“": '"',
        "º": "°",
        "⁄": "/",
        "½": " 1/2",
        "¼": " 1/4",
        "¾": " 3/4",
        "⅓": " 1/3",
        "⅔": " 2/3",
        "⅛": " 1/8",
        "⅜": " 3/8",
        "⅝": " 5/8",
        "⅞": " 7/8",
    }
)
