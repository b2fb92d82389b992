"""Anything may be typed: programs, suites and courses made of junk get answers."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.brix.language import check_language
from embrix.brix.reader import read_definition
from embrix.brix.syntax import LanguageSyntax
from embrix.checking.verdicts import check_suite
from embrix.course.drafts import drop_draft, find_draft, keep_draft
from embrix.course.finding import find_course
from embrix.course.load import Course, load_course
from embrix.course.shipped import shipped_course
from embrix.grammar.earley import EarleyParser
from embrix.grammar.lr import parser_of
from embrix.grammar.parser import Parsed, Refused
from embrix.lanes.inspection import look as look_at
from embrix.lanes.results import run
from embrix.lanes.session import Session
from embrix.machine.conversions import convert_tokens
from embrix.machine.limits import Limits
from embrix.messages.recipes import WalkRecipe
from embrix.services.walks import WalkService
from embrix.suite.read import read_suite
from embrix.text.diagnostic import Findings, render
from embrix.text.source import Source, read_source
from tests.conftest import shipped_session
from tests.core.test_layout import TALLY
from tests.core.test_strategies import CONTINUATIONS, FAILURES, RESULTS
from tests.core.test_strategies import LANGUAGE as SMALL_LANGUAGE
from tests.core.test_syntax import QUAY

SESSION = shipped_session()
PIECES = st.sampled_from(
    ["let", "in", "x", "y", "1", "2.5", "+", "-", "*", "/", "(", ")", "=", "#", "\n", " ", "$",
     "\t", "é", "\u202e", "0", "rate", "{", "\x00", "\ud7ff", "1" * 50]
)  # fmt: skip
JUNK = st.one_of(st.text(max_size=30), st.lists(PIECES, max_size=25).map(" ".join))
SMALL = Limits(calls=20_000, depth=5_000, events=20_000)


@settings(max_examples=70)
@given(JUNK, st.sampled_from(["rewriting", "environment", "by_name"]))
def test_any_text_gets_an_outcome_a_look_and_a_walk(text: str, lane: str) -> None:
    result = run(SESSION, "Drip", lane, text, limits=SMALL)
    assert result.outcome.kind in (
        "value", "failure", "rejected", "stuck", "out of fuel", "ambiguous",
    )  # fmt: skip
    look = look_at(SESSION, "Drip", text)
    refused = look.refused is not None
    assert refused == (result.outcome.kind == "rejected")
    assert bool(look.tree) != refused
    place = result.outcome.place
    assert place is None or 0 <= place[0] <= place[1] <= len(text)
    walks = WalkService(SESSION, SMALL)
    walk = walks.open(WalkRecipe("fuzz", "Drip", lane, text))
    steps = walks.steps(WalkRecipe("fuzz"), 0, walk.length)
    assert [step.number for step in steps] == list(range(walk.length))
    assert walk.length >= 1


@given(JUNK, st.sampled_from(["Expr", "Sum", "Atom"]))
def test_any_text_can_be_read_at_any_rule(text: str, rule: str) -> None:
    look = look_at(SESSION, "Drip", text, rule)
    covered = [(s, e) for s, e, _ in look.tokens] + [tuple(s) for s in look.skipped]
    assert all(0 <= start < end <= len(text) for start, end in covered)
    if look.refused is not None and look.refused.name == "grammar":
        assert "could stand here" in look.refused.text


BASE = (shipped_course() / "drip" / "drip.suite.toml").read_text()


@settings(max_examples=40)
@given(st.data())
def test_no_mutation_of_a_suite_crashes_its_reader(data: st.DataObject) -> None:
    text = BASE[:3_000]
    for _ in range(data.draw(st.integers(1, 3))):
        at = data.draw(st.integers(0, len(text)))
        end = min(len(text), at + data.draw(st.integers(0, 20)))
        piece = data.draw(
            st.sampled_from(["", '"', "[", "]]", "=", "\n", "[[case]]\n", "at = 3\n"])
        )
        text = text[:at] + piece + text[end:]
    findings = Findings()
    read_suite(
        Source("s", text), {"Drip": ("environment", "by_name", "rewriting")},
        {"Drip": ("Unbound", "DivisionByZero")}, findings,
    )  # fmt: skip
    for finding in findings.sorted():
        assert render(finding)


@given(st.binary(max_size=200))
def test_any_bytes_in_a_course_are_reported(tmp_path_factory: pytest.TempPathFactory,
                                            raw: bytes) -> None:  # fmt: skip
    folder = tmp_path_factory.mktemp("course")
    (folder / "course.toml").write_bytes(b'title = "t"\n')
    (folder / "a.brix").write_bytes(raw)
    course = load_course(folder)
    assert course.diagnostics
    assert course.languages == {} or raw.lstrip().startswith(b"language")


def test_a_course_is_found_from_below_and_reports_its_heading(tmp_path: Path) -> None:
    (tmp_path / "a" / "b").mkdir(parents=True)
    (tmp_path / "course.toml").write_text('titel = "x"\n')
    assert find_course(tmp_path / "a" / "b") == tmp_path.resolve()
    (finding,) = load_course(tmp_path).diagnostics
    assert (finding.code, finding.hint) == ("unknown_word", "did you mean title?")
    (tmp_path / "course.toml").write_text("title = \n")
    assert [d.code for d in load_course(tmp_path).diagnostics] == ["bad_toml"]
    assert find_course(Path("/")) is None


def test_drafts_are_kept_found_and_dropped(tmp_path: Path) -> None:
    """One draft per program; damaged drafts are as good as none."""
    program, other = tmp_path / "a.drip", tmp_path / "b.drip"
    assert find_draft(program) is None
    keep_draft(program, "1 +\n")
    keep_draft(program, "1 + 2\n")
    kept = find_draft(program)
    assert kept is not None
    assert kept.text == "1 + 2\n"
    assert find_draft(other) is None
    drop_draft(program)
    drop_draft(program)
    assert find_draft(program) is None


def test_a_vanished_suite_is_reported_not_raised(course_copy: Path) -> None:
    session = Session(course_copy)
    path = session.course.suites[0]
    path.unlink()
    report = check_suite(session, path)
    assert report.cases == []
    assert read_source(course_copy / "course.toml").text.startswith("title")


LANGUAGES = [(shipped_course() / "drip" / "drip.brix").read_text(), TALLY, QUAY]


@settings(max_examples=70)
@given(st.data())
def test_no_mutation_of_a_language_crashes_its_reader_or_its_parsers(data: st.DataObject) -> None:
    """Words exchanged, doubled and dropped: diagnostics, or a grammar that reads any text."""
    words = re.split(r"(\s+|(?<=\W)|(?=\W))", data.draw(st.sampled_from(LANGUAGES)))
    for _ in range(data.draw(st.integers(1, 4))):
        at = data.draw(st.integers(0, len(words) - 1))
        other = data.draw(st.integers(0, len(words) - 1))
        match data.draw(st.sampled_from(["drop", "copy", "junk"])):
            case "drop":
                words[at] = ""
            case "copy":
                words[at] = words[other]
            case _:
                words[at] = data.draw(st.sampled_from(["?", "*", "...", "todo", '""', "/a*/", "0"]))
    findings = Findings()
    syntax = read_definition(Source("mutant.brix", "".join(words)), findings)
    if isinstance(syntax, LanguageSyntax):
        language = check_language(syntax, findings)
        convert_tokens(language)
        for grammar in language.grammars.values():
            for text in ("", "x - 1", 'twice 1\n  say "a"', "{ skip; skip }"):
                EarleyParser(grammar, 20_000).parse(text)
                parser_of(grammar).parse(text)
    for finding in findings.sorted():
        render(finding)


@pytest.mark.parametrize("general", [False, True])
@pytest.mark.parametrize(
    ("text", "kind"),
    [
        ("(" * 50_000 + "1" + ")" * 50_000, Parsed),
        ("-" * 50_000 + "1", Parsed),
        ("(" * 50_000, Refused),
        ("a" * 1_000_000, Parsed),
        (" " * 1_000_000, Refused),
        ("$" * 1_000, Refused),
        ("1 " * 50_000, Refused),
    ],
)
def test_deep_and_long_texts_get_an_answer(
    lockside: Course, text: str, kind: type, general: bool
) -> None:
    grammar = lockside.languages["Drip"].grammar
    assert grammar is not None
    if general and text.startswith("(" * 9) and kind is Parsed:
        text = text[40_000:-40_000]  # the same, in less time
    parser = EarleyParser(grammar) if general else parser_of(grammar)
    assert isinstance(parser.parse(text), kind)


INTERPRETERS = [CONTINUATIONS, FAILURES, RESULTS]
PROGRAMS = [
    "let sum of n = when n then n + sum (n - 1) else 0 in sum 3",
    "(given x: x x) (given x: x)", "1 + (mark j in j 2)", "try raise 1 catch x in x + 1",
]  # fmt: skip


@settings(max_examples=40)
@given(data=st.data())
def test_what_passes_the_checks_never_fails_in_the_host(
    data: st.DataObject, tmp_path_factory: pytest.TempPathFactory
) -> None:
    """Interpreters with words exchanged: findings, or runs that end in one of their own ways."""
    words = re.split(r"(\s+|(?<=\W)|(?=\W))", data.draw(st.sampled_from(INTERPRETERS)))
    at = data.draw(st.integers(0, len(words) - 1))
    words[at] = words[data.draw(st.integers(0, len(words) - 1))]
    folder = tmp_path_factory.mktemp("mutant")
    (folder / "course.toml").write_text('title = "mutant"\n')
    (folder / "small.brix").write_text(SMALL_LANGUAGE)
    (folder / "mutant.brix").write_text("".join(words))
    session = Session(folder)
    for lane in session.lanes("Small") if "Small" in session.course.languages else []:
        for program in PROGRAMS:
            assert lane.run(program, limits=SMALL).outcome.kind != "fault"
            lane.trace(program, limits=SMALL)
