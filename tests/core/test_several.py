"""`any of` and `in any order`: everything that a program can come to."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.course.load import Course
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.machine import exploring
from embrix.machine.exploring import explore, shortest
from embrix.machine.fingerprints import Fingerprints
from embrix.machine.lane import Lane
from embrix.machine.recorder import WholeRecord
from embrix.machine.reference import evaluate
from embrix.terms.node import Node
from embrix.text.diagnostic import Findings
from embrix.trace.walk import Walk
from tests.conftest import TINY_LANGUAGE, Maker

TOSS = """\
interpreter lane for Tiny

main run

define run(e: Expr) -> Number by e
  Lit(n)          => n
  Var(_)          => 0
  Add(left, right) => any of
    run(left)
    when big(right) => run(right) * 10
  Let(_, bound, body) =>
    let first = run(bound)
    first * 100 + run(body)

define big(e: Expr) -> Bool by e
  Lit(n)  => n > 4
  _       => false
"""
STEPS = """\
interpreter lane for Tiny

judgement step "{e} → {result}"

main run

define run(e: Expr) -> Expr by e
  _ => repeat step(e)

define step(e: Expr) -> Expr by e
  final Lit(_)
  order Add(left, right) : left, right in any order
  Add(Lit(a), Lit(b))    => Lit(a + b)
  Var(x)                 =>
    emit "{x}"
    Lit(1)
  Let(_, _, body)        => body
"""


def lane_of(make_course: Maker, text: str) -> Lane:
    course = make_course(tiny=TINY_LANGUAGE, lane=text)
    assert [one.message for one in course.diagnostics] == []
    return Session(course.folder).lane("Tiny", "lane")


def term_of(lane: Lane, text: str) -> Node:
    parsed = lane.parser.parse(text)
    assert isinstance(parsed, Parsed)
    return parsed.term


def told(lane: Lane, text: str) -> list[str]:
    return sorted(
        f"{one.outcome.sentence} {''.join(one.output)}".strip()
        for one in lane.explore(text).outcomes
    )


def test_each_way_that_is_open_is_an_outcome(make_course: Maker) -> None:
    """By hand: `1 + 5` gives 1, or 50 for 5 > 4; in `1 + 2` only the first way is open."""
    lane = lane_of(make_course, TOSS)
    assert told(lane, "1 + 5") == ["1", "50"]
    assert told(lane, "1 + 2") == ["1"]
    assert told(lane, "let x = 1 + 5 in 2 + 6") == ["102", "160", "5002", "5060"]


CHOSEN = STEPS.replace(
    "define run(e: Expr) -> Expr by e\n  _ => repeat step(e)\n",
    """\
define run(e: Expr) -> Number by e
  _ =>
    let times = chosen(e)
    times * of(repeat step(e))

define of(e: Expr) -> Number by e
  Lit(n) => n
  _      => 0

define chosen(e: Expr) -> Number by e
  _ => any of
    1
    10
""",
)


def test_what_is_chosen_before_the_first_step_is_told_apart_to_the_end(make_course: Maker) -> None:
    """By hand: the names of `a + b + c` are met in each of six orders, whatever was chosen first;
    the states are those of one choice, twice."""
    assert "times" in CHOSEN
    lane = lane_of(make_course, CHOSEN)
    orders = ["".join(order) for order in itertools.permutations("abc")]
    expected = sorted(f"{value} {order}" for value in (3, 30) for order in orders)
    assert told(lane, "a + b + c") == expected
    steps = lane_of(make_course, STEPS)
    assert len(lane.explore("a + b + c").states) == 2 * len(steps.explore("a + b + c").states)


def test_a_run_takes_the_first_way_unless_told_otherwise(make_course: Maker) -> None:
    lane = lane_of(make_course, TOSS)
    text = "let x = 1 + 5 in 2 + 6"
    first = lane.run(text)
    assert (first.outcome.text, first.ways) == ("102", ((0, 2), (0, 2)))
    assert lane.run(text, ways=(1,)).outcome.text == "5002"
    assert lane.run(text, ways=(0, 1)).outcome.text == "160"
    wrong = lane.run(text, ways=(0, 7)).outcome
    assert (wrong.kind, wrong.text) == ("stuck", "there is no way 8 here, only 2")


def test_where_no_way_is_open_the_run_is_stuck(make_course: Maker) -> None:
    closed = TOSS.replace("    run(left)\n", "    when run(left) > 9 => 0\n")
    lane = lane_of(make_course, closed)
    outcome = lane.run("1 + 2").outcome
    assert (outcome.kind, outcome.text) == ("stuck", "no way is open")
    assert outcome.place == (0, 5)


def test_parts_take_steps_in_any_order(make_course: Maker) -> None:
    """Three names, of which each is written when it takes its step; the sum is the same."""
    lane = lane_of(make_course, STEPS)
    assert told(lane, "a + b") == ["2 ab", "2 ba"]
    orders = sorted("3 " + "".join(order) for order in itertools.permutations("abc"))
    assert told(lane, "a + b + c") == orders
    found = lane.explore("a + b + c")
    assert found.whole
    assert not found.endless


def test_states_are_gone_on_from_once(make_course: Maker) -> None:
    """Without output, what four sums come to is the same whichever is first: of 2 ** 4 sets of
    sums that are done each is one state, and the sums of sums follow."""
    quiet = STEPS.replace('    emit "{x}"\n    Lit(1)', "    Lit(1)")
    lane = lane_of(make_course, quiet)
    found = lane.explore("(1 + 1) + (1 + 1) + ((1 + 1) + (1 + 1))")
    assert [one.outcome.text for one in found.outcomes] == ["8"]
    # Each half has 4 states of its two sums and one of the half, both halves beside each other; the
    # last of them is the sum of both, whose step is the end.
    assert len(found.states) == (4 + 1) ** 2
    assert found.runs < 60


def test_what_never_ends_is_told(make_course: Maker) -> None:
    endless = STEPS.replace("  Let(_, _, body)        => body", "  Let(_, _, _)           => e")
    lane = lane_of(make_course, endless)
    found = lane.explore("let x = 1 in x")
    assert found.endless
    assert found.outcomes == []
    more = "Let(x, bound, body)    => Let(x, bound, Add(Lit(1), body))"
    growing = STEPS.replace("Let(_, _, body)        => body", more)
    found = lane_of(make_course, growing).explore("let x = 1 in x")
    assert (found.outcomes, found.whole) == ([], False)


def test_a_search_is_bounded_and_says_so(make_course: Maker) -> None:
    lane = lane_of(make_course, TOSS)
    text = "let x = 1 + 5 in " * 12 + "1"
    found = lane.explore(text, most_runs=50)
    assert (found.runs, found.whole) == (50, False)


def test_the_ways_at_the_end_go_without_saying() -> None:
    assert shortest([0, 1, 0, 0]) == (0, 1)
    assert shortest([0, 0]) == ()


def test_states_are_told_apart_by_what_they_are() -> None:
    of = Fingerprints().of
    node = (20, (1, 2), 3, (21, None))
    assert of(node) == of((20, None, 3, (21, (4, 5))))
    others: list[Node] = [
        (20, None, 4, (21, None)), (20, None, 3, (22, None)), (20, None, 3),
        (20, None, (21, None), 3), (20, None, "3", (21, None)), (20, None, 3, 21),
    ]  # fmt: skip
    assert len({of(node), *map(of, others)}) == 1 + len(others)
    assert len({of((20, None, one)) for one in (1, True, 1.0, "1", "True")}) == 5
    deep: Node = (21, None)
    for _ in range(200_000):
        deep = (20, None, deep)
    assert of(deep) == of((20, (0, 0), deep[2]))
    assert of(deep) != of(deep[2])


# ---------------------------------------------------------------------- against others


def race(lockside: Course, name: str) -> Lane:
    return Session(lockside.folder).lane("Race", name)


VALUES = ["1", "x", "y", "x + 1", "y + x", "x * 2", "x + x", "2 * y - x"]
THREADS = st.lists(
    st.lists(st.tuples(st.sampled_from("xy"), st.sampled_from(VALUES)), max_size=2),
    min_size=2, max_size=3,
)  # fmt: skip


def by_hand(threads: list[list[tuple[str, str]]], *, whole: bool) -> set[tuple[int, int]]:
    """What x and y can be in the end: every order of what touches them is carried out. A value is
    read name by name, from left to right, and put back at the end; a whole line at once."""
    moves = []
    for thread in threads:
        own: list[tuple[str, str, str]] = []
        for target, value in thread:
            reads = [] if whole else [("read", word, "") for word in value.split() if word in "xy"]
            own += [*reads, ("line" if whole else "put", target, value)]
        moves.append(own)
    seen = set()
    pending = [((0,) * len(threads), 1, 2, ((),) * len(threads))]
    ends = set()
    while pending:
        state = pending.pop()
        if state in seen:
            continue
        seen.add(state)
        at, x, y, read = state
        ended = True
        for number, own in enumerate(moves):
            if at[number] == len(own):
                continue
            ended = False
            kind, name, value = own[at[number]]
            after = (*at[:number], at[number] + 1, *at[number + 1 :])
            known = list(read[number])
            memory = {"x": x, "y": y}
            if kind == "read":
                known.append(memory[name])
            else:
                words = value.split()
                if kind == "put":
                    words = [str(known.pop(0)) if word in "xy" else word for word in words]
                else:
                    words = [str(memory.get(word, word)) for word in words]
                memory[name] = eval("".join(f"({w})" if w.lstrip("-").isdigit() else w
                                            for w in words), {})  # fmt: skip
                known = []
            reads = (*read[:number], tuple(known), *read[number + 1 :])
            pending.append((after, memory["x"], memory["y"], reads))  # type: ignore[arg-type]
        if ended:
            ends.add((x, y))
    return ends


@pytest.mark.parametrize("name", ["interleaving", "whole_lines"])
@settings(max_examples=40, deadline=None)
@given(threads=THREADS)
def test_threads_against_all_their_orders(
    lockside: Course, name: str, threads: list[list[tuple[str, str]]]
) -> None:
    lane = race(lockside, name)
    parts = ["{ " + "; ".join(f"{x} := {value}" for x, value in one) + " }" if one else "rest"
             for one in threads]  # fmt: skip
    text = f"x := 1; y := 2; {{ {' beside '.join(parts)} }} give x * 100000 + y"
    found = lane.explore(text)
    assert found.whole
    expected = by_hand(threads, whole=name == "whole_lines")
    assert {int(one.outcome.text) for one in found.outcomes} == {
        x * 100_000 + y for x, y in expected
    }


ASKING = STEPS.replace(
    '    emit "{x}"\n    Lit(1)',
    """\
    emit "{x}"
    let line = ask() otherwise "none"
    emit "{line} "
    if line == "two" then Lit(2) else Lit(7)""",
)


@pytest.mark.parametrize("text", [STEPS, CHOSEN, ASKING])
def test_a_search_that_goes_on_from_states_finds_what_one_that_begins_anew_does(
    make_course: Maker, monkeypatch: pytest.MonkeyPatch, text: str
) -> None:
    """States, steps and outcomes in their order, with what was written and read before."""
    lane = lane_of(make_course, text)
    term = term_of(lane, "a + (b + 2) + (let x = c + d in x + e)")
    again: list[int | None] = []
    right = exploring._Exploration._begun_at

    def found(begun_at: Callable[..., int | None]) -> tuple[object, ...]:
        def noted(self: object, at: object, ways: object) -> int | None:
            again.append(begun_at(self, at, ways))
            return again[-1]

        monkeypatch.setattr(exploring._Exploration, "_begun_at", noted)
        made = explore(lane.machine, term, given_input=["one", "two", "three"])
        states = [(one.output, one.ways, one.arguments) for one in made.states]
        return (made.outcomes, states, made.steps, made.ended, made.whole, made.endless, made.runs)

    gone_on = found(right)
    assert sum(number is not None for number in again) > 10
    assert gone_on == found(lambda *_: None)


@pytest.mark.parametrize("name", ["interleaving", "whole_lines"])
def test_every_way_against_the_reference_interpreter(lockside: Course, name: str) -> None:
    """Each variant, on the ways to each outcome and on some that nobody asked for."""
    lane = race(lockside, name)
    texts = [
        "level := 2; { level := level + 1 beside level := level * 2 } give level",
        "{ a := 1 beside a := a + 1 } give a",
        "u := 0; l := 0; { { wait until l; u := 1 } beside { wait until u; l := 1 } } give u",
    ]
    for text in texts:
        term = term_of(lane, text)
        ways = [one.ways for one in explore(lane.machine, term).outcomes]
        for taken in [*ways, (1, 0, 1), (1, 1, 0, 0, 1), (0, 5)]:
            meant = evaluate(lane.machine, term, ways=taken)
            for variant in ("plain", "counted", "traced"):
                recorder = WholeRecord(10_000) if variant == "traced" else None
                result = lane.machine.run(term, variant=variant, recorder=recorder, ways=taken)  # type: ignore[arg-type]
                assert meant.agrees(result.outcome), (text, taken, variant)
                assert tuple(meant.output) == result.output


def test_any_path_can_be_walked(lockside: Course) -> None:
    lane = race(lockside, "interleaving")
    text = "a := 1; { a := 2 beside a := 3 } give a"
    lines = [list(Walk(lane, lane.trace(text, ways=ways)).each_line()) for ways in ((), (1,))]
    assert lines[0][3:5] == ["‹done› beside a := 3", "‹done› beside ‹done›"]
    assert lines[1][3:5] == ["a := 2 beside ‹done›", "‹done› beside ‹done›"]


# ---------------------------------------------------------------------- what is refused


@pytest.mark.parametrize(
    ("text", "message"),
    [
        (TOSS.replace("any of\n    run(left)\n    when big(right) => run(right) * 10\n",
                      "any of\n"), "`any of` needs its ways, one a line, indented further"),
        (TOSS.replace("Lit(n)          => n", "Lit(n) when pick()  => n\n  Lit(_) => 1")
         + "\ndefine pick() -> Bool\n  any of\n    true\n    false\n",
         "a guard neither writes output nor asks for input nor has several ways"),
        (STEPS.replace("in any order", "in any"), "`order` is expected here after `in any`"),
        (TOSS.replace("    run(left)\n", '    "two"\n'), "Number"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_told(make_course: Maker, text: str, message: str) -> None:
    course = make_course(tiny=TINY_LANGUAGE, lane=text)
    found = [one.message for one in course.diagnostics if one.severity == "error"]
    assert len(found) == 1
    assert message in found[0]


def test_a_way_that_is_wrong_hides_no_other(make_course: Maker) -> None:
    course = make_course(tiny=TINY_LANGUAGE, lane=TOSS.replace("run(right) * 10", "nobody"))
    lane = Session(course.folder).lane("Tiny", "lane")
    assert lane.run("1 + 5").outcome.text == "1"
    assert lane.run("1 + 5", ways=(1,)).outcome.kind == "unfinished"


# ---------------------------------------------------------------------- suites


def verdict(lockside: Course, tmp_path: Path, entry: str, lane: str = "interleaving") -> str:
    from embrix.suite.check import check_case
    from embrix.suite.read import read_suite
    from embrix.text.source import Source

    session = Session(lockside.folder)
    program = "a := 2; { a := a + 1 beside a := a * 2 } give a"
    text = f'language = "Race"\n[[case]]\nname = "c"\nprogram = "{program}"\n{entry}\n'
    findings = Findings()
    known = {"Race": ["interleaving", "whole_lines"]}
    suite = read_suite(Source("s", text), known, {"Race": ["Unset"]}, findings)
    found = list(findings.sorted())
    if found:
        return found[0].message
    assert suite is not None
    told = check_case(suite.cases[0], session.lane("Race", lane))
    return "" if told.state == "passed" else f"{told.expected} / {told.actual}"


@pytest.mark.parametrize(
    ("entry", "lane", "message"),
    [
        ("outcomes = [3, 4, 5, 6]", "interleaving", ""),
        ("outcomes = [5, 6]", "whole_lines", ""),
        ("outcomes = [5, 6]", "interleaving", "outcomes 5, 6 / outcomes 6, 4, 5, 3"),
        ("outcomes = [3, 4, 5, 6, 7]", "interleaving",
         "outcomes 3, 4, 5, 6, 7 / outcomes 6, 4, 5, 3"),
        ("may = [3]", "interleaving", ""),
        ("may = [3]", "whole_lines", "3 among the outcomes / outcomes 6, 5"),
        ("confluent = true", "whole_lines", "one outcome, whichever way / outcomes 6, 5"),
        ("value = 6", "whole_lines", "6 / 5, by the ways 2"),
        ('error = "Unset"', "whole_lines", "error Unset / 6"),
        ("diverges = true", "whole_lines", "no end / every run ends"),
        ("outcomes = [6, 5]\nstate = \"a ↦ 6\"", "whole_lines",
         "state a ↦ 6 / state a ↦ 5, by the ways 2"),
        ("confluent = false", "interleaving", "a program with several outcomes has another entry"),
        ("outcomes = []", "interleaving", "`outcomes` is a list of outcomes, each as it is "
         "printed"),
        ("outcomes = [5]\nat = \"1:1\"", "interleaving",
         "several outcomes have no place in common"),
    ],
)  # fmt: skip
def test_cases_speak_of_all_ways(
    lockside: Course, tmp_path: Path, entry: str, lane: str, message: str
) -> None:
    assert verdict(lockside, tmp_path, entry, lane) == message


@pytest.mark.parametrize(
    "entry",
    [
        'program = "rest give nobody"\nterm = "Give(Rest, Var(nobody))"',
        'program = "while 1 do rest give 1"\naccepted = true',
        'program = "x := 1 give"\nrejected = "grammar"',
    ],
)
def test_what_is_said_of_a_text_holds_however_it_ends(lockside: Course, entry: str) -> None:
    from embrix.suite.check import check_case
    from embrix.suite.read import read_suite
    from embrix.text.source import Source

    text = f'language = "Race"\n[[case]]\nname = "c"\n{entry}\n'
    suite = read_suite(Source("s", text), {"Race": ["interleaving"]}, {}, Findings())
    assert suite is not None
    told = check_case(suite.cases[0], Session(lockside.folder).lane("Race", "interleaving"))
    assert told.state == "passed", told
