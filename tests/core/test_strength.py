"""Mistakes made on purpose: what notices them is told rightly."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from embrix.brix.mutants import mistakes_in
from embrix.brix.reader import read_definition
from embrix.brix.syntax import InterpreterSyntax
from embrix.checking.strength import Noticed, try_mistakes
from embrix.course.load import Course
from embrix.lanes.session import Session
from embrix.text.diagnostic import Findings
from embrix.text.source import Source


def noticed(lockside: Course, language: str, name: str) -> list[Noticed]:
    return list(try_mistakes(Session(lockside.folder), language, name))


def test_every_mistake_in_drip_is_noticed(lockside: Course) -> None:
    """The kinds are those that were made by hand before there was a command."""
    found = noticed(lockside, "Drip", "environment")
    by = {(one.mistake.what, one.after): (one.how, one.by) for one in found}
    assert by["what is bound or stored is lost", "eval(body, env)"] == (
        "warned",
        "unused_name",
    )
    assert by["swapped operands", "Num(b / a)"][0] == "red"
    assert by["a check is left out", "Num(a / b)"] == ("red", "division by zero")
    assert by["number is forgotten", "Neg(arg)          => Num(-eval(arg, env))"] == (
        "refused",
        "type_mismatch",
    )
    assert all(one.how != "not found" for one in found)


def test_what_no_case_notices_is_told(lockside: Course) -> None:
    """No program of Rill needs a value in order to compute itself."""
    lost = [one for one in noticed(lockside, "Rill", "by_need") if one.how == "not found"]
    assert [one.after for one in lost] == ["let (v, store) = eval(e, env, store)"]


def test_a_suite_without_cases_notices_nothing(lockside: Course) -> None:
    session = Session(lockside.folder)
    session.course = session.course.__class__(
        **{
            name: () if name == "suites" else getattr(session.course, name)
            for name in session.course.__slots__
        }
    )
    assert "red" not in {one.how for one in try_mistakes(session, "Drip", "environment")}


@given(data=st.data())
def test_mistakes_change_one_place(lockside: Course, data: st.DataObject) -> None:
    lanes = [lane for lanes in lockside.interpreters.values() for lane in lanes.values()]
    lane = data.draw(st.sampled_from(lanes))
    syntax = read_definition(lane.source, Findings())
    assert isinstance(syntax, InterpreterSyntax)
    mistakes = mistakes_in(syntax)
    assert mistakes
    mistake = data.draw(st.sampled_from(mistakes))
    text = mistake.made(lane.source.text)
    assert text != lane.source.text
    assert text.startswith(lane.source.text[: mistake.span.start])
    assert text.endswith(lane.source.text[mistake.span.end :])


def test_mistakes_in_machines_are_made_and_noticed(lockside: Course) -> None:
    """By hand, of the transition for a call: the other part goes first or is kept, an environment
    is not kept in the state or in the frame, no frame waits."""
    call = "Going(Call(callee, arg), env, rest)               => "
    after = {
        one.after.removeprefix(call): one.mistake.what
        for one in noticed(lockside, "Eddy", "cek") if one.after.startswith(call)
    }  # fmt: skip
    assert after == {
        "Going(arg, env, [Argument(arg, env), ..rest])": "another part of the program",
        "Going(callee, empty, [Argument(arg, env), ..rest])": "the environment is not kept",
        "Going(callee, env, [Argument(callee, env), ..rest])": "another part of the program",
        "Going(callee, env, [Argument(arg, empty), ..rest])": "the environment is not kept",
        "Going(callee, env, rest)": "a frame is dropped",
    }
    found = noticed(lockside, "Eddy", "cek")
    assert all(one.how != "not found" for one in found)


TWO_STACKS = """\
interpreter stacks for Tiny
data State
  State(e: Expr, done: List[Number], rest: List[Number])
main run
define run(e: Expr) -> Number
  size([over(State(e, [], []))])
define over(s: State) -> Number by s
  State(e, done, rest) => number(size(done)) + over(State(e, [1, ..done], rest))
"""


def test_components_of_one_type_change_places() -> None:
    syntax = read_definition(Source("stacks", TWO_STACKS), Findings())
    assert isinstance(syntax, InterpreterSyntax)
    made = {one.made(TWO_STACKS).split("\n")[-2].partition("=> ")[2]: one.what
            for one in mistakes_in(syntax)}  # fmt: skip
    assert made["number(size(done)) + over(State(e, rest, [1, ..done]))"] == "swapped components"
    assert made["number(size(done)) + over(State(e, done, rest))"] == "a frame is dropped"
