"""What has been compiled before is used again only where it is the same."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import cast

import pytest

from embrix.brix.interpreter import check_interpreter
from embrix.brix.mutants import mistakes_in
from embrix.brix.reader import read_definition
from embrix.brix.syntax import InterpreterSyntax
from embrix.course.load import Course
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.machine import known_code, run
from embrix.machine.body import Body
from embrix.machine.lane import Lane, parser_for
from embrix.machine.limits import Limits
from embrix.machine.recorder import WholeRecord
from embrix.text.diagnostic import Findings
from embrix.text.source import Source
from tests.conftest import TINY_LANGUAGE, Maker

LIMITS = Limits(calls=3_000, depth=5_000, output=2_000, events=20_000)
EVERY = {"environment": 6, "by_need": 12, "rewriting": 11, "store_passing": 17, "cek": 3}


def forget() -> None:
    known_code._KNOWN.clear()
    run._COMPILED.clear()


@pytest.fixture(autouse=True)
def nothing_is_known() -> Iterator[None]:
    forget()
    yield
    forget()


def outcomes(lane: Lane, programs: list[str]) -> list[tuple[object, ...]]:
    """Everything that running programs tells."""
    found: list[tuple[object, ...]] = []
    for text in programs:
        parsed = lane.parser.parse(text)
        assert isinstance(parsed, Parsed), text
        for variant in ("plain", "counted"):
            came = lane.machine.run(parsed.term, variant=variant, limits=LIMITS)
            found.append((
                came.outcome, came.outcome.place, came.output, came.state, came.costs, came.spent,
            ))  # fmt: skip
        recorder = WholeRecord(20_000)
        lane.machine.run(parsed.term, variant="traced", limits=LIMITS, recorder=recorder)
        found.append((recorder.functions, recorder.events, recorder.clauses))
    return found


@pytest.mark.parametrize(
    ("language", "name"),
    [("Drip", "environment"), ("Rill", "environment"), ("Rill", "by_need"), ("Rill", "rewriting"),
     ("Weir", "store_passing"), ("Eddy", "cek")],
)  # fmt: skip
def test_a_changed_definition_runs_as_if_nothing_had_been_compiled(
    lockside: Course, language: str, name: str
) -> None:
    """A hundred small changes: with what is known of the others, and with nothing known."""
    folder = lockside.folder / language.lower()
    programs = [path.read_text() for path in sorted((folder / "programs").iterdir())][:3]
    right, *changed = changed_definitions(lockside, language, name, EVERY[name])
    outcomes(right(), programs)
    made = [outcomes(one(), programs) for one in changed]
    assert len(made) >= 4
    for one, known in zip(changed, made, strict=True):
        known_code._KNOWN.clear()
        assert outcomes(one(), programs) == known


def changed_definitions(
    course: Course, language: str, name: str, every: int
) -> list[Callable[[], Lane]]:
    """What checks an interpreter of a course anew, and every so many small changes of it that can
    run."""
    right = course.interpreters[language][name]
    syntax = read_definition(right.source, Findings())
    parser = parser_for(course.languages[language])
    assert isinstance(syntax, InterpreterSyntax)
    assert parser is not None
    base = syntax.base and course.interpreters[syntax.base[0]][syntax.base[1]]

    def lane_of(text: str) -> Lane | None:
        changed = read_definition(Source(right.source.name, text), Findings())
        assert isinstance(changed, InterpreterSyntax)
        made = check_interpreter(
            changed, course.languages[language], base or None, course.libraries
        ).made
        return Lane(made, parser) if made is not None else None

    found = []
    mistakes = (mistake.made(right.source.text) for mistake in mistakes_in(syntax)[::every])
    for text in (right.source.text, *mistakes):
        if lane_of(text) is not None:
            found.append(cast(Callable[[], Lane], partial(lane_of, text)))
    return found


HEAD = """\
interpreter lane for Tiny
value Num
  Num(n: Number)  shown "{n}"
  Again(n: Number, saved: Env[Num])  shown "again"
error Odd(n: Number)  "{n} is odd"
main run
define run(e: Expr) -> Num by e
  Lit(n)            => begin(n)
  Add(left, right)  => begin(9000)
"""
ELSEWHERE = {
    "a function comes to call the one that calls it, last of all": (
        "define begin(n: Number) -> Num by n\n  0 => Num(1)\n  _ => other(n - 1)\n",
        "define other(n: Number) -> Num by n\n  0 => Num(0)\n  _ => {}\n",
        "Num(2)", "begin(n - 1)",
    ),
    "a function comes to call the one that calls it, and goes on": (
        "define begin(n: Number) -> Num by n\n  0 => Num(1)\n  _ => other(n - 1)\n",
        "define other(n: Number) -> Num by n\n  0 => Num(0)\n  _ => {}\n",
        "Num(2)", "one_more(begin(n - 1))",
    ),
    "a function stands before the others": (
        "define begin(n: Number) -> Num\n  other(n)\n",
        "{}define other(n: Number) -> Num\n  Num(n + 1)\n",
        "", "define early(n: Number) -> Num\n  Num(n - 1)\n",
    ),
    "an environment comes to mention itself": (
        "define begin(n: Number) -> Num\n  match bound(n, name_of(\"x\"))[name_of(\"x\")]\n"
        "    Again(m, saved) => saved[name_of(\"x\")]\n    Num(m) => Num(m)\n",
        "define bound(n: Number, x: Name) -> Env[Num]\n  {}\n",
        "empty with x = Num(n)", "let rec inner = empty with x = Again(n, inner)\n  inner",
    ),
    "an error is caught elsewhere": (
        "define failing(n: Number) -> Num\n  fail Odd(n)\n",
        "define begin(n: Number) -> Num\n  {}\n",
        "attempt failing(n)\n    on Odd(m) => Num(m)",
        "attempt failing(n)\n    on Odd(m) => Num(m + 1)",
    ),
    "a relation has another end": (
        "define begin(n: Number) -> Num\n  let last = repeat down(Num(n))\n  last\n",
        "define down(v: Num) -> Num by v\n  final {}\n  Num(n) => Num(n - 1)\n"
        "  no clause Again(_, _) \"none\"\n",
        "Num(0)", "Num(1)",
    ),
}  # fmt: skip
"""A function that stays as it is, one that changes, and what stands in it before and after."""


@pytest.mark.parametrize("what", ELSEWHERE)
def test_what_changes_elsewhere_reaches_the_code_that_depends_on_it(
    make_course: Maker, what: str
) -> None:
    kept, other, before, after = ELSEWHERE[what]
    more = "define one_more(v: Num) -> Num by v\n  Num(n) => Num(n + 1)\n  Again(_, _) => Num(0)\n"
    texts = [HEAD + other.format(one) + kept + more for one in (before, after)]
    programs = ["7", "0", "1 + 2"]
    first, warm = (outcomes(lane_of(make_course, text), programs) for text in texts)
    assert first != warm
    assert not any(getattr(one[0], "kind", "") == "unfinished" for one in (*first, *warm))
    forget()
    assert outcomes(lane_of(make_course, texts[1]), programs) == warm


def compiled_for(lane: Lane, monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """The functions that are written when a lane runs a program."""
    written: list[str] = []
    definition = Body.definition

    def noted(self: Body) -> object:
        written.append(self.key)
        return definition(self)

    with monkeypatch.context() as patch:
        patch.setattr(Body, "definition", noted)
        lane.run("1 + 2", variant="plain")
    return written


LANE = """\
interpreter lane for Tiny
value Num
  Num(n: Number)  shown "{n}"
error Odd(n: Number)  "{n} is odd"
main run
define run(e: Expr) -> Num
  Num(twice(weight(e)))
define weight(e: Expr) -> Number by e
  Lit(13)           => fail Odd(13)
  Lit(n)            => n
  Add(left, right)  => weight(left) + weight(right)
define twice(n: Number) -> Number
  n * 2
"""


def lane_of(make_course: Maker, text: str) -> Lane:
    return Session(make_course(tiny=TINY_LANGUAGE, lane=text).folder).lane("Tiny", "lane")


def test_only_what_an_edit_changes_is_compiled(
    make_course: Maker, monkeypatch: pytest.MonkeyPatch
) -> None:
    first = lane_of(make_course, LANE)
    assert set(compiled_for(first, monkeypatch)) >= {"run", "weight", "twice"}
    other = lane_of(make_course, "# a line more\n" + LANE.replace("n * 2", "n * 3"))
    assert compiled_for(other, monkeypatch) == ["twice"]
    assert first.run("1 + 2").outcome.text == "6"
    assert other.run("1 + 2").outcome.text == "9"


def test_an_error_is_that_of_the_definition_that_runs(make_course: Maker) -> None:
    """The function that fails is the same code; what the error says is not."""
    assert lane_of(make_course, LANE).run("13").outcome.sentence == "Odd: 13 is odd"
    other = lane_of(make_course, LANE.replace('"{n} is odd"', '"not {n} again"'))
    assert other.run("13").outcome.sentence == "Odd: not 13 again"


def test_a_function_that_becomes_a_judgement_is_traced(make_course: Maker) -> None:
    plain = 'judgement weight "{e} weighs {result}"\n'
    more = 'judgement twice "twice {n} is {result}"\n'
    for extra, count in ((plain, 1), (plain + more, 2)):
        lane = lane_of(make_course, LANE.replace("main run\n", f"main run\n{extra}"))
        assert len(lane.trace("1").recorder.functions) == count


def test_numbers_and_truth_are_no_equal_constants() -> None:
    """Python takes 1, 1.0 and True for the same."""
    written = []
    for value in (1, True, 1.0, "1"):
        written.append(tuple(known_code.InCore(value).found))
    assert len(set(written)) == 4
    zeros = []
    for value in (0.0, -0.0):
        zeros.append(tuple(known_code.InCore(value).found))
    assert zeros[0] != zeros[1]


def test_so_many_functions_are_remembered(
    make_course: Maker, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(known_code, "MOST", 4)
    for number in range(5):
        lane = lane_of(make_course, LANE.replace("n * 2", f"n * {number}"))
        assert lane.run("1 + 2").outcome.text == str(3 * number)
        assert len(known_code._KNOWN) <= 4
