"""Residual programs in which the same function serves several types, and whole numbers stand beside
those of the language."""

from __future__ import annotations

import pytest

from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.residual.knowledge import NotResidual
from embrix.machine.residual.residual_run import specialise
from tests.conftest import Maker
from tests.core.test_residual import agrees, term_of
from tests.core.test_residual_containers import QUAY, left_with

HELPERS = """\
interpreter helpers for Quay
  "The same function for lists of several types; a name stands for what is read."
value Value
  Num(n: Number)             shown "{n}"
  Many(items: List[Value])   shown "{items}"
  Code(n: Number, body: Expr)   shown "code {n}"
  Tag(x: Name)               shown "{x}"
main run
define run(p: Expr) -> Value
  let v = eval(p)
  let items = rows(v)
  let first = items[0] otherwise Num(7)
  Many([v, Num(count(map(items, fn(one) => num(one)), 1)), Num(count(items, first))])
define eval(e: Expr) -> Value by e
  Lit(n)            => Num(n)
  Var(_)            =>
    let line = ask()
    Num(read(line))
  Row(items)        => Many(map(items, fn(one) => eval(one)))
  Join(left, right) => Many(appended(rows(eval(left)), rows(eval(right))))
  When(test, yes, no) => if num(eval(test)) > 0 then eval(yes) else eval(no)
  Fun(f, x, one, body) => Code(num(eval(body)), one)
  Call(callee, arg) => called(eval(callee), rows(eval(arg)))
  Get(e, x)         => Many(map(rows(eval(e)), fn(v) => Tag(x)))
  Keep(callee, items) => Many(filter(rows(eval(items)), fn(v) => true))
  Drop(e, x)        => Many(filter(rows(eval(e)), fn(v) => false))
  Back(items)       =>
    let found = rows(eval(items))
    Many(appended(over(found, fn(v) => Num(1)), over(found, fn(v) => Num(num(v) + 10))))
  Pairs(Row(items), right) =>
    let both = appended(items, reversed(items))
    let second = match lookup(both, 1)
      Some(one) => one
      None      => right
    let ninth = match lookup(both, 8)
      Some(one) => one
      None      => right
    Many([eval(second), eval(ninth), eval(both[0]), Num(number(size(both)))])
  Kinds(items)      => Num(number(size(fold(rows(eval(items)), empty, fn(s, v) => added(s, v)))))
  _                 => fail Wrong
define over(items: List[Value], f: (Value) -> Value) -> List[Value]
  map(items, f)
define called(f: Value, items: List[Value]) -> Value by f
  Code(n, body) => Many(map(items, fn(v) => eval(body)))
  _             => fail Wrong
define count(items: List[A], one: A) -> Number
  fold(items, 0, fn(sum, item) => if item == one then sum + 1 else sum)
define rows(v: Value) -> List[Value] by v
  Many(items) => items
  _ => fail Wrong
define num(v: Value) -> Number by v
  Num(n) => n
  Code(n, _) => n
  _ => 0
define read(line: Maybe[Text]) -> Number by line
  Some(t) => number(length(t))
  None    => 0
"""

IN_HELPERS = [
    # The row, how many in it are 1, and how many are as the first. Read is a line of one sign.
    ("[1, 2, 1]", "[[1, 2, 1], 2, 2]"),
    ("[[1], 1, [1]]", "[[[1], 1, [1]], 1, 2]"),
    ("when a then [1, 1] else [2]", "[[1, 1], 2, 2]"),
    ("when 0 then [1, 1] else []", "[[], 0, 0]"),
    # Code is the same where number and body are; places do not count.
    ("when a then [let f x = 1 in 1, let f x = 2 in 1, let f x = 1 in 1] else []",
     "[[code 1, code 1, code 1], 3, 2]"),
    # Each name in a list of its own.
    ("(when a then [1, 2] else [3]).b ++ (when a then [1] else [3, 4]).c",
     "[[b, b, c], 0, 2]"),
    ("keep(0, when a then [1, 2] else [3]) ++ drop(when a then [5] else [3], c)",
     "[[1, 2], 1, 1]"),
    # Which code is evaluated for each item only the run knows: 5 or 6, once or twice.
    ("(when a then let f x = 5 in 1 else let f x = 6 in 1)(when a then [1] else [2, 3])",
     "[[5], 0, 1]"),
    # One function that goes through lists, with two that it calls.
    ("back(when a then [5, 6] else [7])", "[[1, 1, 15, 16], 2, 2]"),
    # 4, 5, 6, 6, 5, 4: the second; no ninth, so the other; the first; six.
    ("pairs([4, 5, 6], 8)", "[[5, 8, 4, 6], 0, 1]"),
]  # fmt: skip


@pytest.fixture
def helpers(make_course: Maker) -> Lane:
    return Session(make_course(quay=QUAY, lane=HELPERS).folder).lane("Quay", "helpers")


def test_a_function_for_lists_of_several_types(helpers: Lane) -> None:
    for program, wanted in IN_HELPERS:
        assert left_with(helpers, program).outcome.text == wanted, program


@pytest.mark.parametrize(
    ("program", "reason"),
    [
        ("kinds(when a then [1, 1] else [2])", "keys of any kind are compared"),
    ],
)
def test_what_is_not_specialised(helpers: Lane, program: str, reason: str) -> None:
    with pytest.raises(NotResidual) as found:
        specialise(helpers.interpreter, term_of(helpers, program))
    assert str(found.value) == reason


COUNTS = """\
interpreter counts for Quay
  "Whole numbers beside those of the machine."
value Value
  Count(n: Int)              shown "{n}"
  Part(n: Number)            shown "{n} of one"
  Many(items: List[Value])   shown "{items}"
main run
define run(p: Expr) -> Value
  match grown([eval(p)])
    [Count(n), ..rest] => Many([raised(Count(n + 1), 19), ..rest])
    [Part(n), ..rest]  => Many([raised(Count(size(rest)), 18), Part(n / 4), ..rest])
    _                  => Many([])
define raised(v: Value, times: Number) -> Value by v
  Count(n) => if times < 20 then raised(Count((n + 1) * (n + 1)), times + 1) else v
  Many(_)  => Many([v])
  _        => Count(0)
define grown(items: List[Value]) -> List[Value]
  if size(items) > 2 then reversed(items) else grown([Count(size(items)), ..items])
define eval(e: Expr) -> Value by e
  Row(items)        => Count(size(map(items, fn(one) => eval(one))))
  Lit(n)            => Part(n)
  Size(items)       => raised(eval(items), 18)
  Back(items)       => raised(eval(items), 0)
  _                 => fail Wrong
"""


IN_COUNTS = [
    # Three items, one more, one more than that squared; behind it stand how many there were.
    ("[1, 2, 1]", "[25, 1, 2]"),
    # One round gives (3 + 1) squared, two give 17 squared; 291 squared.
    ("size([1, 2, 1])", "[84681, 1, 2]"),
    # Squared twenty times it has too many bits.
    ("back([1, 2, 1])", "numbers"),
    # Two items behind it: (2 + 1) squared, 10 squared.
    ("7", "[100, 1.75 of one, 1, 2]"),
]


@pytest.mark.parametrize("numbers", ["rational", "float"])
@pytest.mark.parametrize("beside", [True, False])
def test_whole_numbers(make_course: Maker, numbers: str, beside: bool) -> None:
    """With those of the language `beside` them in the same type, or without."""
    text = QUAY.replace("tokens\n", f"numbers {numbers}\ntokens\n", 1)
    lines = COUNTS.split("\n")
    if not beside:
        lines = [line.replace("=> Part(n)", "=> Count(0)") for line in lines]
        lines = [line for line in lines if "Part" not in line]
    lane = Session(make_course(quay=text, lane="\n".join(lines)).folder).lane("Quay", "counts")
    for program, wanted in IN_COUNTS[: 4 if beside else 3]:
        found = agrees(lane, term_of(lane, program))
        assert found is not None
        outcome = found.outcome
        assert (outcome.text if outcome.kind == "value" else outcome.name) == wanted, program
