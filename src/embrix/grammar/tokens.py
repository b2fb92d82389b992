"""Cutting a program text into tokens."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple

from msgspec import Struct, field
from msgspec.structs import force_setattr

from embrix.grammar.automaton import UNKNOWN, Automaton
from embrix.grammar.layout import Layout
from embrix.grammar.pattern import (
    NOTHING,
    Pattern,
    Ranges,
    contains,
    in_any_case,
    literal,
    matches_empty,
    only_text,
)
from embrix.text.comments import comments_in
from embrix.text.source import Span
from embrix.text.visible import visible


class TokenKind(Struct, frozen=True):
    """A named token of a language. `conversion` is the type its text is read as; None keeps text.

    `skip` tokens are matched and thrown away. A token read `via` functions of the author is
    converted by the grammar's conversions. No character of `not_before` may follow it directly.
    It is read in a `mode` only ("" outside those that have names); behind it the mode that it
    `enters` begins, or its own ends.
    Tokens for line ends and indentation are `made` of the layout; `made` "todo" stands for an
    unwritten part, which no text has (`label` says what it is to be).
    """

    name: str
    pattern: Pattern
    pattern_text: str
    conversion: str | None = None
    skip: bool = False
    label: str = ""
    via: bool = False
    not_before: Ranges = ()
    made: Literal["", "newline", "indent", "dedent", "todo"] = ""
    mode: str = ""
    enters: str | None = None
    leaves: bool = False

    @property
    def sign(self) -> str | None:
        """The only text that it has, if it has just one and stands for nothing else."""
        if self.via or self.conversion not in (None, "Text"):
            return None
        return only_text(self.pattern) or None


class Token(NamedTuple):
    """A slice of a program. `terminal` numbers the kind: see `TokenTable.terminals`."""

    terminal: int
    start: int
    end: int


class Invalid(Struct, frozen=True):
    """Characters that begin no token, or for another `reason` cannot be read. What is `open` could
    be closed by more text."""

    span: Span
    text: str
    reason: str = ""
    open: bool = False

    @property
    def message(self) -> str:
        if self.reason:
            return self.reason
        character = self.text[:1]
        shown = visible(character) if character != "'" else "'"
        return f"no token begins with `{shown}`"


MOST_TOKENS, MOST_CHARACTERS = 250_000, 1_500_000
"""How much of a text is read; a program is far shorter."""


class Tokens(Struct, frozen=True):
    """What a text was cut into: tokens, skipped pieces, and what no token matches."""

    tokens: tuple[Token, ...]
    skipped: tuple[Token, ...]
    invalid: tuple[Invalid, ...]

    def comments(self, text: str) -> list[tuple[int, int]]:
        """Where the text has what is skipped and people read."""
        return comments_in(text, ((start, end) for _, start, end in self.skipped))


class TokenTable(Struct, frozen=True, eq=False):
    """The tokens of a language together with the literals of its grammar.

    Terminals are numbered: literals first, so that at equal length a literal wins over a pattern
    (which makes words of the grammar reserved), then the named kinds in their order. With
    `any_case` the letters of literals are read in either case. Literals belong to no mode.
    """

    literals: tuple[str, ...]
    kinds: tuple[TokenKind, ...]
    invalid: Literal["stops", "one by one"] = "stops"
    layout: Layout | None = None
    any_case: bool = False
    _patterns: tuple[Pattern, ...] = ()
    _automata: dict[str, Automaton] = field(default_factory=dict)
    """By mode."""
    _spaced: dict[str, bool] = field(default_factory=dict)
    _shifts: dict[int, str | None] = field(default_factory=dict)
    """The terminals that enter a mode or (None) leave their own."""

    def __post_init__(self) -> None:
        quoted = in_any_case if self.any_case else literal
        patterns = (*map(quoted, self.literals), *(kind.pattern for kind in self.kinds))
        assert not any(map(matches_empty, patterns)), "a token that matches nothing gets here"
        modes = [""] * len(self.literals) + [kind.mode for kind in self.kinds]
        for mode in dict.fromkeys(["", *modes]):
            own = [p if m == mode else NOTHING for p, m in zip(patterns, modes, strict=True)]
            self._automata[mode] = Automaton(own)
        for terminal, kind in enumerate(self.kinds, len(self.literals)):
            if kind.enters is not None or kind.leaves:
                self._shifts[terminal] = kind.enters
        force_setattr(self, "_patterns", patterns)

    def mode_of(self, terminal: int) -> str:
        """The mode in which a terminal is read."""
        kind = self.kind_of(terminal)
        return kind.mode if kind is not None else ""

    def terminal_of_literal(self, text: str) -> int:
        return self.literals.index(text)

    def terminal_of_kind(self, name: str) -> int:
        for index, kind in enumerate(self.kinds):
            if kind.name == name and not kind.skip:
                return len(self.literals) + index
        raise KeyError(name)

    def describe(self, terminal: int) -> str:
        """A terminal as people read it: a literal in quotes, or the name of a kind."""
        if terminal < len(self.literals):
            return f"`{self.literals[terminal]}`"
        kind = self.kinds[terminal - len(self.literals)]
        if kind.made:
            return _MADE[kind.made].format(kind.label)
        return f"a {kind.name}" if kind.name[:1] not in "aeiou" else f"an {kind.name}"

    def kind_of(self, terminal: int) -> TokenKind | None:
        """The named kind of a terminal, or None for a literal."""
        index = terminal - len(self.literals)
        return self.kinds[index] if index >= 0 else None

    def cut(self, text: str, *, to_the_end: bool = False) -> Tokens:
        """All tokens of a text, those that line ends and indentation make included; never fails,
        never loops: what matches nothing is `invalid`. `to_the_end` goes on behind that even where
        the language stops."""
        found = self.cut_plainly(text, to_the_end=to_the_end)
        if self.layout is None:
            return found
        tokens, strange = self.layout.add(text, found.tokens)
        invalid = [Invalid(Span(*place), text[slice(*place)], why) for place, why in strange]
        return Tokens(
            tuple(Token(*token) for token in tokens), found.skipped,
            tuple(sorted((*found.invalid, *invalid), key=lambda bad: bad.span)),
        )  # fmt: skip

    def cut_plainly(self, text: str, *, to_the_end: bool = False, mode: str = "") -> Tokens:
        """The tokens of a text that begins in a mode, without those that line ends and indentation
        make. A text that ends in a mode which it has entered is `invalid` where it has entered
        it."""
        stops = self.invalid == "stops" and not to_the_end
        tokens: list[Token] = []
        skipped: list[Token] = []
        invalid: list[Invalid] = []
        entered: list[tuple[str, Token | None]] = [(mode, None)]
        """The modes that are open, each with the token that has entered it."""
        deads: dict[str, set[tuple[int, int]]] = {mode: set()}
        dead = deads[mode]
        shifts = self._shifts
        skips = [False] * len(self.literals) + [kind.skip for kind in self.kinds]
        guards: dict[int, Ranges] = {
            len(self.literals) + index: kind.not_before
            for index, kind in enumerate(self.kinds)
            if kind.not_before
        }
        new = tuple.__new__
        automaton = self._automata[mode]
        start, move, match = automaton.start, automaton.move, automaton.match
        at = 0
        length = min(len(text), MOST_CHARACTERS)
        while at < length and len(tokens) < MOST_TOKENS:
            # The usual case is written out here: a match that is only ever made longer. Where a
            # text so far is no token, the careful way is taken from the beginning of the token.
            state = start
            offset = at
            while offset < length:
                following = state.moves.get(text[offset], UNKNOWN)
                if following is UNKNOWN:
                    following = move(state, text[offset])
                if following is None:
                    break
                state = following
                offset += 1
                if state.accepts < 0:
                    break
            terminal, end = state.accepts, offset
            if terminal < 0:
                terminal, end = match(text, at, dead)
            if terminal < 0:
                invalid.append(Invalid(Span(at, at + 1), text[at : at + 1]))
                if stops:
                    break
                at += 1
                continue
            if terminal in guards and end < length and contains(guards[terminal], ord(text[end])):
                why = (
                    f"{self.describe(terminal)} may not be followed directly by "
                    f"`{visible(text[end])}`"
                )
                invalid.append(Invalid(Span(at, end + 1), text[at : end + 1], why))
                if stops:
                    break
                at = end + 1
                continue
            # As Token(terminal, at, end), without a call of a function in Python.
            token = new(Token, (terminal, at, end))
            if skips[terminal]:
                skipped.append(token)
            else:
                tokens.append(token)
            at = end
            if terminal in shifts:
                into = shifts[terminal]
                if into is not None:
                    entered.append((into, token))
                elif len(entered) > 1:
                    entered.pop()
                automaton = self._automata[entered[-1][0]]
                dead = deads.setdefault(entered[-1][0], set())
                start, move, match = automaton.start, automaton.move, automaton.match
        if at >= len(text) and entered[-1][1] is not None:
            begin = entered[-1][1]
            piece = text[begin.start : begin.end]
            invalid.append(
                Invalid(
                    Span(begin.start, begin.end), piece,
                    f"`{visible(piece)}` is not closed before the end of the text", open=True,
                )
            )  # fmt: skip
        if at < len(text) and not (stops and invalid):
            most = f"{MOST_TOKENS:,} tokens" if at < length else f"{MOST_CHARACTERS:,} characters"
            why = f"a text is read up to {most}; this is beyond them"
            invalid.append(Invalid(Span(at, at + 1), text[at : at + 1], why))
        return Tokens(tuple(tokens), tuple(skipped), tuple(invalid))

    def never_winning(self) -> list[tuple[int, str, int]]:
        """Terminals that another always wins against: the terminal, a shortest text that it
        matches, and the terminal that wins there."""
        hidden: list[tuple[int, str, int]] = []
        for mode, automaton in self._automata.items():
            winners = automaton.winners()
            if winners is None:
                continue
            for terminal, pattern in enumerate(self._patterns):
                other = self.mode_of(terminal) != mode
                if other or terminal in winners or pattern == NOTHING:
                    continue
                alone = Automaton([pattern]).winners()
                example = (alone or {}).get(0)
                if example is not None:
                    winner, _ = automaton.match(example, 0, set())
                    hidden.append((terminal, example, winner))
        return hidden

    def exactly(self, text: str, terminal: int) -> bool:
        """Whether `text` as a whole is one token of this terminal."""
        found = self.cut_plainly(text, mode=self.mode_of(terminal))
        return (
            not any(not one.open for one in found.invalid)
            and not found.skipped
            and [t.terminal for t in found.tokens] == [terminal]
        )

    def fuse(self, left: str, right: str, terminals: Sequence[int]) -> bool:
        """Whether two token texts written without a space are cut otherwise than between them."""
        found = self.cut_plainly(left + right, mode=self.mode_of(terminals[0]))
        ends = [(token.terminal, token.end) for token in found.tokens]
        expected = [(terminals[0], len(left)), (terminals[1], len(left) + len(right))]
        if self.mode_of(terminals[0]) != self.mode_of(terminals[1]):
            return ends[:1] != expected[:1]  # what follows is read in the mode of the second
        wrong = any(not one.open for one in found.invalid)
        return wrong or bool(found.skipped) or ends != expected

    def spaced(self, terminal: int) -> bool:
        """Whether a space may stand before a terminal."""
        mode = self.mode_of(terminal)
        if mode not in self._spaced:
            found = self.cut_plainly(" ", mode=mode)
            self._spaced[mode] = bool(found.skipped) and not found.invalid
        return self._spaced[mode]


_MADE = {
    "newline": "the end of the line",
    "indent": "a line indented further",
    "dedent": "the end of the indented lines",
    "todo": "an unfinished part of the grammar ({})",
}
