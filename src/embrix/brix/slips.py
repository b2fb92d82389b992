"""Slips that come from the habits of other languages: what is meant, and how it is written here."""

from __future__ import annotations

from embrix.brix.lexer import Tok

DECLARATIONS = {
    "def": "define", "function": "define", "fun": "define", "let": "define", "func": "define",
    "type": "value", "datatype": "value", "enum": "value", "class": "value", "record": "data",
    "struct": "data", "exception": "error", "import": "use", "open": "use", "include": "use",
    "rule": "grammar", "rules": "grammar", "syntax": "grammar", "token": "tokens", "form": "forms",
    "theorem": "law", "property": "law", "assert": "law", "start": "main",
}  # fmt: skip
"""Words that begin a declaration elsewhere, with the one that begins it here."""

BEGINNINGS = {
    "return": ("the last line of a block is what it gives; nothing is returned", "remove return"),
    "raise": ("an error is raised by `fail` here", "write fail ERROR(…)"),
    "throw": ("an error is raised by `fail` here", "write fail ERROR(…)"),
    "case": ("a value is taken apart by `match` here", "write match, and its clauses below"),
    "switch": ("a value is taken apart by `match` here", "write match, and its clauses below"),
    "lambda": ("a function value is written with `fn` here", "write fn(x) => …"),
    "fun": ("a function value is written with `fn` here", "write fn(x) => …"),
    "function": ("a function value is written with `fn` here", "write fn(x) => …"),
    "try": ("errors are caught by `attempt` here", "write attempt …, and on ERROR(…) => … below"),
    "print": ("output is written by `emit`, in a line of its own", "write emit TEXT"),
    "while": ("what is done again and again is a function that calls itself", "define one"),
    "for": ("what is done for each item is written with fold, map or filter", "write fold(…)"),
    "var": ("a name is given to a value by `let` here", "write let x = …"),
    "const": ("a name is given to a value by `let` here", "write let x = …"),
    "val": ("a name is given to a value by `let` here", "write let x = …"),
}
"""Words that begin an expression or a line elsewhere."""

ARROWS = ("->", ":", "=")
"""What stands elsewhere in the place of `=>`."""

CONSTANTS = {
    "True": "true", "False": "false", "Null": "None", "Nil": "[]", "Nothing": "None",
    "Just": "Some", "null": "None", "nil": "[]", "none": "None", "undefined": "todo",
    "self": "the parameter", "this": "the parameter",
}  # fmt: skip


_IN_RULES = {
    "{": ("what repeats stands in round brackets here, with a * behind them", "write (…)*"),
    "[": ("what may be left out stands in round brackets here, with a ? behind them", "write (…)?"),
    "->": ("what an alternative makes stands behind `makes`", "write makes FORM"),
    "=>": ("what an alternative makes stands behind `makes`", "write makes FORM"),
    "=": ("a part is captured with a colon: FIELD:RULE", "write :"),
}


def better(expected: str, before: Tok, found: Tok, after: Tok) -> tuple[str, str] | None:
    """A sentence and a repair for what was `found` where something else was expected; None where
    nothing is known of it."""
    text = found.text if found.kind in ("symbol", "name", "Name") else ""
    if expected.startswith("`then`") and text == "=":
        return "two values are compared by `==` here", "write =="
    if expected.startswith("`else`") and text in ("elif", "elsif", "elseif"):
        return f"`{text}` is written as two words here", "write else if"
    if expected.startswith("`else`") and found.kind == "end":
        return "an `if` gives a value, so it needs an `else`", "add else …"
    if text == "in" and expected.startswith("the line should end"):
        return "`let` stands on a line of its own, and what follows stands below it", "remove in"
    if text == "with" and "`match` needs clauses" in expected:
        return "the clauses of a `match` stand below it, indented", "remove with"
    if text == "|" and expected.startswith("a pattern"):
        return "a clause begins with its pattern, without a bar", "remove |"
    if text in _IN_RULES and expected.startswith("a literal in quotes"):
        return _IN_RULES[text]
    if text in ("|", ",") and expected.startswith("an operator in quotes"):
        return "operators of one strength follow each other, with nothing between", f"remove {text}"
    if text == "{" and expected.startswith("an expression"):
        return "a block is indented; braces stand only in texts", "remove { and }"
    if text == "?" or (text == ":" and expected.startswith("the line should end")):
        return "a choice between two values is written with `if` here", "write if … then … else …"
    if text == "." and expected.startswith("the line should end"):
        return "there are no methods: a function is called with the value", "write f(x), or env[x]"
    if text == "*" and before.text == "*":
        return "there is no power among the operations", "define a function"
    if text == "for" and expected.startswith(("`]` is expected", "`)` is expected here to close")):
        return "what each item gives is written with map here", "write map(items, fn(x) => …)"
    if expected.startswith("`)` is expected here to close") and _begins(found):
        if before.kind in ("name", "Name") and found.kind in ("name", "Name", "number"):
            return (
                "a function is called with its arguments in brackets, commas between them",
                f"write {before.text}({found.text}, …)",
            )
        return "a comma is missing between two arguments", f"write , before {found.text}"
    if expected.startswith("`(` is expected here before the parameters"):
        return "the parameters of a function stand in brackets", "write fn(x) => …"
    if expected.startswith("`]` is expected") and text == ":":
        return "an environment is extended by `with`", "write env with x = …"
    if expected.startswith("`:` is expected here before the type"):
        return (
            "a type stands behind the name of each parameter and field",
            f"write {before.text}: TYPE",
        )
    if expected.startswith("the function that runs a program") and text in ("=", ":"):
        return "`main` is followed by the name of a function alone", f"remove {text}"
    if expected.startswith("`for` is expected") and text in ("of", "in", "on"):
        return "an interpreter is `for` a language", "write for"
    del after
    return None


LINES = ("let", "require", "emit", "if", "match", "fail", "todo", "attempt", "repeat")
"""Words that begin a line of a block, and no clause."""
ROWS = ("deliberately", "no", "inherit", "final", "order")
"""Words that begin a line among clauses."""


def no_clause(rest: list[Tok], among_lines: bool) -> bool:
    """Whether what begins here is a line of a block rather than a clause: it has no arrow, nor
    what stands elsewhere in its place, and no form in front unless it stands below such lines."""
    if not rest or rest[0].text in LINES:
        return bool(rest)
    if rest[0].text in ROWS or (rest[0].kind == "Name" and not among_lines):
        return False
    for number, tok in enumerate(rest):
        if number and tok.first and tok.column <= rest[0].column:
            break
        if tok.kind == "symbol" and tok.text in ("=>", *ARROWS):
            return False
    return True


def _begins(tok: Tok) -> bool:
    """Whether an expression may begin with a token."""
    return tok.kind in ("name", "Name", "number", "text") or tok.text in ("(", "[")
