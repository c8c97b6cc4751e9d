"""A sentence that is told in whatever language is spoken when it is shown."""

from collections.abc import Callable, Iterable
from functools import partial
from typing import Any

from lumbrel.words.languages import Language, language

Retold = Callable[[Language], str]


class Sentence(str):
    """English to all that keeps, compares and remembers it; to whoever reads it, their language.

    Args:
        english: as it stands in the code, with its parts.
        retold: the same in another language.
    """

    __slots__ = ("_retold",)
    _retold: Retold

    def __new__(cls, english: str, retold: Retold) -> "Sentence":
        """Make one."""
        made = super().__new__(cls, english)
        made._retold = retold
        return made

    def __str__(self) -> str:
        """In the language that is spoken."""
        spoken = language()
        return str.__str__(self) if spoken.is_plain else self._retold(spoken)

    def __format__(self, spec: str) -> str:
        """In the language that is spoken, as a part of something."""
        return format(self.__str__(), spec)

    def __add__(self, other: str) -> str:
        """With something behind it."""
        return joined("", (self, other))

    def __radd__(self, other: str) -> str:
        """With something before it."""
        return joined("", (other, self))

    def format(self, *args: object, **parts: object) -> str:
        """With parts for its places."""
        english = str.__str__(self).format(*map(_plainly, args), **_english(parts))
        return Sentence(english, partial(_formatted, self, args, parts))

    def __getnewargs__(self) -> tuple[str, Retold]:  # type: ignore[override]
        """For copies."""
        return str.__str__(self), self._retold

    @property
    def english(self) -> str:
        """As it stands in the code."""
        return str.__str__(self)


def _(words: str, /, **parts: object) -> str:
    """A sentence, with its parts by their names.

    Args:
        words: English, "Makes {amount} of syrup"; it is what the catalogues know it by.
        parts: what stands for each name; a part that is a sentence itself is told in the same language.
    """
    english = words.format(**_english(parts)) if parts else words
    return Sentence(english, partial(_sentence, words, parts))


def n_(one: str, many: str, count: float, /, **parts: object) -> str:
    """A sentence with a number that its words agree with.

    Args:
        one, many: English, "{count} jar", "{count} jars".
        count: how many; `{count}` in the sentence unless `parts` says otherwise.
    """
    parts.setdefault("count", count)
    return Sentence(
        (one if count == 1 else many).format(**_english(parts)), partial(_of_many, one, many, count, parts)
    )


def joined(between: str, parts: Iterable[object]) -> str:
    """Parts one after the other, as `between.join` has it."""
    each = tuple(parts)
    return Sentence(_plain(between).join(map(_plain, each)), partial(_joined, between, each))


def listed(parts: Iterable[object], style: str = "and") -> str:
    """A list as it is said: "a, b and c".

    Args:
        style: "and" or "or".
    """
    each = tuple(parts)
    *rest, last = map(_plain, each) if each else ("",)
    english = f"{', '.join(rest)} {style} {last}" if rest else last
    return Sentence(english, partial(_listed, each, style))


def in_a_row(parts: Iterable[object], between: str = ", ") -> str:
    """What there is of some parts, one after the other."""
    return joined(between, [part for part in parts if part])


def begun(words: str) -> str:
    """What begins a sentence, with a capital letter."""
    english = _plain(words)
    return Sentence(english[:1].upper() + english[1:], partial(_begun, words))


def after(words: str) -> str:
    """A sentence's words where another goes on: without its capital letter and its stop."""
    english = _plain(words)
    return Sentence((english[:1].lower() + english[1:]).rstrip("."), partial(_after, words))


def kept(text: str) -> str:
    """A sentence that was written down, which it is in English, told in whatever language is spoken."""
    return Sentence(text, partial(_kept, text)) if text else text


def spoken(value: Any) -> Any:
    """Whatever is sent to a reader, with each sentence in the language that is spoken."""
    match value:
        case Sentence():
            return str(value)
        case dict():
            return {spoken(key): spoken(one) for key, one in value.items()}
        case list() | tuple():
            return [spoken(one) for one in value]
    return value


def _plain(value: object) -> str:
    """As it stands in the code, whatever is spoken."""
    return str.__str__(value) if isinstance(value, str) else str(value)


def _plainly(value: object) -> object:
    return str.__str__(value) if isinstance(value, Sentence) else value


def _formatted(words: str, args: tuple[object, ...], parts: dict[str, object], _spoken: Language) -> str:
    return str(words).format(*args, **parts)


def _kept(text: str, spoken: Language) -> str:
    return spoken.retold(text)


def _english(parts: dict[str, object]) -> dict[str, object]:
    return {name: _plainly(value) for name, value in parts.items()}


def _sentence(words: str, parts: dict[str, object], spoken: Language) -> str:
    told = spoken.sentence(words)
    return told.format(**parts) if parts else told


def _of_many(one: str, many: str, count: float, parts: dict[str, object], spoken: Language) -> str:
    return spoken.of_many(one, many, count).format(**parts)


def _joined(between: str, parts: tuple[object, ...], _spoken: Language) -> str:
    return str(between).join(map(str, parts))


def _listed(parts: tuple[object, ...], style: str, spoken: Language) -> str:
    if spoken.short == "en":
        *rest, last = map(str, parts) if parts else ("",)
        return f"{', '.join(rest)} {style} {last}" if rest else last
    from babel.lists import format_list

    told = [str(one) for one in parts]
    return format_list(told, style="or" if style == "or" else "standard", locale=spoken.locale)


def _begun(words: str, _spoken: Language) -> str:
    told = str(words)
    at = 1 if told[:1] == "⟦" else 0
    return told[:at] + told[at : at + 1].upper() + told[at + 1 :]


def _after(words: str, _spoken: Language) -> str:
    told = str(words)
    at = 1 if told[:1] == "⟦" else 0
    return (told[:at] + told[at : at + 1].lower() + told[at + 1 :]).rstrip(".")
