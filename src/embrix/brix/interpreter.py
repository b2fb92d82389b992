"""Checking an interpreter against its language."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from functools import partial

from msgspec import Struct

from embrix.brix import core as k
from embrix.brix import syntax as s
from embrix.brix.answers import answered
from embrix.brix.checked_before import as_before, checked_by
from embrix.brix.code_in_environments import report_code_in_environments
from embrix.brix.contexts import without_contexts
from embrix.brix.effects import check_effects
from embrix.brix.evaluators import evaluators, plain_template, repeating
from embrix.brix.functions import check_function, declare_function
from embrix.brix.infer import Infer
from embrix.brix.language import (
    check_error,
    declare_choice,
    declare_constructors,
    template_parts,
)
from embrix.brix.lint import report_code_without_environment
from embrix.brix.widen import extended_interpreter, standing_alone, with_libraries
from embrix.brix.world import World, unify
from embrix.terms.node import FIRST_FREE_TAG, Constructor
from embrix.terms.signature import Signature
from embrix.terms.types import (
    ARITY,
    BOOL,
    NAME,
    TEXT,
    UNKNOWN,
    Con,
    Hole,
    Tup,
    Type,
    listing,
    settle,
    show_type,
)
from embrix.text.diagnostic import Diagnostic, Findings
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean


class CheckedInterpreter:
    """An interpreter whose errors are known; warnings are looked for when somebody asks."""

    def __init__(
        self,
        made: k.Interpreter | None,
        errors: Sequence[Diagnostic],
        look: Callable[[], tuple[Diagnostic, ...]],
    ) -> None:
        """`look` finds the errors and what there is to warn of."""
        self.made = made
        self.errors = tuple(errors)
        self._look: Callable[[], tuple[Diagnostic, ...]] | None = look
        self._found: tuple[Diagnostic, ...] = ()

    def found(self) -> tuple[Diagnostic, ...]:
        """Everything that is wrong with it, and what it is warned of."""
        if self._look is not None:
            self._found, self._look = self._look(), None
        return self._found


def check_interpreter(
    written: s.InterpreterSyntax,
    language: k.Language,
    base: k.Interpreter | None = None,
    libraries: Mapping[str, s.LibrarySyntax] | None = None,
) -> CheckedInterpreter:
    """The interpreter that a file defines, joined with the one it extends and with the libraries
    it uses. What has an error is still to be written: a run that comes to it is unfinished. It
    is None only where the definition is nested too deeply."""
    own = Findings()
    syntax = written
    later: list[Callable[[], None]] = []
    try:
        of_language = language.syntax.functions
        if base is not None and base.syntax is not None:
            narrower = _narrower(base, language)
            joined = extended_interpreter(base.syntax, written, narrower, of_language, own)
        else:
            joined = standing_alone(written, of_language, own)
        syntax = with_libraries(joined, libraries or {}, own)
        taken = {
            define.name for define in joined.functions
            if not any(define is one for one in written.functions)
        }  # fmt: skip
        before = base.checked if base is not None else None
        checking = _Interpreter(syntax, language, own, taken, before)
        later = checking.world.later
        result = checking.check(joined)
    except RecursionError:
        own.error(
            "unreadable", "a definition in this file is nested too deeply", syntax.source,
            syntax.span,
        )  # fmt: skip
        result = None
    inherited = base.syntax.answers if base is not None and base.syntax is not None else ()
    answers = (*inherited, *written.answers)
    damaged = any(define.damaged for define in syntax.functions)

    def look() -> tuple[Diagnostic, ...]:
        for search in later:
            search()
        whole = not own.has_errors and not damaged
        return answered(own, answers, written.source, whole=whole).sorted()

    errors = [one for one in own.sorted() if one.severity == "error"]
    return CheckedInterpreter(result, errors, look)


def _narrower(base: k.Interpreter, language: k.Language) -> dict[str, list[str]]:
    """The forms of the sorts that have more in a language than in that of a base."""
    if base.language.name == language.name:
        return {}
    before = base.language.signature
    return {
        sort: [form.name for form in before.of_sort(sort)]
        for sort in before.sorts
        if len(language.signature.of_sort(sort)) > len(before.of_sort(sort))
    }


KEPT = ("Env", "Store", "Map", "Set")
"""Types of what a run may take up from another: they have an empty value to begin with."""


class _Interpreter:
    def __init__(
        self, syntax: s.InterpreterSyntax, language: k.Language, findings: Findings,
        taken: Collection[str] = (), before: k.CheckedBefore | None = None,
    ) -> None:  # fmt: skip
        """`taken` over, and perhaps widened, are functions of these names: they stand for those of
        the language. `before` are the functions of the interpreter that is extended."""
        self.syntax = syntax
        self.taken = taken
        self.before = before
        self.language = language
        sorts = set(language.signature.sorts)
        whole = language.numbers == "integer" and not language.other_numbers
        self.world = World(syntax.source, findings, sorts, language.numbers, whole)
        self.world.constructors.update(language.signature.by_name)
        self.world.errors.update({error.name: error for error in language.errors})
        self.world.choices.update(language.choices)
        self.world.lost.update((*language.syntax.lost, *syntax.lost))
        self.own_errors: list[k.ErrorType] = []

    def check(self, joined: s.InterpreterSyntax) -> k.Interpreter:
        """`joined` is the text that an interpreter which extends this one takes over."""
        syntax, world = self.syntax, self.world
        for decl in syntax.types:
            if decl.word == "forms":
                if decl.name not in world.sorts:
                    world.error(
                        "unknown_type", f"there is no sort called {decl.name}", decl.span,
                        did_you_mean(decl.name, world.sorts),
                    )  # fmt: skip
                continue
            if decl.name in world.known_types:
                world.error("declared_twice", f"{decl.name} is declared already", decl.span)
            if decl.means is not None:
                world.abbreviations.setdefault(decl.name, decl)
                continue
            world.types[decl.name] = decl.word
            world.arities[decl.name] = len(decl.params)
        world.check_abbreviations()
        for choice in syntax.choices:
            declare_choice(world, choice)
        first = FIRST_FREE_TAG + len(self.language.signature.forms)
        own = declare_constructors(world, syntax.types, first)
        if self.before is not None:
            own = as_before(own, world.constructors, self.before.constructors)
        self.signature = Signature((*self.language.signature.forms, *(c for c in own if c.is_form)))
        for error in syntax.errors:
            self.own_errors.append(check_error(world, error))
        if self.before is not None:
            self.own_errors = as_before(self.own_errors, world.errors, self.before.errors)
        of_language = [one for one in self.language.syntax.functions if one.name not in self.taken]
        written = (*of_language, *syntax.functions)
        defines = [made for define in written for made in without_contexts(world, define, written)]
        for define in defines:
            declare_function(world, define)
        judgements = self.judgements()
        main = syntax.main.function if syntax.main is not None else ""
        working = evaluators(world, written, main)
        repeats = repeating(world, written, main, {*judgements, *working})
        if not syntax.judgements and not repeats:
            judgements = {name: plain_template(name, len(world.functions[name].params))
                          for name in working}  # fmt: skip
        judged = {*judgements, *working}
        functions: dict[str, k.Function] = {}
        checked = checked_by(world)
        known = self.before if self.before and self.before.holds_in(checked) else None
        for define in defines:
            if world.functions[define.name].span is not define.span:
                continue
            before, begun = len(world.later), self.wrong_so_far
            judgement = judgements.get(define.name)
            function = known.of(define, judgement) if known is not None else None
            if function is None:
                function = check_function(world, define, judgement, judged)
            functions[define.name] = world.checked[define.name] = function
            if self.wrong_so_far == begun and not define.damaged:
                checked.functions[define.name] = (define, judgement, function)
            if define in self.language.syntax.functions and not any(one.is_form for one in own):
                del world.later[before:]  # the language has been warned of that
        if not world.findings.has_errors:
            look = partial(report_code_without_environment, world, syntax.types, judged)
            world.later.append(look)
            world.later.append(
                partial(report_code_in_environments, world, functions, judged, self.signature)
            )
        shown = self.shown(own)
        for letter in syntax.letters:
            if letter.type not in ARITY and letter.type not in world.known_types:
                world.no_type(letter.type, letter.span)
        laws = tuple(made for law in syntax.laws if (made := self.law(law)) is not None)
        sentences = self.sentences()
        check_effects(world, functions, (*shown.values(), *sentences.values()), list(laws))
        mark = world.mark()
        start = self.main()
        if start is None:
            start = " main"
            functions[start] = self.no_main(mark)
        constructors = {**self.language.signature.by_tag, **{c.tag: c for c in own}}
        return k.Interpreter(
            syntax.name, syntax.source, syntax.doc, self.language, constructors,
            (*self.language.errors, *self.own_errors), functions, shown, start, self.signature,
            laws, dict(world.choices), {}, joined, sentences=sentences, repeating=repeats,
            checked=checked,
        )  # fmt: skip

    @property
    def wrong_so_far(self) -> tuple[int, int, int]:
        world = self.world
        return world.mark(), len(world.contained), world.findings.count

    # ---------------------------------------------------------------- judgements and main

    def judgements(self) -> dict[str, k.TemplateParts]:
        found: dict[str, k.TemplateParts] = {}
        for decl in self.syntax.judgements:
            signature = self.world.functions.get(decl.function)
            if signature is None and self.world.is_lost(decl.function):
                continue
            if signature is None:
                self.world.error(
                    "unknown_name", f"no function called {decl.function} is defined", decl.span,
                    did_you_mean(decl.function, self.world.functions),
                )  # fmt: skip
                continue
            components = self.components(decl, signature.result)
            naming = "; what comes out has a name where `gives NAME` stands behind the text"
            found[decl.function] = template_parts(
                self.world, decl.template, signature.params, components,
                further=naming if decl.gives is None else "",
            )  # fmt: skip
        return found

    def components(self, decl: s.JudgementDecl, result: Type) -> dict[str, int]:
        """What the names in a template stand for that are no parameters: `result`, or the names
        of the `gives` pattern."""
        names = {"result": k.RESULT}
        if decl.gives is None:
            return names
        kind = settle(result)
        parts = decl.gives.items if isinstance(decl.gives, s.PTuple) else (decl.gives,)
        count = len(kind.items) if isinstance(kind, Tup) else 1
        plain = all(isinstance(part, s.PVar | s.PAny) for part in parts)
        if len(parts) != count or not plain:
            self.world.error(
                "wrong_pattern", f"{decl.function} gives {show_type(result)}: name each component",
                decl.gives.span, "write: gives (v, after)",
            )  # fmt: skip
            return names
        for number, part in enumerate(parts, 1):
            if isinstance(part, s.PVar):
                names[part.name] = k.RESULT - number if count > 1 else k.RESULT
        return names

    def main(self) -> str | None:
        decl = self.syntax.main
        if decl is None and self.syntax.only_extended:
            return None
        if decl is None and self.world.is_lost("main"):
            return None
        if decl is None:
            self.world.error(
                "missing_part", f"{self.syntax.name} does not say which function runs a program",
                self.syntax.span, "add a line `main FUNCTION`",
            )  # fmt: skip
            return None
        signature = self.world.functions.get(decl.function)
        if signature is None and self.world.is_lost(decl.function):
            return None
        if signature is None:
            self.world.error(
                "unknown_name", f"no function called {decl.function} is defined", decl.span,
                did_you_mean(decl.function, self.world.functions),
            )  # fmt: skip
            return None
        sorts = self.start_sorts()
        types = signature.types
        first = settle(types[0]) if types else None
        # That no form can be a program has been said of the grammar.
        fits = not sorts or (isinstance(first, Con) and first.name in sorts)
        if len(types) >= 2:
            fits = fits and unify(types[1], listing(Tup((NAME, Hole()))))
        if not fits or not self.keeps(types[2:], signature.result):
            self.world.error(
                "type_mismatch", f"{decl.function} cannot run programs: its first parameter must "
                f"be of type {' or '.join(sorts)}, a second one of List[(Name, VALUE)], further "
                "ones of the types of what it gives beside the value, each an Env, Store, Map or "
                "Set", decl.span,
            )  # fmt: skip
            return None
        return decl.function

    def keeps(self, types: Sequence[Type], result: Type) -> bool:
        """Whether parameters can take up what another run has left: all that comes beside the
        value."""
        settled = settle(result)
        beside = settled.items[1:] if isinstance(settled, Tup) else ()
        return not types or (
            len(types) == len(beside)
            and all(map(unify, types, beside))
            and all(getattr(settle(kind), "name", "") in KEPT for kind in types)
        )

    def no_main(self, mark: int) -> k.Function:
        """What runs a program where nothing is known that does: it is still to be written."""
        span = self.syntax.main.span if self.syntax.main is not None else self.syntax.span
        body = self.world.hole(mark, span) or k.Todo("no function runs a program", span)
        sorts = self.start_sorts()
        return k.Function(
            " main", ("program",), (0,), (Con(sorts[0]) if sorts else UNKNOWN,), UNKNOWN, None,
            (), (), body, (), None, span,
        )  # fmt: skip

    def start_sorts(self) -> list[str]:
        """The sorts that programs of the language may have."""
        grammar = self.language.grammar
        if grammar is None:
            return list(self.language.signature.sorts)
        found = []
        for start in grammar.starts:
            for name in self.language.signature.sorts:
                if name not in found and self._derives(start, name):
                    found.append(name)
        return found

    def _derives(self, start: str, sort: str) -> bool:
        grammar = self.language.grammar
        assert grammar is not None
        seen: set[int] = set()
        stack = [grammar.entry[start]]
        while stack:
            left = stack.pop()
            if left in seen:
                continue
            seen.add(left)
            for production in grammar.by_left.get(left, ()):
                if production.form is not None:
                    return production.form.owner == sort
                if production.passes is not None:
                    target = production.right[production.passes]
                    if target < 0:
                        stack.append(target)
        return False

    # ---------------------------------------------------------------- shown and laws

    def shown(self, own: Sequence[Constructor]) -> dict[int, k.Function]:
        result: dict[int, k.Function] = {}
        by_name = {c.name: c for c in own}
        for decl in self.syntax.types:
            for row in decl.constructors:
                constructor = by_name.get(row.name)
                if row.shown is None or constructor is None:
                    continue
                mark = self.world.mark()
                made = self.display(constructor, row.shown, row.span)
                if self.world.hole(mark, row.span) is None:
                    result[constructor.tag] = made
        return result

    def display(self, constructor: Constructor, shown: s.Expr, span: Span) -> k.Function:
        infer = Infer(self.world)
        slots = tuple(
            infer.declare(name, kind, span)
            for name, kind in zip(constructor.fields, constructor.types, strict=True)
        )
        body, kind = infer.infer(shown)
        settled = settle(kind)
        term = isinstance(settled, Con) and settled.name in self.world.sorts
        if not term and not unify(kind, TEXT):
            self.world.error(
                "type_mismatch", f"what is shown must be a text or a term, not {show_type(kind)}",
                shown.span,
            )  # fmt: skip
        return k.Function(
            f"shown {constructor.name}", constructor.fields, slots, constructor.types, kind, None,
            (), (), body, (), None, span,
        )  # fmt: skip

    def sentences(self) -> dict[str, k.Function]:
        """For errors whose sentences hold more than names: the functions that give them."""
        result: dict[str, k.Function] = {}
        for decl in (*self.language.syntax.errors, *self.syntax.errors):
            error = self.world.errors.get(decl.name)
            if error is None or all(isinstance(one, str | s.Ref) for one in decl.message.parts):
                continue
            mark = self.world.mark()
            infer = Infer(self.world)
            slots = tuple(
                infer.declare(name, kind, decl.span)
                for name, kind in zip(error.fields, error.types, strict=True)
            )
            body = infer.check(decl.message, TEXT)
            if self.world.hole(mark, decl.span) is None:
                result[decl.name] = k.Function(
                    f"sentence {decl.name}", error.fields, slots, error.types, TEXT, None,
                    (), (), body, (), None, decl.span,
                )  # fmt: skip
        return result

    def law(self, law: s.LawDecl) -> k.Law | None:
        """A law is a function of its free names; their types follow from their uses, wherever in
        the law these stand. What is only said to be a term is one of the sort of names. None where
        it is wrong."""
        mark = self.world.mark()
        names = _law_names(law, self.world)
        holes: list[Type] = [Hole() for _ in names]
        guessing = Infer(self.world.aside(), wavering=True)
        self._law_body(guessing, law, names, holes)
        infer = Infer(self.world)
        slots, bodies = self._law_body(infer, law, names, holes)
        span = law.span
        if self.world.hole(mark, span) is not None:
            return None
        text = (span.source or self.syntax.source).text[span.start : span.end]
        functions = [
            k.Function(
                "law", tuple(names), slots, tuple(holes), BOOL, None, (), (), body, (), None, span,
            )
            for body in bodies
        ]  # fmt: skip
        negative = tuple(isinstance(part, s.Unary) for part in _conjuncts(law.condition))
        return k.Law(" ".join(text.split()), functions[0], span, tuple(functions[1:]), negative)

    def _law_body(
        self, infer: Infer, law: s.LawDecl, names: Sequence[str], holes: Sequence[Type]
    ) -> tuple[tuple[int, ...], list[k.Core]]:
        """The slots of its names; what it concludes, and the parts of its condition."""
        slots = tuple(infer.declare(n, h, law.span) for n, h in zip(names, holes, strict=True))
        parts = [law.conclusion, *_conjuncts(law.condition)]
        return slots, [infer.with_maps(partial(infer.check, part, BOOL)) for part in parts]


def _conjuncts(condition: s.Expr | None) -> list[s.Expr]:
    """The parts of a condition that `and` joins, from left to right."""
    if isinstance(condition, s.Binary) and condition.operator == "and":
        return [*_conjuncts(condition.left), *_conjuncts(condition.right)]
    return [] if condition is None else [condition]


def _law_names(law: s.LawDecl, world: World) -> list[str]:
    """The names in a law that nothing in it and no function explains, in the order of the text."""
    found: dict[str, int] = {}
    bound = {"true", "false", "empty", *world.functions}
    pending: list[object] = [law.conclusion, law.condition]
    while pending:
        part = pending.pop()
        if isinstance(part, s.Ref):
            found[part.name] = min(part.span.start, found.get(part.name, part.span.start))
        elif isinstance(part, s.PVar | s.PAs | s.LetRec):
            bound.add(part.name)
        if isinstance(part, s.Apply) and isinstance(part.callee, s.Ref):
            pending += part.args
        elif isinstance(part, tuple):
            pending += part
        elif isinstance(part, Struct):
            pending += [getattr(part, one) for one in part.__struct_fields__ if one != "span"]
    return sorted((name for name in found if name not in bound), key=found.__getitem__)
