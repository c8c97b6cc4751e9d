"""What core raises when it is asked for something it cannot honestly answer."""

from lumbrel.words import _, bare


class OutOfRange(ValueError):
    """A value lies outside what a formula or a rule of the trade covers.

    The message is a whole sentence a person at the pan can act on. `field` names the
    offending parameter, so that a form or the API can point at it.
    """

    def __init__(self, sentence: str, field: str = "") -> None:
        super().__init__(sentence)
        self.sentence = sentence
        self.field = field


def require_between(value: float, low: float, high: float, *, field: str, what: str, unit: str) -> float:
    """Return `value` when low <= value <= high, else raise OutOfRange with a sentence.

    NaN and infinities never pass.
    """
    if not low <= value <= high:
        raise OutOfRange(
            _(
                "{what} must be between {span}; {apart} is not.",
                what=what,
                span=span(low, high, unit),
                apart=_apart(value, low, high),
            ),
            field,
        )
    return value


def _apart(value: float, low: float, high: float) -> str:
    """A value with as many digits as it takes to tell it from the ends of a range."""
    ends = {f"{low:g}", f"{high:g}"}
    digits = (f"{value:.{places}g}" for places in (6, 9, 12, 17))
    return next((text for text in digits if text not in ends), repr(value))


# Each inside unit with the other one of its kind: times, plus, its symbol, decimals.
_OTHER = {
    "°C": (1.8, 32.0, "°F", 1),
    "K": (1.8, 0.0, "°F", 1),
    "hPa": (100 / 3386.389, 0.0, "inHg", 2),
    "m": (1 / 0.3048, 0.0, "ft", 0),
    "mm": (1 / 25.4, 0.0, "in", 2),
    "kg": (1 / 0.45359237, 0.0, "lb", 1),
    "L": (1 / 3.785411784, 0.0, "gal", 2),
    "ml": (1 / 29.5735295625, 0.0, _("fl oz"), 1),
    "min": (1 / 60, 0.0, "h", 1),
}


def span(low: float, high: float, unit: str) -> str:
    """A range in an inside unit and in the kind's other one: "0 and 100 °C (32 and 212 °F)".

    Args:
        low, high: ends of the range, in `unit`.
        unit: symbol of an inside unit; one without another unit is shown alone.
    """
    text = _("{low} and {high} {unit}", low=bare(low), high=bare(high), unit=unit)
    if unit in _OTHER:
        times, plus, symbol, decimals = _OTHER[unit]
        ends = [bare(round(end * times + plus, decimals)) for end in (low, high)]
        text += _(" ({ends} and {ends_2} {symbol})", ends=ends[0], ends_2=ends[1], symbol=symbol)
    return text
