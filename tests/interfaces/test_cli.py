"""The command line, run as a user runs it."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest

from embrix.cli.main import main, parsed
from embrix.cli.usage import Usage
from embrix.course.load import Course
from tests.conftest import TINY_LANGUAGE, leave_only


def run(capsys: pytest.CaptureFixture[str], *words: str) -> tuple[int, str, str]:
    try:
        status = main(list(words))
    except SystemExit as stop:
        status = int(stop.code or 0)
    captured = capsys.readouterr()
    return status, captured.out, captured.err


def test_a_file_or_a_folder_in_place_of_a_command_is_opened(course_copy: Path) -> None:
    program = course_copy / "drip" / "programs" / "toll.drip"
    given = parsed([str(program)])
    assert (str(given.file), given.course) == (str(program), None)
    given = parsed([str(course_copy)])
    assert (given.file, str(given.course)) == (None, str(course_copy))
    with pytest.raises(Usage, match="there is no command, file or folder"):
        parsed([str(course_copy / "nowhere.drip")])


def test_run_prints_the_value(capsys: pytest.CaptureFixture[str], course_copy: Path) -> None:
    program = course_copy / "drip" / "programs" / "toll.drip"
    assert run(capsys, "run", str(program), "--with", "environment") == (0, "31.75\n", "")


def test_both_trees_of_an_ambiguous_text(
    capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    (tmp_path / "course.toml").write_text('title = "made up"\n')
    loose = 'Expr ::= n:number makes Lit | x:name makes Var | left:Expr "+" right:Expr makes Add'
    text = TINY_LANGUAGE[: TINY_LANGUAGE.index("  Expr ::=")] + f"  {loose}\n"
    (tmp_path / "tiny.brix").write_text(text)
    words = ("parse", "-e", "a + b + c", "--language", "Tiny", "--course", str(tmp_path))
    status, out, err = run(capsys, *words)
    assert status == 3
    assert err.startswith("ambiguous: ")
    first, second = (
        [line.strip() for line in tree.strip("\n").split("\n")] for tree in out.split("or\n")
    )
    left = ["Add", "left Add", "left Var x a", "right Var x b", "right Var x c"]
    right = ["Add", "left Var x a", "right Add", "left Var x b", "right Var x c"]
    assert sorted((first, second)) == sorted((left, right))


def test_run_names_the_failure_and_its_place(capsys: pytest.CaptureFixture[str]) -> None:
    words = ("run", "-e", "let x = 2 in\n  x / 0", "--language", "Drip", "--with", "rewriting")
    status, out, err = run(capsys, *words)
    assert (status, out) == (1, "")
    assert err.splitlines() == [
        "DivisionByZero: division by zero",
        "  at text:2:3",
        "     2 │   x / 0",
        "       │   ▔▔▔▔▔",
    ]


def test_a_run_without_end_tells_what_it_does_again_and_again(
    capsys: pytest.CaptureFixture[str],
) -> None:
    """On small steps the term that comes back; on judgements the last that was new."""
    words = ("run", "-e", "let f of x = f x in f 3", "--language", "Rill", "--calls", "3000")
    status, out, err = run(capsys, *words, "--with", "environment")
    assert (status, out) == (1, "")
    assert "more than 3,000 calls; nothing new after judgement 7" in err
    status, out, err = run(capsys, *words, "--with", "substitution", "--json")
    answer = json.loads(out)
    assert answer["costs"]["judgements"] > 100
    assert "; nothing new after judgement" in answer["outcome"]["text"]


def test_costs_are_counted_where_they_are_printed(capsys: pytest.CaptureFixture[str]) -> None:
    words = ("run", "-e", "1 + 2 * 3", "--language", "Drip", "--with", "environment")
    assert run(capsys, *words) == (0, "7\n", "")
    _, out, _ = run(capsys, *words, "--json")
    assert json.loads(out)["costs"]["judgements"] == 5


def test_names_are_supplied_by_hand(capsys: pytest.CaptureFixture[str]) -> None:
    """Every lane takes them, also those without an environment."""
    words = ("run", "-e", "x * y", "--language", "Drip", "--bind", "x=5", "--bind", "y=x + 1")
    status, out, err = run(capsys, *words)
    assert (status, out) == (0, "by_name: 30\nenvironment: 30\nrewriting: 30\n"), err
    words = ("run", "-e", "x * y", "--language", "Drip", "--bind", "y=x + 1", "--bind", "x=5",
             "--with", "environment")  # fmt: skip
    status, out, err = run(capsys, *words)
    assert (status, out) == (2, "")
    assert "y has no value: Unbound: nothing called x is in scope" in err
    words = ("run", "-e", "x * y", "--language", "Drip", "--bind", "x=5", "--bind", "y=1 + 1")
    assert run(capsys, *words)[:2] == (0, "by_name: 10\nenvironment: 10\nrewriting: 10\n")


def test_json_holds_outcome_output_and_costs(capsys: pytest.CaptureFixture[str]) -> None:
    words = ("run", "-e", "1 + 2 / 0", "--language", "Drip", "--with", "environment", "--json")
    status, out, _ = run(capsys, *words)
    data = json.loads(out)
    assert status == 1
    assert data["interpreter"] == "environment"
    assert data["output"] == []
    assert data["outcome"] == {
        "kind": "failure", "name": "DivisionByZero", "text": "division by zero",
        "place": [4, 9], "line": 1, "column": 5,
    }  # fmt: skip
    assert data["costs"]["judgements"] == 5


def test_steps_prints_terms_or_judgements(capsys: pytest.CaptureFixture[str]) -> None:
    words = ("steps", "-e", "(1 + 2) * 3", "--language", "Drip", "--with")
    assert run(capsys, *words, "rewriting")[1] == "(1 + 2) * 3\n3 * 3\n9\n"
    assert run(capsys, *words, "environment")[1].splitlines() == [
        "∅ ⊢ 1 ⇓ 1", "∅ ⊢ 2 ⇓ 2", "∅ ⊢ 1 + 2 ⇓ 3", "∅ ⊢ 3 ⇓ 3", "∅ ⊢ (1 + 2) * 3 ⇓ 9",
    ]  # fmt: skip


def test_check_prints_several_findings_and_fails(
    capsys: pytest.CaptureFixture[str], course_copy: Path
) -> None:
    assert run(capsys, "check", "--course", str(course_copy))[0] == 0
    path = course_copy / "drip" / "environment.brix"
    path.write_text(path.read_text().replace("fail Unbound", "fail Unbond").replace("by v", "by w"))
    status, out, _ = run(capsys, "check", "--course", str(course_copy))
    assert status == 4
    assert "drip/environment.brix:16:41: error unknown_error" in out
    assert "→ did you mean Unbound?" in out
    assert "unknown_name" in out
    data = json.loads(run(capsys, "check", "--json", "--course", str(course_copy))[1])
    assert {found["code"] for found in data["findings"]} >= {"unknown_error", "unknown_name"}


def test_test_prints_expected_against_actual(
    capsys: pytest.CaptureFixture[str], course_copy: Path
) -> None:
    leave_only(course_copy, "drip", "weir")
    status, out, _ = run(capsys, "test", "--course", str(course_copy))
    suites = list(course_copy.rglob("*.suite.toml"))
    assert (status, out.count(" 0 failed")) == (0, len(suites))
    path = course_copy / "drip" / "drip.brix"
    path.write_text(path.read_text().replace('left    "+"', 'right   "+"'))
    status, out, _ = run(capsys, "test", "--course", str(course_copy))
    assert status == 1
    assert "✗ subtraction nests to the left" in out
    assert "    by_name, environment, rewriting\n      expected  5\n      but got   9\n" in out


USAGE = [
    (("run",), "name a program"),
    (("run", "nowhere.drip"), "nowhere.drip"),
    (("run", "-e", "1", "--language", "Drop"), "did you mean Drip?"),
    (("run", "-e", "1", "--language", "Drip", "--with", "enviroment"), "did you mean environment?"),
    (("run", "-e", "1", "--language", "Drip", "--bind", "x"), "write NAME=EXPR"),
    (("run", "-e", "1", "--language", "Drip", "--bind", "x=y"), "x"),
    (("run", "-e", "1", "x.drip"), "not both"),
    (("steps", "-e", "1", "--calls", "0"), "at least 1"),
    (("check", "--course", "/nowhere"), "is no course"),
    (("check", "."), ". is a folder; a course is named by --course FOLDER"),
    (("test", "."), "is a folder; a course is named by --course FOLDER"),
    (("test", "nowhere.suite.toml"), "there is no suite"),
    (
        ("mistakes", "Rill"),
        "embrix: mistakes does nothing with Rill; it is told "
        "a language by --language NAME, a lane by --with LANE",
    ),
    (("hunt", "--lane", "x"), "hunt has no option --lane; did you mean --with?"),
    (("run", "-e", "1", "--langauge=Drip"), "did you mean --language?"),
    (("grammar", "--language", "Drip"), "write LANGUAGE without it: embrix grammar LANGUAGE"),
    (("changed", ""), "embrix: changed does nothing with an empty word\n"),
    (("changed", "Drip"), "embrix: changed does nothing with Drip\n"),
    (("explain", "swaped_fields"), "did you mean swapped_fields?"),
]


@pytest.mark.parametrize(("words", "told"), USAGE)
def test_a_wrong_command_line_is_told_what_is_wrong(
    capsys: pytest.CaptureFixture[str], words: tuple[str, ...], told: str
) -> None:
    status, _, err = run(capsys, *words)
    assert status == 2
    assert told in err


def test_codes_are_explained(capsys: pytest.CaptureFixture[str]) -> None:
    assert "name of another field" in run(capsys, "explain", "swapped_fields")[1]
    assert "missing_clause:" in run(capsys, "explain")[1]


def test_the_module_is_the_command(course_copy: Path) -> None:
    """`python -m embrix` answers like `embrix`; without a terminal the workbench says so."""
    words = [sys.executable, "-m", "embrix"]
    done = subprocess.run(
        [*words, "run", "-e", "6 * 7", "--language", "Drip", "--with", "by_name"],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.stdout == "42\n"
    for more in ([], ["open", str(course_copy)], [str(course_copy)]):
        done = subprocess.run(
            [*words, *more], capture_output=True, text=True, check=False, stdin=subprocess.DEVNULL
        )
        assert done.returncode == 2
        assert "needs a terminal" in done.stderr


def test_the_user_gets_a_copy_that_stays(own_folders: Path) -> None:
    """The shipped course is copied once; what the user changed there is never overwritten."""
    from embrix.course.load import load_course
    from embrix.course.shipped import writable_copy

    first = writable_copy()
    program = first / "drip" / "programs" / "toll.drip"
    program.write_text("1 + 1\n")
    assert writable_copy() == first
    assert program.read_text() == "1 + 1\n"
    assert load_course(first).diagnostics == ()
    assert [p.name for p in first.parent.iterdir()] == ["lockside"]


def test_format_writes_what_was_meant_and_nothing_else(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    path = course_copy / "rill" / "by_need.brix"
    before = path.read_text()
    assert main(["format", "--check", str(path)]) == 1
    assert path.read_text() == before
    assert main(["format", str(path)]) == 0
    once = path.read_text()
    assert once != before
    assert main(["format", str(path)]) == 0
    assert path.read_text() == once
    broken = course_copy / "rill" / "by_name.brix"
    broken.write_text("interpreter (\n")
    assert main(["format", "--course", str(course_copy)]) == 4
    assert broken.read_text() == "interpreter (\n"
    assert "left as it is" in capsys.readouterr().out
    monkeypatch.chdir(course_copy.parent)
    assert main(["format"]) == 2
    assert "no course here" in capsys.readouterr().err


def test_a_hunt_leaves_nothing_in_the_present_folder(tmp_path: Path, lockside: Course) -> None:
    command = [sys.executable, "-m", "embrix", "hunt", "--language", "Drip", "--course",
               str(lockside.folder), "--with", "environment", "--with", "by_name"]  # fmt: skip
    done = subprocess.run([*command, "--most", "20"], cwd=tmp_path, check=False,
                          capture_output=True, text=True)  # fmt: skip
    assert "programs" in done.stdout, done.stderr
    assert list(tmp_path.iterdir()) == []


BARE = """language Bare
  extension "bare"
tokens
  number  /[0-9]+/  as Number
  skip    / +/
"""


def test_tokens_are_tried_before_there_is_a_grammar(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "course.toml").write_text('title = "bare"\n')
    (tmp_path / "bare.brix").write_text(BARE)
    monkeypatch.chdir(tmp_path)
    code, out, err = run(capsys, "parse", "-e", "1 22", "--tokens")
    assert (code, err) == (0, "")
    assert [line.split() for line in out.splitlines()] == [
        ["1:1", "number", "1"], ["1:3", "number", "22"],
    ]  # fmt: skip
    code, out, err = run(capsys, "parse", "-e", "1 x", "--tokens")
    assert code == 3
    assert "no token begins with `x`" in err
    assert "1:1" in out
    code, out, _ = run(capsys, "sketch", "-e", "1 22")
    assert "2 of 1 kind\n" in out
    assert "there are its tokens alone" in out
    (tmp_path / "bare.brix").write_text(f"{BARE}forms Expr\n  Lit(n: Number)\n")
    code, out, _ = run(capsys, "sketch", "-e", "1 22")
    assert "2 of 1 kind\n" in out
    assert "write term: and a term of its forms" in out


def test_what_is_no_command_file_or_folder_is_told(capsys: pytest.CaptureFixture[str]) -> None:
    for word, hint in (
        ("chek", "did you mean check?"),
        ("rates.rill", "embrix --help lists the commands"),
    ):
        assert main([word]) == 2
        told = f"embrix: there is no command, file or folder called {word}; {hint}\n"
        assert capsys.readouterr().err == told
