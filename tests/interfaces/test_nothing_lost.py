"""Nothing that is typed is lost, no file is replaced unasked, nothing old is shown as new."""

from __future__ import annotations

import asyncio
import os
import signal
import subprocess
import sys
import time
from contextlib import asynccontextmanager
from itertools import cycle
from pathlib import Path
from typing import Any

import pytest
from textual.pilot import Pilot
from textual.widget import Widget

from embrix.course.drafts import drafts_below, find_draft, is_unnamed, keep_draft
from embrix.tui.annotated import AnnotatedEditor
from embrix.tui.app import WorkbenchApp
from embrix.tui.bars import Masthead, Title
from embrix.tui.bench import Bench
from embrix.tui.commands import OPENING
from embrix.tui.dialogs import AskText, Pick, Show
from embrix.tui.document import Document
from embrix.tui.drafting import Drafting
from embrix.tui.rows import Rows
from embrix.tui.side_views import CasesView
from tests.conftest import TINY_LANGUAGE
from tests.interfaces.driving import bench, opened, settled, shown, text_of, until, write
from tests.waiting import Patience


@pytest.fixture
def tiny(tmp_path: Path) -> Path:
    folder = tmp_path / "tiny"
    folder.mkdir()
    (folder / "course.toml").write_text('title = "tiny"\n')
    (folder / "tiny.brix").write_text(TINY_LANGUAGE)
    (folder / "one.brix").write_text(
        "interpreter one for Tiny\nmain run\ndefine run(p: Expr) -> Number by p\n"
        "  Lit(n) => n\n  _ => 7\n"
    )
    return folder


@asynccontextmanager
async def workbench(folder: Path) -> Any:
    """A workbench on a course without programs."""
    app = WorkbenchApp(folder)
    async with app.run_test(size=(140, 44)) as pilot:
        screen = bench(pilot)
        await until(lambda: bool(screen.summary) and screen.document is not None, "the course")
        yield pilot


async def typed(pilot: Pilot[None], text: str) -> None:
    await pilot.press(*(" " if sign == " " else sign for sign in text))


async def test_a_text_without_a_name_is_saved_as_it_was_typed(tiny: Path) -> None:
    async with workbench(tiny) as pilot:
        screen = bench(pilot)
        await typed(pilot, "1+2")
        assert "not saved" in screen.query_one("#program-title", Title).right
        await pilot.press("ctrl+s")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
        await pilot.press(*"first", "enter")
        await until(lambda: (tiny / "first.tiny").exists(), "the file")
        assert (tiny / "first.tiny").read_text() == "1+2"
        assert screen.editor.text == "1+2"
        assert list(drafts_below(tiny)) == []


async def test_a_text_without_a_name_survives_leaving(tiny: Path) -> None:
    async with workbench(tiny) as pilot:
        await typed(pilot, "let x")
        await pilot.press("ctrl+q")
    (draft,) = drafts_below(tiny)
    assert is_unnamed(draft.program)
    async with workbench(tiny) as pilot:
        assert bench(pilot).editor.text == "let x"
        await pilot.press("ctrl+n")
        await until(lambda: isinstance(pilot.app.screen, Pick), "what is begun")
        await pilot.press("enter")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
        await pilot.press(*"other", "enter")
        await until(lambda: bench(pilot).document.path.name == "other.tiny", "a new program")
        assert bench(pilot).editor.text == ""
        await typed(pilot, "99")
        await pilot.press("f2")
        await until(lambda: isinstance(pilot.app.screen, Pick), "the list")
        await pilot.press(*"without", "enter")
        await until(lambda: bench(pilot).editor.text == "let x", "the text without a name")
        await pilot.press("f2")
        await until(lambda: isinstance(pilot.app.screen, Pick), "the list")
        await pilot.press(*"other", "enter")
        await until(lambda: bench(pilot).editor.text == "99", "the program that was never saved")


async def test_saving_under_a_name_that_exists_replaces_nothing(tiny: Path) -> None:
    (tiny / "taken.tiny").write_text("5")
    async with workbench(tiny) as pilot:
        bench(pilot).open_unnamed()
        await typed(pilot, "1")
        await pilot.press("ctrl+s")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
        await pilot.press(*"taken", "enter")
        await until(lambda: "exists already" in bench(pilot).query_one(Masthead).notice, "told")
        assert (tiny / "taken.tiny").read_text() == "5"
        assert bench(pilot).editor.text == "1"


async def test_a_language_without_an_extension_says_so(tiny: Path) -> None:
    path = tiny / "tiny.brix"
    path.write_text(path.read_text().replace('  extension "tiny"\n', ""))
    async with workbench(tiny) as pilot:
        await typed(pilot, "1")
        await pilot.press("ctrl+s")
        notice = bench(pilot).query_one(Masthead).notice
        assert "no `extension` line" in notice
        assert "kept as a draft" in notice


async def test_a_text_without_a_name_is_of_the_language_that_is_chosen(tiny: Path) -> None:
    """One language has no extension, and neither has the file of a text without a name."""
    definition = (tiny / "tiny.brix").read_text()
    plain = definition.replace("Tiny", "Plain").replace('  extension "tiny"\n', "")
    (tiny / "other.brix").write_text(plain)
    async with workbench(tiny) as pilot:
        screen = bench(pilot)
        for language in ("Plain", "Tiny"):
            if screen.language != language:
                await pilot.press("f2")
                await until(lambda: isinstance(pilot.app.screen, Pick), "the list")
                await pilot.press(*f"{language}, for", "enter")
                await until(lambda of=language: screen.language == of, "the language")
        await typed(pilot, "1+2")
        assert screen.language == "Tiny"
        await pilot.press("ctrl+n")
        await until(lambda: isinstance(pilot.app.screen, Pick), "what is begun")
        await pilot.press(*"program of Plain", "enter")
        await until(lambda: "no `extension`" in screen.query_one(Masthead).notice, "told")
        await pilot.press("ctrl+s")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
        await pilot.press(*"first", "enter")
        await until(lambda: (tiny / "first.tiny").exists(), "the file")


async def test_text_is_kept_while_typing_goes_on(course_copy: Path) -> None:
    """Keys without a pause: what was typed is kept before they end."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        path = screen.document.path
        screen.editor.load_text("")
        kept: str | None = None
        for typed in range(400):
            await pilot.press("1")
            await asyncio.sleep(0.02)
            kept = text_of(find_draft(path)) if typed > 5 else None
            if kept is not None and len(kept) > 5:
                break
        assert kept is not None
        assert len(kept) > 5
        assert screen.editor.text.startswith(kept)


def test_killing_the_workbench_loses_a_second_at_most(course_copy: Path, tmp_path: Path) -> None:
    """In a real terminal: keys without a pause, then kill -9."""
    program = course_copy / "drip" / "programs" / "toll.drip"
    name = f"embrix-{os.getpid()}-kill"
    tmux = ["tmux", "-L", name]
    command = f"{sys.executable} -m embrix open --course {course_copy} {program}"
    subprocess.run([*tmux, "new-session", "-d", "-x", "120", "-y", "40", command], check=True)
    try:

        def screen() -> str:
            return subprocess.run([*tmux, "capture-pane", "-p"], capture_output=True, text=True,
                                  check=False).stdout  # fmt: skip

        patience = Patience(os.getpid())
        while "31.75" not in (seen := screen()):
            assert not patience.over(seen)
            time.sleep(0.1)
        times: list[float] = []
        begun = time.monotonic()
        while time.monotonic() - begun < 6:
            subprocess.run([*tmux, "send-keys", "-l", "7"], check=True)
            times.append(time.monotonic())
            time.sleep(0.1)
        pid = subprocess.run([*tmux, "display-message", "-p", "#{pane_pid}"], capture_output=True,
                             text=True, check=True).stdout.strip()  # fmt: skip
        os.kill(int(pid), signal.SIGKILL)
        kept = text_of(find_draft(program)) or ""
        old = sum(moment < times[-1] - 3 for moment in times)  # a slow terminal shows keys late
        assert kept.count("7") - program.read_text().count("7") >= old > 5
    finally:
        subprocess.run([*tmux, "kill-server"], check=False, capture_output=True)


def test_two_workbenches_keep_their_own_drafts(tmp_path: Path) -> None:
    """What another process keeps is not taken away by saving here."""
    program = tmp_path / "p.drip"
    program.write_text("1")
    code = (
        "import sys, time\nfrom pathlib import Path\nfrom embrix.course.drafts import keep_draft\n"
        f"keep_draft(Path({str(program)!r}), 'theirs')\nprint('kept', flush=True)\ntime.sleep(60)\n"
    )
    with subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE) as other:
        assert other.stdout is not None
        other.stdout.readline()
        document, text, draft = Document.open(program)
        assert (text, draft) == ("theirs", True)
        document.keep("ours")
        document.save("ours")
        assert text_of(find_draft(program)) == "theirs"
        other.kill()
        other.wait()
        document, text, draft = Document.open(program)
        assert (text, draft) == ("theirs", True)
        document.save(text)
    assert find_draft(program) is None


@pytest.mark.parametrize(
    "damage", [b"", b"{", b"[" * 100_000, b"null", b'{"text": 1}', b'{"text": "x", "program": 3}',
               b"\xff\xfe", b'{"text": "x"}'],
)  # fmt: skip
def test_damaged_drafts_are_none(damage: bytes, tmp_path: Path) -> None:
    program = tmp_path / "p.drip"
    keep_draft(program, "mine")
    draft = find_draft(program)
    assert draft is not None
    draft.file.write_bytes(damage)
    assert find_draft(program) is None
    assert list(drafts_below(tmp_path)) == []
    Document.open(program)


# ---------------------------------------------------------------------- keys that destroy


async def test_keys_of_views_delete_nothing_in_the_definition(course_copy: Path) -> None:
    """Those that open another view come back to the table by Esc."""
    opening = {key for key, *_ in OPENING}
    async with opened(course_copy) as pilot:
        await pilot.press("ctrl+g")
        await until(lambda: isinstance(pilot.app.screen, Drafting), "the drafting table")
        editor = pilot.app.screen.query_one(AnnotatedEditor)
        before = editor.text
        editor.move_cursor((3, 2))
        for key in ("f7", "f8", "f9", "ctrl+k", "ctrl+u", "ctrl+d", "ctrl+y", "ctrl+e", "ctrl+l",
                    "ctrl+t", "ctrl+o", "ctrl+n", "ctrl+f", "ctrl+r"):  # fmt: skip
            await pilot.press(key)
            if key in opening:
                await until(lambda: not isinstance(pilot.app.screen, Drafting), f"what {key} shows")
                for _ in range(3):  # a view may begin with a question
                    if not isinstance(pilot.app.screen, Drafting):
                        await pilot.press("escape")
                        await pilot.pause()
            assert editor.text == before, key
            assert editor.selected_text == "", key
            assert pilot.app.screen.query_one(AnnotatedEditor) is editor, key


async def test_dropping_a_change_asks_and_can_be_undone(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        await pilot.press("ctrl+g")
        await until(lambda: isinstance(pilot.app.screen, Drafting), "the drafting table")
        screen = pilot.app.screen
        editor = screen.query_one(AnnotatedEditor)
        saved = editor.text
        await pilot.press("x")
        changed = editor.text
        await pilot.press("ctrl+b")
        await until(lambda: isinstance(pilot.app.screen, Show), "the look")
        await pilot.press("escape")
        assert editor.text == changed
        await pilot.press("ctrl+b", "enter")
        await until(lambda: editor.text == saved, "the change to be dropped")
        await pilot.press("ctrl+z")
        assert editor.text == changed


# ---------------------------------------------------------------------- old and new


async def test_what_an_earlier_text_gave_says_so(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        endless = "1 + 1"
        await write(pilot, endless)
        screen.text_changed()
        rows = shown(screen.lanes)
        assert all("⋯ running; the text before gave 2" in row for row in rows), rows
        assert not any("steps" in row or "judgements" in row for row in rows)
        screen.walking.show_title()  # as after a quarter of a second
        assert "the run before" in screen.query_one("#walk-title", Title).subject
        await settled(screen)
        assert not any("⋯" in row for row in shown(screen.lanes))
        assert "before" not in screen.query_one("#walk-title", Title).subject


def painted(widget: Widget) -> str:
    """What stands on the screen, which may be older than what the widget holds."""
    strips = widget.render_lines(widget.size.region)
    return "\n".join("".join(segment.text for segment in strip) for strip in strips)


async def test_a_screen_of_old_outcomes_is_painted_anew(course_copy: Path) -> None:
    """Nothing else on the screen changes while the lanes run: what stands there says that it is
    old before any of them is done."""
    async with opened(course_copy, "rill/programs/rates.rill", (140, 44), "drip") as pilot:
        screen = bench(pilot)
        title = screen.query_one("#lanes-title", Title)
        assert title.right == "2 different outcomes"
        screen.editor.load_text("let g of x = g (x + 1) in g 0")
        await until(lambda: title.right == "running", "told")
        assert "the text before gave" in painted(screen.lanes)


async def test_the_suite_follows_the_language_of_the_program(course_copy: Path) -> None:
    async with opened(course_copy, "drip/programs/toll.drip", (140, 44), "rill") as pilot:
        screen = bench(pilot)
        cases = screen.query_one(CasesView)
        assert cases.report.language == "Drip"
        screen.open_program(course_copy / "rill" / "programs" / "rates.rill")
        assert cases.report is None  # no verdicts of the other language
        await until(lambda: cases.report is not None, "the suite of Rill")
        assert cases.report.language == "Rill"
        screen.checking.run_suite(screen.document)
        cells = [row for row in shown(cases) if "◆" in row or "✗" in row]
        assert cells == []
        await until(lambda: not cases.running, "the suite anew")


# ---------------------------------------------------------------------- keys in bursts


DIALOGS = ["f1", "f2", "ctrl+p", "ctrl+e", "ctrl+l", "ctrl+n", "ctrl+r", "ctrl+o", "ctrl+u",
           "ctrl+k", "ctrl+d", "ctrl+y", "ctrl+t", "ctrl+g", "f5"]  # fmt: skip


async def test_two_keys_in_one_burst_close_one_dialog(course_copy: Path) -> None:
    """Enter or Esc, several times without a pause between, over every dialog and view."""
    async with opened(course_copy) as pilot:
        for key, closing in zip(DIALOGS, cycle(("enter", "escape")), strict=False):
            await pilot.press(key)
            for _ in range(4):
                pilot.app.post_message(_key(closing))
            await pilot.pause()
            for _ in range(6):
                if isinstance(pilot.app.screen, Bench):
                    break
                await pilot.press("escape")
            assert isinstance(pilot.app.screen, Bench), (key, closing)
            assert len(pilot.app.screen_stack) == 1


def _key(name: str) -> Any:
    from textual.events import Key

    return Key(name, None)


async def test_numbers_that_are_none(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        screen.set_focus(screen.step_rows)
        await pilot.press("g")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
        pilot.app.screen.query_one("#answer").value = "²"
        await pilot.press("enter")
        assert "is no number" in screen.query_one(Masthead).notice
        await pilot.press("ctrl+u")
        await pilot.pause()
        await until(lambda: isinstance(pilot.app.screen, AskText), "the range")
        pilot.app.screen.query_one("#answer").value = "zz"
        await pilot.press("enter", "d")
        await pilot.pause()
        assert pilot.app.is_running


async def test_a_course_in_which_nothing_can_be_used(tiny: Path) -> None:
    """Every command is tried; none ends the workbench."""
    from embrix.tui.commands import everywhere

    (tiny / "tiny.brix").write_text("language (\n")
    async with workbench(tiny) as pilot:
        for command in everywhere():
            if command.action == "quit":
                continue
            await pilot.press(command.key)
            await pilot.pause()
            for _ in range(4):
                if not isinstance(pilot.app.screen, Bench):
                    await pilot.press("escape")
            assert pilot.app.is_running, command.key


def test_a_crash_ends_with_a_status(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    import argparse

    from embrix.cli import opening

    class Crashing:
        return_code = 1

        def __init__(self, *_: object) -> None:
            pass

        def run(self) -> None:
            return None

    from embrix.tui import app

    monkeypatch.setattr(app, "WorkbenchApp", Crashing)
    monkeypatch.setattr(sys.stdin, "isatty", lambda: True, raising=False)
    monkeypatch.setattr(sys.stdout, "isatty", lambda: True, raising=False)
    arguments = argparse.Namespace(course=course_copy, file=None)
    assert opening.open_workbench(arguments) == 70


async def test_text_that_is_kept_and_not_open_is_listed(tiny: Path) -> None:
    file = tiny / "one.brix"
    keep_draft(file, file.read_text() + "# more\n")

    async def row(pilot: Pilot[None]) -> str:
        await pilot.press("f2")
        rows = shown(pilot.app.screen.query_one(Rows))
        await pilot.press("escape")
        return " ".join(next(row for row in rows if row.split()[1] == "one.brix").split())

    async with workbench(tiny) as pilot:
        screen = bench(pilot)
        assert "one.brix" in screen.query_one(Masthead).notice
        assert await row(pilot) == "definition one.brix ○ unsaved text is kept"
        screen.open_text(file, 1)
        await until(lambda: screen.writing.changed, "the text that was kept")
        assert await row(pilot) == "definition one.brix ● not saved open"
        screen.close_text()
        assert await row(pilot) == "definition one.brix ○ unsaved text is kept"
