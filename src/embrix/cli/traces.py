"""A recorded run on the command line: steps, what happens where, keeping it in a file."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path
from typing import Any

import msgspec

from embrix.cli.choice import chosen
from embrix.cli.status import NEGATIVE, OK, REJECTED, UNREAD
from embrix.cli.usage import Usage, new_file
from embrix.documents.run_slides import run_slides
from embrix.machine.lane import BadBinding
from embrix.messages.replies import ClausePlace, StepData
from embrix.text.fitting import indented
from embrix.text.plural import counted
from embrix.text.refusal import refusal
from embrix.text.saving import save_text
from embrix.text.visible import times, visible
from embrix.trace.data import head_data, step_data
from embrix.trace.saved import SavedWalk, Unusable, save_walk
from embrix.trace.seeking import KINDS, Kind, seek
from embrix.trace.walk import Walk

ENDING = ".walk.gz"


def walk(arguments: argparse.Namespace) -> int:
    """Print steps of a walk, from a program or from a file that holds one."""
    if arguments.show < 1:
        raise Usage("--show must be at least 1")
    if arguments.file is not None and arguments.file.endswith(ENDING):
        return _saved(arguments)
    work = chosen(arguments)
    if len(work.lanes) != 1:
        names = ", ".join(lane.name for lane in work.lanes)
        raise Usage(f"a walk is one run: choose the lane by --with (there are: {names})")
    lane = work.lanes[0]
    limits = work.limits
    try:
        traced = lane.trace(
            work.source.text, work.given, limits=limits, given_input=work.input, ways=work.ways
        )
    except BadBinding as bad:
        raise Usage(f"--bind {bad}") from bad
    found = Walk(lane, traced)
    if arguments.save is not None:
        target = new_file(arguments.save, replace=arguments.replace)
        return _keep(found, work.source.text, work.language, target)
    at = arguments.at
    if arguments.slides is not None:
        return _as_slides(arguments, found, work.source.text, f"{work.language} {lane.name}")
    if arguments.find is not None:
        kind, _, what = arguments.find.partition("=")
        if kind not in KINDS:
            message = ", ".join(f"{name} ({text})" for name, text in KINDS.items())
            raise Usage(f"nothing called {kind} can be found; there are: {message}")
        place = seek(found, _kind(kind), what, at, not arguments.back)
        if place is None:
            print("nowhere", file=sys.stderr)
            return NEGATIVE
        at = place
    head = head_data(found, work.source.text, work.language, levels=False)
    numbers = range(max(0, at), min(at + arguments.show, len(found)))
    _print(arguments, head, [step_data(found, found.step(n)) for n in numbers])
    return REJECTED if traced.result.outcome.kind in UNREAD else OK


def _kind(name: str) -> Kind:
    return next(kind for kind in KINDS if kind == name)


def _as_slides(arguments: argparse.Namespace, found: Walk, program: str, title: str) -> int:
    if arguments.slides.suffix != ".html":
        raise Usage("the name of the file ends in .html")
    target = new_file(arguments.slides, replace=arguments.replace)
    try:
        save_text(target, run_slides(found, title, program, arguments.at))
    except OSError as fault:
        raise Usage(f"{target} cannot be written: {refusal(fault)}") from fault
    print(f"written to {target}")
    return OK


def _keep(found: Walk, program: str, language: str, path: Path) -> int:
    if not path.name.endswith(ENDING):
        raise Usage(f"the name of a file that holds a walk ends in {ENDING}")
    try:
        save_walk(found, program, language, path)
    except OSError as fault:
        raise Usage(f"{path} cannot be written: {refusal(fault)}") from fault
    print(f"written to {path}: {counted(len(found), 'step')}")
    return 0


def _saved(arguments: argparse.Namespace) -> int:
    try:
        found = SavedWalk(Path(arguments.file))
        at = arguments.at
        if arguments.find is not None:
            kind, _, what = arguments.find.partition("=")
            if kind != "text":
                raise Usage("in a walk from a file only text can be found: --find text=…")
            place = found.find(what, at, not arguments.back)
            if place is None:
                print("nowhere", file=sys.stderr)
                return NEGATIVE
            at = place
        numbers = range(max(0, at), min(at + arguments.show, len(found)))
        _print(arguments, found.head, [found.step(number) for number in numbers])
    except Unusable as wrong:
        raise Usage(str(wrong)) from wrong
    return 0


def _print(arguments: argparse.Namespace, head: dict[str, Any], steps: list[StepData]) -> None:
    if arguments.json:
        answer = {key: value for key, value in head.items() if key != "levels"}
        print(json.dumps({**answer, "steps": msgspec.to_builtins(steps)}, indent=2))
        return
    print(f"{head['language']} {head['lane']}: {counted(head['length'], 'step')}")
    for one in steps:
        sign = {"enter": "┌ ", "leave": "└ ", "term": "→ ", "end": "◆ "}.get(one.kind, "  ")
        print(f"{one.number:>7,}  {indented(one.depth)}{sign}{visible(one.brief)}")
        if len(steps) == 1:
            _details(one)


def _clause(clause: ClausePlace) -> str:
    return f"{clause.file}:{clause.line}  {visible(' '.join(clause.text.split()))}"


def _details(step: StepData) -> None:
    """Everything about one step."""
    if step.brief != step.text:
        print(f"  in full   {visible(step.text)}")
    for bound in step.bindings:
        text = "shadowed" if bound.shadowed else bound.origin
        print(f"  {bound.name:<9} {visible(bound.value)}   ({text})")
    for held in step.store:
        text = f"   ({held.role})" if held.role else ""
        text += f"   (used again {times(held.reused)})" if held.reused else ""
        text += "   (changed)" if held.location in step.changed else ""
        print(f"  {held.location:<9} {visible(held.value)}{text}")
    if step.clause is not None:
        print(f"  clause    {_clause(step.clause)}")
    for put in step.put:
        text = counted(len(put.places), "place")
        text += "".join(f", stopped by {form}" for form, _ in put.stopped)
        text += "".join(f", {old} renamed {new}" for old, new in put.renamed)
        print(f"  put       {visible(put.value)} for {put.name}: {text}")
    for clause in step.refused:
        print(f"  not taken {_clause(clause)}")
    for judgement in step.stack:
        print(f"  inside    {visible(judgement)}")
