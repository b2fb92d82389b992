"""The views of the side pane: tree, tokens, cases, notes; and the lanes above it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from textwrap import wrap
from typing import ClassVar

from textual.binding import Binding, BindingType
from textual.message import Message

from embrix.course.naming import short_name
from embrix.messages.replies import Look, Note, Place, RunResult, TreeRow
from embrix.messages.replies_on_suites import CaseRow, CaseVerdict, SuiteReport
from embrix.text.plural import counted
from embrix.text.source import Source
from embrix.text.visible import cut, visible, width
from embrix.tui.rows import Piece, Rows
from embrix.tui.theme import ink, token_ink

OUTCOME_SIGNS = {
    "value": ("◆", "moss"),
    "failure": ("✗", "brick"),
    "stuck": ("⊥", "brick"),
    "unfinished": ("…", "brass"),
    "out of fuel": ("∞", "brass"),
    "cycle": ("↻", "brass"),
    "rejected": ("⊘", "brick"),
    "ambiguous": ("≬", "brick"),
    "gave up": ("∞", "brass"),
    "fault": ("‼", "brick"),
    "running": ("·", "faint"),
    "broken": ("!", "brick"),
}
"""A sign and a colour for each way a run can end."""


LONGEST_NAME = 30
"""Characters of the name of a lane that are shown."""


class LanesView(Rows):
    """Every lane with its outcome and its cost; the cursor stands on the lane that is walked."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.lanes: list[str] = []
        self.broken: list[str] = []
        self.errors: dict[str, int] = {}
        """How many errors there are in the definitions of lanes."""
        self.results: dict[str, RunResult] = {}
        self.fresh: set[str] = set()
        self.idle = ""
        """Why no lane runs, or nothing."""

    def set_lanes(self, lanes: list[str], broken: list[str], errors: dict[str, int]) -> None:
        self.lanes, self.broken, self.errors = lanes, broken, errors
        self.results = {k: v for k, v in self.results.items() if k in lanes}
        self.renew()

    def count(self) -> int:
        return len(self.lanes) + len(self.broken)

    def move_to(self, number: int) -> None:
        super().move_to(min(number, len(self.lanes) - 1))

    @property
    def chosen(self) -> str | None:
        return self.lanes[self.cursor] if self.cursor < len(self.lanes) else None

    def row(self, number: int) -> Sequence[Piece]:
        app = self.app
        if number >= len(self.lanes):
            name = self.broken[number - len(self.lanes)]
            return [
                (f"   {name:<14}", ink(app, "faint")),
                ("! its definition has errors: F3 shows the notes", ink(app, "brick")),
            ]
        name = self.lanes[number]
        result = self.results.get(name)
        chosen = number == self.cursor
        names = [short_name(lane, self.lanes) for lane in self.lanes]
        label = min(LONGEST_NAME, max(12, *map(len, names)))
        lead: list[Piece] = [
            (" ▶ " if chosen else "   ", ink(app, "brass", bold=True)),
            (f"{cut(names[number], label):<{label}} ", ink(app, "ink", bold=chosen)),
        ]
        if result is None:
            return [*lead, (f"· {self.idle or 'running'}", ink(app, "faint"))]
        outcome = result.outcome
        sign, colour = OUTCOME_SIGNS[outcome.kind]
        wrong = self.errors.get(name, 0)
        cost = f"{'! ' + counted(wrong, 'error'):>17}" if wrong else self._cost(result.costs)
        room = max(8, self.size.width - label - (27 if cost else 9))
        fresh = name in self.fresh
        if not fresh:
            # What another text gave: seen by the sign, not by a shade alone.
            sign, cost = "⋯", ""
            room = max(8, self.size.width - label - 9)
        text = self.ending(result)
        sentence = cut(text if fresh else f"running; the text before gave {text}", room)
        pad = " " * max(1, room - width(sentence) + 1)
        style = ink(app, colour, bold=True) if fresh else ink(app, "faint")
        differs = self._differs(number)
        return [
            *lead,
            (f"{sign} {sentence}{pad}", style),
            ("≠ " if differs else "  ", ink(app, "brass", bold=True)),
            (cost, ink(app, "brick" if wrong else "faint")),
        ]

    def _differs(self, number: int) -> bool:
        """Whether a lane ends otherwise than the first one; not while either is running."""
        if not {self.lanes[0], self.lanes[number]} <= self.fresh:
            return False
        first = self.results.get(self.lanes[0])
        own = self.results.get(self.lanes[number])
        return bool(first and own) and self.ending(first) != self.ending(own)  # type: ignore[arg-type]

    @staticmethod
    def ending(result: RunResult) -> str:
        """The end of a run with what it wrote."""
        written = "".join(result.output).split("\n")
        shown = " ⏎ ".join(line for line in written if line)
        sentence = result.sentence + (", by one of several ways" if result.several else "")
        return f"{sentence}  ▤ {shown}" if shown else sentence

    def _cost(self, costs: dict[str, int]) -> str:
        if "steps" in costs:
            return f"{counted(costs['steps'], 'step'):>17}"
        if "judgements" in costs:
            return f"{counted(costs['judgements'], 'judgement'):>17}"
        return ""


class TreeView(Rows):
    """The syntax tree of the program."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.nodes: list[TreeRow] = []
        self.reading: list[tuple[str, str, str]] = []
        self.cut_off = 0
        self.active: Place | None = None
        self._found: tuple[Place | None] | None = None
        """For which place the node has been looked for in this tree."""
        self.differing: set[int] = set()
        self.empty_text = (
            "The tree of the program appears here\nas soon as the program can be read."
        )

    def show(
        self,
        tree: list[TreeRow],
        cut_off: int,
        reading: list[tuple[str, str, str]] | None = None,
        differing: Sequence[int] = (),
    ) -> None:
        """A tree, or what was being read where reading stopped; `differing` rows are not in the
        tree beside this one."""
        shown = (self.nodes, self.cut_off, self.reading, self.differing)
        if (tree, cut_off, reading or [], set(differing)) == shown:
            return
        self.nodes, self.cut_off, self.reading = tree, cut_off, reading or []
        self.differing = set(differing)
        self._found = None
        self.renew()

    @property
    def place(self) -> Place | None:
        """The slice of the text that the node under the cursor covers."""
        if self.reading or self.cursor >= len(self.nodes) or self.nodes[self.cursor].start < 0:
            return None
        return self.nodes[self.cursor].place

    def highlight(self, place: Place | None) -> None:
        """Mark the node that covers a place of the program, and bring it into view."""
        if self._found == (place,):
            return
        self._found = (place,)
        self.active = place
        if place is not None:
            for number, row in enumerate(self.nodes):
                if row.place == place:
                    self.cursor = number
                    self.show_cursor()
                    break
        self.refresh()

    def count(self) -> int:
        if self.reading:
            return len(self.reading) + 1
        return len(self.nodes) + (self.cut_off > 0)

    def row(self, number: int) -> Sequence[Piece]:
        app = self.app
        if self.reading:
            if number == 0:
                text = " no tree yet; what was tried here, and why it was given up"
                return [(text, ink(app, "faint"))]
            row, begun, why = self.reading[number - 1]
            before, _, after = row.partition("•")
            return [
                (f" {begun:>7}  ", ink(app, "faint")),
                (before, ink(app, "ink")),
                ("•", ink(app, "brass", bold=True)),
                (after, ink(app, "water")),
                (f"   {why}", ink(app, "faint", italic=True)),
            ]
        if number >= len(self.nodes):
            return [(f" and {counted(self.cut_off, 'more node')}", ink(app, "faint"))]
        node = self.nodes[number]
        depth, field, form, leaves = node.depth, node.field, node.form, node.leaves
        active = self.active is not None and node.place == self.active
        differs = number in self.differing
        return [
            ("≠" if differs else " ", ink(app, "brick", bold=True)),
            ("│ " * depth, ink(app, "deep")),
            (f"{field} ", ink(app, "faint", italic=True) if field else ink(app, "ink")),
            ("▸" if active else "", ink(app, "brass", bold=True)),
            (form, ink(app, "brass" if active else "brick" if differs else "water", bold=True)),
            (f" {leaves}" if leaves else "", ink(app, "ink")),
        ]


class TokensView(Rows):
    """The tokens of the program: kind, slice, place."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.tokens: list[tuple[int, int, str, str, str]] = []
        self.values: dict[str, str] = {}
        self.empty_text = "The tokens of the program appear here."

    def show(self, text: str, look: Look) -> None:
        source = Source("", text)
        pieces = [(start, end, kind) for start, end, kind in look.tokens]
        pieces += [(start, end, "skip") for start, end in look.skipped]
        pieces += [(start, end, "no token") for start, end in look.invalid]
        tokens = []
        for start, end, kind in sorted(pieces):
            line, column = source.position(start)
            tokens.append((start, end, kind, text[start:end], f"{line}:{column}"))
        if (tokens, look.values) != (self.tokens, self.values):
            self.tokens, self.values = tokens, look.values
            self.renew()

    def count(self) -> int:
        return len(self.tokens)

    def row(self, number: int) -> Sequence[Piece]:
        start, _, kind, text, place = self.tokens[number]
        value = self.values.get(str(start), "")
        app = self.app
        style = ink(app, "brick", bold=True) if kind == "no token" else token_ink(app, kind)
        shown = "".join({" ": "·", "\n": "↵", "\t": "⇥"}.get(c, c) for c in text)
        return [
            (f" {place:>8}  ", ink(app, "faint")),
            (f"{kind:<10}", style),
            (shown, style),
            (f"   = {value}" if value else "", ink(app, "faint")),
        ]


class GrammarView(Rows):
    """What kind of grammar the language has, with conflicts and ambiguous sentences."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.lines: list[str] = []
        self._rows: list[tuple[str, str]] = []
        """What is drawn, each with the line that it is a part of."""
        self._room = -1
        self.empty_text = "What kind of grammar this is appears here\nas soon as it can be used."

    def show(self, lines: list[str]) -> None:
        room = max(20, self.size.width - 2) if self.size.width else 0
        if lines == self.lines and room == self._room:
            return
        self.lines, self._room = lines, room
        self._rows = []
        for line in lines:
            lead = line[: len(line) - len(line.lstrip())]
            parts = _wrapped(line.lstrip(), lead, room) if len(lead) > 2 else [line]
            self._rows += [(part, line) for part in parts]
        self.renew()

    def on_resize(self) -> None:
        if self.size.width:
            self.show(self.lines)

    def count(self) -> int:
        return len(self._rows)

    def row(self, number: int) -> Sequence[Piece]:
        app = self.app
        text, line = self._rows[number]
        head = line.strip().split(" ")[0]
        if not line.startswith("   "):
            if head in ("conflict", "ambiguous") and ": " in line:
                return [(f" {line}", ink(app, "brick", bold=True))]
            verdict = {"yes": "moss", "no": "brass"}
            words = line.rsplit(" ", 1)
            colour = verdict.get(words[-1], "ink")
            return [(f" {line}", ink(app, colour, bold=head != "from"))]
        return [(f" {text}", ink(app, "ink" if "→" in line else "water"))]


class CasesView(Rows):
    """Cases × lanes: one sign for each verdict, what failed beneath the case."""

    class Try(Message):
        """Somebody wants the program of a case in the editor."""

        def __init__(self, case: CaseRow) -> None:
            super().__init__()
            self.case = case

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.report: SuiteReport | None = None
        self._rows: list[tuple[int, CaseVerdict | None]] = []
        self.empty_text = "F5 runs the suite on every lane\nand shows every case here."
        self.running = False
        """Whether the suite is being run anew, so that what is shown is what came before."""

    def begin(self, file: str) -> None:
        """A suite is run; verdicts of another one are no longer shown."""
        self.running = True
        if self.report is not None and self.report.file != file:
            self.report, self._rows = None, []
            self.empty_text = f"running {file} …"
        self.renew()

    def show(self, report: SuiteReport) -> None:
        keep = self.case
        self.report = report
        self.running = False
        self._rows = []
        for number, case in enumerate(report.cases):
            self._rows.append((number, None))
            self._rows += [(number, v) for v in case.verdicts if v.state == "failed"]
        cursor = 0
        for number, (case_number, verdict) in enumerate(self._rows):
            case = report.cases[case_number]
            failed = any(v.state == "failed" for v in case.verdicts)
            if keep is not None and case.name == keep.name and verdict is None:
                cursor = number
                break
            if keep is None and failed:
                cursor = number
                break
        self.renew(cursor=cursor)

    @property
    def case(self) -> CaseRow | None:
        """The case under the cursor."""
        if self.report is None or not self._rows:
            return None
        return self.report.cases[self._rows[self.cursor][0]]

    @property
    def verdict(self) -> CaseVerdict | None:
        """The failed verdict under the cursor, if it stands on one."""
        return self._rows[self.cursor][1] if self._rows else None

    def count(self) -> int:
        return len(self._rows)

    def key_enter(self) -> None:
        if self.case is not None:
            self.post_message(self.Try(self.case))

    def row(self, number: int) -> Sequence[Piece]:
        assert self.report is not None
        app = self.app
        case_number, verdict = self._rows[number]
        case = self.report.cases[case_number]
        if verdict is not None:
            return [
                (f"   {verdict.lane}: ", ink(app, "faint")),
                (verdict.expected, ink(app, "ink")),
                (" ⟂ ", ink(app, "brick", bold=True)),
                (verdict.actual, ink(app, "brick")),
            ]
        pieces: list[Piece] = [(" ", ink(app, "ink"))]
        for state in (one.state for one in case.verdicts):
            sign, colour = {"passed": ("◆", "moss"), "failed": ("✗", "brick")}.get(
                state, ("·", "faint")
            )
            if self.running:
                sign, colour = "⋯", "faint"
            pieces.append((f"{sign} ", ink(app, colour, bold=state == "failed")))
        return [*pieces, (f" {case.name}", ink(app, "ink"))]


@lru_cache(maxsize=8192)
def _wrapped(text: str, lead: str, room: int) -> tuple[str, ...]:
    """A text on as many lines as it needs in so many columns."""
    indent = {"initial_indent": lead, "subsequent_indent": " " * len(lead)}
    return tuple(wrap(visible(text), room or len(text) + len(lead), **indent))  # type: ignore[arg-type]


class NotesView(Rows):
    """What there is to say about the definitions and suites of the course."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("enter", "go", show=False)]

    class Go(Message):
        """Somebody wants to see the place of a note."""

        def __init__(self, note: Note) -> None:
            super().__init__()
            self.note = note

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.notes: list[Note] = []
        self._rows: list[tuple[str, str]] = []
        self._note_of: list[Note] = []
        self._room = -1
        """The width for which the lines are broken; 0 where none is known."""
        self.empty_text = (
            "Nothing to report: every definition and suite\nof the course is in order."
        )

    def show(self, notes: list[Note]) -> None:
        room = max(20, self.size.width - 2) if self.size.width else 0
        if notes == self.notes and room == self._room:
            return
        self.notes, self._room = notes, room
        self._rows, self._note_of = [], []
        for note in notes:
            sign = "✗" if note.severity == "error" else "!"
            place = f"{note.file}:{note.line}:{note.column}"
            self._rows.append((f"{sign} {place}  {note.code}", "head"))
            self._rows += [(line, "text") for line in _wrapped(note.message, "    ", room)]
            if note.hint:
                self._rows += [(line, "hint") for line in _wrapped(note.hint, "    → ", room)]
            self._note_of += [note] * (len(self._rows) - len(self._note_of))
        self.renew()

    def on_resize(self) -> None:
        if self.size.width:
            self.show(self.notes)

    @property
    def note(self) -> Note | None:
        """The note under the cursor."""
        return self._note_of[self.cursor] if self._note_of else None

    def action_go(self) -> None:
        if self.note is not None:
            self.post_message(self.Go(self.note))

    def count(self) -> int:
        return len(self._rows)

    def row(self, number: int) -> Sequence[Piece]:
        text, kind = self._rows[number]
        app = self.app
        error = text.startswith("✗")
        style = {
            "head": ink(app, "brick" if error else "brass", bold=True),
            "text": ink(app, "ink"),
            "hint": ink(app, "water"),
        }[kind]
        return [(" " + text, style)]
