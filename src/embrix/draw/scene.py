"""A picture as data: texts, lines, boxes and paths, in points, y downwards.

Code is set in a typeface whose characters are equally wide, so that a layout knows the place of
every character without asking a font; how wide words and formulas are is asked of theirs.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Literal, TypeAlias, TypeVar

from msgspec import Struct
from msgspec.structs import replace

from embrix.draw.typefaces import Face
from embrix.draw.typefaces import wide as wide_at
from embrix.text.visible import visible

SIZE = 10.0
"""The size of the type, in points."""
LEADING = 1.5
"""The distance of lines of text, as a share of the size of the type."""
LINE = SIZE * LEADING
RISE, DROP = 0.76, 0.24
"""How far text reaches above and below its baseline, as a share of its size."""
MARGIN = 8.0

Role: TypeAlias = Literal["ink", "faint", "accent", "good", "bad", "store", "ground", "shade"]
"""What something is, not which colour it has: a theme knows that."""


class Label(Struct, frozen=True):
    """Text whose baseline begins at (x, y)."""

    x: float
    y: float
    text: str
    role: Role = "ink"
    bold: bool = False
    size: float = SIZE
    underlined: bool = False
    face: Face = "code"

    @property
    def width(self) -> float:
        return wide(self.text, self.size, self.face, bold=self.bold)

    @property
    def box(self) -> Box:
        """The room that the text takes."""
        return Box(self.x, self.y - RISE * self.size, self.width, (RISE + DROP) * self.size)


class Line(Struct, frozen=True):
    x: float
    y: float
    to_x: float
    to_y: float
    role: Role = "ink"
    thick: float = 0.8
    dashed: bool = False
    arrow: bool = False


class Box(Struct, frozen=True):
    """A rectangle with its upper left corner at (x, y); `fill` is a role, or empty for none."""

    x: float
    y: float
    width: float
    height: float
    role: Role = "ink"
    fill: Role | None = None
    round: float = 0.0

    def overlaps(self, other: Box) -> bool:
        """Whether they share more than an edge."""
        slack = 0.01
        return (
            self.x + slack < other.x + other.width
            and other.x + slack < self.x + self.width
            and self.y + slack < other.y + other.height
            and other.y + slack < self.y + self.height
        )


class Path(Struct, frozen=True):
    """A line through points; `smooth` rounds its corners by so many points."""

    points: tuple[tuple[float, float], ...]
    role: Role = "ink"
    thick: float = 0.8
    round: float = 0.0


Item: TypeAlias = Label | Line | Box | Path


class Scene(Struct, frozen=True):
    """A picture of a size, in points."""

    width: float
    height: float
    items: tuple[Item, ...]
    title: str = ""

    @staticmethod
    def of(width: float, height: float, items: Iterable[Piece], title: str = "") -> Scene:
        """A picture of pieces, each moved to its place."""
        return Scene(width, height, tuple(placed(items)), title)

    @property
    def labels(self) -> Iterator[Label]:
        return (item for item in self.items if isinstance(item, Label))


def wide(text: str, size: float = SIZE, face: Face = "code", *, bold: bool = False) -> float:
    """The width of a text."""
    return wide_at(text, size, face, bold=bold)


def label(x: float, y: float, text: str, role: Role = "ink", *, bold: bool = False,
          size: float = SIZE, underlined: bool = False, face: Face = "code") -> Label:  # fmt: skip
    """A text from a program or definition, with what cannot be seen in it made visible."""
    return Label(x, y, visible(text), role, bold, size, underlined, face)


def shifted(item: Item, x: float, y: float) -> Item:
    """The same somewhere else."""
    if isinstance(item, Line):
        return replace(item, x=item.x + x, y=item.y + y, to_x=item.to_x + x, to_y=item.to_y + y)
    if isinstance(item, Path):
        return replace(item, points=tuple((a + x, b + y) for a, b in item.points))
    return replace(item, x=item.x + x, y=item.y + y)


class Moved(Struct, frozen=True):
    """Pieces that belong somewhere else. They are moved when the picture is put together, once,
    however often what they are a part of is placed."""

    items: tuple[Piece, ...]
    x: float
    y: float


Piece: TypeAlias = Item | Moved


def placed(items: Iterable[Piece]) -> Iterator[Item]:
    """Pieces where they belong, in their order."""
    stack: list[tuple[Iterator[Piece], float, float]] = [(iter(items), 0.0, 0.0)]
    while stack:
        inside, x, y = stack[-1]
        item = next(inside, None)
        if item is None:
            stack.pop()
        elif isinstance(item, Moved):
            stack.append((iter(item.items), x + item.x, y + item.y))
        else:
            yield shifted(item, x, y) if x or y else item


class Tile(Struct, frozen=True):
    """A part of a picture with its upper left corner at (0, 0)."""

    width: float
    height: float
    items: tuple[Piece, ...]

    def at(self, x: float, y: float) -> Iterator[Piece]:
        yield Moved(self.items, x, y)


def text_block(
    text: str, role: Role = "ink", *, bold: bool = False, face: Face = "code"
) -> Tile:  # fmt: skip
    """One line of text as a part."""
    made = label(0, RISE * SIZE + (LINE - SIZE) / 2, text, role, bold=bold, face=face)
    return Tile(made.width, LINE, (made,))


def stacked(blocks: Iterable[Tile], gap: float = 0.0) -> Tile:
    """Parts below each other, at the left."""
    items: list[Piece] = []
    at, broad = 0.0, 0.0
    for number, block in enumerate(blocks):
        at += gap if number else 0.0
        items += block.at(0, at)
        at += block.height
        broad = max(broad, block.width)
    return Tile(broad, at, tuple(items))


def centred(blocks: Sequence[Tile], gap: float = 0.0) -> Tile:
    """Parts below each other, each in the middle."""
    broad = max(block.width for block in blocks)
    items: list[Piece] = []
    at = 0.0
    for number, block in enumerate(blocks):
        at += gap if number else 0.0
        items += block.at((broad - block.width) / 2, at)
        at += block.height
    return Tile(broad, at, tuple(items))


def beside(blocks: Iterable[Tile], gap: float) -> Tile:
    """Parts beside each other, their lower edges on one line."""
    made = list(blocks)
    high = max((block.height for block in made), default=0.0)
    items: list[Piece] = []
    at = 0.0
    for number, block in enumerate(made):
        at += gap if number else 0.0
        items += block.at(at, high - block.height)
        at += block.width
    return Tile(at, high, tuple(items))


Part = TypeVar("Part")


def in_rows(
    parts: Iterable[Part], width: Callable[[Part], float], gap: float, broad: float
) -> Iterator[list[Part]]:
    """Parts in rows, as many in each as there is room for."""
    row: list[Part] = []
    used = 0.0
    for part in parts:
        more = width(part) + (gap if row else 0.0)
        if row and used + more > broad:
            yield row
            row, used, more = [], 0.0, width(part)
        row.append(part)
        used += more
    if row:
        yield row


def scene_of(block: Tile, title: str = "") -> Scene:
    """A part as a whole picture, with a margin."""
    return Scene.of(block.width + 2 * MARGIN, block.height + 2 * MARGIN,
                    block.at(MARGIN, MARGIN), title)  # fmt: skip


def paged(blocks: Sequence[Tile], gap: float, title: str, high: float | None) -> list[Scene]:
    """Parts below each other on as many pages as they need; on one without a height."""
    pages: list[list[Tile]] = [[]]
    used = 0.0
    for block in blocks:
        if high is not None and pages[-1] and used + gap + block.height > high:
            pages.append([])
            used = 0.0
        pages[-1].append(block)
        used += gap + block.height
    return [scene_of(stacked(page, gap), title) for page in pages]


class Drawing(Struct, frozen=True):
    """A picture, perhaps on several pages, the same as plain text, and as LaTeX where there is a
    use for that."""

    pages: tuple[Scene, ...]
    text: str
    latex: str = ""
