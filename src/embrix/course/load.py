"""Finding and reading a course.

A course is a folder with a `course.toml`. Everything below it that ends in `.brix` is a definition,
in `.suite.toml` a suite, in `.lesson.toml` a lesson, and in the extension of a language a program.
"""

from __future__ import annotations

import os
import stat
import tomllib
from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache, partial
from pathlib import Path

from msgspec import Struct, field
from msgspec.structs import force_setattr, replace

from embrix.brix import syntax as s
from embrix.brix.core import Language
from embrix.brix.language import check_language
from embrix.course.checked import MEMORY
from embrix.course.finding import COURSE_FILE, COURSE_FILES
from embrix.course.interpreters import Interpreters
from embrix.course.kept_definitions import Found, KeptKind
from embrix.course.meanings import meaning_of, remembered_definitions, syntax_of
from embrix.course.missing import Languages
from embrix.course.needed_files import Unread, Wanted, languages_in, needed_files
from embrix.course.outside import Outside, read_outside
from embrix.machine.conversions import convert_tokens
from embrix.text.diagnostic import Diagnostic, Findings
from embrix.text.source import Source, Span, Unreadable, read_source
from embrix.text.suggest import did_you_mean
from embrix.text.toml_places import fault_place, key_place, read_toml

MOST_FILES = 2_000
MOST_ENTRIES = 50_000
"""Files and folders that are looked at in search of those of a course."""


class Course(Struct, frozen=True):
    """What a course folder holds. `interpreters` has those that can run, by language and name; each
    is checked when somebody asks for those of its language."""

    folder: Path
    title: str
    about: str
    languages: Languages
    interpreters: Interpreters
    suites: tuple[Path, ...]
    lessons: tuple[Path, ...]
    programs: dict[str, tuple[Path, ...]]
    read: tuple[Diagnostic, ...]
    """What is wrong with it, apart from its interpreters."""
    sources: dict[str, Source]
    libraries: dict[str, s.LibrarySyntax] = field(default_factory=dict)
    outside: tuple[Outside, ...] = ()
    """Commands that run programs, if the user allows them."""
    whole: bool = True
    """Whether all definitions have been read, not only those that a language needs."""
    unread: tuple[Unread, ...] = ()
    """The languages that have not been read."""

    def __repr__(self) -> str:
        return f"Course({self.title!r}, {', '.join(self.languages)})"

    @property
    def broken(self) -> Mapping[str, tuple[str, ...]]:
        """Per language the names of interpreters that are defined but cannot run."""
        return self.interpreters.broken

    @property
    def faulty(self) -> Mapping[str, dict[str, int]]:
        """Per language the interpreters with errors that run as far as they go, and how many."""
        return self.interpreters.faulty

    @property
    def diagnostics(self) -> tuple[Diagnostic, ...]:
        """What is wrong with it; every interpreter is checked for that."""
        findings = Findings()
        findings.extend(self.read)
        findings.extend(self.interpreters.found())
        return findings.sorted()

    @property
    def wrong(self) -> tuple[Diagnostic, ...]:
        """The same without what interpreters are warned of, which takes longer to find."""
        findings = Findings()
        findings.extend(self.read)
        findings.extend(self.interpreters.wrong())
        return findings.sorted()

    @property
    def has_errors(self) -> bool:
        return any(d.severity == "error" for d in self.wrong)

    def language_of(self, path: Path) -> Language | None:
        """The language whose extension a file bears."""
        suffix = path.suffix.removeprefix(".")
        for language in self.languages.values():
            if suffix and language.extension == suffix:
                return language
        return None


def load_course(
    folder: Path, unsaved: Mapping[Path, str] | None = None, wanted: Wanted | None = None
) -> Course:
    """Read and check everything in a course folder, or what a language needs that is `wanted`.

    `unsaved` holds texts that stand for files which have not been saved. Nothing is raised for bad
    content; it becomes diagnostics.
    """
    MEMORY.begin()
    findings = Findings()
    loader = _Loader(folder.resolve(), unsaved or {}, findings)
    return loader.load(wanted)


def _language(
    syntax: s.LanguageSyntax, base: Language | None, before: Findings, findings: Findings
) -> Language:
    findings.extend(before.sorted())
    made = check_language(syntax, findings, base)
    _complete(made, syntax, base, has_errors=findings.has_errors)
    return made


def _complete(
    made: Language, syntax: s.LanguageSyntax, base: Language | None, *, has_errors: bool
) -> None:
    """Give a language what only this process can: it is not kept."""
    convert_tokens(made)
    before_it = () if base is None else (base.meaning,)
    meaning = meaning_of((syntax.source,), before_it, has_errors=has_errors)
    force_setattr(made, "meaning", meaning)


def _kept(syntax: s.LanguageSyntax, base: Language | None) -> KeptKind:
    """How a language is kept."""

    def give(made: Language, found: Sequence[Diagnostic]) -> tuple[Language, Found]:
        wrong = any(one.severity == "error" for one in found)
        _complete(made, syntax, base, has_errors=wrong)
        return made, tuple(found)

    return KeptKind(give=give)


@lru_cache(2 * MOST_FILES)
def _path(file: str) -> Path:
    """A path as an object, which takes longer to make than to keep."""
    return Path(file)


class _Loader:
    def __init__(self, folder: Path, unsaved: Mapping[Path, str], findings: Findings) -> None:
        self.folder = folder
        self.unsaved = {path.resolve(): text for path, text in unsaved.items()}
        self.findings = findings
        self.sources: dict[str, Source] = {}
        self.outside: object = []
        self.whole = True
        self.unread: list[Unread] = []

    def read(self, path: Path) -> Source | None:
        name = path.relative_to(self.folder).as_posix()
        text = self.unsaved.get(path)
        if text is None:
            try:
                text = read_source(path, name).text
            except Unreadable as fault:
                blank = Source(name, "", path)
                self.findings.error("unreadable_file", str(fault), blank, Span(0, 0))
                return None
        source = MEMORY.source(name, text, path)
        self.sources[name] = source
        return source

    def files(self) -> Iterator[Path]:
        """The files of the course in order: what lies in its folder, hidden files, courses of their
        own inside it and links that lead out of it left aside."""
        found: list[Path] = []
        looked_at = 0
        for place, folders, names in os.walk(self.folder):
            folders[:] = [name for name in folders if not name.startswith(".")]
            looked_at += len(folders) + len(names)
            if COURSE_FILE in names and place != str(self.folder):
                folders.clear()
                continue
            if looked_at > MOST_ENTRIES:
                break
            files = (os.path.join(place, name) for name in names if not name.startswith("."))
            found += [_path(file) for file in files if self.inside(file)]
        # A file that vanished while somebody writes it, or has not been saved yet.
        found += [path for path in self.unsaved if self.folder in path.parents
                  and path.name.endswith(COURSE_FILES) and not path.exists()]  # fmt: skip
        if looked_at > MOST_ENTRIES or len(found) > MOST_FILES:
            self.findings.warning(
                "too_many_files", f"the course has more than {MOST_FILES:,} files or "
                f"{MOST_ENTRIES:,} entries; some of them are not read", self.blank(COURSE_FILE),
                Span(0, 0),
            )  # fmt: skip
        yield from sorted(found)[:MOST_FILES]

    def inside(self, file: str) -> bool:
        """Whether this is a file, and lies in the course; a link that leads out of it is reported,
        and so is what only bears the name of a file of a course."""
        try:
            kind = os.lstat(file).st_mode
        except OSError:
            return False  # it is gone
        if stat.S_ISREG(kind):
            return True
        path = Path(file)
        is_file = path.is_file()
        if is_file and self.folder in path.resolve().parents:
            return True
        name = path.relative_to(self.folder).as_posix()
        code, text = "outside_link", "is a link that leads out of the course"
        if not is_file:
            code, text = "no_file", "is no file with a text"
        if is_file or name.endswith(COURSE_FILES):
            self.findings.warning(
                code, f"{name} {text}; it is left out", self.blank(name), Span(0, 0)
            )
        return False

    def blank(self, name: str) -> Source:
        return Source(name, "", self.folder / name)

    def definitions(self, files: Sequence[Path], wanted: Wanted | None) -> list[Source]:
        """The definitions that are read, one or several in a file."""
        paths = [path for path in files if path.suffix == ".brix"]
        found = {path: source for path in paths if (source := self.read(path)) is not None}
        if wanted is not None:
            needed = needed_files({path: source.text for path, source in found.items()}, wanted)
            left_out = {path: source.text for path, source in found.items() if path not in needed}
            self.whole, self.unread = not left_out, languages_in(left_out)
            for path in left_out:
                del self.sources[found.pop(path).name]
        return [part for source in found.values() for part in remembered_definitions(source)]

    def load(self, wanted: Wanted | None) -> Course:
        title, about = self.heading()
        files = list(self.files())
        languages = Languages()
        waiting: list[s.InterpreterSyntax] = []
        written: list[s.LanguageSyntax] = []
        libraries: dict[str, s.LibrarySyntax] = {}
        for source in self.definitions(files, wanted):
            syntax = self.syntax(source)
            if isinstance(syntax, s.InterpreterSyntax):
                waiting.append(syntax)
            elif isinstance(syntax, s.LibrarySyntax):
                self.library(syntax, libraries)
            elif syntax is not None:
                written.append(syntax)
        self.languages(written, languages)
        interpreters = Interpreters(waiting, languages, libraries, self.findings)
        by_ending: dict[str, list[Path]] = {}
        for path in files:
            by_ending.setdefault(path.suffix.removeprefix("."), []).append(path)

        def ending_in(extension: str | None) -> tuple[Path, ...]:
            return tuple(by_ending.get(extension, ())) if extension else ()

        owners = {lang.extension: name for name, lang in languages.items()}
        outside: list[Outside] = []
        if self.outside and COURSE_FILE in self.sources:
            source = self.sources[COURSE_FILE]
            known = [*languages, *(one.name for one in self.unread)]
            outside = read_outside(self.outside, source, known, self.findings)
        return Course(
            self.folder, title, about, languages, interpreters,
            tuple(path for path in files if path.name.endswith(".suite.toml")),
            tuple(path for path in files if path.name.endswith(".lesson.toml")),
            {name: ending_in(language.extension) if owners[language.extension] == name else ()
             for name, language in languages.items()},
            self.findings.sorted(), self.sources, libraries, tuple(outside), self.whole,
            tuple(replace(one, programs=ending_in(one.extension)) for one in self.unread),
        )  # fmt: skip

    def syntax(self, source: Source) -> s.DefinitionSyntax | None:
        """What a definition says."""
        syntax, found = syntax_of(source)
        self.findings.extend(found)
        return syntax

    def heading(self) -> tuple[str, str]:
        path = self.folder / COURSE_FILE
        if not path.exists() and path not in self.unsaved:
            return self.folder.name, ""
        source = self.read(path)
        if source is None:
            return self.folder.name, ""
        try:
            data = read_toml(source.text)
        except tomllib.TOMLDecodeError as bad:
            self.findings.error(
                "bad_toml", f"this is not TOML: {bad}", source, fault_place(source, bad)
            )
            return self.folder.name, ""
        known = ("title", "about", "outside")
        self.outside = data.get("outside", [])
        for key in data:
            if key not in known:
                at = max(0, key_place(source.text, key))
                hint = did_you_mean(key, known, "known are " + ", ".join(known))
                self.findings.warning(
                    "unknown_word", f"course.toml has no entry called {key}", source,
                    Span(at, at + len(key)), hint,
                )  # fmt: skip
        for key in ("title", "about"):
            if not isinstance(data.get(key, ""), str):
                at = max(0, key_place(source.text, key))
                self.findings.error("bad_toml", f"`{key}` is a text", source,
                                    Span(at, at + len(key)), f'{key} = "…"')  # fmt: skip
        return str(data.get("title", self.folder.name)), str(data.get("about", ""))

    def languages(
        self, written: Sequence[s.LanguageSyntax], languages: dict[str, Language]
    ) -> None:
        """Check all languages, each after the one that it extends."""
        by_name: dict[str, s.LanguageSyntax] = {}
        for syntax in written:
            if syntax.name in by_name:
                other = by_name[syntax.name].source.name
                self.findings.error(
                    "declared_twice", f"{syntax.name} is defined in {other} already",
                    syntax.source, syntax.span,
                )  # fmt: skip
            else:
                by_name[syntax.name] = syntax
        for name in by_name:
            chain: list[str] = []
            at: str | None = name
            while at is not None and at in by_name and at not in languages and at not in chain:
                chain.append(at)
                base = by_name[at].base
                at = base[0] if base is not None else None
            circle = at in chain
            for link in reversed(chain):
                self.language(by_name[link], languages, by_name, circle=circle)

    def language(
        self,
        syntax: s.LanguageSyntax,
        languages: dict[str, Language],
        known: Mapping[str, s.LanguageSyntax],
        *,
        circle: bool,
    ) -> None:
        own = Findings()
        own.extend(d for d in self.findings.sorted() if d.source is syntax.source)
        base: Language | None = None
        if syntax.base is not None:
            name, span = syntax.base
            base = languages.get(name)
            if circle:
                own.error(
                    "unknown_language", f"{syntax.name} extends itself by way of {name}",
                    syntax.source, span, "one of them must stand alone",
                )  # fmt: skip
            elif name not in known:
                own.error(
                    "unknown_language", f"there is no language called {name}", syntax.source, span,
                    did_you_mean(name, known),
                )  # fmt: skip
            elif base is not None and base.signature.forms and not base.sound:
                own.warning(
                    "base_broken", f"{name} has errors: what is taken over of that is unfinished "
                    "here", syntax.source, span,
                )  # fmt: skip
            elif base is None or not base.sound:
                own.error(
                    "base_broken", f"{name} has errors, and {syntax.name} cannot be checked "
                    "without it", syntax.source, span, f"mend {name} first",
                )  # fmt: skip
                base = None
        if own.has_errors and syntax.base is not None and base is None:
            self.findings.extend(own.sorted())
            return
        checked, found = MEMORY.recall(
            ("language", tuple(own.sorted())), (syntax, base),
            partial(_language, syntax, base, own),
            _kept(syntax, base),
        )  # fmt: skip
        languages[syntax.name] = checked
        self.findings.extend(self._of_own(found, syntax))

    def _of_own(
        self, found: Sequence[Diagnostic], syntax: s.LanguageSyntax
    ) -> Iterator[Diagnostic]:
        """What was found in a language; what lies in its base is reported only when it is news."""
        before = set(self.findings.sorted())
        for one in found:
            if one.source is syntax.source:
                yield one
            elif one not in before:
                yield replace(one, message=f"in {syntax.name}: {one.message}")

    def library(self, syntax: s.LibrarySyntax, libraries: dict[str, s.LibrarySyntax]) -> None:
        if syntax.name in libraries:
            self.findings.error(
                "declared_twice", f"there is a library called {syntax.name} already",
                syntax.source, syntax.span,
            )  # fmt: skip
            return
        libraries[syntax.name] = syntax
