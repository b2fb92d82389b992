"""Parsing and printing back, held against Python's own grammar of arithmetic and by properties."""

from __future__ import annotations

import ast
import itertools
from collections.abc import Callable
from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.course.load import Course
from embrix.grammar import tokens
from embrix.grammar.earley import EarleyParser
from embrix.grammar.flatten import flatten
from embrix.grammar.lr import parser_of
from embrix.grammar.model import (
    Alternative,
    Grammar,
    Item,
    Operand,
    Operator,
    OperatorTable,
    Quoted,
    Rule,
    Use,
    fields_of,
)
from embrix.grammar.parser import Ambiguous, GaveUp, Parsed, Refused
from embrix.grammar.printing import Printer
from embrix.grammar.tokens import TokenTable
from embrix.terms.node import FIELDS, Constructor, Node, same
from embrix.terms.signature import Signature
from embrix.terms.types import Con
from embrix.text.source import Span
from tests.strategies import terms

NOWHERE = Span(0, 0)

PYTHON_NAMES = {"Add": "Add", "Sub": "Sub", "Mult": "Mul", "Div": "Div"}


def by_python(node: ast.expr) -> Any:
    """Python's tree of an arithmetic expression, in the names of Drip."""
    match node:
        case ast.BinOp(left, op, right):
            return (PYTHON_NAMES[type(op).__name__], by_python(left), by_python(right))
        case ast.UnaryOp(ast.USub(), operand):
            return ("Neg", by_python(operand))
        case ast.Constant(value):
            return ("Lit", value)
        case ast.Name(name):
            return ("Var", name)
    raise AssertionError(node)


def by_us(signature: Signature, node: Node) -> Any:
    form = signature.by_tag[node[0]]
    children = [by_us(signature, c) if isinstance(c, tuple) else c for c in node[FIELDS:]]
    return (form.name, *children)


ARITHMETIC = st.recursive(
    st.sampled_from(["1", "2", "x", "rate"]),
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from("+-*/"), inner).map(lambda t: f"{t[0]} {t[1]} {t[2]}"),
        inner.map(lambda t: f"({t})"),
        inner.map(lambda t: f"-{t}"),
    ),
    max_leaves=12,
)


@given(ARITHMETIC)
def test_arithmetic_nests_as_in_python(lockside: Course, text: str) -> None:
    """Ranks and associativity of + - * / and the sign agree with Python's parser."""
    language = lockside.languages["Drip"]
    assert language.grammar is not None
    parsed = EarleyParser(language.grammar).parse(text)
    assert isinstance(parsed, Parsed)
    assert by_us(language.signature, parsed.term) == by_python(ast.parse(text, mode="eval").body)


@given(data=st.data())
def test_a_printed_term_is_read_back_as_itself(lockside: Course, data: st.DataObject) -> None:
    """parse(print(t)) = t for all terms that the grammar derives."""
    language = lockside.languages["Drip"]
    assert language.grammar is not None
    term = data.draw(terms(language.signature, "Expr", 5, ("x", "y")))
    text = Printer(language.grammar).show(term).text
    parsed = EarleyParser(language.grammar).parse(text)
    assert isinstance(parsed, Parsed), text
    assert same(parsed.term, term), text


@given(data=st.data())
def test_no_pair_of_parentheses_is_too_many(lockside: Course, data: st.DataObject) -> None:
    """Taking any one pair out of a printed term gives another term or none."""
    language = lockside.languages["Drip"]
    assert language.grammar is not None
    parser = EarleyParser(language.grammar)
    term = data.draw(terms(language.signature, "Expr", 4, ("x",)))
    text = Printer(language.grammar).show(term).text
    for start in [n for n, c in enumerate(text) if c == "("]:
        depth, end = 0, start
        for end in range(start, len(text)):
            depth += {"(": 1, ")": -1}.get(text[end], 0)
            if depth == 0:
                break
        without = f"{text[:start]} {text[start + 1 : end]} {text[end + 1 :]}"
        parsed = parser.parse(without)
        assert not (isinstance(parsed, Parsed) and same(parsed.term, term)), text


def test_places_cover_what_was_read(lockside: Course) -> None:
    """The place of a node is its slice of the text, without the parentheses around it."""
    grammar = lockside.languages["Drip"].grammar
    assert grammar is not None
    text = "2 * ( 3 - 4 )"
    parsed = EarleyParser(grammar).parse(text)
    assert isinstance(parsed, Parsed)
    start, end = parsed.term[3][1]
    assert text[start:end] == "3 - 4"


@pytest.mark.parametrize(
    ("text", "at", "expected"),
    [
        ("1 +", 3, {"a number", "a name", "`-`", "`(`"}),
        ("", 0, {"a number", "a name", "`-`", "`(`", "`let`"}),
        ("(1", 2, {"`+`", "`-`", "`*`", "`/`", "`)`"}),
        ("1 2", 2, {"`+`", "`-`", "`*`", "`/`", "the end of the program"}),
        ("let x 1", 6, {"`=`"}),
        ("let = 1", 4, {"a name"}),
    ],
)
def test_a_refusal_names_its_place_and_what_could_stand_there(
    lockside: Course, text: str, at: int, expected: set[str]
) -> None:
    grammar = lockside.languages["Drip"].grammar
    assert grammar is not None
    refused = EarleyParser(grammar).parse(text)
    assert isinstance(refused, Refused)
    assert refused.span.start == at
    assert set(refused.expected) == expected


def test_a_refusal_tells_what_was_being_read(lockside: Course) -> None:
    """Innermost first, each with the place where it began and a dot where it had got to."""
    grammar = lockside.languages["Drip"].grammar
    assert grammar is not None
    refused = EarleyParser(grammar).parse("let x = (1 + 2 in x")
    assert isinstance(refused, Refused)
    rows = {row: place for row, place, _ in refused.reading}
    reasons = {row: why for row, _, why in refused.reading}
    assert reasons["Atom → `(` Expr • `)`"] == "`)` is wanted, `in` is there"
    assert reasons["Expr → `let` name `=` • Expr `in` Expr"] == "its Expr is not complete"
    assert rows["Atom → `(` Expr • `)`"] == 8
    assert rows["Sum → Sum • `+` Sum"] == 9
    assert rows["Expr → `let` name `=` • Expr `in` Expr"] == 0
    assert list(rows.values()) == sorted(rows.values(), reverse=True)
    later = EarleyParser(grammar).parse("1 + )")
    assert isinstance(later, Refused)
    assert ("Atom → • name", 4, "a name is wanted, `)` is there") in later.reading


# ---------------------------------------------------------------------- grammars made by hand


def form(name: str, tag: int, *fields: str) -> Constructor:
    return Constructor(name, tag, "E", fields, tuple(Con("E") for _ in fields), is_form=True)


A, B, PAIR, WRAP, NOT = (
    form("A", 20), form("B", 21), form("Pair", 22, "left", "right"), form("Wrap", 23, "inner"),
    form("Not", 24, "arg"),
)  # fmt: skip


def grammar_of(rules: list[Rule | OperatorTable], literals: str, start: str = "E") -> Grammar:
    tokens = TokenTable(tuple(literals.split()), ())
    return flatten(tokens, Signature((A, B, PAIR, WRAP, NOT)), "integer", (start,), rules)


def alternative(text: str, made: Constructor | None) -> Alternative:
    """`left:E + right:E` and the like; capitals are rules, the rest literals."""
    items = []
    for word in text.split():
        capture, _, symbol = word.rpartition(":")
        field = made.fields.index(capture) if capture and made else None
        items.append(Item(Use(symbol) if symbol.isupper() else Quoted(symbol), field))
    place = next((n for n, i in enumerate(items) if not isinstance(i.symbol, Quoted)), 0)
    return Alternative(tuple(items), fields_of(made) if made else None, NOWHERE, place)


def rule(name: str, *alternatives: tuple[str, Constructor | None]) -> Rule:
    return Rule(name, "E", tuple(alternative(t, m) for t, m in alternatives), NOWHERE)


def texts(alphabet: str, longest: int) -> list[str]:
    return [
        "".join(letters)
        for length in range(longest + 1)
        for letters in itertools.product(alphabet, repeat=length)
    ]


GRAMMARS: dict[str, tuple[list[Rule | OperatorTable], str, Callable[[str], bool]]] = {
    "left recursion": (
        [rule("E", ("left:E right:T", PAIR), ("T", None)), rule("T", ("a", A))],
        "a b", lambda t: len(t) > 0 and set(t) <= {"a"},
    ),
    "right recursion": (
        [rule("E", ("left:T right:E", PAIR), ("T", None)), rule("T", ("a", A))],
        "a b", lambda t: len(t) > 0 and set(t) <= {"a"},
    ),
    "matching pairs": (
        [rule("E", ("a inner:E b", WRAP), ("", A))],
        "a b", lambda t: t == "a" * (len(t) // 2) + "b" * (len(t) // 2),
    ),
    "hidden left recursion": (
        [rule("E", ("left:N right:E a", PAIR), ("b", B)), rule("N", ("", A))],
        "a b", lambda t: t[:1] == "b" and set(t[1:]) <= {"a"},
    ),
    "two optional ends": (
        [rule("E", ("left:N right:M", PAIR)), rule("N", ("a", A), ("", A)),
         rule("M", ("b", B), ("", B))],
        "a b", lambda t: t in ("", "a", "b", "ab"),
    ),
    "the same optional part twice": (
        [rule("E", ("left:N right:N", PAIR)), rule("N", ("a", A), ("", A))],
        "a b", lambda t: t in ("", "a", "aa"),
    ),
    "palindromes": (
        [rule("E", ("a inner:E a", WRAP), ("b inner:E b", WRAP), ("a", A), ("b", B), ("", A))],
        "a b", lambda t: t == t[::-1],
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", GRAMMARS)
def test_exactly_the_sentences_of_a_grammar_are_accepted(name: str) -> None:
    """Recursion of every kind and empty rules: all texts up to length 7, by a rule of thumb."""
    rules, literals, belongs = GRAMMARS[name]
    parser = EarleyParser(grammar_of(rules, literals))
    for text in texts("ab", 7):
        accepted = not isinstance(parser.parse(text), Refused)
        assert accepted == belongs(text), text


def test_an_ambiguous_text_is_reported_with_two_trees() -> None:
    grammar = grammar_of([rule("E", ("left:E right:E", PAIR), ("a", A))], "a")
    parser = EarleyParser(grammar)
    assert isinstance(parser.parse("aa"), Parsed)
    found = parser.parse("aaa")
    assert isinstance(found, Ambiguous)
    assert not same(*found.trees)


def test_a_rule_that_derives_itself_does_not_hang() -> None:
    """Every text has endlessly many trees then, whether or not a form is made on the way."""
    plain = EarleyParser(grammar_of([rule("E", ("E", None), ("a", A))], "a"))
    assert isinstance(plain.parse("a"), Ambiguous)
    endless = EarleyParser(grammar_of([rule("E", ("inner:E", WRAP), ("a", A))], "a"))
    assert isinstance(endless.parse("a"), Ambiguous)


def test_parsing_gives_up_when_its_fuel_is_spent() -> None:
    grammar = grammar_of([rule("E", ("left:E right:E", PAIR), ("a", A))], "a")
    assert isinstance(EarleyParser(grammar, fuel=200).parse("a" * 60), GaveUp)


def test_ways_to_come_to_an_item_are_fuel_too() -> None:
    """There are about 60 ** 2 items, which come about in 60 ** 3 / 6 ways."""
    grammar = grammar_of([rule("E", ("left:E right:E", PAIR), ("a", A))], "a")
    assert isinstance(EarleyParser(grammar, fuel=20_000).parse("a" * 60), GaveUp)
    assert isinstance(EarleyParser(grammar, fuel=60_000).parse("a" * 60), Ambiguous)


@pytest.mark.parametrize(("name", "most"), [("MOST_TOKENS", 60), ("MOST_CHARACTERS", 60)])
def test_a_text_is_read_up_to_a_bound(
    monkeypatch: pytest.MonkeyPatch, name: str, most: int
) -> None:
    monkeypatch.setattr(tokens, name, most)
    for rules in ([("a", A), ("a inner:E", WRAP)], [("left:E right:E", PAIR), ("a", A)]):
        parser = parser_of(grammar_of([rule("E", *rules)], "a"))
        assert not isinstance(parser.parse("a" * 60), Refused)
        refused = parser.parse("a" * 61)
        assert isinstance(refused, Refused)
        assert (refused.by, refused.span) == ("tokens", Span(60, 61))
        assert refused.message.startswith("a text is read up to 60 ")


def operator(fixity: str, text: str, made: Constructor) -> Operator:
    sign = Item(Quoted(text))
    row = [sign, Item(Operand(), 0)] if fixity == "prefix" else [Item(Operand(), 0), sign]
    if fixity not in ("prefix", "postfix"):
        row.append(Item(Operand(), 1))
    return Operator(fixity, tuple(row), fields_of(made), NOWHERE)  # type: ignore[arg-type]


def table(*levels: tuple[Operator, ...]) -> Grammar:
    rules: list[Rule | OperatorTable] = [
        OperatorTable("E", "E", levels, "T", NOWHERE),
        rule("T", ("a", A), ("( E )", None)),
    ]
    signs = [i.symbol for level in levels for op in level for i in op.row]
    literals = {sign.text: None for sign in signs if isinstance(sign, Quoted)}
    return grammar_of(rules, " ".join([*literals, "a", "(", ")"]))


def shape(grammar: Grammar, text: str) -> str:
    """A parsed text with all parentheses written."""
    parsed = EarleyParser(grammar).parse(text)
    if not isinstance(parsed, Parsed):
        return type(parsed).__name__

    def show(node: Node) -> str:
        names = {20: "a", 22: "({} {})", 23: "({}!)", 24: "(~{})"}
        return names[node[0]].format(*map(show, node[FIELDS:]))

    return show(parsed.term)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("a+a+a", "((a a) a)"),
        ("a+~a+a", "(a (~(a a)))"),
        ("~a+a", "(~(a a))"),
        ("~~a", "(~(~a))"),
        ("(~a)+a", "((~a) a)"),
        ("a+(~a)+a", "((a (~a)) a)"),
    ],
)
def test_a_loose_prefix_may_begin_a_right_operand_and_reaches_far(text: str, expected: str) -> None:
    """~ is looser than +: worked out by hand from the rule for operator tables."""
    grammar = table((operator("prefix", "~", NOT),), (operator("left", "+", PAIR),))
    assert shape(grammar, text) == expected


@pytest.mark.parametrize(
    ("text", "expected"),
    [("~a+a", "(~(a a))"), ("a+~a+a", "(a (~(a a)))"), ("(~a)+a", "((~a) a)")],
)
def test_a_prefix_takes_infix_operators_of_its_own_level(text: str, expected: str) -> None:
    """With ~ and + in one level, what follows ~ belongs to it; nothing is ambiguous."""
    grammar = table((operator("left", "+", PAIR), operator("prefix", "~", NOT)))
    assert shape(grammar, text) == expected


@pytest.mark.parametrize(
    ("fixity", "expected"),
    [("left", "((a a) a)"), ("right", "(a (a a))"), ("nonassociative", "Refused")],
)
def test_associativity_says_how_equals_nest(fixity: str, expected: str) -> None:
    assert shape(table((operator(fixity, "+", PAIR),)), "a+a+a") == expected


def test_postfix_binds_its_own_level() -> None:
    grammar = table((operator("left", "+", PAIR),), (operator("postfix", "!", WRAP),))
    assert shape(grammar, "a+a!!") == "(a ((a!)!))"


LEVELS = st.permutations(
    [("left", "+", PAIR), ("right", "^", PAIR), ("prefix", "~", NOT), ("postfix", "!", WRAP)]
)


def all_terms(depth: int) -> list[Node]:
    if depth == 0:
        return [(20, None)]
    smaller = all_terms(depth - 1)
    result: list[Node] = [(20, None)]
    result += [(24, None, t) for t in smaller] + [(23, None, t) for t in smaller]
    result += [(22, None, x, y) for x in smaller for y in smaller]
    return result


@settings(max_examples=24)
@given(LEVELS)
def test_every_table_prints_what_it_reads(levels: list[tuple[str, str, Constructor]]) -> None:
    """All small terms under all orders of four operators: parse(print(t)) = t, never ambiguous."""
    picked = [operator(*entry) for entry in levels if entry[1] != "^"]
    grammar = table(*((one,) for one in picked))
    printer, parser = Printer(grammar), EarleyParser(grammar)
    for term in all_terms(2):
        text = printer.show(term).text
        parsed = parser.parse(text.replace(" ", ""))
        assert isinstance(parsed, Parsed), text
        assert same(parsed.term, term), text


@pytest.mark.parametrize("name", ["Drip", "Rill", "Weir", "Mere"])
@given(data=st.data())
@settings(max_examples=40)
def test_every_shipped_language_reads_back_what_it_prints(
    lockside: Course, data: st.DataObject, name: str
) -> None:
    language = lockside.languages[name]
    grammar = language.grammar
    assert grammar is not None
    sort = "Stmt" if name == "Weir" else "Expr"
    term = data.draw(terms(language.signature, sort, 4, ("x", "y")))
    start = "Stmt" if name == "Weir" else None
    for width, bracketed in ((None, False), (30, False), (None, True)):
        printer = Printer(grammar, bracketed=bracketed)
        printed = printer.show(term, start, width=width).text
        if "‹" in printed:
            continue  # what no program writes stands in marks
        parsed = parser_of(grammar).parse(printed, start)
        assert isinstance(parsed, Parsed), printed
        assert same(parsed.term, floats(term) if name == "Mere" else term), printed


def floats(value: Any) -> Any:
    """The same term with every number as a float."""
    if isinstance(value, tuple):
        return (value[0], None, *map(floats, value[FIELDS:]))
    exact = isinstance(value, int | Fraction) and not isinstance(value, bool)
    return float(value) if exact else value


def test_what_a_dangling_part_would_change_is_printed_in_marks(lockside: Course) -> None:
    grammar = lockside.languages["Weir"].grammar
    assert grammar is not None
    inner = "when false do show 1"
    for text in (f"when true do {inner} otherwise show 2", f"when true do {{{inner}}} otherwise "
                 "show 2", f"when true do {inner}; show 3"):  # fmt: skip
        parsed = parser_of(grammar).parse(text)
        assert isinstance(parsed, Parsed)
        assert Printer(grammar).show(parsed.term).text == text
    outer = parser_of(grammar).parse(f"when true do {{{inner}}} otherwise show 2")
    assert isinstance(outer, Parsed)
    branch = outer.term[FIELDS][FIELDS]
    block = branch[FIELDS + 1]
    bare = block[FIELDS][FIELDS]
    dangling = (*branch[: FIELDS + 1], bare, branch[FIELDS + 2])
    shown = Printer(grammar).show(dangling, "Stmt").text
    assert shown == "when true do ‹Branch(false, show 1, ‹[]›)› otherwise show 2"


def test_the_shortest_way_to_a_form_is_printed() -> None:
    """Where a rule offers brackets first, they are still left out."""
    rules: list[Rule | OperatorTable] = [
        rule("E", ("( F )", None), ("F", None)), rule("F", ("a", A)),
    ]  # fmt: skip
    assert Printer(grammar_of(rules, "( ) a")).show((20, None)).text == "a"


def test_deep_nesting_is_read_and_printed(lockside: Course) -> None:
    """Parentheses, signs and lets nested thousands deep neither crash nor change."""
    grammar = lockside.languages["Drip"].grammar
    assert grammar is not None
    parser, printer = EarleyParser(grammar), Printer(grammar)
    deep = 8_000
    assert isinstance(parser.parse("(" * deep + "1" + ")" * deep), Parsed)
    signs = parser.parse("-" * deep + "1")
    assert isinstance(signs, Parsed)
    assert printer.show(signs.term, most=10**9).text == "-" * deep + "1"
    lets = "let x = 1 in " * 1_000 + "x"
    parsed = parser.parse(lets)
    assert isinstance(parsed, Parsed)
    assert printer.show(parsed.term, most=10**9).text == lets


def test_what_no_token_writes_stands_in_marks(lockside: Course) -> None:
    grammar = lockside.languages["Drip"].grammar
    assert grammar is not None
    printer = Printer(grammar)
    names = lockside.languages["Drip"].signature.by_name
    three: Node = (names["Lit"].tag, None, -3)
    assert printer.show((names["Neg"].tag, None, three)).text == "-‹-3›"
    assert printer.show((names["Var"].tag, None, "let")).text == "‹let›"


def test_the_focus_of_a_printed_term_is_found_by_its_path(lockside: Course) -> None:
    grammar = lockside.languages["Drip"].grammar
    assert grammar is not None
    parsed = EarleyParser(grammar).parse("(1 + 2) * (3 - 4)")
    assert isinstance(parsed, Parsed)
    printed = Printer(grammar).show(parsed.term, focus=(1, 0))
    assert printed.focus is not None
    assert printed.text[printed.focus.start : printed.focus.end] == "3"
    whole = Printer(grammar).show(parsed.term, focus=(1,))
    assert whole.focus is not None
    assert whole.text[whole.focus.start : whole.focus.end] in ("3 - 4", "(3 - 4)")
