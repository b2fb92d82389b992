"""The texts in the parts of a rule, read again: expressions and patterns as one kind of term."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Literal, TypeAlias

from msgspec import Struct
from msgspec.structs import replace

from embrix.brix import syntax as s
from embrix.brix.expressions import Expressions
from embrix.brix.lexer import lex
from embrix.brix.parse import Cursor, Misread
from embrix.text.diagnostic import Findings
from embrix.text.source import Source, Span

TermKind: TypeAlias = Literal[
    "var",
    "make",
    "call",
    "at",
    "with",
    "op",
    "tuple",
    "list",
    "rest",
    "const",
    "any",
    "if",
    "otherwise",
    "as",
    "context",
    "raw",
]
PRIME = "__prime"
"""What stands for ′ at the end of a name, which the notation does not have."""


class RuleTerm(Struct, frozen=True):
    """A variable, a constructor or function by name with its parts, a look into an environment
    (`at`), one with a binding more (`with`), an operation by its sign, a tuple, a list (`rest`: the
    last part is what follows the others), a constant, anything (`any`), a choice (`if`), what
    stands in for nothing (`otherwise`), a pattern with a name for the whole (`as`), a term around
    another one (`context`, with the names of forms which that one stands in no part of), or a text
    that stands as it is (`raw`)."""

    kind: TermKind
    text: str = ""
    parts: tuple[RuleTerm, ...] = ()


def term_of(text: str) -> RuleTerm:
    """What a text in the notation says; itself where it cannot be read alone."""
    source = Source("rule", re.sub(r"(\w)′", rf"\1{PRIME}", text))
    for pattern in (False, True):
        findings = Findings()
        tokens = lex(source, Span(0, len(source.text)), findings)
        cursor = Cursor(source, tokens, len(source.text), findings)
        cursor.brackets = 1
        reader = Expressions(cursor)
        try:
            node = reader.pattern() if pattern else reader.expression()
        except Misread:
            continue
        if cursor.raw().kind == "end" and not findings.has_errors:
            return _term(node, source.text)
    return RuleTerm("raw", text)


def _term(node: s.Expr | s.Pattern, text: str) -> RuleTerm:
    def of(kind: TermKind, name: str, *parts: s.Expr | s.Pattern) -> RuleTerm:
        return RuleTerm(kind, name, tuple(_term(part, text) for part in parts))

    match node:
        case s.Ref(name) if name in ("true", "false", "empty"):
            return RuleTerm("const", name)
        case s.PAny() | s.Ref("_"):
            return RuleTerm("any", "_")
        case s.Ref(name) | s.PVar(name):
            return RuleTerm("var", name)
        case s.PAs(inner, name):
            return of("as", name, inner)
        case s.TextLit(pieces) if any(not isinstance(piece, str) for piece in pieces):
            joined = [RuleTerm("const", _quoted(piece)) if isinstance(piece, str)
                      else _term(piece, text) for piece in pieces]  # fmt: skip
            return RuleTerm("op", "++", tuple(joined)) if len(joined) > 1 else joined[0]
        case s.NumberLit() | s.TextLit() | s.PConst():
            return RuleTerm("const", text[node.span.start : node.span.end])
        case s.Make(name, args):
            return of("make", name, *args)
        case s.PMake(name, args, _, None):
            return of("make", name, *args)
        case s.Apply(s.Ref(name), args):
            return of("call", name, *args)
        case s.Index(container, key):
            return of("at", "", container, key)
        case s.With(container, key, value):
            return of("with", "", container, key, value)
        case s.Binary(sign, left, right):
            return of("op", sign, left, right)
        case s.Unary(sign, operand):
            return of("op", sign, operand)
        case s.Otherwise(value, s.Fail(error)):
            return of("otherwise", f"error {error}", value)
        case s.Otherwise(value, instead):
            return of("otherwise", "", value, instead)
        case s.If(test, yes, no):
            return of("if", "", test, yes, no)
        case s.PContext(name, inner, without):
            forms = tuple(RuleTerm("const", form) for form, _ in without)
            return RuleTerm("context", name, (_term(inner, text), *forms))
        case s.Tuple(items) | s.PTuple(items):
            return of("tuple", "", *items)
        case s.ListOf(items, rest) | s.PList(items, rest):
            if rest is None:
                return of("list", "", *items)
            return of("rest", "", *items, rest)
    return RuleTerm("raw", text[node.span.start : node.span.end])


def _quoted(text: str) -> str:
    """A text as the notation writes it."""
    for sign, written in (("\\", "\\\\"), ("\n", "\\n"), ("\t", "\\t"), ('"', '\\"')):
        text = text.replace(sign, written)
    return f'"{text}"'


def changed(term: RuleTerm, change: Callable[[RuleTerm], RuleTerm | None]) -> RuleTerm:
    """A term in which parts are replaced, from the outside in, by what is given for them."""
    instead = change(term)
    if instead is not None:
        return instead
    return replace(term, parts=tuple(changed(part, change) for part in term.parts))


def parts_within(term: RuleTerm) -> Iterator[RuleTerm]:
    """A term and everything in it, from left to right."""
    yield term
    for part in term.parts:
        yield from parts_within(part)
