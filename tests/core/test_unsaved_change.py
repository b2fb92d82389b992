"""Changes tried and not saved, decisions, how far a program gets, printing within a width."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.brix.core import Language
from embrix.checking.verdicts import check_suite
from embrix.course.load import Course
from embrix.grammar.corner_cases import as_cases, decisions
from embrix.grammar.lr import parser_of
from embrix.grammar.parser import Parsed
from embrix.grammar.printing import Printer
from embrix.lanes.session import Session
from embrix.messages.replies import TreeRow
from embrix.services.sketch import how_far
from embrix.services.tree_difference import parting
from embrix.services.unsaved_change import UnsavedChange
from embrix.terms.node import same
from tests.core.test_syntax import QUAY, language
from tests.strategies import terms

FILE = "drip/drip.brix"


def changed(course: Path, old: str, new: str) -> str:
    text = (course / FILE).read_text()
    assert old in text
    return text.replace(old, new, 1)


def test_a_change_is_seen_beside_what_is_saved(course_copy: Path) -> None:
    """Subtraction to the right: the trees part exactly below the first subtraction."""
    trial = UnsavedChange(Session(course_copy))
    text = changed(course_copy, '"+" makes Add   "-"', '"+" makes Add\n    right   "-"')
    answer = trial.look("Drip", FILE, text, "8 - 2 - 1", None)
    left, right = answer.before.tree, answer.now.tree
    assert [row.form + row.leaves for row in left] == ["Sub", "Sub", "Litn 8", "Litn 2", "Litn 1"]
    assert [row.form + row.leaves for row in right] == ["Sub", "Litn 8", "Sub", "Litn 2", "Litn 1"]
    assert answer.marks == ([1, 2, 3, 4], [1, 2, 3, 4])
    assert answer.notes == []
    lines = trial.compare("Drip", FILE, text, None)
    assert lines[0] == "gone: rule Sum (Add, Sub)"
    untouched = "untouched by this change: Drip.by_name, Drip.environment, Drip.rewriting, Rill"
    assert any(line.startswith(untouched) for line in lines)
    assert "  another tree: 1 - 1 - 1" in lines
    assert (course_copy / FILE).read_text() != text


def test_newly_refused_and_newly_accepted_sentences_are_shortest(course_copy: Path) -> None:
    trial = UnsavedChange(Session(course_copy))
    lines = trial.compare("Drip", FILE, changed(course_copy, '   "/" makes Div', ""), None)
    assert "  newly refused: 1 / 1" in lines
    assert any(line.startswith("reached") or "Div" in line for line in lines)
    lines = trial.compare(
        "Drip", FILE, changed(course_copy, '    prefix  "-"', '    prefix  "+" makes Neg\n'
                              '    prefix  "-"'), None,
    )  # fmt: skip
    assert "  newly accepted: + 1" in lines


def test_a_change_of_forms_reaches_interpreters(course_copy: Path) -> None:
    trial = UnsavedChange(Session(course_copy))
    text = changed(course_copy, "  Neg(arg: Expr)\n", "  Neg(arg: Expr)\n  Half(arg: Expr)\n")
    lines = trial.compare("Drip", FILE, text, None)
    assert "reached by this change: Drip.environment" in lines
    assert any("eval has no clause for Half(_)" in line for line in lines)
    broken = trial.compare("Drip", FILE, changed(course_copy, "Neg(arg: Expr)", "Neg(arg"), None)
    assert broken[0] == "the language has errors: nothing that uses it runs"


def test_two_trees_of_an_ambiguous_text_stand_side_by_side(course_copy: Path) -> None:
    trial = UnsavedChange(Session(course_copy))
    extra = '    | left:Expr "-" right:Expr makes Sub\n    | Sum\n'
    text = changed(course_copy, "    | Sum\n", extra)
    answer = trial.look("Drip", FILE, text, "1 - 2 - 3", None)
    assert len(answer.now.refused.trees) == 2
    assert answer.marks[0]
    assert answer.marks[1]
    codes = {note.code for note in answer.notes}
    assert {"ambiguous_grammar", "grammar_conflict"} <= codes
    derived = trial.look("Drip", FILE, text, "1 - 2 - 3", None, "derivation")
    assert len(derived.now.refused.trees) == 2


ROWS = st.lists(st.integers(0, 3), max_size=8)


@given(ROWS)
def test_a_tree_does_not_part_from_itself(depths: list[int]) -> None:
    rows = [TreeRow(0, "", "top", "")]
    for depth in depths:
        rows.append(TreeRow(min(depth + 1, rows[-1].depth + 1), "", "node", ""))
    assert parting(rows, rows) == ([], [])


def test_decisions_are_asked_and_answered() -> None:
    quay = language(QUAY)
    assert quay.grammar is not None
    found = decisions(quay.grammar, parser_of(quay.grammar))
    told = {d.question: (d.shown, d.answer) for d in found}
    assert told["an empty program"] == ("(nothing)", "refused")
    assert told["`;` after the last Stmt"] == ("{ skip ; }", "refused")
    assert told["`;` twice between two of Stmt"] == ("{ skip ; ; skip }", "refused")
    assert told["no Stmt at all"] == ("{ }", "accepted")
    assert told["`;` left out between two of Stmt"] == ("{ skip skip }", "refused")
    assert told["a single Expr"] == ("say a", "accepted")
    assert told["no Expr at all"] == ("say", "refused")
    assert told["Else left out"][1] == "accepted"
    cases = as_cases("Quay", found)
    assert cases.count("[[case]]") == sum(d.answer in ("accepted", "refused") for d in found)


def test_decisions_become_cases_that_hold(course_copy: Path, lockside: Course) -> None:
    grammar = lockside.languages["Drip"].grammar
    assert grammar is not None
    lines = as_cases("Drip", decisions(grammar, parser_of(grammar)))
    suite = course_copy / "drip" / "decisions.suite.toml"
    suite.write_text("\n".join(lines))
    report = check_suite(Session(course_copy), suite)
    assert report.diagnostics == []
    states = {verdict.state for case in report.cases for verdict in case.verdicts}
    assert states == {"passed"}
    assert len(report.cases) >= 3


@pytest.mark.parametrize(
    ("cut", "text", "stages"),
    [
        ("", "1 + 2", ["tokens", "tree", "by_name", "environment", "rewriting"]),
        ("", "1 + $", ["tokens", "obstacle"]),
        ("", "1 + + 2", ["tokens", "tree", "obstacle"]),
        ("grammar", "let depth = 2", ["tokens", "obstacle"]),
        ("forms", "let depth = 2", ["tokens", "obstacle"]),
    ],
)
def test_a_program_gets_as_far_as_its_language(
    course_copy: Path, cut: str, text: str, stages: list[str]
) -> None:
    path = course_copy / FILE
    whole = path.read_text()
    if cut:
        begin = whole.index(f"\n{cut}")
        end = whole.index("\n# Both") if cut == "grammar" else len(whole)
        path.write_text(whole[:begin] + "\n" + whole[end:])
    session = Session(course_copy)
    found = how_far(
        session.course, "Drip", session.lanes("Drip"), session.parser("Drip"), text
    )  # fmt: skip
    assert [stage for stage, _ in found] == stages, found


def test_nothing_to_read_is_told_apart(course_copy: Path) -> None:
    session = Session(course_copy)
    for text, told in (("", "the program is empty"), ("# only", "everything is skipped")):
        found = how_far(session.course, "Drip", [], session.parser("Drip"), text)
        assert told in found[0][1]


def test_a_sketch_has_the_limits_of_every_run(course_copy: Path) -> None:
    session = Session(course_copy)
    text = "let down of n = down (n - 1) in down 3"
    lanes = [session.lane("Rill", "environment")]
    found = how_far(session.course, "Rill", lanes, session.parser("Rill"), text)
    assert "more than 400,000 calls" in found[-1][1]


@given(data=st.data(), width=st.integers(8, 60))
def test_broken_lines_are_read_back_and_keep_within_the_width(
    lockside: Course, data: st.DataObject, width: int
) -> None:
    drip: Language = lockside.languages["Drip"]
    assert drip.grammar is not None
    term = data.draw(terms(drip.signature, "Expr", 6))
    printer = Printer(drip.grammar)
    plain, broken = printer.show(term).text, printer.show(term, width=width).text
    assert " ".join(broken.split()) == " ".join(plain.split())
    if len(plain) <= width:
        assert broken == plain
    if "‹" not in plain:
        parsed = parser_of(drip.grammar).parse(broken)
        assert isinstance(parsed, Parsed)
        assert same(parsed.term, term)


def test_lines_are_broken_where_a_reader_would(lockside: Course) -> None:
    grammar = lockside.languages["Drip"].grammar
    assert grammar is not None
    text = "let depth = 3 * (4 + 5) in let width = depth * 22 in depth * width - 12"
    parsed = parser_of(grammar).parse(text)
    assert isinstance(parsed, Parsed)
    assert Printer(grammar).show(parsed.term, width=28).text == (
        "let depth = 3 * (4 + 5)\nin let width = depth * 22\nin depth * width - 12"
    )


def test_a_changed_interpreter_tells_what_it_gives_otherwise(course_copy: Path) -> None:
    """Two keepers: 10 times 3 with the rate of the definition; the caller's rates are 5 and 3."""
    trial = UnsavedChange(Session(course_copy))
    file = "rill/environment.brix"
    text = (course_copy / file).read_text().replace("eval(body, saved with", "eval(body, env with")
    program = "let r = 3 in let f = given x: x * r in let r = 5 in f 10"
    lines = trial.compare("Rill", file, text, None, program)
    assert lines[0] == "changed: environment gives 30, with the change 50"
    assert "changed: clause eval Call" in lines
    assert "the grammar is the same" in lines
    calm = trial.compare("Rill", file, text, None, "1 + 2")
    assert calm[0] == "no lane that runs gives anything else for this text"


def test_a_change_that_takes_the_grammar_away_is_compared(course_copy: Path) -> None:
    session = Session(course_copy)
    path = course_copy / "drip" / "drip.brix"
    text = path.read_text()
    broken = text[: text.index("grammar\n")] + "let x = 8 in x\n"
    lines = UnsavedChange(session).compare("Drip", "drip/drip.brix", broken, None, "1 + 2")
    assert "changed: by_name gives 3, with the change by_name cannot run" in lines[0]
