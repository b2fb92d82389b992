"""The texts in the parts of a rule, read again: expressions and patterns as one kind of term."""

from __future__ import annotations

import re
import zlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Literal, TypeAlias

from msgspec import Struct
from msgspec.structs import replace

from embrix.brix import syntax as s
from embrix.brix.expressions import Expressions
from embrix.brix.lexer import lex
from embrix.brix.parse import Cursor, Misread
from embrix.draw.rule_blocks import as_expressions
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
    "fn",
    "let",
    "raw",
]
BOUND = "\0"
"""What stands between a name that a function binds and the number of that function."""
PRIME = "__prime"
"""What stands for ′ at the end of a name, which the notation does not have."""


class RuleTerm(Struct, frozen=True):
    """A variable, a constructor or function by name with its parts, a look into an environment
    (`at`), one with a binding more (`with`), an operation by its sign, a tuple, a list (`rest`: the
    last part is what follows the others), a constant, anything (`any`), a choice (`if`), what
    stands in for nothing (`otherwise`), a pattern with a name for the whole (`as`), a term around
    another one (`context`, with the names of forms which that one stands in no part of), a function
    with its parameters and its body (`fn`; what they bind is named as nothing else in the rule), a
    pattern, its value and what both are for (`let`), or a text that stands as it is (`raw`)."""

    kind: TermKind
    text: str = ""
    parts: tuple[RuleTerm, ...] = ()


class _Reading(Expressions):
    """Functions may be called where they are written: what a helper is handed stands in it."""

    callees = (*Expressions.callees, s.Lambda)


def term_of(text: str) -> RuleTerm:
    """What a text in the notation says; itself where it cannot be read alone."""
    source = Source("rule", as_expressions(re.sub(r"(\w)′", rf"\1{PRIME}", text)))
    for pattern in (False, True):
        findings = Findings()
        tokens = lex(source, Span(0, len(source.text)), findings)
        cursor = Cursor(source, tokens, len(source.text), findings)
        cursor.brackets = 1
        reader = _Reading(cursor)
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
        case s.Lambda(params, body):
            return _function(of("fn", "", *params, body), text[node.span.start : node.span.end])
        case s.Apply(s.Lambda() as callee, args):
            function = _term(callee, text).parts
            return _applied(function[:-1], function[-1], [_term(arg, text) for arg in args])
        case s.Fail(error):
            return RuleTerm("const", f"error {error}")
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


def _function(term: RuleTerm, text: str) -> RuleTerm:
    """A function whose names are other ones than those around it; the same text gives the same."""
    number = zlib.crc32(text.encode())
    bound = {part.text for pattern in term.parts[:-1] for part in parts_within(pattern)
             if part.kind in ("var", "as")}  # fmt: skip
    return _renamed(term, {name: f"{name}{BOUND}{number}" for name in bound})


def _renamed(term: RuleTerm, names: Mapping[str, str]) -> RuleTerm:
    """A term in which variables have other names, also where they are called."""
    named = term.kind in ("var", "as", "call") and term.text in names
    return replace(term, text=names[term.text] if named else term.text,
                   parts=tuple(_renamed(part, names) for part in term.parts))  # fmt: skip


def _applied(patterns: Sequence[RuleTerm], body: RuleTerm, given: Sequence[RuleTerm]) -> RuleTerm:
    """What a function comes to that is called where it is written."""
    for pattern, value in zip(patterns, given, strict=False):
        called = any(one.kind == "call" and one.text == pattern.text for one in parts_within(body))
        parts = pattern.parts if pattern.kind == "tuple" else ()
        if pattern.kind == "var" and value.kind == "var":
            body = _renamed(body, {pattern.text: value.text})
        elif pattern.kind == "var" and not called:
            body = changed(body, lambda one, name=pattern.text, value=value: (  # type: ignore[misc]
                value if one.kind == "var" and one.text == name else None))  # fmt: skip
        elif value.kind == "tuple" and len(parts) == len(value.parts):
            body = _applied(parts, body, value.parts)
        elif pattern.kind != "any":
            body = RuleTerm("let", "", (pattern, value, body))
    return body


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
