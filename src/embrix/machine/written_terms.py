"""Terms written as terms: `term: Add(Lit(1), Lit(2))`. The only way to write a program in a
language without a grammar, and possible in every other one."""

from __future__ import annotations

from collections import OrderedDict
from typing import Any

from msgspec import Struct

from embrix.brix import syntax as s
from embrix.brix.core import Language
from embrix.brix.expressions import Expressions
from embrix.brix.lexer import lex
from embrix.brix.parse import Cursor, Misread
from embrix.grammar.parser import Parsed, Parser, ParseResult, Refused
from embrix.grammar.tokens import Tokens
from embrix.terms.node import (
    CONS,
    FIELDS,
    NIL,
    NONE,
    NONE_NODE,
    SOME,
    Node,
    Value,
    list_items,
    make_list,
)
from embrix.terms.numbers import write_number
from embrix.terms.signature import Signature
from embrix.terms.types import BOOL, INT, NAME, NUMBER, TEXT, Con, Type, settle, show_type
from embrix.text.diagnostic import Findings
from embrix.text.plural import counted
from embrix.text.source import Source, Span
from embrix.text.suggest import did_you_mean

MARK = "term:"
NO_TOKENS = Tokens((), (), ())


MOST_KEPT = 200_000
"""Characters of texts whose trees are kept; the last one is kept whatever its length."""


class TermParser:
    """Reads terms that are marked as such, and gives everything else to another parser. What has
    been read lately is not read again: every lane and view asks for the same text."""

    def __init__(self, language: Language, other: Parser | None) -> None:
        self._language = language
        self._other = other
        self._known: OrderedDict[tuple[str, str | None], ParseResult] = OrderedDict()
        self._kept = 0

    def parse(self, text: str, rule: str | None = None) -> ParseResult:
        key = (text, rule)
        known = self._known.get(key)
        if known is not None:
            self._known.move_to_end(key)
            return known
        found = self._known[key] = self._parse(text, rule)
        self._kept += len(text)
        while self._kept > MOST_KEPT and len(self._known) > 1:
            (old, _), _ = self._known.popitem(last=False)
            self._kept -= len(old)
        return found

    def _parse(self, text: str, rule: str | None) -> ParseResult:
        begin = len(text) - len(text.lstrip())
        if text.startswith(MARK, begin):
            return read_term(self._language, text, begin + len(MARK))
        if self._other is not None:
            return self._other.parse(text, rule)
        table = self._language.tokens
        tokens = table.cut(text) if table is not None else NO_TOKENS
        if tokens.invalid:
            return Refused("tokens", tokens.invalid[0].message, tokens.invalid[0].span, tokens)
        span = Span(begin, min(len(text), begin + 1))
        message = f"{self._language.name} has no grammar"
        if not self._language.signature.forms:
            return Refused("grammar", f"{message} yet: there are its tokens alone", span, tokens)
        return Refused(
            "grammar", f"{message}: write {MARK} and a term of its forms", span, tokens,
            (f"`{MARK}`",),
        )  # fmt: skip


def write_term(signature: Signature, term: Value) -> str:
    """A program as a term, which `read_term` reads back. Raises ValueError for a value that has no
    place in a program."""
    pieces: list[str] = [MARK, " "]
    stack: list[Any] = [_Written(term, None)]
    while stack:
        job = stack.pop()
        if isinstance(job, str):
            pieces.append(job)
            continue
        stack.extend(reversed(_pieces(signature, job.value, job.kind)))
    return "".join(pieces)


class _Written(Struct, frozen=True):
    """A value of a type, still to be written."""

    value: Value
    kind: Type | None


def _pieces(signature: Signature, value: Value, kind: Type | None) -> list[Any]:
    """A value, one level deep: texts, and what stands between them."""
    if isinstance(value, bool):
        return ["true" if value else "false"]
    if isinstance(value, str):
        return [value if kind == NAME else quoted(value)]
    if not isinstance(value, tuple):
        return [write_number(value)]
    if value[0] == NONE:
        return ["None"]
    form = signature.form_of(value)
    inner = kind.args[0] if isinstance(kind, Con) and kind.args else None
    if value[0] == SOME:
        name, parts = "Some(", [_Written(value[FIELDS], inner)]
    elif value[0] in (NIL, CONS):
        name, parts = "[", [_Written(item, inner) for item in list_items(value)]
    elif form is not None:
        kinds = map(settle, form.types)
        name = f"{form.name}(" if form.fields else form.name
        parts = [_Written(*pair) for pair in zip(value[FIELDS:], kinds, strict=True)]
    else:
        raise ValueError("this value has no place in a program")
    end = {"[": "]", "(": ")"}.get(name[-1], "")
    between = [one for part in parts for one in (", ", part)]
    return [name, *between[1:], end]


def quoted(text: str) -> str:
    """A text as the notation writes it."""
    signs = {"\\": "\\\\", '"': '\\"', "{": "\\{", "}": "\\}", "\n": "\\n", "\t": "\\t",
             "\r": "\\r", "\0": "\\0"}  # fmt: skip
    return '"' + "".join(signs.get(one, one) for one in text) + '"'


class _Wrong(Exception):
    def __init__(self, message: str, span: Span) -> None:
        super().__init__(message)
        self.message = message
        self.span = span


def read_term(language: Language, text: str, start: int) -> ParseResult:
    """The term that a text writes from an offset on."""
    source = Source("term", text)
    findings = Findings()
    tokens = lex(source, Span(start, len(text)), findings)
    cursor = Cursor(source, tokens, len(text), findings)
    cursor.brackets = 1
    try:
        expression = Expressions(cursor).expression()
        if cursor.raw().kind != "end":
            cursor.fail("the term should end here")
        term = _Reader(language).value(expression, None)
    except Misread:
        wrong = findings.sorted()[0]
        return Refused("grammar", wrong.message, _plain(wrong.span), NO_TOKENS)
    except _Wrong as wrong_part:
        return Refused("grammar", wrong_part.message, _plain(wrong_part.span), NO_TOKENS)
    if findings.has_errors:
        wrong = findings.sorted()[0]
        return Refused("tokens", wrong.message, _plain(wrong.span), NO_TOKENS)
    if not isinstance(term, tuple):
        return Refused("grammar", "a term is built of forms", Span(start, len(text)), NO_TOKENS)
    return Parsed(term, NO_TOKENS)


def _plain(span: Span) -> Span:
    return Span(span.start, span.end)


class _Reader:
    def __init__(self, language: Language) -> None:
        self._forms = language.signature.by_name
        self._floating = language.numbers == "float"

    def value(self, expr: s.Expr, wanted: Type | None) -> Value:
        """The value that an expression writes, of a type (None: any term)."""
        kind = settle(wanted) if wanted is not None else None
        match expr:
            case s.Make("None", ()) if _named(kind, "Maybe"):
                return NONE_NODE
            case s.Make("Some", (inner,)) if _named(kind, "Maybe"):
                assert isinstance(kind, Con)
                return (SOME, None, self.value(inner, kind.args[0]))
            case s.Make():
                return self.form(expr, kind)
            case s.ListOf(items, None, _) if _named(kind, "List"):
                assert isinstance(kind, Con)
                return make_list([self.value(item, kind.args[0]) for item in items])
            case s.NumberLit(value) if kind in (NUMBER, INT):
                return float(value) if self._floating and kind == NUMBER else value
            case s.Unary("-", s.NumberLit(value), _) if kind in (NUMBER, INT):
                return -(float(value) if self._floating and kind == NUMBER else value)
            case s.TextLit(parts) if kind == TEXT and all(isinstance(p, str) for p in parts):
                return "".join(part for part in parts if isinstance(part, str))
            case s.Ref("true" | "false" as word) if kind == BOOL:
                return word == "true"
            case s.Ref(name) if kind == NAME:
                return name
        what = show_type(kind) if kind is not None else "a term"
        raise _Wrong(f"{what} is expected here", expr.span)

    def form(self, expr: s.Make, kind: Any) -> Node:
        form = self._forms.get(expr.name)
        if form is None:
            hint = did_you_mean(expr.name, self._forms)
            raise _Wrong(f"there is no form called {expr.name}; {hint}".rstrip("; "), expr.span)
        if kind is not None and kind != Con(form.owner):
            raise _Wrong(f"{expr.name} is of sort {form.owner}, not {show_type(kind)}", expr.span)
        if len(expr.args) != len(form.fields):
            raise _Wrong(
                f"{expr.name} has {counted(len(form.fields), 'field')}: {', '.join(form.fields)}",
                expr.span,
            )
        parts = [self.value(a, t) for a, t in zip(expr.args, form.types, strict=True)]
        node: Node = (form.tag, (expr.span.start, expr.span.end), *parts)
        assert len(node) == FIELDS + len(parts)
        return node


def _named(kind: Type | None, name: str) -> bool:
    return isinstance(kind, Con) and kind.name == name
