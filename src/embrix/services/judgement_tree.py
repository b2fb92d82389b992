"""The derivation of a run as rows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding
from embrix.machine.recorder import NOT_LEFT
from embrix.messages.replies_on_comparing import JudgementRow, JudgementTree
from embrix.text.fitting import fitted
from embrix.trace.walk import Walk

MOST_JUDGEMENTS = 20_000
"""Judgements of a derivation that are shown."""
ROOM = 200
"""Columns that each takes at most."""


def judgement_tree(
    session: Session, language: str, lane: str, text: str, given: Mapping[str, str],
    lines: Sequence[str], number: int,
) -> JudgementTree:  # fmt: skip
    """The tree of judgements of a run as rows, premises after their conclusion: depth, what is
    concluded, the form of its clause, the numbers of the steps at which it is entered and left
    (-1: never), how many premises it has. For a reduction sequence the tree of one step."""
    runner = session.runner(language, lane)
    if not runner.records:
        return JudgementTree(refused=f"{lane} reports no steps")
    try:
        walk = Walk(runner, runner.trace(text, given, given_input=lines))
    except BadBinding as wrong:
        return JudgementTree(refused=str(wrong))
    if walk.traced.term is None:
        refused = walk.traced.result.outcome.sentence
        return JudgementTree(refused=refused)
    steps = walk.style == "reductions"
    recorder = walk.traced.recorder
    # At its end a sequence takes no step; the one that led there is shown.
    root = max(0, walk.judgement_at(min(number, len(walk) - 2))) if steps else 0
    entered: dict[int, int] = {}
    left: dict[int, int] = {}
    for at, event in enumerate(recorder.events):
        (entered if event >= 0 else left)[event if event >= 0 else ~event] = at
    depths: dict[int, int] = {}
    rows: list[JudgementRow] = []
    for instance in range(root, len(recorder.functions)):
        parent = recorder.parents[instance]
        if instance != root and parent not in depths:
            break
        depth = depths[instance] = depths[parent] + 1 if parent in depths else 0
        done = recorder.results[instance] is not NOT_LEFT
        row = fitted(walk.row(instance, done), ROOM)
        rows.append(JudgementRow(depth, row, walk.clause_name(instance),
                                 entered.get(instance, -1), left.get(instance, -1), 0))  # fmt: skip
        if len(rows) >= MOST_JUDGEMENTS:
            break
    _count_premises(rows)
    left_out = len(recorder.functions) - root - len(rows) if len(rows) >= MOST_JUDGEMENTS else 0
    return JudgementTree(rows, "", steps, left_out)


def _count_premises(rows: list[JudgementRow]) -> None:
    stack: list[JudgementRow] = []
    for row in rows:
        while stack and stack[-1].depth >= row.depth:
            stack.pop()
        if stack:
            stack[-1].premises += 1
        stack.append(row)
