"""A derivation laid out in character cells: premises over a line over their conclusion."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from msgspec import Struct

from embrix.text.visible import cut, visible, width

GAP = 3
"""Cells between two premises."""
LONGEST = 44
"""Cells of a conclusion; of longer ones the middle is left out."""
RESULT = 24
"""Cells that are kept of what a judgement gives."""
_GIVES = "⇓↓→⇒▷"
"""Signs after which most judgements tell what they give."""


class Placed(Struct, frozen=True):
    """A judgement: its conclusion begins in cell `x` of row `y`; over it a line of `length` cells
    from `line`, and behind that the name of the rule. `hidden` is what stands above the line of one
    that is folded, from cell `hidden_x`."""

    node: int
    x: int
    y: int
    text: str
    line: int
    length: int
    name: str
    hidden: str = ""
    hidden_x: int = 0

    @property
    def end(self) -> int:
        """The first cell to the right of everything."""
        named = self.line + self.length + (1 + width(self.name) if self.name else 0)
        return max(named, self.x + width(self.text), self.hidden_x + width(self.hidden))


class Sheet(Struct, frozen=True):
    """All judgements that are shown, by row from the top; the row of a judgement's line is one
    less than that of its conclusion."""

    placed: tuple[Placed, ...]
    width: int
    height: int


def lay_out(
    depths: Sequence[int], texts: Sequence[str], names: Sequence[str],
    counts: Sequence[int], folded: Collection[int],
) -> Sheet:  # fmt: skip
    """Judgements given from the conclusion on, each before its premises. `counts` is how many
    premises each has; above a folded one nothing is shown."""
    shown, children = _shown(depths, folded)
    if not shown:
        return Sheet((), 0, 0)
    labels = {node: shortened(visible(texts[node])) for node in shown}
    hidden = {node: f"⋯ {counts[node]} folded" for node in shown if node in folded and counts[node]}
    inner: dict[int, int] = {}
    whole: dict[int, int] = {}
    for node in reversed(shown):
        below = children.get(node, [])
        inner[node] = sum(whole[one] for one in below) + GAP * max(0, len(below) - 1)
        broad = max(inner[node], width(labels[node]), width(hidden.get(node, "")))
        whole[node] = broad + (1 + width(names[node]) if names[node] else 0)
    height = 2 * (max(depths[node] - depths[shown[0]] for node in shown) + 1)
    height += any(depths[node] - depths[shown[0]] == height // 2 - 1 for node in hidden)
    left = {shown[0]: 0}
    placed: list[Placed] = []
    for node in shown:
        begin = left[node]
        name = names[node]
        broad = whole[node] - (1 + width(name) if name else 0)
        at = begin + (broad - inner[node]) // 2
        for one in children.get(node, ()):
            left[one] = at
            at += whole[one] + GAP
        mark = hidden.get(node, "")
        placed.append(Placed(
            node, begin + (broad - width(labels[node])) // 2,
            height - 1 - 2 * (depths[node] - depths[shown[0]]), labels[node], begin, broad,
            name, mark, begin + (broad - width(mark)) // 2,
        ))  # fmt: skip
    return Sheet(tuple(placed), max(one.end for one in placed), height)


def shortened(text: str, room: int = LONGEST) -> str:
    """A judgement in at most so many cells, with what it gives."""
    if width(text) <= room:
        return text
    at = max(map(text.rfind, _GIVES))
    if at < 0:
        return cut(text, room)
    tail = cut(text[at:], min(RESULT, room // 2))
    return f"{cut(text[:at].rstrip(), room - width(tail) - 1)} {tail}"


def _shown(
    depths: Sequence[int], folded: Collection[int]
) -> tuple[list[int], dict[int, list[int]]]:
    """The judgements that are shown, and the premises of each among them."""
    shown: list[int] = []
    children: dict[int, list[int]] = {}
    above: list[int] = []
    closed = -1
    for node, depth in enumerate(depths):
        if 0 <= closed < depth:
            continue
        closed = depth if node in folded else -1
        while above and depths[above[-1]] >= depth:
            above.pop()
        if above:
            children.setdefault(above[-1], []).append(node)
        above.append(node)
        shown.append(node)
    return shown, children
