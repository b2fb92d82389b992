"""Without a `judgement` the functions that do the work have plain ones."""

from __future__ import annotations

import pytest

from embrix.lanes.session import Session
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
