"""What a change of a definition changes: two readings of one course held against each other."""

from __future__ import annotations

from msgspec import Struct

from embrix.brix.core import Language
from embrix.course.load import Course
from embrix.terms.node import Constructor
from embrix.text.diagnostic import Diagnostic

BROKEN = "the language has errors"


class Touched(Struct, frozen=True):
    """An interpreter that a change reaches, with the reasons; none means untouched."""

    language: str
    interpreter: str
    reasons: tuple[str, ...]


def touched(before: Course, after: Course, language: str) -> list[Touched]:
    """For every interpreter of a language, and of those that extend it, whether a change of the
    language reaches it: a form that changed or went, or a finding that was not there before."""
    found: list[Touched] = []
    old = before.languages.get(language)
    new = after.languages.get(language)
    forms = _changed_forms(old, new)
    known = {_key(d) for d in before.diagnostics}
    fresh = [d for d in after.diagnostics if _key(d) not in known]
    family = [name for name in before.languages if _descends(before, name, language)]
    for name in family:
        lanes = {**before.interpreters.get(name, {}), **after.interpreters.get(name, {})}
        for lane, interpreter in lanes.items():
            reasons = list(forms)
            reasons += [d.message for d in fresh if d.source.name == interpreter.source.name]
            if lane not in after.interpreters.get(name, {}):
                reasons.append("it cannot run any more")
            found.append(Touched(name, lane, tuple(dict.fromkeys(reasons))))
    return found


def touched_text(found: list[Touched]) -> list[str]:
    """As lines: who is untouched, then each that is reached with its reasons."""
    broken = [t for t in found if BROKEN in t.reasons]
    if broken:
        return [f"{BROKEN}: nothing that uses it runs"]
    calm = [f"{t.language}.{t.interpreter}" for t in found if not t.reasons]
    lines = [f"untouched by this change: {', '.join(calm)}"] if calm else []
    for one in found:
        if one.reasons:
            lines.append(f"reached by this change: {one.language}.{one.interpreter}")
            lines += [f"      {reason}" for reason in one.reasons[:4]]
    return lines


def _descends(course: Course, name: str, ancestor: str) -> bool:
    while name != ancestor:
        language = course.languages.get(name)
        if language is None or language.syntax.base is None:
            return False
        name = language.syntax.base[0]
    return True


def _changed_forms(old: Language | None, new: Language | None) -> list[str]:
    """Forms that went or have other fields. A new form is told by the clauses that lack it."""
    if old is None or new is None or not new.sound:
        return [BROKEN]
    after = {form.name: form for form in new.signature.forms}
    found = []
    for form in old.signature.forms:
        now = after.get(form.name)
        if now is None:
            found.append(f"the form {form.name} is gone")
        elif _shape(now) != _shape(form):
            found.append(f"the form {form.name} has changed")
    return found


def _shape(form: Constructor) -> tuple[object, ...]:
    return form.owner, form.fields, form.types, form.binds, form.uses


def _key(finding: Diagnostic) -> tuple[str, str, str]:
    return finding.code, finding.message, finding.source.name
