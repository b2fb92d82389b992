"""A form that a rule makes and nobody has declared: declared from what the rule takes."""

from __future__ import annotations

from collections.abc import Iterator

from embrix.brix import syntax as s
from embrix.brix.reader import read_definition
from embrix.text.diagnostic import Findings
from embrix.text.source import Source, Span


def with_form(text: str, place: int) -> str | None:
    """The text of a language with the form declared that an alternative or an operator around a
    place makes: a field for each capture, of the type of its rule or token; for an operator fields
    for its operands. None where they are not known."""
    source = Source("", text)
    language = read_definition(source, Findings())
    if not isinstance(language, s.LanguageSyntax):
        return None
    for makes, sort, fields in _made(language):
        if makes.span.start <= place < makes.span.end and not makes.args:
            if any(not kind for _, kind in fields):
                return None
            form = makes.name
            if fields:
                form += "(" + ", ".join(f"{name}: {kind}" for name, kind in fields) + ")"
            return _declared(language, text, sort, form)
    return None


def _made(
    language: s.LanguageSyntax,
) -> Iterator[tuple[s.Make, str, list[tuple[str, str]]]]:
    """What each alternative and operator makes: its sort, and its fields with their types."""
    types = {
        one.name: _written(one.conversion) if one.conversion is not None else "Text"
        for one in language.tokens.written
    }
    rules = [rule for grammar in language.grammars for rule in grammar.rules]
    types |= {rule.name: _written(rule.sort) for rule in rules}
    for rule in rules:
        sort = _written(rule.sort)
        if isinstance(rule, s.RuleSyntax):
            for alternative in rule.written:
                if isinstance(alternative.makes, s.Make):
                    yield alternative.makes, sort, _captures(alternative.items, types)
            continue
        for level in rule.written:
            for operator in level.operators:
                if isinstance(operator.makes, s.Make):
                    yield operator.makes, sort, _operands(operator, level.fixity, sort, types)


def _captures(items: tuple[s.ItemSyntax, ...], types: dict[str, str]) -> list[tuple[str, str]]:
    """Captures with their types; the type is empty where it is not known."""
    found = []
    for item in items:
        if not item.capture:
            continue
        found.append((item.capture, _type_of(item, types)))
    return found


def _type_of(item: s.ItemSyntax, types: dict[str, str]) -> str:
    """The type of what an item gives; empty where it is not known."""
    kind = types.get(item.name, "")
    if item.group and item.group[0].makes is None:
        parts = [one for one in item.group[0].items if one.text is None]
        kind = "Text" if not parts else _type_of(parts[0], types) if len(parts) == 1 else ""
    if kind and item.sign:
        kind = f"Maybe[{kind}]" if item.sign == "?" else f"List[{kind}]"
    return kind


def _operands(
    operator: s.OperatorSyntax, fixity: str, sort: str, types: dict[str, str]
) -> list[tuple[str, str]]:
    """The fields of an operator: those that its row names, else its operands at the ends."""
    named = [
        (item.capture, types.get(item.name, "") if item.name else sort)
        for item in operator.row
        if item.capture
    ]
    if any(item.is_operand for item in operator.row):
        return named
    if fixity == "prefix":
        return [*named, ("arg", sort)]
    if fixity == "postfix":
        return [("arg", sort), *named]
    return [("left", sort), *named, ("right", sort)]


def _written(kind: s.TypeSyntax) -> str:
    span: Span = kind.span
    return span.source.text[span.start : span.end] if span.source is not None else ""


def _declared(language: s.LanguageSyntax, text: str, sort: str, form: str) -> str:
    """The text with a form as the last one of its sort."""
    own = [one for one in language.types if one.word == "forms" and one.name == sort]
    if own and own[-1].constructors:
        last = own[-1].constructors[-1].span
        row = text.rfind("\n", 0, last.start) + 1
        line = text[row : last.start]
        margin = line[: len(line) - len(line.lstrip())] or "  "
        end = text.find("\n", last.end)
        end = len(text) if end < 0 else end
        return f"{text[:end]}\n{margin}{form}{text[end:]}"
    grammar = min(one.span.start for one in language.grammars)
    row = text.rfind("\n", 0, grammar) + 1
    return f"{text[:row]}forms {sort}\n  {form}\n\n{text[row:]}"
