"""Changes made outside, also before the workbench follows them."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from pathlib import Path
from typing import Any

import pytest
import watchfiles

from tests.interfaces.driving import bench, opened, outcomes, until


@pytest.fixture
def begins(monkeypatch: pytest.MonkeyPatch) -> asyncio.Event:
    """Nothing is followed until this is set."""
    event, follow = asyncio.Event(), watchfiles.awatch

    async def late(*folders: Path, **settings: Any) -> AsyncIterator[Any]:
        await event.wait()
        async for one in follow(*folders, **settings):
            yield one

    monkeypatch.setattr("watchfiles.awatch", late)
    return event


async def test_a_definition_that_changes_before_it_is_followed_is_read_again(
    course_copy: Path, begins: asyncio.Event
) -> None:
    path = course_copy / "drip" / "environment.brix"
    async with opened(course_copy) as pilot:
        path.write_text(path.read_text().replace("fail Unbound", "fail Unbond"))
        begins.set()
        await until(lambda: bench(pilot).lanes.errors.get("environment") == 1, "the wrong lane")


async def test_a_program_that_changes_before_it_is_followed_is_read_again(
    course_copy: Path, begins: asyncio.Event
) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        (course_copy / "drip" / "programs" / "toll.drip").write_text("6 * 7\n")
        begins.set()
        await until(lambda: set(outcomes(screen).values()) == {"42"}, "the outcomes")
        assert screen.editor.text == "6 * 7\n"


async def test_what_is_added_and_what_goes_before_it_is_followed_is_noticed(
    course_copy: Path, begins: asyncio.Event
) -> None:
    folder = course_copy / "drip"
    async with opened(course_copy) as pilot:
        (folder / "late.brix").write_text((folder / "by_name.brix").read_text().replace(
            "interpreter by_name", "interpreter late"))  # fmt: skip
        (folder / "rewriting.brix").unlink()
        begins.set()
        wanted = {"by_name", "environment", "late"}
        await until(lambda: set(bench(pilot).lanes.lanes) == wanted, "the lanes")
