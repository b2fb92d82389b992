"""The drafting table: the definition that is open, beside what its change does to a text: the trees
as saved and with the change, and on request what else it does.

It is the text of the file beside the program that is written here; both are saved, kept and
discarded as one.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import ClassVar

from rich.text import Text
from textual import events, on
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Horizontal, Vertical
from textual.timer import Timer
from textual.widgets import Static, TextArea

from embrix.messages.replies import ChangeLook, Look
from embrix.messages.requests import CompareChange, TryChange
from embrix.text.source import Source
from embrix.text.visible import visible
from embrix.tui.annotated import AnnotatedEditor, Remark, in_full
from embrix.tui.bars import Footer, Masthead, Title, tell
from embrix.tui.commands import Command, of_place
from embrix.tui.desk import Desk
from embrix.tui.dialogs import Help, Pick
from embrix.tui.editor import KEEPING, ProgramEditor
from embrix.tui.pane_edges import Edge, Grip
from embrix.tui.rows import Piece, Rows
from embrix.tui.side_views import TreeView
from embrix.tui.text_pane import TextPane
from embrix.tui.theme import ink, token_ink
from embrix.tui.view import Overlay
from embrix.tui.workbench import Workbench

PANES = ("definition", "trial", "saved", "with-change", "outcome")
PLACE = "drafting"
VIEWS = ("term", "derivation", "both")


class OutcomeRows(Rows):
    """What came of comparing, line by line."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.lines: list[str] = []
        self.empty_text = (
            "F5 compares the change with the saved file: what lanes give for the text,\n"
            "what it means, short sentences read otherwise, interpreters it reaches."
        )

    def show(self, lines: list[str]) -> None:
        self.lines = lines
        self.renew(cursor=0)

    def count(self) -> int:
        return len(self.lines)

    def row(self, number: int) -> Sequence[Piece]:
        line = self.lines[number]
        colour, bold = "ink", False
        if line.startswith(("no difference", "no lane", "untouched", "the grammar is")):
            colour, bold = "moss", True
        elif line.startswith(("differences", "reached", "added", "changed", "gone")):
            colour, bold = "brass", True
        elif line.startswith("      "):
            colour = "water"
        return [(f" {line}", ink(self.app, colour, bold=bold))]


class Drafting(Overlay):
    """One definition file, a text to try, and the two trees: as saved, and with the change."""

    CSS = """
    Drafting { background: $lock-ground; layout: vertical; }
    #drafting { height: 1fr; }
    #drafting-left { width: 1fr; }
    #drafting-right { width: 1fr; }
    #definition { height: 1fr; }
    #trial { height: 5; }
    #line-note { height: auto; max-height: 4; padding: 0 1; background: $lock-bank;
        color: $lock-ink; display: none; }
    #trial-tokens { height: 1; padding: 0 1; background: $lock-bank; }
    #trial-notice { height: auto; max-height: 3; padding: 0 1; background: $lock-bank;
        color: $lock-brick; display: none; }
    #trial-looks { height: 1fr; }
    #trees { height: 1fr; }
    #trees Vertical { width: 1fr; }
    #trees Rows { height: 1fr; }
    #outcome-side { height: 10; }
    #outcome { height: 1fr; }
    Drafting.narrow #drafting { layout: vertical; }
    Drafting.narrow #drafting-left { height: 40%; width: 1fr; }
    Drafting.narrow #drafting-right { height: 60%; width: 1fr; }
    Drafting.narrow .drafting-left-grip { display: none; }
    Drafting.narrow #outcome-side { height: 5; }
    Drafting.narrow #trial { height: 2; }
    """
    EDGES = (
        Edge("saved-side", "with-change-side", "width", "width"),
        Edge("trees", "outcome-side", "height", "height"),
        Edge("trial", "trial-looks", "height", "height"),
        Edge("drafting-left", "drafting-right", "width", "height"),
    )
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding(command.key, command.action, command.short, show=False, priority=True)
        for command in of_place(PLACE)
    ]

    def __init__(
        self, bench: Workbench, desk: Desk, language: str, pane: TextPane, text: str
    ) -> None:
        super().__init__()
        self._bench = bench
        self._desk = desk
        self._language = language
        self._pane = pane
        self._first_text = text
        self._text = pane.editor.text
        self._rule = ""
        self._rules: list[str] = []
        self._view = "term"
        self._version = 0
        self._complete = False
        """Whether everything of the table is there."""
        self._timer: Timer | None = None
        self._draft_timer: Timer | None = None

    def compose(self) -> ComposeResult:
        yield Masthead(id="masthead")
        with Horizontal(id="drafting"):
            with Vertical(id="drafting-left"):
                yield Title("definition", id="definition-title")
                yield AnnotatedEditor(id="definition")
                yield Static("", id="line-note", markup=False)
            yield Grip("drafting-left")
            with Vertical(id="drafting-right"):
                yield Title("trial", id="trial-title")
                yield ProgramEditor(id="trial")
                yield Static("", id="trial-tokens", markup=False)
                yield Static("", id="trial-notice", markup=False)
                with Vertical(id="trial-looks"):
                    with Horizontal(id="trees"):
                        with Vertical(id="saved-side"):
                            yield Title("as saved", id="saved-title")
                            yield TreeView(id="saved")
                        yield Grip("saved-side")
                        with Vertical(id="with-change-side"):
                            yield Title("with the change", id="with-change-title")
                            yield TreeView(id="with-change")
                    with Vertical(id="outcome-side"):
                        yield Title("what the change does", id="outcome-title")
                        yield OutcomeRows(id="outcome")
        yield Footer(self._footer)

    @property
    def pane_sizes(self) -> dict[str, int]:
        return self._bench.sizes

    @property
    def layout_name(self) -> str:
        return PLACE

    def on_mount(self) -> None:
        self._masthead.show(course=self._bench.title_of_course, language=self._language)
        self._definition.load_text(self._text)
        self._definition.reveal_line(self._pane.editor.cursor_location[0])
        self._trial.load_text(self._first_text)
        if self.focused is None:  # F6 may have come before
            self.set_focus(self._definition)  # at once: what is typed next belongs there
        self._complete = True
        self.look()

    def on_unmount(self) -> None:
        self._hand_over()

    def on_resize(self, event: events.Resize) -> None:
        self.set_class(event.size.width < 104, "narrow")

    @property
    def _definition(self) -> AnnotatedEditor:
        return self.query_one(AnnotatedEditor)

    @property
    def _trial(self) -> ProgramEditor:
        return self.query_one("#trial", ProgramEditor)

    @property
    def _masthead(self) -> Masthead:
        return self.query_one(Masthead)

    @property
    def _file_name(self) -> str:
        return self._pane.name

    @property
    def changed(self) -> bool:
        """Whether there is a change that is not saved."""
        document = self._pane.document
        return document is not None and not document.is_saved(self._definition.text)

    def say(self, text: str, colour: str = "ink") -> None:
        self._masthead.show(notice=text, notice_ink=colour)

    def _footer(self) -> list[Command]:
        return [command for command in of_place(PLACE) if command.footer]

    @on(TextArea.SelectionChanged, "#definition")
    def _line_note(self) -> None:
        """What there is to say about the line of the cursor, in full."""
        tell(self.query_one("#line-note", Static), in_full(self._definition.remarks_here))

    # ---------------------------------------------------------------- looking

    @on(TextArea.Changed)
    def _typed(self) -> None:
        if not self.query(AnnotatedEditor):
            return
        self._text = self._definition.text
        if self._timer is not None:
            self._timer.stop()
        self._timer = self.set_timer(0.15, self.look)
        if self._draft_timer is None:
            self._draft_timer = self.set_timer(KEEPING, self._keep_soon)

    def _keep_soon(self) -> None:
        self._draft_timer = None
        self._hand_over()

    def course_read(self) -> None:
        self.look()

    def look(self) -> None:
        """Ask what the text means under the definition as it stands here."""
        if not self._complete or not self.query("#with-change-title"):
            return  # it is opening or closing
        self._hand_over()
        self._version += 1
        self._desk.drop("with-change")
        request = TryChange(
            language=self._language, text=self._trial.text, file=self._file_name,
            definition=self._definition.text, rule=self._rule or None, view=self._view,
        )  # fmt: skip
        take = partial(self._looked, self._version, self._trial.text)
        self._desk.ask("with-change", request, take)
        self._titles()
        # Until the answer comes the trees are those of what stood here before.
        self.query_one("#with-change-title", Title).show(right="⋯ reading", right_ink="brass")

    def _titles(self) -> None:
        right = "● changed, not saved" if self.changed else "as saved"
        self.query_one("#definition-title", Title).show(
            self._file_name, right, "brass" if self.changed else "faint"
        )
        self.query_one("#trial-title", Title).show(f"read at {self._rule or 'the start rule'}")

    def _looked(self, version: int, text: str, answer: ChangeLook) -> None:
        # While the screen closes it is still attached, but its parts are gone.
        if version != self._version or not self.query(AnnotatedEditor):
            return
        self._definition.annotate(map(Remark.of, answer.notes))
        self._line_note()
        self._definition.explain(self._definition.text, answer.definition)
        self._rules = answer.rules
        now, before = answer.now, answer.before
        if now is not None:
            self._trial.explain(text, now)
        self._notice(now)
        self._show_tokens(text, now or before)
        sides: tuple[tuple[str, Look | None, str], ...]
        sides = (("saved", before, "as saved"), ("with-change", now, "with the change"))
        marks = answer.marks
        if now is not None and now.refused is not None and now.refused.trees:
            one, other = now.refused.trees
            first, second = (Look([], tree=rows, derived=now.derived) for rows in (one, other))
            sides = (("saved", first, "first tree"), ("with-change", second, "second tree"))
        if self._view == "both":
            derived = Look([], tree=answer.derivation)
            title = "derivation" if now is not None and now.derived else "term"
            sides = (("saved", derived, "derivation"), ("with-change", now, title))
            marks = ([], [])
        for number, (name, look, title) in enumerate(sides):
            tree_view = self.query_one(f"#{name}", TreeView)
            refused = look.refused if look else None
            tree_view.show(
                look.tree if look else [], look.cut if look else 0,
                refused.reading if refused else None, differing=marks[number],
            )  # fmt: skip
            message = "the grammar cannot be used" if look is None or look.unusable else ""
            if refused:
                message = refused.kind
            elif marks[number]:
                message = "≠"
            header = self.query_one(f"#{name}-title", Title)
            header.label = title
            subject = "derivation" if look is not None and look.derived else self._view
            subject = "" if self._view == "both" else subject
            header.show(subject, message, "brick" if refused or look is None else "brass")

    def _show_tokens(self, text: str, look: Look) -> None:
        """The tokens near the cursor on one line, each with its kind."""
        row, column = self._trial.cursor_location
        at = Source("", text).offset(row + 1, column + 1)
        tokens = look.tokens
        near = next((n for n, token in enumerate(tokens) if token[1] >= at), len(tokens))
        line = Text(no_wrap=True, overflow="ellipsis")
        first = max(0, near - 4)
        line.append("… " if first else "", ink(self.app, "faint"))
        for start, end, kind in tokens[first : first + 30]:
            line.append(f"{kind} ", ink(self.app, "faint", italic=True))
            line.append(f"{visible(text[start:end]) or '·'}   ", token_ink(self.app, kind))
        self.query_one("#trial-tokens", Static).update(line if tokens else Text("no tokens"))

    def _notice(self, look: Look | None) -> None:
        notice = self.query_one("#trial-notice", Static)
        refused = look.refused if look else None
        text = "the definition has errors: see its lines" if look is None else ""
        if refused:
            text = visible(refused.text)
        tell(notice, text)

    @on(Rows.Moved)
    def _row_moved(self, message: Rows.Moved) -> None:
        """The slice of the text that belongs to a node is marked."""
        if isinstance(message.rows, TreeView):
            self._trial.mark(self._trial.text, message.rows.place)

    # ---------------------------------------------------------------- commands

    def action_compare(self) -> None:
        self.query_one("#outcome-title", Title).show("comparing …")
        self._desk.drop("compare")
        request = CompareChange(
            language=self._language, text=self._trial.text, file=self._file_name,
            definition=self._definition.text, rule=self._rule or None,
        )  # fmt: skip
        self._desk.ask("compare", request, self._compared)

    def _compared(self, lines: list[str]) -> None:
        if self.query(OutcomeRows):
            self.query_one("#outcome-title", Title).show("")
            self.query_one(OutcomeRows).show(lines)

    def action_discard(self) -> None:
        """Back to what is saved."""
        self._hand_over()
        self._pane.discard(self.say, self._discarded)

    def action_mend(self) -> None:
        self._hand_over()
        row = self._definition.cursor_location[0]
        self._pane.mend(row, self.say, self._definition.replace_all)

    def _discarded(self, text: str) -> None:
        self._definition.replace_all(text)
        self.query_one(OutcomeRows).show([])
        self.look()

    def action_save(self) -> None:
        self._hand_over()
        self._pane.save(self._saved)

    def _saved(self, text: str, colour: str = "ink") -> None:
        self.say(text, colour)
        self._titles()

    def _hand_over(self) -> None:
        """What is written here is the text of the file beside the program, kept as that is."""
        self._pane.write(self._text)

    def action_rule(self) -> None:
        rules = [("program", "as a program", ""), *(("rule", name, name) for name in self._rules)]

        def picked(rule: str | None) -> None:
            if rule is not None:
                self._rule = rule
                self.look()

        empty = "No rule has a name like this."
        self.app.push_screen(Pick("read the text at", rules, empty), picked)

    def action_view(self) -> None:
        """Terms, derivations (which rule covers what), or one of each side by side."""
        self._view = VIEWS[(VIEWS.index(self._view) + 1) % len(VIEWS)]
        self.look()

    def action_pane(self) -> None:
        focused = self.focused.id if self.focused is not None else ""
        names = list(PANES)
        at = names.index(focused) if focused in names else 0
        self.set_focus(self.query_one(f"#{names[(at + 1) % len(names)]}"))

    def on_descendant_focus(self) -> None:
        focused = self.focused.id if self.focused is not None else ""
        for name in PANES:
            self.query_one(f"#{name}-title", Title).light(name == focused)

    def action_help(self) -> None:
        async def carry_out(action: str | None) -> None:
            if action is not None:
                await self.run_action(f"screen.{action}")

        self.app.push_screen(Help(PLACE, {}, of_place(PLACE)), carry_out)

    def action_open_view(self, action: str) -> None:
        """Another view over this one, of the program on the bench."""
        self._bench.open_view(action)

    def action_switch_theme(self) -> None:
        self.app.action_switch_theme()  # type: ignore[attr-defined]

    def action_leave(self) -> None:
        self._hand_over()
        place = self._definition.cursor_location
        self._pane.editor.move_cursor(place, center=True)
        self._desk.drop("with-change")
        self._desk.drop("compare")
        self.dismiss()

    @on(Footer.Chosen)
    async def _footer_chosen(self, message: Footer.Chosen) -> None:
        await self.run_action(message.action)
