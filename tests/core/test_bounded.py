"""Everything that a program or a definition can make long ends, and is told."""

from __future__ import annotations

import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.checking.verdicts import check_suite
from embrix.course.load import Course
from embrix.documents.pictures import Wish, picture
from embrix.draw.runs import MOST_DRAWN, draw_reduction
from embrix.lanes.inspection import look
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.recorder import WholeRecord
from embrix.suite.cases import Case
from embrix.suite.check import check_case
from embrix.suite.expected_steps import difference, reads_like
from embrix.trace.walk import Walk
from tests.conftest import Maker

STEPPING = """\
language Level
  extension "level"
numbers integer
tokens
  number  /[0-9]+/  as Number
  skip    / +/
forms S
  A(n: Number)
  Many(xs: List[S])
grammar
  start S
  S ::= n:number makes A | "[" xs:S* "]" makes Many
"""
ROUNDS = """\
interpreter rounds for Level
main run
define run(p: S) -> S
  repeat step(A(0))
define step(e: S) -> S by e
  final A(1234567)
  final Many([])
  A(n) => A(n + 1)
  Many(xs) => Many(xs)
"""


@pytest.mark.parametrize("variant", ["plain", "counted", "traced"])
def test_a_round_that_calls_nothing_takes_fuel(make_course: Maker, variant: str) -> None:
    """The step is written out in the loop, so nothing else would ever end it."""
    course = make_course(level=STEPPING, rounds=ROUNDS)
    lane = Session(course.folder).lane("Level", "rounds")
    parsed = lane.parser.parse("1")
    recorder = WholeRecord(10_000) if variant == "traced" else None
    outcome = lane.machine.run(
        parsed.term, limits=Limits(calls=100), variant=variant, recorder=recorder,  # type: ignore[union-attr,arg-type]
    ).outcome  # fmt: skip
    assert (outcome.kind, outcome.name) == ("out of fuel", "calls")


def test_a_case_that_diverges_in_such_rounds_passes(make_course: Maker) -> None:
    course = make_course(level=STEPPING, rounds=ROUNDS)
    lane = Session(course.folder).lane("Level", "rounds")
    from embrix.suite.cases import Expectation

    endless = Case("endless", "1", Expectation("diverges", "1000"))
    assert check_case(endless, lane).state == "passed"
    walk = Walk(lane, lane.trace("1", limits=Limits(calls=50)))
    assert walk.step(3).text == "3"


def test_long_lists_of_values_are_shown(lockside: Course) -> None:
    """By hand: each number with a point, in one row, to the end of the list."""
    session = Session(lockside.folder)
    text = "let f of n = when n < 1 then end else n ~ f (n-1) in f 125"
    lane = session.lane("Mere", "environment")
    wanted = " ~ ".join(f"{n}.0" for n in range(125, 0, -1)) + " ~ end"
    assert lane.run(text).outcome.text == wanted
    walk = Walk(lane, lane.trace(text))
    assert wanted in walk.step(len(walk) - 1).text


def test_values_nested_deeply_are_shown_as_far_as_there_is_room(lockside: Course) -> None:
    session = Session(lockside.folder)
    lane = session.lane("Mere", "environment")
    outcome = lane.run("let f of n = when n < 1 then end else [f (n-1), n] in f 20000").outcome
    assert outcome.text.startswith("[" * 100)
    assert len(outcome.text) == 2_001


def test_shared_parts_are_not_gone_through_again_and_again(lockside: Course) -> None:
    """2 ** 60 leaves, if nothing ended it. No time is measured: it would never come back."""
    session = Session(lockside.folder)
    pairs = "let f of n = when n < 1 then [0, 0] else (given p: [p, p]) (f (n-1)) in f 60"
    for name in ("environment", "by_name", "by_need"):
        lane = session.lane("Mere", name)
        assert lane.run(pairs).outcome.kind == "value"
        walk = Walk(lane, lane.trace(pairs))
        assert walk.step(len(walk) - 1).text


SHOWN = """\
interpreter shown for Level
value V
  Twice(v: V)   shown "{v}{v}"
  Odd(v: V)     shown around(v)
  Nothing       shown ""
main run
define run(p: S) -> V by p
  A(n) => deep(n, Nothing)
  Many(_) => odd(200, Nothing)
define around(v: V) -> Text
  let t = "<{v}{v}>"
  t
define deep(n: Number, v: V) -> V
  if n == 0 then v else deep(n - 1, Twice(v))
define odd(n: Number, v: V) -> V
  if n == 0 then v else odd(n - 1, Odd(v))
"""


def test_displays_that_double_at_each_level_end(make_course: Maker) -> None:
    """Texts without characters, and texts that functions of the definition make."""
    course = make_course(level=STEPPING, shown=SHOWN)
    assert not course.has_errors, [d.message for d in course.diagnostics]
    lane = Session(course.folder).lane("Level", "shown")
    assert lane.run("300").outcome.kind == "value"
    assert lane.run("[]").outcome.text.startswith("<<<")


def test_displays_tell_true_from_one(make_course: Maker) -> None:
    """Equal as keys of Python, and shown otherwise."""
    text = """\
    interpreter boxes for Level
    data Held[A]
      Held(a: A)  shown "<{a}>"
    value V
      Both(a: Held[Bool], b: Held[Number])  shown "{a} {b}"
    main run
    define run(p: S) -> V
      Both(Held(true), Held(1))
    """
    course = make_course(level=STEPPING, boxes=text)
    assert not course.has_errors, [d.message for d in course.diagnostics]
    assert Session(course.folder).lane("Level", "boxes").run("1").outcome.text == "<true> <1>"


# ---------------------------------------------------------------------- lines held against lines


@given(st.text("ab… ", max_size=8), st.text("ab ", max_size=8))
def test_open_lines_read_like_the_pattern_they_are(wanted: str, found: str) -> None:
    """Held against a backtracking match, written apart."""

    def fits(pattern: str, text: str) -> bool:
        if not pattern:
            return not text
        if pattern[0] == "…":
            return any(fits(pattern[1:], text[at:]) for at in range(len(text) + 1))
        return text[:1] == pattern[0] and fits(pattern[1:], text[1:])

    assert reads_like(wanted, found) == fits(wanted, found)


def test_long_differences_are_found_without_trying_all(monkeypatch: pytest.MonkeyPatch) -> None:
    """Two texts of 40,000 words with nothing in common but their ends: one slice each."""
    expected = "begin " + " ".join(f"a{n}" for n in range(20_000)) + " end"
    actual = "begin " + " ".join(f"b{n}" for n in range(20_000)) + " end"
    begun = time.process_time()
    left, right = difference(expected, actual)
    assert time.process_time() - begun < 60  # minutes or hours, if words were compared
    assert left == [(6, len(expected) - 4)]
    assert right == [(6, len(actual) - 4)]
    assert difference("a = 5, b", "a = 9, b") == ([(4, 5)], [(4, 5)])


def test_a_fault_in_one_case_leaves_the_others(
    course_copy: object, monkeypatch: pytest.MonkeyPatch
) -> None:
    from pathlib import Path

    from embrix.checking import unchanged, verdicts

    folder = Path(str(course_copy))
    session = Session(folder)
    whole = verdicts.check_case

    def faulty(case: Case, lane: Lane, limits: Limits) -> object:
        if case.name == session_cases[3]:
            raise RecursionError("too deep")
        return whole(case, lane, limits)

    path = folder / "drip" / "drip.suite.toml"
    session_cases = [row.name for row in check_suite(session, path).cases]
    monkeypatch.setattr(verdicts, "check_case", faulty)
    monkeypatch.setattr(verdicts, "_VERDICTS", {})
    monkeypatch.setattr(unchanged, "_EARLIER", {})
    report = check_suite(Session(folder), path)
    failed = [c.name for c in report.cases if any(v.state == "failed" for v in c.verdicts)]
    assert failed == [session_cases[3]]
    assert "internal error of Embrix: RecursionError" in report.cases[3].verdicts[0].actual


@pytest.mark.parametrize("style", ["tree", "derivation", "steps", "tokens", "environment"])
def test_a_sum_of_many_terms_is_drawn(lockside: Course, style: str) -> None:
    """Twenty thousand terms, nested to the left: no time is measured, but it took minutes."""
    from embrix.documents.pictures import Wish, picture

    session = Session(lockside.folder)
    text = " + ".join(["1"] * 20_000)
    lanes = ("environment",)
    assert picture(session, Wish(style, "Drip", text, lanes)).text  # type: ignore[arg-type]


def test_a_sum_of_many_terms_is_walked_and_printed(lockside: Course) -> None:
    from embrix.grammar.printing import Printer

    session = Session(lockside.folder)
    text = " + ".join(["1"] * 20_000)
    for name in ("environment", "rewriting"):
        lane = session.lane("Drip", name)
        walk = Walk(lane, lane.trace(text, limits=Limits(calls=200_000, events=100_000)))
        assert walk.step(2).text
        assert walk.levels()
    grammar = session.course.languages["Drip"].grammar
    assert grammar is not None
    parsed = session.lane("Drip", "environment").parser.parse(text)
    assert Printer(grammar).show(parsed.term, most=10**6, width=80).text.replace("\n", " ")  # type: ignore[union-attr]
    deep = Printer(grammar).show(parsed.term, deep=50).text  # type: ignore[union-attr]
    assert deep.startswith("… + 1 + 1")


def test_a_drawing_of_long_terms_is_bounded(lockside: Course) -> None:
    """A sum of many signs in small steps: each line is long, so fewer of them are drawn."""
    lane = Session(lockside.folder).lane("Weir", "rewriting")
    walk = Walk(lane, lane.trace(f"new x := {'-' * 300}1;\nshow x"))
    drawing = draw_reduction(walk, "many signs")
    assert len(drawing.text) < 2 * MOST_DRAWN
    assert "more" in drawing.text.splitlines()[-1]


def test_a_tree_of_many_nodes_says_what_is_left_out(lockside: Course) -> None:
    """10,001 numbers added make 20,001 nodes."""
    session = Session(lockside.folder)
    text = " + ".join(["1"] * 10_001)
    found = look(session, "Drip", text)
    assert len(found.tree) + found.cut == 20_001
    told = f"… and {found.cut:,} more nodes"
    drawn = picture(session, Wish("tree", "Drip", text))
    assert drawn.text.splitlines()[-1].strip("│ ") == told
    assert any(told in getattr(item, "text", "") for item in drawn.pages[0].items)
    small = look(session, "Drip", "1 + 2")
    assert (len(small.tree), small.cut) == (3, 0)
    assert "more" not in picture(session, Wish("tree", "Drip", "1 + 2")).text
