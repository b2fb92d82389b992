"""The suites of the shipped course leave nothing out, and what is left out elsewhere is named."""

from __future__ import annotations

from pathlib import Path

from embrix.course.load import Course
from embrix.runs.coverage import uncovered
from embrix.runs.session import Session


def test_every_part_of_the_course_is_met(lockside: Course) -> None:
    """All tokens, forms, alternatives, clauses that judge, errors and choices, but what cannot be:
    in Rill functions are the only values that can be defined by themselves (Mere has others)."""
    found = [one for one in uncovered(Session(lockside.folder)) if one.what != "branch"]
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


def test_branches_that_no_case_takes_come_with_a_program(course_copy: Path) -> None:
    """The only case never divides and looks nothing up."""
    suite = course_copy / "drip" / "drip.suite.toml"
    suite.write_text('language = "Drip"\n[[case]]\nname = "a sum"\nprogram = "1 + 2"\nvalue = 3\n')
    for other in ("rill", "mere", "weir"):
        (course_copy / other / f"{other}.suite.toml").unlink()
    session = Session(course_copy)
    found = [one for one in uncovered(session, ["Drip"]) if one.what == "branch"]
    told = {(one.text.partition(":")[0], one.owner.split()[1]) for one in found}
    assert ("otherwise", "eval") in told
    with_program = [one for one in found if one.program]
    assert with_program
    for one in with_program:
        line = (course_copy / one.file).read_text().split("\n")[one.line - 1].strip()
        assert line in one.text
    put = next(one for one in found if one.text.startswith("clause: Mul"))
    assert put.owner == "Drip.rewriting put"
    # The program that is proposed closes the gap.
    suite.write_text(
        suite.read_text() + f'[[case]]\nname = "b"\nprogram = "{put.program}"\naccepted = true\n'
    )
    again = [one for one in uncovered(Session(course_copy), ["Drip"]) if one.what == "branch"]
    assert put.text not in {one.text for one in again}
    assert len(again) < len(found)
