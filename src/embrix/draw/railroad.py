"""Railroad diagrams: every way along the rails from left to right is a way to write a rule."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from embrix.draw.scene import (
    LINE,
    RISE,
    SIZE,
    Box,
    Drawing,
    Item,
    Line,
    Path,
    Tile,
    label,
    paged,
    shifted,
    stacked,
    text_block,
    wide,
)
from embrix.grammar.ebnf import export
from embrix.grammar.lr_tables import reached
from embrix.grammar.model import Collect, Grammar, Production
from embrix.text.visible import visible

GAP, TURN, CELL = 12.0, 6.0, 18.0
BROADEST = 620.0
"""Points after which a row of parts goes on in the next row."""


class Track(Struct, frozen=True):
    """A part of a diagram whose rail runs at height 0 from x = 0 to its width."""

    width: float
    up: float
    down: float
    items: tuple[Item, ...]


def _cell(text: str, *, literal: bool) -> Track:
    shown = visible(text)
    broad = wide(shown) + 12
    items: tuple[Item, ...] = (
        Box(0, -CELL / 2, broad, CELL, "ink", "shade" if literal else "ground",
            CELL / 2 if literal else 0),
        label(6, RISE * SIZE - SIZE / 2, shown, bold=literal),
    )  # fmt: skip
    return Track(broad, CELL / 2, CELL / 2, items)


def _row(parts: Sequence[Track]) -> Track:
    """Parts one after the other; a row that is too long goes on below."""
    if not parts:
        return Track(GAP * 2, 2, 2, (Line(0, 0, GAP * 2, 0),))
    rows: list[list[Track]] = [[]]
    used = 0.0
    for part in parts:
        if rows[-1] and used + part.width > BROADEST:
            rows.append([])
            used = 0.0
        rows[-1].append(part)
        used += part.width + GAP
    made = [_straight(row) for row in rows]
    if len(made) == 1:
        return made[0]
    broad = max(track.width for track in made) + 2 * GAP
    items: list[Item] = []
    y = 0.0
    for number, track in enumerate(made):
        if number:
            last = made[number - 1]
            before, y = y, y + last.down + track.up + 14
            middle = before + last.down + 7
            end = last.width + (0 if number == 1 else GAP)
            items.append(Path(((end, before), (broad - TURN, before), (broad - TURN, middle),
                               (0, middle), (0, y), (GAP, y)), round=TURN / 2))  # fmt: skip
        items += _moved(track, 0 if number == 0 else GAP, y)
    end = made[-1].width + GAP
    items.append(Line(end, y, broad, y))
    items.append(Path(((broad, y), (broad + TURN, y), (broad + TURN, 0), (broad + GAP, 0)),
                      round=TURN / 2))  # fmt: skip
    return Track(broad + GAP, made[0].up, y + made[-1].down, tuple(items))


def _straight(parts: Sequence[Track]) -> Track:
    items: list[Item] = []
    x = 0.0
    for number, part in enumerate(parts):
        if number:
            items.append(Line(x, 0, x + GAP, 0))
            x += GAP
        items += _moved(part, x, 0)
        x += part.width
    return Track(x, max(p.up for p in parts), max(p.down for p in parts), tuple(items))


def _moved(track: Track, x: float, y: float) -> list[Item]:
    return [shifted(item, x, y) for item in track.items]


def _options(options: Sequence[Track]) -> Track:
    """Ways beside each other: the first straight on, the others below it."""
    if len(options) == 1:
        return options[0]
    side = 2 * TURN + 4
    broad = max(track.width for track in options)
    items: list[Item] = []
    y = 0.0
    for number, track in enumerate(options):
        if number:
            y += options[number - 1].down + track.up + 8
            items.append(Path(((0, 0), (TURN, 0), (TURN, y), (side, y)), round=TURN))
            items.append(Path(((side + broad, y), (side + broad + TURN, y),
                               (side + broad + TURN, 0), (2 * side + broad, 0)),
                              round=TURN))  # fmt: skip
        else:
            items.append(Line(0, 0, side, 0))
            items.append(Line(side + broad, 0, 2 * side + broad, 0))
        items += _moved(track, side, y)
        items.append(Line(side + track.width, y, side + broad, y))
    return Track(2 * side + broad, options[0].up, y + options[-1].down, tuple(items))


def _past(track: Track) -> Track:
    """A part that may be left out."""
    return _options([track, Track(GAP, 4, 2, (Line(0, 0, GAP, 0),))])


def _again(track: Track, separator: Track | None) -> Track:
    """A part that may come again, with a separator on the way back."""
    side = 2 * TURN
    back = separator or Track(0, 2, 2, ())
    broad = max(track.width, back.width)
    y = track.down + back.up + 8
    left = side + (broad - track.width) / 2
    middle = side + (broad - back.width) / 2
    end = 2 * side + broad
    items: list[Item] = [
        Line(0, 0, left, 0), *_moved(track, left, 0), Line(left + track.width, 0, end, 0),
        Path(((end - side, 0), (end - TURN, 0), (end - TURN, y), (middle + back.width, y)),
             round=TURN),
        *_moved(back, middle, y),
        Path(((middle, y), (TURN, y), (TURN, 0), (side, 0)), round=TURN),
    ]  # fmt: skip
    return Track(end, track.up, y + back.down, tuple(items))


class _Diagrams:
    def __init__(self, grammar: Grammar) -> None:
        self._grammar = grammar

    def rules(self, rule: str | None) -> list[tuple[str, Track]]:
        grammar = self._grammar
        starts = [rule] if rule is not None else list(grammar.starts)
        order: dict[int, None] = {}
        for start in starts:
            order.update(dict.fromkeys(reached(grammar, grammar.entry[start])))
        found = []
        for left in order:
            productions = grammar.by_left.get(left, ())
            repeats = productions and all(isinstance(p.build, Collect) for p in productions)
            if repeats or left in grammar.groups:
                continue  # drawn where it stands
            found.append((grammar.names[left], self._ways(productions)))
        return found

    def _ways(self, productions: Sequence[Production]) -> Track:
        by_right = {production.right: production for production in productions}
        return _options([self._production(one) for one in by_right.values()])

    def _production(self, production: Production) -> Track:
        return _row([self._symbol(symbol) for symbol in production.right])

    def _symbol(self, symbol: int) -> Track:
        grammar = self._grammar
        if symbol >= 0:
            kind = grammar.tokens.kind_of(symbol)
            if kind is not None:
                return _cell(kind.name, literal=False)
            return _cell(grammar.tokens.literals[symbol], literal=True)
        if symbol in grammar.groups:
            return self._ways(grammar.by_left.get(symbol, ()))
        if symbol not in grammar.repeats:
            return _cell(grammar.names[symbol], literal=False)
        repeated, inner, between = grammar.repeats[symbol]
        item = self._symbol(inner)
        if repeated.sign == "?":
            return _past(item)
        loop = _again(item, self._symbol(between) if between is not None else None)
        return loop if repeated.sign == "+" else _past(loop)


def draw_grammar(
    grammar: Grammar, title: str, rule: str | None = None, high: float | None = None
) -> Drawing:
    """A diagram for each rule that a rule reaches (default: the start rules), on pages of a height
    if one is given."""
    blocks: list[Tile] = []
    for name, track in _Diagrams(grammar).rules(rule):
        items: list[Item] = [
            Line(0, track.up, GAP, track.up), *_moved(track, GAP, track.up),
            Line(GAP + track.width, track.up, 2 * GAP + track.width, track.up, arrow=True),
            Line(0, track.up - 5, 0, track.up + 5, thick=1.2),
        ]  # fmt: skip
        body = Tile(2 * GAP + track.width, track.up + track.down, tuple(items))
        blocks.append(stacked([text_block(name, "accent", bold=True), body], 2))
    pages = paged(blocks, LINE, title, high)
    return Drawing(tuple(pages), "\n".join(export(grammar, "w3c", rule)) + "\n")
