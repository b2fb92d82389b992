"""Walking a recorded run, both ways, on each style of interpreter."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.trace.data import step_data
from embrix.trace.walk import Walk
from embrix.trace.walk_steps import WalkStep
from tests.strategies import terms


def walk(lane: Lane, text: str, **given_names: str) -> Walk:
    return Walk(lane, lane.trace(text, given_names))


def focused(step: WalkStep) -> str:
    assert step.focus is not None
    return step.text[step.focus.start : step.focus.end]


def marked(step: WalkStep, program: str) -> str:
    return program[slice(*step.place)] if step.place else ""


def test_the_redex_is_marked_in_the_term_and_in_the_program(drip_lanes: dict[str, Lane]) -> None:
    """Worked out by hand: which part is rewritten at each step, and where it came from."""
    program = "let x = 1 + 2 in (x + 4) * -x"
    found = walk(drip_lanes["rewriting"], program)
    steps = [found.step(n) for n in range(len(found))]
    assert [s.text for s in steps] == [
        "let x = 1 + 2 in (x + 4) * -x",
        "let x = 3 in (x + 4) * -x",
        "(3 + 4) * -3",
        "7 * -3",
        "7 * ‹-3›",
        "‹-21›",
    ]
    assert [focused(s) for s in steps[:5]] == [
        "1 + 2", "let x = 3 in (x + 4) * -x", "3 + 4", "-3", "7 * ‹-3›",
    ]  # fmt: skip
    assert [marked(s, program) for s in steps[:5]] == [
        "1 + 2", program, "x + 4", "-x", "(x + 4) * -x",
    ]  # fmt: skip
    assert steps[5].note == "final"


def test_steps_show_the_names_in_scope_and_what_shadows_what(drip_lanes: dict[str, Lane]) -> None:
    program = "let x = 1 in let x = x + 1 in x"
    found = walk(drip_lanes["environment"], program)
    at_end = [
        found.step(n)
        for n in range(len(found))
        if found.step(n).kind == "enter" and marked(found.step(n), program) == "x"
    ]
    assert [[(b.name, b.value, b.shadowed) for b in s.bindings] for s in at_end] == [
        [("x", "1", False)],
        [("x", "2", False), ("x", "1", True)],
    ]


def test_a_failed_run_ends_with_its_failure_and_the_step_at_which_it_came(
    drip_lanes: dict[str, Lane],
) -> None:
    program = "let x = 4 in 1 + x / 0"
    for name, lane in drip_lanes.items():
        found = walk(lane, program)
        last = found.step(len(found) - 1)
        assert (last.kind, last.note) == ("end", "failure"), name
        assert marked(last, program) == "x / 0", name
    environment = walk(drip_lanes["environment"], program)
    names = environment.step(len(environment) - 1).bindings
    assert [(b.name, b.value) for b in names] == [("x", "4")]


def test_the_clause_of_a_step_is_the_one_that_applied(drip_lanes: dict[str, Lane]) -> None:
    lane = drip_lanes["rewriting"]
    found = walk(lane, "8 / 0")
    clause = found.step(0).clause
    assert clause is not None
    text = lane.interpreter.source.text[clause.start : clause.end]
    assert text == "Div(Lit(_), Lit(0))  => fail DivisionByZero"


def test_rejected_programs_have_one_step(drip_lanes: dict[str, Lane]) -> None:
    found = walk(drip_lanes["environment"], "1 +")
    assert len(found) == 1
    assert found.step(0).kind == "end"
    assert found.lines() == []
    assert found.levels() == []


def test_a_program_that_is_a_value_takes_no_step(drip_lanes: dict[str, Lane]) -> None:
    found = walk(drip_lanes["rewriting"], "5")
    assert found.lines() == ["5"]
    assert len(found) == 1


@given(data=st.data())
def test_every_entering_has_its_leaving_and_depths_fit(
    drip_lanes: dict[str, Lane], data: st.DataObject
) -> None:
    """Judgements nest like brackets; what is still open at the end is what failed."""
    lane = drip_lanes[data.draw(st.sampled_from(["environment", "by_name"]))]
    term = data.draw(terms(lane.interpreter.language.signature, "Expr", 4))
    printer = lane.machine.printer
    assert printer is not None
    found = walk(lane, printer.show(term).text)
    steps = [found.step(n) for n in range(len(found) - 1)]
    depth = 0
    for step in steps:
        depth -= step.kind == "leave"
        assert step.depth == depth
        depth += step.kind == "enter"
    assert (depth == 0) == (found.traced.result.outcome.kind == "value")
    assert max(found.levels()) == max(s.depth for s in steps)
    assert len(found.lines()) == sum(s.kind == "leave" for s in steps)
    # What is looked through for a text is what stands there.
    assert [found.text(n) for n in range(len(found) - 1)] == [one.text for one in steps]


@given(data=st.data())
def test_each_term_of_a_reduction_sequence_has_the_value_of_the_first(
    drip_lanes: dict[str, Lane], data: st.DataObject
) -> None:
    """Subject preservation as far as it can be seen: every term, run on its own, ends the same."""
    lane = drip_lanes["rewriting"]
    term = data.draw(terms(lane.interpreter.language.signature, "Expr", 4))
    printer = lane.machine.printer
    assert printer is not None
    found = walk(lane, printer.show(term).text)
    end = found.traced.result.outcome
    for line in found.lines():
        if "‹" not in line:
            again = lane.run(line).outcome
            assert (again.kind, again.text) == (end.kind, end.text)


def test_a_deep_redex_is_shown_with_what_is_near_it(drip_lanes: dict[str, Lane]) -> None:
    """Of a sum of 1,100 terms the innermost two are rewritten first, far below the top."""
    lane = drip_lanes["rewriting"]
    text = " + ".join(["7", "8", *["1"] * 1_098])
    walk = Walk(lane, lane.trace(text, limits=Limits(calls=10_000_000)))
    for number, redex in ((0, "7 + 8"), (1, "15 + 1")):
        step = walk.step(number)
        assert step.focus is not None
        assert step.text[step.focus.start : step.focus.end] == redex
        assert step.text.startswith(f"… {redex} + 1")
        assert step.text.endswith(" …")
        assert len(step.text) < 2_000


def test_a_clause_is_told_as_it_is_written(drip_lanes: dict[str, Lane]) -> None:
    told = walk(drip_lanes["environment"], "6 / 2")
    clause = step_data(told, told.step(0)).clause
    assert clause is not None
    assert clause.text.split("\n") == [
        "Div(left, right)  =>",
        "  let Num(a) = eval(left, env)",
        "  let Num(b) = eval(right, env)",
        "  require b != 0 else fail DivisionByZero",
        "  Num(a / b)",
    ]
