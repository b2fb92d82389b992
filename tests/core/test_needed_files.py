"""Of a course with many languages only what one needs is read."""

from __future__ import annotations

import itertools
import random
from pathlib import Path

import pytest

from embrix.cli.main import main
from embrix.course.load import load_course
from embrix.course.needed_files import FIRST, Wanted, needed_files
from embrix.course.shipped import shipped_course
from embrix.lanes.session import Session
from embrix.text.source import read_source
from tests.conftest import leave_only, shipped_session

FILES = {
    "gate": 'language Gate\n  extension "gate"\n',
    "sluice": '# Sluice, by hand.\n\nlanguage Sluice extends Gate   # more\n  extension "sluice"\n',
    "weir": 'language Weir\n  extension "weir"\n',
    "gate_env": "interpreter env for Gate\n",
    "sluice_env": "interpreter env for Sluice extends Gate.env\n",
    "sluice_own": "interpreter own for Sluice extends env\n",
    "weir_env": "interpreter env for Weir\n",
    "shared": "library lists\n",
    "odd": "interpretr env for Weir\n",
    "empty": "# nothing yet\n",
}
ALWAYS = {"shared", "odd", "empty"}
GATE = {"gate", "gate_env"}
SLUICE = {"sluice", "sluice_env", "sluice_own"}


def needed(wanted: Wanted, **others: str) -> set[str]:
    texts = {Path(name): text for name, text in {**FILES, **others}.items()}
    return {path.name for path in needed_files(texts, wanted)}


@pytest.mark.parametrize(
    ("wanted", "expected"),
    [
        (Wanted("Gate"), GATE),
        (Wanted(extension="gate"), GATE),
        (Wanted("Sluice"), GATE | SLUICE),
        (Wanted(extension="sluice"), GATE | SLUICE),
        # A name counts before what the program ends in.
        (Wanted("Weir", "gate"), {"weir", "weir_env"}),
        (Wanted("Lock"), set(FILES)),
        (Wanted(extension="txt"), set(FILES)),
        (FIRST, GATE),
        # With some interpreters: those, and what they extend.
        (Wanted("Sluice", lanes=("env",)), GATE | SLUICE - {"sluice_own"}),
        (Wanted("Sluice", lanes=("own",)), GATE | SLUICE),
        (Wanted("Gate", lanes=("env",)), GATE),
        (Wanted("Sluice", lanes=("env", "missing")), GATE | SLUICE),
    ],
)
def test_what_a_language_needs(wanted: Wanted, expected: set[str]) -> None:
    assert needed(wanted) == expected | ALWAYS


def test_where_it_cannot_be_seen_everything_is_needed() -> None:
    twice = needed(Wanted("Weir"), again='language Weir\n  extension "w"\n')
    assert twice == {*FILES, "again"}
    same_ending = needed(Wanted(extension="weir"), other='language Lock\n  extension "weir"\n')
    assert same_ending == {*FILES, "other"}


def test_interpreters_that_extend_each_other_end_the_search() -> None:
    circle = {"one": "interpreter one for Weir extends two\n",
              "two": "interpreter two for Weir extends one\n"}  # fmt: skip
    assert needed(Wanted("Weir", lanes=("one",)), **circle) == {"weir", "one", "two"} | ALWAYS
    assert needed(Wanted("Weir", lanes=("env",)), **circle) == {"weir", "weir_env"} | ALWAYS


def test_languages_that_extend_each_other_end_the_search() -> None:
    circle = {"a": "language Aa extends Bb\n", "b": "language Bb extends Aa\n"}
    assert needed(Wanted("Aa"), **circle) == {"a", "b"} | ALWAYS
    assert needed(FIRST, **circle) == GATE | ALWAYS
    assert needed(Wanted("Cc"), c="language Cc extends Missing\n") == {"c"} | ALWAYS


WHOLE = shipped_session()


@pytest.mark.parametrize("language", sorted(WHOLE.course.languages))
def test_runs_are_the_same(language: str) -> None:
    """Every program of the course on every lane, with all costs."""
    programs = WHOLE.course.programs[language]
    part = Session(shipped_course(), wanted=Wanted(extension=programs[0].suffix[1:]))
    assert language in part.course.languages
    assert part.course.diagnostics == ()
    for path in programs:
        text = read_source(path).text
        for lane in WHOLE.lanes(language):
            other = part.lane(language, lane.name)
            assert other.run(text) == lane.run(text), (path.name, lane.name)


def test_what_is_not_needed_may_be_broken(course_copy: Path) -> None:
    (course_copy / "weir" / "weir.brix").write_text("language Weir\nforms Expr\n  Broken(\n")
    course = load_course(course_copy, wanted=Wanted("Drip"))
    assert set(course.languages) == {"Drip"}
    assert course.diagnostics == ()
    assert {path.split("/")[0] for path in course.sources} == {"course.toml", "drip"}
    assert load_course(course_copy).has_errors


@pytest.mark.parametrize("language", sorted(WHOLE.course.languages))
def test_what_is_not_read_is_told_of_by_first_lines(language: str) -> None:
    extension = WHOLE.course.languages[language].extension or ""
    part = load_course(shipped_course(), wanted=Wanted(extension=extension))
    assert not part.whole
    assert {*part.languages, *(one.name for one in part.unread)} == {*WHOLE.course.languages}
    for one in part.unread:
        other = WHOLE.course.languages[one.name]
        assert (one.extension, one.file) == (other.extension, other.source.path)
        assert one.programs == WHOLE.course.programs[one.name]


def test_an_outside_lane_of_a_language_that_is_not_read_is_no_mistake(course_copy: Path) -> None:
    with (course_copy / "course.toml").open("a", encoding="utf-8") as file:
        file.write('[[outside]]\nlanguage = "Mere"\nname = "abacus"\ncommand = ["abacus"]\n')
    part = load_course(course_copy, wanted=Wanted("Drip"))
    assert part.diagnostics == ()
    assert [one.name for one in part.outside] == ["abacus"]


def test_everything_is_whole_where_nothing_is_left_out(course_copy: Path) -> None:
    assert WHOLE.course.whole
    leave_only(course_copy, "drip")
    assert load_course(course_copy, wanted=Wanted("Rill")).whole
    assert load_course(course_copy, wanted=Wanted("Nowhere")).whole


LANGUAGES = ("drip", "eddy", "gauge", "mere", "punt", "race", "rill", "siren", "weir")


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
