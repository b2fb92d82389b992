"""Token patterns: reading `/[a-z]+/` into a tree.

Patterns describe regular sets and nothing else: no look-around, no back-references, no anchors, so
that every pattern is matched in linear time. `\\d`, `\\w` and `\\s` are the ASCII classes,
`\\p{letter}` and the like those of Unicode, and `.` is any character but a line end.
"""

from __future__ import annotations

from bisect import bisect_right
from typing import TypeAlias

from msgspec import Struct

from embrix.grammar.unicode_classes import CLASSES, characters_of
from embrix.text.suggest import did_you_mean

LAST = 0x10FFFF
Ranges: TypeAlias = tuple[tuple[int, int], ...]


class Chars(Struct, frozen=True):
    """One character out of a set, given as inclusive ranges of code points."""

    ranges: Ranges


class Sequence(Struct, frozen=True):
    parts: tuple[Pattern, ...]


class AnyOf(Struct, frozen=True):
    parts: tuple[Pattern, ...]


class Repetition(Struct, frozen=True):
    """`least` to `most` times; `most` None is without bound."""

    part: Pattern
    least: int
    most: int | None


Pattern: TypeAlias = Chars | Sequence | AnyOf | Repetition


class BadPattern(Exception):
    """A pattern that cannot be read. `at` is the offset inside the pattern."""

    def __init__(self, message: str, at: int) -> None:
        super().__init__(message)
        self.at = at


NOTHING = Chars(())
"""The pattern that matches no text at all."""

DIGITS: Ranges = ((48, 57),)
WORD: Ranges = ((48, 57), (65, 90), (95, 95), (97, 122))
SPACE: Ranges = ((9, 13), (32, 32))
_CLASSES = {"d": DIGITS, "w": WORD, "s": SPACE}
_CONTROLS = {"n": "\n", "t": "\t", "r": "\r", "f": "\f", "0": "\0"}
MOST_REPEATS = 256
MOST_PARTS = 10_000


def literal(text: str) -> Pattern:
    """The pattern that matches just `text`."""
    return Sequence(tuple(Chars(((ord(c), ord(c)),)) for c in text))


def read_pattern(text: str) -> Pattern:
    """Read a pattern (without its slashes). Raises `BadPattern`."""
    reader = _Reader(text)
    pattern = reader.choice(0)
    if reader.at < len(text):
        raise BadPattern("this ) closes nothing", reader.at)
    if _weight(pattern) > MOST_PARTS:
        raise BadPattern(f"the pattern stands for more than {MOST_PARTS} parts", 0)
    return pattern


def in_any_case(text: str) -> Pattern:
    """The pattern that matches `text`, its letters in either case."""
    return Sequence(
        tuple(Chars(union(tuple((ord(one), ord(one)) for one in {c, *_cases(c)}))) for c in text)
    )


def _cases(character: str) -> set[str]:
    return {one for one in (character.lower(), character.upper()) if len(one) == 1}


def only_text(pattern: Pattern) -> str | None:
    """The text that a pattern matches, if there is just one."""
    match pattern:
        case Chars(ranges):
            alone = len(ranges) == 1 and ranges[0][0] == ranges[0][1]
            return chr(ranges[0][0]) if alone else None
        case Sequence(parts):
            texts = [text for text in map(only_text, parts) if text is not None]
            return "".join(texts) if len(texts) == len(parts) else None
        case Repetition(part, least, most) if least == most:
            text = only_text(part)
            return text * least if text is not None else None
    return None


def matches_empty(pattern: Pattern) -> bool:
    match pattern:
        case Chars():
            return False
        case Sequence(parts):
            return all(map(matches_empty, parts))
        case AnyOf(parts):
            return any(map(matches_empty, parts))
        case Repetition(part, least, _):
            return least == 0 or matches_empty(part)


def _weight(pattern: Pattern) -> int:
    match pattern:
        case Chars():
            return 1
        case Sequence(parts) | AnyOf(parts):
            return 1 + sum(map(_weight, parts))
        case Repetition(part, least, most):
            return 1 + _weight(part) * max(1, most if most is not None else least + 1)


def complement(ranges: Ranges) -> Ranges:
    result = []
    start = 0
    for low, high in union(ranges):
        if low > start:
            result.append((start, low - 1))
        start = high + 1
    if start <= LAST:
        result.append((start, LAST))
    return tuple(result)


def contains(ranges: Ranges, code: int) -> bool:
    """Whether a character is in a set; its ranges are in their order."""
    at = bisect_right(ranges, (code, LAST)) - 1
    return at >= 0 and code <= ranges[at][1]


def union(ranges: Ranges) -> Ranges:
    """The same set with sorted ranges that do not touch."""
    result: list[tuple[int, int]] = []
    for low, high in sorted(ranges):
        if result and low <= result[-1][1] + 1:
            result[-1] = (result[-1][0], max(high, result[-1][1]))
        else:
            result.append((low, high))
    return tuple(result)


class _Reader:
    def __init__(self, text: str) -> None:
        self.text = text
        self.at = 0

    def peek(self) -> str:
        return self.text[self.at] if self.at < len(self.text) else ""

    def choice(self, depth: int) -> Pattern:
        if depth > 50:
            raise BadPattern("groups are nested too deeply", self.at)
        parts = [self.sequence(depth)]
        while self.peek() == "|":
            self.at += 1
            parts.append(self.sequence(depth))
        return parts[0] if len(parts) == 1 else AnyOf(tuple(parts))

    def sequence(self, depth: int) -> Pattern:
        parts: list[Pattern] = []
        while self.peek() not in ("", "|", ")"):
            parts.append(self.repeated(depth))
        return parts[0] if len(parts) == 1 else Sequence(tuple(parts))

    def repeated(self, depth: int) -> Pattern:
        part = self.single(depth)
        while self.peek() in ("*", "+", "?", "{"):
            start = self.at
            sign = self.peek()
            self.at += 1
            least, most = {"*": (0, None), "+": (1, None), "?": (0, 1)}.get(sign, (0, 0))
            if sign == "{":
                least, most = self.bounds(start)
            part = Repetition(part, least, most)
        return part

    def bounds(self, start: int) -> tuple[int, int | None]:
        end = self.text.find("}", start)
        inside = self.text[start + 1 : end] if end >= 0 else ""
        low, comma, high = inside.partition(",")
        if not (low.isdigit() and low.isascii() and (not high or high.isdigit())):
            raise BadPattern("write {3}, {2,} or {2,5}, or \\{ for the character", start)
        self.at = end + 1
        least = int(low[:6])
        most = int(high[:6]) if high else (None if comma else least)
        if least > MOST_REPEATS or (most or 0) > MOST_REPEATS:
            raise BadPattern(f"at most {MOST_REPEATS} repetitions can be counted", start)
        if most is not None and most < least:
            raise BadPattern("the upper bound is below the lower one", start)
        return least, most

    def single(self, depth: int) -> Pattern:
        start = self.at
        sign = self.peek()
        self.at += 1
        if sign == "(":
            if self.text.startswith("?", self.at):
                raise BadPattern("look-around and group options are not part of patterns", start)
            inner = self.choice(depth + 1)
            if self.peek() != ")":
                raise BadPattern("this ( is never closed", start)
            self.at += 1
            return inner
        if sign == "[":
            return Chars(self.bracket(start))
        if sign == ".":
            return Chars(complement(((10, 10),)))
        if sign == "\\":
            return Chars(self.escape(start))
        if sign in "*+?{":
            raise BadPattern(f"{sign} has nothing before it to repeat", start)
        if sign in "^$":
            raise BadPattern(f"{sign} is no anchor here; write \\{sign} for the character", start)
        return Chars(((ord(sign), ord(sign)),))

    def escape(self, start: int) -> Ranges:
        sign = self.peek()
        self.at += 1
        if sign == "":
            raise BadPattern("\\ has nothing after it", start)
        if sign.lower() in _CLASSES:
            ranges = _CLASSES[sign.lower()]
            return ranges if sign.islower() else complement(ranges)
        if sign == "u":
            try:
                number = int(self.braces(), 16)
            except ValueError:
                number = -1
            if not 0 <= number <= LAST:
                raise BadPattern("write \\u{3bb} for a character by its number", start)
            return ((number, number),)
        if sign in ("p", "P"):
            name = self.braces()
            if name not in CLASSES:
                known = "known are " + ", ".join(CLASSES)
                meant = did_you_mean(name, tuple(CLASSES), known)
                raise BadPattern(f"write \\p{{letter}} for a class of characters; {meant}", start)
            ranges = union(characters_of(name))
            return ranges if sign == "p" else complement(ranges)
        if sign in _CONTROLS:
            return ((ord(_CONTROLS[sign]),) * 2,)
        if sign.isalnum():
            raise BadPattern(f"\\{sign} means nothing in a pattern", start)
        return ((ord(sign), ord(sign)),)

    def braces(self) -> str:
        """What stands between braces here; empty where none do."""
        end = self.text.find("}", self.at)
        if self.peek() != "{" or end < 0:
            return ""
        inside = self.text[self.at + 1 : end]
        self.at = end + 1
        return inside

    def bracket(self, start: int) -> Ranges:
        negated = self.peek() == "^"
        self.at += negated
        ranges: list[tuple[int, int]] = []
        first = True
        while self.peek() != "]" or first:
            if self.peek() == "":
                raise BadPattern("this [ is never closed", start)
            first = False
            low = self.member()
            follows = self.text[self.at + 1 : self.at + 2]
            if len(low) == 1 and low[0][0] == low[0][1] and self.peek() == "-" and follows != "]":
                dash = self.at
                self.at += 1
                high = self.member()
                if len(high) != 1 or high[0][0] != high[0][1] or high[0][0] < low[0][0]:
                    raise BadPattern("this range runs backwards or has no end", dash)
                ranges.append((low[0][0], high[0][0]))
            else:
                ranges.extend(low)
        self.at += 1
        result = union(tuple(ranges))
        if negated:
            result = complement(result)
        if not result:
            raise BadPattern("no character at all is in this set", start)
        return result

    def member(self) -> Ranges:
        start = self.at
        sign = self.peek()
        self.at += 1
        if sign == "\\":
            return self.escape(start)
        if sign == "":
            raise BadPattern("this [ is never closed", start)
        return ((ord(sign), ord(sign)),)
