"""Patterns as they are written: changed in a part, built again, and what their names take."""

from __future__ import annotations

from itertools import count

from msgspec.structs import replace

from embrix.brix import syntax as s
from embrix.brix.paths import inside
from embrix.brix.world import World
from embrix.terms.types import Con, Type, settle


def with_part(pattern: s.Pattern, old: s.Pattern, new: s.Pattern) -> s.Pattern:
    """A pattern with another one in the place of a part."""
    if pattern is old:
        return new
    match pattern:
        case s.PMake(_, args, _, None):
            return replace(pattern, args=tuple(with_part(one, old, new) for one in args))
        case s.PMake(_, _, _, fields) if fields is not None:
            made = tuple((name, with_part(one, old, new), span) for name, one, span in fields)
            return replace(pattern, fields=made)
        case s.PTuple(items):
            return replace(pattern, items=tuple(with_part(one, old, new) for one in items))
        case s.PList(items, rest):
            tail = None if rest is None else with_part(rest, old, new)
            return replace(
                pattern, items=tuple(with_part(one, old, new) for one in items), rest=tail
            )
        case s.PAs(inner):
            return replace(pattern, inner=with_part(inner, old, new))
    return pattern


def binding_only(pattern: s.Pattern, names: set[str]) -> s.Pattern:
    """A pattern that binds only some of its names."""
    match pattern:
        case s.PVar(name, span):
            return pattern if name in names else s.PAny(span)
        case s.PAs(inner, name):
            bare = binding_only(inner, names)
            return replace(pattern, inner=bare) if name in names else bare
        case s.PMake(_, args, _, None):
            return replace(pattern, args=tuple(binding_only(one, names) for one in args))
        case s.PMake(_, _, _, fields) if fields is not None:
            made = tuple((name, binding_only(one, names), span) for name, one, span in fields)
            return replace(pattern, fields=made)
        case s.PTuple(items):
            return replace(pattern, items=tuple(binding_only(one, names) for one in items))
        case s.PList(items, rest):
            tail = None if rest is None else binding_only(rest, names)
            return replace(
                pattern, items=tuple(binding_only(one, names) for one in items), rest=tail
            )
    return pattern


def rebuilt(pattern: s.Pattern, child: str, instead: s.Expr) -> s.Expr:
    """The term that a pattern took, with something else in the place of one variable."""
    match pattern:
        case s.PVar(name, span):
            return instead if name == child else s.Ref(name, span)
        case s.PAs(inner) | s.PContext(_, inner):
            return rebuilt(inner, child, instead)
        case s.PMake(name, args, span):
            return s.Make(name, tuple(rebuilt(one, child, instead) for one in args), span)
        case s.PTuple(items, span):
            return s.Tuple(tuple(rebuilt(one, child, instead) for one in items), span)
        case s.PList(items, rest, span):
            tail = None if rest is None else rebuilt(rest, child, instead)
            return s.ListOf(tuple(rebuilt(one, child, instead) for one in items), tail, span)
        case s.PConst(value, span):
            if isinstance(value, bool):
                return s.Ref("true" if value else "false", span)
            if isinstance(value, str):
                return s.TextLit((value,), span)
            return s.NumberLit(value, span)
    return s.Todo("a part of this pattern", pattern.span)


def covers(one: s.Pattern, other: s.Pattern) -> bool:
    """Whether a pattern certainly takes everything that another one takes."""
    match one, other:
        case ((s.PAny() | s.PVar()), _):
            return True
        case s.PAs(inner), _:
            return covers(inner, other)
        case _, s.PAs(inner):
            return covers(one, inner)
        case s.PMake(name, args, _, None), s.PMake(known, parts, _, None) if name == known:
            return all(map(covers, args, parts))
    return False


def name_of_type(kind: Type | None) -> str:
    settled = settle(kind) if kind is not None else None
    return settled.name if isinstance(settled, Con) else ""


def all_named(pattern: s.PMake) -> s.PMake:
    """A pattern that binds everything it takes, so that it can be built again."""
    numbers = count()

    def named(one: s.Pattern) -> s.Pattern:
        match one:
            case s.PAny(span):
                return s.PVar(f"part {next(numbers)} …", span)
            case s.PMake(_, args, _, None):
                return replace(one, args=tuple(map(named, args)))
            case s.PTuple(items):
                return replace(one, items=tuple(map(named, items)))
            case s.PList(items, rest):
                tail = None if rest is None else named(rest)
                return replace(one, items=tuple(map(named, items)), rest=tail)
        return one

    made = named(pattern)
    assert isinstance(made, s.PMake)
    return made


def type_of(world: World, pattern: s.Pattern, name: str, kind: Type | None = None) -> Con | None:
    """The type of what a variable of a pattern takes, where `kind` is that of the whole."""
    settled = settle(kind) if kind is not None else None
    match pattern:
        case s.PVar(known):
            return settled if known == name and isinstance(settled, Con) else None
        case s.PAs(inner, known):
            if known == name and isinstance(settled, Con):
                return settled
            return type_of(world, inner, name, kind)
        case s.PMake(form, args, _, None) if form in world.constructors:
            parts = list(zip(args, world.constructors[form].types, strict=False))
        case s.PList(items, rest) if isinstance(settled, Con) and settled.name == "List":
            whole = [] if rest is None else [(rest, settled)]
            parts = [*((one, settled.args[0]) for one in items), *whole]
        case _:
            return None
    found = (type_of(world, one, name, of) for one, of in parts)
    return next((one for one in found if one is not None), None)


def names_bound(pattern: s.Pattern) -> set[str]:
    """The names that a pattern binds."""
    return {part.name for part in inside(pattern) if isinstance(part, s.PVar | s.PAs)}


def mentioned(expr: object) -> set[str]:
    """The names that stand in an expression, or in several parts of the syntax."""
    return {part.name for part in inside(expr) if isinstance(part, s.Ref)}


def refined(special: s.Pattern, general: s.Pattern) -> list[tuple[str, s.Pattern] | None]:
    """The variables of a pattern in whose places another one asks for more, with what it asks for;
    None for a place without a name, or where they take different things."""
    while isinstance(special, s.PAs):
        special = special.inner
    while isinstance(general, s.PAs):
        general = general.inner
    match special, general:
        case ((s.PVar() | s.PAny()), _):
            return []
        case _, s.PVar(name):
            return [(name, special)]
        case s.PMake(one, parts, _, None), s.PMake(other, others, _, None):
            if one != other or len(parts) != len(others):
                return [None]
            return [found for pair in zip(parts, others, strict=True) for found in refined(*pair)]
        case s.PTuple(parts), s.PTuple(others) if len(parts) == len(others):
            return [found for pair in zip(parts, others, strict=True) for found in refined(*pair)]
        case s.PList(parts, rest), s.PList(others, more) if len(parts) == len(others):
            if (rest is None) != (more is None):
                return [None]
            ends = ((rest, more),) if rest is not None and more is not None else ()
            pairs = [*zip(parts, others, strict=True), *ends]
            return [found for pair in pairs for found in refined(*pair)]
        case s.PConst(value), s.PConst(other) if value == other:
            return []
    return [None]


def disjoint(one: s.Pattern, other: s.Pattern) -> bool:
    """Whether nothing that one pattern takes is taken by the other."""
    while isinstance(one, s.PAs):
        one = one.inner
    while isinstance(other, s.PAs):
        other = other.inner
    match one, other:
        case s.PMake(name, parts, _, fields), s.PMake(second, others, _, more):
            if name != second or fields is not None or more is not None:
                return name != second
        case s.PTuple(parts), s.PTuple(others):
            pass
        case s.PList(parts, rest), s.PList(others, remaining):
            if (rest is None and len(parts) < len(others)) or (
                remaining is None and len(others) < len(parts)
            ):
                return True
        case s.PConst(value), s.PConst(another):
            return value != another
        case _:
            return False
    return any(map(disjoint, parts, others))


def part_at(pattern: s.Pattern, other: s.Pattern, name: str) -> s.Pattern | None:
    """What stands in another pattern where a variable stands in the first; None where it is not of
    that form there."""
    while isinstance(other, s.PAs):
        other = other.inner
    match pattern, other:
        case s.PVar(own), _ if own == name:
            return other
        case s.PAs(inner), _:
            return part_at(inner, other, name)
        case s.PMake(one, args, _, None), s.PMake(two, others, _, None) if one == two:
            pairs = list(zip(args, others, strict=False))
        case s.PTuple(args), s.PTuple(others):
            pairs = list(zip(args, others, strict=False))
        case s.PList(args, rest), s.PList(others, remaining) if len(args) == len(others):
            ends = ((rest, remaining),) if rest is not None and remaining is not None else ()
            pairs = [*zip(args, others, strict=True), *ends]
        case _:
            return None
    return next((found for pair in pairs if (found := part_at(*pair, name)) is not None), None)
