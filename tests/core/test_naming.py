"""What names in definitions mean, and other names for them."""

from __future__ import annotations

import random
from pathlib import Path

import pytest

from embrix.brix.lexer import chunks, lex
from embrix.checking.verdicts import check_suite
from embrix.course.load import Course
from embrix.course.shipped import shipped_course
from embrix.lanes.session import Session
from embrix.messages.replies_on_writing import NameHere, Renaming
from embrix.services.renaming import CAPITAL, Names, name_here, renamed
from embrix.services.text_search import course_texts
from embrix.text.diagnostic import Findings
from embrix.text.source import Source
from tests.conftest import TINY_LANGUAGE, Maker

LANE = """\
interpreter values for Tiny
value Value
  Num(n: Number)
error Unbound(x: Name)  "nothing called {x}"
choice first "Which operand first?"
  left   "that of the page"  default
  right  "the other"
judgement eval "{env} ⊢ {e} ⇓ {result}"
main run
define run(p: Expr) -> Value
  eval(p, empty)
define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n)            => Num(n)
  Var(x)            => env[x] otherwise fail Unbound(x)
  Add(left, right)  =>
    let Num(n) = eval(if first is left then left else right, env)
    let m = number(eval(right, env))
    Num(n + m)
  Let(x, bound, body) =>
    let v = eval(bound, env)
    eval(body, env with x = v)
define number(v: Value) -> Number by v
  Num(n) => n
"""
SUITE = """\
language = "Tiny"
[[case]]
name = "Unbound is not renamed here"
program = "x"
error = "Unbound"
at = "1:1"
[[case]]
name = "a sum"
program = "1 + 2"
term = "Add(Lit(1), Lit(2))"
value = "Num(3)"
for."first=right" = { value = "Num(4)" }
"""


@pytest.fixture
def session(make_course: Maker, tmp_path: Path) -> Session:
    (tmp_path / "tiny.suite.toml").write_text(SUITE)
    course: Course = make_course(tiny=TINY_LANGUAGE, values=LANE)
    assert [d.message for d in course.diagnostics if d.severity == "error"] == []
    return Session(course.folder)


def here(session: Session, file: str, line: str, word: str) -> tuple[str, int]:
    """A text, and the place of a word in the first of its lines that has a text in it."""
    text = (session.course.folder / file).read_text()
    return text, text.index(word, text.index(line))


def asked(session: Session, file: str, line: str, word: str) -> NameHere:
    return name_here(session, file, *here(session, file, line, word))


def called(session: Session, file: str, line: str, word: str, new: str) -> Renaming:
    return renamed(session, file, *here(session, file, line, word), new)


@pytest.mark.parametrize(
    ("line", "word", "kind", "about", "declared", "places"),
    [
        ("let v = eval", "eval", "function", "eval(e: Expr, env: Env[Value]) -> Value",
         ("values.brix", 12), 7),
        ("Add(left", "Add", "form", "Add(left: Expr, right: Expr)", ("tiny.brix", 12), 4),
        ("env with x", "v)", "name", "v: Value", ("values.brix", 20), 2),
        ("env with x", "x", "name", "x: Name", ("values.brix", 19), 2),
        ("fail Unbound", "Unbound", "error", 'Unbound(x: Name) "nothing called {x}"',
         ("values.brix", 4), 3),
        ("Num(n) => n", "Value", "", "", None, 0),
        ("let Num(n) = eval(if", "first", "choice", "Which operand first?", ("values.brix", 5), 3),
        ("let Num(n) = eval(if", "left", "alternative", "that of the page", ("values.brix", 6), 2),
        ("eval(bound", "env", "parameter", "env: Env[Value]", ("values.brix", 12), 7),
        ("judgement", "env", "parameter", "env: Env[Value]", ("values.brix", 12), 7),
        ("-> Value by e", "Value", "type", "value Value", ("values.brix", 2), 5),
    ],
)  # fmt: skip
def test_a_name_is_what_is_declared_nearest(
    session: Session,
    line: str,
    word: str,
    kind: str,
    about: str,
    declared: tuple[str, int] | None,
    places: int,
) -> None:
    """The numbers of places were counted by hand."""
    if not kind:
        line, word = "Num(n) => n", "> n"
    found = asked(session, "values.brix", line, word)
    assert (found.kind, found.about) == (kind, about)
    at = found.declared
    assert (at and (at.file, at.line)) == declared
    assert len(found.places) == places


def test_a_built_in_function_is_told_with_its_types(make_course: Maker) -> None:
    text = LANE.replace("Num(n + m)", "Num(n + number(size([e])))")
    session = Session(make_course(tiny=TINY_LANGUAGE, values=LANE).folder)
    found = name_here(session, "values.brix", text, text.index("size("))
    assert found.kind == "built-in"
    assert found.about.startswith("size(items: List[")


@pytest.mark.parametrize(
    ("file", "line", "word", "new", "places", "files"),
    [
        ("values.brix", "fail Unbound", "Unbound", "Missing", 3, ["tiny.suite.toml",
                                                                 "values.brix"]),
        ("tiny.brix", "Lit(n", "Lit", "Number1", 5, ["tiny.brix", "tiny.suite.toml",
                                                     "values.brix"]),
        ("values.brix", "choice first", "first", "order1", 3, ["tiny.suite.toml", "values.brix"]),
        ("values.brix", 'right  "the', "right", "backwards", 2, ["tiny.suite.toml",
                                                                 "values.brix"]),
        ("tiny.brix", "Let(x", "bound", "value1", 2, ["tiny.brix"]),
        ("tiny.brix", "start Expr", "Expr", "Phrase", 14, ["tiny.brix", "values.brix"]),
        ("tiny.brix", "operators Sum", "Sum", "Chain", 2, ["tiny.brix"]),
        ("tiny.brix", "name    /", "name", "word", 3, ["tiny.brix"]),
    ],
)  # fmt: skip
def test_another_name_is_written_everywhere_it_is_meant(
    session: Session, file: str, line: str, word: str, new: str, places: int, files: list[str]
) -> None:
    """In definitions and suites, and nowhere else; the suite gives what it gave."""
    change = called(session, file, line, word, new)
    assert change.refused == ""
    assert [one.file for one in change.files] == files
    assert change.places == places
    folder = session.course.folder
    after = Session(folder, {folder / one.file: one.text for one in change.files})
    assert not after.course.has_errors
    report = check_suite(after, folder / "tiny.suite.toml")
    assert {v.state for case in report.cases for v in case.verdicts} == {"passed", "left out"}


@pytest.mark.parametrize(
    ("line", "word", "new", "why"),
    [
        ("let v = eval", "eval", "number", "would mean something else"),
        ("Num(n: Number)", "Num", "Lit", "would mean something else"),
        ("env with x", "v)", "body", "would mean something else"),
        ("let v = eval", "eval", "size1 ", "begins with a small letter"),
        ("let v = eval", "eval", "let", "a word of the notation"),
        ("let v = eval", "eval", "eval", "called eval already"),
        ("Num(n: Number)", "Num", "num", "begins with a capital"),
    ],
)
def test_a_name_that_would_change_the_meaning_is_refused(
    session: Session, line: str, word: str, new: str, why: str
) -> None:
    change = called(session, "values.brix", line, word, new)
    assert why in change.refused
    assert change.files == []


def test_nothing_is_renamed_while_a_definition_cannot_be_read(make_course: Maker) -> None:
    session = Session(make_course(tiny=TINY_LANGUAGE, values=LANE + "define (").folder)
    text = (session.course.folder / "values.brix").read_text()
    change = renamed(session, "values.brix", text, text.index("eval"), "judge")
    assert "values.brix cannot be read as a whole" in change.refused


@pytest.fixture(scope="module")
def shipped() -> Names:
    return Names(Session(shipped_course()), {})


def test_every_name_of_the_shipped_course_is_known(shipped: Names) -> None:
    """Each word that is no word of the notation, no built-in and no heading has a meaning."""
    for syntax in shipped.definitions:
        file = syntax.source.name
        known = {one.start for one in shipped.all if one.file == file}
        source = Source(file, syntax.source.text)
        for chunk in chunks(source, Findings()):
            for tok in lex(source, chunk.span, Findings(), patterns=chunk.word == "tokens"):
                if tok.kind == "name" and tok.text in ("env", "store", "eval", "number", "body"):
                    assert tok.span.start in known, (file, source.position(tok.span.start))
    for one in shipped.all:
        assert shipped.texts[one.file][one.start : one.end] == one.meaning.name


def test_any_name_of_the_shipped_course_can_be_another(shipped: Names) -> None:
    """Whatever is chosen is called otherwise without a new error."""
    chance = random.Random(6104)
    meanings = sorted({one.meaning for one in shipped.all}, key=lambda m: (m.file, m.start))
    for meaning in chance.sample(meanings, 12):
        at = chance.choice(shipped.of(meaning))
        new = ("Qq" if meaning.kind in CAPITAL else "qq") + meaning.name[1:]
        change = renamed(shipped.session, at.file, shipped.texts[at.file], at.start, new)
        assert change.refused == "", (meaning, at)
        assert change.places >= len(shipped.of(meaning))


def test_the_ends_of_lines_stay_as_they_are(make_course: Maker, tmp_path: Path) -> None:
    """Of a suite and a program that are changed from elsewhere."""
    (tmp_path / "tiny.suite.toml").write_bytes(SUITE.replace("\n", "\r\n").encode())
    (tmp_path / "one.tiny").write_bytes(b"let q = 1 in\r\nq")
    session = Session(make_course(tiny=TINY_LANGUAGE, values=LANE).folder)
    change = called(session, "values.brix", "fail Unbound", "Unbound", "Missing")
    suite = next(one for one in change.files if one.file == "tiny.suite.toml")
    assert suite.text == SUITE.replace('error = "Unbound"', 'error = "Missing"').replace(
        "\n", "\r\n"
    )
    assert course_texts(session)["one.tiny"] == "let q = 1 in\r\nq"
