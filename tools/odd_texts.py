"""Give Embrix odd texts for a while: each command must answer within its contract.

    ./dev fuzz texts --minutes 60 --seed 1 --kind definition --keep

Texts are made of those of the shipped course and of what was found before, by cutting, doubling,
splicing, nesting and putting strange characters in. Each is handed to a command in a process of its
own. What is wrong: a status outside the contract, a traceback, a fault of Embrix, more than ten
seconds of processor time, more than a gigabyte of memory. With --keep such a text is put into
tests/corpus, from which a test gives it to the same commands again.
"""

from __future__ import annotations

import argparse
import contextlib
import hashlib
import io
import os
import random
import resource
import shutil
import signal
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
CORPUS = ROOT / "tests" / "corpus"
STATUSES = {0, 1, 2, 3, 4, 130, 141}
SECONDS, MEMORY = 10, 1 << 30
LANGUAGES = ("Drip", "Rill", "Mere", "Weir", "Eddy", "Race", "Gauge", "Siren")
STRANGE = ["\0", "\x1b[2J", "\u202e", "\u2028", "\ufeff", "é", "船", "\U0001f6a2", "\r", "\t",
           "\\",
           '"', "'", "`", "«", "{", "}", "()", "((", "[[", "]]", "…", "→", "⇓", "=", "=>", ":=",
           "|",
           "9" * 40, "1e999", "-0.0", "0x", "by", "with", "todo", "fail", "extends", "binds", "*",
           "List[", "Map[", "given", "let", "\n", "\n\n", "  ", "#"]  # fmt: skip


@dataclass(frozen=True)
class Kind:
    """A kind of text: the file of the course that it stands for, and what is done with it."""

    ending: str
    sources: str
    commands: tuple[tuple[str, ...], ...]
    """`FILE` stands for the file, `LANGUAGE` for one of the languages."""


RUNS = ("--language", "LANGUAGE")
KINDS = {
    "program": Kind(
        "program", "*/programs/*",
        (("run", "FILE", *RUNS), ("run", "FILE", "--json", *RUNS), ("parse", "FILE", *RUNS),
         ("parse", "FILE", "--derivation", *RUNS), ("parse", "FILE", "--shifts", *RUNS),
         ("parse", "FILE", "--back", *RUNS), ("compare", "FILE", *RUNS), ("sketch", "FILE", *RUNS),
         ("steps", "FILE", *RUNS), ("draw", "tree", "FILE", *RUNS),
         ("walk", "FILE", "--with", "environment", "--language", "Rill"),
         ("draw", "derivation", "FILE", "--with", "environment", "--language", "Rill"),
         ("draw", "steps", "FILE", "--with", "rewriting", "--language", "Weir")),
    ),
    "definition": Kind(
        "brix", "*/*.brix",
        (("check",), ("check", "--json"), ("run", "-e", "1 + 2", *RUNS), ("grammar",),
         ("format", "--check", "FILE"), ("grammar", "--sets"), ("uncovered", "--language", "Drip"),
         ("test", "--with", "environment"), ("draw", "rules", "--language", "Drip", "--with",
                                             "environment"),
         ("grammar", "--decisions", "Drip")),
    ),
    "suite": Kind(
        "suite.toml", "*/*.suite.toml",
        (("test", "FILE"), ("test", "FILE", "--json"), ("questions",), ("check",),
         ("accept", "FILE", "a sum"), ("starter", "--language", "Drip", "--with", "environment",
                                       "--without", "Mul", "--to", "OUT")),
    ),
    "course": Kind("toml", "course.toml", (("check",), ("allow",), ("run", "-e", "1"))),
    "answers": Kind("json", "", (("accept", "SUITE", "--adopt", "FILE", "--origin", "x"),)),
    "record": Kind("json", "", (("allow",), ("accept", "SUITE", "--undo"),
                                 ("allow", "o", "--yes"))),
    "walk": Kind("walk.gz", "", (("walk", "FILE"), ("walk", "FILE", "--json", "--at", "3"),
                                 ("walk", "FILE", "--find", "text=x"))),
}  # fmt: skip


# ---------------------------------------------------------------------- texts


def changed(text: str, others: list[str], chance: random.Random) -> str:
    """A text with some places changed."""
    for _ in range(chance.choice([1, 1, 2, 3, 8])):
        begin = chance.randrange(len(text) + 1)
        end = min(len(text), begin + chance.choice([0, 1, 1, 3, 10, 40, 400]))
        other = chance.choice(others)
        at = chance.randrange(len(other) + 1)
        piece = other[at : at + chance.choice([1, 3, 10, 60, 300])]
        match chance.randrange(8):
            case 0:
                instead = ""
            case 1:
                instead = text[begin:end] * chance.choice([2, 2, 3, 50])
            case 2 | 3:
                instead = piece
            case 4:
                instead = text[begin:end] + piece
            case 5:
                instead = chance.choice(STRANGE) * chance.choice([1, 1, 1, 2, 500, 5_000])
            case 6:
                lines = text.split("\n")
                one, two = chance.randrange(len(lines)), chance.randrange(len(lines))
                lines[one], lines[two] = lines[two], lines[one]
                text, instead, begin, end = "\n".join(lines), "", 0, 0
            case _:
                opens, closes = chance.choice(["()", "[]", "{}", ("let a = 1 in ", ""), ("-", "")])
                many = chance.choice([1, 10, 3_000])
                instead = opens * many + text[begin:end] + closes * many
        text = text[:begin] + instead + text[end:]
    return text


def sources_of(kind: str) -> list[bytes]:
    """What texts of a kind are made from."""
    from embrix.course.shipped import shipped_course

    pattern = KINDS[kind].sources
    found = [p.read_bytes() for p in sorted(shipped_course().glob(pattern))] if pattern else []
    found += [p.read_bytes() for p in sorted((CORPUS / kind).glob("*"))]
    if kind == "answers":
        found += [
            b'[{"program": "1 + 2", "value": 3}, {"program": "q", "error": "Unbound"}]',
            b'{"program": "1", "shows": "1", "given": {"a": 2}, "for": {"x": {"value": 1}}}',
        ]
    if kind == "record":
        found += [b'{"version": 1, "allowed": {"/tmp": [["true", "x"]]}}',
                  b'{"version": 1, "file": "x", "texts": [["old", "new"]]}']  # fmt: skip
    if kind == "walk":
        found += [_walk()]
    return found


def _walk() -> bytes:
    """A walk in its file."""
    with tempfile.TemporaryDirectory() as place:
        target = Path(place) / "a.walk.gz"
        words = ["walk", "-e", "let a = 1 in a + 2", "--language", "Drip", "--with", "environment"]
        with contextlib.redirect_stdout(io.StringIO()):
            _main([*words, "--save", str(target)])
        return target.read_bytes()


def made(kind: str, sources: list[bytes], chance: random.Random) -> bytes:
    """An odd text of a kind."""
    if kind == "walk":
        import gzip

        content = gzip.decompress(chance.choice(sources[-1:]))
        text = changed(content.decode(), [content.decode()], chance).encode("utf-8", "replace")
        packed = bytearray(gzip.compress(text))
        if chance.random() < 0.3:
            packed[chance.randrange(len(packed))] ^= 1 << chance.randrange(8)
        return bytes(packed)
    texts = [one.decode("utf-8", "replace") for one in sources]
    content = changed(chance.choice(texts), texts, chance).encode("utf-8", "replace")
    if chance.random() < 0.05:
        at = chance.randrange(len(content) + 1)
        content = content[:at] + bytes([chance.randrange(256)]) + content[at:]
    return content


# ---------------------------------------------------------------------- trying


def _main(words: list[str]) -> int:
    from embrix.cli.main import main

    return main(words)


class Course:
    """A copy of the shipped course that stays in its place from text to text, so that what has been
    read of it before is known."""

    def __init__(self, home: Path, *languages: str) -> None:
        from embrix.course.shipped import shipped_course

        self.home, self.languages = home, languages
        self.folder = home / "course"
        shutil.copytree(shipped_course(), self.folder)
        for inside in self.folder.iterdir():
            if inside.is_dir() and inside.name not in languages:
                shutil.rmtree(inside)
        with (self.folder / "course.toml").open("a") as file:
            file.write('\n[[outside]]\nlanguage = "Drip"\nname = "o"\ncommand = ["true"]\n')
        shutil.copytree(self.folder, home / "original")
        from embrix.lanes.session import Session

        session = Session(self.folder)
        for language in session.course.languages:
            session.lanes(language)

    def restore(self) -> None:
        """Have everything be as it was."""
        original = self.home / "original"
        for path in self.home.iterdir():
            if path not in (self.folder, original):
                shutil.rmtree(path) if path.is_dir() else path.unlink()
        for path in sorted(self.folder.rglob("*"), reverse=True):
            if path.is_file() and not (original / path.relative_to(self.folder)).is_file():
                path.unlink()
        for path in original.rglob("*"):
            own = self.folder / path.relative_to(original)
            if path.is_file() and own.read_bytes() != path.read_bytes():
                shutil.copy2(path, own)

    def place(self, kind: str, content: bytes) -> Path:
        """Where a text of a kind belongs."""
        suite = self.folder / "drip" / "drip.suite.toml"
        match kind:
            case "program":
                return self.folder / "odd.program"
            case "course":
                return self.folder / "course.toml"
            case "suite":
                return suite
            case "answers":
                return self.home / "answers.json"
            case "walk":
                return self.home / "odd.walk.gz"
            case "record":
                name = hashlib.sha256(str(suite.resolve()).encode()).hexdigest()[:24]
                return self.home / (
                    "config/embrix/allowed.json"
                    if b"allowed" in content
                    else f"state/embrix/before/{name}.json"
                )
        # A definition replaces the one that it is most like.
        first = content.split(b"\n", 1)[0]
        files = sorted(self.folder.glob("*/*.brix"))
        alike = [path for path in files if path.read_bytes().split(b"\n", 1)[0] == first]
        return (alike or files)[hashlib.sha256(content).digest()[0] % len(alike or files)]


def tried(course: Course, kind: str, content: bytes, words: tuple[str, ...], language: str) -> str:
    """What is wrong with the answer of a command, given a text of a kind; nothing if nothing is.
    Everything is done in a process of its own."""
    file = course.place(kind, content)
    file.parent.mkdir(parents=True, exist_ok=True)
    file.write_bytes(content)
    stands = {"FILE": str(file), "LANGUAGE": language, "OUT": str(course.home / "out"),
              "SUITE": str(course.folder / "drip" / "drip.suite.toml")}  # fmt: skip
    reading, writing = os.pipe()
    begun = time.monotonic()
    process = os.fork()
    if not process:
        os.close(reading)
        os.dup2(writing, 1)
        os.dup2(writing, 2)
        sys.stdout, sys.stderr = (os.fdopen(number, "w", closefd=False) for number in (1, 2))
        _in_child([stands.get(word, word) for word in words], course)
    os.close(writing)
    with os.fdopen(reading, "rb") as stream:
        told = stream.read(1 << 20).decode("utf-8", "replace")
    _, status, used = os.wait4(process, 0)
    code = os.waitstatus_to_exitcode(status)
    course.restore()
    if code == -signal.SIGXCPU or used.ru_utime + used.ru_stime > SECONDS:
        return f"more than {SECONDS} seconds"
    if time.monotonic() - begun > 6 * SECONDS:
        return "it waited"
    if "Traceback" in told or "internal error" in told:
        return told.strip()[-300:]
    if code not in STATUSES:
        return f"status {code}: {told[-200:]}"
    return ""


def _in_child(words: list[str], course: Course) -> None:
    """Carry out a command within limits, and end."""
    code = 70
    try:
        resource.setrlimit(resource.RLIMIT_CPU, (SECONDS + 1, SECONDS + 1))
        resource.setrlimit(resource.RLIMIT_AS, (3 * MEMORY, 3 * MEMORY))
        signal.alarm(8 * SECONDS)
        for name in ("DATA", "STATE", "CONFIG", "CACHE"):
            os.environ[f"XDG_{name}_HOME"] = str(course.home / name.lower())
        os.chdir(course.folder)
        code = _main(words)
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
        if peak > MEMORY:
            print(f"internal error: {peak >> 20} MB")
    except SystemExit as end:
        code = end.code if isinstance(end.code, int) else 1
    except BaseException as fault:
        print(f"Traceback: {type(fault).__name__}: {fault}"[:500])
    finally:
        with contextlib.suppress(BaseException):
            sys.stdout.flush()
        os._exit(code)


def prepare() -> None:
    """Read all that commands need, so that a copy of this process begins at once."""


def keep(kind: str, content: bytes) -> Path:
    """Put a text into the corpus."""
    name = hashlib.sha256(content).hexdigest()[:12]
    path = CORPUS / kind / f"{name}.{KINDS[kind].ending}"
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(content)
    return path


def smaller(wrong: Callable[[bytes], bool], content: bytes, seconds: float = 60.0) -> bytes:
    """A shorter text that is wrong as well: pieces are left out as long as that helps."""
    until = time.monotonic() + seconds
    size = len(content) // 2
    while size and time.monotonic() < until:
        at = 0
        while at < len(content) and time.monotonic() < until:
            without = content[:at] + content[at + size :]
            if wrong(without):
                content = without
            else:
                at += size
        size //= 2
    return content


def main() -> int:
    reader = argparse.ArgumentParser(description=__doc__, allow_abbrev=False)
    reader.add_argument("--minutes", type=float, default=1.0)
    reader.add_argument("--seed", type=int, default=1)
    reader.add_argument("--kind", choices=tuple(KINDS), action="append")
    reader.add_argument("--keep", action="store_true", help="put what is wrong into tests/corpus")
    chosen = reader.parse_args()
    kinds = chosen.kind or list(KINDS)
    prepare()
    sources = {kind: sources_of(kind) for kind in kinds}
    chance = random.Random(chosen.seed)
    with tempfile.TemporaryDirectory(prefix="embrix-odd-") as place:
        return _try_many(chosen, kinds, sources, chance, Path(place))


def courses_in(home: Path) -> dict[str, Course]:
    """The courses that texts are put into, by kind of text."""
    for name in ("whole", "small"):
        (home / name).mkdir()
    whole = Course(home / "whole", *map(str.lower, LANGUAGES))
    small = Course(home / "small", "drip", "rill")
    return {kind: whole if kind == "program" else small for kind in KINDS}


def _try_many(
    chosen: argparse.Namespace, kinds: list[str], sources: dict[str, list[bytes]],
    chance: random.Random, home: Path,
) -> int:  # fmt: skip
    courses = courses_in(home)
    begun = time.monotonic()
    count, wrong, told = 0, 0, set()
    while time.monotonic() - begun < chosen.minutes * 60:
        kind = chance.choice(kinds)
        content = made(kind, sources[kind], chance)
        words = chance.choice(KINDS[kind].commands)
        language = chance.choice(LANGUAGES if kind == "program" else LANGUAGES[:2])
        count += 1
        course = courses[kind]
        fault = tried(course, kind, content, words, language)
        if not fault:
            continue
        wrong += 1
        print(f"{kind}, {' '.join(words)} ({language}), text {count}: {fault}", flush=True)
        mark = (words[0], fault[-60:])
        if chosen.keep and mark not in told:
            told.add(mark)
            small = smaller(lambda c: bool(tried(course, kind, c, words, language)), content)  # noqa: B023
            print(f"    kept as {keep(kind, small)}", flush=True)
    print(f"{count:,} texts with seed {chosen.seed}: {wrong or 'nothing'} wrong")
    return int(bool(wrong))


if __name__ == "__main__":
    sys.exit(main())
