"""Sentences in the language of whoever reads them.

English stands in the code. A sentence knows its words and its parts until it is shown: what is kept,
compared or remembered of it is English, and what a person reads is in their language.
"""

from lumbrel.words.languages import (
    CANADA,
    LANGUAGES,
    PSEUDO,
    Language,
    Speaking,
    asked_for,
    language,
    language_of,
    own_language,
    speaking,
)
from lumbrel.words.moments import month_name, named_day, named_time, weekday
from lumbrel.words.numbers import bare, number, ordinal, quantity, share
from lumbrel.words.said import Sentence, _, after, begun, in_a_row, joined, kept, listed, n_, spoken

__all__ = [
    "CANADA",
    "LANGUAGES",
    "PSEUDO",
    "Language",
    "Sentence",
    "Speaking",
    "_",
    "after",
    "asked_for",
    "bare",
    "begun",
    "in_a_row",
    "joined",
    "kept",
    "language",
    "language_of",
    "listed",
    "month_name",
    "n_",
    "named_day",
    "named_time",
    "number",
    "ordinal",
    "own_language",
    "quantity",
    "share",
    "speaking",
    "spoken",
    "weekday",
]
