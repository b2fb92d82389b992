"""Answers that come when what asked for them is being left, or is not whole yet."""

from __future__ import annotations

import time
from functools import partial
from pathlib import Path
from types import SimpleNamespace
from typing import Any, cast

import pytest
from textual.message import Message
from textual.message_pump import MessagePump
from textual.screen import Screen

from embrix.course.load import Course
from embrix.messages.requests import DescribeCourse
from embrix.tui.comparing import Comparing
from embrix.tui.desk import Delivered, Desk
from embrix.tui.row_steps import RowSteps
from tests.interfaces.driving import bench, opened, until


async def test_an_answer_to_a_view_that_has_been_left_is_dropped(course_copy: Path) -> None:
    """While a view closes it is still attached, but some of its parts are gone."""
    taken: list[str] = []

    class Asking(Screen[None]):
        def take(self, known: str, answer: str) -> None:
            taken.append(known + answer)

    async with opened(course_copy) as pilot:
        screen, view = bench(pilot), Asking()
        await pilot.app.push_screen(view)
        screen.on_delivered(Delivered(partial(view.take, "in "), "view"))
        pilot.app.pop_screen()
        screen.on_delivered(Delivered(partial(view.take, "when "), "left"))
    assert taken == ["in view"]


def test_an_answer_on_its_way_is_not_wanted_once_it_is_given_up(lockside: Course) -> None:
    """Whoever it is for: a part of a view has no way to tell that the view has been left."""
    came: list[Message] = []
    desk = Desk(cast(MessagePump, SimpleNamespace(post_message=came.append)))

    def answered(number: int) -> Delivered:
        until_then = time.monotonic() + 120
        while len(came) < number and time.monotonic() < until_then:
            time.sleep(0.01)
        message = came[-1]
        assert isinstance(message, Delivered)
        return message

    def ask(topic: str) -> None:
        desk.ask(topic, DescribeCourse(), lambda answer: None)

    try:
        desk.load(str(lockside.folder), lambda answer: None)
        answered(1)
        ask("first")
        first = answered(2)
        ask("second")
        second = answered(3)
        desk.drop("first")
        assert (first.wanted, second.wanted) == (False, True)
    finally:
        desk.close()


async def test_a_given_up_answer_is_not_taken(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Steps of a row that come just when the comparison has been left by Esc."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        late: list[Delivered] = []
        post = screen.post_message

        def held_back(message: Message) -> bool:
            if isinstance(message, Delivered) and isinstance(message.asker, RowSteps):
                late.append(message)
                return True
            return post(message)

        monkeypatch.setattr(screen, "post_message", held_back)
        await pilot.press("ctrl+k")
        await until(lambda: bool(late), "a step of a row")
        view = pilot.app.screen
        assert isinstance(view, Comparing)
        asked = view.query_one(RowSteps)
        shown: list[Any] = []
        monkeypatch.setattr(asked.sides[0], "show", lambda *step: shown.append(step))
        monkeypatch.setattr(asked.sides[1], "show", lambda *step: shown.append(step))
        screen.on_delivered(late[-1])
        assert len(shown) == 1
        view.action_leave()
        screen.on_delivered(late[-1])
        assert len(shown) == 1


async def test_steps_of_a_row_can_be_shown_before_their_pane_is_mounted(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        assert screen.desk is not None
        steps = RowSteps(screen.desk, "")
        steps.show(None)
        assert all(side.step is None for side in steps.sides)
        steps.sides[0].picture(drawn=True)
