"""Reading types and patterns."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from fractions import Fraction
from typing import NoReturn, TypeVar

from embrix.brix import syntax as s
from embrix.brix.lexer import Tok, unescape
from embrix.brix.parse import Cursor, Misread
from embrix.terms.numbers import LONGEST_LITERAL
from embrix.text.source import Span

T = TypeVar("T")

WORDS = frozenset(
    [
        "if",
        "then",
        "else",
        "match",
        "fn",
        "fail",
        "when",
        "is",
        "and",
        "or",
        "not",
        "otherwise",
        "with",
        "let",
        "require",
        "emit",
        "repeat",
        "todo",
        "true",
        "false",
        "div",
        "mod",
        "attempt",
        "ask",
    ]
)
"""Words that cannot be names inside expressions."""


class PatternReader:
    """Reads types and patterns."""

    def __init__(self, cursor: Cursor) -> None:
        self.c = cursor

    def separated(self, close: str, read: Callable[[], T]) -> list[T]:
        """Items with commas between them up to a closing bracket; lines are free inside."""
        opened = self.c.last()
        self.c.brackets += 1
        outer, self.c.floor = self.c.floor, -1
        items: list[T] = []
        while not self.c.sees(close):
            found = self.c.findings.count
            try:
                items.append(read())
            except Misread:
                if self.c.ran_on(opened):
                    self.c.findings.forget(found)
                    self._never_closed(opened, close)
                raise
            if not self.c.accept(","):
                break
        if not self.c.sees(close) and (self.c.peek().first or self.c.ran_on(opened)):
            self._never_closed(opened, close)
        self.c.expect(close, " to close the bracket")
        self.c.brackets -= 1
        self.c.floor = outer
        return items

    def _never_closed(self, opened: Tok, close: str) -> NoReturn:
        """The line above has ended, whatever has been read since."""
        self.c.fail_at(
            opened.span, f"this {opened.text} is not closed where its line ends",
            f"close it with {close}, or go on after a comma",
        )  # fmt: skip

    # ---------------------------------------------------------------- types

    def type(self) -> s.TypeSyntax:
        return self.c.nested(self._type)

    def _type(self) -> s.TypeSyntax:
        tok = self.c.peek()
        if self.c.accept("("):
            items = self.separated(")", self.type)
            if self.c.accept("->"):
                return s.TypeFunction(tuple(items), self.type(), self.c.since(tok.span))
            return s.TypeTuple(tuple(items), self.c.since(tok.span))
        name = self.c.expect_kind("Name", "a type")
        args: list[s.TypeSyntax] = []
        if self.c.accept("["):
            args = self.separated("]", self.type)
        return s.TypeName(name.text, tuple(args), self.c.since(name.span))

    # ---------------------------------------------------------------- patterns

    def pattern(self) -> s.Pattern:
        return self.c.nested(self._pattern)

    def _pattern(self) -> s.Pattern:
        first = self._one_pattern()
        several = [first]
        while self.c.sees("|") and not self.c.peek().first:
            self.c.take()
            several.append(self._one_pattern())
        return first if len(several) == 1 else s.PEither(tuple(several), self.c.since(first.span))

    def _one_pattern(self) -> s.Pattern:
        inner = self._plain_pattern()
        if self.c.accept("as"):
            name = self.variable("the name for the whole")
            return s.PAs(inner, name.text, self.c.since(inner.span))
        return inner

    def _plain_pattern(self) -> s.Pattern:
        tok = self.c.peek()
        if tok.kind == "Name":
            self.c.take()
            args: list[s.Pattern] = []
            if self.c.accept("("):
                if self.c.sees(".."):
                    return self._some_fields(tok)
                args = self.separated(")", self.pattern)
            return s.PMake(tok.text, tuple(args), self.c.since(tok.span))
        if tok.kind == "number" or (tok.text == "-" and self.c.ahead(1).kind == "number"):
            negative = self.c.accept("-") is not None
            value = self._number()
            return s.PConst(-value if negative else value, self.c.since(tok.span))
        if tok.kind == "text":
            self.c.take()
            return s.PConst(unescape(tok, self.c.source, self.c.findings), tok.span)
        if self.c.accept("("):
            items = self.separated(")", self.pattern)
            if len(items) == 1:
                return items[0]
            return s.PTuple(tuple(items), self.c.since(tok.span))
        if self.c.accept("["):
            return self._list_pattern(tok)
        if tok.text in ("true", "false"):
            self.c.take()
            return s.PConst(tok.text == "true", tok.span)
        name = self.variable("a pattern")
        if self.c.accept("["):
            return self._context(name)
        return s.PAny(name.span) if name.text == "_" else s.PVar(name.text, name.span)

    def _context(self, name: Tok) -> s.Pattern:
        """`k[P] without Form without Form`: what stands around the next step."""
        inside = self.separated("]", self.pattern)
        if len(inside) != 1:
            self.c.fail("one pattern stands in the brackets of a context")
        without: list[tuple[str, Span]] = []
        while self.c.peek().kind == "name" and self.c.accept("without"):
            form = self.c.expect_kind("Name", "the name of a form")
            without.append((form.text, form.span))
        return s.PContext(name.text, inside[0], tuple(without), self.c.since(name.span))

    def _some_fields(self, form: Tok) -> s.Pattern:
        """`Form(.., body = b)`: only some fields, by name."""
        self.c.take()
        found: list[tuple[str, s.Pattern, Span]] = []

        def field() -> None:
            name = self.variable("the name of a field")
            self.c.expect("=", " after the name of a field")
            found.append((name.text, self.pattern(), name.span))

        if self.c.accept(","):
            self.separated(")", field)
        else:
            self.c.expect(")", " to close the bracket")
        return s.PMake(form.text, (), self.c.since(form.span), tuple(found))

    def _list_pattern(self, start: Tok) -> s.Pattern:
        rest: list[s.Pattern] = []

        def item() -> s.Pattern | None:
            if rest:
                self.c.fail("nothing may follow the rest of a list")
            if self.c.accept(".."):
                rest.append(self.pattern())
                return None
            return self.pattern()

        items = [one for one in self.separated("]", item) if one is not None]
        return s.PList(tuple(items), rest[0] if rest else None, self.c.since(start.span))

    def variable(self, what: str) -> Tok:
        tok = self.c.peek()
        if tok.kind == "name" and tok.text in WORDS:
            self.c.fail(f"{what} is expected here, and `{tok.text}` is a word of the notation")
        return self.c.expect_kind("name", what)

    def _number(self) -> int | Fraction:
        if len(self.c.peek().text) > LONGEST_LITERAL:
            self.c.fail(f"a number is written with at most {LONGEST_LITERAL:,} characters")
        exact = Fraction(self.c.take().text)
        return exact.numerator if exact.denominator == 1 else exact

    @abstractmethod
    def template(self, tok: Tok) -> s.TextLit:
        """A text with expressions in braces."""
