"""What the documents say is carried out: commands, examples of suites and grammars."""

from __future__ import annotations

import re
import textwrap
from pathlib import Path

import pytest

import embrix
from embrix.brix.built_in_calls import BUILT_IN
from embrix.brix.builtin_help import FUNCTIONS
from embrix.brix.builtins import BUILT_INS
from embrix.brix.language import check_language
from embrix.brix.reader import read_definition
from embrix.brix.syntax import LanguageSyntax
from embrix.checking.diagnostics import diagnostics
from embrix.checking.verdicts import check_suite
from embrix.cli.main import main, parser
from embrix.course.load import load_course
from embrix.course.replacing import replace_file
from embrix.grammar.lr import parser_of
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.suite.all_ways import all_words
from embrix.text.diagnostic import Findings
from embrix.text.source import Source
from tests.conftest import TINY_LANGUAGE, Maker, leave_only

ROOT = Path(embrix.__file__).parents[2]
pytestmark = pytest.mark.skipif(not (ROOT / "README.md").is_file(), reason="not a checkout")


def blocks(name: str) -> list[str]:
    """The code blocks of a document."""
    text = (ROOT / name).read_text()
    return [
        textwrap.dedent(found) for found in re.findall(r"^```\w*\n(.*?)^```", text, re.M | re.S)
    ]


def commands(name: str) -> list[str]:
    lines = [
        line.partition(" #")[0].strip() for block in blocks(name) for line in block.split("\n")
    ]
    return [line for line in lines if line.startswith("embrix ")]


def words(command: str) -> list[str]:
    import shlex

    return shlex.split(command)[1:]


DOCUMENTED = [
    command
    for name in (
        "README.md",
        "docs/grammars.md",
        "docs/checks.md",
        "docs/suites.md",
        "docs/lessons.md",
        "docs/pictures.md",
        "docs/comparing.md",
    )
    for command in commands(name)
]


@pytest.mark.parametrize("command", DOCUMENTED)
def test_every_command_of_the_documents_works(
    command: str, course_copy: Path, monkeypatch: pytest.MonkeyPatch, tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:  # fmt: skip
    """FILE stands for a program of the course, other.brix for another version of its language."""
    import io
    import sys

    used = [
        one
        for one in ("rill", "weir", "mere", "race")
        if f".{one}" in command.lower() or one.capitalize() in command
    ]
    used += ["rill"] if "FILE.brix" in command or "truth" in command else []
    leave_only(course_copy, "drip", *used)
    monkeypatch.chdir(course_copy)
    drip = course_copy / "drip" / "drip.brix"
    (tmp_path / "other.brix").write_text(drip.read_text().replace('left    "+"', 'right   "+"'))
    program = course_copy / "drip" / "programs" / "toll.drip"
    monkeypatch.setattr(sys, "stdin", io.StringIO("1 + 2\n?quit\n"))
    (tmp_path / "LINES.txt").write_text("30\n0\n")
    stands_for = {
        "FILE": program,
        "other.brix": tmp_path / "other.brix",
        "LINES.txt": tmp_path / "LINES.txt",
        "FILE.weir": course_copy / "weir" / "programs" / "tolls.weir",
        "FILE.brix": course_copy / "rill" / "by_need.brix",
        "FILE.rill": course_copy / "rill" / "programs" / "rates.rill",
        "NAMES.lesson.toml": course_copy / "drip" / "names.lesson.toml",
        "SLIDES.html": tmp_path / "slides.html",
        **{f"SHEET.{one}": tmp_path / f"sheet.{one}" for one in ("html", "pdf", "tex")},
        "FILE.race": course_copy / "race" / "programs" / "level.race",
        "FILE.xml": tmp_path / "report.xml",
        "RUN.walk.gz": tmp_path / "run.walk.gz",
        **{f"PICTURE.{one}": tmp_path / f"picture.{one}" for one in ("svg", "pdf", "tex")},
        "PAGE.html": tmp_path / "page.html",
        "PAGE.pdf": tmp_path / "page.pdf",
        "NEWFOLDER": tmp_path / "starter",
        "SUITE": course_copy / "drip" / "other.suite.toml",
        "CASE": "wrong on purpose",
        "ANSWERS.json": tmp_path / "answers.json",
    }
    (tmp_path / "answers.json").write_text('{"program": "2 * 3", "value": 6}')
    if "SUITE" in command:
        text = 'language = "Drip"\n[[case]]\nname = "wrong on purpose"\nprogram = "1"\nvalue = 2\n'
        stands_for["SUITE"].write_text(text)  # type: ignore[union-attr]
        if "--undo" in command:
            replace_file(course_copy / "drip" / "other.suite.toml", text, text + "# more\n")
    if command.endswith("--to FILE"):
        stands_for["FILE"] = tmp_path / "report.html"
    older = f"{used[0] if used else 'drip'}/environment.brix"
    found = [str(stands_for.get(one, one)).replace("OLDER.brix", older) for one in words(command)]
    status = main(found)
    captured = capsys.readouterr()
    differs = "--against" in found and "other.brix" in command
    differs = differs or (found[0] in ("compare", "hunt", "differences") and status == 1)
    if "--descent" in found:
        assert "is not LL(1)" in captured.err
    elif "OTHER" in found:
        assert status == 2
    else:
        assert status == int(differs), captured.err
        assert captured.out


def test_the_readme_names_every_command() -> None:
    """Nothing on the command line is undocumented."""
    text = "".join((ROOT / name).read_text() for name in ("README.md", "docs/grammars.md"))
    actions = parser()._subparsers
    assert actions is not None
    names = [str(choice) for action in actions._group_actions for choice in action.choices or ()]
    assert {"open", "check", "run", "steps", "test", "parse", "grammar", "repl"} <= set(names)
    for name in names:
        assert f"embrix {name}" in text, name


def test_the_suites_of_the_documents_hold(course_copy: Path) -> None:
    """They are read without complaint, and every case holds."""
    shown = [b for b in blocks("docs/suites.md") if "[[case]]" in b or "[[question]]" in b]
    path = course_copy / "documents.suite.toml"
    counts = []
    for block in shown:
        language = "Weir" if "assignment" in block else "Race" if "beside" in block else "Drip"
        text = block if block.startswith("language") else f'language = "{language}"\n{block}'
        path.write_text(text)
        (course_copy / "programs").mkdir(exist_ok=True)
        report = check_suite(Session(course_copy), path, ask=True)
        assert report.diagnostics == []
        failed = [v for case in report.cases for v in case.verdicts if v.state == "failed"]
        assert failed == []
        counts.append((len(report.cases), len(report.questions)))
    assert counts == [(5, 0), (1, 0), (1, 0), (3, 0), (0, 1), (1, 0)]


def test_the_grammar_of_the_documents_is_a_language() -> None:
    """The pieces that the page about the notation shows make one language together."""
    shown = blocks("docs/notation.md")
    tokens = next(b for b in shown if b.startswith("tokens"))
    forms = (
        "forms Expr\n  Lit(n: Number)\n  Add(left: Expr, right: Expr)\n"
        "  Sub(left: Expr, right: Expr)\n  Neg(arg: Expr)\n"
        + next(b for b in shown if b.startswith("forms")).split("\n", 1)[1]
    )
    grammar = next(b for b in shown if b.startswith("grammar"))
    findings = Findings()
    text = f"language Drip\n\n{tokens}\n{forms}\n{grammar}"
    syntax = read_definition(Source("doc", text), findings)
    assert isinstance(syntax, LanguageSyntax)
    checked = check_language(syntax, findings)
    assert [d.message for d in findings.sorted()] == []
    assert checked.grammar is not None


def test_the_extension_of_the_documents_is_a_language(course_copy: Path) -> None:
    shown = blocks("docs/notation.md")
    (course_copy / "wider.brix").write_text(next(b for b in shown if b.startswith("language W")))
    course = load_course(course_copy)
    assert [d.message for d in course.diagnostics] == []
    grammar = course.languages["Wider"].grammar
    assert grammar is not None
    assert isinstance(parser_of(grammar).parse('1 mod "a"'), Parsed)


def test_links_and_pictures_of_the_documents_exist() -> None:
    for path in [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]:
        for link in re.findall(r"\]\(([^)#:]+)\)", path.read_text()):
            assert (path.parent / link).exists(), f"{path.name}: {link}"


def test_no_document_or_module_holds_a_path_of_a_machine() -> None:
    pattern = re.compile(r"/(?:home|root|work|Users)/[a-z]")
    files = [*ROOT.glob("*.md"), *(ROOT / "docs").rglob("*.md"), *(ROOT / "src").rglob("*.py")]
    for path in files:
        assert not pattern.search(path.read_text()), path


REFERENCE = (ROOT / "docs" / "reference.md").read_text()


def test_the_reference_is_carried_out(tmp_path: Path) -> None:
    """Every definition of the reference is sound, and every program gives what is written."""
    (tmp_path / "course.toml").write_text('title = "reference"\n')
    runs: list[tuple[str, str, str]] = []
    several: list[tuple[str, str, str]] = []
    languages: dict[str, str] = {}
    lane = ""
    for kind, block in re.findall(r"```(\w*)\n(.*?)```", REFERENCE, re.S):
        if kind == "brix":
            word, name = block.split()[:2]
            (tmp_path / f"{name.lower()}.brix").write_text(block)
            if word == "interpreter":
                lane = name
                languages[name] = block.split()[3]
        elif " ⇉ " in block:
            for line in block.strip().split("\n"):
                program, expected = (part.strip() for part in line.split(" ⇉ "))
                several.append((lane, program, expected))
        elif " → " in block:
            for line in block.strip().split("\n"):
                program, expected = (part.strip() for part in line.split(" → "))
                program, _, other = program.partition("   with ")
                runs.append((other or lane, program, expected))
    session = Session(tmp_path)
    assert [d.message for d in diagnostics(session).findings] == []
    assert len(runs) > 12
    for name, program, expected in runs:
        result = session.lane(languages[name.partition("[")[0]], name).run(program)
        assert result.outcome.sentence == expected, (name, program)
    assert several
    for name, program, expected in several:
        found = all_words(session.lane(languages[name], name).explore(program))
        assert sorted(found) == sorted(expected.split(", ")), (name, program)


def test_the_table_of_mistakes_is_what_the_command_prints(
    capsys: pytest.CaptureFixture[str],
) -> None:
    """For two interpreters; the command prints the rest of the table in the same way."""
    text = (ROOT / "docs" / "checks.md").read_text()
    rows = [line for line in text.split("\n") if re.match(r"\| \w+\.\w+ \| \d", line)]
    assert len(rows) >= 40
    for language, name in (("Drip", "environment"), ("Rill", "by_need")):
        course = str(Path(embrix.__file__).parent / "demo" / "lockside")
        main(["mistakes", "--course", course, "--language", language, "--with", name,
              "--most", "4", "--table"])  # fmt: skip
        printed = capsys.readouterr().out.strip().split("\n")
        assert printed == [row for row in rows if row.startswith(f"| {language}.{name} ")]


CALLING = """\
interpreter calling for Tiny
main run
define run(p: Expr) -> Text
  shown(p, held(empty))
define held(m: Map[Text, Number]) -> Map[Text, Number]
  m with "a" = 1
define shown(p: Expr, m: Map[Text, Number]) -> Text
  let Let(x, bound, body) = p
  let v = EXAMPLE
  "{v}"
define step(e: Expr) -> Expr by e
  final Lit(_)
  Var(x) => e
"""


def test_every_built_in_function_does_what_its_example_says(make_course: Maker) -> None:
    lanes = {
        f"of_{name}": CALLING.replace("EXAMPLE", one.example).replace("calling", f"of_{name}", 1)
        for name, one in FUNCTIONS.items()
    }
    session = Session(make_course(tiny=TINY_LANGUAGE, **lanes).folder)
    for name, one in FUNCTIONS.items():
        outcome = session.lane("Tiny", f"of_{name}").run("let x = 1 in x + y").outcome
        assert outcome.text == one.gives
        assert f"- `{one.call}`: {one.meaning}. `{one.example}` gives `{one.gives}`." in REFERENCE


def test_every_built_in_function_has_help() -> None:
    assert set(FUNCTIONS) == (set(BUILT_INS) | set(BUILT_IN)) - {"empty"}
