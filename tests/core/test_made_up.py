"""Terms and values that are made up: for laws, for hunts."""

from __future__ import annotations

import random
import re
from collections import Counter
from typing import Any

import pytest
from msgspec.structs import replace

from embrix.checking.laws import try_law
from embrix.compare.search import hunt
from embrix.compare.weights import WeightedGenerator, Weights, learned, untaught, written
from embrix.course.load import Course
from embrix.grammar.parser import Parsed
from embrix.grammar.pattern import read_pattern
from embrix.grammar.sentences import samples
from embrix.lanes.session import Session
from embrix.machine.limits import Limits
from embrix.machine.outcome import Result
from embrix.machine.program_words import words_of
from embrix.machine.run import Machine
from embrix.terms.binding import free_names
from embrix.terms.generate import Generator, NoTerm
from embrix.terms.node import same, size
from embrix.terms.types import Con
from tests.conftest import Maker

PURE = """\
language Pure
  extension "pure"
tokens
  name  /[a-z]+/  as Name
  skip  / +/
forms Expr
  Var(x: Name)  uses x
  Lam(x: Name, body: Expr)  binds x in body
  App(f: Expr, a: Expr)
grammar
  start Expr
  Expr ::= "fun" x:name "." body:Expr makes Lam | Apps
  operators Apps : Expr
    left f juxtaposed a makes App
    operand Atom
  Atom : Expr ::= x:name makes Var | "(" Expr ")"
"""
WEAK = """\
interpreter weak for Pure
data Tree[A]
  Leaf
  Fork(l: Tree[A], a: A, r: Tree[A])
data Sure
  Sure(b: Bool, m: Map[Name, Int], s: Set[Tree[Text]], e: Env[Expr], o: Maybe[(Int, Name)])
main run
define run(e: Expr) -> Expr
  repeat step(e)
define step(e: Expr) -> Expr by e
  final Lam(_, _)
  final Var(_)
  App(Lam(x, b), a) => substitute(a, x, b)
  App(f, a) => App(step(f), a)
define mirror(t: Tree[Number]) -> Tree[Number] by t
  Leaf => Leaf
  Fork(l, a, r) => Fork(mirror(r), a, mirror(l))
define same(s: Sure) -> Bool
  s == s
law alike(substitute(v, x, e), e) when free(e) == empty
law if alike(a, a) then true else false
law mirror(mirror(t)) == t
law same(s)
law mirror(u) == u
"""


@pytest.fixture
def pure(make_course: Maker) -> Session:
    course = make_course(pure=PURE, weak=WEAK)
    assert not course.has_errors, [d.message for d in course.diagnostics]
    return Session(course.folder)


def test_laws_of_the_pure_calculus_and_over_data(pure: Session) -> None:
    """A calculus without a closed leaf, generic data, everything that a field may hold. By hand: a
    tree of one node with two unlike ends is the smallest that is not its own mirror image."""
    machine = pure.lane("Pure", "weak").machine
    reports = {law.text: try_law(machine, law) for law in machine.interpreter.laws}
    held = [text for text, report in reports.items() if report.counterexample is None]
    assert all(reports[text].tried > 200 for text in held if "free(e)" not in text)
    wrong = reports["law mirror(u) == u"]
    assert wrong.counterexample is not None
    assert wrong.counterexample["u"].count("Fork") == 2
    assert set(reports) - set(held) == {"law mirror(u) == u"}


def test_a_law_without_examples_says_so(make_course: Maker) -> None:
    text = WEAK.replace("  Leaf\n  Fork", "  Fork").replace("  Leaf => Leaf\n", "")
    text = text.replace("law mirror(u) == u\n", "")
    course = make_course(pure=PURE, weak=text)
    assert not course.has_errors, [d.message for d in course.diagnostics]
    session = Session(course.folder)
    machine = session.lane("Pure", "weak").machine
    law = next(one for one in machine.interpreter.laws if "mirror(t)" in one.text)
    report = try_law(machine, law)
    assert (report.tried, report.untried) == (0, "there are no finite examples of Tree")


def test_closed_terms_of_the_pure_calculus(pure: Session) -> None:
    language = pure.course.languages["Pure"]
    chance = random.Random(5)
    for depth in range(200):
        term = Generator(language.signature, chance.randrange).term("Expr", depth % 6)
        assert free_names(language.signature, term) == frozenset()
        assert size(term) < 2_000


def test_no_term_where_none_is_finite(make_course: Maker) -> None:
    course = make_course(a="language Endless\nforms S\n  More(s: S)\n")
    with pytest.raises(NoTerm):
        Generator(course.languages["Endless"].signature, lambda n: 0).term("S", 3)


OPS = """\
language Ops
  extension "ops"
numbers integer
tokens
  number  /[1-4]/   as Number
  word    /[A-Z]+/  as Name
  skip    / +/
forms Expr
  Num(n: Number)
  Bin(left: Expr, op: Text, right: Expr)
  Let(x: Name, e: Expr, body: Expr)  binds x in body
  Use(x: Name)  uses x
  Unwritten(e: Expr)
grammar
  start Expr
  Expr ::= left:Atom op:"+" right:Expr makes Bin | left:Atom op:"*" right:Expr makes Bin
    | "let" x:word "=" e:Expr "in" body:Expr makes Let
    | Atom
  Atom : Expr ::= n:number makes Num | x:word makes Use
"""
ONE = """\
interpreter one for Ops
value V
  N(n: Number)
main run
define run(p: Expr) -> V
  N(eval(p, empty))
judgement eval  "{env} ⊢ {e} ⇓ {result}"
define eval(e: Expr, env: Env[Number]) -> Number by e
  Num(n) => n
  Bin(l, "+", r) => eval(l, env) + eval(r, env)
  Bin(l, "*", r) => eval(l, env) * eval(r, env)
  Let(x, e, body) =>
    let v = eval(e, env)
    eval(body, env with x = v)
  Use(x) => env[x]
  Unwritten(e) => 0 - eval(e, env)
"""
TWO = (
    ONE.replace("interpreter one", "interpreter two")
    .replace('"+", r) => eval(l, env) + eval(r, env)',
             '"+", r) => less(eval(l, env), eval(r, env))')
) + """\
define less(a: Number, b: Number) -> Number
  if a == b then 0 else a + b
"""  # fmt: skip


def test_only_what_the_grammar_writes_is_made_up(make_course: Maker) -> None:
    """Operators that are captured, names and numbers of narrow tokens, forms of no rule."""
    course = make_course(ops=OPS, one=ONE)
    lane = Session(course.folder).lane("Ops", "one")
    weights = learned(lane, "Expr", 3, lambda: None)
    chance = random.Random(7)
    language = course.languages["Ops"]
    met: set[str] = set()
    for _ in range(300):
        term = WeightedGenerator(language, chance.randrange, weights).program("Expr")
        read = lane.parser.parse(written(lane, term))
        assert isinstance(read, Parsed)
        assert same(read.term, term)
        met |= set(written(lane, term).split())
    assert {"+", "*", "1", "3", "let"} <= met
    words = words_of(lane.interpreter, lane.machine.printer)
    assert words.leaves["Bin", 1] == ("+", "*")


@pytest.mark.parametrize("seed", [1, 2])
def test_a_captured_operator_is_found_with_every_seed(make_course: Maker, seed: int) -> None:
    """By hand: the smallest program is a sum of two equal numbers."""
    course = make_course(ops=OPS, one=ONE, two=TWO)
    session = Session(course.folder)
    found = hunt(session.lane("Ops", "one"), session.lane("Ops", "two"), seed=seed)
    assert found.program == "1 + 1"
    assert found.nodes == 3


CLASS = OPS.replace("tokens\n", "tokens\n  sign  /[+*]|min/  as Text\n").replace(
    'op:"+" right:Expr makes Bin | left:Atom op:"*"', "op:sign"
)
CHOOSING = """\
interpreter one for Ops
value V
  N(n: Number)
main run
define run(p: Expr) -> V
  N(eval(p, empty))
judgement eval  "{env} ⊢ {e} ⇓ {result}"
define eval(e: Expr, env: Env[Number]) -> Number by e
  Num(n) => n
  Bin(l, op, r) => worth(op, eval(l, env), eval(r, env))
  Let(x, e, body) => eval(body, env with x = eval(e, env))
  Use(x) => env[x]
  Unwritten(e) => 0 - eval(e, env)
define worth(op: Text, a: Number, b: Number) -> Number
  if op == "+" then a + b else a * b
"""


@pytest.mark.parametrize("seed", [1, 2])
def test_an_operator_out_of_a_class_of_characters(make_course: Maker, seed: int) -> None:
    """By hand: 1 + 1 is 2 in one and 3 in the other; nothing smaller has an operator."""
    other = CHOOSING.replace("interpreter one", "interpreter two").replace(
        "a + b else", "a + b + (if a == 1 and b == 1 then 1 else 0) else"
    )
    session = Session(make_course(ops=CLASS, one=CHOOSING, two=other).folder)
    words = words_of(
        session.lane("Ops", "one").interpreter, session.lane("Ops", "one").machine.printer
    )
    assert set(words.leaves["Bin", 1]) == {"+", "*", "min"}
    found = hunt(session.lane("Ops", "one"), session.lane("Ops", "two"), seed=seed)
    assert found.program == "1 + 1"


@pytest.mark.parametrize("seed", [1, 2])
def test_a_number_that_only_one_lane_speaks_of_is_tried(make_course: Maker, seed: int) -> None:
    """By hand: 977 alone tells the lanes apart."""
    wide = OPS.replace("/[1-4]/", "/[0-9]+/")
    other = ONE.replace("interpreter one", "interpreter two").replace(
        "  Num(n) => n\n", "  Num(977) => 0\n  Num(n) => n\n"
    )
    session = Session(make_course(ops=wide, one=ONE, two=other).folder)
    found = hunt(session.lane("Ops", "one"), session.lane("Ops", "two"), seed=seed)
    assert found.program == "977"


def test_samples_of_patterns() -> None:
    """By hand."""

    def made(pattern: str) -> list[str]:
        return sorted(samples(read_pattern(pattern), 12))

    assert made("[+*]|min") == ["*", "+", "min"]
    assert made("ab?c") == ["abc", "ac"]
    assert made("<=?|>") == ["<", "<=", ">"]
    assert made("[a-z]+") == ["a"]
    assert made("(x|y){2}") == ["xx", "yx"]
    assert len(samples(read_pattern("(a|b)(c|d)[0-7]|" + "|".join("qrstuvw")), 12)) == 12


def test_a_language_without_a_grammar_is_hunted_in(make_course: Maker) -> None:
    begin, end = OPS.index("tokens"), OPS.index("forms")
    plain = OPS[:begin] + OPS[end : OPS.index("grammar")]
    session = Session(make_course(ops=plain, one=ONE, two=TWO).folder)
    found = hunt(session.lane("Ops", "one"), session.lane("Ops", "two"), seed=2)
    assert found.program.startswith('term: Bin(Num(0), "+", Num(0))') is False
    assert "Bin(" in found.program
    assert found.ends[0] != found.ends[1]


def test_a_hunt_that_falls_short_never_says_there_is_no_difference(make_course: Maker) -> None:
    """Three of the numbers that are tried can be written, and nothing else: three programs, however
    many are asked for."""
    text = OPS.replace('left:Atom op:"+" right:Expr makes Bin | left:Atom op:"*" right:Expr makes '
                       'Bin\n    | "let" x:word "=" e:Expr "in" body:Expr makes Let\n    | Atom',
                       "Atom").replace(" | x:word makes Use", "")  # fmt: skip
    session = Session(make_course(ops=text, one=ONE).folder)
    one = session.lane("Ops", "one")
    found = hunt(one, one, most=50)
    assert found.tried == 3
    assert found.sentence == (
        "the hunt fell short: only 3 of 50 programs could be generated (seed 1); none of these "
        "tells the lanes apart"
    )
    assert found.occurring == "forms: Num 100%; never: Bin, Let, Use, Unwritten"
    whole = hunt(one, one, most=2)
    assert whole.sentence == "no difference in 2 programs (seed 1)"


def test_forms_that_failed_at_first_come_again(make_course: Maker) -> None:
    """Everything but a number fails nearly always; it is tried all the same."""
    text = ONE.replace("  Bin(l", "  Bin(l").replace(
        "=> eval(l, env) * eval(r, env)", "when eval(l, env) == 4 => 4"
    )
    session = Session(make_course(ops=OPS, one=text).folder)
    one = session.lane("Ops", "one")
    found = hunt(one, one, most=600)
    assert found.tried == 600
    assert all(found.forms[name] > 5 for name in ("Num", "Bin", "Let", "Use"))


def test_values_of_unknown_types_are_refused() -> None:
    from embrix.terms.signature import Signature

    with pytest.raises(NoTerm):
        Generator(Signature(()), lambda n: 0).value(Con("Nowhere"), 2)


@pytest.mark.parametrize(
    ("language", "name", "sort"),
    [("Rill", "environment", "Expr"), ("Race", "interleaving", "Program")],
)
def test_what_is_weighed_is_all_that_has_been_learned(
    lockside: Course, monkeypatch: pytest.MonkeyPatch, language: str, name: str, sort: str
) -> None:
    """After each program: as if all were weighed anew from what counts."""
    lane = Session(lockside.folder).lane(language, name)
    weigh, compared = Weights.weigh_anew, 0

    def weigh_and_compare(weights: Weights) -> None:
        nonlocal compared
        weigh(weights)
        if not weights._good:
            return  # nothing has been learned: a fresh one
        fresh = untaught(lane)
        fresh.take(weights.taught())
        for at, known in weights._known.items():
            for (kind, depth, scoped), made in known.items():
                assert fresh.slots(kind, depth, at, scoped=scoped) == made
                compared += 1

    monkeypatch.setattr(Weights, "weigh_anew", weigh_and_compare)
    monkeypatch.setattr("embrix.compare.weights.LEARNING", 150)
    learned(lane, sort, 3, lambda: None)
    assert compared > 100


@pytest.mark.well_taught
def test_variables_are_set_before_they_are_read(lockside: Course) -> None:
    """No form of Race binds a name; that reading one fails unless it has been set is learned."""
    lane = Session(lockside.folder).lane("Race", "interleaving")
    weights = learned(lane, "Program", 1, lambda: None)
    assert weights.asking == {"Var"}
    chance = random.Random(41)
    generator = WeightedGenerator(lane.interpreter.language, chance.randrange, weights)
    ended: Counter[str] = Counter()
    for _ in range(150):
        text = written(lane, generator.program("Program"))
        if re.search(r"[a-z]+ [-+*<=]|[-+*<=] [a-z]+\b(?! *:=)", text):
            ended[lane.run(text, limits=Limits(calls=4_000)).outcome.kind] += 1
    assert ended.total() > 20
    assert ended["value"] > 3 * ended["failure"]


@pytest.mark.parametrize(("more", "looked_at"), [(10**6, 40), (1, 60), (-(10**6), 90)])
def test_no_more_is_looked_at_when_little_is_left_to_learn(
    lockside: Course, monkeypatch: pytest.MonkeyPatch, more: int, looked_at: int
) -> None:
    """By hand: rounds of twenty that give 4, 9 and 9 values, then another 9."""
    values = iter([*[True] * 4, *[False] * 16, *([True] * 9 + [False] * 11) * 3, *[True] * 10])
    lane = Session(lockside.folder).lane("Drip", "environment")
    run = Machine.run
    seen: list[Result] = []

    def running(self: Machine, *words: Any, **named: Any) -> Result:
        result = run(self, *words, **named)
        seen.append(result)
        kind = "value" if next(values) else "failure"
        return replace(result, outcome=replace(result.outcome, kind=kind))

    monkeypatch.setattr(Machine, "run", running)
    for name, number in (("ROUND", 20), ("LEARNING", 90), ("MORE", more)):
        monkeypatch.setattr(f"embrix.compare.weights.{name}", number)
    learned(lane, "Expr", 1, lambda: None)
    assert len(seen) == looked_at
