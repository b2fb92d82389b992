"""Which pictures and exercises there are."""

from __future__ import annotations

from typing import Literal

Kind = Literal[
    "tokens", "tree", "grammar-tree", "trees", "gallery", "grammar", "rules", "derivation", "steps",
    "environment", "store", "suspensions", "states", "costs", "growth", "suite", "decisions",
]  # fmt: skip

KINDS: dict[Kind, str] = {
    "tokens": "what a program is cut into",
    "tree": "the syntax tree of a program",
    "grammar-tree": "which rule covers what in a program",
    "trees": "two trees of a program with their difference: of an ambiguous text, or of rules and "
    "of the term",
    "gallery": "for each form of a language a short program with its tree, on one sheet",
    "grammar": "railroad diagrams of a grammar",
    "rules": "the inference rules of an interpreter",
    "derivation": "the derivation of a run",
    "steps": "the reduction sequence of a run, or its conclusions",
    "environment": "the names at a step, with frames and closures",
    "store": "what each location holds over time",
    "suspensions": "what waits, is forced and used again",
    "states": "all states that a program can reach, and what each leads to",
    "costs": "the costs of several lanes as bars",
    "growth": "how a cost grows with a name supplied by hand",
    "suite": "cases against lanes",
    "decisions": "questions against lanes",
}
OF_TEXTS: tuple[Kind, ...] = ("tokens", "tree", "grammar-tree", "trees")
"""Those that only show how a text is read: no interpreter is needed."""

OF_PROGRAMS: tuple[Kind, ...] = (
    "tokens", "tree", "grammar-tree", "trees", "derivation", "steps", "environment", "store",
    "suspensions", "states", "costs", "growth",
)  # fmt: skip

Exercise = Literal["steps", "outcomes", "names", "store", "derivation", "mistakes", "apart"]
EXERCISES: dict[Exercise, str] = {
    "steps": "steps of a run that are left out",
    "outcomes": "what each lane gives",
    "names": "what names stand for at some steps",
    "store": "what the store holds at some steps",
    "derivation": "conclusions of a derivation",
    "mistakes": "which clause is wrong: a mistake, and a case that shows it",
    "apart": "which programs tell two lanes apart",
}
