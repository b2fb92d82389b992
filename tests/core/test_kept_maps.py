"""What a lane keeps in a map is shown like a store: what each name holds, and what has changed."""

from __future__ import annotations

from embrix.course.load import Course
from embrix.draw.runs import draw_store
from embrix.lanes.session import Session
from embrix.trace.walk import Walk


def walked(lockside: Course, text: str) -> Walk:
    lane = Session(lockside.folder).lane("Race", "whole_lines")
    return Walk(lane, lane.trace(text))


def test_a_map_is_what_a_step_finds(lockside: Course) -> None:
    walk = walked(lockside, "b := 1; a := 2; b := a + 3 give b")
    held = [
        [(one.location, one.value) for one in walk.step(number).store]
        for number in range(len(walk))
    ]
    # `b := 1` is put in by the first step, then the semicolon goes, and so on.
    assert held[:1] == [[]]
    assert held[1] == held[2] == [("b", "1")]
    assert held[3] == held[4] == [("a", "2"), ("b", "1")]


def test_it_is_drawn_over_time(lockside: Course) -> None:
    text = draw_store(walked(lockside, "b := 1; a := 2; b := a + 3; rest give b"), "t").text
    rows = [line.split() for line in text.strip().split("\n")]
    assert ["a", "·", "·", "2", "2"] in rows
    assert ["b", "·", "1", "1", "5"] in rows
