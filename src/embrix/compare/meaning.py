"""What tells two definitions apart in meaning, not in lines: tokens, rules, forms, values, errors,
choices, functions and clauses that were added, changed, taken over, or are gone.

Layout, comments, documentation and the names of local variables mean nothing; so does the order of
clauses for different forms. What stands there is compared after checking: an abbreviation and what
it stands for are the same.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from typing import Literal, TypeAlias

from msgspec import Struct

from embrix.brix import core as c
from embrix.brix import syntax as s
from embrix.brix.core import CoreClause, Function, Interpreter, Language
from embrix.terms.node import Constructor
from embrix.terms.types import Con, Fn, Tup, show_type
from embrix.text.source import Source, Span

State: TypeAlias = Literal["added", "changed", "gone", "taken over"]

LEAD = 16
"""Characters that two texts have in common and that are shown before where they part."""
_SLOTS = ("slot", "slots")
_TAGS = ("tag", "tags")


class Change(Struct, frozen=True):
    """`part` is what it is (token, rule, form …), `name` which one; the texts are those of the
    first and of the second definition, on one line each, empty where it is not there."""

    part: str
    name: str
    state: State
    before: str = ""
    after: str = ""


class _Part(Struct, frozen=True):
    """A part of a definition: its meaning in a shape that can be compared, and its text."""

    part: str
    name: str
    meaning: Hashable
    text: str


def between_languages(old: Language, new: Language) -> list[Change]:
    """What tells one language from another."""
    return [*_changes(list(_of_language(old)), list(_of_language(new))), *_reordered(old, new)]


def between_interpreters(old: Interpreter, new: Interpreter) -> list[Change]:
    """What tells one interpreter from another, clause by clause."""
    return _changes(list(_of_interpreter(old)), list(_of_interpreter(new)))


def describe_changes(found: Sequence[Change]) -> list[str]:
    """As lines: each part that was added, changed or is gone, and how many were taken over."""
    lines: list[str] = []
    for change in found:
        if change.state == "taken over":
            continue
        lines.append(f"{change.state}: {change.part} {change.name}".rstrip())
        before, after = _from_difference(change.before, change.after)
        if before:
            lines.append(f"      − {before}")
        if after:
            lines.append(f"      + {after}")
    same = [change for change in found if change.state == "taken over"]
    counts = {part: sum(one.part == part for one in same) for part in dict.fromkeys(
        one.part for one in same)}  # fmt: skip
    text = ", ".join(_counted(part, n) for part, n in counts.items())
    if not lines:
        return [f"no difference in meaning ({text})" if text else "no difference in meaning"]
    return [*lines, f"taken over: {text}"] if text else lines


def _from_difference(before: str, after: str) -> tuple[str, str]:
    """Two texts from a little before where they part; what they are about has been named."""
    pairs = enumerate(zip(before, after, strict=False))
    at = next((number for number, (a, b) in pairs if a != b), min(len(before), len(after)))
    if not (before and after) or at <= LEAD + 8:
        return before, after
    begin = before.rfind(" ", 0, at - LEAD) + 1
    return f"… {before[begin:]}", f"… {after[begin:]}"


def _counted(part: str, number: int) -> str:
    if number == 1:
        return f"1 {part}"
    many = {"body": "bodies", "kind of numbers": "kinds of numbers"}
    return f"{number} {many.get(part, part + 's')}"


# ---------------------------------------------------------------------- the parts of a definition


def _of_language(language: Language) -> Iterator[_Part]:
    source = language.source
    numbers = language.numbers
    yield _Part("kind of numbers", "", numbers, f"numbers {numbers}")
    for token in language.syntax.tokens.written:
        yield _Part("token", token.name or "skip", _bare(token), _text(token.span, source))
    for form in language.signature.forms:
        yield _constructor("form", form)
    for grammar in language.syntax.grammars:
        prefix = f"{grammar.name}." if grammar.name else ""
        for rule in grammar.rules:
            yield from _rows(rule, f"{prefix}{rule.name}", source)
    yield from _declared(language.errors, language.choices.values(), source)
    names = {form.tag: form.name for form in language.signature.forms}
    bodies = _bodies(language.syntax.functions)
    for function in language.functions.values():
        yield from _function(function, names, bodies, source)


def _rows(rule: s.RuleSyntax | s.TableSyntax, name: str, source: Source) -> Iterator[_Part]:
    """The alternatives of a rule, or the levels of an operator table."""
    for row in rule.written:
        if isinstance(row, s.AlternativeSyntax):
            made = _makes(row.makes)
        else:
            made = ", ".join(_makes(operator.makes) for operator in row.operators)
        yield _Part("rule", f"{name} ({made})", _bare(row), _text(row.span, source))


def _reordered(old: Language, new: Language) -> Iterator[Change]:
    """Operator tables in which levels that both have stand in another order."""
    tables = [
        {
            rule.name: {_bare(level): _text(level.span, one.source) for level in rule.written}
            for grammar in one.syntax.grammars
            for rule in grammar.rules
            if isinstance(rule, s.TableSyntax)
        }
        for one in (old, new)
    ]
    for name in tables[0].keys() & tables[1].keys():
        levels = (tables[0][name], tables[1][name])
        first = [level for level in levels[0] if level in levels[1]]
        second = [level for level in levels[1] if level in levels[0]]
        if first != second:
            before, after = (
                " │ ".join(one[level] for level in order)
                for one, order in zip(levels, (first, second), strict=True)
            )
            yield Change("rule", f"{name}, order of levels", "changed", before, after)


def _makes(made: s.Expr | None) -> str:
    name = getattr(made, "name", "") if made is not None else ""
    return name or ("passes on" if made is None else "makes a term")


def _of_interpreter(interpreter: Interpreter) -> Iterator[_Part]:
    """What an interpreter says itself; what its language says is compared with the languages."""
    source, language = interpreter.source, interpreter.language
    forms = set(language.signature.forms)
    for constructor in interpreter.constructors.values():
        if constructor not in forms:
            yield _constructor("form" if constructor.is_form else "value", constructor)
    shared = {error.name for error in language.errors}
    errors = [error for error in interpreter.errors if error.name not in shared]
    choices = [one for name, one in interpreter.choices.items() if name not in language.choices]
    yield from _declared(errors, choices, source)
    names = {tag: constructor.name for tag, constructor in interpreter.constructors.items()}
    bodies = _bodies(interpreter.syntax.functions if interpreter.syntax is not None else ())
    for name, function in interpreter.functions.items():
        if name not in language.functions and not function.helper:
            yield from _function(function, names, bodies, source)
    for tag, function in interpreter.shown.items():
        yield _Part("display", names.get(tag, ""),
                    _meaning((), function.clauses or function.body, names),
                    _text(function.span, source))  # fmt: skip
    yield _Part("start", interpreter.main, interpreter.main, f"main {interpreter.main}")


def _bodies(functions: Sequence[s.Define]) -> dict[str, Span]:
    return {one.name: one.body.span for one in functions if one.body is not None}


def _constructor(part: str, one: Constructor) -> _Part:
    kinds = tuple(map(show_type, one.types))
    text = ", ".join(f"{field}: {kind}" for field, kind in zip(one.fields, kinds, strict=True))
    meaning = (one.owner, one.fields, kinds, one.binds, one.uses, one.role)
    extra = "  uses " + ", ".join(one.fields[index] for index in one.uses) if one.uses else ""
    for bind in one.binds:
        bound, inside = (
            ", ".join(f"{one.fields[spot.field]}{'.' + spot.inner if spot.inner else ''}"
                      for spot in spots)
            for spots in (bind.names, bind.scopes)
        )  # fmt: skip
        extra += f"  binds {bound} in {inside or 'rest'}"
    return _Part(part, one.name, meaning, f"{one.name}({text}){extra}" if text else one.name)


def _declared(
    errors: Iterable[c.ErrorType], choices: Iterable[c.Choice], source: Source
) -> Iterator[_Part]:
    for error in errors:
        kinds = tuple(map(show_type, error.types))
        message = ", ".join(
            f"{name}: {kind}" for name, kind in zip(error.fields, kinds, strict=True)
        )
        says = "".join(
            part if isinstance(part, str) else f"{{{error.fields[part]}}}" for part in error.message
        )
        text = f"{error.name}({message})" if message else error.name
        yield _Part("error", error.name, (error.fields, kinds, error.message), f"{text} “{says}”")
    for choice in choices:
        ways = ", ".join(
            f"{way} (default)" if way == choice.default else way for way in choice.alternatives
        )
        yield _Part("choice", choice.name, (tuple(choice.alternatives), choice.default), ways)


def _function(
    function: Function, names: Mapping[int, str], bodies: Mapping[str, Span], source: Source
) -> Iterator[_Part]:
    """A function by its signature, its judgement, and clause by clause."""
    kinds = tuple(map(show_type, function.types))
    message = ", ".join(
        f"{name}: {kind}" for name, kind in zip(function.params, kinds, strict=True)
    )
    result = show_type(function.result)
    finals = _meaning((), function.finals, names)
    yield _Part("function", function.name, (kinds, result, function.subjects, finals),
                f"{function.name}({message}) -> {result}")  # fmt: skip
    if function.judgement is not None:
        shown = "".join(
            part if isinstance(part, str) else _hole(function, part) for part in function.judgement
        )
        yield _Part("judgement", function.name, function.judgement, shown)
    if function.body is not None:
        meaning = _meaning(function.slots, function.body, names)
        text = _text(bodies.get(function.name, function.span), source)
        yield _Part("body", function.name, meaning, text)
    for clause in _reached(function.clauses):
        name = f"{function.name} {_head(clause, names)}"
        meaning = _meaning(function.slots, clause, names)
        yield _Part("clause", name, meaning, _text(clause.span, source))


def _reached(clauses: Sequence[CoreClause]) -> Iterator[CoreClause]:
    """Clauses without those that stand behind one for the same forms which takes everything: what
    has been replaced is no longer there."""
    taken: set[Hashable] = set()
    for clause in clauses:
        shapes = _forms_taken(clause)
        if shapes in taken:
            continue
        if clause.guard is None and not clause.steps and shapes is not None:
            taken.add(shapes)
        yield clause


def _forms_taken(clause: CoreClause) -> tuple[int, ...] | None:
    """The forms by tag (-1: any) that a clause takes whatever stands in their fields; None when it
    does not take all of them."""
    found = []
    for pattern in clause.patterns:
        inner: object = pattern
        while isinstance(inner, c.Named):
            inner = inner.inner
        if isinstance(inner, c.Shape) and all(isinstance(x, c.Bind) for x in inner.fields):
            found.append(inner.tag)
        elif isinstance(inner, c.Bind):
            found.append(-1)
        else:
            return None
    return tuple(found)


def _hole(function: Function, part: int) -> str:
    return f"{{{function.params[part]}}}" if part >= 0 else "{result}"


def _head(clause: CoreClause, names: Mapping[int, str]) -> str:
    """What a clause is for: the forms that its patterns begin with."""
    found = []
    for pattern in clause.patterns:
        inner: object = pattern
        while isinstance(inner, c.Named | c.Among):
            inner = inner.inner
        found.append(names.get(inner.tag, "_") if isinstance(inner, c.Shape) else "_")
    return " ".join(found) or "_"


def _text(span: Span, source: Source) -> str:
    """The text of a part on one line, without comments that stand on lines of their own or behind
    two spaces."""
    text = (span.source or source).text[span.start : span.end]
    lines = [line.partition("  #")[0] for line in text.split("\n")]
    return " ".join(" ".join(line for line in lines if not line.lstrip().startswith("#")).split())


# ---------------------------------------------------------------------- meaning


def _bare(node: object) -> Hashable:
    """A part of the syntax without its places."""
    if isinstance(node, Span):
        return None
    if isinstance(node, tuple):
        return tuple(map(_bare, node))
    if isinstance(node, Struct):
        return (type(node).__name__, *(_bare(getattr(node, one)) for one in node.__struct_fields__))
    assert isinstance(node, Hashable)
    return node


def _meaning(slots: Sequence[int], root: object, names: Mapping[int, str]) -> Hashable:
    """A checked part without places; variables are numbered in the order in which they come, those
    of the parameters first, and tags are replaced by names."""
    numbers: dict[int, int] = {}

    def slot(one: int) -> Hashable:
        return ("variable", numbers.setdefault(one, len(numbers)))

    def tag(one: int) -> Hashable:
        return names.get(one, one)

    def known(name: str, held: object) -> Hashable:
        if name in _SLOTS:
            return _each(held, slot)
        return _each(held, tag) if name in _TAGS else walk(held)

    def walk(node: object) -> Hashable:
        match node:
            case Span():
                return None
            case Constructor() | c.ErrorType():
                return node.name
            case Con() | Fn() | Tup():
                return show_type(node)
            case tuple():
                return tuple(map(walk, node))
            case frozenset():
                return tuple(sorted(map(repr, map(walk, node))))
            case _ if isinstance(node, Struct):
                # What else a value might be says nothing of this clause.
                held = (
                    known(one, getattr(node, one))
                    for one in node.__struct_fields__
                    if one != "wide"
                )
                return (type(node).__name__, *held)
        # True is 1 in Python, and 1 is 1.0.
        return (type(node).__name__, node)

    _each(tuple(slots), slot)
    return walk(root)


def _each(held: object, one: Callable[[int], Hashable]) -> Hashable:
    """What is numbered, one by one: a number, several, a set of them, or none."""
    if isinstance(held, frozenset):
        return tuple(sorted(str(one(item)) for item in held))
    if isinstance(held, tuple):
        return tuple(one(item) for item in held)
    return one(held) if isinstance(held, int) else None


# ---------------------------------------------------------------------- holding them together


def _changes(old: Sequence[_Part], new: Sequence[_Part]) -> list[Change]:
    """Parts of the same name are held against each other, several in their order: first those that
    mean the same, then those that are left."""
    keys = list(dict.fromkeys((one.part, one.name) for one in (*old, *new)))
    found: list[Change] = []
    for part, name in keys:
        before = [one for one in old if (one.part, one.name) == (part, name)]
        after = [one for one in new if (one.part, one.name) == (part, name)]
        found += _pairs(part, name, before, after)
    return found


def _pairs(part: str, name: str, before: list[_Part], after: list[_Part]) -> Iterator[Change]:
    if [one.meaning for one in before] != [one.meaning for one in after]:
        meanings = [one.meaning for one in after]
        moved = sorted(map(repr, meanings)) == sorted(repr(one.meaning) for one in before)
        if moved:
            # The same clauses, but another one is tried first.
            yield Change(part, name, "changed", _texts(before), _texts(after))
            return
    rest = list(after)
    left: list[_Part] = []
    for one in before:
        match = next((other for other in rest if other.meaning == one.meaning), None)
        if match is None:
            left.append(one)
        else:
            rest.remove(match)
            yield Change(part, name, "taken over", one.text, match.text)
    for one, other in zip(left, rest, strict=False):
        yield Change(part, name, "changed", one.text, other.text)
    for one in left[len(rest) :]:
        yield Change(part, name, "gone", one.text)
    for other in rest[len(left) :]:
        yield Change(part, name, "added", "", other.text)


def _texts(parts: Sequence[_Part]) -> str:
    """The texts of several parts on one line; what stands in one line of the file is shown once."""
    return " │ ".join(dict.fromkeys(one.text for one in parts))
