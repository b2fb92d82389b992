"""The rules of an interpreter as inference rules, made from its clauses.

Each path through a clause is a rule: the pattern shapes the conclusion, each judgement that the
clause asks for is a premise, guards and conditions along the path stand beside them.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec import Struct
from msgspec.structs import replace

from embrix.brix import syntax as s
from embrix.brix.core import RESULT, Function, Interpreter
from embrix.brix.paths import inside
from embrix.brix.pattern_parts import (
    covers,
    disjoint,
    mentioned,
    names_bound,
    part_at,
    refined,
    with_part,
)
from embrix.brix.relations import handed_over
from embrix.draw.helpers import with_own_rules
from embrix.draw.rule_parts import Condition, RuleParts, Said
from embrix.draw.rule_paths import RuleFinder
from embrix.draw.rule_texts import WORD, FreshNames, RulePath, renamed_words, when
from embrix.terms.node import Constructor
from embrix.terms.types import Con, settle
from embrix.text.source import Span

MOST_PATHS = 24
"""Paths through one clause that are made into rules."""


class InferenceRule(Struct, frozen=True):
    """Premises are judgements; conditions stand beside them, without a judgement."""

    function: str
    name: str
    premises: tuple[str, ...]
    conditions: tuple[str, ...]
    conclusion: str
    place: Span | None = None
    paper: bool = False
    """Whether it is written with the letters of mathematics."""


def inference_rules(interpreter: Interpreter, only: Sequence[str] = ()) -> list[InferenceRule]:
    """The rules of every function with a judgement, in the order of the clauses, in the words of
    the definition."""
    return [_in_words(rule) for rule in rules_in_parts(interpreter, only)]


def _in_words(rule: RuleParts) -> InferenceRule:
    conditions = [one.text for one in rule.conditions if one.kind != "done"]
    own = rule.conclusion.function.params
    seen = {word for text in (*conditions, *(one.text for one in (*rule.premises, rule.conclusion)))
            for word in WORD.findall(text)}  # fmt: skip
    premises = []
    for one in rule.premises:
        handed = [
            f"{name} = {text}" for number, name in one.unsaid for text in (one.args[number],)
            if (text != name or name not in own) and (seen | set(own)) & set(WORD.findall(text))
        ]  # fmt: skip
        premises.append(one.text + (f" where {', '.join(handed)}" if handed else ""))
    return InferenceRule(
        rule.conclusion.function.name, rule.name, tuple(premises), tuple(conditions),
        rule.conclusion.text, rule.place,
    )  # fmt: skip


def rules_in_parts(interpreter: Interpreter, only: Sequence[str] = ()) -> list[RuleParts]:
    """The same in parts, to be written in one way or another."""
    if interpreter.syntax is None:
        return []
    found: list[RuleParts] = []
    judged = with_own_rules(interpreter)
    for define in interpreter.syntax.functions:
        if define.name in judged and (not only or define.name in only):
            found += _Rules(interpreter, judged, define).all()
    return found


class _Rules(RuleFinder):
    """The rules of one function."""

    def all(self) -> Iterator[RuleParts]:
        define = self._define
        if define.body is not None:
            yield from self._clause(define.name, {}, None, define.body, define.span)
        before: list[s.Clause] = []
        orders: list[s.Order] = []
        for row in define.rows:
            if isinstance(row, s.Clause):
                known = self._known(row.guard)
                if known is False:
                    continue  # the choices of the lane do not let it
                row = replace(row, guard=None) if known else row
                if any(_hides(one, row) for one in before):
                    continue  # it has been replaced
                said = mentioned(row.guard) | mentioned(row.body)
                at = min(self._control, len(row.patterns) - 1)
                pattern, ended = self._ended(row.patterns[at], orders, _words(row))
                patterns = (*row.patterns[:at], pattern, *row.patterns[at + 1 :])
                left = tuple(self._left(patterns, said, before))
                before.append(row)
                row = replace(row, patterns=patterns)
                shapes = {
                    name: self._shape(name, pattern, row)
                    for (name, _), pattern in zip(define.subjects, row.patterns, strict=False)
                }
                first = row.patterns[0]
                while isinstance(first, s.PAs):
                    first = first.inner
                name = first.name if isinstance(first, s.PMake) else define.name
                conditions = (*ended, *left)
                yield from self._clause(name, shapes, row.guard, row.body, row.span, conditions)
            elif isinstance(row, s.Order):
                if any(self._takes_all(one, row.pattern) for one in before):
                    continue  # a clause above has taken it
                own = _not_yet_named(row, orders)
                pattern, ended = self._ended(row.pattern, orders, _words(row))
                pattern = self._all_named(pattern, _words(row))
                apart = self._left(self._subjects(pattern), set(), before)
                yield from self._order(replace(own, pattern=pattern), (*ended, *apart))
                orders.append(row)

    def _known(self, guard: s.Expr | None) -> bool | None:
        """What a guard comes to as the choices of the lane are decided; None where they do not say
        it."""
        match guard:
            case None:
                return True
            case s.ChoiceIs(name, wanted):
                return self._decided(name) == wanted
            case s.Unary("not", operand):
                known = self._known(operand)
                return None if known is None else not known
        return None

    @property
    def _control(self) -> int:
        """Which of the subjects a small-step relation goes into."""
        return self._function.control_place if self._function.finals else 0

    def _clause(
        self, name: str, shapes: dict[str, str], guard: s.Expr | None, body: s.Expr, span: Span,
        ended: tuple[Condition, ...] = (),
    ) -> Iterator[RuleParts]:  # fmt: skip
        words = {
            node.name for node in inside((body, guard, *self._define.rows))
            if isinstance(node, s.Ref | s.PVar)
        }  # fmt: skip
        self._names = FreshNames(words | set(self._function.params))
        self._opened_so_far = 0
        self._outer = set(self._function.params)
        for text in shapes.values():
            self._outer |= set(WORD.findall(text))
        start = RulePath(conditions=ended)
        if guard is not None:
            start = when(start, "holds", self._text(guard))
        for number, path in enumerate(self._paths(body, start)):
            if number >= MOST_PATHS:
                return
            arguments = tuple(shapes.get(param, param) for param in self._function.params)
            said = Said(self._function, arguments, path.result)
            yield RuleParts(name, path.premises, path.conditions, said, span)

    def _ended(
        self, pattern: s.Pattern, orders: Sequence[s.Order], taken: set[str]
    ) -> tuple[s.Pattern, list[Condition]]:
        """That parts take no more steps which `order` lines above lead into; the pattern with names
        for those of them that have none. `taken` are names that mean something else."""
        found: list[Condition] = []
        for order in orders:
            for child, _ in order.children if order.guard is None else ():
                part = part_at(order.pattern, pattern, child)
                if isinstance(part, s.PAny):
                    name = child if child not in taken else f"{child}1"
                    taken |= {name}
                    pattern = with_part(pattern, part, s.PVar(name, part.span))
                    part = s.PVar(name, part.span)
                if isinstance(part, s.PVar):
                    found.append(Condition("final", (part.name,)))
        return pattern, list(dict.fromkeys(found))

    def _takes_all(self, clause: s.Clause, pattern: s.Pattern) -> bool:
        """Whether a clause takes every term of a pattern, whatever stands beside it."""
        at = min(self._control, len(clause.patterns) - 1)
        others = (*clause.patterns[:at], *clause.patterns[at + 1 :])
        anything = all(isinstance(one, s.PVar | s.PAny) for one in others)
        return clause.guard is None and anything and covers(clause.patterns[at], pattern)

    def _all_named(self, pattern: s.Pattern, taken: set[str]) -> s.Pattern:
        """The pattern of a form with names for parts that have none, those of the fields."""
        form = self._form(pattern)
        for part, name in zip(pattern.args, form.fields, strict=False) if form else ():  # type: ignore[union-attr]
            if isinstance(part, s.PAny):
                own = name if name not in taken else f"{name}1"
                pattern = with_part(pattern, part, s.PVar(own, part.span))
        return pattern

    def _subjects(self, pattern: s.Pattern) -> tuple[s.Pattern, ...]:
        """The patterns of a clause that takes a step of a form, whatever stands beside it."""
        others = [s.PAny(pattern.span) for _ in self._define.subjects]
        return (*others[: self._control], pattern, *others[self._control + 1 :])

    def _left(
        self, patterns: Sequence[s.Pattern], said: set[str], before: Sequence[s.Clause]
    ) -> Iterator[Condition]:
        """What clauses above patterns have not taken, where one part tells that; `said` is what
        the clause of the patterns speaks of."""
        whole = tuple(
            s.PVar(name, pattern.span) if isinstance(pattern, s.PAny) and name in said else pattern
            for (name, _), pattern in zip(self._define.subjects, patterns, strict=False)
        )  # fmt: skip
        untold = False
        for one in before:
            if any(map(disjoint, one.patterns, whole)) or (
                any(isinstance(node, s.PContext) for node in inside(one.patterns))
                and not any(map(self._goes_on, whole))
            ):
                continue
            apart = [part for pair in zip(one.patterns, whole, strict=False)
                     for part in refined(*pair)]  # fmt: skip
            if one.guard is not None:
                names = () if apart else self._renaming(one, whole)
                if names is not None and not apart:
                    yield Condition("refuted", (renamed_words(self._text(one.guard), names),))
                else:
                    untold = True
            elif 0 < len(apart) < 3 and None not in apart:
                told = [part for found in apart if found is not None
                        for part in (found[0], self._open(found[1]))]  # fmt: skip
                yield Condition("unlike", tuple(told))
            else:
                untold = True
        if untold:
            yield Condition("otherwise", ("clauses",))

    def _form(self, pattern: s.Pattern) -> Constructor | None:
        """The form that a pattern takes; None where that is not one form."""
        forms = self._interpreter.constructors.values()
        known = (one for one in forms if isinstance(pattern, s.PMake) and one.name == pattern.name)
        return next(known, None)

    def _goes_on(self, pattern: s.Pattern) -> bool:
        """Whether some part of a form stands in a pattern that may itself be any form."""
        while isinstance(pattern, s.PAs):
            pattern = pattern.inner
        if not isinstance(pattern, s.PMake):
            return not isinstance(pattern, s.PConst)
        form = self._form(pattern)
        sorts = {one.owner for one in self._interpreter.signature.forms}
        return form is None or any(
            self._goes_on(part) for part, kind in zip(pattern.args, form.types, strict=False)
            if isinstance(settled := settle(kind), Con) and (settled.name in sorts or settled.args)
        )  # fmt: skip

    def _renaming(
        self, clause: s.Clause, patterns: Sequence[s.Pattern]
    ) -> tuple[tuple[str, str], ...] | None:
        """What stands for the names of a clause in patterns that take no more; None where that is
        not seen."""
        found: list[tuple[str, str]] = []
        for name in {one for pattern in clause.patterns for one in names_bound(pattern)}:
            parts = (part_at(*pair, name) for pair in zip(clause.patterns, patterns, strict=True))
            part = next((one for one in parts if one is not None), None)
            if part is None or isinstance(part, s.PAny):
                return None
            found.append((name, self._one(part)))
        return tuple(found)

    def _shape(self, name: str, pattern: s.Pattern, row: s.Clause) -> str:
        """What a subject looks like in the conclusion; with its name where the clause speaks of the
        whole."""
        bound = {name for one in row.patterns for name in names_bound(one)}
        if name in bound or name not in mentioned(row.guard) | mentioned(row.body):
            return self._one(pattern)
        return name if isinstance(pattern, s.PAny) else f"{self._one(pattern)} as {name}"

    def _order(self, row: s.Order, ended: Sequence[Condition]) -> Iterator[RuleParts]:
        """A part takes a step, and the whole with it; parts before it have come to an end, and
        those that have `ended` already."""
        whole = self._one(row.pattern)
        function = self._function
        form = row.pattern.name if isinstance(row.pattern, s.PMake) else function.name
        before: list[str] = []
        for child, _ in row.children:
            relation = self._relation(row.pattern, child)
            handed = {
                number: own for number in range(len(relation.params))
                if (own := handed_over(function, relation, number)) is not None
            }  # fmt: skip
            inner = tuple(
                child
                if number == relation.control
                else function.params[handed[number]]
                if number in handed
                else name
                for number, name in enumerate(relation.params)
            )
            outer = tuple(
                whole if number == function.control else name
                for number, name in enumerate(function.params)
            )
            given = {
                handed.get(number) for number in relation.becomes if number != relation.control
            }
            stepped = _results(relation, f"{child}′", [f"{name}′" for name in inner])
            after = [
                f"{name}′" if number in given else name
                for number, name in enumerate(function.params)
            ]
            around = renamed_words(whole, ((child, f"{child}′"),))
            conditions = [one for one in ended if one.parts != (child,)]
            conditions += [Condition("final", (one,)) for one in before if not row.free]
            if row.guard is not None:
                conditions.append(Condition("holds", (self._text(row.guard),)))
            yield RuleParts(
                f"{form}-{child}", (Said(relation, inner, stepped),), tuple(conditions),
                Said(function, outer, _results(function, around, after)), row.span,
            )  # fmt: skip
            before.append(child)

    def _relation(self, pattern: s.Pattern, child: str) -> Function:
        """The relation that takes steps in a part of a form; the own one where that is not seen."""
        while isinstance(pattern, s.PAs):
            pattern = pattern.inner
        if isinstance(pattern, s.PMake):
            names = [arg.name if isinstance(arg, s.PVar) else "" for arg in pattern.args]
            made = (one for one in self._interpreter.constructors.values()
                    if one.name == pattern.name and child in names)  # fmt: skip
            for form in made:
                kind = settle(form.types[names.index(child)])
                if isinstance(kind, Con) and kind.name == "List":
                    kind = settle(kind.args[0])
                for one in self._interpreter.functions.values():
                    if one.finals and settle(one.types[one.control]) == kind:
                        return one
        return self._function


def _results(relation: Function, part: str, others: Sequence[str]) -> tuple[str, ...]:
    """What a step gives: the part or the whole, and what stands for other parameters; as one text
    where the judgement has one name for all of it."""
    found = tuple(
        part if number == relation.control else others[number] for number in relation.becomes
    ) or (part,)
    names = {one for one in relation.judgement or () if isinstance(one, int) and one < RESULT}
    return found if names or len(found) == 1 else (f"({', '.join(found)})",)


def _not_yet_named(row: s.Order, before: Sequence[s.Order]) -> s.Order:
    """An `order` line without the parts that lines above name: these stand in its place there."""
    named = {place for one in before if one.guard is None for place in _places(one).values()}
    places = _places(row)
    children = tuple(one for one in row.children if places.get(one[0]) not in named)
    return replace(row, children=children)


def _words(row: s.Clause | s.Order) -> set[str]:
    """The names in a line."""
    return {node.name for node in inside(row) if isinstance(node, s.Ref | s.PVar | s.PAs)}


def _places(row: s.Order) -> dict[str, tuple[str, int]]:
    """Form and number of each part that an `order` line names."""
    pattern = row.pattern
    while isinstance(pattern, s.PAs):
        pattern = pattern.inner
    if not isinstance(pattern, s.PMake):
        return {}
    names = [arg.name if isinstance(arg, s.PVar) else "" for arg in pattern.args]
    return {child: (pattern.name, names.index(child)) for child, _ in row.children
            if child in names}  # fmt: skip


def _hides(first: s.Clause, second: s.Clause) -> bool:
    """Whether the first of two clauses takes everything that the second would."""
    pairs = zip(first.patterns, second.patterns, strict=False)
    return first.guard is None and all(covers(one, other) for one, other in pairs)
