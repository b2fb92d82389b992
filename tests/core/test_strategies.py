"""Ways to evaluate, each as a definition of its own; and results that nobody here worked out."""

from __future__ import annotations

import pytest

from embrix.course.load import Course
from embrix.lanes.names import NoLane, interpreter_of
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.recorder import NOT_LEFT
from embrix.trace.walk import Walk
from tests.conftest import Maker

LANGUAGE = """\
language Small
  extension "small"
tokens
  number  /[0-9]+/   as Number
  name    /[a-z]+/   as Name
  skip    /[ \\n]+/
forms Expr
  Lit(n: Number)
  Var(x: Name)                              uses x
  Add(left: Expr, right: Expr)
  Sub(left: Expr, right: Expr)
  Let(x: Name, bound: Expr, body: Expr)     binds x in body
  When(test: Expr, yes: Expr, no: Expr)
  Fun(param: Name, body: Expr)              binds param in body
  Rec(f: Name, param: Name, rhs: Expr, body: Expr)   binds f in rhs, body   binds param in rhs
  Call(callee: Expr, arg: Expr)
  Escape(j: Name, body: Expr)               binds j in body
  Return(e: Expr)
  Raise(e: Expr)
  Try(body: Expr, x: Name, handler: Expr)   binds x in handler
grammar
  start Expr
  Expr ::=
    | "let" x:name "=" bound:Expr "in" body:Expr                       makes Let
    | "let" f:name "of" param:name "=" rhs:Expr "in" body:Expr         makes Rec
    | "when" test:Expr "then" yes:Expr "else" no:Expr                  makes When
    | "given" param:name ":" body:Expr                                 makes Fun
    | "mark" j:name "in" body:Expr                                     makes Escape
    | "leave" e:Expr                                                   makes Return
    | "raise" e:Expr                                                   makes Raise
    | "try" body:Expr "catch" x:name "in" handler:Expr                 makes Try
    | Sum
  operators Sum : Expr
    left "+" makes Add  "-" makes Sub
    left callee juxtaposed arg makes Call
    operand Atom
  Atom : Expr ::= n:number makes Lit | x:name makes Var | "(" Expr ")"
error Unbound(x: Name)   "nothing called {x} is in scope"
"""

CONTINUATIONS = """\
interpreter continuations for Small
value Value
  Num(n: Number)                                     shown "{n}"
  Closure(param: Name, body: Expr, env: Env[Value])  shown "<function>"
  Resume(k: (Value) -> Value)                        shown "<continuation>"
error NumberWanted(v: Value)    "{v} is no number"
error FunctionWanted(v: Value)  "{v} is no function"
judgement eval  "{env} ⊢ {e} ▷ {k}"
main run

define run(p: Expr) -> Value
  let leave = fn(v) => v
  eval(p, empty, leave, leave)

define eval(e: Expr, env: Env[Value], k: (Value) -> Value, exit: (Value) -> Value) -> Value by e
  Lit(n)  => k(Num(n))
  Var(x)  => k(env[x] otherwise fail Unbound(x))
  Add(left, right) =>
    eval(left, env, fn(l) =>
      eval(right, env, fn(r) =>
        k(Num(number(l) + number(r))), exit), exit)
  Sub(left, right) =>
    eval(left, env, fn(l) =>
      eval(right, env, fn(r) => k(Num(number(l) - number(r))), exit), exit)
  Let(x, bound, body) => eval(bound, env, fn(v) => eval(body, env with x = v, k, exit), exit)
  When(test, yes, no) =>
    eval(test, env, fn(t) =>
      if number(t) != 0 then eval(yes, env, k, exit) else eval(no, env, k, exit), exit)
  Fun(param, body)    => k(Closure(param, body, env))
  Rec(f, param, rhs, body) =>
    let rec inner = env with f = Closure(param, rhs, inner)
    eval(body, inner, k, exit)
  Escape(j, body)     => eval(body, env with j = Resume(k), k, exit)
  Return(e)           => eval(e, env, exit, exit)
  Call(callee, arg)   =>
    eval(callee, env, fn(f) =>
      eval(arg, env, fn(a) =>
        match f
          Closure(param, body, saved) => eval(body, saved with param = a, k, k)
          Resume(j)                   => j(a)
          _                           => fail FunctionWanted(f), exit), exit)
  no clause Raise(_) "continuations are enough here"
  no clause Try(_, _, _) "continuations are enough here"

define number(v: Value) -> Number by v
  Num(n) => n
  _      => fail NumberWanted(v)
"""

FAILURES = """\
interpreter failures for Small
value Value
  Num(n: Number)                                     shown "{n}"
  Closure(param: Name, body: Expr, env: Env[Value])  shown "<function>"
error Raised(v: Value)  "{v} was raised"
error Other             "not a number or function"
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
  Fun(param, body)    => Closure(param, body, env)
  Rec(f, param, rhs, body) =>
    let rec inner = env with f = Closure(param, rhs, inner)
    eval(body, inner)
  Call(callee, arg)   =>
    let Closure(param, body, saved) = eval(callee, env) else _ => fail Other
    eval(body, saved with param = eval(arg, env))
  Raise(e)            => fail Raised(eval(e, env))
  Try(body, x, handler) =>
    attempt eval(body, env)
      on Raised(Num(n)) when n == 99 => Num(n + 1)
      on Raised(v)                   => eval(handler, env with x = v)
  Escape(_, _)        => todo "escape"
  Return(_)           => todo "return"
define number(v: Value) -> Number by v
  Num(n) => n
  _      => fail Other
"""

RESULTS = """\
interpreter results for Small
  "Exceptions as data: every result says whether something was raised."
value Value
  Num(n: Number)                                     shown "{n}"
  Closure(param: Name, body: Expr, env: Env[Value])  shown "<function>"
data Result[A]
  Ok(v: A)
  Threw(v: Value)
error Uncaught(v: Value)  "{v} was raised"
error Other               "not a number or function"
main run
define run(p: Expr) -> Value
  match eval(p, empty)
    Ok(v)    => v
    Threw(v) => fail Uncaught(v)
define numbers(
  left: Expr, right: Expr, env: Env[Value], f: (Number, Number) -> Number) -> Result[Value]
  let Ok(Num(a)) = eval(left, env)  else stop => stop
  let Ok(Num(b)) = eval(right, env) else stop => stop
  Ok(Num(f(a, b)))
define eval(e: Expr, env: Env[Value]) -> Result[Value] by e
  Lit(n)              => Ok(Num(n))
  Var(x)              => Ok(env[x] otherwise fail Unbound(x))
  Add(left, right)    => numbers(left, right, env, fn(a, b) => a + b)
  Sub(left, right)    => numbers(left, right, env, fn(a, b) => a - b)
  Let(x, bound, body) =>
    let Ok(v) = eval(bound, env) else stop => stop
    eval(body, env with x = v)
  When(test, yes, no) =>
    let Ok(Num(n)) = eval(test, env) else stop => stop
    if n != 0 then eval(yes, env) else eval(no, env)
  Fun(param, body)    => Ok(Closure(param, body, env))
  Rec(f, param, rhs, body) =>
    let rec inner = env with f = Closure(param, rhs, inner)
    eval(body, inner)
  Call(callee, arg)   =>
    let Ok(f) = eval(callee, env) else stop => stop
    let Ok(v) = eval(arg, env) else stop => stop
    let Closure(param, body, saved) = f else _ => fail Other
    eval(body, saved with param = v)
  Raise(e)            =>
    let Ok(v) = eval(e, env) else stop => stop
    Threw(v)
  Try(body, x, handler) =>
    match eval(body, env)
      Threw(Num(n)) when n == 99 => Ok(Num(n + 1))
      Threw(v)                   => eval(handler, env with x = v)
      other                      => other
  Escape(_, _)        => todo "escape"
  Return(_)           => todo "return"
"""


def lanes(make_course: Maker, **texts: str) -> dict[str, Lane]:
    course = make_course(small=LANGUAGE, **texts)
    assert [d.message for d in course.diagnostics if d.severity == "error"] == []
    session = Session(course.folder)
    return {name: session.lane("Small", name) for name in course.interpreters["Small"]}


def sentence(lane: Lane, text: str, limits: Limits | None = None) -> str:
    return lane.run(text, limits=limits).outcome.sentence


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("1 + 2 - 4", "-1"),
        ("let x = 2 in let f = given y: x + y in let x = 50 in f 1", "3"),
        ("let sum of n = when n then n + sum (n - 1) else 0 in sum 10", "55"),
        ("1 + (mark j in 10 + j 5)", "6"),
        ("1 + (mark j in 10 + 5)", "16"),
        ("(mark j in let f = given x: j (x + 1) in f 1 + 1000) + 1", "3"),
        ("let f = given x: 100 + (leave x + 1) in f 1 + 10", "12"),
        ("10 + (leave 5)", "5"),
        ("1 2", "FunctionWanted: 1 is no function"),
        ("(given x: x) + 1", "NumberWanted: <function> is no number"),
        ("1 + raise 2", "stuck: no clause of eval takes this: Raise(Lit(2)), "),
    ],
)
def test_continuations_escape_and_return(make_course: Maker, text: str, expected: str) -> None:
    lane = lanes(make_course, continuations=CONTINUATIONS)["continuations"]
    text = text if "raise" not in text else "1 + (raise 2)"
    assert sentence(lane, text).startswith(expected.split(": Raise")[0])


def test_a_continuation_remembers_the_node_it_was_written_for(make_course: Maker) -> None:
    """What fails when both operands are there fails at the sum, not at the operand run last."""
    lane = lanes(make_course, continuations=CONTINUATIONS)["continuations"]
    for text, place in (("(given x: x) + 1", (0, 16)), ("2 + (1 + (given x: x))", (5, 21))):
        outcome = lane.run(text).outcome
        assert (outcome.name, outcome.place) == ("NumberWanted", place), text


def test_loops_in_continuation_passing_style_need_no_depth(make_course: Maker) -> None:
    """All calls are tail calls, also those of unknown functions: constant memory."""
    lane = lanes(make_course, continuations=CONTINUATIONS)["continuations"]
    text = "let loop of n = when n then loop (n - 1) else 7 in loop 100000"
    result = lane.run(text, variant="counted", limits=Limits(10**7, 2_000))
    assert result.outcome.text == "7"
    assert result.costs["depth"] < 20
    deep = "let sum of n = when n then 1 + sum (n - 1) else 0 in sum 100000"
    assert lane.run(deep, limits=Limits(10**7, 2_000)).outcome.text == "100000"


EXCEPTIONS = [
    ("try 1 catch x in 2", "1"),
    ("try raise 5 catch x in x + 1", "6"),
    ("try 1 + (raise 5) catch x in x", "5"),
    ("try (given y: raise y) 3 catch x in x + x", "6"),
    ("try try raise 1 catch x in raise x + 1 catch y in y + 10", "12"),
    ("try raise 99 catch x in 0", "100"),
    ("let f of n = when n then f (n - 1) else raise 4 in try f 50 catch x in x", "4"),
]


@pytest.mark.parametrize(("text", "expected"), EXCEPTIONS)
def test_exceptions_as_failures_and_as_data(make_course: Maker, text: str, expected: str) -> None:
    both = lanes(make_course, failures=FAILURES, results=RESULTS)
    assert {name: sentence(lane, text) for name, lane in both.items()} == {
        "failures": expected, "results": expected,
    }  # fmt: skip


def test_what_is_not_caught_is_told(make_course: Maker) -> None:
    both = lanes(make_course, failures=FAILURES, results=RESULTS)
    assert sentence(both["failures"], "1 + (raise 3)") == "Raised: 3 was raised"
    assert sentence(both["results"], "1 + (raise 3)") == "Uncaught: 3 was raised"
    assert sentence(both["failures"], "try nobody catch x in 1") == (
        "Unbound: nothing called nobody is in scope"
    )
    assert sentence(both["failures"], "mark j in 1") == "unfinished: escape"


def test_a_trace_goes_on_behind_a_caught_failure(make_course: Maker) -> None:
    from embrix.trace.walk import Walk

    text = FAILURES.replace("main run", 'judgement eval "{e} ⇓ {result}"\nmain run')
    lane = lanes(make_course, failures=text)["failures"]
    walk = Walk(lane, lane.trace("(try 1 + (raise 2) catch x in x) + 3"))
    assert walk.lines() == [
        "1 ⇓ 1", "2 ⇓ 2", "raise 2 ⇓ …", "1 + (raise 2) ⇓ …", "x ⇓ 2",
        "try 1 + (raise 2) catch x in x ⇓ 2", "3 ⇓ 3",
        "(try 1 + (raise 2) catch x in x) + 3 ⇓ 5",
    ]  # fmt: skip


FORMS_ONLY = """\
language Logic
forms Formula
  Yes
  Not(f: Formula)
  All(fs: List[Formula])
  Named(x: Name, given: Maybe[Formula])
"""
DECIDING = """\
interpreter deciding for Logic
  "An environment of the author's own, searched by the author's own function."
data Scope
  Nobody
  Known(x: Name, b: Bool, outer: Scope)
error Unknown(x: Name)  "{x} is not known"
main run
define run(f: Formula) -> Bool
  holds(f, Known(x_of("ready"), true, Nobody))
define x_of(t: Text) -> Text
  t
define holds(f: Formula, s: Scope) -> Bool by f
  Yes                  => true
  Not(f)               => not holds(f, s)
  All([])              => true
  All([f, ..rest])     => holds(f, s) and holds(All(rest), s)
  Named(x, None)       => find(x, s)
  Named(x, Some(g))    => holds(Named(x, None), Known(x, holds(g, s), s))
define find(x: Name, s: Scope) -> Bool by s
  Nobody                          => fail Unknown(x)
  Known(y, b, _) when x == y      => b
  Known(_, _, outer)              => find(x, outer)
"""


def test_a_language_without_a_grammar_and_an_own_environment(make_course: Maker) -> None:
    deciding = DECIDING.replace('Known(x_of("ready"), true, Nobody)', "Nobody").replace(
        "define x_of(t: Text) -> Text\n  t\n", ""
    )
    course = make_course(logic=FORMS_ONLY, deciding=deciding)
    assert [d.message for d in course.diagnostics] == []
    lane = Session(course.folder).lane("Logic", "deciding")
    for text, expected in (
        ("term: All([Yes, Not(Not(Yes))])", "true"),
        ("term: Named(gate, Some(Not(Yes)))", "false"),
        ("term: Named(gate, None)", "Unknown: gate is not known"),
        ("term: All([Nott(Yes)])", "rejected: there is no form called Nott; did you mean Not?"),
        ("Yes", "rejected: Logic has no grammar: write term: and a term of its forms"),
    ):
        assert lane.run(text).outcome.sentence == expected
    assert lane.run("term: Named(gate, None)").outcome.place == (6, 23)


# ---------------------------------------------------------------------- oracles

MAN_OR_BOY = [1, 0, -2, 0, 1, 0, 1, -1, -10, -30, -67]
"""Knuth, "Man or boy?", ALGOL Bulletin 17 (1964), and the table that has been printed since."""


@pytest.mark.parametrize("name", ["store_passing", "rewriting"])
def test_man_or_boy(lockside: Course, name: str) -> None:
    lane = Session(lockside.folder).lane("Weir", name)
    program = (lockside.folder / "weir/programs/man_or_boy.weir").read_text()
    most = len(MAN_OR_BOY) if name == "store_passing" else 6
    for k, expected in enumerate(MAN_OR_BOY[:most]):
        result = lane.run(program.replace("a[6,", f"a[{k},"))
        assert "".join(result.output) == f"{expected}\n", k


def ackermann(m: int, n: int) -> int:
    if m == 0:
        return n + 1
    return ackermann(m - 1, 1 if n == 0 else ackermann(m, n - 1))


@pytest.mark.parametrize("name", ["environment", "substitution", "store_passing", "by_need"])
def test_ackermann(lockside: Course, name: str) -> None:
    lane = Session(lockside.folder).lane("Rill", name)
    text = (
        "let ack of m = given n: when m is 0 then n + 1 else when n is 0 then ack (m - 1) 1 "
        "else ack (m - 1) (ack m (n - 1)) in ack {} {}"
    )
    for m, n in ((0, 3), (1, 4), (2, 3), (3, 3)):
        assert lane.run(text.format(m, n)).outcome.text == str(ackermann(m, n))


def test_the_programs_of_the_course_tell_the_strategies_apart(lockside: Course) -> None:
    """One program per language whose lanes differ in value, one in cost, one that only waits."""
    session = Session(lockside.folder)

    def outcomes(language: str, program: str) -> dict[str, str]:
        text = (lockside.folder / program).read_text()
        limits = Limits(calls=200_000)
        return {
            lane.name: lane.run(text, limits=limits).outcome.sentence
            for lane in session.lanes(language)
        }

    rates = outcomes("Rill", "rill/programs/rates.rill")
    assert rates.pop("dynamic_scope") == "80"
    assert set(rates.values()) == {"60"}
    spare = outcomes("Rill", "rill/programs/spare.rill")
    assert {name for name, text in spare.items() if text == "20"} == {"by_name", "by_need", "heap"}
    church = outcomes("Rill", "rill/programs/church.rill")
    assert {text for name, text in church.items() if name != "dynamic_scope"} == {"11"}
    levels = outcomes("Mere", "mere/programs/levels.mere")
    assert levels["by_need"] == levels["by_name"] == "14.0"
    assert levels["environment"].startswith("out of fuel")


def test_each_suspension_is_forced_at_most_once_by_need(lockside: Course) -> None:
    session = Session(lockside.folder)
    text = (lockside.folder / "rill/programs/costly.rill").read_text()
    need = session.lane("Rill", "by_need").run(text).costs
    name = session.lane("Rill", "by_name").run(text).costs
    assert need["suspensions forced"] <= need["suspensions made"]
    assert name["suspensions forced"] > name["suspensions made"]
    assert name["calls of eval"] > 2 * need["calls of eval"]


def test_choices_are_part_of_a_lane(lockside: Course) -> None:
    lanes_of_rill = lockside.interpreters["Rill"]
    lane = interpreter_of(lanes_of_rill, "environment[truth=zero_is_false, first=right]")
    assert lane.lane == "environment[truth=zero_is_false, first=right]"
    assert interpreter_of(lanes_of_rill, "environment[truth=booleans_only]").lane == "environment"
    for wrong in ("environment[truht=zero_is_false]", "environment[truth=zero_is_fals]"):
        with pytest.raises(NoLane, match="did you mean"):
            interpreter_of(lanes_of_rill, wrong)


def test_deep_continuations_can_be_recorded(make_course: Maker) -> None:
    """A call in tail position bounces in a recorded run too; everything entered is left."""
    lane = lanes(make_course, continuations=CONTINUATIONS)["continuations"]
    traced = lane.trace(
        "let sum of n = when n then n + sum (n - 1) else 0 in sum 30000", limits=Limits(10**7)
    )
    assert traced.result.outcome.sentence == "450015000"
    recorder = traced.recorder
    assert recorder.current == -1
    assert not recorder.pending
    assert sorted(m for m in recorder.events if m >= 0) == list(range(len(recorder.functions)))
    assert {~m for m in recorder.events if m < 0} == set(range(len(recorder.functions)))
    assert NOT_LEFT not in recorder.results


def test_calls_in_tail_position_are_told(lockside: Course) -> None:
    lane = Session(lockside.folder).lane("Rill", "environment")
    walk = Walk(lane, lane.trace("let x = 1 in x + 2"))
    told = {s.text: s.note for s in map(walk.step, range(len(walk))) if s.kind == "enter"}
    assert told["∅ ⊢ let x = 1 in x + 2 ⇓ …"] == ""
    assert told["∅ ⊢ 1 ⇓ …"] == ""
    assert told["x = 1 ⊢ x + 2 ⇓ …"] == "tail call"
    assert told["x = 1 ⊢ x ⇓ …"] == told["x = 1 ⊢ 2 ⇓ …"] == ""


@pytest.mark.parametrize(
    ("language", "name", "text", "expected", "place"),
    [
        ("Rill", "environment", "let f of x = f x in f 3",
         "nothing new after judgement 7, f = <function>, x… ⊢ x ⇓ …", 15),
        ("Rill", "environment", "let f of x = f (x + 1) in f 3",
         "it still reached new states", None),
        ("Mere", "by_name", "let endless tide = tide + 1 in 2 * tide",
         "nothing new after judgement 6, tide = tide + 1.0 ⊢ tide ⇓ …", 19),
    ],
)  # fmt: skip
def test_where_a_run_without_end_came_to_nothing_new(
    lockside: Course, language: str, name: str, text: str, expected: str, place: int | None
) -> None:
    lane = Session(lockside.folder).lane(language, name)
    outcome = lane.run(text, limits=Limits(calls=30_000)).outcome
    assert outcome.sentence == f"out of fuel: more than 30,000 calls; {expected}"
    assert (outcome.place[0] if outcome.place else None) == place


def test_a_long_way_through_an_environment_uses_fuel(lockside: Course) -> None:
    """Every call goes by all frames of the calls before it: that is bounded as well."""
    lane = Session(lockside.folder).lane("Rill", "dynamic_scope")
    result = lane.run("let f of x = f x in f 3", limits=Limits(calls=100_000))
    assert result.outcome.name == "calls"
    assert sum(result.costs[c] for c in ("calls",)) < 50_000
    assert result.costs["hops"] > 8 * 50_000


@pytest.mark.parametrize(
    ("language", "name", "substitutions", "nodes"),
    [
        # let x = 1 in x + x: one substitution into a body of three nodes, by hand and derived.
        ("Drip", "rewriting", 1, 3),
        ("Rill", "substitution", 1, 3),
    ],
)
def test_the_nodes_that_a_substitution_goes_by(
    lockside: Course, language: str, name: str, substitutions: int, nodes: int
) -> None:
    costs = Session(lockside.folder).lane(language, name).run("let x = 1 in x + x").costs
    assert (costs["substitutions"], costs["nodes visited"]) == (substitutions, nodes)
