"""How far a program gets: one that is written before its language is finished."""

from __future__ import annotations

from embrix.course.load import Course
from embrix.grammar.parser import Ambiguous, GaveUp, Parsed, Parser, Refused
from embrix.grammar.without_forms import forms_wanted, read_without_forms
from embrix.machine.lane import Lane
from embrix.text.plural import counted
from embrix.text.source import Source
from embrix.text.visible import visible


def how_far(course: Course, language: str, lanes: list[Lane], parser: Parser | None,
            text: str) -> list[tuple[str, str]]:  # fmt: skip
    """Stages with what came of each, as far as the program gets; the last one is the obstacle,
    or the values of all lanes."""
    source = Source("program", text)
    target = course.languages[language]
    stages: list[tuple[str, str]] = []
    table = target.tokens
    if table is None:
        return [("obstacle", f"{language} has no tokens that can be used yet")]
    tokens = table.cut(text)
    kinds = len({token.terminal for token in tokens.tokens})
    if tokens.invalid:
        line, column = source.position(tokens.invalid[0].span.start)
        before = sum(t.end <= tokens.invalid[0].span.start for t in tokens.tokens)
        stages.append(("tokens", f"{before} before {line}:{column}"))
        return [*stages, ("obstacle", f"{line}:{column}  {tokens.invalid[0].message}")]
    stages.append(("tokens", _tokens(len(tokens.tokens), kinds, len(tokens.skipped))))
    if parser is None:
        missing = "its grammar has errors" if target.syntax.grammars else "it has no grammar yet"
        return [*stages, ("obstacle", f"{missing}: no tree")]
    parsed, derived = read_without_forms(target.grammar, parser, text)
    if derived and target.grammar is not None:
        count = "a derivation" if len(derived) == 1 else "several derivations"
        wanted = forms_wanted(target.grammar)
        return [*stages, ("tree", f"none; {count} without forms"), ("obstacle", wanted)]
    if not isinstance(parsed, Parsed):
        return [*stages, *_no_tree(parsed, source)]
    form = target.signature.form_of(parsed.term)
    stages.append(("tree", f"{form.name if form else 'a tree'} at the top"))
    if not lanes:
        return [*stages, ("obstacle", "no interpreter can run it yet")]
    for lane in lanes:
        outcome = lane.run(text).outcome
        place = ""
        if outcome.place is not None and outcome.kind != "value":
            place = "{}:{}  ".format(*source.position(outcome.place[0]))
        stages.append((lane.name, place + visible(outcome.sentence)))
    return stages


def _tokens(count: int, kinds: int, skipped: int) -> str:
    if count:
        return f"{count} of {counted(kinds, 'kind')}"
    return "none: everything is skipped" if skipped else "none: the program is empty"


def _no_tree(parsed: Refused | Ambiguous | GaveUp, source: Source) -> list[tuple[str, str]]:
    line, column = source.position(parsed.span.start)
    if isinstance(parsed, Refused):
        before = sum(t.end <= parsed.span.start for t in parsed.tokens.tokens)
        reading = parsed.reading[0][0] if parsed.reading else ""
        text = f"none; {before} of {counted(len(parsed.tokens.tokens), 'token')} could be read"
        if reading:
            text += f", in the middle of {reading}"
        return [("tree", text), ("obstacle", f"{line}:{column}  {visible(parsed.message)}")]
    if isinstance(parsed, Ambiguous):
        return [("tree", "two of them"), ("obstacle", "the grammar is ambiguous for this program")]
    return [("tree", "not decided"), ("obstacle", f"{line}:{column}  parsing took too many steps")]
