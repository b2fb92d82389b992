"""The common ground of the readers of expressions and declarations: a cursor over tokens that
knows about indentation.

Blocks are made by columns. While a statement that began at some column is read, a token that
begins a line at that column or further left ends it; inside brackets lines may be laid out freely,
until a block opens there.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NoReturn, TypeVar

from embrix.brix import slips
from embrix.brix.lexer import Tok
from embrix.text.diagnostic import Diagnostic, Findings
from embrix.text.plural import counted
from embrix.text.source import Source, Span

T = TypeVar("T")

DEEPEST = 120
"""Levels of nesting that a definition may have."""


OPENINGS = (":", "=", "::=", "{", "=>", "->")
"""Signs that stand before the lines of a block elsewhere."""


FAR = 400
"""More tokens than a line has, or a bracket over several lines. What is looked for where something
is wrong is looked for among so many: work grows with the file, whatever is wrong in it."""


_WRITTEN = ("symbol", "name")
"""The kinds of tokens that are looked for by their text."""


class Misread(Exception):
    """What was met cannot be read; the diagnostic has been made, the block is given up."""


class Cursor:
    def __init__(self, source: Source, tokens: list[Tok], end: int, findings: Findings) -> None:
        self.source = source
        self.findings = findings
        self._tokens = tokens
        self._at = 0
        self._end = Tok("end", "", Span(end, end, source), -1, True)
        self.floor = -1
        self.depth = 0
        self.failures = 0
        self.lost: list[tuple[str, Diagnostic]] = []
        """Names whose declarations cannot be read, with what is wrong with them."""
        self.brackets = 0
        self._begin = 0

    def lose(self, *names: str) -> None:
        """The declaration of names cannot be read: what was reported last is why."""
        self.lost += [(name, self.findings.last) for name in names if name]

    # ---------------------------------------------------------------- looking

    def raw(self) -> Tok:
        """The next token, wherever it stands."""
        return self._tokens[self._at] if self._at < len(self._tokens) else self._end

    def peek(self) -> Tok:
        """The next token of this statement, or an end token."""
        at = self._at
        tok = self._tokens[at] if at < len(self._tokens) else self._end
        if tok.first and tok.column <= self.floor and at != self._begin:
            end = self.last_end()
            return Tok("end", "", Span(end, end, self.source), -1, True)
        return tok

    def begin(self, column: int) -> None:
        """A statement begins at the next token; lines at its column or left of it end it."""
        self.floor = column
        self._begin = self._at

    def last(self) -> Tok:
        """The token taken last."""
        return self._tokens[self._at - 1] if self._at else self._end

    def rest(self) -> list[Tok]:
        """All tokens that have not been taken."""
        return self._tokens[self._at :]

    def near(self) -> list[Tok]:
        """The next tokens, as many as any line has."""
        return self._tokens[self._at : self._at + FAR]

    def ahead(self, distance: int) -> Tok:
        at = self._at + distance
        return self._tokens[at] if at < len(self._tokens) else self._end

    def last_end(self) -> int:
        return self._tokens[self._at - 1].span.end if self._at else self._end.span.start

    def sees(self, *texts: str) -> bool:
        tok = self.peek()
        return tok.text in texts and tok.kind in _WRITTEN

    # ---------------------------------------------------------------- taking

    def take(self) -> Tok:
        tok = self.peek()
        if tok.kind != "end":
            self._at += 1
        return tok

    def accept(self, text: str) -> Tok | None:
        tok = self.peek()
        if tok.text != text or tok.kind not in _WRITTEN:
            return None
        self._at += 1
        return tok

    def expect(self, text: str, why: str = "") -> Tok:
        if self.sees(text):
            return self.take()
        self.fail(f"`{text}` is expected here{why}")

    def expect_kind(self, kind: str, what: str) -> Tok:
        if self.peek().kind == kind:
            return self.take()
        self.fail(f"{what} is expected here")

    def fail(self, message: str, hint: str = "") -> NoReturn:
        tok = self.peek()
        found = "the line ends" if tok.kind == "end" else f"found `{tok.text[:30]}`"
        span = tok.span
        if tok.kind == "end":
            end = self.last_end()
            span = Span(max(0, end - 1), end, self.source)
        known = slips.better(message, self.last(), tok, self.ahead(1))
        if known is not None:
            self.fail_at(span, *known, code="other_habit")
        self.fail_at(span, f"{message}; {found}", hint)

    def fail_at(
        self, span: Span, message: str, hint: str = "", *, code: str = "unreadable"
    ) -> NoReturn:
        """Give up what is being read for something that stands elsewhere than the next token."""
        self.findings.error(code, message, self.source, span, hint)
        self.failures += 1
        raise Misread

    def end_header(self) -> None:
        """The first line of a block ends here. What else stands on it is reported and left out: the
        lines of the block are read all the same."""
        tok = self.raw()
        if tok.first or tok.kind == "end":
            return
        if tok.text in OPENINGS:
            self.findings.error(
                "other_habit", "the lines of a block follow without a sign before them",
                self.source, tok.span, f"remove {tok.text}",
            )  # fmt: skip
        else:
            self.findings.error(
                "unreadable", f"the line should end here; found `{tok.text[:30]}`", self.source,
                tok.span, "what the block holds stands on lines of its own",
            )  # fmt: skip
        self.skip_line()

    def skip_line(self) -> None:
        """Leave out the rest of the line."""
        while not (self.raw().first or self.raw().kind == "end"):
            self._at += 1

    def expect_or(self, text: str, others: Sequence[str], what: str) -> None:
        """A sign; where one of some others stands that means it elsewhere, that is reported and
        taken for it."""
        if self.sees(*others) and not self.sees(text):
            tok = self.take()
            self.findings.error(
                "other_habit", f"`{text}` stands {what} here, not `{tok.text}`", self.source,
                tok.span, f"write {text}",
            )  # fmt: skip
        else:
            self.expect(text, f" {what}")

    def more_on_line(self) -> bool:
        """Whether something stands on this line yet. A line below that is indented further is none
        of it: `rows` reports that."""
        tok = self.peek()
        return tok.kind != "end" and not tok.first

    def since(self, start: Span) -> Span:
        """From the beginning of `start` to the end of the last token taken."""
        return Span(start.start, max(start.end, self.last_end()), self.source)

    # ---------------------------------------------------------------- layout

    def rows(
        self,
        parent: int,
        read: Callable[[], T | None],
        spoilt: Callable[[T], T | None] = lambda _: None,
        goes_on: Callable[[bool], bool] = lambda _: False,
    ) -> list[T]:
        """Read each of the lines indented below a column; a line that cannot be read is skipped,
        and one that does not end where it should is what `spoilt` makes of it.

        All lines stand at the column of the first. Behind a line that cannot be read nothing is
        said about those of which `goes_on` holds: they only follow from its mistake. It is given
        whether the line above has been left out so.
        """
        result: list[T] = []
        first = self.raw()
        if not (first.first and first.column > parent and first.kind != "end"):
            return result
        column = first.column
        outer, brackets = self.floor, self.brackets
        broken = left_out = False
        while True:
            tok = self.raw()
            if tok.kind == "end" or (tok.first and tok.column <= parent):
                break
            left_out = broken and goes_on(left_out)
            if left_out:
                self._at += 1
                self._skip_row(column, parent)
                continue
            mistakes = self.findings.count
            if tok.column != column or not tok.first:
                self.misplaced(tok, column)
                row = self._read_in_spite(read)
                result += [row] if row is not None else []
                if row is None:
                    self.begin(outer)
                    self._skip_row(column, parent)
                continue
            self.begin(column)
            begin = self._at
            try:
                row = read()
                inside = bool(self.brackets) and self.sees(")", "]", ",")
                deeper = self.raw().first  # reported as misplaced: this row is complete
                if not inside and not deeper and self.peek().kind != "end":
                    try:
                        self.fail("the line should end here")
                    finally:
                        row = spoilt(row) if row is not None else None
                        result += [row] if row is not None else []
                result += [row] if row is not None else []
                if inside:
                    break  # the bracket in which these lines stand goes on
            except Misread:
                self.failures += 1
                self.brackets = brackets
                if self._at == begin:
                    self._at += 1
                if not self.back_to_line(begin, column, read):
                    self._skip_row(column, parent)
            broken = self.findings.count > mistakes
        self.floor = outer
        return result

    def skip_lines(self, column: int) -> None:
        """Leave out the rest of a line and the lines that are indented further than a column."""
        while not ((tok := self.raw()).kind == "end" or (tok.first and tok.column <= column)):
            self._at += 1

    def may_be_line(self, tok: Tok) -> bool:
        """Whether a token begins a line where one could stand that follows the present one."""
        return tok.first and tok.column <= self._tokens[self._begin].column

    def ran_on(self, opened: Tok) -> bool:
        """Whether a bracket is never closed, and what has been read since may be another line."""
        at, line = min(self._at + 1, len(self._tokens)), False
        while at and self._tokens[at - 1] is not opened:
            at -= 1
            line = line or self.may_be_line(self._tokens[at])
        depth = 1
        for tok in self._tokens[at : at + FAR]:
            depth += (tok.text in ("(", "[")) - (tok.text in (")", "]")) if line else 0
            if not depth:
                return False
        return line

    @property
    def at(self) -> int:
        """The number of the next token."""
        return self._at

    def back_to_line(self, begin: int, column: int, read: Callable[[], object]) -> bool:
        """Go back to a line of the block that can be read as one, and was taken for more of the
        line that begins at a token: a bracket is never closed there."""
        reached = self._at
        for at in range(begin + 1, reached):
            if self._tokens[at].first and self._tokens[at].column == column:
                self._at = at
                readable = self._read_in_spite(read, whole=False) is not None
                self._at = at
                if readable:
                    return True
        self._at = reached
        return False

    def _read_in_spite(self, read: Callable[[], T | None], *, whole: bool = True) -> T | None:
        """A line that stands in a wrong place, as it would be read in its own; None where more than
        that is wrong with it. Unless it must be `whole`, only its beginning may be read."""
        at, outer, brackets, failures = self._at, self.findings, self.brackets, self.failures
        self.findings = Findings()
        self.begin(self.raw().column)
        try:
            row = read()
        except Misread:
            row = None
        over = self.raw().first or self.raw().kind == "end"
        if self.findings.count or (whole and not over):
            row, self._at, self.brackets, self.failures = None, at, brackets, failures
        self.findings = outer
        return row

    def misplaced(self, tok: Tok, column: int) -> None:
        self.findings.error(
            "unreadable", f"this line is not indented like the one above it "
            f"({counted(tok.column, 'column')}, not {column})", self.source, tok.span,
            "lines of one block begin in the same column",
        )  # fmt: skip

    def _skip_row(self, column: int, parent: int) -> None:
        while True:
            tok = self.raw()
            if tok.kind == "end" or (tok.first and tok.column in range(parent + 1, column + 1)):
                if tok.kind != "end" and tok.column != column:
                    self._at += 1
                    continue
                return
            if tok.first and tok.column <= parent:
                return
            self._at += 1

    def nested(self, read: Callable[[], T]) -> T:
        """Read something one level deeper; nesting beyond any sense is refused."""
        self.depth += 1
        if self.depth > DEEPEST:
            self.fail(f"this is nested more than {DEEPEST} levels deep")
        try:
            return read()
        finally:
            self.depth -= 1
