"""Whole lines moved, doubled, commented out; texts found and replaced; what can be written."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.lanes.session import Session
from embrix.services.completing import proposals
from embrix.services.text_search import course_texts, found_in
from embrix.text.line_difference import difference
from embrix.text.line_edits import commented, doubled, moved
from tests.conftest import TINY_LANGUAGE, Maker
from tests.core.test_naming import LANE, SUITE

LINES = st.lists(st.text(alphabet=" #ab", max_size=5), min_size=1, max_size=6)


@given(LINES, st.data(), st.sampled_from([-1, 1]))
def test_a_block_changes_places_with_its_neighbour(
    lines: list[str], data: st.DataObject, by: int
) -> None:
    first = data.draw(st.integers(0, len(lines) - 1))
    last = data.draw(st.integers(first, len(lines) - 1))
    after = moved(lines, first, last, by)
    assert sorted(after) == sorted(lines)
    if first + by < 0 or last + by >= len(lines):
        assert after == lines
    else:
        assert after[first + by : last + by + 1] == lines[first : last + 1]
        assert moved(after, first + by, last + by, -by) == lines


@given(LINES, st.data())
def test_doubled_lines_stand_twice(lines: list[str], data: st.DataObject) -> None:
    first = data.draw(st.integers(0, len(lines) - 1))
    last = data.draw(st.integers(first, len(lines) - 1))
    after = doubled(lines, first, last)
    assert after[first : last + 1] == after[last + 1 : 2 * last - first + 2]
    assert after[: last + 1] + after[2 * last - first + 2 :] == lines


@given(LINES, st.data())
def test_commenting_is_taken_back_by_commenting_again(
    lines: list[str], data: st.DataObject
) -> None:
    first = data.draw(st.integers(0, len(lines) - 1))
    last = data.draw(st.integers(first, len(lines) - 1))
    block = [line for line in lines[first : last + 1] if line.strip()]
    after = commented(lines, first, last)
    if not block:
        assert after == lines
    elif not all(line.lstrip().startswith("#") for line in block):
        assert all(x.lstrip().startswith("#") for x in after[first : last + 1] if x.strip())
        assert commented(after, first, last) == lines


def test_a_comment_stands_where_the_block_begins() -> None:
    lines = ["define f", "  A => 1", "", "    B => 2"]
    assert commented(lines, 1, 3) == ["define f", "  # A => 1", "", "  #   B => 2"]


# ------------------------------------------------------------------------------- finding


@given(st.text(alphabet="ab.\n", max_size=20), st.text(alphabet="ab.", min_size=1, max_size=2))
def test_a_plain_text_is_found_as_often_as_it_stands_there(text: str, what: str) -> None:
    hits = found_in({"f": text}, what, "X")
    assert hits.count == text.count(what)
    assert [one.text for one in hits.files] == ([text.replace(what, "X")] if hits.count else [])
    lines = text.split("\n")
    for place in hits.places:
        assert lines[place.line - 1][place.column - 1 :].startswith(what)


def test_a_pattern_puts_back_what_its_groups_matched() -> None:
    hits = found_in({"f": "Add(a, b)\nSub(c, d)"}, r"(\w+)\((\w), (\w)\)", r"\1(\3, \2)",
                    pattern=True)  # fmt: skip
    assert [one.text for one in hits.files] == ["Add(b, a)\nSub(d, c)"]


@pytest.mark.parametrize(
    ("what", "by", "told"),
    [("(", None, "no pattern"), ("a", r"\4", "the replacement is wrong"),
     ("", None, "the text to search for"), (r"(a+)+$", None, "takes too long")],
)  # fmt: skip
def test_what_cannot_be_looked_for_is_said(what: str, by: str | None, told: str) -> None:
    hits = found_in({"f": "a" * 64 + "b"}, what, by, pattern=True)
    assert told in hits.refused or (told == "takes too long" and hits.count == 0)
    assert hits.files == []


def test_all_files_of_a_course_are_looked_through(make_course: Maker) -> None:
    course = make_course(tiny=TINY_LANGUAGE, values=LANE)
    (course.folder / "one.tiny").write_text("let q = 1 in q")
    (course.folder / "tiny.suite.toml").write_text(SUITE)
    texts = course_texts(Session(course.folder))
    assert set(texts) == {"course.toml", "tiny.brix", "values.brix", "one.tiny", "tiny.suite.toml"}
    assert found_in(texts, "let q").places[0].file == "one.tiny"


# ------------------------------------------------------------------------------- completion


@pytest.mark.parametrize(
    ("before", "expected"),
    [
        ("  Lit(n) => nu", ["number(v)"]),
        ("  Lit(n) => Nu", ["number(v)", "Num(n)", "number"]),
        ("  Lit(n) => ev", ["eval(e, env)"]),
        ("  Lit(n) => siz", ["size(items)"]),
        ("  Let(x, bound, body) => bou", ["bound"]),
        ("  Lit(n) => bou", []),  # a name of another clause
        ("  Lit(n) =>\n    let first = 1\n    fir", ["first"]),
        ("  Lit(n) => ot", ["otherwise"]),
        ("  Le", ["Let(x, bound, body)"]),
        ("  Lit(n) => fail Unb", ["Unbound(x)"]),
        ("jud", ["judgement"]),
        ("  Lit(n) => zzz", []),
    ],
)
def test_what_can_be_written_comes_with_its_parameters(
    make_course: Maker, before: str, expected: list[str]
) -> None:
    """The line is unfinished, and the definition around it can still be looked at."""
    session = Session(make_course(tiny=TINY_LANGUAGE, values=LANE).folder)
    at = LANE.index("  Lit(n)") if before[0] == " " else len(LANE)
    text = LANE[:at] + before + "\n" + LANE[at:]
    found = [one.insert for one in proposals(session, "values.brix", text, at + len(before))]
    assert set(expected) <= set(found)
    assert bool(found) == bool(expected)
    begun = re.search(r"\w*\Z", before)
    assert begun is not None
    assert all(one.lower().startswith(begun[0].lower()) for one in found)


def test_where_a_clause_begins_the_forms_come_first_and_of_these_those_without_one(
    make_course: Maker,
) -> None:
    tiny = TINY_LANGUAGE.replace("\n\ngrammar", "\n  Neg(arg: Expr)\n\ngrammar")
    session = Session(make_course(tiny=tiny, values=LANE).folder)
    at = LANE.index("  Lit(n)")
    text = LANE[:at] + "  \n" + LANE[at:]
    found = [one.insert for one in proposals(session, "values.brix", text, at + 2)]
    assert found[0] == "Neg(arg)"
    assert {"Lit(n)", "Var(x)", "Add(left, right)", "Let(x, bound, body)"} <= set(found[1:6])
    body = "    "
    text = LANE[:at] + f"  Lit(n) =>\n{body}\n" + LANE[at:]
    within = proposals(session, "values.brix", text, at + len(f"  Lit(n) =>\n{body}"))
    assert within[0].name == "env", "in the body of a clause its names come first"


def test_in_a_suite_entries_lanes_and_errors_can_be_written(make_course: Maker) -> None:
    session = Session(make_course(tiny=TINY_LANGUAGE, values=LANE).folder)
    for begun, insert in (("outp", "output = "), ("val", "values"), ("Unb", "Unbound")):
        text = f"{SUITE}\n{begun}"
        found = proposals(session, "tiny.suite.toml", text, len(text))
        assert insert in [one.insert for one in found]


def test_a_difference_says_at_which_line_of_the_new_text_it_is() -> None:
    old = "a\nb\nc\nd\ne\nf\ng\n"
    assert difference(old, old) == []
    assert difference(old, old.replace("b\n", "").replace("f", "F")) == [
        "line 1", " a", "-b", " c", "line 4", " e", "-f", "+F", " g",
    ]  # fmt: skip
