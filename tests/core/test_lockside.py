"""The suites of the shipped course leave nothing out: every form, every alternative of a grammar,
every clause that judges and every named error is met by some case."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from embrix.course.load import Course
from embrix.grammar.earley import EarleyParser
from embrix.grammar.parser import Parsed
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.runs.session import Session
from embrix.suite.model import Case
from embrix.terms.node import FIELDS, Node
from embrix.text.diagnostic import Findings

LIMITS = Limits(calls=200_000, moments=100_000)
UNREACHED = {("Rill", "by_need", "Circular")}
"""Functions are the only values that Rill can define by themselves; Mere has others."""


@pytest.fixture(scope="module")
def session(lockside: Course) -> Session:
    return Session(lockside.folder)


def played(session: Session, language: str) -> Iterator[tuple[Case, Lane]]:
    for path in session.course.suites:
        suite = session.suite(path, Findings())
        if suite is None or suite.language != language:
            continue
        for case in suite.cases:
            for name in (*session.course.interpreters[language], *suite.decided):
                if case.applies_to(name):
                    yield case, session.lane(language, name)


def forms_in(term: Node, lane: Lane) -> set[str]:
    found: set[str] = set()
    pending = [term]
    while pending:
        node = pending.pop()
        form = lane.interpreter.language.signature.form_of(node)
        if form is not None:
            found.add(form.name)
        pending += [child for child in node[FIELDS:] if isinstance(child, tuple)]
    return found


def test_every_form_clause_and_error_is_met(session: Session) -> None:
    met: set[tuple[str | None, int]] = set()
    clauses: dict[tuple[str | None, int], str] = {}
    errors: set[tuple[str, str, str]] = set()
    for language, lanes in session.course.interpreters.items():
        forms: set[str] = set()
        for case, lane in played(session, language):
            parsed = lane.parser.parse(case.program)
            if not isinstance(parsed, Parsed):
                continue
            forms |= forms_in(parsed.term, lane)
            traced = lane.trace(case.program, case.given, limits=LIMITS, given_input=case.input)
            recorder = traced.recorder
            name = lane.interpreter.name
            if traced.result.outcome.kind == "failure":
                errors.add((language, name, traced.result.outcome.name))
            functions = list(lane.interpreter.functions.values())
            for function, clause in zip(recorder.functions, recorder.clauses, strict=True):
                if clause >= 0:
                    span = functions[function].clauses[clause].span
                    source = span.source or lane.interpreter.source
                    met.add((source.name, span.start))
        known = session.course.languages[language].signature.forms
        assert {form.name for form in known} == forms
        for name, interpreter in lanes.items():
            for function in interpreter.functions.values():
                if function.judgement or function.finals:
                    for one in function.clauses:
                        source = one.span.source or interpreter.source
                        line = source.text[one.span.start : one.span.end].split("\n")[0]
                        clauses[source.name, one.span.start] = f"{name} {function.name}: {line}"
            declared = {(language, name, error.name) for error in interpreter.errors}
            assert declared - errors - UNREACHED == set()
    assert [told for what, told in clauses.items() if what not in met] == []


def test_every_alternative_of_a_grammar_is_met(session: Session) -> None:
    for language in session.course.languages.values():
        grammar = language.grammar
        assert grammar is not None
        parser = EarleyParser(grammar)
        met: set[int] = set()
        texts = {case.program for case, _ in played(session, language.name)}
        for text in texts:
            for order in parser.derivations(text, None):
                met |= {item.production.origin.start for item, _ in order}
        missing = {p.origin.start for p in grammar.productions} - met
        source = language.source.text
        assert [source[at : at + 60] for at in sorted(missing)] == []
