"""Ambiguity and LL(1), held against counts and constructions that are written apart."""

from __future__ import annotations

import itertools
import random
from functools import cache

import pytest

from embrix.grammar.ambiguity import search_ambiguity
from embrix.grammar.earley import EarleyParser
from embrix.grammar.flatten import flatten
from embrix.grammar.forest import Forest
from embrix.grammar.lr import parser_of
from embrix.grammar.lr_tables import sets_text
from embrix.grammar.model import Alternative, Grammar, Item, Quoted, Repeated, Rule, Use, fields_of
from embrix.grammar.parser import Ambiguous, Parsed, Refused
from embrix.grammar.predictive import against_ll1
from embrix.grammar.report import report_on, report_text
from embrix.grammar.sentences import DerivationTree, Sentences, sentence_text, yields
from embrix.grammar.sets import sets_of
from embrix.grammar.steps import descent, shift_reduce
from embrix.grammar.tokens import TokenTable
from embrix.terms.node import Constructor
from embrix.terms.signature import Signature
from embrix.text.source import Span

UNIT = Constructor("Unit", 20, "S", (), (), is_form=True)


def grammar(text: str) -> Grammar:
    """`S: A a? | list(b,x) ; A: c+ |` — capitals are rules, all else literals; `?`, `*`, `+` behind
    a word repeat it."""
    literals: dict[str, None] = {}

    def symbol(word: str) -> object:
        if len(word) > 1 and word[-1] in "?*+":
            return Repeated(symbol(word[:-1]), word[-1])  # type: ignore[arg-type]
        if word.startswith("list(") and word.endswith(")"):
            inner, separator = word[5:-1].split(",")
            literals[separator] = None
            return Repeated(symbol(inner), "*", Quoted(separator))  # type: ignore[arg-type]
        if word[0].isupper():
            return Use(word)
        literals[word] = None
        return Quoted(word)

    rules = []
    for line in text.split(";"):
        name, _, right = line.partition(":")
        alternatives = [
            Alternative(tuple(Item(symbol(word)) for word in option.split()),  # type: ignore[arg-type]
                        fields_of(UNIT), Span(0, 0))
            for option in right.split("|")
        ]  # fmt: skip
        rules.append(Rule(name.strip(), "S", tuple(alternatives), Span(0, 0)))
    tokens = TokenTable(tuple(literals), ())
    return flatten(tokens, Signature((UNIT,)), "integer", (rules[0].name,), rules)


def counted(grammar: Grammar, sentence: tuple[int, ...], most: int = 3) -> int:
    """How many trees a sentence has, up to `most`: those of height 1, 2, … until two heights more
    add nothing that the bound does not. It shares nothing with the forest."""
    productions = grammar.productions
    size = len(sentence)
    heights = (size + 2) * (len(grammar.names) + 1)
    table: dict[tuple[int, int, int], int] = {}
    for _ in range(heights):
        made: dict[tuple[int, int, int], int] = {}

        @cache
        def row(right: tuple[int, ...], begin: int, end: int) -> int:
            if not right:
                return int(begin == end)
            if right[0] >= 0:
                fits = begin < end and sentence[begin] == right[0]
                return row(right[1:], begin + 1, end) if fits else 0
            total = 0
            for middle in range(begin, end + 1):
                head = table.get((right[0], begin, middle), 0)  # noqa: B023
                if head:
                    total += head * row(right[1:], middle, end)
            return min(total, most)

        for production in productions:
            for begin in range(size + 1):
                for end in range(begin, size + 1):
                    count = row(production.right, begin, end)
                    if count:
                        key = (production.left, begin, end)
                        made[key] = min(most, made.get(key, 0) + count)
        if made == table:
            break
        table = made
    return table.get((grammar.entry["S"], 0, size), 0)


def shortest_ambiguous(grammar: Grammar, longest: int) -> int | None:
    """The length of a shortest sentence with two trees, by trying all rows of literals."""
    terminals = range(len(grammar.tokens.literals))
    for length in range(longest + 1):
        for row in itertools.product(terminals, repeat=length):
            if counted(grammar, row, 2) > 1:
                return length
    return None


def told(tree: DerivationTree | int) -> object:
    """A tree by the identity of its productions: alternatives that read alike differ."""
    if isinstance(tree, int):
        return tree
    return id(tree.production), *map(told, tree.parts)


def made_up(seed: int) -> str:
    """A small grammar: up to three rules, with empty alternatives and repetitions."""
    chance = random.Random(seed)
    rules = "SAB"[: chance.randint(1, 3)]
    words = [*rules, *(f"{rule}{sign}" for rule in rules for sign in "?*+"), "a", "a", "b", "b",
             "a?", "b*", "a+", "list(a,b)"]  # fmt: skip

    def alternative() -> str:
        return " ".join(chance.choice(words) for _ in range(chance.choice((0, 1, 1, 2, 2, 3))))

    lines = []
    for rule in rules:
        more = [alternative() for _ in range(chance.randint(1, 2))]
        lines.append(f"{rule}: {' | '.join([chance.choice('ab'), *more])}")
    return " ; ".join(lines)


@pytest.mark.parametrize("group", range(8))
def test_the_shortest_ambiguous_sentence_of_random_grammars(group: int) -> None:
    """Forty grammars each; seeds are told by the assertion."""
    ambiguous = 0
    for seed in range(group * 40, group * 40 + 40):
        text = made_up(seed)
        made = grammar(text)
        sets, start = sets_of(made), made.entry["S"]
        found = search_ambiguity(made, sets, start, 4).found
        wanted = shortest_ambiguous(made, 4)
        assert (len(found.sentence) if found else None) == wanted, (seed, text)
        if found is None:
            continue
        ambiguous += 1
        assert yields(found.first) == yields(found.second) == found.sentence
        assert told(found.first) != told(found.second), (seed, text)
        words = sentence_text(made, found.sentence).replace("(nothing)", "").split()
        parsed = EarleyParser(made).parse("".join(words), "S")
        assert isinstance(parsed, Ambiguous), (seed, text)
    assert ambiguous > 5


def searched_one_by_one(made: Grammar, length: int, most: int) -> tuple[object, int, int]:
    """The search with a forest for each sentence: what is found, how far, how many were tried."""
    sentences, tried = Sentences(made, most), 0
    for size in range(length + 1):
        found = sentences.of(made.entry["S"], size)
        if found is None:
            return None, size - 1, tried
        for sentence in sorted(found):
            tried += 1
            if Forest(made, sets_of(made), made.entry["S"], sentence).two() is not None:
                return sentence, size, tried
    return None, length, tried


@pytest.mark.parametrize("group", range(4))
def test_only_sentences_that_may_have_two_trees_are_looked_at(group: int) -> None:
    """Also where terminals are used alike (`c` often beside `a`) and where there are too many."""
    none = 0
    for seed in range(group * 30, group * 30 + 30):
        chance = random.Random(seed)
        text = " ; ".join(
            f"{line} | {line.partition(':')[2].replace('a', 'c')}"
            if chance.random() < 0.5
            else line
            for line in made_up(seed).split(" ; ")
        )
        made = grammar(text)
        most = chance.choice((40, 400, 4_000))
        search = search_ambiguity(made, sets_of(made), made.entry["S"], 4, most)
        found = search.found.sentence if search.found is not None else None
        assert (found, search.length, search.tried) == searched_one_by_one(made, 4, most), text
        none += found is None
    assert 0 < none < 30


@pytest.mark.parametrize("seed", range(1000, 1060))
def test_parser_and_count_agree_on_every_short_text(seed: int) -> None:
    """Refused, one tree or several: for all rows of up to four literals."""
    made = grammar(made_up(seed))
    parsers = (EarleyParser(made), parser_of(made))
    for length in range(4):
        for row in itertools.product(range(len(made.tokens.literals)), repeat=length):
            count = counted(made, row, 2)
            text = "".join(made.tokens.literals[terminal] for terminal in row)
            for parser in parsers:
                result = parser.parse(text)
                wanted = (Refused, Parsed, Ambiguous)[count]
                assert isinstance(result, wanted), (seed, made_up(seed), text)


def test_the_application_grammar_is_ambiguous() -> None:
    """From a textbook: `Appl ::= f:Appl a:Expr | x:name` with an expression that is one."""
    report = report_on(grammar("S: S E | x ; E: S | y"), length=9)
    assert report.ambiguity[0] == "x x x"
    assert report_on(grammar("S: a | b? b | b+ S+"), length=6).ambiguity[0] == "b b"


def test_a_rule_that_derives_itself_makes_every_sentence_ambiguous() -> None:
    """Directly, and through what may be empty; the trees shown are finite and differ."""
    for text in ("S: S | a", "S: A S A | a ; A: ", "S: A | a ; A: S", "S: S S | a | "):
        made = grammar(text)
        report = report_on(made, length=4)
        assert report.ambiguity, text
        assert report.ambiguity[1] != report.ambiguity[2]
        result = EarleyParser(made).parse("a")
        assert isinstance(result, Ambiguous), text


def test_forests_count_as_many_trees_as_there_are() -> None:
    chance = random.Random(4)
    for seed in range(40):
        made = grammar(made_up(seed))
        sets, start = sets_of(made), made.entry["S"]
        for _ in range(10):
            row = tuple(chance.choices(range(len(made.tokens.literals)), k=chance.randint(0, 4)))
            two = Forest(made, sets, start, row).two()
            assert (two is not None) == (counted(made, row, 2) > 1), (seed, row)


# ---------------------------------------------------------------------- LL(1)


TEXTBOOK = [
    "S: a* b", "S: a+ b", "S: A* b ; A: a c", "S: list(a,x) b", "S: a? b", "S: [ S* ]",
    "S: A B* ; A: a ; B: x A", "S: a* b* c*", "S: A+ ; A: a b?", "S: T M* ; M: p T ; T: i | ( S )",
    "S: { list(P,x) } | [ list(S,x) ] | t ; P: k c S", "S: [ S* ] | b", "S: x | i S E? f ; E: e S",
]  # fmt: skip
NOT = ["S: a* a", "S: A* ; A: a?", "S: a? a b", "S: a S | a", "S: S a | b", "S: list(a,x) x b",
       "S: a+ a", "S: i S E? | x ; E: e S"]  # fmt: skip


@pytest.mark.parametrize("text", TEXTBOOK)
def test_repetitions_are_iterations_as_by_hand(text: str) -> None:
    made = grammar(text)
    assert against_ll1(made, made.entry["S"]) == ()
    assert not report_on(made).ll1


@pytest.mark.parametrize("text", NOT)
def test_what_one_token_does_not_decide(text: str) -> None:
    made = grammar(text)
    (reason, *_) = against_ll1(made, made.entry["S"])
    assert reason.startswith("with ")


def follows_by_sentences(made: Grammar, rule: str) -> set[int]:
    """What may stand behind a rule in texts of S, from all sentential forms of a few steps."""
    start, wanted = made.entry["S"], made.entry[rule]
    forms: set[tuple[int, ...]] = {(start, made.end)}
    seen = set(forms)
    for _ in range(7):
        following: set[tuple[int, ...]] = set()
        for form in forms:
            for at, symbol in enumerate(form):
                if symbol < 0:
                    for production in made.by_left.get(symbol, ()):
                        new = (*form[:at], *production.right, *form[at + 1 :])
                        if len(new) < 8 and new not in seen:
                            seen.add(new)
                            following.add(new)
        forms = set(itertools.islice(following, 4_000))
    return {form[at + 1] for form in seen for at, symbol in enumerate(form[:-1])
            if symbol == wanted and form[at + 1] >= 0}  # fmt: skip


@pytest.mark.parametrize(
    "text", ["S: A b | c ; A: a ; B: A d", "S: a A c | b A ; A: x | ", "S: A A ; A: a | b"]
)
def test_follow_sets_are_those_from_the_rule_that_is_asked_for(text: str) -> None:
    """`B` is not reached, so what follows in it does not count; the end only follows what ends a
    text."""
    made = grammar(text)
    from embrix.grammar.sets import sets_from

    found = sets_from(made, made.entry["S"])
    assert found.follow[made.entry["A"]] == follows_by_sentences(made, "A")


def test_sets_and_messages_speak_in_the_words_of_the_author() -> None:
    """A rule that bears the name a helper might have, and none of the helpers' names."""
    made = grammar("S: As b | A* c ; As: A A ; A: a")
    lines = "\n".join([*sets_text(made, "S"), *report_text(report_on(made))])
    assert "Ass" not in lines
    assert "A*" in lines
    separated = grammar("S: list(A,x) | list(A,x) b ; A: a")
    assert "list(A, `x`)" in "\n".join(sets_text(separated, "S"))


def test_repetitions_in_one_place_make_no_conflict() -> None:
    """`X*` and `X+` that what follows tells apart: LALR(1)."""
    report = report_on(grammar("S: X* a | X+ b ; X: x"))
    assert report.lalr1
    assert not report_on(grammar("S: X* a | X+ a ; X: x")).lalr1


def test_a_conflict_of_merged_states_is_told_as_one() -> None:
    """LR(1) but not LALR(1), from a textbook."""
    lines = report_text(report_on(grammar("S: a E a | b E b | a F b | b F a ; E: e ; F: e")))
    assert "  these conflicts come from merging states (LALR); LR(1) has none of them:" in lines


def test_descents_go_through_repetitions() -> None:
    """By hand."""
    steps = descent(grammar("S: [ list(S,x) ] | t"), "[txt]", "S")
    assert steps is not None
    assert [step.action for step in steps] == [
        "take S → `[` list(S, `x`) `]`", "read [", "take list(S, `x`): S", "take S → `t`", "read t",
        "take list(S, `x`): one more `x` S", "read x", "take S → `t`", "read t",
        "take list(S, `x`): no more", "read ]", "accepted",
    ]  # fmt: skip


def test_shifts_build_the_tree_that_there_is() -> None:
    """Not LR(1): reading first refuses `a b c`, which has just one tree."""
    made = grammar("S: A b c | B b d ; A: a ; B: a")
    for text in ("abc", "abd"):
        steps = shift_reduce(made, text, "S")
        assert steps[-1].action == "accepted"
        assert [s.action[5:] for s in steps if s.action.startswith("read")] == list(text)
    assert shift_reduce(made, "abb", "S")[-1].action.startswith("refused")
