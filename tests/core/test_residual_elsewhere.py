"""Residual programs of definitions that are not those of the course."""

from __future__ import annotations

from embrix.lanes.session import Session
from embrix.machine.residual.residual_run import specialise
from tests.conftest import TINY_LANGUAGE, Maker
from tests.core.test_residual import agrees, term_of

TWO = """\
language Two
  extension "two"
tokens
  number  /[0-9]+/   as Number
  name    /[a-z]+/   as Name
  skip    /[ \\n]+/
forms Expr
  Lit(n: Number)
  Var(x: Name)                              uses x
  Sub(left: Expr, right: Expr)
  Less(left: Expr, right: Expr)
  When(test: Expr, yes: Expr, no: Expr)
  Both(f: Name, a: Name, b: Name, one: Expr, g: Name, other: Expr, body: Expr)
  Call(callee: Expr, first: Expr, second: Expr)
  Bare(callee: Expr, first: Expr, second: Expr)
  Weight(e: Expr)
  Swap(x: Name, y: Name, body: Expr)
  Turn(n: Expr, x: Name, y: Name, body: Expr)
grammar
  start Expr
  Expr ::=
    | "both" f:name a:name b:name "=" one:Expr "," g:name "=" other:Expr "in" body:Expr  makes Both
    | "when" test:Expr "then" yes:Expr "else" no:Expr              makes When
    | "swap" x:name y:name "in" body:Expr                          makes Swap
    | "turn" n:Atom x:name y:name "in" body:Expr                   makes Turn
    | Sum
  operators Sum : Expr
    nonassociative "<" makes Less
    left "-" makes Sub
    operand Atom
  Atom : Expr ::=
    | n:number makes Lit
    | x:name makes Var
    | "call" "(" callee:Expr "," first:Expr "," second:Expr ")"    makes Call
    | "bare" "(" callee:Expr "," first:Expr "," second:Expr ")"    makes Bare
    | "weight" "(" e:Expr ")"                                      makes Weight
    | "(" Expr ")"
error Unbound(x: Name)   "nothing called {x} is in scope"
error Other              "not a number or function"
"""

TWO_LANE = """\
interpreter environment for Two
  "Functions of two parameters, two of which may know each other; two kinds of numbers."
value Value
  Num(n: Number)        shown "{n}"
  Tons(n: Number)       shown "{n} t"
  Truth(b: Bool)        shown "{b}"
  Closure(a: Name, b: Name, body: Expr, env: Env[Value])   shown "<function>"
main run
define run(p: Expr) -> Value
  eval(p, empty)
define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n)            => Num(n)
  Var(x)            => env[x] otherwise fail Unbound(x)
  Sub(left, right)  => minus(eval(left, env), eval(right, env))
  Less(left, right) => Truth(number(eval(left, env)) < number(eval(right, env)))
  When(test, yes, no) =>
    let Truth(b) = eval(test, env) else _ => fail Other
    if b then eval(yes, env) else eval(no, env)
  Both(f, a, b, one, g, other, body) =>
    let rec inner = env with f = Closure(a, b, one, inner) with g = Closure(a, b, other, inner)
    eval(body, inner)
  Call(callee, first, second) =>
    let Closure(a, b, body, saved) = eval(callee, env) else _ => fail Other
    let one = eval(first, env)
    let two = eval(second, env)
    let within = saved with a = one
    eval(body, within with b = two)
  Bare(callee, first, second) =>
    let Closure(a, b, body, _) = eval(callee, env) else _ => fail Other
    let one = eval(first, env)
    let two = eval(second, env)
    let within = empty with a = one
    eval(body, within with b = two)
  Weight(e) => Tons(number(eval(e, env)))
  Swap(x, y, body) =>
    let (one, other) = swapped(x, y, env)
    match eval(body, one)
      Tons(n) => eval(body, other)
      v       => v
  Turn(n, x, y, body) =>
    let (one, other) = swapped(x, y, env)
    let (first, second) = turned(number(eval(n, env)), one, other)
    Num(number(eval(body, first)) - number(eval(body, second)))
define turned(n: Number, a: Env[Value], b: Env[Value]) -> (Env[Value], Env[Value])
  if n < 1 then (a, b) else turned(n - 1, b, a)
define swapped(x: Name, y: Name, env: Env[Value]) -> (Env[Value], Env[Value])
  let a = env[x] otherwise fail Unbound(x)
  let b = env[y] otherwise fail Unbound(y)
  let one = env with x = b
  let two = env with x = a
  (one with y = a, two with y = a)
define minus(a: Value, b: Value) -> Value by a, b
  Num(m), Num(n)    => Num(m - n)
  Tons(m), Tons(n)  => Tons(m - n)
  _, _              => fail Other
define number(v: Value) -> Number by v
  Num(n)   => n
  Tons(n)  => n
  _        => fail Other
"""

IN_TWO = [
    # By hand: (3, 2), (2, 2), (2, 1), (1, 1), (1, 0), (0, 0); 20 - 2 - 2 … below 2 is 0.
    ("both f x y = when x < 1 then y else call(f, y, x - 1), g = 7 in call(f, 3, 2)", "0"),
    ("both f x y = when x < 2 then x else call(f, x - 2, y), g = 1 in call(f, 20, 3)", "0"),
    ("both f x y = x - y, g = call(f, x, y) - 1 in call(g, 9, 4)", "4"),
    # Each knows the other and itself.
    ("both f x y = y, g = when x < 1 then call(f, x, y) else call(g, x - 1, y - 2) "
     "in call(g, 3, 10)", "4"),
    ("both f x y = when y < 1 then x else call(g, x, y - 1), g = when y < 1 then 0 - x else "
     "call(f, x - 1, y - 1) in call(f, 9, 3) - call(f, 9, 4)", "-15"),
    # Two kinds of numbers stay apart; a function without what it was made with.
    ("weight(9) - weight(4)", "5 t"),
    ("weight(9) - 4", "Other"),
    ("both f x y = x - weight(y), g = 0 in call(f, weight(7), 2)", "5 t"),
    ("both k x y = 8, g = 0 in both f x y = call(k, x, y), g = 0 in call(f, 1, 2)", "8"),
    ("both k x y = 8, g = 0 in both f x y = call(k, x, y), g = 0 in bare(f, 1, 2)", "Unbound"),
    ("both h f x = call(f, x, x) - bare(f, x, 1), g = 0 in "
     "both f x y = x - y, g = 0 in call(h, f, 5)", "-4"),
    ("both k x y = 8, g = 0 in both h f x = call(f, x, x) - bare(f, x, 1), g = 0 in "
     "both f x y = call(k, x, y) - x, g = 0 in call(h, f, 5)", "Unbound"),
    # Two environments from a function that calls itself: x is 4 in the first and 9 in the second.
    ("both f x y = turn x x y in x, g = 0 in call(f, 9, 4)", "5"),
    ("both f x y = turn x x y in x, g = 0 in call(f, 8, 4)", "-4"),
    # Both environments: x is y's number and y is x's; then both are x's.
    ("both f x y = swap x y in x - y, g = 0 in call(f, 9, 4)", "-5"),
    ("both f x y = swap x y in x - y, g = 0 in call(f, weight(9), weight(4))", "0 t"),
]  # fmt: skip


def test_functions_of_two_parameters_that_know_each_other(make_course: Maker) -> None:
    session = Session(make_course(two=TWO, environment=TWO_LANE).folder)
    lane = session.lane("Two", "environment")
    for text, value in IN_TWO:
        found = agrees(lane, term_of(lane, text))
        assert found is not None, text
        outcome = found.outcome
        program = specialise(lane.interpreter, term_of(lane, text))
        assert program.runs_to_its_end(lane.machine.display) == (outcome.kind == "value"), text
        assert (outcome.name if outcome.kind == "failure" else outcome.text) == value, text


RESERVING = """\
interpreter loops for Tiny
value Value
  Num(n: Number) shown Lit(n)
error Unbound(x: Name)  "nothing called {x} is in scope"
main run
define run(p: Expr) -> (Value, Store[Value])
  eval(p, empty, empty)
define eval(e: Expr, env: Env[Loc], store: Store[Value]) -> (Value, Store[Value]) by e
  Lit(n)              => (Num(n), store)
  Var(x)              => (store[env[x] otherwise fail Unbound(x)], store)
  Add(left, right)    =>
    let (Num(a), store) = eval(left, env, store)
    let (Num(b), store) = eval(right, env, store)
    (Num(a + b), store)
  Let(x, bound, body) =>
    let (loc, store) = reserve(store)
    let (v, store) = eval(bound, env with x = loc, store)
    eval(body, env with x = loc, store with loc = v)
"""


def test_a_location_that_is_only_reserved_holds_nothing(make_course: Maker) -> None:
    """What stands for itself is read before it is there, also where nobody looks at it after."""
    session = Session(make_course(tiny=TINY_LANGUAGE, loops=RESERVING).folder)
    lane = session.lane("Tiny", "loops")
    for text, kind in (("let x = x in 1", "stuck"), ("let x = 2 in let y = x + x in y", "value"),
                       ("let x = let y = x in 1 in 2", "stuck")):  # fmt: skip
        found = agrees(lane, term_of(lane, text))
        assert found is not None
        assert found.outcome.kind == kind, text


KNOTTED = """\
interpreter knotted for Tiny
value Value
  Num(n: Number)                     shown Lit(n)
  Held(x: Name, env: Env[Value])     shown "<held>"
error Unbound(x: Name)  "nothing called {x} is in scope"
main run
define run(p: Expr) -> (Value, Store[Value])
  eval(p, empty, empty)
define eval(e: Expr, env: Env[Value], store: Store[Value]) -> (Value, Store[Value]) by e
  Lit(n)           => (Num(n), store)
  Var(_)           => (Num(1), store)
  Add(left, _)     => eval(left, env, store)
  Let(x, _, body)  =>
    let rec inner = env with x = Held(x, inner)
    let held = inner[x] otherwise fail Unbound(x)
    let (_, after) = alloc(store, held)
    eval(body, inner, after)
"""


def test_what_cannot_be_put_together_beside_the_value_comes_from_the_interpreter(
    make_course: Maker,
) -> None:
    """A store that holds an environment which mentions itself; it is made when it is looked at."""
    session = Session(make_course(tiny=TINY_LANGUAGE, knotted=KNOTTED).folder)
    lane = session.lane("Tiny", "knotted")
    found = agrees(lane, term_of(lane, "let knot = 2 in let y = 3 in 4"))
    assert found is not None
    assert (found.outcome.text, [*found.state]) == ("4", ["@0 ↦ <held>, @1 ↦ <held>"])
