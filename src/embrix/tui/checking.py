"""What is checked behind the scenes: the suite, the definitions, the grammar."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from textual.timer import Timer

from embrix.messages.replies_on_suites import SuiteReport
from embrix.messages.requests import AskNotes, DescribeGrammar, TestSuite
from embrix.messages.wire import Progress
from embrix.text.plural import counted
from embrix.tui.bars import Masthead
from embrix.tui.desk import PATIENCE, Desk
from embrix.tui.document import Document
from embrix.tui.side_views import CasesView, GrammarView
from embrix.tui.workbench import Workbench
from embrix.workers.ahead import SUITE_WORKER


class Checking:
    """Asks a worker of its own, so that the program in the editor never waits."""

    def __init__(self, bench: Workbench, desk: Desk) -> None:
        self._bench = bench
        self._desk = desk
        self.suite: Path | None = None
        """The suite that was run last."""
        self._telling: Timer | None = None
        self._progress: Progress | None = None
        self._ahead = False
        """Whether it has been asked for since the course was read."""
        self._asked = 0
        """How many times a suite has been asked for."""
        self.running = False
        """Whether a suite runs."""
        self._waiting: dict[str, Callable[[], None]] = {}
        """By topic what is to be asked when the suite is over."""

    def follow(self, document: Document | None) -> None:
        """Run the suite of a program that has been opened, if it is another one."""
        if self.suite_near(document) != self.suite:
            self.run_suite(document)

    @property
    def _masthead(self) -> Masthead:
        return self._bench.query_one(Masthead)

    def goes_first(self) -> None:
        """The course is about to be read anew: its verdicts come before its runs."""
        if self.suite is not None:
            self._desk.suite_first()

    def course_requested(self) -> None:
        """The course is being read anew: its verdicts follow at once, and nobody has to ask for
        them when it has been read."""
        self._ahead = self.suite is not None
        if self.suite is not None:
            self._ask(self.suite)

    def course_read(self, document: Document | None) -> None:
        """The course has been read anew; the suite may be another one now."""
        if not self._ahead or self.suite_near(document) != self.suite:
            self.run_suite(document)
        self._ahead = False

    def run_suite(self, document: Document | None) -> None:
        """Run the suite that lies nearest to a program."""
        self._desk.drop("suite")
        suite = self.suite_near(document)
        cases = self._bench.query_one(CasesView)
        if suite is None:
            self._tell_no_more()
            text = f"no suite for {self._bench.language}" if self._bench.language else "no suite"
            self._masthead.show(suite=text, suite_alarm="")
            cases.begin("")
            cases.empty_text = text
            self.suite = None
            return
        self.suite = suite
        self._ahead = True
        self._ask(suite)

    def _ask(self, suite: Path) -> None:
        name = suite.relative_to(self._bench.course_folder).as_posix()
        self._bench.query_one(CasesView).begin(name)
        self._progress = None
        if self._telling is None:
            self._telling = self._bench.set_timer(PATIENCE, self._tell)
        self._asked += 1
        self.running = True
        self._desk.ask(
            "suite", TestSuite(suite=str(suite)), self._bench.suite_ran, worker=SUITE_WORKER,
            progress=self._testing, failed=partial(self._not_run, self._asked),
        )  # fmt: skip

    def _not_run(self, asked: int, _why: str) -> None:
        if asked == self._asked:
            self._over()

    def _over(self) -> None:
        """The suite has been run: what has waited for it begins when its verdicts are drawn."""
        self.running = False
        self._desk.suite_over()
        for ask in self._waiting.values():
            self._bench.call_after_refresh(ask)
        self._waiting.clear()

    def behind_suite(self, topic: str, ask: Callable[[], None]) -> None:
        """Ask something now, or when the suite that runs is over."""
        self._waiting.pop(topic, None)
        if self.running:
            self._waiting[topic] = ask
        else:
            ask()

    def _tell(self) -> None:
        """Say that the suite still runs, and how far it is."""
        self._telling = None
        done = self._progress
        text = f"suite {done.done}/{done.of}" if done is not None else "suite …"
        self._masthead.show(suite=text, suite_alarm="")

    def suite_near(self, document: Document | None) -> Path | None:
        """The suite of the present language that lies nearest to a program, if there is any."""
        summary = self._bench.summary
        suites = [path for path, language in (summary.suites if summary else {}).items()
                  if language in ("", self._bench.language)]  # fmt: skip
        if not suites or document is None or not document.named:
            return Path(suites[0]) if suites else None
        here = document.path

        def shared(path: str) -> int:
            pairs = zip(Path(path).parts, here.parts, strict=False)
            return sum(1 for a, b in pairs if a == b)

        return Path(max(suites, key=shared))

    def _testing(self, progress: Progress) -> None:
        self._progress = progress
        if self._telling is None:
            self._tell()

    def _tell_no_more(self) -> None:
        if self._telling is not None:
            self._telling.stop()
            self._telling = None

    def tested(self, report: SuiteReport) -> None:
        """A suite has been run: the bench shows what came of it."""
        self._tell_no_more()
        self._bench.query_one(CasesView).show(report)
        verdicts = [v for case in report.cases for v in case.verdicts]
        failed = sum(v.state == "failed" for v in verdicts)
        passed = sum(v.state == "passed" for v in verdicts)
        text = f"✗ {failed} of {failed + passed} fail" if failed else f"◆ {passed} pass"
        if not verdicts:
            text = f"{counted(len(report.cases), 'case')} waiting"
        broken = len(report.broken)
        if broken:
            text += f", {counted(broken, 'lane')} not run"
        alarm = "yes" if failed or broken else ""
        self._masthead.show(suite=f"suite {text}", suite_alarm=alarm)
        self._bench.side_title()
        self._over()

    def ask_notes(self) -> None:
        """Have everything checked that takes longer than reading the course, behind the suite."""
        self._desk.drop("notes")
        take = self._bench.notes_came
        ask = partial(self._desk.ask, "notes", AskNotes(), take, worker=SUITE_WORKER)
        self.behind_suite("notes", ask)

    def ask_grammar(self, language: str, rule: str) -> None:
        """What kind of grammar the language has, from a rule."""
        self._desk.drop("grammar")
        self._waiting.pop("grammar", None)
        if not language:
            return
        request = DescribeGrammar(language=language, rule=rule or None)
        show = self._bench.query_one(GrammarView).show

        def ask() -> None:
            self._desk.drop("grammar")
            self._desk.ask("grammar", request, show, worker=SUITE_WORKER)

        # The suite is asked for in the same turn.
        self._bench.call_next(partial(self.behind_suite, "grammar", ask))
