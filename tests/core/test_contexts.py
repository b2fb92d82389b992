"""Contexts in small steps, `k[P]`, held against an evaluator by hand that knows no steps."""

from __future__ import annotations

import random
from typing import Any

import pytest

from embrix.course.load import Course
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.services.renaming import renamed
from embrix.terms.generate import Generator, Words
from embrix.terms.node import FIELDS, Node
from embrix.trace.walk import Walk
from tests.conftest import Maker
from tests.core.test_reference import held_against

LANGUAGE = """\
language Lock
  extension "lock"
numbers integer
tokens
  number /[0-9]+/ as Number
  name   /[a-z]+/ as Name
  skip   / +/
forms Expr
  Lit(n: Number)
  Var(x: Name)  uses x
  Add(left: Expr, right: Expr)
  Fun(x: Name, body: Expr)  binds x in body
  Call(callee: Expr, arg: Expr)
  Raise(e: Expr)
  Try(body: Expr, handler: Expr)
  Escape(k: Name, body: Expr)  binds k in body
grammar
  start Expr
  Expr ::=
    | "given" x:name ":" body:Expr  makes Fun
    | "raise" e:Expr makes Raise
    | "try" body:Expr "else" handler:Expr makes Try
    | "escape" k:name ":" body:Expr makes Escape
    | Sum
  operators Sum : Expr
    left "+" makes Add
    left callee juxtaposed arg makes Call
    operand Atom
  Atom : Expr ::= n:number makes Lit | x:name makes Var | "(" Expr ")"
"""
STEPS = """\
interpreter steps for Lock
error Unbound(x: Name)  "nothing called {x}"
judgement step "{e} → {result}"
main run
define run(p: Expr) -> Expr
  repeat step(p)
define step(e: Expr) -> Expr by e
  final Lit(_)
  final Fun(_, _)
  final Raise(v) when value(v)
  Try(_[Raise(v)] without Try, handler) when value(v)  => Call(handler, v)
  _[Raise(v)] without Try when value(v)                => Raise(v)
  k[Escape(x, body)]                                   =>
    let y = fresh(x, free(k(body)))
    substitute(Fun(y, Raise(k(Var(y)))), x, body)
  order Add(a, b)      : a, b
  order Call(f, a)     : f, a
  order Raise(e)       : e
  order Try(body, _)   : body
  Add(Lit(m), Lit(n))  => Lit(m + n)
  Call(Fun(x, body), v) => substitute(v, x, body)
  Try(v, _)            => v
  Var(x)               => fail Unbound(x)
  no clause Add(_, _)  "what is no number is stuck"
  no clause Call(_, _) "what is no function is stuck"
define value(e: Expr) -> Bool by e
  Lit(_)     => true
  Fun(_, _)  => true
  _          => false
"""


@pytest.fixture
def lane(make_course: Maker) -> Lane:
    course = make_course(lock=LANGUAGE, steps=STEPS)
    assert [one.message for one in course.diagnostics] == []
    return Session(course.folder).lane("Lock", "steps")


@pytest.mark.parametrize(
    ("program", "steps"),
    [
        ("1 + (2 + (raise 5))", ["1 + (2 + (raise 5))", "raise 5"]),
        ("try 1 + (raise 2 + 3) else given x: x",
         ["try 1 + (raise 2 + 3) else given x: x", "try 1 + (raise 5) else given x: x",
          "(given x: x) 5", "5"]),
        # The inner attempt stops it, and what its handler raises goes on.
        ("try 1 + (try raise 2 else given x: raise x + 1) else given y: y",
         ["try 1 + (try raise 2 else given x: raise x + 1) else given y: y",
          "try 1 + (given x: raise x + 1) 2 else given y: y",
          "try 1 + (raise 2 + 1) else given y: y", "try 1 + (raise 3) else given y: y",
          "(given y: y) 3", "3"]),
        # What stands around `escape` becomes a function.
        ("10 + (escape k: 1 + k 5)",
         ["10 + (escape k: 1 + k 5)", "1 + (given ka: raise 10 + ka) 5", "1 + (raise 10 + 5)",
          "1 + (raise 15)", "raise 15"]),
        ("escape k: 3", ["escape k: 3", "3"]),
        # Of two places the inner one is meant: the outer one holds no value.
        ("raise (1 + (raise 2))", ["raise 1 + (raise 2)", "raise 2"]),
        # The second operand runs, as it has not been found out that the first is none.
        ("(given x: x) + (raise 1)", ["(given x: x) + (raise 1)", "raise 1"]),
    ],
)  # fmt: skip
def test_reductions_with_contexts(lane: Lane, program: str, steps: list[str]) -> None:
    """Worked out on paper."""
    walk = Walk(lane, lane.trace(program))
    texts = [walk.text(number) for number in range(len(walk))]
    assert texts[: len(steps)] == steps


def test_a_guard_about_more_than_the_place_is_asked_of_the_clause(make_course: Maker) -> None:
    """Where the handler is no value the attempt gives what it holds, as its last clause says."""
    old = "Try(_[Raise(v)] without Try, handler) when value(v)  =>"
    assert old in STEPS
    new = "Try(_[Raise(v)] without Try, handler) when value(v) and value(handler) =>"
    course = make_course(lock=LANGUAGE, steps=STEPS.replace(old, new))
    lane = Session(course.folder).lane("Lock", "steps")
    assert lane.run("try raise 1 else 2 + 3").outcome.text == "raise 1"
    assert lane.run("try raise 1 else given x: x + 3").outcome.text == "4"


def test_parts_may_be_named_by_several_order_lines(make_course: Maker) -> None:
    """What stands between the lines makes no difference to where the next step is."""
    steps = STEPS.replace(
        "  order Call(f, a)     : f, a\n",
        "  order Call(f, _) : f\n  Call(Lit(n), Lit(_)) => Lit(n)\n  order Call(_, a) : a\n",
    )
    assert steps != STEPS
    course = make_course(lock=LANGUAGE, steps=steps)
    lane = Session(course.folder).lane("Lock", "steps")
    assert lane.run("(given x: x) (1 + (raise 2))").outcome.text == "raise 2"
    assert lane.run("(1 + (raise 2)) 3").outcome.text == "raise 2"


ROWS = LANGUAGE.replace(
    "  Raise(e: Expr)\n", "  Raise(e: Expr)\n  Row(items: List[Expr])\n"
).replace('"(" Expr ")"', '"(" Expr ")" | "[" items:list(Expr, ",") "]" makes Row')


@pytest.mark.parametrize(
    ("program", "ends"),
    [
        ("[1, 2 + 3, 4]", "[1, 5, 4]"),
        ("[1, raise 2, 3]", "raise 2"),
        # The first item runs to its end before the second is looked at.
        ("[1 + 1, raise 2 + 3, raise 9]", "raise 5"),
        ("1 + [raise 2]", "raise 2"),
        ("[1, [2, try raise 3 else given x: x + 1], 5]", "[1, [2, 4], 5]"),
        ("try [1, [2, raise 3], 4] else given x: x", "3"),
        # What stands around a way out is the row, its items before and behind.
        ("[1, escape k: k 2, 3]", "raise [1, 2, 3]"),
        ("[]", "[]"),
    ],
)
def test_items_of_lists_are_places(make_course: Maker, program: str, ends: str) -> None:
    """Worked out on paper."""
    steps = STEPS.replace(
        "  final Lit(_)\n", "  final Lit(_)\n  final Row(items) when values(items)\n"
    ).replace("  order Call", "  order Row(items)     : items\n  order Call")
    steps = steps.replace(
        "  _          => false\n", "  Row(items) => values(items)\n  _ => false\n"
    )
    steps += """define values(items: List[Expr]) -> Bool
  fold(items, true, fn(all, one) => all and value(one))
"""
    course = make_course(lock=ROWS, steps=steps)
    assert [one.message for one in course.diagnostics] == []
    lane = Session(course.folder).lane("Lock", "steps")
    assert lane.run(program).outcome.text == ends
    parsed = lane.parser.parse(program)
    assert isinstance(parsed, Parsed)
    held_against(lane, parsed.term)


# ---------------------------------------------------------------------- by hand


class Raised(Exception):
    pass


class Stuck(Exception):
    pass


def by_hand(names: dict[int, str], node: Node, env: dict[str, Any]) -> Any:
    """The value of a term without `escape`: a number or a Python function."""
    parts = node[FIELDS:]
    match names[node[0]]:
        case "Lit":
            return parts[0]
        case "Var":
            return env[parts[0]]
        case "Add":
            left, right = by_hand(names, parts[0], env), by_hand(names, parts[1], env)
            if callable(left) or callable(right):
                raise Stuck
            return left + right
        case "Fun":
            return lambda v: by_hand(names, parts[1], {**env, parts[0]: v})
        case "Call":
            callee, arg = by_hand(names, parts[0], env), by_hand(names, parts[1], env)
            if not callable(callee):
                raise Stuck
            return callee(arg)
        case "Raise":
            raise Raised(by_hand(names, parts[0], env))
        case "Try":
            try:
                return by_hand(names, parts[0], env)
            except Raised as raised:
                handler = by_hand(names, parts[1], env)
                if not callable(handler):
                    raise Stuck from None
                return handler(raised.args[0])
    raise AssertionError(node)


def told(work: Any) -> tuple[str, object]:
    try:
        value = work()
    except Raised as raised:
        value = raised.args[0]
        return "raised", "function" if callable(value) else value
    except Stuck:
        return "stuck", ""
    return "value", "function" if callable(value) else value


@pytest.mark.parametrize("seed", [3, 88, 4021])
def test_random_programs_come_to_what_is_worked_out_by_hand(lane: Lane, seed: int) -> None:
    signature = lane.interpreter.signature
    names = {tag: form.name for tag, form in signature.by_tag.items()}
    chance = random.Random(seed)
    generator = Generator(signature, chance.randrange, Words(numbers=(0, 1, 5)))
    seen = dict.fromkeys(("value", "raised", "stuck"), 0)
    for _ in range(400):
        term = generator.term("Expr", 6)
        if "Escape" in forms(names, term):
            continue
        try:
            expected = told(lambda t=term: by_hand(names, t, {}))
        except RecursionError:
            continue
        outcome = lane.machine.run(term, limits=Limits(calls=50_000), variant="plain").outcome
        kind, value = outcome.kind, outcome.value
        if isinstance(value, tuple):
            shape = names[value[0]]
            kind = "raised" if shape == "Raise" else kind
            inner = value[FIELDS] if shape == "Raise" else value
            value = "function" if names[inner[0]] == "Fun" else inner[FIELDS]
        assert (kind, value if kind != "stuck" else "") == expected, (seed, term)
        seen[kind] += 1
        held_against(lane, term)
    assert all(count > 5 for count in seen.values()), seen


def forms(names: dict[int, str], term: Node) -> set[str]:
    found, pending = set(), [term]
    while pending:
        node = pending.pop()
        found.add(names[node[0]])
        pending += [part for part in node[FIELDS:] if isinstance(part, tuple)]
    return found


@pytest.mark.parametrize("seed", [5, 77])
def test_all_variants_agree_on_escapes(lane: Lane, seed: int) -> None:
    chance = random.Random(seed)
    generator = Generator(lane.interpreter.signature, chance.randrange, Words(numbers=(0, 1, 5)))
    for _ in range(150):
        held_against(lane, generator.term("Expr", 5))


@pytest.mark.parametrize(
    ("line", "mistake", "message"),
    [
        ("  _[Raise(v)] without Try when value(v)                => Raise(v)\n",
         "  _[Raise(k[v])] without Try                           => Raise(v)\n",
         "a clause has one context"),
        ("  _[Raise(v)] without Try when value(v)                => Raise(v)\n",
         "  _[Raise(v)] without Attempt when value(v)            => Raise(v)\n",
         "there is no form called Attempt"),
        ("  _[Raise(v)] without Try when value(v)                => Raise(v)\n",
         "  _[Raise(v), Lit(_)] when value(v)                    => Raise(v)\n",
         "one pattern stands in the brackets of a context"),
        ("  Call(Fun(x, body), v) => substitute(v, x, body)\n",
         "  Call(f, v)  => match f\n    k[Fun(x, body)] => substitute(v, x, body)\n    _ => e\n",
         "a context stands in the clauses of a small-step relation"),
    ],
)  # fmt: skip
def test_contexts_that_mean_nothing(
    make_course: Maker, line: str, mistake: str, message: str
) -> None:
    assert line in STEPS
    course = make_course(lock=LANGUAGE, steps=STEPS.replace(line, mistake))
    assert message in [one.message.partition(";")[0] for one in course.diagnostics]


def test_a_context_needs_order_lines(make_course: Maker) -> None:
    lane = """interpreter sizes for Lock
main run
define run(p: Expr) -> Number by p
  _[Lit(n)]  => n
  _          => 0
"""
    course: Course = make_course(lock=LANGUAGE, sizes=lane)
    told = [one.message for one in course.diagnostics]
    assert told == ["a context stands in a small-step relation with `order` lines"]


def test_very_many_order_lines_about_one_form_are_refused(make_course: Maker) -> None:
    many = "".join(f"  order Call(f, a) : f when {n} == {n}\n" for n in range(2_000))
    course = make_course(
        lock=LANGUAGE, steps=STEPS.replace("  order Call(f, a)     : f, a\n", many)
    )
    told = {one.message for one in course.diagnostics if one.code == "wrong_pattern"}
    assert told == {"more than 20 `order` lines are about Call: too many for a context"}


def test_a_context_that_is_not_used_is_told(make_course: Maker) -> None:
    lane = STEPS.replace("  _[Raise(v)] without Try when", "  k[Raise(v)] without Try when")
    course = make_course(lock=LANGUAGE, steps=lane)
    (found,) = course.diagnostics
    assert (found.code, found.message) == ("unused_name", "k is not used")


def test_a_form_has_another_name_in_contexts_too(make_course: Maker) -> None:
    session = Session(make_course(lock=LANGUAGE, steps=STEPS).folder)
    change = renamed(session, "steps.brix", STEPS, STEPS.index("Try(_["), "Attempt")
    (text,) = [one.text for one in change.files if one.file == "steps.brix"]
    assert "_[Raise(v)] without Attempt" in text
    assert "Try" not in text
