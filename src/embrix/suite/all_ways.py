"""What a case says of all ways in which a program can go on."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from embrix.machine.exploring import Explored, Reached
from embrix.machine.outcome import Outcome
from embrix.suite.cases import Expectation
from embrix.text.plural import counted

ENDLESS = "endless"
"""Among outcomes: that some run never ends."""
SEVERAL = ("outcomes", "may", "confluent")
"""The kinds of expectation that are about all outcomes at once."""


def word_of(outcome: Outcome) -> str:
    """An outcome as a suite writes it."""
    if outcome.kind == "value":
        return outcome.text
    if outcome.kind == "failure":
        return f"error {outcome.name}"
    return ENDLESS if outcome.kind in ("out of fuel", "cycle") else outcome.kind


def is_written(text: str, outcome: Outcome) -> bool:
    """Whether a suite may write an outcome like this: a value also as it is built."""
    built = outcome.kind == "value" and outcome.structure == text
    return built or text == word_of(outcome)


def all_words(explored: Explored) -> list[str]:
    """All outcomes as a suite writes them, each once."""
    found = [word_of(one.outcome) for one in explored.outcomes if one.outcome.kind != "out of fuel"]
    return list(dict.fromkeys([*found, *([ENDLESS] if explored.endless else [])]))


def missed(expected: Expectation, explored: Explored) -> Iterator[tuple[str, str]]:
    """What is expected and what came instead, where these differ."""
    found = [one for one in explored.outcomes if one.outcome.kind != "out of fuel"]
    words = all_words(explored)
    came = f"outcomes {', '.join(words) or 'none'}"
    if not explored.whole:
        came += (
            f", and perhaps more: the search was cut short after {counted(explored.runs, 'run')}"
        )
    if expected.kind == "confluent":
        if len(words) != 1 or not explored.whole:
            yield expected.sentence, came
        return
    wanted = expected.text.split("\n")
    absent = [text for text in wanted if not _reached(text, found, words)]
    more = [
        one for one in found if not any(is_written(text, one.outcome) for text in wanted)
    ]  # fmt: skip
    if expected.kind == "may":
        if absent:
            yield expected.sentence, came
        return
    endless = ENDLESS in words and ENDLESS not in wanted
    if absent or more or endless or not explored.whole:
        yield expected.sentence, came


def _reached(text: str, found: Sequence[Reached], words: Sequence[str]) -> bool:
    return any(is_written(text, one.outcome) for one in found) or (
        text == ENDLESS and text in words
    )
