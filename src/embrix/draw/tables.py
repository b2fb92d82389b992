"""Tables as pictures: a suite with its verdicts, the answers of lanes to questions."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from msgspec import Struct

from embrix.draw.plain import write_text
from embrix.draw.scene import (
    LINE,
    RISE,
    SIZE,
    Box,
    Drawing,
    Item,
    Line,
    Role,
    Tile,
    label,
    scene_of,
    stacked,
    text_block,
    wide,
)
from embrix.draw.typefaces import Face
from embrix.messages.replies import Look
from embrix.messages.replies_on_suites import SuiteReport
from embrix.text.source import Source
from embrix.text.visible import cut, visible

PAD = 7.0
MOST_TOKENS = 1_000
SIGNS: dict[str, tuple[str, Role]] = {
    "passed": ("◆", "good"), "failed": ("✗", "bad"), "left out": ("·", "faint"),
}  # fmt: skip


def table_block(
    head: Sequence[str], rows: Sequence[Sequence[tuple[str, Role]]], *, grid: bool = False,
    face: Face = "code",
) -> Tile:  # fmt: skip
    """Rows of cells under a head, columns as wide as they have to be. `face` is that of the head
    and of what each row is about."""
    count = max([len(head), *(len(row) for row in rows)])
    widths = [0.0] * count
    for number, text in enumerate(head):
        widths[number] = wide(visible(text), face=face, bold=True)
    for row in rows:
        for number, (text, _) in enumerate(row):
            own = wide(visible(text)) if number else wide(visible(text), face=face, bold=True)
            widths[number] = max(widths[number], own)
    lefts = [PAD]
    for width in widths:
        lefts.append(lefts[-1] + width + 2 * PAD)
    broad = lefts[-1] - PAD
    base = RISE * SIZE + (LINE - SIZE) / 2
    items: list[Item] = []
    for number, text in enumerate(head):
        if text:
            items.append(label(lefts[number], base, text, "ink", bold=True, face=face))
    items.append(Line(0, LINE + 1, broad, LINE + 1))
    for at, row in enumerate(rows):
        top = (at + 1) * LINE + 4
        if at % 2:
            items.insert(0, Box(0, top, broad, LINE, "shade", "shade"))
        for number, (text, role) in enumerate(row):
            if text:
                about = number == 0
                items.append(label(lefts[number], top + base, text, role, bold=about,
                                   face=face if about else "code"))  # fmt: skip
    bottom = (len(rows) + 1) * LINE + 5
    items.append(Line(0, bottom, broad, bottom))
    if grid:
        items += [Line(x - PAD, LINE + 1, x - PAD, bottom, "faint", 0.4) for x in lefts[1:-1]]
    return Tile(broad, bottom + 1, tuple(items))


def draw_tokens(text: str, look: Look, title: str) -> Drawing:
    """The tokens of a text: where each begins, its kind, its slice; what is no token as well."""
    source = Source("", text)
    found: list[tuple[int, int, str, Role]] = [(b, e, kind, "ink") for b, e, kind in look.tokens]
    found += [(begin, end, "skipped", "faint") for begin, end in look.skipped]
    found += [(begin, end, "no token", "bad") for begin, end in look.invalid]
    rows: list[list[tuple[str, Role]]] = []
    for begin, end, kind, role in sorted(found)[:MOST_TOKENS]:
        place = "{}:{}".format(*source.position(begin))
        rows.append([(place, "faint"), (kind, role), (cut(visible(text[begin:end]), 60), role)])
    more = len(found) - len(rows)

    def table(face: Face) -> Tile:
        block = table_block(["place", "kind", "slice"], rows, face=face)
        note = [text_block(f"and {more:,} more", "faint", face=face)] if more > 0 else []
        return stacked([block, *note])

    return _drawn(table, title)


def _drawn(table: Callable[[Face], Tile], title: str) -> Drawing:
    """A table whose words stand in the typeface of words, or of code where all is characters."""
    return Drawing((scene_of(table("text"), title),), write_text(scene_of(table("code"), title)))


def draw_suite(report: SuiteReport, title: str) -> Drawing:
    """Cases against lanes: a sign in each cell."""
    lanes = [lane for lane in report.lanes if "[" not in lane]
    rows: list[list[tuple[str, Role]]] = []
    failed = 0
    for case in report.cases:
        verdicts = {verdict.lane: verdict.state for verdict in case.verdicts}
        failed += sum(verdicts.get(lane) == "failed" for lane in lanes)
        row: list[tuple[str, Role]] = [(cut(case.name, 60), "ink")]
        row += [SIGNS.get(verdicts.get(lane, "left out"), ("·", "faint")) for lane in lanes]
        rows.append(row)
    text = f"◆ as expected   ✗ not ({failed})   · not asked"

    def table(face: Face) -> Tile:
        return stacked([table_block(["", *lanes], rows, face=face),
                        text_block(text, "faint", face=face)], 6)  # fmt: skip

    return _drawn(table, title)


class TableRow(Struct, frozen=True):
    """A question with the answer of each lane."""

    question: str
    answers: dict[str, str]


def draw_decisions(table: Sequence[TableRow], title: str) -> Drawing:
    """Questions against lanes: the answer of each in its cell. A lane that decides a choice
    otherwise has no column: what that changes stands under the table."""
    lanes = list(dict.fromkeys(lane for row in table for lane in row.answers if "[" not in lane))
    rows: list[list[tuple[str, Role]]] = []
    notes: list[str] = []
    for row in table:
        name = cut(row.question, 60)
        line: list[tuple[str, Role]] = [(name, "ink")]
        line += [(cut(row.answers.get(lane, "·"), 24), "ink") for lane in lanes]
        rows.append(line)
        otherwise: dict[tuple[str, str], list[str]] = {}
        for lane, answer in row.answers.items():
            plain, _, decided = lane.partition("[")
            if decided:
                otherwise.setdefault((decided.rstrip("]"), answer), []).append(plain)
        notes += [
            f"{name} {answer}, where {decided} ({', '.join(plains)})"
            for (decided, answer), plains in otherwise.items()
        ]

    def written(face: Face) -> Tile:
        block = table_block(["", *lanes], rows, grid=True, face=face)
        return stacked([block, *(text_block(note, "faint", face=face) for note in notes)], 6)

    return _drawn(written, title)
