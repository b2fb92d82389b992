"""An interpreter that is there to be extended is no lane of its own."""

from __future__ import annotations

import pytest

from embrix.lanes.names import NoLane
from embrix.lanes.session import Session
from embrix.messages.requests import DescribeCourse, Load
from embrix.services.answering import Service
from tests.conftest import TINY_LANGUAGE, Maker

SHARED = """\
interpreter shared for Tiny
  "What all have in common."
  only extended

value Value
  Num(n: Number)

define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n)       => Num(n)
  Var(x)       => env[x]
  Let(x, b, e) => eval(e, env with x = eval(b, env))
  Add(l, r)    => todo "each says what a sum is"
"""
OWN = """\
interpreter {name} for Tiny extends Tiny.shared

main run

define run(e: Expr) -> Value
  eval(e, empty)

replace eval(e, env)
  Add(l, r) =>
    let Num(a) = eval(l, env)
    let Num(b) = eval(r, env)
    Num(a {sign} b)
"""


def course_texts() -> dict[str, str]:
    plus, minus = OWN.format(name="plus", sign="+"), OWN.format(name="minus", sign="-")
    return {"tiny": TINY_LANGUAGE, "shared": SHARED, "plus": plus, "minus": minus}


def test_it_is_checked_and_extended_and_runs_nothing(make_course: Maker) -> None:
    course = make_course(**course_texts())
    assert [one.message for one in course.diagnostics if one.severity == "error"] == []
    session = Session(course.folder)
    assert [lane.name for lane in session.lanes("Tiny")] == ["minus", "plus"]
    program = "let a = 5 in a + 2"
    ends = [lane.run(program).outcome.text for lane in session.lanes("Tiny")]
    assert ends == ["Num(3)", "Num(7)"]
    with pytest.raises(NoLane, match="shared is only extended: it runs no programs"):
        session.lane("Tiny", "shared")


def test_what_is_wrong_in_it_is_told(make_course: Maker) -> None:
    texts = course_texts()
    texts["shared"] = SHARED.replace("Num(n)\n  Var", "Nun(n)\n  Var")
    course = make_course(**texts)
    errors = [(one.source.name, one.message) for one in course.diagnostics
              if one.severity == "error"]  # fmt: skip
    assert errors == [("shared.brix", "there is no form or constructor called Nun")]


def test_without_the_line_a_main_is_missed(make_course: Maker) -> None:
    texts = course_texts()
    texts["shared"] = SHARED.replace("  only extended\n", "")
    course = make_course(**texts)
    assert any("main" in one.message or "main" in one.hint for one in course.diagnostics)


def test_the_workbench_lists_no_such_lane(make_course: Maker) -> None:
    course = make_course(**course_texts())
    service = Service(lambda *_: None, lambda *_: None)
    service.load(Load(folder=str(course.folder), unsaved={}))
    summary = service.answer(DescribeCourse())
    language = summary.languages["Tiny"]  # type: ignore[union-attr]
    assert [lane.name for lane in language.lanes] == ["minus", "plus"]
    assert list(language.broken) == []
