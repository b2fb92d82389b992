"""Texts that are made once, and are the same wherever they stand: parts of terms, environments and
stores at neighbouring steps, what is looked for in a walk."""

from __future__ import annotations

import random
from functools import lru_cache
from typing import Any
from unittest.mock import patch

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.course.load import Course
from embrix.grammar.model import Grammar
from embrix.grammar.printing import Printer
from embrix.lanes.session import Session
from embrix.machine.display import MOST_CHARACTERS, Display
from embrix.terms.keys import entries, locations
from embrix.terms.node import FIELDS, NIL_NODE, NONE_NODE, SOME, STORE, Value
from embrix.trace.seeking import seek
from embrix.trace.walk import Walk
from tests.strategies import terms


class PieceByPiece(Printer):
    """Prints without fragments."""

    def _shared(self, *_: Any) -> None:
        return None


@lru_cache
def printers(grammar: Grammar) -> tuple[Printer, Printer]:
    """One that keeps fragments over all examples, and one that has none."""
    return Printer(grammar), PieceByPiece(grammar)


SORTS = [("Drip", "Expr"), ("Weir", "Stmt"), ("Weir", "Expr"), ("Mere", "Expr"), ("Race", "Stmt"),
         ("Punt", "Expr"), ("Gauge", "Expr")]  # fmt: skip


@pytest.mark.parametrize(("language", "sort"), SORTS)
@given(st.data())
@settings(max_examples=60)
def test_a_term_of_fragments_reads_as_one_of_pieces(
    lockside: Course, language: str, sort: str, data: st.DataObject
) -> None:
    """With any focus, cut off anywhere, also where a part would be read otherwise and stands in
    marks."""
    checked = lockside.languages[language]
    assert checked.grammar is not None
    shared, plain = printers(checked.grammar)
    term = data.draw(terms(checked.signature, sort, depth=6))
    path: list[int] = []
    part: Value = term
    while isinstance(part, tuple) and data.draw(st.booleans()):
        inside = [n for n, one in enumerate(part[FIELDS:]) if isinstance(one, tuple)]
        if not inside:
            break
        path.append(data.draw(st.sampled_from(inside)))
        part = part[FIELDS + path[-1]]
    focus = tuple(path) if data.draw(st.booleans()) else None
    rule = sort if sort in checked.grammar.entry else None
    for most, deep in ((20_000, None), (7, None), (20_000, 2), (20_000, 4)):
        assert shared.show(term, rule, focus, most, None, deep) == plain.show(
            term, rule, focus, most, None, deep
        )


def test_fragments_are_used(lockside: Course, monkeypatch: pytest.MonkeyPatch) -> None:
    """Of a term in which one part is new only what is around that part is written anew."""
    grammar = lockside.languages["Drip"].grammar
    signature = lockside.languages["Drip"].signature
    assert grammar is not None
    add, lit = (signature.by_name[name].tag for name in ("Add", "Lit"))
    term: Value = (lit, None, 1)
    for number in range(100):
        term = (add, None, term, (lit, None, number))
    printer = Printer(grammar)
    before = printer.show(term).text
    written: list[Value] = []
    expanded = printer._expanded

    def watched(left: int, value: Value, *more: Any, **others: Any) -> list[Any]:
        written.append(value)
        return expanded(left, value, *more, **others)

    monkeypatch.setattr(printer, "_expanded", watched)
    assert printer.show((add, None, term, term)).text == f"{before} + ({before})"
    assert len([one for one in written if isinstance(one, tuple)]) < 10


@given(st.sets(st.integers(0, 6)))
def test_locations_come_in_their_order(held: set[int]) -> None:
    store = (STORE, None, dict.fromkeys(held, 1))
    assert list(locations(store)) == entries(store)


WALKS = [
    ("Rill", "by_need", "let a = 1 + 2 in let f = given x: x + a in let b = f a in f b + a"),
    ("Rill", "environment", "let f of n = when n < 1 then 0 else f (n - 1) in f 2 + f 1"),
    ("Rill", "rewriting", "let a = 1 + 2 in let f = given x: x + a in f (f a)"),
    ("Weir", "store_passing", "new a := 1; new b := a + 1; a := b; b := a + b; show a"),
    ("Weir", "rewriting", "new a := 1; new b := a + 1; a := b; b := a + b; show a"),
    ("Mere", "by_need", 'let p = [1 + 1, "a"] in let s = first p ~ end in head s + first p'),
    ("Drip", "environment", "let a = 1 in a / (a - 1)"),
    ("Race", "interleaving", "{ x := 1 beside y := 2 } give x + y"),
]


@pytest.mark.parametrize(("language", "name", "program"), WALKS)
def test_texts_of_steps_are_those_of_whole_steps_in_any_order(
    lockside: Course, language: str, name: str, program: str
) -> None:
    lane = Session(lockside.folder).lane(language, name)
    walk = Walk(lane, lane.trace(program))
    steps = [walk.step(number) for number in range(len(walk))]
    numbers = list(range(len(walk)))
    random.Random(3).shuffle(numbers)
    for number in numbers:
        step = steps[number]
        assert walk.text(number) == step.text
        assert walk.clause_at(number) == (None if step.kind == "leave" else step.clause)


@pytest.mark.parametrize(("language", "name", "program"), WALKS)
def test_a_text_is_found_where_it_stands(
    lockside: Course, language: str, name: str, program: str
) -> None:
    lane = Session(lockside.folder).lane(language, name)
    walk = Walk(lane, lane.trace(program))
    texts = [walk.step(number).text.casefold() for number in range(len(walk))]
    for what in ("a", "1", "⇓", "2)", ", ", "nowhere"):
        start = -1
        expected = [number for number, text in enumerate(texts) if what in text]
        found = []
        while (at := seek(walk, "text", what, start, forward=True)) is not None:
            found.append(at)
            start = at
        assert found == expected


@pytest.mark.parametrize(("language", "name", "program"), WALKS)
def test_a_value_is_shown_as_by_somebody_who_has_shown_nothing_before(
    lockside: Course, language: str, name: str, program: str
) -> None:
    lane = Session(lockside.folder).lane(language, name)
    recorder = lane.trace(program).recorder
    values = [one for arguments in recorder.arguments for one in arguments]
    values += [one for one in recorder.results if isinstance(one, tuple)]
    random.Random(5).shuffle(values)
    machine = lane.machine
    for value in values:
        whole = machine.display.show(value)
        if len(whole) < MOST_CHARACTERS:
            assert machine.display.show(value, len(whole)) == whole
            assert machine.display.show(value, len(whole) - 1) == f"{whole[:-1]}…"
    for most in (None, 30):
        for value in values:
            fresh = Display(lane.interpreter, machine.printer, machine._show_by_clause)
            shown = fresh.show(value, most)
            assert machine.display.show(value, most) == shown
            # Texts of what is held are not made apart where they are too many inside each other.
            with patch("embrix.machine.display.MOST_WITHIN", 0):
                in_turn = Display(lane.interpreter, machine.printer, machine._show_by_clause)
                assert in_turn.show(value, most) == shown


def test_what_was_left_out_at_the_end_of_a_part_counts_for_what_follows_the_part(
    lockside: Course,
) -> None:
    """A branch without a second way would take the `otherwise` of the one around it, also where it
    stands at the end of a loop in a loop, and where that loop was written before."""
    checked = lockside.languages["Weir"]
    assert checked.grammar is not None
    tag = {name: form.tag for name, form in checked.signature.by_name.items()}
    yes: Value = (tag["True"], None)
    empty: Value = (tag["Block"], None, NIL_NODE)
    bare: Value = (tag["Branch"], None, yes, empty, NONE_NODE)
    loop: Value = (tag["While"], None, yes, (tag["While"], None, yes, bare))
    shared, plain = printers(checked.grammar)
    for inner in (bare, loop):
        shared.show(inner, "Stmt")
        whole: Value = (tag["Branch"], None, yes, inner, (SOME, None, empty))
        text = plain.show(whole, "Stmt").text
        assert "‹" in text
        for around in (whole, (tag["While"], None, yes, whole)):
            for focus in (None, (), (0,)):
                assert shared.show(around, "Stmt", focus) == plain.show(around, "Stmt", focus)


def test_a_step_far_inside_a_term_has_the_same_text_alone(lockside: Course) -> None:
    lane = Session(lockside.folder).lane("Drip", "rewriting")
    program = "1" + " + 1" * 1_200
    walk = Walk(lane, lane.trace(program))
    assert walk.text(0) == walk.step(0).text
    assert walk.text(0).startswith("… ")
