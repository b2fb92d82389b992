"""What a run did, as pictures: the reduction sequence, the store over time, suspensions."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice, pairwise

from msgspec.structs import replace

from embrix.draw.plain import write_text
from embrix.draw.scene import (
    LINE,
    MARGIN,
    RISE,
    SIZE,
    Box,
    Drawing,
    Item,
    Line,
    Role,
    Tile,
    label,
    paged,
    scene_of,
    stacked,
    text_block,
    wide,
)
from embrix.draw.tables import table_block
from embrix.text.visible import cut, times, visible
from embrix.trace.holding import store_changes, suspensions
from embrix.trace.walk import Walk
from embrix.trace.walk_steps import WalkStep

MOST_STEPS = 400
MOST_DRAWN = 50_000
"""Characters of a reduction sequence."""
MOST_COLUMNS = 24
"""Steps at which the store is drawn."""
HANGING = "      "
"""What stands before further lines of a term."""
BASE = RISE * SIZE + (LINE - SIZE) / 2


def draw_reduction(
    walk: Walk, title: str, broad: float | None = None, high: float | None = None
) -> Drawing:
    """The terms of a small-step run below each other, the part that is rewritten underlined, names
    for which something is put in and what has been put in bold; for other runs the conclusions.
    A term that is wider than so many points goes on in further lines; what is higher, on further
    pages, which are equally wide."""
    blocks: list[Tile] = []
    count = min(len(walk), MOST_STEPS)
    if walk.style != "reductions":
        blocks = [text_block(line) for line in islice(walk.each_line(), MOST_STEPS)]
        left = walk.count_lines() - len(blocks)
    else:
        drawn = 0
        for number in range(count):
            if drawn > MOST_DRAWN:
                break
            step = walk.step(number)
            drawn += len(step.text)
            blocks.append(_step(step, broad))
        left = len(walk) - len(blocks)
    if left > 0:
        blocks.append(text_block(f"… and {left:,} more", "faint"))
    scene = scene_of(stacked(blocks, 2), title)
    if high is None:
        return Drawing((scene,), write_text(scene))
    even = (replace(block, width=scene.width - 2 * MARGIN) for block in blocks)
    return Drawing(tuple(paged(list(even), 2, title, high)), write_text(scene))


def _step(step: WalkStep, broad: float | None) -> Tile:
    arrow = {"term": "→ ", "end": "✗ " if step.note == "failure" else "◆ "}.get(step.kind, "")
    if step.number == 0:
        arrow = "  "
    items: list[Item] = [label(0, BASE, arrow, "faint")]
    begin, end = (step.focus.start, step.focus.end) if step.focus else (0, 0)
    text = step.text
    put = [one.span for one in step.marks if one.kind in ("put", "value")]
    lines = list(_lines(text, broad))
    ends = {0, begin, end, len(text), *(at for span in put for at in (span.start, span.end)),
            *(at for line in lines for at in line)}  # fmt: skip
    widest = 0.0
    for row, (head, tail) in enumerate(lines):
        at = wide(arrow if row == 0 else HANGING)
        for first, last in pairwise(sorted(one for one in ends if head <= one <= tail)):
            active = begin <= first < end
            bold = any(span.start <= first < span.end for span in put)
            role: Role = "accent" if active else "ink"
            made = label(at, BASE + row * LINE, text[first:last], role, bold=bold,
                         underlined=active)  # fmt: skip
            items.append(made)
            at += made.width
        widest = max(widest, at)
    return Tile(widest, LINE * len(lines), tuple(items))


def _lines(text: str, broad: float | None) -> Iterator[tuple[int, int]]:
    """Where the lines of a text begin and end: behind a blank, where it is too wide for one."""
    most = len(text) if broad is None else max(20, int(broad / wide("m")) - len(HANGING))
    at = 0
    while len(text) - at > most:
        blank = text.rfind(" ", at + most // 2, at + most)
        end = blank + 1 if blank >= 0 else at + most
        yield at, end
        at = end
    yield at, len(text)


def _again(count: int) -> str:
    return f"used again {times(count)}" if count else "not used again"


def draw_store(walk: Walk, title: str) -> Drawing:
    """What each location holds at the steps at which the store changes."""
    steps = store_changes(walk, MOST_COLUMNS)
    held = [{one.location: one for one in walk.step(number).store} for number in steps]
    locations = list(dict.fromkeys(key for store in held for key in store))
    head = ["", *(f"{number:,}" for number in steps)]
    rows: list[list[tuple[str, Role]]] = []
    for location in locations:
        row: list[tuple[str, Role]] = [(location, "store")]
        before: str | None = None
        for store in held:
            one = store.get(location)
            text = cut(visible(one.value), 18) if one is not None else "·"
            changed = text != before and one is not None
            row.append((text, "ink" if changed else "faint"))
            before = text
        rows.append(row)
    if not rows:
        rows = [[("this run has no store", "faint")]]
        head = [""]
    scene = scene_of(table_block(head, rows, grid=True), title)
    return Drawing((scene,), write_text(scene))


def draw_suspensions(walk: Walk, title: str) -> Drawing:
    """Each suspended computation: from when it waits, when it is forced and done, how often its
    value is used again."""
    events = suspensions(walk)
    last = max(1, len(walk) - 1)
    broad = 420.0
    rows: list[Tile] = []
    width = max((wide(f"{e.location}  {cut(visible(e.what), 30)}") for e in events), default=0.0)
    for event in events:
        items: list[Item] = [label(0, BASE, f"{event.location}  {cut(visible(event.what), 30)}")]
        left = width + 14

        def x(number: int, left: float = left) -> float:
            return left + broad * number / last

        y = LINE / 2
        items.append(Line(x(event.made), y, x(event.forced or last), y, "faint", dashed=True))
        if event.forced is not None:
            done = event.done if event.done is not None else last
            items.append(Box(x(event.forced), y - 4, max(1.5, x(done) - x(event.forced)), 8,
                             "accent", "shade"))  # fmt: skip
            if event.done is not None:
                items.append(Line(x(done), y, x(last), y, "ink"))
        items += [Line(x(n), y - 4, x(n), y + 4, "good", 1.2) for n in event.reused]
        text = "never forced" if event.forced is None else _again(len(event.reused))
        items.append(label(left + broad + 10, BASE, text, "faint"))
        rows.append(Tile(left + broad + 10 + wide(text), LINE, tuple(items)))
    note = "dashed: waits · box: being forced · line: done · strokes: used again"
    rows = rows or [text_block("nothing is suspended in this run", "faint")]
    scene = scene_of(stacked([*rows, text_block(note, "faint")], 4), title)
    lines = [
        f"{e.location}  {visible(e.what)}: waits from {e.made:,}, "
        + ("never forced" if e.forced is None else
           f"forced at {e.forced:,}, {_again(len(e.reused))}")
        for e in events
    ]  # fmt: skip
    return Drawing((scene,), "\n".join(lines or ["nothing is suspended in this run"]) + "\n")
