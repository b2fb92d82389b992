"""Cases duplicated, renamed and removed: the rest of the file stays as it was written."""

from __future__ import annotations

import tomllib
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.checking.verdicts import check_suite
from embrix.lanes.session import Session
from embrix.services.found_case import Stated, as_case
from embrix.suite.accept import CannotAccept
from embrix.suite.arranging import Arrangement, arrange
from embrix.suite.cases import Suite
from embrix.text.diagnostic import Findings
from tests.conftest import TINY_LANGUAGE, Maker

SUITE = """\
# Worked out by hand.
language = "Tiny"

[[case]]
name = "one"   # the first
program = "1"
value = 1

# What comes of a sum.
[[case]]
name = "two"
program = "1 + x"
why = \"\"\"
[[case]]
\"\"\"
value = 4
[case.given]
x = 3

[[question]]   # asked on the board
name = "three"
program = "1 + 2"
answers = { eager = 3, lazy = 5 }

[[case]]
name = "four"
program = "4"
value = 4
"""
BLOCKS = {
    "one": SUITE[SUITE.index("[[case]]") : SUITE.index("# What comes")],
    "two": SUITE[SUITE.index("[[case]]", SUITE.index("# What")) : SUITE.index("[[question]]")],
    "four": SUITE[SUITE.rindex("[[case]]") :],
}


@pytest.fixture
def made(make_course: Maker) -> Session:
    return Session(make_course(tiny=TINY_LANGUAGE).folder)


def read(session: Session, text: str) -> Suite:
    path = Path(session.course.folder) / "tiny.suite.toml"
    path.write_text(text)
    suite = Session(session.course.folder).suite(path, Findings())
    assert suite is not None
    return suite


def arranged(session: Session, text: str, name: str, how: Arrangement, new: str = "") -> str:
    suite = read(session, text)
    case = next(one for one in suite.cases if one.name == name)
    return arrange(suite, case, how, new).text


@pytest.mark.parametrize("name", BLOCKS)
def test_a_case_is_renamed_in_its_place(made: Session, name: str) -> None:
    text = arranged(made, SUITE, name, "rename", "another")
    assert text == SUITE.replace(f'name = "{name}"', 'name = "another"')


@pytest.mark.parametrize("name", BLOCKS)
def test_a_case_is_removed_with_all_that_belongs_to_it(made: Session, name: str) -> None:
    expected = SUITE.replace(BLOCKS[name], "")
    text = arranged(made, SUITE, name, "remove")
    assert [line for line in text.splitlines() if line] == [
        line for line in expected.splitlines() if line
    ]
    assert [one.name for one in read(made, text).cases] == [one for one in BLOCKS if one != name]


@pytest.mark.parametrize("name", BLOCKS)
def test_a_duplicate_stands_behind_its_case_and_says_the_same(made: Session, name: str) -> None:
    text = arranged(made, SUITE, name, "duplicate")
    block = BLOCKS[name]
    twin = block.replace(f'name = "{name}"', f'name = "{name} (again)"')
    expected = SUITE.replace(block, block.rstrip("\n") + "\n\n" + twin)
    assert text == expected
    twice = arranged(made, text, name, "duplicate")
    names = [one.name for one in read(made, twice).cases if one.name.startswith(name)]
    assert names == [name, f"{name} (again 2)", f"{name} (again)"]
    assert arranged(made, text, f"{name} (again)", "remove") == SUITE


@pytest.mark.parametrize("taken", ["two", "three"])
def test_two_things_never_come_to_have_one_name(made: Session, taken: str) -> None:
    with pytest.raises(CannotAccept, match=f"called {taken} already"):
        arranged(made, SUITE, "one", "rename", taken)


def test_a_case_that_is_written_otherwise_is_left_to_the_author(made: Session) -> None:
    text = 'language = "Tiny"\ncase = [{ name = "one", program = "1", value = 1 }]\n'
    for how in ("rename", "duplicate", "remove"):
        with pytest.raises(CannotAccept, match="edit it as a text"):
            arranged(made, text, "one", how, "other")  # type: ignore[arg-type]


NAMES = st.lists(st.sampled_from("abcdefgh"), min_size=1, max_size=5, unique=True)
GAPS = st.sampled_from(["", "\n", "\n# a comment\n", "# [[case]] that is none\n", "\n\n\n"])


@given(NAMES, st.lists(GAPS, min_size=6, max_size=6), st.data())
def test_any_row_of_changes_keeps_the_other_cases(
    tmp_path_factory: pytest.TempPathFactory, names: list[str], gaps: list[str], data: st.DataObject
) -> None:
    """Held against a list of names that is changed in the same way."""
    folder = tmp_path_factory.mktemp("suite")
    (folder / "tiny.brix").write_text(TINY_LANGUAGE)
    session = Session(folder)
    text = 'language = "Tiny"\n' + "".join(
        f'{gap}[[case]]\nname = "{name}"\nprogram = "1"\nvalue = 1 # {name}\n'
        for name, gap in zip(names, gaps, strict=False)
    )
    now = list(names)
    for _ in range(3):
        if not now:
            break
        at = data.draw(st.integers(0, len(now) - 1))
        how = data.draw(st.sampled_from(["rename", "duplicate", "remove"]))
        new = data.draw(st.sampled_from([f"{n}{k}" for n in "xyz" for k in range(9)]))
        if new in now:
            continue
        text = arranged(session, text, now[at], how, new)
        if how == "remove":
            now.pop(at)
        else:
            now[at : at + 1] = [new] if how == "rename" else [now[at], new]
        assert [one.name for one in read(session, text).cases] == now
        assert text.count("# a comment") == gaps[: len(names)].count("\n# a comment\n")


STEPS = """\
interpreter steps for Tiny
judgement step "{e} → {result}"
main run
define run(p: Expr) -> Expr
  repeat step(p)
define step(e: Expr) -> Expr by e
  final Lit(_)
  order Add(left, right) : left, right
  Add(Lit(a), Lit(b)) => Lit(a + b)
"""


@pytest.mark.parametrize(
    ("what", "key", "stated"),
    [
        ("outcome", "value", 6),
        ("steps", "steps", {"steps": ["1 + 2 + 3", "3 + 3", "6"]}),
        ("tokens", "tokens", ["number 1", "+", "number 2", "+", "number 3"]),
        ("term", "term", "Add(Add(Lit(1), Lit(2)), Lit(3))"),
    ],
)
def test_a_program_becomes_a_case_of_what_is_chosen(
    make_course: Maker, what: Stated, key: str, stated: object
) -> None:
    """Worked out by hand; each of them beside the others, and once only."""
    made = make_course(tiny=TINY_LANGUAGE, steps=STEPS)
    suite = made.folder / "tiny.suite.toml"
    suite.write_text('language = "Tiny"\n')
    kinds: list[Stated] = ["outcome", "steps", "tokens", "term"]
    for kind in [*(one for one in kinds if one != what), what]:
        session = Session(made.folder)
        change = as_case(session, suite, "1 + 2 + 3", ["steps"], "a test", kind)
        assert change.refused == "", kind
        suite.write_text(change.text)
    (case,) = [one for one in tomllib.loads(suite.read_text())["case"] if key in one][-1:]
    assert case[key] == stated
    session = Session(made.folder)
    report = check_suite(session, suite)
    assert {one.state for row in report.cases for one in row.verdicts} == {"passed"}
    assert "already" in as_case(session, suite, "1 + 2 + 3", ["steps"], "a test", what).refused


def test_a_program_without_an_interpreter_becomes_a_case_of_how_it_is_read(
    make_course: Maker,
) -> None:
    made = make_course(tiny=TINY_LANGUAGE)
    suite = made.folder / "tiny.suite.toml"
    suite.write_text('language = "Tiny"\n')
    session = Session(made.folder)
    assert "no interpreter" in as_case(session, suite, "1", [""], "a test").refused
    assert 'term = "Lit(1)"' in as_case(session, suite, "1", [""], "a test", "term").text
    assert "refused" in as_case(session, suite, "1 +", [""], "a test", "term").refused
    assert "no token begins" in as_case(session, suite, "1 $", [""], "a test", "tokens").refused
