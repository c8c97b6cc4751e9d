"""Templates that tell: their sentences are told in the language that is spoken as a page is made."""

from functools import cache
from keyword import iskeyword
from string import Formatter
from typing import Any

from jinja2 import Environment, nodes
from jinja2.compiler import CodeGenerator, Frame
from markupsafe import Markup, escape

from lumbrel.words import language

_whole = cache(Markup)


@cache
def _pieces(told: str) -> tuple[tuple[str, str], ...]:
    """A sentence as what stands before each of its parts, with the part's name; the last has none."""
    return tuple((before, name or "") for before, name, _spec, _how in Formatter().parse(told))


def _filled(told: str, parts: dict[str, object]) -> Markup:
    """A sentence with its tags, and its parts where their names stand, made harmless."""
    filled = []
    for before, name in _pieces(told):
        filled.append(before)
        if name:
            filled.append(escape(parts[name]))
    return Markup("".join(filled))


def sentence(words: str, /, **parts: object) -> Markup:
    """A sentence of a template in the language that is spoken; its tags are its own, its parts are not."""
    told = language().sentence(words)
    return _filled(told, parts) if parts else _whole(told)


def sentence_of(one: str, many: str, count: float, /, **parts: object) -> Markup:
    """A sentence of a template with a number that its words agree with, `{count}` in it."""
    return _filled(language().of_many(one, many, count), {"count": count} | parts)


TELLS = {"_": "sentence", "n_": "sentence_of"}


class _Telling(CodeGenerator):
    """What stands beside each other in an expression is joined as it is told, not as it is kept; a sentence is
    told without looking up what it is that is called."""

    def visit_Call(self, node: nodes.Call, frame: Frame, forward_caller: bool = False) -> None:
        """Write out a call."""
        told = TELLS.get(getattr(node.node, "name", ""))
        if told is None or any(iskeyword(part.key) for part in node.kwargs):
            super().visit_Call(node, frame, forward_caller=forward_caller)
            return
        self.write(f"environment.{told}(")
        for given in node.args:
            self.visit(given, frame)
            self.write(", ")
        for part in node.kwargs:
            self.write(f"{part.key}=")
            self.visit(part.value, frame)
            self.write(", ")
        self.write(")")

    def visit_Concat(self, node: nodes.Concat, frame: Frame) -> None:
        """Write out a join."""
        self.write("environment.told_together((")
        for part in node.nodes:
            self.visit(part, frame)
            self.write(", ")
        self.write("))")


class Pages(Environment):
    """The environment of all pages."""

    code_generator_class = _Telling
    sentence = staticmethod(sentence)
    sentence_of = staticmethod(sentence_of)

    @staticmethod
    def told_together(parts: tuple[Any, ...]) -> str:
        """Parts in the language that is spoken, one after the other."""
        told = [part if hasattr(part, "__html__") else str(part) for part in parts]
        return (Markup() if any(hasattr(part, "__html__") for part in told) else "").join(told)
