"""Where entries of TOML files are: what stands inside texts and comments is no entry."""

from __future__ import annotations

import tomllib
from pathlib import Path

import pytest
import tomlkit
from hypothesis import given
from hypothesis import strategies as st

from embrix.course.load import load_course
from embrix.suite.adopt import adopt
from embrix.suite.read import read_suite
from embrix.text.diagnostic import Findings
from embrix.text.source import Source
from embrix.text.toml_places import entry_place, heads, key_place, structure

HIDDEN = """\
language = "Tiny"
[[case]]
name = "a"
program = '''
at = "zz"
[[case]]
'''
why = "at = here # not a comment"  # at = 3
value = 3

  [[ case ]]
  name = "b"
  program = "1"
  at = "zz"
  error = "Missing"
"""


def test_texts_and_comments_are_no_structure() -> None:
    found = heads(HIDDEN, ("case",))
    assert [HIDDEN[at:].partition("]]")[0] for at, _ in found] == ["[[case", "[[ case "]
    assert HIDDEN.count("\n", 0, found[1][0]) + 1 == 11
    assert key_place(HIDDEN, "at") == HIDDEN.index('at = "zz"\n  error')
    assert key_place(HIDDEN, "at", 0, found[1][0]) == -1
    assert len(structure(HIDDEN)) == len(HIDDEN)


def test_a_wrong_entry_is_found_where_it_is_written() -> None:
    """`at` stands in the program of one case and is an entry of another."""
    findings = Findings()
    read_suite(Source("t.suite.toml", HIDDEN), {"Tiny": ["environment"]}, {"Tiny": ["Missing"]},
               findings)  # fmt: skip
    (found,) = findings.sorted()
    assert found.span.start == HIDDEN.index('at = "zz"\n  error')


def test_a_text_on_one_line_is_no_structure_either() -> None:
    text = (
        'language = "Tiny"\n[[case]]\nname = "a"\nwhy = "see, at = 3"\n'
        'program = "let at = 3 in q"\nat = "zz"\nerror = "Missing"\n'
    )
    findings = Findings()
    read_suite(Source("t.suite.toml", text), {"Tiny": ["environment"]}, {"Tiny": ["Missing"]},
               findings)  # fmt: skip
    (found,) = findings.sorted()
    assert found.span.start == text.index('at = "zz"')


def test_an_unknown_entry_behind_a_program_that_mentions_it() -> None:
    text = (
        'language = "Tiny"\n[[case]]\nname = "a"\nprogram = """\nvalu = 3\n"""\nvalue = 1\nvalu = 3'
    )
    findings = Findings()
    read_suite(Source("t.suite.toml", text), {"Tiny": ["environment"]}, {}, findings)
    assert [one.span.start for one in findings.sorted()] == [text.rindex("valu")]


@pytest.mark.parametrize("key", ["memory", "seconds"])
def test_entries_of_outside_interpreters_inside_texts(tmp_path: Path, key: str) -> None:
    text = (
        'title = "t"\nabout = """\n[[outside]]\nmemory = 0\nseconds = 0\n"""\n'
        '[[outside]]\nlanguage = "T"\nname = "o"\n'
        f"command = [\"python\", '''\nmemory = 0\nseconds = 0\n''']\n{key} = 0\n"
    )
    (tmp_path / "course.toml").write_text(text)
    (tmp_path / "t.brix").write_text("language T\nforms E\n  A\n")
    course = load_course(tmp_path)
    found = [one for one in course.diagnostics if key in one.message]
    assert [one.span.start for one in found] == [text.rindex(f"{key} = 0")]


def test_tables_and_values_of_a_course_file_are_told_where_they_stand(tmp_path: Path) -> None:
    text = 'title = 5\n# [limits]\nabout = """\n[limits]\n"""\n[ limits ]\nmemory = 3\n'
    (tmp_path / "course.toml").write_text(text)
    found = load_course(tmp_path).diagnostics
    assert [(one.code, one.span.start) for one in found] == [
        ("bad_toml", 0), ("unknown_word", text.rindex("limits"))
    ]  # fmt: skip


def test_a_text_that_is_no_toml_tells_where(tmp_path: Path) -> None:
    (tmp_path / "course.toml").write_text('title = "t"\nabout = = 3\n')
    (found,) = load_course(tmp_path).diagnostics
    assert found.source is not None
    assert found.source.position(found.span.start)[0] == 2


def test_a_case_is_added_behind_the_last_one_however_it_is_written() -> None:
    text = (
        'language = "T"\n  [[case]]\n  name = "a"\n  program = """\n[[question]]\n"""\n'
        '  value = 3\n\n# on order\n[[question]]\nname = "q"\nprogram = "1"\nanswers = {a=1, b=2}\n'
    )
    findings = Findings()
    suite = read_suite(Source("t.suite.toml", text), {"T": ["environment"]}, {}, findings)
    assert suite is not None
    assert not findings.sorted()
    made = adopt(suite, '{"program": "2", "value": 2}', "elsewhere").text
    assert [one["program"] for one in tomllib.loads(made)["case"]] == ["[[question]]\n", "2"]
    assert made.index('program = "2"') < made.index("# on order")


_TEXTS = st.text(alphabet="ab=[]#'\" \\\n.{}", max_size=12)


@given(st.lists(st.tuples(st.sampled_from(["at", "name", "x y"]), _TEXTS), max_size=5))
def test_keys_are_found_whatever_texts_stand_before_them(entries: list[tuple[str, str]]) -> None:
    """The places found are those where the keys were written."""

    text = ""
    places: dict[str, int] = {}
    for number, (key, value) in enumerate(entries):
        name = f"{key}{number}"
        item = tomlkit.string(value, multiline=number % 2 == 0)
        document = tomlkit.document()
        document[name] = item
        written = tomlkit.dumps(document)
        places[name] = len(text) + written.index(name)
        text += written
    assert tomllib.loads(text).keys() == places.keys()
    for name, place in places.items():
        assert key_place(text, name) == place
        assert entry_place(text, name, 0, len(text)) == place
