"""Embrix as a library: load a course, run a lane, check a suite, walk a trace.

    import embrix

    course = embrix.load("my-course")
    print(course.lane("Drip", "environment").run("1 + 2").text)

What is described here stays as it is within a major version: names and fields may be added, none
are taken away or change their meaning. Everything else in the package may change at any time.

Definitions and programs are data: they reach nothing on the host, and every run ends within its
limits. Commands that a course names as interpreters outside are not reached from here.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from embrix.checking.diagnostics import diagnostics
from embrix.checking.verdicts import Testing
from embrix.course.load import Course as LoadedCourse
from embrix.course.shipped import shipped_course
from embrix.lanes.names import NoLane
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding
from embrix.machine.lane import Lane as MachineLane
from embrix.machine.limits import Limits
from embrix.machine.outcome import Result as MachineResult
from embrix.text.diagnostic import Diagnostic, Findings
from embrix.text.source import Source
from embrix.trace.walk import Walk

Position = tuple[int, int]
"""Line and column in a program, both from one."""


class NotFound(LookupError):
    """The course has no such language, lane or suite, or it cannot run; the message says which."""


class BadValue(ValueError):
    """A value supplied by hand cannot be read or evaluated; the message says why."""


@dataclass(frozen=True, slots=True)
class Problem:
    """Something wrong in a definition or a suite. `code` is explained by `embrix explain`."""

    code: str
    severity: str
    message: str
    file: str
    line: int
    column: int
    hint: str = ""


@dataclass(frozen=True, slots=True)
class Result:
    """How a run ended.

    `kind` is `value`, `failure` (a declared error; `name` says which), `rejected` or `ambiguous`
    (the program was not read), `stuck`, `unfinished`, `cycle` or `out of fuel`. `text` is the value
    as the definition shows it, or a sentence. `structure` is how a value is built. `costs` counts
    judgements or steps, calls, lookups and so on, by name.
    """

    kind: str
    text: str
    name: str
    structure: str
    position: Position | None
    output: str
    state: tuple[str, ...]
    costs: Mapping[str, int]

    @property
    def ok(self) -> bool:
        """Whether it came to a value."""
        return self.kind == "value"


@dataclass(frozen=True, slots=True)
class Step:
    """A step of a walk: a term of a small-step run, or the beginning (`enter`) or the end
    (`leave`) of a judgement. `names` has the environment there, the innermost first."""

    kind: str
    text: str
    depth: int
    position: Position | None
    names: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class Verdict:
    """What a lane gives for a case: `passed`, `failed` or `left out`; where it failed, about what,
    what was expected and what came."""

    case: str
    lane: str
    state: str
    about: str
    expected: str
    actual: str


class Lane:
    """An interpreter, ready to run programs of its language."""

    def __init__(self, lane: MachineLane) -> None:
        self._lane = lane

    def __repr__(self) -> str:
        return f"<lane {self.language}.{self.name}>"

    @property
    def name(self) -> str:
        return self._lane.name

    @property
    def language(self) -> str:
        return self._lane.language

    def run(
        self,
        program: str,
        names: Mapping[str, str] | None = None,
        lines: Sequence[str] = (),
        calls: int | None = None,
    ) -> Result:
        """Run a program. `names` supplies values by hand (names to expressions of the language),
        `lines` is what the program may read, `calls` how many calls it may make. Raises
        `BadValue`."""
        limits = Limits() if calls is None else Limits(calls=calls)
        try:
            came = self._lane.run(program, dict(names or {}), limits=limits, given_input=lines)
        except BadBinding as bad:
            raise BadValue(str(bad)) from bad
        return _result(came, program)

    def walk(
        self, program: str, names: Mapping[str, str] | None = None, lines: Sequence[str] = ()
    ) -> Iterator[Step]:
        """The steps of a run, one after another. Raises `BadValue`."""
        try:
            traced = self._lane.trace(program, dict(names or {}), given_input=lines)
        except BadBinding as bad:
            raise BadValue(str(bad)) from bad
        walk = Walk(self._lane, traced)
        source = Source("", program)
        for number in range(len(walk)):
            step = walk.step(number)
            place = source.position(step.place[0]) if step.place is not None else None
            bound = tuple((one.name, one.value) for one in step.bindings)
            yield Step(step.kind, step.text, step.depth, place, bound)


class Course:
    """A course folder, as it was when it was loaded."""

    def __init__(self, folder: str | Path) -> None:
        self._session = Session(Path(folder))

    def __repr__(self) -> str:
        return f"<course {self.title}>"

    @property
    def _course(self) -> LoadedCourse:
        return self._session.course

    @property
    def title(self) -> str:
        return self._course.title

    @property
    def languages(self) -> tuple[str, ...]:
        return tuple(self._course.languages)

    @property
    def suites(self) -> tuple[str, ...]:
        """The suites, as paths from the folder of the course."""
        folder = self._course.folder
        return tuple(path.relative_to(folder).as_posix() for path in self._course.suites)

    def problems(self) -> tuple[Problem, ...]:
        """Everything that `embrix check` has to say, laws included."""
        return tuple(map(_problem, diagnostics(self._session).findings))

    def lanes(self, language: str) -> tuple[Lane, ...]:
        """The interpreters of a language that can run. Raises `NotFound`."""
        self._known(language)
        return tuple(map(Lane, self._session.lanes(language)))

    def lane(self, language: str, name: str) -> Lane:
        """An interpreter by name, `NAME[choice=way]` for one with a choice decided otherwise.
        Raises `NotFound`."""
        self._known(language)
        try:
            return Lane(self._session.lane(language, name))
        except NoLane as missing:
            raise NotFound(str(missing)) from missing

    def check_suite(self, suite: str) -> tuple[Verdict, ...]:
        """The verdicts of a suite, case by case, on every lane. Raises `NotFound`."""
        path = self._course.folder / suite
        if path not in self._course.suites:
            known = ", ".join(self.suites) or "none"
            raise NotFound(f"{self.title} has no suite {suite}; there are: {known}")
        findings = Findings()
        read = self._session.suite(path, findings)
        if read is None:
            raise NotFound(f"{suite} cannot be read: {findings.sorted()[0].message}")
        testing = Testing(self._session, read)
        return tuple(
            Verdict(one.case, one.lane, one.state, one.what, one.expected, one.actual)
            for case in read.cases
            for one in testing.verdicts(case)
        )

    def _known(self, language: str) -> None:
        if language not in self._course.languages:
            known = ", ".join(self.languages) or "none"
            raise NotFound(f"{self.title} has no language {language}; there are: {known}")


def load(folder: str | Path) -> Course:
    """Load a course from its folder. What is wrong in it does not raise; see `Course.problems`."""
    if not Path(folder).is_dir():
        raise NotFound(f"there is no folder {folder}")
    return Course(folder)


def demo() -> Course:
    """The course that ships with Embrix."""
    return Course(shipped_course())


def _problem(found: Diagnostic) -> Problem:
    line, column = found.source.position(found.span.start)
    return Problem(
        found.code, found.severity, found.message, found.source.name, line, column, found.hint
    )


def _result(came: MachineResult, program: str) -> Result:
    outcome = came.outcome
    source = Source("", program)
    place = source.position(outcome.place[0]) if outcome.place is not None else None
    return Result(
        outcome.kind, outcome.text, outcome.name, outcome.structure, place, "".join(came.output),
        tuple(came.state), dict(came.costs),
    )  # fmt: skip
