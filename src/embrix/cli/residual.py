"""What is left of an interpreter when the program is known."""

from __future__ import annotations

import argparse
import sys
from typing import Any

from embrix.cli.choice import Chosen, chosen
from embrix.cli.running import refused, where
from embrix.cli.status import NEGATIVE, OK, status_of
from embrix.cli.streams import print_answer, tell_others
from embrix.grammar.parser import Parsed
from embrix.machine.lane import rejection
from embrix.messages.replies_on_comparing import ResidualRow, ResidualShown
from embrix.messages.requests import ShowResidual
from embrix.services.residual_reply import residual_shown
from embrix.text.visible import visible, width

WIDE = 64
"""Columns of the text, where it is shorter."""


def residual(arguments: argparse.Namespace) -> int:
    """Print the residual program of each lane."""
    work = chosen(arguments)
    parsed = work.lanes[0].parser.parse(work.source.text) if work.lanes[0].records else None
    if parsed is not None and not isinstance(parsed, Parsed):
        outcome = rejection(parsed)
        print("\n".join([visible(outcome.sentence), *where(work, outcome)]), file=sys.stderr)
        tell_others(refused(work), work.source)
        return status_of([outcome])
    found = [(lane.name, residual_shown(work.session, _request(work, lane.name, arguments.run)))
             for lane in work.lanes]  # fmt: skip
    if arguments.json:
        answers = [_data(work, name, shown) for name, shown in found]
        print_answer("residual", answers[0] if len(answers) == 1 else answers)
    else:
        for number, (name, shown) in enumerate(found):
            if shown.rows:
                print(("\n" if number else "") + f"{name}: {shown.summary}")
                if shown.ran:
                    print(f"run: {visible(shown.ran)}")
                print()
                _print(work, shown, decided=arguments.decided)
            else:
                sys.stdout.flush()
                print(f"embrix: {visible(shown.refused)}", file=sys.stderr)
    return OK if any(shown.rows for _, shown in found) else NEGATIVE


def _request(work: Chosen, lane: str, run: bool) -> ShowResidual:
    return ShowResidual(
        language=work.language, text=work.source.text, lane=lane, given=work.given,
        input=list(work.input), run=run,
    )  # fmt: skip


def _print(work: Chosen, shown: ResidualShown, *, decided: bool) -> None:
    for row in shown.rows:
        if row.decided and not decided:
            continue
        text = visible("  " * row.inset + ("· " if row.decided else "") + row.text)
        behind = "  ".join(filter(None, (_place(work, row), _clause(row))))
        room = " " * max(2, WIDE - width(text))
        print(f"{text}{room}{behind}".rstrip())


def _place(work: Chosen, row: ResidualRow) -> str:
    if row.place is None:
        return ""
    line, column = work.source.position(row.place[0])
    return f"{line}:{column}"


def _clause(row: ResidualRow) -> str:
    return f"{row.file}:{row.line}" if row.file else ""


def _data(work: Chosen, name: str, shown: ResidualShown) -> dict[str, Any]:
    rows = []
    for row in shown.rows:
        place: dict[str, Any] = {}
        if row.place is not None:
            line, column = work.source.position(row.place[0])
            place = {"line": line, "column": column}
        clause = {"clause": _clause(row)} if row.file else {}
        rows.append({"text": row.text, "inset": row.inset, "decided": row.decided,
                     **place, **clause})  # fmt: skip
    return {"interpreter": name, "summary": shown.summary, "refused": shown.refused,
            "rows": rows, "costs": shown.costs}  # fmt: skip
