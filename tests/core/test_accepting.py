"""Accepting what came, history, reports: what is written, and that nothing else is touched."""

from __future__ import annotations

import json
import sqlite3
import subprocess
import sys
import threading
from contextlib import AbstractContextManager, closing
from pathlib import Path

import jsonschema
import pytest
import tomlkit
from junitparser import JUnitXml

from embrix.checking.verdicts import Testing, check_suite, with_history
from embrix.course.replacing import Changed, go_back, replace_file
from embrix.lanes.session import Session
from embrix.suite import history
from embrix.suite.accept import Acceptance, CannotAccept, accept, typed_entries
from embrix.suite.adopt import adopt
from embrix.suite.cases import Suite
from embrix.suite.reports import as_json, junit, page, tap
from embrix.text.diagnostic import Findings

ROOT = Path(__file__).parents[2]
SUITE = """# Worked out by hand.
language = "Drip"   # the first of the chain


[[case]]
name = "a sum"      # one
program = "1 + 2"
value = 4           # on purpose wrong
[[case]]
name = "a place"
program = "x"
error = "DivisionByZero"   # wrong as well
at = "1:2"

[[case]]
name = "lazy"
program = "let a = 1 / 0 in 7"
value = 7
for.environment = { error = "DivisionByZero" }

[[case]]
name = "steps"
program = "1 + 2 * 3"
[case.steps]
rewriting = [
  "1 + 2 * …",   # open
  "1 + 5",       # wrong
]

[[case]]
name = "rows"
program = "n + 1"
table = [
  { given.n = "1", value = 2 },
  { given.n = "2", value = 4 },  # wrong
]
"""


@pytest.fixture
def made(course_copy: Path) -> tuple[Session, Suite, Path]:
    path = course_copy / "drip" / "drip.suite.toml"
    path.write_text(SUITE, encoding="utf-8")
    session = Session(course_copy)
    findings = Findings()
    suite = session.suite(path, findings)
    assert suite is not None
    assert not list(findings.sorted())
    return session, suite, path


def accepted(made: tuple[Session, Suite, Path], case: str, lane: str, what: str) -> Acceptance:
    session, suite, _ = made
    testing = Testing(session, suite)
    found = next(one for one in suite.cases if one.name == case)
    chosen = next(one for one in testing.lanes if one.name == lane)
    return accept(suite.source, found, chosen, testing.lanes, what)


@pytest.mark.parametrize(
    ("case", "lane", "what", "old", "new"),
    [
        ("a sum", "environment", "outcome", "value = 4           #", "value = 3           #"),
        ("a place", "environment", "outcome",
         'error = "DivisionByZero"   # wrong as well\nat = "1:2"',
         'error = "Unbound"   # wrong as well\nat = "1:1"'),
        ("rows: n = 2", "environment", "outcome", 'given.n = "2", value = 4 }',
         'given.n = "2", value = 3 }'),
    ],
)  # fmt: skip
def test_an_accepted_value_replaces_the_old_one_and_nothing_else(
    made: tuple[Session, Suite, Path], case: str, lane: str, what: str, old: str, new: str
) -> None:
    assert SUITE.count(old) == 1
    assert accepted(made, case, lane, what).text == SUITE.replace(old, new)


def test_what_one_lane_gives_alone_is_put_beside(made: tuple[Session, Suite, Path]) -> None:
    """By rewriting the failing operand is evaluated first, so the lanes do not agree."""
    text = accepted(made, "lazy", "rewriting", "outcome").text
    line = 'for.rewriting = {error = "DivisionByZero"}\n'
    assert text.replace(line, "") == SUITE
    again = made[2]
    again.write_text(text, encoding="utf-8")
    session = Session(made[0].course.folder)
    report = check_suite(session, again)
    (case,) = [one for one in report.cases if one.name == "lazy"]
    assert [v.state for v in case.verdicts] == ["passed"] * 3


def test_accepted_steps_keep_lines_left_open(made: tuple[Session, Suite, Path]) -> None:
    text = accepted(made, "steps", "rewriting", "steps").text
    block = text.partition("[case.steps]")[2].partition("[[case]]")[0]
    assert [line.strip(' ",') for line in block.splitlines() if '"' in line] == [
        "1 + 2 * …", "1 + 6", "7",
    ]  # fmt: skip
    assert text.partition("[case.steps]")[0] == SUITE.partition("[case.steps]")[0]
    assert text.partition('name = "rows"')[2] == SUITE.partition('name = "rows"')[2]
    with pytest.raises(CannotAccept, match="how a program is read"):
        accepted(made, "a sum", "environment", "term")


def test_writing_is_undone_and_never_blind(made: tuple[Session, Suite, Path]) -> None:
    path = made[2]
    replace_file(path, SUITE, "# one\n")
    replace_file(path, "# one\n", "# two\n")
    with pytest.raises(Changed):
        replace_file(path, SUITE, "# lost\n")
    assert go_back(path) == "# one\n"
    path.write_text("# somebody else\n", encoding="utf-8")
    with pytest.raises(Changed):
        go_back(path)
    assert path.read_text(encoding="utf-8") == "# somebody else\n"
    path.write_text("# one\n", encoding="utf-8")
    assert go_back(path) == SUITE
    assert go_back(path) is None


def test_answers_recorded_elsewhere_become_cases(made: tuple[Session, Suite, Path]) -> None:
    session, suite, path = made
    answers = [
        {"program": "2 * 3", "value": 6, "name": "a product"},
        {"program": "1 + 2", "value": 3},  # is there already
        {"program": "1 / 0", "error": "DivisionByZero"},
    ]
    found = adopt(suite, json.dumps(answers), "an abacus, spring term")
    assert found.text.startswith(SUITE.rstrip("\n"))
    path.write_text(found.text, encoding="utf-8")
    report = check_suite(Session(session.course.folder), path)
    assert not report.diagnostics
    new = [case for case in report.cases if case.name in ("a product", "1 / 0")]
    assert [v.state for case in new for v in case.verdicts] == ["passed"] * 6
    assert found.text.count('origin = "an abacus, spring term"') == 2
    with pytest.raises(CannotAccept, match="no value, error or output"):
        adopt(suite, '{"program": "1"}\n', "x")
    with pytest.raises(CannotAccept, match="no JSON"):
        adopt(suite, "1 + 2 = 3", "x")


def test_a_full_disk_loses_nothing(
    made: tuple[Session, Suite, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    path = made[2]

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("embrix.text.saving.os.fsync", full)
    with pytest.raises(OSError, match="No space left"):
        replace_file(path, SUITE, "# new\n")
    assert path.read_text(encoding="utf-8") == SUITE
    assert [one.name for one in path.parent.iterdir() if ".suite." in one.name] == [path.name]


def test_files_that_vanish_are_told(made: tuple[Session, Suite, Path]) -> None:
    session, _, path = made
    program = path.parent / "gone.drip"
    program.write_text("1", encoding="utf-8")
    text = f'{SUITE}\n[[case]]\nname = "from a file"\nfile = "gone.drip"\nvalue = 1\n'
    path.write_text(text, encoding="utf-8")
    assert check_suite(session, path).diagnostics == []
    program.unlink()
    report = check_suite(session, path)
    assert len(report.cases) == 6
    assert "gone.drip" in report.diagnostics[0].message
    path.unlink()
    report = check_suite(session, path)
    assert report.cases == []
    assert report.diagnostics[0].code == "unreadable_file"


# ---------------------------------------------------------------------- history


def test_since_when_a_case_is_red(tmp_path: Path) -> None:
    def run(definitions: str, state: str, now: float) -> history.Since:
        rows = [("a", "env", state, "3"), ("b", "env", "passed", "")]
        return history.remember(tmp_path, "x", definitions, rows, now)["a", "env"]

    assert run("1", "passed", 10.0) == history.Since(10.0, 1, "")
    assert run("1", "passed", 20.0) == history.Since(10.0, 1, "")
    assert run("2", "failed", 30.0) == history.Since(30.0, 1, "passed")
    assert history.last_changes(tmp_path, "x") == [("a", "env", "passed", "failed")]
    assert run("3", "failed", 40.0) == history.Since(30.0, 2, "passed")
    assert history.last_changes(tmp_path, "x") == []
    assert run("4", "passed", 50.0) == history.Since(50.0, 1, "failed")
    assert history.last_changes(tmp_path, "y") == []


def test_what_is_not_saved_is_no_edit(course_copy: Path) -> None:
    """Thirty states of a clause that were typed and not saved: one red case is red by what is not
    saved, and the case that stays green does so since the saved state."""
    suite, file = course_copy / "drip/drip.suite.toml", course_copy / "drip/environment.brix"
    saved = with_history(Session(course_copy), check_suite(Session(course_copy), suite))
    (when,) = {one for case in saved.cases for one in case.since.values()}
    right = file.read_text()
    for number in range(30):
        wrong = right.replace("=> Num(n)", f"=> Num(n + {number})", 1)
        session = Session(course_copy, {file: wrong})
        told = with_history(session, check_suite(session, suite))
    since = {
        (verdict.state, case.since[verdict.lane])
        for case in told.cases for verdict in case.verdicts if verdict.state != "left out"
    }  # fmt: skip
    assert since == {("passed", when), ("failed", "with what is not saved")}
    assert max(case.changed for case in told.cases) > max(case.changed for case in saved.cases)
    again = with_history(Session(course_copy), check_suite(Session(course_copy), suite))
    assert {one for case in again.cases for one in case.since.values()} == {when}


def test_history_is_read_again_only_when_it_has_been_written(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """By whomever: the other connection stands for another process."""
    opened: list[str] = []
    right = history._opened

    def opening() -> AbstractContextManager[sqlite3.Connection]:
        opened.append("once more")
        return right()

    passed, failed = [("a", "env", "passed", "")], [("a", "env", "failed", "2")]
    assert history.remembered(tmp_path, "x", passed) == {}
    history.remember(tmp_path, "x", "1", passed, 1.0)
    monkeypatch.setattr(history, "_opened", opening)
    for _ in range(3):
        assert history.remembered(tmp_path, "x", passed)["a", "env"].at == 1.0
        assert history.remembered(tmp_path, "x", failed) == {}
    assert opened == ["once more"]
    with closing(sqlite3.connect(history.history_file())) as other, other:
        other.execute("insert into runs (course, suite, definitions, at) values (?, 'x', '2', 7)",
                      (str(tmp_path.resolve()),))  # fmt: skip
        other.execute("insert into verdicts values (last_insert_rowid(), 'a', 'env', 'failed', '')")
    assert history.remembered(tmp_path, "x", failed)["a", "env"].at == 7.0
    assert history.remembered(tmp_path, "x", passed) == {}


def test_history_is_bounded_and_broken_ones_are_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(history, "MOST_RUNS", 3)
    for number in range(12):
        state = "failed" if number % 2 else "passed"
        rows = [("a", "env", state, ""), ("b", "env", "passed", "")]
        history.remember(tmp_path, "x", str(number), rows, float(number))
    with sqlite3.connect(history.history_file()) as database:
        assert database.execute("select count(*) from runs").fetchone()[0] == 4
    history.history_file().write_bytes(b"this is no database, not at all" * 100)
    with pytest.raises(history.Unkept, match="not kept"):
        history.remember(tmp_path, "x", "9", [("a", "env", "passed", "")])


def test_two_processes_write_one_history(tmp_path: Path) -> None:
    faults: list[Exception] = []

    def write(who: str) -> None:
        try:
            for number in range(15):
                rows = [(who, "env", "failed" if number % 2 else "passed", "")]
                history.remember(tmp_path, who, str(number), rows)
        except Exception as fault:
            faults.append(fault)

    threads = [threading.Thread(target=write, args=(who,)) for who in "abc"]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not faults
    with sqlite3.connect(history.history_file()) as database:
        assert database.execute("select count(*) from runs").fetchone()[0] == 45


KILLED = """
import sys
from pathlib import Path
from embrix.course.replacing import replace_file
from embrix.suite import history
path, text = Path(sys.argv[1]), Path(sys.argv[1]).read_text()
print("ready", flush=True)
for number in range(10**6):
    new = ("0123456789abcdef" * 4_000)[number % 16 :] + str(number)
    replace_file(path, text, new)
    text = new
    state = "failed" if number % 2 else "passed"
    history.remember(path.parent, "x", str(number), [("a", "e", state, "")])
"""


def test_killed_at_any_moment_no_file_is_half_written(tmp_path: Path) -> None:
    """The text on disk is one that was written whole, and the history can be read."""
    path = tmp_path / "a.suite.toml"
    whole = "0123456789abcdef" * 4_000
    path.write_text(whole + "start", encoding="utf-8")
    for round_ in range(6):
        process = subprocess.Popen(
            [sys.executable, "-c", KILLED, str(path)], stdout=subprocess.PIPE
        )
        assert process.stdout is not None
        process.stdout.readline()
        threading.Event().wait(0.15 + 0.037 * round_)
        process.kill()
        process.wait()
        text = path.read_text(encoding="utf-8")
        tail = text[len(text) - 20 :].lstrip("0123456789abcdef")
        number = text[text.rindex("f") + 1 :] if tail == "" else "start"
        if number != "start":
            assert text == whole[int(number) % 16 :] + number
        history.last_changes(tmp_path, "x")
        history.remember(tmp_path, "x", f"after {round_}", [("a", "e", "passed", "")])


# ---------------------------------------------------------------------- reports


@pytest.fixture
def report(made: tuple[Session, Suite, Path]) -> dict[str, object]:
    return check_suite(made[0], made[2])


def test_junit_is_read_by_a_reader_of_it(report: dict[str, object]) -> None:
    """Counted by hand: five wrong cases; the step case is about one lane only."""
    read = JUnitXml.fromstring(junit("a \x00 course", [report]).encode())
    assert (read.tests, read.failures, read.skipped) == (18, 11, 2)
    names = [(case.classname, case.name) for suite in read for case in suite]
    assert ("Drip.rewriting", "a sum") in names
    failed = [c for suite in read for c in suite if c.result and c.result[0]._tag == "failure"]
    assert len(failed) == 11
    assert "expected 4, but got 3" in {c.result[0].message for c in failed}


def test_tap_is_well_formed(report: dict[str, object]) -> None:
    lines = tap([report]).splitlines()
    assert lines[:2] == ["TAP version 14", "1..18"]
    points = [line for line in lines if line.startswith(("ok ", "not ok "))]
    assert [int(line.split(" - ")[0].split()[-1]) for line in points] == list(range(1, 19))
    assert sum(line.startswith("not ok") for line in points) == 11
    assert sum("# SKIP" in line for line in points) == 2
    inside = False
    for line in lines:
        if line.strip() in ("---", "..."):
            inside = not inside
        elif inside:
            key, _, value = line.strip().partition(": ")
            assert key
            json.loads(value)
    assert not inside


def test_json_follows_its_schema(report: dict[str, object]) -> None:
    schema = json.loads((ROOT / "docs/schemas/report.schema.json").read_text(encoding="utf-8"))
    data = json.loads(as_json("a course", [report]))
    jsonschema.Draft202012Validator.check_schema(schema)
    jsonschema.validate(data, schema)
    assert data["counts"] == {"passed": 5, "failed": 11, "left out": 2}
    data["suites"][0]["cases"][0]["verdicts"][0]["state"] = "maybe"
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate(data, schema)


def test_the_page_needs_nothing_else_and_escapes(report: dict[str, object]) -> None:
    text = page("<b>course</b>", [report])
    assert "&lt;b&gt;course" in text
    assert "<b>course" not in text
    for reaching in ("http:", "https:", "src=", "@import", "<script"):
        assert reaching not in text
    assert "<mark>4</mark>" in text


def test_what_is_said_of_a_choice_is_accepted_where_it_is_said(course_copy: Path) -> None:
    """Every lane that counts zero as false gives 1; the others still fail, and nothing else of the
    file changes."""
    text = (
        'language = "Rill"\n[[case]]\nname = "by choice"\nprogram = "when 3 then 1 else 2"\n'
        'error = "TruthWanted"\n[case.for."truth=zero_is_false"]\nvalue = 2   # wrong\n'
    )
    path = course_copy / "rill" / "rill.suite.toml"
    path.write_text(text, encoding="utf-8")
    session = Session(course_copy)
    suite = session.suite(path, Findings())
    assert suite is not None
    testing = Testing(session, suite)
    lane = next(one for one in testing.lanes if one.name == "by_need[truth=zero_is_false]")
    found = accept(suite.source, suite.cases[0], lane, testing.lanes, "outcome")
    assert found.text == text.replace("value = 2   #", "value = 1   #")
    typed = accept(suite.source, suite.cases[0], lane, testing.lanes, "outcome", "7")
    assert typed.text == text.replace("value = 2   #", "value = 7   #")


def test_what_is_there_to_be_edited_is_read_back_as_it_was(course_copy: Path) -> None:
    """For every case of the course and every lane, also where the place of a failure is stated."""
    session = Session(course_copy)
    kinds = set()
    for path in session.course.suites:
        suite = session.suite(path, Findings())
        assert suite is not None
        wanted, cases = [], []
        for case in suite.cases:
            for lane in session.lanes(suite.language):
                expected, typed = case.expectation_for(lane.name), case.typed(lane.name)
                if expected is not None and typed and expected not in wanted:
                    wanted.append(expected)
                    kinds.add((expected.kind, expected.at is not None))
                    cases.append({"name": str(len(wanted)), "program": "", **typed_entries(typed)})
        path.write_text(tomlkit.dumps({"language": suite.language, "case": cases}))
        again = session.suite(path, Findings())
        assert again is not None
        assert [case.expected for case in again.cases] == wanted
    assert {("value", False), ("error", True), ("rejected", True)} <= kinds
