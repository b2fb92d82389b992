"""`import embrix`: the examples of the docs, and what they leave out."""

from __future__ import annotations

import doctest
import subprocess
import sys
from pathlib import Path

import pytest

import embrix

DOCS = Path(__file__).resolve().parents[2] / "docs" / "library.md"


def test_the_examples_of_the_docs_are_so() -> None:
    found = doctest.testfile(
        str(DOCS), module_relative=False, optionflags=doctest.IGNORE_EXCEPTION_DETAIL
    )
    assert (found.failed, found.attempted > 8) == (0, True)


def test_what_is_missing_is_told(tmp_path: Path) -> None:
    with pytest.raises(embrix.NotFound, match="no folder"):
        embrix.load(tmp_path / "nowhere")
    course = embrix.demo()
    with pytest.raises(embrix.NotFound, match="no language Drop"):
        course.lanes("Drop")
    with pytest.raises(embrix.NotFound, match="no suite"):
        course.check_suite("nothing.suite.toml")
    with pytest.raises(embrix.BadValue, match="n"):
        course.lane("Drip", "environment").run("n", names={"n": "1 +"})


def test_problems_and_verdicts_of_a_faulty_course(course_copy: Path) -> None:
    suite = course_copy / "drip" / "drip.suite.toml"
    suite.write_text('language = "Drip"\n[[case]]\nname = "a"\nprogram = "1 + 1"\nvalue = 3\n')
    file = course_copy / "drip" / "by_name.brix"
    file.write_text(file.read_text().replace("fail Unbound(x)", "fail Unbund(x)"))
    course = embrix.load(course_copy)
    (problem,) = (one for one in course.problems() if one.severity == "error")
    assert (problem.file, problem.code) == ("drip/by_name.brix", "unknown_error")
    assert (
        file.read_text()
        .split("\n")[problem.line - 1][problem.column - 1 :]
        .startswith("fail Unbund")
    )
    lane = course.lane("Drip", "by_name")
    assert lane.run("1 + 1").text == "2"
    assert lane.run("x").kind == "unfinished"
    with pytest.raises(embrix.NotFound):
        course.lane("Drip", "by_need")
    verdicts = course.check_suite("drip/drip.suite.toml")
    assert {(v.lane, v.state, v.expected, v.actual) for v in verdicts if v.state == "failed"} == {
        (name, "failed", "3", "2") for name in ("by_name", "environment", "rewriting")
    }


def test_a_run_is_bounded_and_tells_names_and_output() -> None:
    course = embrix.demo()
    lane = course.lane("Rill", "environment")
    assert lane.run("let f of x = f (x + 1) in f 0", calls=1_000).kind == "out of fuel"
    names = [step.names for step in lane.walk("let a = 2 in a")]
    assert (("a", "2"),) in names
    said = course.lane("Weir", "store_passing").run("new a := 1; show a; show a + 1")
    assert (said.ok, said.output) == (True, "1\n2\n")


def test_importing_the_package_reads_nothing_of_the_library() -> None:
    code = "import sys, embrix; print(len([m for m in sys.modules if m.startswith('embrix')]))"
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert out.stdout.strip() == "1"


@pytest.mark.parametrize(
    ("command", "left_out"),
    [
        (["run", "-e", "1 + 2", "--language", "Drip"],
         ["lessons", "checking", "documents", "draw", "tui", "trace.walk", "services.prompt"]),
        (["explain"], ["services", "documents", "tui", "draw"]),
        (["--version"], ["machine.run", "course.load", "brix.reader"]),
    ],
)  # fmt: skip
def test_a_command_reads_only_the_modules_that_it_needs(
    command: list[str], left_out: list[str]
) -> None:
    code = (
        "import sys; from embrix.cli.main import main\n"
        "try: main(sys.argv[1:])\n"
        "except SystemExit: pass\n"
        "print(*sys.modules, sep='\\n')"
    )
    done = subprocess.run([sys.executable, "-c", code, *command], capture_output=True, text=True,
                          check=True)  # fmt: skip
    known = set(done.stdout.split())
    assert "embrix.cli.main" in known
    assert not known & {f"embrix.{name}" for name in left_out}
    assert not known & {"textual", "filelock", "wcwidth"}
