"""Reading one declaration of a `.brix` file."""

from __future__ import annotations

import re
from itertools import pairwise
from pathlib import Path
from typing import NoReturn

from msgspec import Struct, field
from msgspec.structs import replace

from embrix.brix import slips
from embrix.brix import syntax as s
from embrix.brix.either import each_clause
from embrix.brix.expressions import Expressions
from embrix.brix.lexer import Chunk, Tok, lex, unescape
from embrix.brix.parse import Cursor, Misread
from embrix.terms.types import ARITY
from embrix.text.diagnostic import Diagnostic, Findings
from embrix.text.source import Source, Span


class _Parts(Struct):
    """What the declarations of a file add up to."""

    doc: str = ""
    only_extended: bool = False
    extension: str = ""
    numbers: list[s.NumbersSyntax] = field(default_factory=list)
    notes: list[tuple[str, str]] = field(default_factory=list)
    tokens: list[s.TokensSyntax] = field(default_factory=list)
    types: list[s.TypeDecl] = field(default_factory=list)
    grammars: list[s.GrammarSyntax] = field(default_factory=list)
    errors: list[s.ErrorDecl] = field(default_factory=list)
    judgements: list[s.JudgementDecl] = field(default_factory=list)
    mains: list[s.MainDecl] = field(default_factory=list)
    functions: list[s.Define] = field(default_factory=list)
    laws: list[s.LawDecl] = field(default_factory=list)
    letters: list[s.LetterDecl] = field(default_factory=list)
    widenings: list[s.Widening] = field(default_factory=list)
    choices: list[s.ChoiceDecl] = field(default_factory=list)
    answers: list[s.DeliberateAnswer] = field(default_factory=list)
    uses: list[s.UseDecl] = field(default_factory=list)
    prelude: list[tuple[str, str, Span]] = field(default_factory=list)
    lost: list[tuple[str, Diagnostic]] = field(default_factory=list)


class DeclarationReader:
    """Reads declarations, each on its own, and keeps what they add up to."""

    def __init__(self, source: Source, findings: Findings) -> None:
        self.source = source
        self.findings = findings
        self.parts = _Parts()

    def cursor(self, chunk: Chunk, *, patterns: bool = False) -> Cursor:
        tokens = lex(self.source, chunk.span, self.findings, patterns=patterns)
        made = Cursor(self.source, tokens, chunk.span.end, self.findings)
        made.lost = self.parts.lost
        return made

    def own_name(self, c: Cursor, what: str, *, capital: bool) -> str:
        """The name in a header; one that is written otherwise is reported and taken as it is meant,
        and where there is none the file is called as it is."""
        tok = c.peek()
        kinds = ("Name", "name") if capital else ("name", "Name")
        headless = tok.text == "for" and c.ahead(1).kind == "Name"
        if tok.kind in kinds and not (tok.first or headless):
            return self.cased(c, what, capital=capital).text
        stem = re.sub(r"\W", "_", Path(self.source.name).name.partition(".")[0]) or "x"
        stem = stem if stem[0].isalpha() else f"x{stem}"
        made = stem[:1].upper() + stem[1:] if capital else stem.lower()
        end = c.last_end()
        span = Span(end - 1, end, self.source) if tok.first else tok.span
        self.findings.error("unreadable", f"the name of {what} is expected here", self.source,
                            span, f"it is called {made} until then")  # fmt: skip
        if tok.kind not in (*kinds, "end") and not tok.first:
            c.take()
        return made

    def cased(self, c: Cursor, what: str, *, capital: bool) -> Tok:
        """A name; one that begins with a letter of the other case is reported and taken as it is
        meant."""
        wanted, other = ("Name", "name") if capital else ("name", "Name")
        if c.peek().kind != other:
            return c.expect_kind(wanted, f"the name of {what}")
        tok = c.take()
        made = tok.text[:1].upper() + tok.text[1:] if capital else tok.text.lower()
        case = "with a capital" if capital else "in lower case"
        self.findings.error("unreadable", f"the name of {what} is written {case}",
                            self.source, tok.span, f"write {made}")  # fmt: skip
        return replace(tok, text=made)

    def nameless(self, c: Cursor, what: str) -> Tok:
        """The name of a type that is not written where it is declared: the first type in the fields
        of its constructors, or that a function of the file gives, which is not built in."""
        word = c.last()
        meant = [tok.text for sign, tok in pairwise(c.rest())
                 if sign.text == ":" and tok.kind == "Name"]  # fmt: skip
        meant += re.findall(r"->\s*([A-Z]\w*)", self.source.text)
        found = next((name for name in meant if name not in ARITY), "")
        hint = f"write {word.text} {found}" if found else ""
        self.findings.error("unreadable", f"the name of {what} is expected here", self.source,
                            word.span, hint)  # fmt: skip
        if not found:
            raise Misread
        c.skip_line()
        return replace(word, kind="Name", text=found)

    def names(self, c: Cursor, *, inner: bool = False) -> tuple[tuple[str, Span], ...]:
        """Names of fields; with `inner` also `LIST.FIELD`."""
        result = []
        while True:
            tok = c.expect_kind("name", "the name of a field")
            text, span = tok.text, tok.span
            if inner and c.accept("."):
                text += f".{c.expect_kind('name', 'the name of a field').text}"
                span = c.since(tok.span)
            result.append((text, span))
            if not c.accept(","):
                return tuple(result)

    def lose(self, name: str) -> None:
        """A declaration cannot be read: that its name is not known is no mistake of its own."""
        if name:
            self.parts.lost.append((name, self.findings.last))

    def whole(self, c: Cursor) -> None:
        if c.raw().kind != "end":
            c.fail("the declaration should end here")

    def doc(self, c: Cursor) -> str:
        """A text alone on the first line of a definition says what it is for."""
        tok, following = c.raw(), c.ahead(1)
        if tok.kind == "text" and tok.first and (following.first or following.kind == "end"):
            c.take()
            return unescape(tok, self.source, self.findings)
        return ""

    # ---------------------------------------------------------------- types and forms

    def type_declaration(self, c: Cursor) -> s.TypeDecl:
        word = c.take()
        what = "the sort" if word.text == "forms" else "the type"
        named = not c.raw().first and c.raw().kind in ("Name", "name")
        name = self.cased(c, what, capital=True) if named else self.nameless(c, what)
        params: list[tuple[str, Span]] = []
        if c.accept("["):
            inside = Expressions(c).separated("]", lambda: c.expect_kind("Name", "a capital"))
            params = [(tok.text, tok.span) for tok in inside]
        c.end_header()
        rows = c.rows(0, lambda: self.constructor(c), lambda row: c.lose(row.name))
        return s.TypeDecl(word.text, name.text, tuple(rows), name.span, tuple(params))

    def abbreviation(self, c: Cursor) -> s.TypeDecl:
        """`type NAME = TYPE`, perhaps with types in brackets that it leaves open."""
        c.take()
        name = self.cased(c, "the type", capital=True)
        params: list[tuple[str, Span]] = []
        if c.accept("["):
            inside = Expressions(c).separated("]", lambda: c.expect_kind("Name", "a capital"))
            params = [(tok.text, tok.span) for tok in inside]
        c.expect("=", " before the type that it stands for")
        means = Expressions(c).type()
        self.whole(c)
        return s.TypeDecl("type", name.text, (), name.span, tuple(params), means=means)

    def fields(self, c: Cursor) -> tuple[s.FieldDecl, ...]:
        if not c.accept("("):
            return ()
        expressions = Expressions(c)

        def one() -> s.FieldDecl:
            name = expressions.variable("the name of a field")
            c.expect(":", " before the type of the field")
            return s.FieldDecl(name.text, expressions.type(), name.span)

        return tuple(expressions.separated(")", one))

    def constructor(self, c: Cursor) -> s.ConstructorDecl:
        replaces = c.accept("replace")
        if c.sees("|"):
            c.findings.error(
                "other_habit", "a constructor stands on a line of its own, without a bar", c.source,
                c.take().span, "remove |",
            )  # fmt: skip
        tok = c.peek()
        if tok.kind == "name":
            self.lose_constructor(c, tok)
        name = c.expect_kind("Name", "a capitalised name")
        try:
            return self.rest_of_constructor(c, name, replaces=replaces is not None)
        except Misread:
            c.lose(name.text)
            raise

    def rest_of_constructor(self, c: Cursor, name: Tok, *, replaces: bool) -> s.ConstructorDecl:
        """The fields of a constructor, and what is said of them."""
        fields = self.fields(c)
        binds: list[s.BindsDecl] = []
        uses: list[tuple[str, Span]] = []
        shown: s.Expr | None = None
        role = ""
        while c.peek().kind != "end":
            if c.accept("binds"):
                names = self.names(c, inner=True)
                c.expect("in")
                binds.append(s.BindsDecl(names, self.names(c, inner=True)))
            elif c.accept("uses"):
                uses.extend(self.names(c))
            elif c.accept("shown"):
                shown = Expressions(c).expression()
            elif c.sees("suspended", "settled"):
                role = c.take().text
            else:
                c.fail("`binds`, `uses` or `shown` is expected here")
        return s.ConstructorDecl(
            name.text, fields, tuple(binds), tuple(uses), shown, c.since(name.span), role,
            replaces,
        )  # fmt: skip

    def lose_constructor(self, c: Cursor, tok: Tok) -> NoReturn:
        """A constructor in lower case: reported here, and nowhere where it is used."""
        capital = tok.text[:1].upper() + tok.text[1:]
        try:
            c.fail("the name of a constructor begins with a capital", f"write {capital}")
        finally:
            c.lose(tok.text, capital)

    # ---------------------------------------------------------------- functions

    def define(self, c: Cursor) -> s.Define:
        start = c.take()
        expressions = Expressions(c)
        name = expressions.variable("the name of the function")
        c.expect("(", " before the parameters")

        def param() -> s.Param:
            tok = expressions.variable("the name of a parameter")
            c.expect(":", " before the type of the parameter")
            return s.Param(tok.text, expressions.type(), tok.span)

        params = expressions.separated(")", param)
        c.expect_or("->", (":", "=>"), "before the type of the result")
        result = expressions.type()
        subjects: tuple[tuple[str, Span], ...] = ()
        if c.accept("by"):
            subjects = self.names(c)
        # A text alone is what the function gives; with more behind it, what is said of it.
        alone = not subjects and c.peek().kind == "text" and c.ahead(1).kind == "end"
        doc = "" if alone else self.doc(c)
        rows: tuple[s.DefineRow, ...] = ()
        body: s.Expr | None = None
        if subjects:
            rows = self.rows_of(c, expressions)
            self.whole(c)
        else:
            body = self.body_of(c, expressions, name.span)
        return s.Define(
            name.text, tuple(params), result, subjects, rows, body, doc, name.span,
            c.since(start.span), c.failures > 0,
        )  # fmt: skip

    def body_of(self, c: Cursor, expressions: Expressions, span: Span) -> s.Expr:
        """The body of a function; one that cannot be read is still to be written."""
        try:
            if _is_clause(c.rest()):
                c.fail_at(
                    span, "clauses choose by a parameter, which the header names behind `by`",
                    "write by and the parameter at its end", code="other_habit",
                )  # fmt: skip
            body = expressions.block(0)
            self.whole(c)
            return body
        except Misread:
            cause = self.findings.last
            return s.Todo(cause.note, span, cause.code)

    def widening(self, c: Cursor) -> None:
        """`extend value Value`, `extend eval(e, env)` or `replace eval(e, env)`."""
        start = c.take()
        if start.text == "extend" and c.sees("value", "data"):
            self.parts.types.append(replace(self.type_declaration(c), extends=True))
            return
        expressions = Expressions(c)
        name = expressions.variable("the name of a function")
        c.expect("(", " before the parameters")

        def param() -> tuple[str, Span]:
            tok = expressions.variable("the name of a parameter")
            return tok.text, tok.span

        params = expressions.separated(")", param)
        if c.sees(":", "->"):
            c.fail("the types are those of the base", "write only the names of the parameters")
        rows, body = self.clauses_or_body(c, expressions)
        self.whole(c)
        self.parts.widenings.append(
            s.Widening(
                name.text, tuple(params), rows, body, start.text == "replace", name.span,
                c.since(start.span), c.failures > 0,
            )
        )  # fmt: skip

    def clauses_or_body(
        self, c: Cursor, expressions: Expressions
    ) -> tuple[tuple[s.DefineRow, ...], s.Expr | None]:
        """The lines of a widening: clauses, when any of them has an arrow."""
        depth, first = 0, ""
        for tok in c.rest():
            depth += {"(": 1, "[": 1, ")": -1, "]": -1}.get(tok.text, 0)
            if tok.first and tok.column == c.raw().column:
                depth = 0
                first = tok.text
                if first in ("let", "require", "emit", "if", "match", "fail"):
                    break
                if first in ("inherit", "final", "order", "deliberately", "no"):
                    return self.rows_of(c, expressions), None
            # Behind a constructor another arrow can only stand where `=>` is meant.
            arrows = ("=>", *slips.ARROWS) if first[:1].isupper() or first == "_" else ("=>",)
            if depth == 0 and tok.kind == "symbol" and tok.text in arrows:
                return self.rows_of(c, expressions), None
        return (), expressions.block(0)

    def rows_of(self, c: Cursor, expressions: Expressions) -> tuple[s.DefineRow, ...]:
        """Clauses and the other lines of a definition; answers to warnings cover the next line."""
        rows: list[s.DefineRow | s.DeliberateAnswer] = c.rows(
            0,
            lambda: self.row(c, expressions),
            self.spoilt,
            lambda more: slips.no_clause(c.near(), more),
        )  # fmt: skip
        kept: list[s.DefineRow] = []
        for number, row in enumerate(rows):
            if isinstance(row, s.DeliberateAnswer):
                covers = rows[number + 1].span if number + 1 < len(rows) else None
                self.parts.answers.append(replace(row, covers=covers))
            elif isinstance(row, s.Clause | s.NoClause | s.Final):
                kept += each_clause([row])
            else:
                kept.append(row)
        return tuple(kept)

    def spoilt(self, row: s.DefineRow | s.DeliberateAnswer) -> s.DefineRow | None:
        """A line of a definition with something behind its end: a clause gives nothing then."""
        cause = self.findings.last
        if isinstance(row, s.Clause):
            return replace(row, body=s.Todo(cause.note, row.span, cause.code))
        return None

    def row(self, c: Cursor, expressions: Expressions) -> s.DefineRow | s.DeliberateAnswer:
        start = c.peek()
        if start.text == "deliberately" and start.kind == "name":
            return self.answer(c)
        if start.text == "no" and c.ahead(1).text == "clause":
            c.take()
            c.take()
            patterns = expressions.patterns()
            reason = c.expect_kind("text", "the reason in quotes")
            text = unescape(reason, self.source, self.findings)
            return s.NoClause(patterns, text, c.since(start.span))
        if start.text == "inherit" and start.kind == "name" and c.ahead(1).text == "_":
            c.take()
            c.take()
            c.expect("for")
            forms = [c.expect_kind("Name", "the name of a form")]
            while c.accept(","):
                forms.append(c.expect_kind("Name", "the name of a form"))
            named = tuple((tok.text, tok.span) for tok in forms)
            return s.Inherit(named, c.since(start.span))
        if start.text == "final" and start.kind == "name":
            c.take()
            patterns = expressions.patterns()
            guard = expressions.expression() if c.accept("when") else None
            return s.Final(patterns, guard, c.since(start.span))
        if start.text == "order" and start.kind == "name":
            c.take()
            pattern = expressions.pattern()
            c.expect(":", " before the parts that take steps")
            children = self.names(c)
            free = c.sees("in") and c.ahead(1).text == "any"
            if free:
                c.take()
                c.take()
                c.expect("order", " after `in any`")
            guard = expressions.expression() if c.accept("when") else None
            return s.Order(pattern, children, guard, c.since(start.span), free)
        return expressions.clause()

    def answer(self, c: Cursor) -> s.DeliberateAnswer:
        """`deliberately CODE "reason"`."""
        start = c.take()
        code = c.expect_kind("name", "the code of a warning")
        reason = c.expect_kind("text", "the reason in quotes")
        span = c.since(start.span)
        return s.DeliberateAnswer(code.text, unescape(reason, self.source, self.findings), span)


def _is_clause(toks: list[Tok]) -> bool:
    """Whether a body begins as a clause does: a pattern, and an arrow on the same line that stands
    in no bracket and belongs to no `fn`."""
    if not toks or toks[0].kind != "Name":
        return False
    depth = 0
    for number, tok in enumerate(toks):
        if (tok.first and number) or tok.text in ("fn", "match"):
            return False
        if tok.kind == "symbol":
            depth += (tok.text in ("(", "[")) - (tok.text in (")", "]"))
            if not depth and tok.text in ("=>", *slips.ARROWS[:1]):
                return True
    return False
