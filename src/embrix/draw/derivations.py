"""Judgements as rules over lines: what a run concluded, from what, by which clause."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

from msgspec import Struct, field
from msgspec.structs import replace

from embrix.draw.latex import in_math, in_text
from embrix.draw.plain import write_text
from embrix.draw.scene import (
    LINE,
    MARGIN,
    RISE,
    SIZE,
    Drawing,
    Line,
    Piece,
    Role,
    Scene,
    Tile,
    beside,
    centred,
    in_rows,
    label,
    scene_of,
    wide,
)
from embrix.draw.typefaces import Face
from embrix.machine.recorder import NOT_LEFT
from embrix.text.visible import visible
from embrix.trace.walk import Walk

GAP = 18.0
ROW_GAP = 6.0
PAGE = 1_100.0
"""The width in points that a derivation is kept to; larger ones go over several pages."""
DEEPEST = 60
"""Levels that are drawn at most."""
MOST_JUDGEMENTS = 6_000
"""Judgements that are drawn at most."""
MOST_OF_A_VALUE = 300
"""Characters of each value in a judgement; what is longer is cut off."""


class Derivation(Struct):
    """A conclusion over which its premises stand. `unfinished` has no result; `folded` counts the
    judgements above it that are not shown; `part` is the number of the part in which it goes on."""

    conclusion: str
    rule: str = ""
    premises: list[Derivation] = field(default_factory=list)
    unfinished: bool = False
    folded: int = 0
    part: int = 0
    number: int = 0


def derivation_of(
    walk: Walk, root: int = 0, deep: int | None = None, most: int = MOST_OF_A_VALUE
) -> Derivation | None:
    """The derivation below a judgement of a run, folded below a depth, with at `most` so many
    characters of each value. Everything is kept that a run without a result had concluded until it
    failed."""
    recorder = walk.traced.recorder
    count = len(recorder.functions)
    if not 0 <= root < count:
        return None
    deepest = min(DEEPEST, deep if deep is not None else DEEPEST)
    made: dict[int, tuple[Derivation, int]] = {}
    nearest: dict[int, Derivation] = {}
    """For a judgement that is folded the one in which it is."""
    shown = 0
    for instance in range(root, count):
        parent = recorder.parents[instance]
        if instance != root and parent < root:
            break
        above = made.get(parent)
        depth = above[1] + 1 if above is not None else 0
        if instance != root and (above is None or depth > deepest or shown >= MOST_JUDGEMENTS):
            inside = above[0] if above is not None else nearest[parent]
            inside.folded += 1
            nearest[instance] = inside
            continue
        shown += 1
        open_ = recorder.results[instance] is NOT_LEFT
        node = Derivation(
            walk.judgement(instance, not open_, most=most), walk.clause_name(instance),
            unfinished=open_, number=instance,
        )  # fmt: skip
        made[instance] = (node, depth)
        if above is not None:
            above[0].premises.append(node)
    return made[root][0]


def derivation_block(root: Derivation, broad: float = PAGE) -> Tile:
    """A derivation, its conclusion at the bottom. Premises that take more room than there is beside
    each other stand over one line in several rows."""
    order = [root]
    for node in order:
        order.extend(node.premises)
    made: dict[int, Tile] = {}
    for node in reversed(order):
        above = [made.pop(id(one)) for one in node.premises]
        rows = [beside(row, GAP) for row in in_rows(above, lambda one: one.width, GAP, broad)]
        made[id(node)] = rule_block(node, rows if len(rows) < 2 else [centred(rows, ROW_GAP)])
    return made[id(root)]


def folded_note(node: Derivation) -> str:
    """What stands above a judgement in place of what is not shown."""
    if node.part:
        return f"part {node.part}"
    return f"… {node.folded:,} more" if node.folded else ""


def rule_block(node: Derivation, above: list[Tile], face: Face = "code") -> Tile:
    """A conclusion under a line under parts beside each other."""
    hidden = folded_note(node)
    if hidden:
        made = label(0, RISE * SIZE + (LINE - SIZE) / 2, hidden, "faint")
        above = [*above, Tile(made.width, LINE, (made,))]
    row = beside(above, GAP)
    rule_y = row.height + 3
    base = rule_y + 2 + RISE * SIZE + (LINE - SIZE) / 2
    role: Role = "bad" if node.unfinished else "ink"
    conclusion = label(0, base, node.conclusion, role, face=face)
    broad = max(row.width, conclusion.width)
    items: list[Piece] = list(row.at((broad - row.width) / 2, 0))
    items.append(Line(0, rule_y, broad, rule_y, role, dashed=node.unfinished))
    size = SIZE * 0.75
    name = label(broad + 4, rule_y + size * 0.3, node.rule, "accent", size=size,
                 face="code" if face == "code" else "text")  # fmt: skip
    if node.rule:
        items.append(name)
    items.append(replace(conclusion, x=(broad - conclusion.width) / 2))
    return Tile(broad + (4 + name.width if node.rule else 0), rule_y + 2 + LINE, tuple(items))


def divided(root: Derivation, broad: float = PAGE) -> list[Derivation]:
    """A derivation cut into parts that are at most so wide where that can be done: the largest
    ones that do not fit stand alone, numbered from the second on."""
    parts = [_copied(root)]
    number = 0
    while number < len(parts) and len(parts) < 400:
        head = parts[number]
        while True:
            cut = _cut(head, broad)
            if cut is None:
                break
            node = replace(cut, premises=cut.premises, part=0)
            parts.append(node)
            cut.part, cut.premises, cut.folded = len(parts), [], 0
        number += 1
    return _in_order(parts)


def _copied(root: Derivation) -> Derivation:
    """The same derivation, which may be taken apart."""
    copy = replace(root)
    pending = [copy]
    while pending:
        node = pending.pop()
        node.premises = [replace(one) for one in node.premises]
        pending += node.premises
    return copy


def _in_order(parts: list[Derivation]) -> list[Derivation]:
    """Parts numbered in the order in which they are referred to."""
    order = [1]
    references: dict[int, list[Derivation]] = {}
    for number in order:  # which grows while it is gone through
        nodes = [parts[number - 1]]
        for node in nodes:
            nodes.extend(node.premises)
            if node.part:
                references.setdefault(node.part, []).append(node)
                order.append(node.part)
    for new, old in enumerate(order, 1):
        for node in references.get(old, ()):
            node.part = new
    return [parts[old - 1] for old in order]


@lru_cache(maxsize=2 * MOST_JUDGEMENTS)
def _wide(conclusion: str) -> float:
    """The width of a conclusion, which is asked for again with every part."""
    return wide(visible(conclusion))


def _cut(root: Derivation, broad: float) -> Derivation | None:
    """The judgement to take out of a derivation that is too wide: the widest part that itself fits
    and has something above it, else the widest one."""
    order = [root]
    for node in order:
        order.extend(node.premises)
    widths: dict[int, float] = {}
    for node in reversed(order):
        above = sum(widths[id(one)] for one in node.premises)
        above += GAP * max(0, len(node.premises) - 1 + bool(folded_note(node))) + wide(
            folded_note(node)
        )
        own = max(above, _wide(node.conclusion))
        widths[id(node)] = own + 4 + wide(visible(node.rule), SIZE * 0.75)
    if widths[id(root)] <= broad:
        return None
    movable = [node for node in order[1:] if node.premises]
    gain = [node for node in movable
            if widths[id(node)] > _wide(node.conclusion) + GAP + 30]  # fmt: skip
    if not gain:
        return None
    fitting = [node for node in gain if widths[id(node)] <= broad]
    return max(fitting or gain, key=lambda node: widths[id(node)])


def draw_derivation(root: Derivation, title: str, broad: float = PAGE) -> Drawing:
    """A derivation in as many parts as it needs."""
    scenes: list[Scene] = []
    texts: list[str] = []
    latex: list[str] = []
    for number, part in enumerate(divided(root, broad), 1):
        scene = scene_of(derivation_block(part, broad), title)
        if number > 1 or root.part:
            scene = _numbered(scene, number)
        scenes.append(scene)
        texts.append((f"part {number}\n" if number > 1 else "") + write_text(scene))
        latex.append(derivation_latex(part, broad))
    return Drawing(tuple(scenes), "\n".join(texts), "\n\n".join(latex))


def _numbered(scene: Scene, number: int) -> Scene:
    text = label(MARGIN, MARGIN + SIZE, f"part {number}", "faint", bold=True)
    moved = Tile(scene.width, scene.height, scene.items)
    return Scene.of(scene.width, scene.height + LINE, (text, *moved.at(0, LINE)), scene.title)


def derivation_latex(root: Derivation, broad: float = PAGE) -> str:
    r"""A derivation with `\frac`s in display style, which every LaTeX has."""
    made: dict[int, tuple[str, float]] = {}
    order = [root]
    for node in order:
        order.extend(node.premises)
    for node in reversed(order):
        above = [made.pop(id(one)) for one in node.premises]
        if note := folded_note(node):
            above.append((rf"\text{{{in_text(note)}}}", wide(note)))
        rows = list(in_rows(above, lambda one: one[1], GAP, broad))
        room = max((sum(one[1] + GAP for one in row) - GAP for row in rows), default=0.0)
        text = rule_latex(stacked_latex([[one[0] for one in row] for row in rows]),
                          in_math(node.conclusion), node.rule)  # fmt: skip
        made[id(node)] = text, max(room, _wide(node.conclusion)) + wide(node.rule, SIZE * 0.75)
    return "\\[\n" + made[id(root)][0] + "\n\\]"


def stacked_latex(rows: Sequence[Sequence[str]]) -> list[str]:
    """Rows of premises as LaTeX has them below each other."""
    if len(rows) < 2:
        return [text for row in rows for text in row]
    lines = " \\\\ ".join(r" \qquad ".join(row) for row in rows)
    return [rf"\begin{{array}}{{c}} {lines} \end{{array}}"]


def rule_latex(premises: list[str], conclusion: str, name: str) -> str:
    """Premises over a line over a conclusion, with the name of the rule at the right."""
    top = " \\qquad ".join(premises) or "\\mathstrut"
    named = f"\\;\\textsc{{{in_text(name)}}}" if name else ""
    return f"\\dfrac{{{top}}}{{{conclusion}}}{named}"
