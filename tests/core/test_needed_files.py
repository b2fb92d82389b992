"""As much of a course is read as is asked about; the answer is that of the whole course."""

from __future__ import annotations

import itertools
import random
from pathlib import Path

import pytest

from embrix.cli.main import main
from embrix.course.load import load_course
from embrix.course.needed_files import FIRST, Wanted
from embrix.lanes.session import Session
from tests.conftest import leave_only

LANGUAGES = ("drip", "eddy", "gauge", "mere", "punt", "race", "rill", "siren", "weir")


@pytest.mark.parametrize("language", [name.capitalize() for name in LANGUAGES])
def test_a_language_is_the_same_with_and_without_the_others(
    course_copy: Path, language: str
) -> None:
    whole = load_course(course_copy)
    part = load_course(course_copy, wanted=Wanted(language))
    assert list(part.interpreters[language]) == list(whole.interpreters[language])
    for name, interpreter in part.interpreters[language].items():
        assert repr(interpreter.functions) == repr(whole.interpreters[language][name].functions)


@pytest.mark.parametrize("seed", range(8))
def test_the_first_language_is_the_first_of_the_whole_course(course_copy: Path, seed: int) -> None:
    """Some languages of the course in an order that is drawn: an extension may stand before what
    it extends."""
    drawn = random.Random(seed)
    leave_only(course_copy, *drawn.sample(LANGUAGES, 3))
    there = [path for path in course_copy.iterdir() if path.is_dir()]
    for number, path in enumerate(drawn.sample(there, len(there))):
        path.rename(path.with_name(f"{number}_{path.name}"))
    whole = load_course(course_copy)
    part = load_course(course_copy, wanted=FIRST)
    assert list(part.languages) == list(itertools.islice(whole.languages, 1))
    (first,) = part.languages
    assert list(part.interpreters[first]) == list(whole.interpreters[first])
    assert len(part.sources) < len(whole.sources) or len(there) == 1


def run(folder: Path, capsys: pytest.CaptureFixture[str], *more: str) -> tuple[int, str]:
    status = main(["run", "-e", "1 + 2", "--course", str(folder), *more])
    return status, capsys.readouterr().out


@pytest.mark.parametrize(
    ("old", "new"),
    [("language Drip", "language drip"), ("forms Expr\n", "forms\n"),
     ("language Drip", "language Rill"), ("language Drip", "language Drip extends Rill")],
)  # fmt: skip
def test_where_the_first_language_is_broken_the_whole_course_is_asked(
    course_copy: Path, capsys: pytest.CaptureFixture[str], old: str, new: str
) -> None:
    path = course_copy / "drip" / "drip.brix"
    path.write_text(path.read_text().replace(old, new, 1))
    session = Session(course_copy)
    first = next(iter(session.course.languages), "")
    found = run(course_copy, capsys)
    if first:
        assert found == run(course_copy, capsys, "--language", first)
    else:
        assert found[0] != 0


def test_a_lane_that_is_named_is_looked_for_in_all_languages(
    course_copy: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """Drip is the first language, and has no lane of this name."""
    status, printed = run(course_copy, capsys, "--with", "store_passing")
    assert (status, printed.split("\n")[0]) == (0, "3")
