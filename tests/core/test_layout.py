"""Tokens by line ends and indentation, by functions, and what may not follow a token."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.brix.core import Language
from embrix.course.load import Course
from embrix.grammar.derivation import derivations
from embrix.grammar.ebnf import export
from embrix.grammar.layout import Layout
from embrix.grammar.lr import parser_of
from embrix.grammar.parser import Parsed
from embrix.grammar.printing import Printer
from embrix.lanes.inspection import look as look_at
from embrix.lanes.session import Session
from embrix.machine.conversions import convert_tokens
from embrix.terms.node import same
from tests.conftest import Maker
from tests.core.test_syntax import language, structure
from tests.strategies import terms

TALLY = r"""language Tally
  extension "tally"
tokens
  number /\d+/                  as Number   not before /[a-z_]/
  note   /"([^"\\\n]|\\.)*"/    as Text via unquote, quote
  flag   /yes|no/               as Bool via read_flag, write_flag
  name   /[a-z]+/               as Name
  skip   /[ \n]+/
  skip   /#[^\n]*/
  lines  newline indent dedent except inside "(" ")"

forms Prog
  Prog(body: List[Stmt])
forms Stmt
  Say(t: Text)
  Set(x: Name, n: Expr)
  Loop(n: Expr, body: List[Stmt])
  Mark(on: Bool)
forms Expr
  Lit(n: Number)
  Add(left: Expr, right: Expr)

define unquote(t: Text) -> Maybe[Text]
  let inner = part(t, 1, length(t) - 2)
  require not begins(inner, "!") else None
  Some(unescaped(characters(inner)))

define unescaped(ts: List[Text]) -> Text by ts
  ["\\", c, ..rest] => "{c}{unescaped(rest)}"
  [c, ..rest]       => "{c}{unescaped(rest)}"
  []                => ""

define quote(t: Text) -> Text
  let inner = replaced(replaced(t, "\\", "\\\\"), "\"", "\\\"")
  "\"{inner}\""

define read_flag(t: Text) -> Maybe[Bool]
  Some(t == "yes")

define write_flag(b: Bool) -> Text
  if b then "yes" else "no"

grammar
  start Prog
  Prog ::= body:Stmt* makes Prog
  Stmt ::=
    | "say" t:note newline                                    makes Say
    | x:name "=" n:Sum newline                                makes Set
    | "twice" n:Sum newline indent body:Stmt+ dedent          makes Loop
    | "mark" on:flag newline                                  makes Mark
  Sum : Expr ::= n:number makes Lit | "(" left:Sum "+" right:Sum ")" makes Add
"""


@pytest.fixture(scope="session")
def tally() -> Language:
    made = language(TALLY)
    convert_tokens(made)
    return made


def read(tally: Language, text: str) -> str:
    assert tally.grammar is not None
    parsed = parser_of(tally.grammar).parse(text)
    return structure(tally, parsed.term) if isinstance(parsed, Parsed) else parsed.message  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("", "Prog([])"),
        ("x = 1", "Prog([Set(x, Lit(1))])"),
        ("\n\n  x = 1\n\n  # nothing\n  y = 2\n", "Prog([Set(x, Lit(1)), Set(y, Lit(2))])"),
        ("twice 3\n  x = (1 +\n2)\ny = 1", "Prog([Loop(Lit(3), [Set(x, Add(Lit(1), Lit(2)))]), "
         "Set(y, Lit(1))])"),
        ("twice 1\n  twice 2\n      mark yes\n", "Prog([Loop(Lit(1), [Loop(Lit(2), "
         "[Mark(True)])])])"),
        (r'say "a\"b\\"', 'Prog([Say(a"b\\)])'),
        ("x = 12abc", "a number may not be followed directly by `a`"),
        ("x = 1\n  y = 2", "here is a line indented further, but `say`, `twice`, `mark`, a name or "
         "the end of the program could stand here"),
        ("twice 1\n    x = 1\n  y = 2",
         "this line is indented like none of the lines above that it could belong to"),
        ("twice 1\ny = 2", "`y`, but a line indented further could stand here"),
        ('say "!x"', '`"!x"` is no note: the function that reads it gives None'),
    ],
)  # fmt: skip
def test_lines_and_indentation_are_read(tally: Language, text: str, expected: str) -> None:
    assert read(tally, text) == expected


@given(data=st.data())
def test_any_term_is_printed_with_its_lines(tally: Language, data: st.DataObject) -> None:
    grammar = tally.grammar
    assert grammar is not None
    term = data.draw(terms(tally.signature, "Prog", 4))
    printed = Printer(grammar).show(term).text
    if "‹" in printed or '"!' in printed:
        return  # a negative number, an empty block: no program holds these
    parsed = parser_of(grammar).parse(printed)
    assert isinstance(parsed, Parsed), printed
    assert same(parsed.term, term)


def test_every_node_of_a_derivation_covers_its_slice(tally: Language) -> None:
    grammar = tally.grammar
    assert grammar is not None
    text = 'twice 2\n  x = (1 + 2)\nsay "a"\n'
    (tree,) = derivations(grammar, text)
    nodes = [tree]
    for node in nodes:
        nodes += node.parts
    pieces = [(node.name, text[node.start : node.end]) for node in nodes if not node.is_token]
    assert pieces == [
        ("Prog", 'twice 2\n  x = (1 + 2)\nsay "a"'),
        ("Stmt", "twice 2\n  x = (1 + 2)"),
        ("Stmt", 'say "a"'),
        ("Sum", "2"),
        ("Stmt", "x = (1 + 2)"),
        ("Sum", "(1 + 2)"),
        ("Sum", "1"),
        ("Sum", "2"),
    ]


@given(st.lists(st.tuples(st.integers(0, 6), st.sampled_from("ab")), max_size=12))
def test_indents_and_dedents_balance(lines: list[tuple[int, str]]) -> None:
    """Whatever the indentation, every block that is opened is closed, and depth never falls below
    the first line's unless that is reported."""
    text = "\n".join(" " * indent + word for indent, word in lines)
    starts = []
    at = 0
    for indent, _ in lines:
        starts.append((9, at + indent, at + indent + 1))
        at += indent + 2
    found, strange = Layout(0, 1, 2).add(text, starts)
    depth = 0
    for terminal, _, _ in found:
        depth += {1: 1, 2: -1}.get(terminal, 0)
        assert depth >= 0
    assert depth == 0
    assert sum(terminal == 0 for terminal, _, _ in found) == len(lines)
    if lines and all(indent >= lines[0][0] for indent, _ in lines):
        levels: list[int] = []
        for indent, _ in lines:
            while levels and levels[-1] > indent:
                levels.pop()
            if not levels or levels[-1] < indent:
                known = not levels or indent > levels[-1]
                levels.append(indent)
                assert known
    assert len(strange) <= len(lines)


WRONG_TOKENS = [
    ("via unquote, quote", "via unquot, quote", "unknown_name", "unquot"),
    ("via unquote, quote", "via quote, unquote", "type_mismatch", "quote must be a function"),
    ("not before /[a-z_]/", "not before /[a-z]+/", "bad_pattern", "single character"),
    ("lines  newline indent dedent", "lines  newline indent", "wrong_number", "`lines`"),
    ('except inside "(" ")"', 'except inside "<" ">"', "unknown_rule", "<"),
    ("lines  newline", "lines  name", "declared_twice", "name"),
    ("as Bool via", "as Expr via", "type_mismatch", "Expr"),
]


@pytest.mark.parametrize(("old", "new", "code", "text"), WRONG_TOKENS)
def test_faults_in_tokens_are_found(
    make_course: Maker, old: str, new: str, code: str, text: str
) -> None:
    assert old in TALLY
    found = make_course(tally=TALLY.replace(old, new, 1)).diagnostics
    assert any(d.code == code and text in d.message for d in found), [
        (d.code, d.message) for d in found
    ]


def test_the_token_table_tells_what_a_token_is_read_as(make_course: Maker) -> None:
    course = make_course(tally=TALLY)
    text = 'say "a\\"b"\nx = 007\nmark yes'
    look = look_at(Session(course.folder), "Tally", text)
    assert {text[int(at) :][:3]: value for at, value in look.values.items()} == {
        '"a\\': '"a"b"', "007": "7", "yes": "true",
    }  # fmt: skip


def test_layout_tokens_and_many_levels_are_exported(tally: Language, lockside: Course) -> None:
    assert tally.grammar is not None
    lines = export(tally.grammar, "iso")
    assert "newline = ? the end of a line ? ;" in lines
    assert any(line.startswith("Stmt = ") and "indent, Stmt, { Stmt }, dedent" in line
               for line in lines)  # fmt: skip
    mere = lockside.languages["Mere"].grammar
    assert mere is not None
    assert "Sum-10 = Atom ;" in export(mere, "iso")
