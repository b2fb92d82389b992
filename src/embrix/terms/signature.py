"""All forms of a language: what a term may look like, and where names are bound."""

from __future__ import annotations

from msgspec import Struct, field
from msgspec.structs import force_setattr

from embrix.terms.node import Constructor, Node


class Signature(Struct, frozen=True, eq=False):
    """The forms of a language by name, by tag and by sort."""

    forms: tuple[Constructor, ...]
    by_name: dict[str, Constructor] = field(default_factory=dict)
    by_tag: dict[int, Constructor] = field(default_factory=dict)

    def __post_init__(self) -> None:
        force_setattr(self, "by_name", {form.name: form for form in self.forms})
        force_setattr(self, "by_tag", {form.tag: form for form in self.forms})

    @property
    def sorts(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(form.owner for form in self.forms))

    def of_sort(self, sort: str) -> tuple[Constructor, ...]:
        return tuple(form for form in self.forms if form.owner == sort)

    def form_of(self, node: Node) -> Constructor | None:
        """The form that a node was built by, or None for what is no term of the language."""
        return self.by_tag.get(node[0])
