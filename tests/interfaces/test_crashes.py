"""What is left behind where Embrix itself fails: a report, a line in the log, and the text."""

from __future__ import annotations

import io
import logging
import os
import shlex
import signal
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from embrix import __version__
from embrix.messages.requests import DescribeCourse
from embrix.messages.wire import Ask, Fault, read_event, write_frame
from embrix.services.answering import Service
from embrix.text.crash_report import KEPT, write_crash_report
from embrix.text.log import log_file, start_logging
from embrix.workers.pool import Pool
from embrix.workers.worker import Worker
from tests.interfaces.test_terminal import Terminal
from tests.waiting import Patience

FAILS = """
from embrix.cli.main import main
from embrix.tui.app import WorkbenchApp
def fails(self):
    raise ZeroDivisionError("made up")
WorkbenchApp.action_switch_theme = fails
print("ended with", main())
import time
time.sleep(600)
"""
"""A workbench that fails when the theme is switched."""


@pytest.fixture
def log() -> Iterator[Path]:
    """The log of a state folder of its own."""
    logging.getLogger("embrix").handlers.clear()
    start_logging()
    yield log_file()
    logging.getLogger("embrix").handlers.clear()


def test_a_fault_in_the_workbench_leaves_a_report_and_the_text(course_copy: Path) -> None:
    program = course_copy / "drip" / "programs" / "unused.drip"
    command = shlex.join([sys.executable, "-c", FAILS, "open", str(program)])
    terminal = Terminal(command, course_copy)
    try:
        terminal.until(lambda s: "◆ 19" in s, "the outcomes")
        terminal.keys("C-End")
        terminal.type(" + 1000")
        terminal.keys("F12")
        screen = terminal.until(lambda s: "ended with" in s, "the end")
    finally:
        terminal.close()
    assert "ended with 70" in screen
    told = " ".join(screen.split())
    assert "internal error, see " in told
    assert "Unsaved text is kept" in told
    assert "Traceback" not in screen
    (report,) = log_file().parent.glob("crash-*.txt")
    assert report.name in screen.replace("\n", "")
    text = report.read_text()
    assert f"Embrix   {__version__}" in text
    assert "doing    the workbench" in text
    assert text.rstrip().endswith("ZeroDivisionError: made up")
    assert "in fails" in text
    again = Terminal(
        shlex.join([sys.executable, "-m", "embrix", "open", str(program)]), course_copy
    )
    try:
        again.until(lambda s: "◆ 1019" in s, "the text brought back")
    finally:
        again.close()


def test_a_fault_in_a_worker_is_logged(log: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def fails(_service: Service, _request: object) -> None:
        raise ZeroDivisionError("made up")

    monkeypatch.setattr(Service, "answer", fails)
    orders, events = io.BytesIO(), io.BytesIO()
    write_frame(orders, Ask(7, DescribeCourse()))
    orders.seek(0)
    Worker(orders, events).serve()
    events.seek(0)
    read_event(events)  # it has begun
    fault = read_event(events)
    assert isinstance(fault, Fault)
    assert "ZeroDivisionError: made up" in fault.text
    text = log.read_text()
    assert "ERROR the request DescribeCourse\n" in text
    assert "ZeroDivisionError: made up" in text


def test_a_worker_that_ends_is_logged(log: Path) -> None:
    pool = Pool(1)
    try:
        (before,) = pool.processes()
        os.kill(before, signal.SIGKILL)
        patience = Patience(os.getpid())
        while pool.processes() == [before]:
            assert not patience.over("")
            time.sleep(0.02)
        assert f"WARNING worker {before} ended with -9, at no request\n" in log.read_text()
    finally:
        pool.close()
    assert log.read_text().count("ended with") == 1  # closing it is no fault


def test_old_reports_go(log: Path) -> None:
    paths = [write_crash_report(ValueError(f"number {n}"), "a test") for n in range(KEPT + 3)]
    assert len(set(paths)) == KEPT + 3
    left = sorted(log.parent.glob("crash-*.txt"))
    assert len(left) == KEPT
    assert paths[-1] in left
    assert "number 12" in paths[-1].read_text()


def test_where_no_report_can_be_written_the_log_is_named(
    log: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*_: object, **__: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(Path, "touch", full)
    assert write_crash_report(ValueError("made up"), "a test") == log
    assert "made up" in log.read_text()
