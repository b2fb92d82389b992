"""A prompt for programs: survives every error, takes entries over several lines, keeps the rest.

An entry that could go on is asked for more; an empty line ends it. When an entry holds a whole
program and more behind it, the program is run and the rest is kept for the next entry. Lines that
begin with `?` are questions to the prompt.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence

from embrix.grammar.parser import Parsed, Refused
from embrix.grammar.printing import Printer
from embrix.lanes.inspection import branch_of, look, with_rest
from embrix.lanes.session import Session
from embrix.machine.lane import Lane, OnStart
from embrix.machine.outcome import Shown
from embrix.terms.node import Value
from embrix.text.diagnostic import excerpt
from embrix.text.source import Source, Span
from embrix.text.suggest import did_you_mean
from embrix.text.visible import visible
from embrix.trace.walk import Walk

QUESTIONS = {
    "": "list these questions",
    "tokens": "the tokens of the last entry",
    "tree": "the tree of the last entry",
    "term": "the term of the last entry, printed back",
    "brackets": "the same with every bracket written out",
    "json": "the tree of the last entry as JSON",
    "echo": "?echo WORD … shows tokens, tree, term, brackets or json after every entry, ?echo none",
    "steps": "the steps in which the last entry is evaluated",
    "state": "the state that the entries so far have left, where the lane keeps one",
    "reset": "reset it: the next entry begins without it",
    "with": "?with LANE chooses the lane, ?with alone names them",
    "rule": "?rule RULE reads entries at a rule, ?rule alone goes back to programs",
    "drop": "forget the unread rest",
    "quit": "leave (so does the end of the input)",
}


ECHOED = ("tokens", "tree", "term", "brackets", "json")
"""What can be shown after every entry."""


class Prompt:
    """The state of a prompt. `say` gets each line of an answer; `on_start` is told how to stop a
    run from another thread."""

    def __init__(
        self, session: Session, language: str, lanes: list[Lane], say: Callable[[str], None]
    ) -> None:
        self._session = session
        self._language = language
        self._lanes = {lane.name: lane for lane in lanes}
        self._lane = lanes[0] if lanes else None
        self.say = say
        self._rule: str | None = None
        self.on_start: OnStart | None = None
        self.pending = ""
        self._last = ""
        self._echo: list[str] = []
        self._kept: Sequence[Value] | None = None
        """What the last entry that came to a value has left beside it."""
        self._before: Sequence[Value] | None = None
        """What the last entry began with."""
        self.done = False

    @property
    def sign(self) -> str:
        """What stands before the next line."""
        if self.pending:
            return "… "
        return f"{self._language} {self._lane.name} ▸ " if self._lane else f"{self._language} ▸ "

    def take(self, line: str) -> None:
        """A line from the user."""
        if line.startswith("?"):
            self._question(line[1:].strip())
            return
        forced = not line.strip() and bool(self.pending.strip())
        text = f"{self.pending}\n{line}" if self.pending else line
        self.pending = ""
        if text.strip():
            self._entry(text, forced)

    def give_up(self) -> None:
        """Forget the entry that was being written."""
        self.pending = ""
        self.say("(entry given up)")

    def finish(self) -> None:
        """The input has ended: what is pending is all there will be."""
        if self.pending.strip():
            text, self.pending = self.pending, ""
            self._entry(text, True)

    def _entry(self, text: str, forced: bool) -> None:
        parser = self._session.parser(self._language)
        language = self._session.course.languages[self._language]
        only_tokens = language.grammar is None and not language.signature.forms
        if parser is None or only_tokens:
            self._last = text
            self._show_tokens()
            if parser is not None and look(self._session, self._language, text).invalid:
                self._refuse(text)
            return
        while text.strip():
            parsed = parser.parse(text, self._rule)
            if isinstance(parsed, Parsed):
                self._run(text)
                return
            unclosed = isinstance(parsed, Refused) and any(
                one.open for one in parsed.tokens.invalid
            )
            if not isinstance(parsed, Refused) or (parsed.by == "tokens" and not unclosed):
                self._refuse(text)
                return
            tokens = parsed.tokens.tokens
            at_end = unclosed or not tokens or parsed.span.start >= tokens[-1].end
            if at_end and not forced:
                self.pending = text
                return
            head = text[: parsed.span.start]
            if at_end or not head.strip() or not isinstance(
                parser.parse(head, self._rule), Parsed
            ):  # fmt: skip
                self._refuse(text)
                return
            self._run(head.rstrip())
            text = text[parsed.span.start :]
            self.say(f"(kept: {visible(text.strip())})")

    def _refuse(self, text: str) -> None:
        self._last = text
        refused = look(self._session, self._language, text, self._rule).refused
        assert refused is not None
        self.say(f"{refused.kind}: {visible(refused.text)}")
        if refused.place is not None:
            for row in excerpt(Source("entry", text), Span(*refused.place)):
                self.say("  " + row)

    def _run(self, text: str) -> None:
        self._last = text
        self._show_echo()
        if self._lane is None or (self._rule is not None and self._rule not in self._starts()):
            self._question("tree")
            return
        self._before = self._kept
        result = self._lane.run(text, on_start=self.on_start, kept=self._kept)
        if self._lane.keeps and result.outcome.kind == "value" and isinstance(result.state, Shown):
            self._kept = result.state.values
        for piece in result.output:
            self.say(visible(piece.rstrip("\n")))
        outcome = result.outcome
        self.say(visible(outcome.sentence))
        if outcome.place is not None:
            for row in excerpt(Source("entry", text), Span(*outcome.place)):
                self.say("  " + row)

    def _starts(self) -> tuple[str, ...]:
        grammar = self._session.course.languages[self._language].grammar
        return grammar.starts if grammar is not None else ()

    # ---------------------------------------------------------------- questions

    def _question(self, text: str) -> None:
        word, _, rest = text.partition(" ")
        rest = rest.strip()
        match word:
            case "":
                for name, meaning in QUESTIONS.items():
                    self.say(f"?{name:<8} {meaning}")
            case "quit":
                self.done = True
            case "drop":
                self.pending = ""
            case "with":
                self._choose_lane(rest)
            case "rule":
                self._choose_rule(rest)
            case "tokens":
                self._show_tokens()
            case "tree":
                self._show_tree()
            case "term" | "brackets":
                self._show_term(bracketed=word == "brackets")
            case "json":
                self._show_json()
            case "state":
                self._show_state()
            case "reset":
                self._kept = None
                self.say("the next entry begins anew")
            case "echo":
                self._choose_echo(rest)
            case "steps":
                self._show_steps()
            case _:
                self.say(f"?{word} is no question; {did_you_mean(word, QUESTIONS, '? lists them')}")

    def _choose_lane(self, name: str) -> None:
        if name in self._lanes:
            if self._kept is not None and self._lanes[name] is not self._lane:
                self.say("what the entries have left is forgotten: it belongs to the other lane")
                self._kept = None
            self._lane = self._lanes[name]
        else:
            known = ", ".join(self._lanes) or "no interpreters yet"
            self.say(f"there are: {known}" if not name else f"no lane is called {name}: {known}")

    def _choose_rule(self, name: str) -> None:
        grammar = self._session.course.languages[self._language].grammar
        if not name:
            self._rule = None
        elif grammar is not None and name in grammar.entry:
            self._rule = name
        else:
            known = grammar.entry if grammar is not None else {}
            self.say(f"no rule is called {name}; {did_you_mean(name, known, ', '.join(known))}")

    def _show_tokens(self) -> None:
        found = look(self._session, self._language, self._last, self._rule)
        source = Source("entry", self._last)
        for start, end, kind in found.tokens:
            line, column = source.position(start)
            self.say(f"{line}:{column:<4} {kind:<10} {visible(self._last[start:end])}")
        if not found.tokens:
            self.say("no tokens: the entry is empty, or everything in it is skipped")

    def _show_tree(self) -> None:
        found = look(self._session, self._language, self._last, self._rule)
        if found.refused is not None:
            self.say("no tree: the last entry was refused")
        for row in with_rest(found.tree, found.cut):
            parts = (row.field, row.form, row.leaves)
            self.say("  " * row.depth + " ".join(part for part in parts if part))

    def _show_state(self) -> None:
        if self._lane is None or not self._lane.keeps:
            name = self._lane.name if self._lane is not None else self._language
            self.say(f"{name} takes nothing up from one entry to the next: its `main` has no "
                     "parameters for that")  # fmt: skip
        elif self._kept is None:
            self.say("nothing yet")
        else:
            for value in self._kept:
                self.say(visible(self._lane.machine.display.show(value)))

    def _choose_echo(self, words: str) -> None:
        """What is shown after every entry from now on."""
        wanted = [] if words in ("", "none") else words.split()
        unknown = [one for one in wanted if one not in ECHOED]
        if unknown:
            hint = did_you_mean(unknown[0], ECHOED, "there are: " + ", ".join(ECHOED))
            self.say(f"{unknown[0]} cannot be shown; {hint}")
            return
        self._echo = wanted
        shown = ", ".join(wanted)
        self.say(f"after every entry: {shown}" if wanted else "nothing is shown besides the result")

    def _show_echo(self) -> None:
        for word in self._echo:
            self._question(word)

    def _show_json(self) -> None:
        found = look(self._session, self._language, self._last, self._rule)
        if found.refused is not None:
            self.say("no tree: the last entry was refused")
            return
        self.say(
            json.dumps(
                [branch_of(row) for row in with_rest(found.tree, found.cut)], ensure_ascii=False
            )
        )

    def _show_term(self, *, bracketed: bool = False) -> None:
        parser = self._session.parser(self._language)
        grammar = self._session.course.languages[self._language].grammar
        parsed = parser.parse(self._last, self._rule) if parser is not None else None
        if isinstance(parsed, Parsed) and grammar is not None:
            printer = Printer(grammar, bracketed=bracketed)
            self.say(visible(printer.show(parsed.term, self._rule).text))
        else:
            self.say("no term: the last entry was refused")

    def _show_steps(self) -> None:
        if self._lane is None:
            self.say(f"{self._language} has no interpreter yet, so nothing is evaluated")
            return
        traced = self._lane.trace(self._last, kept=self._before)
        for line in Walk(self._lane, traced).lines():
            self.say(visible(line))
