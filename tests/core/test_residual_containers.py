"""Residual programs with lists, maps and sets that only the run knows."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.outcome import Result
from embrix.machine.residual.residual_run import specialise
from embrix.machine.residual.residual_text import residual_lines
from tests.conftest import Maker
from tests.core.test_residual import LIMITS, agrees, term_of
from tests.strategies import terms

QUAY = """\
language Quay
  extension "quay"
tokens
  number  /[0-9]+/   as Number
  name    /[a-z]+/   as Name
  skip    /[ \\n]+/
forms Expr
  Lit(n: Number)
  Var(x: Name)                              uses x
  Add(left: Expr, right: Expr)
  Less(left: Expr, right: Expr)
  Same(left: Expr, right: Expr)
  When(test: Expr, yes: Expr, no: Expr)
  Let(x: Name, bound: Expr, body: Expr)     binds x in body
  Fun(f: Name, x: Name, one: Expr, body: Expr)   binds f in one, body   binds x in one
  Call(callee: Expr, arg: Expr)
  Row(items: List[Expr])
  At(items: Expr, index: Expr)
  Join(left: Expr, right: Expr)
  Back(items: Expr)
  Size(items: Expr)
  Total(items: Expr)
  Each(callee: Expr, items: Expr)
  Keep(callee: Expr, items: Expr)
  Pairs(left: Expr, right: Expr)
  Kinds(items: Expr)
  Hold(fields: List[Field])
  Get(e: Expr, x: Name)
  Put(e: Expr, x: Name, value: Expr)
  Drop(e: Expr, x: Name)
forms Field
  Named(x: Name, value: Expr)
grammar
  start Expr
  Expr ::=
    | "when" test:Expr "then" yes:Expr "else" no:Expr              makes When
    | "let" x:name "=" bound:Expr "in" body:Expr                   makes Let
    | "let" f:name x:name "=" one:Expr "in" body:Expr              makes Fun
    | Sum
  operators Sum : Expr
    nonassociative "<" makes Less  "==" makes Same
    left "+" makes Add "++" makes Join
    operand Atom
  Atom : Expr ::=
    | n:number makes Lit
    | x:name makes Var
    | callee:Atom "(" arg:Expr ")"                                 makes Call
    | items:Atom "[" index:Expr "]"                                makes At
    | e:Atom "." x:name                                            makes Get
    | "[" items:list(Expr, ",") "]"                                makes Row
    | "{" fields:list(Field, ",") "}"                              makes Hold
    | "back" "(" items:Expr ")"                                    makes Back
    | "size" "(" items:Expr ")"                                    makes Size
    | "total" "(" items:Expr ")"                                   makes Total
    | "kinds" "(" items:Expr ")"                                   makes Kinds
    | "each" "(" callee:Expr "," items:Expr ")"                    makes Each
    | "keep" "(" callee:Expr "," items:Expr ")"                    makes Keep
    | "pairs" "(" left:Expr "," right:Expr ")"                     makes Pairs
    | "put" "(" e:Expr "," x:name "," value:Expr ")"               makes Put
    | "drop" "(" e:Expr "," x:name ")"                             makes Drop
    | "(" Expr ")"
  Field ::= x:name "=" value:Expr makes Named
error Unbound(x: Name)   "nothing called {x} is in scope"
error Wrong              "not of that kind"
error Missing            "nothing is there"
"""

LANE = """\
interpreter environment for Quay
  "Rows, holds with named parts, and functions."
value Value
  Num(n: Number)                shown "{n}"
  Truth(b: Bool)                shown "{b}"
  List(items: List[Value])      shown "{items}"
  Parts(held: Map[Name, Value]) shown "{held}"
  Closure(f: Name, x: Name, body: Expr, env: Env[Value])   shown "<function>"
main run
define run(p: Expr) -> Value
  eval(p, empty)
define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n)               => Num(n)
  Var(x)               => env[x] otherwise fail Unbound(x)
  Add(left, right)     => Num(num(eval(left, env)) + num(eval(right, env)))
  Less(left, right)    => Truth(num(eval(left, env)) < num(eval(right, env)))
  Same(left, right)    => Truth(eval(left, env) == eval(right, env))
  When(test, yes, no)  =>
    let Truth(b) = eval(test, env) else _ => fail Wrong
    if b then eval(yes, env) else eval(no, env)
  Let(x, bound, body)  => eval(body, env with x = eval(bound, env))
  Fun(f, x, one, body) => eval(body, env with f = Closure(f, x, one, env))
  Call(callee, arg)    => apply(eval(callee, env), eval(arg, env))
  Row(items)           => List(map(items, fn(one) => eval(one, env)))
  At(items, index)     => nth(list(eval(items, env)), whole(num(eval(index, env))))
  Join(left, right)    => List(appended(list(eval(left, env)), list(eval(right, env))))
  Back(items)          => List(reversed(list(eval(items, env))))
  Size(items)          => Num(number(size(list(eval(items, env)))))
  Total(items)         => Num(fold(list(eval(items, env)), 0, fn(sum, v) => sum + num(v)))
  Each(callee, items)  =>
    let f = eval(callee, env)
    List(map(list(eval(items, env)), fn(v) => apply(f, v)))
  Keep(callee, items)  =>
    let f = eval(callee, env)
    List(filter(list(eval(items, env)), fn(v) => truth(apply(f, v))))
  Pairs(left, right)   =>
    let both = zip(list(eval(left, env)), list(eval(right, env)))
    List(map(both, fn(pair) => paired(pair)))
  Kinds(row)           =>
    let seen = fold(list(eval(row, env)), empty, fn(s, v) => added(s, num(v)))
    List(map(items(seen), fn(n) => Num(n)))
  Hold(fields)         => Parts(fold(fields, empty, fn(m, one) => put(m, one, env)))
  Get(e, x)            =>
    let held = parts(eval(e, env))
    held[x] otherwise fail Missing
  Put(e, x, value)     => Parts(parts(eval(e, env)) with x = eval(value, env))
  Drop(e, x)           => Parts(removed(parts(eval(e, env)), x))
define put(m: Map[Name, Value], one: Field, env: Env[Value]) -> Map[Name, Value] by one
  Named(x, value) => m with x = eval(value, env)
define paired(pair: (Value, Value)) -> Value by pair
  (a, b) => List([a, b])
define nth(items: List[Value], at: Maybe[Int]) -> Value by at
  Some(n) => items[n] otherwise fail Missing
  None    => fail Wrong
define apply(f: Value, arg: Value) -> Value by f
  Closure(name, x, body, saved) => eval(body, saved with all [(name, f), (x, arg)])
  _ => fail Wrong
define num(v: Value) -> Number by v
  Num(n) => n
  _ => fail Wrong
define truth(v: Value) -> Bool by v
  Truth(b) => b
  _ => fail Wrong
define list(v: Value) -> List[Value] by v
  List(items) => items
  _ => fail Wrong
define parts(v: Value) -> Map[Name, Value] by v
  Parts(held) => held
  _ => fail Wrong
"""

UP = "let up n = when 5 < n then [] else [n] ++ up(n + 1) in "
"""The numbers from one up to five, which the run makes."""

IN_QUAY = [
    # By hand.
    (UP + "up(2)", "[2, 3, 4, 5]"),
    (UP + "[total(up(0)), total(up(6)), size(up(3)), size(up(9))]", "[15, 0, 3, 0]"),
    (UP + "back(up(3)) ++ up(4)", "[5, 4, 3, 4, 5]"),
    (UP + "up(1)[0] + up(1)[4]", "6"),
    (UP + "up(1)[5]", "Missing"),
    (UP + "up(9)[0]", "Missing"),
    (UP + "[7, 8, 9][2]", "9"),
    (UP + "[7, 8, 9][3]", "Missing"),
    (UP + "let sq x = x + x in each(sq, up(3))", "[6, 8, 10]"),
    (UP + "let k = 10 in let more x = x + k in total(each(more, up(4)))", "29"),
    (UP + "let low x = x < 4 in keep(low, back(up(1)))", "[3, 2, 1]"),
    (UP + "let low x = x < 4 in [keep(low, up(6)), keep(low, [5, 1, 9, 2])]", "[[], [1, 2]]"),
    (UP + "let no x = 3 in keep(no, up(1))", "Wrong"),
    (UP + "let no x = 3 in keep(no, up(6))", "[]"),
    (UP + "pairs(up(1), back(up(3)))", "[[1, 5], [2, 4], [3, 3]]"),
    (UP + "kinds(back(up(3)) ++ up(4) ++ [4, 0])", "[0, 3, 4, 5]"),
    (UP + "total([1, up(2)])", "Wrong"),
    # Equal by what they are made of; functions are not looked into by these.
    (UP + "[up(3) == back(back(up(3))), up(3) == up(2), up(5) == 5, [] == up(6)]",
     "[true, false, false, true]"),
    (UP + "[{a = up(4), b = 1} == put({b = 1}, a, [4, 5]), {a = 1} == {b = 1}, {} == {}]",
     "[true, false, true]"),
    # A number is no truth value, although Python has them equal.
    ("let id x = x in [id(1) == id(0 < 1), id(0) == id(1 < 0), id(1) == id(1)]",
     "[false, false, true]"),
    # A part that is put in a second time; one that goes; one that is not there.
    (UP + "let h = {a = up(4), b = 2} in [put(h, b, 3).b, h.b, put(h, c, h.a).c[1]]", "[3, 2, 5]"),
    (UP + "drop({a = up(4), b = 2}, a).b + drop({b = 4}, z).b", "6"),
    (UP + "drop({a = up(4), b = 2}, a).a", "Missing"),
    # Parts that are functions: what is under a name is one of two.
    ("let one x = x + 1 in let two x = x + x in let pick n = when n < 1 then one else two in "
     "let h = {f = pick(0), g = pick(9)} in [h.f(7), h.g(7)]", "[8, 14]"),
    # Rows inside rows, and a row that grows while it goes round: 0 + 1 + … + 5, six times.
    (UP + "let add r = total(r) in total(each(add, [up(0), up(0), up(0), up(0), up(0), up(0)]))",
     "90"),
    (UP + "let grow r = when 60 < size(r) then size(r) else grow(r ++ up(1)) in grow([])", "65"),
    # A round that comes back to the function it stands in: 3 rows of 2 rows of none.
    ("let tree n = when n < 1 then [] else each(tree, [n + 18, 0, 0]) in size(tree(0))", "0"),
    (UP + "let deep n = when n < 1 then 1 else total(each(deep, pairs(up(4), up(4))[0])) in "
     "when deep(0) < 2 then deep(0) else 9", "1"),
]  # fmt: skip


def left_with(lane: Lane, program: str) -> Result:
    """What a program comes to; its residual program comes to that by itself, if it is a value."""
    term = term_of(lane, program)
    found = agrees(lane, term)
    assert found is not None, program
    left = specialise(lane.interpreter, term)
    assert left.runs_to_its_end(lane.machine.display, LIMITS) == (found.outcome.kind == "value")
    return found


@pytest.fixture
def quay(make_course: Maker) -> Lane:
    return Session(make_course(quay=QUAY, lane=LANE).folder).lane("Quay", "environment")


def test_programs_whose_values_are_known_beforehand(quay: Lane) -> None:
    for program, wanted in IN_QUAY:
        outcome = left_with(quay, program).outcome
        assert (outcome.text if outcome.kind == "value" else outcome.name) == wanted, program


@given(data=st.data())
@settings(max_examples=150)
def test_programs_that_nobody_wrote(quay: Lane, data: st.DataObject) -> None:
    agrees(quay, data.draw(terms(quay.interpreter.language.signature, "Expr", 5)))


def test_a_list_is_gone_through_by_a_function_that_begins_again(quay: Lane) -> None:
    text = UP + "let sq x = x + x in total(each(sq, up(1)))"
    lines = [
        line.text
        for line in residual_lines(specialise(quay.interpreter, term_of(quay, text)), text)
    ]
    assert any(line.startswith("fold(") and line.endswith("again") for line in lines)
    assert any(line.startswith("map(") and line.endswith("again") for line in lines)
    assert "if a0 is [_, .._] then" in lines


STORES = """\
interpreter stores for Quay
  "Each item of a row has a location of its own."
value Value
  Num(n: Number)              shown "{n}"
  Cells(at: List[Loc])        shown "{size(at)} cells"
  Closure(f: Name, x: Name, body: Expr, env: Env[Value])   shown "<function>"
main run
define run(p: Expr) -> (Value, Store[Value])
  eval(p, empty, empty)
define eval(e: Expr, env: Env[Value], s: Store[Value]) -> (Value, Store[Value]) by e
  Lit(n)               => (Num(n), s)
  Var(x)               => (env[x] otherwise fail Unbound(x), s)
  Add(left, right)     =>
    let (a, s1) = eval(left, env, s)
    let (b, s2) = eval(right, env, s1)
    (Num(num(a) + num(b)), s2)
  When(test, yes, no)  =>
    let (t, s1) = eval(test, env, s)
    if num(t) > 0 then eval(yes, env, s1) else eval(no, env, s1)
  Let(x, bound, body)  =>
    let (v, s1) = eval(bound, env, s)
    eval(body, env with x = v, s1)
  Fun(f, x, one, body) => eval(body, env with f = Closure(f, x, one, env), s)
  Call(callee, arg)    =>
    let (f, s1) = eval(callee, env, s)
    let (v, s2) = eval(arg, env, s1)
    apply(f, v, s2)
  Row(items)           =>
    let (made, s1) = fold(items, ([], s), fn(sofar, one) => cell(sofar, one, env))
    (Cells(reversed(made)), s1)
  Join(left, right)    =>
    let (a, s1) = eval(left, env, s)
    let (b, s2) = eval(right, env, s1)
    (Cells(appended(cells(a), cells(b))), s2)
  Total(items)         =>
    let (v, s1) = eval(items, env, s)
    (Num(fold(cells(v), 0, fn(sum, at) => sum + num(s1[at]))), s1)
  Each(callee, items)  =>
    let (f, s1) = eval(callee, env, s)
    let (v, s2) = eval(items, env, s1)
    let (_, s3) = fold(cells(v), (0, s2), fn(sofar, at) => changed(sofar, at, f))
    (v, s3)
type Cells = (List[Loc], Store[Value])
define cell(sofar: Cells, one: Expr, env: Env[Value]) -> Cells
  let (made, s) = sofar
  let (v, s1) = eval(one, env, s)
  let (at, s2) = alloc(s1, v)
  ([at, ..made], s2)
define changed(sofar: (Number, Store[Value]), at: Loc, f: Value) -> (Number, Store[Value])
  let (count, s) = sofar
  let (v, s1) = apply(f, s[at], s)
  (count + 1, s1 with at = v)
define apply(f: Value, v: Value, s: Store[Value]) -> (Value, Store[Value]) by f
  Closure(name, x, body, saved) => eval(body, saved with all [(name, f), (x, v)], s)
  _ => fail Wrong
define num(v: Value) -> Number by v
  Num(n) => n
  _ => fail Wrong
define cells(v: Value) -> List[Loc] by v
  Cells(at) => at
  _ => fail Wrong
"""

IN_STORES = [
    ("let up n = when n + 18446744073709551610 then [n] else [n] in total(up(7))", "7"),
    # 1 + 2 + … are the rows of a function that calls itself, each in its own cells.
    ("let more n = when n then [n] ++ [n] else [4] in total(more(3) ++ more(0) ++ [5])", "15"),
    ("let add x = x + 10 in let more n = when n then [n] ++ [n] else [4] in "
     "let row = more(3) ++ [1] in total(each(add, row)) + total(row)", "74"),
    ("let add x = x + 10 in let more n = when n then [n] ++ [n] else [4] in "
     "let row = more(1) in total(each(add, row ++ row))", "84"),
]  # fmt: skip


def test_locations_in_lists(make_course: Maker) -> None:
    """A cell that is twice in a row is changed twice: 1, 11, 21, and that four times."""
    lane = Session(make_course(quay=QUAY, lane=STORES).folder).lane("Quay", "stores")
    for program, wanted in IN_STORES:
        assert left_with(lane, program).outcome.text == wanted, program


WORDS = """\
interpreter words for Quay
  "Of a program the names in it, and what can be said of them."
main run
define run(p: Expr) -> Text
  let seen = names(p, empty, 0)
  let listed = fold(keys(seen), "", fn(t, x) => "{t}{x}{number_of(seen[x])} ")
  let marks = marks_of(words(seen), empty)
  let again = union(marks, added(empty, "z"))
  let gone = removed(again, "a")
  let signs = joined(items(gone), "-")
  "{listed}{size(marks)} {has(again, "a")} {has(gone, "a")} {signs} {codes_of(listed)}"
define names(e: Expr, m: Map[Name, Number], depth: Number) -> Map[Name, Number] by e
  Var(x)              => m with x = (m[x] otherwise 0) + depth
  Add(left, right)    => names(right, names(left, m, depth + 1), depth + 1)
  Row(items)          => fold(items, m, fn(found, one) => names(one, found, depth + 1))
  Let(x, bound, body) => removed(names(body, names(bound, m, depth + 1), depth + 1), x)
  _                   => m
define number_of(n: Number) -> Number
  n
define words(m: Map[Name, Number]) -> List[Text]
  map(keys(m), fn(x) => "{x}")
define marks_of(words: List[Text], found: Set[Text]) -> Set[Text]
  fold(words, found, fn(marks, word) => fold(characters(word), marks, fn(s, c) => added(s, c)))
define codes_of(t: Text) -> Text
  text_of(filter(codes(t), fn(c) => not (number(c) == 32)))
"""


def test_maps_sets_and_texts(make_course: Maker) -> None:
    """`ab` stands once at depth 2 and once at depth 1, `ca` twice at depth 2, and `d` is bound."""
    lane = Session(make_course(quay=QUAY, lane=WORDS).folder).lane("Quay", "words")
    program = "let d = ca + 1 in [ab, d, ca] + ab"
    found = left_with(lane, program)
    # let: 0; bound 1: ca in Add at 2. Body at 1: Add; its row at 2, ab and ca in it at 3; ab at 2.
    assert found.outcome.text == "ab5 ca5 3 true false b-c-z ab5ca5"
