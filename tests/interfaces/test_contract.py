"""What scripts and shells may rely on: exit statuses, what goes to which stream, whatever is
printed being harmless."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from embrix.cli import stepping
from embrix.cli.main import main, texts_attached
from tests.conftest import TINY_LANGUAGE, leave_only
from tests.interfaces.test_cli import run

Capture = pytest.CaptureFixture[str]
EVAL = """\
interpreter only for Tiny
value V
  N(n: Number)
main run
define run(p: Expr) -> V by p
  Lit(n) => N(n)
  _      => todo "the rest"
"""


@pytest.fixture
def tiny(tmp_path: Path) -> Path:
    """A course with one language, and no interpreter yet."""
    (tmp_path / "course.toml").write_text('title = "tiny"\n')
    (tmp_path / "tiny.brix").write_text(TINY_LANGUAGE)
    return tmp_path


STATUSES = [
    (("run", "-e", "1 + 2", "--with", "environment"), 0),
    (("run", "-e", "1 / 0", "--with", "environment"), 1),
    (("run", "-e", "1 +", "--with", "environment"), 3),
    (("run", "-e", "1 $ 2"), 3),
    (("run", "-e", "1", "--with", "nobody"), 2),
    (("steps", "-e", "1 / 0", "--with", "rewriting"), 1),
    (("steps", "-e", "(1", "--with", "rewriting"), 3),
    (("walk", "-e", "1 + ", "--with", "environment"), 3),
    (("walk", "-e", "1", "--with", "environment", "--find", "text=xyz"), 1),
    (("compare", "-e", "1 1"), 3),
    (("compare", "-e", "let x = 1 / 0 in 2"), 1),
    (("parse", "-e", "1 + ("), 3),
    (("parse", "-e", "1 + 1"), 0),
    (("check",), 0),
    (("test", "--with", "environment"), 0),
    (("nonsense",), 2),
]


@pytest.mark.parametrize(("words", "wanted"), STATUSES)
def test_statuses(
    words: tuple[str, ...], wanted: int, course_copy: Path, monkeypatch: pytest.MonkeyPatch,
    capsys: Capture,
) -> None:  # fmt: skip
    leave_only(course_copy, "drip")
    monkeypatch.chdir(course_copy)
    assert run(capsys, *words)[0] == wanted


def test_a_faulty_definition_has_a_status_of_its_own(
    tiny: Path, monkeypatch: pytest.MonkeyPatch, capsys: Capture
) -> None:
    monkeypatch.chdir(tiny)
    (tiny / "bad.brix").write_text(EVAL.replace("N(n)\n  _", "M(n)\n  _"))
    for words in (("check",), ("run", "-e", "1"), ("steps", "-e", "1"), ("run", "-e", "1", "--with",
                                                                        "only")):  # fmt: skip
        assert run(capsys, *words)[0] == 4, words
    (tiny / "tiny.brix").write_text(TINY_LANGUAGE.replace("makes Add", "makes Ad"))
    assert run(capsys, "check")[0] == 4
    # What is not wrong is read all the same.
    assert run(capsys, "parse", "-e", "1")[0] == 0
    status, _, err = run(capsys, "parse", "-e", "1 + 1")
    assert status == 3
    assert err.endswith("what Sum makes is still to be written\n")


def test_faults_of_our_own_are_told_and_written_down(
    monkeypatch: pytest.MonkeyPatch, capsys: Capture
) -> None:
    from embrix.cli import findings
    from embrix.text.log import log_file

    def fails(_: object) -> int:
        raise ZeroDivisionError("made up")

    monkeypatch.setattr(findings, "explain", fails)
    import logging

    logging.getLogger("embrix").handlers.clear()
    status, _, err = run(capsys, "explain")
    assert status == 70
    assert "internal error, see " in err
    assert "Traceback" not in err
    assert "ZeroDivisionError: made up" in log_file().read_text()
    logging.getLogger("embrix").handlers.clear()


def test_what_a_program_writes_stands_alone_on_standard_output(
    course_copy: Path, capsys: Capture
) -> None:
    words = ("run", "--language", "Weir", "--with", "store_passing", "--course", str(course_copy))
    status, out, err = run(capsys, *words, "-e", "show 1; show 2; show 1 / 0")
    assert (status, out) == (1, "1\n2\n")
    assert err.startswith("DivisionByZero: ")
    status, out, err = run(capsys, *words, "-e", "show 7")
    assert (status, out, err.splitlines()[0]) == (0, "7\n", "done")
    status, out, err = run(capsys, *words, "-e", "new x := 1")
    assert (status, out) == (0, "")
    assert "nothing was emitted" in err


def test_streams_keep_their_order(course_copy: Path, tmp_path: Path) -> None:
    """Both streams into one file, as a shell does with 2>&1."""
    target = tmp_path / "both.txt"
    with target.open("w") as both:
        subprocess.run(
            [sys.executable, "-m", "embrix", "run", "--language", "Weir", "--course",
             str(course_copy), "-e", "show 1; show 1 / 0"],
            stdout=both, stderr=both, check=False,
        )  # fmt: skip
    lines = target.read_text().splitlines()
    assert lines[0] == "1"
    assert "DivisionByZero" in lines[1]
    assert lines.index("1", 2) > 2


def test_a_program_that_is_rejected_is_told_once(capsys: Capture) -> None:
    status, out, err = run(capsys, "run", "-e", "1 +", "--language", "Drip")
    assert (status, out) == (3, "")
    assert err.count("rejected") == 1
    assert "rewriting" not in err
    err = run(capsys, "compare", "-e", "1 +", "--language", "Drip")[2]
    assert err.count("rejected") == 1


@pytest.mark.parametrize("program", ["-1*2", "-1 * 2", "--1", "-x", "-e"])
def test_programs_may_begin_with_a_minus_sign(program: str) -> None:
    assert texts_attached(["run", "-e", program, "--json"]) == ["run", f"-e{program}", "--json"]


def test_a_negative_number_runs(capsys: Capture) -> None:
    words = ("run", "-e", "-1*2", "--language", "Drip", "--with", "environment")
    assert run(capsys, *words) == (0, "-2\n", "")


def test_names_that_are_supplied_in_vain_are_told(capsys: Capture) -> None:
    words = ("run", "--language", "Drip", "--with", "environment", "--bind", "z=1")
    status, out, err = run(capsys, *words, "-e", "1 + 1")
    assert (status, out, err) == (0, "2\n", "embrix: --bind z is not used by the program\n")
    used = ("--bind", "y=z + 1")
    assert run(capsys, *words, *used, "-e", "y") == (0, "2\n", "")


def test_the_only_language_needs_no_name(
    tiny: Path, monkeypatch: pytest.MonkeyPatch, capsys: Capture
) -> None:
    (tiny / "only.brix").write_text(EVAL)
    (tiny / "program.txt").write_text("7")
    monkeypatch.chdir(tiny)
    assert run(capsys, "run", "program.txt")[:2] == (0, "N(7)\n")


# ---------------------------------------------------------------------- unfinished courses


def test_a_language_without_an_interpreter(
    tiny: Path, monkeypatch: pytest.MonkeyPatch, capsys: Capture
) -> None:
    """Nothing is wrong with it: it is read, drawn and talked to; cases wait."""
    (tiny / "tiny.suite.toml").write_text(
        'language = "Tiny"\n[[case]]\nname = "one"\nprogram = "1"\nvalue = 1\n'
    )
    monkeypatch.chdir(tiny)
    status, out, err = run(capsys, "test")
    assert (status, err) == (0, "")
    assert "1 case on no interpreter" in out
    assert "1 waiting" in out
    status, _, err = run(capsys, "run", "-e", "1")
    assert status == 2
    assert "has no interpreter yet" in err
    status, out, _ = run(capsys, "draw", "tree", "-e", "1 + x")
    assert status == 0
    assert "Add" in out
    assert run(capsys, "draw", "tokens", "-e", "1 + x")[0] == 0
    assert "Tiny" in run(capsys, "check")[1]


def test_a_suite_without_lanes_takes_no_other_along(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch, capsys: Capture
) -> None:
    leave_only(course_copy, "drip")
    (course_copy / "tiny.brix").write_text(TINY_LANGUAGE)
    (course_copy / "tiny.suite.toml").write_text(
        'language = "Tiny"\n[[case]]\nname = "one"\nprogram = "1"\nvalue = 1\n'
    )
    monkeypatch.chdir(course_copy)
    status, out, _ = run(capsys, "test")
    assert status == 0
    assert "1 waiting" in out
    assert "cases on by_name, environment, rewriting" in out


def test_a_prompt_without_an_interpreter_reads(
    tiny: Path, monkeypatch: pytest.MonkeyPatch, capsys: Capture
) -> None:
    import io

    monkeypatch.chdir(tiny)
    monkeypatch.setattr(sys, "stdin", io.StringIO("1 + x\n?tokens\n?steps\n1 $\n?quit\n"))
    status, out, _ = run(capsys, "repl")
    assert status == 0
    assert "Add" in out
    assert "Tiny has no interpreter yet" in out
    assert "number" in out


def test_a_folder_with_definitions_is_worked_with(
    tiny: Path, monkeypatch: pytest.MonkeyPatch, capsys: Capture
) -> None:
    """Never the shipped course in its place."""
    (tiny / "course.toml").unlink()
    monkeypatch.chdir(tiny)
    status, out, err = run(capsys, "check")
    assert status == 0
    assert "Tiny" in out
    assert "Drip" not in out
    assert "has no course.toml: working with the files in it" in err
    (tiny / "deeper" / "still").mkdir(parents=True)
    (tiny / "tiny.brix").rename(tiny / "deeper" / "still" / "tiny.brix")
    assert "Tiny" in run(capsys, "check")[1]
    (tiny / "deeper" / "still" / "tiny.brix").write_text("language Tiny (\n")
    assert run(capsys, "check")[0] == 4


def test_steps_say_why_there_are_none(
    tiny: Path, monkeypatch: pytest.MonkeyPatch, capsys: Capture
) -> None:
    (tiny / "only.brix").write_text(EVAL)
    monkeypatch.chdir(tiny)
    status, out, err = run(capsys, "steps", "-e", "1")
    assert (status, out) == (0, "")
    assert "only has no `judgement` line and no `final` line" in err
    assert "only has no `judgement` line" in run(capsys, "check")[1]


# ---------------------------------------------------------------------- hostile surroundings

ESCAPES = "\x1b]0;owned\x07 \x1b[2J \x9b31m \u202e \x00"
STEERING = "\x1b\x07\x9b\u202e\x00\r"


def test_no_text_steers_the_terminal(
    tiny: Path, monkeypatch: pytest.MonkeyPatch, capsys: Capture
) -> None:
    """Titles, file names, names of cases and questions, programs, saved walks."""
    text = json.dumps(ESCAPES.replace("\x00", ""))
    (tiny / "course.toml").write_text(f"title = {text}\nnonsense = 1\n")
    (tiny / "only.brix").write_text(EVAL + f"# {ESCAPES.replace(chr(0), '')}\n@\n")
    odd = tiny / "a\x1b[31mb.suite.toml"
    odd.write_text(
        f'language = "Tiny"\n[[case]]\nname = {text}\nprogram = "1"\nvalue = 2\n'
        f'[[question]]\nname = {text}\nprogram = "1"\nanswers.one = 1\n'
    )
    monkeypatch.chdir(tiny)
    (tiny / "bad.brix").write_text(f"language {ESCAPES}\n")
    for words in (("check",), ("test",), ("questions",), ("run", "-e", ESCAPES.replace("\x00", "")),
                  ("grammar",), ("parse", "-e", f"1 + {ESCAPES[:9]}"), ("changed",),
                  ("draw", "tokens", "-e", "\x1b[31m")):  # fmt: skip
        _, out, err = run(capsys, *words)
        assert not any(sign in out + err for sign in STEERING), words
    for form, ending in (("html", "html"), ("tap", "txt"), ("json", "json"), ("junit", "xml")):
        target = tiny / f"report.{ending}"
        run(capsys, "test", "--report", form, "--to", str(target))
        allowed = "\x9b\u202e" if form == "junit" else ""  # XML is read, not shown
        text = target.read_text(encoding="utf-8")
        assert not any(sign in text for sign in STEERING if sign not in allowed), form
    assert "owned" in (tiny / "report.json").read_text()
    found = json.loads((tiny / "report.json").read_text())
    assert found["suites"][0]["cases"][0]["name"] == ESCAPES.replace("\x00", "")


def test_every_printing_place_goes_through_the_safe_streams() -> None:
    """Nothing prints around them: no raw descriptor, no `sys.__stdout__`, no `.buffer`."""
    import embrix

    folder = Path(embrix.__file__).parent / "cli"
    for path in folder.glob("*.py"):
        text = path.read_text()
        if path.name != "streams.py":
            for way in ("__stdout__", "__stderr__", ".buffer", "os.write("):
                assert way not in text, path.name


def shell(line: str, folder: Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        ["sh", "-c", line], cwd=folder, capture_output=True, text=True, check=False,
        env={**os.environ, "E": f"{sys.executable} -m embrix"}, timeout=120,
    )  # fmt: skip


def test_closed_and_full_streams(tmp_path: Path) -> None:
    done = shell("$E explain >&-; echo $?", tmp_path)
    assert done.stdout == "0\n"
    done = shell("$E explain > /dev/full; echo $?", tmp_path)
    assert done.stdout == "1\n"
    assert "nothing can be written: No space left on device" in done.stderr
    assert "Traceback" not in done.stderr
    done = shell("{ $E explain; echo $? >&2; } | head -n 1", tmp_path)
    assert done.stderr.strip() in ("141", "0")
    assert "Traceback" not in shell("$E explain nonsense 2>&-; true", tmp_path).stdout


def test_a_folder_that_is_gone(tmp_path: Path) -> None:
    done = shell("mkdir gone; cd gone; rmdir ../gone; $E check; echo $?", tmp_path)
    assert done.stdout == "2\n"
    assert "the folder you are in is gone" in done.stderr


def test_main_puts_the_streams_back(capsys: Capture) -> None:
    before = sys.stdout, sys.stderr
    assert main(["explain", "missing_clause"]) == 0
    assert (sys.stdout, sys.stderr) == before
    capsys.readouterr()


@pytest.mark.parametrize(
    "words",
    [
        ("draw", "tree", "--language", "Drip", "FILE"),
        ("draw", "--language", "Drip", "tree", "FILE"),
        ("run", "FILE", "--language", "Drip"), ("run", "--language", "Drip", "FILE"),
        ("accept", "SUITE", "--json", "no such case"),
    ],
)  # fmt: skip
def test_options_stand_anywhere(words: tuple[str, ...], course_copy: Path, capsys: Capture) -> None:
    leave_only(course_copy, "drip")
    stands = {"FILE": str(course_copy / "drip" / "programs" / "toll.drip"),
              "SUITE": str(course_copy / "drip" / "drip.suite.toml")}  # fmt: skip
    _, _, err = run(
        capsys, *(stands.get(word, word) for word in words), "--course", str(course_copy)
    )
    assert "does nothing with" not in err


def test_steps_of_a_long_run_end_and_say_so(
    course_copy: Path, capsys: Capture, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Six hundred terms make judgements about parts of up to six hundred."""
    leave_only(course_copy, "drip")
    monkeypatch.setattr(stepping, "MOST_PRINTED", 50_000)
    text = " + ".join(["1"] * 600)
    status, out, err = run(
        capsys, "steps", "-e", text, "--with", "environment", "--course", str(course_copy)
    )
    assert status == 0
    assert 50_000 < len(out) < 60_000
    assert "more lines; embrix walk prints any of them" in err
    count = len(out.splitlines())
    assert f"{1_199 - count:,} more lines" in err
    again = run(
        capsys, "steps", "-e", text, "--with", "environment", "--course", str(course_copy), "--json"
    )
    assert len(json.loads(again[1])["steps"]) == count
    assert "more lines" in again[2]


@pytest.mark.parametrize("command", ["check", "questions"])
def test_a_folder_without_a_course_is_said_to_have_none(
    command: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: Capture
) -> None:
    monkeypatch.chdir(tmp_path)
    _, _, err = run(capsys, command, *(("--language", "Drip") if command != "check" else ()))
    assert "there is no course here: this is about the shipped one" in err


def test_a_course_inside_a_course_is_one_of_its_own(
    tiny: Path, capsys: Capture, monkeypatch: pytest.MonkeyPatch
) -> None:
    inner = tiny / "inner"
    inner.mkdir()
    (inner / "course.toml").write_text('title = "inner"\n')
    (inner / "aside.brix").write_text(TINY_LANGUAGE.replace("Tiny", "Aside"))
    monkeypatch.chdir(tiny)
    assert "Aside" not in run(capsys, "check")[1]
    monkeypatch.chdir(inner)
    assert "inner: Aside with no interpreter" in run(capsys, "check")[1]


def test_the_lanes_named_say_which_language_is_meant(
    tiny: Path, capsys: Capture, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tiny / "aside.brix").write_text(TINY_LANGUAGE.replace("Tiny", "Aside"))
    (tiny / "only.brix").write_text(EVAL)
    monkeypatch.chdir(tiny)
    assert run(capsys, "run", "-e", "1", "--with", "only") == (0, "N(1)\n", "")
    status, _, err = run(capsys, "run", "-e", "1", "--language", "Aside", "--with", "only")
    assert (status, err) == (2, "embrix: Aside has no interpreter called only; there are: none\n")
