"""What people write who come from other languages, and brackets that are left open: each is told
once, at its line, and hides nothing else."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from embrix.brix import declaration_reader
from embrix.brix.lexer import Tok, lex
from embrix.brix.reader import read_definition
from embrix.checking.diagnostics import diagnostics
from embrix.lanes.session import Session
from embrix.text.diagnostic import Findings
from embrix.text.source import Source
from tests.core.test_holes import LANE, LANGUAGE, Maker, told

SUITE = """\
language = "Tally"

[[case]]
name = "a sum"
program = "1 + 2"
value = "Num(3)"
"""
SLIPS = json.loads((Path(__file__).parent.parent / "data" / "slips.json").read_text("utf-8"))


@pytest.mark.parametrize("slip", SLIPS, ids=lambda slip: f"{slip['to'].strip()[:60]}")
def test_a_mistake_is_told_once_where_it_stands_with_its_repair(
    make_course: Maker, slip: dict[str, str]
) -> None:
    """What people write who come from other languages, each looked at by eye."""
    texts = {"language": LANGUAGE, "lane": LANE, "suite": SUITE}
    assert texts[slip["file"]].count(slip["from"]) >= 1
    texts[slip["file"]] = texts[slip["file"]].replace(slip["from"], slip["to"], 1)
    course = make_course(tally=texts["language"], values=texts["lane"])
    (course.folder / "sums.suite.toml").write_text(texts["suite"])
    findings = diagnostics(Session(course.folder)).findings
    assert [
        (one.code, *one.source.position(one.span.start), one.message, one.hint)
        for one in findings
    ] == [tuple(slip[key] for key in ("code", "line", "column", "message", "hint"))]  # fmt: skip


MISPLACED = [slip["to"] for slip in SLIPS if "not indented like" in slip["message"]]


@pytest.mark.parametrize("lines", MISPLACED)
def test_what_is_only_indented_wrongly_runs(make_course: Maker, lines: str) -> None:
    clause = "Add(left, right)    => add(eval(left, env), eval(right, env))\n"
    assert clause in LANE
    session = Session(make_course(tally=LANGUAGE, values=LANE.replace(clause, lines)).folder)
    outcome = session.lane("Tally", "values").run("1 + 2").outcome
    assert (outcome.kind, outcome.structure) == ("value", "Num(3)")


@pytest.mark.parametrize("number", range(len((LANGUAGE + LANE).split("\n"))))
@pytest.mark.parametrize("tail", ["", " +", ","])
@pytest.mark.parametrize("brackets", [")", "))"])
def test_a_bracket_that_is_left_open_is_told_at_its_line_and_hides_no_other(
    make_course: Maker, number: int, tail: str, brackets: str
) -> None:
    """In each line the last closing brackets taken away, or an operator or a comma in their
    place."""
    lines = (LANGUAGE + LANE).split("\n")
    line = lines[number]
    if brackets not in line or line.lstrip().startswith("|"):
        return
    at = line.rindex(brackets)
    lines[number] = line[:at] + tail + line[at + len(brackets) :]
    texts = "\n".join(lines)
    begin = texts.index("interpreter values")
    course = make_course(tally=texts[:begin], values=texts[begin:])
    border = LANGUAGE.count("\n")
    assert [line for _, line in told(course)] == [number + 1 - border * (number >= border)]


def test_very_many_open_brackets_are_told_one_by_one(monkeypatch: pytest.MonkeyPatch) -> None:
    """Twice as many take twice the work, counted in tokens that are looked at: what may close a
    bracket is not looked for in all that follows."""
    looked = 0

    class Counting(list[Tok]):
        def __getitem__(self, at: Any) -> Any:
            nonlocal looked
            found = super().__getitem__(at)
            looked += len(found) if isinstance(at, slice) else 1
            return found

    monkeypatch.setattr(
        declaration_reader, "lex", lambda *args, **more: Counting(lex(*args, **more))
    )
    work = []
    for count in (300, 600):
        lines = "".join(f"  P{n}(x) => g(h(x +\n" for n in range(count))
        text = f"interpreter lane for Tally\ndefine f(e: Expr) -> Int by e\n{lines}"
        findings, looked = Findings(), 0
        read_definition(Source("many", text), findings)
        messages = {one.message for one in findings.sorted()}
        assert messages >= {"this ( is not closed where its line ends"}
        assert findings.count == count
        work.append(looked)
    assert work[1] < 2.5 * work[0]
