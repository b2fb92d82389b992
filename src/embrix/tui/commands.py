"""Every command of the workbench, once: key map, footer, help and palette are made from this."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct
from msgspec.structs import replace


class Command(Struct, frozen=True):
    """`action` is the name of a method `action_…` of the bench; `place` is the pane in whose help
    and footer it appears first, or empty for everywhere."""

    key: str
    action: str
    short: str
    text: str
    place: str = ""
    footer: bool = True
    shown_key: str = ""

    @property
    def label(self) -> str:
        """The key as people read it."""
        if len(self.key) == 1:
            return self.key
        return self.shown_key or self.key.replace("ctrl+", "^").upper().replace("^", "Ctrl+")


def _in_walk(shown: str, action: str, text: str, short: str = "", *, key: str = "") -> Command:
    return Command(key or shown, action, short, text, "walk", False, shown)


WALKING = (
    _in_walk("/", "seek('text', True)", "To a step with a text in it", "find", key="slash"),
    _in_walk("n", "seek_again(True)", "Find again, forwards"),
    _in_walk("N", "seek_again(False)", "Find again, backwards"),
    _in_walk("l", "seek('lookup', True)", "To the next lookup of a name", "lookup"),
    _in_walk("v", "seek('name', True)", "To the next step that binds a name to another value"),
    _in_walk(
        "@",
        "seek('location', True)",
        "To the next step that changes a location of the store",
        key="at",
    ),
    _in_walk("o", "seek('output', True)", "To the next output"),
    _in_walk("O", "seek('output', False)", "To the previous output"),
    _in_walk("e", "seek('end', True)", "To the end, or the failure"),
    _in_walk("d", "seek('over', True)", "Step over: to the end of this judgement"),
    _in_walk("D", "seek('over', False)", "Back to the beginning of this judgement"),
    _in_walk("u", "seek('out', True)", "Step out: to the end of the enclosing judgement"),
    _in_walk("U", "seek('out', False)", "Back to the beginning of the enclosing judgement"),
    _in_walk(
        "k", "seek('clause', True)", "To the next step that applies a clause, given by its line"
    ),
    _in_walk("c", "clause", "Open the definition at the clause that applies here", "clause"),
    _in_walk("g", "to_number", "Go to a step by number"),
    _in_walk("b", "mark", "Mark this step, or remove the mark", "mark"),
    _in_walk("j", "next_mark(True)", "To the next mark"),
    _in_walk("J", "next_mark(False)", "To the previous mark"),
    _in_walk("w", "save_walk", "Save the walk to a file"),
)
"""Letters that go places in the walk; capitals go back."""


RESIZING = (
    Command("alt+shift+up", "resize('height', 1)", "", "Make this pane taller", "", False,
            "Alt+Shift+↑"),
    Command("alt+shift+down", "resize('height', -1)", "", "Make this pane lower", "", False,
            "Alt+Shift+↓"),
    Command("alt+shift+right", "resize('width', 1)", "", "Make this pane wider", "", False,
            "Alt+Shift+→"),
    Command("alt+shift+left", "resize('width', -1)", "", "Make this pane narrower", "", False,
            "Alt+Shift+←"),
    Command("alt+0", "even_out", "", "Give the panes their own sizes back", "", False, "Alt+0"),
)  # fmt: skip
"""In every view with several panes; a mouse drags the strip between two, or the title of the lower
one."""


VIEWS = (
    "tally",
    "compare",
    "derivation",
    "hunt",
    "growth",
    "decisions",
    "outline",
    "ways",
    "residual",
    "lesson",
)
"""Views that lie over the bench and have some keys in common."""


OF_SEVERAL_PANES = ("drafting", "tally", "compare", "decisions", "ways", "residual", "lesson")
"""Views whose panes can be made larger and smaller."""


OPENING = (
    ("f5", "suite", "tally", "Show the suite as a table"),
    ("ctrl+k", "beside", "compare", "Compare all lanes"),
    ("ctrl+d", "derive", "derivation", "Show the derivation tree"),
    ("ctrl+f", "hunt", "hunt", "Search for a program on which two lanes differ"),
    ("ctrl+u", "growth", "growth", "Plot how a cost grows"),
    ("ctrl+y", "decisions", "decisions", "List questions and choices"),
    ("alt+y", "ways", "ways", "Show all outcomes of the program"),
    ("alt+a", "residual", "residual", "Show what is left of the interpreter on the program"),
    ("alt+o", "outline", "outline", "Show forms and functions as a grid of clauses"),
    ("alt+k", "lesson", "lesson", "Show a lesson of the course"),
)
"""The keys that open a view, also from another one: the action on the bench, the view, what it
shows."""


def opens(view: str) -> str:
    """The action of the bench that opens a view."""
    return next(action for _, action, place, _ in OPENING if place == view)


def _in_view(place: str) -> tuple[Command, ...]:
    theme = "Switch between dark and light"
    return (
        Command("f12", "switch_theme", "theme", theme, place, footer=False),
        Command("f1", "help", "help", "What the keys do here", place, footer=False),
        *_opening(place),
    )


def _opening(place: str) -> Iterator[Command]:
    """The keys that open other views over one."""
    for key, action, other, text in OPENING:
        if other != place:
            shown = f"Alt+{key[4:].upper()}" if key.startswith("alt+") else ""
            told = f"{text}; Esc comes back here"
            yield Command(key, f"open_view('{action}')", "", told, place, False, shown)


def _in_text(place: str) -> tuple[Command, ...]:
    return (
        Command("ctrl+a", "select_all", "", "Select the whole text", place, False),
        Command("ctrl+z", "undo", "", "Undo the last change of the text", place, False),
        Command("alt+z", "redo", "", "Redo the change that was undone last", place, False, "Alt+Z"),
        Command("alt+c", "comment_lines", "", "Comment out the lines, or uncomment them", place,
                False,
                "Alt+C"),
        Command("alt+l", "double_lines", "", "Duplicate the lines", place, False, "Alt+L"),
        Command("alt+up", "move_lines(-1)", "", "Move the lines up", place, False, "Alt+↑"),
        Command("alt+down", "move_lines(1)", "", "Move the lines down", place, False, "Alt+↓"),
        Command("alt+m", "to_bracket", "", "To the matching bracket", place, False, "Alt+M"),
    )  # fmt: skip


def _writing(key: str, action: str, short: str, text: str, shown: str = "") -> Command:
    return Command(key, action, short, text, "text", False, shown or f"Alt+{key[4:].upper()}")


WRITING = (
    _writing("alt+t", "look_for", "find", "Find and replace, here or in all files of the course"),
    _writing("alt+g", "go_to_line", "", "Go to a line by its number"),
    _writing("alt+x", "discard", "", "Discard what is not saved (shows it first)"),
    _writing("alt+d", "definition", "definition",
             "Go to where the name under the cursor is declared"),
    _writing("alt+e", "come_back", "", "Back to where you were before"),
    _writing("alt+u", "uses", "", "List every place that means the name under the cursor"),
    _writing("alt+r", "rename", "", "Rename what is under the cursor everywhere (shows it first)"),
    _writing("alt+w", "complete", "", "List what can be written here; Enter writes it"),
    _writing("alt+n", "next_note(1)", "", "To the next error, warning or red case of this file"),
    _writing("alt+p", "next_note(-1)", "", "To the previous one"),
    _writing("alt+o", "outline", "", "Show forms and functions of the lane as a grid of clauses"),
    _writing("alt+s", "save_all", "", "Save the program and all files of the course"),
)  # fmt: skip


COMMANDS: tuple[Command, ...] = (
    Command("f1", "help", "help", "What the keys do, for the pane you are in and everywhere"),
    Command("ctrl+p", "palette", "commands", "List every command by name; Enter runs it"),
    Command("f2", "open", "open", "Open a program, definition or suite of the course"),
    Command("f3", "next_side_view", "next view",
            "Show the next side view: tree, tokens, grammar, cases, notes"),
    Command("f4", "lane", "lane", "Walk the next lane"),
    Command("f5", "suite", "run suite", "Run the suite on every lane and show its cases",
            footer=False),
    Command("f6", "pane", "pane", "Move to the next pane", footer=False),
    Command("f7", "back", "step back", "One step back", footer=False),
    Command("f8", "forward", "step", "One step forward", footer=False),
    Command("f9", "ends", "first/last", "To the last step; when there, to the first", footer=False),
    Command("ctrl+r", "rule", "rule",
            "Parse the text from one rule of the grammar, or as a program",
            footer=False),
    Command("ctrl+g", "draft", "draft", "Edit the definition beside a test text, without saving it",
            footer=False),
    Command("ctrl+o", "choice", "choice", "Add a lane with another choice or another version",
            footer=False),
    Command("ctrl+k", "beside", "compare", "Compare all lanes: results, costs, where they differ",
            footer=False),
    Command("ctrl+d", "derive", "derivation", "Show the derivation tree, from the current step",
            footer=False),
    Command("ctrl+f", "hunt", "hunt", "Search for the smallest program on which two lanes differ",
            footer=False),
    Command("ctrl+u", "growth", "growth", "Plot how a cost grows as a name takes a range of values",
            footer=False),
    Command("ctrl+y", "decisions", "decisions",
            "List questions and choices, and how each lane decides them",
            footer=False),
    Command("alt+v", "fill", "fill", "Let this pane fill the screen; again, back to its place",
            footer=False, shown_key="Alt+V"),
    Command("alt+h", "frames", "frames",
            "Draw frames and store of the step beside the walk; again, list them",
            footer=False, shown_key="Alt+H"),
    Command("alt+1", "arrange('running')", "", "Arrange the panes for running: all of them",
            footer=False, shown_key="Alt+1"),
    Command("alt+2", "arrange('writing')", "", "Arrange the panes for writing: the text large",
            footer=False, shown_key="Alt+2"),
    Command("alt+3", "arrange('lecturing')", "",
            "Arrange the panes for lecturing: program, walk and step large, nothing else",
            footer=False, shown_key="Alt+3"),
    *RESIZING,
    Command("alt+k", "lesson", "lesson", "Show a lesson of the course, stop by stop", footer=False,
            shown_key="Alt+K"),
    Command("alt+j", "add_stop", "add stop",
            "Add the current step of the walk to a lesson as a stop, and write its notes there",
            footer=False, shown_key="Alt+J"),
    Command("alt+y", "ways", "all ways",
            "Show all outcomes that the program can have on this lane",
            footer=False, shown_key="Alt+Y"),
    Command("alt+a", "residual", "residual",
            "Show what is left of the interpreter when this program is known",
            footer=False, shown_key="Alt+A"),
    Command("ctrl+e", "draw", "draw",
            "Write a picture, a handout, a worksheet or a starter to a file", footer=False),
    Command("ctrl+l", "input", "input", "Set the input lines that the program reads",
            footer=False),
    Command("alt+i", "names", "names", "Supply names to the program: NAME = EXPRESSION",
            footer=False, shown_key="Alt+I"),
    Command("ctrl+t", "prompt", "prompt", "Open a prompt: one entry a line; ? lists questions",
            footer=False),
    Command("ctrl+s", "save", "save", "Save the text you are in", footer=False),
    Command("ctrl+w", "case", "add case",
            "Add the program as a case to the suite: what it gives, its steps, tokens or tree",
            footer=False),
    Command("ctrl+b", "mend", "repair",
            "Repair the error or warning on this line (shows the repair first)",
            footer=False),
    Command("ctrl+n", "new", "new", "Begin a program, interpreter, suite or language",
            footer=False),
    Command("f12", "switch_theme", "theme", "Switch between dark and light", footer=False),
    Command("ctrl+q", "quit", "quit", "Quit; unsaved text is kept for the next time",
            footer=False),
    *WALKING,
    Command("slash", "find_in_step", "find here", "Look for a text in the step beside the walk",
            "step-details", False, "/"),
    Command("n", "find_in_step_again", "next", "Find the next place of that text", "step-details",
            False),
    *WRITING,
    *_in_text("text"),
    *(replace(command, place="program") for command in WRITING[:3]),
    *_in_text("program"),
    Command("left", "back", "", "One step back", "walk", False, "←"),
    Command("right", "forward", "", "One step forward", "walk", False, "→"),
    Command("home", "first", "first", "To the first step", "walk", False, "Home"),
    Command("end", "last", "last", "To the last step", "walk", False, "End"),
    Command("pageup", "leap_back", "leap back", "Ten steps back", "walk", False, "PgUp"),
    Command("pagedown", "leap_on", "leap on", "Ten steps on", "walk", False, "PgDn"),
    Command("up", "back", "", "One step back", "walk", False, "↑"),
    Command("down", "forward", "", "One step forward", "walk", False, "↓"),
    Command("f1", "help", "help", "What the keys do here", "drafting"),
    Command("f2", "rule", "rule", "Parse the text from one rule of the grammar", "drafting"),
    Command("f3", "view", "term/derivation", "Show terms, or which rule covers what", "drafting"),
    Command("f5", "compare", "compare", "Compare the change with the saved file", "drafting"),
    Command("f6", "pane", "pane", "Move to the next pane", "drafting", footer=False),
    Command("alt+x", "discard", "discard", "Discard the unsaved change (shows it first)",
            "drafting", shown_key="Alt+X"),
    Command("ctrl+b", "mend", "repair",
            "Repair the error or warning on this line (shows the repair first)",
            "drafting", footer=False),
    Command("ctrl+s", "save", "save", "Save the definition", "drafting"),
    Command("f12", "switch_theme", "theme", "Switch between dark and light", "drafting",
            footer=False),
    Command("escape", "leave", "back", "Back to the bench; an unsaved change is kept",
            "drafting", shown_key="Esc"),
    Command("enter", "try_case", "walk it",
            "Open the program of the case, at the step that differs",
            "cases", False, "Enter"),
    Command("f5", "suite", "tally", "Show the whole suite as a table", "cases", False),
    Command("enter", "go_to_note", "go there", "Open the file at the place of the note", "notes",
            False, "Enter"),
    Command("left", "column_left", "", "The lane to the left", "tally", False, "←"),
    Command("right", "column_right", "", "The lane to the right", "tally", False, "→"),
    Command("enter", "walk", "walk", "Open the program on this lane, at the step that differs",
            "tally", shown_key="Enter"),
    Command("escape", "leave", "back", "Back to where you came from", "tally", shown_key="Esc"),
    Command("slash", "look_for", "look for",
            "Show only cases with a word in their name, tag or program",
            "tally", shown_key="/"),
    Command("r", "only_red", "only red", "Show only failing cases", "tally"),
    Command("o", "next_order", "order", "Sort: as written, last changed first, by tag", "tally"),
    Command("a", "accept", "accept", "Accept the result as expected (shows the change first)",
            "tally"),
    Command("e", "edit", "edit", "Edit what is expected", "tally"),
    Command("w", "add", "add case", "Add the program on the bench with what this lane gives",
            "tally"),
    Command("c", "duplicate", "duplicate", "Duplicate the case (shows the change first)", "tally"),
    Command("n", "rename", "rename", "Rename the case (shows the change first)", "tally"),
    Command("delete", "remove", "remove", "Remove the case (shows the change first)", "tally",
            shown_key="Delete"),
    Command("z", "undo", "undo", "Undo the last change of the suite", "tally"),
    Command("f5", "again", "run again", "Run the suite again", "tally"),
    Command("enter", "walk_left", "walk it", "Open this step on the left lane", "compare",
            shown_key="Enter"),
    Command("r", "walk_right", "walk right", "Open this step on the right lane", "compare"),
    Command("p", "parting", "first difference", "To the first row in which the walks differ",
            "compare"),
    Command("n", "next_parting", "next", "To the next row that differs", "compare"),
    Command("N", "last_parting", "", "To the previous row that differs", "compare", False, "N"),
    Command("left", "cost(-1)", "", "Show another cost", "compare", False, "←"),
    Command("right", "cost(1)", "cost", "Show another cost", "compare", shown_key="← →"),
    Command("e", "every_part", "every part", "Hold both lanes against each other at every part",
            "compare"),
    Command("f6", "pane", "pane", "Move to the lanes, or to the walks", "compare"),
    Command("d", "draw", "draw bars", "Write the costs of all lanes as a picture", "compare"),
    Command("m", "meaning", "meaning", "Show how the definitions of the two lanes differ",
            "compare", False),
    Command("M", "extension", "", "Show what the language and the lane add to what they extend",
            "compare",
            False, "M"),
    Command("g", "growth", "growth", "Plot how the cost grows as a name takes a range of values",
            "compare",
            False),
    Command("h", "hunt", "hunt", "Search for the smallest program on which the two lanes differ",
            "compare",
            False),
    Command("escape", "leave", "back", "Back to where you came from", "compare", shown_key="Esc"),
    Command("enter", "walk", "walk it", "Open this judgement in the walk", "derivation",
            shown_key="Enter"),
    Command("space", "fold", "fold", "Fold or unfold the premises of this judgement",
            "derivation", shown_key="Space"),
    Command("f", "unfold_all", "unfold all", "Unfold everything, or fold it again", "derivation"),
    Command("v", "view", "view", "Next view: rules, premises first, conclusions in order, so far",
            "derivation"),
    Command("d", "draw", "draw", "Write this derivation as a picture", "derivation"),
    Command("escape", "leave", "back", "Back to where you came from", "derivation",
            shown_key="Esc"),
    Command("enter", "to_bench", "to the bench", "Open the program that was found on both lanes",
            "hunt", shown_key="Enter"),
    Command("s", "start", "again", "Search again, with other programs", "hunt"),
    Command("x", "stop", "stop", "Stop the search and show what was tried", "hunt"),
    Command("o", "other", "other lane", "Compare with another lane", "hunt"),
    Command("w", "case", "add case", "Add the program to the suite (shows the change first)",
            "hunt"),
    Command("t", "costs", "costs", "Count different costs as a difference, or not", "hunt"),
    Command("e", "endless", "", "Count a run without end as a difference, or not", "hunt", False),
    Command("z", "undo", "", "Remove the case from the suite again", "hunt", False),
    Command("escape", "leave", "back", "Back; a running search stops", "hunt",
            shown_key="Esc"),
    Command("enter", "go", "go there", "Go to the clause; where it is missing, write its beginning",
            "outline", shown_key="Enter"),
    Command("w", "cover", "add case", "Add a case that reaches this clause (shows it first)",
            "outline"),
    Command("left", "column(-1)", "", "The function to the left", "outline", False, "←"),
    Command("right", "column(1)", "function", "The function to the right", "outline",
            shown_key="← →"),
    Command("f4", "next_lane", "lane", "The outline of the next lane", "outline"),
    Command("escape", "leave", "back", "Back to where you came from", "outline", shown_key="Esc"),
    Command("r", "range", "range", "Choose another name or range", "growth"),
    Command("left", "cost(-1)", "", "Show another cost", "growth", False, "←"),
    Command("right", "cost(1)", "cost", "Show another cost", "growth", shown_key="← →"),
    Command("s", "scale", "axes", "Axes: linear, one logarithmic, both logarithmic", "growth"),
    Command("d", "draw", "draw", "Write this chart as a picture", "growth"),
    Command("escape", "leave", "back", "Back", "growth", shown_key="Esc"),
    Command("enter", "decide", "decide",
            "Show which cases change with the other choice; on a question or a case, "
            "open its program", "decisions", shown_key="Enter"),
    Command("f6", "pane", "pane", "Move to the decisions, or to the cases that change",
            "decisions"),
    Command("d", "draw", "draw", "Write the questions and answers as a picture", "decisions"),
    Command("escape", "leave", "back", "Back", "decisions", shown_key="Esc"),
    Command("enter", "go_on", "go on",
            "Take the chosen way; on an outcome, go to the state that leads to it", "ways",
            shown_key="Enter"),
    Command("backspace", "step_back", "back a step", "Back to the state before", "ways",
            shown_key="Backspace"),
    Command("home", "begin", "", "To the first state", "ways", False, "Home"),
    Command("w", "walk", "walk it",
            "Walk the way to this outcome, or the one you have taken, on the bench", "ways"),
    Command("f6", "pane", "pane", "Move to the outcomes, or to the ways on", "ways"),
    Command("d", "draw", "draw", "Write the states as a picture", "ways"),
    Command("escape", "leave", "back", "Back to where you came from", "ways", shown_key="Esc"),
    Command("enter", "clause", "clause", "Open the definition at the clause of this line",
            "residual", shown_key="Enter"),
    Command("u", "notes", "decided", "Hide what is decided beforehand, or show it", "residual"),
    Command("r", "run", "run", "Run it, and tell what it takes beside the interpreter", "residual"),
    Command("f4", "next_lane", "lane", "The same program on the next lane", "residual"),
    Command("escape", "leave", "back", "Back to where you came from", "residual", shown_key="Esc"),
    Command("left", "stop(-1)", "", "To the stop before", "lesson", False, "←"),
    Command("right", "stop(1)", "stops", "To the next stop", "lesson", shown_key="← →"),
    Command("space", "stop(1)", "", "To the next stop", "lesson", False, "Space"),
    Command("home", "stop(-1000000)", "", "To the first stop", "lesson", False, "Home"),
    Command("end", "stop(1000000)", "", "To the last stop", "lesson", False, "End"),
    Command("up", "scroll(-3)", "", "Scroll up", "lesson", False, "↑"),
    Command("down", "scroll(3)", "", "Scroll down", "lesson", False, "↓"),
    Command("u", "uncover", "uncover",
            "Uncover the next part that is covered; without one, cover all again", "lesson"),
    Command("n", "notes", "notes", "Show the notes for the speaker, or hide them", "lesson"),
    Command("less_than_sign", "move_stop(-1)", "", "Move this stop one place up",
            "lesson", False, "<"),
    Command("greater_than_sign", "move_stop(1)", "move", "Move this stop one place down",
            "lesson", shown_key="< >"),
    Command("z", "take_back", "", "Undo the last change of the lesson", "lesson", False),
    Command("w", "walk", "walk it",
            "Walk freely on the bench from this step on; Alt+K comes back to this stop",
            "lesson"),
    Command("escape", "leave", "back", "Back to where you came from", "lesson", shown_key="Esc"),
    Command("k", "beside", "compare", "Compare all lanes on this program", "tally",
            footer=False),
    Command("y", "decisions", "decisions",
            "List questions and choices, and how each lane decides them",
            "tally", footer=False),
    Command("x", "stop", "stop", "Stop the running suite", "tally", footer=False),
    *(command for place in VIEWS for command in _in_view(place)),
    *(replace(command, place=place) for place in OF_SEVERAL_PANES for command in RESIZING),
    # F5 compares with the saved file there.
    *(command for command in _opening("drafting") if command.key != "f5"),
)  # fmt: skip


STEPPING = Command("f8", "forward", "step", "Step back and forward", shown_key="F7 F8")
"""Both directions as one entry of the footer."""


WHERE_THERE_IS_ROOM = ("save", "new", "case", "beside", "mend", "suite", "prompt", "derive", "pane",
                       "hunt", "draw", "growth")  # fmt: skip
"""What the footer of the bench shows behind what it always shows, as far as there is room."""


def everywhere() -> list[Command]:
    return [command for command in COMMANDS if not command.place]


def of_place(place: str) -> list[Command]:
    return [command for command in COMMANDS if command.place == place]
