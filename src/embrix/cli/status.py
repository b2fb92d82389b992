"""What the exit status of a command says."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.machine.outcome import Outcome

OK = 0
"""All is as expected."""
NEGATIVE = 1
"""A negative result: a failing case, a failure while a program runs, a difference."""
USAGE = 2
"""The command line is wrong."""
REJECTED = 3
"""The program was rejected by the tokens or the grammar."""
FAULTY = 4
"""A definition or a suite is faulty."""
INTERNAL = 70
"""A fault of Embrix itself."""
INTERRUPTED = 130
"""Stopped by Ctrl+C."""
BROKEN_PIPE = 141
"""Whoever read the output has stopped reading."""

# Ended by a signal: 128 and its number (143 for SIGTERM, 129 for SIGHUP).

UNREAD = ("rejected", "ambiguous", "gave up")
"""The outcomes of a program that was never run."""


def status_of(outcomes: Sequence[Outcome]) -> int:
    """The status for the outcomes of a program on some lanes."""
    kinds = [outcome.kind for outcome in outcomes]
    if any(outcome.kind == "unfinished" and outcome.name for outcome in outcomes):
        return FAULTY  # what was come to has an error
    if all(kind == "value" for kind in kinds):
        return OK
    return REJECTED if all(kind in UNREAD for kind in kinds) else NEGATIVE
