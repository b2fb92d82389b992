"""How strong a suite is: mistakes are made in an interpreter, and each is noticed or not.

A mistake is noticed by an error or a warning of the check, by a law, or by a case of a suite that
was right before. Everything is bounded by counted fuel, so that the answer is always the same.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence

from msgspec import Struct

from embrix.brix.core import Interpreter
from embrix.brix.interpreter import check_interpreter
from embrix.brix.mutants import Mistake, mistakes_in
from embrix.brix.reader import read_definition
from embrix.brix.syntax import InterpreterSyntax
from embrix.checking.laws import try_law
from embrix.course.load import Course
from embrix.lanes.names import interpreter_of
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.suite.cases import Case, Suite
from embrix.suite.check import check_case
from embrix.text.diagnostic import Findings
from embrix.text.source import Source

LIMITS = Limits(calls=300_000, depth=60_000, output=100_000)
"""For one case; what needs more is left out."""

MakeLane = Callable[[Interpreter, str], Lane]
"""Gives the lane of an interpreter with choices decided as in `NAME[choice=alternative]`."""


class Noticed(Struct, frozen=True):
    """What became of a mistake. `how` is `refused` or `warned` (then `by` is a code), `law`, `red`
    (then `by` is a case), or `not found`."""

    mistake: Mistake
    line: int
    before: str
    after: str
    how: str
    by: str = ""


class Trial(Struct, frozen=True):
    """One interpreter with everything that is held against its changed versions."""

    course: Course
    interpreter: Interpreter
    suites: Sequence[Suite]
    make_lane: MakeLane

    def names(self) -> list[str]:
        """The lanes of the interpreter that some suite speaks of."""
        plain = self.interpreter.name
        decided = [n for suite in self.suites for n in suite.decided if n.startswith(f"{plain}[")]
        return [plain, *dict.fromkeys(decided)]

    def run(self, *, most: int | None = None) -> Iterator[Noticed]:
        """Each mistake with what became of it; at most so many, evenly picked."""
        source = self.interpreter.source
        syntax = read_definition(source, Findings())
        if not isinstance(syntax, InterpreterSyntax):
            return
        right = self._right()
        mistakes = mistakes_in(syntax)
        if most is not None and len(mistakes) > most:
            mistakes = [mistakes[n * len(mistakes) // most] for n in range(most)]
        known = self._codes(source.text)
        for mistake in mistakes:
            yield self._tried(mistake, right, known)

    def _right(self) -> list[tuple[Case, str]]:
        """The cases that hold for the interpreter as it is, with the names of their lanes."""
        found = []
        for name in self.names():
            lane = self.make_lane(self.interpreter, name)
            for suite in self.suites:
                for case in suite.cases:
                    if check_case(case, lane, LIMITS).state == "passed":
                        found.append((case, name))
        return found

    def _checked(self, text: str) -> tuple[Interpreter | None, Findings]:
        """The interpreter that a text defines, with what there is to say about it."""
        findings = Findings()
        syntax = read_definition(Source(self.interpreter.source.name, text), findings)
        if findings.has_errors or not isinstance(syntax, InterpreterSyntax):
            return None, findings
        base = None
        if syntax.base is not None:
            base = self.course.interpreters[syntax.base[0]][syntax.base[1]]
        language = self.course.languages[syntax.language]
        checked = check_interpreter(syntax, language, base, self.course.libraries)
        findings.extend(checked.found())
        return None if findings.has_errors else checked.made, findings

    def _codes(self, text: str) -> Counter[str]:
        return Counter(finding.code for finding in self._checked(text)[1].sorted())

    def _tried(
        self, mistake: Mistake, right: Sequence[tuple[Case, str]], known: Counter[str]
    ) -> Noticed:
        source = self.interpreter.source
        text = mistake.made(source.text)
        line, _ = source.position(mistake.span.start)
        before = source.text.split("\n")[line - 1].strip()
        after = text.split("\n")[line - 1].strip()

        def noticed(how: str, by: str = "") -> Noticed:
            return Noticed(mistake, line, before, after, how, by)

        checked, findings = self._checked(text)
        new = Counter(finding.code for finding in findings.sorted()) - known
        if checked is None:
            errors = [f.code for f in findings.sorted() if f.severity == "error"]
            return noticed("refused", errors[0] if errors else "")
        if new:
            return noticed("warned", next(iter(new)))
        lanes = {name: self.make_lane(checked, name) for name in dict.fromkeys(n for _, n in right)}
        for case, name in right:
            if check_case(case, lanes[name], LIMITS).state == "failed":
                return noticed("red", case.name)
        for law in checked.laws:
            if try_law(lanes[self.interpreter.name].machine, law).counterexample is not None:
                return noticed("law", law.text)
        return noticed("not found")


def try_mistakes(
    session: Session, language: str, name: str, most: int | None = None
) -> Iterator[Noticed]:
    """Mistakes made in an interpreter of a course, each with what notices it."""

    def make_lane(interpreter: Interpreter, lane: str) -> Lane:
        return session.lane_of(interpreter_of({interpreter.name: interpreter}, lane))

    suites = [session.suite(path, Findings()) for path in session.course.suites]
    held = [suite for suite in suites if suite is not None and suite.language == language]
    interpreter = session.course.interpreters[language][name]
    return Trial(session.course, interpreter, held, make_lane).run(most=most)
