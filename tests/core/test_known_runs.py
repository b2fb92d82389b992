"""Runs that are remembered: never more than what would come of another run."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from embrix.lanes import known_runs
from embrix.lanes.results import run
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.messages.replies import RunResult


@pytest.fixture
def runs(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """The lanes that are run, as they are run."""
    seen: list[str] = []
    before = Lane.run

    def counted(self: Lane, *args: Any, **more: Any) -> Any:
        seen.append(self.name)
        return before(self, *args, **more)

    monkeypatch.setattr(Lane, "run", counted)
    monkeypatch.setattr(known_runs, "_KNOWN", type(known_runs._KNOWN)())
    return seen


def all_lanes(folder: Path, unsaved: dict[Path, str]) -> dict[str, RunResult]:
    session = Session(folder, unsaved)
    names = list(session.course.interpreters["Drip"])
    return {name: run(session, "Drip", name, "let x = 2 in x + x") for name in names}


def test_only_the_lanes_that_an_edit_changes_run_again(course_copy: Path, runs: list[str]) -> None:
    file = course_copy / "drip" / "environment.brix"
    text = file.read_text()
    before = all_lanes(course_copy, {})
    everything = sorted(before)
    assert sorted(runs) == everything
    runs.clear()
    assert all_lanes(course_copy, {file: f"# a comment\n{text}"}) == before
    assert runs == []
    changed = text.replace("let v = eval(bound, env)", "let v = Num(7)")
    assert changed != text
    after = all_lanes(course_copy, {file: changed})
    assert "environment" in runs
    assert set(runs) < set(everything)
    assert {name for name in before if before[name] != after[name]} <= set(runs)
    assert after["environment"].outcome.text == "14"
    runs.clear()
    assert all_lanes(course_copy, {file: text}) == before, "the change taken back"


def test_what_is_asked_otherwise_is_run(course_copy: Path, runs: list[str]) -> None:
    session = Session(course_copy)

    def value(**more: Any) -> str:
        return run(session, "Drip", "environment", "x + 1", **more).outcome.text

    values = [value(), value(given={"x": "1"}), value(given={"x": "2"}), value(given={"x": "1"})]
    assert values[1:] == ["2", "3", "2"]
    assert len(runs) == 3


def test_a_run_that_is_stopped_is_not_remembered(course_copy: Path, runs: list[str]) -> None:
    session = Session(course_copy)
    endless = "let loop of n = 1 + loop n in loop 1"

    def outcome(*, stop: bool) -> RunResult:
        def on_start(stop_it: Any) -> None:
            if stop:
                stop_it()

        return run(session, "Rill", "environment", endless, on_start=on_start)

    outcome(stop=True)
    whole = outcome(stop=False)
    assert len(runs) == 2
    assert whole == outcome(stop=False)
    assert len(runs) == 2
    assert whole.outcome.kind in ("out of fuel", "cycle")
