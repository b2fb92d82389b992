"""Of a course with many languages only what one needs is read."""

from __future__ import annotations

from pathlib import Path

import pytest

from embrix.course.load import load_course
from embrix.course.needed_files import Wanted, needed_files
from embrix.course.shipped import shipped_course
from embrix.lanes.session import Session
from embrix.text.source import read_source

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
        (Wanted(), set(FILES)),
    ],
)
def test_what_a_language_needs(wanted: Wanted, expected: set[str]) -> None:
    assert needed(wanted) == expected | ALWAYS


def test_where_it_cannot_be_seen_everything_is_needed() -> None:
    twice = needed(Wanted("Weir"), again='language Weir\n  extension "w"\n')
    assert twice == {*FILES, "again"}
    same_ending = needed(Wanted(extension="weir"), other='language Lock\n  extension "weir"\n')
    assert same_ending == {*FILES, "other"}


def test_languages_that_extend_each_other_end_the_search() -> None:
    circle = {"a": "language Aa extends Bb\n", "b": "language Bb extends Aa\n"}
    assert needed(Wanted("Aa"), **circle) == {"a", "b"} | ALWAYS
    assert needed(Wanted("Cc"), c="language Cc extends Missing\n") == {"c"} | ALWAYS


WHOLE = Session(shipped_course())


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
