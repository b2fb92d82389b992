"""What came of laws is kept as long as everything says the same."""

from __future__ import annotations

from pathlib import Path

import pytest
from msgspec.structs import replace

from embrix.checking import kept_laws
from embrix.checking.diagnostics import diagnostics
from embrix.checking.laws import LawReport, try_law
from embrix.course.checked import MEMORY
from embrix.course.load import Course, load_course
from embrix.lanes.session import Session
from embrix.machine.run import Machine
from embrix.text.sealed import SealedFolder
from embrix.text.user_folders import cache_folder
from tests.conftest import TINY_LANGUAGE, Maker, leave_only

pytestmark = pytest.mark.usefixtures("own_cache")

LANE = """\
interpreter lane for Tiny
choice kind  "Which number?"
  same  "as it is"       default
  next  "the next one"
error Odd(n: Number)  "{n} is odd"
main run
define run(e: Expr) -> Number by e
  _  => 1

define one(n: Number) -> Number
  match kind
    same  => n
    next  => n + 1

define never(n: Number) -> Number
  fail Odd(n)

law one(n) == n
law one(n) == n + 1
law never(n) == n when n == n
"""
SUBSTITUTING = [("Drip", "rewriting"), ("Rill", "rewriting"), ("Siren", "rewriting")]


def reports(course: Course, language: str, name: str) -> list[LawReport]:
    """As in a process that knows nothing yet."""
    machine = Machine(course.interpreters[language][name])
    return [kept_laws.report_on_law(machine, law) for law in machine.interpreter.laws]


@pytest.fixture
def tried(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """The laws that are tried."""
    found: list[str] = []

    def watched(machine: Machine, law: kept_laws.Law) -> LawReport:
        found.append(law.text)
        return try_law(machine, law)

    monkeypatch.setattr(kept_laws, "try_law", watched)
    return found


@pytest.mark.parametrize(("language", "name"), SUBSTITUTING)
def test_a_law_is_tried_once(lockside: Course, tried: list[str], language: str, name: str) -> None:
    first = reports(lockside, language, name)
    assert len(tried) == len(first) > 0
    again = reports(load_course(lockside.folder), language, name)
    assert len(tried) == len(first)
    laws = [one.law for one in again]
    assert again == [replace(one, law=law) for one, law in zip(first, laws, strict=True)]
    assert all(one.tried > 100 for one in again)


@pytest.mark.parametrize(
    ("file", "old", "new", "anew"),
    [
        ("drip/rewriting.brix", "Sub(Lit(a), Lit(b))", "Sub(Lit(b), Lit(a))", True),
        ("drip/drip.brix", "Let(", "Let (", True),
        ("drip/rewriting.brix", "\n\n", "\n# a remark\n\n", False),
    ],
)  # fmt: skip
def test_it_is_tried_again_where_something_says_something_else(
    course_copy: Path, tried: list[str], file: str, old: str, new: str, anew: bool
) -> None:
    """A clause of the interpreter, a form of its language; but not a remark."""
    reports(load_course(course_copy), "Drip", "rewriting")
    known = len(tried)
    assert known > 0
    path = course_copy / file
    changed = path.read_text().replace(old, new, 1)
    assert changed != path.read_text()
    path.write_text(changed)
    MEMORY.forget()
    reports(load_course(course_copy), "Drip", "rewriting")
    assert len(tried) == (2 * known if anew else known)


def test_a_counterexample_is_kept_as_it_is(course_copy: Path, tried: list[str]) -> None:
    path = course_copy / "drip" / "rewriting.brix"
    right, wrong = "alike(put(v, x, e), substitute(v, x, e))", "alike(put(v, x, e), e)"
    assert right in path.read_text()
    path.write_text(path.read_text().replace(right, wrong))
    course = load_course(course_copy)
    first = reports(course, "Drip", "rewriting")
    assert first[0].counterexample is not None
    assert reports(course, "Drip", "rewriting") == first
    assert len(tried) == len(first)


def test_each_law_of_each_way_of_deciding_has_its_own(make_course: Maker, tried: list[str]) -> None:
    """By hand: the first law is true of one way and the second of the other; what the third speaks
    of always fails."""
    lane = make_course(tiny=TINY_LANGUAGE, lane=LANE).interpreters["Tiny"]["lane"]
    ways = [Machine(one) for one in (lane, lane.deciding({"kind": "next"}))]
    for _ in range(2):
        found = [[kept_laws.report_on_law(way, law) for law in lane.laws] for way in ways]
        assert [[one.counterexample is None for one in of] for of in found] == [
            [True, False, False], [False, True, False],
        ]  # fmt: skip
        assert [[one.failed for one in of] for of in found] == [[False, False, True]] * 2
    assert len(tried) == 6
    # A counterexample is written by a grammar: by another one it is another report.
    kept_laws.report_on_law(Machine(lane.under("another")), lane.laws[0])
    assert len(tried) == 7


def test_what_is_no_report_is_not_believed(lockside: Course, tried: list[str]) -> None:
    """Nor is one that is damaged."""
    right = reports(lockside, "Drip", "rewriting")
    known = len(tried)
    (file,) = (cache_folder() / "laws").iterdir()
    files = SealedFolder.of_user("laws")
    for content in (b"", b"null", b'{"tried": 300}', b'{"tried": "many", "seed": 1}', b"\xff"):
        files.write(file.name, content)
        assert reports(lockside, "Drip", "rewriting") == right
        known += 1
        assert len(tried) == known
    file.write_bytes(file.read_bytes().replace(b'"failed":false', b'"failed":true '))
    assert reports(lockside, "Drip", "rewriting") == right
    assert len(tried) == known + 1


def test_definitions_with_errors_keep_nothing(course_copy: Path, tried: list[str]) -> None:
    """What comes of them is told of their place."""
    path = course_copy / "drip" / "rewriting.brix"
    path.write_text(path.read_text() + "\ndefine odd(n: Number) -> Number\n  nowhere\n")
    course = load_course(course_copy)
    for _ in range(2):
        reports(course, "Drip", "rewriting")
    assert not (cache_folder() / "laws").exists()


def test_notes_on_laws_are_those_of_a_first_process(course_copy: Path, tried: list[str]) -> None:
    leave_only(course_copy, "rill")
    told = []
    for _ in range(2):
        MEMORY.forget()
        found = diagnostics(Session(course_copy))
        told.append([(name, one.law.text, one.tried, one.made) for name, one in found.laws])
    assert told[0] == told[1]
    assert len(tried) == len(told[0])
