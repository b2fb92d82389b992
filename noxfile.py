"""Tests and types on every Python that is supported and installed: `nox`, or `nox -s tests-3.13`.

Versions that are not installed are left out.
"""

from __future__ import annotations

import nox

VERSIONS = ["3.11", "3.12", "3.13", "3.14"]

nox.options.error_on_missing_interpreters = False
nox.options.default_venv_backend = "venv"


@nox.session(python=VERSIONS)
def tests(session: nox.Session) -> None:
    """All tests; words after `--` go to pytest."""
    session.install("-e", ".[test]")
    session.run("pytest", "-q", "-n", "2", *session.posargs)


@nox.session(python=VERSIONS)
def types(session: nox.Session) -> None:
    """The type checker."""
    session.install("-e", ".[test]")
    session.run("mypy", "--python-version", str(session.python))
