"""Residual programs do what the interpreter does: the same outcome, place, output, state and number
of calls; and what they are made of is what it should be."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.course.load import Course
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.outcome import Result
from embrix.machine.residual.knowledge import NotResidual
from embrix.machine.residual.residual_run import ResidualProgram, specialise
from embrix.terms.node import Node, Value
from tests.conftest import TINY_LANGUAGE, Maker
from tests.core.test_reference import cases_and_lanes
from tests.core.test_strategies import CONTINUATIONS, FAILURES, LANGUAGE
from tests.strategies import terms

LIMITS = Limits(calls=20_000, depth=30_000, output=2_000)
LANES = [
    ("Drip", "environment"), ("Rill", "environment"), ("Rill", "by_name"), ("Rill", "by_need"),
    ("Rill", "store_passing"), ("Rill", "dynamic_scope"),
    ("Rill", "environment[first=right, checking=at_once]"), ("Weir", "store_passing"),
    ("Weir", "stale_store"), ("Weir", "store_passing[arithmetic=binary]"),
    ("Weir", "store_passing[assignment=old_value, loop=rounds]"), ("Mere", "environment"),
    ("Mere", "by_name"), ("Mere", "by_need"), ("Gauge", "environment"), ("Siren", "environment"),
    ("Punt", "environment"),
]  # fmt: skip


@pytest.fixture(scope="module")
def session(lockside: Course) -> Session:
    return Session(lockside.folder)


def term_of(lane: Lane, text: str) -> Node:
    parsed = lane.parser.parse(text)
    assert isinstance(parsed, Parsed), text
    return parsed.term


def told(result: Result) -> tuple[object, ...]:
    one = result.outcome
    return (one.kind, one.name, one.text, one.place, one.structure, result.output,
            list(result.state), result.spent)  # fmt: skip


def agrees(
    lane: Lane, term: Node, lines: tuple[str, ...] = ("3", "x"), limits: Limits = LIMITS,
    given: Sequence[tuple[str, Value]] = (),
) -> Result | None:  # fmt: skip
    """The residual program gives what the interpreter gives; None where there is none."""
    if lane.machine.residual(term, tuple(name for name, _ in given)) is None:
        return None
    left, whole = (
        lane.machine.run(term, given, variant="plain", limits=limits, given_input=lines,
                         residual=residual, few=0)
        for residual in (True, False)
    )  # fmt: skip
    assert told(left) == told(whole)
    return whole


def left_of(lane: Lane, text: str) -> ResidualProgram:
    return specialise(lane.interpreter, term_of(lane, text))


@pytest.mark.parametrize("language", ["Drip", "Rill", "Mere", "Weir", "Gauge", "Punt", "Siren"])
def test_every_case_of_the_course(session: Session, language: str) -> None:
    cases, lanes = cases_and_lanes(session, language)
    values = 0
    for name in lanes:
        lane = session.lane(language, name)
        for case in cases[::3]:
            parsed = lane.parser.parse(case.program)
            if isinstance(parsed, Parsed):
                term, supplied = lane.with_given(parsed.term, case.given, None)
                found = agrees(lane, term, tuple(case.input), given=supplied)
                values += found is not None and found.outcome.kind == "value"
    assert values >= {"Punt": 2, "Siren": 2, "Drip": 8, "Gauge": 10}.get(language, 40)


@pytest.mark.parametrize(("language", "name"), LANES)
@given(data=st.data())
@settings(max_examples=25)
def test_programs_that_nobody_wrote(
    session: Session, language: str, name: str, data: st.DataObject
) -> None:
    lane = session.lane(language, name)
    sort = "Stmt" if language == "Weir" else "Expr"
    agrees(lane, data.draw(terms(lane.interpreter.language.signature, sort, 5)))


FUNCTIONS = [
    # Worked out by hand: 1 + 2 + … + 40; ten times 3; (2 + 1) + 1; 5 * 4 * 3 * 2.
    ("let sum of n = when n < 1 then 0 else n + sum (n - 1) in sum 40", "820"),
    ("let loop of n = given t: when n < 1 then t else loop (n - 1) (t + 3) in loop 10 0", "30"),
    ("let twice = given f: given x: f (f x) in twice (given y: y + 1) 2", "4"),
    ("let fac of n = when n < 2 then 1 else n * fac (n - 1) in fac 5", "120"),
    ("let k = 3 in let f = given x: x * k in let k = 100 in f 2", "6"),
    ("let f of n = when n < 1 then given y: y + n else f (n - 1) in f 7 5", "5"),
    ("let even = given self: given n: when n < 1 then true else when n < 2 then false else "
     "self self (n - 2) in even even 8", "true"),
    ("let f = given x: given y: x is y in f 1 true", "false"),
    ("let pick = given b: when b then given x: x + 1 else given x: x * 10 in "
     "pick true 5 + pick (1 < 0) 5", "56"),
    ("(1 / 3 + 2 / 3) * 7", "7"),
]  # fmt: skip


@pytest.mark.parametrize("name", ["environment", "by_name", "by_need", "store_passing"])
def test_programs_whose_values_are_known_beforehand(session: Session, name: str) -> None:
    lane = session.lane("Rill", name)
    for text, value in FUNCTIONS:
        term = term_of(lane, text)
        found = agrees(lane, term, limits=Limits())
        assert found is not None, text
        assert found.outcome.text == value, text
        # It was the residual program that gave it.
        program = specialise(lane.interpreter, term)
        assert program.runs_to_its_end(lane.machine.display), text


@pytest.mark.parametrize("name", ["environment", "by_name", "by_need", "store_passing"])
def test_names_supplied_by_hand_are_parameters(session: Session, name: str) -> None:
    """The same residual program for other numbers; a truth value is no number, and a function
    that is handed over is for the interpreter."""
    lane = session.lane("Rill", name)
    parsed = term_of(lane, "let sum of n = when n < 1 then 0 else n + sum (n - 1) in sum n * k")
    for n, k, value in (
        ("4", "3", "30"),
        ("0", "7", "0"),
        ("5", "1 / 2", "7.5"),
        ("true", "1", "NumberWanted"),
        ("3", "given x: x", "NumberWanted"),
    ):
        term, values = lane.with_given(parsed, {"n": n, "k": k}, None)
        found = agrees(lane, term, given=values)
        assert found is not None
        assert value in (found.outcome.text, found.outcome.name)
    if lane.machine.takes_bindings:
        names = ("n", "k")
        assert lane.machine.residual(parsed, names) is lane.machine.residual(parsed, names)


def test_a_function_that_calls_itself_is_called_directly(session: Session) -> None:
    """No interpreter is left, and no environment: one function of one number."""
    program = left_of(session.lane("Rill", "environment"), FUNCTIONS[0][0])
    assert len(program.program.residuals) == 2
    assert "f1(" in program.text
    assert program.program.shapes == {}
    assert program.program.dispatches == {}


def test_a_call_in_the_last_place_is_a_loop(session: Session) -> None:
    """200,000 rounds take no more room than 20."""
    lane = session.lane("Rill", "environment")
    text = "let count of n = when n < 1 then 7 else count (n - 1) in count 200000"
    assert "while True" in left_of(lane, text).text
    result = lane.machine.run(
        term_of(lane, text), variant="plain", residual=True,
        limits=Limits(calls=10_000_000, depth=1_000),
    )  # fmt: skip
    assert result.outcome.text == "7"


def test_a_method_that_calls_itself_last_is_a_loop(session: Session) -> None:
    """Where a store holds the function, its only shape says which code it has."""
    lane = session.lane("Rill", "store_passing")
    text = "let count of n = when n < 1 then 7 else count (n - 1) in count 30000"
    term = term_of(lane, text)
    assert "while True" in left_of(lane, text).text
    result = specialise(lane.interpreter, term).runs_to_its_end(
        lane.machine.display, Limits(calls=10_000_000, depth=1_000)
    )
    assert result
    # With two functions in the store nobody knows which one is meant.
    both = f"let other = given x: x in {text}"
    assert "while True" not in left_of(lane, both).text
    found = agrees(lane, term_of(lane, both.replace("30000", "300")), limits=Limits())
    assert found is not None
    assert found.outcome.text == "7"


@pytest.mark.parametrize("name", ["environment", "by_name", "by_need", "store_passing"])
def test_functions_in_scope_of_each_other_are_made_once(session: Session, name: str) -> None:
    """Each holds all before it: what is made of them grows with their number, not with its
    powers."""

    def statements(count: int) -> int:
        names = [f"f{'abcdefghij'[n // 10]}{'abcdefghij'[n % 10]}" for n in range(count)]
        made = "".join(f"let {one} = given x: x + {n} in " for n, one in enumerate(names))
        text = f"{made}let ap = given g: given x: g x in " + " + ".join(
            f"ap {one} 1" for one in names
        )
        lane = session.lane("Rill", name)
        if count < 20:
            found = agrees(lane, term_of(lane, text), limits=Limits())
            assert found is not None
            assert found.outcome.text == str(count + count * (count - 1) // 2)
        return left_of(lane, text).program.statements

    assert statements(24) < 4 * statements(8)


def test_a_large_program_is_not_specialised(session: Session) -> None:
    """It is told why, and run as ever."""
    lane = session.lane("Rill", "environment")
    text = "let f of n = when n < 1 then 0 else 1 + f (n - 1) in " + " + ".join(["f 9"] * 400)
    term = term_of(lane, text)
    assert lane.machine.residual(term) is None
    with pytest.raises(NotResidual, match="more than"):
        specialise(lane.interpreter, term, most=1_000)
    assert lane.machine.run(term, variant="plain", residual=True).outcome.text == "3600"


@pytest.mark.parametrize("name", ["environment", "store_passing", "by_need"])
def test_deep_recursion(session: Session, name: str) -> None:
    lane = session.lane("Rill", name)
    text = "let sum of n = when n < 1 then 0 else 1 + sum (n - 1) in sum 30000"
    limits = Limits(calls=10_000_000, depth=200_000)
    found = agrees(lane, term_of(lane, text), limits=limits)
    assert found is not None
    assert found.outcome.text == "30000"


def test_the_last_call_that_is_allowed(session: Session) -> None:
    """With as many calls as a program makes it comes to its end, with one less it does not."""
    for name in ("environment", "store_passing", "by_need"):
        lane = session.lane("Rill", name)
        term = term_of(lane, FUNCTIONS[0][0])
        calls = lane.machine.run(term, variant="plain", residual=False).spent
        for more, kind in ((0, "value"), (-1, "out of fuel"), (-calls // 2, "out of fuel")):
            found = agrees(lane, term, limits=Limits(calls=calls + more))
            assert found is not None
            assert found.outcome.kind == kind


def test_other_limits_are_those_of_any_run(session: Session) -> None:
    lane = session.lane("Rill", "environment")
    large = "let f of n = when n < 1 then 3 else let x = f (n - 1) in x * x in f 20"
    found = agrees(lane, term_of(lane, large), limits=Limits())
    assert found is not None
    assert found.outcome.name == "numbers"
    weir = session.lane("Weir", "store_passing")
    talk = "new n := 0; while n < 2000 do { show 1234567; n := n + 1 }"
    found = agrees(weir, term_of(weir, talk), limits=Limits(output=2_000))
    assert found is not None
    assert found.outcome.name == "output"


def test_a_store_that_is_used_in_turn_is_changed_in_place(session: Session) -> None:
    """The lane with the bug goes back to an older store, so it keeps all of them."""
    text = (
        "new passed := 0; new turn := given by: begin passed := passed + by give passed; "
        "new last := 0; last := turn 1 + turn 1; show passed; show last"
    )
    found = []
    for name, linear in (("store_passing", True), ("stale_store", False)):
        lane = session.lane("Weir", name)
        assert left_of(lane, text).python.linear is linear
        result = agrees(lane, term_of(lane, text))
        assert result is not None
        found.append("".join(result.output))
    assert found[0] == "2\n3\n"
    assert found[1] != found[0]


def test_operands_of_the_wrong_kind_are_found(session: Session) -> None:
    """A truth value is no number, whatever Python says; the place is that of the interpreter."""
    lane = session.lane("Rill", "environment")
    for text in (
        "let f = given x: x + 1 in f true",
        "let f = given x: x in f f + 1",
        "let f = given x: x in when f 1 then 2 else 3",
        "let f = given x: x 1 in f 2",
    ):
        result = agrees(lane, term_of(lane, text))
        assert result is not None
        assert result.outcome.kind == "failure", text
        assert result.outcome.place is not None


def test_floats_are_those_of_the_machine(session: Session) -> None:
    lane = session.lane("Weir", "store_passing[arithmetic=binary]")
    for text in (
        "new x := 1; new y := x / 10 + 2 / 10; show y",
        "new big := 2; while big < 1000 do big := big * big; show big",
    ):
        result = agrees(lane, term_of(lane, text))
        assert result is not None
        assert result.outcome.kind == "value"


RACE = "x := 0; { x := 1 beside x := 2 } give x"


@pytest.mark.parametrize("language", ["Race", "Eddy"])
def test_small_steps_are_not_specialised(session: Session, language: str) -> None:
    name = next(iter(session.course.interpreters[language]))
    lane = session.lane(language, name)
    with pytest.raises(NotResidual, match="repeats small steps"):
        left_of(
            lane, "given x: x" if language == "Eddy" else "x := 0; { x := 1 beside x := 2 } give x"
        )


def test_definitions_of_other_authors(make_course: Maker) -> None:
    """Continuations as functions of the notation are not specialised, failures are told by the
    interpreter."""
    course = make_course(small=LANGUAGE, failures=FAILURES, continuations=CONTINUATIONS)
    session = Session(course.folder)
    given = 0
    for name in course.interpreters["Small"]:
        lane = session.lane("Small", name)
        for text in (
            "let f of n = when n then n + f (n - 1) else 0 in f 40",
            "let apply = given f: given x: f (f x) in apply (given y: y + 1) 4",
            "let f of n = when n then f (n - 1) + missing else missing in f 5",
        ):
            given += agrees(lane, term_of(lane, text)) is not None
    assert given >= 3


def test_a_run_can_be_stopped(session: Session) -> None:
    lane = session.lane("Rill", "environment")
    text = "let count of n = when n < 1 then 7 else count (n - 1) in count 100000000"
    stops = []

    def on_start(stop: object) -> None:
        stops.append(stop)
        if len(stops) == 1:
            assert callable(stop)
            stop()

    result = lane.machine.run(
        term_of(lane, text), variant="plain", residual=True, on_start=on_start,
        limits=Limits(calls=1 << 50),
    )  # fmt: skip
    assert result.outcome.kind == "out of fuel"


def test_exact_fractions(session: Session) -> None:
    lane = session.lane("Rill", "environment")
    result = agrees(lane, term_of(lane, "let f = given x: x / 3 in f 1 + f 1"))
    assert result is not None
    assert result.outcome.value[2] == Fraction(2, 3)


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
