"""Places, diagnostics, visible text, atomic saving."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from wcwidth import wcwidth

from embrix.course.naming import short_name
from embrix.text.diagnostic import Findings, excerpt, render
from embrix.text.saving import save_text
from embrix.text.source import Source, Span, Unreadable, read_source
from embrix.text.visible import PLAIN, for_screen, visible, width


@given(st.text(alphabet="ab\n\r\té漢", max_size=60), st.data())
def test_a_position_leads_back_to_its_offset(text: str, data: st.DataObject) -> None:
    """Line and column name the same place as the offset they come from."""
    source = Source("t", text)
    offset = data.draw(st.integers(0, len(text)))
    line, column = source.position(offset)
    assert source.offset(line, column) == offset
    assert text[:offset].count("\n") == line - 1


def test_signs_take_the_cells_that_the_tables_say() -> None:
    """Most are told without them."""
    for first, last in PLAIN:
        for number in range(ord(first), ord(last) + 1):
            assert width(chr(number)) == max(0, wcwidth(chr(number))) or chr(number).isascii()
    assert [width(sign) for sign in "é漢字e\u0301☰\u1160"] == [1, 2, 2, 1, 0, 2, 0]


def test_what_most_screens_have_is_measured_without_tables() -> None:
    """They take longer to load than a screen takes to draw."""
    code = (
        "import sys; from embrix.text.visible import width; "
        "width('F1 help ▸ Straße … ⇓ ◆ ✗ — ┌─┐'); print('wcwidth' in sys.modules); "
        "width('漢'); print('wcwidth' in sys.modules)"
    )
    told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert told.stdout.split() == ["False", "True"]


def test_the_marker_stands_under_its_text_behind_tabs_and_wide_characters() -> None:
    """Cells are counted as the terminal counts them."""
    source = Source("t", "\t漢字 x")
    row, marker = excerpt(source, Span(4, 5))
    assert width(row[: row.index("x")]) == marker.index("▔")


def test_control_and_bidirectional_characters_are_written_as_escapes() -> None:
    """Nothing in a program can steer the terminal or hide."""
    assert visible("a\x1b[31m\u202eb\0") == "a\\u{1b}[31m\\u{202e}b\\0"
    assert for_screen("a\tb")[0] == "a   b"


def test_a_diagnostic_shows_place_code_sentence_line_marker_and_hint() -> None:
    findings = Findings()
    source = Source("toll.brix", "one\ntwo three\n")
    findings.error("unknown_name", "nothing called three", source, Span(8, 13), "did you mean two?")
    text = render(findings.sorted()[0])
    assert text.splitlines() == [
        "toll.brix:2:5: error unknown_name",
        "  nothing called three",
        "     2 │ two three",
        "       │     ▔▔▔▔▔",
        "  → did you mean two?",
    ]


def test_a_long_line_is_shown_around_its_marker() -> None:
    """A line of a megabyte is not printed whole."""
    source = Source("t", "x" * 1_000_000 + "!" + "y" * 1_000)
    row, marker = excerpt(source, Span(1_000_000, 1_000_001))
    assert len(row) < 130
    assert row[marker.index("▔")] == "!"


def test_saving_replaces_the_file_or_leaves_it(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """When the last step fails, the old text is still there and nothing is left lying about."""
    target = tmp_path / "a.drip"
    save_text(target, "old\r\n")
    assert target.read_bytes() == b"old\r\n"

    def refuse(*_: object) -> None:
        raise OSError("no space left")

    monkeypatch.setattr(os, "replace", refuse)
    with pytest.raises(OSError, match="no space"):
        save_text(target, "new")
    assert target.read_bytes() == b"old\r\n"
    assert list(tmp_path.iterdir()) == [target]


def test_files_that_are_no_text_are_refused_with_a_reason(tmp_path: Path) -> None:
    bad = tmp_path / "bad.brix"
    bad.write_bytes(b"abc\xff")
    with pytest.raises(Unreadable, match=r"byte 4 is not UTF-8"):
        read_source(bad, "bad.brix")
    marked = tmp_path / "marked.brix"
    marked.write_bytes("\ufeffx".encode())
    assert read_source(marked).text == "x"


def test_versions_of_a_lane_are_told_apart_by_what_differs() -> None:
    older, newer, other = (
        f"environment@lectures/{end}"
        for end in ("older/environment.brix", "newer/environment.brix", "spring")
    )
    lanes = ["environment", "by_name", older, newer, other, "environment@saved"]
    assert [short_name(one, lanes) for one in lanes] == [
        "environment", "by_name", "environment@older/environment.brix",
        "environment@newer/environment.brix", "environment@spring", "environment@saved",
    ]  # fmt: skip
    assert short_name(older, ["environment", older]) == "environment@environment.brix"
