"""Which functions give what their subject comes to, and which hand it on: by a continuation, or on
the stack of a machine. What such a judgement gives is what the rest of the program gives."""

from __future__ import annotations

from collections.abc import Iterator

from embrix.brix import core as k
from embrix.machine.tails import VALUES, Tails, called_last
from embrix.terms.signature import Signature
from embrix.terms.types import Con, Tup, Type, settle


def handing_on(interpreter: k.Interpreter) -> frozenset[str]:
    """The functions whose clauses for forms without parts go on with the rest of the program: they
    call, in tail position, a function that is a value or one that comes back to themselves.

    A sort all of whose forms have parts is judged by all clauses together.
    """
    tails = Tails(interpreter.functions)
    found: set[str] = set()
    for name, function in interpreter.functions.items():
        if function.subject is None:
            continue
        bodies = list(_bodies(function))
        leaves = [body for tag, body in bodies if _is_leaf(interpreter.language.signature, tag)]
        judged = leaves or [body for _, body in bodies]
        going = [_comes_back(tails, name, body) for body in judged]
        if any(going) if leaves else going and all(going):
            found.add(name)
    return frozenset(found)


def _bodies(function: k.Function) -> Iterator[tuple[int | None, k.Core]]:
    """Each clause: the form that its subject has (None when it may have several), its body."""
    assert function.subject is not None
    clauses, column = function.clauses, None
    if function.subject in function.subjects:
        column = function.subjects.index(function.subject)
    body = function.body
    if isinstance(body, k.Match):
        clauses = body.clauses
        subject = k.Local(function.slots[function.subject])
        column = body.subjects.index(subject) if subject in body.subjects else None
    elif body is not None:
        yield None, body
    for clause in clauses:
        pattern = clause.patterns[column] if column is not None else None
        while isinstance(pattern, k.Named):
            pattern = pattern.inner
        yield (pattern.tag if isinstance(pattern, k.Shape) else None), clause.body


def _is_leaf(signature: Signature, tag: int | None) -> bool:
    form = signature.by_tag.get(tag) if tag is not None else None
    if form is None or form.uses:
        return False
    return not any(_holds_terms(kind, signature.sorts) for kind in form.types)


def _holds_terms(kind: Type, sorts: tuple[str, ...]) -> bool:
    kind = settle(kind)
    if isinstance(kind, Tup):
        return any(_holds_terms(item, sorts) for item in kind.items)
    if isinstance(kind, Con):
        return kind.name in sorts or any(_holds_terms(item, sorts) for item in kind.args)
    return False


def _comes_back(tails: Tails, name: str, body: k.Core) -> bool:
    called = set(called_last(body))
    return any(other in (name, VALUES) or tails.comes_to(other, {name, VALUES}) for other in called)
