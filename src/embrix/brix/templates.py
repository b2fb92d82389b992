"""What an alternative makes: a term of forms, captures, constants and defaults."""

from __future__ import annotations

from embrix.brix import syntax as s
from embrix.brix.world import World, count, unify
from embrix.grammar.model import Compose, Fixed, Fold, OrElse, Several, Slot, Template, fields_of
from embrix.terms.node import Constructor
from embrix.terms.types import (
    BOOL,
    NUMBER,
    TEXT,
    UNKNOWN,
    Con,
    Hole,
    Type,
    Unknown,
    listing,
    maybe,
    settle,
    show_type,
)
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean


class Templates:
    """Checks what one alternative makes. A form without arguments takes its fields from captures
    of the same names; a term refers to captures where it needs them."""

    def __init__(self, world: World, makes: s.Expr, wanted: Type) -> None:
        self.world = world
        self.makes = makes
        self.wanted = wanted
        self.simple = isinstance(makes, s.Make) and not makes.args
        self.form = self._top()
        self.captures: dict[str, tuple[int, Type, Span]] = {}
        self.referred: set[str] = set()

    def _top(self) -> Constructor | None:
        if not isinstance(self.makes, s.Make):
            self.world.error(
                "unknown_constructor", "what is made must be a form", self.makes.span,
                "write makes FORM or makes FORM(…)",
            )  # fmt: skip
            return None
        return self._form(self.makes, self.wanted)

    def _form(self, expr: s.Make, wanted: Type) -> Constructor | None:
        name_span = Span(expr.span.start, expr.span.start + len(expr.name), expr.span.source)
        form = self.world.constructors.get(expr.name)
        kind = settle(wanted)
        if form is None and self.world.is_lost(expr.name):
            return None
        if form is None:
            owner = kind.name if isinstance(kind, Con) else ""
            known = [c.name for c in self.world.of_type(owner)]
            self.world.error(
                "unknown_constructor", f"there is no form called {expr.name}", name_span,
                did_you_mean(expr.name, known, "declare it among the forms"),
            )  # fmt: skip
        elif not unify(Con(form.owner), wanted):
            self.world.error(
                "type_mismatch", f"{expr.name} is of sort {form.owner}, but {show_type(wanted)} "
                "is wanted here", name_span,
            )  # fmt: skip
            return None
        return form

    def capture(self, name: str, kind: Type, span: Span, symbol: str) -> int | None:
        """The slot of a capture; None when it was reported."""
        if self.simple and self.form is not None:
            if name not in self.form.fields:
                self.world.error(
                    "unknown_field", f"{self.form.name} has no field called {name}", span,
                    did_you_mean(
                        name, self.form.fields, "its fields are " + ", ".join(self.form.fields)
                    ),
                )  # fmt: skip
                return None
            slot = self.form.fields.index(name)
            wanted = self.form.types[slot]
            if not unify(kind, wanted):
                self.world.error(
                    "type_mismatch", f"{name} of {self.form.name} is of type {show_type(wanted)}, "
                    f"but {symbol or 'this'} gives {show_type(kind)}", span,
                )  # fmt: skip
        else:
            slot = len(self.captures)
        if name in self.captures:
            self.world.error("declared_twice", f"{name} is captured twice", span)
        self.captures[name] = (slot, kind, span)
        return slot

    def finish(self) -> Compose | Fold | None:
        """The template, once all captures are known."""
        if self.form is None or not isinstance(self.makes, s.Make):
            return None
        if self.simple:
            missing = [name for name in self.form.fields if name not in self.captures]
            if missing:
                self.world.error(
                    "missing_field", f"nothing fills {', '.join(missing)} of {self.form.name}",
                    self.makes.span, f"capture it: {missing[0]}:RULE",
                )  # fmt: skip
                return None
            return fields_of(self.form)
        made = self._make(self.makes, self.wanted)
        for name, (_, _, span) in self.captures.items():
            if name not in self.referred:
                self.world.warning(
                    "dropped_part", f"{name} is captured and not used", span,
                    "use it in what is made, or remove the capture",
                )  # fmt: skip
        return made if isinstance(made, Compose | Fold) else None

    def _make(self, expr: s.Make, wanted: Type) -> Template | None:
        form = self._form(expr, wanted)
        if form is None:
            return None
        if len(expr.args) != len(form.fields):
            self.world.error(
                "wrong_number", f"{form.name} has {count(len(form.fields), 'field')}, not "
                f"{len(expr.args)}", expr.span, f"its fields are {', '.join(form.fields)}",
            )  # fmt: skip
            return None
        if any(map(_listed, expr.args)):
            return self._fold(form, expr)
        parts = [self._part(a, t) for a, t in zip(expr.args, form.types, strict=True)]
        if any(part is None for part in parts):
            return None
        return Compose(form, tuple(part for part in parts if part is not None))

    def _fold(self, form: Constructor, expr: s.Make) -> Fold | None:
        """`Call(callee, each args)`: a form around a form for each item of a captured list."""
        each = [at for at, part in enumerate(expr.args) if _listed(part)]
        own = [at for at, kind in enumerate(form.types)
               if at not in each and settle(kind) == Con(form.owner)]  # fmt: skip
        if len(each) != 1 or len(own) != 1:
            found = "there is no other" if not own else f"there are {count(len(own), 'other')}"
            why = "two parts say `each`" if len(each) > 1 else f"{found} of type {form.owner}"
            self.world.error(
                "wrong_pattern", "with `each` a form stands in another part of its own type; "
                + why, expr.span, "write FORM(first, each rest) or FORM(each first, last)",
            )  # fmt: skip
            return None
        parts: list[Template] = []
        for at, (part, kind) in enumerate(zip(expr.args, form.types, strict=True)):
            listed = _listed(part)
            made = self._part(listed or part, listing(kind) if at in each else kind)
            if made is None:
                return None
            parts.append(made)
        return Fold(Compose(form, tuple(parts)), each[0], own[0])

    def _part(self, expr: s.Expr, wanted: Type) -> Template | None:
        match expr:
            case s.Make():
                return self._make(expr, wanted)
            case s.NumberLit(value):
                return self._agree(Fixed(value), NUMBER, wanted, expr.span)
            case s.TextLit(parts) if all(isinstance(part, str) for part in parts):
                text = "".join(part for part in parts if isinstance(part, str))
                return self._agree(Fixed(text), TEXT, wanted, expr.span)
            case s.Ref("true" | "false" as word):
                return self._agree(Fixed(word == "true"), BOOL, wanted, expr.span)
            case s.Ref():
                slot, kind = self._captured(expr)
                return self._agree(Slot(slot), kind, wanted, expr.span)
            case s.Otherwise(s.Ref() as value, instead, _):
                slot, kind = self._captured(value)
                inner = Hole()
                self._agree(Slot(slot), kind, maybe(inner), value.span)
                self._agree(Slot(slot), inner, wanted, value.span)
                default = self._part(instead, wanted)
                return OrElse(slot, default) if default is not None else None
            case s.ListOf(items, None, _):
                item = Hole()
                self._agree(Slot(0), listing(item), wanted, expr.span)
                several = [self._part(one, item) for one in items]
                if any(part is None for part in several):
                    return None
                return Several(tuple(part for part in several if part is not None))
        if _listed(expr):
            self.world.error(
                "wrong_pattern", "`each` stands for a part of a form", expr.span,
                "write FORM(first, each rest) or FORM(each first, last)",
            )  # fmt: skip
            return None
        self.world.error(
            "wrong_pattern", "a rule makes terms of forms, captures, constants and `otherwise`",
            expr.span,
        )  # fmt: skip
        return None

    def _captured(self, expr: s.Ref) -> tuple[int, Type]:
        self.referred.add(expr.name)
        if expr.name in self.captures:
            slot, kind, _ = self.captures[expr.name]
            return slot, kind
        self.world.error(
            "unknown_name", f"nothing is captured as {expr.name}", expr.span,
            did_you_mean(expr.name, self.captures),
        )  # fmt: skip
        return 0, UNKNOWN

    def _agree(self, made: Template, found: Type, wanted: Type, span: Span) -> Template:
        if not isinstance(settle(found), Unknown) and not unify(found, wanted):
            self.world.error(
                "type_mismatch", f"this is of type {show_type(found)}, but {show_type(wanted)} is "
                "expected here", span,
            )  # fmt: skip
        return made


def _listed(expr: s.Expr) -> s.Ref | None:
    """The list in `each LIST`."""
    match expr:
        case s.Apply(s.Ref("each"), (s.Ref() as listed,)):
            return listed
    return None
