"""Answers about one course: what a text is cut into, how it parses, what every lane makes of it.

Requests and answers are plain data (texts, numbers, lists, dictionaries), so that they can cross
between processes.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, TypeAlias

from embrix.brix.core import Interpreter, Language
from embrix.course.load import Course, load_course
from embrix.course.naming import plain_name, split_version
from embrix.course.permission import is_allowed
from embrix.grammar.actions import Unfit, read_token
from embrix.grammar.derivation import derivations, rows_of
from embrix.grammar.model import Grammar
from embrix.grammar.parser import Ambiguous, Parsed, Parser, Refused
from embrix.grammar.recovery import mishaps
from embrix.grammar.report import report_on, report_text
from embrix.grammar.tokens import Tokens
from embrix.machine.lane import BadBinding, Lane, OnStart, parser_for, rejection
from embrix.machine.laws import LawReport, try_law
from embrix.machine.limits import LIVE, Limits
from embrix.machine.outcome import Outcome, Result
from embrix.runs.lanes import NoChoice, NoLane, NoVersion, interpreter_of
from embrix.runs.outside_lane import OutsideLane
from embrix.runs.strength import Noticed, Trial
from embrix.runs.verdicts import check_suite
from embrix.runs.versions import unsaved_of
from embrix.runs.walks import NoWalk, Recipe, Walks
from embrix.suite.cases import Suite
from embrix.suite.read import read_suite
from embrix.terms.binding import free_names
from embrix.terms.node import CONS, FIELDS, NIL, NONE, SOME, Node, Value, list_items
from embrix.terms.numbers import write_number
from embrix.terms.types import BOOL, INT, NAME, NUMBER, TEXT, Con, Type, settle
from embrix.text.diagnostic import Diagnostic, Findings
from embrix.text.plural import counted
from embrix.text.source import Source, Span, Unreadable, read_source
from embrix.text.toml_places import key_place
from embrix.text.visible import cut
from embrix.trace.data import station_data
from embrix.trace.saved import SavedWalk, save_walk
from embrix.trace.seeking import Kind, seek

Data: TypeAlias = dict[str, Any]
Progress: TypeAlias = Callable[[Data], None]

MOST_LEAVES = 20
"""Leaves of a list that are shown in a tree."""
MOST_VALUES = 300
"""Tokens whose values are looked at."""

MOST_ROWS = 2_000
"""Tokens and tree nodes that are sent for one program."""


class Session:
    """A loaded course with its parsers, lanes and recent walks."""

    def __init__(self, folder: Path, unsaved: Mapping[Path, str] | None = None) -> None:
        self.course: Course = load_course(folder, unsaved)
        self._parsers: dict[tuple[str, str | None], Parser | None] = {}
        self._lanes: dict[tuple[str, str, str | None, bool], Lane] = {}
        self.laws: list[tuple[str, LawReport]] = []
        """The laws that have been tried for `diagnostics`, by language."""
        self._walks = Walks()
        self._versions: dict[str, tuple[dict[Path, str], Session]] = {}

    def parser(self, language: str, grammar: str | None = None) -> Parser | None:
        """The parser of a language by one of its grammars (default: the first)."""
        key = (language, grammar)
        if key not in self._parsers:
            target = self.course.languages[language]
            self._parsers[key] = parser_for(target if grammar is None else target.under(grammar))
        return self._parsers[key]

    def lane(
        self, language: str, name: str, grammar: str | None = None, *, brief: bool = False
    ) -> Lane:
        """Raises `NoLane`. A `brief` lane is for the cases of a suite."""
        plain, version = split_version(name)
        if version:
            return self._of_version(language, plain, version, grammar)
        key = (language, name, grammar, brief)
        if key not in self._lanes:
            known = self.course.interpreters.get(language, {})
            interpreter = interpreter_of(known, name)
            self._lanes[key] = self.lane_of(interpreter, grammar, brief=brief)
        return self._lanes[key]

    def version(self, version: str) -> Session:
        """The course in another version. Raises `NoVersion`."""
        folder, unsaved = unsaved_of(self.course, version)
        known = self._versions.get(version)
        if known is None or known[0] != unsaved or not unsaved:
            # The folder of another course may have changed without being told of.
            made = Session(folder, unsaved)
            if known is not None and made.course.sources == known[1].course.sources:
                return known[1]
            self._versions[version] = (unsaved, made)
        return self._versions[version][1]

    def _of_version(self, language: str, name: str, version: str, grammar: str | None) -> Lane:
        """A lane of another version. Raises `NoLane`."""
        other = self.version(version)
        key = (language, f"{name}@{version}", grammar, False)
        try:
            if key not in other._lanes:
                known = other.course.interpreters.get(language, {})
                interpreter = interpreter_of(known, name)
                other._lanes[key] = other.lane_of(replace(interpreter, version=version), grammar)
            return other._lanes[key]
        except NoChoice:
            raise
        except NoLane as missing:
            errors = [d for d in other.course.diagnostics if d.severity == "error"]
            why = f": {errors[0].message}" if errors else ""
            raise NoVersion(f"{plain_name(name)} cannot run as in {version}{why}") from missing

    def lane_of(
        self, interpreter: Interpreter, grammar: str | None = None, *, brief: bool = False
    ) -> Lane:
        """A lane for an interpreter of the course, or for a changed version of one. Raises `NoLane`
        when no program of its language can be read."""
        if grammar is not None:
            interpreter = interpreter.under(grammar)
        own = interpreter.language
        plain = own.numbers == self.course.languages[own.name].numbers
        parser = self.parser(own.name, grammar) if plain else self._parser_of(own)
        if parser is None:
            raise NoLane(
                f"{interpreter.name} cannot run: {own.name} has no grammar that can be used"
            )
        return Lane(interpreter, parser, brief=brief)

    def _parser_of(self, language: Language) -> Parser | None:
        """The parser for another kind of numbers."""
        key = (f"{language.name} {language.numbers}", language.chosen)
        if key not in self._parsers:
            self._parsers[key] = parser_for(language)
        return self._parsers[key]

    def strength(self, language: str, name: str, most: int | None = None) -> Iterator[Noticed]:
        """Mistakes made in an interpreter, each with what notices it: see `runs.strength`."""

        def make_lane(interpreter: Interpreter, lane: str) -> Lane:
            return self.lane_of(interpreter_of({interpreter.name: interpreter}, lane))

        suites = [self.suite(path, Findings()) for path in self.course.suites]
        held = [suite for suite in suites if suite is not None and suite.language == language]
        interpreter = self.course.interpreters[language][name]
        return Trial(self.course, interpreter, held, make_lane).run(most=most)

    def lanes(self, language: str, grammar: str | None = None) -> list[Lane]:
        """All lanes of a language that can run, in the order of their files."""
        if self.parser(language, grammar) is None:
            return []
        names = self.course.interpreters.get(language, {})
        return [self.lane(language, name, grammar) for name in names]

    def outside(self, language: str) -> list[OutsideLane]:
        """The outside interpreters of a language that the user has allowed."""
        parser = self.parser(language)
        folder = self.course.folder
        return [
            OutsideLane(one, folder, parser)
            for one in self.course.outside
            if one.language == language and parser is not None and is_allowed(folder, one)
        ]

    def not_allowed(self, language: str) -> list[str]:
        """The outside interpreters of a language whose commands have not been allowed."""
        return [
            one.name
            for one in self.course.outside
            if one.language == language and not is_allowed(self.course.folder, one)
        ]

    def runner(self, language: str, name: str) -> Lane:
        """A lane that runs programs: an interpreter of the course or one outside. Raises
        `NoLane`."""
        for one in self.outside(language):
            if one.name == name:
                return one
        return self.lane(language, name)

    def use_grammar(self, language: str, grammar: str) -> None:
        """From now on a language and its lanes are written by another of its grammars."""
        course = self.course
        course.languages[language] = course.languages[language].under(grammar)
        lanes = course.interpreters.get(language, {})
        lanes.update({name: lane.under(grammar) for name, lane in lanes.items()})
        self._parsers.clear()
        self._lanes.clear()

    # ---------------------------------------------------------------- what there is

    def summary(self) -> Data:
        """Languages, lanes, programs, suites and diagnostics."""
        course = self.course
        return {
            "title": course.title,
            "about": course.about,
            "folder": str(course.folder),
            "languages": {
                name: self._language(language) for name, language in course.languages.items()
            },
            "suites": {str(path): _language_of_suite(path) for path in course.suites},
            "diagnostics": [finding.as_data() for finding in self.course.diagnostics],
        }

    def _language(self, language: Language) -> Data:
        course = self.course
        lanes = course.interpreters.get(language.name, {})
        return {
            "doc": language.doc,
            "extension": language.extension,
            "usable": language.grammar is not None or not language.syntax.grammars,
            "starts": list(language.grammar.starts) if language.grammar else [],
            "rules": list(language.grammar.entry) if language.grammar else [],
            "file": language.source.name,
            "lanes": [
                {
                    "name": name,
                    "doc": lane.doc,
                    "small_step": lane.steps is not None,
                    "choices": {
                        name: {"alternatives": choice.alternatives, "default": choice.default}
                        for name, choice in lane.choices.items()
                    },
                }
                for name, lane in lanes.items()
            ],
            "broken": list(course.broken.get(language.name, ())),
            "outside": [lane.name for lane in self.outside(language.name)],
            "not_allowed": self.not_allowed(language.name),
            "programs": [str(path) for path in course.programs.get(language.name, ())],
        }

    def diagnostics(
        self, suites: Collection[Path] | None = None, lanes: Collection[str] = ()
    ) -> list[Diagnostic]:
        """Everything there is to say about definitions, suites and laws. With some `suites` only
        what concerns them is looked at beyond the definitions, with some `lanes` only their laws.
        """
        findings = Findings()
        self.laws.clear()
        findings.extend(self.course.diagnostics)
        concerned: set[str] = set()
        for path in self.course.suites:
            suite = self.suite(path, findings)
            if suite is not None and (suites is None or path in suites):
                concerned.add(suite.language)
        for name, language in self.course.languages.items():
            if suites is not None and name not in concerned:
                continue
            self._grammars(language, findings)
            for lane in self.lanes(name):
                if not lanes or lane.name in lanes:
                    self._laws(lane, findings)
        return list(findings.sorted())

    def diagnostics_of(self, language: str) -> list[Diagnostic]:
        """What there is to say about the definitions and the grammars of one language."""
        findings = Findings()
        findings.extend(self.course.diagnostics)
        if language in self.course.languages:
            self._grammars(self.course.languages[language], findings)
        return list(findings.sorted())

    def _grammars(self, language: Language, findings: Findings) -> None:
        for grammar in language.grammars.values():
            self._grammar(language, grammar, findings)

    def _grammar(self, language: Language, grammar: Grammar, findings: Findings) -> None:
        """Conflicts and ambiguity, at the alternatives they belong to."""
        for rule in grammar.starts:
            report = report_on(grammar, rule)
            for story in report.conflicts:
                findings.warning(
                    "grammar_conflict", f"after  {story.read}  with  {story.next}  next, there are "
                    f"{counted(len(story.choices), 'way')} to go on", language.source, story.origin,
                    "; or ".join(story.choices),
                )  # fmt: skip
            if report.ambiguity:
                sentence, first, second, where = report.ambiguity
                span = report.conflicts[0].origin if report.conflicts else Span(0, 0)
                findings.warning(
                    "ambiguous_grammar", f"{sentence}  has two trees:  {first}  and  {second}",
                    language.source, span, where,
                )  # fmt: skip

    def _laws(self, lane: Lane, findings: Findings) -> None:
        for law in lane.interpreter.laws:
            report = try_law(lane.machine, law)
            self.laws.append((lane.interpreter.language.name, report))
            if report.counterexample is not None:
                example = ", ".join(f"{k} = {v}" for k, v in report.counterexample.items())
                findings.error(
                    "law_fails", f"this is false for {example}", lane.interpreter.source,
                    law.span, f"{report.tried} generated examples were tried, seed {report.seed}",
                )  # fmt: skip

    def suite(self, path: Path, findings: Findings) -> Suite | None:
        """A suite of the course, or None when it cannot be read."""
        course = self.course
        name = path.relative_to(course.folder).as_posix()
        try:
            source = read_source(path, name)
        except Unreadable as fault:
            findings.error("unreadable_file", str(fault), Source(name, "", path), Span(0, 0))
            return None
        lanes = {
            name: [
                *course.interpreters.get(name, {}),
                *course.broken.get(name, ()),
                *(one.name for one in course.outside if one.language == name),
            ]
            for name in course.languages
        }
        errors: dict[str, set[str]] = {}
        for language_name, language in course.languages.items():
            errors[language_name] = {error.name for error in language.errors}
            for lane in course.interpreters.get(language_name, {}).values():
                errors[language_name] |= {error.name for error in lane.errors}
        grammars = {name: one.grammars for name, one in course.languages.items()}
        choices = {
            name: {
                lane: {choice.name: choice.alternatives for choice in one.choices.values()}
                for lane, one in course.interpreters.get(name, {}).items()
            }
            for name in course.languages
        }
        return read_suite(source, lanes, errors, findings, grammars, choices)

    def grammar(self, language: str, rule: str | None = None) -> list[str]:
        """What kind of grammar a language has, as lines of text."""
        grammar = self.course.languages[language].grammar
        if grammar is None:
            return []
        rules = [rule] if rule in grammar.entry else list(grammar.starts)
        return [line for name in rules for line in report_text(report_on(grammar, name))]

    # ---------------------------------------------------------------- one program

    def look(self, language: str, text: str, rule: str | None = None) -> Data:
        """The tokens and the tree of a text read at a rule, or where and why it is refused."""
        grammar = self.course.languages[language].grammar
        parser = self.parser(language)
        if parser is None:
            return self._tokens_alone(language, text)
        rules = grammar.entry if grammar is not None else {}
        if rule is not None and rule not in rules:
            rule = None
        parsed = parser.parse(text, rule)
        tokens = parsed.tokens
        kinds = [
            [token.start, token.end, self._kind(language, token.terminal)]
            for token in tokens.tokens
        ]
        tree: list[list[Any]] = []
        refused: Data | None = None
        if isinstance(parsed, Parsed):
            tree = self.tree(language, parsed.term)
        else:
            refused = rejection(parsed).as_data()
            if isinstance(parsed, Refused):
                source = Source("", text)
                refused["mistakes"] = [
                    [one.message, one.span.start, one.span.end]
                    for one in (mishaps(grammar, text, parsed, rule) if grammar else ())
                ]
                refused["reading"] = [
                    [row, "{}:{}".format(*source.position(begun)), why]
                    for row, begun, why in parsed.reading
                ]
            if isinstance(parsed, Ambiguous):
                refused["trees"] = [self.tree(language, tree) for tree in parsed.trees]
        return {
            "tokens": kinds,
            "values": self._values(grammar, tokens, text) if grammar is not None else {},
            "skipped": [[token.start, token.end] for token in tokens.skipped],
            "invalid": [[bad.span.start, bad.span.end] for bad in tokens.invalid],
            "tree": tree[:MOST_ROWS],
            "cut": max(0, len(tree) - MOST_ROWS),
            "refused": refused,
        }

    def unused_names(self, language: str, text: str, given: Mapping[str, str]) -> list[str]:
        """The names supplied by hand that neither a program nor what is used of them mentions."""
        parser = self.parser(language)
        parsed = parser.parse(text) if parser is not None else None
        if parser is None or not isinstance(parsed, Parsed):
            return []
        signature = self.course.languages[language].signature
        pending = list(free_names(signature, parsed.term))
        used: set[str] = set()
        while pending:
            name = pending.pop()
            if name in given and name not in used:
                used.add(name)
                bound = parser.parse(given[name])
                if isinstance(bound, Parsed):
                    pending += free_names(signature, bound.term)
        return [name for name in given if name not in used]

    def derivation(self, language: str, text: str, rule: str | None = None) -> list[Data]:
        """The derivation trees of a text as rows: one, two when it has several, or none."""
        grammar = self.course.languages[language].grammar
        if grammar is None:
            return []
        rule = rule if rule in grammar.entry else None
        return [{"rows": rows_of(tree, text)} for tree in derivations(grammar, text, rule)]

    def _tokens_alone(self, language: str, text: str) -> Data:
        """The tokens of a text in a language whose grammar cannot be used (yet)."""
        table = self.course.languages[language].tokens
        found = table.cut(text) if table is not None else Tokens((), (), ())
        return {
            "tokens": [[t.start, t.end, self._kind(language, t.terminal)] for t in found.tokens],
            "skipped": [[token.start, token.end] for token in found.skipped],
            "invalid": [[bad.span.start, bad.span.end] for bad in found.invalid],
            "tree": [], "refused": None, "unusable": True,
        }  # fmt: skip

    def _values(self, grammar: Grammar, tokens: Tokens, text: str) -> dict[str, str]:
        """What the first tokens are read as, by where they begin, where that is not their text."""
        found: dict[str, str] = {}
        for token in tokens.tokens[:MOST_VALUES]:
            kind = grammar.tokens.kind_of(token.terminal)
            if kind is None or not (kind.via or kind.conversion == "Number"):
                continue
            try:
                value = read_token(grammar, token, text)
            except Unfit:
                found[str(token.start)] = "cannot be read"
                continue
            shown = f'"{value}"' if isinstance(value, str) else self._leaf(value)
            if shown != text[token.start : token.end]:
                found[str(token.start)] = cut(shown, 60)
        return found

    def _kind(self, language: str, terminal: int) -> str:
        table = self.course.languages[language].tokens
        assert table is not None
        kind = table.kind_of(terminal)
        if kind is not None:
            return kind.name
        text = table.literals[terminal]
        return "word" if text[:1].isalpha() else "sign"

    def tree(self, language: str, term: Node) -> list[list[Any]]:
        """A term as rows from the top: depth, label, start, end (-1 without a place)."""
        signature = self.course.languages[language].signature
        rows: list[list[Any]] = []
        stack: list[tuple[int, str, Any]] = [(0, "", term)]
        while stack and len(rows) <= MOST_ROWS:
            depth, field, node = stack.pop()
            form = signature.form_of(node)
            if form is None:
                continue
            leaves = [
                f"{name} {shown}"
                for name, child, kind in zip(form.fields, node[FIELDS:], form.types, strict=True)
                if (shown := self._leaves(child, kind)) is not None
            ]
            start, end = node[1] or (-1, -1)
            rows.append([depth, field, form.name, ", ".join(leaves), start, end])
            children = [
                (depth + 1, label, part)
                for name, child in zip(form.fields, node[FIELDS:], strict=True)
                if isinstance(child, tuple)
                for label, part in _parts(name, child)
            ]
            stack.extend(reversed(children))
        return rows

    def _leaves(self, child: Value, kind: Type) -> str | None:
        """A field that holds no parts of a term, but a leaf, a list of leaves or perhaps one; None
        for any other."""
        if not isinstance(child, tuple):
            return self._leaf(child)
        kind = settle(kind)
        inner = settle(kind.args[0]) if isinstance(kind, Con) and kind.args else None
        if inner not in (NUMBER, INT, NAME, TEXT, BOOL):
            return None
        if child[0] in (NONE, SOME):
            return self._leaf(child[FIELDS]) if child[0] == SOME else "none"
        items = list(itertools.islice(list_items(child), MOST_LEAVES + 1))
        more = ["…"] if len(items) > MOST_LEAVES else []
        return f"[{', '.join([*map(self._leaf, items[:MOST_LEAVES]), *more])}]"

    def _leaf(self, value: Any) -> str:
        if isinstance(value, bool):
            return "true" if value else "false"
        return cut(value if isinstance(value, str) else write_number(value), 60)

    def run(
        self,
        language: str,
        lane: str,
        text: str,
        given: Mapping[str, str] | None = None,
        limits: Limits = LIVE,
        on_start: OnStart | None = None,
        given_input: Sequence[str] = (),
    ) -> Data:
        """The outcome, output and costs of a program on a lane."""
        try:
            result = self.runner(language, lane).run(
                text, given, limits=limits, on_start=on_start, given_input=given_input
            )
        except BadBinding as bad:
            result = Result(Outcome("rejected", str(bad), "binding"))
        except NoVersion as gone:
            result = Result(Outcome("rejected", str(gone.args[0]), "version"))
        return result_data(result)

    # ---------------------------------------------------------------- walks

    def walk(self, recipe: Recipe, limits: Limits = LIVE, on_start: OnStart | None = None) -> Data:
        """Record a run, or open one that was saved; how many stations it has."""
        try:
            walk = self._walks.made(self, recipe, limits, on_start)
        except NoWalk as wrong:
            return {"length": 0, "style": "moments", "levels": [], "refused": str(wrong)}
        if isinstance(walk, SavedWalk):
            head = walk.head
            return {
                "length": len(walk), "style": head["style"], "levels": head["levels"],
                "refused": "", "program": head["program"], "lane": head["lane"],
                "language": head["language"],
            }  # fmt: skip
        return {
            "length": len(walk), "style": walk.style, "levels": walk.levels(), "refused": "",
            "cut": walk.cut,
        }  # fmt: skip

    def stations(
        self, recipe: Recipe, first: int, last: int, on_start: OnStart | None = None
    ) -> list[Data]:
        """Stations of a walk, from number `first` to before `last`. A walk that is no longer kept
        is made again."""
        try:
            walk = self._walks.kept(self, recipe, LIVE, on_start)
        except NoWalk:
            return []
        numbers = range(max(0, first), min(last, len(walk)))
        if isinstance(walk, SavedWalk):
            return [walk.station(number) for number in numbers]
        return [station_data(walk, walk.station(number)) for number in numbers]

    def seek(
        self,
        recipe: Recipe,
        kind: Kind,
        what: str,
        start: int,
        forward: bool,
        on_start: OnStart | None = None,
        progress: Progress | None = None,
    ) -> int | None:
        """Where something happens next in a walk."""
        try:
            walk = self._walks.kept(self, recipe, LIVE, on_start)
        except NoWalk:
            return None

        def told(looked: int) -> None:
            if progress is not None:
                progress({"done": looked, "of": len(walk)})

        if isinstance(walk, SavedWalk):
            if kind == "end":
                return len(walk) - 1
            return walk.find(what, start, forward) if kind == "text" else None
        return seek(walk, kind, what, start, forward, told)

    def save_walk(self, recipe: Recipe, path: Path) -> str:
        """Keep a walk in a file; what went wrong, or nothing."""
        try:
            walk = self._walks.kept(self, recipe, LIVE, None)
        except NoWalk as wrong:
            return str(wrong)
        if isinstance(walk, SavedWalk):
            return "this walk comes from a file already"
        try:
            language = walk.lane.interpreter.language.name
            save_walk(walk, recipe.text, language, path)
        except OSError as fault:
            return f"{path.name} cannot be written: {fault.strerror or fault}"
        return ""

    # ---------------------------------------------------------------- suites

    def test(
        self,
        path: Path,
        progress: Progress | None = None,
        grammar: str | None = None,
        share: tuple[int, int] = (0, 1),
        ask: bool = False,
        wanted: Sequence[str] = (),
    ) -> Data:
        """All verdicts of a suite: see `runs.verdicts`."""
        return check_suite(self, path, progress, grammar, share, ask, wanted)


def _language_of_suite(path: Path) -> str:
    """The language that a suite says it is for; nothing where it says none."""
    try:
        text = read_source(path).text
    except Unreadable:
        return ""
    at = key_place(text, "language")
    found = re.match(r"""language["']?\s*=\s*["']([^"']*)["']""", text[max(0, at) :])
    return found.group(1) if found else ""


def _parts(name: str, child: Node) -> list[tuple[str, Node]]:
    """What a field holds as rows of a tree: the items of a list one by one, names and numbers
    among them left out."""
    if child[0] == NONE:
        return []
    if child[0] == SOME:
        inner = child[FIELDS]
        return _parts(name, inner) if isinstance(inner, tuple) else []
    if child[0] not in (NIL, CONS):
        return [(name, child)]
    found = []
    for number, item in enumerate(list_items(child)):
        if isinstance(item, tuple):
            found += _parts(f"{name} {number + 1}", item)
    return found


def ending(result: Result) -> str:
    """How a run ended, for people; a program without a value is just done."""
    if result.outcome.kind != "value" or result.outcome.text != "()":
        return result.outcome.sentence
    return "done" if result.output else "done; nothing was emitted"


def result_data(result: Result) -> Data:
    """A result as plain data."""
    return {
        "outcome": result.outcome.as_data(),
        "sentence": ending(result),
        "output": list(result.output),
        "costs": result.costs,
        "state": list(result.state),
    }
