"""Texts as entries of TOML files."""

from __future__ import annotations

import tomllib

import tomlkit
from hypothesis import given
from hypothesis import strategies as st

from embrix.text.toml_text import toml_text

LETTERS = "ab\n\n\"\\\t'é▔\x00\x7f\x1f="


@given(text=st.text(st.sampled_from(LETTERS)) | st.text())
def test_a_text_is_read_back_as_it_was(text: str) -> None:
    document = tomlkit.document()
    document["program"] = toml_text(text)
    assert tomllib.loads(tomlkit.dumps(document)) == {"program": text}


def test_several_lines_stand_as_they_are_read() -> None:
    assert toml_text("new x := 1;\nshow x\n").as_string() == '"""\nnew x := 1;\nshow x\n"""'
    assert toml_text("\nshow x").as_string() == '"""\n\nshow x"""'
    assert toml_text("show x\n").as_string() == '"show x\\n"'
