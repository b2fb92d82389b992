"""Reading expressions, patterns, types and blocks."""

from __future__ import annotations

from embrix.brix import slips
from embrix.brix import syntax as s
from embrix.brix.either import each_clause
from embrix.brix.lexer import INSIDE_BRACES, Tok, lex, unescape
from embrix.brix.parse import Cursor, Misread
from embrix.brix.pattern_reader import WORDS, PatternReader
from embrix.text.source import Span

_BINARY = {
    "or": 1, "and": 2,
    "==": 4, "!=": 4, "<": 4, "<=": 4, ">": 4, ">=": 4,
    "+": 5, "-": 5, "*": 6, "/": 6, "div": 6, "mod": 6,
}  # fmt: skip
_NOT, _COMPARISON = 3, 4

ONE_LINE = 1 << 30
"""A floor that every new line is left of."""


class Expressions(PatternReader):
    """Reads the inside of definitions from a cursor."""

    callees: tuple[type, ...] = (s.Ref, s.Apply, s.Index)
    """What may be called."""

    # ---------------------------------------------------------------- blocks

    def body(self, column: int) -> s.Expr:
        """What follows `=>`, `then`, `else` or a header: a block on new lines, or an expression."""
        tok = self.c.raw()
        if tok.first and tok.kind != "end" and tok.column > column:
            return self.c.nested(lambda: self.block(column))
        if self.c.peek().kind == "end":
            self.c.fail(
                "an expression is expected here, or a block of lines indented further",
                "indent the lines below" if tok.first and tok.text in slips.LINES else "",
            )
        return self.expression()

    def block(self, parent: int) -> s.Expr:
        """Lines at one column right of `parent`, the last one an expression."""
        tok = self.c.raw()
        column = tok.column
        if not tok.first or column <= parent or tok.kind == "end":
            self.c.fail("a block of lines indented further is expected here")
        outer = self.c.floor
        lines: list[s.Line] = []
        result: s.Expr | None = None
        while True:
            following = self.c.raw()
            here = following.column
            if not following.first or following.kind == "end" or here <= parent:
                break
            if here != column and result is not None:
                break  # reported where the block is part of
            if here != column:
                self.c.misplaced(following, column)
            if result is not None:
                self.c.begin(column)
                self.c.fail(
                    "the block has its result already", "only its last line may be a result"
                )
            self.c.begin(here)
            line = self._line(here)
            if isinstance(line, s.Let | s.LetRec | s.Require | s.Emit):
                lines.append(line)
            else:
                result = line
        self.c.floor = outer
        if result is None:
            self.c.fail("the block has no result", "end it with an expression")
        if not lines:
            return result
        return s.Block(tuple(lines), result, self.c.since(tok.span))

    def _line(self, column: int) -> s.Line | s.Expr:
        tok = self.c.peek()
        line: s.Line | s.Expr
        if self.c.accept("let"):
            line = self._let_rec(tok) if self.c.accept("rec") else self._let(tok, column)
        elif self.c.accept("require"):
            test = self.expression()
            self.c.expect("else")
            line = s.Require(test, self.body(column), self.c.since(tok.span))
        elif self.c.accept("emit"):
            line = s.Emit(self.expression(), self.c.since(tok.span))
        else:
            line = self.expression()
        if self.c.more_on_line() and not self.c.sees(")", "]", ","):
            self.c.fail("the line should end here")
        return line

    def _let_rec(self, start: Tok) -> s.LetRec:
        name = self.variable("the name of the environment")
        self.c.expect("=")
        return s.LetRec(name.text, self.expression(), self.c.since(start.span))

    def _let(self, start: Tok, column: int) -> s.Let:
        pattern = self.pattern()
        self.c.expect_or("=", ("==",), "before the value of a name")
        value = self.expression()
        misses: list[s.Clause] = []
        following = self.c.raw()
        # `else` may stand at the end of the line or on a line of its own at the column of `let`.
        if following.text == "else" and following.first and following.column == column:
            self.c.floor = column - 1
        if self.c.accept("else"):
            self.c.floor = column
            miss = self.pattern()
            self.c.expect("=>")
            body = self.body(column)
            misses.append(s.Clause((miss,), None, body, self.c.since(miss.span)))
        return s.Let(pattern, value, tuple(each_clause(misses)), self.c.since(start.span))

    # ---------------------------------------------------------------- expressions

    def expression(self) -> s.Expr:
        return self.c.nested(self._expression)

    def _expression(self) -> s.Expr:
        start = self.c.peek()
        if start.kind == "name":
            special = {
                "if": self._if, "match": self._match, "fail": self._fail, "fn": self._lambda,
                "attempt": self._attempt,
            }.get(start.text)  # fmt: skip
            if special is not None:
                return special(self._line_column())
            if start.text == "repeat":
                return self._repeat()
            after = self.c.ahead(1)
            if start.text == "any" and after.text == "of" and not after.first:
                return self._any_of(self._line_column())
            if start.text == "todo":
                self.c.take()
                note = self.c.expect_kind("text", "what is to be done, in quotes,")
                return s.Todo(unescape(note, self.c.source, self.c.findings), start.span)
            if start.text == "ask":
                self.c.take()
                self.c.expect("(")
                self.c.expect(")")
                return self._or_else(s.Ask(self.c.since(start.span)), start)
        return self._or_else(self._with(self._binary(1)), start)

    def _or_else(self, value: s.Expr, start: Tok) -> s.Expr:
        if self.c.accept("otherwise"):
            instead = self.expression()
            return s.Otherwise(value, instead, self.c.since(start.span))
        return value

    def _line_column(self) -> int:
        """The column that blocks opened in this statement must go beyond."""
        return self.c.floor

    def _with(self, value: s.Expr) -> s.Expr:
        while self.c.accept("with"):
            if self.c.accept("all"):
                items = self._binary(1)
                value = s.WithAll(value, items, self.c.since(value.span))
                continue
            key = self._postfix()
            self.c.expect("=")
            bound = self._binary(1)
            value = s.With(value, key, bound, self.c.since(value.span))
        return value

    def _binary(self, level: int) -> s.Expr:
        return self.c.nested(lambda: self._levels(level))

    def _levels(self, level: int) -> s.Expr:
        start = self.c.peek()
        if self.c.accept("not"):
            left: s.Expr = s.Unary("not", self._binary(_NOT), self.c.since(start.span))
        elif self.c.accept("-"):
            left = s.Unary("-", self._postfix(), self.c.since(start.span))
        else:
            left = self._postfix()
        compared = False
        while True:
            tok = self.c.peek()
            if tok.text == "is" and tok.kind == "name" and isinstance(left, s.Ref):
                self.c.take()
                other = self.c.expect_kind("name", "one of the alternatives of the choice")
                left = s.ChoiceIs(left.name, other.text, self.c.since(left.span))
                continue
            found = _BINARY.get(tok.text) if tok.kind in ("symbol", "name") else None
            if found is None or found < level:
                return left
            if found == _COMPARISON:
                if compared:
                    self.c.fail("comparisons do not chain", "join them with `and`")
                compared = True
            self.c.take()
            right = self._binary(found + 1)
            left = s.Binary(tok.text, left, right, self.c.since(left.span))

    def _postfix(self) -> s.Expr:
        value = self._atom()
        while True:
            if self.c.peek().first:
                return value  # a bracket on a new line begins something else
            if self.c.sees("(") and isinstance(value, self.callees):
                self.c.take()
                args = self.separated(")", self._argument)
                value = s.Apply(value, tuple(args), self.c.since(value.span))
            elif self.c.sees("["):
                self.c.take()
                key = self.separated("]", self._argument)
                if len(key) != 1:
                    self.c.fail("one key is expected between the brackets")
                value = s.Index(value, key[0], self.c.since(value.span))
            else:
                return value

    def _argument(self) -> s.Expr:
        return self.expression()

    def operator_term(self) -> s.Expr:
        """What an operator makes: a term that ends with its own brackets, for more may follow."""
        return self.c.nested(self._atom)

    def _atom(self) -> s.Expr:
        tok = self.c.peek()
        if tok.kind == "Name":
            self.c.take()
            args: list[s.Expr] = []
            if self.c.accept("("):
                args = self.separated(")", self._argument)
            return s.Make(tok.text, tuple(args), self.c.since(tok.span))
        if tok.kind == "number":
            return s.NumberLit(self._number(), tok.span)
        if tok.kind == "text":
            self.c.take()
            return self.template(tok)
        if self.c.accept("("):
            items = self.separated(")", self._argument)
            if len(items) == 1:
                return items[0]
            return s.Tuple(tuple(items), self.c.since(tok.span))
        if self.c.accept("["):
            return self._list(tok)
        if tok.kind == "name" and tok.text in ("true", "false"):
            self.c.take()
            return s.Ref(tok.text, tok.span)
        if tok.kind == "name" and tok.text in (
            "if", "match", "fail", "repeat", "todo", "fn", "attempt",
        ):  # fmt: skip
            return self.expression()
        if tok.kind == "name" and tok.text in slips.BEGINNINGS and self._begins_otherwise():
            message, hint = slips.BEGINNINGS[tok.text]
            self.c.findings.error("other_habit", message, self.c.source, tok.span, hint)
            self.c.failures += 1
            raise Misread
        if tok.kind == "name" and tok.text == "let":
            self.c.findings.error(
                "other_habit", "`let` stands on a line of its own, what follows stands below it",
                self.c.source, tok.span, "write let x = … on one line, the result on the next",
            )  # fmt: skip
            self.c.failures += 1
            raise Misread
        if tok.text == "each" and self.c.ahead(1).kind == "name" and not self.c.ahead(1).first:
            each = self.c.take()
            listed = self.variable("the name of a list")
            inner = s.Ref(listed.text, listed.span)
            return s.Apply(s.Ref(each.text, each.span), (inner,), self.c.since(each.span))
        name = self.variable("an expression")
        return s.Ref(name.text, name.span)

    def _begins_otherwise(self) -> bool:
        """Whether a word is followed by what cannot follow a name."""
        after = self.c.ahead(1)
        return not after.first and (
            after.kind in ("name", "Name", "number", "text") and after.text not in WORDS
        )

    def _list(self, start: Tok) -> s.Expr:
        rest: list[s.Expr] = []

        def item() -> s.Expr | None:
            if rest:
                self.c.fail("nothing may follow the rest of a list", "join lists: appended(a, b)")
            if self.c.accept(".."):
                rest.append(self.expression())
                return None
            return self.expression()

        items = [one for one in self.separated("]", item) if one is not None]
        return s.ListOf(tuple(items), rest[0] if rest else None, self.c.since(start.span))

    def template(self, tok: Tok) -> s.TextLit:
        """A text whose parts in braces are expressions."""
        parts: list[str | s.Expr] = []
        raw, base = tok.text, tok.span.start + 1
        at = 0
        plain = 0
        while at < len(raw):
            if raw[at] == "\\":
                at += 2
            elif raw[at] == "{":
                whole = INSIDE_BRACES.match(raw, at)
                end = whole.end() - 1 if whole is not None else raw.find("}", at)
                if end < 0:
                    self.c.findings.error(
                        "unreadable", "this { is never closed", self.c.source,
                        Span(base + at, base + at + 1), "write \\{ for a brace",
                    )  # fmt: skip
                    break
                parts.append(self._plain(raw[plain:at], base + plain))
                parts.append(self._inside(Span(base + at + 1, base + end, self.c.source)))
                at = plain = end + 1
            else:
                at += 1
        parts.append(self._plain(raw[plain:], base + plain))
        return s.TextLit(tuple(part for part in parts if part != ""), tok.span)

    def _plain(self, raw: str, start: int) -> str:
        tok = Tok("text", raw, Span(start - 1, start + len(raw)), 0, False)
        return unescape(tok, self.c.source, self.c.findings)

    def _inside(self, span: Span) -> s.Expr:
        tokens = lex(self.c.source, span, self.c.findings)
        inner = Expressions(Cursor(self.c.source, tokens, span.end, self.c.findings))
        inner.c.depth = self.c.depth
        value = inner.expression()
        if inner.c.peek().kind != "end":
            inner.c.fail("one expression is expected between the braces")
        return value

    # ---------------------------------------------------------------- words

    def _if(self, column: int) -> s.Expr:
        start = self.c.take()
        test = self.expression()
        self._reach("then", column)
        yes = self.body(column)
        self._reach("else", column)
        no = self.body(column)
        return s.If(test, yes, no, self.c.since(start.span))

    def _reach(self, word: str, column: int) -> None:
        """`then` and `else` may begin a line at the column of their statement."""
        tok = self.c.raw()
        if tok.text == word and tok.first and tok.column == column:
            outer, self.c.floor = self.c.floor, column - 1
            self.c.take()
            self.c.floor = outer
            return
        self.c.expect(word)

    def _subject(self) -> s.Expr:
        """What `match` looks at: `m[key] otherwise …` is one."""
        start = self.c.peek()
        return self._or_else(self._binary(1), start)

    def _match(self, column: int) -> s.Expr:
        start = self.c.take()
        outer, self.c.floor = self.c.floor, ONE_LINE
        subjects = [self._subject()]
        while self.c.accept(","):
            subjects.append(self._subject())
        self.c.floor = outer
        clauses = self.c.rows(
            column, self.clause, goes_on=lambda more: slips.no_clause(self.c.near(), more)
        )
        if not clauses:
            self.c.fail("`match` needs clauses, indented further")
        return s.Match(tuple(subjects), tuple(each_clause(clauses)), self.c.since(start.span))

    def patterns(self) -> tuple[s.Pattern, ...]:
        """One pattern or several, with commas between them."""
        patterns = [self.pattern()]
        while self.c.accept(","):
            patterns.append(self.pattern())
        return tuple(patterns)

    def _head(self) -> tuple[s.Pattern, ...]:
        """What tells a clause from more of the line above it."""
        patterns = self.patterns()
        if self.c.accept("when"):
            self.expression()
        self.c.expect("=>")
        return patterns

    def clause(self, column: int = 0) -> s.Clause:
        """`PATTERN, PATTERN when GUARD => BODY`; `column` is that of its line, if it begins before
        the pattern."""
        column, around = column or self.c.peek().column, (self.c.brackets, self.c.floor)
        begin = self.c.at
        patterns = self.patterns()
        span = patterns[0].span
        try:
            guard = self.expression() if self.c.accept("when") else None
            self.c.expect_or("=>", slips.ARROWS, "before what a clause gives")
            body = self.body(column)
            if self.c.more_on_line() and not (self.c.brackets and self.c.sees(")", "]", ",")):
                self.c.fail("the line should end here")
        except Misread:
            # What it is about is known; what it gives is still to be written.
            cause = self.c.findings.last
            self.c.brackets, self.c.floor = around
            if not self.c.back_to_line(begin, column, self._head):
                self.c.skip_lines(column)
            guard, body = None, s.Todo(cause.note, span, cause.code)
        return s.Clause(patterns, guard, body, self.c.since(span))

    def _lambda(self, column: int) -> s.Expr:
        start = self.c.take()
        self.c.expect("(", " before the parameters")
        params = self.separated(")", self.pattern)
        self.c.expect("=>", " before the body of the function")
        return s.Lambda(tuple(params), self.body(column), self.c.since(start.span))

    def _attempt(self, column: int) -> s.Expr:
        start = self.c.take()
        outer, self.c.floor = self.c.floor, ONE_LINE
        value = self.expression()
        self.c.floor = outer

        def handler() -> s.Clause:
            column = self.c.peek().column
            self.c.expect("on", " before the error that is caught")
            return self.clause(column)

        handlers = self.c.rows(column, handler)
        if not handlers:
            self.c.fail("`attempt` needs lines `on ERROR => …`, indented further")
        return s.Attempt(value, tuple(each_clause(handlers)), self.c.since(start.span))

    def _any_of(self, column: int) -> s.Expr:
        start = self.c.take()
        self.c.take()

        def way() -> s.Way:
            first = self.c.peek()
            guard = None
            if self.c.accept("when"):
                guard = self.expression()
                self.c.expect_or("=>", slips.ARROWS, "before what this way gives")
            return s.Way(guard, self.body(first.column), self.c.since(first.span))

        ways = self.c.rows(column, way)
        if not ways:
            self.c.fail("`any of` needs its ways, one a line, indented further")
        return s.AnyOf(tuple(ways), self.c.since(start.span))

    def _fail(self, _column: int) -> s.Expr:
        start = self.c.take()
        name = self.c.expect_kind("Name", "the name of an error")
        args: list[s.Expr] = []
        if self.c.accept("("):
            args = self.separated(")", self._argument)
        at = self._postfix() if self.c.accept("at") else None
        return s.Fail(name.text, tuple(args), at, self.c.since(start.span))

    def _repeat(self) -> s.Expr:
        start = self.c.take()
        name = self.variable("the name of a small-step relation")
        self.c.expect("(")
        args = self.separated(")", self._argument)
        return s.Repeat(name.text, tuple(args), self.c.since(start.span))
