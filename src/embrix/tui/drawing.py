"""Pictures from the workbench: what is to be drawn, and the file it goes to."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from embrix.draw.kinds import KINDS
from embrix.tui.desk import Desk
from embrix.tui.dialogs import Ask, Choice, Pick

if TYPE_CHECKING:
    from embrix.tui.bench import Bench

Say = Callable[[str, str], None]
GROUPS = {
    "tokens": "program", "tree": "program", "grammar-tree": "program", "trees": "program",
    "grammar": "language", "rules": "lane", "suite": "language", "decisions": "language",
    "costs": "lanes",
}  # fmt: skip


class Drawings:
    """Asks what is to be drawn, and has it written beside the program."""

    def __init__(self, bench: Bench, desk: Desk) -> None:
        self._bench = bench
        self._desk = desk

    def choose(self) -> None:
        """One list of everything that can be drawn of what is on the bench."""
        rows: list[Choice] = [
            (GROUPS.get(kind, "run"), f"{kind:<13} {text}", kind)
            for kind, text in KINDS.items() if kind != "growth"
        ]  # fmt: skip

        def picked(kind: str | None) -> None:
            if kind is not None:
                self._name(kind)

        self._bench.app.push_screen(Pick("draw", rows, "Nothing of this name is drawn."), picked)

    def _name(self, kind: str) -> None:
        bench = self._bench
        stem = bench.document.path.stem if bench.document is not None else bench.language.lower()
        lanes = list(bench.lanes.lanes) if kind in ("costs", "suite") else [bench.lane]

        def named(name: str | None) -> None:
            if name and name.strip():
                self.write(kind, name.strip(), lanes, bench.say, number=bench.at)

        question = "Name of the file (.svg, .pdf, .tex or .txt):"
        bench.app.push_screen(Ask("draw", question, f"{stem}_{kind}.svg"), named)

    def write(self, kind: str, name: str, lanes: Sequence[str], say: Say, **more: Any) -> None:
        """Have a picture written beside the program. `more` is what some pictures need: a `number`,
        what a growth goes `over`, its `cost` and `scale`."""
        bench = self._bench
        folder = bench.document.path.parent if bench.document is not None else bench.folder
        path = folder / Path(name).name
        args = {
            "kind": kind, "language": bench.language, "lanes": list(lanes),
            "text": bench.editor.text, "given": bench.walking.given, "input": bench.input,
            "path": str(path), **more,
        }  # fmt: skip
        say(f"drawing {path.name} …", "ink")
        self._desk.ask("draw", "picture", args, partial(self._drawn, say))

    def _drawn(self, say: Say, answer: dict[str, Any]) -> None:
        if answer["refused"]:
            say(f"not drawn: {answer['refused']}", "brick")
        else:
            say(f"drawn: {', '.join(answer['written'])}", "ink")
