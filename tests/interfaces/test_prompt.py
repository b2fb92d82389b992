"""The prompt: entries over several lines, the unread rest, questions, and surviving everything."""

from __future__ import annotations

import io
import re
import sys
from pathlib import Path

import pytest

from embrix.cli.main import main
from tests.interfaces.test_cli import BARE

ENDS_HERE = "rejected: the program ends here, but `-`, `(`, a number or a name could stand here"

LESSON: list[tuple[str, list[str]]] = [
    # what is typed, what must be answered
    ("let x = 2 in\nx * 3", ["6"]),
    ("2 + 2 3 * 3", ["4", "(kept: 3 * 3)", "9"]),
    (
        "1 +\n",
        [ENDS_HERE],
    ),
    ("1 $ 2", ["rejected: no token begins with `$`"]),
    ("1 / 0\n2", ["DivisionByZero: division by zero", "2"]),
    ("(1 + 2) * 3\n?term", ["9", "(1 + 2) * 3"]),
    ("7\n?tree", ["7", "Lit n 7"]),
    ("1 + 2 * 3 - 4\n?brackets", ["3", "(1 + (2 * 3)) - 4"]),
    (
        "-x\n?json",
        [
            '[{"depth": 0, "field": "", "form": "Neg", "leaves": "", "place": [0, 2]}, '
            '{"depth": 1, "field": "arg", "form": "Var", "leaves": "x x", '
            '"place": [1, 2]}]'
        ],
    ),
    (
        "?echo tree brackets\n1 + 1\n?echo none\n2",
        [
            "after every entry: tree, brackets",
            "Add",
            "1 + 1",
            "2",
            "nothing is shown besides the result",
            "2",
        ],
    ),
    ("?echo trees", ["trees cannot be shown; did you mean tree?"]),
    ("?with rewriting\n1 + 2\n?steps", ["3", "1 + 2", "3"]),
    ("?wiht", ["?wiht is no question; did you mean with?"]),
    ("?rule Atom\n1 + 1", ["Lit n 1", "(kept: + 1)"]),
    ("?rule Atoms", ["no rule is called Atoms; did you mean Atom?"]),
    ("12 x", ["12", "(kept: x)", "Unbound: nothing called x is in scope"]),
    ("# nothing here\n?tokens", []),
    ("1 +", [ENDS_HERE]),
]


@pytest.mark.parametrize(("typed", "answers"), LESSON)
def test_the_prompt_answers(
    typed: str,
    answers: list[str],
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """Each answer comes in its order; the prompt goes on to the end of its input."""
    monkeypatch.setattr(sys, "stdin", io.StringIO(typed + "\n?with nobody\n"))
    assert main(["repl"]) == 0
    lines = [line for line in capsys.readouterr().out.splitlines() if "│" not in line]
    assert "no lane is called nobody: by_name, environment, rewriting" in " ".join(lines)
    found = iter(lines)
    for answer in answers:
        assert any(line == answer for line in found), (answer, lines)


def test_the_commands_for_syntax(capsys: pytest.CaptureFixture[str]) -> None:
    """`parse` prints trees and steps, `grammar` verdicts and standard notations."""
    assert main(["parse", "-e", "1 - 2 - 3"]) == 0
    assert capsys.readouterr().out.splitlines() == [
        "Sub", "  left Sub", "    left Lit n 1", "    right Lit n 2", "  right Lit n 3",
    ]  # fmt: skip
    assert main(["parse", "-e", "-1", "--shifts"]) == 0
    shifts = [line.strip() for line in capsys.readouterr().out.splitlines()[1::2]]
    assert shifts == [
        "read -", "read 1", "end Atom → number", "end Sum₄ → Atom", "end Sum₃ → Sum₄",
        "end Sum₃ → `-` Sum₃", "end Sum₂ → Sum₃", "end Sum → Sum₂", "end Expr → Sum", "accepted",
    ]  # fmt: skip
    assert main(["parse", "-e", "1 -"]) == 3
    assert main(["parse", "-e", "1", "--descent"]) == 2
    assert "is not LL(1)" in capsys.readouterr().err
    assert main(["grammar", "Drip", "--ebnf", "w3c"]) == 0
    assert capsys.readouterr().out.splitlines() == [
        'Expr ::= "let" name "=" Expr "in" Expr | Sum',
        'Sum ::= Sum-2 | Sum "+" Sum-2 | Sum "-" Sum-2',
        'Sum-2 ::= Sum-3 | Sum-2 "*" Sum-3 | Sum-2 "/" Sum-3',
        'Sum-3 ::= Sum-4 | "-" Sum-3',
        "Sum-4 ::= Atom",
        'Atom ::= number | name | "(" Expr ")"',
        "number ::= [#x30-#x39]+ (#x2E [#x30-#x39]+)?",
        "name ::= [#x5F#x61-#x7A] [#x30-#x39#x5F#x61-#x7A]*",
        "/* skipped between tokens: [ \\t\\r\\n]+ */",
        "/* skipped between tokens: #[^\\n]* */",
    ]
    assert main(["grammar"]) == 0
    assert "LALR(1)    yes" in capsys.readouterr().out
    assert main(["grammar", "--sets", "--items"]) == 0
    printed = capsys.readouterr().out
    assert "      first  `-`, `(`, number, name\n" in printed
    assert "Sum₃ → `-` • Sum₃" in printed


NOTES = """\
language Notes
  extension "notes"
numbers integer
tokens
  number /[0-9]+/ as Number
  name   /[a-z]+/ as Name
  skip   / +/
forms Line
  Put(x: Name, e: Sum)
  Say(e: Sum)
forms Sum
  Num(n: Number)
  Get(x: Name)
  Plus(a: Sum, b: Sum)
grammar
  start Line
  Line ::= x:name "=" e:Sum makes Put | e:Sum makes Say
  operators Sum : Sum
    left "+" makes Plus
    operand Part
  Part : Sum ::= n:number makes Num | x:name makes Get
error Nothing(x: Name) "{x} holds nothing"
error Same(n: Number) "{n} once more"
"""
HOLDING = """\
interpreter holding for Notes
judgement line "{held}, {l} ⇒ {gave}, {after}, {seen2}" gives (gave, after, seen2)
main run
define run(l: Line, given: List[(Name, Number)], held: Map[Name, Number], seen: Set[Number]) ->
    (Number, Map[Name, Number], Set[Number])
  line(l, held, seen)
define line(l: Line, held: Map[Name, Number], seen: Set[Number]) ->
    (Number, Map[Name, Number], Set[Number]) by l
  Put(x, e)  =>
    let n = worth(e, held)
    (n, held with x = n, seen)
  Say(e)     =>
    let n = worth(e, held)
    require not has(seen, n) else fail Same(n)
    (n, held, added(seen, n))
define worth(e: Sum, held: Map[Name, Number]) -> Number by e
  Num(n)      => n
  Get(x)      => held[x] otherwise fail Nothing(x)
  Plus(a, b)  => worth(a, held) + worth(b, held)
"""


def test_an_entry_begins_with_what_the_one_before_has_left(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """Names and what was said stay; a failure leaves them as they were; a word forgets them."""
    (tmp_path / "notes.brix").write_text(NOTES)
    (tmp_path / "holding.brix").write_text(re.sub(r" ->\n +", " -> ", HOLDING))
    monkeypatch.chdir(tmp_path)
    typed = ["?state", "a = 2", "b = a + 3", "b + a", "?steps", "c + 1", "7", "a = 9 + zz",
             "?state", "?reset", "a", "?state"]  # fmt: skip
    monkeypatch.setattr(sys, "stdin", io.StringIO("\n".join(typed) + "\n"))
    assert main(["repl"]) == 0
    lines = [one for one in capsys.readouterr().out.splitlines() if "│" not in one]
    assert lines == [
        "nothing yet", "2", "5", "7",
        "a ↦ 2, b ↦ 5, b + a ⇒ 7, a ↦ 2, b ↦ 5, {7}",
        "Nothing: c holds nothing", "Same: 7 once more", "Nothing: zz holds nothing",
        "a ↦ 2, b ↦ 5", "{7}", "the next entry begins anew", "Nothing: a holds nothing",
        "nothing yet",
    ]  # fmt: skip
    assert main(["run", "-e", "a"]) == 1


def test_what_a_run_takes_up_is_of_the_types_of_what_it_leaves(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "notes.brix").write_text(NOTES)
    wrong = re.sub(r" ->\n +", " -> ", HOLDING).replace(
        "seen: Set[Number]) -> (N", "seen: Int) -> (N"
    )
    (tmp_path / "holding.brix").write_text(wrong)
    monkeypatch.chdir(tmp_path)
    assert main(["check"]) == 4
    assert "run cannot run programs" in capsys.readouterr().out


def test_the_prompt_of_a_language_of_tokens_alone(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "course.toml").write_text('title = "bare"\n')
    (tmp_path / "bare.brix").write_text(BARE)
    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr("sys.stdin", io.StringIO("1 22\n3 x\n"))
    assert main(["repl"]) == 0
    out = capsys.readouterr().out
    rows = [line.split() for line in out.splitlines()]
    assert rows[:3] == [["1:1", "number", "1"], ["1:3", "number", "22"], ["1:1", "number", "3"]]
    assert "no token begins with `x`" in out
    assert out.count("rejected") == 1
