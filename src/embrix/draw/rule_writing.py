"""The parts of a rule written with letters and signs of mathematics."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence

from msgspec.structs import replace

from embrix.draw.rule_forms import ConcreteForms
from embrix.draw.rule_parts import Condition
from embrix.draw.rule_terms import BOUND, PRIME, RuleTerm, parts_within
from embrix.draw.rule_texts import WORD

_SIGNS = {"!=": "≠", "<=": "≤", ">=": "≥", "*": "·", "==": "=", "and": "∧", "or": "∨", "not": "¬"}
_OTHERWISE = {"==": "!=", "!=": "==", "<": ">=", ">": "<=", "<=": ">", ">=": "<"}
_BINDS = {"or": 1, "and": 2, "==": 3, "!=": 3, "<": 3, ">": 3, "<=": 3, ">=": 3, "+": 4, "-": 4,
          "*": 5, "/": 5, "div": 5, "mod": 5}  # fmt: skip


class RuleWriting:
    """Writes terms with the letters of one rule."""

    def __init__(
        self, forms: ConcreteForms, letters: Mapping[str, str],
        substituting: Mapping[str, tuple[int, int, int]], contexts: Collection[str] = (),
    ) -> None:  # fmt: skip
        """`substituting` gives for functions that put a value for a name into a term the numbers of
        these parameters; `contexts` are the names of what stands around a term."""
        self._contexts = contexts
        self._forms, self._letters = forms, letters
        self._substituting = {"substitute": (0, 1, 2), **substituting}

    def text(self, term: RuleTerm) -> str:
        parts = term.parts
        match term.kind:
            case "var":
                name = term.text.removesuffix(PRIME)
                prime = "′" if name != term.text else ""
                return self._letters.get(name, name) + prime
            case "make":
                leaves = [self.text(leaf) for leaf in self._leaves(term)]
                whole = self._forms.written(term, leaves)
                if whole is not None:
                    return whole
                inside = ", ".join(map(self.text, parts))
                return f"{term.text}({inside})" if parts else term.text
            case "call" if term.text in self._substituting and len(parts) == 3:
                order = self._substituting[term.text]
                value, name, whole = (self.text(parts[number]) for number in order)
                return f"{_closed(whole)}[{name} := {value}]"
            case "context":
                return f"{_around(term)}[{self.text(parts[0])}]"
            case "call" if term.text in self._contexts and len(parts) == 1:
                return f"{term.text}[{self.text(parts[0])}]"
            case "call":
                name = self._letters.get(term.text, term.text.partition(BOUND)[0])
                return f"{name}({', '.join(map(self.text, parts))})"
            case "fn":
                params = map(self.text, parts[:-1])
                return f"λ{', '.join(map(_closed, params))}. {self.text(parts[-1])}"
            case "let":
                pattern, value, body = map(self.text, parts)
                return f"let {pattern} = {value} in {body}"
            case "at":
                return f"{self.text(parts[0])}({self.text(parts[1])})"
            case "with":
                container, name, value = map(self.text, parts)
                return f"{container}[{name} ↦ {value}]"
            case "tuple":
                return f"({', '.join(map(self.text, parts))})"
            case "list":
                return f"[{', '.join(map(self.text, parts))}]"
            case "rest":
                return " :: ".join(map(self.text, parts))
            case "op":
                return self._operation(term)
            case "if":
                test, yes, no = map(self.text, parts)
                return f"if {test} then {yes} else {no}"
            case "as":
                return self.text(parts[0])
            case "otherwise":
                return " otherwise ".join(
                    [*map(self.text, parts), *([term.text] if term.text else [])]
                )
            case "raw":
                return WORD.sub(lambda found: self._letters.get(found[0], found[0]), term.text)
        return "∅" if term.text == "empty" else term.text

    def around(self, term: RuleTerm) -> Iterator[str]:
        """What is not to stand around what a context has inside."""
        for one in parts_within(term):
            if one.kind == "context":
                for form in map(self._forms.anything, one.parts[1:]):
                    yield f"{self._form(form)} ∉ {_around(one)}"

    def condition(self, condition: Condition, terms: Sequence[RuleTerm]) -> Iterator[str]:
        """A condition, or the two that it comes to."""
        first, last = terms[0], terms[-1]
        match condition.kind:
            case "refuted" if first.kind == "op" and first.text in _OTHERWISE:
                yield self.text(RuleTerm("op", _OTHERWISE[first.text], first.parts))
            case "refuted" if (
                first.kind == "op"
                and first.text == "and"
                and all(part.kind == "op" and part.text in _OTHERWISE for part in first.parts)
            ):
                refuted = [replace(part, text=_OTHERWISE[part.text]) for part in first.parts]
                yield self.text(RuleTerm("op", "or", tuple(refuted)))
            case "refuted" if (first.kind, first.text) == ("op", "not"):
                yield self.text(first.parts[0])
            case "refuted":
                yield f"¬{_closed(self.text(first))}"
            case "equal" if last.kind == "call" and last.text == "alloc" and len(first.parts) == 2:
                location, after = map(self.text, first.parts)
                store, value = map(self.text, last.parts)
                yield f"{location} ∉ dom({store})"
                yield f"{after} = {store}[{location} ↦ {value}]"
            case "equal" if "any" in (first.kind, last.kind):
                return  # it says nothing
            case "equal":
                yield f"{self.text(first)} = {self.text(last)}"
            case "unlike":
                pairs = zip(terms[::2], terms[1::2], strict=True)
                yield " ∨ ".join(f"{self.text(one)} ≠ {self._form(form)}" for one, form in pairs)
            case "absent" if first.kind == "at":
                container, name = map(self.text, first.parts)
                yield f"{name} ∉ dom({container})"
            case _:
                yield Condition(condition.kind, tuple(map(self.text, terms))).text

    def _form(self, term: RuleTerm) -> str:
        """A form, by its name where nothing of it is written."""
        text = self.text(term)
        inside = ", ".join(map(self.text, term.parts))
        return text if set(text) - set('_"') else f"{term.text}({inside})"

    def _leaves(self, term: RuleTerm) -> Iterator[RuleTerm]:
        """What is written by itself in the parts of a form."""
        for part in term.parts:
            if self._forms.nests(term) and self._forms.nests(part):
                yield from self._leaves(part)
            else:
                yield part

    def _operation(self, term: RuleTerm) -> str:
        sign = _SIGNS.get(term.text, term.text)
        if len(term.parts) == 1:
            operand = self.text(term.parts[0])
            return f"{sign}{_closed(operand)}"
        strength = _BINDS.get(term.text, 0)
        texts = []
        for number, part in enumerate(term.parts):
            inner = _BINDS.get(part.text, 9) if part.kind == "op" and len(part.parts) > 1 else 9
            text = self.text(part)
            texts.append(f"({text})" if inner < strength + number or part.kind == "if" else text)
        return f" {sign} ".join(texts)


def _closed(text: str) -> str:
    """A text that stands close to a sign: in brackets where it has several words."""
    return text if " " not in text or (text[0] == "(" and text[-1] == ")") else f"({text})"


def _around(context: RuleTerm) -> str:
    """The name of a context; of one without, the letter that is usual."""
    return "E" if context.text == "_" else context.text
