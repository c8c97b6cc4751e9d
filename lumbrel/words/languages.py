"""The languages that a page may be in, and which one is spoken now."""

import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from functools import cached_property, lru_cache
from gettext import GNUTranslations, NullTranslations
from io import BytesIO
from pathlib import Path

from lumbrel.words.american import american

LOCALE = Path(__file__).parent.parent / "locale"
_FILLER = "·"
_FIGURE = re.compile(r"[−+-]?\d[\d,]*(?:\.\d+)?(?:\u00a0\S+)?")
_PART = re.compile(r"(\{[^{}]*\})")


@dataclass(frozen=True, kw_only=True)
class Language:
    """A language as a person chooses it.

    Args:
        key: as browsers have it, for `lang`.
        name: in itself.
        locale: as Babel has it.
        catalogue: the folder of its sentences; empty where the code's English stands.
    """

    key: str
    name: str
    locale: str
    catalogue: str = ""

    @cached_property
    def is_plain(self) -> bool:
        """Whether everything stands as in the code."""
        return self.key == "en-CA"

    @cached_property
    def short(self) -> str:
        """Without its country."""
        return self.key.partition("-")[0]

    def sentence(self, words: str) -> str:
        """A sentence of the code in this language; itself where there is none."""
        if self.is_plain:
            return words
        if self.catalogue:
            return self._told.get(words, words)
        return self._translations.gettext(words) if words else words

    def of_many(self, one: str, many: str, count: float) -> str:
        """The sentence for so many."""
        return self._translations.ngettext(one, many, count)  # type: ignore[arg-type]

    def retold(self, text: str) -> str:
        """A sentence that was kept in English, with its parts in it; itself where no sentence fits."""
        return _retold(self, text)

    @cached_property
    def _told(self) -> dict[str, str]:
        """What the catalogue has for each sentence without a number."""
        known: dict[object, str] = getattr(self._translations, "_catalog", {})
        return {words: told for words, told in known.items() if isinstance(words, str) and words}

    @cached_property
    def _patterns(self) -> list[tuple[re.Pattern[str], str]]:
        """The catalogue's whole sentences with parts, those with most words of their own first."""
        found = []
        for words in self._told:
            pieces = _PART.split(words)
            names = [piece[1:-1] for piece in pieces[1::2]]
            fits = len(set(names)) == len(names) and all(name.isidentifier() for name in names)
            if names and fits and words.endswith("."):
                plain = (
                    f"(?P<{piece[1:-1]}>.+?)" if n % 2 else re.escape(piece) for n, piece in enumerate(pieces)
                )
                found.append((re.compile("".join(plain)), words))
        return sorted(found, key=lambda one: -len(_PART.sub("", one[1])))

    @cached_property
    def marks(self) -> dict[int, str]:
        """What an English number's marks become."""
        if self.short == "en":
            return {}
        from babel import Locale

        symbols = Locale.parse(self.locale).number_symbols["latn"]
        return {ord(","): symbols["group"], ord("."): symbols["decimal"]}

    @cached_property
    def _translations(self) -> NullTranslations:
        if self.catalogue:
            return _catalogue(self.catalogue)
        rules: dict[str, Callable[[str], str]] = {"en-US": american, "qps": _bracketed}
        rule = rules.get(self.key)
        return _ByRule(rule) if rule else NullTranslations()


@lru_cache(maxsize=1024)
def _retold(language: Language, text: str) -> str:
    if text in language._told or not language.catalogue:
        return language.sentence(text)
    for pattern, words in language._patterns:
        if found := pattern.fullmatch(text):
            parts = {name: _retold(language, part) for name, part in found.groupdict().items()}
            return language.sentence(words).format(**parts)
    return text.translate(language.marks) if _FIGURE.fullmatch(text) else text


class _ByRule(NullTranslations):
    """A language that is made of English by a rule."""

    def __init__(self, made: Callable[[str], str]) -> None:
        super().__init__()
        self.made = made

    def gettext(self, message: str) -> str:
        return self.made(message)

    def ngettext(self, msgid1: str, msgid2: str, n: int) -> str:
        return self.made(msgid1 if n == 1 else msgid2)


def _bracketed(words: str) -> str:
    """In brackets and longer by two fifths: what stands outside of them nobody translated, a sentence's
    parts among it."""
    *pieces, last = _PART.split(words)
    more = max(round(len(words) * 0.4), 1)
    # In words, which part at the end of a line.
    longer = last + " ".join(_FILLER * min(more - at, 5) for at in range(0, more, 6))
    return "".join(piece if n % 2 or not piece else f"⟦{piece}⟧" for n, piece in enumerate((*pieces, longer)))


def _catalogue(folder: str) -> GNUTranslations:
    """A catalogue put together from its file, which takes a tenth of a second, once."""
    from babel.messages.mofile import write_mo
    from babel.messages.pofile import read_po

    source = LOCALE / folder / "LC_MESSAGES" / "lumbrel.po"
    made = BytesIO()
    write_mo(made, read_po(BytesIO(source.read_bytes()), locale=folder))
    return GNUTranslations(BytesIO(made.getvalue()))


CANADA = Language(key="en-CA", name="English (Canada)", locale="en_CA")
LANGUAGES = {
    one.key: one
    for one in (
        CANADA,
        Language(key="en-US", name="English (United States)", locale="en_US"),
        Language(key="fr-CA", name="français", locale="fr_CA", catalogue="fr"),
    )
}
"""Those that a person may choose."""
PSEUDO = Language(key="qps", name="pseudo", locale="en_CA")
"""Made up, for the tests."""


@dataclass
class Speaking:
    """What is spoken while a request is answered; known by all that work for it."""

    language: Language
    is_own: bool = False
    """Whether it was chosen for the device that asks."""


_ENGLISH = Speaking(CANADA)
_SPEAKING: ContextVar[Speaking] = ContextVar("speaking", default=_ENGLISH)


def language() -> Language:
    """The language that is spoken now."""
    return _SPEAKING.get().language


def own_language() -> str:
    """The key of the language that was chosen for the device that asks; empty where none was."""
    here = _SPEAKING.get()
    return here.language.key if here.is_own else ""


@contextmanager
def speaking(spoken: Language) -> Iterator[Speaking]:
    """Speak a language within the block; it may be changed as long as nothing was said."""
    here = Speaking(spoken)
    before = _SPEAKING.set(here)
    try:
        yield here
    finally:
        _SPEAKING.reset(before)


def language_of(key: str) -> Language | None:
    """The language of a key; None where nobody can choose it."""
    return PSEUDO if key == PSEUDO.key else LANGUAGES.get(key)


def asked_for(header: str) -> Language:
    """The language that fits best what a browser, or a machine, says it reads.

    Args:
        header: as `Accept-Language` has it, "fr-CA,fr;q=0.8,en;q=0.5", or `LANG`, "fr_CA.UTF-8".
    """
    wanted = []
    for place, part in enumerate(header.split(",")):
        tag, _sep, weight = part.partition(";q=")
        try:
            wanted.append((-float(weight or 1), place, tag.strip().partition(".")[0].replace("_", "-")))
        except ValueError:
            continue
    for _weight, _place, tag in sorted(wanted):
        exact = next((one for key, one in LANGUAGES.items() if key.lower() == tag.lower()), None)
        short = tag.lower().partition("-")[0]
        found = exact or next((one for one in LANGUAGES.values() if one.short == short), None)
        if found:
            return found
    return CANADA
