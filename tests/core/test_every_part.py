"""Two lanes held against each other at every part of a run."""

from __future__ import annotations

import shutil
from pathlib import Path
from unittest.mock import patch

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from embrix.cli.main import main
from embrix.compare import every_part
from embrix.compare.every_part import EveryPart, hold_every_part
from embrix.compare.search import hunt
from embrix.course.shipped import shipped_course
from embrix.grammar.printing import Printer
from embrix.lanes.session import Session
from embrix.machine.limits import Limits
from tests.strategies import terms


@pytest.fixture(scope="module")
def shipped() -> Session:
    return Session(shipped_course())


def held(session: Session, language: str, one: str, other: str, text: str) -> EveryPart:
    return hold_every_part(session.lane(language, one), session.lane(language, other), text)


@pytest.mark.parametrize(
    ("language", "one", "other", "text", "compared"),
    [
        # The let, 1, x + 2, x and 2; the others were counted in the same way.
        ("Drip", "environment", "rewriting", "let x = 1 in x + 2", 5),
        ("Drip", "environment", "rewriting", "let x = 1 in let x = x + 1 in x * x", 9),
        ("Rill", "environment", "rewriting", "(given x: x + 1) 2", 6),
        ("Rill", "environment", "substitution", "let f of n = when n < 1 then 0 else f (n - 1) in "
         "f 1", 18),
    ],
)  # fmt: skip
def test_lanes_that_agree_do_so_at_every_part(
    shipped: Session, language: str, one: str, other: str, text: str, compared: int
) -> None:
    """How many parts there are was counted by hand: every evaluation of an expression is one."""
    found = held(shipped, language, one, other, text)
    assert (found.apart, found.refused, dict(found.left_out)) == (None, "", {})
    assert found.compared == compared


def copied(tmp_path: Path, language: str, old: str, new: str, lane: str = "environment") -> Session:
    """The shipped course with a change in a lane of a language."""
    folder = tmp_path / "course"
    shutil.copytree(shipped_course(), folder)
    file = folder / language.lower() / f"{lane}.brix"
    text = file.read_text()
    assert text.count(old) == 1, text
    file.write_text(text.replace(old, new))
    return Session(folder)


@pytest.mark.parametrize(
    ("old", "new", "text", "apart"),
    [
        ("eval(body, env with x = v)", "eval(body, env)",
         "1 + (let x = 2 in x + 3)", ("let x = 2 in x + 3", "Unbound", "5")),
        ("Num(number(eval(left, env)) - number(eval(right, env)))",
         "Num(number(eval(right, env)) - number(eval(left, env)))",
         "let x = 10 in 3 * (x - 4)", ("10 - 4", "-6", "6")),
        ("Num(-number(eval(arg, env)))", "Num(number(eval(arg, env)))",
         "let y = 7 in 2 * (1 + -y)", ("-7", "7", "-7")),
    ],
)  # fmt: skip
def test_the_first_part_that_differs_is_told(
    tmp_path: Path, old: str, new: str, text: str, apart: tuple[str, str, str]
) -> None:
    """The innermost one that is wrong, and not what is around it."""
    session = copied(tmp_path, "Drip", old, new)
    found = held(session, "Drip", "environment", "rewriting", text).apart
    assert found is not None
    assert (found.term, found.left, found.right) == apart
    assert found.place is not None


def test_strategies_part_where_they_are_meant_to(shipped: Session) -> None:
    """By hand: a division by zero that nobody uses is the same on both lanes alone; the `let`
    around it is the first part that is not."""
    text = "1 + (let spare = 1 / 0 in 2)"
    found = held(shipped, "Rill", "environment", "by_name", text).apart
    assert found is not None
    assert found.term == "let spare = 1 / 0 in 2"
    assert (found.left, found.right) == ("DivisionByZero", "2")


def test_dynamic_scope_is_found_where_a_function_is_called(shipped: Session) -> None:
    text = "let r = 3 in let f = given x: x * r in let r = 5 in f 2"
    found = held(shipped, "Rill", "dynamic_scope", "rewriting", text)
    assert found.apart is not None
    assert (found.apart.left, found.apart.right) == ("10", "6")
    assert found.apart.term == "let f = given x: x * 3 in let r = 5 in f 2"


@settings(
    max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(st.data())
def test_no_difference_is_told_where_there_is_none(shipped: Session, data: st.DataObject) -> None:
    """Environments and substitution by value are the same, whatever the program: functions,
    recursion, failures."""
    language = shipped.course.languages["Rill"]
    assert language.grammar is not None
    term = data.draw(terms(language.signature, "Expr", 6))
    text = Printer(language.grammar).show(term).text
    if "‹" in text:
        return
    for other in ("rewriting", "substitution"):
        found = held(shipped, "Rill", "environment", other, text)
        assert found.apart is None, (text, found.sentence)


@pytest.mark.parametrize(
    ("language", "one", "other", "why"),
    [
        ("Weir", "store_passing", "rewriting", "no function of store_passing gives values of "
         "expressions from an environment alone"),
        ("Drip", "rewriting", "environment", "no function of rewriting gives values of expressions "
         "from an environment alone"),
    ],
)  # fmt: skip
def test_where_nothing_can_be_said_that_is_told(
    shipped: Session, language: str, one: str, other: str, why: str
) -> None:
    assert held(shipped, language, one, other, "1 + 2").refused == why
    assert held(shipped, "Drip", "environment", "rewriting", "1 +").refused.startswith("rejected")


def test_a_long_run_is_bounded(shipped: Session) -> None:
    text = "let f of n = when n < 1 then 0 else f (n - 1) in f 4000"
    found = held(shipped, "Rill", "environment", "substitution", text)
    assert found.apart is None
    assert found.compared <= 2_000
    assert found.left_out["the run has more parts than are looked at"] > 0


@pytest.mark.parametrize("events", [10, 20, 36, 52])
def test_nothing_is_said_of_what_was_open_where_the_record_ends(
    shipped: Session, events: int
) -> None:
    """By hand: `f 3` is open there and gives 0 later; the sum around it fails on both lanes."""
    text = "let f of n = when n < 1 then 0 else f (n - 1) in f 3 + 1 / 0"
    with patch.object(every_part, "LIMITS", Limits(events=events)):
        found = held(shipped, "Rill", "environment", "rewriting", text)
    assert found.apart is None, found.sentence
    assert found.left_out["the rest of the run, which is not recorded"] == 1
    whole = held(shipped, "Rill", "environment", "rewriting", text)
    assert (whole.apart, whole.left_out["the rest of the run, which is not recorded"]) == (None, 0)


def test_the_command_tells_the_part_and_its_place(
    capsys: pytest.CaptureFixture[str],
) -> None:
    text = "1 + (let spare = 1 / 0 in 2)"
    base = ["compare", "-e", text, "--language", "Rill"]
    lanes = ["--with", "environment", "--with", "by_name", "--parts"]
    assert main([*base, *lanes]) == 1
    told = capsys.readouterr().out
    assert "let spare = 1 / 0 in 2 gives DivisionByZero on environment, 2 on by_name" in told
    assert "at step " in told
    main([*base, *lanes, "--json"])
    assert '"gives": [' in capsys.readouterr().out


def test_suites_are_held_on_request(capsys: pytest.CaptureFixture[str]) -> None:
    suite = str(shipped_course() / "drip" / "drip.suite.toml")
    course = ["--course", str(shipped_course())]
    assert main(["test", suite, "--parts", "environment,rewriting", *course]) == 0
    told = capsys.readouterr().out
    assert "drip/drip.suite.toml: " in told
    assert " parts of " in told
    assert main(["test", suite, "--parts", "environment", *course]) == 2
    assert "--parts takes two lanes" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("language", "one", "other"),
    [("Rill", "environment", "rewriting"), ("Rill", "environment", "substitution"),
     ("Punt", "environment", "rewriting"), ("Weir", "store_passing", "rewriting"),
     ("Rill", "heap", "by_need")],
)  # fmt: skip
def test_a_hunt_goes_on_behind_functions(
    shipped: Session, language: str, one: str, other: str
) -> None:
    """Each lane shows functions in its own way, and that is no difference; there is none."""
    found = hunt(shipped.lane(language, one), shipped.lane(language, other), most=150, seed=5)
    assert (found.program, found.tried) == ("", 150)


def test_a_function_differs_from_a_number(tmp_path: Path) -> None:
    """By hand: a function whose parameter bears its own name gives its argument; one that is put in
    again instead gives itself."""
    session = copied(
        tmp_path, "Rill", "if f == x then rhs else Rec(f, x, rhs, rhs)", "Rec(f, x, rhs, rhs)",
        lane="rewriting",
    )  # fmt: skip
    lanes = [session.lane("Rill", name) for name in ("environment", "rewriting")]
    found = hunt(*lanes, most=400, seed=2)
    assert found.program in ("(let x of x = x in x) 0", "(let x of x = x in x) false")
