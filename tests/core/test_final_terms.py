"""What is final may depend on what is inside: `final P when TEST`, `final(list)`."""

from __future__ import annotations

import random
import re

import pytest

from embrix.course.load import Course
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.services.renaming import renamed
from embrix.terms.generate import Generator, Words
from embrix.terms.node import make_list
from embrix.trace.walk import Walk
from tests.conftest import TINY_LANGUAGE, Maker
from tests.core.test_reference import held_against

BERTHS = TINY_LANGUAGE.replace("  Let(x", "  Row(items: List[Expr])\n  Let(x").replace(
    '"(" Expr ")"', '"(" Expr ")" | "[" items:list(Expr, ",") "]" makes Row'
)
"""The little language with rows of terms."""
STEPS = """\
interpreter steps for Tiny
choice rows "When is a row final?"
  deep     "when all in it is"  default
  shallow  "always"
main run
define run(p: Expr) -> Expr
  repeat step(p)
define step(e: Expr) -> Expr by e
  final Lit(_)
  final Row(items) when rows is shallow or final(items)
  order Row(items)     : items
  order Add(left, right) : left, right
  Add(Lit(a), Lit(b))  => Lit(a + b)
  order Let(_, bound, _) : bound
  Let(x, v, body)      => substitute(v, x, body)
  Var(x)               => fail Unbound(x)
error Unbound(x: Name) "nothing called {x}"
"""


@pytest.fixture
def lane(make_course: Maker) -> Lane:
    return Session(make_course(berths=BERTHS, steps=STEPS).folder).lane("Tiny", "steps")


def codes(course: Course) -> list[tuple[str, int]]:
    found = []
    for one in course.diagnostics:
        found.append((one.code, one.source.position(one.span.start)[0]))
    return found


@pytest.mark.parametrize(
    ("program", "terms"),
    [
        ("[1, 2]", ["[1, 2]"]),
        ("[1 + 1, [2, 3 + 4]]", ["[1 + 1, [2, 3 + 4]]", "[2, [2, 3 + 4]]", "[2, [2, 7]]"]),
        (
            "let x = [1 + 1] in [x, []]",
            ["let x = [1 + 1] in [x, []]", "let x = [2] in [x, []]", "[[2], []]"],
        ),
    ],
)
def test_a_row_is_final_when_all_in_it_is(lane: Lane, program: str, terms: list[str]) -> None:
    assert Walk(lane, lane.trace(program)).lines() == terms
    parsed = lane.parser.parse(program)
    assert isinstance(parsed, Parsed)
    held_against(lane, parsed.term)


def test_a_choice_may_say_when_a_term_is_final(make_course: Maker) -> None:
    session = Session(make_course(berths=BERTHS, steps=STEPS).folder)
    shallow = session.lane("Tiny", "steps[rows=shallow]")
    assert shallow.run("[1 + 1]").outcome.text == "[1 + 1]"
    assert shallow.run("[1 + 1] + 2").outcome.kind == "stuck"
    deep = session.lane("Tiny", "steps[rows=deep]")
    parsed = deep.parser.parse("[1 + 1]")
    assert isinstance(parsed, Parsed)
    for few in (0, 100):
        assert deep.machine.run(parsed.term, few=few).outcome.text == "[2]"


@pytest.mark.parametrize("seed", range(60))
def test_all_variants_and_the_reference_agree_on_what_is_final(lane: Lane, seed: int) -> None:
    choose = random.Random(f"final {seed}").randrange
    made = Generator(lane.interpreter.language.signature, choose, Words(names=("a", "b")))
    for _ in range(5):
        term = made.term("Expr", 4)
        assert isinstance(term, tuple)
        held_against(lane, term)


def test_rows_in_rows_without_end_are_bounded(lane: Lane) -> None:
    """Ten thousand rows inside each other, and one step in the innermost."""
    parsed = lane.parser.parse("1 + 1")
    row = lane.parser.parse("[1]")
    assert isinstance(parsed, Parsed)
    assert isinstance(row, Parsed)
    term = parsed.term
    for _ in range(10_000):
        term = (row.term[0], None, make_list([term]))
    came = lane.machine.run(term, limits=Limits())
    assert came.outcome.kind == "out of fuel"


def test_what_is_not_known_to_be_final_is_not_warned_about(make_course: Maker) -> None:
    course = make_course(berths=BERTHS, steps=STEPS)
    assert codes(course) == []
    # A row that never is final, and takes no step when all in it is.
    never = STEPS.replace("  final Row(items) when rows is shallow or final(items)\n", "")
    never = never.replace(never[never.index("choice") : never.index("main")], "")
    assert [code for code, _ in codes(make_course(berths=BERTHS, steps=never))] == [
        "missing_clause"
    ]


def test_a_clause_under_a_term_that_looks_inside_is_reachable(make_course: Maker) -> None:
    """`Add(Row(_), Row(_))` comes when both rows are final; so it does with a nested pattern."""
    more = "  Add(Row(a), Row(b))  => Row(appended(a, b))\n  order Let"
    for final in ("final Row(items) when final(items)", "final Row([Lit(_), .._])"):
        text = STEPS.replace("  order Let", more, 1)
        text = text.replace(text[text.index("choice") : text.index("main")], "")
        text = text.replace("final Row(items) when rows is shallow or final(items)", final)
        course = make_course(berths=BERTHS, steps=text)
        assert "unreachable_clause" not in [code for code, _ in codes(course)]
    # The pattern alone looks at the first item.
    first = Session(course.folder).lane("Tiny", "steps")
    assert first.run("[1] + [2, 3 + 4]").outcome.text == "[1, 2, 3 + 4]"


@pytest.mark.parametrize(
    ("guard", "code"),
    [
        ("when size(p) == 1", "unknown_name"),
        ("when e == Lit(1)", "unknown_name"),
        ("when items", "type_mismatch"),
        ("when final(1)", "no_relation"),
        ("when", "unreadable"),
        ("when tells(items)", "wrong_place"),
    ],
)
def test_a_wrong_guard_is_told_at_its_line(make_course: Maker, guard: str, code: str) -> None:
    tells = 'define tells(es: List[Expr]) -> Bool\n  emit "looked at"\n  true\n'
    text = STEPS.replace("when rows is shallow or final(items)", guard) + tells
    found = codes(make_course(berths=BERTHS, steps=text))
    line = text[: text.index("  final Row")].count("\n") + 1
    assert (code, line) in found
    assert len([one for one in found if one[0] != "unused"]) == 1


def test_a_final_line_has_a_pattern_for_each_subject(make_course: Maker) -> None:
    wrong = re.sub(r"(?m)^  final (.*)$", r"  final \1, _", STEPS, count=1)
    course = make_course(lang=BERTHS, steps=wrong)
    first = next(one for one in course.diagnostics if one.severity == "error")
    assert (first.message, first.hint) == (
        "this line has two patterns for one subject",
        "subjects are what stands behind `by`",
    )


def test_names_in_the_guard_of_a_final_term_are_renamed(make_course: Maker) -> None:
    session = Session(make_course(berths=BERTHS, steps=STEPS).folder)
    change = renamed(session, "steps.brix", STEPS, STEPS.index("items)"), "parts")
    (file,) = change.files
    assert "final Row(parts) when rows is shallow or final(parts)" in file.text
    assert "order Row(items)     : items" in file.text


@pytest.mark.parametrize("lists", ["[..a, ..b]", "[..a, 1]"])
def test_nothing_follows_the_rest_of_a_list(make_course: Maker, lists: str) -> None:
    """It was dropped without a word."""
    for line in (f"  Add(Row(a), Row(b))  => Row({lists})", f"  Row({lists})  => Lit(1)"):
        text = STEPS.replace("  order Let", f"{line}\n  order Let", 1)
        (found,) = [one for one in make_course(berths=BERTHS, steps=text).diagnostics
                    if one.code == "unreadable"]  # fmt: skip
        assert found.message.startswith("nothing may follow the rest of a list")


def test_a_guard_that_fails_points_at_the_term_that_it_is_about(make_course: Maker) -> None:
    text = STEPS.replace("rows is shallow or final(items)", "short(size(items))") + (
        'error TooLong(n: Int) "{n} in a row"\n'
        "define short(n: Int) -> Bool\n  if n > 2 then fail TooLong(n) else true\n"
    )
    text = text.replace(text[text.index("choice") : text.index("main")], "")
    lane = Session(make_course(berths=BERTHS, steps=text).folder).lane("Tiny", "steps")
    program = "let x = [1] in [1, 2, 3]"
    parsed = lane.parser.parse(program)
    assert isinstance(parsed, Parsed)
    outcome = lane.run(program).outcome
    assert (outcome.kind, outcome.text) == ("failure", "3 in a row")
    assert outcome.place is not None
    assert program[slice(*outcome.place)] == "[1, 2, 3]"
    held_against(lane, parsed.term)
