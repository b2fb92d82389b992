"""The workbench in a real terminal: tmux types, and what stands on the screen is read back."""

from __future__ import annotations

import shutil
import subprocess
import sys
import time
import uuid
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from tests.conftest import leave_only
from tests.waiting import Patience

pytestmark = pytest.mark.terminal


class Terminal:
    """A tmux session of its own server, of a given size."""

    def __init__(self, command: str, folder: Path, columns: int = 120, rows: int = 40) -> None:
        self._socket = f"embrix-{uuid.uuid4().hex[:8]}"
        self.tmux("new-session", "-d", "-x", str(columns), "-y", str(rows), "-c", str(folder),
                  f"env -u COLUMNS -u LINES {command}")  # fmt: skip

    def tmux(self, *words: str) -> str:
        done = subprocess.run(
            ["tmux", "-L", self._socket, "-f", "/dev/null", *words],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        return done.stdout

    def keys(self, *keys: str) -> None:
        self.tmux("send-keys", *keys)

    def type(self, text: str) -> None:
        self.tmux("send-keys", "-l", text)

    def screen(self) -> str:
        return self.tmux("capture-pane", "-p")

    def until(self, condition: Callable[[str], bool], what: str) -> str:
        """The screen when a condition holds; waited for as long as anything moves."""
        patience = Patience(
            int(self.tmux("list-panes", "-F", "#{pane_pid}").split()[0]), itself=True
        )
        while not condition(screen := self.screen()):
            assert not patience.over(screen), f"waited in vain for {what}; on screen:\n{screen}"
            time.sleep(0.1)
        return screen

    def close(self) -> None:
        self.tmux("kill-server")


@pytest.fixture
def terminal(course_copy: Path) -> Iterator[Terminal]:
    assert shutil.which("tmux"), "the tests need tmux"
    program = course_copy / "drip" / "programs" / "unused.drip"
    command = f"{sys.executable} -m embrix open {program}"
    found = Terminal(command, course_copy)
    yield found
    found.close()


def lane(screen: str, name: str) -> str:
    """The line of a lane."""
    return next((line for line in screen.splitlines() if f" {name} " in line), "")


def test_a_lesson_in_a_real_terminal(terminal: Terminal, course_copy: Path) -> None:
    """Open, look, type, step to the failure and back, break the grammar, see red, mend it."""
    screen = terminal.until(lambda s: "2 different outcomes" in s, "the outcomes")
    assert "◆ 19" in lane(screen, "by_name")
    assert "✗ DivisionByZero" in lane(screen, "environment")
    terminal.until(lambda s: "165 pass" in s, "the suite")

    terminal.keys("F4", "F4", "F9")
    screen = terminal.until(
        lambda s: "step 3 of 3" in s and "drip/rewriting.brix:22" in s, "the last step"
    )
    assert "6:15  DivisionByZero: division by zero" in screen
    terminal.keys("F7")
    redex = "let average = 120 / 0 in let fee = 7 in fee + 120 / 10"
    terminal.until(lambda s: "step 2 of 3" in s and redex in s, "one step back")

    terminal.keys("C-End")
    time.sleep(0.5)
    terminal.type(" - 1 - 1")
    terminal.until(lambda s: "◆ 17" in lane(s, "by_name"), "the new outcome")
    terminal.until(lambda s: "not saved" in s, "the mark")

    grammar = course_copy / "drip" / "drip.brix"
    right = grammar.read_text()
    grammar.write_text(right.replace('left    "+"', 'right   "+"'))
    terminal.until(lambda s: "fail" in s and "◆ 19" in lane(s, "by_name"), "red cases")
    terminal.keys("F5")
    terminal.until(lambda s: "environment: 5 ⟂ 9" in s, "expected against actual")
    grammar.write_text(right)
    terminal.until(lambda s: "165 pass" in s and "◆ 17" in lane(s, "by_name"), "green cases")

    terminal.keys("C-s")
    terminal.until(lambda s: "saved unused.drip" in s, "the file saved")
    assert (course_copy / "drip/programs/unused.drip").read_text().endswith(" - 1 - 1")


def test_unsaved_text_survives_a_kill(terminal: Terminal, course_copy: Path) -> None:
    """kill -9 loses no text: it is back at the next start, and the file is whole."""
    path = course_copy / "drip" / "programs" / "unused.drip"
    before = path.read_text()
    terminal.until(lambda s: "◆ 19" in s, "the outcomes")
    terminal.keys("C-End")
    time.sleep(0.5)
    terminal.type("+ 1000")
    terminal.until(lambda s: "1019" in lane(s, "by_name"), "the new outcome")
    time.sleep(1.5)
    pid = terminal.tmux("display-message", "-p", "#{pane_pid}").strip()
    subprocess.run(["pkill", "-9", "-P", pid], check=False)
    subprocess.run(["kill", "-9", pid], check=False)
    time.sleep(0.5)
    assert path.read_text() == before
    again = Terminal(f"{sys.executable} -m embrix open {path}", course_copy)
    try:
        again.until(lambda s: "1019" in lane(s, "by_name"), "the text brought back")
    finally:
        again.close()


def test_the_screen_is_usable_at_80_by_24(course_copy: Path) -> None:
    """One pane at a time, the lanes always in view, F6 goes round."""
    found = Terminal(f"{sys.executable} -m embrix", course_copy, 80, 24)
    try:
        screen = found.until(lambda s: "◆ 12" in lane(s, "rewriting"), "the outcomes")
        assert "let length = 22 in" in screen
        found.keys("F6", "F6")
        found.until(lambda s: "bound Lit" in s and "◆ 12" in lane(s, "rewriting"), "the tree")
        found.keys("F6")
        found.until(lambda s: "names here" in s and "◆ 12" in lane(s, "rewriting"), "the walk")
    finally:
        found.close()


def test_comparing_in_a_real_terminal(course_copy: Path) -> None:
    """Lanes beside each other, what their definitions say otherwise, the derivation, a hunt."""
    leave_only(course_copy, "rill")
    program = course_copy / "rill" / "programs" / "rates.rill"
    found = Terminal(f"{sys.executable} -m embrix open {program}", course_copy)
    try:
        found.until(lambda s: "2 different outcomes" in s, "the outcomes")
        for name in ("by_need", "dynamic_scope", "environment"):
            found.keys("F4")
            found.until(lambda s, name=name: f"▶ {name}" in s, name)  # type: ignore[misc]
        found.keys("C-k")
        found.until(lambda s: "gives 3 in environment" in s and "▶≠" in s, "where they part")
        found.keys("m")
        found.until(lambda s: "changed: clause eval Call" in s, "the difference in meaning")
        found.keys("Escape")
        found.until(lambda s: "changed: clause" not in s, "the comparison")
        found.keys("Escape")
        found.until(lambda s: "▖ lanes" in s, "the bench")
        found.keys("C-d")
        screen = found.until(lambda s: "rules over lines" in s and "⇓ 60" in s, "the derivation")
        assert "─" * 40 in screen
        found.keys("Escape")
        found.until(lambda s: "▖ lanes" in s, "the bench again")
        found.keys("C-f")
        found.until(lambda s: "they differ on a program of" in s, "what the hunt found")
        found.keys("x")
        found.until(lambda s: "no hunt is under way" in s, "an answer")
    finally:
        found.close()


def test_a_terminal_that_is_closed_ends_the_workbench(terminal: Terminal) -> None:
    """Nothing goes on without a screen."""
    terminal.until(lambda s: "lanes" in s and "tree" in s, "the workbench")
    pid = int(terminal.tmux("display-message", "-p", "#{pane_pid}"))
    terminal.close()
    for _ in range(300):
        if not Path(f"/proc/{pid}").exists():
            return
        time.sleep(0.1)
    raise AssertionError("the workbench goes on without a terminal")


def test_keys_in_a_burst_are_carried_out_in_their_order(
    terminal: Terminal, course_copy: Path
) -> None:
    """Arrows, deletions and characters that arrive at once, as from a held key or a slow line."""
    terminal.until(lambda s: "165 pass" in s, "the suite")
    path = course_copy / "drip" / "programs" / "unused.drip"
    before = path.read_text()
    down = ["Down"] * 3
    terminal.keys("C-Home", *down, "End", "Enter", "a", "b", "Home", "c", "End", "BSpace", "d")
    terminal.keys("Left", "Left", "BSpace", "e", "Down", "Down", "Home", "f")
    terminal.until(lambda s: "not saved" in s, "the change")
    time.sleep(1)
    terminal.keys("C-s")
    terminal.until(lambda s: "saved unused.drip" in s, "saved")
    lines = before.split("\n")
    lines[6 - 1] = "f" + lines[6 - 1]
    assert path.read_text().split("\n") == [*lines[:4], "ead", *lines[4:]]

    # All of it away, back, away again, back again.
    terminal.keys("C-a", "BSpace", "z", "C-z", "C-z")
    terminal.until(lambda s: "ead" in s, "all of it")
    for _ in range(2):
        terminal.keys("M-z")
        time.sleep(0.5)
    terminal.until(lambda s: "1  z" in s, "nothing else")
    terminal.keys("C-z", "C-z")
    terminal.until(lambda s: "ead" in s, "all of it")

    # The line of a dialog, and a list under it.
    terminal.keys("F2")
    terminal.until(lambda s: "type part of a name" in s, "the list")
    terminal.keys("t", "o", "l", "x", "BSpace", "Left", "Delete", "l", "l", "Enter")
    terminal.until(lambda s: "drip/programs/toll.drip" in s and "▙ program" in s, "the program")


def test_keys_behind_a_dialog_go_where_the_focus_comes(
    terminal: Terminal, course_copy: Path
) -> None:
    """What is typed before a dialog has closed belongs to what comes when it has."""
    terminal.until(lambda s: "165 pass" in s, "the suite")
    path = course_copy / "drip" / "programs" / "unused.drip"
    before = path.read_text()
    for number in range(4):
        terminal.keys("M-g")
        terminal.until(lambda s: "To which line" in s, "the question")
        terminal.keys("1", "Enter", "End", "x", "y", str(number), "Home", "BSpace")
    terminal.keys("M-e", "M-e", "Up", "M-n", "End", "z", "C-s")  # none of these types a letter
    terminal.until(lambda s: "saved unused.drip" in s, "saved")
    first, rest = before.split("\n", 1)
    assert path.read_text() == f"{first}xy0xy1xy2xy3z\n{rest}"
