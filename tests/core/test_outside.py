"""Interpreters outside: never run unasked, held to limits, believed in nothing."""

from __future__ import annotations

import contextlib
import io
import json
import subprocess
import sys
import time
from collections.abc import Callable
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import platformdirs
import pytest
from msgspec.structs import replace

from embrix.checking.verdicts import check_suite
from embrix.cli.main import main
from embrix.compare.search import NoPrograms, hunt
from embrix.course.load import load_course
from embrix.course.outside import Outside
from embrix.course.permission import allow, is_allowed
from embrix.lanes.names import NoLane
from embrix.lanes.outside_lane import OutsideLane
from embrix.lanes.results import run
from embrix.lanes.session import Session
from embrix.machine.outcome import Outcome
from embrix.messages.recipes import WalkRecipe
from embrix.messages.replies import BoundName
from embrix.services.found_case import as_case
from embrix.services.summary import summary
from embrix.services.walks import WalkService
from tests.conftest import leave_only, shorten_suites

EXAMPLES = Path(__file__).parents[2] / "docs" / "outside"
ABACUS = """
[[outside]]
language = "Drip"
name = "abacus"
command = ["{python}", "-I", "-S", "{examples}/abacus.py"]
errors = {{ Unbound = "unbound name …", DivisionByZero = "division by zero" }}
rejected = "cannot be read…"
steps = ["--steps"]
"""
AWK = """
[[outside]]
language = "Drip"
name = "counter"
command = ["awk", "-f", "{examples}/counter.awk"]
program = "file"
rejected = "cannot be read…"
"""


THEIRS = """[[outside]]
language = "Drip"
name = "theirs"
command = ["{python}", "theirs.py"]
"""


def with_outside(folder: Path, text: str, *, allowed: bool = True) -> Session:
    leave_only(folder, "drip")
    path = folder / "course.toml"
    filled = text.format(python=sys.executable, examples=EXAMPLES)
    path.write_text(path.read_text(encoding="utf-8") + filled, encoding="utf-8")
    course = load_course(folder)
    assert not course.has_errors, [d.message for d in course.diagnostics]
    for one in course.outside if allowed else ():
        allow(folder, one)
    return Session(folder)


def command(folder: Path, source: str, more: str = "") -> OutsideLane:
    """A lane that is a Python program."""
    script = folder / "theirs.py"
    script.write_text(source, encoding="utf-8")
    (lane,) = with_outside(folder, "\n" + THEIRS + more).outside("Drip")
    return lane


def test_a_command_never_runs_unless_it_was_allowed(course_copy: Path) -> None:
    marker = course_copy / "it_ran"
    source = f"open({str(marker)!r}, 'w')"
    (course_copy / "theirs.py").write_text(source)
    text = (
        '\n[[outside]]\nlanguage = "Drip"\nname = "theirs"\ncommand = ["{python}", "theirs.py"]\n'
    )
    session = with_outside(course_copy, text, allowed=False)
    suite = course_copy / "drip" / "drip.suite.toml"
    report = check_suite(session, suite)
    assert report.not_allowed == ["theirs"]
    assert "theirs" not in report.lanes
    assert summary(session).languages["Drip"].outside == []
    assert main(["run", "-e", "1", "--language", "Drip", "--course", str(course_copy)]) == 0
    with pytest.raises(NoLane):
        run(session, "Drip", "theirs", "1")
    assert not marker.exists()
    (outside,) = session.course.outside
    allow(course_copy, outside)
    run(session, "Drip", "theirs", "1")
    assert marker.exists()


def test_permission_is_for_these_words_in_this_folder(course_copy: Path, tmp_path: Path) -> None:
    session = with_outside(course_copy, ABACUS)
    (outside,) = session.course.outside
    assert is_allowed(course_copy, outside)
    assert not is_allowed(tmp_path, outside)
    path = course_copy / "course.toml"
    path.write_text(path.read_text(encoding="utf-8").replace('"--steps"', '"--stepz"'))
    assert Session(course_copy).outside("Drip") == []
    path.write_text(path.read_text(encoding="utf-8").replace('"--stepz"', '"--steps"'))
    assert len(Session(course_copy).outside("Drip")) == 1
    allow(course_copy, outside, allowed=False)
    assert Session(course_copy).outside("Drip") == []


def test_permissions_on_the_command_line(
    course_copy: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    with_outside(course_copy, ABACUS, allowed=False)
    course = ["--course", str(course_copy)]
    assert main(["allow", *course]) == 0
    assert "not allowed in" in capsys.readouterr().out
    run = ["run", "-e", "6 * 7", "--language", "Drip", "--with", "abacus", *course]
    assert main(run) == 2
    assert "has not been allowed" in capsys.readouterr().err
    assert main(["allow", "abacus", "--yes", *course]) == 0
    capsys.readouterr()
    assert main(run) == 0
    assert capsys.readouterr().out == "42\n"
    assert main(["allow", "abcus", *course]) == 2
    assert "abacus" in capsys.readouterr().err


def test_the_examples_hold_against_the_suite_of_the_course(course_copy: Path) -> None:
    """The same cases as for our own interpreters; the awk one refuses most programs."""
    session = with_outside(course_copy, ABACUS + AWK)
    report = check_suite(session, course_copy / "drip" / "drip.suite.toml")
    assert not report.diagnostics
    found = [(c.name, v) for c in report.cases for v in c.verdicts]
    abacus = [(name, v) for name, v in found if v.lane == "abacus" and v.state == "failed"]
    assert [name for name, _ in abacus] == []
    assert sum(v.lane == "abacus" and v.state == "passed" for _, v in found) > 25
    counter = {name: v.state for name, v in found if v.lane == "counter"}
    assert counter["subtraction nests to the left"] == "passed"
    assert counter["times binds tighter than plus"] == "failed"


def test_steps_of_an_outside_interpreter_are_walked(course_copy: Path) -> None:
    walks = WalkService(with_outside(course_copy, ABACUS))
    told = walks.open(WalkRecipe("k", "Drip", "abacus", "let x = 2 in x * 3"))
    assert told.length == 6
    texts = [one.text for one in walks.steps(WalkRecipe("k"), 0, 9)]
    assert texts == ["2 gives 2", "x gives 2", "3 gives 3", "(x * 3) gives 6",
                     "let x = 2 in (x * 3) gives 6", "6"]  # fmt: skip
    assert walks.seek(WalkRecipe("k"), "text", "(X", 0, True) == 3


@pytest.mark.parametrize(
    ("source", "kind", "told"),
    [
        ("while True: pass", "out of fuel", "1 second"),
        ("import time; time.sleep(60)", "out of fuel", "1 second"),
        ("while True: print('x' * 100000)", "out of fuel", "bytes of output"),
        ("x = 'y' * 2_000_000_000; print(len(x))", "fault", "MemoryError"),
        ("import sys; sys.exit(3)", "fault", "status 3: it wrote nothing"),
        ("import os, signal; os.kill(os.getpid(), signal.SIGSEGV)", "fault", "status -11"),
        (
            "import sys; sys.stdout.buffer.write(b'\\xff\\x00\\x1b[2J')",
            "value", "\ufffd\x00\x1b[2J",
        ),
        ("print('{\"embrix\": 1}')", "value", '{"embrix": 1}'),
        ("import os; print([k for k in os.environ if k.startswith('SECRET')])", "value", "[]"),
    ],
)  # fmt: skip
def test_what_a_command_may_do_is_limited(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch, source: str, kind: str, told: str
) -> None:
    from embrix.lanes import outside_lane

    monkeypatch.setattr(outside_lane, "PATIENCE", 0.5)
    monkeypatch.setenv("SECRET_TOKEN", "x")
    lane = command(course_copy, source, "seconds = 1\nmemory = 300\n")
    result = lane.run("1 + 1")
    assert result.outcome.kind == kind
    assert told in result.outcome.text


def test_what_a_command_starts_ends_with_it(course_copy: Path) -> None:
    source = """
import os, time
if os.fork() == 0:
    time.sleep(30)
else:
    open("child", "w").write("")
    print(7)
"""
    lane = command(course_copy, source, "seconds = 2\n")
    begin = time.monotonic()
    outcome = lane.run("1").outcome
    assert outcome.kind in ("value", "out of fuel")
    assert time.monotonic() - begin < 25
    assert (course_copy / "child").exists()


def test_a_run_can_be_stopped(course_copy: Path) -> None:
    lane = command(course_copy, "import time; time.sleep(60)", "seconds = 60\n")
    result = lane.run("1", on_start=lambda stop: stop())
    assert result.outcome.kind == "out of fuel"


def test_no_such_command(course_copy: Path) -> None:
    text = '\n[[outside]]\nlanguage = "Drip"\nname = "theirs"\ncommand = ["no-such-command-here"]\n'
    (lane,) = with_outside(course_copy, text).outside("Drip")
    outcome = lane.run("1").outcome
    assert outcome.kind == "fault"
    assert "cannot be started" in outcome.text


@pytest.mark.parametrize(
    "lines",
    ["", "nonsense\n", '{"embrix": "walk"}\n', json.dumps({"embrix": "walk", "version": 1}) + "\n"],
)
def test_steps_that_are_none(course_copy: Path, lines: str) -> None:
    lane = command(course_copy, f"print({lines!r}, end='')", 'steps = ["--steps"]\n')
    found = lane.steps("1")
    assert not isinstance(found, Outcome)
    walks = WalkService(Session(course_copy))
    told = walks.open(WalkRecipe("k", "Drip", "theirs", "1"))
    assert told.length == 0
    assert told.refused


def test_wrong_entries_are_located(course_copy: Path) -> None:
    path = course_copy / "course.toml"
    path.write_text(
        path.read_text(encoding="utf-8")
        + '\n[[outside]]\nlanguage = "Drp"\nname = "a"\ncommand = "rm"\nsecnds = 3\nseconds = 0\n',
        encoding="utf-8",
    )
    course = load_course(course_copy)
    assert course.outside == ()
    found = {d.message.split(";")[0]: (d.source.position(d.span.start)[0], d.hint)
             for d in course.diagnostics}  # fmt: skip
    base = path.read_text(encoding="utf-8").split("\n").index("[[outside]]") + 1
    assert found["there is no language called Drp"][0] == base + 1
    assert "Drip" in found["there is no language called Drp"][1]
    assert found["`command` is a list of texts, the program to start first"][0] == base + 3
    assert "seconds" in found["an entry called secnds means nothing here"][1]
    assert any("from 1 to 600" in message for message in found)


def test_names_and_input_are_handed_on_where_there_is_a_place(course_copy: Path) -> None:
    named = ABACUS + 'names = ["--name", "{{name}}={{value}}"]\n'
    shorten_suites(course_copy, 25)
    session = with_outside(course_copy, named)
    (lane,) = session.outside("Drip")
    assert lane.run("tons * 2 - fee", {"tons": "3 + 4", "fee": "0.5"}).outcome.text == "13.5"
    walks = WalkService(session)
    told = walks.open(WalkRecipe("k", "Drip", "abacus", "tons + 1", {"tons": "2"}))
    (bound,) = walks.steps(WalkRecipe("k"), 0, 1)[0].bindings
    assert bound == BoundName("tons", "2", False, "around")
    assert told.length == 4
    assert lane.run("1", given_input=["a"]).outcome.kind == "unfinished"
    report = check_suite(session, course_copy / "drip" / "drip.suite.toml")
    found = {c.name: (c.given, v.state) for c in report.cases for v in c.verdicts
             if v.lane == "abacus"}  # fmt: skip
    assert {verdict for given, verdict in found.values() if given} == {"passed"}


def test_lines_of_input_come_on_standard_input_beside_a_file(course_copy: Path) -> None:
    source = "import sys\nprint(open(sys.argv[1]).read().strip(), sys.stdin.read().split())"
    lane = command(course_copy, source, 'program = "file"\n')
    assert lane.run("1", given_input=["7", "9"]).outcome.text == "1 ['7', '9']"


def at_once(script: Path) -> Callable[..., tuple[int, str, str]]:
    """What a Python script makes of a program, worked out here: hundreds of processes take long."""
    code = compile(script.read_text(encoding="utf-8"), str(script), "exec")

    def carry_out(_: OutsideLane, text: str, *_more: object) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with pytest.MonkeyPatch.context() as patch, redirect_stdout(out), redirect_stderr(err):
            patch.setattr(sys, "stdin", io.TextIOWrapper(io.BytesIO(text.encode())))
            patch.setattr(sys, "argv", [str(script)])
            try:
                exec(code, {"__name__": "__main__"})
            except SystemExit as end:
                return int(end.code or 0), out.getvalue(), err.getvalue()
        return 0, out.getvalue(), err.getvalue()

    return carry_out


def test_a_hunt_finds_where_a_student_went_wrong(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Their interpreter subtracts the wrong way round; what it gives is not what a case expects."""
    right = (EXAMPLES / "abacus.py").read_text(encoding="utf-8")
    wrong = right.replace("left - right", "right - left")
    assert wrong != right
    (course_copy / "theirs.py").write_text(wrong, encoding="utf-8")
    session = with_outside(course_copy, ABACUS.replace("{examples}/abacus.py", "theirs.py"))
    one, theirs = session.lane("Drip", "environment"), session.runner("Drip", "abacus")
    real = theirs.run("5 - 3").outcome
    monkeypatch.setattr(OutsideLane, "carry_out", at_once(course_copy / "theirs.py"))
    assert theirs.run("5 - 3").outcome == real
    found = hunt(one, theirs, most=25, seed=1)
    assert found.program
    ends = [lane.run(found.program).outcome.text for lane in (one, theirs)]
    assert ends[0] != ends[1]
    suite = course_copy / "drip" / "drip.suite.toml"
    made = as_case(session, suite, found.program, ["environment", "abacus"], "a hunt")
    assert made.refused == ""
    added = "\n".join(line for line in made.changes if line.startswith("+"))
    assert ends[0] in added
    assert "abacus = " not in added
    with pytest.raises(NoPrograms, match="name it second"):
        hunt(theirs, one)
    with pytest.raises(NoPrograms, match="no costs"):
        hunt(one, theirs, costs=True)


def test_other_limits_of_an_allowed_command_are_asked_for_again(course_copy: Path) -> None:
    """A course that is changed cannot raise what its command may use."""
    session = with_outside(course_copy, ABACUS)
    (outside,) = [one for one in session.course.outside if one.name == "abacus"]
    assert is_allowed(course_copy, outside)
    for change in ({"seconds": 500}, {"memory": 60_000}, {"names": ("-x",)}, {"steps": ("--y",)}):
        assert not is_allowed(course_copy, replace(outside, **change)), change


@pytest.mark.parametrize(
    "text", ["", "{", "[" * 50_000, "[]", '{"allowed": 3}', '{"allowed": {"/": [[1]]}}', "\x00"]
)
def test_a_damaged_list_of_permissions_allows_nothing(course_copy: Path, text: str) -> None:
    session = with_outside(course_copy, ABACUS)
    file = next(Path(platformdirs.user_config_dir("embrix")).glob("allowed.json"))
    file.write_text(text)
    assert not any(is_allowed(course_copy, one) for one in session.course.outside)


def test_a_changed_file_of_an_allowed_command_is_asked_for_again(course_copy: Path) -> None:
    """What the command runs is part of what was allowed, inside the course or outside."""
    lane = command(course_copy, "print(1)")
    (outside,) = [one for one in load_course(course_copy).outside if one.name == lane.name]
    assert is_allowed(course_copy, outside)
    script = next(course_copy / word for word in outside.command[1:])
    text = script.read_text()
    script.write_text(text + "# more\n")
    assert not is_allowed(course_copy, outside)
    script.write_text(text)
    assert is_allowed(course_copy, outside)


def test_what_leaves_the_group_of_a_command_ends_with_it_as_well(course_copy: Path) -> None:
    """A process that begins a session of its own, and one that such a one has started."""
    source = """
import os, subprocess
quiet = dict(stdin=-3, stdout=-3, stderr=-3)
subprocess.Popen(["sh", "-c", "setsid sleep 4321 & setsid sleep 4321 & wait"],
                 start_new_session=True, **quiet)
subprocess.Popen(["sleep", "4321"], start_new_session=True, **quiet)
print(7)
"""
    lane = command(course_copy, source, "seconds = 5\n")
    assert lane.run("1").outcome.text == "7"
    assert not _running("sleep\x004321")


def test_a_killed_embrix_leaves_no_command_running(course_copy: Path) -> None:
    """The command is in a session of its own, and so is what it starts."""
    source = """
import os, subprocess, time
quiet = dict(stdin=-3, stdout=-3, stderr=-3)
subprocess.Popen(["sleep", "5432"], start_new_session=True, **quiet)
open("begun", "w").close()
time.sleep(60)
"""
    lane = command(course_copy, source, "seconds = 60\n")
    words = (sys.executable, "-m", "embrix", "run", "-e", "1", "--with", lane.name, "--language",
             "Drip", "--course", str(course_copy))  # fmt: skip
    process = subprocess.Popen(words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    _until(lambda: (course_copy / "begun").exists())
    _until(lambda: _running("sleep\x005432"))
    process.kill()
    process.wait()
    _until(lambda: not _running("sleep\x005432"))


def _running(words: str) -> bool:
    """Whether some process has these words as its command line."""
    for file in Path("/proc").glob("[0-9]*/cmdline"):
        with contextlib.suppress(OSError):
            if words in file.read_text(errors="replace"):
                return True
    return False


def _until(holds: Callable[[], bool]) -> None:
    for _ in range(600):
        if holds():
            return
        time.sleep(0.05)
    raise AssertionError("it never came")


def test_allowing_a_command_takes_nothing_from_others(tmp_path: Path) -> None:
    """Neither from one that begins with the same words, nor from one with other limits; after a
    change of its file the older permission goes."""
    (tmp_path / "a.py").write_text("1")
    lanes = [
        Outside("L", "a", ("true",)),
        Outside("L", "b", ("true", "x")),
        Outside("L", "c", ("true",), seconds=9),
        Outside("L", "d", ("true", "a.py")),
    ]
    for one in lanes:
        allow(tmp_path, one)
    assert all(is_allowed(tmp_path, one) for one in lanes)
    (tmp_path / "a.py").write_text("2")
    assert not is_allowed(tmp_path, lanes[3])
    allow(tmp_path, lanes[3], allowed=False)
    (tmp_path / "a.py").write_text("1")
    assert [is_allowed(tmp_path, one) for one in lanes] == [True, True, True, False]
