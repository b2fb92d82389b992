"""Taking over an interpreter: its text joined with what `extend` and `replace` say; libraries.

The result is checked as if it stood in one file. Clauses of a widening are tried before those of
the base. A clause of the base that takes everything of a sort stands for the forms that the base's
language has, unless `inherit` names more.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec.structs import replace

from embrix.brix import syntax as s
from embrix.text.diagnostic import Findings
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean


def extended_interpreter(
    base: s.InterpreterSyntax,
    own: s.InterpreterSyntax,
    forms: Mapping[str, Sequence[str]],
    of_language: Sequence[s.Define],
    findings: Findings,
) -> s.InterpreterSyntax:
    """An interpreter with everything of its base, which has been joined before.

    `forms` gives the forms of each sort of the base's language, where the own language has more;
    it is empty where both have the same. Functions of the language may be widened as well; what
    has been widened stands among the functions of the interpreter.
    """
    judged = {decl.function for decl in own.judgements}
    there = {define.name: define for define in (*of_language, *base.functions)}
    widened = widened_functions([*there.values()], own, forms, findings)
    kept = [define for define in widened if not any(define is one for one in of_language)]
    return replace(
        own,
        types=_types(base.types, own, findings),
        errors=base.errors + own.errors,
        judgements=(*(j for j in base.judgements if j.function not in judged), *own.judgements),
        main=own.main or base.main,
        functions=(*kept, *own.functions),
        laws=base.laws + own.laws,
        letters=base.letters + own.letters,
        widenings=(),
        choices=base.choices + own.choices,
        uses=base.uses + own.uses,
        lost=base.lost + own.lost,
    )


def widened_functions(
    base: Sequence[s.Define],
    own: s.InterpreterSyntax | s.LanguageSyntax,
    forms: Mapping[str, Sequence[str]],
    findings: Findings,
) -> list[s.Define]:
    """The functions of a base with what is put before their clauses, or in their place."""
    functions = {define.name: define for define in base}
    for widening in own.widenings:
        known = functions.get(widening.name)
        if known is None:
            _nothing(findings, own, f"no function called {widening.name}", widening.span,
                     did_you_mean(widening.name, functions))  # fmt: skip
        elif _fits(known, widening, own, findings):
            functions[widening.name] = _widened(known, widening, forms)
    widened = {widening.name for widening in own.widenings}
    return [
        define if define.name in widened else _limited(define, forms, frozenset())
        for define in functions.values()
    ]


def standing_alone(
    own: s.InterpreterSyntax, of_language: Sequence[s.Define], findings: Findings
) -> s.InterpreterSyntax:
    """An interpreter without a base: `extend` and `replace` refer to functions of the language."""
    names = {define.name for define in of_language}
    for widening in own.widenings:
        if widening.name not in names:
            _nothing(
                findings, own, f"this extends nothing, so there is no {widening.name} to take up",
                widening.span,
                "a header says: interpreter NAME for LANGUAGE extends LANGUAGE.NAME",
            )  # fmt: skip
    there = replace(own, widenings=tuple(one for one in own.widenings if one.name in names))
    widened = widened_functions(of_language, there, {}, findings)
    changed = [define for define in widened if not any(define is one for one in of_language)]
    return replace(
        own, types=_types((), own, findings), functions=(*changed, *own.functions), widenings=()
    )


def with_libraries(
    own: s.InterpreterSyntax, libraries: Mapping[str, s.LibrarySyntax], findings: Findings
) -> s.InterpreterSyntax:
    """An interpreter with the declarations of the libraries that it uses."""
    taken: dict[str, s.LibrarySyntax] = {}
    for use in own.uses:
        library = libraries.get(use.library)
        if library is None:
            findings.error(
                "unknown_name", f"there is no library called {use.library}", own.source, use.span,
                did_you_mean(use.library, libraries),
            )  # fmt: skip
            continue
        taken[use.library] = library
        known = [decl.name for decl in library.types]
        known += [decl.name for decl in library.errors]
        known += [decl.name for decl in library.functions]
        for name, span in use.names:
            if name not in known:
                findings.error(
                    "unknown_name", f"{use.library} has nothing called {name}", own.source, span,
                    did_you_mean(name, known),
                )  # fmt: skip
    found = taken.values()
    return replace(
        own,
        types=(*(decl for library in found for decl in library.types), *own.types),
        errors=(*(decl for library in found for decl in library.errors), *own.errors),
        functions=(*(decl for library in found for decl in library.functions), *own.functions),
        lost=(*(one for library in found for one in library.lost), *own.lost),
    )


def _nothing(
    findings: Findings,
    own: s.InterpreterSyntax | s.LanguageSyntax,
    message: str,
    span: Span,
    hint: str,
) -> None:
    findings.error("nothing_taken_over", message, own.source, span, hint)


def _fits(
    known: s.Define,
    widening: s.Widening,
    own: s.InterpreterSyntax | s.LanguageSyntax,
    findings: Findings,
) -> bool:
    """Whether a widening names the parameters of the base, and brings what the base has."""
    names = [param.name for param in known.params]
    given = [name for name, _ in widening.params]
    if names != given:
        findings.error(
            "wrong_number", f"the parameters of {known.name} are called {', '.join(names)}",
            own.source, widening.span, f"write: {known.name}({', '.join(names)})",
        )  # fmt: skip
        return False
    if widening.body is not None and (known.subjects or not widening.replaces):
        findings.error(
            "wrong_pattern", f"{known.name} is widened by clauses" if known.subjects
            else f"{known.name} has no clauses that could be widened", own.source, widening.span,
            "write lines PATTERN => RESULT" if known.subjects else f"write: replace {known.name}",
        )  # fmt: skip
        return False
    return True


def _widened(known: s.Define, widening: s.Widening, forms: Mapping[str, Sequence[str]]) -> s.Define:
    if widening.body is not None:
        return replace(known, body=widening.body, span=widening.span, damaged=widening.damaged)
    inherited = frozenset(
        name for row in widening.rows if isinstance(row, s.Inherit) for name, _ in row.forms
    )
    limited = _limited(known, forms, inherited)
    again = known.span.source is widening.span.source
    extends = not widening.replaces or (again and known.widened == "extend")
    return replace(
        limited,
        rows=(*widening.rows, *limited.rows),
        span=widening.span,
        damaged=known.damaged or widening.damaged,
        widened="extend" if extends else "replace",
        replacing=known.replacing + (_spans(widening.rows) if widening.replaces else ()),
    )


def _spans(rows: Sequence[s.DefineRow]) -> tuple[Span, ...]:
    return tuple(row.span for row in rows)


def _limited(
    define: s.Define, forms: Mapping[str, Sequence[str]], inherited: frozenset[str]
) -> s.Define:
    """The base's clauses that take everything stand for the forms that the base knew."""
    names = [param.name for param in define.params]
    if not define.subjects or define.subjects[0][0] not in names:
        return define
    kind = define.params[names.index(define.subjects[0][0])].type
    sort = kind.name if isinstance(kind, s.TypeName) else ""
    if sort not in forms and not inherited:
        return define
    rows: list[s.DefineRow] = []
    for row in define.rows:
        if isinstance(row, s.Clause) and _takes_all(row.patterns[0]):
            before = row.only if row.only is not None else frozenset(forms.get(sort, ()))
            rows.append(replace(row, only=before | inherited))
        else:
            rows.append(row)
    return replace(define, rows=tuple(rows))


def _takes_all(pattern: s.Pattern) -> bool:
    if isinstance(pattern, s.PAs):
        return _takes_all(pattern.inner)
    return isinstance(pattern, s.PVar | s.PAny)


def _types(
    base: tuple[s.TypeDecl, ...], own: s.InterpreterSyntax, findings: Findings
) -> tuple[s.TypeDecl, ...]:
    joined = {decl.name: decl for decl in base}
    for decl in own.types:
        known = joined.get(decl.name)
        if decl.word == "forms" and known is not None and known.word == "forms":
            joined[decl.name] = _more_constructors(known, decl, own, findings)
        elif decl.extends and known is None:
            _nothing(findings, own, f"there is no {decl.word} {decl.name} to extend", decl.span,
                     did_you_mean(decl.name, joined))  # fmt: skip
            joined[decl.name] = decl
        elif known is not None and not decl.extends:
            there = known in base
            findings.error(
                "declared_twice",
                f"{decl.name} is declared {'in the base ' if there else ''}already", own.source,
                decl.span, f"write: extend {decl.word} {decl.name}" if there else "",
            )  # fmt: skip
        elif known is not None:
            joined[decl.name] = _more_constructors(known, decl, own, findings)
        else:
            joined[decl.name] = decl
    return tuple(joined.values())


def _more_constructors(
    known: s.TypeDecl, decl: s.TypeDecl, own: s.InterpreterSyntax, findings: Findings
) -> s.TypeDecl:
    """A type of the base with further constructors, and with some of its own shown otherwise."""
    there = {one.name: one for one in known.constructors}
    for one in (row for row in decl.constructors if row.replaces):
        old = there.get(one.name)
        if old is None:
            _nothing(findings, own, f"{known.name} of the base has no {one.name}", one.span,
                     did_you_mean(one.name, there))  # fmt: skip
        elif [field.name for field in old.fields] != [field.name for field in one.fields]:
            names = ", ".join(field.name for field in old.fields)
            findings.error(
                "wrong_number", f"the fields of {one.name} are {names or 'none'}; only what it is "
                "shown as can be replaced", own.source, one.span,
            )  # fmt: skip
        else:
            there[one.name] = replace(old, shown=one.shown, role=one.role or old.role)
    new = (row for row in decl.constructors if not row.replaces)
    return replace(known, constructors=(*there.values(), *new))
