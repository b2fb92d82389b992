"""Environments as linked frames: what closures hold, in pictures and in character cells."""

from __future__ import annotations

from pathlib import Path
from xml.etree import ElementTree

import pytest

from embrix.course.load import Course
from embrix.draw.environments import draw_environment
from embrix.draw.frame_rows import boxes_of, frame_rows
from embrix.draw.store_rows import store_rows
from embrix.draw.svg import write_svg
from embrix.lanes.session import Session
from embrix.messages.replies import EMPTY_ENVIRONMENT, HeldValue, LinkedFrame
from embrix.terms.node import FIELDS, FRAME, KNOT
from embrix.text.visible import width
from embrix.trace.frame_graph import frame_graph
from embrix.trace.walk import Walk
from tests.core.test_drawing import check_geometry

CLOSURES = """let rate = 3 in
let add = given n: given m: n + m + rate in
let two = add 2 in
let ten = add 10 in
let rate = 9 in two (ten 1)"""


def walk_of(course: Course, language: str, lane: str, text: str) -> Walk:
    made = Session(course.folder).lane(language, lane)
    return Walk(made, made.trace(text))


def where(walk: Walk, text: str) -> int:
    """The first step that evaluates a part of the program."""
    at = walk.lane.parser.parse(CLOSURES)
    assert at is not None
    begin = CLOSURES.index(text)
    return next(
        number for number in range(len(walk) - 1)
        if walk.step(number).place == (begin, begin + len(text))
    )  # fmt: skip


def test_a_closure_points_to_the_frames_of_its_own_definition(lockside: Course) -> None:
    """Worked out by hand: `two` and `ten` hold a frame for n each, both on the outer rate; neither
    knows `add`, which was bound later."""
    walk = walk_of(lockside, "Rill", "environment", CLOSURES)
    frames = frame_graph(walk, where(walk, "two (ten 1)"))
    assert [(one.name, one.value) for one in frames] == [
        ("rate", "9"), ("ten", "<function>"), ("two", "<function>"), ("add", "<function>"),
        ("rate", "3"), ("n", "10"), ("n", "2"),
    ]  # fmt: skip
    assert [one.around for one in frames] == [1, 2, 3, 4, EMPTY_ENVIRONMENT, 4, 4]
    assert [one.holds for one in frames] == [None, 5, 6, 4, None, None, None]
    assert [one.shadowed for one in frames] == [False] * 4 + [True, False, False]


def test_frames_in_character_cells(lockside: Course) -> None:
    walk = walk_of(lockside, "Rill", "environment", CLOSURES)
    rows = frame_rows(frame_graph(walk, where(walk, "two (ten 1)")), 60)
    assert ["".join(part for part, _ in row).rstrip() for row in rows] == [
        "╭────────────────────╮",
        "│ rate = 9     fresh │",
        "│ ten = <function>   │ ●─────╮",
        "│ two = <function>   │ ●─────┼───╮",
        "│ add = <function>   │ ●─╮   │   │",
        "│ rate = 3  shadowed │◂──┴─┬─┼─╮ │",
        "╰────────────────────╯ ∅   │ │ │ │",
        "╭────────────────────╮     │ │ │ │",
        "│ n = 10             │◂────┼─╯ │ │",
        "╰────────────────────╯ ●───╯   │ │",
        "╭────────────────────╮         │ │",
        "│ n = 2              │◂────────┼─╯",
        "╰────────────────────╯ ●───────╯",
    ]


def test_a_function_that_calls_itself_holds_its_own_frame(lockside: Course) -> None:
    text = "let sum of n = when n < 1 then 0 else n + sum (n - 1) in sum 2"
    walk = walk_of(lockside, "Rill", "environment", text)
    graphs = [frame_graph(walk, number) for number in range(len(walk) - 1)]
    own = [(n, one) for graph in graphs for n, one in enumerate(graph) if one.name == "sum"]
    assert own
    assert all(one.holds == number for number, one in own)
    rows = frame_rows(next(one for one in graphs if one and one[0].name == "sum"), 40)
    assert "fresh ↺" in "".join(part for part, _ in rows[1])


@pytest.mark.parametrize(
    ("language", "lane"),
    [("Rill", "environment"), ("Rill", "by_need"), ("Rill", "dynamic_scope"),
     ("Rill", "store_passing"), ("Mere", "environment"), ("Weir", "store_passing")],
)  # fmt: skip
def test_every_frame_is_linked_as_the_environment_is(
    lockside: Course, language: str, lane: str
) -> None:
    """Held against the environment itself, read by a plain recursion."""
    folder = lockside.folder / language.lower() / "programs"
    looked_at = 0
    for path in sorted(folder.iterdir())[:6]:
        walk = walk_of(lockside, language, lane, path.read_text())
        for number in range(0, min(len(walk) - 1, 200), 17):
            environment = walk.environment_at(number)
            frames = frame_graph(walk, number)
            chain = []
            while environment is not None and environment[0] in (FRAME, KNOT):
                chain.append(environment[FIELDS])
                environment = environment[FIELDS + 2]
            shown, at = [], 0 if frames else EMPTY_ENVIRONMENT
            while at >= 0:
                shown.append(frames[at].name)
                at = frames[at].around
            assert shown == chain[: len(shown)]
            assert len(shown) == len(chain) or len(frames) == 40
            inside = sorted(n for box in boxes_of(frames) for n in box)
            assert inside == list(range(len(frames)))
            rows = frame_rows(frames, 70)
            assert len(rows) == len(frames) + 2 * len(boxes_of(frames))
            looked_at += 1
    assert looked_at > 20


def test_pictures_of_frames_are_sound(lockside: Course) -> None:
    walk = walk_of(lockside, "Rill", "environment", CLOSURES)
    for number in range(len(walk) - 1):
        drawing = draw_environment(walk, number, "frames")
        (scene,) = drawing.pages
        check_geometry(scene)
        root = ElementTree.fromstring(write_svg(scene, "paper"))
        told = {one.text for one in root.iter("{http://www.w3.org/2000/svg}text")}
        assert {f"{one.name} = {one.value}" for one in frame_graph(walk, number)} <= told


def test_a_frame_beyond_the_bound_is_told_as_left_out(lockside: Course) -> None:
    names = [f"a{chr(97 + n // 26)}{chr(97 + n % 26)}" for n in range(45)]
    text = "".join(f"let {name} = 1 in " for name in names) + "1 + 1"
    walk = walk_of(lockside, "Rill", "environment", text)
    many = [frame_graph(walk, number) for number in range(len(walk) - 1)]
    ends = [frame_rows(one, 40)[-1][-1][0] for one in many if len(one) == 40]
    assert set(ends) == {" …", " ∅"}
    assert max(map(len, many)) == 40


def test_a_store_in_character_cells() -> None:
    store = [HeldValue("@0", "5", ""), HeldValue("@1", "n + 1", "suspended"),
             HeldValue("@2", "7", "settled", 2)]  # fmt: skip
    rows = store_rows(store, ["@2"], 30)
    assert ["".join(part for part, _ in row) for row in rows] == [
        "╭ @0 ──╮╭ @1 ─────╮┏ @2 ━━┓",
        "│ 5    ││ ◌ n + 1 │┃ ● 7  ┃",
        "╰──────╯╰─────────╯┗━━━━━━┛",
    ]


def test_lines_of_a_store_keep_within_the_room() -> None:
    store = [HeldValue(f"@{n}", "x" * (n % 40), "") for n in range(90)]
    for room in (20, 33, 80, 200):
        rows = store_rows(store, [], room)
        assert rows[0] == [("… and 30 older", "note")]
        assert all(width("".join(part for part, _ in row)) <= room for row in rows)


def test_a_frame_is_cut_to_the_room() -> None:
    frames = [LinkedFrame("name", "v" * 200, "fresh", False, 1, 1),
              LinkedFrame("other", "1", "", False, EMPTY_ENVIRONMENT)]  # fmt: skip
    rows = frame_rows(frames, 40)
    assert all(width("".join(part for part, _ in row)) <= 40 for row in rows)


def test_the_plain_text_of_an_environment_is_the_picture(lockside: Course, tmp_path: Path) -> None:
    walk = walk_of(lockside, "Rill", "environment", CLOSURES)
    text = draw_environment(walk, where(walk, "two (ten 1)"), "frames").text
    assert "│ ten = <function>   │ ●─────╮" in text
