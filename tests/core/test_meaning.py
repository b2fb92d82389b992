"""What tells definitions apart, versions as lanes, what a choice changes, programs that become
cases."""

from __future__ import annotations

import shutil
import tomllib
from pathlib import Path

import pytest

from embrix.brix.format import formatted
from embrix.brix.interpreter import check_interpreter
from embrix.brix.mutants import mistakes_in
from embrix.brix.reader import read_definition
from embrix.brix.syntax import InterpreterSyntax
from embrix.checking.decisions import NoDecision, changed_by, choices_of
from embrix.checking.verdicts import check_suite
from embrix.cli.main import main
from embrix.compare.meaning import Change, between_interpreters, between_languages, describe_changes
from embrix.course.drafts import keep_draft
from embrix.course.load import Course, load_course
from embrix.lanes.names import NoVersion
from embrix.lanes.session import Session
from embrix.services.found_case import as_case
from embrix.text.diagnostic import Findings
from embrix.text.source import Source
from tests.conftest import leave_only


def other(found: list[Change]) -> list[tuple[str, str, str]]:
    """The changes without what was taken over."""
    return [(one.state, one.part, one.name) for one in found if one.state != "taken over"]


# ---------------------------------------------------------------------- meaning


def test_layout_comments_and_local_names_mean_nothing(course_copy: Path) -> None:
    """Every file of the course laid out anew and with comments, and a clause of each kind with
    other names."""
    before = load_course(course_copy)
    for path in course_copy.rglob("*.brix"):
        text = path.read_text()
        text = text.replace("\n\ndefine", "\n\n# said otherwise\n\ndefine")
        if path.name == "environment.brix":
            text = text.replace("saved", "kept").replace("inner", "knot")
        path.write_text(formatted(Source(path.name, text)) or text)
    after = load_course(course_copy)
    assert not after.has_errors
    for name, language in before.languages.items():
        assert other(between_languages(language, after.languages[name])) == []
        for lane, interpreter in before.interpreters[name].items():
            found = between_interpreters(interpreter, after.interpreters[name][lane])
            assert other(found) == [], f"{name}.{lane}"


@pytest.mark.parametrize(
    ("language", "name"), [("Rill", "environment"), ("Rill", "by_need"), ("Weir", "rewriting")]
)
def test_every_mistake_is_a_difference_where_it_was_made(
    lockside: Course, language: str, name: str
) -> None:
    """One-line mistakes change something, and what is told of is in the function of the mistake."""
    right = lockside.interpreters[language][name]
    syntax = read_definition(right.source, Findings())
    assert isinstance(syntax, InterpreterSyntax)
    base = syntax.base and lockside.interpreters[syntax.base[0]][syntax.base[1]]
    looked = 0
    every = {"environment": 2, "by_need": 7, "rewriting": 15}
    for mistake in mistakes_in(syntax)[:: every[name]]:
        source = Source(right.source.name, mistake.made(right.source.text))
        changed = read_definition(source, Findings())
        assert isinstance(changed, InterpreterSyntax)
        wrong = check_interpreter(
            changed, lockside.languages[language], base or None, lockside.libraries
        ).made
        if wrong is None:
            continue
        looked += 1
        found = other(between_interpreters(right, wrong))
        assert found, mistake
        assert len({name.split(" ")[0] for _, _, name in found}) == 1, mistake
    assert looked > 5


def test_a_language_and_the_one_that_it_extends(lockside: Course) -> None:
    """Counted by hand in the two files: Rill adds ten forms, a level for each of its operators
    (`is` beside `<`), two choices, one function; the three levels of Drip stay as they were."""
    found = between_languages(lockside.languages["Drip"], lockside.languages["Rill"])
    added = [one for one in found if one.state == "added"]
    forms = [one.name for one in added if one.part == "form"]
    assert forms == [
        "True", "False", "Less", "Equal", "And", "Or", "If", "Fun", "Rec", "Call"
    ]  # fmt: skip
    assert {one.name for one in added if one.part == "rule"} == {
        "Expr (Rec)", "Expr (If)", "Expr (Fun)", "Sum (Or)", "Sum (And)", "Sum (Less, Equal)",
        "Sum (Call)", "Atom (True)", "Atom (False)",
    }  # fmt: skip
    assert {one.name for one in added if one.part == "choice"} == {"truth", "division"}
    assert {one.state for one in found} == {"added", "taken over"}
    assert describe_changes(found)[-1] == (
        "taken over: 1 kind of numbers, 4 tokens, 8 forms, 8 rules, 2 errors"
    )


def test_a_deliberate_bug_is_one_clause(lockside: Course) -> None:
    lanes = lockside.interpreters["Weir"]
    found = between_interpreters(lanes["store_passing"], lanes["stale_store"])
    assert other(found) == [("changed", "clause", "exec Assign")]
    (change,) = (one for one in found if one.state == "changed")
    assert "let (v, store) = eval(value, env, store)" in change.before
    assert "let (v, _) = eval(value, env, store)" in change.after
    assert "#" not in change.after


def test_a_clause_that_is_taken_over_stays_what_it_is(lockside: Course) -> None:
    """`number` has the same clause for numbers in both, though there are other values now."""
    found = between_interpreters(
        lockside.interpreters["Drip"]["environment"], lockside.interpreters["Rill"]["environment"]
    )
    states = {one.name: one.state for one in found if one.part == "clause"}
    assert (states["number Num"], states["number Closure"]) == ("taken over", "added")
    assert states["eval Let"] == "taken over"
    assert states["eval Add"] == "changed"


def test_levels_in_another_order(course_copy: Path) -> None:
    before = load_course(course_copy)
    path = course_copy / "drip" / "drip.brix"
    lines = path.read_text().splitlines(keepends=True)
    at = next(number for number, line in enumerate(lines) if '"+" makes Add' in line)
    lines[at], lines[at + 1] = lines[at + 1], lines[at]
    path.write_text("".join(lines))
    after = load_course(course_copy)
    found = between_languages(before.languages["Drip"], after.languages["Drip"])
    assert other(found) == [("changed", "rule", "Sum, order of levels")]


# ---------------------------------------------------------------------- versions


def test_the_course_as_saved_is_a_lane_beside_what_is_written(course_copy: Path) -> None:
    path = course_copy / "drip" / "environment.brix"
    changed = path.read_text().replace(") + number(", ") * number(")
    assert changed != path.read_text()
    session = Session(course_copy, {path: changed})
    assert session.lane("Drip", "environment").run("3 + 4").outcome.text == "12"
    assert session.lane("Drip", "environment@saved").run("3 + 4").outcome.text == "7"
    path.write_text(changed.replace(") * number(", ") - number(", 1))
    assert session.lane("Drip", "environment@saved").run("3 + 4").outcome.text == "-1"


def test_a_file_a_folder_and_a_draft_are_lanes(course_copy: Path, tmp_path: Path) -> None:
    """Dynamic scope written into the call by hand: 3 times 10 where 3 times 2 is right."""
    leave_only(course_copy, "rill")
    own = course_copy / "rill" / "environment.brix"
    changed = own.read_text().replace("eval(body, saved with", "eval(body, env with")
    (tmp_path / "older.brix").write_text(changed)
    session = Session(course_copy)
    text = "let r = 2 in let f = given t: t * r in let r = 10 in f 3"
    assert session.lane("Rill", "environment").run(text).outcome.text == "6"
    lane = session.lane("Rill", f"environment@{tmp_path / 'older.brix'}")
    assert lane.run(text).outcome.text == "30"
    assert lane.name == f"environment@{tmp_path / 'older.brix'}"
    chosen = session.lane("Rill", f"environment[first=right]@{tmp_path / 'older.brix'}")
    assert chosen.run(text).outcome.text == "30"
    with pytest.raises(NoVersion, match="without being saved"):
        session.lane("Rill", "environment@draft")
    keep_draft(own, own.read_text())
    with pytest.raises(NoVersion, match="without being saved"):
        session.lane("Rill", "environment@draft")
    keep_draft(own, changed)
    assert session.lane("Rill", "environment@draft").run(text).outcome.text == "30"
    keep_draft(own, changed.replace("t * r", "t"))
    assert session.lane("Rill", "dynamic_scope@draft").run(text).outcome.text == "30"
    # The whole of another course, which somebody changes meanwhile; what has not changed is not
    # compiled again.
    other = tmp_path / "other"
    shutil.copytree(course_copy, other)
    same = [session.lane("Rill", f"environment@{other}") for _ in range(2)]
    assert same[0] is same[1]
    assert same[0].run(text).outcome.text == "6"
    (other / "rill" / "environment.brix").write_text(changed)
    assert session.lane("Rill", f"environment@{other}").run(text).outcome.text == "30"
    older = f"environment@{tmp_path / 'older.brix'}"
    assert session.lane("Rill", older) is session.lane("Rill", older)
    (tmp_path / "none.brix").write_text("interpreter other for Rill\n")
    for version, why in (
        ("nowhere.brix", "there is no version"),
        (str(tmp_path), "no course"),
        (str(tmp_path / "none.brix"), "which the course does not have"),
    ):
        with pytest.raises(NoVersion, match=why):
            session.lane("Rill", f"environment@{version}")


def test_a_version_with_errors_runs_as_far_as_it_goes(course_copy: Path, tmp_path: Path) -> None:
    own = course_copy / "drip" / "environment.brix"
    (tmp_path / "older.brix").write_text(own.read_text().replace("Num(-", "Nun(-"))
    lane = Session(course_copy).lane("Drip", f"environment@{tmp_path / 'older.brix'}")
    assert lane.run("1 + 2").outcome.text == "3"
    outcome = lane.run("1 + -2").outcome
    assert (outcome.kind, outcome.name) == ("unfinished", "unknown_constructor")
    assert "Nun" in outcome.text


def test_the_suite_holds_a_version_against_what_its_lane_must_give(
    course_copy: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    leave_only(course_copy, "rill")
    own = course_copy / "rill" / "environment.brix"
    older = tmp_path / "older.brix"
    older.write_text(own.read_text())
    suite = str(course_copy / "rill" / "rill.suite.toml")
    arguments = ["test", suite, "--course", str(course_copy), "--with", f"environment@{older}"]
    assert main(arguments) == 0
    older.write_text(own.read_text().replace("eval(body, saved with", "eval(body, env with"))
    assert main(arguments) == 1
    assert "a function sees the names of its definition" in capsys.readouterr().out
    session = Session(course_copy)
    wanted = (f"environment@{older}",)
    failed = []
    for text in (own.read_text(), older.read_text(), own.read_text()):
        older.write_text(text)
        report = check_suite(session, course_copy / "rill" / "rill.suite.toml", wanted=wanted)
        failed.append(sum(v.state == "failed" for case in report.cases for v in case.verdicts))
    assert failed[0] == failed[2] == 0 < failed[1]
    older.write_text(own.read_text().replace("eval(body, saved with", "eval(body, env with"))
    assert main(["differences", "Rill.environment", f"Rill.environment@{older}",
                 "--course", str(course_copy)]) == 1  # fmt: skip
    assert "changed: clause eval Call" in capsys.readouterr().out
    assert main(["differences", "Rill", "Rill", "--course", str(course_copy)]) == 0
    assert main(["differences", "Rill", "Rill.environment", "--course", str(course_copy)]) == 2


# ---------------------------------------------------------------------- decisions


def test_which_cases_change_with_a_choice(lockside: Course) -> None:
    """By hand from the suite: `when 3 then 1 else 2` gives 1 wherever numbers may be conditions."""
    session = Session(lockside.folder)
    found = changed_by(session, "Rill", "truth=zero_is_false")
    (row,) = (one for one in found if one.case == "a condition is a truth value")
    assert (row.before, row.after) == ("error TruthWanted at 1:1", "1")
    assert len(row.lanes) == 8
    assert changed_by(session, "Rill", "truth=booleans_only") == []
    for decision, why in (
        ("truht=zero_is_false", "did you mean truth"),
        ("truth=zero", "zero_is_false"),
        ("truth", "not decided by nothing"),
    ):
        with pytest.raises(NoDecision, match=why):
            changed_by(session, "Rill", decision)
    (truth,) = (one for one in choices_of(session, "Rill") if one.name == "truth")
    assert truth.lanes["environment"] == "booleans_only"


# ---------------------------------------------------------------------- found programs


def test_a_found_program_becomes_a_case_that_holds(course_copy: Path) -> None:
    """What every lane gives now is what it must give; comments and questions stay where they
    were, and the same program is not taken twice."""
    leave_only(course_copy, "weir")
    session = Session(course_copy)
    path = course_copy / "weir" / "weir.suite.toml"
    program = "new x := 0; new y := 0; y := begin x := 1 give 2; show x"
    found = as_case(session, path, program, ["store_passing", "stale_store"], "a hunt, seed 1")
    assert found.refused == ""
    before, after = tomllib.loads(found.old), tomllib.loads(found.text)
    case = after["case"].pop()
    assert after == before
    assert (case["program"], case["origin"]) == (program, "a hunt, seed 1")
    assert case["for"]["store_passing"]["output"] == "1\n"
    assert case["for"]["stale_store"]["output"] == "0\n"
    assert [line for line in found.text.splitlines() if line in found.old.splitlines()] == [
        line for line in found.old.splitlines() if line
    ] or found.text.index("found by hunting") < found.text.index("# Questions")
    path.write_text(found.text)
    report = check_suite(Session(course_copy), path)
    (row,) = (one for one in report.cases if one.program == program)
    states = {verdict.lane: verdict.state for verdict in row.verdicts}
    assert (states["store_passing"], states["stale_store"]) == ("passed", "passed")
    own = course_copy / "weir" / "store_passing.brix"
    keep_draft(own, own.read_text().replace("alloc(store, v)", "alloc(store, Num(0))"))
    lanes = ["store_passing@draft", "store_passing"]
    draft = as_case(Session(course_copy), path, "new x := 3; show x", lanes, "a hunt")
    assert "@draft" not in draft.text.replace("store_passing@draft and store_passing differ", "")
    again = as_case(Session(course_copy), path, program, ["store_passing", "stale_store"], "again")
    assert again.refused == "the suite has a case with this program already"
