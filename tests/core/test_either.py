"""`P | Q` in a clause stands for a clause for each."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.brix import syntax as s
from embrix.brix.either import MOST_CLAUSES, options
from embrix.brix.reader import read_definition
from embrix.draw.rules import inference_rules
from embrix.lanes.session import Session
from embrix.services.renaming import renamed
from embrix.text.diagnostic import Findings
from embrix.text.source import Source, Span
from tests.conftest import TINY_LANGUAGE, Maker
from tests.core.test_reference import held_against
from tests.strategies import terms

LANE = """\
interpreter lane for Tiny

value Value
  Nat(n: Number)

choice side "Which?"
  left   "this"  default
  right  "that"
  middle "neither"

judgement size_of "{e} has {result}"

main run

define run(e: Expr) -> Value
  Nat(size_of(e) + which())

define size_of(e: Expr) -> Number by e
  Lit(_) | Var(_)                        => 1
  Add(Lit(a) | Add(Lit(a), _), Lit(b)) | Let(_, Lit(a), Lit(b)) when a > b => a * 10 + b
  Add(l, r) | Let(_, l, r)   => size_of(l) + size_of(r)

define which() -> Number
  match side
    left | middle => 0
    right => 100
"""


def errors(course: object) -> list[tuple[str, str]]:
    found = course.diagnostics  # type: ignore[attr-defined]
    return [(one.code, one.message) for one in found]


def test_the_first_alternative_that_fits_counts(make_course: Maker) -> None:
    """By hand: `7 + 4` is 7 > 4, so 74; `3 + 4` is not, so 1 + 1."""
    course = make_course(tiny=TINY_LANGUAGE, lane=LANE)
    assert errors(course) == []
    session = Session(course.folder)
    for name, more in (("lane", 0), ("lane[side=middle]", 0), ("lane[side=right]", 100)):
        lane = session.lane("Tiny", name)
        for program, value in (
            ("3", 1), ("x", 1), ("3 + 4", 2), ("7 + 4", 74), ("7 + 1 + 4", 74), ("x + 1 + 4", 3),
            ("let a = 5 in 2", 52), ("let a = 1 in 2", 2), ("let a = 1 + 1 in a + 2", 4),
        ):  # fmt: skip
            assert lane.run(program).outcome.text == f"Nat({value + more})", (name, program)


def test_every_variant_agrees_with_the_core(make_course: Maker) -> None:
    course = make_course(tiny=TINY_LANGUAGE, lane=LANE)
    lane = Session(course.folder).lane("Tiny", "lane")

    @given(terms(course.languages["Tiny"].signature, "Expr"))
    def same(term: tuple[object, ...]) -> None:
        held_against(lane, term)  # type: ignore[arg-type]

    same()


SLIPS = [
    ("  Lit(a) | Var(b) => a\n  _ => 0", "nothing called a is known here"),
    ("  Lit(_) | Lit(n) => 1\n  _ => 0", None),
    ("  Lit(n) =>\n    let Add(Lit(m) | Var(m), _) = e\n    n\n  _ => 0",
     "alternatives stand in clauses only, where each may give the same"),
    ("  Lit(_) | Var(_) => 1\n  Add(_, _) => 2", "size_of has no clause for Let(_, _, _)"),
    ("  Lit(_) | Var(_) => 1\n  Var(_) | Lit(_) => 2\n  _ => 0",
     "unreachable: earlier clauses match everything that this one matches"),
    ("  | Lit(_) | Var(_) => 1\n  _ => 0", "a clause begins with its pattern, without a bar"),
]  # fmt: skip


@pytest.mark.parametrize(("clauses", "told"), SLIPS)
def test_slips_are_told_once(make_course: Maker, clauses: str, told: str | None) -> None:
    head = LANE[: LANE.index("  Lit(_) | Var(_)")]
    course = make_course(tiny=TINY_LANGUAGE, lane=head.replace(" + which()", "") + clauses + "\n")
    messages = [message for _, message in errors(course)]
    assert messages == ([] if told is None else [told])


def test_a_name_is_one_in_all_alternatives(make_course: Maker) -> None:
    course = make_course(tiny=TINY_LANGUAGE, lane=LANE)
    at = LANE.rindex("Lit(a)") + len("Lit(")
    change = renamed(Session(course.folder), "lane.brix", LANE, at, "big")
    assert change.refused == ""
    text = {one.file: one.text for one in change.files}["lane.brix"]
    assert (
        "  Add(Lit(big) | Add(Lit(big), _), Lit(b)) | Let(_, Lit(big), Lit(b)) "
        "when big > b => big * 10 + b\n" in text
    )


def test_final_terms_and_what_has_no_clause_may_be_one_of_several(make_course: Maker) -> None:
    steps = """\
interpreter steps for Tiny

main run

define run(e: Expr) -> Expr
  repeat step(e)

define step(e: Expr) -> Expr by e
  final Lit(_) | Var(_)
  no clause Add(Var(_), _) | Let(_, _, _)  "they are stuck"
  order Add(left, right) : left, right
  Add(Lit(a), Lit(b)) => Lit(a + b)
"""
    course = make_course(tiny=TINY_LANGUAGE, lane=steps)
    lane = Session(course.folder).lane("Tiny", "steps")
    assert lane.run("1 + 2 + 3").outcome.text == "6"
    assert lane.run("x").outcome.text == "x"


PLACE = Span(0, 0)
patterns = st.recursive(
    st.sampled_from("abcdef").map(lambda name: s.PVar(name, PLACE)),
    lambda inner: st.one_of(
        st.lists(inner, min_size=1, max_size=3).map(lambda p: s.PEither(tuple(p), PLACE)),
        st.lists(inner, max_size=2).map(lambda p: s.PTuple(tuple(p), PLACE)),
        st.lists(inner, max_size=2).map(lambda p: s.PMake("F", tuple(p), PLACE)),
    ),
    max_leaves=7,
)


def many(pattern: s.Pattern) -> int:
    """How many patterns one stands for, counted apart from their making."""
    match pattern:
        case s.PEither(several):
            return sum(map(many, several))
        case s.PTuple(items) | s.PMake(_, items):
            product = 1
            for item in items:
                product *= many(item)
            return product
    return 1


@given(patterns)
def test_each_way_is_there_once_and_has_no_alternatives(pattern: s.Pattern) -> None:
    found = options(pattern)
    assert len(found) == many(pattern) <= MOST_CLAUSES**2
    assert all(many(one) == 1 and options(one) == [one] for one in found)


def test_a_function_may_be_one_text() -> None:
    text = 'library notes\n\ndefine note(n: Number) -> Text\n  "number {n}"\n'
    source = Source(
        "notes.brix", text + '\ndefine told(n: Number) -> Number\n  "what it is"\n  n\n'
    )
    findings = Findings()
    syntax = read_definition(source, findings)
    assert not findings.has_errors
    assert syntax is not None
    note, told = syntax.functions
    assert (note.doc, told.doc) == ("", "what it is")
    assert isinstance(note.body, s.TextLit | s.Block)


def test_on_paper_each_alternative_is_a_rule(make_course: Maker) -> None:
    course = make_course(tiny=TINY_LANGUAGE, lane=LANE)
    lane = course.interpreters["Tiny"]["lane"]
    concluded = [rule.conclusion for rule in inference_rules(lane, ["size_of"])]
    assert concluded == [
        "Lit(_) has 1", "Var(_) has 1",
        "Add(Lit(a), Lit(b)) has a * 10 + b", "Add(Add(Lit(a), _), Lit(b)) has a * 10 + b",
        "Let(_, Lit(a), Lit(b)) has a * 10 + b",
        "Add(l, r) has v1 + v2", "Let(_, l, r) has v1 + v2",
    ]  # fmt: skip
