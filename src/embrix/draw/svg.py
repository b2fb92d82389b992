"""Pictures as SVG. Text stays text; each piece is told its length, so that it keeps its place when
another typeface has to stand in."""

from __future__ import annotations

from html import escape

from embrix.draw.curves import rounded
from embrix.draw.palette import THEMES, ThemeName
from embrix.draw.scene import Box, Item, Label, Line, Path, Scene
from embrix.draw.typefaces import Style, pieces
from embrix.text.visible import visible

FAMILY = "'DejaVu Sans Mono', 'Liberation Mono', monospace"
PROPORTIONAL = "'DejaVu Serif', 'Liberation Serif', serif"
_LOOKS: dict[Style, str] = {
    "mono": f'font-family="{FAMILY}"', "mono bold": f'font-family="{FAMILY}" font-weight="bold"',
    "serif": "", "serif bold": 'font-weight="bold"', "serif italic": 'font-style="italic"',
}  # fmt: skip
"""What tells a style from others in a proportional text."""


def write_svg(scene: Scene, theme: ThemeName = "paper") -> str:
    """A scene as an SVG document."""
    colours = THEMES[theme]
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{_n(scene.width)}pt" '
        f'height="{_n(scene.height)}pt" viewBox="0 0 {_n(scene.width)} {_n(scene.height)}" '
        f'font-family="{FAMILY}">',
        f"<title>{escape(scene.title)}</title>",
        f'<rect width="100%" height="100%" fill="{colours["ground"]}"/>',
    ]
    lines += [_element(item, colours) for item in scene.items]  # type: ignore[arg-type]
    return visible("\n".join([*lines, "</svg>", ""]), keep="\n")


def _element(item: Item, colours: dict[str, str]) -> str:
    match item:
        case Label(x, y, _, role, bold, size, underlined, face):
            more = ' font-weight="bold"' if bold and face == "code" else ""
            more += f' font-family="{PROPORTIONAL}"' if face != "code" else ""
            more += ' text-decoration="underline"' if underlined else ""
            return (
                f'<text x="{_n(x)}" y="{_n(y)}" font-size="{_n(size)}" fill="{colours[role]}"'
                f'{more} textLength="{_n(max(0.01, item.width))}" '
                f'lengthAdjust="spacingAndGlyphs" xml:space="preserve">{_inside(item)}</text>'
            )
        case Line(x, y, to_x, to_y, role, thick, dashed, arrow):
            more = ' stroke-dasharray="3 2"' if dashed else ""
            drawn = (
                f'<line x1="{_n(x)}" y1="{_n(y)}" x2="{_n(to_x)}" y2="{_n(to_y)}" '
                f'stroke="{colours[role]}" stroke-width="{_n(thick)}"{more}/>'
            )
            if arrow:
                points = " ".join(f"{_n(a)},{_n(b)}" for a, b in arrow_head(item))
                drawn += f'<polygon points="{points}" fill="{colours[role]}"/>'
            return drawn
        case Box(x, y, width, height, role, fill, round_):
            inside = colours[fill] if fill else "none"
            edge = "none" if fill == role else colours[role]
            return (
                f'<rect x="{_n(x)}" y="{_n(y)}" width="{_n(width)}" height="{_n(height)}" '
                f'rx="{_n(round_)}" fill="{inside}" stroke="{edge}" stroke-width="0.8"/>'
            )
        case Path(points, role, thick, round_):
            message = " ".join(
                word + " " + " ".join(f"{_n(a)} {_n(b)}" for a, b in pairs)
                for word, pairs in rounded(points, round_)
            )
            return (
                f'<path d="{message}" fill="none" stroke="{colours[role]}" '
                f'stroke-width="{_n(thick)}"/>'
            )


def _inside(item: Label) -> str:
    """The text of a label, in parts where it has several styles."""
    if item.face == "code":
        return escape(item.text)
    parts = []
    for style, text in pieces(item.text, item.face, bold=item.bold):
        look = _LOOKS[style]
        parts.append(f"<tspan {look}>{escape(text)}</tspan>" if look else escape(text))
    return "".join(parts)


def arrow_head(line: Line) -> list[tuple[float, float]]:
    """The corners of the head of an arrow at the end of a line."""
    along = (line.to_x - line.x, line.to_y - line.y)
    length = max(0.01, (along[0] ** 2 + along[1] ** 2) ** 0.5)
    x, y = along[0] / length, along[1] / length
    back = (line.to_x - 5 * x, line.to_y - 5 * y)
    return [(line.to_x, line.to_y), (back[0] - 2.2 * y, back[1] + 2.2 * x),
            (back[0] + 2.2 * y, back[1] - 2.2 * x)]  # fmt: skip


def _n(value: float) -> str:
    return f"{value:.2f}".rstrip("0").rstrip(".")
