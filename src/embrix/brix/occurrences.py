"""Every place where a name stands in the definitions of a course, with what it means there.

Names are resolved as the check of a definition resolves them, but nothing has to be right: what is
not known is left out.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import TypeAlias

from msgspec import Struct

from embrix.brix import syntax as s
from embrix.brix.declared import Declarations, Declared, Meaning, name_at
from embrix.text.source import Span


class Occurrence(Struct, frozen=True):
    """A name from `start` up to `end` in a file."""

    file: str
    start: int
    end: int
    meaning: Meaning

    @property
    def declares(self) -> bool:
        return (self.file, self.start) == (self.meaning.file, self.meaning.start)


Scope: TypeAlias = Mapping[str, Meaning]
"""What the variables mean that can be used somewhere."""


def occurrences(course: Declarations, definition: Declared) -> list[Occurrence]:
    """All names in a definition, by place. They depend on nothing but what it sees."""
    return sorted(set(_Definition(course, definition).found), key=lambda one: one.start)


class _Definition:
    def __init__(self, course: Declarations, definition: Declared) -> None:
        self.course = course
        self.own = definition
        self.file = definition.syntax.source.name
        self.source = self.own.syntax.source
        self.found: list[Occurrence] = []
        self._noted: set[Occurrence] = set()
        self._alternatives: dict[Span, dict[str, Meaning]] = {}
        """What the first of several clauses at one place binds: the others bind the same."""
        self._alike: dict[str, Meaning] = {}
        self.scope: dict[str, Meaning] = {}
        self.open_names = False
        """Whether a name that is not known is a variable from there on, as in a law."""
        for own in self.own.meanings:
            self.note(own, own.start)
        syntax = self.own.syntax
        self.types(syntax.types)
        for error in syntax.errors:
            meaning = self.find("error", error.name)
            self.field_types(error.fields)
            self.within(self.fields_of(meaning), error.message)
        for function in syntax.functions:
            self.define(function)
        if isinstance(syntax, s.InterpreterSyntax | s.LanguageSyntax):
            for widening in syntax.widenings:
                self.widening(widening)
        if isinstance(syntax, s.InterpreterSyntax):
            self.interpreter(syntax)
        if isinstance(syntax, s.LanguageSyntax):
            self.language(syntax)

    # ---------------------------------------------------------------- noting

    def note(self, meaning: Meaning | None, start: int) -> None:
        if meaning is not None:
            at = Occurrence(self.file, start, start + len(meaning.name), meaning)
            if self.source.text[at.start : at.end] == meaning.name and at not in self._noted:
                self.found.append(at)
                self._noted.add(at)

    def find(self, kind: str, name: str) -> Meaning | None:
        return self.course.find(self.own, kind, name)

    def use(self, kind: str, name: str, span: Span, *, words: int = 0) -> Meaning | None:
        """A name of a kind, the first in a span behind some letters."""
        meaning = self.find(kind, name)
        if meaning is not None:
            self.note(meaning, name_at(self.source, name, span.start + words, span.end).start)
        return meaning

    def fields_of(self, meaning: Meaning | None) -> dict[str, Meaning]:
        """The fields or parameters of something, by name."""
        if meaning is None:
            return {}
        found = {name: self.course.inside(meaning, name) for name in self.course.names(meaning)}
        return {name: inner for name, inner in found.items() if inner is not None}

    def variable(self, name: str, start: int, about: str = "") -> None:
        """A name that is bound here and means this from now on."""
        meaning = self._alike.get(name) or Meaning("name", name, self.file, start, about or name)
        self.note(meaning, start)
        self.scope[name] = meaning

    def within(self, scope: Scope, *parts: object) -> None:
        """Look at parts in which more variables can be used."""
        before = self.scope
        self.scope = {**before, **scope}
        for part in parts:
            self.look(part)
        self.scope = before

    # ---------------------------------------------------------------- declarations

    def types(self, types: Sequence[s.TypeDecl]) -> None:
        for kind in types:
            self.use("type", kind.name, kind.span)
            if kind.means is not None:
                self.look(kind.means)
            for form in kind.constructors:
                meaning = self.use("form", form.name, form.span)
                self.field_types(form.fields)
                own = self.fields_of(meaning)
                for field in form.fields:
                    self.note(own.get(field.name), field.span.start)
                for name, span in [*form.uses, *(one for b in form.binds for one in b.names),
                                   *(one for b in form.binds for one in b.scopes)]:  # fmt: skip
                    outer, _, inner = name.partition(".")
                    self.note(own.get(outer), span.start)
                    if inner and outer in own:
                        self.inner_field(own[outer], inner, span)
                if form.shown is not None:
                    self.within(own, form.shown)

    def inner_field(self, outer: Meaning, name: str, span: Span) -> None:
        """A field of the items of a list."""
        for kind in _type_names(self.course.type_of(outer)):
            for one in self.course.seen_from(self.own):
                for form in one.forms_of.get(kind, ()):
                    found = self.course.inside(form, name)
                    if found is not None:
                        self.note(found, span.end - len(name))
                        return

    def field_types(self, parts: Sequence[s.FieldDecl | s.Param]) -> None:
        for one in parts:
            self.look(one.type)

    def define(self, define: s.Define) -> None:
        meaning = self.own.top.get(("function", define.name))
        self.field_types(define.params)
        self.look(define.result)
        params = self.fields_of(meaning)
        for name, span in define.subjects:
            self.note(params.get(name), span.start)
        self.within(params, *define.rows, define.body)

    def widening(self, one: s.Widening) -> None:
        self.use("function", one.name, one.span)
        before = self.scope
        base = self.find("function", one.name)
        self.scope = self.fields_of(base)
        for name, span in one.params:
            self.note(self.scope.get(name), span.start)
        self.within({}, *one.rows, one.body)
        self.scope = before

    def interpreter(self, syntax: s.InterpreterSyntax) -> None:
        for judgement in syntax.judgements:
            function = self.use("function", judgement.function, judgement.span)
            scope = self.scope
            self.scope = dict(self.fields_of(function))
            if judgement.gives is not None:
                self.pattern(judgement.gives)
            self.look(judgement.template)
            self.scope = scope
        if syntax.main is not None:
            self.use("function", syntax.main.function, syntax.main.span)
        for letter in syntax.letters:
            self.use("type", letter.type, letter.span)
        for law in syntax.laws:
            scope, self.open_names = self.scope, True
            self.scope = dict(scope)
            self.look(law.conclusion)
            self.look(law.condition)
            self.scope, self.open_names = scope, False
        for use in syntax.uses:
            for name, span in use.names:
                for kind in ("function", "type", "form", "error"):
                    self.use(kind, name, span)

    def language(self, syntax: s.LanguageSyntax) -> None:
        for token in syntax.tokens.written:
            self.use("token", token.name, token.span)
            self.look(token.conversion)
            for name, span in token.via:
                self.use("function", name, span)
        for numbers in syntax.numbers:
            self.decision(numbers.choice, numbers.alternative, numbers.span)
        for grammar in syntax.grammars:
            for name, span in grammar.starts:
                self.rule_name(name, span)
            for rule in grammar.rules:
                self.rule_name(rule.name, rule.span)
                if rule.sort.span.start != rule.span.start:
                    self.look(rule.sort)
                if isinstance(rule, s.RuleSyntax):
                    for alternative in rule.written:
                        self.row(alternative.items, alternative.makes)
                    continue
                if rule.operand is not None:
                    self.rule_name(*rule.operand)
                for level in rule.written:
                    for operator in level.operators:
                        self.row(operator.row, operator.makes)

    # ---------------------------------------------------------------- grammar

    def rule_name(self, name: str, span: Span) -> None:
        """A rule; one that bears the name of a sort goes by that."""
        meaning = self.find("rule", name) or self.find("type", name) or self.find("token", name)
        if meaning is not None:
            self.note(meaning, name_at(self.source, name, span.start, span.end).start)

    def row(self, items: Sequence[s.ItemSyntax], makes: s.Expr | None) -> None:
        """The parts of an alternative or of an operator, and what they make: captures fill the
        fields of a form that is named alone, else they are variables of the term."""
        form = self.find("form", makes.name) if isinstance(makes, s.Make | s.Ref) else None
        alone = isinstance(makes, s.Make) and not makes.args
        own = self.fields_of(form)
        before = self.scope
        self.scope = {} if alone else dict(own)
        for item in items:
            if item.capture:
                if alone:
                    self.note(own.get(item.capture), item.span.start)
                else:
                    self.variable(item.capture, item.span.start)
            if item.name:
                behind = item.span.start + len(item.capture)
                self.rule_name(item.name, Span(behind, item.span.end, self.source))
            for alternative in item.group:
                self.row(alternative.items, alternative.makes)
        self.look(makes)
        self.scope = before

    # ---------------------------------------------------------------- patterns

    def pattern(self, pattern: s.Pattern, about: str = "") -> None:
        """The names that a pattern binds, and the forms in it."""
        match pattern:
            case s.PVar(name, span):
                self.variable(name, span.start, about and f"{name}: {about}")
            case s.PAs(inner, name, span):
                self.pattern(inner, about)
                self.variable(name, span.end - len(name), about and f"{name}: {about}")
            case s.PContext(name, inner, without, span):
                if name != "_":
                    self.variable(name, span.start, about and f"{name}: what stands around it")
                self.pattern(inner, about)
                for form_name, place in without:
                    self.use("form", form_name, place)
            case s.PMake(name, args, span, named):
                form = self.use("form", name, span)
                names = self.course.names(form) if form is not None else []
                for number, inner in enumerate(args):
                    text = self.type_text(form, names[number]) if number < len(names) else ""
                    self.pattern(inner, text)
                for field, inner, place in named or ():
                    if form is not None:
                        self.note(self.course.inside(form, field), place.start)
                    self.pattern(inner, self.type_text(form, field))
            case s.PTuple(items):
                for item in items:
                    self.pattern(item)
            case s.PList(items, rest):
                for item in items if rest is None else (*items, rest):
                    self.pattern(item)

    def type_text(self, owner: Meaning | None, name: str) -> str:
        """The type of a field, as it is written."""
        inner = self.course.inside(owner, name) if owner is not None else None
        return inner.about.partition(": ")[2] if inner is not None else ""

    def clause(self, clause: s.Clause, *, error: bool = False) -> None:
        before = self.scope
        self.scope = dict(before)
        self._alike = self._alternatives.get(clause.span, {})
        for pattern in clause.patterns:
            if error and isinstance(pattern, s.PMake):
                self.use("error", pattern.name, pattern.span)
                for inner in pattern.args:
                    self.pattern(inner)
            else:
                self.pattern(pattern)
        bound = {name: one for name, one in self.scope.items() if before.get(name) is not one}
        self._alternatives.setdefault(clause.span, bound)
        self._alike = {}
        self.look(clause.guard)
        self.look(clause.body)
        self.scope = before

    # ---------------------------------------------------------------- expressions

    def decision(self, name: str, alternative: str, span: Span) -> None:
        choice = self.use("choice", name, span)
        if choice is not None:
            inner = self.course.inside(choice, alternative)
            behind = name_at(self.source, name, span.start, span.end).end
            self.note(inner, name_at(self.source, alternative, behind, span.end).start)

    def reference(self, name: str, span: Span) -> Meaning | None:
        """A lower-case name: a variable, or a function."""
        if name in self.scope:
            self.note(self.scope[name], span.start)
            return self.scope[name]
        meaning = self.use("choice", name, span) or self.use("function", name, span)
        if meaning is None and self.open_names and name not in ("true", "false", "empty"):
            self.variable(name, span.start)
        return meaning

    def match(self, expr: s.Match) -> None:
        """The clauses for a choice name its alternatives."""
        choices = [
            self.find("choice", one.name)
            if isinstance(one, s.Ref) and one.name not in self.scope
            else None
            for one in expr.subjects
        ]
        for subject in expr.subjects:
            self.look(subject)
        for clause in expr.clauses:
            if len(choices) == 1 and choices[0] is not None:
                (pattern,) = clause.patterns[:1]
                if isinstance(pattern, s.PVar):
                    self.note(self.course.inside(choices[0], pattern.name), pattern.span.start)
                self.look(clause.body)
            else:
                self.clause(clause)

    def block(self, block: s.Block) -> None:
        """Lines: what a line binds can be used from the next on."""
        before = self.scope
        self.scope = dict(before)
        for line in block.lines:
            match line:
                case s.Let(pattern, value, misses):
                    self.look(value)
                    for miss in misses:
                        self.clause(miss)
                    self.pattern(pattern, self.given_by(value))
                case s.LetRec(name, value, span):
                    start = name_at(self.source, name, span.start + len("let rec"), span.end).start
                    self.variable(name, start)
                    self.look(value)
                case _:
                    self.look(line)
        self.look(block.result)
        self.scope = before

    def given_by(self, value: s.Expr) -> str:
        """The type of what a call gives, as it is written."""
        if isinstance(value, s.Apply) and isinstance(value.callee, s.Ref):
            function = self.find("function", value.callee.name)
            if function is not None:
                return function.about.split("\n")[0].rpartition("-> ")[2]
        return ""

    def look(self, part: object) -> None:
        """Note every name in a part."""
        match part:
            case s.Ref(name, span):
                self.reference(name, span)
            case s.Make(name, args, span):
                self.use("form", name, span)
                for arg in args:
                    self.look(arg)
            case s.TypeName(name, args, span):
                self.use("type", name, span)
                for inner in args:
                    self.look(inner)
            case s.Fail(error, args, at, span):
                self.use("error", error, span, words=len("fail"))
                self.look([*args, at])
            case s.Repeat(step, args, span):
                self.use("function", step, span, words=len("repeat"))
                self.look(args)
            case s.ChoiceIs(name, alternative, span):
                self.decision(name, alternative, span)
            case s.Match():
                self.match(part)
            case s.Block():
                self.block(part)
            case s.Lambda(params, body):
                before = self.scope
                self.scope = dict(before)
                for param in params:
                    self.pattern(param)
                self.look(body)
                self.scope = before
            case s.Attempt(value, handlers):
                self.look(value)
                for handler in handlers:
                    self.clause(handler, error=True)
            case s.Clause():
                self.clause(part)
            case _:
                self.look_inside(part)

    def apart(self, *patterns: s.Pattern, within: s.Expr | None = None) -> None:
        """Patterns whose names are used nowhere else than in one expression."""
        before = self.scope
        self.scope = dict(before)
        for pattern in patterns:
            self.pattern(pattern)
        self.look(within)
        self.scope = before

    def look_inside(self, part: object) -> None:
        match part:
            case s.NoClause(patterns):
                self.apart(*patterns)
            case s.Final(patterns, guard):
                self.apart(*patterns, within=guard)
            case s.Order(pattern, children, guard):
                before = self.scope
                self.scope = dict(before)
                self.pattern(pattern)
                for name, span in children:
                    self.note(self.scope.get(name), span.start)
                self.look(guard)
                self.scope = before
            case s.Inherit(forms):
                for name, span in forms:
                    self.use("form", name, span)
            case tuple() | list():
                for one in part:
                    self.look(one)
            case _ if isinstance(part, Struct) and not isinstance(part, Span):
                for one in part.__struct_fields__:
                    self.look(getattr(part, one))


def _type_names(kind: s.TypeSyntax | None) -> Iterator[str]:
    """The names in a type, from the inside out."""
    match kind:
        case s.TypeName(name, args):
            for arg in args:
                yield from _type_names(arg)
            yield name
        case s.TypeTuple(items):
            for item in items:
                yield from _type_names(item)
