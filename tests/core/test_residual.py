"""Residual programs do what the interpreter does: the same outcome, place, output, state and number
of calls; and what they are made of is what it should be."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.course.load import Course
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.outcome import Result
from embrix.machine.residual.knowledge import NotResidual
from embrix.machine.residual.residual_run import ResidualProgram, specialise
from embrix.machine.run import MOST_LEFT
from embrix.terms.node import Node, Value
from tests.conftest import Maker
from tests.core.test_reference import cases_and_lanes
from tests.core.test_strategies import CONTINUATIONS, FAILURES, LANGUAGE
from tests.strategies import terms

LIMITS = Limits(calls=20_000, depth=30_000, output=2_000)
LANES = [
    ("Drip", "environment"), ("Rill", "environment"), ("Rill", "by_name"), ("Rill", "by_need"),
    ("Rill", "store_passing"), ("Rill", "dynamic_scope"),
    ("Rill", "environment[first=right, checking=at_once]"), ("Weir", "store_passing"),
    ("Weir", "stale_store"), ("Weir", "store_passing[arithmetic=binary]"),
    ("Weir", "store_passing[assignment=old_value, loop=rounds]"), ("Mere", "environment"),
    ("Mere", "by_name"), ("Mere", "by_need"), ("Gauge", "environment"), ("Siren", "environment"),
    ("Siren", "continuations"), ("Gauge", "checking"),
    ("Punt", "environment"),
]  # fmt: skip


@pytest.fixture(scope="module")
def session(lockside: Course) -> Session:
    return Session(lockside.folder)


def term_of(lane: Lane, text: str) -> Node:
    parsed = lane.parser.parse(text)
    assert isinstance(parsed, Parsed), text
    return parsed.term


def told(result: Result) -> tuple[object, ...]:
    one = result.outcome
    return (one.kind, one.name, one.text, one.place, one.structure, result.output,
            list(result.state), result.spent)  # fmt: skip


def agrees(
    lane: Lane, term: Node, lines: tuple[str, ...] = ("3", "x"), limits: Limits = LIMITS,
    given: Sequence[tuple[str, Value]] = (),
) -> Result | None:  # fmt: skip
    """The residual program gives what the interpreter gives; None where there is none."""
    names = tuple(name for name, _ in given)
    try:
        # Whatever else it raises is a fault. A run finds what is made here.
        made = specialise(lane.interpreter, term, names, MOST_LEFT)
    except NotResidual:
        return None
    lane.machine._residuals.clear()
    lane.machine._residuals[id(term), names] = term, made
    left, whole = (
        lane.machine.run(term, given, variant="plain", limits=limits, given_input=lines,
                         residual=residual, few=0)
        for residual in (True, False)
    )  # fmt: skip
    assert told(left) == told(whole)
    return whole


def left_of(lane: Lane, text: str) -> ResidualProgram:
    return specialise(lane.interpreter, term_of(lane, text))


@pytest.mark.parametrize("language", ["Drip", "Rill", "Mere", "Weir", "Gauge", "Punt", "Siren"])
def test_every_case_of_the_course(session: Session, language: str) -> None:
    cases, lanes = cases_and_lanes(session, language)
    values = 0
    for name in lanes:
        lane = session.lane(language, name)
        for case in cases[::5]:
            parsed = lane.parser.parse(case.program)
            if isinstance(parsed, Parsed):
                term, supplied = lane.with_given(parsed.term, case.given, None)
                found = agrees(lane, term, tuple(case.input), given=supplied)
                values += found is not None and found.outcome.kind == "value"
    assert values >= {"Punt": 5, "Siren": 7, "Drip": 5, "Gauge": 12}.get(language, 24)


@pytest.mark.parametrize(("language", "name"), LANES)
@given(data=st.data())
@settings(max_examples=25)
def test_programs_that_nobody_wrote(
    session: Session, language: str, name: str, data: st.DataObject
) -> None:
    lane = session.lane(language, name)
    sort = "Stmt" if language == "Weir" else "Expr"
    agrees(lane, data.draw(terms(lane.interpreter.language.signature, sort, 5)))


FUNCTIONS = [
    # Worked out by hand: 1 + 2 + … + 40; ten times 3; (2 + 1) + 1; 5 * 4 * 3 * 2.
    ("let sum of n = when n < 1 then 0 else n + sum (n - 1) in sum 40", "820"),
    ("let loop of n = given t: when n < 1 then t else loop (n - 1) (t + 3) in loop 10 0", "30"),
    ("let twice = given f: given x: f (f x) in twice (given y: y + 1) 2", "4"),
    ("let fac of n = when n < 2 then 1 else n * fac (n - 1) in fac 5", "120"),
    ("let k = 3 in let f = given x: x * k in let k = 100 in f 2", "6"),
    ("let f of n = when n < 1 then given y: y + n else f (n - 1) in f 7 5", "5"),
    ("let even = given self: given n: when n < 1 then true else when n < 2 then false else "
     "self self (n - 2) in even even 8", "true"),
    ("let f = given x: given y: x is y in f 1 true", "false"),
    ("let pick = given b: when b then given x: x + 1 else given x: x * 10 in "
     "pick true 5 + pick (1 < 0) 5", "56"),
    ("(1 / 3 + 2 / 3) * 7", "7"),
]  # fmt: skip


@pytest.mark.parametrize("name", ["environment", "by_name", "by_need", "store_passing"])
def test_programs_whose_values_are_known_beforehand(session: Session, name: str) -> None:
    lane = session.lane("Rill", name)
    for text, value in FUNCTIONS:
        term = term_of(lane, text)
        found = agrees(lane, term, limits=Limits())
        assert found is not None, text
        assert found.outcome.text == value, text
        # It was the residual program that gave it.
        program = specialise(lane.interpreter, term)
        assert program.runs_to_its_end(lane.machine.display), text


@pytest.mark.parametrize("name", ["environment", "by_name", "by_need", "store_passing"])
def test_names_supplied_by_hand_are_parameters(session: Session, name: str) -> None:
    """The same residual program for other numbers; a truth value is no number, and a function
    that is handed over is for the interpreter."""
    lane = session.lane("Rill", name)
    parsed = term_of(lane, "let sum of n = when n < 1 then 0 else n + sum (n - 1) in sum n * k")
    for n, k, value in (
        ("4", "3", "30"),
        ("0", "7", "0"),
        ("5", "1 / 2", "7.5"),
        ("true", "1", "NumberWanted"),
        ("3", "given x: x", "NumberWanted"),
    ):
        term, values = lane.with_given(parsed, {"n": n, "k": k}, None)
        found = agrees(lane, term, given=values)
        assert found is not None
        assert value in (found.outcome.text, found.outcome.name)
    if lane.machine.takes_bindings:
        names = ("n", "k")
        assert lane.machine.residual(parsed, names) is lane.machine.residual(parsed, names)


def test_a_function_that_calls_itself_is_called_directly(session: Session) -> None:
    """No interpreter is left, and no environment: one function of one number."""
    program = left_of(session.lane("Rill", "environment"), FUNCTIONS[0][0])
    assert len(program.program.residuals) == 2
    assert "f1(" in program.text
    assert program.program.shapes == {}
    assert program.program.dispatches == {}


def test_a_call_in_the_last_place_is_a_loop(session: Session) -> None:
    """200,000 rounds take no more room than 20."""
    lane = session.lane("Rill", "environment")
    text = "let count of n = when n < 1 then 7 else count (n - 1) in count 200000"
    assert "while True" in left_of(lane, text).text
    result = lane.machine.run(
        term_of(lane, text), variant="plain", residual=True,
        limits=Limits(calls=10_000_000, depth=1_000),
    )  # fmt: skip
    assert result.outcome.text == "7"


def test_a_method_that_calls_itself_last_is_a_loop(session: Session) -> None:
    """Where a store holds the function, its only shape says which code it has."""
    lane = session.lane("Rill", "store_passing")
    text = "let count of n = when n < 1 then 7 else count (n - 1) in count 30000"
    term = term_of(lane, text)
    assert "while True" in left_of(lane, text).text
    result = specialise(lane.interpreter, term).runs_to_its_end(
        lane.machine.display, Limits(calls=10_000_000, depth=1_000)
    )
    assert result
    # With two functions in the store nobody knows which one is meant.
    both = f"let other = given x: x in {text}"
    assert "while True" not in left_of(lane, both).text
    found = agrees(lane, term_of(lane, both.replace("30000", "300")), limits=Limits())
    assert found is not None
    assert found.outcome.text == "7"


@pytest.mark.parametrize("name", ["environment", "by_name", "by_need", "store_passing"])
def test_functions_in_scope_of_each_other_are_made_once(session: Session, name: str) -> None:
    """Each holds all before it: what is made of them grows with their number, not with its
    powers."""

    def statements(count: int) -> int:
        names = [f"f{'abcdefghij'[n // 10]}{'abcdefghij'[n % 10]}" for n in range(count)]
        made = "".join(f"let {one} = given x: x + {n} in " for n, one in enumerate(names))
        text = f"{made}let ap = given g: given x: g x in " + " + ".join(
            f"ap {one} 1" for one in names
        )
        lane = session.lane("Rill", name)
        if count < 20:
            found = agrees(lane, term_of(lane, text), limits=Limits())
            assert found is not None
            assert found.outcome.text == str(count + count * (count - 1) // 2)
        return left_of(lane, text).program.statements

    assert statements(24) < 4 * statements(8)


def test_a_large_program_is_not_specialised(session: Session) -> None:
    """It is told why, and run as ever."""
    lane = session.lane("Rill", "environment")
    text = "let f of n = when n < 1 then 0 else 1 + f (n - 1) in " + " + ".join(["f 9"] * 400)
    term = term_of(lane, text)
    assert lane.machine.residual(term) is None
    with pytest.raises(NotResidual, match="more than"):
        specialise(lane.interpreter, term, most=1_000)
    assert lane.machine.run(term, variant="plain", residual=True).outcome.text == "3600"


@pytest.mark.parametrize("name", ["environment", "store_passing", "by_need"])
def test_deep_recursion(session: Session, name: str) -> None:
    lane = session.lane("Rill", name)
    text = "let sum of n = when n < 1 then 0 else 1 + sum (n - 1) in sum 30000"
    limits = Limits(calls=10_000_000, depth=200_000)
    found = agrees(lane, term_of(lane, text), limits=limits)
    assert found is not None
    assert found.outcome.text == "30000"


def test_the_last_call_that_is_allowed(session: Session) -> None:
    """With as many calls as a program makes it comes to its end, with one less it does not."""
    for name in ("environment", "store_passing", "by_need"):
        lane = session.lane("Rill", name)
        term = term_of(lane, FUNCTIONS[0][0])
        calls = lane.machine.run(term, variant="plain", residual=False).spent
        for more, kind in ((0, "value"), (-1, "out of fuel"), (-calls // 2, "out of fuel")):
            found = agrees(lane, term, limits=Limits(calls=calls + more))
            assert found is not None
            assert found.outcome.kind == kind


def test_other_limits_are_those_of_any_run(session: Session) -> None:
    lane = session.lane("Rill", "environment")
    large = "let f of n = when n < 1 then 3 else let x = f (n - 1) in x * x in f 20"
    found = agrees(lane, term_of(lane, large), limits=Limits())
    assert found is not None
    assert found.outcome.name == "numbers"
    weir = session.lane("Weir", "store_passing")
    talk = "new n := 0; while n < 2000 do { show 1234567; n := n + 1 }"
    found = agrees(weir, term_of(weir, talk), limits=Limits(output=2_000))
    assert found is not None
    assert found.outcome.name == "output"


def test_a_store_that_is_used_in_turn_is_changed_in_place(session: Session) -> None:
    """The lane with the bug goes back to an older store, so it keeps all of them."""
    text = (
        "new passed := 0; new turn := given by: begin passed := passed + by give passed; "
        "new last := 0; last := turn 1 + turn 1; show passed; show last"
    )
    found = []
    for name, linear in (("store_passing", True), ("stale_store", False)):
        lane = session.lane("Weir", name)
        assert left_of(lane, text).python.linear is linear
        result = agrees(lane, term_of(lane, text))
        assert result is not None
        found.append("".join(result.output))
    assert found[0] == "2\n3\n"
    assert found[1] != found[0]


def test_operands_of_the_wrong_kind_are_found(session: Session) -> None:
    """A truth value is no number, whatever Python says; the place is that of the interpreter."""
    lane = session.lane("Rill", "environment")
    for text in (
        "let f = given x: x + 1 in f true",
        "let f = given x: x in f f + 1",
        "let f = given x: x in when f 1 then 2 else 3",
        "let f = given x: x 1 in f 2",
    ):
        result = agrees(lane, term_of(lane, text))
        assert result is not None
        assert result.outcome.kind == "failure", text
        assert result.outcome.place is not None


def test_floats_are_those_of_the_machine(session: Session) -> None:
    lane = session.lane("Weir", "store_passing[arithmetic=binary]")
    for text in (
        "new x := 1; new y := x / 10 + 2 / 10; show y",
        "new big := 2; while big < 1000 do big := big * big; show big",
    ):
        result = agrees(lane, term_of(lane, text))
        assert result is not None
        assert result.outcome.kind == "value"


RACE = "x := 0; { x := 1 beside x := 2 } give x"


@pytest.mark.parametrize("language", ["Race", "Eddy"])
def test_small_steps_are_not_specialised(session: Session, language: str) -> None:
    name = next(iter(session.course.interpreters[language]))
    lane = session.lane(language, name)
    with pytest.raises(NotResidual, match="repeats small steps"):
        left_of(
            lane, "given x: x" if language == "Eddy" else "x := 0; { x := 1 beside x := 2 } give x"
        )


def test_definitions_of_other_authors(make_course: Maker) -> None:
    """Continuations are functions of the notation; failures are told by the interpreter."""
    course = make_course(small=LANGUAGE, failures=FAILURES, continuations=CONTINUATIONS)
    session = Session(course.folder)
    given = 0
    for name in course.interpreters["Small"]:
        lane = session.lane("Small", name)
        for text in (
            "let f of n = when n then n + f (n - 1) else 0 in f 40",
            "let apply = given f: given x: f (f x) in apply (given y: y + 1) 4",
            "let f of n = when n then f (n - 1) + missing else missing in f 5",
        ):
            given += agrees(lane, term_of(lane, text)) is not None
    assert given == 6


def test_a_run_can_be_stopped(session: Session) -> None:
    lane = session.lane("Rill", "environment")
    text = "let count of n = when n < 1 then 7 else count (n - 1) in count 100000000"
    stops = []

    def on_start(stop: object) -> None:
        stops.append(stop)
        if len(stops) == 1:
            assert callable(stop)
            stop()

    result = lane.machine.run(
        term_of(lane, text), variant="plain", residual=True, on_start=on_start,
        limits=Limits(calls=1 << 50),
    )  # fmt: skip
    assert result.outcome.kind == "out of fuel"


def test_exact_fractions(session: Session) -> None:
    lane = session.lane("Rill", "environment")
    result = agrees(lane, term_of(lane, "let f = given x: x / 3 in f 1 + f 1"))
    assert result is not None
    assert result.outcome.value[2] == Fraction(2, 3)


def test_what_is_compared_is_handed_to_a_function(session: Session) -> None:
    """The comparison stands where the call is written, once."""
    lane = session.lane("Rill", "environment")
    text = (
        "let g of b = given n: when b then 1 + g (n < 2) (n + 1) else 0 in "
        "let f of n = when n < 1 then 0 else g (n < 5) n + f (n - 1) in f 6"
    )
    # g true n: n is 2 or more: 1; n is 1: 1 + g true 2 = 2; so f 6 = 0 + 0 + 1 + 1 + 1 + 2.
    found = agrees(lane, term_of(lane, text))
    assert found is not None
    assert found.outcome.text == "5"
    assert left_of(lane, text).runs_to_its_end(lane.machine.display)
