"""What goes wrong silently: definitions that run, and give something that nobody meant.

Each finding is a warning that an author can answer by `deliberately CODE "reason"`. What is looked
at is one clause at a time, along the ways through it; so much is known, and no more.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence

from embrix.brix import syntax as s
from embrix.brix.paths import (
    Called,
    Given,
    Made,
    Paths,
    Tested,
    Updated,
    Used,
    Variable,
    Way,
    inside,
)
from embrix.brix.relations import term_among
from embrix.brix.world import FunctionSignature, World
from embrix.terms.types import Con, Tup, Type, settle
from embrix.text.source import Span

_STORE_CHANGES = ("alloc", "reserve")


def report_lint(
    world: World,
    define: s.Define,
    types: dict[tuple[int, int], Type],
    judged: Collection[str],
) -> None:
    """Warnings about one function; `types` gives those of its variables by where they are bound."""
    _FunctionLint(world, define, types, judged).report()


class _FunctionLint:
    def __init__(
        self,
        world: World,
        define: s.Define,
        types: dict[tuple[int, int], Type],
        judged: Collection[str],
    ) -> None:
        self.world = world
        self.define = define
        self.signature = world.functions[define.name]
        self.types = types
        self.judged = judged
        self.reported: set[tuple[str, int, int]] = set()
        self.tested_above: set[tuple[str, int]] = set()
        """The binders by form and field that the guard of a clause further up tests."""
        self.orders: list[tuple[str, bool, Span]] = []
        """For each clause that evaluates several fields of a form: whether in their order."""

    def warn(self, code: str, message: str, span: Span, hint: str) -> None:
        key = (code, span.start, span.end)
        if key not in self.reported:
            self.reported.add(key)
            self.world.warning(code, message, span, hint)

    def own(self, span: Span) -> bool:
        return (span.source or self.world.source) is self.world.source

    def report(self) -> None:
        define = self.define
        if define.body is not None and self.own(define.body.span):
            self.clause(None, define.body, define.span)
        for row in define.rows:
            if isinstance(row, s.Order):
                self.order(row)
            elif isinstance(row, s.Clause) and self.own(row.span):
                # What is taken over is looked at where it stands.
                self.clause(row, row.body, row.span)
        self.against_order()

    # ---------------------------------------------------------------- one clause

    def clause(self, row: s.Clause | None, body: s.Expr, span: Span) -> None:
        paths = Paths(self.types)
        scope: dict[str, Variable] = {}
        for name, kind in zip(self.signature.params, self.signature.types, strict=True):
            scope[name] = Variable(name, settle(kind), self.define.span, "parameter")
        for pattern in row.patterns if row is not None else ():
            paths.bind(pattern, scope, "field")
        ways: list[Way] = [()]
        if row is not None and row.guard is not None:
            ways = [(Tested(paths.mentioned(row.guard, scope)),)]
            paths.ways(row.guard, scope)
        ways = [one + other for one in ways for other in paths.ways(body, scope)]
        for way in ways:
            self.outdated_store(way)
            self.evaluated_twice(way)
            self.environments(way, scope)
            self.frames(way)
            if row is not None:
                self.under_binder(way, row)
        if row is not None:
            self.evaluated_in_order(ways, row)
            self.unforced(body, scope)
            if row.guard is not None:
                tested = paths.mentioned(row.guard, scope)
                self.tested_above |= {(one.form, one.index) for one in tested if one.form}
        self.numbers(body)
        if not any(isinstance(part, s.Todo) for part in inside(body)):
            self.unused(paths.found)  # what is still to be written may use them

    def numbers(self, body: s.Expr) -> None:
        """Numbers and operations outside the kind that the language declares."""
        if self.world.numbers != "integer":
            return
        for part in inside(body):
            if isinstance(part, s.NumberLit) and not isinstance(part.value, int):
                self.warn(
                    "no_such_number", "the language has whole numbers only", part.span,
                    "write a whole number, or change the line `numbers integer`",
                )  # fmt: skip
            elif isinstance(part, s.Binary) and part.operator == "/":
                self.warn(
                    "drops_remainder", "`/` on whole numbers drops what is over", part.span,
                    "write div to say so",
                )  # fmt: skip

    def unused(self, found: Sequence[Variable]) -> None:
        for one in found:
            sort = isinstance(one.type, Con) and one.type.name in self.world.sorts
            field = one.origin == "field" and one.form and sort and self.define.name in self.judged
            if not one.used and (one.origin == "let" or field):
                self.warn(
                    "unused_name", f"{one.name} is not used", one.span,
                    f"write _{' in its place' if field else ''}, or use it",
                )  # fmt: skip

    # ---------------------------------------------------------------- stores

    def outdated_store(self, way: Way) -> None:
        """A store that was handed on, and is used again although another one came back."""
        outdated: dict[Variable, str] = {}
        for event in way:
            if isinstance(event, Used) and event.variable in outdated:
                name = event.variable.name
                self.warn(
                    "outdated_store", f"{name} is outdated here: {outdated[event.variable]}",
                    event.span,
                    "use the store that the call gives back, perhaps under the same name",
                )  # fmt: skip
            elif isinstance(event, Called) and self.gives_store(event.function):
                for given in event.args:
                    if given.variable is not None and _is(given.variable.type, "Store"):
                        outdated[given.variable] = f"{event.function} has given a newer one"
            elif isinstance(event, Updated) and _is(event.variable.type, "Store"):
                outdated[event.variable] = "it has been changed by `with`"

    def gives_store(self, function: str) -> bool:
        if function in _STORE_CHANGES:
            return True
        signature = self.world.functions.get(function)
        kind = settle(signature.result) if signature is not None else None
        parts = kind.items if isinstance(kind, Tup) else (kind,)
        return any(part is not None and _is(part, "Store") for part in parts)

    # ---------------------------------------------------------------- evaluation

    def evaluations(self, way: Way) -> Iterator[tuple[Called, Given, Given | None]]:
        """The calls of judgements on a term, with the term and the environment."""
        for event in way:
            if not isinstance(event, Called) or event.function not in self.judged:
                continue
            signature = self.world.functions[event.function]
            subject = self.subject_of(signature)
            if subject is None or subject >= len(event.args):
                continue
            kinds = zip(signature.types, event.args, strict=False)
            around = next((given for kind, given in kinds if _is(kind, "Env")), None)
            yield event, event.args[subject], around

    def subject_of(self, signature: FunctionSignature) -> int | None:
        return term_among(self.world.sorts, signature.types, signature.subjects)

    def evaluated_twice(self, way: Way) -> None:
        seen: set[object] = set()
        for event, subject, _ in self.evaluations(way):
            if subject.variable is None or subject.variable.origin != "field":
                continue
            kinds = self.world.functions[event.function].types
            key = (event.function, *(
                given.key for kind, given in zip(kinds, event.args, strict=False)
                if not _is(kind, "Store")
            ))  # fmt: skip
            if key in seen:
                name = subject.variable.name
                self.warn(
                    "evaluated_twice", f"{name} is evaluated a second time here", event.span,
                    f"name the result by a `let`, or answer: an effect in {name} happens twice",
                )  # fmt: skip
            seen.add(key)

    def environments(self, way: Way, scope: dict[str, Variable]) -> None:
        """In which environment a part is evaluated: the one that the form or closure means."""
        for event, subject, around in self.evaluations(way):
            term = subject.variable
            if term is None or around is None or not term.form:
                continue
            maker = self.world.constructors.get(term.form)
            if maker is None or term.index < 0:
                continue
            if not maker.is_form:
                self.closure(event, term, around)
                continue
            for bind in maker.binds:
                if any(spot.inner for spot in (*bind.names, *bind.scopes)):
                    continue
                binders = {
                    mate for spot in bind.names
                    if (mate := term.mates[spot.field]) is not None
                }  # fmt: skip
                inside = term.index in {spot.field for spot in bind.scopes}
                if around.base is None or around.base.origin != "parameter" or not binders:
                    continue
                if inside and not around.added and around.variable is around.base:
                    self.warn(
                        "scope_without_binding", f"{_names(binders)} is bound in {term.name}, but "
                        "is not in this environment", event.span,
                        f"extend it: {around.base.name} with {_names(binders)} = …",
                    )  # fmt: skip
                elif (
                    not inside
                    and not self.bound_elsewhere(maker.binds, term)
                    and (binders & around.added)
                ):
                    self.warn(
                        "bound_too_early", f"{_names(binders & around.added)} is not in scope in "
                        f"{term.name}, but is in this environment", event.span,
                        f"evaluate it in {around.base.name}",
                    )  # fmt: skip

    def frames(self, way: Way) -> None:
        """An environment that is kept with a body has no frame yet for what the body binds: each
        call makes its own. A name that means something in other parts as well, as that of a
        recursive function, is not meant."""
        for event in way:
            made = (
                self.world.constructors.get(event.constructor) if isinstance(event, Made) else None
            )
            if made is None or made.is_form or not isinstance(event, Made):
                continue
            kept = {given.variable for given in event.args}
            around = [given for given in event.args if given.added and given.base is not None
                      and _is(given.base.type, "Env")]  # fmt: skip
            for body in kept:
                form = self.world.constructors.get(body.form) if body is not None else None
                if body is None or form is None or not form.is_form:
                    continue
                own = {
                    body.mates[spot.field] for bind in form.binds for spot in bind.names
                    if {spot.field for spot in bind.scopes} == {body.index} and not spot.inner
                }  # fmt: skip
                for given in around:
                    early = [one for one in own & kept & given.added if one is not None]
                    if early and given.base is not None:
                        self.warn(
                            "frame_too_early", f"{_names(early)} is in the environment that "
                            f"{made.name} keeps: all calls of {body.name} share this frame",
                            given.span,
                            f"keep {given.base.name} as it is, and extend it where {body.name} is "
                            "evaluated",
                        )  # fmt: skip

    @staticmethod
    def bound_elsewhere(binds: Sequence[object], term: Variable) -> bool:
        return any(
            term.index == spot.field for bind in binds for spot in bind.scopes  # type: ignore[attr-defined]
        )  # fmt: skip

    def closure(self, event: Called, term: Variable, around: Given) -> None:
        """Code that was taken out of a value is evaluated in the environment kept with it."""
        maker = self.world.constructors[term.form]
        kept = [n for n, kind in enumerate(maker.types) if _is(kind, "Env")]
        if not kept or around.base in [term.mates[n] for n in kept]:
            return
        self.warn(
            "callers_environment", f"{term.name} is not evaluated in the environment kept in "
            f"{term.form}", event.span,
            f"take {maker.fields[kept[0]]} out of {term.form}, and extend that",
        )  # fmt: skip

    def unforced(self, body: s.Expr, scope: dict[str, Variable]) -> None:
        """What is looked up is given as the result, although it may still be waiting."""
        result = body.result if isinstance(body, s.Block) else body
        if isinstance(result, s.Otherwise):
            result = result.value
        kind = settle(self.signature.result)
        if not isinstance(result, s.Index) or self.define.name not in self.judged:
            return
        waiting = [
            one.name for one in self.world.constructors.values()
            if one.role == "suspended" and isinstance(kind, Con) and one.owner == kind.name
        ]  # fmt: skip
        if waiting:
            self.warn(
                "unforced", f"what is looked up may still be {waiting[0]}, and is given as a value",
                result.span, f"match it, and evaluate what stands in {waiting[0]}",
            )  # fmt: skip

    # ---------------------------------------------------------------- the order of evaluation

    def evaluated_in_order(self, ways: Sequence[Way], row: s.Clause) -> None:
        if self.define.name not in self.judged:
            return
        several = []
        for way in ways:
            indexes: list[int] = []
            form = ""
            place = row.span
            for event, subject, _ in self.evaluations(way):
                term = subject.variable
                if term is None or term.origin != "field" or not term.form:
                    continue
                if term.index not in indexes:
                    if indexes and term.index < indexes[-1]:
                        place = event.span
                    indexes.append(term.index)
                    form = term.form
            if len(indexes) > 1:
                several.append((form, indexes == sorted(indexes), place))
        if several:
            self.orders.append(next((one for one in several if not one[1]), several[0]))

    def order(self, row: s.Order) -> None:
        """An `order` line: the fields of the form in the order in which they step."""
        pattern = row.pattern
        if not isinstance(pattern, s.PMake) or len(row.children) < 2:
            return
        names = [part.name if isinstance(part, s.PVar) else "" for part in pattern.args]
        indexes = [names.index(name) for name, _ in row.children if name in names]
        place = row.children[0][1]
        self.orders.append((pattern.name, indexes == sorted(indexes), place))

    def against_order(self) -> None:
        """One form whose parts are evaluated in another order than those of all others."""
        wrong = [one for one in self.orders if not one[1]]
        if len(wrong) == 1 and len(self.orders) > 2 and self.own(wrong[0][2]):
            form, _, place = wrong[0]
            self.warn(
                "against_order", f"the parts of {form} are not evaluated in the order of the page, "
                "as those of all other forms are", place,
                "reorder the lines, or say that this is meant",
            )  # fmt: skip

    # ---------------------------------------------------------------- substitution

    def under_binder(self, way: Way, row: s.Clause) -> None:
        """A function that walks over terms for a name goes under a binder without asking whether
        that is the same name."""
        wanted = [
            number for number, kind in enumerate(self.signature.types)
            if _is(kind, "Name") and number not in self.signature.subjects
        ]  # fmt: skip
        subject = self.subject_of(self.signature)
        if not wanted or subject is None:
            return
        if settle(self.signature.result) != settle(self.signature.types[subject]):
            return
        tested: set[Variable] = set()
        for event in way:
            if isinstance(event, Tested):
                tested |= event.variables
            if not isinstance(event, Called) or event.function != self.define.name:
                continue
            term = event.args[subject].variable if subject < len(event.args) else None
            maker = self.world.constructors.get(term.form) if term is not None else None
            if term is None or maker is None or not maker.is_form:
                continue
            for bind in maker.binds:
                if any(spot.inner for spot in (*bind.names, *bind.scopes)):
                    continue
                if term.index not in {spot.field for spot in bind.scopes}:
                    continue
                for spot in bind.names:
                    binder = term.mates[spot.field]
                    if (term.form, spot.field) in self.tested_above:
                        continue
                    if binder is None or binder not in tested:
                        name = self.signature.params[wanted[0]]
                        what = binder.name if binder is not None else maker.fields[spot.field]
                        self.warn(
                            "under_same_binder", f"{what} may be the same name as {name}: then "
                            f"{term.name} is not to be touched", event.span,
                            f"ask first: if {what} == {name} then …",
                        )  # fmt: skip


def _uses_names(world: World, sort: str) -> bool:
    """Whether names can occur somewhere in terms of a sort."""
    seen, pending = {sort}, [sort]
    while pending:
        for made in world.of_type(pending.pop()):
            if made.uses:
                return True
            inside = {part for kind in made.types for part in _parts(kind)} - seen
            seen |= inside
            pending += inside
    return False


def _parts(kind: Type) -> set[str]:
    """The names of a type and of those it is made of."""
    settled = settle(kind)
    if not isinstance(settled, Con):
        return set()
    return {settled.name}.union(*map(_parts, settled.args))


def report_code_without_environment(
    world: World, types: Sequence[s.TypeDecl], judged: Collection[str]
) -> None:
    """Constructors that keep code, where code means something only in an environment."""
    kinds = [kind for name in judged for kind in world.functions[name].types]
    if not any(_is(kind, "Env") for kind in kinds):
        return
    sorts = [kind.name for kind in map(settle, kinds)
             if isinstance(kind, Con) and _uses_names(world, kind.name)]  # fmt: skip
    for decl in types:
        if decl.word == "forms":
            continue
        for one in decl.constructors:
            made = world.constructors.get(one.name)
            if made is None or (one.span.source or world.source) is not world.source:
                continue
            code = [
                field for field, kind in zip(made.fields, made.types, strict=True)
                if isinstance(settled := settle(kind), Con)
                and settled.name in world.sorts and settled.name in sorts
            ]  # fmt: skip
            if code and not any(_is(kind, "Env") for kind in made.types):
                world.warning(
                    "code_without_environment", f"{made.name} keeps {code[0]} without the "
                    "environment that its names mean something in", one.span,
                    "add a field of type Env[…], and fill it where the code is put away",
                )  # fmt: skip


def _is(kind: Type, name: str) -> bool:
    settled = settle(kind)
    return isinstance(settled, Con) and settled.name == name


def _names(variables: Collection[Variable]) -> str:
    return ", ".join(sorted(one.name for one in variables))
