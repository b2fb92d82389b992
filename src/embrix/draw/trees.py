"""Syntax trees and derivation trees of a grammar: each node over the middle of its children."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct, field

from embrix.draw.scene import (
    LINE,
    RISE,
    SIZE,
    Drawing,
    Line,
    Piece,
    Role,
    Tile,
    beside,
    label,
    paged,
    scene_of,
    stacked,
    text_block,
    wide,
)
from embrix.messages.replies import TreeRow
from embrix.text.visible import visible

GAP, LEVEL = 14.0, 34.0
BROADEST = 1_000.0
"""Points that a tree takes before its leaves stand below each other."""


class Tree(Struct):
    """A node: what is written for it, its children, whether it is not in another tree."""

    text: str
    children: list[Tree] = field(default_factory=list)
    differs: bool = False
    detail: str = ""
    """What else is written below it: names, numbers, a slice of the text."""


def tree_of_rows(rows: Sequence[TreeRow]) -> Tree | None:
    """A tree from its rows, parents before their children."""
    stack: list[tuple[int, Tree]] = []
    root: Tree | None = None
    for row in rows:
        node = Tree(row.form, detail=row.leaves)
        while stack and stack[-1][0] >= row.depth:
            stack.pop()
        if stack:
            stack[-1][1].children.append(node)
        elif root is None:
            root = node
        stack.append((row.depth, node))
    return root


def mark_difference(one: Tree, other: Tree) -> None:
    """Mark the topmost nodes in which two trees differ."""
    pending = [(one, other)]
    while pending:
        left, right = pending.pop()
        same = (left.text, left.detail) == (right.text, right.detail)
        if not same or len(left.children) != len(right.children):
            left.differs = right.differs = True
        else:
            pending += zip(left.children, right.children, strict=True)


def tree_block(root: Tree) -> Tile:
    """A tree, its root at the top."""
    order: list[Tree] = [root]
    for node in order:
        order.extend(node.children)
    made: dict[int, tuple[Tile, float]] = {}
    for node in reversed(order):
        below = [made.pop(id(child)) for child in node.children]
        made[id(node)] = _over(node, below)
    return made[id(root)][0]


def _over(node: Tree, below: list[tuple[Tile, float]]) -> tuple[Tile, float]:
    """A node over the parts below it, with the place of its middle."""
    own = max(wide(visible(node.text)), wide(visible(node.detail)))
    high = LINE * (2 if node.detail else 1)
    row = beside([], GAP)
    middles: list[float] = []
    if below:
        tallest = max(block.height for block, _ in below)
        # Upper edges on one line: the parts are filled up below.
        filled = [Tile(block.width, tallest, block.items) for block, _ in below]
        row = beside(filled, GAP)
        at = 0.0
        for block, middle in below:
            middles.append(at + middle)
            at += block.width + GAP
    centre = (middles[0] + middles[-1]) / 2 if middles else own / 2
    shift = max(0.0, own / 2 - centre)
    centre += shift
    broad = max(row.width + shift, centre + own / 2)
    level = max(LEVEL, high + LEVEL - LINE)
    items: list[Piece] = list(row.at(shift, level)) if below else []
    role: Role = "bad" if node.differs else "ink"
    base = RISE * SIZE + (LINE - SIZE) / 2
    text = visible(node.text)
    items.append(label(centre - wide(text) / 2, base, text, role, bold=True,
                       underlined=node.differs))  # fmt: skip
    if node.detail:
        detail = visible(node.detail)
        items.append(label(centre - wide(detail) / 2, base + LINE, detail, "faint"))
    items += [Line(centre, high, middle + shift, level, "faint") for middle in middles]
    return Tile(broad, level + row.height if below else high, tuple(items)), centre


def tree_text(root: Tree) -> list[str]:
    """A tree as indented lines."""
    lines: list[str] = []
    pending = [(root, 0)]
    while pending:
        node, depth = pending.pop()
        sign = "≠ " if node.differs else "  "
        text = f" {node.detail}" if node.detail else ""
        lines.append(f"{sign}{'│ ' * depth}{visible(node.text)}{visible(text)}".rstrip())
        pending += [(child, depth + 1) for child in reversed(node.children)]
    return lines


def draw_tree(root: Tree, title: str) -> Drawing:
    """One tree."""
    return Drawing((scene_of(tree_block(root), title),), "\n".join(tree_text(root)) + "\n")


HIGH = 1_000.0
"""Points of a page of trees."""
SHEET = 700.0
"""Points that a row of trees may take."""


def draw_gallery(trees: Sequence[tuple[str, str, Tree]], title: str) -> Drawing:
    """Trees in rows, each under the name of a form and its program, as many pages as they need."""
    rows: list[list[Tile]] = [[]]
    for name, program, tree in trees:
        heads = [text_block(name, "accent", bold=True), text_block(visible(program), "faint")]
        part = stacked([*heads, tree_block(tree)], 4)
        used = sum(one.width + 3 * GAP for one in rows[-1])
        if rows[-1] and used + part.width > SHEET:
            rows.append([])
        rows[-1].append(part)
    blocks = []
    for row in rows:
        tallest = max((part.height for part in row), default=0.0)
        even = [Tile(part.width, tallest, part.items) for part in row]
        blocks.append(beside(even, 3 * GAP))
    lines = [
        line for name, program, tree in trees
        for line in (f"{name}: {visible(program)}", *tree_text(tree), "")
    ]  # fmt: skip
    return Drawing(tuple(paged(blocks, 2 * LINE, title, HIGH)), "\n".join(lines))


def draw_trees(trees: Sequence[tuple[str, Tree]], title: str) -> Drawing:
    """Trees beside each other, each under its name."""
    parts = [stacked([text_block(name, "accent", bold=True), tree_block(tree)], 6)
             for name, tree in trees]  # fmt: skip
    tallest = max(part.height for part in parts)
    even = [Tile(part.width, tallest, part.items) for part in parts]
    lines = [line for name, tree in trees for line in (name, *tree_text(tree), "")]
    return Drawing((scene_of(beside(even, 4 * GAP), title),), "\n".join(lines))
