"""What faults put into the sources on purpose have shown to be held by nothing else."""

from __future__ import annotations

import pytest

from embrix.checking.diagnostics import diagnostics
from embrix.course.load import Course
from embrix.course.missing import NoFunction
from embrix.draw.plot import plot
from embrix.grammar.parser import Parsed, Refused
from embrix.lanes.session import Session
from embrix.machine.written_terms import read_term
from embrix.services.case_changes import covering_case
from embrix.services.judgement_tree import judgement_tree
from tests.conftest import TINY_LANGUAGE, Maker


def test_a_check_reads_the_grammars_of_all_languages(make_course: Maker) -> None:
    both = TINY_LANGUAGE
    twice = both.replace("makes Let | Sum", 'makes Let | left:Expr "-" right:Expr makes Add | Sum')
    assert twice != both
    codes = {one.code for one in diagnostics(Session(make_course(tiny=twice).folder)).findings}
    assert "ambiguous_grammar" in codes
    codes = {one.code for one in diagnostics(Session(make_course(tiny=both).folder)).findings}
    assert "ambiguous_grammar" not in codes


def test_the_premises_of_a_judgement_are_counted(lockside: Course) -> None:
    """Two for a sum, none for a number."""
    tree = judgement_tree(Session(lockside.folder), "Drip", "environment", "1 + (2 + 3)", {}, [], 0)
    assert [(row.depth, row.premises) for row in tree.rows] == [
        (0, 2), (1, 0), (1, 2), (2, 0), (2, 0),
    ]  # fmt: skip


def test_a_case_for_what_is_not_there_is_refused(lockside: Course) -> None:
    session = Session(lockside.folder)
    suite = lockside.folder / "drip" / "drip.suite.toml"
    for function, form, gone in (("eval", "Nothing", "Nothing"), ("evil", "Lit", "evil")):
        with pytest.raises(NoFunction, match=f"nothing called {gone} now"):
            covering_case(session, suite, "Drip", "environment", function, form)


LISTS = """\
language Lists
  extension "lists"
numbers rational
tokens
  number  /[0-9]+/  as Number
  skip    / +/
forms Expr
  Lit(n: Number)
  All(items: List[Expr], last: Maybe[Expr])
"""


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("All([Lit(1), Lit(2)], Some(Lit(3)))", ""),
        ("All([], None)", ""),
        ("All(None, None)", "there is no form called None"),
        ("All([], [])", "Maybe[Expr] is expected here"),
        ("Lit([])", "Number is expected here"),
    ],
)
def test_lists_and_what_may_be_missing_in_terms(make_course: Maker, text: str, why: str) -> None:
    language = make_course(lists=LISTS).languages["Lists"]
    found = read_term(language, text, 0)
    if why:
        assert isinstance(found, Refused)
        assert why in found.message
    else:
        assert isinstance(found, Parsed)


def test_what_rests_on_a_lost_constructor_is_used(make_course: Maker) -> None:
    """Its declaration is wrong: that is all there is to say."""
    lane = (
        "interpreter lane for Tiny\nvalue Held\n  Box(n: Nonsense)\nmain run\n"
        "define run(p: Expr) -> Held\n  let n = 1\n  Box(n)\n"
    )
    course = make_course(tiny=TINY_LANGUAGE, lane=lane)
    assert [one.code for one in course.diagnostics] == ["unknown_type"]
    course = make_course(tiny=TINY_LANGUAGE, lane=lane.replace("Box(n)\n", "Box(m + n)\n"))
    assert [one.code for one in course.diagnostics] == ["unknown_type", "unknown_name"]


def test_the_axis_of_a_logarithmic_chart_begins_at_its_least_value() -> None:
    table = {"one": [(1.0, 10.0), (2.0, 1_000.0), (3.0, 100_000.0)]}
    marks = {}
    for scale in ("linear", "logarithmic"):
        rows = plot(table, 60, 20, scale)  # type: ignore[arg-type]
        texts = ["".join(cell.text for cell in row)[:8].strip(" ┤│└─┼") for row in rows]
        marks[scale] = [text for text in texts if text]
    assert "0" in marks["linear"]
    assert "0" not in marks["logarithmic"]
