"""Forms in the concrete syntax of their language, with texts in the place of their parts."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from fractions import Fraction

from embrix.brix import core as k
from embrix.brix.core import Interpreter
from embrix.draw.rule_terms import RuleTerm
from embrix.grammar.expanding import CLOSE, OPEN
from embrix.grammar.printed import Part, Parts
from embrix.grammar.printing import Printer
from embrix.terms.node import FIELDS, NONE_NODE, SOME, Constructor, Node, Value, make_list
from embrix.terms.types import Con, Type, settle

_MAYBE = ("Some", "None")
HOLE = -77
"""The tag of what stands for a part that is written otherwise."""
FIRST = 770_001
"""The first of the numbers that stand for one."""
MOST = 60
"""Parts of one form that are written otherwise."""
_HOLE = re.compile(r"\bhole(\d+)q\b|\b(7700\d\d)(?:\.0)?\b")


class ConcreteForms:
    """Writes the forms of a language as its grammar writes them."""

    def __init__(self, interpreter: Interpreter) -> None:
        grammar = interpreter.language.grammar
        self._printer = Printer(grammar, self._shown) if grammar is not None else None
        self._forms = {one.name: one for one in interpreter.constructors.values()}
        self._shown_by = interpreter.shown
        self._own = {one.name for one in interpreter.language.signature.forms}
        self._alike = _alike(interpreter)
        self._rules = set(grammar.entry) if grammar is not None else set()

    def written(self, term: RuleTerm, parts: Sequence[str]) -> str | None:
        """A form with some texts for its parts, in their order; None where the grammar does not
        write it. A value as the definition shows it, where it says so by a text."""
        form = self._forms.get(term.text)
        if form is None:
            return None
        if form.name not in self._own or self._printer is None:
            return self._by_template(form, parts)
        holes: list[str] = []
        node = self._node(form, term, iter(parts), holes)
        if node is None or len(holes) > MOST:
            return None
        rule = form.owner if form.owner in self._rules else None
        text = self._printer.show(node, rule).text
        if "‹" + form.name in text:
            return None
        text = text.replace(OPEN, "").replace(CLOSE, "")
        return _HOLE.sub(lambda found: holes[int(found[1] or int(found[2]) - FIRST)], text)

    def anything(self, form: RuleTerm) -> RuleTerm:
        """A form by its name, whatever stands in its parts."""
        known = self._forms.get(form.text)
        parts = (RuleTerm("any", "_"),) * (len(known.types) if known is not None else 0)
        return RuleTerm("make", form.text, parts)

    def nests(self, term: RuleTerm) -> bool:
        """Whether a part is printed with the form that it stands in."""
        known = term.text in self._own or term.text in _MAYBE
        return term.kind in ("list", "rest") or (term.kind == "make" and known)

    def _node(
        self, form: Constructor, term: RuleTerm, texts: Iterator[str], holes: list[str]
    ) -> Node | None:
        fields: list[Value] = []
        for part, kind in zip(term.parts, form.types, strict=False):
            made = self._field(part, kind, texts, holes)
            if made is None:
                return None
            fields.append(made)
        return (form.tag, None, *fields) if len(fields) == len(form.types) else None

    def _field(
        self, part: RuleTerm, kind: Type, texts: Iterator[str], holes: list[str]
    ) -> Value | None:
        """What stands for a part of a form; None where it cannot be printed."""
        settled = settle(kind)
        inner = settled.args[0] if isinstance(settled, Con) and settled.args else kind
        if part.kind in ("list", "rest"):
            # What follows the others stands there as one more.
            items = [self._field(one, inner, texts, holes) for one in part.parts]
            return None if None in items else make_list([one for one in items if one is not None])
        if part.kind == "make" and part.text in _MAYBE:
            if not part.parts:
                return NONE_NODE
            made = self._field(part.parts[0], inner, texts, holes)
            return None if made is None else (SOME, None, made)
        if self.nests(part):
            return self._node(self._forms[part.text], part, texts, holes)
        return self._hole(kind, next(texts), holes)

    def _hole(self, kind: Type, text: str, holes: list[str]) -> Value:
        settled = settle(kind)
        name = settled.name if isinstance(settled, Con) else ""
        if name == "Bool":
            return text != "false"
        number = len(holes)
        holes.append(text)
        if name in ("Number", "Int"):
            return FIRST + number if name == "Int" else Fraction(FIRST + number)
        word = f"hole{number}q"
        if name in ("Name", "Text"):
            return word
        hole: Node = (HOLE, None, word)
        return make_list([hole]) if name == "List" else hole

    def _shown(self, part: Part) -> Parts:
        value = part.value
        yield value[FIELDS] if isinstance(value, tuple) and value[0] == HOLE else str(value)

    def _by_template(self, form: Constructor, parts: Sequence[str]) -> str | None:
        shown = self._shown_by.get(form.tag) if form.name not in self._alike else None
        body = shown.body if shown is not None else None
        if shown is not None and isinstance(body, k.Build):
            slots = [part.slot for part in body.args if isinstance(part, k.Local)]
            if sorted(slots) != sorted(shown.slots) or len(slots) != len(body.args):
                return None
            inner = RuleTerm("make", body.constructor.name, (RuleTerm("any", "_"),) * len(slots))
            return self.written(inner, [parts[shown.slots.index(slot)] for slot in slots])
        if shown is None or not isinstance(body, k.Template | k.Local | k.Const):
            return None
        assert body is not None
        pieces = _pieces(body)
        told = {piece.slot for piece in pieces if isinstance(piece, k.Local)}
        if told != set(shown.slots):
            return None  # on paper nothing is left out
        text = ""
        for piece in pieces:
            if isinstance(piece, k.Local) and piece.slot in shown.slots:
                text += parts[shown.slots.index(piece.slot)]
            elif isinstance(piece, str | k.Const):
                text += piece if isinstance(piece, str) else str(piece.value)
            else:
                return None
        return text


def _pieces(body: k.Core) -> Sequence[object]:
    """What a value is shown by: texts and its parts. What only says how one part is written (how
    many digits a number has) stands for the part."""
    pieces = body.parts if isinstance(body, k.Template) else (body,)
    if len(pieces) == 1 and isinstance(pieces[0], k.Call) and len(pieces[0].args) == 1:
        return pieces[0].args
    return pieces


def _alike(interpreter: Interpreter) -> set[str]:
    """The constructors that are shown as others of their type are: only their names tell them."""
    found: dict[tuple[str, tuple[str, ...]], list[str]] = {}
    for tag, shown in interpreter.shown.items():
        form, body = interpreter.constructors[tag], shown.body
        pieces = _pieces(body) if body is not None else ()
        kinds = dict(zip(shown.slots, form.types, strict=False))
        look = tuple(
            repr(settle(kinds[piece.slot])) if isinstance(piece, k.Local) else str(piece)
            for piece in pieces
        )
        found.setdefault((form.owner, look), []).append(form.name)
    return {name for names in found.values() if len(names) > 1 for name in names}
