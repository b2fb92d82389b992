"""Which course, language, program and lanes a command line means."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from msgspec import Struct

from embrix.cli.streams import standard_input
from embrix.cli.usage import Faulty, Usage, course_folder
from embrix.course.load import Course, load_course
from embrix.course.naming import plain_name
from embrix.course.needed_files import FIRST, Wanted
from embrix.lanes.inspection import unused_names
from embrix.lanes.names import NoLane
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.text.diagnostic import render
from embrix.text.plural import counted
from embrix.text.source import Source, Unreadable, read_source
from embrix.text.suggest import did_you_mean
from embrix.workers.memory_limit import limit_memory


class Chosen(Struct, frozen=True):
    """A program on some lanes."""

    session: Session
    language: str
    source: Source
    lanes: list[Lane]
    given: dict[str, str]
    limits: Limits
    input: tuple[str, ...] = ()
    ways: tuple[int, ...] = ()
    """Those to take where several are open, counted from zero."""


def chosen(arguments: argparse.Namespace) -> Chosen:
    """What `run` and `steps` are to work on. Raises `Usage`."""
    source, path = _program(arguments)
    session = _session(arguments, path)
    language = _language(arguments, session, path)
    choose_grammar(session, language, arguments.grammar)
    limit_memory()
    limits = Limits()
    if arguments.calls is not None:
        if arguments.calls < 1:
            raise Usage("--calls must be at least 1")
        limits = Limits(calls=arguments.calls)
    found = Chosen(
        session, language, source, _lanes(arguments, session, language), _given(arguments.bind),
        limits, _input(arguments.input), ways_of(getattr(arguments, "ways", None)),
    )  # fmt: skip
    for name in unused_names(session, language, source.text, found.given):
        if name != getattr(arguments, "over", "").partition("=")[0]:
            print(f"embrix: --bind {name} is not used by the program", file=sys.stderr)
    return found


def ways_of(text: str | None) -> tuple[int, ...]:
    """The ways that `--ways 2,1,3` names. Raises `Usage`."""
    parts = text.split(",") if text else []
    if not all(part.strip().isdecimal() and 1 <= int(part) <= MOST_WAYS for part in parts):
        raise Usage(f"--ways {text}: write the numbers of ways with commas between them: 2,1,2")
    return tuple(int(part) - 1 for part in parts)


MOST_WAYS = 1_000


def _input(name: str | None) -> tuple[str, ...]:
    """The lines that a program may read."""
    if name is None:
        return ()
    try:
        if name == "-":
            return tuple(standard_input().splitlines())
        return tuple(read_source(Path(name)).text.splitlines())
    except Unreadable as fault:
        raise Usage(str(fault)) from fault


def text_of(arguments: argparse.Namespace) -> tuple[Session, str, Source]:
    """A text in a language, whether or not anything can run it. Raises `Usage`."""
    source, path = _program(arguments)
    session = _session(arguments, path)
    language = _language(arguments, session, path)
    choose_grammar(session, language, getattr(arguments, "grammar", None))
    return session, language, source


def _session(arguments: argparse.Namespace, path: Path | None) -> Session:
    """As much of the course as a program needs, as far as its language is known beforehand."""
    near = path.resolve().parent if path is not None else None
    extension = path.suffix.removeprefix(".") if path is not None else ""
    asked = getattr(arguments, "lanes", None) or ()
    lanes = () if any("@" in one for one in asked) else tuple(map(plain_name, asked))
    wanted = Wanted(arguments.language or "", extension, lanes)
    folder = course_folder(arguments.course, near)
    if wanted.language or wanted.extension:
        return Session(folder, wanted=wanted)
    if path is None and not asked:
        first = Session(folder, wanted=FIRST)
        # Where something is wrong there may be another one that can be used.
        if first.course.languages and all(one.sound for one in first.course.languages.values()):
            return first
    return Session(folder)


def lanes_of(arguments: argparse.Namespace) -> tuple[Session, str, list[Lane]]:
    """A language with its lanes, those asked for first. Raises `Usage`."""
    session = Session(course_folder(arguments.course))
    language = _language(arguments, session, None)
    limit_memory()
    interpreters = session.course.interpreters.get(language) or session.course.broken.get(language)
    if not arguments.lanes and not interpreters:
        return session, language, []
    wanted = _lanes(arguments, session, language)
    others = [lane for lane in session.lanes(language) if lane not in wanted]
    return session, language, [*wanted, *others]


def choose_grammar(session: Session, language: str, grammar: str | None) -> None:
    """Let a language be written by another of its grammars. Raises `Usage`."""
    if grammar is None:
        return
    known = session.course.languages[language].grammars
    if grammar not in known:
        names = ", ".join(filter(None, known)) or "only one, without a name"
        raise Usage(f"{language} has no grammar called {grammar} (there are: {names})")
    session.use_grammar(language, grammar)


def course_with(session: Session, language: str, path: Path) -> Course:
    """The course with the file of a language replaced by another one. Raises `Usage`."""
    try:
        source = read_source(path)
    except Unreadable as fault:
        raise Usage(f"there is no language, grammar, rule or file called {path}") from fault
    own = session.course.languages[language].source.path
    assert own is not None
    course = load_course(session.course.folder, {own: source.text})
    if language not in course.languages:
        raise Usage(f"{path} does not define {language}")
    for finding in course.diagnostics:
        if finding.source.path == own:
            print(render(finding), file=sys.stderr)
    return course


def _program(arguments: argparse.Namespace) -> tuple[Source, Path | None]:
    if arguments.text is not None:
        if arguments.file is not None:
            raise Usage("a program is either a FILE or a text after -e, not both")
        return Source("text", arguments.text), None
    if arguments.file is None:
        raise Usage("name a program: a FILE, - for standard input, or a text after -e")
    try:
        if arguments.file == "-":
            return Source("input", standard_input()), None
        return read_source(Path(arguments.file)), Path(arguments.file)
    except Unreadable as fault:
        raise Usage(str(fault)) from fault


def _language(arguments: argparse.Namespace, session: Session, path: Path | None) -> str:
    languages = session.course.languages
    name: str | None = arguments.language
    if name is None and path is not None:
        found = session.course.language_of(path)
        name = found.name if found else None
    if name is None and languages and (path is None or len(languages) == 1):
        name = next((one for one in languages if _has_lanes(arguments, session, one)), None)
        name = name or next(iter(languages))
    if name is None:
        known = ", ".join(languages) or "none"
        raise Usage(f"say in which language the program is, with --language (there are: {known})")
    if name not in languages:
        hint = did_you_mean(name, languages, "there are: " + (", ".join(languages) or "none"))
        raise Usage(f"the course has no language called {name}; {hint}")
    return name


def _has_lanes(arguments: argparse.Namespace, session: Session, language: str) -> bool:
    """Whether a language has all lanes that are named, in whatever state."""
    course = session.course
    known = {*course.interpreters.get(language, ()), *course.broken.get(language, ())}
    known.update(one.name for one in session.outside(language))
    return all(plain_name(given) in known for given in getattr(arguments, "lanes", None) or ())


def _print_first_errors(course: Course) -> None:
    errors = [found for found in course.diagnostics if found.severity == "error"]
    for finding in errors[:3]:
        print(render(finding), file=sys.stderr)


def _lanes(arguments: argparse.Namespace, session: Session, language: str) -> list[Lane]:
    course = session.course
    usable = course.interpreters.get(language, {})
    allowed = [one.name for one in session.outside(language)]
    own_steps = getattr(arguments, "own_steps", False)
    names = arguments.lanes or [*usable, *([] if own_steps else allowed)]
    if session.parser(language) is None or (not names and course.broken.get(language)):
        _print_first_errors(course)
        raise Faulty(f"{language} cannot run programs until its definition is mended")
    if not names:
        raise Usage(f"{language} has no interpreter yet: write a file that begins "
                    f"`interpreter NAME for {language}`")  # fmt: skip
    for given in names:
        name = plain_name(given)
        if name in course.broken.get(language, ()):
            _print_first_errors(course)
            raise Faulty(f"{name} cannot run until its definition is mended")
        if name in session.not_allowed(language):
            raise Usage(f"the command of {name} has not been allowed: see embrix allow")
        if name in allowed and own_steps:
            raise Usage(f"{name} is an outside lane; the workbench shows the steps it reports")
        if name in course.interpreters.only_extended(language):
            raise Usage(f"{name} is only extended: it runs no programs")
        if name not in usable and name not in allowed:
            hint = did_you_mean(name, usable, "there are: " + (", ".join(usable) or "none"))
            raise Usage(f"{language} has no interpreter called {name}; {hint}")
    for given in names:
        found = course.faulty.get(language, {}).get(plain_name(given), 0)
        if found:
            print(f"embrix: {plain_name(given)} has {counted(found, 'error')} (see embrix check) "
                  "and runs as far as it goes", file=sys.stderr)  # fmt: skip
    try:
        return [session.runner(language, name) for name in names]
    except NoLane as wrong:
        raise Usage(str(wrong)) from wrong


def _given(bindings: list[str]) -> dict[str, str]:
    given: dict[str, str] = {}
    for binding in bindings:
        name, equals, text = binding.partition("=")
        if not equals or not name.strip() or not text.strip():
            raise Usage(f"--bind {binding}: write NAME=EXPR")
        given[name.strip()] = text
    return given
