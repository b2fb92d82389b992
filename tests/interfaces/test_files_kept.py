"""Files are replaced and written only as they are meant to be."""

from __future__ import annotations

import unicodedata
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from embrix.text.hidden import can_hide, hide, picture, restore
from embrix.tui.dialogs import Agree, AskText
from tests.interfaces.driving import bench, opened, until

# ---------------------------------------------------------------------- files


async def test_pictures_and_walks_ask_before_they_replace(course_copy: Path) -> None:
    folder = course_copy / "drip" / "programs"
    (folder / "toll_tree.svg").write_text("mine")
    async with opened(course_copy) as pilot:
        await pilot.press("ctrl+e")
        await pilot.press(*"syntax tree", "enter")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the name")
        await pilot.press("enter")
        await until(lambda: isinstance(pilot.app.screen, Agree), "the question")
        await pilot.press("escape")
        assert (folder / "toll_tree.svg").read_text() == "mine"
        await pilot.press("ctrl+e", *"syntax tree", "enter")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the name")
        await pilot.press("enter")
        await until(lambda: isinstance(pilot.app.screen, Agree), "the question")
        await pilot.press("enter")
        await until(lambda: (folder / "toll_tree.svg").read_text() != "mine", "the picture")


async def test_a_typed_path_is_the_path_that_is_written(course_copy: Path, tmp_path: Path) -> None:
    async with opened(course_copy) as pilot:
        drawing = bench(pilot).drawing
        assert drawing._path(str(tmp_path / "a.svg")) == tmp_path / "a.svg"
        up = course_copy / "drip" / "programs" / ".." / "b.svg"
        assert drawing._path("../b.svg") == up
        lanes = list(bench(pilot).lanes.lanes)
        drawing.write("tree", str(tmp_path / "tree.svg"), lanes, bench(pilot).say)
        await until(lambda: (tmp_path / "tree.svg").exists(), "the picture")


NASTY = [
    "1\r2\r3", "a\r\nb\r\n", "a\r\nb\nc\r", "x\u2028y\u2029z\x85w", "p\x0cq\x0br\x1cs\x1dt\x1eu",
    "\ufeffmark", "tab\there\n", "no end", "\n\n\n", "esc\x1b[31m bell\x07 nul\x00 del\x7f c1\x9b",
    "bidi \u202e right", "", "\r", "\r\n", "mixed\r\r\n\n\r",
]  # fmt: skip


async def test_opening_and_saving_changes_no_byte(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        for number, text in enumerate(NASTY):
            path = course_copy / "drip" / "programs" / f"nasty{number}.drip"
            path.write_bytes(text.encode())
            screen.open_program(path)
            await pilot.pause()
            assert screen.document.is_saved(screen.editor.text), text
            screen.action_save()
            assert path.read_bytes() == text.encode()
            await pilot.press("ctrl+home", "z")
            screen.action_save()
            mark = b"\xef\xbb\xbf" if text.startswith("\ufeff") else b""
            assert path.read_bytes() == mark + b"z" + text.removeprefix("\ufeff").encode()


@given(st.text())
def test_hidden_characters_come_back(text: str) -> None:
    if not can_hide(text):
        return
    hidden = hide(text)
    assert restore(hidden) == text
    assert len(hidden) == len(text) == len(picture(hidden))
    uniform = text.count("\r\n") == text.count("\r") == text.count("\n")
    split = hidden.splitlines()
    assert len(split) <= hidden.count("\n") + 1 or uniform
    shown_signs = [sign for sign in picture(hidden) if ord(sign) < 0xE000]
    assert not any(unicodedata.category(sign) in ("Cc", "Cf", "Zl", "Zp") and sign not in "\t\n\r"
                   for sign in shown_signs)  # fmt: skip


async def test_no_text_in_the_editor_steers_the_terminal(course_copy: Path) -> None:
    """Every line that is drawn, whatever view it comes from."""
    path = course_copy / "drip" / "programs" / "nasty.drip"
    path.write_bytes(b"1 # \x1b]52;c;aGk=\x07 \x1b[2J \xc2\x9b31m\n")
    toml = course_copy / "course.toml"
    toml.write_text('title = "\\u001b[31m\\u0007"\n')
    async with opened(course_copy, "drip/programs/nasty.drip") as pilot:
        await pilot.press("f3", "f3", "f3")
        strips = pilot.app.screen._compositor.render_strips()
        text = "".join(segment.text for strip in strips for segment in strip)
        assert not any(sign in text for sign in "\x1b\x07\x9b")
        assert "␛" in text
