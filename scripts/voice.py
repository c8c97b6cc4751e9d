"""How the sentences read: no word that the glossary forbids, none too long, and easy on the whole."""

import csv
import re
from collections.abc import Iterator, Mapping
from functools import cache
from statistics import median

from lumbrel.words.languages import LOCALE

GLOSSARY = LOCALE / "glossary.csv"
LONGEST_WORDS = 25
HARDEST_GRADE = 8.0
LEAST_WORDS = 5
"""Shorter ones are labels."""
TAG, PART = re.compile(r"<[^>]+>"), re.compile(r"\{[^}]*\}")
ENDS, BETWEEN = re.compile(r"(?<=[.!?])\s+"), re.compile(r"[\s…–—/]+")
ENGLISH_QUOTE, FRENCH_QUOTE = re.compile("“([^”{}]+)”"), re.compile(r"«\s*([^»{}]+?)\s*»")
SILENT = re.compile(r"(?:[^laeiouy]es|ed|[^laeiouy]e)$|^y")


@cache
def glossary() -> tuple[dict[str, str], ...]:
    """One thing a row: its word in each language, and what it is never called there."""
    with GLOSSARY.open(encoding="utf-8", newline="") as file:
        return tuple(csv.DictReader(file))


def otherwise(english: str, french: str) -> Iterator[str]:
    """A term that is not translated by the glossary."""
    terms = [r["French"] for r in glossary() if english in (r["English"], r["English"].capitalize())]
    if terms and french.lower() not in map(str.lower, terms):
        yield f"“{english}” is “{terms[0]}” in French, not “{french}”"


def misquoted(told: Mapping[str, str]) -> Iterator[str]:
    """A button or a part of a page that a sentence quotes otherwise than it reads."""
    for english, translated in told.items():
        quoted = FRENCH_QUOTE.findall(translated)
        for name in ENGLISH_QUOTE.findall(english):
            if name in told and told[name].rstrip(".") not in quoted:
                yield f"“{name}” is quoted as “{told[name]}” in French: {translated}"


@cache
def forbidden(language: str) -> tuple[tuple[re.Pattern[str], str], ...]:
    """What may not be said in "English" or "French", and what is said instead."""
    rows = [(row[f"never in {language}"], row[language]) for row in glossary()]
    return tuple((re.compile(rf"\b({never})\b", re.I), instead) for never, instead in rows if never)


def strange(words: str, language: str) -> Iterator[str]:
    """What the glossary has another word for."""
    for pattern, instead in forbidden(language):
        if found := pattern.search(words):
            yield f"“{found[0]}” is “{instead}”: {words}"


def sentences(words: str) -> Iterator[list[str]]:
    """The words of each sentence; a part counts as one."""
    for sentence in ENDS.split(PART.sub("1", TAG.sub("", words))):
        yield [word for word in BETWEEN.split(sentence) if re.search(r"\w", word)]


def syllables(word: str) -> int:
    """About how many, in English."""
    letters = SILENT.sub("", re.sub("[^a-z]", "", word.lower()))
    return max(1, len(re.findall("[aeiouy]{1,2}", letters)))


def grade(sentence: list[str]) -> float:
    """The school year in which it can be read (Kincaid and others, 1975)."""
    return 0.39 * len(sentence) + 11.8 * sum(map(syllables, sentence)) / len(sentence) - 15.59


def hard(texts: list[str]) -> Iterator[str]:
    """What is too long or too hard of English texts."""
    found = [one for text in texts for one in sentences(text) if len(one) >= LEAST_WORDS]
    for one in found:
        if len(one) > LONGEST_WORDS:
            yield f"{len(one)} words: {' '.join(one)}"
    if found and (middle := median(map(grade, found))) > HARDEST_GRADE:
        yield f"half of the sentences are harder than grade {middle:.1f}; {HARDEST_GRADE:g} is allowed"
