"""The suites of the shipped course leave nothing out, and what is left out elsewhere is named."""

from __future__ import annotations

from pathlib import Path

from embrix.course.load import Course
from embrix.runs.coverage import uncovered
from embrix.runs.session import Session


def test_every_part_of_the_course_is_met(lockside: Course) -> None:
    """All tokens, forms, alternatives, clauses that judge, errors and choices, but what cannot be:
    in Rill functions are the only values that can be defined by themselves (Mere has others)."""
    found = uncovered(Session(lockside.folder))
    assert {(one.what, one.owner, one.text) for one in found} == {
        ("error", "Rill.by_need", "Circular")
    }


def test_what_is_left_out_is_named_with_its_place(course_copy: Path) -> None:
    suite = course_copy / "drip" / "drip.suite.toml"
    suite.write_text('language = "Drip"\n[[case]]\nname = "a sum"\nprogram = "1 + 2"\nvalue = 3\n')
    found = uncovered(Session(course_copy), ["Drip"])
    told = {(one.what, one.owner, one.text) for one in found}
    assert {("form", "Drip", name) for name in ("Var", "Sub", "Mul", "Div", "Neg", "Let")} <= told
    assert ("form", "Drip", "Add") not in told
    assert ("token", "Drip", "name") in told
    assert ("error", "Drip.environment", "DivisionByZero") in told
    mul = next(one for one in found if one.text == '"*" makes Mul')
    line = (course_copy / mul.file).read_text().split("\n")[mul.line - 1]
    assert (mul.what, mul.file) == ("alternative", "drip/drip.brix")
    assert '"*" makes Mul' in line
    # The clauses of Drip are met by the suites of the languages that take them over.
    assert not any(one.what == "clause" and one.text.startswith("Mul") and
                   one.owner == "Drip.rewriting put" for one in found)  # fmt: skip
