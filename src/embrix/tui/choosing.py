"""What is chosen from lists over the bench: a program or a walk, a rule, a choice or version for a
lane, lines of input, the name of a new program."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import msgspec

from embrix.course.drafts import drafts_below, is_unnamed
from embrix.course.finding import COURSE_FILE, files_of
from embrix.course.naming import plain_name
from embrix.messages.replies import WalkSummary, Written
from embrix.messages.requests import Begin
from embrix.text.plural import counted
from embrix.tui.desk import Desk
from embrix.tui.dialogs import AskText, Pick
from embrix.tui.document import Document
from embrix.tui.unsaved_text import save
from embrix.tui.workbench import Workbench

WALK = ".walk.gz"
"""The ending of files that hold a walk."""
MOST_KEPT = 200
"""Such files that are offered."""
VERSIONS = (
    ("as saved", "without what has been changed and not saved", "saved"),
    ("as defined elsewhere …", "an older file, or another course", ""),
)
"""Other versions of a lane: how they are offered, and what stands behind @."""
CLOSE = "close"
IN_LANGUAGE = "in language "
"""Before the name of a language that is chosen for a text without a name."""


def kind_of(path: Path) -> str:
    """What a file of a course is, in a word."""
    if path.name == COURSE_FILE:
        return "course"
    if path.name.endswith(".lesson.toml"):
        return "lesson"
    return "suite" if path.name.endswith(".suite.toml") else "definition"


class Choosing:
    """Asks, and tells the bench what was chosen."""

    def __init__(self, bench: Workbench, desk: Desk) -> None:
        self._bench = bench
        self._desk = desk

    def file(self) -> None:
        """A program, a walk, or a file of the course that is written beside the program."""
        bench = self._bench
        if not bench.summary:
            return
        folder = bench.course_folder
        programs = [
            (name, Path(path).relative_to(folder).as_posix(), path)
            for name, language in bench.languages.items()
            for path in language.programs
        ]
        known = {path for _, _, path in programs}
        left = set()
        for draft in drafts_below(folder):
            if is_unnamed(draft.program):
                programs.append(("not saved", "text without a name", str(draft.program)))
                continue
            left.add(draft.program.resolve())
            if not draft.program.exists() and str(draft.program) not in known:
                name = draft.program.relative_to(folder).as_posix()
                programs.append(("not saved", name, str(draft.program)))
        kept = sorted(folder.rglob(f"*{WALK}"))[:MOST_KEPT]
        programs += [("a walk", path.relative_to(folder).as_posix(), str(path)) for path in kept]
        texts = files_of(folder)
        for path in texts:
            mark = ""
            if path.resolve() in bench.unsaved_files:
                mark = "  ● not saved"
            elif path.resolve() in left:
                mark = "  ○ unsaved text is kept"
            name = path.relative_to(folder).as_posix()
            programs.append((kind_of(path), f"{name}{mark}", str(path)))
        others = [name for name in bench.languages if name != bench.language]
        programs += [
            ("language", f"{name}, for a text without a name", IN_LANGUAGE + name)
            for name in others
        ]
        if bench.text_beside:
            text = f"{bench.text_beside}, which is open beside the program"
            programs.insert(0, ("close", text, CLOSE))
        programs = self._lately_first(programs)

        def opened(path: str | None) -> None:
            if path == CLOSE:
                bench.close_text()
            elif path is not None and path.startswith(IN_LANGUAGE):
                bench.keep_draft()
                bench.language = path.removeprefix(IN_LANGUAGE)
                bench.open_unnamed()
            elif path is not None and Path(path) in texts:
                bench.open_text(Path(path))
            elif path is not None and path.endswith(WALK):
                take = partial(self._walk_opened, Path(path))
                bench.walking.open_saved(Path(path), take)
            elif path is not None and is_unnamed(Path(path)):
                bench.keep_draft()
                bench.open_unnamed()
            elif path is not None:
                bench.open_program(Path(path))

        empty = "No file of the course has a name like this.\nCtrl+N begins a new one."
        bench.app.push_screen(Pick("open", programs, empty), opened)

    def _lately_first(self, rows: list[tuple[str, str, str]]) -> list[tuple[str, str, str]]:
        """What was open lately, the last one first, then the rest; what is open now is marked and
        keeps its place there."""
        bench = self._bench
        program = bench.document
        now = {program.path} if program is not None and program.named else set()
        if bench.file_beside is not None:
            now.add(bench.file_beside)
        lately = {str(path): n for n, path in enumerate(bench.opened_lately) if path not in now}
        marked = [
            (kind, f"{name}  open" if Path(path) in now and path != CLOSE else name, path)
            for kind, name, path in rows
        ]
        return sorted(marked, key=lambda row: lately.get(row[2], len(bench.opened_lately)))

    def _walk_opened(self, path: Path, walk: WalkSummary) -> None:
        """Show a walk from a file, with its program in the editor."""
        bench = self._bench
        if walk.refused or walk.language not in bench.languages:
            text = walk.refused or f"the course has no language called {walk.language}"
            bench.say(f"not opened: {text}", "brick")
            bench.text_changed()
            return
        bench.language = walk.language
        name = path.name.removesuffix(WALK)
        folder = path.parent
        bench.show_program(folder / f"walk_{name}.{bench.extension}", walk.program)
        bench.to_lane(walk.lane)
        bench.languages_changed()
        bench.lane = walk.lane  # even if the course has it no longer
        bench.walking.hold(path, walk)
        bench.say(f"the walk in {path.name}, as it was recorded; F4 walks the program anew")
        bench.set_focus(bench.step_rows)

    def rule(self) -> None:
        bench = self._bench
        language = bench.languages.get(bench.language)
        if language is None or not language.usable:
            return
        rules = [("program", "as a program", "")]
        rules += [("rule", name, name) for name in language.rules]

        def picked(rule: str | None) -> None:
            if rule is not None:
                bench.rule = rule
                bench.show_title()
                bench.ask_grammar()
                bench.text_changed()

        bench.app.push_screen(
            Pick("read the text at", rules, "No rule has a name like this."), picked
        )

    def choice_or_version(self) -> None:
        """Another lane in which one choice is decided otherwise."""
        bench = self._bench
        language = bench.languages.get(bench.language)
        base = plain_name(bench.lane)
        lanes = {lane.name: lane for lane in language.lanes} if language else {}
        choices = lanes[base].choices if base in lanes else {}
        inside = bench.lane.partition("@")[0].partition("[")[2].rstrip("]")
        decided = dict(part.split("=") for part in inside.split(", ") if part)
        wide = max((len(way) for c in choices.values() for way in c.alternatives), default=0)
        rows = [
            (
                name,
                f"{'◆' if decided.get(name, choice.default) == way else ' '} {way:<{wide}}  {why}",
                f"{name}={way}",
            )
            for name, choice in choices.items()
            for way, why in choice.alternatives.items()
        ]

        wide = max(wide, *(len(entries) for entries, _, _ in VERSIONS))
        rows += [
            ("version", f"  {entries:<{wide}}  {why}", f"@{version}")
            for entries, why, version in VERSIONS
        ]

        def picked(decision: str | None) -> None:
            if decision is None:
                return
            if decision.startswith("@"):
                self._version(base, inside, decision[1:])
                return
            name, _, way = decision.partition("=")
            decided[name] = way
            entries = [f"{n}={w}" for n, w in decided.items() if w != choices[n].default]
            self._beside(f"{base}[{', '.join(entries)}]" if entries else base)

        title = f"choices and versions of {base}"
        bench.app.push_screen(Pick(title, rows, "There is no such choice."), picked)

    def _beside(self, lane: str) -> None:
        """Put a lane beside the others and walk it."""
        bench = self._bench
        bench.to_lane(lane)
        bench.languages_changed()
        bench.text_changed()

    def _version(self, base: str, inside: str, version: str) -> None:
        """Another version of a lane beside it; which file or folder is asked for."""
        bench = self._bench
        plain = f"{base}[{inside}]" if inside else base
        if version:
            self._beside(f"{plain}@{version}")
            return

        def typed(path: str | None) -> None:
            if path and path.strip():
                self._beside(f"{plain}@{Path(path.strip()).expanduser()}")

        question = "A .brix file, or the folder of another course:"
        bench.app.push_screen(AskText("another version", question), typed)

    def input(self) -> None:
        """The lines that a program may read."""
        bench = self._bench

        def given(text: str | None) -> None:
            if text is not None:
                lines = [line.strip() for line in text.split(";")] if text.strip() else []
                bench.supply(bench.walking.given, lines)
                bench.say(f"input: {counted(len(lines), 'line')}" if lines else "no input")

        question = "Lines that the program may read, with ; between them:"
        bench.app.push_screen(AskText("input", question, "; ".join(bench.input)), given)

    def names(self) -> None:
        """Names that are supplied to the program, each with an expression of its language."""
        bench = self._bench

        def given(text: str | None) -> None:
            if text is None:
                return
            pairs = [part.partition("=") for part in text.split(";") if part.strip()]
            wrong = [name for name, sign, value in pairs if not (sign and value.strip())]
            if wrong:
                bench.say(f"{wrong[0].strip()} has no value: write NAME = EXPRESSION", "brick")
                return
            names = {name.strip(): value.strip() for name, _, value in pairs}
            bench.supply(names, bench.input)
            bench.say(f"supplied: {', '.join(names)}" if names else "no name is supplied")

        now = "; ".join(f"{name} = {value}" for name, value in bench.walking.given.items())
        question = "Names to supply, as NAME = EXPRESSION with ; between them:"
        bench.app.push_screen(AskText("names", question, now), given)

    def new(self) -> None:
        """Begin a program, an interpreter, a suite or a language; what belongs to the present
        language is offered first."""
        bench = self._bench
        rows = [row for name in (bench.language,) if name for row in self._new_in(name)]
        rows += [("language", "with a grammar, an interpreter, a suite and a program", "language ")]
        rows += [row for name in bench.languages if name != bench.language
                 for row in self._new_in(name)]  # fmt: skip
        steps: dict[str, Callable[[str], None]] = {
            "program": self._new_program,
            "interpreter": self._new_interpreter,
            "suite": lambda name: self._begin(Begin(kind="suite", name="", language=name)),
            "language": lambda _: self._begin(Begin(kind="language", name="")),
            "extends": lambda name: self._begin(Begin(kind="language", name="", extends=name)),
        }

        def picked(chosen: str | None) -> None:
            if chosen is not None:
                what, _, name = chosen.partition(" ")
                steps[what](name)

        bench.app.push_screen(Pick("new", rows, "There is no such kind of file."), picked)

    @staticmethod
    def _new_in(language: str) -> list[tuple[str, str, str]]:
        """What can be begun in a language."""
        return [
            ("program", f"of {language}", f"program {language}"),
            ("interpreter", f"of {language}, written from its forms and a strategy",
             f"interpreter {language}"),
            ("suite", f"of {language}, with a first case", f"suite {language}"),
            ("language", f"that extends {language}", f"extends {language}"),
        ]  # fmt: skip

    def _new_program(self, language: str) -> None:
        bench = self._bench

        def named(path: Path) -> None:
            if path.exists():
                bench.say(f"{path.name} exists: it is opened", "brass")
            bench.open_program(path)
            bench.editor.focus()

        self._ask_name("new program", language, named)

    def _new_interpreter(self, language: str) -> None:
        summary = self._bench.summary
        strategies = summary.strategies if summary is not None else {}
        rows = [(name, text, name) for name, text in strategies.items()]

        def picked(strategy: str | None) -> None:
            if strategy is not None:
                self._begin(Begin(kind="interpreter", name=strategy, language=language,
                                  strategy=strategy))  # fmt: skip

        self._bench.app.push_screen(Pick("strategy", rows, "There is no such strategy."), picked)

    def _begin(self, asked: Begin) -> None:
        """Ask for a name, then have the files written, and open the first of them."""
        bench = self._bench

        def named(name: str | None) -> None:
            if name and name.strip():
                request = msgspec.structs.replace(asked, name=name.strip())
                self._desk.ask("begin", request, self._begun)

        question = f"Name of the new {asked.kind}:"
        bench.app.push_screen(AskText(f"new {asked.kind}", question, asked.name), named)

    def _begun(self, answer: Written) -> None:
        bench = self._bench
        if answer.refused:
            bench.say(f"nothing was written: {answer.refused}", "brick")
            return
        definitions = (".brix", ".toml")
        for path in map(Path, answer.written):
            if path.suffix not in definitions:
                bench.open_program(path)
        bench.open_text(Path(answer.written[0]))
        bench.read_course()
        bench.say(f"written: {', '.join(Path(path).name for path in answer.written)}")

    def name_it(self) -> None:
        """Give the text in the editor a name, and save it there."""
        bench = self._bench

        def named(path: Path) -> None:
            if path.exists():
                bench.say(f"{path.name} exists already: nothing was saved; choose another name",
                          "brick")  # fmt: skip
                return
            before, document = bench.document, Document(path)

            def saved() -> None:
                bench.document = document
                if before is not None:
                    before.keep("")
                bench.languages_changed()
                bench.show_title()
                bench.say(f"saved {path.name}")

            save(bench.app, document, lambda: bench.editor.text, bench.say, saved)

        self._ask_name("save", bench.language, named)

    def _ask_name(self, title: str, of: str, take: Callable[[Path], None]) -> None:
        """Ask for the name of a program of a language."""
        bench = self._bench
        language = bench.languages.get(of)
        if language is None:
            bench.say("there is no language that this could be a program of", "brick")
            return
        extension = language.extension
        if not extension:
            bench.say(f"not saved: {of} has no `extension` line; the text is kept as a draft",
                      "brick")  # fmt: skip
            return
        folder = bench.program_folder
        if of != bench.language:
            programs = [*map(Path, language.programs), bench.course_folder / language.file]
            folder = programs[0].parent

        def named(name: str | None) -> None:
            if not name or not name.strip():
                return
            typed = Path(name.strip()).expanduser()
            if typed.suffix != f".{extension}":
                typed = typed.with_name(f"{typed.name}.{extension}")
            take(folder / typed)

        bench.app.push_screen(AskText(title, f"Name of the {of} program:"), named)
