"""Inference rules in concrete syntax. Those of the course were held against the clauses of the
definitions by hand, rule by rule; those of the pure calculus were written down before they were
printed."""

from __future__ import annotations

import re

import pytest

from embrix.course.load import Course
from embrix.draw.rule_pictures import COLUMN, draw_rules
from embrix.draw.rules_on_paper import rules_on_paper
from embrix.draw.scene import Drawing, Label
from embrix.lanes.session import Session
from tests.conftest import TINY_LANGUAGE, Maker
from tests.core.test_drawing import check_geometry


@pytest.fixture(scope="module")
def session(lockside: Course) -> Session:
    return Session(lockside.folder)


def written(session: Session, language: str, lane: str) -> list[tuple[str, str, str]]:
    """Premises, conditions and conclusion of each rule, with one space between."""
    return [
        ("  ".join(one.premises), "  ".join(one.conditions), one.conclusion)
        for one in rules_on_paper(session.lane(language, lane).interpreter)
    ]


def test_the_rules_of_drip_in_an_environment(session: Session) -> None:
    both = "Γ ⊢ e₁ ⇓ n₁  Γ ⊢ e₂ ⇓ n₂"
    assert written(session, "Drip", "environment") == [
        ("", "", "Γ ⊢ n ⇓ n"),
        ("", "", "Γ ⊢ x ⇓ Γ(x)"),
        ("", "x ∉ dom(Γ)", "Γ ⊢ x ⇓ error Unbound"),
        (both, "n = n₁ + n₂", "Γ ⊢ e₁ + e₂ ⇓ n"),
        (both, "n = n₁ - n₂", "Γ ⊢ e₁ - e₂ ⇓ n"),
        (both, "n = n₁ · n₂", "Γ ⊢ e₁ * e₂ ⇓ n"),
        (both, "n₂ ≠ 0  n = n₁ / n₂", "Γ ⊢ e₁ / e₂ ⇓ n"),
        (both, "n₂ = 0", "Γ ⊢ e₁ / e₂ ⇓ error DivisionByZero"),
        ("Γ ⊢ e ⇓ n₁", "n = -n₁", "Γ ⊢ -e ⇓ n"),
        ("Γ ⊢ e₁ ⇓ v₁  Γ[x ↦ v₁] ⊢ e₂ ⇓ v₂", "", "Γ ⊢ let x = e₁ in e₂ ⇓ v₂"),
    ]


def test_the_rules_of_drip_by_rewriting(session: Session) -> None:
    steps = [
        rule
        for sign in "+-*/"
        for rule in (
            ("e₁ → e₁′", "", f"e₁ {sign} e₂ → e₁′ {sign} e₂"),
            ("e₂ → e₂′", "e₁ is final", f"e₁ {sign} e₂ → e₁ {sign} e₂′"),
        )
    ]
    assert written(session, "Drip", "rewriting") == [
        *steps,
        ("e → e′", "", "-e → -e′"),
        ("e₁ → e₁′", "", "let x = e₁ in e₂ → let x = e₁′ in e₂"),
        ("", "n = n₁ + n₂", "n₁ + n₂ → n"),
        ("", "n = n₁ - n₂", "n₁ - n₂ → n"),
        ("", "n = n₁ · n₂", "n₁ * n₂ → n"),
        ("", "", "n / 0 → error DivisionByZero"),
        ("", "n₂ ≠ 0  n = n₁ / n₂", "n₁ / n₂ → n"),
        ("", "n = -n₁", "-n₁ → n"),
        ("", "e₁ is final", "let x = e₁ in e₂ → e₂[x := e₁]"),
        ("", "", "x → error Unbound"),
    ]


def test_what_rill_adds_in_an_environment(session: Session) -> None:
    """Its first sixteen rules: truth, choice and functions."""
    found = written(session, "Rill", "environment")[4:22]
    assert found == [
        ("", "", "Γ ⊢ true ⇓ true"),
        ("", "", "Γ ⊢ false ⇓ false"),
        ("Γ ⊢ e₁ ⇓ n₁  Γ ⊢ e₂ ⇓ n₂", "b = n₁ < n₂", "Γ ⊢ e₁ < e₂ ⇓ b"),
        ("Γ ⊢ e₁ ⇓ v₁  Γ ⊢ e₂ ⇓ v₂", "b = same(v₁, v₂)", "Γ ⊢ e₁ is e₂ ⇓ b"),
        ("Γ ⊢ e₁ ⇓ true  Γ ⊢ e₂ ⇓ v", "", "Γ ⊢ e₁ and e₂ ⇓ v"),
        ("Γ ⊢ e₁ ⇓ false", "", "Γ ⊢ e₁ and e₂ ⇓ false"),
        ("Γ ⊢ e₁ ⇓ true", "", "Γ ⊢ e₁ or e₂ ⇓ true"),
        ("Γ ⊢ e₁ ⇓ false  Γ ⊢ e₂ ⇓ v", "", "Γ ⊢ e₁ or e₂ ⇓ v"),
        ("Γ ⊢ e₁ ⇓ true  Γ ⊢ e₂ ⇓ v", "", "Γ ⊢ when e₁ then e₂ else e₃ ⇓ v"),
        ("Γ ⊢ e₁ ⇓ false  Γ ⊢ e₃ ⇓ v", "", "Γ ⊢ when e₁ then e₂ else e₃ ⇓ v"),
        ("", "", "Γ ⊢ given x: e ⇓ Closure(x, e, Γ)"),
        (
            "Γ₁ ⊢ e₂ ⇓ v", "Γ₁ = Γ[f ↦ Closure(x, e₁, Γ₁)], recursively",
            "Γ ⊢ let f of x = e₁ in e₂ ⇓ v",
        ),
        (
            "Γ ⊢ e₁ ⇓ Closure(x, e₃, Γ₁)  Γ ⊢ e₂ ⇓ v₁  Γ₁[x ↦ v₁] ⊢ e₃ ⇓ v₂", "",
            "Γ ⊢ e₁ e₂ ⇓ v₂",
        ),
        ("Γ ⊢ e₁ ⇓ v", "v ≠ Closure(_, _, _)", "Γ ⊢ e₁ e₂ ⇓ error FunctionWanted"),
        ("", "", "Γ ⊢ n ⇓ n"),
        ("", "", "Γ ⊢ x ⇓ Γ(x)"),
        ("", "x ∉ dom(Γ)", "Γ ⊢ x ⇓ error Unbound"),
        ("Γ ⊢ e ⇓ n₁", "n = -n₁", "Γ ⊢ -e ⇓ n"),
    ]  # fmt: skip


def test_a_store_is_handed_from_premise_to_premise(session: Session) -> None:
    found = {conclusion: (premises, conditions) for premises, conditions, conclusion in
             written(session, "Rill", "store_passing")}  # fmt: skip
    assert found["Γ, σ ⊢ e₁ + e₂ ⇓ n, σ₂"] == (
        "Γ, σ ⊢ e₁ ⇓ n₁, σ₁  Γ, σ₁ ⊢ e₂ ⇓ n₂, σ₂", "n = n₁ + n₂",
    )  # fmt: skip
    assert found["Γ, σ ⊢ x ⇓ σ(l), σ"] == ("", "l = Γ(x)")
    assert found["Γ, σ ⊢ let x = e₁ in e₂ ⇓ v₂, σ₃"] == (
        "Γ, σ ⊢ e₁ ⇓ v₁, σ₁  Γ[x ↦ l], σ₂ ⊢ e₂ ⇓ v₂, σ₃", "l ∉ dom(σ₁)  σ₂ = σ₁[l ↦ v₁]",
    )  # fmt: skip
    assert found["Γ, σ ⊢ e₁ e₂ ⇓ v₂, σ₄"] == (
        "Γ, σ ⊢ e₁ ⇓ Closure(x, e₃, Γ₁), σ₁  Γ, σ₁ ⊢ e₂ ⇓ v₁, σ₂  Γ₁[x ↦ l], σ₃ ⊢ e₃ ⇓ v₂, σ₄",
        "l ∉ dom(σ₂)  σ₃ = σ₂[l ↦ v₁]",
    )
    # What fails gives nothing else.
    assert "Γ, σ ⊢ x ⇓ error Unbound" in found


def test_suspensions_are_made_and_forced(session: Session) -> None:
    found = written(session, "Mere", "by_need")
    assert (
        "Γ[x ↦ l], σ₁ ⊢ e₂ ⇓ v, σ₂", "l ∉ dom(σ)  σ₁ = σ[l ↦ Waiting(e₁, Γ)]",
        "Γ, σ ⊢ let x = e₁ in e₂ ⇓ v, σ₂",
    ) in found  # fmt: skip
    assert ("σ ⊢ l ↓ v, σ₁", "l = Γ(x)", "Γ, σ ⊢ x ⇓ v, σ₁") in found
    assert (
        "Γ, σ[l ↦ …] ⊢ e ⇓ v, σ₁", "σ(l) = Waiting(e, Γ)", "σ ⊢ l ↓ v, σ₁[l ↦ v]"
    ) in found  # fmt: skip


def test_a_machine_is_a_list_of_transitions(session: Session) -> None:
    assert written(session, "Eddy", "krivine") == [
        ("", "", "e₁ e₂ | Γ | stack → e₁ | Γ | Unread(e₂, Γ) :: stack"),
        ("", "", "given x: e | Γ | arg :: rest → e | Γ[x ↦ arg] | rest"),
        ("", "Unread(e, Γ₁) = Γ(x)", "x | Γ | stack → e | Γ₁ | stack"),
        ("", "x ∉ dom(Γ)", "x | Γ | stack → error Unbound"),
    ]


def test_the_pure_calculus_by_value_and_in_normal_order(session: Session) -> None:
    assert written(session, "Eddy", "by_value") == [
        ("e₁ → e₁′", "", "e₁ e₂ → e₁′ e₂"),
        ("e₂ → e₂′", "e₁ is final", "e₁ e₂ → e₁ e₂′"),
        ("", "e₂ is final", "(given x: e₁) e₂ → e₁[x := e₂]"),
    ]
    assert written(session, "Eddy", "normal_order") == [
        ("", "", "(given x: e₁) e₂ → e₁[x := e₂]"),
        ("e → e′", "", "given x: e → given x: e′"),
        ("e₁ → e₁′", "e₁ ≠ given _: _", "e₁ e₂ → e₁′ e₂"),
        ("e₂ → e₂′", "e₁ ≠ given _: _  e₁ is final", "e₁ e₂ → e₁ e₂′"),
    ]


def test_a_heap_of_expressions(session: Session) -> None:
    """A name for the whole pattern is written out: `Fun(_, _) as e` gives itself."""
    found = written(session, "Rill", "heap")
    assert ("", "", "heap : given x: e ⇓ heap : given x: e") in found
    assert ("", "", "heap : n ⇓ heap : n") in found


LETTERS = """\
interpreter plain for Tiny
letters "ρ" for Env, "M" for Expr
judgement eval "{env} ⊢ {e} ⇓ {result}"
error Unbound(x: Name) "nothing called {x}"
main run
define run(p: Expr) -> Number
  eval(p, empty)
define eval(e: Expr, env: Env[Number]) -> Number by e
  Lit(n)              => n
  Var(x)              => env[x] otherwise fail Unbound(x)
  Add(left, right)    => eval(left, env) + eval(right, env)
  Let(x, bound, body) => eval(body, env with x = eval(bound, env))
"""


def test_letters_are_chosen_by_the_definition(make_course: Maker) -> None:
    course = make_course(tiny=TINY_LANGUAGE, plain=LETTERS)
    assert not course.diagnostics
    found = written(Session(course.folder), "Tiny", "plain")
    assert ("ρ ⊢ M₁ ⇓ n₁  ρ ⊢ M₂ ⇓ n₂", "", "ρ ⊢ M₁ + M₂ ⇓ n₁ + n₂") in found
    assert (
        "ρ ⊢ M₁ ⇓ n₁  ρ[x ↦ n₁] ⊢ M₂ ⇓ n₂", "", "ρ ⊢ let x = M₁ in M₂ ⇓ n₂"
    ) in found  # fmt: skip
    more = 'interpreter more for Tiny extends plain\nletters "Δ" for Env\n'
    course = make_course(tiny=TINY_LANGUAGE, plain=LETTERS, more=more)
    assert ("", "", "Δ ⊢ x ⇓ Δ(x)") in written(Session(course.folder), "Tiny", "more")


@pytest.mark.parametrize(
    ("line", "code", "column"),
    [
        ('letters "ρ" for Envy', "unknown_type", 17),
        ('letters "a b" for Env', "bad_letter", 9),
        ('letters "" for Env', "bad_letter", 9),
        ("letters r for Env", "unreadable", 9),
        ('letters "ρ" Env', "unreadable", 13),
    ],
)
def test_wrong_letters_are_told_at_their_place(
    make_course: Maker, line: str, code: str, column: int
) -> None:
    text = LETTERS.replace('letters "ρ" for Env, "M" for Expr', line)
    (found,) = make_course(tiny=TINY_LANGUAGE, plain=text).diagnostics
    assert (found.code, found.source.position(found.span.start)) == (code, (2, column))


@pytest.mark.parametrize(
    "lane",
    [(name, lane) for name, lanes in {
        "Drip": ("by_name",), "Gauge": ("checking", "inference"), "Mere": ("by_name",),
        "Punt": ("environment", "rewriting"), "Race": ("interleaving",), "Rill": ("by_need",),
        "Siren": ("continuations", "rewriting"), "Weir": ("rewriting", "store_passing"),
    }.items() for lane in lanes],
)  # fmt: skip
def test_every_rule_of_the_course_is_written_without_leftovers(
    session: Session, lane: tuple[str, str]
) -> None:
    """No place-holder, no mark of printing, nothing of what the rules are made with."""
    interpreter = session.lane(*lane).interpreter
    rules = rules_on_paper(interpreter)
    for rule in rules:
        for text in (*rule.premises, *rule.conditions, rule.conclusion):
            assert not re.search(r"‹|›|\bhole\d|7700|__|made ", text), text
    drawing = draw_rules(rules, "rules")
    assert drawing.latex.count(r"\[") == len(rules)


def test_letters_are_mathematics_in_latex(session: Session) -> None:
    rules = rules_on_paper(session.lane("Drip", "environment").interpreter)
    latex = draw_rules([one for one in rules if one.name == "Let"], "let").latex
    conclusion = (
        r"\Gamma \ \vdash \ \mathtt{let}\ x\ =\ e_{1}\ \mathtt{in}\ e_{2}\ \Downarrow \ v_{2}"
    )
    assert conclusion in latex
    assert r"\Gamma [x\ \mapsto \ v_{1}]" in latex
    (fails,) = (one for one in rules if one.conclusion.endswith("Unbound"))
    assert r"x\ \notin \ \mathrm{dom}(\Gamma )" in draw_rules([fails], "fails").latex


def labels(drawing: Drawing) -> list[str]:
    return [item.text for page in drawing.pages for item in page.items if isinstance(item, Label)]


def test_narrow_rules_stand_in_two_columns(session: Session) -> None:
    """All of a pair are there, the second ones below each other, and the row fits on a page."""
    rules = rules_on_paper(session.lane("Punt", "rewriting").interpreter)
    alone = draw_rules(rules, "rules", high=1.0)
    pairs = draw_rules(rules, "rules", high=1.0, pairs=True)
    assert len(alone.pages) == len(rules)
    assert len(pairs.pages) < len(rules)
    assert sorted(labels(pairs)) == sorted(labels(alone))
    for page in pairs.pages:
        check_geometry(page)
    narrow = [page for page in pairs.pages if page.width <= 2 * COLUMN + 60]
    assert len(narrow) >= len(pairs.pages) - 4


def test_what_is_used_as_a_whole_too_is_not_seen_through(make_course: Maker) -> None:
    """`v` is handed on beside its number: the premise still gives v."""
    text = """\
interpreter plain for Tiny
value Value
  Num(n: Number)  shown "{n}"
judgement eval "{e} ⇓ {result}"
main eval
define eval(e: Expr) -> Value by e
  Lit(n)           => Num(n)
  Var(_)           => Num(0)
  Add(left, right) => Num(number(eval(left)) + number(eval(right)))
  Let(_, bound, _) =>
    let v = eval(bound)
    both(v, number(v))
define number(v: Value) -> Number by v
  Num(n) => n
define both(v: Value, n: Number) -> Value
  if n == 0 then v else Num(n)
"""
    course = make_course(tiny=TINY_LANGUAGE, plain=text)
    found = written(Session(course.folder), "Tiny", "plain")
    assert ("e₁ ⇓ n₁  e₂ ⇓ n₂", "n = n₁ + n₂", "e₁ + e₂ ⇓ n") in found
    assert ("e ⇓ v", "", "let _ = e in _ ⇓ both(v, number(v))") in found


@pytest.mark.parametrize(("way", "seen"), [("strict", True), ("loose", False)])
def test_choices_decide_whether_a_helper_is_seen_through(
    make_course: Maker, way: str, seen: bool
) -> None:
    """Under `loose` the helper gives something for another value too."""
    text = """\
interpreter plain for Tiny
choice numbers "What counts as a number?"
  strict  "numbers alone"        default
  loose   "anything; else it is zero"
value Value
  Num(n: Number)  shown "{n}"
  Nothing         shown "nothing"
error NumberWanted "a number was expected"
judgement eval "{e} ⇓ {result}"
main eval
define eval(e: Expr) -> Value by e
  Lit(n)           => Num(n)
  Var(_)           => Nothing
  Add(left, right) => Num(number(eval(left)) + number(eval(right)))
  Let(_, _, body)  => eval(body)
define number(v: Value) -> Number by v
  Num(n)                                => n
  Nothing when not (numbers is strict)  => 0
  Nothing                               => fail NumberWanted
"""
    session = Session(make_course(tiny=TINY_LANGUAGE, plain=text).folder)
    lane = "plain" if way == "strict" else "plain[numbers=loose]"
    premises = "e₁ ⇓ n₁  e₂ ⇓ n₂" if seen else "e₁ ⇓ v₁  e₂ ⇓ v₂"
    result = "n = n₁ + n₂" if seen else "n = number(v₁) + number(v₂)"
    assert (premises, result, "e₁ + e₂ ⇓ n") in written(session, "Tiny", lane)


def numbers(sign: str, written_sign: str = "") -> tuple[str, str, str]:
    """The rule of an operation on numbers."""
    return ("e₁ ⇓ n₁  e₂ ⇓ n₂", f"n = n₁ {written_sign or sign} n₂", f"e₁ {sign} e₂ ⇓ n")


def test_the_rules_of_drip_by_name(session: Session) -> None:
    """Written down before they were printed, as those of the three tests below."""
    assert written(session, "Drip", "by_name") == [
        ("", "", "n ⇓ n"),
        ("", "", "x ⇓ error Unbound"),
        numbers("+"),
        numbers("-"),
        numbers("*", "·"),
        ("e₁ ⇓ n₁  e₂ ⇓ n₂", "n₂ ≠ 0  n = n₁ / n₂", "e₁ / e₂ ⇓ n"),
        ("e₁ ⇓ n₁  e₂ ⇓ n₂", "n₂ = 0", "e₁ / e₂ ⇓ error DivisionByZero"),
        ("e ⇓ n₁", "n = -n₁", "-e ⇓ n"),
        ("e₂[x := e₁] ⇓ v", "", "let x = e₁ in e₂ ⇓ v"),
    ]


def test_the_pure_calculus_to_its_head_and_inside_out(session: Session) -> None:
    assert written(session, "Eddy", "weak_head") == [
        ("", "", "(given x: e₁) e₂ → e₁[x := e₂]"),
        ("e₁ → e₁′", "", "e₁ e₂ → e₁′ e₂"),
    ]
    assert written(session, "Eddy", "applicative") == [
        ("e → e′", "", "given x: e → given x: e′"),
        ("e₁ → e₁′", "", "e₁ e₂ → e₁′ e₂"),
        ("e₂ → e₂′", "e₁ is final", "e₁ e₂ → e₁ e₂′"),
        ("", "e₂ is final", "(given x: e₁) e₂ → e₁[x := e₂]"),
    ]


def kinds(of: str, form: str, gives: str) -> list[tuple[str, str, str]]:
    """The rules of a form whose two parts are to be of one kind."""
    return [
        (f"Γ ⊢ e₁ : {of}  Γ ⊢ e₂ : {of}", "", f"Γ ⊢ {form} : {gives}"),
        (f"Γ ⊢ e₁ : {of}  Γ ⊢ e₂ : τ", f"τ ≠ {of}", f"Γ ⊢ {form} : error KindsDiffer"),
        ("Γ ⊢ e₁ : τ", f"τ ≠ {of}", f"Γ ⊢ {form} : error KindsDiffer"),
    ]


def test_the_rules_of_a_type_checker(session: Session) -> None:
    when, typed = "when e₁ then e₂ else e₃", "let f of x as τ₁ gives τ₂ = e₁ in e₂"
    assert sorted(written(session, "Gauge", "checking")) == sorted([
        ("", "", "Γ ⊢ n : number"),
        ("", "", "Γ ⊢ x : Γ(x)"),
        ("", "x ∉ dom(Γ)", "Γ ⊢ x : error Unbound"),
        *kinds("number", "e₁ + e₂", "number"),
        *kinds("number", "e₁ - e₂", "number"),
        *kinds("number", "e₁ * e₂", "number"),
        *kinds("number", "e₁ / e₂", "number"),
        ("Γ ⊢ e : number", "", "Γ ⊢ -e : number"),
        ("Γ ⊢ e : τ", "τ ≠ number", "Γ ⊢ -e : error KindsDiffer"),
        ("Γ ⊢ e₁ : τ₁  Γ[x ↦ τ₁] ⊢ e₂ : τ₂", "", "Γ ⊢ let x = e₁ in e₂ : τ₂"),
        ("", "", "Γ ⊢ true : truth"),
        ("", "", "Γ ⊢ false : truth"),
        *kinds("number", "e₁ < e₂", "truth"),
        *kinds("number", "e₁ is e₂", "truth"),
        *kinds("truth", "e₁ and e₂", "truth"),
        *kinds("truth", "e₁ or e₂", "truth"),
        ("Γ ⊢ e₁ : truth  Γ ⊢ e₂ : τ  Γ ⊢ e₃ : τ", "", f"Γ ⊢ {when} : τ"),
        ("Γ ⊢ e₁ : truth  Γ ⊢ e₂ : τ₁  Γ ⊢ e₃ : τ₂", "τ₂ ≠ τ₁", f"Γ ⊢ {when} : error KindsDiffer"),
        ("Γ ⊢ e₁ : τ", "τ ≠ truth", f"Γ ⊢ {when} : error KindsDiffer"),
        ("", "", "Γ ⊢ given x: _ : error NotSaid"),
        ("Γ[x ↦ τ₁] ⊢ e : τ₂", "", "Γ ⊢ given x as τ₁: e : τ₁ to τ₂"),
        ("", "", "Γ ⊢ let _ of x = _ in _ : error NotSaid"),
        (
            "Γ₁[x ↦ τ₁] ⊢ e₁ : τ₂  Γ₁ ⊢ e₂ : τ₃", "Γ₁ = Γ[f ↦ τ₁ to τ₂]", f"Γ ⊢ {typed} : τ₃",
        ),
        (
            "Γ₁[x ↦ τ₁] ⊢ e₁ : τ₃", "Γ₁ = Γ[f ↦ τ₁ to τ₂]  τ₃ ≠ τ₂",
            f"Γ ⊢ {typed} : error KindsDiffer",
        ),
        ("Γ ⊢ e₁ : τ₁ to τ₂  Γ ⊢ e₂ : τ₁", "", "Γ ⊢ e₁ e₂ : τ₂"),
        ("Γ ⊢ e₁ : τ₁ to τ₂  Γ ⊢ e₂ : τ₃", "τ₃ ≠ τ₁", "Γ ⊢ e₁ e₂ : error KindsDiffer"),
        ("Γ ⊢ e₁ : τ", "τ ≠ _ to _", "Γ ⊢ e₁ e₂ : error NoFunction"),
    ])  # fmt: skip


def test_alarms_are_errors_in_premises(session: Session) -> None:
    closure = "Closure(x, e₃, Γ₁)  "
    found = written(session, "Siren", "environment")
    for wanted in [
        ("Γ ⊢ e₁ ⇓ n₁  Γ ⊢ e₂ ⇓ n₂", "n = n₁ + n₂", "Γ ⊢ e₁ + e₂ ⇓ n"),
        ("Γ ⊢ e₁ ⇓ n₁  Γ ⊢ e₂ ⇓ n₂", "n₂ ≠ 0  n = n₁ / n₂", "Γ ⊢ e₁ / e₂ ⇓ n"),
        ("", "", "Γ ⊢ given x: e ⇓ Closure(x, e, Γ)"),
        (f"Γ ⊢ e₁ ⇓ {closure}Γ ⊢ e₂ ⇓ v₁  Γ₁[x ↦ v₁] ⊢ e₃ ⇓ v₂", "", "Γ ⊢ e₁ e₂ ⇓ v₂"),
        ("Γ ⊢ e₁ ⇓ n  Γ ⊢ e₂ ⇓ v", "", "Γ ⊢ e₁ e₂ ⇓ error FunctionWanted"),
        ("Γ ⊢ e ⇓ v", "", "Γ ⊢ alarm e ⇓ error Unheard"),
        ("Γ ⊢ e₁ ⇓ v", "", "Γ ⊢ guard e₁ else e₂ ⇓ v"),
        (
            f"Γ ⊢ e₁ ⇓ error Unheard(v₁)  Γ ⊢ e₂ ⇓ {closure}Γ₁[x ↦ v₁] ⊢ e₃ ⇓ v₂", "",
            "Γ ⊢ guard e₁ else e₂ ⇓ v₂",
        ),
        (
            "Γ ⊢ e₁ ⇓ error Unheard(v)  Γ ⊢ e₂ ⇓ n", "",
            "Γ ⊢ guard e₁ else e₂ ⇓ error FunctionWanted",
        ),
        ("", "", "Γ ⊢ escape _: _ ⇓ error NoWayOut"),
    ]:  # fmt: skip
        assert wanted in found, wanted


def test_a_choice_inside_a_configuration_is_two_rules(session: Session) -> None:
    found = written(session, "Race", "interleaving")
    whole = "⟨when n do s₁ otherwise s₂, memory⟩"
    assert ("", "n = 0", f"{whole} → ⟨s₂, memory⟩") in found
    assert ("", "n ≠ 0", f"{whole} → ⟨s₁, memory⟩") in found
    assert not any(" if " in conclusion for _, _, conclusion in found if "when" in conclusion)
