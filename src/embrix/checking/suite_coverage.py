"""What no case of a suite meets: tokens, forms, alternatives of grammars, clauses that judge,
branches inside clauses, named errors, alternatives of choices; and programs that would meet it.

Every case is run with its record on every lane that it speaks of, within small limits; what counts
is whether a part was met, not how often. A clause that is taken over is met wherever it is met.
"""

from __future__ import annotations

import random
from collections.abc import Iterator, Mapping

from msgspec import Struct, field
from msgspec.structs import replace

from embrix.brix import core as k
from embrix.brix.core import Interpreter, Language
from embrix.checking.branches import Branch, Marked
from embrix.grammar.earley import EarleyParser
from embrix.grammar.parser import Parsed
from embrix.grammar.printing import Printer
from embrix.lanes.names import NoLane
from embrix.lanes.session import Session
from embrix.machine.exploring import shortest
from embrix.machine.lane import BadBinding, Lane, Traced
from embrix.machine.limits import Limits
from embrix.machine.program_words import words_of
from embrix.suite.cases import Case
from embrix.terms.generate import Generator, NoTerm
from embrix.terms.node import Node, nodes_of
from embrix.terms.types import Con, settle
from embrix.text.diagnostic import Findings
from embrix.text.source import Source

LIMITS = Limits(calls=200_000, depth=60_000, output=20_000_000, events=100_000)

Place = tuple[str, int]
"""A file of the course by its name, and a place in its text."""


class Missing(Struct, frozen=True):
    """Something that no case covers: `what` kind of thing, whose, where, and how it reads."""

    what: str
    owner: str
    file: str
    line: int
    text: str
    program: str = ""
    """A small program that meets it, where one was found."""

    def as_data(self) -> dict[str, object]:
        data = {"what": self.what, "owner": self.owner, "file": self.file, "line": self.line,
                "text": self.text}  # fmt: skip
        return {**data, "program": self.program} if self.program else data


class _Met(Struct):
    tokens: set[str] = field(default_factory=set)
    forms: set[str] = field(default_factory=set)
    alternatives: set[Place] = field(default_factory=set)
    clauses: set[Place] = field(default_factory=set)
    errors: set[tuple[str, str]] = field(default_factory=set)
    decisions: set[tuple[str, str]] = field(default_factory=set)
    branches: set[tuple[str, int, str]] = field(default_factory=set)
    marked: dict[str, Marked] = field(default_factory=dict)

    def of(self, lane: Lane) -> Marked:
        """The lane with marks on its branches."""
        if lane.name not in self.marked:
            self.marked[lane.name] = Marked(lane)
        return self.marked[lane.name]


def uncovered(session: Session, languages: list[str] | None = None) -> list[Missing]:
    """What the suites leave out of these languages (default: all), in the order of the course."""
    every = list(session.course.languages)
    wanted = languages or every
    met = {name: _met(session, name) for name in wanted}
    if set(wanted) != set(every):
        # What their own cases meet is met; only what these leave out may be met elsewhere.
        if not _left_out(session, wanted, met, search=False):
            return []
        met = {name: met[name] if name in met else _met(session, name) for name in every}
    return _left_out(session, wanted, met)


def _left_out(
    session: Session, wanted: list[str], met: Mapping[str, _Met], *, search: bool = True
) -> list[Missing]:
    """What nothing of what is met meets, in these languages; with a `search` for programs that
    would."""
    clauses = {place for one in met.values() for place in one.clauses}
    branches = {place for one in met.values() for place in one.branches}
    found: dict[Missing, None] = {}
    parts = _of_interpreters(session, met, clauses)
    for name in wanted:
        language = session.course.languages[name]
        found.update(dict.fromkeys(_of_language(language, met[name])))
        found.update(dict.fromkeys(parts.get(name, ())))
        missing = _branches(session, name, met[name], branches, search=search)
        found.update(dict.fromkeys(missing))
    return list(found)


def played(session: Session, language: str) -> Iterator[tuple[Case, Lane]]:
    """Every case of a language with every lane that it speaks of."""
    for path in session.course.suites:
        suite = session.suite(path, Findings())
        if suite is None or suite.language != language:
            continue
        for case in suite.cases:
            for name in (*session.course.interpreters.get(language, {}), *suite.decided):
                if not case.applies_to(name):
                    continue
                try:
                    yield case, session.lane(language, name)
                except NoLane:
                    continue  # its definition has errors, or has no such choice


def _met(session: Session, language: str) -> _Met:
    met = _Met()
    grammar = session.course.languages[language].grammar
    general = EarleyParser(grammar) if grammar is not None else None
    texts: set[str] = set()
    for case, lane in played(session, language):
        if case.program not in texts and general is not None and grammar is not None:
            texts.add(case.program)
            for token in grammar.tokens.cut(case.program).tokens:
                kind = grammar.tokens.kind_of(token.terminal)
                met.tokens.add(kind.name if kind is not None else "")
            for order in general.derivations(case.program, None):
                for item, _ in order:
                    origin = item.production.origin
                    source = origin.source or session.course.languages[language].source
                    met.alternatives.add((source.name, origin.start))
        interpreter = lane.interpreter
        met.decisions |= set(interpreter.decided.items())
        met.decisions |= {
            (name, choice.default) for name, choice in interpreter.choices.items()
            if name not in interpreter.decided
        }  # fmt: skip
        parsed = lane.parser.parse(case.program)
        if isinstance(parsed, Parsed):
            met.forms |= _forms(parsed.term, interpreter.language)
            _run(case, lane, met)
    return met


def _run(case: Case, lane: Lane, met: _Met) -> None:
    limits = _limits(case, lane)
    try:
        for ways in _all_ways(case, lane):
            traced = lane.trace(
                case.program, case.given, limits=limits, given_input=case.input, ways=ways
            )
            met.branches |= met.of(lane).taken(case.program, case.given, case.input, limits, ways)
            outcome = traced.result.outcome
            if outcome.kind == "failure":
                met.errors.add((lane.interpreter.name, outcome.name))
            met.clauses |= clauses_met(lane.interpreter, traced)
    except BadBinding:
        return


def _all_ways(case: Case, lane: Lane) -> Iterator[tuple[int, ...]]:
    """The ways of some runs of a case that come to all of its outcomes, and to its states as far as
    few runs do."""
    yield ()
    if not lane.several:
        return
    explored = lane.explore(case.program, case.given, given_input=case.input, most_runs=MOST_RUNS)
    ends = [one.ways for one in explored.outcomes]
    states = [shortest(one.ways) for one in explored.states]
    for ways in list(dict.fromkeys([*ends, *states]))[:MOST_RUNS]:
        if ways:
            yield ways


def _limits(case: Case, lane: Lane) -> Limits:
    """What a case may use here: of one that never ends so many calls as it names."""
    expected = case.expectation_for(lane.role)
    if expected is None or expected.kind != "diverges":
        return LIMITS
    return replace(LIMITS, calls=min(LIMITS.calls, int(expected.text)))


def clauses_met(interpreter: Interpreter, traced: Traced) -> set[Place]:
    """The clauses that a run came to."""
    functions = list(interpreter.functions.values())
    recorder = traced.recorder
    found = set()
    for function, clause in set(zip(recorder.functions, recorder.clauses, strict=True)):
        if clause >= 0:
            span = functions[function].clauses[clause].span
            found.add(((span.source or interpreter.source).name, span.start))
    return found


def _branches(
    session: Session, language: str, met: _Met, known: set[tuple[str, int, str]], *, search: bool
) -> Iterator[Missing]:
    """Branches inside clauses that no case takes, each on request with a small program that
    does."""
    missing: dict[tuple[str, int, str], tuple[Branch, str]] = {}
    for lane in session.lanes(language):
        for branch in met.of(lane).branches:
            if branch.key not in known:
                missing.setdefault(branch.key, (branch, lane.name))
    programs = {}
    if missing and search:
        programs = _programs_for(session, language, met, set(missing))
    for key, (branch, name) in missing.items():
        source = session.course.sources.get(branch.file)
        if source is None:
            continue
        line, _ = source.position(branch.start)
        text = f"{branch.what}: {source.line(line).strip()}"
        owner = f"{language}.{name} {branch.function}"
        yield Missing("branch", owner, branch.file, line, text, programs.get(key, ""))


MOST_RUNS = 60
"""Runs of a case that may take several ways."""
TRIED = 300
"""Programs that are made up in search of one that takes a branch."""


def _programs_for(
    session: Session, language: str, met: _Met, wanted: set[tuple[str, int, str]]
) -> dict[tuple[str, int, str], str]:
    """The smallest of some made-up programs that takes each branch; the same ones every time."""
    found: dict[tuple[str, int, str], str] = {}
    for text in small_programs(session, language):
        for marked in list(met.marked.values()):
            for key in marked.taken(text, limits=SMALL) & wanted:
                own = marked.lane.name
                message = f"{text}   on {own}" if "[" in own else text
                if key not in found or len(message) < len(found[key]):
                    found[key] = message
    return found


def small_programs(session: Session, language: str) -> Iterator[str]:
    """Made-up programs of a language, small ones first; the same ones every time."""
    target = session.course.languages[language]
    lanes = session.lanes(language)
    if target.grammar is None or not lanes:
        return
    interpreter = lanes[0].interpreter
    kind = settle(interpreter.functions[interpreter.main].types[0])
    if not isinstance(kind, Con):
        return
    printer = Printer(target.grammar)
    words = words_of(interpreter, printer)
    seeded = random.Random(language)
    for number in range(TRIED):
        generator = Generator(target.signature, seeded.randrange, words)
        try:
            yield printer.show(generator.term(kind.name, 2 + number * 3 // TRIED)).text
        except NoTerm:
            return


SMALL = Limits(calls=3_000, depth=2_000, output=2_000_000)


def _forms(term: Node, language: Language) -> set[str]:
    forms = map(language.signature.form_of, nodes_of(term))
    return {form.name for form in forms if form is not None}


def _of_language(language: Language, met: _Met) -> Iterator[Missing]:
    source = language.source
    for form in language.signature.forms:
        if form.name not in met.forms:
            at = max(0, source.text.find(f"\n  {form.name}"))
            line, _ = source.position(at + 1)
            yield Missing("form", language.name, source.name, line, form.name)
    grammar = language.grammar
    if grammar is not None:
        for kind in grammar.tokens.kinds:
            skipped = kind.skip or kind.made
            if not skipped and kind.name not in met.tokens:
                yield Missing("token", language.name, source.name, 1, kind.name)
        for origin in {p.origin.start: p.origin for p in grammar.productions}.values():
            where = origin.source or source
            if (where.name, origin.start) not in met.alternatives:
                line, _ = where.position(origin.start)
                text = where.text[origin.start : origin.end]
                yield Missing("alternative", language.name, where.name, line, text)


def _of_interpreters(
    session: Session, met: Mapping[str, _Met], clauses: set[Place]
) -> dict[str, list[Missing]]:
    """By language the clauses that judge and the errors that no case covers, and choices.

    What several interpreters share by extending each other is reported once, of the one that wrote
    it if a run of that can come to it.
    """
    lanes = [lane for language, some in session.course.interpreters.items() if language in met
             for lane in some.values()]  # fmt: skip
    failing = {lane: _failing(lane) for lane in lanes}
    failed = {
        place
        for lane in lanes
        for error, _, place in failing[lane]
        if (lane.name, error) in met[lane.language.name].errors
    }
    found: dict[tuple[str, Place], tuple[Interpreter, Missing]] = {}
    for lane in lanes:
        gaps = [*_clauses(lane, clauses), *_errors(lane, met, failing[lane], failed)]
        for source, place, missing in gaps:
            key = (missing.what + missing.text, place)
            if key not in found or source is lane.source:
                found[key] = lane, missing
    rows: dict[str, list[Missing]] = {}
    for lane in lanes:
        own = rows.setdefault(lane.language.name, [])
        own += [missing for owner, missing in found.values() if owner is lane]
        own += _choices(lane, met[lane.language.name])
    return rows


Gap = tuple[Source, Place, Missing]
"""What is missing, with the text and the place that it is about."""


def _clauses(lane: Interpreter, met: set[Place]) -> Iterator[Gap]:
    for name in sorted(lane.reached, key=list(lane.functions).index):
        function = lane.functions[name]
        if not (function.judgement or function.finals):
            continue
        for clause in function.clauses:
            source = clause.span.source or lane.source
            place = source.name, clause.span.start
            if place not in met:
                line, _ = source.position(clause.span.start)
                owner = f"{lane.language.name}.{lane.name} {name}"
                text = source.line(line).strip()
                yield source, place, Missing("clause", owner, source.name, line, text)


def _failing(lane: Interpreter) -> list[tuple[str, Source, Place]]:
    """Which errors a run can end in, and where the definition says so."""
    found = []
    for name in sorted(lane.reached, key=list(lane.functions).index):
        function = lane.functions[name]
        for part in k.parts_inside(function):
            if isinstance(part, k.Fail):
                source = part.span.source or function.span.source or lane.source
                found.append((part.error.name, source, (source.name, part.span.start)))
    return found


def _errors(
    lane: Interpreter,
    met: Mapping[str, _Met],
    failing: list[tuple[str, Source, Place]],
    failed: set[Place],
) -> Iterator[Gap]:
    """Errors that the lane can end in and no case ends in; of its own also those that nothing
    ends in."""
    for error in lane.errors:
        if (lane.name, error.name) in met[lane.language.name].errors:
            continue
        source = error.span.source or lane.source
        line, _ = source.position(error.span.start)
        owner = f"{lane.language.name}.{lane.name}"
        missing = Missing("error", owner, source.name, line, error.name)
        places = [(text, place) for name, text, place in failing if name == error.name]
        yield from ((text, place, missing) for text, place in places if place not in failed)
        if not places and source is lane.source:
            yield source, (source.name, error.span.start), missing


def _choices(lane: Interpreter, met: _Met) -> Iterator[Missing]:
    for name, choice in lane.choices.items():
        for alternative in choice.alternatives:
            if (name, alternative) not in met.decisions:
                text = f"{name}={alternative}"
                yield Missing("choice", lane.language.name, lane.language.source.name, 1, text)
