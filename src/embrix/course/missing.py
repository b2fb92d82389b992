"""What is asked about and is not in the course, or not any more."""

from __future__ import annotations

from embrix.brix.core import Language


class NotThere(Exception):
    """Something is asked about that the course does not have; the message is a sentence that says
    what. It may have been there a moment ago: definitions change while questions are on their way.
    """


class NoLanguage(NotThere):
    """There is no such language."""


class NoFunction(NotThere):
    """An interpreter has no such function, or the function no such form."""


class Languages(dict[str, Language]):
    """The languages of a course by name. Raises `NoLanguage` for any other name."""

    def __missing__(self, name: str) -> Language:
        known = ", ".join(self) or "none"
        raise NoLanguage(f"the course has no language called {name}; there are: {known}")
