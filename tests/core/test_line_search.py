"""Texts are found in the lines of judgements as they are found in the lines as they are shown."""

from __future__ import annotations

import random
from pathlib import Path

import pytest

from embrix.course.load import Course
from embrix.lanes.session import Session
from embrix.machine import lane as lane_module
from embrix.machine.limits import Limits
from embrix.text.source import read_source
from embrix.trace import line_search
from embrix.trace.line_search import LineSearch
from embrix.trace.seeking import seek
from embrix.trace.walk import Walk
from tests.conftest import TINY_LANGUAGE, Maker, shipped_session

LONGEST = 300
"""Steps of a walk that is looked through one by one."""

ODD = """\
interpreter odd for Tiny

value Value
  Num(n: Number)      shown "{n}"

judgement eval        "{result} for {e}, Written {result} among {env}"
main run

define run(p: Expr) -> Value
  eval(p, empty)

define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n)              => Num(n)
  Var(x)              => env[x]
  Add(a, b)           =>
    let Num(n) = eval(a, env)
    let Num(m) = eval(b, env)
    Num(n + m)
  Let(x, bound, body) => eval(body, env with x = eval(bound, env))
"""
PLAIN = ODD.replace('judgement eval        "{result} for {e}, Written {result} among {env}"\n', "")


def _held_against_the_lines(walk: Walk, drawn: random.Random) -> None:
    lines = [walk.text(number).casefold() for number in range(len(walk))]
    for _ in range(8):
        line = drawn.choice(lines)
        begin = drawn.randrange(len(line))
        what = line[begin : begin + drawn.choice((1, 2, 5, 12, 40))]
        start, forward = drawn.randrange(len(lines)), drawn.random() < 0.5
        numbers = range(start + 1, len(lines)) if forward else range(start - 1, -1, -1)
        expected = next((one for one in numbers if what in lines[one]), None)
        assert seek(walk, "text", what.upper().lower(), start, forward) == expected, what


def _lanes() -> list[tuple[str, str]]:
    session = shipped_session()
    return [(language, lane.name) for language in session.course.languages
            for lane in session.lanes(language) if lane.records]  # fmt: skip


@pytest.fixture(scope="module")
def session(lockside: Course) -> Session:
    return Session(lockside.folder)


@pytest.mark.parametrize(("language", "name"), _lanes())
def test_on_every_lane_of_the_course(
    session: Session, monkeypatch: pytest.MonkeyPatch, language: str, name: str
) -> None:
    """Also where most of a run has not been kept."""
    lane = session.lane(language, name)
    drawn = random.Random(name)
    for path in session.course.programs[language][:4]:
        text = read_source(Path(path)).text
        walk = Walk(lane, lane.trace(text, limits=Limits(calls=LONGEST)))
        if len(walk) > 2:
            _held_against_the_lines(walk, drawn)
        monkeypatch.setattr(lane_module, "LAST", 20)
        cut = Walk(lane, lane.trace(text, limits=Limits(calls=LONGEST, events=25)))
        if len(cut) > 2:
            _held_against_the_lines(cut, drawn)


@pytest.mark.parametrize("interpreter", [ODD, PLAIN])
def test_a_result_may_stand_anywhere(make_course: Maker, interpreter: str) -> None:
    course = make_course(tiny=TINY_LANGUAGE, odd=interpreter)
    assert not course.has_errors
    lane = Session(course.folder).lane("Tiny", "odd")
    for text in ("let a = 1 + 2 in let b = a + a in b + 3", "let a = 1 in a + nobody"):
        _held_against_the_lines(Walk(lane, lane.trace(text)), random.Random(text))


def test_lines_are_kept_as_far_as_there_is_room(
    session: Session, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What does not fit is made anew."""
    monkeypatch.setattr(line_search, "ROOM", 150)
    lane = session.lane("Rill", "environment")
    text = "let f of n = when n < 1 then 0 else f (n - 1) + 1 in f 6"
    walk = Walk(lane, lane.trace(text))
    _held_against_the_lines(walk, random.Random(1))
    search = LineSearch(walk, "nowhere")
    recorder = walk.traced.recorder
    for event in recorder.events:
        search(recorder, ~event if event < 0 else event, event < 0)
        assert sum(map(len, search._begun.values())) <= 150 + max(
            map(len, search._begun.values()), default=0
        )
