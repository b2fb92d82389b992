"""A grammar that is still being written, read as far as its rules go: what a rule says is known
before there are forms that it makes."""

from __future__ import annotations

from functools import lru_cache

from msgspec.structs import replace

from embrix.grammar.model import Grammar, Pass, Production


@lru_cache(maxsize=16)
def sketched(grammar: Grammar) -> Grammar:
    """The grammar in which alternatives that only lack the form that they make are read to their
    end. It has derivations and verdicts, and no terms; the grammar itself where nothing lacks."""
    if not grammar.formless:
        return grammar
    return replace(grammar, productions=tuple(map(_to_its_end, grammar.productions)))


def _to_its_end(production: Production) -> Production:
    if not production.formless:
        return production
    return replace(
        production, right=production.right[:-1], captures=production.captures[:-1],
        build=Pass(0), formless=False,
    )  # fmt: skip
