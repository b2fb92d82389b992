"""Without a `judgement` the functions that do the work have plain ones."""

from __future__ import annotations

import pytest

from embrix.lanes.session import Session
from embrix.trace.state_graph import states_of
from embrix.trace.walk import Walk, walkable
from tests.conftest import TINY_LANGUAGE, Maker

PLAIN = """\
interpreter plain for Tiny
value Value
  Num(n: Number)  shown Lit(n)
main run
define run(p: Expr) -> Value
  begun(p)
define begun(p: Expr) -> Value
  eval(p, empty)
define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n)              => Num(n)
  Var(x)              => env[x] otherwise Num(number(size_of(e)))
  Add(left, right)    => sum(left, right, env)
  Let(x, bound, body) => eval(body, env with x = eval(bound, env))
define sum(left: Expr, right: Expr, env: Env[Value]) -> Value by left
  Lit(n) => Num(n + number_of(eval(right, env)))
  _      => Num(number_of(eval(left, env)) + number_of(eval(right, env)))
define number_of(v: Value) -> Number by v
  Num(n) => n
define size_of(e: Expr) -> Int by e
  Add(left, right) => size_of(left) + size_of(right)
  _                => 1
"""


def rows(session: Session, name: str, program: str) -> list[str]:
    lane = session.lane("Tiny", name)
    return [line.strip(" │┌└↳◆") for line in Walk(lane, lane.trace(program)).lines()]


def test_what_does_the_work_is_walked(make_course: Maker) -> None:
    """`eval` is met first, `sum` calls it back; `size_of` goes over terms as well, and neither it
    nor `number_of` comes back to them."""
    session = Session(make_course(tiny=TINY_LANGUAGE, plain=PLAIN).folder)
    interpreter = session.lane("Tiny", "plain").interpreter
    told = {name for name, one in interpreter.functions.items() if one.judgement is not None}
    assert told == {"eval", "sum"}
    assert walkable(interpreter)
    lines = rows(session, "plain", "1 + a")
    ends = [line for line in lines if not line.endswith("…")]
    assert ends == ["eval(a, ∅) ⇓ 1", "sum(1, a, ∅) ⇓ 2", "eval(1 + a, ∅) ⇓ 2"]


@pytest.mark.parametrize(
    "judgement", ['judgement eval "{e} gives {result}"', 'judgement number_of "{v} is {result}"']
)
def test_what_is_declared_is_all_that_is_walked(make_course: Maker, judgement: str) -> None:
    text = PLAIN.replace("main run", f"{judgement}\nmain run")
    session = Session(make_course(tiny=TINY_LANGUAGE, plain=text).folder)
    interpreter = session.lane("Tiny", "plain").interpreter
    told = [name for name, one in interpreter.functions.items() if one.judgement is not None]
    assert told == [judgement.split()[1]]


def test_a_small_step_relation_is_walked_by_its_terms(make_course: Maker) -> None:
    steps = (
        "interpreter steps for Tiny\nmain run\ndefine run(p: Expr) -> Expr\n  repeat step(p)\n"
        "define step(e: Expr) -> Expr by e\n  final Lit(_)\n  order Add(l, r) : l, r\n"
        "  Add(Lit(a), Lit(b)) => Lit(a + b)\n  Var(_) => Lit(0)\n  Let(_, _, body) => body\n"
    )
    session = Session(make_course(tiny=TINY_LANGUAGE, steps=steps).folder)
    functions = session.lane("Tiny", "steps").interpreter.functions.values()
    assert all(one.judgement is None for one in functions)
    assert rows(session, "steps", "1 + 2 + 3") == ["1 + 2 + 3", "3 + 3", "6"]


def test_what_extends_a_lane_may_declare_how_it_looks(make_course: Maker) -> None:
    more = 'interpreter more for Tiny extends plain\njudgement eval "{env} ⊢ {e} ⇓ {result}"\n'
    session = Session(make_course(tiny=TINY_LANGUAGE, plain=PLAIN, more=more).folder)
    assert rows(session, "more", "1")[-1] == "∅ ⊢ 1 ⇓ 1"
    assert rows(session, "plain", "1")[-1] == "eval(1, ∅) ⇓ 1"


RELATION = (
    "define step(e: Expr) -> Expr by e\n  final Lit(_)\n  order Add(l, r) : l, r\n"
    "  Add(Lit(a), Lit(b)) => Lit(a + b)\n  Var(_) => Lit(0)\n  Let(_, _, body) => body\n"
    '  no clause Add(_, _) "both are numbers"\n'
)


@pytest.mark.parametrize(
    "main",
    [
        "define run(p: Expr) -> Expr by p\n  e => repeat step(e)\n",
        "define run(p: Expr) -> Expr\n  finished(p)\n"
        "define finished(e: Expr) -> Expr\n  repeat step(e)\n",
        "define run(p: Expr) -> Number by p\n  Lit(n) => n\n  e => worth(finished(e))\n"
        "define worth(e: Expr) -> Number by e\n  Lit(n) => n\n  _ => 0\n"
        "define finished(e: Expr) -> Expr by e\n  Let(_, _, body) => repeat step(body)\n"
        "  _ => repeat step(e)\n",
        "define run(p: Expr) -> Number\n  match finished(p)\n    Lit(n) => n\n    _ => 0\n"
        "define finished(e: Expr) -> Expr\n  repeat step(e)\n",
        "define run(p: Expr) -> Expr\n  let go = fn(e) => repeat step(e)\n  go(p)\n",
    ],
)
def test_steps_are_found_whatever_main_looks_like(make_course: Maker, main: str) -> None:
    steps = f"interpreter steps for Tiny\nmain run\n{main}{RELATION}"
    course = make_course(tiny=TINY_LANGUAGE, steps=steps)
    assert [one.message for one in course.diagnostics] == []
    session = Session(course.folder)
    assert rows(session, "steps", "1 + 2 + 3") == ["1 + 2 + 3", "3 + 3", "6"]
    assert session.lane("Tiny", "steps").run("1 + 2 + 3", variant="counted").costs["steps"] == 2


def test_a_relation_that_only_a_law_speaks_of_is_not_what_a_run_does(make_course: Maker) -> None:
    """The evaluator is walked, by its judgement in the plainest form."""
    both = (
        "interpreter both for Tiny\nmain run\ndefine run(p: Expr) -> Number\n  value_of(p)\n"
        "define value_of(e: Expr) -> Number by e\n  Lit(n) => n\n"
        "  Add(l, r) => value_of(l) + value_of(r)\n  Var(_) => 0\n"
        "  Let(_, _, body) => value_of(body)\n"
        f"{RELATION}law value_of(e) == value_of(step(e)) when not final(e)\n"
    )
    session = Session(make_course(tiny=TINY_LANGUAGE, both=both).folder)
    assert rows(session, "both", "1 + 2") == [
        "value_of(1) ⇓ 1", "value_of(2) ⇓ 2", "value_of(1 + 2) ⇓ 3",
    ]  # fmt: skip


@pytest.mark.parametrize("helper", [False, True])
def test_states_are_told_where_a_helper_repeats(make_course: Maker, helper: bool) -> None:
    """Which operand steps first is open: `1 + 2` or `3 + 4` is added first, and both ways meet."""
    main = "define run(p: Expr) -> Expr\n  repeat step(p)\n"
    if helper:
        main = main.replace("repeat step", "finished")
        main += "define finished(e: Expr) -> Expr\n  repeat step(e)\n"
    free = RELATION.replace(": l, r", ": l, r in any order")
    steps = f"interpreter steps for Tiny\nmain run\n{main}{free}"
    lane = Session(make_course(tiny=TINY_LANGUAGE, steps=steps).folder).lane("Tiny", "steps")
    explored = lane.explore("(1 + 2) + (3 + 4)")
    assert sorted(one.text for one in states_of(lane, explored)) == [
        "1 + 2 + (3 + 4)", "1 + 2 + 7", "3 + (3 + 4)", "3 + 7",
    ]  # fmt: skip
    assert len(explored.steps) == 4


def test_ways_around_a_helper_that_repeats_are_all_found(make_course: Maker) -> None:
    """It is called twice, and what is chosen in between is no part of the state."""
    main = (
        "define run(p: Expr) -> Expr\n  let a = finished(p)\n  let b = finished(p)\n"
        "  any of\n    Add(a, b)\n    Add(b, Lit(9))\n"
        "define finished(e: Expr) -> Expr\n  repeat step(e)\n"
    )
    free = RELATION.replace("Lit(a + b)\n", "any of\n    Lit(a + b)\n    Lit(0)\n")
    steps = f"interpreter steps for Tiny\nmain run\n{main}{free}"
    lane = Session(make_course(tiny=TINY_LANGUAGE, steps=steps).folder).lane("Tiny", "steps")
    found = {one.outcome.text for one in lane.explore("1 + 2").outcomes}
    assert found == {"3 + 3", "3 + 0", "0 + 3", "0 + 0", "3 + 9", "0 + 9"}


def test_an_evaluator_that_repeats_steps_on_its_way_is_walked_itself(make_course: Maker) -> None:
    """A relation that one clause makes use of is not the sequence of the run."""
    both = (
        "interpreter both for Tiny\nmain run\ndefine run(p: Expr) -> Number\n  value_of(p)\n"
        "define value_of(e: Expr) -> Number by e\n  Lit(n) => n\n"
        "  Add(l, r) => value_of(l) + value_of(r)\n  Var(_) => 0\n"
        "  Let(_, _, body) => value_of(repeat step(body))\n"
        f"{RELATION}"
    )
    session = Session(make_course(tiny=TINY_LANGUAGE, both=both).folder)
    assert rows(session, "both", "1 + (let a = 2 in 3)") == [
        "value_of(1) ⇓ 1", "value_of(3) ⇓ 3", "value_of(let a = 2 in 3) ⇓ 3",
        "value_of(1 + (let a = 2 in 3)) ⇓ 4",
    ]  # fmt: skip
