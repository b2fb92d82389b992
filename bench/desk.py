"""Writing at the workbench: how long a key press takes, beside a bare editor with the same text,
and how long it takes from an edit to the fresh verdicts of its suite.

The workbench runs as it does in a terminal, with its workers, driven without a screen.
"""

from __future__ import annotations

import asyncio
import shutil
import statistics
import time
from collections.abc import Sequence
from pathlib import Path
from tempfile import TemporaryDirectory

from textual.app import App, ComposeResult
from textual.pilot import Pilot
from textual.widgets import TextArea

from embrix.course.shipped import shipped_course
from embrix.messages.replies import SuiteReport
from embrix.tui.app import WorkbenchApp
from embrix.tui.bench import Bench

KEYS = 150
BETWEEN = 0.03
"""Seconds between two keys."""
EDITS = 25
COPIES = 15
"""Copies of the four shipped languages."""
LINES = 3_000


class BareEditor(App[None]):
    """Nothing but a text."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self._text = text

    def compose(self) -> ComposeResult:
        yield TextArea(self._text, show_line_numbers=True)


def run_desk() -> None:
    with TemporaryDirectory() as place:
        small, large = Path(place, "small"), Path(place, "large")
        shutil.copytree(shipped_course(), small)
        for number in range(COPIES):
            _copied(large, number)
        lane = large / "0" / "drip" / "environment.brix"
        lane.write_text(_lengthened(lane.read_text()))
        for told, folder, file in (
            ("the shipped course", small, small / "drip" / "environment.brix"),
            (f"{4 * COPIES} languages, {LINES:,} lines", large, lane),
        ):
            ours = asyncio.run(_typed_at_workbench(folder, file))
            bare = asyncio.run(_typed_into(BareEditor(file.read_text())))
            ratio = statistics.median(ours) / statistics.median(bare)
            print(f"a key press, {told}: {_spread(ours)}; in a bare editor {_spread(bare)}; "
                  f"ratio {ratio:.1f}")  # fmt: skip
        print(f"an edit of one clause to fresh verdicts: {_spread(asyncio.run(_edited(small)))}")


def _spread(times: Sequence[float]) -> str:
    ordered = sorted(1000 * one for one in times)
    return f"{statistics.median(ordered):.0f} ms (p95 {ordered[int(len(ordered) * 0.95)]:.0f})"


def _copied(folder: Path, number: int) -> None:
    """The shipped languages under other names and extensions."""
    target = folder / str(number)
    shutil.copytree(shipped_course(), target)
    (target / "course.toml").unlink()
    for path in sorted(target.rglob("*")):
        if path.suffix in (".brix", ".toml"):
            text = path.read_text()
            for name in ("Drip", "Rill", "Mere", "Weir"):
                text = text.replace(name, f"{name}{number}")
                text = text.replace(f'extension "{name.lower()}"',
                                    f'extension "{name.lower()}{number}"')  # fmt: skip
            path.write_text(text)
        elif path.is_file():
            path.rename(path.with_name(f"{path.name}{number}"))
    (folder / "course.toml").write_text('title = "many languages"\n')


def _lengthened(text: str) -> str:
    """A definition with many more functions."""
    more = []
    for number in range((LINES - text.count("\n")) // 4):
        more += [f"define half{number}(e: Expr) -> Number by e", f"  Lit(n) => n + {number}",
                 "  _ => 0", ""]  # fmt: skip
    return text + "\n" + "\n".join(more)


async def _typed_into(app: App[None]) -> list[float]:
    async with app.run_test(size=(140, 44)) as pilot:
        editor = app.query_one(TextArea)
        editor.focus()
        editor.move_cursor((editor.document.line_count // 2, 0))
        return await _keys(pilot)


async def _typed_at_workbench(folder: Path, file: Path) -> list[float]:
    app = WorkbenchApp(folder, next(file.parent.joinpath("programs").iterdir()))
    async with app.run_test(size=(140, 44)) as pilot:
        screen = await _opened(pilot)
        screen.open_text(file)
        editor = screen.writing.editor
        editor.move_cursor((editor.document.line_count // 2, 0), center=True)
        await asyncio.sleep(2)
        return await _keys(pilot)


async def _opened(pilot: Pilot[None]) -> Bench:
    screen = pilot.app.screen_stack[1]
    assert isinstance(screen, Bench)
    while not screen.summary or not screen.lanes.fresh:
        await asyncio.sleep(0.05)
    return screen


async def _keys(pilot: Pilot[None]) -> list[float]:
    """Seconds of processing for each of some keys in a comment of their own."""
    times = []
    await pilot.press("#")
    for number in range(KEYS):
        begin = time.perf_counter()
        await pilot.press("abcdefgh"[number % 8])
        times.append(time.perf_counter() - begin)
        await asyncio.sleep(BETWEEN)
    return times


async def _edited(folder: Path) -> list[float]:
    """Seconds from a change of a clause to the verdicts of the suite on the changed course."""
    app = WorkbenchApp(folder, folder / "drip" / "programs" / "toll.drip")
    times = []
    async with app.run_test(size=(140, 44)) as pilot:
        screen = await _opened(pilot)
        reports: list[tuple[float, SuiteReport]] = []
        told = screen.suite_ran

        def ran(report: SuiteReport) -> None:
            reports.append((time.perf_counter(), report))
            told(report)

        screen.suite_ran = ran  # type: ignore[method-assign]
        for path in sorted(folder.joinpath("drip").glob("*.brix")):
            screen.open_text(path)
            await asyncio.sleep(3)
            editor = screen.writing.editor
            text = editor.text
            for number in range(EDITS // 3):
                reports.clear()
                begin = time.perf_counter()
                editor.replace_all(f"{text}\n# {number}\n" if number % 2 else text)
                while not reports and time.perf_counter() - begin < 5:
                    await asyncio.sleep(0.005)
                if reports:
                    times.append(reports[-1][0] - begin)
                await asyncio.sleep(0.5)
    return times
