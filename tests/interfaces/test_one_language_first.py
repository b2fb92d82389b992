"""The workbench begins with the language of its program, and reads the others behind it."""

from __future__ import annotations

import argparse
import re
import shutil
import sys
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

import pytest
from textual.message_pump import MessagePump
from textual.pilot import Pilot

from embrix.cli.opening import open_workbench
from embrix.messages import requests
from embrix.messages.replies import CourseSummary
from embrix.tui.app import WorkbenchApp
from embrix.tui.bars import Masthead
from embrix.tui.bench import Bench
from embrix.tui.checking import Checking
from embrix.tui.desk import Desk
from embrix.tui.dialogs import AskText, Pick
from embrix.tui.side_views import CasesView, NotesView
from embrix.workers.pool import Pool
from tests.conftest import leave_only, shorten_suites
from tests.interfaces.driving import bench, outcomes, settled, shown, until


@pytest.fixture
def three(course_copy: Path) -> Path:
    """Drip, Rill, which extends it, and Mere, which has nothing to do with either."""
    leave_only(course_copy, "drip", "rill", "mere")
    shorten_suites(course_copy, 3)
    return course_copy


def test_the_workbench_takes_over_the_workers_that_have_begun(
    three: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """There are no others, and in the end none is left, even if the bench has not come to it."""
    handed: list[Any] = []

    class Noted:
        return_code = 0

        def __init__(self, *given: Any) -> None:
            handed.extend(given)

        def run(self) -> None:
            assert [worker.closing for worker in handed[2]._workers] == [False, False]

    monkeypatch.setattr("embrix.tui.app.WorkbenchApp", Noted)
    for stream in (sys.stdin, sys.stdout):
        monkeypatch.setattr(stream, "isatty", lambda: True, raising=False)
    program = three / "rill" / "programs" / "rates.rill"
    assert open_workbench(argparse.Namespace(course=three, file=program)) == 0
    assert handed[:2] == [three, program]
    assert [worker.closing for worker in handed[2]._workers] == [True, True]
    pool = Pool()
    assert Desk(MessagePump(), pool)._pool is pool
    pool.close()


@pytest.fixture
def told(monkeypatch: pytest.MonkeyPatch) -> list[tuple[CourseSummary, int]]:
    """What the bench is told of the course, each time with the version of the program then."""
    found: list[tuple[CourseSummary, int]] = []
    loaded = Bench._loaded

    def noting(self: Bench, summary: CourseSummary, **more: Any) -> None:
        found.append((summary, self.version))
        loaded(self, summary, **more)

    monkeypatch.setattr(Bench, "_loaded", noting)
    return found


@pytest.fixture
def held_back(monkeypatch: pytest.MonkeyPatch) -> None:
    """The other languages are not read before somebody asks for them."""
    behind_suite = Checking.behind_suite

    def others(self: Checking, topic: str, ask: Any) -> None:
        if topic != "rest":
            behind_suite(self, topic, ask)

    monkeypatch.setattr(Checking, "behind_suite", others)
    monkeypatch.setattr("embrix.tui.bench.LATEST", 3_600)


@asynccontextmanager
async def begun(folder: Path, program: str) -> AsyncIterator[Pilot[None]]:
    """The workbench with its first lanes."""
    async with WorkbenchApp(folder, folder / program).run_test(size=(140, 44)) as pilot:
        lanes = bench(pilot).lanes
        await until(lambda: bool(lanes.lanes) and lanes.fresh == set(lanes.lanes), "the lanes")
        yield pilot


@pytest.mark.two_workers
async def test_the_others_come_behind_the_suite_and_nothing_runs_twice(
    three: Path, told: list[tuple[CourseSummary, int]], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("embrix.tui.bench.LATEST", 3_600)  # however long the suite takes
    async with begun(three, "rill/programs/rates.rill") as pilot:
        screen = bench(pilot)
        first = told[0][0]
        assert not first.whole
        assert [name for name, one in first.languages.items() if one.read] == ["Drip", "Rill"]
        await settled(screen)
        await until(lambda: len(told) > 1, "the other languages")
        whole, version = told[1]
        assert whole.whole
        assert all(one.read for one in whole.languages.values())
        assert screen.version == version
        assert screen.query_one(CasesView).report is not None
        assert screen.query_one(Masthead).busy == ""
        # What was said of the others beforehand is so.
        assert first.languages.keys() == whole.languages.keys()
        for name, one in first.languages.items():
            other = whole.languages[name]
            assert (one.extension, one.file, one.programs) == (
                other.extension, other.file, other.programs,
            )  # fmt: skip
            assert one == other or not one.read
        await pilot.pause(0.2)
        assert len(told) == 2


@pytest.mark.usefixtures("held_back")
async def test_a_program_of_another_language_has_it_read(three: Path) -> None:
    async with begun(three, "rill/programs/rates.rill") as pilot:
        screen = bench(pilot)
        assert screen.summary is not None
        assert not screen.summary.whole
        assert "reading the other languages" in str(screen.query_one(Masthead).render())
        await pilot.press("f2", *"levels.mere")
        assert isinstance(pilot.app.screen, Pick)
        await pilot.press("enter")
        await settled(screen)
        assert screen.language == "Mere"
        assert screen.summary.whole
        assert screen.lanes.fresh == {lane.name for lane in screen.languages["Mere"].lanes}
        assert len(screen.lanes.fresh) > 1
        await until(lambda: screen.query_one(CasesView).report is not None, "the suite")
        assert screen.checking.suite == three / "mere" / "mere.suite.toml"
        assert screen.query_one(NotesView).notes == []


@pytest.mark.usefixtures("held_back")
async def test_a_change_of_a_definition_comes_first(
    three: Path, told: list[tuple[CourseSummary, int]]
) -> None:
    async with begun(three, "drip/programs/toll.drip") as pilot:
        screen = bench(pilot)
        assert not told[0][0].whole
        before = outcomes(screen)["environment"]
        path = three / "drip" / "environment.brix"
        text = path.read_text()
        assert "  Lit(n)" in text
        line = next(one for one in text.split("\n") if one.startswith("  Lit(n)"))
        path.write_text(text.replace(line, "  Lit(n) => Num(n + 1)"))
        screen.read_course()
        await until(lambda: outcomes(screen)["environment"] != before, "the change")
        await settled(screen)
        assert screen.summary is not None
        assert screen.summary.whole


async def test_what_is_wrong_with_another_language_is_told_behind(three: Path) -> None:
    path = three / "mere" / "mere.brix"
    path.write_text(path.read_text().replace("forms ", "form ", 1))
    async with begun(three, "rill/programs/rates.rill") as pilot:
        screen = bench(pilot)
        notes = screen.query_one(NotesView)
        await until(lambda: any(one.file == "mere/mere.brix" for one in notes.notes), "the note")
        assert screen.side_view == "notes"
        assert any("mere/mere.brix" in line for line in shown(notes))


async def test_without_a_program_the_first_language_comes_first(
    three: Path, told: list[tuple[CourseSummary, int]]
) -> None:
    async with WorkbenchApp(three).run_test(size=(140, 44)) as pilot:
        screen = bench(pilot)
        await settled(screen)
        first, whole = (summary for summary, _ in told)
        assert [name for name, one in first.languages.items() if one.read] == ["Drip"]
        assert whole.whole
        assert screen.document is not None
        assert str(screen.document.path) == whole.languages["Drip"].programs[0]


async def test_the_first_language_may_have_no_program(three: Path) -> None:
    shutil.rmtree(three / "drip" / "programs")
    async with WorkbenchApp(three).run_test(size=(140, 44)) as pilot:
        screen = bench(pilot)
        await settled(screen)
        assert screen.language == "Mere"
        assert screen.lanes.fresh == {lane.name for lane in screen.languages["Mere"].lanes}
        assert len(screen.lanes.fresh) > 1


async def test_a_course_without_languages_opens(tmp_path: Path) -> None:
    (tmp_path / "course.toml").write_text('title = "Nothing yet"\n')
    async with WorkbenchApp(tmp_path).run_test(size=(140, 44)) as pilot:
        screen = bench(pilot)
        await settled(screen)
        assert screen.languages == {}
        assert screen.query_one(Masthead).busy == ""


@pytest.mark.two_workers
async def test_a_suite_that_does_not_end_holds_nothing_back(
    three: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The worker that carries it out is left alone."""
    path = three / "rill" / "rill.suite.toml"
    case = """
[[case]]
name = "for ever"
program = "let f of n = f (n + 1) in f 0"
value = "1"
"""
    path.write_text(
        path.read_text()
        + "".join(case.replace("for ever", f"for ever {number}") for number in range(300))
    )
    over: list[bool] = []
    monkeypatch.setattr(Checking, "_over", lambda self: over.append(True))
    async with begun(three, "rill/programs/rates.rill") as pilot:
        screen = bench(pilot)
        await until(lambda: screen.summary is not None and screen.summary.whole, "the others")
        assert over == []


@pytest.mark.two_workers
async def test_a_program_is_asked_about_once_when_it_is_opened(
    three: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """And when another one is opened: answers that have come are never taken back."""
    asked: list[requests.Request] = []
    ask = Desk.ask

    def noting(self: Desk, topic: str, request: requests.Request, *rest: Any, **more: Any) -> None:
        asked.append(request)
        ask(self, topic, request, *rest, **more)

    monkeypatch.setattr(Desk, "ask", noting)
    async with begun(three, "rill/programs/rates.rill") as pilot:
        screen = bench(pilot)
        await settled(screen)
        await until(lambda: screen.query_one(CasesView).report is not None, "the suite")
        for program in ("rill/programs/rates.rill", "drip/programs/toll.drip"):
            if screen.document is None or screen.document.path != three / program:
                asked.clear()
                screen.open_program(three / program)
                await pilot.pause()
                await settled(screen)
                await until(lambda: screen.query_one(CasesView).report is not None, "the suite")
            runs = sorted(one.lane for one in asked if isinstance(one, requests.RunLane))
            assert runs == sorted(screen.lanes.lanes)
            assert sum(isinstance(one, requests.LookAt) for one in asked) == 1
            assert sum(isinstance(one, requests.TestSuite) for one in asked) == 1


async def test_the_same_text_is_asked_about_where_it_means_something_else(three: Path) -> None:
    """In another language, and with other names supplied."""
    for program in ("drip/programs/one.drip", "rill/programs/one.rill", "rill/programs/two.rill"):
        (three / program).write_text("boats + 1")
    async with begun(three, "drip/programs/one.drip") as pilot:
        screen = bench(pilot)
        await settled(screen)
        assert {"by_name", "environment", "rewriting"} == set(outcomes(screen))
        screen.open_program(three / "rill/programs/one.rill")
        await until(lambda: "by_need" in outcomes(screen), "the lanes of Rill")
        await settled(screen)
        assert "Unbound" in outcomes(screen)["environment"]
        screen.supply({"boats": "4"}, [])
        await until(lambda: outcomes(screen).get("environment") == "5", "what 4 boats give")
        screen.open_program(three / "rill/programs/two.rill")
        await until(lambda: "Unbound" in outcomes(screen)["environment"], "what no boats give")
        screen.open_program(three / "rill/programs/one.rill")
        await until(lambda: outcomes(screen)["environment"] == "5", "what 4 boats give again")


@pytest.mark.usefixtures("held_back")
async def test_a_handout_of_the_whole_course_has_all_languages(three: Path) -> None:
    """Asked for as soon as there is something on the screen."""
    async with begun(three, "drip/programs/toll.drip") as pilot:
        screen = bench(pilot)
        assert screen.summary is not None
        assert not screen.summary.whole
        await pilot.press("ctrl+e", *"all languages of the course", "enter")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the name")
        await pilot.press("enter")
        page = three / "drip" / "programs" / "course.html"
        await until(page.exists, "the page")
        titles = re.findall(r"<h2[^>]*>(\w+)", page.read_text())
        assert {"Drip", "Rill", "Mere"} < set(titles)


@pytest.mark.usefixtures("held_back")
@pytest.mark.parametrize("asked", ["rename", "uses", "look for"])
async def test_what_is_asked_about_all_files_has_them_read(three: Path, asked: str) -> None:
    async with begun(three, "drip/programs/toll.drip") as pilot:
        screen = bench(pilot)
        assert screen.summary is not None
        assert not screen.summary.whole
        ask = {"rename": screen.names.rename, "uses": screen.names.list_uses,
               "look for": screen.action_look_for}  # fmt: skip
        ask[asked]()
        await settled(screen)
        assert screen.summary.whole
