"""Reading a text by a grammar whose alternatives do not all make a form yet."""

from __future__ import annotations

from embrix.grammar.derivation import Derived, derivations
from embrix.grammar.earley import EarleyParser
from embrix.grammar.model import Grammar
from embrix.grammar.parser import Parser, ParseResult, Refused
from embrix.grammar.sketched import sketched


def read_without_forms(
    grammar: Grammar | None, parser: Parser, text: str, rule: str | None = None
) -> tuple[ParseResult, list[Derived]]:
    """What comes of a text, and, where it is refused for the want of forms alone, its derivations:
    one, or two where it has several. What else is wrong with it is told as if no form were missing.
    """
    parsed = parser.parse(text, rule)
    if not isinstance(parsed, Refused) or grammar is None or not grammar.formless:
        return parsed, []
    found = derivations(grammar, text, rule)
    if not found:
        again = EarleyParser(sketched(grammar)).parse(text, rule)
        parsed = again if isinstance(again, Refused) else parsed
    return parsed, found


def forms_wanted(grammar: Grammar) -> str:
    """What is said of a text that can be derived, where forms are missing."""
    names = [grammar.owners.get(left, grammar.names[left]) for left in grammar.formless]
    *others, last = dict.fromkeys(names)
    rules = f"{', '.join(others)} and {last} make" if others else f"{last} makes"
    return f"what {rules} is still to be written"
