"""The cases of a suite as a table for students: what each is about, its program, what it gives."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from embrix.suite.cases import Case, Suite
from embrix.text.visible import visible

HEAD = ("case", "program", "expected")


def case_rows(
    suite: Suite, lanes: Sequence[str], tags: Sequence[str] = ()
) -> Iterator[tuple[str, str, str]]:
    """A row for each case that concerns one of some lanes, or no lane; with tags, that has one of
    these. Lanes that must give something else than the rest are named."""
    for case in suite.cases:
        if tags and not set(tags) & set(case.tags):
            continue
        concerned = [lane for lane in lanes if case.applies_to(lane)]
        if concerned or case.about_reading:
            program = visible(case.program.strip("\n").rstrip(), keep="\n")
            yield case.name, program, _expected(case, lanes, concerned)


def _expected(case: Case, lanes: Sequence[str], concerned: Sequence[str]) -> str:
    """What must come of a case, in lines."""
    lines = list(_read(case))
    whole = len(concerned) in (0, len(lanes))
    for tell in (_outcome, _written, _left, _costs, _on_the_way):
        lines += _told(tell, case, concerned, whole=whole)
    return "\n".join(lines)


def _told(
    tell: Callable[[Case, str], str], case: Case, lanes: Sequence[str], *, whole: bool
) -> Iterator[str]:
    """One thing that is asked of lanes: what holds for all of which nothing else is said, then what
    holds for others, which are named; all are where not the whole of the lanes is concerned."""
    by_text: dict[str, list[str]] = {}
    for lane in lanes:
        by_text.setdefault(tell(case, lane), []).append(lane)
    if whole:
        general = tell(case, "")
        shared = general if not lanes or general in by_text else ""
        shared = next(iter(by_text)) if len(by_text) == 1 else shared
        by_text.pop(shared, None)
        yield from [shared] * bool(shared)
    for text, owners in by_text.items():
        if text:
            apart = "\n" if "\n" in text else " "
            yield f"{', '.join(owners)}:{apart}{text}"


def _read(case: Case) -> Iterator[str]:
    """How the program is read."""
    if case.tokens is not None:
        yield visible(f"tokens {' '.join(case.tokens)}")
    if case.term:
        yield visible(f"reads as {case.term}")


# What a lane must give, or, under an empty name, any of which nothing else is said.


def _outcome(case: Case, lane: str) -> str:
    expected = case.expectation_for(lane)
    return visible(expected.sentence) if expected is not None else ""


def _written(case: Case, lane: str) -> str:
    lines = (case.output_for(lane) or "").rstrip("\n").split("\n")
    return "\n".join(["writes", *(f"  {visible(line)}" for line in lines)]) if any(lines) else ""


def _left(case: Case, lane: str) -> str:
    """What comes beside the value."""
    state = case.state_for(lane)
    return visible(f"leaves {', '.join(state)}") if state else ""


def _costs(case: Case, lane: str) -> str:
    return ", ".join(bound.sentence for bound in case.costs_for(lane))


def _on_the_way(case: Case, lane: str) -> str:
    """The steps, where nothing is said of their end."""
    if case.expectation_for(lane) is not None or lane not in case.steps:
        return ""
    return "\n".join(map(visible, case.steps[lane].lines))
