"""Handouts and starters."""

from __future__ import annotations

import re
from html.parser import HTMLParser
from pathlib import Path

import pytest

from embrix.checking.verdicts import check_suite
from embrix.course.load import Course, load_course
from embrix.documents.handout import Selection, handout
from embrix.documents.handout_files import _picture, html_of, pdf_of, write_handout
from embrix.documents.starter import NoStarter, make_starter, write_files
from embrix.draw.scene import Scene
from embrix.lanes.session import Session


@pytest.mark.parametrize(
    ("language", "lane", "forms"),
    [
        ("Drip", "environment", ["Add", "Let"]),
        ("Drip", "rewriting", ["Let"]),
        ("Rill", "environment", ["Call", "Add"]),
        ("Weir", "store_passing", ["While"]),
        ("Mere", "by_need", ["Call"]),
    ],
)
def test_nothing_of_a_removed_clause_is_left(
    lockside: Course, tmp_path: Path, language: str, lane: str, forms: list[str]
) -> None:
    starter = make_starter(lockside, language, lane, forms, "yours")
    folder = tmp_path / "starter"
    write_files(starter.files, folder)
    everything = " ".join(
        " ".join(path.read_text().split()) for path in folder.rglob("*") if path.is_file()
    )
    assert {one.form for one in starter.removed} == set(forms)
    for one in starter.removed:
        for text in one.texts:
            assert " ".join(text.split()) not in everything
    # It is a course of its own, with one interpreter and the suite.
    course = load_course(folder)
    assert not course.has_errors
    assert list(course.interpreters[language]) == [lane]
    report = check_suite(Session(folder), course.suites[0])
    assert report.diagnostics == []
    verdicts = [(v.state, v.actual) for case in report.cases for v in case.verdicts]
    failed = [came for state, came in verdicts if state == "failed"]
    assert failed
    assert all("todo" in came or "yours" in came or "not" in came for came in failed)
    assert any(state == "passed" for state, _ in verdicts)


def test_a_starter_that_is_filled_in_holds_the_suite(lockside: Course, tmp_path: Path) -> None:
    folder = tmp_path / "starter"
    write_files(make_starter(lockside, "Drip", "environment", ["Add"]).files, folder)
    path = folder / "drip" / "environment.brix"
    clause = "Add(left, right) => Num(number(eval(left, env)) + number(eval(right, env)))"
    text = path.read_text()
    filled = re.sub(r"Add\(left, right\) => todo .*", clause, text)
    assert filled != text
    path.write_text(filled)
    session = Session(folder)
    report = check_suite(session, session.course.suites[0])
    states = {v.state for case in report.cases for v in case.verdicts}
    assert states <= {"passed", "left out"}


def test_starters_that_cannot_be_made(lockside: Course, tmp_path: Path) -> None:
    with pytest.raises(NoStarter, match="no interpreter called nobody"):
        make_starter(lockside, "Drip", "nobody", ["Add"])
    with pytest.raises(NoStarter, match="no clause for Ad; did you mean Add"):
        make_starter(lockside, "Drip", "environment", ["Ad"])
    # A name in the hint is no way out of the quotes.
    files = make_starter(lockside, "Drip", "environment", ["Add"], 'say "x"\nNum(1)').files
    write_files(files, tmp_path / "one")
    with pytest.raises(OSError, match="exists already"):
        write_files(files, tmp_path / "one")


def test_the_same_clause_elsewhere_is_told(course_copy: Path) -> None:
    """`Sub` made like `Add` gives the answer away."""
    path = course_copy / "drip" / "environment.brix"
    text = path.read_text()
    changed = re.sub(
        r"Sub\(left, right\) +=>.*",
        "Sub(left, right)  => Num(number(eval(left, env)) + number(eval(right, env)))", text,
    )  # fmt: skip
    path.write_text(changed)
    with pytest.raises(NoStarter, match=r"also stands in drip/environment\.brix"):
        make_starter(load_course(course_copy), "Drip", "environment", ["Add"])


class Page(HTMLParser):
    """What a page refers to, and its headings."""

    def __init__(self) -> None:
        super().__init__()
        self.outside: list[str] = []
        self.open: list[str] = []
        self.headings: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.open.append(tag)
        self.outside += [f"{name}={value}" for name, value in attrs
                         if name in ("src", "href") and value]  # fmt: skip

    def handle_endtag(self, tag: str) -> None:
        assert tag in self.open
        while self.open.pop() != tag:
            pass

    def handle_data(self, data: str) -> None:
        if self.open and self.open[-1] in ("h1", "h2", "h3"):
            self.headings.append(data)


@pytest.mark.parametrize("language", ["Drip", "Weir"])
def test_a_handout_holds_everything_and_needs_nothing_else(lockside: Course, language: str) -> None:
    session = Session(lockside.folder)
    lanes = list(session.course.interpreters[language])[:2]
    chosen = Selection((language,), tuple(lanes), notes="A word <b>before</b>.")
    parts = handout(session, chosen)
    html = html_of(parts)
    page = Page()
    page.feed(html)
    targets = set(re.findall(r'id="(part\d+)"', html))
    assert page.outside == [f"href=#part{n}" for n in range(1, len(targets) + 1)]  # the contents
    assert {"Grammar", "Forms", "Programs", "Cases", *(f"Rules of {one}" for one in lanes)} <= set(
        page.headings
    )
    assert "&lt;b&gt;before&lt;/b&gt;" in html
    assert html.count("<svg") >= 4
    content = pdf_of(parts)
    assert content.startswith(b"%PDF")
    fonts = set(re.findall(rb"/BaseFont /([^ ]+)", content))
    assert all(b"DejaVuS" in font for font in fonts), fonts
    assert b"/Lang (en)" in content
    titles = re.findall(rb"/Title \(((?:[^()\\]|\\.)*)\)", content)
    assert {b"Grammar", b"Forms", *(f"Rules of {one}".encode() for one in lanes)} <= set(titles)


def test_the_grammar_stands_once(lockside: Course) -> None:
    session = Session(lockside.folder)
    drawn = handout(session, Selection(("Drip",), ("environment",), ()))
    text = handout(session, Selection(("Drip",), ("environment",), (), written=True))
    at = [one.text for one in drawn].index("Grammar")
    assert (drawn[at + 1].kind, drawn[at + 2].text) == ("picture", "Forms")
    assert (text[at + 1].kind, text[at + 2].text) == ("code", "Forms")
    assert 'Expr ::= "let" name "=" Expr "in" Expr' in text[at + 1].text


def test_a_program_of_several_lines_keeps_them_in_the_table_of_cases(lockside: Course) -> None:
    """Behind a comment nothing else stands on its line."""
    parts = handout(Session(lockside.folder), Selection(("Rill",), ("environment",), programs=()))
    (rows,) = (part.rows for part in parts if part.rows and part.rows[0][0] == "case")
    (program,) = (row[1] for row in rows if row[0] == "ways down some locks: n = 2")
    lines = program.split("\n")
    assert lines[0].startswith("# In how many ways")
    assert lines[-1] == "ways n"
    page = html_of(parts)
    assert "in\n\nways n" in page


def test_what_is_broad_and_high_is_turned_on_its_page() -> None:
    """A picture that fits lies as it is; one that would be far too small stands upright, where it
    takes the height of the page; a row that is only broad is made smaller."""
    for broad, high, taken in ((400.0, 300.0, (400.0, 300.0)), (1_600.0, 900.0, (393.75, 700.0)),
                               (1_600.0, 90.0, (450.0, 25.3))):  # fmt: skip
        found = _picture(Scene(broad, high, ()), 450, 700).wrap(450, 700)
        assert found == pytest.approx(taken, abs=0.1)


def test_a_handout_of_the_whole_course_and_of_marked_steps(
    lockside: Course, tmp_path: Path
) -> None:
    session = Session(lockside.folder)
    whole = handout(session, Selection(tuple(session.course.languages), tags=("shadowing",)))
    heads = [part.text for part in whole if part.kind == "heading"]
    assert [one for one in heads if one in session.course.languages] == list(
        session.course.languages
    )
    none = handout(session, Selection(("Drip",), ("environment",), (), tags=("no such tag",)))
    assert [part.rows[1:] for part in none if part.kind == "table"] == [()]
    some = handout(session, Selection(("Drip",), ("environment",), ()))
    assert [len(part.rows) > 50 for part in some if part.kind == "table"] == [True]
    text = "let x = 1 in let x = 2 in x"
    marked = Selection(("Drip",), ("environment",), (("shadow", text),), marks=(2, 4, 99))
    parts = handout(session, marked)
    assert [part.text for part in parts if part.kind == "subheading"] == [
        "shadow", "Step 2", "Step 4"
    ]  # fmt: skip
    assert "Grammar" not in {part.text for part in parts}
    drawn = "".join(scene.title for part in parts for scene in part.pictures)
    assert "step 4" in drawn
    write_handout(parts, tmp_path / "marked.html")
    assert "Step 4" in (tmp_path / "marked.html").read_text()
    with pytest.raises(ValueError, match=r"\.html, \.pdf or \.tex"):
        write_handout(parts, tmp_path / "marked.txt")
