"""Plain runs beside closures made by hand and beside Python itself.

A ratio below one means that Embrix takes less time. Making the closures is left out on their side,
as compiling the interpreter is on ours.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from functools import partial
from typing import Any

from bench.by_hand import closures, native, rill
from bench.by_hand.weir_loops import Weir
from bench.measuring import compare
from bench.rill import LARGE, LIMITS, PROGRAMS
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.stack import with_room
from embrix.terms.node import Node

COUNT = (
    "new total := 0; new level := 0; "
    "while level < {} do {{ total := total + level; level := level + 1 }}"
)


WAYS = (("", None), (", residual at once", True), (", interpreted", False))
"""How a program is run: as it is by itself, only as a residual program, without one. Making the
residual program is left out, as making the closures is."""


def run_closures(session: Session) -> None:
    sys.setrecursionlimit(1_000_000)
    for lane, make in (
        ("environment", _called), ("by_need", _lazy), ("store_passing", _passing),
    ):  # fmt: skip
        print(f"Rill {lane}, plain, beside closures made by hand")
        _beside(session.lane("Rill", lane), make)
    print("Rill environment, plain, beside closures that bounce tail calls")
    _beside(session.lane("Rill", "environment"), _bounced)
    print("Rill environment, plain, beside Python itself")
    lane_ = session.lane("Rill", "environment")
    for program, numbers in LARGE.items():
        for number in numbers:
            _compare(lane_, program, number, partial(native.PROGRAMS[program], number))
    print("Weir, loops, plain: beside closures made by hand, then Python itself")
    _loops(session.lane("Weir", "store_passing"))


Maker = Callable[[rill.Expr], Callable[[], Any]]


def _called(tree: rill.Expr) -> Callable[[], Any]:
    return partial(closures.direct(tree), None)


def _bounced(tree: rill.Expr) -> Callable[[], Any]:
    return partial(closures.bouncing(tree), None)


def _lazy(tree: rill.Expr) -> Callable[[], Any]:
    return partial(closures.lazy(tree), None)


def _passing(tree: rill.Expr) -> Callable[[], Any]:
    code = closures.passing(tree)
    return lambda: code(None, closures.EMPTY)[0]


def _beside(lane: Lane, make: Maker) -> None:
    for program, numbers in LARGE.items():
        for number in numbers:
            term = _term(lane, PROGRAMS[program].format(number))
            tree = rill.from_node(lane.interpreter.signature, term)
            _compare(lane, program, number, make(tree))


def _compare(lane: Lane, program: str, number: int, theirs: Callable[[], Any]) -> None:
    term = _term(lane, PROGRAMS[program].format(number))
    roomy = partial(with_room, theirs)
    for name, residual in WAYS:
        ours = partial(
            lane.machine.run, term, variant="plain", limits=LIMITS, residual=residual
        )  # fmt: skip
        assert ours().outcome.text == str(roomy()), program
        compare(f"  {program} {number}{name}", ours, roomy, rounds=7)


def _term(lane: Lane, text: str) -> Node:
    parsed = lane.parser.parse(text)
    assert isinstance(parsed, Parsed)
    return parsed.term


def _loops(lane: Lane) -> None:
    number = 20_000
    term = _term(lane, COUNT.format(number))
    weir = Weir(lane.interpreter.signature, term)
    assert weir.run("total") == native.count(number)
    for name, residual in WAYS:
        ours = partial(
            lane.machine.run, term, variant="plain", limits=LIMITS, residual=residual
        )  # fmt: skip
        assert ours().outcome.kind == "value"
        title = f"  {lane.name}, {number:,} rounds{name}"
        compare(title, ours, partial(weir.run, "total"), rounds=7)
        compare(f"{title}, beside Python", ours, partial(native.count, number), rounds=7)
