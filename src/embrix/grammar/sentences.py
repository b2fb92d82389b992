"""Short sentences of a grammar, how many trees they have, and what they look like as text."""

from __future__ import annotations

from typing import TypeAlias

from msgspec import Struct

from embrix.grammar.model import Grammar, Production
from embrix.grammar.pattern import AnyOf, Chars, Pattern, Repetition, Sequence
from embrix.text.visible import visible

Sentence: TypeAlias = tuple[int, ...]


class DerivationTree(Struct, frozen=True, eq=False):
    """A production with what its symbols derive: derivations, or terminals by number."""

    production: Production
    parts: tuple[DerivationTree | int, ...]


def written(grammar: Grammar) -> list[Production]:
    """The productions without those in which something is still to be written."""
    unwritten = grammar.unwritten
    return [p for p in grammar.productions if not unwritten & set(p.right)]


def alike_terminals(grammar: Grammar) -> dict[int, int]:
    """For each terminal one that is used in just the same places (often itself)."""
    places: dict[int, set[tuple[int, tuple[int | None, ...], int | None]]] = {}
    for production in grammar.productions:
        for terminal in {symbol for symbol in production.right if symbol >= 0}:
            shape = tuple(None if s == terminal else s for s in production.right)
            place = (production.left, shape, production.unless)
            places.setdefault(terminal, set()).add(place)
    first: dict[frozenset[object], int] = {}
    return {
        terminal: first.setdefault(frozenset(found), terminal)
        for terminal, found in sorted(places.items())
    }


class Sentences:
    """The sentences of each nonterminal by length, made as they are asked for."""

    def __init__(
        self,
        grammar: Grammar,
        most: int = 30_000,
        settled: dict[int, Sentence] | None = None,
        *,
        apart: bool = False,
        alike: dict[int, int] | None = None,
    ) -> None:
        """With `apart`, terminals that are used alike are told apart all the same; `alike` says for
        each terminal which one stands for it."""
        self._grammar = grammar
        self._settled = settled or {}
        self._most = most
        self._productions = written(grammar)
        used = alike if alike is not None else alike_terminals(grammar)
        self._alike = {terminal: terminal for terminal in used} if apart else used
        self._by_length: list[dict[int, set[Sentence]]] = []
        self._doubtful: list[dict[int, set[Sentence]]] = []
        self.count = 0

    def of(self, symbol: int, length: int) -> set[Sentence] | None:
        """All sentences of a length, alike terminals told apart no more; None when too many."""
        while len(self._by_length) <= length:
            if not self._make(len(self._by_length)):
                return None
        return self._by_length[length].get(symbol, set())

    def doubtful(self, symbol: int, length: int) -> set[Sentence]:
        """The sentences of a length, out of those that `of` has given, that have two derivations if
        nothing rests on what follows a part: no other sentence has two. Only where the terminals
        that are used alike are those of this grammar itself."""
        while len(self._doubtful) <= length:
            self._doubt(len(self._doubtful))
        return self._doubtful[length].get(symbol, set())

    def _doubt(self, length: int) -> None:
        # Of productions that differ in terminals that are used alike, one stands for all.
        productions = [
            one for one in self._productions
            if one.left not in self._settled
            and all(symbol < 0 or self._alike[symbol] == symbol for symbol in one.right)
        ]  # fmt: skip
        found: dict[int, set[Sentence]] = {one.left: set() for one in productions}
        self._doubtful.append(found)
        before = -1
        while before != (before := sum(map(len, found.values()))):
            once: dict[int, set[Sentence]] = {one.left: set() for one in productions}
            for production in productions:
                for sentence, doubt in self._derived(production.right, length).items():
                    if doubt or sentence in once[production.left]:
                        found[production.left].add(sentence)
                    once[production.left].add(sentence)

    def _derived(self, symbols: tuple[int, ...], length: int) -> dict[Sentence, bool]:
        """The sentences of a row of symbols that have a length, and which of them may be derived in
        two ways."""
        partial: dict[int, dict[Sentence, bool]] = {0: {(): False}}
        for symbol in symbols:
            following: dict[int, dict[Sentence, bool]] = {}
            for used, heads in partial.items():
                if symbol >= 0:
                    if used < length:
                        own = following.setdefault(used + 1, {})
                        own |= {(*head, symbol): doubt for head, doubt in heads.items()}
                    continue
                for more in range(length - used + 1):
                    tails = self._by_length[more].get(symbol)
                    if not tails:
                        continue
                    doubtful = self._doubtful[more].get(symbol, ())
                    own = following.setdefault(used + more, {})
                    for head, doubt in heads.items():
                        for tail in tails:
                            made = head + tail
                            own[made] = doubt or made in own or tail in doubtful
            partial = following
        return partial.get(length, {})

    def _make(self, length: int) -> bool:
        table: dict[int, set[Sentence]] = {}
        self._by_length.append(table)
        changed = True
        while changed:
            changed = False
            for production in self._productions:
                own = table.setdefault(production.left, set())
                if production.left in self._settled:
                    only = self._settled[production.left]
                    if len(only) == length:
                        own.add(only)
                    continue
                for sentence in self._rows(production.right, length):
                    if sentence not in own:
                        own.add(sentence)
                        changed = True
                        self.count += 1
                        if self.count > self._most:
                            self._by_length.pop()
                            return False
        return True

    def _rows(self, symbols: tuple[int, ...], length: int) -> list[Sentence]:
        """The sentences of a row of symbols that have a length."""
        partial: dict[int, set[Sentence]] = {0: {()}}
        for symbol in symbols:
            following: dict[int, set[Sentence]] = {}
            for used, heads in partial.items():
                if symbol >= 0:
                    if used < length:
                        tail = self._alike[symbol]
                        following.setdefault(used + 1, set()).update((*h, tail) for h in heads)
                    continue
                for more in range(length - used + 1):
                    tails = self._by_length[more].get(symbol)
                    if tails:
                        following.setdefault(used + more, set()).update(
                            head + tail for head in heads for tail in tails
                        )
            partial = following
        return list(partial.get(length, ()))


# ---------------------------------------------------------------------- sentences as text


def shortest(grammar: Grammar) -> dict[int, Sentence]:
    """A shortest sentence of each nonterminal that has one."""
    best: dict[int, Sentence] = {}
    productions = written(grammar)
    changed = True
    while changed:
        changed = False
        for production in productions:
            if any(symbol < 0 and symbol not in best for symbol in production.right):
                continue
            made: Sentence = ()
            for symbol in production.right:
                made += best[symbol] if symbol < 0 else (symbol,)
            known = best.get(production.left)
            if known is None or len(made) < len(known):
                best[production.left] = made
                changed = True
    return best


def sample(pattern: Pattern) -> str:
    """A short text that a pattern matches."""
    match pattern:
        case Chars(ranges):
            for wanted in "a1x":
                if any(low <= ord(wanted) <= high for low, high in ranges):
                    return wanted
            return chr(ranges[0][0])
        case Sequence(parts):
            return "".join(map(sample, parts))
        case AnyOf(parts):
            return min(map(sample, parts), key=len)
        case Repetition(part, least, _):
            return sample(part) * least


MOST_CHARACTERS = 8
"""Members of a set of characters that are all tried; of a larger set one stands for all."""


def samples(pattern: Pattern, most: int) -> list[str]:
    """Short texts that a pattern matches, at most so many, each way to match tried at least once as
    far as that goes: every alternative, every member of a small set, an optional part with and
    without. The first is `sample`."""
    found = dict.fromkeys([sample(pattern)])
    match pattern:
        case Chars(ranges):
            if sum(high - low + 1 for low, high in ranges) <= MOST_CHARACTERS:
                found.update((chr(at), None) for low, high in ranges for at in range(low, high + 1))
        case Sequence(parts):
            plain = list(map(sample, parts))
            for at, part in enumerate(parts):
                for text in samples(part, most)[1:]:  # the first is the plain one
                    found["".join([*plain[:at], text, *plain[at + 1 :]])] = None
        case AnyOf(parts):
            for part in parts:
                found.update(dict.fromkeys(samples(part, most)))
        case Repetition(part, least, upper):
            for text in samples(part, most) if upper != 0 else ():
                found[text + sample(part) * max(0, least - 1)] = None
    return list(found)[:most]


def terminal_text(grammar: Grammar, terminal: int) -> str:
    """A terminal as it may stand in a program; white space and the like are made visible."""
    if terminal == grammar.end:
        return "(end)"
    kind = grammar.tokens.kind_of(terminal)
    if kind is not None and kind.made:
        return MADE_SIGNS[kind.made]
    text = grammar.tokens.literals[terminal] if kind is None else sample(kind.pattern)
    if kind is not None and not grammar.tokens.exactly(text, terminal):
        text = f"({kind.name})"
    return visible(text).replace(" ", "·")


MADE_SIGNS = {"newline": "↵", "indent": "⇥", "dedent": "⇤", "todo": "…"}
"""How tokens that line ends and indentation make are shown."""


def spelled(grammar: Grammar, sentence: Sentence) -> str:
    """A sentence as a program text that is cut into just these tokens again."""
    pieces: list[str] = []
    level = 0
    fresh = True
    for terminal in sentence:
        kind = grammar.tokens.kind_of(terminal)
        if kind is not None and kind.made:
            level += {"indent": 1, "dedent": -1}.get(kind.made, 0)
            fresh = True
            if kind.made == "newline":
                pieces.append("\n")
            continue
        text = grammar.tokens.literals[terminal] if kind is None else sample(kind.pattern)
        if fresh:
            pieces.append("  " * level)
        elif pieces and grammar.tokens.spaced(terminal):
            pieces.append(" ")
        pieces.append(text)
        fresh = False
    return "".join(pieces)


def sentence_text(grammar: Grammar, sentence: Sentence) -> str:
    """A sentence as a line of text; nothing at all is said in words."""
    return " ".join(terminal_text(grammar, terminal) for terminal in sentence) or "(nothing)"


def bracketed(grammar: Grammar, derivation: DerivationTree, *, named: bool = False) -> str:
    """A derivation on one line: what belongs together stands in brackets. With `named` every
    rule is written, so that trees which differ in nothing else can be told apart."""
    done: list[str] = []
    stack: list[tuple[DerivationTree | int, bool]] = [(derivation, False)]
    while stack:
        node, ready = stack.pop()
        if isinstance(node, int):
            done.append(terminal_text(grammar, node))
        elif not ready:
            stack.append((node, True))
            stack.extend((part, False) for part in reversed(node.parts))
        else:
            count = len(node.parts)
            parts = [part for part in done[len(done) - count :] if part] if count else []
            if count:
                del done[len(done) - count :]
            name = grammar.names[node.production.left]
            if named:
                done.append(f"{name}[{' '.join(parts)}]")
            else:
                done.append(f"[{' '.join(parts)}]" if len(parts) > 1 else "".join(parts))
    return done[0]


def part_at(
    grammar: Grammar, first: DerivationTree, second: DerivationTree
) -> tuple[DerivationTree, DerivationTree]:
    """The place where two trees of one sentence part: going down as long as they agree."""
    while True:
        if first.production is not second.production:
            return first, second
        differing = [
            (a, b)
            for a, b in zip(first.parts, second.parts, strict=True)
            if isinstance(a, DerivationTree)
            and isinstance(b, DerivationTree)
            and bracketed(grammar, a, named=True) != bracketed(grammar, b, named=True)
        ]
        if len(differing) != 1 or yields(differing[0][0]) != yields(differing[0][1]):
            return first, second
        first, second = differing[0]


def yields(derivation: DerivationTree) -> Sentence:
    """The terminals that a derivation covers."""
    found: list[int] = []
    stack: list[DerivationTree | int] = [derivation]
    while stack:
        node = stack.pop()
        if isinstance(node, int):
            found.append(node)
        else:
            stack.extend(reversed(node.parts))
    return tuple(found)
