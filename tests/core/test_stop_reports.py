"""What is wrong with a stop is found once, and again where something says something else."""

from __future__ import annotations

from pathlib import Path

import pytest

from embrix.course.checked import MEMORY
from embrix.lanes.session import Session
from embrix.lessons import stop_reports
from embrix.lessons.lesson import Lesson, LessonStop
from embrix.lessons.lesson_check import check_lesson
from embrix.lessons.lesson_reader import lesson_of
from embrix.lessons.playing import Played, play
from embrix.text.diagnostic import Findings
from embrix.text.sealed import SealedFolder
from embrix.text.user_folders import use_cache
from tests.conftest import leave_only

pytestmark = pytest.mark.usefixtures("own_cache")

LESSON = """\
title = "Locks"
language = "Drip"

[[stop]]
name = "a name"
program = "let x = 1 in x + 2"
lanes = ["environment", "rewriting"]
answer = "3"

[[stop]]
name = "a clause"
program = "4 - 1"
lanes = ["environment"]
where = { applies = "Sub(left, right)" }
"""
WRONG = (
    LESSON.replace('answer = "3"', 'answer = "5"').replace("Sub(left", "Sab(left")
    + """
[[stop]]
name = "unread"
program = "4 -"

[[stop]]
name = "unread as well"
program = "4 -"
"""
)


@pytest.fixture
def drip(course_copy: Path) -> Path:
    leave_only(course_copy, "drip")
    (course_copy / "drip" / "names.lesson.toml").write_text(LESSON)
    return course_copy


@pytest.fixture
def carried_out(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """The stops that are carried out."""
    found: list[str] = []

    def watched(session: Session, lesson: Lesson, stop: LessonStop) -> Played:
        found.append(stop.name)
        return play(session, lesson, stop)

    monkeypatch.setattr(stop_reports, "play", watched)
    return found


def wrong(folder: Path, *, new_process: bool = True) -> list[tuple[str, str, str, str]]:
    """What is wrong with the lesson, with the text at which it is told."""
    if new_process:
        MEMORY.forget()
    session, findings = Session(folder), Findings()
    (path,) = session.course.lessons
    lesson = lesson_of(session, path, findings)
    assert lesson is not None
    check_lesson(session, lesson, findings)
    return [
        (one.code, one.message, one.hint, one.source.text[one.span.start : one.span.end])
        for one in findings.sorted()
    ]


def change(path: Path, old: str, new: str) -> None:
    text = path.read_text()
    assert old in text
    path.write_text(text.replace(old, new, 1))


@pytest.mark.parametrize("new_process", [True, False])
def test_a_stop_is_carried_out_once(
    drip: Path, carried_out: list[str], *, new_process: bool
) -> None:
    assert wrong(drip) == []
    assert carried_out == ["a name", "a clause"]
    assert wrong(drip, new_process=new_process) == []
    assert len(carried_out) == 2


@pytest.mark.parametrize("new_process", [True, False])
@pytest.mark.parametrize(
    ("file", "old", "new", "anew"),
    [
        ("environment.brix", "Let(x, bound, body)", "Let(y, bound, body)", ["a name", "a clause"]),
        ("rewriting.brix", "Add(Lit(a), Lit(b))", "Add(Lit(b), Lit(a))", ["a name"]),
        ("drip.brix", "Let(", "Let (", ["a name", "a clause"]),
        ("rewriting.brix", "\n\n", "\n# a comment\n\n", []),
        # A clause is found by its text, comments and all.
        ("environment.brix", "\n\n", "\n# a comment\n\n", ["a clause"]),
        ("names.lesson.toml", 'answer = "3"', 'answer = "4"', ["a name"]),
        ("names.lesson.toml", "4 - 1", "5 - 1", ["a clause"]),
        ("names.lesson.toml", 'title = "Locks"', 'title = "More locks"\n', []),
    ],
)  # fmt: skip
def test_it_is_carried_out_again_where_something_says_something_else(
    drip: Path, carried_out: list[str], file: str, old: str, new: str, anew: list[str],
    *, new_process: bool,
) -> None:  # fmt: skip
    wrong(drip)
    carried_out.clear()
    change(drip / "drip" / file, old, new)
    wrong(drip, new_process=new_process)
    assert carried_out == anew


def test_what_is_wrong_is_told_every_time(drip: Path, carried_out: list[str]) -> None:
    (drip / "drip" / "names.lesson.toml").write_text(WRONG)
    told = wrong(drip)
    assert [(code, hint) for code, _, hint, _ in told] == [
        ("wrong_answer", ""), ("wrong_answer", ""),
        ("lost_stop", "the nearest is step 0 of 6"), ("bad_lesson", ""),
    ]  # fmt: skip
    assert [message for _, message, _, _ in told][:2] == [
        f"the answer of the stop “a name” on {lane} is 5, but it gives 3"
        for lane in ("environment", "rewriting")
    ]
    assert told[3][1].startswith("the program of the stop “unread” cannot be read: ")
    carried_out.clear()
    assert wrong(drip) == told
    assert carried_out == []
    change(drip / "drip" / "names.lesson.toml", 'title = "Locks"', 'title = "Sluices"\n# more')
    assert wrong(drip) == told, "the places follow the stops"
    assert carried_out == []


def test_a_damaged_file_is_not_believed(drip: Path, carried_out: list[str]) -> None:
    assert wrong(drip) == []
    files = [path for path in SealedFolder.of_user("stops").folder.rglob("*") if path.is_file()]
    assert len(files) == 2
    for path in files:
        content = path.read_bytes()
        path.write_bytes(content[:-3] + bytes([content[-3] ^ 1]) + content[-2:])
    carried_out.clear()
    assert wrong(drip) == []
    assert carried_out == ["a name", "a clause"]


def test_nothing_is_kept_where_nothing_is_to_be(drip: Path, carried_out: list[str]) -> None:
    use_cache(on=False)
    wrong(drip)
    wrong(drip)
    assert carried_out == ["a name", "a clause"] * 2
