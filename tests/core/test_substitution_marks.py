"""Where a substitution does something, marked in the terms before and after it."""

from __future__ import annotations

import random

import pytest

from embrix.course.load import Course
from embrix.draw.runs import draw_reduction
from embrix.draw.scene import Label
from embrix.lanes.session import Session
from embrix.terms.generate import Generator, Words
from embrix.terms.ways import part_at, way_to, with_parts
from embrix.trace.walk import Walk
from embrix.trace.walk_steps import WalkStep
from tests.conftest import TINY_LANGUAGE, Maker


def marked(step: WalkStep) -> list[tuple[str, int, str]]:
    return [(one.kind, one.span.start, step.text[one.span.start : one.span.end])
            for one in step.marks]  # fmt: skip


def test_names_stops_and_values_are_marked(lockside: Course) -> None:
    """Counted by hand in the printed terms."""
    lane = Session(lockside.folder).lane("Drip", "rewriting")
    walk = Walk(lane, lane.trace("let x = 3 in x * (let x = 5 in x + 1) - x"))
    first, second = walk.step(0), walk.step(1)
    assert first.text == "let x = 3 in x * (let x = 5 in x + 1) - x"
    assert marked(first) == [("put", 13, "x"), ("stopped", 22, "x"), ("put", 40, "x")]
    assert second.text == "3 * (let x = 5 in x + 1) - 3"
    assert marked(second) == [("value", 0, "3"), ("value", 27, "3"), ("put", 18, "x")]


def test_a_function_that_is_put_in_stands_in_brackets(lockside: Course) -> None:
    lane = Session(lockside.folder).lane("Rill", "rewriting")
    walk = Walk(lane, lane.trace("let f = given y: y in f (f 3)"))
    assert marked(walk.step(0)) == [("put", 22, "f"), ("put", 25, "f")]
    after = walk.step(1)
    assert after.text == "(given y: y) ((given y: y) 3)"
    assert [text for kind, _, text in marked(after) if kind == "value"] == ["(given y: y)"] * 2


def test_a_binder_that_is_renamed_is_marked(lockside: Course) -> None:
    """`y` in the argument is not that of the inner function."""
    lane = Session(lockside.folder).lane("Eddy", "normal_order")
    walk = Walk(lane, lane.trace("given y: (given x: given y: x y) y"))
    first = walk.step(0)
    assert first.text == "given y: (given x: given y: x y) y"
    assert marked(first) == [("renamed", 25, "y"), ("put", 28, "x")]
    after = walk.step(1)
    assert after.text == "given y: given y1: y y1"
    assert marked(after) == [("value", 19, "y")]


CAPITALS = TINY_LANGUAGE.replace("name    /[a-z]+/", "name    /[A-Z]/")
STEPS = """\
interpreter steps for Tiny
main run
define run(p: Expr) -> Expr
  repeat step(p)
define step(e: Expr) -> Expr by e
  final Lit(_)
  order Add(left, right)  : left, right
  Add(Lit(a), Lit(b))     => Lit(a + b)
  order Let(_, bound, _)  : bound
  Let(x, v, body)         => substitute(v, x, body)
  Var(x)                  => fail Unbound(x)
  no clause Add(_, _)     "both are numbers"
error Unbound(x: Name) "nothing called {x}"
"""


def test_marks_do_not_depend_on_how_names_are_written(make_course: Maker) -> None:
    """No name of the language is like those that the places are found with."""
    lane = Session(make_course(lang=CAPITALS, steps=STEPS).folder).lane("Tiny", "steps")
    walk = Walk(lane, lane.trace("let X = 7 in X + (let X = 1 in X)"))
    assert marked(walk.step(0)) == [("put", 13, "X"), ("stopped", 22, "X")]


@pytest.mark.parametrize("seed", range(40))
def test_every_place_of_a_substitution_is_marked(make_course: Maker, seed: int) -> None:
    """As many names are marked as are replaced, each is the name, and what stands in their places
    afterwards is what was put in."""
    lane = Session(make_course(lang=TINY_LANGUAGE, steps=STEPS).folder).lane("Tiny", "steps")
    choose = random.Random(f"marks {seed}").randrange
    made = Generator(lane.interpreter.language.signature, choose, Words(names=("a", "b")))
    for _ in range(4):
        term = made.term("Expr", 5)
        printer = lane.machine.printer
        assert printer is not None
        walk = Walk(lane, lane.trace(printer.show(term).text, {"a": "1", "b": "2"}))
        for number in range(len(walk) - 1):
            step, after = walk.step(number), walk.step(number + 1)
            if not step.put or step.kind != "term":
                continue
            (put,) = step.put
            names = [text for kind, _, text in marked(step) if kind == "put"]
            assert names == [put.details.name] * len(put.details.places)
            stopped = [text for kind, _, text in marked(step) if kind == "stopped"]
            assert len(stopped) == len(put.details.stopped)
            values = [text for kind, _, text in marked(after) if kind == "value"]
            if after.kind == "term" and put.value.isalnum():
                assert values == [put.value] * len(names)


def test_ways_lead_to_parts() -> None:
    inner = (90, None, "x")
    whole = (91, None, (92, None, 1), (91, None, inner, inner))
    assert way_to(whole, inner, 100) == (1, 0)
    assert way_to(whole, (90, None, "".join("x")), 100) is None  # alike, but another one
    assert way_to(whole, inner, 2) is None
    assert part_at(whole, (1, 1)) is inner
    assert with_parts(whole, {(1, 1): 5, (0, 0): 2}) == (
        91, None, (92, None, 2), (91, None, inner, 5),
    )  # fmt: skip
    assert with_parts(whole, {(): (7, None)}) == (7, None)


def test_what_is_put_in_is_bold_in_the_picture(lockside: Course) -> None:
    lane = Session(lockside.folder).lane("Drip", "rewriting")
    walk = Walk(lane, lane.trace("let x = 3 in x * (let x = 5 in x + 1) - x"))
    (page,) = draw_reduction(walk, "steps").pages
    labels = [item for item in page.items if isinstance(item, Label)]
    assert [one.text for one in labels if one.bold] == ["x", "x", "3", "x", "3", "5"]
    rows: dict[float, str] = {}
    for one in labels:
        rows[one.y] = rows.get(one.y, "") + one.text
    assert [text.strip("→ ") for text in rows.values()] == walk.lines()


def test_a_result_that_has_been_worked_on_is_not_marked(make_course: Maker) -> None:
    """The clause puts more around it: nothing is said of places that are elsewhere now."""
    more = STEPS.replace("substitute(v, x, body)", "Add(substitute(v, x, body), Lit(1))")
    lane = Session(make_course(lang=TINY_LANGUAGE, steps=more).folder).lane("Tiny", "steps")
    walk = Walk(lane, lane.trace("let a = 3 in a + a"))
    assert walk.lines()[:2] == ["let a = 3 in a + a", "3 + 3 + 1"]
    assert marked(walk.step(0)) == [("put", 13, "a"), ("put", 17, "a")]
    assert marked(walk.step(1)) == []
