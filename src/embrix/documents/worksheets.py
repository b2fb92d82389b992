"""Exercises made from runs: a sheet with gaps, and a key in which every answer is computed."""

from __future__ import annotations

import random
from collections.abc import Iterator, Mapping, Sequence
from typing import TypeVar

from msgspec import Struct, field

from embrix.checking.strength import try_mistakes
from embrix.documents.handout import HandoutPart
from embrix.draw.derivations import Derivation, derivation_of, draw_derivation
from embrix.draw.kinds import EXERCISES, Exercise
from embrix.lanes.session import Session
from embrix.lessons.playing import LIMITS, answer_of
from embrix.machine.lane import Lane
from embrix.suite.cases import Case
from embrix.text.diagnostic import Findings
from embrix.text.plural import counted
from embrix.text.visible import cut, visible
from embrix.trace.walk import Walk

T = TypeVar("T")
BLANK = "______"
LONGEST = 300
"""Characters of a line, a value or an answer."""
MOST_STEPS = 60
"""Steps of a run that goes on a sheet."""
WIDE, SHORT = 620.0, 30
"""Points of width of a derivation, and characters of each value in it."""
MOST_TRIED = 120
"""Mistakes that are tried, and programs that are run, until there are enough."""


class NoExercise(Exception):
    """There is nothing to ask; the message says why."""


class WorksheetWish(Struct, frozen=True):
    """What exercises are made of: programs (names and texts) on lanes, how many gaps, and which of
    all possible sheets."""

    kind: Exercise
    language: str
    lanes: tuple[str, ...]
    programs: tuple[tuple[str, str], ...] = ()
    gaps: int = 4
    seed: int = 1
    given: Mapping[str, str] = field(default_factory=dict)
    input: tuple[str, ...] = ()


class Worksheet(Struct):
    """The parts of a worksheet, and the answers in the order of their numbers."""

    parts: list[HandoutPart] = field(default_factory=list)
    answers: list[str] = field(default_factory=list)

    def gap(self, answer: str) -> str:
        """A numbered gap whose answer goes into the key."""
        self.answers.append(cut(visible(answer), LONGEST))
        return f"({len(self.answers)}) {BLANK}"

    def key(self, title: str) -> list[HandoutPart]:
        """The key: every answer with its number."""
        rows = [(f"({number})", answer) for number, answer in enumerate(self.answers, 1)]
        return [HandoutPart("title", title), HandoutPart("table", rows=(("gap", "answer"), *rows))]


def worksheet(session: Session, wish: WorksheetWish) -> Worksheet:
    """A sheet. Raises `NoExercise`, `NoLane`, `BadBinding`."""
    sheet = Worksheet()
    chance = random.Random(f"{wish.seed} {wish.kind}")
    head = f"{wish.language}: {EXERCISES[wish.kind]}"
    sheet.parts.append(HandoutPart("title", head))
    sheet.parts.append(HandoutPart("text", f"Name: {BLANK}{BLANK}   Sheet {wish.seed}"))
    lanes = [session.lane(wish.language, name) for name in wish.lanes]
    if not lanes:
        raise NoExercise(f"{wish.language} has no interpreter")
    if wish.kind == "mistakes":
        _mistakes(session, wish, sheet, chance)
    elif wish.kind == "apart":
        _apart(session, wish, lanes, sheet, chance)
    else:
        if not wish.programs:
            raise NoExercise(f"name a program: {wish.kind} are those of a run")
        for name, text in wish.programs:
            sheet.parts += [HandoutPart("heading", name), HandoutPart("code", text.rstrip("\n"))]
            if wish.kind == "outcomes":
                _outcomes(wish, lanes, text, sheet, chance)
            else:
                for lane in lanes:
                    _of_run(wish, lane, text, sheet, chance)
    if not sheet.answers:
        raise NoExercise("there is nothing to leave out")
    return sheet


# ---------------------------------------------------------------------- of one program


def _outcomes(
    wish: WorksheetWish,
    lanes: Sequence[Lane],
    text: str,
    sheet: Worksheet,
    chance: random.Random,
) -> None:
    open_ = set(_some(range(len(lanes)), wish.gaps, chance))
    rows = []
    for number, lane in enumerate(lanes):
        result = lane.run(text, wish.given, limits=LIMITS, given_input=wish.input)
        gives = answer_of(result)
        rows.append((lane.name, sheet.gap(gives) if number in open_ else visible(gives)))
    sheet.parts.append(HandoutPart("table", rows=(("lane", "gives"), *rows)))


def _of_run(
    wish: WorksheetWish, lane: Lane, text: str, sheet: Worksheet, chance: random.Random
) -> None:
    traced = lane.trace(text, wish.given, limits=LIMITS, given_input=wish.input)
    if traced.term is None:
        raise NoExercise(f"the program cannot be read: {traced.result.outcome.text}")
    walk = Walk(lane, traced)
    sheet.parts.append(HandoutPart("subheading", lane.name))
    if wish.kind == "steps":
        _steps(wish, walk, sheet, chance)
    elif wish.kind == "derivation":
        _derivation(wish, walk, sheet, chance)
    else:
        _held(wish, walk, sheet, chance)


def _steps(wish: WorksheetWish, walk: Walk, sheet: Worksheet, chance: random.Random) -> None:
    """The reduction sequence, or the conclusions; the first line stays."""
    lines = [visible(line) for _, line in zip(range(MOST_STEPS), walk.each_line(), strict=False)]
    if len(lines) < 2:
        raise NoExercise(f"{walk.lane.name} takes no steps that could be left out")
    left_out = set(_some(range(1, len(lines)), wish.gaps, chance))
    shown = [sheet.gap(line) if number in left_out else cut(line, LONGEST)
             for number, line in enumerate(lines)]  # fmt: skip
    arrow = "→ " if walk.style == "reductions" else ""
    text = "\n".join(f"{'  ' if number == 0 and arrow else arrow}{line}"
                     for number, line in enumerate(shown))  # fmt: skip
    more = walk.count_lines() - len(lines)
    sheet.parts.append(HandoutPart("code", text + (f"\n… and {more} more" if more > 0 else "")))


def _derivation(wish: WorksheetWish, walk: Walk, sheet: Worksheet, chance: random.Random) -> None:
    root, whole = derivation_of(walk, 0, most=SHORT), derivation_of(walk, 0)
    if root is None or whole is None:
        raise NoExercise("this run has no conclusions")
    order, in_full = [root], [whole]
    for made in (order, in_full):
        for node in made:  # which grows while it is gone through
            made += node.premises
    if len(order) > MOST_STEPS:
        raise NoExercise(f"the derivation has {counted(len(order), 'conclusion')}: take a smaller "
                         "program")  # fmt: skip
    ended = [pair for pair in zip(order, in_full, strict=True) if not pair[0].unfinished]
    for node, answer in _some_of(ended, wish.gaps, chance):
        _blank(node, answer, sheet, chance)
    pages = draw_derivation(root, walk.lane.name, WIDE)
    sheet.parts.append(HandoutPart("picture", pages.text, pages.pages))


def _blank(node: Derivation, whole: Derivation, sheet: Worksheet, chance: random.Random) -> None:
    """Leave out what a judgement gives, or the name of its rule. In the answer nothing is cut."""
    head, sign, _ = node.conclusion.rpartition("⇓")
    if sign and (chance.random() < 0.6 or not node.rule):
        result = whole.conclusion.rpartition("⇓")[2]
        node.conclusion = f"{head}{sign} {sheet.gap(result.strip())}"
    elif node.rule:
        node.rule = sheet.gap(node.rule)
    else:
        node.conclusion = sheet.gap(whole.conclusion)


def _held(wish: WorksheetWish, walk: Walk, sheet: Worksheet, chance: random.Random) -> None:
    """Steps with what names stand for, or what the store holds, left open."""
    store = wish.kind == "store"
    fitting = []
    for number in range(min(len(walk), 2_000)):
        step = walk.step(number, renewed=False)
        if step.store if store else step.bindings:
            fitting.append(number)
    if not fitting:
        why = "has no store" if store else "has no step with names: they are put into the term"
        raise NoExercise(f"{walk.lane.name} {why}")
    left = wish.gaps
    for number in sorted(_some_of(fitting, wish.gaps, chance)):
        if left <= 0:
            break
        step = walk.step(number)
        pairs = [(one.location, one.value) for one in step.store] if store else [
            (one.name, one.value) for one in step.bindings if not one.shadowed
        ]  # fmt: skip
        place = step.place
        program = f": {_part(walk, place)}" if place is not None else ""
        sheet.parts.append(HandoutPart("text", f"step {number}{cut(program, 120)}"))
        rows = []
        for name, value in pairs:
            rows.append((name, sheet.gap(value) if left > 0 else visible(value)))
            left -= 1
        head = ("location", "holds") if store else ("name", "stands for")
        sheet.parts.append(HandoutPart("table", rows=(head, *rows)))


def _part(walk: Walk, place: tuple[int, int]) -> str:
    """The part of the program at a place, on one line, as the printer writes it."""
    printer = walk.lane.machine.printer
    for node in _nodes(walk.traced.term):
        if node[1] == place and printer is not None:
            return printer.show(node).text
    return f"the part from {place[0]} to {place[1]}"


def _nodes(term: object) -> Iterator[tuple[object, ...]]:
    pending = [term]
    while pending:
        node = pending.pop()
        if isinstance(node, tuple):
            yield node
            pending += node[2:]


# ---------------------------------------------------------------------- of a language


def _mistakes(
    session: Session, wish: WorksheetWish, sheet: Worksheet, chance: random.Random
) -> None:
    """Clauses with a mistake, each with a case that fails because of it."""
    name = wish.lanes[0]
    cases = {case.name: case for case in _cases(session, wish.language)}
    found = [one for one in try_mistakes(session, wish.language, name, MOST_TRIED)
             if one.how == "red" and one.by in cases]  # fmt: skip
    if not found:
        raise NoExercise(f"no case shows a mistake in {name}")
    source = session.course.interpreters[wish.language][name].source
    for number, one in enumerate(_some_of(found, wish.gaps, chance), 1):
        case = cases[one.by]
        lines = one.mistake.made(source.text).split("\n")
        begin = max((at for at in range(one.line) if lines[at].startswith(("define", "replace",
                     "extend"))), default=max(0, one.line - 6))  # fmt: skip
        end = next((at for at in range(one.line, len(lines)) if not lines[at].strip()), len(lines))
        shown = [f"{at + 1:>4}  {lines[at]}" for at in range(begin, end)]
        expected = case.expectation_for(name)
        wanted = expected.sentence if expected is not None else "an end without failure"
        sheet.parts += [
            HandoutPart("subheading", f"Mistake {number}"),
            HandoutPart("code", "\n".join(shown)),
            HandoutPart("text", f"Which line is wrong? {sheet.gap(f'line {one.line}')}   What "
                        f"should it be? {sheet.gap(one.before)}"),
            HandoutPart("text", f"This program shows it; it should give {visible(wanted)}:"),
            HandoutPart("code", case.program.rstrip("\n")),
        ]  # fmt: skip


def _apart(
    session: Session,
    wish: WorksheetWish,
    lanes: Sequence[Lane],
    sheet: Worksheet,
    chance: random.Random,
) -> None:
    """Programs of the suites, or those that are named, some of which two lanes end otherwise."""
    if len(lanes) != 2:
        raise NoExercise("two lanes are told apart: name them with --with, twice")
    programs = list(wish.programs) or [
        (case.name, case.program) for case in _cases(session, wish.language)
        if not case.given and not case.input
    ]  # fmt: skip
    chance.shuffle(programs)
    different: list[tuple[str, str, str]] = []
    same: list[tuple[str, str, str]] = []
    for _, text in programs[:MOST_TRIED]:
        one, other = (answer_of(lane.run(text, limits=LIMITS)) for lane in lanes)
        (different if one != other else same).append((text, one, other))
    if not different:
        raise NoExercise(f"no program here tells {lanes[0].name} and {lanes[1].name} apart")
    half = max(1, wish.gaps // 2)
    chosen = [*different[:half], *same[: max(0, wish.gaps - half)]]
    chance.shuffle(chosen)
    names = f"{lanes[0].name} and {lanes[1].name}"
    sheet.parts.append(HandoutPart("text", f"Do {names} give the same? If not: what does each?"))
    for text, one, other in chosen:
        answer = f"both {one}" if one == other else f"{one} and {other}"
        sheet.parts += [
            HandoutPart("code", text.rstrip("\n")),
            HandoutPart("text", sheet.gap(answer)),
        ]


def _cases(session: Session, language: str) -> list[Case]:
    suites = [session.suite(path, Findings()) for path in session.course.suites]
    return [case for suite in suites if suite is not None and suite.language == language
            for case in suite.cases]  # fmt: skip


# ---------------------------------------------------------------------- chance


def _some(numbers: range, count: int, chance: random.Random) -> list[int]:
    return sorted(chance.sample(numbers, min(count, len(numbers))))


def _some_of(items: Sequence[T], count: int, chance: random.Random) -> list[T]:
    """Some items in the order in which they stand."""
    return [items[at] for at in _some(range(len(items)), count, chance)]
