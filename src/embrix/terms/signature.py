"""All forms of a language: what a term may look like, and where names are bound."""

from __future__ import annotations

from dataclasses import dataclass, field

from embrix.terms.node import Constructor, Node


@dataclass(frozen=True, slots=True, eq=False)
class Signature:
    """The forms of a language by name, by tag and by sort."""

    forms: tuple[Constructor, ...]
    by_name: dict[str, Constructor] = field(init=False)
    by_tag: dict[int, Constructor] = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "by_name", {form.name: form for form in self.forms})
        object.__setattr__(self, "by_tag", {form.tag: form for form in self.forms})

    @property
    def sorts(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(form.owner for form in self.forms))

    def of_sort(self, sort: str) -> tuple[Constructor, ...]:
        return tuple(form for form in self.forms if form.owner == sort)

    def form_of(self, node: Node) -> Constructor | None:
        """The form that a node was built by, or None for what is no term of the language."""
        return self.by_tag.get(node[0])
