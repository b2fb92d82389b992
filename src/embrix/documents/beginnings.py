"""Files to begin with: a course, a language, an interpreter, a suite, a program. They check, they
run, and the suite has a case that passes. Nothing is overwritten."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Mapping
from pathlib import Path

from embrix.brix.format import formatted
from embrix.course.finding import COURSE_FILE
from embrix.course.load import Course
from embrix.documents.skeleton import STRATEGIES, skeleton
from embrix.lanes.session import Session
from embrix.text.saving import save_text
from embrix.text.source import Source
from embrix.text.suggest import did_you_mean
from embrix.text.toml_text import toml_text

NAMES = {
    "language": (r"[A-Z][A-Za-z0-9]*", "begins with a capital, letters and digits follow"),
    "interpreter": (r"[a-z][a-z0-9_]*", "is of small letters, digits and _"),
    "suite": (r"[A-Za-z0-9_-]+", "is of letters, digits, - and _"),
    "program": (r"[A-Za-z0-9_-]+", "is of letters, digits, - and _"),
}
"""What names look like."""


class NotBegun(Exception):
    """Nothing was written; the message says why."""


LANGUAGE = """\
language {name}
  "Numbers, addition, and names for results."
  extension "{extension}"

numbers rational

tokens
  number  /\\d+(\\.\\d+)?/    as Number
  name    /[a-z][a-z0-9]*/   as Name
  skip    /[ \\t\\r\\n]+/
  skip    /#[^\\n]*/           "comment"

forms Expr
  Lit(n: Number)
  Var(x: Name)                            uses x
  Add(left: Expr, right: Expr)
  Let(x: Name, bound: Expr, body: Expr)   binds x in body

grammar
  start Expr
  Expr ::=
    | "let" x:name "=" bound:Expr "in" body:Expr   makes Let
    | Sum
  operators Sum : Expr
    left  "+" makes Add
    operand Atom
  Atom : Expr ::=
    | n:number       makes Lit
    | x:name         makes Var
    | "(" Expr ")"

error Unbound(x: Name)   "nothing called {{x}} is in scope"
"""
EXTENDED = """\
language {name} extends {base}
  "What {base} has, and more."
  extension "{extension}"
"""
LANE = """\
interpreter environment for {name}
  "Big steps; an environment says what each name stands for."

value Value
  Num(n: Number)   shown Lit(n)

judgement eval   "{{env}} ⊢ {{e}} ⇓ {{result}}"

main run

define run(p: Expr, given: List[(Name, Value)]) -> Value
  eval(p, empty with all given)

define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n)              => Num(n)
  Var(x)              => env[x] otherwise fail Unbound(x)
  Add(left, right)    =>
    let Num(a) = eval(left, env)
    let Num(b) = eval(right, env)
    Num(a + b)
  Let(x, bound, body) => eval(body, env with x = eval(bound, env))
"""
PROGRAM = "let rate = 3 in\n  rate + 1\n"
SUITE = """\
language = "{name}"
about = "{about}"

[[case]]
name = "{case}"
program = {program}
{gives}
"""


def begin_course(folder: Path, title: str) -> dict[Path, str]:
    """The files of a course with one language. Raises `NotBegun`."""
    if (folder / COURSE_FILE).exists():
        raise NotBegun(f"{folder} is a course already: embrix new language NAME adds a language")
    files = {folder / COURSE_FILE: f"title = {json.dumps(title, ensure_ascii=False)}\n"}
    return files | _language(folder / "first", "First", {})


def begin_language(course: Course, name: str, base: str | None) -> dict[Path, str]:
    """The files of a language of a course; with a `base`, of one that extends it, with lanes that
    extend those of the base. Raises `NotBegun`."""
    _check("language", name)
    if name in course.languages:
        raise NotBegun(f"the course has a language called {name} already")
    folder = course.folder / name.lower()
    taken = {one.extension: other for other, one in course.languages.items() if one.extension}
    if base is None:
        return _language(folder, name, taken)
    if base not in course.languages:
        raise NotBegun(
            f"there is no language called {base}; "
            f"{did_you_mean(base, course.languages, _known(course.languages))}"
        )
    text = EXTENDED.format(name=name, base=base, extension=_extension(name, taken))
    files = {folder / f"{name.lower()}.brix": text}
    for lane in course.interpreters.get(base, {}):
        files[folder / f"{lane}.brix"] = f"interpreter {lane} for {name} extends {base}.{lane}\n"
    return files | _first_case(course, base, name, folder)


def begin_interpreter(course: Course, language: str, name: str, strategy: str) -> dict[Path, str]:
    """An interpreter of a language, written from its forms. Raises `NotBegun`."""
    _check("interpreter", name)
    if strategy not in STRATEGIES:
        raise NotBegun(
            f"there is no strategy called {strategy}; "
            f"{did_you_mean(strategy, STRATEGIES, _known(STRATEGIES))}"
        )
    known = {*course.interpreters.get(language, ()), *course.broken.get(language, ())}
    if name in known:
        raise NotBegun(f"{language} has an interpreter called {name} already")
    target = course.languages[language]
    if not target.signature.forms:
        raise NotBegun(f"{language} has no forms yet: an interpreter is written from these")
    return {_beside(course, language) / f"{name}.brix": skeleton(target, name, strategy)}


def begin_suite(course: Course, language: str, name: str) -> dict[Path, str]:
    """A suite with the first program of a language as a case. Raises `NotBegun`."""
    _check("suite", name)
    folder = _beside(course, language)
    found = _first_case(course, language, language, folder, name)
    if not found:
        head = f'language = "{language}"\nabout = "What programs give."\n'
        found = {folder / f"{name}.suite.toml": head}
    return found


def begin_program(course: Course, language: str, name: str) -> dict[Path, str]:
    """A program of a language: the shortest that comes to a value. Raises `NotBegun`."""
    _check("program", name)
    extension = course.languages[language].extension
    if not extension:
        raise NotBegun(
            f"{language} has no `extension` line, so its programs have no name of a file"
        )
    text, _ = _small(course, language)
    folder = _beside(course, language) / "programs"
    return {folder / f"{name}.{extension}": text}


def write_new(files: Mapping[Path, str]) -> list[Path]:
    """Write files that do not exist yet, definitions as `embrix format` lays them out: all of them,
    or none where one exists. Raises `NotBegun` and OSError."""
    for path in files:
        if os.path.lexists(path):
            raise NotBegun(f"{path} exists already; nothing was written")
    for path, text in files.items():
        path.parent.mkdir(parents=True, exist_ok=True)
        if path.suffix == ".brix":
            text = formatted(Source(path.name, text)) or text
        save_text(path, text)
    return list(files)


# ---------------------------------------------------------------------- inside


def _check(kind: str, name: str) -> None:
    pattern, text = NAMES[kind]
    if not re.fullmatch(pattern, name):
        raise NotBegun(f"{name!r} is no name: the name of a {kind} {text}")


def _known(names: Mapping[str, object]) -> str:
    return "there are: " + (", ".join(names) or "none")


def _extension(name: str, taken: Mapping[str, str]) -> str:
    """The ending of its programs: its name in small letters."""
    plain = name.lower()
    while plain in taken:
        plain += "x"
    return plain


def _language(folder: Path, name: str, taken: Mapping[str, str]) -> dict[Path, str]:
    extension = _extension(name, taken)
    case = SUITE.format(
        name=name, about="What programs give, worked out by hand.", case="a name for a number",
        program=json.dumps(PROGRAM), gives="value = 4",
    )  # fmt: skip
    return {
        folder / f"{name.lower()}.brix": LANGUAGE.format(name=name, extension=extension),
        folder / "environment.brix": LANE.format(name=name),
        folder / f"{name.lower()}.suite.toml": case,
        folder / "programs" / f"begin.{extension}": PROGRAM,
    }


def _beside(course: Course, language: str) -> Path:
    """The folder of a language."""
    path = course.languages[language].source.path
    return path.parent if path is not None else course.folder


def _small(course: Course, language: str) -> tuple[str, dict[str, str]]:
    """The shortest program of a language that comes to a value, with what a case says of it: that
    value, and what was written; a small text and nothing where there is none."""
    session = Session(course.folder)
    lanes = session.lanes(language)
    texts = [path.read_text(encoding="utf-8", errors="replace")
             for path in course.programs.get(language, ())]  # fmt: skip
    for text in (*sorted(texts, key=len), "1\n", "0\n"):
        for lane in lanes[:1]:
            result = lane.run(text)
            if result.outcome.kind == "value":
                gives = {"value": result.outcome.text}
                if result.output:
                    gives["output"] = "".join(result.output)
                return text, gives
    return "\n", {}


def _first_case(
    course: Course, base: str, language: str, folder: Path, name: str = ""
) -> dict[Path, str]:
    """A suite with one case that passes, if any program comes to a value."""
    text, gives = _small(course, base)
    if not gives:
        return {}
    if re.fullmatch(r"-?(0|[1-9][0-9]{0,17})", gives["value"]):
        entries = [f"value = {gives['value']}"]
    else:
        entries = [f"value = {toml_text(gives['value']).as_string()}"]
    if "output" in gives:
        entries.append(f"output = {toml_text(gives['output']).as_string()}")
    case = SUITE.format(
        name=language, about="What programs give.", case="a first program",
        program=toml_text(text).as_string(), gives="\n".join(entries),
    )  # fmt: skip
    return {folder / f"{name or language.lower()}.suite.toml": case}
