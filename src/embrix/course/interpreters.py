"""The interpreters of a course, each checked when somebody asks for those of its language."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import partial
from typing import Any, TypeAlias, TypeVar

from msgspec import Struct
from msgspec.structs import force_setattr, replace

from embrix.brix import syntax as s
from embrix.brix.core import Interpreter, Language
from embrix.brix.interpreter import CheckedInterpreter, check_interpreter
from embrix.course.checked import MEMORY
from embrix.course.kept_definitions import AS_IT_IS, Found, KeptKind
from embrix.course.meanings import declared_by, meaning_of
from embrix.text.diagnostic import Diagnostic, Findings
from embrix.text.plural import counted
from embrix.text.suggest import did_you_mean, nearest

Key: TypeAlias = tuple[str, str]
"""The names of a language and of one of its interpreters."""
T = TypeVar("T")


class EachLanguage(Mapping[str, T]):
    """What `tell` tells of each language, worked out when it is asked for."""

    def __init__(self, languages: Sequence[str], tell: Callable[[str], T]) -> None:
        self._languages = languages
        self._tell = tell

    def __getitem__(self, language: str) -> T:
        if language not in self._languages:
            raise KeyError(language)
        return self._tell(language)

    def __iter__(self) -> Iterator[str]:
        return iter(self._languages)

    def __len__(self) -> int:
        return len(self._languages)


class SomeLanguages(EachLanguage[T]):
    """The same without the languages of which there is nothing to tell."""

    def __getitem__(self, language: str) -> T:
        if not (found := super().__getitem__(language)):
            raise KeyError(language)
        return found

    def __iter__(self) -> Iterator[str]:
        return (language for language in self._languages if self._tell(language))

    def __len__(self) -> int:
        return sum(1 for _ in self)


class _Checked(Struct, frozen=True):
    made: Interpreter | None
    wrong: Callable[[], tuple[Diagnostic, ...]]
    """What is wrong with it, as far as checking it has shown."""
    found: Callable[[], tuple[Diagnostic, ...]]
    errors: int
    """How many errors there are in its file, if it can run."""


class _Definition(Struct, frozen=True):
    """A definition of an interpreter, with all that it is checked by."""

    syntax: s.InterpreterSyntax
    language: Language
    base: Interpreter | None
    libraries: Mapping[str, s.LibrarySyntax]

    @property
    def parts(self) -> tuple[object, ...]:
        return (self.syntax, self.language, self.base, *self.libraries.values())

    def checked(self) -> CheckedInterpreter:
        """The interpreter: checked once, by this process or an earlier one."""
        kept = KeptKind(self._take, self._give)
        key = "interpreter", tuple(self.libraries)
        return MEMORY.recall(key, self.parts, self._check, kept)[0]

    def found(self, checked: CheckedInterpreter) -> tuple[Diagnostic, ...]:
        """All that is wrong with it, and what it is warned of: looked for once."""
        key = "warnings", tuple(self.libraries)
        return MEMORY.recall(key, self.parts, lambda _: checked.found(), AS_IT_IS)[0]

    def _check(self, _: Findings) -> CheckedInterpreter:
        checked = check_interpreter(self.syntax, self.language, self.base, self.libraries)
        self._complete(checked)
        return checked

    def _complete(self, checked: CheckedInterpreter) -> None:
        """Give an interpreter what only this process can: it is not kept."""
        if checked.made is not None:
            written: list[s.InterpreterSyntax | s.LibrarySyntax]
            written = [self.syntax, *self.libraries.values()]
            sources = [one.source for one in written]
            base = () if self.base is None else (self.base.meaning,)
            before = (self.language.meaning, *base)
            meaning = meaning_of(sources, before, has_errors=bool(checked.errors),
                                 declared=declared_by(written, before))  # fmt: skip
            force_setattr(checked.made, "meaning", meaning)

    @staticmethod
    def _take(checked: CheckedInterpreter, _: Found) -> tuple[Any, ...]:
        return checked.made, checked.errors

    def _give(self, made: Interpreter | None, errors: Found) -> tuple[CheckedInterpreter, Found]:
        # What it is warned of is kept apart: if that is not there, it is checked anew.
        checked = CheckedInterpreter(made, errors, lambda: self._check(Findings()).found())
        self._complete(checked)
        return checked, ()


def _together(own: Findings, others: Callable[[], Found]) -> Found:
    found = Findings()
    found.extend((*own.sorted(), *others()))
    return found.sorted()


class Interpreters(Mapping[str, dict[str, Interpreter]]):
    """By language and name those that can run."""

    def __init__(
        self,
        written: Sequence[s.InterpreterSyntax],
        languages: Mapping[str, Language],
        libraries: Mapping[str, s.LibrarySyntax],
        findings: Findings,
    ) -> None:
        """`findings` holds what is wrong with the files, and gets what is wrong with the headers of
        interpreters."""
        self._languages = languages
        self._libraries = libraries
        self._findings = findings
        self._written: dict[Key, s.InterpreterSyntax] = {}
        self._checked: dict[Key, _Checked] = {}
        self._made: dict[str, dict[str, Interpreter]] = {}
        for syntax in written:
            self._add(syntax)
        owners = tuple(dict.fromkeys(language for language, _ in self._written))
        self._owners = owners
        self.broken: Mapping[str, tuple[str, ...]] = SomeLanguages(owners, self._broken)
        """Per language the names of interpreters that are defined but cannot run."""
        self.faulty: Mapping[str, dict[str, int]] = SomeLanguages(owners, self._faulty)
        """Per language the interpreters with errors that run as far as they go, and how many."""

    def __getitem__(self, language: str) -> dict[str, Interpreter]:
        if language not in self._owners:
            raise KeyError(language)
        if language not in self._made:
            bases = self.only_extended(language)
            lanes = [name for name in self._names(language) if name not in bases]
            checked = {name: self._check((language, name)).made for name in lanes}
            self._made[language] = {name: one for name, one in checked.items() if one is not None}
        return self._made[language]

    def __iter__(self) -> Iterator[str]:
        return iter(self._owners)

    def __len__(self) -> int:
        return len(self._owners)

    def only_extended(self, language: str) -> list[str]:
        """The names of those that are no lanes, and are there for others to extend."""
        return [name for name in self._names(language)
                if self._written[language, name].only_extended]  # fmt: skip

    def wrong(self) -> Iterator[Diagnostic]:
        """The errors in them, in all languages: what they are warned of is not looked for."""
        for key in self._written:
            yield from self._check(key).wrong()

    def found(self) -> Iterator[Diagnostic]:
        """What is wrong with them, and what they are warned of, in all languages."""
        for key in self._written:
            yield from self._check(key).found()

    # ---------------------------------------------------------------- inside

    def _names(self, language: str) -> list[str]:
        return [name for owner, name in self._written if owner == language]

    def _broken(self, language: str) -> tuple[str, ...]:
        return tuple(name for name in self._names(language)
                     if self._check((language, name)).made is None)  # fmt: skip

    def _faulty(self, language: str) -> dict[str, int]:
        found = {name: self._check((language, name)).errors for name in self._names(language)}
        return {name: errors for name, errors in found.items() if errors}

    def _add(self, syntax: s.InterpreterSyntax) -> None:
        if syntax.language not in self._languages:
            meant = nearest(syntax.language, self._languages)
            self._findings.error(
                "unknown_language", f"there is no language called {syntax.language}",
                syntax.source, syntax.language_span, f"did you mean {meant}?" if meant else "",
            )  # fmt: skip
            if meant is None:
                return
            syntax = replace(syntax, language=meant)
        key = (syntax.language, syntax.name)
        if key in self._written:
            self._findings.error(
                "declared_twice", f"{syntax.language} has an interpreter called {syntax.name} "
                "already", syntax.source, syntax.span,
            )  # fmt: skip
        else:
            self._written[key] = syntax

    def _check(self, key: Key) -> _Checked:
        """Check an interpreter, after those that it extends."""
        chain: list[Key] = []
        at: Key | None = key
        while at in self._written and at not in self._checked and at not in chain:
            chain.append(at)
            base = self._written[at].base
            at = base[:2] if base is not None else None
        for link in reversed(chain):
            self._checked[link] = self._check_one(self._written[link])
        return self._checked[key]

    def _check_one(self, syntax: s.InterpreterSyntax) -> _Checked:
        language = self._languages[syntax.language]
        own = Findings()
        base: Interpreter | None = None
        if syntax.base is not None:
            owner, name, span = syntax.base
            before = self._checked.get((owner, name))
            base = before.made if before is not None else None
            if base is None:
                there = (owner, name) in self._written
                known = [one for of, one in self._written if of == owner]
                own.error(
                    "base_broken" if there else "unknown_interpreter",
                    f"{owner}.{name} cannot be used: it has errors, or extends this one"
                    if there else f"there is no interpreter {owner}.{name}",
                    syntax.source, span, "" if there else did_you_mean(name, known),
                )  # fmt: skip
        checked = None
        errors_in: Callable[[], Found] = tuple
        found_in: Callable[[], Found] = tuple
        if language.signature.forms and (syntax.base is None or base is not None):
            definition = _Definition(syntax, language, base, self._libraries)
            checked = definition.checked()
            errors_in = partial(getattr, checked, "errors")
            found_in = partial(definition.found, checked)
        wrong, found = partial(_together, own, errors_in), partial(_together, own, found_in)
        if checked is None or checked.made is None:
            return _Checked(None, wrong, found, 0)
        whole = {*self._findings.sorted(), *own.sorted(), *checked.errors}
        errors = sum(one.source is syntax.source and one.severity == "error" for one in whole)
        self._warn_of_base(syntax, own)
        return _Checked(checked.made, wrong, found, errors)

    def _warn_of_base(self, syntax: s.InterpreterSyntax, findings: Findings) -> None:
        at = syntax.base
        while at is not None and at[:2] in self._checked:
            errors = self._checked[at[:2]].errors
            if errors and syntax.base is not None:
                findings.warning(
                    "base_broken", f"{at[0]}.{at[1]} has {counted(errors, 'error')}: what is "
                    "taken over of that is unfinished here", syntax.source, syntax.base[2],
                )  # fmt: skip
                break
            at = self._written[at[:2]].base
