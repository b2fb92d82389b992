"""Each pass of the compiler alone: what it makes of small functions, and what it leaves."""

from __future__ import annotations

import ast
import gc
import weakref
from typing import Any

from msgspec.structs import replace

from embrix.brix import core as k
from embrix.course.load import Course
from embrix.machine.body import Body
from embrix.machine.counting import counted
from embrix.machine.events import (
    ClauseChosen,
    Counted,
    Deeper,
    Leave,
    Shallower,
    unobserved,
    with_events,
)
from embrix.machine.inlining import DEEPEST, Inlining
from embrix.machine.numbering import bound_slots, moved, renumbered
from embrix.machine.planned import INSIDE, Entering, Inlined, Known, NoClause, TailCall
from embrix.machine.pycode import assign, const, load, loop, when
from embrix.machine.specialising import specialised
from embrix.machine.tail_calls import TailCalls
from embrix.machine.tracing import traced
from embrix.machine.unit import Unit, Variant
from tests.conftest import TINY_LANGUAGE, Maker

TALLY = """\
interpreter tally for Tiny

value Value
  Nat(n: Number)

main start

define start(e: Expr) -> Value
  run(e, empty)

define run(e: Expr, env: Env[Value]) -> Value by e
  Lit(n) => Nat(twice(n))
  Var(x) => env[x]
  Add(l, r) => both(l, r, env)
  Let(x, b, e) => run(e, env with x = run(b, env))

define twice(n: Number) -> Number
  once(n) + once(n)

define once(n: Number) -> Number
  n

define both(l: Expr, r: Expr, env: Env[Value]) -> Value
  let Nat(a) = run(l, env)
  let Nat(b) = run(r, env)
  Nat(a + b)
"""


def unit_of(make_course: Maker, variant: Variant = "plain") -> Unit:
    course = make_course(a=TINY_LANGUAGE, b=TALLY)
    return Unit(course.interpreters["Tiny"]["tally"], variant)


def parts(node: Any, kind: type) -> list[Any]:
    return [part for part in k.parts_of(node, INSIDE) if type(part) is kind]


def clause_for(unit: Unit, number: int) -> k.CoreClause:
    return unit.functions["run"].clauses[number]


# ---------------------------------------------------------------- events


def shown(statements: list[ast.stmt]) -> str:
    return ast.unparse(ast.fix_missing_locations(ast.Module(statements, [])))


def statements() -> list[ast.stmt]:
    """What a function with all kinds of ends may be made of, new each time."""
    return [
        Deeper(), Counted("lookups"),
        when(load("a"), [ClauseChosen(2), Leave(load("x"), judged=True), assign("dead", const(1))],
             [Leave(ast.BinOp(load("x"), ast.Add(), const(1)), judged=True)]),
        Shallower(), assign("dead", const(2)),
    ]  # fmt: skip


def test_code_that_does_not_count_has_nothing_of_it() -> None:
    made = shown(with_events(statements(), unobserved))
    assert made == "if a:\n    return x\nelse:\n    return x + 1"


def test_counting_is_put_where_it_happens() -> None:
    made = shown(with_events(statements(), counted)).split("\n")
    assert made[:4] == ["depth += 1", "if depth > deepest:", "    deepest = depth", "lookups += 1"]
    assert made[4:7] == ["if a:", "    depth += -1", "    return x"]
    assert made[7:] == ["else:", "    r = x + 1", "    depth += -1", "    return r"]


def test_a_record_is_told_of_clauses_and_results() -> None:
    made = shown(with_events(statements(), traced))
    assert "clause_of[i] = 2\n    return leave(i, x)" in made
    assert "depth" not in made
    assert shown(with_events([Leave(load("x"), judged=False)], traced)) == "return x"


def test_what_stands_behind_an_end_goes_and_nothing_else() -> None:
    endless = loop(const(True), [when(load("a"), [ast.Return(load("x"))])])
    left = loop(const(True), [when(load("a"), [ast.Break()])])
    assert "y" not in shown(with_events([endless, assign("y", const(1))], unobserved))
    assert "y" in shown(with_events([left, assign("y", const(1))], unobserved))
    inner = loop(const(True), [loop(load("a"), [ast.Break()])])
    assert "y" not in shown(with_events([inner, assign("y", const(1))], unobserved))


def test_no_compiled_function_has_statements_behind_its_end(lockside: Course) -> None:
    """Over every shipped interpreter and variant."""

    from embrix.machine.compiler import TRANSLATIONS

    ends = (ast.Return, ast.Continue, ast.Break, ast.Raise)
    looked_at = 0
    for lanes in lockside.interpreters.values():
        for interpreter in lanes.values():
            for variant, translation in TRANSLATIONS.items():
                unit = Unit(interpreter, variant)
                for target in unit.functions.values():
                    written = Body(unit, target).definition()
                    for node in ast.walk(ast.Module(with_events(written, translation), [])):
                        for block in (getattr(node, "body", ()), getattr(node, "orelse", ())):
                            if isinstance(block, list):
                                looked_at += 1
                                assert not any(isinstance(one, ends) for one in block[:-1])
    assert looked_at > 1_000


# ---------------------------------------------------------------- small functions


def test_small_functions_are_written_out_with_variables_of_their_own(make_course: Maker) -> None:
    unit = unit_of(make_course)
    first = unit.free("run")
    made = unit.inlining.clause(clause_for(unit, 0), True, first)
    assert [one.function for one in parts(made, Inlined)].count("once") == 2
    assert parts(made, k.Call) == []
    outer = next(one for one in parts(made, Inlined) if one.function == "twice")
    for inner in parts(outer.body, Inlined):
        assert not set(inner.slots) & set(outer.slots)
    assert min(slot for one in parts(made, Inlined) for slot in one.slots) >= first


def test_a_call_in_tail_position_is_left_where_depth_is_counted(make_course: Maker) -> None:
    plain, counting = unit_of(make_course), unit_of(make_course, "counted")
    for unit, calls in ((plain, 2), (counting, 1)):
        made = unit.inlining.clause(clause_for(unit, 2), True, unit.free("run"))
        assert len(parts(made, k.Call)) == calls, unit.variant  # two of run, or one of both
    assert [one.function for one in parts(made, k.Call)] == ["both"]


def test_writing_out_ends() -> None:
    """A chain of small functions is written out only so deep."""

    class Always:
        def written_out(self, name: str) -> bool:
            return True

    names = [f"f{number}" for number in range(9)]
    span: Any = None
    functions: Any = {}
    for name, called in zip(names, [*names[1:], "f0"], strict=True):
        body = k.Call(called, (k.Local(0),), span)
        functions[name] = k.Function(name, ("n",), (0,), (), None, None, (), (), body, (), None,
                                     span)  # fmt: skip  # type: ignore[arg-type]
    inlining = Inlining(functions, Always(), last=True, deepest=DEEPEST)  # type: ignore[arg-type]
    made = inlining.expression(functions["f0"].body, True, 1)
    assert len(parts(made, Inlined)) == DEEPEST
    assert len(parts(made, k.Call)) == 1


# ---------------------------------------------------------------- tail calls


def test_how_calls_in_tail_position_are_carried_out(make_course: Maker) -> None:
    unit = unit_of(make_course)
    made = TailCalls(unit, "run", "run").clause(clause_for(unit, 3))
    assert [(one.call.function, one.how) for one in parts(made, TailCall)] == [("run", "jump")]
    started = TailCalls(unit, "start", "start").change(unit.functions["start"].body, True)
    assert [one.how for one in parts(started, TailCall)] == ["call"]
    assert not parts(TailCalls(unit, "run", "run").change(started, False), k.Lambda)


def test_a_record_lets_no_judgement_jump(make_course: Maker) -> None:
    course = make_course(a=TINY_LANGUAGE, b=TALLY.replace(
        "main start", 'main start\n\njudgement run "{e} gives {result}"'
    ))  # fmt: skip
    unit = Unit(course.interpreters["Tiny"]["tally"], "traced")
    made = TailCalls(unit, "run", "run").clause(clause_for(unit, 3))
    assert [one.how for one in parts(made, TailCall)] == ["call"]


def test_the_body_of_a_closure_is_entered_and_the_own_parts_are_not(lockside: Course) -> None:
    unit = Unit(lockside.interpreters["Rill"]["environment"], "plain")
    found: list[str] = []
    for name, target in unit.functions.items():
        for clause in target.clauses:
            inlined = unit.inlining.clause(clause, True, unit.free(name))
            made = TailCalls(unit, name, name).clause(inlined)
            found += [one.call.function for one in parts(made, Entering)]
            found += [one.call.function for one in parts(made, TailCall) if one.enters]
    assert found
    assert set(found) <= set(unit.staged)


# ---------------------------------------------------------------- what a known term decides


def test_a_known_term_leaves_only_the_work_on_values(make_course: Maker) -> None:
    unit = unit_of(make_course)
    tags = {one.name: one.tag for one in unit.interpreter.constructors.values()}
    place = (0, 1)
    two = (tags["Lit"], place, 2)
    term = (tags["Add"], place, two, (tags["Var"], place, "x"))
    made = specialised(unit, "run", term, unit.free("run"))
    assert parts(made, NoClause) == []
    assert [one.key.value for one in parts(made, k.Lookup)] == ["x"]
    # Only the values that come back are still looked at.
    assert len(parts(made, k.Match)) == 2
    assert {one.value for one in parts(made, Known) if isinstance(one.value, int)} == {2}
    names = set(bound_slots(made))
    assert not names & set(unit.functions["run"].slots)


def test_a_term_that_no_clause_takes_is_stuck(make_course: Maker) -> None:
    course = make_course(a=TINY_LANGUAGE, b=TALLY.replace("  Var(x) => env[x]\n", ""))
    unit = Unit(course.interpreters["Tiny"]["tally"], "plain")
    tags = {one.name: one.tag for one in unit.interpreter.constructors.values()}
    name = (tags["Var"], (0, 1), "x")
    assert [
        one.subjects[0].value for one in parts(specialised(unit, "run", name, 9), NoClause)
    ] == [name]


# ---------------------------------------------------------------- clauses


def wide_unit(make_course: Maker, forms: int) -> Unit:
    """A function with a clause for each of many forms, the last of which looks inside."""
    names = [f"F{number}" for number in range(forms)]
    language = "language Wide\n\nforms Form\n" + "".join(f"  {one}(n: Number)\n" for one in names)
    clauses = "".join(f"  {one}(n) => n + {number}\n" for number, one in enumerate(names[:-1]))
    lane = (
        "interpreter wide for Wide\n\nmain value_of\n\ndefine value_of(f: Form) -> Number by f\n"
        f"{clauses}  {names[-1]}(7) => 0\n  {names[-1]}(n) => n\n"
    )
    return Unit(make_course(a=language, b=lane).interpreters["Wide"]["wide"], "plain")


def test_clauses_become_a_search_over_tags(make_course: Maker) -> None:
    """Of 32 forms none is further than six comparisons of tags away, and each clause is there
    once."""
    unit = wide_unit(make_course, 32)
    target = unit.functions["value_of"]
    (written,) = Body(unit, target).definition()
    assert isinstance(written, ast.FunctionDef)
    deepest = 0

    def down(statements: list[ast.stmt], depth: int) -> None:
        nonlocal deepest
        for one in statements:
            if isinstance(one, ast.If):
                left = one.test.left if isinstance(one.test, ast.Compare) else None
                tags = isinstance(left, ast.Name) and left.id.startswith("t")
                deepest = max(deepest, depth + tags)
                down(one.body, depth + tags)
                down(one.orelse, depth + tags)

    down(written.body, 0)
    assert 5 <= deepest <= 6
    sums = [one for one in ast.walk(written)
            if isinstance(one, ast.BinOp) and isinstance(one.right, ast.Constant)]  # fmt: skip
    assert len(sums) == 31


def test_a_known_tag_needs_no_comparison(make_course: Maker) -> None:
    unit = wide_unit(make_course, 1)
    (written,) = Body(unit, unit.functions["value_of"]).definition()
    compared = [one for one in ast.walk(written) if isinstance(one, ast.Compare)]
    tags = [one.tag for one in unit.interpreter.constructors.values()]
    constants = [part.value for one in compared for part in one.comparators
                 if isinstance(part, ast.Constant)]  # fmt: skip
    assert 7 in constants
    assert not set(tags) & set(constants)


def test_what_is_remembered_of_a_function_goes_with_it(make_course: Maker) -> None:
    course = make_course(a=TINY_LANGUAGE, b=TALLY)
    function = replace(course.interpreters["Tiny"]["tally"].functions["run"])
    made = renumbered(function)
    assert renumbered(function) is made
    assert k.parts_inside(function) is k.parts_inside(function)
    gone = weakref.ref(made), weakref.ref(function)
    del function, made
    gc.collect()
    assert [one() for one in gone] == [None, None]


def test_other_numbers_reach_every_variable(lockside: Course) -> None:
    """All variables of every function of the course moved by a hundred, and back again."""
    for lanes in lockside.interpreters.values():
        for interpreter in lanes.values():
            for function in interpreter.functions.values():
                bound = bound_slots(function.inside)
                used = {*function.slots, *bound}
                there = moved(function.inside, {slot: slot + 100 for slot in used})
                assert bound_slots(there) == [slot + 100 for slot in bound]
                locals_there = [one.slot for one in k.parts_of(there) if isinstance(one, k.Local)]
                assert all(slot >= 100 for slot in locals_there)
                back = moved(there, {slot + 100: slot for slot in used})
                assert repr(back) == repr(function.inside)
