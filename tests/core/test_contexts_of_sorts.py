"""Contexts that lead from one sort into another: a failure in an expression ends the statements
around it. Held against an evaluator by hand that knows no steps."""

from __future__ import annotations

import random
from typing import Any

import pytest

from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.trace.walk import Walk
from tests.conftest import Maker
from tests.core.test_reference import held_against

LANGUAGE = """\
language Sluice
  extension "sluice"
numbers integer
tokens
  number /[0-9]+/ as Number
  skip   /[ \\n]+/
forms Stmt
  Print(e: Expr)
  Block(items: List[Stmt])
  Branch(test: Expr, yes: Stmt)
  Guard(body: Stmt, handler: Stmt)
  Done
forms Expr
  Lit(n: Number)
  Add(left: Expr, right: Expr)
  Raise(e: Expr)
  Worth(body: Stmt, e: Expr)
grammar
  start Stmt
  Stmt ::=
    | "print" e:Expr                            makes Print
    | "{" items:(Stmt ";")* "}"                 makes Block
    | "when" test:Expr "do" yes:Stmt            makes Branch
    | "guard" body:Stmt "else" handler:Stmt     makes Guard
    | "done"                                    makes Done
  Expr ::= "raise" e:Expr makes Raise | "with" body:Stmt "give" e:Expr makes Worth | Sum
  operators Sum : Expr
    left "+" makes Add
    operand Atom
  Atom : Expr ::= n:number makes Lit | "(" Expr ")"
"""
LANE = """\
interpreter steps for Sluice
judgement do   "{s} → {result}"
judgement step "{e} → {result}"
main run
define run(p: Stmt) -> Stmt
  repeat do(p)
define do(s: Stmt) -> Stmt by s
  final Done
  final Print(Raise(Lit(_)))
  Guard(_[Raise(Lit(n))] without Guard, handler) =>
    emit "caught {n}"
    handler
  k[Raise(Lit(n))] without Guard =>
    emit "lost {n} in {k(Lit(0))}"
    Print(Raise(Lit(n)))
  order Print(e)                  : e
  order Branch(test, _)           : test
  order Block([first, ..rest])    : first
  order Guard(body, _)            : body
  Print(Lit(n)) =>
    emit "{n}"
    Done
  Branch(Lit(0), _)               => Done
  Branch(_, yes)                  => yes
  Block([])                       => Done
  Block([_, ..rest])              => Block(rest)
  Guard(_, _)                     => Done
define step(e: Expr) -> Expr by e
  final Lit(_)
  order Add(a, b)       : a, b
  order Raise(e)        : e
  order Worth(body, _)  : body
  Add(Lit(m), Lit(n))   => Lit(m + n)
  Worth(_, e)           => e
  no clause Raise(_)    "what it ends is a statement"
"""


@pytest.fixture
def lane(make_course: Maker) -> Lane:
    course = make_course(sluice=LANGUAGE, steps=LANE)
    assert [one.message for one in course.diagnostics] == []
    return Session(course.folder).lane("Sluice", "steps")


@pytest.mark.parametrize(
    ("program", "output"),
    [
        ("print 1 + 2", "3"),
        ("guard print 1 + (raise 2) else print 9", "caught 2|9"),
        ("guard { print 1; print 2 + (3 + (raise 4)); print 5; } else print 9", "1|caught 4|9"),
        ("guard { when raise 3 do print 1; print 2; } else done", "caught 3"),
        ("guard guard print raise 1 else print raise 2 else print 3", "caught 1|caught 2|3"),
        # A statement inside an expression inside a statement, and back.
        ("guard print (with { print 1; print raise 2; } give 7) + 1 else print 8",
         "1|caught 2|8"),
        ("{ print raise 5; print 6; }", "lost 5 in {print 0; print 6;}"),
        ("guard print raise (1 + (raise 2)) else print 3", "caught 2|3"),
    ],
)  # fmt: skip
def test_a_failure_in_an_expression_ends_what_is_around_it(
    lane: Lane, program: str, output: str
) -> None:
    result = lane.run(program)
    assert "|".join(result.output) == output
    parsed: Any = lane.parser.parse(program)
    held_against(lane, parsed.term)


class _Raised(Exception):
    pass


def worked_out(node: Any, out: list[str]) -> Any:
    """What a program made by `made` writes, by exceptions of Python."""
    what, *parts = node
    if what == "lit":
        return parts[0]
    if what == "add":
        return worked_out(parts[0], out) + worked_out(parts[1], out)
    if what == "raise":
        raise _Raised(worked_out(parts[0], out))
    if what == "with":
        worked_out(parts[0], out)
        return worked_out(parts[1], out)
    if what == "print":
        out.append(str(worked_out(parts[0], out)))
    elif what == "block":
        for one in parts:
            worked_out(one, out)
    elif what == "when":
        if worked_out(parts[0], out):
            worked_out(parts[1], out)
    elif what == "guard":
        try:
            worked_out(parts[0], out)
        except _Raised as raised:
            out.append(f"caught {raised}")
            worked_out(parts[1], out)
    return None


def made(chance: random.Random, depth: int, *, stmt: bool) -> Any:
    if stmt:
        if depth < 1:
            return ("done",)
        kind = chance.choice(["print", "block", "when", "guard"])
        if kind == "print":
            return kind, made(chance, depth - 1, stmt=False)
        if kind == "when":
            return kind, made(chance, depth - 1, stmt=False), made(chance, depth - 1, stmt=True)
        inner = [made(chance, depth - 1, stmt=True) for _ in range(2)]
        return (kind, *inner)
    kind = chance.choice(["add", "raise", "with", "lit"]) if depth > 0 else "lit"
    if kind == "lit":
        return kind, chance.randrange(3)
    if kind == "raise":
        return kind, made(chance, depth - 1, stmt=False)
    first = made(chance, depth - 1, stmt=kind == "with")
    return kind, first, made(chance, depth - 1, stmt=False)


def written(node: Any) -> str:
    what, *parts = node
    texts = [written(one) if isinstance(one, tuple) else str(one) for one in parts]
    return {
        "lit": "{0}", "add": "({0} + {1})", "raise": "(raise {0})", "with": "(with {0} give {1})",
        "print": "print {0}", "when": "when {0} do {1}", "guard": "guard {0} else {1}",
        "done": "done", "block": "{{ {0}; {1}; }}",
    }[what].format(*texts)  # fmt: skip


@pytest.mark.parametrize("seed", range(120))
def test_random_programs_write_what_is_worked_out_by_hand(lane: Lane, seed: int) -> None:
    chance = random.Random(seed)
    program = ("guard", made(chance, 5, stmt=True), ("print", ("lit", 7)))
    wanted: list[str] = []
    worked_out(program, wanted)
    assert list(lane.run(written(program)).output) == wanted


def test_the_steps_are_those_on_paper(lane: Lane) -> None:
    program = "guard { print 1 + (raise 1 + 1); print 5; } else print 9"
    walk = Walk(lane, lane.trace(program))
    assert [walk.text(number) for number in range(len(walk))] == [
        "guard {print 1 + (raise 1 + 1); print 5;} else print 9",
        "guard {print 1 + (raise 2); print 5;} else print 9",
        "print 9",
        "done",
    ]


def test_a_relation_whose_lines_lead_nowhere_else_is_as_before(make_course: Maker) -> None:
    """Without an `order` line into expressions nothing in them is a place."""
    apart = LANE.replace("  order Print(e)                  : e\n", "")
    assert apart != LANE
    course = make_course(sluice=LANGUAGE, steps=apart)
    lane = Session(course.folder).lane("Sluice", "steps")
    result = lane.run("guard print 1 + (raise 2) else print 9")
    assert list(result.output) == []


def test_an_order_line_into_another_sort_takes_what_is_not_final_there(make_course: Maker) -> None:
    """So no clause is missing for it, and one for it is never reached."""
    missing = LANE.replace('  Print(Lit(n)) =>\n    emit "{n}"\n    Done\n', "")
    course = make_course(sluice=LANGUAGE, steps=missing)
    assert [(one.code, one.message) for one in course.diagnostics] == [
        ("missing_clause", "do has no clause for Print(Lit(_))")
    ]
    more = LANE.replace("  Print(Lit(n)) =>", "  Print(Add(_, _)) => Done\n  Print(Lit(n)) =>")
    course = make_course(sluice=LANGUAGE, steps=more)
    assert [one.code for one in course.diagnostics] == ["unreachable_clause"]
