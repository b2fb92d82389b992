"""Tokens, grammars, parsing, and printing a term back as source. Knows `text` and `terms` only."""
