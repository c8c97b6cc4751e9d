"""English as it is written in the United States, made of the code's by a list of differing words."""

import re
from functools import lru_cache

DIFFERS = {
    "colour": "color",
    "litre": "liter",
    "mould": "mold",
    "centre": "center",
    "metre": "meter",
    "grey": "gray",
    "flavour": "flavor",
    "neighbour": "neighbor",
    "odour": "odor",
    "vapour": "vapor",
    "honour": "honor",
    "favour": "favor",
    "labour": "labor",
    "catalogue": "catalog",
    "licence": "license",
    "cheque": "check",
    "fibre": "fiber",
    "millimetre": "millimeter",
    "kilometre": "kilometer",
    "aluminium": "aluminum",
    "programme": "program",
    "defence": "defense",
    "gauge": "gauge",
    "travelled": "traveled",
    "labelled": "labeled",
    "labelling": "labeling",
    "cancelled": "canceled",
    "levelled": "leveled",
    "sulphur": "sulfur",
    "storey": "story",
    "tyre": "tire",
    "plough": "plow",
    "mouldy": "moldy",
}
"""Stems as the code has them, and as they are written there."""
_STEMS = re.compile("|".join(sorted(DIFFERS, key=len, reverse=True)), re.IGNORECASE)
_NAMED = re.compile(r"(\{[^}]*\}|%\([^)]*\)s|<[^>]*>)")


@lru_cache(4096)
def american(words: str) -> str:
    """A sentence as it is written in the United States; names of its parts and tags stay."""
    pieces = _NAMED.split(words)
    return "".join(one if n % 2 else _STEMS.sub(_other, one) for n, one in enumerate(pieces))


def _other(found: re.Match[str]) -> str:
    word = found[0]
    other = DIFFERS[word.lower()]
    return other[:1].upper() + other[1:] if word[:1].isupper() else other
