"""Which interpreter the name of a lane means, and why there may be none."""

from __future__ import annotations

from collections.abc import Mapping

from embrix.brix.core import Interpreter
from embrix.course.missing import NotThere
from embrix.text.suggest import did_you_mean


class NoLane(NotThere):
    """There is no such lane, or it cannot run; the message is a sentence that says why."""


class NoChoice(NoLane):
    """A lane with a choice that its interpreter does not have, or that is not decided so."""


class NoVersion(NoLane):
    """There is no such version of a lane."""


def interpreter_of(interpreters: Mapping[str, Interpreter], name: str) -> Interpreter:
    """The interpreter that `NAME` or `NAME[choice=alternative, …]` means. Raises `NoLane`."""
    plain, _, inside = name.partition("[")
    plain = plain.strip()
    if plain not in interpreters:
        known = "there are: " + (", ".join(interpreters) or "none")
        hint = did_you_mean(plain, interpreters, known)
        raise NoLane(f"no lane called {plain} can run; {hint}")
    interpreter = interpreters[plain]
    decisions: dict[str, str] = {}
    for pair in filter(None, (part.strip() for part in inside.rstrip("]").split(","))):
        choice, _, alternative = (part.strip() for part in pair.partition("="))
        known_choice = interpreter.choices.get(choice)
        if known_choice is None:
            hint = did_you_mean(choice, interpreter.choices, ", ".join(interpreter.choices))
            raise NoChoice(f"{plain} has no choice called {choice}; {hint}")
        ways = known_choice.alternatives
        if alternative not in ways:
            hint = did_you_mean(alternative, ways, ", ".join(ways))
            raise NoChoice(f"{choice} is not decided by {alternative or 'nothing'}; {hint}")
        decisions[choice] = alternative
    return interpreter.deciding(decisions) if decisions else interpreter
