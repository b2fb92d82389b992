"""A loaded course with its parsers and lanes."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec.structs import replace

from embrix.brix.core import Interpreter, Language
from embrix.brix.interpreter import check_interpreter
from embrix.brix.reader import read_definition
from embrix.brix.syntax import InterpreterSyntax
from embrix.course.checked import MEMORY
from embrix.course.interpreters import EachLanguage
from embrix.course.kept_definitions import AS_IT_IS
from embrix.course.load import Course, load_course
from embrix.course.naming import plain_name, split_version
from embrix.course.needed_files import Wanted
from embrix.grammar.lr import parser_by, tables_of
from embrix.grammar.model import Grammar
from embrix.grammar.parser import Parser
from embrix.lanes.names import NoChoice, NoLane, NoVersion, interpreter_of
from embrix.lanes.versions import unsaved_of
from embrix.machine.lane import Lane, parser_for
from embrix.suite.cases import Suite
from embrix.suite.read import depends_on, read_program, read_suite
from embrix.text.diagnostic import Findings
from embrix.text.source import Source, Span, Unreadable, read_source

if TYPE_CHECKING:
    from embrix.lanes.outside_lane import OutsideLane

READING = "grammar"
"""What the lane is called that only reads programs."""


class Session:
    """A loaded course, or what a language needs that is `wanted`, with its parsers and lanes, made
    when they are asked for."""

    def __init__(
        self, folder: Path, unsaved: Mapping[Path, str] | None = None,
        wanted: Wanted | None = None,
    ) -> None:  # fmt: skip
        self.course: Course = load_course(folder, unsaved, wanted)
        self.unsaved = {path.resolve(): text for path, text in (unsaved or {}).items()}
        self._parsers: dict[tuple[str, str | None], Parser | None] = {}
        self._lanes: dict[tuple[str, str, str | None], Lane] = {}
        self._versions: dict[str, tuple[dict[Path, str], Session]] = {}

    def parser(self, language: str, grammar: str | None = None) -> Parser | None:
        """The parser of a language by one of its grammars (default: the first)."""
        key = (language, grammar)
        if key not in self._parsers:
            target = self.course.languages[language]
            chosen = target if grammar is None else target.under(grammar)
            self._parsers[key], _ = MEMORY.recall(
                ("parser", grammar, target.chosen), (target.meaning,),
                lambda _: parser_for(chosen, partial(_by_tables, target, chosen.chosen)),
            )  # fmt: skip
        return self._parsers[key]

    def lane(self, language: str, name: str, grammar: str | None = None) -> Lane:
        """Raises `NoLane`."""
        plain, version = split_version(name)
        if version:
            return self._of_version(language, plain, version, grammar)
        key = (language, name, grammar)
        if key not in self._lanes:
            known = self.course.interpreters.get(language, {})
            role = plain.partition("[")[0].strip()
            if role in self.course.interpreters.only_extended(language):
                raise NoLane(f"{role} is only extended: it runs no programs")
            own = known.get(role)
            # With what has been compiled for it, where nothing it is made of has changed.
            self._lanes[key], _ = MEMORY.recall(
                ("lane", name, grammar), (own, self.parser(language, grammar)),
                lambda _: self.lane_of(interpreter_of(known, name), grammar),
            )  # fmt: skip
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
        key = (language, f"{name}@{version}", grammar)
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

    def lane_of(self, interpreter: Interpreter, grammar: str | None = None) -> Lane:
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
        return Lane(interpreter, parser)

    def _parser_of(self, language: Language) -> Parser | None:
        """The parser for another kind of numbers."""
        key = (f"{language.name} {language.numbers}", language.chosen)
        if key not in self._parsers:
            self._parsers[key], _ = MEMORY.recall(
                ("parser", language.numbers, language.chosen), (language.meaning,),
                lambda _: parser_for(language),
            )  # fmt: skip
        return self._parsers[key]

    def lanes(self, language: str, grammar: str | None = None) -> list[Lane]:
        """All lanes of a language that can run, in the order of their files."""
        if self.parser(language, grammar) is None:
            return []
        names = self.course.interpreters.get(language, {})
        return [self.lane(language, name, grammar) for name in names]

    def reading_lane(self, language: str) -> Lane | None:
        """A lane that only reads programs, for a language that has no interpreter yet."""
        parser = self.parser(language)
        if parser is None:
            return None
        key = (language, READING, None)
        if key not in self._lanes:
            source = Source(READING, f"interpreter {READING} for {language}\n")
            syntax = read_definition(source, Findings())
            assert isinstance(syntax, InterpreterSyntax)
            made = check_interpreter(syntax, self.course.languages[language]).made
            assert made is not None
            self._lanes[key] = Lane(made, parser)
        return self._lanes[key]

    def outside(self, language: str) -> list[OutsideLane]:
        """The outside interpreters of a language that the user has allowed."""
        if not self.course.outside:
            return []
        from embrix.course.permission import is_allowed  # seldom needed
        from embrix.lanes.outside_lane import OutsideLane

        parser = self.parser(language)
        folder = self.course.folder
        return [
            OutsideLane(one, folder, parser)
            for one in self.course.outside
            if one.language == language and parser is not None and is_allowed(folder, one)
        ]

    def not_allowed(self, language: str) -> list[str]:
        """The outside interpreters of a language whose commands have not been allowed."""
        if not self.course.outside:
            return []
        from embrix.course.permission import is_allowed

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

    def suite(self, path: Path, findings: Findings) -> Suite | None:
        """A suite of the course, or None when it cannot be read."""
        course = self.course
        name = path.relative_to(course.folder).as_posix()
        text = self.unsaved.get(path.resolve())
        try:
            text = read_source(path, name).text if text is None else text
        except Unreadable as fault:
            findings.error("unreadable_file", str(fault), Source(name, "", path), Span(0, 0))
            return None
        source = MEMORY.source(name, text, path)
        languages = tuple(course.languages)
        lanes_of = course.interpreters

        def lanes(name: str) -> list[str]:
            outside = (one.name for one in course.outside if one.language == name)
            return [*lanes_of.get(name, {}), *course.broken.get(name, ()), *outside]

        def errors(name: str) -> set[str]:
            own = {error.name for error in course.languages[name].errors}
            return own.union(*(
                {error.name for error in one.errors} for one in lanes_of.get(name, {}).values()
            ))  # fmt: skip

        def choices(name: str) -> dict[str, dict[str, dict[str, str]]]:
            return {
                lane: {choice.name: choice.alternatives for choice in one.choices.values()}
                for lane, one in lanes_of.get(name, {}).items()
            }

        grammars = {name: one.grammars for name, one in course.languages.items()}

        def read(found: Findings) -> Suite | None:
            return read_suite(
                source, EachLanguage(languages, lanes), EachLanguage(languages, errors), found,
                grammars, EachLanguage(languages, choices),
            )  # fmt: skip

        (owner, files), _ = MEMORY.recall(
            "named by a suite", (source,), lambda _: depends_on(source), AS_IT_IS
        )
        texts = [_text_or_fault(source, name) for name in files]
        known: tuple[object, ...] = languages
        if owner in languages:
            ways = [(lane, choice, *way) for lane, of in choices(owner).items()
                    for choice, way in of.items()]  # fmt: skip
            known = (owner, *texts, *lanes(owner), None, *sorted(errors(owner)), None,
                     *grammars[owner], *ways)  # fmt: skip
        suite, found = MEMORY.recall(("suite", *known), (source,), read, AS_IT_IS)
        findings.extend(found)
        return suite


def _by_tables(language: Language, chosen: str | None, grammar: Grammar) -> Parser:
    """The parser by a grammar of a language, with tables that another process may have made."""
    tables, _ = MEMORY.recall(
        ("tables", chosen), (language,), lambda _: tables_of(grammar), AS_IT_IS
    )
    return parser_by(grammar, tables)


def _text_or_fault(suite: Source, name: str) -> tuple[bool, str]:
    """Whether a program that a suite names can be read, and its text, or why it cannot."""
    try:
        return True, read_program(suite, name)
    except Unreadable as fault:
        return False, str(fault)
