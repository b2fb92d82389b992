"""What goes wrong silently is warned of, where it stands; the shipped course is free of it."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from embrix.course.load import Course, load_course
from tests.conftest import Maker, leave_only

MISTAKES = [
    # file, what stands there, the mistake, the code, the line that is marked
    ("rill/store_passing.brix",
     "    let (b, store) = eval(right, env, store)\n    (Num(number(a) + number(b)), store)",
     "    let (b, _) = eval(right, env, store)\n    (Num(number(a) + number(b)), store)",
     "outdated_store", "    (Num(number(a) + number(b)), store)"),
    ("rill/by_need.brix",
     "    let (loc, store) = alloc(store, Waiting(bound, env))\n    eval(body,",
     "    let (loc, after) = alloc(store, Waiting(bound, env))\n    eval(body,",
     "outdated_store", "    eval(body, env with x = loc, store)"),
    ("rill/by_need.brix",
     "      (v, store with loc = Done(v))",
     "      let after = store with loc = Done(v)\n      (v, store)",
     "unused_name", "      let after = store with loc = Done(v)"),
    ("drip/environment.brix",
     "    let v = eval(bound, env)\n    eval(body, env with x = v)",
     "    let v = eval(bound, env)\n    eval(body, env)",
     "scope_without_binding", "    eval(body, env)"),
    ("drip/environment.brix",
     "    let v = eval(bound, env)\n    eval(body, env with x = v)",
     "    let inner = env with x = eval(bound, env)\n    eval(body, env)",
     "unused_name", "    let inner = env with x = eval(bound, env)"),
    ("drip/environment.brix",
     "    let v = eval(bound, env)\n    eval(body, env with x = v)",
     "    let inner = env with x = Num(0)\n"
     "    eval(body, env with x = eval(bound, inner))",
     "bound_too_early", "    eval(body, env with x = eval(bound, inner))"),
    ("rill/environment.brix",
     "    eval(body, saved with param = eval(arg, env))",
     "    eval(body, env with param = eval(arg, env))",
     "callers_environment", "    eval(body, env with param = eval(arg, env))"),
    ("rill/by_name.brix",
     "    eval(bound, saved)",
     "    eval(bound, env)",
     "callers_environment", "    eval(bound, env)"),
    ("rill/environment.brix",
     "  Fun(param, body)   => Closure(param, body, env)",
     "  Fun(param, body)   => Closure(param, body, env with param = Num(0))",
     "frame_too_early", "  Fun(param, body)   => Closure(param, body, env with param = Num(0))"),
    ("rill/environment.brix",
     "  Fun(param, body)   => Closure(param, body, env)",
     "  Fun(param, body)   =>\n    let inner = env with param = Num(0)\n"
     "    Closure(param, body, inner)",
     "frame_too_early", "    Closure(param, body, inner)"),
    ("rill/rewriting.brix",
     "  Fun(y, body) when y == x  => e\n", "",
     "under_same_binder", "  Fun(y, body)              => Fun(y, put(v, x, body))"),
    ("rill/environment.brix",
     "  If(test, yes, no)  => if holds(eval(test, env)) then eval(yes, env) else eval(no, env)",
     "  If(test, yes, no)  => if holds(eval(test, env)) then eval(yes, env) else eval(yes, env)",
     "unused_name",
     "  If(test, yes, no)  => if holds(eval(test, env)) then eval(yes, env) else eval(yes, env)"),
    ("drip/environment.brix",
     "  Mul(left, right)  => Num(number(eval(left, env)) * number(eval(right, env)))",
     "  Mul(left, right)  => Num(number(eval(left, env)) * number(eval(left, env)))",
     "evaluated_twice",
     "  Mul(left, right)  => Num(number(eval(left, env)) * number(eval(left, env)))"),
    ("drip/environment.brix",
     "  Mul(left, right)  => Num(number(eval(left, env)) * number(eval(right, env)))",
     "  Mul(left, right)  => Num(number(eval(right, env)) * number(eval(left, env)))",
     "against_order",
     "  Mul(left, right)  => Num(number(eval(right, env)) * number(eval(left, env)))"),
    ("rill/rewriting.brix",
     "  order Less(left, right)  : left, right", "  order Less(left, right)  : right, left",
     "against_order", "  order Less(left, right)  : right, left"),
]  # fmt: skip


@pytest.mark.parametrize("declared", [True, False], ids=["judgement", "no judgement"])
@pytest.mark.parametrize(("file", "right", "wrong", "code", "line"), MISTAKES)
def test_a_silent_mistake_is_warned_of(
    course_copy: Path, file: str, right: str, wrong: str, code: str, line: str, declared: bool
) -> None:
    """Whether or not somebody has written down how judgements look."""
    leave_only(course_copy, file.partition("/")[0])
    path = course_copy / file
    text = path.read_text()
    if not declared:
        for one in path.parent.parent.glob("*/*.brix"):
            one.write_text(re.sub(r"(?m)^judgement.*\n", "", one.read_text()))
        text = path.read_text()
    found_right = list(re.finditer(r" +".join(map(re.escape, re.split(" +", right))), text))
    assert len(found_right) == 1, f"{right!r} stands {len(found_right)} times"
    place = found_right[0]
    path.write_text(text[: place.start()] + wrong + text[place.end() :])
    found = [
        d for d in load_course(course_copy).diagnostics if d.code == code and d.source.name == file
    ]
    assert found, f"{code} was not reported"
    lines = {d.source.line(d.source.position(d.span.start)[0]) for d in found}
    assert {" ".join(one.split()) for one in lines} == {" ".join(line.split())}
    assert all(d.severity == "warning" and d.hint for d in found)


def test_the_name_of_a_function_may_be_in_the_environment_it_keeps(course_copy: Path) -> None:
    """It means something in the rest of the program as well: that is no frame of a call."""
    leave_only(course_copy, "rill")
    path = course_copy / "rill" / "environment.brix"
    text = path.read_text()
    right = "    let rec inner = env with f = Closure(param, rhs, inner)\n"
    assert right in text
    wrong = "    let inner = env with f = Closure(f, rhs, env with f = Num(0))\n"
    path.write_text(text.replace(right, wrong))
    codes = {one.code for one in load_course(course_copy).diagnostics}
    assert "frame_too_early" not in codes
    path.write_text(text.replace(right, wrong.replace("f = Num(0)", "param = Num(0)").replace(
        "Closure(f, rhs", "Closure(param, rhs")))  # fmt: skip
    codes = {one.code for one in load_course(course_copy).diagnostics}
    assert "frame_too_early" in codes


def test_the_shipped_course_has_nothing_of_the_kind(lockside: Course) -> None:
    assert [d.message for d in lockside.diagnostics] == []


LANGUAGE = """\
language Pump
  "Whole numbers."
numbers integer
forms Expr
  Lit(n: Number)
  Var(x: Name)                          uses x
  Div(left: Expr, right: Expr)
  Fun(param: Name, body: Expr)          binds param in body
  Call(callee: Expr, arg: Expr)
"""

LATER = """\
interpreter later for Pump
value Value
  Num(n: Number)                            shown "{n}"
  Wait(e: Expr, env: Env[Value])  suspended shown e
  Code(param: Name, body: Expr)             shown "<code>"
error Unbound(x: Name)   "{x}"
judgement eval "{e} ⇓ {result}"
main run
define run(e: Expr) -> Value
  eval(e, empty)
define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n)          => Num(n)
  Var(x)          => env[x] otherwise fail Unbound(x)
  Div(left, right) =>
    let Num(a) = eval(left, env) else v => v
    let Num(b) = eval(right, env) else v => v
    Num(a / b + half(0.5))
  Fun(param, body) => Code(param, body)
  Call(callee, arg) =>
    let Code(param, body) = eval(callee, env) else v => v
    eval(body, env with param = Wait(arg, env))
define half(n: Number) -> Number
  n
"""


def test_warnings_of_waiting_code_and_whole_numbers(make_course: Maker) -> None:
    course = make_course(pump=LANGUAGE, later=LATER)
    found = {(d.code, d.source.position(d.span.start)[0]) for d in course.diagnostics}
    assert found == {
        ("code_without_environment", 5),
        ("unforced", 13),
        ("drops_remainder", 17),
        ("no_such_number", 17),
    }


def test_a_warning_can_be_answered(make_course: Maker) -> None:
    text = LATER.replace(
        "  Var(x)          =>", '  deliberately unforced "waits are seen"\n  Var(x)          =>'
    )
    course = make_course(pump=LANGUAGE, later=text)
    assert "unforced" not in {d.code for d in course.diagnostics}
    assert "needless_answer" not in {d.code for d in course.diagnostics}
