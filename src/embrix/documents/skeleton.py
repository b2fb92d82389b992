"""An interpreter to begin with, written from the forms of a language and a strategy.

What follows from forms and binding is there: lookups where a form uses a name, extension where it
binds one, `order` lines, a substitution by cases with its law. What is a decision is a `todo` with
a sentence.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from embrix.brix.core import Language
from embrix.documents.evaluated_forms import (
    LITERALS,
    EvaluatedForm,
    EvaluatedSort,
    evaluated_sorts,
)
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


def skeleton(language: Language, name: str, strategy: str) -> str:
    """The text of the interpreter; `strategy` is one of `STRATEGIES`."""
    return _Writer(language, name, strategy).text()


class _Writer:
    def __init__(self, language: Language, name: str, strategy: str) -> None:
        self.language = language
        self.name = name
        self.strategy = strategy
        signature = language.signature
        self.sorts = evaluated_sorts(language, one=strategy in ("machine", "steps"))
        self.sort, self.forms = self.sorts[0].name, self.sorts[0].forms
        self.all_forms = [form for sort in self.sorts for form in sort.forms]
        taken = {form.name for form in signature.forms}
        self.names = any(form.uses or form.binds for form in signature.forms)
        self.literals = {form.literal for form in self.all_forms if form.literal}
        self.prefix = "Of" if taken & {constructor for constructor, _ in LITERALS.values()} else ""
        self.value = "Result" if "Value" in signature.sorts else "Value"
        self.unbound = next(
            (e.name for e in language.errors if [settle(t) for t in e.types] == [NAME]), ""
        )
        literal = [form for form in self.forms if form.literal]
        alone = [form for form in self.forms if not form.fields]
        self.finals = literal or alone or self.forms[:1]
        """The forms that are values: where no literal says so, it is a decision."""
        bound = [form.functions[form.outer[0]] for form in self.all_forms if form.like_let]
        self.waits = next((one for one in self.sorts if one.function in bound), self.sorts[0])
        """The sort of what waits until it is needed."""

    # ---------------------------------------------------------------- the file

    def text(self) -> str:
        lines = [
            f"interpreter {self.name} for {self.language.name}",
            f'  "{STRATEGIES[self.strategy].capitalize()}."',
            "",
        ]
        kinds = {"steps": self.small_steps, "machine": self.machine}
        lines += kinds.get(self.strategy, self.big_steps)()
        if self.strategy in kinds:
            others = evaluated_sorts(self.language)[1:]
            lines += [f"# what is done with a term of sort {one.name} is still to be written"
                      for one in others]  # fmt: skip
        return "\n".join(lines) + "\n"

    def values(self) -> list[str]:
        """The values that follow from the literals; which others there are is a decision."""
        rows = []
        for kind, (constructor, field) in LITERALS.items():
            form = next((one for one in self.all_forms if one.literal == constructor), None)
            if form is not None:
                inside = field.partition(":")[0]
                shown = f"shown {form.name}({inside})"
                rows.append(f"  {self.prefix}{constructor}({field})   {shown}")
            del kind
        if not rows:
            rows = ["  Done   # the values are still to be chosen"]
        return [f"value {self.value}", *rows, ""]

    def errors(self) -> list[str]:
        if self.unbound or not any(form.uses for form in self.all_forms):
            return []
        self.unbound = "Unbound"
        return ['error Unbound(x: Name)   "nothing called {x} is in scope"', ""]

    def todo(self, form: EvaluatedForm) -> str:
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
                    *self.values(), *self.errors(), *self.judged("{env} ⊢ {e} ⇓ {result}"), "",
                    "main run", "",
                    f"define run(p: {sort}, given: List[(Name, {value})]) -> {value}",
                    "  eval(p, empty with all given)",
                    *self.defined("e: {sort}, env: Env[" + value + "]", value, lambda sort:
                        self.clauses(sort, "{function}({part}, env)",
                                     "env[{0}] otherwise fail {1}({0})",
                                     "{function}({scope}, env with {binder} = {outer})")),
                ]  # fmt: skip
            case "environment" | "store_passing" | "by_need" if not self.names:
                return [
                    *self.values(), *self.judged("{e} ⇓ {result}"), "", "main eval",
                    *self.defined("e: {sort}", value, lambda sort:
                        self.clauses(sort, "{function}({part})", "", "")),
                ]  # fmt: skip
            case "store_passing":
                return self.with_store()
            case "by_need":
                return self.with_cells()
        part, put = "{function}({part})", "{function}(substitute({outer}, {binder}, {scope}))"
        bound = part if self.strategy == "substitution" else "{part}"
        return [
            *self.errors(), *self.judged("{e} ⇓ {result}"), "", "main eval",
            *self.defined("e: {sort}", "{sort}", lambda sort: self.clauses(
                sort, part, "fail {1}({0})", put, terms=True, bound=bound
            )),
        ]  # fmt: skip

    def judged(self, template: str, gives: str = "") -> list[str]:
        """The judgements of the functions that evaluate."""
        wide = max(len(sort.function) for sort in self.sorts)
        return [f'judgement {sort.function:<{wide}}   "{template}"{gives}' for sort in self.sorts]

    def defined(
        self, parameters: str, result: str, clauses: Callable[[EvaluatedSort], list[str]]
    ) -> list[str]:
        """The functions that evaluate, each with the clauses of its sort."""
        rows = []
        for sort in self.sorts:
            params, gives = (text.replace("{sort}", sort.name) for text in (parameters, result))
            rows += ["", f"define {sort.function}({params}) -> {gives} by e", *clauses(sort)]
        return rows

    def clauses(
        self, sort: EvaluatedSort, part: str, name: str, binding: str, *, terms: bool = False,
        bound: str = "",
    ) -> list[str]:  # fmt: skip
        """One clause for each form. `part` evaluates a part, `name` looks a name up, `binding` goes
        on under what is bound; with `terms` the values are terms."""
        wide = max(len(form.pattern) for form in sort.forms)
        rows = []
        for form in sort.forms:
            lead = f"  {form.pattern:<{wide}} =>"
            if form.literal:
                field = form.fields[0]
                made = form.pattern if terms else f"{self.prefix}{form.literal}({field})"
                rows.append(f"{lead} {made}")
            elif form.uses:
                rows.append(f"{lead} {name.format(form.uses, self.unbound)}")
            elif form.like_let:
                named = form.outer[0]
                outer = (bound or part).format(function=form.functions[named], part=named)
                inside = binding.format(function=form.functions[form.scope], scope=form.scope,
                                        binder=form.binder, outer=outer)  # fmt: skip
                rows.append(f"{lead} {inside}")
            else:
                rows.append(f"{lead} {self.todo(form)}{self._hint(form, part)}")
        return rows

    def _hint(self, form: EvaluatedForm, part: str) -> str:
        """How the parts are evaluated, as a comment."""
        return self._comment(form, form.outer, part)

    def _comment(self, form: EvaluatedForm, parts: Sequence[str], call: str) -> str:
        calls = [call.format(function=form.functions[one], part=one) for one in parts]
        return f"   # {', '.join(calls)}" if calls else ""

    # ---------------------------------------------------------------- stores

    def with_store(self) -> list[str]:
        sort, value = self.sort, self.value
        rows = [
            *self.values(), *self.errors(),
            *self.judged("{env}, {store} ⊢ {e} ⇓ {v}, {after}", "   gives (v, after)"), "",
            "main run", "",
            f"define run(p: {sort}, given: List[(Name, {value})]) -> ({value}, Store[{value}])",
            "  eval(p, empty with all given, empty)",
        ]  # fmt: skip
        return rows + self.defined(
            "e: {sort}, env: Env[" + value + "], store: Store[" + value + "]",
            f"({value}, Store[{value}])", self.threaded,
        )  # fmt: skip

    def threaded(self, sort: EvaluatedSort) -> list[str]:
        """Clauses that hand a store on from part to part."""
        rows: list[str] = []
        for form in sort.forms:
            if form.literal:
                made = f"({self.prefix}{form.literal}({form.fields[0]}), store)"
                rows.append(f"  {form.pattern} => {made}")
                continue
            rows.append(f"  {form.pattern} =>")
            if form.uses:
                found = f"env[{form.uses}] otherwise fail {self.unbound}({form.uses})"
                rows += [f"    let v = {found}", "    (v, store)"]
                continue
            rows += self.in_turn(form)
            if form.like_let:
                function = form.functions[form.scope]
                rows.append(f"    {function}({form.scope}, env with {form.binder} = v, store)")
            else:
                rows.append(f"    {self.todo(form)}{self._rest(form)}")
        return rows

    def _rest(self, form: EvaluatedForm) -> str:
        """How the parts are evaluated that may not run, as a comment."""
        return self._comment(form, form.unsure, "{function}({part}, env, store)")

    def in_turn(self, form: EvaluatedForm) -> list[str]:
        """The lines that evaluate the parts of a form that surely run, each with the store of the
        one before."""
        return [
            f"    let (v{number or ''}, store) = {form.functions[part]}({part}, env, store)"
            for number, part in enumerate(form.sure)
        ]

    def with_cells(self) -> list[str]:
        sort, value = self.sort, self.value
        rows = [
            *self.values(),
            "data Cell",
            f"  Waiting(e: {self.waits.name}, env: Env[Loc])   suspended   shown e",
            '  Busy                                shown "…"',
            f'  Settled(v: {value})                 settled     shown "{{v}}"', "",
            'error Circular   "a value is needed in order to compute itself"',
            *self.errors(), "",
            *self.judged("{env}, {store} ⊢ {e} ⇓ {v}, {after}", "   gives (v, after)"),
            'judgement force  "{store} ⊢ {loc} ↓ {v}, {after}"        gives (v, after)', "",
            "main run", "",
            f"define run(p: {sort}) -> ({value}, Store[Cell])",
            "  eval(p, empty, empty)",
            *self.defined("e: {sort}, env: Env[Loc], store: Store[Cell]",
                          f"({value}, Store[Cell])", self.waiting),
        ]  # fmt: skip
        return [
            *rows, "",
            f"define force(loc: Loc, store: Store[Cell]) -> ({value}, Store[Cell])",
            "  match store[loc]",
            "    Settled(v) => (v, store)",
            "    Busy => fail Circular",
            "    Waiting(e, env) =>",
            f"      let (v, store) = {self.waits.function}(e, env, store with loc = Busy)",
            "      (v, store with loc = Settled(v))",
        ]  # fmt: skip

    def waiting(self, sort: EvaluatedSort) -> list[str]:
        """Clauses in which what is bound waits in a cell."""
        rows: list[str] = []
        for form in sort.forms:
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
            elif form.like_let and form.functions[form.outer[0]] == self.waits.function:
                rows += [
                    f"    let (loc, store) = alloc(store, Waiting({form.outer[0]}, env))",
                    f"    {form.functions[form.scope]}({form.scope}, env with {form.binder} = loc,"
                    " store)",
                ]
            else:
                rows += [*self.in_turn(form), f"    {self.todo(form)}{self._rest(form)}"]
        return rows

    # ---------------------------------------------------------------- machines

    def machine(self) -> list[str]:
        """An abstract machine; `errors` comes first, because it settles what an unbound name is."""
        head = [*self.values(), *self.errors()]
        return head + machine_lines(
            self.sort, self.value, [self._machine_form(one) for one in self.forms],
            names=self.names,
        )  # fmt: skip

    def _machine_form(self, form: EvaluatedForm) -> MachineForm:
        kinds = self.language.signature.by_name[form.name]
        types = dict(zip(kinds.fields, map(show_type, kinds.types), strict=True))
        others = {one: types[one] for one in form.fields if one not in form.sure}
        made = ""
        if form.literal:
            made = f"{self.prefix}{form.literal}({form.fields[0]})"
        elif form.uses:
            made = f"env[{form.uses}] otherwise fail {self.unbound}({form.uses})"
        under = ("", "")
        if form.like_let:
            under = (form.scope, form.binder)
        return MachineForm(form.name, form.pattern, form.sure, others, made, under,
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
            f"  order {form.pattern} : {', '.join(form.sure)}"
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
