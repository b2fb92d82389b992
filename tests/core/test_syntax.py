"""Grammars written in the notation, held against oracles that nobody here wrote."""

from __future__ import annotations

import ast
import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.brix.core import Language
from embrix.brix.language import check_language
from embrix.brix.reader import read_definition
from embrix.brix.syntax import LanguageSyntax
from embrix.grammar.earley import EarleyParser
from embrix.grammar.lr import TableParser, parser_of
from embrix.grammar.parser import Ambiguous, Parsed, Refused
from embrix.grammar.printing import Printer
from embrix.terms.node import FIELDS, NONE, SOME, Node, list_items, same
from embrix.text.diagnostic import Findings
from embrix.text.source import Source
from tests.strategies import terms


def language(text: str) -> Language:
    findings = Findings()
    syntax = read_definition(Source("made.brix", text), findings)
    assert isinstance(syntax, LanguageSyntax)
    checked = check_language(syntax, findings)
    assert findings.sorted() == (), [d.message for d in findings.sorted()]
    assert checked.grammar is not None
    return checked


JSON = r"""language Json
tokens
  text    /"([^"\\\u{0}-\u{1f}]|\\(["\\\/bfnrt]|u[0-9a-fA-F]{4}))*"/   as Text
  number  /-?(0|[1-9]\d*)(\.\d+)?([eE][+\-]?\d+)?/                     as Text
  skip    /[ \t\r\n]+/
forms Value
  Object(members: List[Member])
  Array(items: List[Value])
  Text(t: Text)
  Number(n: Text)
  True
  False
  Null
forms Member
  Pair(key: Text, value: Value)
grammar
  start Value
  Value ::=
    | "{" members:list(Member, ",") "}"   makes Object
    | "[" items:list(Value, ",") "]"      makes Array
    | t:text                              makes Text
    | n:number                            makes Number
    | "true"                              makes True
    | "false"                             makes False
    | "null"                              makes Null
  Member ::= key:text ":" value:Value     makes Pair
"""


@pytest.fixture(scope="session")
def json_language() -> Language:
    return language(JSON)


def from_tree(lang: Language, node: Any) -> Any:
    name = lang.signature.by_tag[node[0]].name
    fields = node[FIELDS:]
    match name:
        case "Object":
            return [
                ("pair", json.loads(m[2]), from_tree(lang, m[3])) for m in list_items(fields[0])
            ]
        case "Array":
            return ["array", *(from_tree(lang, item) for item in list_items(fields[0]))]
        case "Text" | "Number":
            return json.loads(fields[0])
    return {"True": True, "False": False, "Null": None}[name]


def by_python(text: str) -> Any:
    def refuse(word: str) -> Any:
        raise ValueError(word)

    def pairs(found: list[tuple[str, Any]]) -> Any:
        return [("pair", k, v) for k, v in found] or ("empty",)

    def deep(value: Any) -> Any:
        if value == ("empty",):
            return []
        if isinstance(value, list):
            if value and isinstance(value[0], tuple) and value[0][0] == "pair":
                return [("pair", k, deep(v)) for _, k, v in value]
            return ["array", *map(deep, value)]
        return value

    return deep(json.loads(text, parse_constant=refuse, object_pairs_hook=pairs))


DOCUMENTS = st.recursive(
    st.none() | st.booleans() | st.integers(-99, 99) | st.floats(allow_nan=False,
                                                                  allow_infinity=False)
    | st.text(max_size=5),
    lambda inner: st.lists(inner, max_size=3)
    | st.dictionaries(st.text(max_size=3), inner, max_size=3),
    max_leaves=8,
)  # fmt: skip


@given(DOCUMENTS, st.sampled_from([None, 1]), st.booleans())
def test_json_documents_are_read_as_python_reads_them(
    json_language: Language, document: Any, indent: int | None, escapes: bool
) -> None:
    text = json.dumps(document, indent=indent, ensure_ascii=escapes)
    assert json_language.grammar is not None
    parsed = EarleyParser(json_language.grammar).parse(text)
    assert isinstance(parsed, Parsed), text
    assert from_tree(json_language, parsed.term) == by_python(text)


@given(DOCUMENTS, st.data())
def test_damaged_json_is_refused_where_python_refuses_it(
    json_language: Language, document: Any, data: st.DataObject
) -> None:
    """One character taken out, put in or replaced: both accept, or both refuse."""
    text = json.dumps(document)
    at = data.draw(st.integers(0, len(text)))
    junk = data.draw(
        st.sampled_from(["", ",", "]", "}", "0", "-", '"', "\\", "e", ".", "tru", ":"])
    )
    text = text[:at] + junk + text[at + data.draw(st.integers(0, 1)) :]
    assert json_language.grammar is not None
    accepted = isinstance(EarleyParser(json_language.grammar).parse(text), Parsed)
    try:
        by_python(text)
        expected = True
    except ValueError:
        expected = False
    assert accepted == expected, text


PYTHON = r"""language Python
numbers integer
tokens
  number  /\d+/       as Number
  skip    / +/
forms Expr
  Num(n: Number)
  Binary(op: Text, left: Expr, right: Expr)
  Unary(op: Text, arg: Expr)
  Not(arg: Expr)
grammar
  start Expr
  operators Expr : Expr
    prefix          "not" makes Not
    nonassociative  "<" makes Binary("<", left, right)   "==" makes Binary("==", left, right)
    left            "+" makes Binary("+", left, right)   "-" makes Binary("-", left, right)
    left            "*" makes Binary("*", left, right)   "/" makes Binary("/", left, right)
                    "//" makes Binary("//", left, right) "%" makes Binary("%", left, right)
    prefix          "-" makes Unary("-", arg)            "+" makes Unary("+", arg)
    right           "**" makes Binary("**", left, right)
    operand Atom
  Atom : Expr ::= n:number makes Num | "(" Expr ")"
"""


@pytest.fixture(scope="session")
def python_language() -> Language:
    return language(PYTHON)


_OPERATORS = {
    ast.Add: "+", ast.Sub: "-", ast.Mult: "*", ast.Div: "/", ast.FloorDiv: "//", ast.Mod: "%",
    ast.Pow: "**", ast.Lt: "<", ast.Eq: "==", ast.USub: "-", ast.UAdd: "+",
}  # fmt: skip


def python_tree(node: ast.expr) -> Any:
    match node:
        case ast.Constant(value):
            return ("Num", value)
        case ast.BinOp(left, op, right):
            return ("Binary", _OPERATORS[type(op)], python_tree(left), python_tree(right))
        case ast.Compare(left, [op], [right]):
            return ("Binary", _OPERATORS[type(op)], python_tree(left), python_tree(right))
        case ast.UnaryOp(ast.Not(), operand):
            return ("Not", python_tree(operand))
        case ast.UnaryOp(op, operand):
            return ("Unary", _OPERATORS[type(op)], python_tree(operand))
    raise AssertionError(ast.dump(node))


def our_tree(lang: Language, node: Any) -> Any:
    if not isinstance(node, tuple):
        return node
    return (lang.signature.by_tag[node[0]].name, *(our_tree(lang, c) for c in node[FIELDS:]))


SUMS = st.recursive(
    st.sampled_from(["1", "2", "30"]),
    lambda inner: (
        st.tuples(inner, st.sampled_from(["+", "-", "*", "/", "//", "%", "**"]), inner).map(
            " ".join
        )
        | inner.map("({})".format)
        | inner.map("-{}".format)
        | inner.map("+{}".format)
    ),
    max_leaves=10,
)
CONDITIONS = st.one_of(
    SUMS,
    st.tuples(SUMS, st.sampled_from(["<", "=="]), SUMS).map(" ".join),
    st.tuples(SUMS, st.sampled_from(["<", "=="]), SUMS).map(" ".join).map("not {}".format),
    SUMS.map("not not {}".format),
    SUMS.map("1 + (not {})".format),
)


@given(CONDITIONS)
def test_expressions_nest_as_in_python(python_language: Language, text: str) -> None:
    """Seven ranks, power to the right, signs between: the trees are those of Python's parser."""
    assert python_language.grammar is not None
    parsed = EarleyParser(python_language.grammar).parse(text)
    assert isinstance(parsed, Parsed), text
    expected = python_tree(ast.parse(text, mode="eval").body)
    assert our_tree(python_language, parsed.term) == expected


QUAY = r"""language Quay
tokens
  name    /[a-z]+/    as Name
  number  /[0-9]+/    as Number
  skip    /[ \n]+/
forms Stmt
  Say(items: List[Expr])
  When(test: Expr, yes: Stmt, no: Maybe[Stmt])
  Block(body: List[Stmt])
  Take(x: Name, count: Number, from: Maybe[Expr])
  Moor(sign: Maybe[Text], names: List[Expr])
  Nothing
forms Expr
  Var(x: Name)
  Lit(n: Number)
  Pick(test: Expr, yes: Expr, no: Expr)
  Call(callee: Expr, arg: Expr)
  Sub(left: Expr, right: Expr)
  Neg(arg: Expr)
grammar
  start Stmt, Expr
  Stmt ::=
    | "say" items:list1(Expr, ",")                          makes Say
    | "when" test:Expr "do" yes:Stmt no:Else? greedy        makes When
    | "{" body:Body "}"                                     makes Block
    | "take" x:name n:number? from:From?                    makes Take(x, n otherwise 1, from)
    | "skip"                                                makes Nothing
    | "twice" s:Stmt                                        makes Block([s, s])
    | "moor" sign:"!"? names:Var+                           makes Moor
  Else : Stmt ::= "else" Stmt
  From : Expr ::= "from" Expr
  Body : List[Stmt] ::= list(Stmt, ";")
  Var : Expr ::= x:name makes Var
  operators Expr : Expr
    right  test "?" yes:Expr ":" no       makes Pick
    left   "-"                            makes Sub
    prefix "-"                            makes Neg
    left   callee juxtaposed arg          makes Call
    operand Atom
  Atom : Expr ::= Var | n:number makes Lit | "(" Expr ")"
"""


@pytest.fixture(scope="session")
def quay() -> Language:
    return language(QUAY)


def structure(lang: Language, node: Any) -> str:
    if not isinstance(node, tuple):
        return str(node)
    form = lang.signature.by_tag.get(node[0])
    if form is None:
        if node[0] == NONE:
            return "None"
        if node[0] == SOME:
            return f"Some({structure(lang, node[2])})"
        return "[" + ", ".join(structure(lang, item) for item in list_items(node)) + "]"
    inside = ", ".join(structure(lang, c) for c in node[FIELDS:])
    return f"{form.name}({inside})" if inside else form.name


SENTENCES = [
    ("say a, 1", "Say([Var(a), Lit(1)])"),
    ("{}", "Block([])"),
    ("{ skip }", "Block([Nothing])"),
    ("{ skip; say a }", "Block([Nothing, Say([Var(a)])])"),
    ("{ skip; }", None),
    ("say", None),
    ("when a do when b do skip else say c",
     "When(Var(a), When(Var(b), Nothing, Some(Say([Var(c)]))), None)"),
    ("when a do { when b do skip } else say c",
     "When(Var(a), Block([When(Var(b), Nothing, None)]), Some(Say([Var(c)])))"),
    ("take x", "Take(x, 1, None)"),
    ("take x 3 from y", "Take(x, 3, Some(Var(y)))"),
    ("take x from y", "Take(x, 1, Some(Var(y)))"),
    ("twice skip", "Block([Nothing, Nothing])"),
    ("moor a b", "Moor(None, [Var(a), Var(b)])"),
    ("moor ! a", "Moor(Some(!), [Var(a)])"),
    ("moor !", None),
    ("a ? b : c ? d : e", "Pick(Var(a), Var(b), Pick(Var(c), Var(d), Var(e)))"),
    ("a ? b - c : d", "Pick(Var(a), Sub(Var(b), Var(c)), Var(d))"),
    ("f a b", "Call(Call(Var(f), Var(a)), Var(b))"),
    ("f a - g b", "Sub(Call(Var(f), Var(a)), Call(Var(g), Var(b)))"),
    ("f - a", "Sub(Var(f), Var(a))"),
    ("f (- a)", "Call(Var(f), Neg(Var(a)))"),
    ("- f a", "Neg(Call(Var(f), Var(a)))"),
    ("f a - - b", "Sub(Call(Var(f), Var(a)), Neg(Var(b)))"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "expected"), SENTENCES)
def test_a_sentence_has_the_tree_worked_out_by_hand(
    quay: Language, text: str, expected: str | None
) -> None:
    """Lists, optional parts, defaults, the dangling else, rows of operators, juxtaposition."""
    assert quay.grammar is not None
    parsed = EarleyParser(quay.grammar).parse(text)
    if expected is None:
        assert isinstance(parsed, Refused)
    else:
        assert isinstance(parsed, Parsed), parsed
        assert structure(quay, parsed.term) == expected


def test_without_greedy_the_dangling_else_is_ambiguous() -> None:
    loose = language(QUAY.replace(" greedy", "       "))
    assert loose.grammar is not None
    found = EarleyParser(loose.grammar).parse("when a do when b do skip else say c")
    assert isinstance(found, Ambiguous)
    assert {structure(loose, tree) for tree in found.trees} == {
        "When(Var(a), When(Var(b), Nothing, Some(Say([Var(c)]))), None)",
        "When(Var(a), When(Var(b), Nothing, None), Some(Say([Var(c)])))",
    }


@given(data=st.data())
def test_printed_sentences_are_read_back(quay: Language, data: st.DataObject) -> None:
    """parse(print(t)) = t with lists, options and juxtaposition; where no sentence derives a
    term, the print says so with marks."""
    grammar = quay.grammar
    assert grammar is not None
    sort = data.draw(st.sampled_from(["Stmt", "Expr"]))
    term: Node = data.draw(terms(quay.signature, sort, 4))
    text = Printer(grammar).show(term).text
    if "‹" in text:
        return
    parsed = EarleyParser(grammar).parse(text)
    read_back = isinstance(parsed, Parsed) and same(parsed.term, term)
    # No sentence derives a When without `else` in front of one: then nothing is promised.
    assert read_back or text.count("when") > 1, text


def test_the_language_is_printed_as_it_is_written(quay: Language) -> None:
    assert quay.grammar is not None
    for text in ("take x", "take x from y", "{skip; say a, 1}", "f a (g b) - -1", "moor ! a b"):
        parsed = EarleyParser(quay.grammar).parse(text)
        assert isinstance(parsed, Parsed)
        shown = Printer(quay.grammar).show(parsed.term).text
        assert shown.replace(" ", "") == text.replace(" ", ""), shown


WORDS = {
    "Quay": ["say", "when", "do", "else", "{", "}", ";", "take", "from", "skip", "a", "b", "1", ",",
             "?", ":", "-", "(", ")", "moor", "!", "twice"],
    "Python": ["1", "2", "+", "-", "*", "**", "//", "%", "(", ")", "<", "==", "not"],
    "Json": ["{", "}", "[", "]", ",", ":", "1", '"a"', "true", "null"],
}  # fmt: skip


@given(data=st.data())
def test_tables_and_the_general_parser_agree(
    quay: Language, python_language: Language, json_language: Language, data: st.DataObject
) -> None:
    """On any row of words both give the same tree, or refuse at the same place."""
    lang = data.draw(st.sampled_from([quay, python_language, json_language]))
    grammar = lang.grammar
    assert grammar is not None
    assert isinstance(parser_of(grammar), TableParser)
    words = data.draw(st.lists(st.sampled_from(WORDS[lang.name]), max_size=9))
    text = " ".join(words)
    general, tables = EarleyParser(grammar).parse(text), TableParser(grammar).parse(text)
    assert type(general) is type(tables), text
    if isinstance(general, Parsed) and isinstance(tables, Parsed):
        assert general.term == tables.term  # with places
    if isinstance(general, Refused) and isinstance(tables, Refused):
        assert (general.span, general.expected) == (tables.span, tables.expected)
