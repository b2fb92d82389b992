"""Interpreters outside: commands that a course names as lanes of a language."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from msgspec import Struct, field

from embrix.text.diagnostic import Findings
from embrix.text.source import Source, Span
from embrix.text.suggest import did_you_mean
from embrix.text.toml_places import heads, key_place

_KEYS = ("language", "name", "command", "program", "gives", "errors", "rejected", "steps",
         "names", "seconds", "memory")  # fmt: skip


class Outside(Struct, frozen=True):
    """A command that runs programs of a language.

    `program` says how it gets one: on its standard `input`, or as a `file` (for `{program}` in the
    command, else as the last argument). `gives` says what it writes on standard output: the
    `value`, the `output` of the program, or `both`, the value on the last line. A failure is
    reported by a text in what it writes (`…` stands for any text): `errors` by the name of the
    error, `rejected` for a program that it cannot read. With `steps` added to the command it writes
    its steps instead, as lines of a walk. `names` is added once for each name supplied by hand,
    with `{name}` and `{value}` replaced; lines of input come on standard input, where the program
    comes as a file. `seconds` of processor time and `memory` in millions of bytes are what it may
    use.
    """

    language: str
    name: str
    command: tuple[str, ...]
    program: str = "input"
    gives: str = "value"
    errors: Mapping[str, str] = field(default_factory=dict)
    rejected: str = ""
    steps: tuple[str, ...] = ()
    names: tuple[str, ...] = ()
    seconds: int = 5
    memory: int = 512
    span: Span = Span(0, 0)


def read_outside(
    data: Any, source: Source, languages: Collection[str], findings: Findings
) -> list[Outside]:
    """The `[[outside]]` entries of a course file; what is wrong is reported and left out."""
    if not isinstance(data, list) or not all(isinstance(one, dict) for one in data):
        findings.error("bad_toml", "outside interpreters are written as [[outside]]", source,
                       _place(source, "outside", 0))  # fmt: skip
        return []
    found: list[Outside] = []
    for number, entry in enumerate(data):
        made = _entry(entry, number, source, languages, findings)
        if made is None:
            continue
        if any((one.language, one.name) == (made.language, made.name) for one in found):
            findings.error("declared_twice", f"there is a lane called {made.name} already", source,
                           made.span)  # fmt: skip
            continue
        found.append(made)
    return found


def _place(source: Source, key: str, number: int) -> Span:
    begins = [at for at, _ in heads(source.text, ("outside",))]
    if key == "outside" or number >= len(begins):
        begin = max(0, key_place(source.text, "outside"))
        return Span(begin, begin + len("outside"))
    at, end = [*begins, len(source.text)][number : number + 2]
    found = key_place(source.text, key, at, end)
    return Span(at, at + len("[[outside]]")) if found < 0 else Span(found, found + len(key))


def _entry(
    entry: Mapping[str, Any],
    number: int,
    source: Source,
    languages: Collection[str],
    findings: Findings,
) -> Outside | None:
    wrong = False

    def complain(key: str, message: str, hint: str = "") -> None:
        nonlocal wrong
        wrong = True
        findings.error("bad_toml", message, source, _place(source, key, number), hint)

    for key in entry:
        if key not in _KEYS:
            hint = did_you_mean(key, _KEYS, "known are " + ", ".join(_KEYS))
            findings.warning("unknown_word", f"an entry called {key} means nothing here", source,
                             _place(source, key, number), hint)  # fmt: skip
    language, name = entry.get("language"), entry.get("name")
    if language not in languages:
        complain("language", f"there is no language called {language}",
                 did_you_mean(str(language), languages))  # fmt: skip
    if not isinstance(name, str) or not name.replace("_", "").isalnum():
        complain("name", "`name` is a word", 'name = "abacus"')
    command = entry.get("command")
    if not _texts(command) or not command:
        complain("command", "`command` is a list of texts, the program to start first",
                 'command = ["python3", "students/abacus.py"]')  # fmt: skip
    for key, known in (("program", ("input", "file")), ("gives", ("value", "output", "both"))):
        if entry.get(key, known[0]) not in known:
            complain(key, f"`{key}` is one of {', '.join(known)}")
    errors = entry.get("errors", {})
    if not isinstance(errors, dict) or not all(isinstance(one, str) for one in errors.values()):
        complain("errors", "`errors` says for each error how the command reports it",
                 'errors = { Unbound = "unbound name …" }')  # fmt: skip
    for key, example in (("steps", '["--steps"]'), ("names", '["--name", "{name}={value}"]')):
        if not _texts(entry.get(key, [])):
            complain(key, f"`{key}` is a list of arguments", f"{key} = {example}")
    for key, most in (("seconds", 600), ("memory", 64_000)):
        value = entry.get(key, 1)
        if isinstance(value, bool) or not isinstance(value, int) or not 1 <= value <= most:
            complain(key, f"`{key}` is a number from 1 to {most:,}")
    if not isinstance(entry.get("rejected", ""), str):
        complain("rejected", "`rejected` is a text that the command writes then")
    if wrong:
        return None
    return Outside(
        str(language), str(name), tuple(command or ()), entry.get("program", "input"),
        entry.get("gives", "value"), dict(errors), entry.get("rejected", ""),
        tuple(entry.get("steps", ())), tuple(entry.get("names", ())), entry.get("seconds", 5),
        entry.get("memory", 512), _place(source, "command", number),
    )  # fmt: skip


def _texts(value: Any) -> bool:
    return isinstance(value, list) and all(isinstance(one, str) and "\0" not in one
                                           for one in value)  # fmt: skip
