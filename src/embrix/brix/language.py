"""Checking a language: its tokens, forms, binding and grammar."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from embrix.brix import syntax as s
from embrix.brix.core import Choice, ErrorType, Language, TemplateParts
from embrix.brix.extend import extended_language, standing_alone
from embrix.brix.functions import check_function, declare_function
from embrix.brix.grammar_check import check_grammar, quoted_in
from embrix.brix.token_check import check_tokens, layout_of
from embrix.brix.world import World
from embrix.grammar.model import Grammar
from embrix.grammar.tokens import TokenKind, TokenTable
from embrix.terms.node import FIRST_FREE_TAG, Binds, Constructor, Spot
from embrix.terms.signature import Signature
from embrix.terms.types import NAME, Con, Type, Unknown, settle, show_type
from embrix.text.diagnostic import Findings
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean


def check_language(
    written: s.LanguageSyntax, findings: Findings, base: Language | None = None
) -> Language:
    """The language that a file defines, joined with the one it extends.

    What is wrong in it is left out and reported.
    """
    if base is not None:
        syntax = extended_language(base.syntax, written, findings)
    else:
        syntax = standing_alone(written, findings)
    sorts = {decl.name for decl in syntax.types}
    kinds_said = [row.kind for row in syntax.numbers if not row.choice]
    numbered = kinds_said[-1] if kinds_said else "rational"
    whole = numbered == "integer" and all(not row.choice for row in syntax.numbers)
    world = World(syntax.source, findings, sorts, numbered, whole)
    world.lost.update(syntax.lost)
    forms = declare_constructors(world, syntax.types, FIRST_FREE_TAG)
    signature = Signature(tuple(forms))
    errors = tuple(check_error(world, decl) for decl in syntax.errors)
    for choice in syntax.choices:
        declare_choice(world, choice)
    numbers = _other_numbers(world, syntax.numbers)
    sound = not findings.has_errors
    for define in syntax.functions:
        declare_function(world, define)
    functions = {
        define.name: check_function(world, define)
        for define in syntax.functions
        if world.functions[define.name].span is define.span
    }
    for look in world.later:
        look()
    kinds = check_tokens(world, syntax.tokens)
    grammars = {
        grammar.name: checked
        for grammar in syntax.grammars
        if (checked := check_grammar(world, syntax, grammar, signature, kinds)) is not None
    }
    if not syntax.types and not syntax.lost:
        findings.error(
            "missing_part", f"{syntax.name} has no forms", syntax.source, syntax.span,
            "add a block `forms SORT`",
        )  # fmt: skip
    return Language(
        syntax.name, syntax.source, syntax.doc, syntax.extension, syntax.notes, world.numbers,
        signature, grammars, errors, functions, dict(world.choices),
        _tokens(world, syntax, kinds, grammars), sound, syntax, other_numbers=numbers,
    )  # fmt: skip


def _other_numbers(world: World, rows: tuple[s.NumbersSyntax, ...]) -> dict[tuple[str, str], str]:
    """The kinds of numbers that decisions of choices select, instead of the one named alone."""
    found: dict[tuple[str, str], str] = {}
    for row in rows:
        if not row.choice:
            continue
        choice = world.choices.get(row.choice)
        if choice is None:
            world.error("unknown_name", f"there is no choice called {row.choice}", row.span,
                        did_you_mean(row.choice, world.choices))  # fmt: skip
        elif row.alternative not in choice.alternatives:
            world.error(
                "unknown_name", f"{row.choice} has no alternative {row.alternative}", row.span,
                did_you_mean(row.alternative, choice.alternatives),
            )  # fmt: skip
        elif row.alternative == choice.default:
            world.error(
                "declared_twice", f"{row.alternative} is the default, whose kind of numbers stands "
                "alone", row.span, f"write: numbers {row.kind}",
            )  # fmt: skip
        else:
            found[row.choice, row.alternative] = row.kind
    return found


def _tokens(
    world: World,
    syntax: s.LanguageSyntax,
    kinds: tuple[TokenKind, ...],
    grammars: dict[str, Grammar],
) -> TokenTable | None:
    """The tokens of the first grammar; where it cannot be used, its literals are still there."""
    first = syntax.grammars[0] if syntax.grammars else None
    if first is not None and first.name in grammars:
        return grammars[first.name].tokens
    literals = quoted_in(first) if first is not None else ()
    if not kinds and not literals:
        return None
    layout = layout_of(world, syntax.tokens.lines, literals, kinds) if literals else None
    return TokenTable(literals, kinds, layout=layout)


def declare_constructors(
    world: World, declarations: Sequence[s.TypeDecl], first_tag: int
) -> list[Constructor]:
    """The constructors of `forms`, `value` and `data` blocks, numbered from a tag."""
    result: list[Constructor] = []
    for decl in declarations:
        for constructor in decl.constructors:
            if constructor.name in world.constructors:
                other = world.constructors[constructor.name].owner
                world.error(
                    "declared_twice", f"{constructor.name} is declared in {other} already",
                    constructor.span, "give one of them another name",
                )  # fmt: skip
                continue
            made = _constructor(world, decl, constructor, first_tag + len(result))
            if constructor.replaces:
                world.error(
                    "nothing_taken_over",
                    f"this extends nothing, so there is no {constructor.name} to take up",
                    constructor.span,
                )  # fmt: skip
            world.constructors[made.name] = made
            if (constructor.span.source or world.source) is world.source:
                world.own_constructors[made.name] = constructor.span
            result.append(made)
    _check_inner(world, declarations)
    return result


def _check_inner(world: World, declarations: Sequence[s.TypeDecl]) -> None:
    """Fields of the elements of lists that bind or are scopes: some form must have them."""
    for decl in (one for owner in declarations for one in owner.constructors):
        form = world.constructors.get(decl.name)
        if form is None or len(form.fields) != len(decl.fields):
            continue
        for bind in decl.binds:
            for name, where in (*bind.names, *bind.scopes):
                outer, _, inner = name.partition(".")
                if not inner or outer not in form.fields:
                    continue
                kind = settle(form.types[form.fields.index(outer)])
                element = settle(kind.args[0]) if isinstance(kind, Con) and kind.args else kind
                owner = element.name if isinstance(element, Con) else ""
                known = {
                    field: settle(type_)
                    for other in world.constructors.values()
                    if other.owner == owner
                    for field, type_ in zip(other.fields, other.types, strict=True)
                }
                if inner not in known:
                    world.error(
                        "unknown_field", f"no form of {owner or outer} has a field {inner}", where,
                        did_you_mean(inner, known),
                    )  # fmt: skip
                elif (name, where) in bind.names and known[inner] != NAME:
                    world.error(
                        "type_mismatch", f"{inner} is of type {show_type(known[inner])}, but only "
                        "a Name binds", where,
                    )  # fmt: skip


def _constructor(world: World, owner: s.TypeDecl, decl: s.ConstructorDecl, tag: int) -> Constructor:
    world.variables = set()
    names = [field.name for field in decl.fields]
    types = [world.type(field.type) for field in decl.fields]
    params = tuple(name for name, _ in owner.params)
    for name in world.variables - set(params):
        world.error(
            "unknown_type", f"there is no type called {name}", decl.span,
            f"a generic type names it: data {owner.name}[{name}]",
        )  # fmt: skip
    world.variables = None
    for number, field in enumerate(decl.fields):
        if field.name in names[:number]:
            world.error(
                "declared_twice", f"{decl.name} has two fields called {field.name}", field.span
            )

    def index(name: str, span: Span) -> int | None:
        if name in names:
            return names.index(name)
        world.error(
            "unknown_field", f"{decl.name} has no field called {name}", span,
            did_you_mean(name, names, "its fields are " + ", ".join(names) if names else ""),
        )  # fmt: skip
        return None

    def name_field(name: str, span: Span) -> int | None:
        at = index(name, span)
        if at is None or settle(types[at]) == NAME or isinstance(settle(types[at]), Unknown):
            return at
        world.error(
            "type_mismatch", f"{name} is of type {show_type(types[at])}, but only a Name binds "
            "or is used", span,
        )  # fmt: skip
        return None

    binds = tuple(_binds(world, bind, names, types, index, name_field) for bind in decl.binds)
    uses = tuple(at for n, where in decl.uses if (at := name_field(n, where)) is not None)
    return Constructor(
        decl.name,
        tag,
        owner.name,
        tuple(names),
        tuple(types),
        owner.word == "forms",
        binds,
        uses,
        params,
        decl.role,
    )


def _binds(
    world: World,
    bind: s.BindsDecl,
    fields: Sequence[str],
    types: Sequence[Type],
    index: Callable[[str, Span], int | None],
    name_field: Callable[[str, Span], int | None],
) -> Binds:
    """`binds NAME, … in SCOPE, …`, with spots inside the elements of lists, or `rest`."""

    def spot(name: str, where: Span, *, binder: bool) -> Spot | None:
        outer, _, inner = name.partition(".")
        at = index(outer, where)
        if at is None:
            return None
        kind = settle(types[at])
        listed = isinstance(kind, Con) and kind.name == "List"
        if inner:
            if listed:
                return Spot(at, inner)
            world.error("type_mismatch", f"{outer} is no list", where)
            return None
        if not binder or (listed and isinstance(kind, Con) and settle(kind.args[0]) == NAME):
            return Spot(at)
        return Spot(at) if name_field(outer, where) is not None else None

    rest = any(name == "rest" and name not in fields for name, _ in bind.scopes)
    scopes = [
        spot(name, where, binder=False)
        for name, where in bind.scopes
        if not (rest and name == "rest")
    ]
    binders = [spot(name, where, binder=True) for name, where in bind.names]
    return Binds(
        tuple(one for one in binders if one), tuple(one for one in scopes if one), rest
    )  # fmt: skip


def declare_choice(world: World, decl: s.ChoiceDecl) -> None:
    """Make a choice known. It has at least two alternatives, and one of them is the default."""
    if decl.name in world.choices:
        world.error("declared_twice", f"there is a choice {decl.name} already", decl.span)
    names = [alternative.name for alternative in decl.alternatives]
    for number, alternative in enumerate(decl.alternatives):
        if alternative.name in names[:number]:
            world.error("declared_twice", f"{alternative.name} stands twice", alternative.span)
    defaults = [alternative.name for alternative in decl.alternatives if alternative.default]
    if len(names) < 2 or len(defaults) != 1:
        world.error(
            "missing_part", f"the choice {decl.name} needs two alternatives and one default",
            decl.span, 'write lines: NAME "why one would want it", and after one of them: default',
        )  # fmt: skip
        if not names:
            return
    world.choices[decl.name] = Choice(
        decl.name, decl.question, {a.name: a.rationale for a in decl.alternatives},
        (defaults or names)[0],
    )  # fmt: skip


def check_error(world: World, decl: s.ErrorDecl) -> ErrorType:
    if decl.name in world.errors:
        world.error("declared_twice", f"the error {decl.name} is declared already", decl.span)
    names = tuple(field.name for field in decl.fields)
    error = ErrorType(
        decl.name, names, tuple(world.type(field.type) for field in decl.fields),
        template_parts(world, decl.message, names, free=True), decl.span,
    )  # fmt: skip
    world.errors[decl.name] = error
    return error


def template_parts(
    world: World, text: s.TextLit, names: Sequence[str], results: Mapping[str, int] | None = None,
    *, free: bool = False, further: str = "",
) -> TemplateParts:  # fmt: skip
    """A template whose braces hold names only; `results` gives the numbers of names that stand
    for what comes out. Where other expressions may stand as well (`free`), they stay as they are
    written: what they give is worked out by a function. `further` is said of names that are not
    known."""
    parts: list[str | int] = []
    known = {**{name: number for number, name in enumerate(names)}, **(results or {})}
    for part in text.parts:
        if isinstance(part, str):
            parts.append(part)
        elif isinstance(part, s.Ref) and part.name in known:
            parts.append(known[part.name])
        elif free and not isinstance(part, s.Ref):
            source = part.span.source or world.source
            parts.append(f"{{{source.text[part.span.start : part.span.end]}}}")
        else:
            name = part.name if isinstance(part, s.Ref) else "this"
            world.error(
                "unknown_name", f"{name} cannot stand in this text", part.span,
                did_you_mean(name, known, "known here are " + ", ".join(known) + further),
            )  # fmt: skip
    return tuple(parts)
