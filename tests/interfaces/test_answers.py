"""What `--json` prints: one document that fits its schema, whatever is asked."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from embrix.cli.main import commands_in, parser
from embrix.cli.schemas import ANSWERS, as_json, schema_of
from tests.conftest import leave_only
from tests.interfaces.test_cli import run

SCHEMAS = Path(__file__).resolve().parent.parent.parent / "docs" / "schemas"
TWO = ("--with", "environment", "--with", "rewriting")

ASKED = [
    ("check",),
    ("run", "-e", "1 / 0"),
    ("run", "-e", "1 + 2", "--with", "environment"),
    ("run", "-e", "1 +"),
    ("steps", "-e", "1 + 2", "--with", "rewriting"),
    ("steps", "-e", "1 / 0"),
    ("compare", "-e", "let a = 1 / 0 in 2"),
    ("growth", "-e", "1 + n", "--over", "n=1..4"),
    ("hunt", *TWO, "--most", "30"),
    ("hunt", "--with", "environment", "--with", "by_name", "--most", "300"),
    ("parse", "-e", "let a = 1 in -a"),
    ("parse", "-e", "1 + * 2 § )"),
    ("parse", "-e", "1 + 2", "--tokens"),
    ("parse", "-e", "1 + 2", "--derivation"),
    ("parse", "-e", "1 + 2", "--shifts"),
    ("parse", "-e", "1+2", "--back"),
    ("sketch", "-e", "1 + 2"),
    ("sketch", "-e", "1 +"),
    ("grammar",),
    ("grammar", "--sets", "--items"),
    ("grammar", "--decisions"),
    ("grammar", "--cases"),
    ("grammar", "--ebnf", "iso"),
    ("grammar", "Drip", "--against", "Sum"),
    ("questions",),
    ("changed",),
    ("uncovered",),
    ("differences", "Drip.environment", "Drip.by_name"),
    ("mistakes", "--most", "2", "--with", "environment"),
    ("allow",),
    ("format", "--check"),
    ("explain",),
    ("explain", "unknown_word"),
    ("draw", "tree", "-e", "1 + 2"),
]


def whole_schema(command: str) -> Any:
    return json.loads((SCHEMAS / f"{command}.schema.json").read_text())


@pytest.fixture(scope="module")
def drip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The shipped course with one language only."""
    import shutil

    from embrix.course.shipped import shipped_course

    target = tmp_path_factory.mktemp("answers") / "lockside"
    shutil.copytree(shipped_course(), target)
    leave_only(target, "drip")
    return target


@pytest.mark.parametrize("words", ASKED, ids=" ".join)
def test_answers_fit_their_schemas(
    words: tuple[str, ...], drip: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    status, out, _ = run(capsys, words[0], "--course", str(drip), *words[1:], "--json")
    assert status in (0, 1, 3)
    assert out.isascii()
    jsonschema.validate(json.loads(out), whole_schema(words[0]))


def test_files_that_are_written_are_told(
    drip: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    for words, files in (
        (("draw", "tree", "-e", "1 + 2", "--to", str(tmp_path / "t.svg")), ["t.svg"]),
        (("handout", "--to", str(tmp_path / "h.html")), ["h.html"]),
        (("starter", "--language", "Drip", "--with", "environment", "--without", "Mul", "--to",
          str(tmp_path / "s")), None),
    ):  # fmt: skip
        status, out, _ = run(capsys, words[0], "--course", str(drip), *words[1:], "--json")
        assert status == 0
        answer = json.loads(out)
        jsonschema.validate(answer, whole_schema(words[0]))
        assert all(Path(name).is_file() for name in answer["files"])
        if files is not None:
            assert [Path(name).name for name in answer["files"]] == files


def test_accepting_tells_what_changes_and_whether_it_is_written(
    course_copy: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    leave_only(course_copy, "drip")
    suite = course_copy / "drip" / "drip.suite.toml"
    suite.write_text('language = "Drip"\n[[case]]\nname = "a"\nprogram = "1 + 2"\nvalue = 4\n')
    for extra, written in (((), False), (("--yes",), True)):
        words = ("accept", str(suite), "a", *extra, "--json")
        status, out, _ = run(capsys, *words, "--course", str(course_copy))
        answer = json.loads(out)
        jsonschema.validate(answer, whole_schema("accept"))
        assert (status, answer["written"]) == (0, written)
        assert "+value = 3" in answer["changes"]
        assert ("value = 3" in suite.read_text()) is written


def test_schemas_are_those_of_the_types() -> None:
    """`./dev schemas` writes them anew."""
    for command in ANSWERS:
        assert whole_schema(command) == json.loads(json.dumps(schema_of(command)))


def test_every_command_that_answers_takes_json() -> None:
    """All but the ones that open something."""
    commands = commands_in(parser())
    with_json = {
        name
        for name, sub in commands.items()
        if any("--json" in action.option_strings for action in sub._actions)
    }
    assert set(commands) - with_json == {"open", "repl"}
    assert with_json == {*ANSWERS, "test", "walk"}


def test_what_does_not_fit_is_not_printed() -> None:
    with pytest.raises(Exception, match="unknown field"):
        as_json("allow", [{"name": "a", "surprise": 1}])
