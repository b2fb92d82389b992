"""Reading the `tokens` and `grammar` blocks of a language."""

from __future__ import annotations

from embrix.brix import syntax as s
from embrix.brix.expressions import Expressions
from embrix.brix.lexer import Tok, unescape
from embrix.brix.parse import Cursor, Misread
from embrix.text.source import Span

PLAIN = "plain"
"""What the tokens outside all modes are called where a token `enters` them."""
FIXITIES = ("left", "right", "nonassociative", "prefix", "postfix")


def _mode_ahead(c: Cursor, word: Tok) -> tuple[str, Span] | None:
    """The mode that stands before the pattern with which it begins or ends, where a token should:
    reported, and read as what is meant. A token may be called `enters`, or outside all modes
    `leaves`."""
    named = c.take() if word.text == "enters" else word
    mode = f" {named.text}" if named is not word else ""
    c.findings.error(
        "unreadable", f"`{word.text}{mode}` stands behind the token, which needs a name as well",
        c.source, word.span, f"write skip /…/ {word.text}{mode}",
    )  # fmt: skip
    return named.text, named.span


def read_tokens(c: Cursor) -> s.TokensSyntax:
    """The token declarations of one mode, and what is done about lines, about strange characters,
    and about upper and lower case."""
    mode = ""
    if not c.raw().first and c.raw().kind == "name":
        if not c.accept("in"):
            span = c.raw().span
            c.findings.error("unreadable", "`in` stands before the name of a mode", c.source, span,
                             f"write in {c.raw().text}")  # fmt: skip
        named = c.expect_kind("name", "the name of a mode")
        mode = named.text
        if mode == PLAIN:
            c.findings.error(
                "unreadable", "tokens outside all modes are declared under `tokens` alone",
                c.source, named.span, "remove in plain",
            )  # fmt: skip
            mode = ""
    any_case = False
    invalid: list[str] = []
    lines: list[s.LinesDecl] = []

    def row() -> s.TokenDecl | s.More | None:
        if c.sees("..."):
            return s.More(c.take().span)
        replaces = c.sees("replace") and c.ahead(1).kind == "name"
        if replaces:
            c.take()
        name = c.expect_kind("name", "the name of a token")
        try:
            return declaration(name, replaces=replaces)
        except Misread:
            c.lose(name.text)
            raise

    def declaration(name: Tok, *, replaces: bool) -> s.TokenDecl | None:
        nonlocal any_case
        settings = name.text in ("lines", "words", "invalid") and c.peek().kind == "name"
        if settings and mode:
            c.fail(f"`{name.text}` is said for all modes", "write it under `tokens` alone")
        if name.text == "words" and settings:
            for word in ("in", "any", "case"):
                c.expect(word)
            any_case = True
            return None
        if name.text == "lines" and c.peek().kind == "name":
            lines.append(_lines(c, name))
            return None
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
        enters_ahead = name.text == "enters" and c.peek().kind == "name"
        leaves_ahead = name.text == "leaves" and c.peek().kind == "pattern" and bool(mode)
        ahead = _mode_ahead(c, name) if enters_ahead or leaves_ahead else None
        pattern = _pattern(c)
        conversion = Expressions(c).type() if c.accept("as") else None
        via: list[tuple[str, Span]] = []
        if c.accept("via"):
            for part in ("reads", "writes"):
                if via:
                    c.expect(",", " between the function that reads and the one that writes")
                function = c.expect_kind("name", f"the name of a function that {part} this token")
                via.append((function.text, function.span))
        not_before = None
        if c.accept("not"):
            c.expect("before")
            not_before = _pattern(c)
        leaves = c.accept("leaves") is not None or leaves_ahead
        enters = ahead if enters_ahead else None
        if c.accept("enters"):
            entered = c.expect_kind("name", "the name of a mode")
            enters = (entered.text, entered.span)
        label = ""
        if c.peek().kind == "text":
            label = unescape(c.take(), c.source, c.findings)
        shown = "skip" if ahead is not None else name.text
        return s.TokenDecl(
            shown, pattern, conversion, label, c.since(name.span), tuple(via), not_before,
            replaces, mode, enters, leaves,
        )  # fmt: skip

    def spoilt(row: s.TokenDecl | s.More) -> None:
        if isinstance(row, s.TokenDecl):
            c.lose(row.name)

    c.end_header()
    rows: list[s.TokenDecl | s.More] = c.rows(0, row, spoilt)
    for extra in lines[1:]:
        c.findings.error(
            "declared_twice", "`lines` stands here a second time", c.source, extra.span
        )
    return s.TokensSyntax(
        tuple(rows), lines[0] if lines else None, invalid[-1] if invalid else "", any_case
    )


def _pattern(c: Cursor) -> s.PatternSyntax:
    tok = c.expect_kind("pattern", "a pattern between slashes")
    return s.PatternSyntax(tok.text, Span(tok.span.start + 1, tok.span.end - 1, c.source))


def _lines(c: Cursor, start: Tok) -> s.LinesDecl:
    """`lines newline [indent dedent] [except inside "(" ")" …]`."""
    names: list[tuple[str, Span]] = []
    while c.peek().kind == "name" and not c.sees("except"):
        tok = c.take()
        names.append((tok.text, tok.span))
    brackets: list[tuple[str, str]] = []
    if c.accept("except"):
        c.expect("inside")
        while c.peek().kind == "text":
            opens = unescape(c.take(), c.source, c.findings)
            closes = unescape(
                c.expect_kind("text", "the closing bracket in quotes"), c.source, c.findings
            )
            brackets.append((opens, closes))
            c.accept(",")
        if not brackets:
            c.fail("brackets in quotes are expected here", 'write: except inside "(" ")"')
    if len(names) not in (1, 3):
        c.findings.error(
            "wrong_number", "`lines` names a token for line ends, and if indentation counts "
            "also one for its beginning and one for its end", c.source, c.since(start.span),
            "write: lines newline, or: lines newline indent dedent",
        )  # fmt: skip
        raise Misread
    return s.LinesDecl(tuple(names), tuple(brackets), c.since(start.span))


def read_grammar(c: Cursor) -> s.GrammarSyntax:
    """The rules and operator tables of a grammar block."""
    span = c.last().span
    starts: list[tuple[str, Span]] = []
    called = ""
    if not c.raw().first and c.raw().kind == "name":
        called = c.take().text
    c.end_header()

    def row() -> s.RuleSyntax | s.TableSyntax | None:
        replaces = c.accept("replace") is not None
        tok = c.peek()
        if tok.text == "start" and tok.kind == "name":
            c.take()
            while True:
                name = c.expect_kind("Name", "the name of a rule")
                starts.append((name.text, name.span))
                if not c.accept(","):
                    return None
        table = tok.text == "operators" and tok.kind == "name"
        name = c.ahead(1) if table else tok
        try:
            return _table(c, replaces=replaces) if table else _rule(c, replaces=replaces)
        except Misread:
            c.lose(name.text, name.text.capitalize() if name.kind == "name" else "")
            raise

    rules: list[s.RuleSyntax | s.TableSyntax] = c.rows(0, row, lambda one: c.lose(one.name))
    return s.GrammarSyntax(called, tuple(starts), tuple(rules), span, c.failures > 0)


def _rule(c: Cursor, *, replaces: bool) -> s.RuleSyntax:
    name = c.expect_kind("Name", "the name of a rule")
    sort = _sort(c, name)
    c.expect("::=", " after the name of a rule")
    column = name.column
    alternatives: list[s.AlternativeSyntax | s.More] = []
    if c.peek().kind != "end":
        c.accept("|")
        alternatives.append(_alternative(c))
        while c.accept("|"):
            alternatives.append(_alternative(c))

    def row() -> s.AlternativeSyntax | s.More:
        c.expect("|", " before an alternative")
        return _alternative(c)

    failures = c.failures
    alternatives += c.rows(column, row)
    if not alternatives and c.failures > failures:
        raise Misread
    if not alternatives:
        c.fail("a rule needs alternatives, each after a `|`")
    return s.RuleSyntax(name.text, sort, tuple(alternatives), c.since(name.span), replaces)


def _sort(c: Cursor, name: Tok) -> s.TypeSyntax:
    """The type after `:`, or the sort of the same name."""
    if c.accept(":"):
        return Expressions(c).type()
    return s.TypeName(name.text, (), name.span)


def _alternative(c: Cursor) -> s.AlternativeSyntax | s.More:
    if c.sees("..."):
        return s.More(c.take().span)
    return _items(c)


def _items(c: Cursor) -> s.AlternativeSyntax:
    """The items of an alternative, and what it makes."""
    start = c.peek().span
    items: list[s.ItemSyntax] = []
    makes: s.Expr | None = None
    while not c.sees("|", ")") and c.peek().kind != "end":
        if c.accept("makes"):
            makes = Expressions(c).expression()
            break
        items.append(_item(c))
    return s.AlternativeSyntax(tuple(items), makes, c.since(start))


def _item(c: Cursor) -> s.ItemSyntax:
    start = c.peek()
    capture = ""
    if start.kind == "name" and c.ahead(1).text == ":":
        capture = c.take().text
        c.take()
    tok = c.peek()
    if tok.kind == "name" and tok.text == "todo":
        c.take()
        note = c.expect_kind("text", "what is to be written, in quotes,")
        return s.ItemSyntax(
            None, "", capture, c.since(start.span), todo=unescape(note, c.source, c.findings)
        )
    if tok.kind == "name" and tok.text in ("list", "list1") and c.ahead(1).text == "(":
        c.take()
        c.take()
        text, name, group = _symbol(c)
        c.expect(",", " before the separator")
        begin = c.peek().span
        written = _symbol(c)
        separator = s.ItemSyntax(*written[:2], "", c.since(begin), group=written[2])
        c.expect(")")
        sign = "*" if tok.text == "list" else "+"
        greedy = c.accept("greedy") is not None
        return s.ItemSyntax(
            text, name, capture, c.since(start.span), sign, separator, greedy, group=group
        )
    text, name, group = _symbol(c)
    sign = c.take().text if c.peek().kind == "symbol" and c.sees("?", "*", "+") else ""
    greedy = bool(sign) and c.accept("greedy") is not None
    return s.ItemSyntax(text, name, capture, c.since(start.span), sign, greedy=greedy, group=group)


def _symbol(c: Cursor) -> tuple[str | None, str, tuple[s.AlternativeSyntax, ...]]:
    """A literal, the name of a token or rule, or a group with the name that it is written with."""
    tok = c.peek()
    if tok.kind == "text":
        c.take()
        return unescape(tok, c.source, c.findings), "", ()
    if tok.kind in ("name", "Name"):
        c.take()
        return None, tok.text, ()
    if c.accept("("):
        alternatives = c.nested(lambda: _group(c))
        written = c.since(tok.span)
        name = " ".join(c.source.text[written.start : written.end].split())
        return None, name, alternatives
    c.fail("a literal in quotes, a token, a rule or a group in brackets is expected here")


def _group(c: Cursor) -> tuple[s.AlternativeSyntax, ...]:
    """The alternatives between the brackets of a group."""
    opened = c.last()
    alternatives = [_items(c)]
    while not c.peek().first and c.accept("|"):
        alternatives.append(_items(c))
    if any(not one.items for one in alternatives):
        c.fail(
            "an alternative of a group holds at least one part",
            "write (…)? for a group that may be left out",
        )
    if c.peek().first or c.peek().kind == "end":
        c.fail_at(
            opened.span, "this group is not closed where its line ends", "close the group with )"
        )
    c.expect(")", " to close the group")
    return tuple(alternatives)


def _table(c: Cursor, *, replaces: bool) -> s.TableSyntax:
    start = c.take()
    name = c.expect_kind("Name", "the name of the table")
    sort = _sort(c, name)
    operand: list[tuple[str, Span]] = []

    def row() -> s.LevelSyntax | s.More | None:
        if c.sees("..."):
            return s.More(c.take().span)
        word = c.expect_kind("name", "one of " + ", ".join(FIXITIES) + " or operand")
        if word.text == "operand":
            rule = c.expect_kind("Name", "the rule of the operands")
            operand.append((rule.text, rule.span))
            return None
        if word.text not in FIXITIES:
            c.fail_at(
                word.span, f"`{word.text}` is no kind of operator",
                f"write {', '.join(FIXITIES)} or operand",
            )  # fmt: skip
        operators: list[s.OperatorSyntax] = []
        while c.peek().kind != "end":
            operators.append(_operator(c))
        return s.LevelSyntax(word.text, tuple(operators), c.since(word.span))

    c.end_header()
    levels: list[s.LevelSyntax | s.More] = c.rows(start.column, row)
    span = c.since(name.span)
    return s.TableSyntax(
        name.text, sort, tuple(levels), operand[0] if operand else None,
        Span(name.span.start, span.end, c.source), replaces,
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
        elif c.sees("(") or (tok.kind == "name" and c.ahead(1).text == ":"):
            row.append(_item(c))
        elif tok.kind == "name":
            c.take()
            row.append(s.ItemSyntax(None, "", tok.text, tok.span))
        else:
            c.fail("an operator in quotes, an operand or `makes` is expected here")
    c.expect("makes")
    makes = Expressions(c).operator_term()
    return s.OperatorSyntax(tuple(row), juxtaposed, makes, c.since(start))
