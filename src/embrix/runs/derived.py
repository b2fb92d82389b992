"""The derivation of a run and pictures as plain data, for the workbench."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from embrix.draw.files import Unwritable, write_drawing
from embrix.machine.lane import BadBinding
from embrix.machine.recorder import NOT_LEFT
from embrix.runs.lanes import NoLane
from embrix.runs.pictures import NoPicture, Wish, picture
from embrix.runs.session import Session
from embrix.text.visible import cut
from embrix.trace.walk import BRIEF, Walk

MOST = 20_000
"""Judgements of a derivation that are told of."""


def derived(
    session: Session, language: str, lane: str, text: str, given: Mapping[str, str],
    lines: Sequence[str], number: int,
) -> dict[str, Any]:  # fmt: skip
    """The tree of judgements of a run as rows, premises after their conclusion: depth, what is
    concluded, the form of its clause, the numbers of the stations at which it is entered and left
    (-1: never), how many premises it has. For a reduction sequence the tree of one step."""
    runner = session.runner(language, lane)
    if not runner.records:
        return {"rows": [], "refused": f"{lane} tells nothing of its steps", "steps": False}
    try:
        walk = Walk(runner, runner.trace(text, given, given_input=lines))
    except BadBinding as wrong:
        return {"rows": [], "refused": str(wrong), "steps": False}
    if walk.traced.term is None:
        refused = walk.traced.result.outcome.sentence
        return {"rows": [], "refused": refused, "steps": False}
    steps = walk.style == "steps"
    recorder = walk.traced.recorder
    # At its end a sequence takes no step; the one that led there is shown.
    root = max(0, walk.judgement_at(min(number, len(walk) - 2))) if steps else 0
    entered: dict[int, int] = {}
    left: dict[int, int] = {}
    for at, moment in enumerate(recorder.moments):
        (entered if moment >= 0 else left)[moment if moment >= 0 else ~moment] = at
    depths: dict[int, int] = {}
    rows: list[list[Any]] = []
    for instance in range(root, len(recorder.functions)):
        parent = recorder.parents[instance]
        if instance != root and parent not in depths:
            break
        depth = depths[instance] = depths[parent] + 1 if parent in depths else 0
        done = recorder.results[instance] is not NOT_LEFT
        told = cut(walk.judgement(instance, done, BRIEF), 300)
        rows.append([depth, told, walk.clause_name(instance), entered.get(instance, -1),
                     left.get(instance, -1), 0])  # fmt: skip
        if len(rows) >= MOST:
            break
    _count_premises(rows)
    left_out = len(recorder.functions) - root - len(rows) if len(rows) >= MOST else 0
    return {"rows": rows, "refused": "", "steps": steps, "more": left_out}


def _count_premises(rows: list[list[Any]]) -> None:
    stack: list[list[Any]] = []
    for row in rows:
        while stack and stack[-1][0] >= row[0]:
            stack.pop()
        if stack:
            stack[-1][5] += 1
        stack.append(row)


def drawn(session: Session, asked: Mapping[str, Any]) -> dict[str, Any]:
    """Write a picture to files; which, or why not."""
    wish = Wish(
        asked["kind"], asked["language"], asked["text"], tuple(asked["lanes"]),
        asked.get("given") or {}, tuple(asked.get("input", ())), None, asked.get("number", 0),
        over=(asked["over"][0], range(*asked["over"][1:])) if "over" in asked else ("", ()),
        cost=asked.get("cost", "calls"), scale=asked.get("scale", "linear"),
    )  # fmt: skip
    try:
        drawing = picture(session, wish)
        written = write_drawing(drawing, Path(asked["path"]), asked.get("theme", "paper"))
    except (NoPicture, Unwritable, BadBinding, NoLane) as wrong:
        return {"written": [], "refused": str(wrong)}
    return {"written": [path.name for path in written], "refused": ""}
