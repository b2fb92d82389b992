"""What runs, and which step stays in view, while somebody types."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from embrix.messages.request import Request
from embrix.messages.requests import OpenWalk, RunLane
from tests.interfaces.driving import bench, opened, outcomes, settled, write


async def test_the_step_is_kept_while_a_program_cannot_be_read(course_copy: Path) -> None:
    """As an instructor changes a number: its last digit goes, then another comes. A program that
    has become much shorter is walked from its first step."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        for text, at in [
            ("let x = 2 + 3 in\nx * 4", 0), ("let x = 2 +  in\nx * 4", 0),
            ("let x = 2 + 5 in\nx * 4", 7), ("let x = 2 + ", 0), ("5", 0),
        ]:  # fmt: skip
            await write(pilot, text)
            await settled(screen)
            assert screen.at == at, text
            if screen.step_rows.length > 7:
                screen.walking.go(7)


async def test_another_program_is_walked_from_its_first_step_or_where_it_was_left(
    course_copy: Path,
) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        first, second = (course_copy / "drip" / "programs" / name
                         for name in ("chamber.drip", "toll.drip"))  # fmt: skip
        steps = {first: 9, second: 4}
        for path, expected in ((first, 0), (second, 0), (first, 9), (second, 4)):
            screen.open_program(path)
            await settled(screen)
            assert screen.at == expected, path.name
            screen.walking.go(steps[path])


async def test_a_lane_without_end_waits_until_the_keys_rest(course_copy: Path) -> None:
    """While she types nothing runs as far as it may; then it does, and is told as ever."""
    async with opened(course_copy, "mere/programs/twice.mere") as pilot:
        screen = bench(pilot)
        assert screen.desk is not None
        asked: list[RunLane] = []
        recorded: list[int] = []
        """Of each run that is recorded how many lanes had been asked for before."""
        ask = screen.desk.ask

        def asking(topic: str, request: Request, *rest: Any, **more: Any) -> None:
            asked.extend([request] if isinstance(request, RunLane) else [])
            recorded.extend([len(asked)] if isinstance(request, OpenWalk) else [])
            ask(topic, request, *rest, **more)

        screen.desk.ask = asking  # type: ignore[method-assign]
        await write(pilot, "let f of n = f (n + 1) in f 1")
        await settled(screen)
        lanes = screen.lanes.lanes
        assert [(one.lane, one.brief) for one in asked[: len(lanes)]] == [(n, True) for n in lanes]
        assert sorted((one.lane, one.brief) for one in asked[len(lanes) :]) == [
            (name, False) for name in sorted(lanes)
        ]  # fmt: skip
        assert all("400,000" in text for text in outcomes(screen).values())
        # Recording it takes longer still: it waits as well, and the walk is there then.
        assert recorded == [len(lanes)]
        assert screen.step_rows.length > 1_000
        asked.clear()
        recorded.clear()
        await write(pilot, "let f of n = f (n + 1) in 2")
        await settled(screen)
        assert [one.brief for one in asked] == [True] * len(lanes)
        assert len(recorded) == 1


async def test_a_change_counts_at_once_and_once(course_copy: Path) -> None:
    """The course is read before the change is drawn, and not again when its message comes."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        file = course_copy / "drip" / "environment.brix"
        screen.open_text(file)
        await settled(screen)
        asked: list[int] = []
        read = screen.read_course

        def reading() -> None:
            asked.append(len(screen.unsaved_files))
            read()

        screen.read_course = reading  # type: ignore[method-assign]
        screen.writing.editor.replace("# a word\n", (0, 0), (0, 0))
        assert screen.unsaved_files == {file}
        assert asked == [1]
        await pilot.pause(0.3)
        await settled(screen)
        assert asked == [1]
