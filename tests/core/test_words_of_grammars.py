"""Messages about a text that cannot be read, and about a grammar, in the words of its author."""

from __future__ import annotations

import pytest

from embrix.grammar.earley import EarleyParser
from embrix.grammar.model import Grammar
from embrix.grammar.parser import Refused
from embrix.grammar.report import report_on, report_text
from tests.conftest import shipped_session
from tests.core.test_syntax import language

COURSE = shipped_session().course


def invented(grammar: Grammar) -> set[str]:
    """The names of levels of operator tables, and of what repetitions are made of."""
    written = {name for symbol, name in grammar.names.items() if symbol not in grammar.owners}
    return {grammar.names[symbol] for symbol in grammar.owners} - written


@pytest.mark.parametrize("name", sorted(COURSE.languages))
def test_what_was_tried_is_told_in_the_words_of_the_grammar(name: str) -> None:
    grammar = COURSE.languages[name].grammar
    assert grammar is not None
    names = invented(grammar)
    assert names
    parser = EarleyParser(grammar)
    told = 0
    for path in COURSE.programs[name][:3]:
        text = path.read_text()[:300]
        for cut in range(0, len(text), 7):
            for broken in (text[:cut], f"{text[:cut]} ] {text[cut:]}"):
                found = parser.parse(broken)
                for row, _, why in found.reading if isinstance(found, Refused) else ():
                    told += 1
                    assert not [one for one in names if one in row or one in why], (row, why)
    assert told > 20
    for start in grammar.starts:
        reasons = report_on(grammar, start, length=3).ll1
        assert not [one for one in names for reason in reasons if one in reason], reasons


GATES = """\
language Gates
tokens
  number  /[0-9]+/   as Number
  name    /[a-z]+/   as Name
  skip    / +/
forms Board
  Board(items: List[Stmt])
forms Stmt
  Open(x: Name, args: List[Expr], last: Maybe[Expr])
  Block(items: List[Stmt])
forms Expr
  Lit(n: Number)
grammar
  start Board
  Board ::= items:Stmt* makes Board
  Stmt ::=
    | "open" x:name "(" args:list(Expr, ",") ")" last:Last? ";" makes Open
    | "{" items:Stmt+ "}" makes Block
  Last : Expr ::= "to" Expr
  Expr ::= n:number makes Lit
"""


def test_repetitions_are_iterations() -> None:
    grammar = language(GATES).grammar
    assert grammar is not None
    assert report_on(grammar, "Board").ll1 == ()
    found = EarleyParser(grammar).parse("open a (1,")
    assert isinstance(found, Refused)
    rows = [row for row, _, _ in found.reading]
    assert rows == [
        "list(Expr, `,`): one more `,` • Expr",
        "Stmt → `open` name `(` • list(Expr, `,`) `)` Last? `;`",
        "Expr → • number",
    ]


OPERATORS = """\
  Add(left: Expr, right: Expr)
  Neg(arg: Expr)
  Call(callee: Expr, arg: Expr)
grammar
"""


def test_the_levels_of_a_table_are_one_reason() -> None:
    text = GATES.replace("grammar\n", OPERATORS).replace(
        "  Expr ::= n:number makes Lit\n",
        """\
  operators Expr : Expr
    left    "+" makes Add
    prefix  "-" makes Neg
    left    callee juxtaposed arg makes Call
    operand Atom
  Atom : Expr ::= n:number makes Lit
""",
    )
    grammar = language(text).grammar
    assert grammar is not None
    lines = report_text(report_on(grammar, "Board"))
    reasons = [line.strip() for line in lines if "next, " in line]
    assert reasons == [
        "with `-` next, one token does not tell whether `+` or another Expr follows the first "
        "operand of Expr"
    ]
