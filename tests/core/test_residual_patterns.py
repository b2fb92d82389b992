"""Residual programs of interpreters that match values with patterns of the program: whether a
pattern fits, and with what names, is handed back by a function."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.residual.knowledge import KnownValue, MadeValue, OneOfTwo, RunValue
from embrix.machine.residual.residual_text import residual_lines
from embrix.machine.residual.specialiser import Specialiser
from embrix.machine.residual.statements import Assigned, Fork, Statement
from embrix.terms.node import NONE_NODE, SOME, TUPLE
from tests.conftest import Maker
from tests.core.test_residual import agrees, left_of, term_of
from tests.strategies import terms

LIMITS = Limits(calls=6_000, depth=2_000, output=1_000)
CARGO = """\
language Cargo
  "Values that are put together by constructors, and taken apart by patterns."
  extension "cargo"

tokens
  number  /[0-9]+/                   as Number
  upper   /[A-Z][a-z]*/              as Name
  name    /[a-z]+/                   as Name
  skip    /[ \\t\\n]+/

forms Expr
  Lit(n: Number)
  Var(x: Name)                              uses x
  Made(label: Name)
  Add(left: Expr, right: Expr)
  Fun(x: Name, body: Expr)                  binds x in body
  Call(callee: Expr, arg: Expr)
  Let(x: Name, bound: Expr, body: Expr)     binds x in bound, body
  Match(e: Expr, rows: List[Row])
  Fitting(e: Expr, pattern: Pattern)

forms Row
  Row(pattern: Pattern, body: Expr)

forms Pattern
  Any(x: Name)
  Shape(label: Name, inner: List[Pattern])
  Or(left: Pattern, right: Pattern)

grammar
  start Expr
  Expr ::=
    | "let" x:name "=" bound:Expr "in" body:Expr      makes Let
    | "fun" x:name "->" body:Expr                     makes Fun
    | "match" e:Expr "with" rows:Row* "end"           makes Match
    | Sum
  operators Sum : Expr
    left "+" makes Add
    left callee juxtaposed arg makes Call
    operand Atom
  Atom : Expr ::=
    | "fit" e:Atom "as" pattern:Inner                 makes Fitting
    | n:number makes Lit
    | x:name makes Var
    | label:upper makes Made
    | "(" Expr ")"
  Row ::= "|" pattern:Pattern "->" body:Expr          makes Row
  Pattern ::=
    | label:upper inner:Inner*                        makes Shape
    | Inner
  Inner : Pattern ::=
    | x:name                                          makes Any
    | "(" Pattern ")"
    | "(" left:Pattern "or" right:Pattern ")"         makes Or

error Unbound(x: Name)   "{x} is not in scope"
"""
MATCHED = """\
interpreter environment for Cargo
  "Big steps; a constructor takes as many parts as it is given."

value Value
  Num(n: Number)                                  shown Lit(n)
  Closure(x: Name, body: Expr, env: Env[Value])   shown "<function>"
  Packed(label: Name, parts: List[Value])         shown "{label} {parts}"

  Fit(names: Maybe[List[(Name, Value)]])          shown "{names}"

error NoMatch(v: Value)       "no row takes {v}"
error FunctionWanted(v: Value) "{v} is called"

main run

define run(p: Expr, given: List[(Name, Value)]) -> Value
  eval(p, empty with all given)

define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n)              => Num(n)
  Var(x)              => env[x] otherwise fail Unbound(x)
  Made(label)         => Packed(label, [])
  Add(left, right)    =>
    let Num(a) = eval(left, env)
    let Num(b) = eval(right, env)
    Num(a + b)
  Fun(x, body)        => Closure(x, body, env)
  Call(callee, arg)   =>
    let f = eval(callee, env)
    let v = eval(arg, env)
    match f
      Closure(x, body, saved) => eval(body, saved with x = v)
      Packed(label, parts)    => Packed(label, appended(parts, [v]))
      _                       => fail FunctionWanted(f)
  Let(x, Fun(y, rhs), body) =>
    let rec inner = env with x = Closure(y, rhs, inner)
    eval(body, inner)
  Let(x, bound, body) => eval(body, env with x = eval(bound, env))
  Match(e, rows)      =>
    let v = eval(e, env)
    first(v, rows, env)

  Fitting(e, pattern) => Fit(fits(pattern, eval(e, env)))

define first(v: Value, rows: List[Row], env: Env[Value]) -> Value by rows
  []            => fail NoMatch(v)
  [row, ..rest] =>
    let Row(pattern, body) = row
    match fits(pattern, v)
      Some(names) => eval(body, env with all names)
      None        => first(v, rest, env)

define fits(pattern: Pattern, v: Value) -> Maybe[List[(Name, Value)]] by pattern
  Any(x)               => Some([(x, v)])
  Shape(label, inner)  =>
    match v
      Packed(name, parts) when name == label and size(parts) == size(inner) => all(inner, parts)
      _                                                                     => None

  Or(left, right)      =>
    match fits(left, v)
      Some(names) => Some(names)
      None        => fits(right, v)

define all(inner: List[Pattern], parts: List[Value]) -> Maybe[List[(Name, Value)]] by inner, parts
  [], _                => Some([])
  [p, ..ps], [v, ..vs] =>
    match fits(p, v)
      None        => None
      Some(names) =>
        match all(ps, vs)
          Some(more) => Some(appended(names, more))
          None       => None
  _, _                 => None
"""
WEIGHT = (
    "let weight = fun c -> match c with | Empty -> 0 | Crate w -> w "
    "| Stack low high -> weight low + weight high end in "
)
CASES = [
    # 2 + (3 + 0)
    (f"{WEIGHT}weight (Stack (Crate 2) (Stack (Crate 3) Empty))", "5"),
    (f"{WEIGHT}weight (Box 2)", "no row takes Box [2]"),
    (f"{WEIGHT}weight (Crate 2 3)", "no row takes Crate [2, 3]"),
    (f"{WEIGHT}weight (Crate Empty) + 1", None),
    # The first row that fits; a name fits everything, and stands for it in its row alone.
    ("let w = 10 in let f = fun c -> match c with | Crate w -> w | x -> w end in "
     "f (Crate 1) + f (Stack 1 2) + f 7", "21"),
    # Inside others: the second is a crate, or the first is, or neither.
    ("let f = fun c -> match c with | Stack a (Crate b) -> a + b "
     "| Stack (Crate a) b -> a + b + 100 | Stack a b -> a + b + 1000 | x -> 0 end in "
     "f (Stack 1 (Crate 2)) + f (Stack (Crate 3) 4) + f (Stack 5 6) + f f", "1121"),
    # What a row gives may be matched again, and may be a function that remembers its names.
    ("let f = fun c -> match c with | Pair a b -> fun k -> a + k | One a -> fun k -> k end in "
     "f (Pair 1 2) 10 + f (One 5) 20", "31"),
    ("let f = fun c -> match match c with | Pair a b -> b | x -> x end with | Crate w -> w "
     "| x -> 4 end in f (Pair 1 (Crate 2)) + f (Crate 3) + f (Pair 5 6)", "9"),
    ("let f = fun c -> match c with | Pair (Pair a b) (Pair c d) -> a + b + c + d "
     "| Pair a b -> f a | x -> 1 end in f (Pair (Pair 1 2) (Pair 3 4)) + f (Pair 5 6)", "11"),
    ("match 3 with end", None),
    # Alternatives give a value to the same names, each from where it is: 1 + 2, 4 + 3, nothing.
    ("let f = fun c -> match c with | Stack (Crate a or Box a) (Crate b or b) -> a + b "
     "| x -> 0 end in f (Stack (Crate 1) 2) + f (Stack (Box 4) 3) + f (Stack (Box 5 6) 3) "
     "+ f 9", "10"),
    ("let f = fun c -> match c with | (Crate (Crate a or a) or (Box a or a)) -> a end in "
     "f (Crate 1) + f (Box 2) + f 4", "7"),
    ("let f = fun c -> match c with | (Crate a or Box a) -> a | x -> 0 end in "
     "f (Crate 1) + f (Cup 1) + f (Box 4) + f 5", "5"),
    # What fits is a value itself.
    ("let f = fun c -> fit c as (Crate a) in Pair (f (Crate 1)) (f 2)", None),
]  # fmt: skip


@pytest.fixture
def lane(make_course: Maker) -> Lane:
    course = make_course(cargo=CARGO, matched=MATCHED)
    assert [d.message for d in course.diagnostics if d.severity == "error"] == []
    return Session(course.folder).lane("Cargo", "environment")


def test_what_fits_is_known_with_its_names(lane: Lane) -> None:
    for text, wanted in CASES:
        found = agrees(lane, term_of(lane, text))
        assert found is not None, text  # it has been specialised
        if wanted is not None:
            assert found.outcome.text == wanted, text
        ended = left_of(lane, text).runs_to_its_end(lane.machine.display)
        assert ended == (found.outcome.kind == "value"), text


@given(data=st.data())
@settings(max_examples=80)
def test_programs_that_nobody_wrote(lane: Lane, data: st.DataObject) -> None:
    signature = lane.interpreter.language.signature
    agrees(lane, data.draw(terms(signature, "Expr", 6, names=("a", "b"))), limits=LIMITS)


def test_what_is_left_of_patterns(lane: Lane) -> None:
    text = "let f = fun c -> match c with | Crate w -> w | x -> 3 end in f (Crate 1) + f 2"
    lines = [line for line in residual_lines(left_of(lane, text), text) if not line.decided]
    assert ["  " * line.inset + line.text for line in lines] == [
        "program()",
        '  let v3 = f(Packed("Crate", [1]))',
        "  require v3 is a number else stuck: no clause takes this",
        "  let v4 = f(2)",
        "  require v4 is a number else stuck: no clause takes this",
        "  v3 + v4",
        "",
        "f(c)   eval of match c with | Crate w -> w | x -> 3 end",
        "  if c is Packed then",
        "    let v2 = c.2",
        '    if c.1 == "Crate" then',
        "      let v6 = size(v2) == 1",
        "    else",
        "      let v6 = false",
        "    if v6 then",
        "      if v2 is [_, .._] then",
        "        let v11 = true",
        "      else",
        "        let v11 = false",
        "    else",
        "      let v11 = false",
        "  else",
        "    let v11 = false",
        "  if v11 then",
        "    v2.1",
        "  else",
        "    3",
    ]


def test_one_of_two_values_and_one_that_only_the_run_knows(lane: Lane) -> None:
    """What they come to is a value of the run, put together where it is the first or the second."""
    left = left_of(lane, "Crate 1")
    writer = Specialiser(left.program, left.main)
    pair = MadeValue(TUPLE, (KnownValue("a", given=True), RunValue("p0")))
    two = OneOfTwo("v1", MadeValue(SOME, (pair,)), KnownValue(NONE_NODE))
    for one, other in ((two, RunValue("p1")), (RunValue("p1"), two)):
        blocks: tuple[list[Statement], list[Statement]] = [], []
        found = writer.join(one, other, *blocks)
        assert isinstance(found, RunValue)
        ways = [[type(statement) for statement in block] for block in blocks]
        assert sorted(ways, key=len) == [[Assigned], [Fork, Assigned]]
