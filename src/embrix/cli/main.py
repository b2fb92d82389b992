"""The command `embrix`: without a subcommand the workbench, otherwise one answer on the terminal.

Exit statuses stand in `status`.
"""

from __future__ import annotations

import argparse
import contextlib
import errno
import signal
import sys
import threading
from collections.abc import Callable, Sequence
from importlib import import_module
from pathlib import Path
from typing import Any

from embrix import __version__
from embrix.cli.status import BROKEN_PIPE, FAULTY, INTERNAL, INTERRUPTED, NEGATIVE, USAGE
from embrix.cli.streams import give_up_output, safe_streams
from embrix.cli.teaching_commands import Adding, add_teaching, replacing
from embrix.cli.usage import Faulty, Usage
from embrix.suite.formats import FORMATS
from embrix.text.collecting import collect_seldom
from embrix.text.log import start_logging
from embrix.text.refusal import refusal
from embrix.text.suggest import did_you_mean
from embrix.text.user_folders import use_cache
from embrix.text.visible import visible

Command = Callable[[argparse.Namespace], int]


def main(argv: Sequence[str] | None = None) -> int:
    """Run the command line; the exit status."""
    start_logging()
    collect_seldom()
    use_cache()
    _end_in_order()
    with safe_streams():
        try:
            status = _carried_out(sys.argv[1:] if argv is None else argv)
            sys.stdout.flush()
        except Terminated as ended:
            return ended.status
        except BrokenPipeError:
            give_up_output()
            return BROKEN_PIPE
        except OSError as fault:
            give_up_output()
            return _failed(f"nothing can be written: {refusal(fault)}", NEGATIVE)
        return status


def _carried_out(argv: Sequence[str]) -> int:
    try:
        arguments = parsed(texts_attached(argv))
        command: Command = arguments.command
        return command(arguments)
    except Usage as wrong:
        return _failed(str(wrong), USAGE)
    except Faulty as wrong:
        return _failed(str(wrong), FAULTY)
    except KeyboardInterrupt:
        return _failed("stopped", INTERRUPTED)
    except BrokenPipeError:
        raise
    except OSError as fault:
        if fault.errno in UNWRITABLE and fault.filename is None:
            raise
        name = f"{fault.filename}: " if fault.filename else ""
        return _failed(f"{name}{refusal(fault)}", USAGE)
    except Exception as fault:
        from embrix.text.crash_report import write_crash_report  # seldom needed

        report = write_crash_report(fault, " ".join(["embrix", *argv]))
        return _failed(f"internal error, see {report}: {type(fault).__name__}: {fault}", INTERNAL)


class Terminated(BaseException):
    """A signal asks the command to end."""

    def __init__(self, number: int) -> None:
        super().__init__(number)
        self.status = 128 + number


def _end_in_order() -> None:
    """Let signals that end a command do so like any way out: what it has started ends with it, and
    its temporary files go."""
    if threading.current_thread() is not threading.main_thread():
        return

    def end(number: int, _frame: object) -> None:
        raise Terminated(number)

    for name in ("SIGTERM", "SIGHUP"):
        if hasattr(signal, name):
            signal.signal(getattr(signal, name), end)


UNWRITABLE = (errno.ENOSPC, errno.EIO, errno.EBADF)


def _failed(text: str, status: int) -> int:
    """A sentence on standard error, behind what has been printed; the status."""
    with contextlib.suppress(OSError, ValueError):
        sys.stdout.flush()
    with contextlib.suppress(OSError, ValueError):
        print(f"embrix: {text}", file=sys.stderr)
    return status


def texts_attached(argv: Sequence[str]) -> list[str]:
    """The words of a command line with each text after `-e` joined to it: a program may begin with
    a minus sign."""
    words = list(argv)
    joined: list[str] = []
    while words:
        word = words.pop(0)
        if word == "--":
            return [*joined, word, *words]
        if word == "-e" and words and words[0].startswith("-"):
            word += words.pop(0)
        joined.append(word)
    return joined


def parsed(words: list[str]) -> argparse.Namespace:
    """The arguments of a command line. Options may stand before, between and behind what a command
    is given. A file or folder in place of a command is opened."""
    command = _parser_of(words)
    if command is None and words and Path(words[0]).exists():
        words = ["open", *(["--course"] if Path(words[0]).is_dir() else []), *words]
        command = _parser_of(words)
    if command is not None:
        found, unknown = command.parse_known_intermixed_args(words[1:])
        if unknown:
            from embrix.cli.stray_words import stray  # seldom needed

            raise Usage(stray(command, unknown))
        return found
    top = parser()
    if words and not words[0].startswith("-"):
        hint = did_you_mean(words[0], commands_in(top), "embrix --help lists the commands")
        raise Usage(f"there is no command, file or folder called {visible(words[0])}; {hint}")
    return top.parse_args(words)


def _parser_of(words: list[str]) -> argparse.ArgumentParser | None:
    """The parser of the command that a line begins with, made without those of the others."""
    return commands_in(parser(words[0])).get(words[0]) if words else None


class _NotMeant(argparse.ArgumentParser):
    """Stands for a command that is not the one on the line: its arguments are not put together."""

    def __init__(self) -> None:
        pass

    def add_argument(self, *_: Any, **__: Any) -> Any:
        return None

    def set_defaults(self, **_: Any) -> None:
        pass

    def add_mutually_exclusive_group(self, **_: Any) -> Any:
        return self


def commands_in(top: argparse.ArgumentParser) -> dict[str, argparse.ArgumentParser]:
    """The parsers of all commands by name."""
    found = [one for one in top._actions if isinstance(one, argparse._SubParsersAction)]
    return dict(found[0].choices)


def parser(only: str | None = None) -> argparse.ArgumentParser:
    """What reads command lines: all of them, or those with one command."""
    top = argparse.ArgumentParser(
        prog="embrix",
        description="A workbench for definitional interpreters of small teaching languages.",
        epilog="Without a command the workbench opens on the course found here; with a file or a "
        "folder in place of a command, on that.",
    )
    top.add_argument("--version", action="version", version=f"embrix {__version__}")
    top.set_defaults(command=_command("opening.open_workbench"), course=None, file=None)
    commands_of = top.add_subparsers(title="commands", metavar="COMMAND")

    def add(name: str, where: str, text: str) -> argparse.ArgumentParser:
        if only not in (None, name):
            return _NotMeant()
        sub = commands_of.add_parser(name, help=text, description=text)
        sub.set_defaults(command=_command(where))
        sub.add_argument(
            "--course", metavar="FOLDER", type=Path,
            help="the course (default: the one found here, else the shipped one)",
        )  # fmt: skip
        return sub

    work = add("open", "opening.open_workbench", "open the workbench")
    work.add_argument(
        "file",
        metavar="FILE",
        nargs="?",
        type=Path,
        help="a program to begin with, or the folder of a course",
    )

    check = add(
        "check", "findings.check", "check all definitions and suites, and report what is wrong"
    )
    check.add_argument("--json", action="store_true", help="print the findings as JSON")

    for name, command, text in (
        ("run", "running.run", "run a program and print its value or failure"),
        ("steps", "stepping.steps", "print a run step by step"),
        ("outcomes", "outcomes.outcomes", "list all outcomes that a program can have"),
        (
            "residual",
            "residual.residual",
            "print what is left of an interpreter when the program is known",
        ),
        (
            "compare",
            "comparison.compare",
            "compare several lanes, and show where they differ",
        ),
        ("growth", "comparison.growth", "show how a cost grows as a name takes a range of values"),
        (
            "walk",
            "traces.walk",
            "print the steps of a recorded run, with names, store and clause at each",
        ),
    ):
        sub = add(name, command, text)
        sub.set_defaults(own_steps=name in ("steps", "walk"))
        sub.add_argument("file", metavar="FILE", nargs="?", help="a program, or - for input")
        sub.add_argument("-e", metavar="TEXT", dest="text", help="a program text instead of a file")
        sub.add_argument("--language", metavar="NAME", help="the language of the text")
        sub.add_argument(
            "--with", metavar="INTERPRETER", dest="lanes", action="append",
            help="the interpreter; may be given several times (default: all)",
        )  # fmt: skip
        sub.add_argument(
            "--bind", metavar="NAME=EXPR", action="append", default=[],
            help="supply a name by hand; may be given several times",
        )  # fmt: skip
        sub.add_argument("--grammar", metavar="NAME", help="one of several grammars")
        sub.add_argument("--input", metavar="FILE", help="lines the program may read; - for input")
        sub.add_argument("--json", action="store_true", help="print the answer as JSON")
        sub.add_argument(
            "--calls", metavar="N", type=int, help="the most calls that the run may make"
        )
        if name == "residual":
            sub.add_argument("--decided", action="store_true",
                             help="print what is decided beforehand as well")  # fmt: skip
            sub.add_argument("--run", action="store_true",
                             help="run it, and print what it takes beside the "
                             "interpreter")  # fmt: skip
        if name == "compare":
            sub.add_argument("--parts", action="store_true",
                             help="hold the first lane against each other one at every part of the "
                             "program that it evaluates in an environment")  # fmt: skip
        if name == "outcomes":
            sub.add_argument("--runs", metavar="N", type=int,
                             help="the most runs that the search may make")  # fmt: skip
        if name in ("run", "steps", "walk"):
            sub.add_argument("--ways", metavar="N,N,…",
                             help="the ways to take, where several are open")  # fmt: skip
        if name == "growth":
            sub.add_argument("--over", metavar="NAME=A..B", required=True,
                             help="the name and its range: n=1..20, n=10..200/10")  # fmt: skip
            sub.add_argument("--cost", metavar="COST", default="calls",
                             help="what is counted (default: calls)")  # fmt: skip
    sub.add_argument("--at", metavar="N", type=int, default=0, help="the first step to print")
    sub.add_argument("--show", metavar="N", type=int, default=20, help="how many (default: 20)")
    sub.add_argument(
        "--find", metavar="WHAT",
        help="begin at the next step that has this: text=…, lookup=NAME, name=NAME, location=@N, "
        "output, end, over, out, clause=LINE",
    )  # fmt: skip
    sub.add_argument("--back", action="store_true", help="look backwards from --at")
    sub.add_argument("--save", metavar="FILE", type=Path, help="keep the walk in a .walk.gz file")
    sub.add_argument("--slides", metavar="FILE", type=Path,
                     help="the steps from --at on as slides: one .html page")  # fmt: skip
    replacing(sub)

    add_teaching(add)

    parse = add("parse", "reading.parse", "read a text and print its tree, or how it was read")
    parse.add_argument("file", metavar="FILE", nargs="?", help="a program, or - for input")
    parse.add_argument("-e", metavar="TEXT", dest="text", help="a text instead of a file")
    parse.add_argument("--language", metavar="NAME", help="the language of the text")
    parse.add_argument("--rule", metavar="RULE", help="read the text at this rule")
    parse.add_argument("--grammar", metavar="NAME", help="one of several grammars")
    parse.add_argument("--width", metavar="N", type=int, default=80,
                       help="columns for --back (default: 80)")  # fmt: skip
    parse.add_argument("--json", action="store_true", help="print the answer as JSON")
    how = parse.add_mutually_exclusive_group()
    how.add_argument("--derivation", action="store_true", help="print which rule covers what")
    how.add_argument("--back", action="store_true", help="print the tree back as source")
    how.add_argument("--brackets", action="store_true",
                     help="print the tree back with every bracket written out")  # fmt: skip
    how.add_argument("--tokens", action="store_true", help="print the tokens")
    how.add_argument("--shifts", action="store_true", help="print shifts and reductions")
    how.add_argument("--descent", action="store_true", help="print the descent (LL(1) grammars)")

    sketch = add("sketch", "reading.sketch", "say how far a program gets in an unfinished language")
    sketch.add_argument("file", metavar="FILE", nargs="?", help="a program, or - for input")
    sketch.add_argument("-e", metavar="TEXT", dest="text", help="a text instead of a file")
    sketch.add_argument("--language", metavar="NAME", help="the language of the text")

    sketch.add_argument("--json", action="store_true", help="print the answer as JSON")
    repl = add("repl", "repl.prompt", "a prompt for programs")
    repl.add_argument("--language", metavar="NAME", help="the language (default: the only one)")
    repl.add_argument("--with", metavar="INTERPRETER", dest="lanes", action="append",
                      help="the interpreter to begin with")  # fmt: skip

    grammar = add("grammar", "reading.grammar", "say what kind of grammar a language has, and why")
    grammar.add_argument("language", metavar="LANGUAGE", nargs="?", help="default: all")
    grammar.add_argument("--rule", metavar="RULE", help="look from this rule (default: the start)")
    grammar.add_argument(
        "--length", metavar="N", type=int, default=9,
        help="search for ambiguous sentences up to this length (default: 9)",
    )  # fmt: skip
    grammar.add_argument(
        "--ebnf", choices=("iso", "w3c"), help="print the grammar in a standard notation instead"
    )
    grammar.add_argument(
        "--against", metavar="OTHER",
        help="compare with another language or grammar of the course, a rule of this one, or a "
        "changed version of its .brix file",
    )  # fmt: skip
    grammar.add_argument("--grammar", metavar="NAME", help="one of several grammars")
    grammar.add_argument(
        "--decisions", action="store_true", help="print what it does in corner cases"
    )
    grammar.add_argument(
        "--cases", action="store_true", help="print those decisions as cases of a suite"
    )
    grammar.add_argument("--sets", action="store_true", help="print first and follow sets")
    grammar.add_argument("--items", action="store_true", help="print the LR item sets")

    grammar.add_argument("--json", action="store_true", help="print the answer as JSON")
    _suites(add)

    wrong = add(
        "mistakes",
        "mutation.mistakes",
        "put mistakes into interpreters, and report which of them the suites find",
    )
    wrong.add_argument("--language", metavar="NAME", help="only interpreters of this language")
    wrong.add_argument("--with", metavar="INTERPRETER", dest="lanes", action="append",
                       help="only this interpreter; may be given several times")  # fmt: skip
    wrong.add_argument("--most", metavar="N", type=int,
                       help="the most mistakes put into each interpreter")  # fmt: skip
    wrong.add_argument("--all", action="store_true",
                       help="print every mistake, not only those that nothing finds")  # fmt: skip
    wrong.add_argument("--table", action="store_true", help="print them as rows of a table")
    wrong.add_argument("--json", action="store_true", help="print them as JSON")

    left = add("uncovered", "uncovered.tell_uncovered", "list what no case of a suite covers")
    left.add_argument("--language", metavar="NAME", help="only this language")
    left.add_argument("--json", action="store_true", help="print it as JSON")

    layout = add("format", "formatting.format_files", "format definitions")
    layout.add_argument("files", metavar="FILE", nargs="*", type=Path,
                        help="default: all .brix files of the course")  # fmt: skip
    layout.add_argument(
        "--check", action="store_true", help="change nothing, only list the files that would change"
    )

    layout.add_argument("--json", action="store_true", help="print the answer as JSON")
    permit = add("allow", "allowing.allow_commands", "let the outside interpreters of a course run")
    permit.add_argument("name", metavar="NAME", nargs="?", help="the lane (default: list all)")
    permit.add_argument("--yes", action="store_true", help="allow exactly this command, here")
    permit.add_argument("--no", action="store_true", help="no longer allow it")

    permit.add_argument("--json", action="store_true", help="print the answer as JSON")
    search = add(
        "hunt",
        "comparison.seek_difference",
        "search for the smallest program on which two lanes differ",
    )
    search.add_argument("--language", metavar="NAME", help="the language")
    search.add_argument("--with", metavar="LANE", dest="lanes", action="append",
                        help="a lane; given twice")  # fmt: skip
    search.add_argument("--most", metavar="N", type=int,
                        help="the most programs tried (default: 10,000; outside: 500)")  # fmt: skip
    search.add_argument(
        "--seed", metavar="N", type=int, default=1, help="the seed of the random programs"
    )
    search.add_argument(
        "--costs", action="store_true", help="count different costs as a difference"
    )
    search.add_argument(
        "--endless", action="store_true", help="count a run without end as a difference"
    )
    search.add_argument("--case", metavar="SUITE", type=Path, dest="suite",
                        help="add the program found to this suite; shows it first")  # fmt: skip
    search.add_argument("--yes", action="store_true", help="with --case: write it")

    search.add_argument("--json", action="store_true", help="print the answer as JSON")
    apart = add(
        "differences",
        "decision_table.differences",
        "list the differences in meaning between two definitions",
    )
    apart.add_argument("one", metavar="ONE", help="Rill, Rill.environment, either with @VERSION")
    apart.add_argument("other", metavar="OTHER", help="another one")
    apart.add_argument("--whole", action="store_true", help="do not cut long lines")
    apart.add_argument("--json", action="store_true", help="print them as JSON")

    explain = add("explain", "findings.explain", "say what a diagnostic code means")
    explain.add_argument("code", metavar="CODE", nargs="?", help="default: list all codes")
    explain.add_argument("--json", action="store_true", help="print the answer as JSON")
    return top


def _command(where: str) -> Command:
    """A command by module and function. The module is read when the command is carried out: each
    needs another part of the core."""
    module, _, name = where.partition(".")

    def carry_out(arguments: argparse.Namespace) -> int:
        command: Command = getattr(import_module(f"embrix.cli.{module}"), name)
        return command(arguments)

    return carry_out


def _suites(add: Adding) -> None:
    """The commands about suites."""
    test = add("test", "suites.test", "run the suites on all interpreters")
    test.add_argument("suites", metavar="SUITE", nargs="*", type=Path, help="default: all")
    test.add_argument("--json", action="store_true", help="the same as --report json")
    test.add_argument("--report", choices=FORMATS, help="a report for other programs")
    test.add_argument("--to", metavar="FILE", type=Path, help="where the report is written")
    replacing(test)
    test.add_argument(
        "--grammar", metavar="NAME", help="run the programs as another grammar writes them"
    )
    test.add_argument("--tag", metavar="WORD", dest="tags", action="append", default=[],
                      help="only cases with this tag; may be given several times")  # fmt: skip
    test.add_argument("--with", metavar="LANE", dest="lanes", action="append", default=[],
                      help="only this lane; may be given several times")  # fmt: skip
    test.add_argument("--parts", metavar="LANE,LANE", help="hold two lanes against each other at "
                      "every part of the programs instead")  # fmt: skip
    test.add_argument("--jobs", metavar="N", type=int, help="worker processes (default: cores)")

    since = add(
        "changed",
        "suites.changed",
        "list the verdicts that the last run of the suites changed",
    )
    since.add_argument("--json", action="store_true", help="print the answer as JSON")

    asked = add(
        "questions",
        "decision_table.questions",
        "show how each lane answers the suites' questions and decides the choices",
    )
    asked.add_argument("--language", metavar="NAME", help="only this language")
    asked.add_argument("--if", metavar="CHOICE=WAY", dest="decision",
                       help="print the cases that change with another decision")  # fmt: skip
    asked.add_argument("--json", action="store_true", help="print them as JSON")

    taken = add(
        "accept", "suites.accept_case", "accept a result as expected; shows the change first"
    )
    taken.add_argument("suite", metavar="SUITE", type=Path, help="the suite that is changed")
    taken.add_argument("case", metavar="CASE", nargs="?", help="the name of the case")
    taken.add_argument("--with", metavar="LANE", dest="lane", help="the lane (default: the first "
                       "on which the case fails)")  # fmt: skip
    taken.add_argument("--yes", action="store_true", help="write it")
    taken.add_argument("--undo", action="store_true", help="undo the last change")
    taken.add_argument("--adopt", metavar="ANSWERS", type=Path,
                       help="cases from answers recorded elsewhere (JSON)")  # fmt: skip
    taken.add_argument("--origin", metavar="TEXT", help="where those answers come from")
    taken.add_argument("--json", action="store_true", help="print the answer as JSON")
