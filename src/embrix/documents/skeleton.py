"""An interpreter to begin with, written from the forms of a language and a strategy.

What follows from forms and binding is there: lookups where a form uses a name, extension where it
binds one, `order` lines, a substitution by cases with its law. What is a decision is a `todo` with
a sentence.
"""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from embrix.brix.core import Language
from embrix.documents.machine_skeleton import MachineForm, machine_lines
from embrix.terms.node import Constructor
from embrix.terms.types import BOOL, NAME, NUMBER, TEXT, Con, settle, show_type

STRATEGIES = {
    "environment": "big steps; an environment says what each name stands for",
    "substitution": "big steps; a value is put in place of a name",
    "by_name": "big steps; what is bound is put in place of a name as it stands",
    "by_need": "big steps; what is bound waits in a store until it is needed, and is kept there",
    "store_passing": "big steps; an environment, and a store handed from part to part",
    "machine": "an abstract machine: an expression, an environment, a stack of frames",
    "steps": "small steps; a value is put in place of a name",
}
"""What an interpreter can begin as."""

LITERALS = {NUMBER: ("Num", "n: Number"), TEXT: ("Words", "t: Text"), BOOL: ("Truth", "b: Bool")}
"""The constructor of a value for each type of a literal."""


class _Form(Struct, frozen=True):
    """A form, seen from the sort that is evaluated."""

    name: str
    fields: tuple[str, ...]
    parts: tuple[str, ...]
    """The fields of the sort that is evaluated."""
    literal: str
    """The constructor of its value where it is a number, a text or a truth value."""
    uses: str
    """The name that it stands for, where it is nothing but that."""
    binder: str
    """The one name that it binds in `scope`, and nowhere else."""
    scope: str
    scopes: frozenset[str]
    """The fields in which it binds anything."""

    @property
    def pattern(self) -> str:
        return f"{self.name}({', '.join(self.fields)})" if self.fields else self.name

    @property
    def outer(self) -> tuple[str, ...]:
        """The parts that stand outside of what it binds."""
        return tuple(part for part in self.parts if part not in self.scopes)

    @property
    def like_let(self) -> bool:
        """Whether it names what a part gives, which follows the name, for another part."""
        return (
            bool(self.binder) and self.scope in self.parts and len(self.outer) == 1
            and self.fields.index(self.binder) < self.fields.index(self.outer[0])
        )  # fmt: skip

    def called(self, function: str) -> str:
        """The form with a function applied to all parts."""
        inside = [function.format(f) if f in self.parts else f for f in self.fields]
        return f"{self.name}({', '.join(inside)})" if inside else self.name


def skeleton(language: Language, name: str, strategy: str) -> str:
    """The text of the interpreter; `strategy` is one of `STRATEGIES`."""
    return _Writer(language, name, strategy).text()


class _Writer:
    def __init__(self, language: Language, name: str, strategy: str) -> None:
        self.language = language
        self.name = name
        self.strategy = strategy
        signature = language.signature
        self.sort = _program_sort(language)
        self.forms = [self._form(one) for one in signature.of_sort(self.sort)]
        taken = {form.name for form in signature.forms}
        self.names = any(form.uses or form.binds for form in signature.forms)
        self.literals = {form.literal for form in self.forms if form.literal}
        self.prefix = "Of" if taken & {constructor for constructor, _ in LITERALS.values()} else ""
        self.value = "Result" if "Value" in signature.sorts else "Value"
        self.unbound = next(
            (e.name for e in language.errors if [settle(t) for t in e.types] == [NAME]), ""
        )
        literal = [form for form in self.forms if form.literal]
        alone = [form for form in self.forms if not form.fields]
        self.finals = literal or alone or self.forms[:1]
        """The forms that are values: where no literal says so, it is a decision."""

    def _form(self, form: Constructor) -> _Form:
        kinds = [settle(kind) for kind in form.types]
        parts = tuple(
            field for field, kind in zip(form.fields, kinds, strict=True) if kind == Con(self.sort)
        )
        only = kinds[0] if len(kinds) == 1 else None
        literal = LITERALS.get(only, ("", ""))[0] if isinstance(only, Con) else ""
        uses = form.fields[form.uses[0]] if len(form.uses) == 1 and len(kinds) == 1 else ""
        binder = scope = ""
        if len(form.binds) == 1 and not form.binds[0].rest:
            names, scopes = form.binds[0].names, form.binds[0].scopes
            plain = len(names) == len(scopes) == 1 and not (names[0].inner or scopes[0].inner)
            if plain and kinds[names[0].field] == NAME:
                binder, scope = form.fields[names[0].field], form.fields[scopes[0].field]
        literal = "" if form.uses else literal
        spots = [spot for bind in form.binds for spot in (*bind.names, *bind.scopes)]
        inside = any(spot.inner for spot in spots) or any(bind.rest for bind in form.binds)
        bound = {form.fields[spot.field] for bind in form.binds for spot in bind.scopes}
        if inside:
            bound = set(form.fields)
        return _Form(form.name, form.fields, parts, literal, uses, binder, scope, frozenset(bound))

    # ---------------------------------------------------------------- the file

    def text(self) -> str:
        lines = [
            f"interpreter {self.name} for {self.language.name}",
            f'  "{STRATEGIES[self.strategy].capitalize()}."',
            "",
        ]
        kinds = {"steps": self.small_steps, "machine": self.machine}
        lines += kinds.get(self.strategy, self.big_steps)()
        return "\n".join(lines) + "\n"

    def values(self) -> list[str]:
        """The values that follow from the literals; which others there are is a decision."""
        rows = []
        for kind, (constructor, field) in LITERALS.items():
            form = next((one for one in self.forms if one.literal == constructor), None)
            if form is not None:
                inside = field.partition(":")[0]
                shown = f"shown {form.name}({inside})"
                rows.append(f"  {self.prefix}{constructor}({field})   {shown}")
            del kind
        if not rows:
            rows = ["  Done   # the values are still to be chosen"]
        return [f"value {self.value}", *rows, ""]

    def errors(self) -> list[str]:
        if self.unbound or not any(form.uses for form in self.forms):
            return []
        self.unbound = "Unbound"
        return ['error Unbound(x: Name)   "nothing called {x} is in scope"', ""]

    def todo(self, form: _Form) -> str:
        """What is to be decided for a form."""
        if form.binder and not form.outer:
            return f'todo "what {form.name} gives: a function, say, that keeps its {form.scope}"'
        return f'todo "what {form.name} gives"'

    # ---------------------------------------------------------------- big steps

    def big_steps(self) -> list[str]:
        sort, value = self.sort, self.value
        match self.strategy:
            case "environment" if self.names:
                return [
                    *self.values(), *self.errors(),
                    'judgement eval   "{env} ⊢ {e} ⇓ {result}"', "", "main run", "",
                    f"define run(p: {sort}, given: List[(Name, {value})]) -> {value}",
                    "  eval(p, empty with all given)", "",
                    f"define eval(e: {sort}, env: Env[{value}]) -> {value} by e",
                    *self.clauses("eval({}, env)", "env[{0}] otherwise fail {1}({0})",
                                  "eval({scope}, env with {binder} = {outer})"),
                ]  # fmt: skip
            case "environment" | "store_passing" | "by_need" if not self.names:
                return [
                    *self.values(), 'judgement eval   "{e} ⇓ {result}"', "", "main eval", "",
                    f"define eval(e: {sort}) -> {value} by e",
                    *self.clauses("eval({})", "", ""),
                ]  # fmt: skip
            case "store_passing":
                return self.with_store()
            case "by_need":
                return self.with_cells()
        put = "eval(substitute({outer}, {binder}, {scope}))"
        bound = "eval({})" if self.strategy == "substitution" else "{}"
        return [
            *self.errors(), 'judgement eval   "{e} ⇓ {result}"', "", "main eval", "",
            f"define eval(e: {sort}) -> {sort} by e",
            *self.clauses("eval({})", "fail {1}({0})", put, terms=True, bound=bound),
        ]  # fmt: skip

    def clauses(
        self, part: str, name: str, binding: str, *, terms: bool = False, bound: str = ""
    ) -> list[str]:
        """One clause for each form. `part` evaluates a part, `name` looks a name up, `binding` goes
        on under what is bound; with `terms` the values are terms."""
        wide = max(len(form.pattern) for form in self.forms)
        rows = []
        for form in self.forms:
            lead = f"  {form.pattern:<{wide}} =>"
            if form.literal:
                field = form.fields[0]
                made = form.pattern if terms else f"{self.prefix}{form.literal}({field})"
                rows.append(f"{lead} {made}")
            elif form.uses:
                rows.append(f"{lead} {name.format(form.uses, self.unbound)}")
            elif form.like_let:
                outer = (bound or part).format(form.outer[0])
                inside = binding.format(scope=form.scope, binder=form.binder, outer=outer)
                rows.append(f"{lead} {inside}")
            else:
                rows.append(f"{lead} {self.todo(form)}{self._hint(form, part)}")
        return rows

    def _hint(self, form: _Form, part: str) -> str:
        """How the parts are evaluated, as a comment."""
        calls = ", ".join(part.format(one) for one in form.outer)
        return f"   # {calls}" if calls else ""

    # ---------------------------------------------------------------- stores

    def with_store(self) -> list[str]:
        sort, value = self.sort, self.value
        rows = [
            *self.values(), *self.errors(),
            'judgement eval   "{env}, {store} ⊢ {e} ⇓ {v}, {after}"   gives (v, after)', "",
            "main run", "",
            f"define run(p: {sort}, given: List[(Name, {value})]) -> ({value}, Store[{value}])",
            "  eval(p, empty with all given, empty)", "",
            f"define eval(e: {sort}, env: Env[{value}], store: Store[{value}])"
            f" -> ({value}, Store[{value}]) by e",
        ]  # fmt: skip
        return rows + self.threaded("env[{0}] otherwise fail {1}({0})", bind="{outer}")

    def threaded(self, name: str, *, bind: str) -> list[str]:
        """Clauses that hand a store on from part to part."""
        rows: list[str] = []
        for form in self.forms:
            if form.literal:
                made = f"({self.prefix}{form.literal}({form.fields[0]}), store)"
                rows.append(f"  {form.pattern} => {made}")
                continue
            rows.append(f"  {form.pattern} =>")
            if form.uses:
                rows += [f"    let v = {name.format(form.uses, self.unbound)}", "    (v, store)"]
                continue
            for number, part in enumerate(form.outer):
                rows.append(f"    let (v{number or ''}, store) = eval({part}, env, store)")
            if form.like_let:
                bound = bind.format(outer="v")
                rows.append(f"    eval({form.scope}, env with {form.binder} = {bound}, store)")
            else:
                rows.append(f"    {self.todo(form)}")
        return rows

    def with_cells(self) -> list[str]:
        sort, value = self.sort, self.value
        rows = [
            *self.values(),
            "data Cell",
            f"  Waiting(e: {sort}, env: Env[Loc])   suspended   shown e",
            '  Busy                                shown "…"',
            f'  Settled(v: {value})                 settled     shown "{{v}}"', "",
            'error Circular   "a value is needed in order to compute itself"',
            *self.errors(), "",
            'judgement eval   "{env}, {store} ⊢ {e} ⇓ {v}, {after}"   gives (v, after)',
            'judgement force  "{store} ⊢ {loc} ↓ {v}, {after}"        gives (v, after)', "",
            "main run", "",
            f"define run(p: {sort}) -> ({value}, Store[Cell])",
            "  eval(p, empty, empty)", "",
            f"define eval(e: {sort}, env: Env[Loc], store: Store[Cell]) -> ({value}, Store[Cell])"
            " by e",
        ]  # fmt: skip
        for form in self.forms:
            if form.literal:
                made = f"({self.prefix}{form.literal}({form.fields[0]}), store)"
                rows.append(f"  {form.pattern} => {made}")
                continue
            rows.append(f"  {form.pattern} =>")
            if form.uses:
                rows += [
                    f"    let loc = env[{form.uses}] otherwise fail {self.unbound}({form.uses})",
                    "    force(loc, store)",
                ]
            elif form.like_let:
                rows += [
                    f"    let (loc, store) = alloc(store, Waiting({form.outer[0]}, env))",
                    f"    eval({form.scope}, env with {form.binder} = loc, store)",
                ]
            else:
                rows += [f"    let (v{n or ''}, store) = eval({part}, env, store)"
                         for n, part in enumerate(form.outer)]  # fmt: skip
                rows.append(f"    {self.todo(form)}")
        return [
            *rows, "",
            f"define force(loc: Loc, store: Store[Cell]) -> ({value}, Store[Cell])",
            "  match store[loc]",
            "    Settled(v) => (v, store)",
            "    Busy => fail Circular",
            "    Waiting(e, env) =>",
            "      let (v, store) = eval(e, env, store with loc = Busy)",
            "      (v, store with loc = Settled(v))",
        ]  # fmt: skip

    # ---------------------------------------------------------------- machines

    def machine(self) -> list[str]:
        """An abstract machine; `errors` comes first, because it settles what an unbound name is."""
        head = [*self.values(), *self.errors()]
        return head + machine_lines(
            self.sort, self.value, [self._machine_form(one) for one in self.forms],
            names=self.names,
        )  # fmt: skip

    def _machine_form(self, form: _Form) -> MachineForm:
        kinds = self.language.signature.by_name[form.name]
        types = dict(zip(kinds.fields, map(show_type, kinds.types), strict=True))
        others = {one: types[one] for one in form.fields if one not in form.outer}
        made = ""
        if form.literal:
            made = f"{self.prefix}{form.literal}({form.fields[0]})"
        elif form.uses:
            made = f"env[{form.uses}] otherwise fail {self.unbound}({form.uses})"
        under = ("", "")
        if form.like_let:
            under = (form.scope, form.binder)
        return MachineForm(form.name, form.pattern, form.outer, others, made, under,
                           self.todo(form))  # fmt: skip

    # ---------------------------------------------------------------- small steps

    def small_steps(self) -> list[str]:
        sort = self.sort
        rows = [
            *self.errors(), 'judgement step   "{e} → {result}"', "", "main run", "",
            f"define run(p: {sort}) -> {sort}", "  repeat step(p)", "",
            f"define step(e: {sort}) -> {sort} by e",
        ]  # fmt: skip
        wild = [
            f"{f.name}({', '.join('_' for _ in f.fields)})" if f.fields else f.name
            for f in self.finals
        ]
        rows += [f"  final {one}" for one in wild]
        if not self.literals:
            rows[-len(wild)] += "   # which terms are values is a decision"
        rows += [
            f"  order {form.pattern} : {', '.join(form.outer)}"
            for form in self.forms if form.outer and form not in self.finals
        ]  # fmt: skip
        for form in self.forms:
            if form in self.finals:
                continue
            if form.uses:
                rows.append(f"  {form.pattern} => fail {self.unbound}({form.uses})")
            elif form.like_let:
                made = f"put({form.outer[0]}, {form.binder}, {form.scope})"
                rows.append(f"  {form.pattern} => {made}")
            else:
                rows.append(f"  {form.pattern} => {self.todo(form)}")
        return rows + (self.substitution() if self.names else [])

    def substitution(self) -> list[str]:
        """The substitution by cases, and the law that holds it against the built-in one."""
        sort = self.sort
        rows = [
            "", f"define put(v: {sort}, x: Name, e: {sort}) -> {sort} by e",
            '  "e with v in place of each free x; v is closed."',
        ]  # fmt: skip
        closed = True
        for form in self.forms:
            again = form.called("put(v, x, {})")
            if form.uses:
                rows += [f"  {form.name}(y) when y == x => v", f"  {form.name}(_) => e"]
            elif form.binder and form.scope in form.parts:
                renamed = [("y" if f == form.binder else f) for f in form.fields]
                pattern = f"{form.name}({', '.join(renamed)})"
                inner = [f"put(v, x, {f})" if f in form.outer else f for f in renamed]
                whole = [f"put(v, x, {f})" if f in form.parts else f for f in renamed]
                rows += [
                    f"  {pattern} when y == x => {form.name}({', '.join(inner)})",
                    f"  {pattern} => {form.name}({', '.join(whole)})",
                ]
            elif form.parts and not self._binds(form.name):
                rows.append(f"  {form.pattern} => {again}")
            elif self._plain(form.name):
                rows.append(f"  {form.pattern} => e")
            else:
                closed = False
                rows.append(f'  {form.pattern} => todo "substitution in {form.name}"')
        if closed:
            rows += ["", "law alike(put(v, x, e), substitute(v, x, e)) when free(v) == empty"]
        return rows

    def _binds(self, name: str) -> bool:
        form = self.language.signature.by_name[name]
        return bool(form.binds) or not self._only_parts(form)

    def _plain(self, name: str) -> bool:
        """Whether a form holds nothing in which a name could be replaced."""
        form = self.language.signature.by_name[name]
        leaves = (NUMBER, TEXT, BOOL, NAME)
        return not form.binds and not form.uses and all(settle(t) in leaves for t in form.types)

    def _only_parts(self, form: Constructor) -> bool:
        leaves = (NUMBER, TEXT, BOOL, NAME, Con(self.sort))
        return all(settle(kind) in leaves for kind in form.types)


def _program_sort(language: Language) -> str:
    """The sort that programs have: that of the start of the grammar, else the first."""
    sorts: Sequence[str] = language.signature.sorts
    grammar = language.grammar
    for start in grammar.starts if grammar is not None else ():
        for rule in language.syntax.grammars[0].rules:
            if rule.name == start and getattr(rule.sort, "name", "") in sorts:
                return str(getattr(rule.sort, "name", ""))
    return sorts[0]
