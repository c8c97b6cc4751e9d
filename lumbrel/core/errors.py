"""What core raises when it is asked for something it cannot honestly answer."""


class OutOfRange(ValueError):
    """A value lies outside what a formula or a rule of the trade covers.

    The message is a whole sentence a person at the pan can act on. `field` names the
    offending parameter, so that a form or the API can point at it.
    """

    def __init__(self, sentence: str, field: str = "") -> None:
        super().__init__(sentence)
        self.sentence = sentence
        self.field = field


def require_between(
    value: float, low: float, high: float, field: str, what: str, unit: str
) -> float:
    """Return `value` when low <= value <= high, else raise OutOfRange with a sentence.

    NaN and infinities never pass.
    """
    if not low <= value <= high:
        raise OutOfRange(
            f"{what} must lie between {_span(low, high, unit)}; {value:g} does not.", field
        )
    return value


def _span(low: float, high: float, unit: str) -> str:
    """Both ends of a range, in the other unit of its kind as well."""
    from lumbrel.core import units  # it stands above this module, and a refusal is rare

    return units.span(low, high, unit)
