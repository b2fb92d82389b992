"""Another lane at the step at which it evaluates the same part of the program."""

from __future__ import annotations

from collections import Counter

import pytest

from embrix.compare.same_step import same_step
from embrix.course.load import Course
from embrix.lanes.session import Session
from embrix.trace.walk import Walk

PROGRAM = "let a = 1 + 2 in let b = a * 2 in b - a"


def walk(course: Course, lane: str, text: str, language: str = "Rill") -> Walk:
    chosen = Session(course.folder).lane(language, lane)
    return Walk(chosen, chosen.trace(text))


def text_at(one: Walk, number: int) -> str:
    """The part of the program that a step is about."""
    place = one.step(number).place
    assert place is not None
    return PROGRAM[slice(*place)]


@pytest.mark.parametrize(
    ("begins", "lane", "meant"),
    [
        # Of a judgement entered or left in `environment`, what is there elsewhere; by hand.
        ("∅ ⊢ 1 + 2 ⇓ …", "store_passing", "∅, … ⊢ 1 + 2 ⇓ …, …"),
        ("∅ ⊢ 1 + 2 ⇓ 3", "store_passing", "∅, … ⊢ 1 + 2 ⇓ 3, …"),
        ("∅ ⊢ 1 + 2 ⇓ …", "rewriting", "let a = 1 + 2 in let b = a * 2 in b - a"),
        ("a = 3 ⊢ a * 2 ⇓ …", "rewriting", "let b = 3 * 2 in b - 3"),
    ],
)
def test_by_hand(lockside: Course, begins: str, lane: str, meant: str) -> None:
    one, other = walk(lockside, "environment", PROGRAM), walk(lockside, lane, PROGRAM)
    number = next(n for n in range(len(one)) if one.step(n).brief == begins)
    assert other.step(same_step(one, number, other)).brief == meant


@pytest.mark.parametrize(
    "lanes",
    [("environment", "by_need"), ("by_name", "rewriting"), ("substitution", "environment"),
     ("rewriting", "by_need")],
)  # fmt: skip
def test_the_part_is_the_same_wherever_both_come_to_it(
    lockside: Course, lanes: tuple[str, str]
) -> None:
    one, other = (walk(lockside, lane, PROGRAM) for lane in lanes)
    parts = {other.step(n).place for n in range(len(other) - 1)}
    seen = 0
    for number in range(1, len(one) - 1):
        place = one.step(number).place
        if place in parts and place is not None:
            seen += 1
            assert text_at(other, same_step(one, number, other)) == text_at(one, number)
    assert seen > 2
    assert same_step(one, 0, other) == 0
    assert same_step(one, len(one) - 1, other) == len(other) - 1


def test_from_a_lane_to_itself_nothing_moves(lockside: Course) -> None:
    twice = "let f = given x: x * 2 in f 1 + f 2"
    for lane, text in (("environment", PROGRAM), ("by_need", PROGRAM), ("by_name", twice)):
        one = walk(lockside, lane, text)
        for number in range(len(one)):
            moved = abs(same_step(one, number, one) - number)
            assert moved <= (0 if one.step(number).place is not None else 3), (lane, number)
    one = walk(lockside, "rewriting", PROGRAM)
    assert [same_step(one, n, one) for n in range(len(one))] == [*range(len(one))]


def test_how_often_counts(lockside: Course) -> None:
    """By name an argument is evaluated at each use: the second time is the last of a lane that
    evaluates it once."""
    text = "let f = given x: x + x in f (2 * 3)"
    by_name, by_value = walk(lockside, "by_name", text), walk(lockside, "environment", text)
    entered = [
        n for n in range(len(by_name) - 1)
        if by_name.step(n).kind == "enter" and by_name.step(n).place == (29, 34)
    ]  # fmt: skip
    assert len(entered) == 2
    found = Counter(same_step(by_name, n, by_value) for n in entered)
    assert list(found.values()) == [2]
    (only,) = found
    assert [same_step(by_value, only, by_name)] == entered[:1]
