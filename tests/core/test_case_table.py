"""The table of cases in a handout: what it must say is written here by hand, from the suites."""

from __future__ import annotations

from typing import Any

import pytest
from reportlab.platypus import Flowable, Paragraph, Table

from embrix.course.load import Course
from embrix.documents.case_table import case_rows
from embrix.documents.handout import HandoutPart, Selection, handout
from embrix.documents.handout_files import html_of, pdf_of
from embrix.documents.latex_pages import latex_of
from embrix.lanes.session import Session
from embrix.text.diagnostic import Findings

ALL = ("applicative", "by_value", "cek", "krivine", "normal_order", "weak_head")


def table(course: Course, language: str, lanes: tuple[str, ...]) -> dict[str, str]:
    session = Session(course.folder)
    suites = [session.suite(path, Findings()) for path in session.course.suites]
    (suite,) = (one for one in suites if one is not None and one.language == language)
    return {name: expected for name, _, expected in case_rows(suite, lanes)}


@pytest.mark.parametrize(
    ("lanes", "case", "expected"),
    [
        (ALL, "nothing but itself", "no end"),
        (ALL, "the same, handed over the other way round",
         "given x: x\napplicative, by_value, cek: no end"),
        (("krivine",), "the same, handed over the other way round", "given x: x"),
        (("cek", "by_value"), "the same, handed over the other way round", "no end"),
        (ALL, "inside a function",
         "given y: y\nby_value, cek, krivine, weak_head: given y: (given x: x) y"),
        (("cek",), "a name is not caught", "error Unbound at 1:23"),
        (ALL, "how often an argument is reduced",
         "given x: x\napplicative, by_value: steps 3\nnormal_order, weak_head: steps 4"),
        (ALL, "by value the function comes before its argument", "by_value: z"),
        (ALL, "calls nest to the left", "reads as Call(Call(Var(f), Var(a)), Var(b))"),
    ],
)  # fmt: skip
def test_what_lanes_must_give(
    lockside: Course, lanes: tuple[str, ...], case: str, expected: str
) -> None:
    assert table(lockside, "Eddy", lanes)[case] == expected


def test_what_comes_beside_the_value(lockside: Course) -> None:
    found = table(lockside, "Race", ("interleaving", "whole_lines"))
    assert found["the last assignment counts"] == "5\nleaves level ↦ 5"
    assert found["a variable that nothing was put into"] == (
        "error Unset “nothing has been put into level yet” at 1:11"
    )
    found = table(lockside, "Weir", ("store_passing",))
    assert "writes\n  3\n  true" in found.values()


def test_every_case_of_the_course_says_what_is_expected(lockside: Course) -> None:
    for language, lanes in lockside.interpreters.items():
        empty = [name for name, text in table(lockside, language, tuple(lanes)).items() if not text]
        assert not empty, language


def test_lines_of_a_program_are_indented_in_a_table_as_they_are_written(lockside: Course) -> None:
    parts = handout(Session(lockside.folder), Selection(("Drip",), ("environment",), programs=()))
    (rows,) = (part.rows for part in parts if part.rows and part.rows[0][0] == "case")
    (program,) = (row[1] for row in rows if row[0] == "the program shadow")
    assert "\n  let level = level - 1 in   #" in program
    small = [HandoutPart("table", rows=(("case", "program"), ("shadow", program)))]
    assert "\n  let level = level - 1 in   #" in html_of(small)
    assert r"\newline \ \ let\ level" in latex_of(small)
    kept = "\xa0\xa0let level = level - 1 in"
    assert any(kept in text for text in cells(small))


def cells(parts: list[HandoutPart]) -> list[str]:
    """What stands in the tables of a PDF."""
    import reportlab.platypus as platypus

    found: list[str] = []
    before = platypus.Paragraph

    class Heard(before):  # type: ignore[misc, valid-type]
        def __init__(self, text: str, *rest: object, **more: object) -> None:
            found.append(text)
            super().__init__(text, *rest, **more)

    platypus.Paragraph = Heard
    try:
        pdf_of(parts)
    finally:
        platypus.Paragraph = before
    return found


def test_a_program_that_is_longer_than_a_page_goes_on_at_the_next() -> None:
    program = "\n".join(f"let x{number} = {number} in" for number in range(150)) + "\n1"
    row = ("a long one", program, "1")
    for rows in ((row,), (row,) * 15):
        parts = [HandoutPart("title", "t"), HandoutPart("heading", "Cases"),
                 HandoutPart("table", rows=(("case", "program", "expected"), *rows))]  # fmt: skip
        assert pdf_of(parts).count(b"/Type /Page\n") >= 2 * len(rows)


def test_a_small_table_stands_on_one_page_and_a_long_one_begins_where_there_is_room(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    pages: list[int] = []
    """Those on which a table or a part of one is drawn, and a heading."""
    heads: list[int] = []

    def hear(kind: type[Flowable], heard: list[int]) -> None:
        draw = kind.drawOn

        def drawn(one: Flowable, canvas: Any, *rest: object, **more: object) -> None:
            if not isinstance(one, Paragraph) or one.style.name in ("heading", "subheading"):
                heard.append(canvas.getPageNumber())
            draw(one, canvas, *rest, **more)

        monkeypatch.setattr(kind, "drawOn", drawn)

    def where(*parts: HandoutPart) -> tuple[list[int], list[int]]:
        pages.clear()
        heads.clear()
        pdf_of(list(parts))
        return pages, heads

    hear(Table, pages)
    hear(Paragraph, heads)
    small = HandoutPart("table", rows=(("lane", "outcome"), *[("a", "1")] * 4))
    assert where(HandoutPart("code", "x\n" * 67), small) == ([2], [])
    about = HandoutPart("subheading", "A stop"), HandoutPart("text", "What does it give?")
    assert where(HandoutPart("code", "x\n" * 63), *about, small) == ([2], [2])
    long = HandoutPart("table", rows=(("case", "program"), *[("a", "1")] * 30))
    cases = HandoutPart("heading", "Cases")
    assert where(HandoutPart("code", "x\n" * 40), cases, long) == ([1, 2], [1])
