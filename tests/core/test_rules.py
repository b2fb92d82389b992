"""Clauses as inference rules: helpers opened, choices decided, what is wide in rows."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.course.load import Course
from embrix.draw.rule_pictures import BROAD, draw_rules
from embrix.draw.rules import InferenceRule, inference_rules
from embrix.lanes.session import Session
from tests.conftest import TINY_LANGUAGE, Maker
from tests.core.test_drawing import check_geometry, words


@pytest.fixture(scope="module")
def session(lockside: Course) -> Session:
    return Session(lockside.folder)


def rules_of(session: Session, language: str, lane: str) -> dict[str, list[InferenceRule]]:
    found: dict[str, list[InferenceRule]] = {}
    for rule in inference_rules(session.lane(language, lane).interpreter):
        found.setdefault(rule.name, []).append(rule)
    return found


def test_the_rules_of_drip_are_those_of_the_book(session: Session) -> None:
    """Written down by hand from the clauses of `environment`."""
    rules = rules_of(session, "Drip", "environment")
    (add,) = rules["Add"]
    assert add.premises == ("env ⊢ left ⇓ v1", "env ⊢ right ⇓ v2")
    assert add.conclusion == "env ⊢ Add(left, right) ⇓ Num(number(v1) + number(v2))"
    divides, fails = rules["Div"]
    assert divides.premises == fails.premises == ("env ⊢ left ⇓ Num(a)", "env ⊢ right ⇓ Num(b)")
    assert divides.conditions == ("b != 0",)
    assert fails.conditions == ("not (b != 0)",)
    assert fails.conclusion == "env ⊢ Div(left, right) ⇓ error DivisionByZero"
    (let,) = rules["Let"]
    assert let.premises == ("env ⊢ bound ⇓ v", "env with x = v ⊢ body ⇓ v1")
    found, unbound = rules["Var"]
    assert found.conclusion == "env ⊢ Var(x) ⇓ env[x]"
    assert unbound.conditions == ("there is no env[x]",)


def test_a_store_that_is_handed_on_gets_a_new_name_each_time(session: Session) -> None:
    """The second premise begins with what the first left, and the conclusion ends with the last."""
    (add,) = rules_of(session, "Rill", "store_passing")["Add"]
    first, second = add.premises
    assert first.startswith("env, store ⊢ left")
    assert first.endswith("store1")
    assert second.startswith("env, store1 ⊢ right")
    assert second.endswith("store2")
    assert add.conclusion.endswith("store2")


@pytest.mark.parametrize(
    ("lane", "premises", "conditions", "result"),
    [
        ("environment", ("env ⊢ left ⇓ a", "env ⊢ right ⇓ v1"), (), "number(a) + number(v1)"),
        ("environment[first=right]", ("env ⊢ right ⇓ b", "env ⊢ left ⇓ v1"), (),
         "number(v1) + number(b)"),
        ("environment[checking=at_once]", ("env ⊢ left ⇓ v1", "env ⊢ right ⇓ v2"),
         ("a = number(v1)",), "a + number(v2)"),
    ],
)  # fmt: skip
def test_a_helper_is_opened_as_the_choices_of_the_lane_decide(
    session: Session, lane: str, premises: tuple[str, ...], conditions: tuple[str, ...], result: str
) -> None:
    """`numbers` and `both` of Rill ask for the judgements; worked out by hand from both."""
    (add,) = rules_of(session, "Rill", lane)["Add"]
    assert (add.premises, add.conditions) == (premises, conditions)
    assert add.conclusion == f"env ⊢ Add(left, right) ⇓ Num({result})"


def test_what_a_helper_refuses_is_a_rule_as_well(session: Session) -> None:
    """Each operand of an addition is looked at by the same helper: its names are told apart."""
    good, second, first = rules_of(session, "Gauge", "checking")["Add"]
    assert good.premises == second.premises == ("env ⊢ left : found", "env ⊢ right : found1")
    assert good.conditions == ("found == NumberKind", "found1 == NumberKind")
    assert good.conclusion == "env ⊢ Add(left, right) : NumberKind"
    assert second.conditions == ("found == NumberKind", "not (found1 == NumberKind)")
    assert first.premises == ("env ⊢ left : found",)
    assert first.conclusion == second.conclusion == "env ⊢ Add(left, right) : error KindsDiffer"


def test_arguments_in_a_helper_are_what_stands_in_the_clause(session: Session) -> None:
    """Rill's `by_name` gives no helper; Gauge's checks a body in a longer environment."""
    rules = rules_of(session, "Gauge", "checking")["TypedRec"]
    assert rules[0].premises == (
        "(inner with param = from) ⊢ rhs : found", "inner ⊢ body : v1",
    )  # fmt: skip
    assert rules[0].conditions == ("inner = env with f = FunctionKind(from, to)", "found == to")


def test_helpers_that_call_each_other_twice_are_opened_up_to_a_number(make_course: Maker) -> None:
    """Thirty in a row would be a thousand million premises."""
    twice = "".join(
        f"define h{n}(e: Expr, env: Env[Value]) -> Value\n"
        f"  let a = h{n + 1}(e, env)\n  let b = h{n + 1}(e, env)\n  a\n"
        for n in range(30)
    )
    longer = "".join(
        f"define g{n}(e: Expr, env: Env[Value], n: Number) -> Value\n  g{n + 1}(e, env, n + n)\n"
        for n in range(60)
    )
    lane = f"""interpreter deep for Tiny
value Value
  Num(n: Number)
judgement eval  "{{env}} ⊢ {{e}} ⇓ {{result}}"
main run
define run(p: Expr) -> Value
  eval(p, empty)
define eval(e: Expr, env: Env[Value]) -> Value by e
  Add(a, _)  => h0(a, env)
  Lit(n)     => g0(e, env, n)
  _          => Num(1)
{twice}{longer}define g60(e: Expr, env: Env[Value], n: Number) -> Value
  let Num(m) = eval(e, env)
  Num(m + n)
define h30(e: Expr, env: Env[Value]) -> Value
  eval(e, env)
"""
    course = make_course(tiny=TINY_LANGUAGE, deep=lane)
    rules = inference_rules(course.interpreters["Tiny"]["deep"])
    (add,) = [rule for rule in rules if rule.name == "Add"]
    assert 10 < len(add.premises) <= 100
    (literal,) = [rule for rule in rules if rule.name == "Lit"]
    assert len(literal.conclusion) < 1_000


def test_a_clause_that_has_been_replaced_is_no_rule(session: Session) -> None:
    """Rill replaces the additions of Drip, and takes over its numbers and names."""
    rules = rules_of(session, "Rill", "environment")
    assert {name: len(rules[name]) for name in ("Add", "Div", "Lit", "Var", "Let", "Neg")} == {
        "Add": 1, "Div": 1, "Lit": 1, "Var": 2, "Let": 1, "Neg": 1,
    }  # fmt: skip


@given(
    st.lists(st.text("abc, ", min_size=1, max_size=150).filter(str.strip), max_size=6),
    st.lists(st.text("xyz ", min_size=1, max_size=150).filter(str.strip), max_size=4),
)
def test_what_stands_above_a_line_is_not_wider_than_there_is_room(
    premises: list[str], conditions: list[str]
) -> None:
    rule = InferenceRule("f", "Rule", tuple(premises), tuple(conditions), "c")
    drawing = draw_rules([rule], "r")
    (page,) = drawing.pages
    check_geometry(page)
    assert page.width <= BROAD + 80
    written = "".join(item.text for item in page.labels)
    assert sorted(words(written)) == sorted(words("".join((*premises, *conditions, "cRule"))))
    assert drawing.latex.count("{") == drawing.latex.count("}")


def test_a_helper_that_comes_back_to_itself_has_rules_of_its_own(session: Session) -> None:
    """`eval_all` of Weir goes along a list: no number of premises would be right, so it is asked
    for as a whole and says what it asks for itself."""
    rules = rules_of(session, "Weir", "store_passing")
    asked = "eval_all(args, env, store1) ⇓ (vs, store2)"
    assert all(asked in one.premises for one in rules["Apply"])
    (empty, longer) = [one for one in rules["eval_all"] if one.function == "eval_all"]
    assert (empty.premises, empty.conclusion) == ((), "eval_all([], env, store) ⇓ ([], store)")
    assert longer.premises == (
        "env, store ⊢ first ⇓ v, store1", "eval_all(rest, env, store1) ⇓ (vs, store2)",
    )  # fmt: skip
    assert longer.conclusion == "eval_all([first, ..rest], env, store) ⇓ ([v, ..vs], store2)"


def test_a_stale_store_shows_in_the_rules(session: Session) -> None:
    """The deliberate mistake of Weir's `stale_store` is a rule that hands on an old store."""
    right = rules_of(session, "Weir", "store_passing")
    wrong = rules_of(session, "Weir", "stale_store")
    differing = {name for name in right if right[name] != wrong.get(name)}
    assert len(differing) == 1


def test_orders_are_rules_of_congruence(session: Session) -> None:
    rules = rules_of(session, "Drip", "rewriting")
    (left,) = rules["Add-left"]
    assert (left.premises, left.conclusion) == (
        ("left → left′",), "Add(left, right) → Add(left′, right)",
    )  # fmt: skip
    (right,) = rules["Add-right"]
    assert right.conditions == ("left is final",)


def test_a_part_of_another_sort_steps_as_its_own_relation_says(session: Session) -> None:
    """By hand from `interleaving` of Race: an expression looks at the memory and leaves it alone,
    a statement changes it."""
    rules = rules_of(session, "Race", "interleaving")
    (value,) = rules["Set-value"]
    assert value.premises == ("⟨value, memory⟩ → value′",)
    assert value.conclusion == "⟨Set(x, value), memory⟩ → ⟨Set(x, value′), memory⟩"
    (first,) = rules["Then-first"]
    assert first.premises == ("⟨first, memory⟩ → ⟨first′, memory′⟩",)
    assert first.conclusion == "⟨Then(first, second), memory⟩ → ⟨Then(first′, second), memory′⟩"


def test_a_part_whose_relation_has_no_judgement_steps_in_the_plainest_form(
    make_course: Maker,
) -> None:
    steps = (
        'interpreter steps for Tiny\njudgement step "{e} → {result}"\nmain run\n'
        "define run(p: Expr) -> Wrapped\n  repeat step(Wrap(Hold(2)))\n"
        "data Wrapped\n  Wrap(w: Held)\ndata Held\n  Hold(n: Number)\n"
        "define step(e: Wrapped) -> Wrapped by e\n  final Wrap(Hold(0))\n  order Wrap(w) : w\n"
        "define hold(w: Held) -> Held by w\n  final Hold(0)\n  Hold(n) => Hold(n - 1)\n"
    )
    session = Session(make_course(tiny=TINY_LANGUAGE, steps=steps).folder)
    (rule,) = inference_rules(session.lane("Tiny", "steps").interpreter)
    assert (rule.premises, rule.conclusion) == (("hold(w) → w′",), "Wrap(w) → Wrap(w′)")
    assert session.lane("Tiny", "steps").run("1").outcome.text == "Wrap(Hold(0))"
