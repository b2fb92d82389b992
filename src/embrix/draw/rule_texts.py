"""What a path through a clause has come to, and the texts of what stands there."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from msgspec import Struct, field
from msgspec.structs import replace

from embrix.brix import syntax as s
from embrix.brix.core import Function, Interpreter
from embrix.brix.paths import inside
from embrix.draw.rule_parts import Condition, ConditionKind, Said
from embrix.text.source import Source, Span
from embrix.text.visible import cut

LONGEST = 400
"""Characters of what is handed to a helper, or comes from one."""
WORD = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")


class RulePath(Struct, frozen=True):
    premises: tuple[Said, ...] = ()
    conditions: tuple[Condition, ...] = ()
    result: tuple[str, ...] = ()
    """The results, by component; empty while the path goes on."""
    names: tuple[tuple[str, str], ...] = ()
    """What names bound along the path are called in the rule: a name that is bound again gets a
    number, so that one name means one thing."""
    inside: bool = False
    """Whether the path goes through a helper."""


class FreshNames(Struct):
    """FreshNames for what premises give, different from all that the clause uses."""

    taken: set[str]
    count: dict[str, int] = field(default_factory=dict)

    def fresh(self, stem: str) -> str:
        while True:
            number = self.count[stem] = self.count.get(stem, 0) + 1
            name = f"{stem}{number}"
            if name not in self.taken:
                return name


class RuleTexts:
    """The clauses of one function, and the texts of what stands in them."""

    def __init__(
        self, interpreter: Interpreter, judged: Mapping[str, Function], define: s.Define
    ) -> None:
        """`judged` are the functions that rules are about, by name."""
        self._interpreter = interpreter
        self._judgements = judged
        self._function = judged[define.name]
        self._define = define
        self._names = FreshNames(set())
        self._outer: set[str] = set()
        """The names in the conclusion: those of the parameters and of the pattern."""

    def _judged(self, name: str) -> Function | None:
        return self._judgements.get(name)

    def _open(self, pattern: s.Pattern) -> str:
        """The form of a pattern, whatever stands in its parts."""
        while isinstance(pattern, s.PAs):
            pattern = pattern.inner
        if isinstance(pattern, s.PMake) and pattern.args:
            return f"{pattern.name}({', '.join('_' for _ in pattern.args)})"
        return self._one(pattern)

    def _said(self, path: RulePath, node: s.Expr | s.Pattern) -> str:
        """The text of an expression with the names of the path."""
        return renamed_words(self._text(node), path.names)

    def _text(self, node: s.Expr | s.Pattern) -> str:
        """What is written, in one line: those of a function with several are divided by
        semicolons."""
        return self._written(node.span, node)

    def _written(self, span: Span, node: s.Expr | s.Pattern | s.Line) -> str:
        source = self._source(span)
        pieces, at = [], span.start
        for one in inside(node):
            if isinstance(one, s.Lambda) and isinstance(one.body, s.Block) and one.span.start >= at:
                lines = (*one.body.lines, one.body.result)
                said = "; ".join(self._written(line.span, line) for line in lines)
                pieces += [source.text[at : one.body.span.start], said]
                at = one.body.span.end
        pieces.append(source.text[at : span.end])
        return " ".join("".join(pieces).split())

    def _one(self, pattern: s.Pattern) -> str:
        """A pattern that is one of several at its place, without the others."""
        match pattern:
            case s.PMake(name, args, _, None) if args:
                return f"{name}({', '.join(map(self._one, args))})"
            case s.PTuple(items):
                return f"({', '.join(map(self._one, items))})"
            case s.PList(items, rest):
                parts = [*map(self._one, items), *([f"..{self._one(rest)}"] if rest else [])]
                return f"[{', '.join(parts)}]"
            case s.PVar(name):
                return name
            case s.PAs(inner, name):
                return f"{self._one(inner)} as {name}"
        return self._text(pattern)

    def _source(self, span: Span) -> Source:
        return span.source or self._interpreter.source


def operand(text: str) -> str:
    """A text that may stand inside another one: in brackets where it has several parts. A long one
    is cut: what is handed from helper to helper may grow with each."""
    text = cut(text, LONGEST)
    depth = 0
    for number, sign in enumerate(text):
        depth += {"(": 1, "[": 1, ")": -1, "]": -1}.get(sign, 0)
        inner = depth > 0 or (depth == 0 and sign in ")]")
        if not inner and not (sign.isalnum() or sign in "_′."):
            return f"({text})"
        if depth == 0 and sign in ")]" and number + 1 < len(text) and text[number + 1] not in "[(":
            return f"({text})"
    return text


def when(path: RulePath, kind: ConditionKind, *parts: str) -> RulePath:
    """The path with one condition more."""
    return replace(path, conditions=(*path.conditions, Condition(kind, parts)))


def renamed_words(text: str, names: Sequence[tuple[str, str]]) -> str:
    """A text with some of its words replaced."""
    known = dict(names)
    return WORD.sub(lambda found: known.get(found.group(), found.group()), text)
