"""An interpreter that extends another does not check again what it takes over; it is none the less
what it would be if it did."""

from __future__ import annotations

import random

import pytest
from msgspec.structs import replace

from embrix.brix.core import Interpreter
from embrix.brix.interpreter import CheckedInterpreter, check_interpreter
from embrix.brix.mutants import mistakes_in
from embrix.brix.reader import read_definition
from embrix.brix.syntax import InterpreterSyntax
from embrix.course.load import Course
from embrix.text.diagnostic import Findings
from embrix.text.source import Source

EXTENDED = [
    ("Weir", "store_passing", "stale_store"), ("Race", "interleaving", "whole_lines"),
    ("Eddy", "normal_order", "applicative"), ("Rill", "environment", "dynamic_scope"),
]  # fmt: skip


def written(name: str, text: str) -> InterpreterSyntax:
    syntax = read_definition(Source(name, text, None), Findings())
    assert isinstance(syntax, InterpreterSyntax)
    return syntax


def bases(course: Course, interpreter: Interpreter) -> list[Interpreter]:
    """What an interpreter of the course extends, the lowest first."""
    header = interpreter.source.text.split("\n", 1)[0].partition(" extends ")[2].split(" ")[0]
    if not header:
        return []
    language, _, name = header.rpartition(".")
    found = course.interpreters[language or interpreter.language.name][name]
    return [*bases(course, found), found]


def extending(
    course: Course, language: str, base: str, text: str, extension: str, *, shared: bool
) -> tuple[CheckedInterpreter, CheckedInterpreter]:
    """An interpreter with some text, and the one that extends it."""
    known = course.languages[language]
    own = course.interpreters[language][base]
    lower = bases(course, own)
    below = lower[-1] if lower else None
    one = check_interpreter(written("base.brix", text), known, below)
    assert one.made is not None
    made = one.made if shared else replace(one.made, checked=None)
    other = course.interpreters[language][extension].source.text
    return one, check_interpreter(written("extension.brix", other), known, made)


def told(checked: CheckedInterpreter) -> list[tuple[str, str, str, object]]:
    return [(one.code, one.message, one.source.name, one.span) for one in checked.found()]


@pytest.mark.parametrize(("language", "base", "extension"), EXTENDED)
def test_what_is_taken_over_is_the_same(
    lockside: Course, language: str, base: str, extension: str
) -> None:
    text = lockside.interpreters[language][base].source.text
    one, shared = extending(lockside, language, base, text, extension, shared=True)
    _, alone = extending(lockside, language, base, text, extension, shared=False)
    assert one.made is not None
    assert shared.made is not None
    assert alone.made is not None
    assert repr(shared.made.functions) == repr(alone.made.functions)
    assert list(shared.made.functions) == list(alone.made.functions)
    assert told(shared) == told(alone)
    same = [name for name, made in shared.made.functions.items()
            if made is one.made.functions.get(name)]  # fmt: skip
    again = [name for name, made in alone.made.functions.items()
             if made is one.made.functions.get(name)]  # fmt: skip
    assert same
    assert not again
    assert len(same) >= len(shared.made.functions) - 2


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize(("language", "base", "extension"), EXTENDED[:2])
def test_mistakes_in_what_is_extended_are_told_alike(
    lockside: Course, language: str, base: str, extension: str, seed: int
) -> None:
    """A line is missing, or there is a mistake of the known kinds."""
    text = lockside.interpreters[language][base].source.text
    drawn = random.Random(seed)
    if seed % 2:
        lines = text.split("\n")
        del lines[drawn.randrange(8, len(lines) - 1)]
        broken = "\n".join(lines)
    else:
        mistake = drawn.choice(mistakes_in(written("base.brix", text)))
        broken = text[: mistake.span.start] + mistake.instead + text[mistake.span.end :]
    try:
        _, shared = extending(lockside, language, base, broken, extension, shared=True)
    except AssertionError:
        return  # nothing is left that could be extended
    _, alone = extending(lockside, language, base, broken, extension, shared=False)
    assert told(shared) == told(alone)
    assert (shared.made is None) == (alone.made is None)
    if shared.made is not None and alone.made is not None:
        assert repr(shared.made.functions) == repr(alone.made.functions)


@pytest.mark.parametrize(
    "more",
    ['error Spilt(n: Number)  "{n} tons are spilt"', "value Value\n  Rope(n: Number)",
     "choice gates  \"Which gate is first?\"\n  upper \"the upper\" default\n  lower \"the lower\"",
     "define twice(n: Number) -> Number\n  n + n"],
)  # fmt: skip
def test_what_declares_more_checks_everything_again(lockside: Course, more: str) -> None:
    """Names that were not known in what is extended may mean something else in its functions."""
    known = lockside.languages["Drip"]
    base = lockside.interpreters["Drip"]["environment"]
    text = f"interpreter wider for Drip extends Drip.environment\n\n{more}\n".replace(
        "value Value", "extend value Value"
    )
    made = check_interpreter(written("wider.brix", text), known, base).made
    assert made is not None
    assert not [name for name, one in made.functions.items() if one is base.functions.get(name)]


def test_another_judgement_is_stated_by_what_extends(lockside: Course) -> None:
    known = lockside.languages["Drip"]
    base = lockside.interpreters["Drip"]["environment"]
    text = ('interpreter other for Drip extends Drip.environment\n\n'
            'judgement eval  "{e} in {env} gives {result}"\n')  # fmt: skip
    checked = check_interpreter(written("other.brix", text), known, base)
    assert checked.made is not None
    assert told(checked) == []
    assert " gives " in checked.made.functions["eval"].judgement
    assert " gives " not in base.functions["eval"].judgement
