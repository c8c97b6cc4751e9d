"""Catalogues of sentences: gathers what the code says, brings each language's file up to it.

With `--check` nothing is written: it says what is behind, or reads badly, and fails.
"""

import argparse
import re
import string
import sys
from io import BytesIO
from pathlib import Path

from babel.messages.catalog import Catalog, Message
from babel.messages.extract import extract_from_dir
from babel.messages.pofile import read_po, write_po

from lumbrel.core.candy.confections import confections
from lumbrel.words.languages import LANGUAGES, LOCALE
from scripts import voice

PACKAGE = LOCALE.parent
METHODS = [("**.py", "python"), ("web/**.html", "jinja2")]
KEYWORDS = {"_": None, "n_": (1, 2)}
TAGS = re.compile(r"</?[a-z]+[^>]*>")


def said() -> Catalog:
    """Every sentence of the code, with the files it stands in."""
    found = Catalog(charset="utf-8")
    for file, line, words, _comments, _context in extract_from_dir(
        PACKAGE, METHODS, options_map={"**.html": {"silent": "false"}}, keywords=KEYWORDS
    ):
        if not file.startswith("words/"):
            found.add(words, locations=[(file, line)])
    for one in confections():
        for words in (one.full_name, one.name, one.handling, one.lay_out, one.wrap, one.good_for):
            if words:
                found.add(str(words), locations=[("core/data/confections.csv", 1)])
    return found


def path_of(folder: str) -> Path:
    return LOCALE / folder / "LC_MESSAGES" / "lumbrel.po"


def held(folder: str) -> Catalog:
    path = path_of(folder)
    if not path.exists():
        return Catalog(locale=folder, charset="utf-8")
    return read_po(BytesIO(path.read_bytes()), locale=folder)


def brought_up(folder: str, template: Catalog) -> Catalog:
    """The language's catalogue with the code's sentences, and no others."""
    made = Catalog(locale=folder, project="Lumbrel", charset="utf-8", fuzzy=False)
    known = held(folder)
    for message in template:
        if message.id:
            before = known.get(message.id)
            told = before.string if before else ""
            made.add(message.id, told, locations=sorted(set(message.locations)))
    return made


def written(catalogue: Catalog) -> bytes:
    out = BytesIO()
    write_po(
        out,
        catalogue,
        width=110,
        sort_output=True,
        include_lineno=False,
        omit_header=False,
        ignore_obsolete=True,
    )
    # The header's dates would be another at every turn.
    return re.sub(rb'"(POT-Creation|PO-Revision)-Date: .*\\n"\n', b"", out.getvalue())


def told_in(words: str | tuple[str, ...] | list[str] | None) -> list[str]:
    """One text, or those of a sentence with a number."""
    return [one for one in ([words] if isinstance(words, str) else words or ()) if one]


def parts_of(words: str) -> tuple[list[str], list[str]]:
    """The names of a sentence's parts, and its tags."""
    names = [name for _text, name, _spec, _how in string.Formatter().parse(words) if name is not None]
    return sorted(set(names)), sorted(TAGS.findall(words))


def wrong_with(message: Message) -> str:
    """What is wrong with a translation; empty where it can stand."""
    ids, told = told_in(message.id), told_in(message.string)
    if len(told) < (1 if isinstance(message.id, str) else 2):
        return "not translated"
    try:
        # In "{count} jar" the first may say "one jar".
        wanted = parts_of(ids[-1])
        for one in told:
            names, tags = parts_of(one)
            if (
                tags != wanted[1]
                or not set(names) <= set(wanted[0])
                or (len(told) == 1 and names != wanted[0])
            ):
                return f"other parts than {wanted}"
    except ValueError as error:
        return str(error)
    if any('"' in one for one in (*ids, *told)):
        return "a straight double quote ends the attribute that it may stand in"
    return ""


def main() -> int:
    how = argparse.ArgumentParser(description=__doc__)
    how.add_argument("--check", action="store_true", help="write nothing")
    how.add_argument("--missing", action="store_true", help="print what is not translated")
    given = how.parse_args()
    template, behind = said(), 0
    english = [text for message in template for text in told_in(message.id)]
    badly = [*voice.hard(english), *(why for text in english for why in voice.strange(text, "English"))]
    for language in LANGUAGES.values():
        if not language.catalogue:
            continue
        path = path_of(language.catalogue)
        made = brought_up(language.catalogue, template)
        out = written(made)
        if not given.check:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(out)
        elif not path.exists() or path.read_bytes() != out:
            print(f"{path.name} of {language.name} is behind the code: run scripts/words")
            behind += 1
        strange = (
            why for m in made if m.id for one in told_in(m.string) for why in voice.strange(one, "French")
        )
        badly += strange
        badly += (why for m in made for why in voice.otherwise(str(m.id), str(m.string)))
        badly += voice.misquoted({m.id: str(m.string) for m in made if isinstance(m.id, str)})
        wrong = [(m.id, why) for m in made if m.id and (why := wrong_with(m))]
        for words, why in wrong:
            if given.missing or (given.check and why != "not translated"):
                print(f"{why}: {words}")
        print(f"{language.name}: {len(made)} sentences, {len(wrong)} not right")
        behind += len(wrong)
    for one in badly:
        print(one)
    return 1 if given.check and (behind or badly) else 0


if __name__ == "__main__":
    sys.exit(main())
