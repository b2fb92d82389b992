"""Writing at the workbench: how long it takes from a key to what it draws, beside a bare editor
with the same text, both in a terminal; and how long from an edit to the fresh verdicts of its
suite.
"""

from __future__ import annotations

import asyncio
import gc
import multiprocessing
import re
import shutil
import statistics
import sys
import time
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

from textual.pilot import Pilot

from bench.terminal import Terminal
from embrix.brix.core import Language
from embrix.course.load import load_course
from embrix.course.shipped import shipped_course
from embrix.messages.replies_on_suites import SuiteReport
from embrix.messages.requests import Load, TestSuite
from embrix.services.answering import Service
from embrix.text.collecting import collect_seldom
from embrix.tui.app import WorkbenchApp
from embrix.tui.bench import Bench

KEYS = 150
SIGNS = "æøåßðþŋħ"
"""What is typed, behind a `#`: signs that nothing else on the screen has."""
BETWEEN = 0.03
"""Seconds from what a key drew to the next key."""
LINE = 40
"""Keys on one line."""
EDITS = 3
"""Changes of one clause of each interpreter."""
LANGUAGES = tuple(sorted(load_course(shipped_course()).languages))
COPIES = 60 // len(LANGUAGES) + 1
"""Copies of the shipped languages."""
LINES = 3_000
BARE = """
import sys
from textual.app import App
from textual.widgets import TextArea
class Bare(App):
    def compose(self):
        yield TextArea(open(sys.argv[1]).read(), show_line_numbers=True)
Bare().run()
"""
"""A program that is nothing but a text."""
SETTLING = 15.0
"""Seconds until everything is at rest that happens at the start."""


def run_desk() -> None:
    collect_seldom()
    with TemporaryDirectory() as place:
        small, large = Path(place, "small"), Path(place, "large")
        shutil.copytree(shipped_course(), small)
        for number in range(COPIES):
            copied(large, number)
        lane = large / "0" / "drip" / "environment.brix"
        lane.write_text(_lengthened(lane.read_text()))
        for told, folder, file in (
            ("the shipped course", small, small / "drip" / "environment.brix"),
            (f"{len(LANGUAGES) * COPIES} languages, {LINES:,} lines", large, lane),
        ):
            ours, bare = _typed_at_workbench(folder, file), _typed_at_bare_editor(file)
            ratio = statistics.median(ours) / statistics.median(bare)
            print(f"a key press, {told}: {_spread(ours)}; in a bare editor {_spread(bare)}; "
                  f"ratio {ratio:.1f}")  # fmt: skip
        seen, alone = asyncio.run(_edited(small))
        ratio = statistics.median(seen) / statistics.median(alone)
        print(f"an edit of one clause to fresh verdicts: {_spread(seen)}; reading and checking, "
              f"alone in one process, {_spread(alone)}; ratio {ratio:.1f}")  # fmt: skip


def _spread(times: Sequence[float]) -> str:
    ordered = sorted(1000 * one for one in times)
    return f"{statistics.median(ordered):.0f} ms (p95 {ordered[int(len(ordered) * 0.95)]:.0f})"


def copied(folder: Path, number: int) -> None:
    """The shipped languages under other names and extensions."""
    target = folder / str(number)
    shutil.copytree(shipped_course(), target)
    (target / "course.toml").unlink()
    for path in sorted(target.rglob("*")):
        if path.suffix in (".brix", ".toml"):
            text = path.read_text()
            for name in LANGUAGES:
                text = text.replace(name, f"{name}{number}")
                ending = name.lower()
                text = text.replace(f'extension "{ending}"', f'extension "{ending}{number}"')
                text = text.replace(f'.{ending}"', f'.{ending}{number}"')
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


def _typed_at_workbench(folder: Path, file: Path) -> list[float]:
    program = next(file.parent.joinpath("programs").iterdir())
    terminal = Terminal([sys.executable, "-m", "embrix", "open", str(program)], folder)
    terminal.drawn(SETTLING)
    terminal.type("\x1bOQ")  # F2
    terminal.drawn(3)
    terminal.type(file.relative_to(folder).as_posix())
    terminal.drawn(2)
    terminal.type("\r")
    return _keys(terminal)


def _typed_at_bare_editor(file: Path) -> list[float]:
    return _keys(Terminal([sys.executable, "-c", BARE, str(file)], file.parent))


def _keys(terminal: Terminal) -> list[float]:
    """Seconds from each of some keys, in a comment of their own, to what it draws."""
    terminal.drawn(5)
    terminal.type("\x1b[6~" * 3)  # down by three pages
    terminal.drawn(1)
    terminal.type("\x1b[F #")  # to the end of the line
    terminal.drawn(2)
    times = []
    for number in range(KEYS):
        if number % LINE == LINE - 1:
            terminal.type("\r# ")
            terminal.drawn(1)
        sign = SIGNS[number % len(SIGNS)]
        begin = time.perf_counter()
        terminal.type(sign)
        if sign not in terminal.drawn(5, sign):
            raise RuntimeError("what is typed is not drawn")
        times.append(time.perf_counter() - begin)
        terminal.drawn(BETWEEN)
    terminal.close()
    return times


async def _opened(pilot: Pilot[None]) -> Bench:
    screen = pilot.app.screen_stack[1]
    assert isinstance(screen, Bench)
    while not screen.summary or not screen.lanes.fresh:
        await asyncio.sleep(0.05)
    return screen


@cache
def _service() -> Service:
    """That of this process."""
    return Service(lambda *_: None, lambda *_: None)


def _checked(folder: Path, file: Path, suite: Path, text: str) -> float:
    """Seconds that it takes to read a course with a changed file, and to check its suite."""
    service = _service()
    begin = time.perf_counter()
    service.load(Load(folder=str(folder), unsaved={str(file): text}))
    service.answer(TestSuite(suite=str(suite), keep=False))
    return time.perf_counter() - begin


async def _edited(folder: Path) -> tuple[list[float], list[float]]:
    """Seconds from a change of a clause to the verdicts of the suite on the changed course, for
    every interpreter of the course, and for the same work without a workbench, in a process of its
    own, by turns."""
    course = load_course(folder)
    programs = {name: _program_of(folder, course.languages[name]) for name in course.interpreters}
    app = WorkbenchApp(folder, programs["Drip"])
    times, alone = [], []
    spawned = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(1, spawned, collect_seldom) as apart:

        async def checked(*changed: Path | str) -> float:
            return await asyncio.get_running_loop().run_in_executor(apart, _checked, *changed)

        async with app.run_test(size=(140, 44)) as pilot:
            screen = await _opened(pilot)
            told = screen.suite_ran
            waiting = asyncio.Event()

            def ran(report: SuiteReport) -> None:
                told(report)
                waiting.set()

            screen.suite_ran = ran  # type: ignore[method-assign]
            for language, lanes in course.interpreters.items():
                screen.open_program(programs[language])
                await asyncio.sleep(3)
                for interpreter in lanes.values():
                    file, suite = interpreter.source.path, screen.checking.suite
                    assert file is not None
                    assert suite is not None
                    text = file.read_text()
                    clause = re.search(r"=> (?!any of|match)(\w[^#\n]*)$", text, re.MULTILINE)
                    if clause is None:
                        continue
                    await checked(folder, file, suite, text)
                    screen.open_text(file)
                    await asyncio.sleep(2)
                    gc.collect()
                    gc.freeze()  # what was there before is not looked through, as in the workbench
                    editor = screen.writing.editor
                    row, column = editor.place_of(clause.start(1))
                    before = gives = clause[1]
                    for number in range(EDITS):
                        # A clause that has never been there: nothing is remembered about it.
                        now = f"if {number} == {number} then {gives} else {gives}"
                        waiting.clear()
                        begin = time.perf_counter()
                        editor.replace(now, (row, column), (row, column + len(before)))
                        before = now
                        await asyncio.wait_for(waiting.wait(), 10)
                        times.append(time.perf_counter() - begin)
                        await asyncio.sleep(1)
                        alone.append(await checked(folder, file, suite, editor.text))
    return times, alone


def _program_of(folder: Path, language: Language) -> Path:
    return min(folder.rglob(f"*.{language.extension}"))
