"""From an empty folder, only inside the workbench and in a real terminal: an own language, two
interpreters, a suite of eight cases; broken in five ways and mended by its own offers."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.interfaces.test_terminal import Terminal

pytestmark = pytest.mark.terminal


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Terminal]:
    folder = tmp_path / "course"
    folder.mkdir()
    found = Terminal(f"{sys.executable} -m embrix", folder, 140, 44)
    yield found
    found.close()


def lane(screen: str, name: str) -> str:
    """The line of a lane, in the right half of the screen."""
    rows = (line[75:] for line in screen.splitlines())
    return next((row for row in rows if f" {name} " in row), "")


def asked_what(desk: Terminal) -> None:
    """The question for the text to search for."""
    desk.keys("M-t")
    desk.until(lambda s: "text to replace it with" in s, "the question")


def text_to(desk: Terminal, what: str) -> None:
    """Go to where something stands in the file beside the program."""
    asked_what(desk)
    desk.type(what)
    desk.until(lambda s: "1 place" in s, f"the place of {what}")
    desk.keys("Enter")
    desk.until(lambda s: "text to replace it with" not in s, "the place")


def replaced(desk: Terminal, what: str, by: str) -> None:
    """Put a text in place of another in the file beside the program."""
    asked_what(desk)
    desk.type(what)
    desk.until(lambda s: "1 place" in s, f"the place of {what}")
    desk.keys("Tab")
    desk.type(by)
    desk.keys("Enter")
    desk.until(lambda s: "1 place replaced. Ctrl+S saves it" in s, "the other text")


def begun(desk: Terminal, what: str, choice: str, name: str) -> None:
    """Begin something from the list of what can be begun."""
    desk.keys("C-n")
    desk.until(lambda s: "written from its forms" in s, "what can be begun")
    desk.type(what)
    desk.keys("Enter")
    if choice:
        desk.until(lambda s: "▙ strategy" in s, "the strategies")
        desk.type(choice)
        desk.keys("Enter")
    desk.until(lambda s: "Name of the new" in s, "the question for a name")
    desk.type(name)
    desk.keys("Enter")


def opened(desk: Terminal, name: str) -> None:
    desk.keys("F2")
    desk.until(lambda s: "type part of a name" in s, "the files")
    desk.type(name)
    desk.keys("Enter")
    desk.until(lambda s: f"file  {name}" in s, f"{name} beside the program")


BREAKS = [
    ("quay/environment.brix", "eval(bound, env)", "evl(bound, env)"),
    ("quay/environment.brix", "eval(bound, env)", "eval(env, bound)"),
    ("quay/environment.brix", "Lit(n) ", "Lt(n) "),
    ("quay/quay.brix", "makes Sub", "makes Sbu"),
    ("quay/quay.suite.toml", "value = 2", "valu = 2"),
]
PROGRAMS = ["7 - 4 - 1", "1 + 1 - 2", "(5 - 3) + 9", "let a = 8 in a - 1", "6", "9 - (4 - 3)",
            "let b = 2 in let b = 5 in b - 1"]  # fmt: skip
LANES = ("environment", "substitution")
GIVES = [2, 0, 11, 7, 6, 8, 4]


def test_a_language_is_made_broken_and_mended_at_the_desk(desk: Terminal, tmp_path: Path) -> None:
    course = tmp_path / "course"
    desk.until(lambda s: "a course here" in s, "the offer")
    desk.keys("Enter")
    desk.until(lambda s: "suite ◆ 1 pass" in s, "the course that was begun")

    # A language of her own, with subtraction added to what it begins with.
    begun(desk, "with a grammar", "", "Quay")
    desk.until(lambda s: "file  quay/quay.brix" in s and "lanes  Quay" in s, "the language")
    text_to(desk, "Add(left: Expr")
    desk.keys("End", "Enter")
    desk.type("Sub(left: Expr, right: Expr)")
    text_to(desk, "makes Add")
    desk.keys("End")
    desk.type('   "-" makes Sub')

    # The clause that is missing now is begun from the outline.
    opened(desk, "quay/environment.brix")
    desk.until(lambda s: "◂! eval has no" in s, "what is missing")
    desk.keys("M-o")
    desk.until(lambda s: "1 clause missing" in s, "the outline")
    desk.keys("Down", "Down", "Down", "Enter")
    desk.until(lambda s: "+  Sub(left, right) => todo" in s, "the beginning of a clause")
    desk.keys("Enter")
    desk.until(lambda s: 'Sub(left, right) => todo "what Sub gives"' in s, "the clause")
    desk.keys("Home", "S-End")
    desk.type("Sub(left, right) =>")
    desk.keys("Enter")
    for line in ("let Num(a) = eval(left, env)", "let Num(b) = eval(right, env)", "Num(a - b)"):
        desk.type(line)
        desk.keys("Enter")
    desk.keys("M-s")
    desk.until(lambda s: "saved" in s, "everything saved")

    # A second interpreter, from the forms and a strategy.
    begun(desk, "written from its forms", "substitution", "")
    desk.until(lambda s: "file  quay/substitution.brix" in s, "the interpreter")
    for form, sign in (("Add", "+"), ("Sub", "-")):
        text_to(desk, f'todo "what {form}')
        desk.keys("S-End")
        for line in ("", "let Lit(a) = eval(left)", "let Lit(b) = eval(right)"):
            desk.type(line)
            desk.keys("Enter")
        desk.type(f"Lit(a {sign} b)")
        desk.until(lambda s, told=f"Lit(a {sign} b)": told in s, f"the clause of {form}")
    desk.until(lambda s: "◆ 4" in lane(s, "substitution"), "its outcome")
    desk.keys("M-s")
    desk.until(lambda s: "saved substitution.brix" in s, "it is saved")

    # Eight cases: seven more programs, each with what it gives.
    for number, (program, gives) in enumerate(zip(PROGRAMS, GIVES, strict=True)):
        desk.keys("F6", "C-a")
        desk.type(program)
        desk.until(lambda s, told=f"◆ {gives} ": all(told in lane(s, one) for one in LANES),
                   f"what {program} gives")  # fmt: skip
        desk.keys("C-w")
        desk.until(lambda s: "what the case states" in s, "the kinds of cases")
        desk.keys("Enter")
        passing = 2 * (number + 2) + 1
        desk.until(lambda s, n=passing: f"suite ◆ {n} pass" in s or f"suite ◆ {n - 1} pass" in s,
                   f"case {number + 2}")  # fmt: skip
    desk.keys("M-s")
    desk.until(lambda s: "saved quay.suite.toml" in s, "the suite is saved")
    assert (course / "quay/quay.suite.toml").read_text().count("[[case]]") == 8
    green = desk.until(lambda s: "suite ◆ 16 pass" in s or "suite ◆ 17 pass" in s, "all green")
    all_green = green.partition("suite ◆ ")[2].split()[0]

    # Broken in five ways, each mended by the offer.
    for file, what, by in BREAKS:
        opened(desk, file)
        replaced(desk, what, by)
        desk.until(lambda s: any(sign in s for sign in ("◂✗", "✗)", "suite ✗")), f"{by} is seen")
        desk.keys("C-Home", "M-n")
        desk.until(lambda s: "◂✗" in s, f"the mark of {by}")
        desk.keys("C-Home", "M-n", "C-b")
        desk.until(lambda s: "Enter carries it out" in s, f"the repair of {by}")
        desk.keys("Enter")
        desk.until(lambda s: f"suite ◆ {all_green} pass" in s and "◂✗" not in s, "all green again")
    desk.keys("M-s")
    desk.until(lambda s: "nothing to save" in s or " saved " in s, "saved")
    for file, what, _ in BREAKS:
        assert what in (course / file).read_text()
    desk.keys("C-q")
