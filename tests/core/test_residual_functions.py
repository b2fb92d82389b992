"""Residual programs of interpreters that hand on functions: continuations, and values that are
functions of the notation themselves."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.residual.residual_text import residual_lines
from tests.conftest import Maker
from tests.core.test_residual import LIMITS, agrees, left_of, term_of
from tests.core.test_strategies import CONTINUATIONS, LANGUAGE
from tests.strategies import terms

STORED = """\
interpreter stored for Small
  "Continuations take a store as well, and count in it."
value Value
  Num(n: Number)                                     shown "{n}"
  Closure(param: Name, body: Expr, env: Env[Value])  shown "<function>"
  Resume(k: (Value, Store[Value]) -> (Value, Store[Value]))   shown "<continuation>"
error NumberWanted(v: Value)    "{v} is no number"
error FunctionWanted(v: Value)  "{v} is no function"
main run
define run(p: Expr) -> (Value, Store[Value])
  let (l, store) = alloc(empty, Num(0))
  let leave = fn(v, store) => (v, store)
  eval(p, empty, store, l, leave, leave)
define eval(e: Expr, env: Env[Value], store: Store[Value], l: Loc,
    k: (Value, Store[Value]) -> (Value, Store[Value]),
    exit: (Value, Store[Value]) -> (Value, Store[Value])) -> (Value, Store[Value]) by e
  Lit(n)  => k(Num(n), store)
  Var(x)  => k(env[x] otherwise fail Unbound(x), store)
  Add(left, right) =>
    eval(left, env, store, l, fn(a, s) =>
      eval(right, env, s, l, fn(b, t) => k(Num(number(a) + number(b)), t), exit), exit)
  Sub(left, right) =>
    eval(left, env, store, l, fn(a, s) =>
      eval(right, env, s, l, fn(b, t) => k(Num(number(a) - number(b)), t), exit), exit)
  Let(x, bound, body) =>
    eval(bound, env, store, l, fn(v, s) => eval(body, env with x = v, s, l, k, exit), exit)
  When(test, yes, no) =>
    eval(test, env, store, l, fn(t, s) =>
      if number(t) != 0 then eval(yes, env, s, l, k, exit) else eval(no, env, s, l, k, exit), exit)
  Fun(param, body)    => k(Closure(param, body, env), store)
  Rec(f, param, rhs, body) =>
    let rec inner = env with f = Closure(param, rhs, inner)
    eval(body, inner, store, l, k, exit)
  Escape(j, body)     => eval(body, env with j = Resume(k), store, l, k, exit)
  Return(e)           => eval(e, env, store, l, exit, exit)
  Call(callee, arg)   =>
    eval(callee, env, store, l, fn(f, s) =>
      eval(arg, env, s, l, fn(a, t) =>
        let Num(n) = t[l]
        let t = t with l = Num(n + 1)
        match f
          Closure(param, body, saved) => eval(body, saved with param = a, t, l, k, k)
          Resume(j)                   => j(a, t)
          _                           => fail FunctionWanted(f), exit), exit)
  no clause Raise(_) "not here"
  no clause Try(_, _, _) "not here"
define number(v: Value) -> Number by v
  Num(n) => n
  _      => fail NumberWanted(v)
"""

MEANING = """\
interpreter meaning for Small
  "A function of the program is one of the notation."
value Value
  Num(n: Number)                  shown "{n}"
  Function(f: (Value) -> Value)   shown "<function>"
error NumberWanted(v: Value)    "{v} is no number"
error FunctionWanted(v: Value)  "{v} is no function"
main run
define run(p: Expr) -> Value
  eval(p, empty)
define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n)              => Num(n)
  Var(x)              => env[x] otherwise fail Unbound(x)
  Add(left, right)    => Num(number(eval(left, env)) + number(eval(right, env)))
  Sub(left, right)    => Num(number(eval(left, env)) - number(eval(right, env)))
  Let(x, bound, body) => eval(body, env with x = eval(bound, env))
  When(test, yes, no) => if number(eval(test, env)) != 0 then eval(yes, env) else eval(no, env)
  Fun(param, body)    => Function(fn(v) => eval(body, env with param = v))
  Rec(f, param, rhs, body) =>
    let rec inner = env with f = Function(fn(v) => eval(rhs, inner with param = v))
    eval(body, inner)
  Call(callee, arg)   =>
    let Function(f) = eval(callee, env) else v => fail FunctionWanted(v)
    f(eval(arg, env))
  no clause Escape(_, _) "not here"
  no clause Return(_) "not here"
  no clause Raise(_) "not here"
  no clause Try(_, _, _) "not here"
define number(v: Value) -> Number by v
  Num(n) => n
  _      => fail NumberWanted(v)
"""

CHANGING = """\
interpreter changing for Small
  "A function of the program is one of the notation, which takes a store and gives one."
value Value
  Num(n: Number)                  shown "{n}"
  Function(f: (Value, Store[Value]) -> (Value, Store[Value]))   shown "<function>"
error NumberWanted(v: Value)    "{v} is no number"
error FunctionWanted(v: Value)  "{v} is no function"
main run
define run(p: Expr) -> (Value, Store[Value])
  eval(p, empty, empty)
define eval(e: Expr, env: Env[Loc], store: Store[Value]) -> (Value, Store[Value]) by e
  Lit(n)              => (Num(n), store)
  Var(x)              => (store[env[x] otherwise fail Unbound(x)], store)
  Add(left, right)    =>
    let (a, store) = eval(left, env, store)
    let (b, store) = eval(right, env, store)
    (Num(number(a) + number(b)), store)
  Sub(left, right)    =>
    let (a, store) = eval(left, env, store)
    let (b, store) = eval(right, env, store)
    (Num(number(a) - number(b)), store)
  Let(x, bound, body) =>
    let (v, store) = eval(bound, env, store)
    let (l, store) = alloc(store, v)
    eval(body, env with x = l, store)
  When(test, yes, no) =>
    let (t, store) = eval(test, env, store)
    if number(t) != 0 then eval(yes, env, store) else eval(no, env, store)
  Fun(param, body)    =>
    let f = fn(v, s) =>
      let (l, t) = alloc(s, v)
      eval(body, env with param = l, t)
    (Function(f), store)
  Rec(f, param, rhs, body) =>
    let (l, store) = reserve(store)
    let inner = env with f = l
    let g = fn(v, s) =>
      let (m, t) = alloc(s, v)
      eval(rhs, inner with param = m, t)
    eval(body, inner, store with l = Function(g))
  Call(callee, arg)   =>
    let (Function(f), store) = eval(callee, env, store) else (v, _) => fail FunctionWanted(v)
    let (v, store) = eval(arg, env, store)
    f(v, store)
  no clause Escape(_, _) "not here"
  no clause Return(_) "not here"
  no clause Raise(_) "not here"
  no clause Try(_, _, _) "not here"
define number(v: Value) -> Number by v
  Num(n) => n
  _      => fail NumberWanted(v)
"""

LANES = {
    "continuations": CONTINUATIONS, "stored": STORED, "meaning": MEANING, "changing": CHANGING,
}  # fmt: skip


@pytest.fixture(scope="module")
def lanes(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Lane]:
    folder = tmp_path_factory.mktemp("small")
    (folder / "course.toml").write_text('title = "small"\n')
    for name, text in (("small", LANGUAGE), *LANES.items()):
        (folder / f"{name}.brix").write_text(text)
    session = Session(folder)
    wrong = [d.message for d in session.course.diagnostics if d.severity == "error"]
    assert wrong == []
    return {name: session.lane("Small", name) for name in LANES}


PROGRAMS = [
    ("let f of n = when n then n + f (n - 1) else 0 in f 40", "820"),
    ("let f of n = when n then when n - 1 then f (n - 1) + f (n - 2) else 1 else 0 in f 12", "144"),
    ("let twice = given f: given x: f (f x) in twice (twice (given y: y + 3)) 1", "13"),
    ("let pick = given b: when b then given x: x + 1 else given x: x - 1 in pick 0 5 + pick 1 5",
     "10"),
    # The same function of the notation, with other pieces of the program in it.
    ("let f of n = when n then 1 + f (n - 1) else 0 in "
     "let g of n = when n then f n + g (n - 1) + 2 else 0 in g 5", "25"),
    # What is called is one of two functions: such a call is left to be made, here by an operand.
    ("let f of n = when n then (when n - 1 then given x: x + n else given x: x - n) (f (n - 1)) "
     "else 10 in let y = f 3 in 7", "7"),
    ("let f of n = when n then (when n - 1 then given x: x + n else given x: x - n) (f (n - 1)) "
     "else 10 in f 3 + f 2", "25"),
    ("let f = given g: g 1 + g 2 in f (given x: f (given y: x + y))", "12"),
]  # fmt: skip


@pytest.mark.parametrize("name", LANES)
@pytest.mark.parametrize(("text", "value"), PROGRAMS)
def test_functions_are_handed_on(lanes: dict[str, Lane], name: str, text: str, value: str) -> None:
    lane = lanes[name]
    assert agrees(lane, term_of(lane, text)) is not None
    left = left_of(lane, text)
    assert left.runs_to_its_end(lane.machine.display, LIMITS)
    assert lane.machine.run(term_of(lane, text), variant="plain").outcome.text == value


@pytest.mark.parametrize("name", ["continuations", "stored"])
@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("1 + (mark j in 2 + j 5)", "6"),
        ("let f of n = mark j in when n then j (f (n - 1)) + 100 else 7 in f 30", "7"),
        ("(given x: 1 + (leave x) + 1000) 5 + 2", "7"),
        ("let loop of n = when n then leave (loop (n - 1)) else 3 in loop 50", "3"),
    ],
)
def test_continuations_are_kept_and_taken_up(
    lanes: dict[str, Lane], name: str, text: str, value: str
) -> None:
    lane = lanes[name]
    assert agrees(lane, term_of(lane, text)) is not None
    assert left_of(lane, text).runs_to_its_end(lane.machine.display, LIMITS)
    assert lane.machine.run(term_of(lane, text), variant="plain").outcome.text == value


@pytest.mark.parametrize("name", LANES)
@settings(max_examples=60)
@given(data=st.data())
def test_programs_that_nobody_wrote_with_functions(
    lanes: dict[str, Lane], name: str, data: st.DataObject
) -> None:
    lane = lanes[name]
    term = data.draw(terms(lane.interpreter.signature, "Expr", 5, ()))
    agrees(lane, term)


@pytest.mark.parametrize("name", ["continuations", "stored"])
def test_what_goes_on_by_continuations_needs_no_room(lanes: dict[str, Lane], name: str) -> None:
    """Each round of the loop makes a call whose result is waited for by a continuation alone."""
    lane = lanes[name]
    small = Limits(calls=10**6, depth=1_000)
    for text, value in (
        ("let f of n = when n then n + f (n - 1) else 0 in f 3000", "4501500"),
        ("let f of n = when n then (given x: f (x - 1)) n else 5 in f 20000", "5"),
    ):
        assert left_of(lane, text).runs_to_its_end(lane.machine.display, small)
        found = lane.machine.run(term_of(lane, text), variant="plain", limits=small, residual=True)
        assert found.outcome.text == value


def test_two_ways_to_go_on_are_written_once(lanes: dict[str, Lane]) -> None:
    """Branches in a row: what follows each of them does not double with every branch."""

    def size(count: int) -> int:
        row = " + ".join(["(when x then x else 1)"] * count)
        text = f"let f of x = {row} + (when x then f (x - 1) else 0) in f 3"
        left = left_of(lanes["continuations"], text)
        return left.program.statements

    assert size(12) < 2.6 * size(6)


EARLY = CONTINUATIONS.replace("interpreter continuations", "interpreter early").replace(
    """\
      eval(arg, env, fn(a) =>
        match f
          Closure(param, body, saved) => eval(body, saved with param = a, k, k)
          Resume(j)                   => j(a)
          _                           => fail FunctionWanted(f), exit), exit)
""",
    """\
      match f
        Closure(param, body, saved) =>
          eval(arg, env, fn(a) => eval(body, saved with param = a, k, k), exit)
        Resume(j)                   => eval(arg, env, j, exit)
        _                           => fail FunctionWanted(f), exit)
""",
)


def test_a_function_holds_the_body_of_whatever_is_called(make_course: Maker) -> None:
    """While the argument is evaluated, which may make a call or none."""
    course = make_course(small=LANGUAGE, early=EARLY)
    assert [d.message for d in course.diagnostics if d.severity == "error"] == []
    lane = Session(course.folder).lane("Small", "early")
    loop = "let f of n = when n then n + f (n - 1) else 0 in "
    for text, value in ((f"{loop}f (f 3)", "21"), (f"{loop}(given g: g (f 3)) f", "21")):
        assert lane.machine.run(term_of(lane, text), variant="plain").outcome.text == value
        agrees(lane, term_of(lane, text))
    text = f"{loop}(when f 2 then given x: x else given y: y) (f 3)"
    assert left_of(lane, text).runs_to_its_end(lane.machine.display)
    found = agrees(lane, term_of(lane, text))
    assert found is not None
    assert found.outcome.text == "6"


def test_what_a_lane_with_continuations_leaves(lanes: dict[str, Lane]) -> None:
    text = "let f of n = when n then n + f (n - 1) else 0 in f 9"
    left = left_of(lanes["continuations"], text)
    lines = [line for line in residual_lines(left, text) if not line.decided]
    assert ["  " * line.inset + line.text for line in lines] == [
        "program()",
        "  let v1 = fn",
        "  f(9, v1)",
        "",
        "f(n, a1)   eval of when n then n + f (n - 1) else 0",
        "  if n == 0 then",
        "    run a1 with 0",
        "  else",
        "    let v4 = (fn_2 with a1, n)",
        "    f(n - 1, v4)   again",
        "",
        "fn(a0)",
        "  a0",
        "",
        "fn_2(a0, a1, a2)   fn of n + f (n - 1)",
        "  run a0 with a1 + a2",
    ]
