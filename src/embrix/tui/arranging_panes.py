"""How the panes of the bench share the screen: arrangements, and one pane on the whole screen."""

from __future__ import annotations

from textual.widget import Widget

from embrix.tui.workbench import Workbench

ARRANGEMENTS = {
    "running": "program, lanes, walk: all beside each other",
    "writing": "the text large, the walk small",
    "lecturing": "program, walk and step large, nothing else",
}
FILLED = ("program", "text", "side", "walk", "step-details")
"""The panes that can fill the screen."""


def arrange_panes(bench: Workbench, name: str) -> None:
    """Put the panes into an arrangement; a pane that fills the screen goes back to its place."""
    fill(bench, "")
    put_into_arrangement(bench, name)
    if name == "lecturing" and pane_of(bench.focused) in ("side", "text"):
        bench.set_focus(bench.editor)  # they are not shown
    bench.say(f"{name}: {ARRANGEMENTS[name]}")


def put_into_arrangement(bench: Workbench, name: str) -> None:
    """Put the panes where an arrangement has them."""
    bench.update_classes({f"for-{one}": one == name for one in ARRANGEMENTS if one != "running"})


def arrangement(bench: Workbench) -> str:
    """The name of the present arrangement."""
    return next((one for one in ARRANGEMENTS if bench.has_class(f"for-{one}")), "running")


def fill(bench: Workbench, pane: str) -> None:
    """Let one pane fill the screen; none where it has no name."""
    bench.update_classes({f"fill-{one}": one == pane for one in FILLED})


def filled(bench: Workbench) -> str:
    """Which pane fills the screen, or nothing."""
    return next((one for one in FILLED if bench.has_class(f"fill-{one}")), "")


def pane_of(focused: Widget | None) -> str:
    """The pane that a widget belongs to."""
    for widget in focused.ancestors_with_self if focused is not None else ():
        if widget.id in ("program", "text", "step-details"):
            return str(widget.id)
        if widget.id == "right":
            return "side"
        if widget.id == "low":
            return "walk"
    return "program"
