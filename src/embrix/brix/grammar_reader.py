"""Reading the `tokens` and `grammar` blocks of a language."""

from __future__ import annotations

from embrix.brix import syntax as s
from embrix.brix.expressions import Expressions
from embrix.brix.lexer import Tok, unescape
from embrix.brix.parse import Cursor, Misread
from embrix.text.source import Span

FIXITIES = ("left", "right", "nonassociative", "prefix", "postfix")


def read_tokens(c: Cursor) -> tuple[list[s.TokenDecl], str]:
    """The token declarations, and what is done about characters that begin no token."""
    invalid: list[str] = []

    def row() -> s.TokenDecl | None:
        name = c.expect_kind("name", "the name of a token")
        if name.text == "invalid":
            if c.accept("stops"):
                invalid.append("stops")
            elif c.accept("one"):
                c.expect("by")
                c.expect("one")
                invalid.append("one by one")
            else:
                c.fail("`stops` or `one by one` is expected here")
            return None
        pattern = c.expect_kind("pattern", "a pattern between slashes")
        conversion = Expressions(c).type() if c.accept("as") else None
        if c.sees("via"):
            _not_yet(c, "`via`")
        label = ""
        if c.peek().kind == "text":
            label = unescape(c.take(), c.source, c.findings)
        inside = Span(pattern.span.start + 1, pattern.span.end - 1)
        return s.TokenDecl(name.text, pattern.text, conversion, label, c.since(name.span), inside)

    rows = c.rows(0, row)
    return rows, invalid[-1] if invalid else ""


def _not_yet(c: Cursor, what: str) -> None:
    span = c.peek().span
    c.findings.error("not_yet", f"{what} cannot be used in definitions yet", c.source, span)
    raise Misread


def read_grammar(c: Cursor) -> s.GrammarSyntax:
    """The rules and operator tables of a grammar block."""
    span = c.last().span
    starts: list[tuple[str, Span]] = []

    def row() -> s.RuleSyntax | s.TableSyntax | None:
        tok = c.peek()
        if tok.text == "start" and tok.kind == "name":
            c.take()
            while True:
                name = c.expect_kind("Name", "the name of a rule")
                starts.append((name.text, name.span))
                if not c.accept(","):
                    return None
        if tok.text == "operators" and tok.kind == "name":
            return _table(c)
        return _rule(c)

    rules: list[s.RuleSyntax | s.TableSyntax] = c.rows(0, row)
    return s.GrammarSyntax(tuple(starts), tuple(rules), span)


def _rule(c: Cursor) -> s.RuleSyntax:
    name = c.expect_kind("Name", "the name of a rule")
    sort = _sort(c, name)
    c.expect("::=", " after the name of a rule")
    column = name.column
    if c.peek().kind != "end" and not c.sees("|"):
        alternatives = [_alternative(c)]
        while c.accept("|"):
            alternatives.append(_alternative(c))
        return s.RuleSyntax(name.text, sort, tuple(alternatives), c.since(name.span))

    def row() -> s.AlternativeSyntax:
        c.expect("|", " before an alternative")
        return _alternative(c)

    rows = c.rows(column, row)
    if not rows:
        c.fail("a rule needs alternatives, each after a `|`")
    return s.RuleSyntax(name.text, sort, tuple(rows), c.since(name.span))


def _sort(c: Cursor, name: Tok) -> s.TypeSyntax:
    """The type after `:`, or the sort of the same name."""
    if c.accept(":"):
        return Expressions(c).type()
    return s.TypeName(name.text, (), name.span)


def _alternative(c: Cursor) -> s.AlternativeSyntax:
    start = c.peek().span
    items: list[s.ItemSyntax] = []
    makes: s.Expr | None = None
    while not c.sees("|") and c.peek().kind != "end":
        if c.accept("makes"):
            makes = Expressions(c).expression()
            break
        if c.sees("...", "todo"):
            _not_yet(c, f"`{c.peek().text}` in a rule")
        items.append(_item(c))
    return s.AlternativeSyntax(tuple(items), makes, c.since(start))


def _item(c: Cursor) -> s.ItemSyntax:
    start = c.peek()
    capture = ""
    if start.kind == "name" and c.ahead(1).text == ":":
        capture = c.take().text
        c.take()
    tok = c.peek()
    if tok.kind == "name" and tok.text in ("list", "list1") and c.ahead(1).text == "(":
        c.take()
        c.take()
        text, name = _symbol(c)
        c.expect(",", " before the separator")
        separator = unescape(c.expect_kind("text", "the separator in quotes"), c.source, c.findings)
        c.expect(")")
        sign = "*" if tok.text == "list" else "+"
        greedy = c.accept("greedy") is not None
        return s.ItemSyntax(text, name, capture, c.since(start.span), sign, separator, greedy)
    text, name = _symbol(c)
    sign = c.take().text if c.peek().kind == "symbol" and c.sees("?", "*", "+") else ""
    greedy = bool(sign) and c.accept("greedy") is not None
    return s.ItemSyntax(text, name, capture, c.since(start.span), sign, "", greedy)


def _symbol(c: Cursor) -> tuple[str | None, str]:
    tok = c.peek()
    if tok.kind == "text":
        c.take()
        return unescape(tok, c.source, c.findings), ""
    if tok.kind in ("name", "Name"):
        c.take()
        return None, tok.text
    c.fail("a literal in quotes, a token or a rule is expected here")


def _table(c: Cursor) -> s.TableSyntax:
    start = c.take()
    name = c.expect_kind("Name", "the name of the table")
    sort = _sort(c, name)
    operand: list[tuple[str, Span]] = []

    def row() -> s.LevelSyntax | None:
        word = c.expect_kind("name", "one of " + ", ".join(FIXITIES) + " or operand")
        if word.text == "operand":
            rule = c.expect_kind("Name", "the rule of the operands")
            operand.append((rule.text, rule.span))
            return None
        if word.text not in FIXITIES:
            if word.text == "..." or c.sees("..."):
                _not_yet(c, "`...` in a table")
            c.fail(f"`{word.text}` is no kind of operator", "write " + ", ".join(FIXITIES))
        operators: list[s.OperatorSyntax] = []
        while c.peek().kind != "end":
            operators.append(_operator(c))
        return s.LevelSyntax(word.text, tuple(operators), c.since(word.span))

    levels = c.rows(start.column, row)
    span = c.since(name.span)
    if not operand:
        c.findings.error(
            "missing_operand", f"the table {name.text} does not say what its operands are",
            c.source, name.span, "add a line `operand RULE`",
        )  # fmt: skip
        raise Misread
    return s.TableSyntax(
        name.text, sort, tuple(levels), operand[0][0], operand[0][1],
        Span(name.span.start, span.end),
    )  # fmt: skip


def _operator(c: Cursor) -> s.OperatorSyntax:
    """A row up to `makes`, and what it makes."""
    start = c.peek().span
    row: list[s.ItemSyntax] = []
    juxtaposed = False
    while not c.sees("makes"):
        tok = c.peek()
        if tok.kind == "text":
            c.take()
            text = unescape(tok, c.source, c.findings)
            row.append(s.ItemSyntax(text, "", "", tok.span))
        elif c.accept("juxtaposed"):
            juxtaposed = True
        elif tok.kind == "name" and c.ahead(1).text == ":":
            row.append(_item(c))
        elif tok.kind == "name":
            c.take()
            row.append(s.ItemSyntax(None, "", tok.text, tok.span))
        else:
            c.fail("an operator in quotes, an operand or `makes` is expected here")
    c.expect("makes")
    makes = Expressions(c).operator_term()
    return s.OperatorSyntax(tuple(row), juxtaposed, makes, c.since(start))
