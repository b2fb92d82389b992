"""Pairs and pattern matching in the object language: a definition of its own."""

from __future__ import annotations

import pytest

from embrix.lanes.session import Session
from tests.conftest import Maker

LANGUAGE = """\
language Sluice
  "Pairs, taken apart by patterns."
  extension "sluice"
tokens
  number  /[0-9]+/   as Number
  name    /[a-z]+/   as Name
  skip    /[ \\n]+/
forms Expr
  Lit(n: Number)
  Var(x: Name)                                uses x
  Add(left: Expr, right: Expr)
  Pair(a: Expr, b: Expr)
  Sort(subject: Expr, arms: List[Arm])
forms Arm
  Arm(p: Pat, body: Expr)
forms Pat
  Any
  Bind(x: Name)
  Same(n: Number)
  Both(a: Pat, b: Pat)
grammar
  start Expr
  Expr ::= "sort" subject:Expr "into" "{" arms:list1(Arm, "|") "}" makes Sort | Sum
  Arm ::= p:Pat "->" body:Expr makes Arm
  Pat ::= "_" makes Any | x:name makes Bind | n:number makes Same
    | "[" a:Pat "," b:Pat "]" makes Both
  operators Sum : Expr
    left "+" makes Add
    operand Atom
  Atom : Expr ::= n:number makes Lit | x:name makes Var | "(" Expr ")"
    | "[" a:Expr "," b:Expr "]" makes Pair
"""

INTERPRETER = """\
interpreter environment for Sluice
value Value
  Num(n: Number)              shown "{n}"
  Couple(a: Value, b: Value)  shown "[{a}, {b}]"
error Unbound(x: Name)        "nothing called {x} is in scope"
error NumberWanted(v: Value)  "{v} is no number"
error NothingFits(v: Value)   "no pattern takes {v}"
judgement eval "{env} ⊢ {e} ⇓ {result}"
main run
define run(e: Expr) -> Value
  eval(e, empty)
define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n)               => Num(n)
  Var(x)               => env[x] otherwise fail Unbound(x)
  Pair(a, b)           => Couple(eval(a, env), eval(b, env))
  Add(left, right)     =>
    let Num(m) = eval(left, env) else v => fail NumberWanted(v)
    let Num(n) = eval(right, env) else v => fail NumberWanted(v)
    Num(m + n)
  Sort(subject, arms)  => choose(eval(subject, env), arms, env)
define choose(v: Value, arms: List[Arm], env: Env[Value]) -> Value by arms
  []                      => fail NothingFits(v)
  [Arm(p, body), ..rest]  =>
    match fit(p, v, env)
      Some(inner)  => eval(body, inner)
      None         => choose(v, rest, env)
define fit(p: Pat, v: Value, env: Env[Value]) -> Maybe[Env[Value]] by p, v
  Any, _                    => Some(env)
  Bind(x), _                => Some(env with x = v)
  Same(n), Num(m)           => if n == m then Some(env) else None
  Both(p, q), Couple(a, b)  =>
    match fit(p, a, env)
      Some(after)  => fit(q, b, after)
      None         => None
  _, _                      => None
"""


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("[1, [2, 3]]", "[1, [2, 3]]"),
        ("sort [1, 2] into { [x, y] -> x + y }", "3"),
        ("sort [1, [2, 3]] into { [1, 2] -> 0 | [a, [b, 3]] -> a + b }", "3"),
        ("sort 5 into { [a, b] -> 1 | _ -> 7 }", "7"),
        ("sort [1, 2] into { [x, x] -> x }", "2"),
        ("sort 4 into { x -> sort [x, x] into { [4, y] -> x + y | _ -> 0 } }", "8"),
        ("sort 5 into { 4 -> 1 | [_, _] -> 2 }", "NothingFits: no pattern takes 5"),
        ("sort [1, 2] into { [x, _] -> y }", "Unbound: nothing called y is in scope"),
        ("1 + sort [1, 2] into { p -> p }", "rejected: a number, a name, `(` or `[` is possible "
         "here, not `sort`"),
        ("1 + (sort [1, 2] into { p -> p })", "NumberWanted: [1, 2] is no number"),
    ],
)  # fmt: skip
def test_pairs_are_taken_apart(make_course: Maker, text: str, expected: str) -> None:
    course = make_course(sluice=LANGUAGE, environment=INTERPRETER)
    assert [d.message for d in course.diagnostics] == []
    lane = Session(course.folder).lane("Sluice", "environment")
    outcome = lane.run(text).outcome
    if expected.startswith("rejected"):
        assert outcome.kind == "rejected"
    else:
        assert outcome.sentence == expected


def test_a_failing_match_is_told_at_its_place(make_course: Maker) -> None:
    course = make_course(sluice=LANGUAGE, environment=INTERPRETER)
    outcome = (
        Session(course.folder)
        .lane("Sluice", "environment")
        .run("1 + (sort 5 into { 4 -> 1 })")
        .outcome
    )
    assert outcome.place == (5, 27)
