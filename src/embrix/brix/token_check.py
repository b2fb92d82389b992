"""Checking the tokens of a language: patterns, conversions, line ends and indentation."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.brix import syntax as s
from embrix.brix.grammar_reader import PLAIN
from embrix.brix.world import World
from embrix.grammar.layout import Layout
from embrix.grammar.pattern import (
    NOTHING,
    BadPattern,
    Chars,
    Pattern,
    Ranges,
    literal,
    matches_empty,
    read_pattern,
)
from embrix.grammar.tokens import TokenKind
from embrix.terms.types import (
    BOOL,
    INT,
    NAME,
    NUMBER,
    TEXT,
    Con,
    Type,
    Unknown,
    maybe,
    settle,
    show_type,
)
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean

_PLAIN: tuple[Type, ...] = (NUMBER, NAME, TEXT)
_CONVERTED: tuple[Type, ...] = (NUMBER, INT, NAME, TEXT, BOOL)


def check_tokens(world: World, tokens: s.TokensSyntax) -> tuple[TokenKind, ...]:
    """The token kinds in the order in which ties are decided; those of the layout come last."""
    kinds: list[TokenKind] = []
    for decl in tokens.written:
        skip = decl.name == "skip"
        if not skip and any(kind.name == decl.name for kind in kinds):
            world.error("declared_twice", f"the token {decl.name} is declared already", decl.span)
            continue
        pattern = _pattern(world, decl.name, decl.pattern)
        if matches_empty(pattern):
            world.error(
                "empty_token", f"the pattern of {decl.name} can match nothing at all, so reading "
                "could stand still for ever", decl.pattern.span,
                "let it match at least one character, with + in place of *, say",
            )  # fmt: skip
            pattern = literal("\0")
        kinds.append(
            TokenKind(
                decl.name, pattern, decl.pattern.text, _conversion(world, decl), skip, decl.label,
                via=len(decl.via) == 2 and _via(world, decl),
                not_before=_not_before(world, decl), mode=decl.mode,
                enters=_entered(world, tokens, decl), leaves=decl.leaves,
            )
        )  # fmt: skip
    _check_modes(world, tokens)
    if tokens.lines is not None:
        for (name, span), made in zip(
            tokens.lines.names, ("newline", "indent", "dedent"), strict=False
        ):
            if any(kind.name == name for kind in kinds):
                world.error("declared_twice", f"the token {name} is declared already", span)
                continue
            kinds.append(TokenKind(name, NOTHING, "", None, made=made))  # type: ignore[arg-type]
    return tuple(kinds)


def layout_of(
    world: World, lines: s.LinesDecl | None, literals: Sequence[str], kinds: Sequence[TokenKind]
) -> Layout | None:
    """How line ends and indentation become tokens of a grammar with these literals."""
    if lines is None:
        return None
    if not any(kind.made == "newline" for kind in kinds):
        return None  # its name is taken, which has been reported
    made = {kind.made: len(literals) + number for number, kind in enumerate(kinds) if kind.made}
    pairs = [(a, b) for a, b in lines.brackets if a in literals and b in literals]
    for opens, closes in lines.brackets:
        if (opens, closes) not in pairs:
            world.warning(
                "unknown_rule", f"no rule of the grammar has {opens} and {closes}", lines.span,
                "brackets inside which line ends do not count are literals of the grammar",
            )  # fmt: skip
    return Layout(
        made["newline"], made.get("indent"), made.get("dedent"),
        frozenset(literals.index(opens) for opens, _ in pairs),
        frozenset(literals.index(closes) for _, closes in pairs),
    )  # fmt: skip


def _pattern(world: World, name: str, written: s.PatternSyntax) -> Pattern:
    try:
        return read_pattern(written.text)
    except BadPattern as bad:
        at = written.span.start + bad.at
        place = Span(at, at + 1, written.span.source)
        world.error("bad_pattern", f"in the pattern of {name}: {bad}", place)
        return literal("\0")


def _entered(world: World, tokens: s.TokensSyntax, decl: s.TokenDecl) -> str | None:
    """The mode that a token enters; the tokens outside all modes are `plain`."""
    if decl.enters is None:
        return None
    name, span = decl.enters
    modes = [PLAIN, *dict.fromkeys(other.mode for other in tokens.written if other.mode)]
    if name not in modes:
        hint = did_you_mean(name, modes, f"declare its tokens under: tokens in {name}")
        world.error("unknown_mode", f"there are no tokens in {name}", span, hint)
        return None
    return "" if name == PLAIN else name


def _check_modes(world: World, tokens: s.TokensSyntax) -> None:
    """Warn about modes that no token enters, or that none leaves."""
    entered = [""]
    for mode in entered:
        for decl in tokens.written:
            if decl.mode == mode and decl.enters is not None:
                entered += {decl.enters[0]}.difference(entered, [PLAIN])
    left = {
        decl.mode
        for decl in tokens.written
        if decl.leaves or (decl.enters is not None and decl.enters[0] != decl.mode)
    }
    first = {decl.mode: decl for decl in reversed(tokens.written) if decl.mode}
    for mode, decl in first.items():
        if mode not in entered:
            world.warning(
                "unused_mode", f"no token enters {mode}, so its tokens are never read", decl.span,
                f"write enters {mode} behind the token with which it begins",
            )  # fmt: skip
        elif mode not in left:
            world.warning(
                "unused_mode", f"no token leaves {mode}: it goes on to the end of the text",
                decl.span, "write leaves behind the token with which it ends",
            )  # fmt: skip


def _not_before(world: World, decl: s.TokenDecl) -> Ranges:
    if decl.not_before is None:
        return ()
    pattern = _pattern(world, decl.name, decl.not_before)
    if isinstance(pattern, Chars):
        return pattern.ranges
    world.error(
        "bad_pattern", f"what may not follow {decl.name} must be a single character",
        decl.not_before.span, "write a class, such as /[a-z_]/",
    )  # fmt: skip
    return ()


def _conversion(world: World, decl: s.TokenDecl) -> str | None:
    if decl.conversion is None:
        return None
    kind = world.type(decl.conversion)
    known = _CONVERTED if decl.via else _PLAIN
    if isinstance(kind, Con) and kind in known:
        return kind.name
    if not isinstance(kind, Unknown):
        names = [show_type(one) for one in known]
        world.error(
            "type_mismatch", f"a token cannot be read as {show_type(kind)}",
            decl.conversion.span, f"write as {', as '.join(names[:-1])} or as {names[-1]}",
        )  # fmt: skip
    # What a rule captures of this token is not known either, and that needs no further words.
    world.lost[decl.name] = world.causes[-1]
    return None


def _via(world: World, decl: s.TokenDecl) -> bool:
    """Whether the functions of a conversion fit: `(Text) -> Maybe[T]` and `(T) -> Text`."""
    assert decl.conversion is not None
    kind = Con(decl.conversion.name) if isinstance(decl.conversion, s.TypeName) else TEXT
    wanted: tuple[tuple[Type, Type], ...] = ((TEXT, maybe(kind)), (kind, TEXT))
    fits = True
    for (name, span), (takes, gives) in zip(decl.via, wanted, strict=True):
        signature = world.functions.get(name)
        if signature is None:
            known = ", ".join(world.functions) or "none"
            world.error(
                "unknown_name", f"no function called {name} is defined", span,
                f"define it in the language (defined are: {known})",
            )  # fmt: skip
            fits = False
        elif [settle(t) for t in signature.types] != [takes] or settle(signature.result) != gives:
            world.error(
                "type_mismatch", f"{name} must be a function ({show_type(takes)}) -> "
                f"{show_type(gives)}", span,
            )  # fmt: skip
            fits = False
    return fits
