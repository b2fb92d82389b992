"""Every command of the workbench, once: key map, footer, help and palette are made from this."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Command:
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
    _in_walk("n", "seek_again(True)", "The same again, onwards"),
    _in_walk("N", "seek_again(False)", "The same again, backwards"),
    _in_walk("l", "seek('lookup', True)", "To the next lookup of a name", "lookup"),
    _in_walk("v", "seek('name', True)", "To where a name comes to stand for something else"),
    _in_walk("@", "seek('location', True)", "To where a location holds something else", key="at"),
    _in_walk("o", "seek('output', True)", "To the next output"),
    _in_walk("O", "seek('output', False)", "To the output before"),
    _in_walk("e", "seek('end', True)", "To the end, or the failure"),
    _in_walk("d", "seek('over', True)", "Over the judgement: to where it is left"),
    _in_walk("D", "seek('over', False)", "Back over the judgement: to where it began"),
    _in_walk("u", "seek('out', True)", "Out: to where the judgement around this one is left"),
    _in_walk("U", "seek('out', False)", "Out: to where the judgement around this one began"),
    _in_walk("k", "seek('clause', True)", "To where a clause applies, by its line"),
    _in_walk("c", "clause", "To the clause of the definition that applies", "clause"),
    _in_walk("g", "to_number", "To a step by its number"),
    _in_walk("b", "mark", "Mark the moment, or take its mark away", "mark"),
    _in_walk("j", "next_mark(True)", "To the next mark"),
    _in_walk("J", "next_mark(False)", "To the mark before"),
    _in_walk("w", "save_walk", "Keep the walk in a file"),
)
"""Letters that go places in the walk; capitals go back."""


VIEWS = ("tally", "compare", "derivation", "hunt", "growth", "decisions")
"""Views that lie over the bench and have some keys in common."""


def _in_view(place: str) -> tuple[Command, ...]:
    lamp = "Change between the dark and the light theme"
    return (
        Command("f12", "lamp", "lamp", lamp, place, footer=False),
        Command("f1", "help", "help", "What the keys do here", place, footer=False),
    )


COMMANDS: tuple[Command, ...] = (
    Command("f1", "help", "help", "What the keys do, for the pane you are in and everywhere"),
    Command("ctrl+p", "palette", "commands", "Every command by name; Enter carries it out",
            footer=False),
    Command("f2", "open", "open", "Open a program of the course"),
    Command("f3", "face", "next face", "Show the next face: tree, tokens, grammar, cases, notes"),
    Command("f4", "lane", "lane", "Walk the next lane"),
    Command("f5", "suite", "run suite", "Run the suite on every lane and show its cases"),
    Command("f6", "pane", "pane", "Move to the next pane"),
    Command("f7", "back", "step back", "One step back in time", footer=False),
    Command("f8", "forward", "step on", "One step on in time", footer=False),
    Command("f9", "ends", "first/last", "To the last step; from there to the first", footer=False),
    Command("ctrl+r", "rule", "rule", "Read the text at a rule of the grammar, or as a program",
            footer=False),
    Command("ctrl+g", "draft", "draft", "Change the definition for a trial, beside a text to try",
            footer=False),
    Command("ctrl+o", "choice", "choice", "Another choice or version, in a lane beside this one",
            footer=False),
    Command("ctrl+k", "beside", "compare", "All lanes beside each other: costs, where they part",
            footer=False),
    Command("ctrl+d", "derive", "derivation", "The derivation of the run, from the moment",
            footer=False),
    Command("ctrl+f", "hunt", "hunt", "Look for the smallest program on which two lanes differ",
            footer=False),
    Command("ctrl+u", "growth", "growth", "How a cost grows when a name goes over a range",
            footer=False),
    Command("ctrl+y", "decisions", "decisions", "Questions and choices, what each lane decides",
            footer=False),
    Command("ctrl+e", "draw", "draw", "A picture of this, a handout or a starter, in a file",
            footer=False),
    Command("ctrl+l", "input", "input", "The lines of input that the program may read",
            footer=False),
    Command("ctrl+t", "prompt", "prompt", "A prompt: entries line by line, questions with ?",
            footer=False),
    Command("ctrl+s", "save", "save", "Save the program", footer=False),
    Command("ctrl+n", "new", "new", "Begin a new program", footer=False),
    Command("f12", "lamp", "lamp", "Change between the dark and the light theme", footer=False),
    Command("ctrl+q", "quit", "quit", "Leave; text not saved is kept for the next time",
            footer=False),
    *WALKING,
    Command("left", "back", "", "One step back in time", "walk", False, "←"),
    Command("right", "forward", "", "One step on in time", "walk", False, "→"),
    Command("home", "first", "first", "To the first step", "walk", False, "Home"),
    Command("end", "last", "last", "To the last step", "walk", False, "End"),
    Command("pageup", "leap_back", "leap back", "Ten steps back", "walk", False, "PgUp"),
    Command("pagedown", "leap_on", "leap on", "Ten steps on", "walk", False, "PgDn"),
    Command("up", "back", "", "One step back in time", "walk", False, "↑"),
    Command("down", "forward", "", "One step on in time", "walk", False, "↓"),
    Command("f1", "help", "help", "What the keys do here", "drafting"),
    Command("f2", "rule", "rule", "Read the text at a rule of the grammar", "drafting"),
    Command("f3", "view", "term/derivation", "Show terms, or which rule covers what", "drafting"),
    Command("f5", "compare", "compare", "Hold the change against what is saved", "drafting"),
    Command("f6", "pane", "pane", "Move to the next pane", "drafting", footer=False),
    Command("ctrl+b", "drop", "drop change", "Drop the change that is not saved, after a look",
            "drafting"),
    Command("ctrl+s", "save", "save", "Save the definition", "drafting"),
    Command("f12", "lamp", "lamp", "Change between the dark and the light theme", "drafting",
            footer=False),
    Command("escape", "leave", "back", "Back to the bench; a change is kept for the next time",
            "drafting", shown_key="Esc"),
    Command("enter", "try_case", "walk it", "To the program of the case, at the step that differs",
            "cases", False, "Enter"),
    Command("f5", "suite", "tally", "The whole suite as one picture", "cases", False),
    Command("left", "column_left", "", "The lane to the left", "tally", False, "←"),
    Command("right", "column_right", "", "The lane to the right", "tally", False, "→"),
    Command("enter", "walk", "walk", "To the program on this lane, at the step that differs",
            "tally", shown_key="Enter"),
    Command("escape", "leave", "back", "Back to the bench", "tally", shown_key="Esc"),
    Command("slash", "look_for", "look for", "Only cases with a word in name, tag or program",
            "tally", shown_key="/"),
    Command("r", "only_red", "only red", "Only cases that fail somewhere", "tally"),
    Command("o", "next_order", "order", "As written, changed last, by tag", "tally"),
    Command("a", "accept", "accept", "Make what came what is expected, after a look", "tally"),
    Command("e", "edit", "edit", "Type another expectation", "tally"),
    Command("z", "undo", "undo", "Take the last change of the suite back", "tally"),
    Command("f5", "again", "run again", "Run the suite again", "tally"),
    Command("enter", "walk_left", "walk it", "To this step on the left lane", "compare",
            shown_key="Enter"),
    Command("r", "walk_right", "walk right", "To this step on the right lane", "compare"),
    Command("p", "parting", "where they part", "To the first row in which the walks part",
            "compare"),
    Command("n", "next_parting", "next", "To the next row that differs", "compare"),
    Command("N", "last_parting", "", "To the row before that differs", "compare", False, "N"),
    Command("left", "cost(-1)", "", "Another kind of cost", "compare", False, "←"),
    Command("right", "cost(1)", "cost", "Another kind of cost", "compare", shown_key="← →"),
    Command("f6", "pane", "pane", "To the lanes, or to the walks", "compare"),
    Command("d", "draw", "draw bars", "The costs of all lanes as a picture in a file", "compare"),
    Command("m", "meaning", "meaning", "What the definitions of the two lanes say otherwise",
            "compare", False),
    Command("M", "extension", "", "What language and lane add to those that they extend", "compare",
            False, "M"),
    Command("g", "growth", "growth", "How the cost grows when a name goes over a range", "compare",
            False),
    Command("h", "hunt", "hunt", "The smallest program on which the two lanes differ", "compare",
            False),
    Command("escape", "leave", "back", "Back to the bench", "compare", shown_key="Esc"),
    Command("enter", "walk", "walk it", "To this judgement in the walk", "derivation",
            shown_key="Enter"),
    Command("space", "fold", "fold", "Fold or unfold what stands over this judgement",
            "derivation", shown_key="Space"),
    Command("f", "unfold_all", "unfold all", "Unfold everything, or fold it again", "derivation"),
    Command("v", "view", "view", "Rules over lines, premises first, conclusions in order, so far",
            "derivation"),
    Command("d", "draw", "draw", "This derivation as a picture in a file", "derivation"),
    Command("escape", "leave", "back", "Back to the bench", "derivation", shown_key="Esc"),
    Command("enter", "to_bench", "to the bench", "The program that was found, on both lanes",
            "hunt", shown_key="Enter"),
    Command("s", "start", "hunt on", "Hunt again, with other programs", "hunt"),
    Command("x", "stop", "stop", "Stop; what was tried is told", "hunt"),
    Command("o", "other", "other lane", "Another lane at the right", "hunt"),
    Command("c", "case", "make a case", "Make the program a case of the suite, after a look",
            "hunt"),
    Command("t", "costs", "costs", "Take counted costs as differences, or not", "hunt"),
    Command("e", "endless", "", "Take never ending as a difference, or not", "hunt", False),
    Command("z", "undo", "", "Take the case back out of the suite", "hunt", False),
    Command("escape", "leave", "back", "Back; a hunt that is under way is given up", "hunt",
            shown_key="Esc"),
    Command("r", "range", "range", "Another name or range", "growth"),
    Command("left", "cost(-1)", "", "Another kind of cost", "growth", False, "←"),
    Command("right", "cost(1)", "cost", "Another kind of cost", "growth", shown_key="← →"),
    Command("s", "scale", "axes", "Linear axes, a logarithmic one, both logarithmic", "growth"),
    Command("d", "draw", "draw", "This chart as a picture in a file", "growth"),
    Command("escape", "leave", "back", "Back", "growth", shown_key="Esc"),
    Command("enter", "decide", "decide", "Decide the choice otherwise: which cases change? "
            "On a question or a case: its program", "decisions", shown_key="Enter"),
    Command("f6", "pane", "pane", "To the decisions, or to the cases that change", "decisions"),
    Command("d", "draw", "draw", "The questions and answers as a picture in a file", "decisions"),
    Command("escape", "leave", "back", "Back", "decisions", shown_key="Esc"),
    Command("k", "beside", "compare", "The program on all lanes beside each other", "tally",
            footer=False),
    Command("d", "decisions", "decisions", "Questions and choices, what each lane decides",
            "tally", footer=False),
    Command("x", "stop", "stop", "Stop the running suite", "tally", footer=False),
    *(command for place in VIEWS for command in _in_view(place)),
)  # fmt: skip


STEPPING = Command("f8", "forward", "step", "Step back and on", shown_key="F7 F8")
"""Both directions as one entry of the footer."""


def everywhere() -> list[Command]:
    return [command for command in COMMANDS if not command.place]


def of_place(place: str) -> list[Command]:
    return [command for command in COMMANDS if command.place == place]
