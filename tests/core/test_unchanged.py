"""A verdict is taken over from before an edit only where it would be the same again."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from embrix.brix.mutants import mistakes_in
from embrix.brix.reader import read_definition
from embrix.brix.syntax import InterpreterSyntax
from embrix.checking import unchanged, verdicts
from embrix.course.shipped import shipped_course
from embrix.lanes.session import Session
from embrix.messages.replies_on_suites import CaseVerdict, SuiteReport
from embrix.suite import check
from embrix.text.diagnostic import Findings
from embrix.text.source import Source
from tests.conftest import TINY_LANGUAGE

LANE = """\
interpreter lane for Tiny
value Value
  Num(n: Number)            shown "{n}"
  Much(n: Number)           shown "{size(n)}"
error Missing(x: Name)  "no {x}"
main run
define run(e: Expr) -> Value
  eval(e, empty)
define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n) when n > limit(0)  => Much(n)
  Lit(n)                    => Num(n)
  Var(x)                    => env[x] otherwise fail Missing(x)
  Add(left, right)          => plus(eval(left, env), eval(right, env))
  Let(x, bound, body)       => eval(body, env with x = eval(bound, env))
define plus(a: Value, b: Value) -> Value
  match a, b
    Num(n), Num(m) => Num(n + m)
    _, _           => a
define limit(n: Number) -> Number
  n + 100
define size(n: Number) -> Text by n
  200 => "two hundred"
  _   => "much"
"""
SUITE = """\
language = "Tiny"

[[case]]
name = "a sum"
program = "1 + 2"
value = "3"

[[case]]
name = "a name"
program = "let x = 4 in x"
value = "4"

[[case]]
name = "no name"
program = "y"
error = "Missing"

[[case]]
name = "two hundred"
program = "200"
value = "two hundred"

[[case]]
name = "three hundred"
program = "300"
value = "much"
"""


def make(folder: Path) -> Path:
    (folder / "course.toml").write_text('title = "Tiny"\n')
    (folder / "tiny.brix").write_text(TINY_LANGUAGE)
    (folder / "lane.brix").write_text(LANE)
    (folder / "tiny.suite.toml").write_text(SUITE)
    return folder / "tiny.suite.toml"


def told(report: SuiteReport) -> dict[tuple[str, str], tuple[str, str]]:
    return {
        (case.name, one.lane): (one.state, one.actual)
        for case in report.cases for one in case.verdicts
    }  # fmt: skip


class Judged:
    """Which cases are held against which lanes by running them."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.cases: list[tuple[str, str]] = []
        right = check.check_case

        def checked(case, lane, limits=None):  # type: ignore[no-untyped-def]
            self.cases.append((case.name, lane.name))
            return right(case, lane, limits)

        monkeypatch.setattr(verdicts, "check_case", checked)

    def taken(self) -> list[str]:
        """The cases that have run since this was asked last."""
        names, self.cases = [name for name, _ in self.cases], []
        return names


def forget() -> None:
    verdicts._VERDICTS.clear()
    unchanged._EARLIER.clear()


@pytest.fixture(autouse=True)
def nothing_is_known() -> None:
    forget()


@pytest.fixture
def judged(monkeypatch: pytest.MonkeyPatch) -> Judged:
    return Judged(monkeypatch)


def edited(folder: Path, suite: Path, old: str, new: str) -> dict[tuple[str, str], tuple[str, str]]:
    """The verdicts with another text in the place of one."""
    assert LANE.count(old) == 1, old
    text = LANE.replace(old, new)
    return told(verdicts.check_suite(Session(folder, {folder / "lane.brix": text}), suite))


@pytest.mark.parametrize(
    ("old", "new", "runs"),
    [
        # Worked out by hand: the cases whose programs come to what has changed.
        ("fail Missing(x)", "fail Missing(x)  # as it was", []),
        ("env[x] otherwise fail Missing(x)", "env[x] otherwise Num(0)", ["a name", "no name"]),
        ("Num(n + m)", "Num(n - m)", ["a sum"]),
        ("eval(body, env with x = eval(bound, env))", "eval(bound, env)", ["a name"]),
        ('_   => "much"', '_   => "more"', ["three hundred"]),
        # A clause that cannot be checked is a hole, which only those meet that come there.
        ("env[x] otherwise fail Missing(x)", "env[y] otherwise fail Missing(x)",
         ["a name", "no name"]),
        # What is looked at before a clause is chosen, or shown, is no body of a clause.
        ("when n > limit(0)", "when n > limit(1)", None),
        ("n + 100", "n + 250", ["a sum", "a name", "two hundred", "three hundred"]),
        ('shown "{n}"', 'shown "<{n}>"', None),
        ('"no {x}"', '"there is no {x}"', None),
        ('  200 => "two hundred"\n', "", None),
        # A function that comes back to itself takes fuel.
        ('_   => "much"', '_   => if n < 0 then size(n + 1) else "much"', None),
    ],
)  # fmt: skip
def test_only_cases_run_that_come_to_what_has_changed(
    tmp_path: Path, judged: Judged, old: str, new: str, runs: list[str] | None
) -> None:
    suite = make(tmp_path)
    before = edited(tmp_path, suite, "main run", "main run")
    every = ["a sum", "a name", "no name", "two hundred", "three hundred"]
    assert judged.taken() == every
    assert {state for state, _ in before.values()} == {"passed"}, before
    found = edited(tmp_path, suite, old, new)
    assert judged.taken() == (every if runs is None else runs)
    forget()
    assert edited(tmp_path, suite, old, new) == found


def test_an_edit_is_held_against_the_verdicts_of_every_text_before(
    tmp_path: Path, judged: Judged
) -> None:
    """What is taken back, and what is wrong for a while, costs nothing more."""
    suite = make(tmp_path)
    edited(tmp_path, suite, "main run", "main run")
    judged.taken()
    edited(tmp_path, suite, "Num(n + m)", "Num(n +")
    judged.taken()
    edited(tmp_path, suite, "Num(n + m)", "Num(n + m + 0)")
    assert judged.taken() == ["a sum"]
    edited(tmp_path, suite, "Num(n + m)", "Num(m + n)")
    assert judged.taken() == ["a sum"]


def test_what_has_run_on_other_code_is_not_taken_over(tmp_path: Path, judged: Judged) -> None:
    """Long runs end on code that does not mark the clauses that it enters; what keeps a record or
    counts costs does mark them."""
    suite = make(tmp_path)
    long = LANE.replace("n + 100", "if n > 50000 then 100 else limit(n + 1)")
    many = '[[case]]\nname = "many calls"\nprogram = "3"\nvalue = 3\ncalls = 200000\n'
    steps = '[[case]]\nname = "steps"\nprogram = "y"\nsteps.lane = []\n'
    costs = '[[case]]\nname = "costs"\nprogram = "z"\ncosts = { calls = "at most 9" }\n'
    suite.write_text(f'language = "Tiny"\n{many}{steps}{costs}')
    found = []
    for instead in ("Num(0)", "Num(1)"):
        text = long.replace("Num(n + m)", instead)
        verdicts.check_suite(Session(tmp_path, {tmp_path / "lane.brix": text}), suite)
        found.append(set(judged.taken()))
    assert found == [{"many calls", "steps", "costs"}, {"many calls"}]


EVERY = {
    ("Rill", "environment"): 16, ("Rill", "rewriting"): 22, ("Weir", "store_passing"): 23,
    ("Race", "interleaving"): 13, ("Eddy", "cek"): 9, ("Siren", "continuations"): 11,
    ("Punt", "environment"): 14, ("Gauge", "inference"): 14,
}  # fmt: skip


@pytest.mark.parametrize(("language", "name"), EVERY)
def test_every_verdict_is_what_it_would_be_if_nothing_were_known(
    tmp_path: Path, judged: Judged, language: str, name: str
) -> None:
    """Mistakes put into a shipped interpreter, one after the other, each beside the unchanged rest
    of its suite and all lanes that extend it."""
    folder = tmp_path / "course"
    shutil.copytree(shipped_course(), folder)
    file = folder / language.lower() / f"{name}.brix"
    suite = next(file.parent.glob("*.suite.toml"))
    text = file.read_text()
    syntax = read_definition(Source(file.name, text), Findings())
    assert isinstance(syntax, InterpreterSyntax)
    forget()
    texts = [text, *(one.made(text) for one in mistakes_in(syntax)[:: EVERY[language, name]])]
    assert len(texts) >= 3

    def reports() -> list[list[CaseVerdict]]:
        found = []
        for one in texts:
            report = verdicts.check_suite(Session(folder, {file: one}), suite)
            found.append([verdict for case in report.cases for verdict in case.verdicts])
            if fresh:
                forget()
        return found

    fresh = False
    known = reports()
    few = len(judged.taken())
    fresh = True
    assert reports() == known
    assert few < len(judged.taken())
