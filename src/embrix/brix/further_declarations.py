"""Reading the declarations of a `.brix` file that are neither types nor functions."""

from __future__ import annotations

from collections.abc import Iterator

from embrix.brix import syntax as s
from embrix.brix.declaration_reader import DeclarationReader
from embrix.brix.expressions import Expressions
from embrix.brix.lexer import unescape
from embrix.brix.parse import Cursor
from embrix.text.source import Span

MOST_LETTERS = 4
"""Signs that may be written for a variable in rules on paper."""


class FurtherDeclarations(DeclarationReader):
    """Choices, preludes, libraries, errors, judgements, letters and laws."""

    def choice(self, c: Cursor) -> s.ChoiceDecl:
        c.take()
        name = c.expect_kind("name", "the name of the choice, in lower case,")
        question = c.expect_kind("text", "the question that is decided, in quotes,")
        c.end_header()

        def row() -> s.AlternativeDecl:
            tok = c.expect_kind("name", "the name of an alternative")
            reason = c.expect_kind("text", "the reason for it, in quotes,")
            default = c.accept("default") is not None
            rationale = unescape(reason, self.source, self.findings)
            return s.AlternativeDecl(tok.text, rationale, default, tok.span)

        rows = c.rows(0, row)
        text = unescape(question, self.source, self.findings)
        return s.ChoiceDecl(name.text, text, tuple(rows), name.span)

    def prelude(self, c: Cursor) -> list[tuple[str, str, Span]]:
        """Lines `NAME = "TEXT OF A PROGRAM"`."""
        c.take()
        c.end_header()

        def row() -> tuple[str, str, Span]:
            name = c.expect_kind("name", "a name")
            c.expect("=", " before what the name stands for")
            text = c.expect_kind("text", "an expression of the language, in quotes,")
            return name.text, unescape(text, self.source, self.findings), text.span

        return c.rows(0, row)

    def use(self, c: Cursor) -> s.UseDecl:
        start = c.take()
        name = c.expect_kind("name", "the name of a library")
        names: tuple[tuple[str, Span], ...] = ()
        if c.accept("("):
            inside = Expressions(c).separated(")", lambda: c.take())
            names = tuple((tok.text, tok.span) for tok in inside)
        self.whole(c)
        return s.UseDecl(name.text, names, c.since(start.span))

    def error(self, c: Cursor) -> s.ErrorDecl:
        c.take()
        if c.peek().kind == "name":
            low = c.peek().text
            try:
                c.fail("the name of an error begins with a capital", f"write {low.capitalize()}")
            finally:
                c.lose(low, low.capitalize())
        name = c.expect_kind("Name", "the name of the error, capitalised,")
        fields = self.fields(c)
        message = c.expect_kind("text", "the sentence that the error shows, in quotes,")
        template = Expressions(c).template(message)
        self.whole(c)
        return s.ErrorDecl(name.text, fields, template, name.span)

    def judgement(self, c: Cursor) -> s.JudgementDecl:
        c.take()
        name = c.expect_kind("name", "the function the judgement belongs to")
        text = c.expect_kind("text", "how the judgement is written, in quotes,")
        template = Expressions(c).template(text)
        gives = Expressions(c).pattern() if c.accept("gives") else None
        self.whole(c)
        return s.JudgementDecl(name.text, template, name.span, gives)

    def letters(self, c: Cursor) -> Iterator[s.LetterDecl]:
        """`letters "LETTER" for TYPE, …`."""
        c.take()
        while True:
            written = c.expect_kind("text", "a letter in quotes")
            letter = unescape(written, self.source, self.findings)
            if (
                not letter
                or len(letter) > MOST_LETTERS
                or not letter.isprintable()
                or " " in letter
            ):
                self.findings.error(
                    "bad_letter", f"a letter is one sign, or up to {MOST_LETTERS} without a space",
                    self.source, written.span,
                )  # fmt: skip
            c.expect("for")
            kind = c.expect_kind("Name", "the name of a type")
            yield s.LetterDecl(letter, kind.text, kind.span)
            if not c.accept(","):
                break
        self.whole(c)

    def law(self, c: Cursor) -> s.LawDecl:
        start = c.take()
        expressions = Expressions(c)
        conclusion = expressions.expression()
        condition = expressions.expression() if c.accept("when") else None
        self.whole(c)
        return s.LawDecl(conclusion, condition, c.since(start.span))
