"""Frames and store drawn beside the walk, and following it."""

from __future__ import annotations

from pathlib import Path

from textual.widgets import Static

from embrix.tui.step_details import StepDetails
from tests.interfaces.driving import bench, opened, settled, until, walk_lane, write

CLOSURES = "let add = given n: given m: n + m in let two = add 2 in two 5"


async def test_frames_are_drawn_and_follow_the_walk(course_copy: Path) -> None:
    async with opened(course_copy, "rill/programs/queue.rill", cases=1) as pilot:
        screen = bench(pilot)
        await write(pilot, CLOSURES)
        await walk_lane(pilot, "environment")
        details = screen.query_one(StepDetails)
        assert "names here" in details.described().plain
        await pilot.press("alt+h")
        await until(lambda: "names here" not in details.described().plain or not screen.walking.at,
                    "the picture")  # fmt: skip
        seen = set()
        for _ in range(18):
            await pilot.press("f8")
            number = screen.walking.at
            await until(
                lambda n=number: details.step is not None and details.step.number == n, "the step"
            )  # type: ignore[misc]
            text = details.described().plain
            names = [one.name for one in details.step.bindings] if details.step else []
            if names:
                assert "frames here, the innermost first" in text
                assert all(f"│ {name} = " in text for name in names)
                seen.update(names)
        assert seen >= {"add", "two"}
        await pilot.press("alt+h")
        assert "╭" not in details.described().plain


async def test_a_store_is_drawn_with_what_has_changed_in_heavy_lines(course_copy: Path) -> None:
    async with opened(course_copy, "weir/programs/counter.weir", cases=1) as pilot:
        screen = bench(pilot)
        await write(pilot, "new level := 2; level := 7")
        await walk_lane(pilot, "store_passing")
        details = screen.query_one(StepDetails)
        await pilot.press("alt+h")
        await pilot.press("f9")
        await settled(screen)
        drawn = []
        for _ in range(12):
            await pilot.press("f7")
            number = screen.walking.at
            await until(
                lambda n=number: details.step is not None and details.step.number == n, "the step"
            )  # type: ignore[misc]
            drawn.append(details.described().plain)
        await walk_lane(pilot, "rewriting")
        screen.walking.go(2)  # the name is declared by then
        await until(lambda: details.step is not None and bool(details.step.store), "the store")
        # Without frames as well, and without another step in between.
        await pilot.press("alt+h")
        shown = str(details.query_one(Static).content)
        assert "@0" in shown
        assert "╭" not in shown
        await pilot.press("alt+h")
        await until(lambda: " @0 ─" in str(details.query_one(Static).content)
                    or " @0 ━" in str(details.query_one(Static).content), "the cells")  # fmt: skip
        assert any("┏ @0 ━" in text and "┃ 7 " in text for text in drawn)
        assert any("╭ @0 ─" in text and "│ 2 " in text for text in drawn)
