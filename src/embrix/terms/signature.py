"""All forms of a language: what a term may look like, and where names are bound."""

from __future__ import annotations

from msgspec import Struct, field
from msgspec.structs import force_setattr

from embrix.terms.node import FIELDS, Constructor, Node
from embrix.terms.simple_scopes import Scopes, Walk, simple_scopes, walks


class Signature(Struct, frozen=True, eq=False):
    """The forms of a language by name, by tag and by sort."""

    forms: tuple[Constructor, ...]
    by_name: dict[str, Constructor] = field(default_factory=dict)
    by_tag: dict[int, Constructor] = field(default_factory=dict)
    scopes: Scopes | None = None
    """Where names are bound, if that is simply said."""
    uses: dict[int, tuple[int, ...]] = field(default_factory=dict)
    """By tag the fields of forms that name something bound elsewhere."""
    user: int | None = None
    """The tag of the first form that is an occurrence of a name and holds nothing else."""
    walks: dict[int, Walk] = field(default_factory=dict)
    """How to go through a node, by its tag, where scopes are simple."""
    beside: dict[int, tuple[int, ...]] = field(default_factory=dict)
    """By tag the forms that use names beside other fields, with where these stand in a node."""

    def __post_init__(self) -> None:
        force_setattr(self, "by_name", {form.name: form for form in self.forms})
        force_setattr(self, "by_tag", {form.tag: form for form in self.forms})
        users = [form for form in self.forms if form.uses]
        force_setattr(self, "scopes", simple_scopes(self.forms))
        if self.scopes is not None:
            force_setattr(self, "walks", walks(self.forms, self.scopes))
        force_setattr(self, "uses", {form.tag: form.uses for form in users})
        alone = [form.tag for form in users if len(form.fields) == 1]
        force_setattr(self, "user", next(iter(alone), None))
        beside = {
            form.tag: tuple(FIELDS + at for at in form.uses)
            for form in users if form.tag not in alone
        }  # fmt: skip
        force_setattr(self, "beside", beside)

    @property
    def sorts(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(form.owner for form in self.forms))

    def of_sort(self, sort: str) -> tuple[Constructor, ...]:
        return tuple(form for form in self.forms if form.owner == sort)

    def form_of(self, node: Node) -> Constructor | None:
        """The form that a node was built by, or None for what is no term of the language."""
        return self.by_tag.get(node[0])
