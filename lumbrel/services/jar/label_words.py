"""What a label says, in English, in French, or in both, where law wants both."""

from lumbrel.core.candy.confections import confections
from lumbrel.words import _

LANGUAGES = {"en": _("English"), "fr": _("French"), "both": _("English and French")}
KINDS = {"maple": "d’érable", "birch": "de bouleau", "walnut": "de noyer"}
"""Kinds of sugar, as French says them behind a noun."""
SAID: dict[str, dict[str, str]] = {
    "en": {
        "maple": "Maple syrup",
        "birch": "Birch syrup",
        "walnut": "Walnut syrup",
        "Golden": "Golden",
        "Amber": "Amber",
        "Dark": "Dark",
        "Very Dark": "Very dark",
        "delicate": "delicate taste",
        "rich": "rich taste",
        "robust": "robust taste",
        "strong": "strong taste",
        "processing": "For processing, not for the table",
        "ungraded": "Colour not graded",
        "lot": "Lot",
        "packed": "packed",
        "best before": "Best before",
        "contains": "Contains:",
        "cold": "Refrigerate after opening",
        "keep cold": "Keep refrigerated",
        "made": "made",
        **{
            f"{kind} {one.label_en}": f"{kind.capitalize()} {one.label_en}"
            for kind in KINDS
            for one in confections()
        },
        "of maple": "Ingredients: maple syrup",
        "of birch": "Ingredients: birch syrup",
        "of walnut": "Ingredients: walnut syrup",
    },
    "fr": {
        "maple": "Sirop d’érable",
        "birch": "Sirop de bouleau",
        "walnut": "Sirop de noyer",
        "Golden": "Doré",
        "Amber": "Ambré",
        "Dark": "Foncé",
        "Very Dark": "Très foncé",
        "delicate": "goût délicat",
        "rich": "goût riche",
        "robust": "goût robuste",
        "strong": "goût prononcé",
        "processing": "Pour la transformation, non pour la table",
        "ungraded": "Couleur non classée",
        "lot": "Lot",
        "packed": "emballé",
        "best before": "Meilleur avant",
        "contains": "Contient :",
        "cold": "Réfrigérer après ouverture",
        "keep cold": "Garder au froid",
        "made": "fabriqué",
        **{
            f"{kind} {one.label_en}": f"{one.label_fr} {tree}"
            for kind, tree in KINDS.items()
            for one in confections()
        },
        "of maple": "Ingrédients : sirop d’érable",
        "of birch": "Ingrédients : sirop de bouleau",
        "of walnut": "Ingrédients : sirop de noyer",
        "milk": "lait",
        "egg": "œuf",
        "eggs": "œufs",
        "soy": "soja",
        "nuts": "noix",
        "peanut": "arachide",
        "wheat": "blé",
        "coconut": "noix de coco",
        "butter": "beurre",
    },
}


def say(language: str, key: str) -> str:
    """A word of a label; what has no word of its own is said as it is."""
    tongues = ("en", "fr") if language == "both" else (language,)
    words = dict.fromkeys(SAID[tongue].get(key, key) for tongue in tongues)
    return " / ".join(words)


def said_together(language: str, keys: tuple[str, ...]) -> str:
    """Several words in a row, first all in one language, then in the other."""
    tongues = ("en", "fr") if language == "both" else (language,)
    rows = dict.fromkeys(", ".join(SAID[tongue].get(k, k) for k in keys) for tongue in tongues)
    return " / ".join(rows)
