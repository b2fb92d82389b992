"""The prompt: entries over several lines, the unread rest, questions, and surviving everything."""

from __future__ import annotations

import io
import sys

import pytest

from embrix.cli.main import main

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
