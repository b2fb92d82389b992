"""Residual programs of interpreters whose values hold pieces of the program that more is done with
than to hand them on: classes whose methods are looked for, functions made of two others."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.residual.residual_text import residual_lines
from embrix.text.source import read_source
from tests.conftest import Maker, shipped_session
from tests.core.test_residual import agrees, left_of, term_of
from tests.core.test_strategies import LANGUAGE
from tests.strategies import terms

LIMITS = Limits(calls=6_000, depth=2_000, output=1_000)
WHARF = """\
language Wharf
  extension "wharf"
tokens
  number  /[0-9]+/   as Number
  name    /[a-z]+/   as Name
  skip    /[ \\n]+/
forms Expr
  Lit(n: Number)
  Var(x: Name)                              uses x
  Add(left: Expr, right: Expr)
  When(test: Expr, yes: Expr, no: Expr)
  Let(x: Name, bound: Expr, body: Expr)     binds x in body
  Loop(f: Name, x: Name, one: Expr, body: Expr)   binds f in one, body   binds x in one
  Call(callee: Expr, arg: Expr)
  Craft(above: Maybe[Expr], self: Name, methods: List[Method])   binds self in methods
  Send(target: Expr, label: Name, arg: Expr)
  Knows(target: Expr, label: Name)
forms Method
  Method(label: Name, body: Expr)
  Taking(label: Name, param: Name, body: Expr)      binds param in body
grammar
  start Expr
  Expr ::=
    | "when" test:Expr "then" yes:Expr "else" no:Expr              makes When
    | "let" x:name "=" bound:Expr "in" body:Expr                   makes Let
    | "let" f:name x:name "=" one:Expr "in" body:Expr              makes Loop
    | Sum
  operators Sum : Expr
    left "+" makes Add
    left callee juxtaposed arg makes Call
    postfix target "." label:name "(" arg:Expr ")" makes Send
    postfix target "?" label:name makes Knows
    operand Atom
  Atom : Expr ::= n:number makes Lit | x:name makes Var | "(" Expr ")"
    | "craft" above:Above? self:name "{" methods:list(Method, ";") "}" makes Craft
  Above : Expr ::= "on" Atom
  Method ::=
    | label:name "=" body:Expr                                       makes Method
    | label:name param:name "=" body:Expr                            makes Taking
error Unbound(x: Name)   "nothing called {x} is in scope"
"""
CLASSES = """\
interpreter classes for Wharf
value Value
  Num(n: Number)                                     shown "{n}"
  Closure(param: Name, body: Expr, env: Env[Value])  shown "<function>"
  Kind(above: Maybe[Value], self: Name, methods: List[Method], env: Env[Value])   shown "<kind>"
error Wrong(v: Value)            "{v} is wrong here"
error NoMethod(label: Name)      "there is no {label}"
error NoArgument(label: Name)    "{label} takes nothing"
main run
define run(p: Expr) -> Value
  eval(p, empty)
define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n)            => Num(n)
  Var(x)            => env[x] otherwise fail Unbound(x)
  Add(left, right)  =>
    let a = eval(left, env)
    Num(num(a) + num(eval(right, env)))
  When(test, yes, no) => if num(eval(test, env)) > 0 then eval(yes, env) else eval(no, env)
  Let(x, bound, body) => eval(body, env with x = eval(bound, env))
  Loop(f, x, one, body) =>
    let rec inner = env with f = Closure(x, one, inner)
    eval(body, inner)
  Call(callee, arg) =>
    let f = eval(callee, env)
    let v = eval(arg, env)
    match f
      Closure(x, body, saved) when positive(v) => eval(body, saved with x = v)
      Kind(_, _, methods, _)                   => Num(number(size(methods)))
      Closure(x, body, saved)                  => eval(body, saved with x = v)
      _                                        => fail Wrong(f)
  Craft(above, self, methods) =>
    match above
      None    => Kind(None, self, methods, env)
      Some(e) => Kind(Some(eval(e, env)), self, methods, env)
  Send(target, label, arg) =>
    let kind = eval(target, env)
    sent(kind, label, kind, eval(arg, env))
  Knows(target, label) => Num(if known(eval(target, env), label) then 1 else 0)
define sent(kind: Value, label: Name, me: Value, arg: Value) -> Value by kind
  Kind(above, self, methods, env) =>
    match (found(methods, label), above)
      (Some(Taking(_, x, body)), _) => eval(body, env with self = me with x = arg)
      (Some(Method(_, body)), _)    =>
        if num(arg) == 0 then eval(body, env with self = me) else fail NoArgument(label)
      (None, Some(other)) => sent(other, label, me, arg)
      (None, None)        => fail NoMethod(label)
  other => fail Wrong(other)
define positive(v: Value) -> Bool by v
  Num(n) => n > 0
  _      => true
define found(methods: List[Method], label: Name) -> Maybe[Method] by methods
  []                => None
  [one, ..rest]     => if called(one) == label then Some(one) else found(rest, label)
define called(method: Method) -> Name by method
  Method(label, _)    => label
  Taking(label, _, _) => label
define known(kind: Value, label: Name) -> Bool by kind
  Kind(_, _, methods, _) when size(methods) == 0 => false
  Kind(above, _, methods, _) =>
    match found(methods, label)
      Some(_) => true
      None    => match above
        Some(other) => known(other, label)
        None        => false
  Closure(x, _, _)  => x == label
  _                 => false
define num(v: Value) -> Number by v
  Num(n) => n
  _      => fail Wrong(v)
"""
IN_CLASSES = [
    ("(craft me { a x = x + 1 }).a(4)", "5"),
    # The method of the kind above calls the one below: 10 + (4 + 4).
    ("let low = craft me { a x = 10 + me.b(x); b x = x } in "
     "let high = craft on low me { b x = x + x } in high.a(4)", "18"),
    # A name of the kind above is that of the place where it was made: 1 + 2.
    ("let n = 1 in let low = craft me { a x = n + x } in let n = 5 in "
     "(craft on low it { b x = it.a(x) }).b(2)", "3"),
    # Which of two only the run knows; a method without an argument takes 0 alone.
    ("let pick n = when n then craft me { a = 7 } else craft it { b x = x; a x = x + 2 } in "
     "(pick 1).a(0) + (pick 0).a(3)", "12"),
    ("let pick n = when n then craft me { a = 7 } else craft it { b x = x; a x = x + 2 } in "
     "(pick 1).a(3)", "a takes nothing"),
    ("let pick n = when n then craft me { } else craft on craft you { c = 4 } it { b x = x } in "
     "(pick 1)?b + (pick 0)?b + (pick 0)?c + (pick 0)?d + pick?n + pick?m + 3?b", "3"),
    ("(craft me { a x = x }).b(1)", "there is no b"),
    # A kind that is called gives the number of its methods; a function is called with 0 as well.
    ("let f n = n + 5 in let g n = when n then craft me { a = 1; b = 2 } else f in "
     "(g 1) 7 + (g 0) 7 + (g 0) 0", "19"),
    ("let f x = x in f.b(1)", "<function> is wrong here"),
    # 0 + 1 + 2 + 3, each on a copy with the next number in it.
    ("let at n = craft me { next x = when x then at x else me; n = n } in "
     "let sum k = when k ? n then k.n(0) else 0 in sum (at 0) + sum ((at 0).next(1)) + "
     "sum ((at 2).next(0)) + sum ((at 0).next(3))", "6"),
]  # fmt: skip
PAIRED = """\
interpreter paired for Small
  "The sum of two functions calls one with what the other gives; functions are compared."
value Value
  Num(n: Number)                                     shown "{n}"
  Closure(param: Name, body: Expr, env: Env[Value])  shown "<function>"
  Both(parts: List[Part])                            shown "<{size(parts)} functions>"
  Held(part: Part)                                   shown "<part>"
data Part
  Part(param: Name, body: Maybe[Expr], env: Env[Value])
  Twice(param: Name, body: Maybe[Expr], env: Env[Value])
error Wrong(v: Value)   "{v} is wrong here"
main run
define run(p: Expr) -> Value
  eval(p, empty)
define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n)            => Num(n)
  Var(x)            => env[x] otherwise fail Unbound(x)
  Add(left, right)  => sum(eval(left, env), eval(right, env))
  Sub(left, right)  =>
    let a = eval(left, env)
    let b = eval(right, env)
    match (a, b)
      (Num(n), Num(m))                             => Num(n - m)
      (Closure(x, _, _), Closure(y, _, _)) when x == y => Num(0)
      (Closure(_, e, _), Closure(_, Fun(_, _), _)) => Num(when_literal(e))
      (Closure(_, _, _), _)                        => Num(2)
      (Both(parts), Both(others))                  => Num(number(size(parts) - size(others)))
      (other, _)                                   => fail Wrong(other)
  Let(x, bound, body) => eval(body, env with x = eval(bound, env))
  When(test, yes, no) => if num(eval(test, env)) > 0 then eval(yes, env) else eval(no, env)
  Fun(param, body)  => Closure(param, body, env)
  Rec(f, param, rhs, body) =>
    let rec inner = env with f = Closure(param, rhs, inner)
    eval(body, inner)
  Call(callee, arg) =>
    let f = eval(callee, env)
    let a = eval(arg, env)
    match f
      Closure(x, body, saved) => eval(body, saved with x = a)
      Both(parts)             => through(parts, a)
      Held(part)              => through([part], a)
      other                   => fail Wrong(other)
  Escape(j, body)   => eval(body, env with j = Held(Part(j, None, env)))
  Return(e)         => Held(Twice(name_in(e), None, env))
  Raise(e)          =>
    let f = eval(e, env)
    Num(100 * literal(f) + parameter(f))
  Try(body, x, handler) =>
    let Closure(y, e, saved) = eval(body, env) else other => fail Wrong(other)
    let Closure(z, o, inner) = eval(handler, env with x = Num(1)) else other => fail Wrong(other)
    eval(e, saved with y = Closure(z, o, inner))
define sum(a: Value, b: Value) -> Value
  match (a, b)
    (Num(n), Num(m)) => Num(n + m)
    (Closure(x, e, env), Closure(y, o, inner)) =>
      Both([Part(x, Some(e), env), Part(y, Some(o), inner)])
    (Both(parts), Closure(y, o, inner)) => Both(appended(parts, [Part(y, Some(o), inner)]))
    (Closure(x, e, env), Both(parts))   => Both([Part(x, Some(e), env), ..parts])
    (Num(_), other)  => fail Wrong(other)
    (other, _)       => fail Wrong(other)
define through(parts: List[Part], v: Value) -> Value by parts
  []                           => v
  [Part(_, None, _), ..rest]   => through(rest, v)
  [Twice(_, None, _), ..rest]  => through(rest, Num(num(v) + num(v)))
  [Twice(_, _, _), ..rest]     => through(rest, v)
  [Part(x, Some(body), env), ..rest] => through(rest, eval(body, env with x = v))
define name_in(e: Expr) -> Name by e
  Var(x) => x
  _      => fail Wrong(Num(0))
define literal(v: Value) -> Number by v
  Closure(_, Lit(n), _) => n
  _                     => 0
define parameter(v: Value) -> Number by v
  Closure(_, Var(_), _) => 1
  _                     => 2
define when_literal(e: Expr) -> Number by e
  Lit(n) => n
  _      => 1
define num(v: Value) -> Number by v
  Num(n) => n
  _      => fail Wrong(v)
"""
IN_PAIRED = [
    ("((given x: x + 1) + (given y: y + y)) 4", "10"),
    ("let f = (given x: x + 1) + (given y: y + y) in let g = f + (given x: x - 1) in g 3", "7"),
    ("let pick of n = when n then given x: x + n else given y: y in (pick 1 + pick 0) 5", "6"),
    ("(mark j in j) 4", "4"),
    # One hands on 3, the other one gives it twice.
    ("let pick of n = when n then mark j in j else leave j in (pick 1) 3 + (pick 0) 3", "9"),
    (
        "let pick of n = when n then given x: x else given y: 3 in (raise pick 1) + (raise pick 0)",
        "303",
    ),
    # The first is called with the second, which only the run knows.
    (
        "let pick of n = when n then given h: h 4 else given y: y + 2 in "
        "try pick 1 catch x in pick (1 - x)",
        "6",
    ),
    ("let f = given x: x in (f + f) - (f + (f + f))", "-1"),
    # What is compared: the names, then what the first is made of, if the second gives a function.
    ("(given x: 7) - (given x: given z: z)", "0"),
    ("(given x: 7) - (given y: given z: z)", "7"),
    ("(given x: x) - (given y: given z: z)", "1"),
    ("(given x: x) - 1", "2"),
    ("1 - (given x: x)", "1 is wrong here"),
    ("(given x: x) + 1", "<function> is wrong here"),
    # 1, then 1 + 1, 2 + 2, 4 + 3; and so on to 30: a list that no program is long enough for.
    ("let f of n = when n then f (n - 1) + (given x: x + n) else given z: z in f 3 1", "7"),
    ("let f of n = when n then f (n - 1) + (given x: x + n) else given z: z in f 30 1", "466"),
]


@pytest.fixture
def lanes(make_course: Maker) -> dict[str, Lane]:
    course = make_course(wharf=WHARF, classes=CLASSES, small=LANGUAGE, paired=PAIRED)
    assert [d.message for d in course.diagnostics if d.severity == "error"] == []
    session = Session(course.folder)
    return {"classes": session.lane("Wharf", "classes"), "paired": session.lane("Small", "paired")}


@pytest.mark.parametrize(("name", "cases"), [("classes", IN_CLASSES), ("paired", IN_PAIRED)])
def test_pieces_are_known_inside_values(
    lanes: dict[str, Lane], name: str, cases: list[tuple[str, str]]
) -> None:
    lane = lanes[name]
    for text, wanted in cases:
        found = agrees(lane, term_of(lane, text))
        assert found is not None, text  # it has been specialised
        assert found.outcome.text == wanted, text
        ended = left_of(lane, text).runs_to_its_end(lane.machine.display)
        assert ended == (found.outcome.kind == "value"), text


@pytest.mark.parametrize("name", ["classes", "paired"])
@given(data=st.data())
@settings(max_examples=60)
def test_programs_that_nobody_wrote(lanes: dict[str, Lane], name: str, data: st.DataObject) -> None:
    lane = lanes[name]
    names = ("a", "b")
    term = data.draw(terms(lane.interpreter.language.signature, "Expr", depth=6, names=names))
    agrees(lane, term, limits=LIMITS)


def test_a_method_is_called_without_being_looked_for(lanes: dict[str, Lane]) -> None:
    text = "let n = 4 in (craft me { a x = me.b(x) + n; b y = y + y }).a(n)"
    left = left_of(lanes["classes"], text)
    lines = [line for line in residual_lines(left, text) if not line.decided]
    assert ["  " * line.inset + line.text for line in lines] == [
        "program()",
        "  let v1 = Kind(sent_2 with None, 4)",
        "  let v2 = sent(v1, 4)",
        "  v2 + 4",
        "",
        "sent(a0, a2)   sent of me.b(x)",
        "  sent_2 of a0 with a2",
        "",
        "sent_2(y)   sent of y + y",
        "  y + y",
    ]
    text = "let pick n = when n then craft me { a = 7 } else 0 in (pick 1).a(0)"
    left = left_of(lanes["classes"], text)
    (line,) = [one for one in residual_lines(left, text) if "NoArgument" in one.text]
    assert line.clause is not None
    assert CLASSES[line.clause.start :].startswith("Kind(above, self, methods, env) =>")


WORDS = """\
interpreter words for Small
  "Names are values, and may be bound."
value Value
  Num(n: Number)      shown "{n}"
  Word(x: Name)       shown "{x}"
  Closure(param: Name, body: Expr, env: Env[Value])   shown "<function>"
error Wrong(v: Value)   "{v} is wrong here"
main run
define run(p: Expr) -> Value
  eval(p, empty)
define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n)            => Num(n)
  Var(x)            => env[x] otherwise fail Unbound(x)
  Add(left, right)  =>
    let a = eval(left, env)
    Num(num(a) + num(eval(right, env)))
  Let(x, bound, body) => eval(body, env with x = eval(bound, env))
  When(test, yes, no) => if num(eval(test, env)) > 0 then eval(yes, env) else eval(no, env)
  Escape(j, _)      => Word(j)
  Rec(f, param, rhs, body) =>
    let rec inner = env with f = Closure(param, rhs, inner)
    eval(body, inner)
  Call(callee, arg) =>
    let v = eval(arg, env)
    let Closure(x, body, saved) = eval(callee, env) else other => fail Wrong(other)
    eval(body, saved with x = v)
  Try(body, x, handler) =>
    let Word(y) = eval(body, env) else other => fail Wrong(other)
    eval(handler, env with y = Num(5) with x = Word(y))
  _                 => fail Wrong(Num(0))
define num(v: Value) -> Number by v
  Num(n) => n
  _      => fail Wrong(v)
"""


def test_a_name_that_is_a_value_may_be_bound(make_course: Maker) -> None:
    """Names alone are data like any other, unless something is bound to one of them."""
    lane = Session(make_course(small=LANGUAGE, lane=WORDS).folder).lane("Small", "words")
    pick = "let pick of n = when n then mark k in 0 else mark m in 0 in "
    for text, wanted in (
        (f"{pick}pick 1", "k"), (f"{pick}try pick 1 catch x in k + k", "10"),
        (f"{pick}try pick 0 catch x in m + 1", "6"), (f"{pick}try pick 0 catch x in x", "m"),
    ):  # fmt: skip
        found = agrees(lane, term_of(lane, text))
        assert found is not None, text
        assert found.outcome.text == wanted, text
        assert left_of(lane, text).runs_to_its_end(lane.machine.display), text


@pytest.mark.parametrize(
    ("language", "name"), [("Rill", "by_need"), ("Rill", "by_name"), ("Weir", "store_passing")]
)
def test_what_is_handed_on_is_handed_on(language: str, name: str) -> None:
    """No choice is made inside a value where its pieces go into a call: also those in lists, and
    where the program fails."""
    session = shipped_session()
    lane = session.lane(language, name)
    for path in session.course.programs[language]:
        left = left_of(lane, read_source(Path(path)).text)
        assert all(one.left is None for one in left.program.dispatches.values()), path
