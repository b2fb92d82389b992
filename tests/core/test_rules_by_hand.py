"""Which rules there are: those of the course held against lists written out by hand, and what
becomes a rule of its own, what is said beside it, and what is none."""

from __future__ import annotations

import random
import re
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.brix.interpreter import check_interpreter
from embrix.brix.mutants import mistakes_in
from embrix.brix.reader import read_definition
from embrix.brix.syntax import InterpreterSyntax
from embrix.course.load import Course
from embrix.draw.rules_on_paper import rules_on_paper
from embrix.lanes.session import Session
from embrix.text.diagnostic import Findings
from embrix.text.source import Source
from tests.conftest import TINY_LANGUAGE, Maker
from tests.core.test_rules_on_paper import written


@pytest.fixture(scope="module")
def session(lockside: Course) -> Session:
    return Session(lockside.folder)


DATA = Path(__file__).parents[1] / "data"


def rules_by_hand() -> dict[str, list[str]]:
    """The rules of each lane that were written down before they were compared, a line for each. A
    lane takes over what another says of terms of which it says nothing itself."""
    found: dict[str, list[str]] = {}
    bases: dict[str, str] = {}
    for line in (DATA / "rules_by_hand.txt").read_text().split("\n"):
        head = re.fullmatch(r"\[(\w+ \w+)\](?: takes over \[(\w+ \w+)\])?", line)
        if head is not None:
            lane = found.setdefault(head[1], [])
            if head[2]:
                bases[head[1]] = head[2]
        elif line and not line.startswith("#"):
            lane.append(line)
    for lane, base in bases.items():
        own = set(map(about, found[lane]))
        found[lane] += [line for line in found[base] if about(line) not in own]
    return found


def about(line: str) -> str:
    """The term that a rule is about, as it is written."""
    return re.split("[⇓→⇒]", line.split("|", 2)[2])[0]


def printed(session: Session, lane: str) -> set[tuple[str, str, str]]:
    return {
        (" ; ".join(one.premises), " ; ".join(one.conditions), one.conclusion)
        for one in rules_on_paper(session.lane(*lane.split()).interpreter)
    }


def in_parts(line: str) -> tuple[str, str, str]:
    premises, conditions, conclusion = (part.strip() for part in line.split("|", 2))
    return premises, conditions, conclusion


@pytest.mark.parametrize("lane", rules_by_hand())
def test_rules_written_out_by_hand_are_those_that_are_made(session: Session, lane: str) -> None:
    found = printed(session, lane)
    for rule in map(in_parts, rules_by_hand()[lane]):
        assert rule in found, [one for one in found if one[2] == rule[2]]


def test_every_rule_of_the_course_is_written_down(session: Session, lockside: Course) -> None:
    """None is missing, and there is none that nobody has written out by hand."""
    by_hand = rules_by_hand()
    for language, lanes in lockside.interpreters.items():
        for name in lanes:
            known = {in_parts(one) for one in by_hand.get(f"{language} {name}", ())}
            assert known == printed(session, f"{language} {name}"), (language, name)


def test_a_rule_whose_conditions_cannot_hold_is_none(session: Session) -> None:
    """A procedure of Weir is called with one operand; a function of one parameter always fits."""
    found = written(session, "Weir", "store_passing")
    calls = [rule for rule in found if "⊢ e₁ e₂ ⇓" in rule[2]]
    assert len(calls) == 3
    assert not any("size([x])" in text or "called(C" in text for rule in calls for text in rule)


def test_a_choice_among_the_operands_of_a_judgement_is_two_rules(make_course: Maker) -> None:
    text = """\
interpreter plain for Tiny
judgement eval "{e} ⇓ {result}"
main eval
define eval(e: Expr) -> Number by e
  Lit(n)              => n
  Var(_)              => 0
  Add(left, right)    =>
    let n = eval(if eval(left) == 0 then left else right)
    n
  Let(_, bound, body) => eval(if size_of(bound) == 1 then bound else body)
define size_of(e: Expr) -> Number by e
  Lit(_) => 1
  _      => 2
"""
    found = written(Session(make_course(tiny=TINY_LANGUAGE, plain=text).folder), "Tiny", "plain")
    assert ("e₁ ⇓ n₁  e₁ ⇓ n₂", "n₁ = 0", "e₁ + e₂ ⇓ n₂") in found
    assert ("e₁ ⇓ n₁  e₂ ⇓ n₂", "n₁ ≠ 0", "e₁ + e₂ ⇓ n₂") in found
    assert ("e₁ ⇓ n", "size_of(e₁) = 1", "let _ = e₁ in e₂ ⇓ n") in found
    assert ("e₂ ⇓ n", "size_of(e₁) ≠ 1", "let _ = e₁ in e₂ ⇓ n") in found


def test_a_location_that_is_reserved_before_something_is_evaluated_is_in_the_store(
    make_course: Maker,
) -> None:
    """It is no new location of the store before: between the two a premise has the store in which
    it is reserved."""
    text = """\
interpreter loops for Tiny
value Value
  Num(n: Number) shown Lit(n)
judgement eval "{env}, {store} ⊢ {e} ⇓ {v}, {after}" gives (v, after)
main run
define run(p: Expr) -> (Value, Store[Value])
  eval(p, empty, empty)
define eval(e: Expr, env: Env[Loc], store: Store[Value]) -> (Value, Store[Value]) by e
  Lit(n)              => (Num(n), store)
  Var(x)              => (store[env[x] otherwise fail Unbound(x)], store)
  Add(left, _)        => eval(left, env, store)
  Let(x, bound, body) =>
    let (loc, store) = reserve(store)
    let (v, store) = eval(bound, env with x = loc, store)
    eval(body, env with x = loc, store with loc = v)
"""
    found = written(Session(make_course(tiny=TINY_LANGUAGE, loops=text).folder), "Tiny", "loops")
    premises = "Γ[x ↦ l], σ₁ ⊢ e₁ ⇓ v₁, σ₂  Γ[x ↦ l], σ₂[l ↦ v₁] ⊢ e₂ ⇓ v₂, σ₃"
    rule = (premises, "(l, σ₁) = reserve(σ)", "Γ, σ ⊢ let x = e₁ in e₂ ⇓ v₂, σ₃")
    assert rule in found


def test_what_a_template_leaves_out_is_said_where_it_is_not_handed_on_as_it_is(
    session: Session,
) -> None:
    """By hand: the second operand is looked at with what the kind of the first has told; a value
    is handed to what is done with it, and an alarm's to what hears it."""
    found = written(session, "Gauge", "inference")
    second = "Γ ⊢ e₂ : τ₂, known₂ where known = unified(number, τ₁, known₁)"
    whole = "Γ ⊢ e₁ + e₂ : number, unified(number, τ₂, known₂)"
    assert (f"Γ ⊢ e₁ : τ₁, known₁  {second}", "", whole) in found
    inner = "Γ₁ ⊢ e : τ₂, known where around = τ₁ :: around"
    assert (inner, "Γ₁ = Γ[x ↦ ForAll(∅, τ₁)]", "Γ ⊢ given x as τ₁: e : τ₁ to τ₂, known") in found
    found = written(session, "Siren", "continuations")
    rest = "where then_ = λv₂. eval(e₂, Γ[x ↦ v₂], then_, hear)"
    assert (f"Γ ⊢ e₁ ⇓ v₁ {rest}", "", "Γ ⊢ let x = e₁ in e₂ ⇓ v₁") in found
    assert ("Γ ⊢ e ⇓ v where then_ = hear", "", "Γ ⊢ alarm e ⇓ v") in found


def test_lists_and_missing_parts_are_written_as_the_grammar_writes_them(session: Session) -> None:
    """Held against the clauses of the definition: the rest of a block is one more statement, and a
    branch without another way goes on with nothing."""
    found = written(session, "Weir", "rewriting")
    assert ("", "", "⟨while e do s, σ⟩ → ⟨when e do {s; while e do s}, σ⟩") in found
    first = ("s ≠ new _ := _", "⟨{s; rest}, σ⟩ → ⟨{s′; rest}, σ′⟩")
    assert ("⟨s, σ⟩ → ⟨s′, σ′⟩", *first) in found
    assert ("", "e is final  ¬holds(e)", "⟨when e do s, σ⟩ → ⟨{}, σ⟩") in found
    assert ("", "e is final  ¬holds(e)", "⟨when e do s₁ otherwise s₂, σ⟩ → ⟨s₂, σ⟩") in found
    equal = "⟨e₁ is e₂, σ⟩ → error NotComparable"
    assert ("", "e₁ is final  e₂ is final  function(e₁)", equal) in found


def test_parts_that_take_steps_first_are_final_when_a_clause_applies(session: Session) -> None:
    """Worked out by hand from the `order` lines of Weir: also where the clause has no name for the
    part, and where a line above leads into another part."""
    found = written(session, "Weir", "rewriting")
    argument = ("e₁ is final  function(e₁)", "⟨e₁ e₂, σ⟩ → ⟨e₁ e₂′, σ′⟩")
    assert ("⟨e₂, σ⟩ → ⟨e₂′, σ′⟩", *argument) in found
    assert ("", "e is final", "⟨(given _, rest: _) e, σ⟩ → error WrongArity") in found
    assert ("", "e is final", "⟨run e, σ⟩ → ⟨{}, σ⟩") in found
    assert ("", "s is final  s ≠ new _ := _", "⟨{s; rest}, σ⟩ → ⟨{rest}, σ⟩") in found
    assert ("⟨e, σ⟩ → ⟨e′, σ′⟩", "", "⟨run e, σ⟩ → ⟨run e′, σ′⟩") in found


def test_what_clauses_above_take_is_said_or_leaves_no_rule(session: Session) -> None:
    """An assignment of `whole_lines` takes every assignment, so none takes a step in its value; a
    clause below one with a guard says that the guard does not hold, with its own names."""
    lines = written(session, "Race", "whole_lines")
    assert not any(conclusion.endswith("⟨x := e′, memory⟩") for _, _, conclusion in lines)
    found = written(session, "Rill", "rewriting")
    compared = ("e₁ is final  e₂ is final  ¬(comparable(e₁) ∧ comparable(e₂))",
                "e₁ is e₂ → error NotComparable")  # fmt: skip
    assert ("", *compared) in found
    less = ("e₁ is final  e₂ is final  e₁ ≠ Lit(_) ∨ e₂ ≠ Lit(_)", "e₁ < e₂ → error NumberWanted")
    assert ("", *less) in found
    assert ("e₁ → e₁′", "", "e₁ and e₂ → e₁′ and e₂") in found
    punt = written(session, "Punt", "rewriting")
    assert ("e → e′", "", "e.x → e′.x") in punt


def test_what_fails_on_the_way_through_a_list_is_a_rule(make_course: Maker) -> None:
    """By hand: what is looked up in the function is there, or the rule fails. In a branch that may
    not be taken it is no rule of its own."""
    text = """\
interpreter plain for Tiny
judgement eval "{env} ⊢ {e} ⇓ {result}"
error Unbound(x: Name) "nothing called {x}"
main run
define run(e: Expr) -> Number
  eval(e, empty)
define eval(e: Expr, env: Env[Number]) -> Number by e
  Lit(n)              => n
  Var(x)              => if has(env, x) then env[x] otherwise fail Unbound(x) else 0
  Add(left, right)    => eval(left, env) + eval(right, env)
  Let(x, _, body)     =>
    let more = fold([x], env, fn(before, y) =>
      let old = before[y] otherwise fail Unbound(y)
      before with y = old + 1)
    eval(body, more)
define has(env: Env[Number], x: Name) -> Bool
  match lookup(env, x)
    Some(_) => true
    None    => false
"""
    course = make_course(tiny=TINY_LANGUAGE, plain=text)
    assert not course.diagnostics
    found = written(Session(course.folder), "Tiny", "plain")
    lets = {rule for rule in found if "let" in rule[2]}
    assert lets == {
        ("Γ[x ↦ n₁ + 1] ⊢ e ⇓ n₂", "n₁ = Γ(x)", "Γ ⊢ let x = _ in e ⇓ n₂"),
        ("", "x ∉ dom(Γ)", "Γ ⊢ let x = _ in e ⇓ error Unbound"),
    }
    assert len([rule for rule in found if "⊢ x ⇓" in rule[2]]) == 3


@pytest.mark.parametrize(("lane", "names"), [("plain", "0"), ("plain[names=ones]", "1")])
def test_a_guard_that_a_choice_decides_is_not_said(
    make_course: Maker, lane: str, names: str
) -> None:
    text = """\
interpreter plain for Tiny
choice names "What is a name?"
  zeros "nothing"  default
  ones  "something"
judgement eval "{e} ⇓ {result}"
main eval
define eval(e: Expr) -> Number by e
  Lit(n)                     => n
  Var(_) when names is ones  => 1
  Var(_)                     => 0
  Add(left, right)           => eval(left) + eval(right)
  Let(_, _, body)            => eval(body)
"""
    session = Session(make_course(tiny=TINY_LANGUAGE, plain=text).folder)
    found = [rule for rule in written(session, "Tiny", lane) if rule[2].startswith("x ⇓")]
    assert found == [("", "", f"x ⇓ {names}")]


def test_what_may_be_missing_is_no_choice_where_it_is_spoken_of_again(make_course: Maker) -> None:
    text = """\
interpreter plain for Tiny
judgement eval "{e} ⇓ {result}"
main run
define run(e: Expr) -> Number
  eval(e, None)
define eval(e: Expr, other: Maybe[Expr]) -> Number by e
  Lit(n)            => n
  Var(_)            => 0
  Add(left, right)  =>
    let n = eval(other otherwise left, None)
    n + eval(other otherwise right, other)
  Let(_, bound, _)  =>
    let n = eval(other otherwise bound, None)
    n
"""
    course = make_course(tiny=TINY_LANGUAGE, plain=text)
    assert not course.diagnostics
    found = written(Session(course.folder), "Tiny", "plain")
    assert ("other otherwise e₁ ⇓ n₁  other otherwise e₂ ⇓ n₂", "", "e₁ + e₂ ⇓ n₁ + n₂") in found
    lets = [premises for premises, _, conclusion in found if conclusion.startswith("let")]
    assert lets == ["e₂ ⇓ n", "e ⇓ n"]


@pytest.mark.parametrize(
    "lane", [("Eddy", "krivine"), ("Mere", "by_need"), ("Rill", "environment"),
             ("Weir", "rewriting"), ("Weir", "store_passing")],
)  # fmt: skip
@settings(max_examples=12, deadline=None)
@given(chance=st.randoms(use_true_random=False))
def test_a_definition_that_is_being_written_has_rules(
    lockside: Course, lane: tuple[str, str], chance: random.Random
) -> None:
    """A mistake in it and a line gone: rules are made of what is there, whatever it is."""
    right = lockside.interpreters[lane[0]][lane[1]]
    syntax = read_definition(right.source, Findings())
    assert isinstance(syntax, InterpreterSyntax)
    lines = chance.choice(mistakes_in(syntax)).made(right.source.text).split("\n")
    del lines[chance.randrange(1, len(lines))]
    changed = read_definition(Source(right.source.name, "\n".join(lines)), Findings())
    if isinstance(changed, InterpreterSyntax):
        base = syntax.base and lockside.interpreters[syntax.base[0]][syntax.base[1]]
        made = check_interpreter(
            changed, lockside.languages[lane[0]], base or None, lockside.libraries
        ).made
        assert made is None or isinstance(rules_on_paper(made), list)


FUNCTIONS = """\
interpreter chained for Tiny
value Value
  Num(n: Number) shown Lit(n)
judgement eval "{env} ⊢ {e} ⇓ {v}" gives (v, next)
main run
define run(p: Expr) -> Value
  let (v, _) = eval(p, empty, 0, fn(v) => v)
  v
define eval(e: Expr, env: Env[Value], next: Int, done: (Value) -> Value) -> (Value, Int) by e
  Lit(n)              => (done(Num(n)), next)
  Var(x)              => (env[x] otherwise fail Unbound(x), next)
  Add(left, right)    => both(left, right, env, next, fn(v, w) =>
    let sum = worth(v) + worth(w)
    done(Num(sum)))
  Let(x, bound, body) =>
    let (v, next) = eval(bound, env, next, fn(v) => v)
    let (_, after) = eval(body, env with x = v, next, done)
    (Num(after), after)
define both(left: Expr, right: Expr, env: Env[Value], next: Int, then_: (Value, Value) -> Value)
    -> (Value, Int)
  eval(left, env, next, fn(v) => then_(v, v))
define worth(v: Value) -> Number by v
  Num(n) => n
"""


def test_what_a_function_binds_is_named_as_nothing_else_in_the_rule(make_course: Maker) -> None:
    """A function with lines inside is one expression, and is put in where it is called."""
    found = written(Session(make_course(tiny=TINY_LANGUAGE, chained=FUNCTIONS).folder), "Tiny",
                    "chained")  # fmt: skip
    added = "Γ ⊢ e₁ ⇓ v₁ where done = λv₂. done(worth(v₂) + worth(v₂))"
    assert (added, "", "Γ ⊢ e₁ + e₂ ⇓ v₁") in found


def test_what_a_template_leaves_out_is_given_where_the_rule_speaks_of_it(
    make_course: Maker,
) -> None:
    found = written(Session(make_course(tiny=TINY_LANGUAGE, chained=FUNCTIONS).folder), "Tiny",
                    "chained")  # fmt: skip
    premises = "Γ ⊢ e₁ ⇓ v₁ where done = λv₂. v₂  Γ[x ↦ v₁] ⊢ e₂ ⇓ _ giving n"
    assert (premises, "", "Γ ⊢ let x = e₁ in e₂ ⇓ n") in found
