"""The states that a program can come to: what is kept of them, and the picture."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.course.load import Course
from embrix.documents.pictures import NoPicture, Wish, picture
from embrix.draw.scene import Drawing
from embrix.lanes.session import Session
from embrix.trace.state_graph import Chain, GraphState, GraphStep, chains, ranks, states_of
from tests.core.test_drawing import check_geometry


def graph(*links: tuple[int, int], ends: tuple[int, ...] = ()) -> list[GraphState]:
    count = max(max(link) for link in links) + 1
    made = [GraphState(f"s{number}", (), "", ()) for number in range(count)]
    for begin, end in links:
        made[begin].steps.append(GraphStep(end, ()))
    for number in ends:
        made[number].ends.append(0)
    return made


def test_what_lies_between_is_counted() -> None:
    """By hand: 0 → 1 → 2, there it parts to 3 and 4, which meet in 5; 5 → 6 ends."""
    links = ((0, 1), (1, 2), (2, 3), (2, 4), (3, 5), (4, 5), (5, 6))
    kept, found = chains(graph(*links, ends=(6,)))
    assert kept == [0, 2, 5, 6]
    assert found == [Chain(0, 2, 2), Chain(2, 5, 2), Chain(2, 5, 2), Chain(5, 6, 1)]


def test_a_circle_is_kept() -> None:
    kept, found = chains(graph((0, 1), (1, 2), (2, 1)))
    assert kept == [0, 1]
    assert found == [Chain(0, 1, 1), Chain(1, 1, 2)]
    assert ranks(0, [(0, 1), (1, 2), (2, 1)]) == {0: 0, 1: 1, 2: 2}


@given(st.lists(st.tuples(st.integers(0, 9), st.integers(0, 9)), max_size=25))
@settings(max_examples=200)
def test_lines_lead_down_unless_they_lead_back(links: list[tuple[int, int]]) -> None:
    """Every point that can be reached has a layer; it has one line at least from the layer above,
    and a line to the same layer or above leads to a point from which one comes there."""
    found = ranks(0, links)
    after: dict[int, set[int]] = {}
    for begin, end in links:
        after.setdefault(begin, set()).add(end)

    def reached(first: int) -> set[int]:
        seen = {first}
        pending = [first]
        while pending:
            more = after.get(pending.pop(), set()) - seen
            seen |= more
            pending += more
        return seen

    assert set(found) == reached(0)
    for number, rank in found.items():
        if rank:
            assert any(end == number and found.get(begin) == rank - 1 for begin, end in links)
    for begin, end in links:
        if begin in found and found[end] <= found[begin]:
            assert begin in reached(end)


def drawn(
    lockside: Course, text: str, lane: str = "interleaving", language: str = "Race"
) -> Drawing:
    return picture(Session(lockside.folder), Wish("states", language, text, (lane,)))


def test_every_state_is_in_the_text(lockside: Course) -> None:
    drawing = drawn(lockside, "{ a := 1 beside a := 2 } give a", "whole_lines")
    assert drawing.text == (
        "0  a := 1 beside a := 2   ∅\n    way 1 → 1\n    way 2 → 3\n"
        "1  ‹done› beside a := 2   a ↦ 1\n    → 2\n"
        "2  ‹done› beside ‹done›   a ↦ 2\n    ◆ 2\n"
        "3  a := 1 beside ‹done›   a ↦ 2\n    → 4\n"
        "4  ‹done› beside ‹done›   a ↦ 1\n    ◆ 1\n"
    )
    shown = [label.text for scene in drawing.pages for label in scene.labels]
    assert {"◆ 1", "◆ 2", "2 steps", "a ↦ 1", "a ↦ 2"} <= set(shown)


def test_a_state_without_a_way_on_is_told(lockside: Course) -> None:
    drawing = drawn(lockside, "wait until 0 give 1")
    assert "✗ stuck: no way is open" in [one.text for one in drawing.pages[0].labels]


@pytest.mark.parametrize(
    "text",
    [
        "{ a := 1 beside { a := 2 beside a := 3 } } give a",
        "a := 0; { { a := a * 2 beside a := a + 1 } beside rest } give a",
        "open := 0; { while open = 0 do rest beside open := 1 } give open",
        "rest give 1",
        "give_all := 1; { give_all := 2 beside wait until nobody } give give_all",
    ],
)
def test_boxes_do_not_overlap(lockside: Course, text: str) -> None:
    for lane in ("interleaving", "whole_lines"):
        for scene in drawn(lockside, text, lane).pages:
            check_geometry(scene)


@pytest.mark.parametrize(
    ("text", "lane", "language", "message"),
    [
        ("1 + 2", "environment", "Drip", "environment leaves no ways open"),
        ("give", "interleaving", "Race", "the program cannot be read"),
        ("n := 0; while 1 do n := n + 1 give n", "whole_lines", "Race",
         "there are more than 1,999 states"),
        ("{ a := a0 beside b := 2 + 1 + 1 + 1 } give a".replace("a0", "1 + 1 + 1 + 1 + 1 + 1")
         .replace("} give", "beside c := 1 + 1 + 1 + 1 + 1 } give"), "interleaving", "Race",
         "a picture shows 120 at most"),
    ],
)  # fmt: skip
def test_what_is_not_drawn_is_told(
    lockside: Course, text: str, lane: str, language: str, message: str
) -> None:
    with pytest.raises(NoPicture, match=message.replace("(", r"\(")):
        drawn(lockside, text, lane, language)


def test_the_ways_to_a_state_lead_there(lockside: Course) -> None:
    """Each state is met by the run that takes the ways that are told of it."""
    lane = Session(lockside.folder).lane("Race", "interleaving")
    text = "level := 2; { level := level + 1 beside level := level * 2 } give level"
    explored = lane.explore(text)
    states = states_of(lane, explored)
    for number, state in enumerate(states):
        met = []
        traced = lane.trace(text, ways=state.ways)
        function = list(lane.interpreter.functions).index("move")
        for instance, own in enumerate(traced.recorder.functions):
            if own == function:
                term = traced.recorder.arguments[instance][0]
                met.append(lane.machine.display.show(term))
        assert state.text in met, number
