"""Several definitions in one file: each is what it is in a file of its own."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from embrix.brix.format import formatted
from embrix.brix.parted import definition_at, extents
from embrix.checking.diagnostics import diagnostics
from embrix.checking.verdicts import check_suite
from embrix.course.load import load_course
from embrix.course.needed_files import Wanted, needed_files
from embrix.course.shipped import shipped_course
from embrix.lanes.session import Session
from embrix.services.completing import proposals
from embrix.services.mending import mended
from embrix.services.outlining import clause_written
from embrix.services.renaming import Names, renamed
from embrix.text.source import Source
from tests.core.test_holes import LANE as VALUES
from tests.core.test_holes import LANGUAGE as TALLY
from tests.core.test_holes import Maker

DATA = Path(__file__).parent.parent / "data"
SLIPS = json.loads((DATA / "slips.json").read_text("utf-8"))
DOUBLE = """\
interpreter doubled for Tally extends values

replace eval(e, env)
  Lit(n)  => Num(n + n)
"""
THREE = f"{TALLY}\n{VALUES}\n{DOUBLE}"


@pytest.mark.parametrize("slip", SLIPS, ids=lambda slip: f"{slip['to'].strip()[:60]}")
def test_a_mistake_is_told_as_in_a_file_of_its_own(
    make_course: Maker, slip: dict[str, str]
) -> None:
    if slip["file"] == "suite":
        return
    texts = {"language": TALLY, "lane": VALUES}
    texts[slip["file"]] = texts[slip["file"]].replace(slip["from"], slip["to"], 1)
    if not texts["language"].endswith("\n"):
        return  # nothing can stand behind it
    course = make_course(both=texts["language"] + texts["lane"])
    found = diagnostics(Session(course.folder)).findings
    border = texts["language"].count("\n") if slip["file"] == "lane" else 0
    assert [
        (one.code, one.source.position(one.span.start)[0] - border, one.message, one.hint)
        for one in found
    ] == [tuple(slip[key] for key in ("code", "line", "message", "hint"))]


@pytest.mark.parametrize("language", ["drip", "weir", "siren", "race"])
def test_a_language_with_all_its_lanes_in_one_file(course_copy: Path, language: str) -> None:
    folder = course_copy / language
    suite = folder / f"{language}.suite.toml"
    apart = check_suite(Session(course_copy), suite)
    notes = [(d.code, d.message) for d in load_course(course_copy).diagnostics]
    files = sorted(folder.glob("*.brix"))
    texts = [file.read_text() for file in files]
    for file in files:
        file.unlink()
    (folder / "everything.brix").write_text("\n".join(texts))
    session = Session(course_copy)
    assert [(d.code, d.message) for d in session.course.diagnostics] == notes
    assert check_suite(session, suite) == apart


def test_what_is_wrong_in_one_is_no_matter_of_another(make_course: Maker) -> None:
    wrong = THREE.replace("Num(n + n)", "Num(m + n)")
    session = Session(make_course(all=wrong).folder)
    assert session.course.faulty == {"Tally": {"doubled": 1}}
    assert session.lane("Tally", "values").run("1 + 2").outcome.text == "Num(3)"
    (error,) = [d for d in session.course.diagnostics if d.severity == "error"]
    assert error.source.position(error.span.start)[0] == THREE.count("\n")
    broken = Session(make_course(all=THREE.replace("language Tally", "languag Tally")).folder)
    assert [d.code for d in broken.course.diagnostics] == ["unreadable"]
    assert sorted(broken.course.interpreters["Tally"]) == ["doubled", "values"]


def test_two_lanes_of_one_file_are_two(make_course: Maker) -> None:
    """Their texts are the same but for a number; what is compiled is not mixed up."""
    other = VALUES.replace("interpreter values", "interpreter others").replace(
        "=> Num(n)", "=> Num(n + 1)"
    )
    session = Session(make_course(all=TALLY + VALUES + other).folder)
    values = [
        session.lane("Tally", name).run("1 + 2").outcome.text for name in ("values", "others")
    ]
    assert values == ["Num(3)", "Num(5)"]


def test_names_are_renamed_in_the_definition_that_is_meant(make_course: Maker) -> None:
    text = f"{THREE}\ndefine same(v: Value) -> Value\n  v\n"
    session = Session(make_course(all=text).folder)
    change = renamed(session, "all.brix", text, text.index("Lit(n: "), "Number1")
    assert change.refused == ""
    made = change.files[0].text
    assert "Lit(" not in made
    assert made.count("Number1(") == text.count("Lit(")
    last = text.rindex("same")
    assert Names(session, {}).at("all.brix", last).meaning.start == last  # type: ignore[union-attr]


def test_proposals_are_those_of_the_definition_around_the_cursor(make_course: Maker) -> None:
    text = THREE + "\ndefine mine(v: Value) -> Value\n  v\n"
    session = Session(make_course(all=text).folder)

    def proposed(place: int) -> set[str]:
        return {one.name for one in proposals(session, "all.brix", text, place)}

    assert "mine" in proposed(len(text) - 2)
    assert "mine" not in proposed(text.index("add(eval(left") + 3)
    assert "eval" in proposed(len(text) - 2)


def test_repairs_and_clauses_are_written_into_their_definition(make_course: Maker) -> None:
    text = THREE.replace("  Lit(n)              => Num(n)\n", "", 1)
    assert text != THREE
    session = Session(make_course(all=text).folder)
    change = clause_written(session, "Tally", "values", "eval", "Lit")
    assert change.refused == ""
    assert change.old == text
    begin = text.index("interpreter values")
    assert change.text.index('todo "what Lit gives"') > begin
    assert change.text.endswith(DOUBLE)
    assert change.text.startswith(TALLY)
    line = next(d.source.position(d.span.start)[0] for d in session.course.diagnostics
                if d.code == "missing_clause")  # fmt: skip
    made = mended(session, "all.brix", text, line).text
    assert made.startswith(TALLY)
    assert made.endswith(DOUBLE)
    assert "Lit(n)" in made[begin : made.index("interpreter doubled")]


def test_laying_out_and_what_is_needed() -> None:
    messy = THREE.replace("Num(n + n)", "Num(n  +  n)")
    assert formatted(Source("all", messy)) == formatted(Source("all", THREE))
    assert formatted(Source("all", messy)) is not None
    folder = Path("course")
    texts = {folder / "all.brix": THREE, folder / "other.brix": "language Other\n",
             folder / "more.brix": "library sums\n\ninterpreter one for Other\n"}  # fmt: skip
    needed = needed_files(texts, Wanted("Tally"))
    assert {path.name for path in needed} == {"all.brix", "more.brix"}


def test_a_version_of_one_of_them(make_course: Maker, tmp_path: Path) -> None:
    session = Session(make_course(all=THREE).folder)
    elsewhere = tmp_path / "trial.txt"
    elsewhere.write_text(DOUBLE.replace("n + n", "n * 3"))
    found = session.lane("Tally", f"doubled@{elsewhere}").run("1 + 2").outcome
    assert (found.text, session.lane("Tally", "doubled").run("1 + 2").outcome.text) == (
        "Num(9)",
        "Num(6)",
    )


@pytest.mark.parametrize("path", sorted(shipped_course().rglob("*.brix")), ids=lambda p: p.stem)
def test_parts_of_a_text(path: Path) -> None:
    """They make up the whole text, each with its places."""
    text = path.read_text()
    assert extents(text) == [(0, len(text))]
    whole = f"# first\n\n{text}\n# next\n{text}"
    (a, b), (c, d) = extents(whole)
    assert (a, b, d) == (0, c, len(whole))
    alone, put_back = definition_at(whole, c)
    assert (alone[c:], alone[:c].strip()) == (whole[c:], "")
    assert put_back(alone + "more") == whole + "more"
    first, put_back = definition_at(whole, c - 1)
    assert (first, put_back(first)) == (whole[:c], whole)
